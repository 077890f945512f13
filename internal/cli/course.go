package cli

import (
	"context"
	"fmt"
	"net/http"
	"strings"

	"github.com/spf13/cobra"

	"examen/internal/client"
)

func (p *program) course() *cobra.Command {
	var title, zone string
	create := &cobra.Command{
		Use: "create NAME --title TITLE", Short: "Create a course", Args: argsBetween(1, 1, "a name"),
		RunE: func(cmd *cobra.Command, args []string) error {
			return show(p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.CreateCourse(ctx, client.NewCourse{Slug: args[0], Title: title, Zone: zone})
			}, []string{"course", "title", "zone"}, one(func(c client.Course) []string {
				return []string{c.Slug, c.Title, c.Zone}
			}))
		},
	}
	create.Flags().StringVar(&title, "title", "", "the title to show")
	create.Flags().StringVar(&zone, "zone", "", "the time zone of its times, such as Europe/Rome (default: UTC)")
	list := &cobra.Command{
		Use: "list", Short: "List courses", Args: argsBetween(0, 0, "no arguments"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			return show(p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.ListCourses(ctx)
			},
				[]string{"course", "title", "zone", "learners", "papers"}, each(func(c client.Course) []string {
					return []string{c.Slug, c.Title, c.Zone, fmt.Sprint(c.Learners), fmt.Sprint(c.Papers)}
				}))
		},
	}
	papers := &cobra.Command{
		Use: "show COURSE", Short: "List a course's papers", Args: argsBetween(1, 1, "a course"),
		RunE: func(cmd *cobra.Command, args []string) error {
			return show(p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.GetCourse(ctx, args[0])
			},
				coursePaperHeader, func(d client.CourseDetail) [][]string { return each(coursePaperLine)(d.Papers) })
		},
	}
	return group("course", "Courses", create, list, papers)
}

// courseGiven checks that a command which acts in one course was given it.
func courseGiven(cmd *cobra.Command, course string) error {
	if course == "" {
		_, command, _ := strings.Cut(cmd.CommandPath(), " ")
		return usageError{fmt.Errorf("%s wants a course: --course NAME (examen course list names them)", command)}
	}
	return nil
}

var coursePaperHeader = []string{"paper", "title", "state", "opens", "due"}

func coursePaperLine(c client.CoursePaper) []string {
	return []string{c.Paper, c.Title, string(c.State), clock(c.Opens), clock(c.Due)}
}
