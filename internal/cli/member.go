package cli

import (
	"context"
	"net/http"

	"github.com/spf13/cobra"

	"examen/internal/client"
)

// member groups the commands for the people in a course.
func (p *program) member() *cobra.Command {
	return group("member", "Members of a course, and their accounts",
		p.addMember(), p.listMembers(), p.resetMember(),
		p.activate("deactivate", "Have somebody log in no longer; all that they have done is kept", false),
		p.activate("activate", "Have somebody log in again", true))
}

func (p *program) addMember() *cobra.Command {
	var course, display, role string
	add := &cobra.Command{
		Use:   "add LOGIN --course COURSE",
		Short: "Add somebody to a course and print the one-time password, or change a member's role",
		Args:  argsBetween(1, 1, "a login"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := courseGiven(cmd, course); err != nil {
				return err
			}
			return show(p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.AddMember(
					ctx, course, client.NewMember{Name: args[0], DisplayName: display, Role: client.Role(role)},
				)
			}, addedHeader, one(addedLine))
		},
	}
	add.Flags().StringVar(&course, "course", "", "the course")
	add.Flags().StringVar(&display, "display-name", "", "the name to show")
	add.Flags().StringVar(&role, "role", "learner", "instructor, assistant or learner")
	return add
}

func (p *program) listMembers() *cobra.Command {
	var course string
	list := &cobra.Command{
		Use: "list --course COURSE", Short: "List a course's members", Args: argsBetween(0, 0, "flags only"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			if err := courseGiven(cmd, course); err != nil {
				return err
			}
			return show(p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.GetCourse(ctx, course)
			}, []string{"login", "name", "role", "state"}, func(d client.CourseDetail) [][]string {
				return each(memberLine)(d.Members)
			})
		},
	}
	list.Flags().StringVar(&course, "course", "", "the course")
	return list
}

func (p *program) resetMember() *cobra.Command {
	return &cobra.Command{
		Use:   "reset LOGIN",
		Short: "Give somebody a new one-time password",
		Args:  argsBetween(1, 1, "a login"),
		RunE: func(cmd *cobra.Command, args []string) error {
			return show(p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.ResetPassword(ctx, args[0])
			}, accountHeader, one(accountLine))
		},
	}
}

func (p *program) activate(verb, short string, active bool) *cobra.Command {
	return &cobra.Command{
		Use: verb + " LOGIN", Short: short, Args: argsBetween(1, 1, "a login"),
		RunE: func(cmd *cobra.Command, args []string) error {
			return show(p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.SetActive(ctx, args[0], client.Active{Active: active})
			}, []string{"login", "name", "state"}, one(func(a client.Account) []string {
				return []string{a.Name, a.DisplayName, memberState(a.Deactivated, a.OneTimePassword)}
			}))
		},
	}
}

// memberState describes whether somebody can log in.
func memberState(deactivated, oneTime bool) string {
	switch {
	case deactivated:
		return "deactivated"
	case oneTime:
		return "one-time password"
	}
	return "active"
}

func memberLine(m client.Member) []string {
	return []string{m.Name, m.DisplayName, string(m.Role), memberState(m.Deactivated, m.OneTimePassword)}
}

var addedHeader = []string{"login", "name", "role", "one-time password"}

func addedLine(added client.AddedMember) []string {
	m := added.Member
	return []string{m.Name, m.DisplayName, string(m.Role), added.Password}
}
