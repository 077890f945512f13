package cli

import (
	"context"
	"fmt"
	"net/http"
	"strings"
	"time"

	openapi "github.com/oapi-codegen/runtime/types"
	"github.com/spf13/cobra"

	"examen/internal/client"
)

func (p *program) course() *cobra.Command {
	return group("course", "Courses", p.courseCreate(), p.courseList(), p.courseShow(), p.courseOverview(),
		p.courseReport(),
		p.courseChange(), p.courseCopy(), p.courseArchive(), p.courseDelete())
}

var courseHeader = []string{"course", "title", "zone", "learners", "papers", "archived"}

func courseLine(c client.Course) []string {
	return []string{c.Slug, c.Title, c.Zone, fmt.Sprint(c.Learners), fmt.Sprint(c.Papers), clock(c.Archived)}
}

func (p *program) courseCreate() *cobra.Command {
	var title, zone string
	c := &cobra.Command{
		Use: "create NAME --title TITLE", Short: "Create a course", Args: argsBetween(1, 1, "a name"),
		RunE: func(cmd *cobra.Command, args []string) error {
			return show(p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.CreateCourse(ctx, client.NewCourse{Slug: args[0], Title: title, Zone: zone})
			}, []string{"course", "title", "zone"}, one(func(c client.Course) []string {
				return []string{c.Slug, c.Title, c.Zone}
			}))
		},
	}
	c.Flags().StringVar(&title, "title", "", "the title to show")
	c.Flags().StringVar(&zone, "zone", "", "the time zone of its times, such as Europe/Rome (default: UTC)")
	return c
}

func (p *program) courseList() *cobra.Command {
	return &cobra.Command{
		Use: "list", Short: "List courses", Args: argsBetween(0, 0, "no arguments"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			return show(p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.ListCourses(ctx)
			}, courseHeader, each(courseLine))
		},
	}
}

func (p *program) courseShow() *cobra.Command {
	return &cobra.Command{
		Use: "show COURSE", Short: "List a course's papers, with how they are set", Args: argsBetween(1, 1, "a course"),
		RunE: func(cmd *cobra.Command, args []string) error {
			return show(p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.GetCourse(ctx, args[0])
			}, coursePaperHeader, func(d client.CourseDetail) [][]string {
				return each(coursePaperLine(d.Zone))(d.Papers)
			})
		},
	}
}

func (p *program) courseChange() *cobra.Command {
	var title, zone string
	c := &cobra.Command{
		Use: "change COURSE", Short: "Give a course another title or time zone", Args: argsBetween(1, 1, "a course"),
		RunE: func(cmd *cobra.Command, args []string) error {
			return show(p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.ChangeCourse(ctx, args[0], client.CourseChange{Title: title, Zone: zone})
			}, []string{"course", "title", "zone"}, one(func(c client.Course) []string {
				return []string{c.Slug, c.Title, c.Zone}
			}))
		},
	}
	c.Flags().StringVar(&title, "title", "", "the title to show")
	c.Flags().StringVar(&zone, "zone", "", "the time zone of its times, such as Europe/Rome")
	return c
}

func (p *program) courseCopy() *cobra.Command {
	var title, zone, firstDay string
	c := &cobra.Command{
		Use:   "copy COURSE NAME",
		Short: "Make a course with all of another but its people, such as for the next term",
		Args:  argsBetween(2, 2, "a course and the name of the new one"),
		RunE: func(cmd *cobra.Command, args []string) error {
			copied := client.CourseCopy{Slug: args[1], Title: title, Zone: zone}
			if firstDay != "" {
				day, err := time.Parse(time.DateOnly, firstDay)
				if err != nil {
					return usageError{fmt.Errorf("--first-day %s: a date such as 2027-02-15 is expected", firstDay)}
				}
				copied.FirstDay = openapi.Date{Time: day}
			}
			return show(p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.CopyCourse(ctx, args[0], copied)
			}, courseHeader, one(courseLine))
		},
	}
	c.Flags().StringVar(&title, "title", "", "the title to show (default: as the other)")
	c.Flags().StringVar(&zone, "zone", "", "the time zone (default: as the other)")
	c.Flags().StringVar(&firstDay, "first-day", "",
		"the day on which its first paper opens; all times move by as many days (default: they stay)")
	return c
}

func (p *program) courseArchive() *cobra.Command {
	var undo bool
	c := &cobra.Command{
		Use:   "archive COURSE",
		Short: "Archive a course: it can be read, and nothing more is done in it",
		Args:  argsBetween(1, 1, "a course"),
		RunE: func(cmd *cobra.Command, args []string) error {
			return show(p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.ArchiveCourse(ctx, args[0], client.Archived{Archived: !undo})
			}, []string{"course", "title", "archived"}, one(func(c client.Course) []string {
				return []string{c.Slug, c.Title, clock(c.Archived)}
			}))
		},
	}
	c.Flags().BoolVar(&undo, "undo", false, "take it out of the archive")
	return c
}

func (p *program) courseDelete() *cobra.Command {
	var yes bool
	c := &cobra.Command{
		Use: "delete COURSE", Short: "Delete a course in which nobody has worked", Args: argsBetween(1, 1, "a course"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if !yes {
				if err := p.sure("Delete "+args[0]+" with its list of members?", "it stays"); err != nil {
					return err
				}
			}
			_, err := ask[struct{}](p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.DeleteCourse(ctx, args[0])
			})
			if err == nil {
				fmt.Fprintf(p.err, "%s is deleted.\n", args[0])
			}
			return err
		},
	}
	c.Flags().BoolVar(&yes, "yes", false, "do not ask")
	return c
}

// courseGiven checks that a command which acts in one course was given it.
func courseGiven(cmd *cobra.Command, course string) error {
	if course == "" {
		_, command, _ := strings.Cut(cmd.CommandPath(), " ")
		return usageError{fmt.Errorf("%s wants a course: --course NAME (examen course list names them)", command)}
	}
	return nil
}
