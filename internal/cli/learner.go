package cli

import (
	"context"
	"net/http"

	"github.com/spf13/cobra"

	"examen/internal/client"
)

func (p *program) learner() *cobra.Command {
	var course, display string
	add := &cobra.Command{
		Use: "add NAME --course COURSE", Short: "Add a learner to a course and print the one-time password", Args: argsBetween(1, 1, "a name"),
		RunE: func(cmd *cobra.Command, args []string) error {
			return show(p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.AddLearner(ctx, course, client.NewLearner{Name: args[0], DisplayName: display})
			}, learnerHeader, one(learnerLine))
		},
	}
	add.Flags().StringVar(&course, "course", "", "the course")
	add.Flags().StringVar(&display, "display-name", "", "display name")
	list := &cobra.Command{
		Use: "list --course COURSE", Short: "List a course's learners", Args: argsBetween(0, 0, "flags only"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			return show(p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) { return c.GetCourse(ctx, course) },
				[]string{"learner", "display name"}, func(d client.CourseDetail) [][]string {
					return each(func(a client.Account) []string { return []string{a.Name, a.DisplayName} })(d.Learners)
				})
		},
	}
	list.Flags().StringVar(&course, "course", "", "the course")
	reset := &cobra.Command{
		Use: "reset NAME", Short: "Give a learner a new one-time password", Args: argsBetween(1, 1, "a name"),
		RunE: func(cmd *cobra.Command, args []string) error {
			return show(p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.ResetLearner(ctx, args[0])
			},
				learnerHeader, one(learnerLine))
		},
	}
	return group("learner", "Learners of a course", add, list, reset)
}

var learnerHeader = []string{"learner", "display name", "one-time password"}

func learnerLine(added client.AddedLearner) []string {
	return []string{added.Account.Name, added.Account.DisplayName, added.Password}
}
