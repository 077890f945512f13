package cli

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"examen/internal/client"
)

func (p *program) pack() *cobra.Command {
	load := &cobra.Command{
		Use: "load DIR", Short: "Load a pack's folder: all of it, or nothing", Args: argsBetween(1, 1, "a folder"),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, job, err := p.sendPack(cmd, args, false)
			if err != nil {
				return err
			}
			return p.follow(cmd.Context(), c, job, true)
		},
	}
	check := &cobra.Command{
		Use: "check DIR", Short: "Check a pack's exercises, loading nothing", Args: argsBetween(1, 1, "a folder"),
		Long: `Builds the pack's datasets and variants aside and tries every exercise on them:
whether its answers run and agree, whether its order and its result are decided,
whether the data test what the task asks, whether links lead somewhere.
Nothing stays. The exit code is 1 where there are errors.`,
		RunE: func(cmd *cobra.Command, args []string) error {
			c, job, err := p.sendPack(cmd, args, true)
			if err != nil {
				return err
			}
			return p.followCheck(cmd.Context(), c, job)
		},
	}
	return group("pack", "Packs of datasets and papers", check, load, p.packList(), p.packExport())
}

// followCheck follows a job that checks exercises, and prints what it found. An interrupt stops it.
func (p *program) followCheck(ctx context.Context, c *client.Client, job client.Job) error {
	job, err := p.followed(ctx, c, job, true)
	if err != nil {
		return err
	}
	if job.State != client.JobDone {
		err := p.printJob(job)
		if len(job.Errors) > 0 { // a setup script is part of what is checked
			fmt.Fprintln(p.err, err)
			return errNotCorrect
		}
		return err
	}
	return p.printCheck(job.Report.Check)
}

// sendPack sends a pack's folder, to be loaded or only checked.
func (p *program) sendPack(cmd *cobra.Command, args []string, check bool) (*client.Client, client.Job, error) {
	s, err := sending(args)
	switch {
	case err != nil:
	case !s.folder:
		err = fmt.Errorf("%s is not a folder: a pack is a folder with a pack.yaml", args[0])
	case !slices.Contains(s.paths, "pack.yaml"):
		err = fmt.Errorf("%s holds no pack.yaml: name the folder that does", args[0])
	}
	if err != nil {
		return nil, client.Job{}, usageError{err}
	}
	defer s.root.Close()
	return p.send(s, func(c *client.Client, contentType string, body io.Reader) (*http.Response, error) {
		return c.LoadPackWithBody(
			cmd.Context(), &client.LoadPackParams{Check: check}, contentType, body, client.AskFirst,
		)
	})
}

// printCheck prints what is wrong or doubtful in exercises; errors make the exit code 1.
func (p *program) printCheck(r client.CheckReport) error {
	if p.format != "table" {
		var all [][]string
		for _, n := range r.Notes {
			all = append(
				all, []string{string(n.Severity), n.Kind, n.Paper, n.Exercise, n.File, fmt.Sprint(n.Line), n.Sentence},
			)
		}
		if err := p.print(
			r, []string{"severity", "kind", "paper", "exercise", "file", "line", "sentence"}, all,
		); err != nil {
			return err
		}
	} else {
		for _, n := range r.Notes {
			where := n.Paper
			if n.Exercise != "" {
				where += "/" + n.Exercise
			}
			if n.File != "" && n.Line > 0 {
				where = fmt.Sprintf("%s:%d %s", n.File, n.Line, n.Exercise)
			} else if n.File != "" && n.Exercise == "" {
				where = n.File
			}
			fmt.Fprintf(p.out, "%s  %s\n", upperFirst(string(n.Severity)), printable(strings.TrimSpace(where)))
			p.writeFinding(client.Finding{Sentence: n.Sentence, Columns: n.Columns, Rows: n.Rows})
			p.writeEdit(n.Edit)
		}
		for _, e := range r.Strengths {
			fmt.Fprintf(p.out, "%s/%d %s: %s\n", printable(e.Paper), e.Number, printable(e.Title), e.Strength.Sentence)
			for _, crude := range e.Strength.Crude {
				fmt.Fprintf(p.out, "  Who %s: %s. %s\n", printable(crude.Does), crude.Outcome, printable(crude.Says))
			}
		}
		fmt.Fprintf(
			p.out, "%s checked: %s, %s.\n", plural(int64(r.Exercises), "exercise"), plural(int64(r.Errors), "error"),
			plural(int64(r.Warnings), "warning"),
		)
	}
	if r.Errors > 0 {
		return errNotCorrect
	}
	return nil
}

func upperFirst(s string) string { return strings.ToUpper(s[:1]) + s[1:] }

// writeDifferences says what was changed on both sides in the papers of a pack.
func (p *program) writeDifferences(j client.Job) {
	for _, d := range j.Report.Differences {
		fmt.Fprintf(p.err, "%s\n  in the console: %s\n  in the files:   %s\n",
			printable(d.Paper), printable(changesOf(d.Console)), printable(changesOf(d.Files)))
	}
	fmt.Fprintf(p.err, "The files would take the place of what is in the console, which is kept among the versions. "+
		"To bring both together: examen pack export %s, and merge.\n", printable(j.Name))
}

// changesOf lists changes of sections.
func changesOf(changes []client.SectionChange) string {
	var all []string
	for _, c := range changes {
		if c.Kind == client.SectionFront {
			all = append(all, "the front matter changed")
		} else {
			all = append(all, titleOf(c.Title)+" "+string(c.Kind))
		}
	}
	if all == nil {
		return "nothing"
	}
	return strings.Join(all, ", ")
}
