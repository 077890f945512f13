package cli

import (
	"context"
	"fmt"
	"net/http"

	"github.com/spf13/cobra"

	"examen/internal/client"
)

func (p *program) progress() *cobra.Command {
	var course string
	c := &cobra.Command{
		Use: "progress PAPER", Short: "Print learners by exercises: outcome and number of attempts",
		Args: argsBetween(1, 1, "a paper"),
		RunE: func(cmd *cobra.Command, args []string) error {
			grid, err := ask[client.Progress](p, cmd, func(ctx context.Context, c *client.Client) (
				*http.Response, error,
			) {
				return c.GetProgress(ctx, args[0], &client.GetProgressParams{Course: course})
			})
			if err != nil {
				return err
			}
			err = p.printGrid(
				grid, "mark", func(c client.ProgressCell) string { return fmt.Sprintf("%s %d", c.Outcome, c.Attempts) },
			)
			if err == nil && p.format == "table" {
				p.hiddenOnly(grid)
			}
			return err
		},
	}
	c.Flags().StringVar(&course, "course", "", "only this course's learners")
	return c
}

// manyHidden is the number of attempts wrong on hidden rows alone from which a learner is named.
const manyHidden = 10

// hiddenOnly names the learners who had many attempts that were wrong on hidden rows alone.
func (p *program) hiddenOnly(grid client.Progress) {
	for _, l := range grid.Learners {
		for i, c := range l.Cells {
			if c.HiddenOnly >= manyHidden {
				fmt.Fprintf(
					p.err,
					"%s had %d attempts at %s that were right on all rows that learners see and wrong on hidden "+
						"ones.\n",
					printable(l.DisplayName), c.HiddenOnly, grid.Exercises[i].Slug,
				)
			}
		}
	}
}

func (p *program) marks() *cobra.Command {
	var course, format string
	c := &cobra.Command{
		Use: "marks [PAPER]", Short: "Print a paper's marks, one line per learner, or your own in all papers",
		Annotations: map[string]string{pages: "yes"},
		Args:        argsBetween(0, 1, "at most a paper"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) == 0 {
				return p.ownMarks(cmd)
			}
			if format == "" {
				format = p.format
			}
			params := &client.GetMarksParams{Course: course}
			call := func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.GetMarks(ctx, args[0], params)
			}
			switch format {
			case "csv": // as the service writes it
				params.Format = client.Csv
				text, err := ask[string](p, cmd, call)
				if err == nil {
					_, err = fmt.Fprint(p.out, text)
				}
				return err
			case "json", "table":
				p.format = format
				grid, err := ask[client.Progress](p, cmd, call)
				if err != nil {
					return err
				}
				return p.printGrid(
					grid, "of "+grid.Points.String(), func(c client.ProgressCell) string { return c.Mark.String() },
				)
			}
			return usageError{fmt.Errorf("--format %s: expected csv, json or table", format)}
		},
	}
	c.Flags().StringVar(&course, "course", "", "only this course's learners")
	c.Flags().StringVar(&format, "format", "", "csv, json or table (default: as -o)")
	return c
}

// ownMarks prints the account's own marks.
func (p *program) ownMarks(cmd *cobra.Command) error {
	papers, err := ask[[]client.PaperMarks](p, cmd, func(ctx context.Context, c *client.Client) (
		*http.Response, error,
	) {
		return c.ListOwnMarks(ctx)
	})
	if err != nil {
		return err
	}
	var all [][]string
	for _, paper := range papers {
		for _, e := range paper.Exercises {
			why := e.Reason
			if !e.ByHand && e.Attempts > 1 && !e.CountsAt.IsZero() {
				why = "the attempt of " + clock(e.CountsAt) + " counts"
			}
			outcome, mark := string(e.Outcome), e.Mark.String()
			if paper.Summary.Untold {
				outcome, mark = "", "told later"
			}
			all = append(all, []string{
				fmt.Sprintf("%s/%d", paper.Summary.Slug, e.Number), e.Title, outcome, fmt.Sprint(e.Attempts), mark,
				e.Points.String(), why,
			})
		}
	}
	return p.print(papers, []string{"exercise", "title", "outcome", "attempts", "mark", "points", "why"}, all)
}

// printGrid prints learners by exercises. A cell without attempts is empty.
func (p *program) printGrid(grid client.Progress, sum string, cell func(client.ProgressCell) string) error {
	header := []string{"learner", "name"}
	for _, e := range grid.Exercises {
		header = append(header, fmt.Sprint(e.Number))
	}
	var all [][]string
	for _, l := range grid.Learners {
		line := []string{l.DisplayName, l.Name}
		for _, c := range l.Cells {
			if c.Attempts == 0 {
				line = append(line, "")
				continue
			}
			line = append(line, cell(c))
		}
		all = append(all, append(line, l.Mark.String()))
	}
	return p.print(grid, append(header, sum), all)
}
