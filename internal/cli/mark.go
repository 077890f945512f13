package cli

import (
	"context"
	"errors"
	"fmt"
	"net/http"

	"github.com/spf13/cobra"

	"examen/internal/client"
	"examen/internal/core/marking"
)

// mark groups the commands for marks set by hand.
func (p *program) mark() *cobra.Command {
	var course, reason string
	set := &cobra.Command{
		Use:   "set ADDRESS LOGIN POINTS --reason TEXT",
		Short: "Set a learner's mark by hand, or with - have the computed one count again",
		Args:  argsBetween(3, 3, "an exercise, a login and points"),
		RunE: func(cmd *cobra.Command, args []string) error {
			paper, exercise, err := address(args[0])
			if err != nil {
				return err
			}
			given := client.MarkByHand{Course: course, Reason: reason}
			if args[2] != "-" {
				mark, err := marking.ParsePoints(args[2])
				if err != nil {
					return usageError{err}
				}
				given.Mark = &mark
			}
			if reason == "" {
				return usageError{errors.New("a reason is expected: --reason TEXT")}
			}
			_, err = ask[struct{}](p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.SetMark(ctx, paper, exercise, args[1], given)
			})
			if err == nil && given.Mark == nil {
				fmt.Fprintf(p.err, "The computed mark of %s for %s counts again.\n", args[1], args[0])
			} else if err == nil {
				fmt.Fprintf(p.err, "%s has %s for %s.\n", args[1], points(*given.Mark), args[0])
			}
			return err
		},
	}
	set.Flags().StringVar(&course, "course", "", "the course, where the learner has the paper in several")
	set.Flags().StringVar(&reason, "reason", "", "why; the learner reads it")
	return group("mark", "Marks by hand", set)
}
