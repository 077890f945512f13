package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"examen/internal/client"
)

func (p *program) paperStrengthen() *cobra.Command {
	var yes, look bool
	var variant string
	c := &cobra.Command{
		Use: "strengthen PAPER", Short: "Search for rows that tell wrong answers from right ones, and add them",
		Long: `Searches for rows that tell the wrong answers that would pass, to a paper's exercises as
they are being written, from right ones. It shows them, and adds them to the dataset as a
variant when you say so: the dataset's pack is loaded with one script more. Learners never
see a variant; their answers are checked on it, too.`,
		Args: argsBetween(1, 1, "a paper"),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, _, err := p.connect()
			if err != nil {
				return err
			}
			job, err := client.Read[client.Job](c.StrengthenPaper(
				cmd.Context(), args[0], client.NewStrengthening{Variant: variant},
			))
			if err != nil {
				return err
			}
			if job, err = p.followed(cmd.Context(), c, job, true); err != nil {
				return err
			}
			if job.State != client.JobDone {
				return p.printJob(job)
			}
			found := job.Report.Strengthening
			if err := p.printStrengthening(job); err != nil || len(found.Proposals) == 0 || look {
				return err
			}
			if !yes {
				if err := p.sure(fmt.Sprintf("Add these rows to %s as %s?", found.Dataset, named(found)),
					"nothing was added"); err != nil {
					return err
				}
			}
			added, err := client.Read[client.Job](c.AddVariant(
				cmd.Context(), found.Dataset, client.NewVariant{Job: job.Id},
			))
			if err != nil {
				return err
			}
			return p.addedVariant(cmd, c, added, found)
		},
	}
	c.Flags().StringVar(&variant, "variant", "", "the variant that gets the rows, an existing one or a new one")
	c.Flags().BoolVar(&look, "look", false, "only show the rows")
	c.Flags().BoolVar(&yes, "yes", false, "do not ask")
	return c
}

func named(s client.Strengthening) string {
	if s.New {
		return "the variant " + s.Variant
	}
	return "a part of the variant " + s.Variant
}

// addedVariant follows the job that adds rows.
func (p *program) addedVariant(cmd *cobra.Command, c *client.Client, job client.Job, found client.Strengthening) error {
	job, err := p.followed(cmd.Context(), c, job, true)
	if err != nil {
		return err
	}
	if job.State != client.JobDone {
		return p.printJob(job)
	}
	for _, b := range job.Report.Datasets {
		fmt.Fprintf(p.err, "The variant %s of %s has the rows, as of build %d. To have them in your files: "+
			"examen pack export %s\n", found.Variant, found.Dataset, b.Build, job.Report.Pack)
	}
	return nil
}

// printStrengthening prints the rows that were found, each with what it is for.
func (p *program) printStrengthening(job client.Job) error {
	s := job.Report.Strengthening
	if p.format != "table" {
		var all [][]string
		for _, of := range s.Proposals {
			for _, t := range of.Tells {
				all = append(all, []string{of.What, t.Exercise, t.Survivor.Sentence})
			}
		}
		return p.print(s, []string{"rows", "exercise", "tells apart"}, all)
	}
	for i, of := range s.Proposals {
		fmt.Fprintf(p.out, "%d  %s\n", i+1, printable(upperFirst(of.What)))
		for _, t := range of.Tables {
			fmt.Fprintf(p.out, "   %s\n", printable(t.Table))
			p.writeRows(t.Columns, t.Rows)
		}
		for _, t := range of.Tells {
			fmt.Fprintf(p.out, "   Tells apart, %s: %s\n", printable(t.Exercise), printable(t.Survivor.Sentence))
		}
	}
	for _, t := range s.Left {
		fmt.Fprintf(p.out, "No rows were found for %s: %s\n", printable(t.Exercise), printable(t.Survivor.Sentence))
	}
	if len(s.Proposals)+len(s.Left) == 0 {
		fmt.Fprintln(p.out, "There is nothing to add: no wrong answer that was tried would pass.")
	}
	return nil
}

// writeEdit writes a wrong answer, with what it has in place of what.
func (p *program) writeEdit(e client.Edit) {
	if e == (client.Edit{}) {
		return
	}
	put := strings.TrimRight(e.Is, " ")
	was, is := "["+e.Was, " -> "+put+"]"+e.Is[len(put):]
	switch {
	case e.Was == "":
		was, is = "[+", put+"]"+e.Is[len(put):]
	case e.Is == "":
		was, is = "[-", e.Was+"]"
	}
	for line := range strings.Lines(e.Before + was + is + e.After) {
		fmt.Fprintf(p.out, "    %s\n", printable(strings.TrimRight(line, "\n")))
	}
}

// writeWeak says of which exercises wrong answers would pass.
func (p *program) writeWeak(r client.CheckReport, paper string) {
	weak := 0
	for _, e := range r.Strengths {
		if len(e.Strength.Survivors) > 0 {
			weak++
			fmt.Fprintf(p.err, "  %d %s: %s\n", e.Number, printable(e.Title), e.Strength.Sentence)
		}
	}
	if weak > 0 {
		fmt.Fprintf(p.err, "To find rows that tell the wrong answers apart: examen paper strengthen %s\n",
			printable(paper))
	}
}
