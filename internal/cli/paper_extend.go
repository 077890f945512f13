package cli

import (
	"context"
	"fmt"
	"net/http"
	"time"

	"github.com/spf13/cobra"

	"examen/internal/client"
)

func (p *program) paperExtend() *cobra.Command {
	var course, group, due, reason string
	var more time.Duration
	var takeBack bool
	c := &cobra.Command{
		Use:   "extend PAPER [LOGIN] --course COURSE",
		Short: "Give a learner or a group more time for a paper",
		Args:  argsBetween(1, 2, "a paper and a login"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := courseGiven(cmd, course); err != nil {
				return err
			}
			learner := ""
			if len(args) > 1 {
				learner = args[1]
			}
			if (learner == "") == (group == "") {
				return usageError{fmt.Errorf("either a login or --group is expected: whose extension it is")}
			}
			if takeBack {
				return p.takeBack(cmd, course, args[0], learner, group)
			}
			place, detail, err := p.zoneOf(cmd, course)
			if err != nil {
				return err
			}
			extension := client.NewExtension{
				Learner: learner, Group: group, Minutes: int(more.Minutes()), Reason: reason,
			}
			if due != "" {
				if extension.Due, err = momentIn(due, place, true); err != nil {
					return err
				}
			}
			return show(p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.ExtendPaper(ctx, course, args[0], extension)
			}, extensionHeader, one(extensionLine(detail.Zone)))
		},
	}
	c.Flags().StringVar(&course, "course", "", "the course")
	c.Flags().StringVar(&group, "group", "", "a group, in place of a learner")
	c.Flags().StringVar(&due, "due", "", "until when, by the clocks of the course")
	c.Flags().DurationVar(&more, "more", 0, "in an examination: how much longer it lasts, such as 30m")
	c.Flags().StringVar(&reason, "reason", "", "why")
	c.Flags().BoolVar(&takeBack, "take-back", false, "take the extension back")
	return c
}

func (p *program) takeBack(cmd *cobra.Command, course, paper, learner, group string) error {
	_, err := ask[struct{}](p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
		return c.TakeBackExtension(ctx, course, paper, &client.TakeBackExtensionParams{Learner: learner, Group: group})
	})
	if err == nil {
		fmt.Fprintf(p.err, "The extension of %s%s for %s is taken back.\n", learner, group, paper)
	}
	return err
}

func (p *program) paperExtensions() *cobra.Command {
	var course string
	c := &cobra.Command{
		Use: "extensions PAPER --course COURSE", Short: "List who has more time for a paper",
		Args: argsBetween(1, 1, "a paper"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := courseGiven(cmd, course); err != nil {
				return err
			}
			_, detail, err := p.zoneOf(cmd, course)
			if err != nil {
				return err
			}
			return show(p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.ListExtensions(ctx, course, args[0])
			}, extensionHeader, each(extensionLine(detail.Zone)))
		},
	}
	c.Flags().StringVar(&course, "course", "", "the course")
	return c
}

var extensionHeader = []string{"for", "name", "until", "more", "reason", "by"}

func extensionLine(zone string) func(client.Extension) []string {
	return func(e client.Extension) []string {
		whom, more := e.Learner, ""
		if e.Group != "" {
			whom = "group " + e.Group
		}
		if e.Minutes > 0 {
			more = plural(int64(e.Minutes), "minute")
		}
		return []string{whom, e.DisplayName, clockIn(e.Due, zone), more, e.Reason, e.By}
	}
}
