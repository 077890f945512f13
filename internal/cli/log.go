package cli

import (
	"context"
	"fmt"
	"net/http"

	"github.com/spf13/cobra"

	"examen/internal/client"
)

func (p *program) log() *cobra.Command {
	params := &client.ListLogParams{}
	var since, until string
	c := &cobra.Command{
		Use: "log", Short: "List who did what to accounts, courses, papers and marks, the latest first",
		Annotations: map[string]string{pages: "yes"},
		Args:        argsBetween(0, 0, "flags only"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			if err := oneOf("about", params.About); err != nil {
				return err
			}
			var err error
			if since != "" {
				if params.Since, err = moment(since, false); err != nil {
					return err
				}
			}
			if until != "" {
				if params.Until, err = moment(until, true); err != nil {
					return err
				}
			}
			if p.format == "csv" { // as the service writes it: all lines
				params.Format = client.LogCSV
				text, err := ask[string](p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
					return c.ListLog(ctx, params)
				})
				if err == nil {
					_, err = fmt.Fprint(p.out, text)
				}
				return err
			}
			page, err := ask[client.LogPage](p, cmd, func(ctx context.Context, c *client.Client) (
				*http.Response, error,
			) {
				return c.ListLog(ctx, params)
			})
			if err != nil {
				return err
			}
			var all [][]string
			for _, l := range page.Lines {
				who := l.ActorName
				if who == "" {
					who = "Examen"
				}
				all = append(all, []string{clock(l.At), who, l.Sentence, l.Reason})
			}
			err = p.print(page, []string{"at", "who", "what", "reason"}, all)
			if err == nil && page.Next != "" && p.format == "table" {
				fmt.Fprintf(p.err, "There is more: --before %s goes on.\n", page.Next)
			}
			return err
		},
	}
	flags := c.Flags()
	flags.StringVar(&params.Course, "course", "", "only of this course")
	flags.StringVar(&params.Paper, "paper", "", "only of this paper")
	flags.StringVar(&params.Person, "person", "", "only what concerns this person")
	flags.StringVar(&params.Actor, "by", "", "only what this person did")
	flags.StringVar(&params.About, "about", "", "accounts, courses, papers, times or marks")
	flags.StringVar(&since, "since", "", "from this time on: 2026-09-01 or '2026-09-01 08:00'")
	flags.StringVar(&until, "until", "", "up to this time; a date alone is its end")
	flags.StringVar(&params.Before, "before", "", "go on behind an earlier page")
	flags.IntVar(&params.Limit, "limit", 0, "how many lines (default 100)")
	return c
}
