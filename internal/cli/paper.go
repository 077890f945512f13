package cli

import (
	"context"
	"fmt"
	"net/http"
	"time"

	"github.com/spf13/cobra"

	"examen/internal/client"
	"examen/internal/core/marking"
)

func (p *program) paper() *cobra.Command {
	list := &cobra.Command{
		Use: "list", Short: "List your papers", Args: argsBetween(0, 0, "no arguments"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			return show(p, cmd, func(ctx context.Context, c *client.Client) (
				*http.Response, error,
			) {
				return c.ListPapers(ctx)
			},
				[]string{"paper", "title", "state", "opens", "due", "correct", "points"},
				each(func(s client.PaperSummary) []string {
					state := string(s.State)
					if s.Unpublished {
						state = "unpublished"
					}
					correct := fmt.Sprintf("%d of %d", s.Correct, s.Exercises)
					mark := fmt.Sprintf("%s of %s", s.Mark.String(), s.Points.String())
					if s.Untold {
						correct, mark = "told later", "told later"
					}
					return []string{
						s.Slug, s.Title, state, clockIn(s.Opens, s.Zone), clockIn(s.Due, s.Zone), correct, mark,
					}
				}))
		},
	}
	exercises := &cobra.Command{
		Use: "show PAPER", Short: "List a paper's exercises", Args: argsBetween(1, 1, "a paper"),
		RunE: func(cmd *cobra.Command, args []string) error {
			return show(
				p, cmd,
				func(ctx context.Context, c *client.Client) (*http.Response, error) { return c.GetPaper(ctx, args[0]) },
				exerciseHeader, exerciseLines,
			)
		},
	}
	check := &cobra.Command{
		Use: "check PAPER", Short: "Check a paper's exercises, as they are being written",
		Args: argsBetween(1, 1, "a paper"),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, _, err := p.connect()
			if err != nil {
				return err
			}
			job, err := client.Read[client.Job](c.CheckPaper(cmd.Context(), args[0]))
			if err != nil {
				return err
			}
			return p.followCheck(cmd.Context(), c, job)
		},
	}
	return group(
		"paper", "Papers", list, exercises, check, p.paperSet(), p.paperUnset(), p.paperExtend(), p.paperExtensions(),
		p.paperRelease(), p.paperTell(), p.paperBegin(), p.paperCandidates(), p.paperNew(), p.paperEdit(),
		p.paperPublish(), p.paperStrengthen(),
		p.paperVersions(), p.paperCompare(), p.paperRestore(), p.paperDiscard(),
	)
}

var exerciseHeader = []string{"exercise", "title", "points", "attempts", "outcome", "mark"}

func exerciseLines(paper client.Paper) [][]string {
	var all [][]string
	for _, s := range paper.Sections {
		if s.Exercise.Slug != "" {
			all = append(all, exerciseLine(s.Exercise))
		}
	}
	return all
}

func exerciseLine(e client.Exercise) []string {
	outcome, mark := string(e.Outcome), e.Mark.String()
	if e.Untold {
		outcome, mark = "", ""
		if e.Attempts > 0 {
			outcome = "told later"
		}
	}
	return []string{
		fmt.Sprintf("%s/%d", e.Paper, e.Number), e.Title, e.Points.String(), fmt.Sprint(e.Attempts), outcome, mark,
	}
}

// moment parses a time as people write it, by the clocks of this machine if it names no zone.
func moment(s string, end bool) (time.Time, error) { return momentIn(s, time.Local, end) }

// momentIn does the same by the clocks of a place.
func momentIn(s string, place *time.Location, end bool) (time.Time, error) {
	t, err := marking.ParseMoment(s, place, end)
	if err != nil {
		return t, usageError{err}
	}
	return t, nil
}
