package cli

import (
	"context"
	"fmt"
	"net/http"
	"strconv"

	"github.com/spf13/cobra"

	"examen/internal/client"
)

// webhook groups the commands for where marks are told to.
func (p *program) webhook() *cobra.Command {
	return group("webhook", "Programs that are told a course's marks as they change",
		p.addWebhook(), p.listWebhooks(), p.logWebhook(), p.removeWebhook())
}

func (p *program) addWebhook() *cobra.Command {
	return &cobra.Command{
		Use:   "add COURSE URL",
		Short: "Have each mark of a course told to an address from now on",
		Long: `Has each mark of a course told to an address as it changes: by POST, as JSON. It prints the
secret by which a receiver knows that what comes is from here; it is printed once. Headers and
signature are those of the Standard Webhooks specification. A receiver that does not answer
with 2xx is told again, later and later, for a week.`,
		Args: argsBetween(2, 2, "a course and an address"),
		RunE: func(cmd *cobra.Command, args []string) error {
			made, err := ask[client.Webhook](p, cmd, func(ctx context.Context, c *client.Client) (
				*http.Response, error,
			) {
				return c.AddWebhook(ctx, args[0], client.NewWebhook{Url: args[1]})
			})
			if err != nil {
				return err
			}
			fmt.Fprintf(p.err, "Webhook %d is told the marks of %s. Its secret, which is not shown again:\n", made.Id,
				args[0])
			_, err = fmt.Fprintln(p.out, made.Secret)
			return err
		},
	}
}

func (p *program) listWebhooks() *cobra.Command {
	return &cobra.Command{
		Use: "list COURSE", Short: "List where a course's marks are told to", Args: argsBetween(1, 1, "a course"),
		RunE: func(cmd *cobra.Command, args []string) error {
			hooks, err := ask[[]client.Webhook](p, cmd, func(ctx context.Context, c *client.Client) (
				*http.Response, error,
			) {
				return c.ListWebhooks(ctx, args[0])
			})
			if err != nil {
				return err
			}
			var all [][]string
			for _, w := range hooks {
				all = append(all, []string{
					fmt.Sprint(w.Id), w.Url, w.By, clock(w.At), fmt.Sprint(w.Waiting), fmt.Sprint(w.Failed),
				})
			}
			return p.print(hooks, []string{"webhook", "address", "by", "at", "waiting", "given up"}, all)
		},
	}
}

func (p *program) logWebhook() *cobra.Command {
	params := &client.ListDeliveriesParams{}
	c := &cobra.Command{
		Use: "log COURSE WEBHOOK", Short: "List what a webhook was told and what came back, the latest first",
		Annotations: map[string]string{pages: "yes"},
		Args:        argsBetween(2, 2, "a course and the number of a webhook"),
		RunE: func(cmd *cobra.Command, args []string) error {
			id, err := webhookNumber(args[1])
			if err != nil {
				return err
			}
			page, err := ask[client.Deliveries](p, cmd, func(ctx context.Context, c *client.Client) (
				*http.Response, error,
			) {
				return c.ListDeliveries(ctx, args[0], id, params)
			})
			if err != nil {
				return err
			}
			var all [][]string
			for _, d := range page.Deliveries {
				status := ""
				if d.Status != 0 {
					status = fmt.Sprint(d.Status)
				}
				all = append(all, []string{
					clock(d.At), d.Learner, d.Paper + "/" + d.Exercise, d.Mark.String(), string(d.State),
					fmt.Sprint(d.Tries),
					status, d.Error,
				})
			}
			err = p.print(
				page, []string{"at", "learner", "exercise", "mark", "state", "tries", "answer", "error"}, all,
			)
			if err == nil && page.Next != "" && p.format == "table" {
				fmt.Fprintf(p.err, "There are more: --before %s goes on.\n", page.Next)
			}
			return err
		},
	}
	c.Flags().StringVar(&params.Before, "before", "", "go on behind an earlier page")
	return c
}

func (p *program) removeWebhook() *cobra.Command {
	return &cobra.Command{
		Use: "remove COURSE WEBHOOK", Short: "Have an address told no more marks",
		Args: argsBetween(2, 2, "a course and the number of a webhook"),
		RunE: func(cmd *cobra.Command, args []string) error {
			id, err := webhookNumber(args[1])
			if err != nil {
				return err
			}
			return p.done(cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.RemoveWebhook(ctx, args[0], id)
			})
		},
	}
}

func webhookNumber(text string) (int64, error) {
	id, err := strconv.ParseInt(text, 10, 64)
	if err != nil {
		return 0, usageError{fmt.Errorf("%s: the number of a webhook is expected; examen webhook list has it", text)}
	}
	return id, nil
}

// calendar gives one's due times an address, or takes it away.
func (p *program) calendar() *cobra.Command {
	var off bool
	c := &cobra.Command{
		Use:   "calendar",
		Short: "Give your due times an address at which a calendar reads them",
		Long: `Prints an address at which a calendar program reads when your papers are due, as iCalendar.
It is printed once; whoever knows it can read the times, and nothing else. Asked for again,
there is a new address, and the one before leads nowhere.`,
		Args: argsBetween(0, 0, "flags only"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			if off {
				return p.done(cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
					return c.RemoveCalendar(ctx)
				})
			}
			made, err := ask[client.CalendarAddress](p, cmd, func(ctx context.Context, c *client.Client) (
				*http.Response, error,
			) {
				return c.MakeCalendar(ctx)
			})
			if err == nil {
				_, err = fmt.Fprintln(p.out, p.url+made.Path)
			}
			return err
		},
	}
	c.Flags().BoolVar(&off, "off", false, "have the address lead nowhere")
	return c
}
