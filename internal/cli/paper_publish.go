package cli

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/aymanbagabas/go-udiff"
	"github.com/spf13/cobra"

	"examen/internal/client"
)

func (p *program) paperPublish() *cobra.Command {
	var yes, despite bool
	var note string
	c := &cobra.Command{
		Use: "publish PAPER", Short: "Show what publishing a paper would change, and publish it",
		Args: argsBetween(1, 1, "a paper"),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, _, err := p.connect()
			if err != nil {
				return err
			}
			would, err := client.Read[client.Publication](c.GetPublication(cmd.Context(), args[0]))
			if err != nil {
				return err
			}
			p.writePublication(would)
			if !yes {
				if err := p.sure("Publish it?", "nothing was published"); err != nil {
					return err
				}
			}
			job, err := client.Read[client.Job](c.PublishPaper(
				cmd.Context(), args[0], client.NewPublication{Revision: would.Revision, Note: note},
			))
			if err != nil {
				return err
			}
			return p.published(cmd, c, job, despite)
		},
	}
	c.Flags().BoolVar(&yes, "yes", false, "do not ask")
	c.Flags().BoolVar(&despite, "despite-errors", false, "publish it although the examiner finds errors")
	c.Flags().StringVar(&note, "note", "", "what was changed, for those who look at the versions")
	return c
}

// published follows the job that publishes a paper.
func (p *program) published(cmd *cobra.Command, c *client.Client, job client.Job, despite bool) error {
	job, err := p.followed(cmd.Context(), c, job, true)
	if err != nil || job.Id == "" {
		return err
	}
	if job.State == client.JobAsking {
		if err := p.printCheck(job.Report.Check); err != nil && err != errNotCorrect {
			return err
		}
		if !despite {
			again, err := p.yes("Publish it all the same?")
			if err != nil {
				return err
			}
			if !again {
				_, err := client.Read[client.Job](c.StopJob(cmd.Context(), job.Id))
				fmt.Fprintln(p.err, "It is not published. To publish it all the same: --despite-errors")
				if err == nil {
					err = errNotCorrect
				}
				return err
			}
		}
		if job, err = client.Read[client.Job](c.ConfirmJob(cmd.Context(), job.Id)); err != nil {
			return err
		}
		if job, err = p.followed(cmd.Context(), c, job, true); err != nil || job.Id == "" {
			return err
		}
	}
	if job.State != client.JobDone {
		return &client.ProblemError{Problem: job.Problem}
	}
	if p.format != "table" {
		return p.print(job, []string{"paper", "version"}, [][]string{{job.Name, strconv.Itoa(job.Report.Version)}})
	}
	fmt.Fprintf(
		p.out, "%s is published, as version %d: %s.\n", printable(job.Name), job.Report.Version,
		plural(int64(job.Report.Check.Exercises), "exercise"),
	)
	p.writeWeak(job.Report.Check, job.Name)
	return nil
}

// what says what of an exercise changes.
var what = map[client.ExerciseChangeWhat]string{
	client.ExerciseNew: "new", client.ExerciseRemoved: "taken out", client.ExerciseTitle: "title",
	client.ExerciseTask: "task", client.ExerciseAnswers: "accepted answers", client.ExerciseRules: "rules",
	client.ExercisePoints: "points", client.ExerciseNumber: "number",
}

// writePublication says what publishing would change, and for whom.
func (p *program) writePublication(w client.Publication) {
	for _, e := range w.Exercises {
		var changes []string
		for _, change := range e.What {
			changes = append(changes, what[change])
		}
		line := fmt.Sprintf("  %s: %s", e.Title, strings.Join(changes, ", "))
		if e.Attempts > 0 {
			line += fmt.Sprintf(
				" (%s by %s so far)", plural(int64(e.Attempts), "attempt"), plural(int64(e.Learners), "learner"),
			)
		}
		fmt.Fprintln(p.err, printable(line))
	}
	for _, s := range w.Sections {
		ofExercise := func(e client.ExerciseChange) bool { return e.Title == s.Title }
		if s.Kind == client.SectionFront || !slices.ContainsFunc(w.Exercises, ofExercise) {
			fmt.Fprintf(p.err, "  %s\n", printable(changesOf([]client.SectionChange{s})))
		}
	}
	for _, c := range w.Courses {
		when := "it has not opened there yet"
		if c.Open {
			when = "it has opened there"
		}
		fmt.Fprintf(p.err, "  Set for %s (%s): %s.\n", printable(c.Title), plural(int64(c.Learners), "learner"), when)
	}
	if len(w.Courses) == 0 {
		fmt.Fprintln(p.err, "  It is set for no course: no learner sees it.")
	}
}

