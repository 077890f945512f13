package cli

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/aymanbagabas/go-udiff"
	"github.com/spf13/cobra"

	"examen/internal/client"
)

func (p *program) history() *cobra.Command {
	var params client.ListHistoryParams
	var outcome, kind, since, until string
	var full, timeline bool
	c := &cobra.Command{
		Use: "history [TEXT]", Short: "List runs and attempts, the latest first",
		Annotations: map[string]string{pages: "yes"},
		Args:        argsBetween(0, 1, "at most a text to look for"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := errors.Join(oneOf("outcome", outcome), oneOf("kind", kind)); err != nil {
				return err
			}
			for _, bound := range []struct {
				given string
				time  *time.Time
				end   bool
			}{{since, &params.Since, false}, {until, &params.Until, true}} {
				if bound.given == "" {
					continue
				}
				var err error
				if *bound.time, err = moment(bound.given, bound.end); err != nil {
					return err
				}
			}
			if len(args) > 0 {
				params.Text = args[0]
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
			if timeline && p.format == "table" {
				slices.Reverse(page.Entries)
				p.writeTimeline(page.Entries)
			} else if full && p.format == "table" {
				for _, e := range page.Entries {
					p.writeEntry(e)
				}
			} else if err := p.print(
				page, []string{
					"entry", "at", "learner", "what", "exercise", "outcome", "mark", "rows", "ms", "name", "query",
				},
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
	f.StringVar(&params.Dataset, "dataset", "", "only on this dataset")
	f.StringVar(&since, "since", "", "only since this time (a date, or 'YYYY-MM-DD HH:MM')")
	f.StringVar(&until, "until", "", "only before this time; a date alone is its end")
	f.BoolVar(&params.Kept, "kept", false, "only what you keep (examen entry keep)")
	f.StringVar(&params.Before, "before", "", "continue after this entry (from the previous page)")
	f.IntVar(&params.Limit, "limit", 50, "how many")
	f.BoolVar(&timeline, "timeline", false, "the first of them first, each with what changed since the one before")
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
		outcome, rows, took := string(e.Outcome), fmt.Sprint(e.RowCount), fmt.Sprintf("%.1f", e.ElapsedMs)
		if e.Untold {
			outcome, rows, took = "told later", "", ""
		}
		all = append(all, []string{
			e.Id, clock(e.At), e.Learner, string(e.Kind), where, outcome, mark, rows, took, keptName(e),
			strings.Join(strings.Fields(e.Sql), " "),
		})
	}
	return all
}

// keptName is the name under which an entry is kept.
func keptName(e client.HistoryEntry) string {
	if e.Kept && e.Name == "" {
		return "(kept)"
	}
	return e.Name
}

// writeTimeline prints entries one after another, each with what changed in its text since the one before it at the
// same exercise.
func (p *program) writeTimeline(entries []client.HistoryEntry) {
	before := map[string]string{}
	for _, e := range entries {
		where := e.Paper + "/" + e.Exercise + "/" + e.Dataset
		was, known := before[where]
		before[where] = e.Sql
		if !known {
			p.writeEntry(e)
			continue
		}
		ended := func(text string) string { return strings.TrimRight(text, "\n") + "\n" }
		_, changes, _ := strings.Cut(udiff.Unified("", "", ended(was), ended(e.Sql)), "@@\n")
		if changes == "" {
			changes = "(the same text)\n"
		}
		e.Sql = changes
		p.writeEntry(e)
	}
}

func (p *program) writeEntry(e client.HistoryEntry) {
	line := historyLines([]client.HistoryEntry{e})[0]
	fmt.Fprintf(
		p.out, "%s\n\n    %s\n\n", printable(strings.Join(strings.Fields(strings.Join(line[:7], " ")), " ")),
		strings.ReplaceAll(lines(strings.TrimSpace(e.Sql)), "\n", "\n    "),
	)
	if e.Error.Title != "" {
		fmt.Fprintf(p.out, "- %s. %s\n\n", printable(e.Error.Title), printable(e.Error.Detail))
	}
	for _, f := range e.Findings {
		p.writeFinding(f)
	}
}
