package cli

import (
	"context"
	"errors"
	"fmt"
	"net/http"

	"github.com/spf13/cobra"

	"examen/internal/client"
)

func (p *program) entry() *cobra.Command {
	var name string
	var off bool
	keep := &cobra.Command{
		Use: "keep ENTRY", Short: "Mark a run or an attempt as kept", Args: argsBetween(1, 1, "an entry"),
		Long: "Marks a run or an attempt as kept, with a name if you like. The first column of examen history has\n" +
			"the entry. What is kept is found by its name, and stays when runs are cleared.",
		RunE: func(cmd *cobra.Command, args []string) error {
			body := client.Keeping{Kept: !off, Name: name}
			return p.done(cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.KeepEntry(ctx, args[0], body)
			})
		},
	}
	keep.Flags().StringVar(&name, "name", "", "a name of your own")
	keep.Flags().BoolVar(&off, "off", false, "keep it no longer")
	var all bool
	var params client.ClearRunsParams
	clear := &cobra.Command{
		Use: "clear [ENTRY]", Short: "Clear a run from your history, or all that are not kept",
		Args: argsBetween(0, 1, "at most an entry"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) == 1 {
				return p.done(cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
					return c.ClearRun(ctx, args[0])
				})
			}
			if !all && params.Paper == "" {
				return usageError{errors.New("clear wants an entry, --paper PAPER or --all; attempts stay in any case")}
			}
			cleared, err := ask[client.Cleared](p, cmd, func(ctx context.Context, c *client.Client) (
				*http.Response, error,
			) {
				return c.ClearRuns(ctx, &params)
			})
			if err == nil {
				fmt.Fprintf(p.err, "%s cleared. What was submitted or is kept stays.\n", plural(cleared.Runs, "run"))
			}
			return err
		},
	}
	clear.Flags().BoolVar(&all, "all", false, "all runs that are not kept")
	clear.Flags().StringVar(&params.Paper, "paper", "", "only those of this paper")
	clear.Flags().StringVar(&params.Exercise, "exercise", "", "only those of this exercise of --paper")
	return group("entry", "Single runs and attempts of your history", keep, clear)
}

// done makes a call that answers nothing.
func (p *program) done(cmd *cobra.Command, question call) error {
	_, err := ask[struct{}](p, cmd, question)
	return err
}