func (p *program) paperVersions() *cobra.Command {
	return &cobra.Command{
		Use: "versions PAPER", Short: "List the versions of a paper", Args: argsBetween(1, 1, "a paper"),
		RunE: func(cmd *cobra.Command, args []string) error {
			return show(p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.ListVersions(ctx, args[0])
			},
				[]string{"version", "made", "by", "from", "note"},
				each(func(v client.PaperVersion) []string {
					from := map[client.PaperVersionOrigin]string{
						client.VersionOfPack: "its pack", client.VersionOfConsole: "writing",
						client.VersionKept: "kept",
					}[v.Origin]
					if v.Published {
						from += ", published now"
					}
					return []string{strconv.Itoa(v.Version), clock(v.At), v.By, from, v.Note}
				}))
		},
	}
}

func (p *program) paperCompare() *cobra.Command {
	return &cobra.Command{
		Use: "compare PAPER VERSION [VERSION]", Short: "Show what has changed in a paper since a version",
		Long: `Prints, line by line, how a version of a paper differs from a later one, or from the
text as it is being written.`,
		Annotations: map[string]string{pages: "yes"},
		Args:        argsBetween(2, 3, "a paper and the number of a version"),
		RunE: func(cmd *cobra.Command, args []string) error {
			texts, names := make([]string, 2), []string{"", args[0] + ", as it is being written"}
			for i, version := range append(args[1:], "")[:2] {
				text, err := p.versionText(cmd, args[0], version)
				if err != nil {
					return err
				}
				if texts[i] = text; version != "" {
					names[i] = args[0] + ", version " + version
				}
			}
			difference := udiff.Unified(names[0], names[1], texts[0], texts[1])
			if difference == "" {
				fmt.Fprintln(p.err, "They are the same.")
			}
			for line := range strings.Lines(difference) {
				fmt.Fprintln(p.out, printable(strings.TrimSuffix(line, "\n")))
			}
			return nil
		},
	}
}

// versionText is the text of a version; of "", the one that is being written.
func (p *program) versionText(cmd *cobra.Command, paper, version string) (string, error) {
	if version == "" {
		return ask[string](p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
			return c.GetWritingText(ctx, paper)
		})
	}
	number, err := versionNumber(paper, version)
	if err != nil {
		return "", err
	}
	return ask[string](p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
		return c.GetVersion(ctx, paper, number)
	})
}

func versionNumber(paper, version string) (int, error) {
	number, err := strconv.Atoi(version)
	if err != nil {
		return 0, usageError{
			fmt.Errorf("%q is not the number of a version; see: examen paper versions %s", version, paper),
		}
	}
	return number, nil
}

func (p *program) paperRestore() *cobra.Command {
	return &cobra.Command{
		Use: "restore PAPER VERSION", Short: "Go back to a version of a paper, to be published",
		Args: argsBetween(2, 2, "a paper and the number of a version"),
		RunE: func(cmd *cobra.Command, args []string) error {
			number, err := versionNumber(args[0], args[1])
			if err != nil {
				return err
			}
			_, err = ask[client.Writing](p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.RestoreVersion(ctx, args[0], number)
			})
			if err == nil {
				fmt.Fprintf(
					p.err, "The text of version %d is being written again. To publish it: examen paper publish %s\n",
					number, args[0],
				)
			}
			return err
		},
	}
}

func (p *program) paperDiscard() *cobra.Command {
	var yes bool
	c := &cobra.Command{
		Use: "discard PAPER", Short: "Put aside what is not published of a paper",
		Long: `Puts aside what was written of a paper and is not published; it is kept among the
versions. A paper that was never published is removed.`,
		Args: argsBetween(1, 1, "a paper"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if !yes {
				question := fmt.Sprintf("Put aside what is not published of %s?", args[0])
				if err := p.sure(question, "nothing was put aside"); err != nil {
					return err
				}
			}
			_, err := ask[struct{}](p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.DiscardWriting(ctx, args[0])
			})
			if err == nil {
				fmt.Fprintf(p.err, "Nothing of %s is unpublished now.\n", printable(args[0]))
			}
			return err
		},
	}
	c.Flags().BoolVar(&yes, "yes", false, "do not ask")
	return c
}
