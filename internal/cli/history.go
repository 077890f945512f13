package cli

import (
	"errors"
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"examen/internal/client"
)

func (p *program) history() *cobra.Command {
	var params client.ListHistoryParams
	var outcome, kind string
	var full bool
	c := &cobra.Command{
		Use: "history", Short: "List runs and attempts, the latest first", Args: argsBetween(0, 0, "flags only"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			if err := errors.Join(oneOf("outcome", outcome), oneOf("kind", kind)); err != nil {
				return err
			}
			c, _, err := p.connect()
			if err != nil {
				return err
			}
			params.Outcome, params.Kind = client.Outcome(outcome), client.EntryKind(kind)
			page, err := client.Read[client.HistoryPage](c.ListHistory(cmd.Context(), &params))
			if err != nil {
				return err
			}
			if full && p.format == "table" {
				for _, e := range page.Entries {
					p.writeEntry(e)
				}
			} else if err := p.print(
				page, []string{"at", "learner", "what", "exercise", "outcome", "mark", "rows", "ms", "query"},
				historyLines(page.Entries),
			); err != nil {
				return err
			}
			if page.Next != "" {
				fmt.Fprintf(p.err, "For older entries: --before %s\n", page.Next)
			}
			return nil
		},
	}
	f := c.Flags()
	f.StringVar(&params.Paper, "paper", "", "only of this paper")
	f.StringVar(&params.Exercise, "exercise", "", "only of this exercise of --paper")
	f.StringVar(&params.Learner, "learner", "", "only this learner's (instructors)")
	f.StringVar(
		&outcome, "outcome", "", "only with this outcome: correct, incorrect, rejected, failed, stopped or done",
	)
	f.StringVar(&kind, "kind", "", "only run or attempt")
	f.StringVar(&params.Before, "before", "", "continue after this entry (from the previous page)")
	f.IntVar(&params.Limit, "limit", 50, "how many")
	f.BoolVar(&full, "full", false, "print each query whole, with its findings")
	return c
}

func historyLines(entries []client.HistoryEntry) [][]string {
	var all [][]string
	for _, e := range entries {
		where := e.Dataset
		if e.Paper != "" {
			where = strings.TrimSuffix(e.Paper+"/"+e.Exercise, "/")
		}
		mark := ""
		if e.Mark != nil {
			mark = e.Mark.String()
		}
		all = append(
			all,
			[]string{
				clock(e.At),
				e.Learner,
				string(e.Kind),
				where,
				string(e.Outcome),
				mark,
				fmt.Sprint(e.RowCount),
				fmt.Sprintf(
					"%.1f", e.ElapsedMs,
				),
				strings.Join(strings.Fields(e.Sql), " "),
			},
		)
	}
	return all
}

func (p *program) writeEntry(e client.HistoryEntry) {
	line := historyLines([]client.HistoryEntry{e})[0]
	fmt.Fprintf(
		p.out, "%s\n\n    %s\n\n", printable(strings.Join(strings.Fields(strings.Join(line[:6], " ")), " ")),
		strings.ReplaceAll(lines(strings.TrimSpace(e.Sql)), "\n", "\n    "),
	)
	if e.Error.Title != "" {
		fmt.Fprintf(p.out, "- %s. %s\n\n", printable(e.Error.Title), printable(e.Error.Detail))
	}
	for _, f := range e.Findings {
		p.writeFinding(f)
	}
}
