package cli

import (
	"context"
	"fmt"
	"net/http"
	"time"

	"github.com/spf13/cobra"

	"examen/internal/client"
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
					return []string{s.Slug, s.Title, state, clock(s.Opens), clock(s.Due), fmt.Sprintf(
						"%d of %d", s.Correct, s.Exercises,
					),
						fmt.Sprintf("%s of %s", s.Mark.String(), s.Points.String())}
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
		"paper", "Papers", list, exercises, check, p.openPaper(), p.paperNew(), p.paperEdit(), p.paperPublish(),
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
	return []string{
		fmt.Sprintf("%s/%d", e.Paper, e.Number), e.Title, e.Points.String(), fmt.Sprint(e.Attempts), string(e.Outcome),
		e.Mark.String(),
	}
}

func (p *program) openPaper() *cobra.Command {
	var course, opens, due string
	c := &cobra.Command{
		Use: "open PAPER --course COURSE", Short: "Open a paper to a course, or change its times there",
		Args: argsBetween(1, 1, "a paper"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := courseGiven(cmd, course); err != nil {
				return err
			}
			times := client.PaperTimes{}
			for to, flag := range map[*time.Time]string{&times.Opens: opens, &times.Due: due} {
				if flag == "" {
					continue
				}
				t, err := moment(flag, to == &times.Due)
				if err != nil {
					return err
				}
				*to = t
			}
			return show(p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.OpenPaper(ctx, course, args[0], times)
			},
				coursePaperHeader, one(coursePaperLine))
		},
	}
	c.Flags().StringVar(&course, "course", "", "the course")
	c.Flags().StringVar(
		&opens, "opens", "",
		"when it opens: 2026-09-01, '2026-09-01 08:00' (in your time zone) or 2026-09-01T08:00:00Z (default: the "+
			"paper's own time)",
	)
	c.Flags().StringVar(
		&due, "due", "", "when it is due, likewise; a date alone is its end (default: the paper's own time)",
	)
	return c
}

// moment parses a time as people write it, in this machine's time zone if it names none. A date alone means its first
// minute, or its last if end is set.
func moment(s string, end bool) (time.Time, error) {
	if t, err := time.Parse(time.RFC3339, s); err == nil {
		return t, nil
	}
	for _, layout := range []string{"2006-01-02 15:04", "2006-01-02T15:04", "2006-01-02 15:04:05"} {
		if t, err := time.ParseInLocation(layout, s, time.Local); err == nil {
			return t, nil
		}
	}
	t, err := time.ParseInLocation(time.DateOnly, s, time.Local)
	if err != nil {
		return t, usageError{
			fmt.Errorf("%q is not a valid time; use 2026-12-20, '2026-12-20 18:00' or 2026-12-20T18:00:00Z", s),
		}
	}
	if end {
		t = time.Date(t.Year(), t.Month(), t.Day(), 23, 59, 0, 0, time.Local)
	}
	return t, nil
}
