package cli

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"time"

	"github.com/spf13/cobra"

	"examen/internal/client"
)

// member groups the commands for the people in a course.
func (p *program) member() *cobra.Command {
	return group("member", "Members of a course, and their accounts",
		p.addMember(), p.importMembers(), p.listMembers(), p.changeMember(), p.removeMember(), p.resetMember(),
		p.slips(),
		p.sessions(), p.exportMember(), p.anonymise(),
		p.activate("deactivate", "Have somebody log in no longer; all that they have done is kept", false),
		p.activate("activate", "Have somebody log in again", true))
}

func (p *program) addMember() *cobra.Command {
	var course, display, email, group, role string
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
					ctx, course, client.NewMember{
						Name: args[0], DisplayName: display, Email: email, Group: group, Role: client.Role(role),
					},
				)
			}, addedHeader, one(addedLine))
		},
	}
	add.Flags().StringVar(&course, "course", "", "the course")
	add.Flags().StringVar(&display, "display-name", "", "the name to show")
	add.Flags().StringVar(&email, "email", "", "the e-mail address")
	add.Flags().StringVar(&group, "group", "", "the group within the course")
	add.Flags().StringVar(&role, "role", "", "instructor, assistant or learner (default: learner, or as the member is)")
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
			}, memberHeader, func(d client.CourseDetail) [][]string {
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

var memberHeader = []string{"login", "name", "e-mail", "role", "group", "state"}

func memberLine(m client.Member) []string {
	state := memberState(m.Deactivated, m.OneTimePassword)
	switch {
	case !m.Left.IsZero():
		state = "left on " + m.Left.Local().Format(time.DateOnly)
	case m.OneTimePassword && !m.Deactivated && !m.OneTimeUntil.IsZero():
		state += " until " + m.OneTimeUntil.Local().Format(time.DateOnly)
	}
	return []string{m.Name, m.DisplayName, m.Email, string(m.Role), m.Group, state}
}

var addedHeader = []string{"login", "name", "role", "group", "one-time password"}

func addedLine(added client.AddedMember) []string {
	m := added.Member
	return []string{m.Name, m.DisplayName, string(m.Role), m.Group, added.Password}
}

func (p *program) changeMember() *cobra.Command {
	var course, display, email, group, role string
	c := &cobra.Command{
		Use: "change LOGIN --course COURSE", Short: "Change what a member is in a course, or how they are called",
		Args: argsBetween(1, 1, "a login"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := courseGiven(cmd, course); err != nil {
				return err
			}
			_, detail, err := p.zoneOf(cmd, course)
			if err != nil {
				return err
			}
			at := slices.IndexFunc(detail.Members, func(m client.Member) bool { return m.Name == args[0] })
			if at < 0 {
				return fmt.Errorf("nobody in %s is called %q", course, args[0])
			}
			m := detail.Members[at]
			place := client.MemberPlace{Role: m.Role, Group: m.Group, DisplayName: m.DisplayName, Email: m.Email}
			for flag, to := range map[string]*string{
				"display-name": &place.DisplayName, "email": &place.Email, "group": &place.Group,
			} {
				if cmd.Flags().Changed(flag) {
					*to = cmd.Flag(flag).Value.String()
				}
			}
			if role != "" {
				place.Role = client.Role(role)
			}
			return show(p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.ChangeMember(ctx, course, args[0], place)
			}, memberHeader, one(memberLine))
		},
	}
	c.Flags().StringVar(&course, "course", "", "the course")
	c.Flags().StringVar(&display, "display-name", "", "the name to show")
	c.Flags().StringVar(&email, "email", "", "the e-mail address; '' for none")
	c.Flags().StringVar(&group, "group", "", "the group within the course; '' for none")
	c.Flags().StringVar(&role, "role", "", "instructor, assistant or learner")
	return c
}

func (p *program) removeMember() *cobra.Command {
	var course string
	c := &cobra.Command{
		Use: "remove LOGIN --course COURSE", Short: "Have a member leave a course; all that they have done is kept",
		Args: argsBetween(1, 1, "a login"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := courseGiven(cmd, course); err != nil {
				return err
			}
			_, err := ask[struct{}](p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.RemoveMember(ctx, course, args[0])
			})
			if err == nil {
				fmt.Fprintf(p.err, "%s has left %s. All that they have done is kept.\n", args[0], course)
			}
			return err
		},
	}
	c.Flags().StringVar(&course, "course", "", "the course")
	return c
}

func (p *program) sessions() *cobra.Command {
	var end string
	c := &cobra.Command{
		Use: "sessions [LOGIN]", Short: "List where somebody is logged in, or end a session",
		Args: argsBetween(0, 1, "a login"),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, _, err := p.connect()
			if err != nil {
				return err
			}
			name := ""
			if len(args) > 0 {
				name = args[0]
			} else {
				session, err := client.Read[client.Session](c.GetSession(cmd.Context()))
				if err != nil {
					return err
				}
				name = session.Account.Name
			}
			if end != "" {
				_, err := client.Read[struct{}](c.EndSession(cmd.Context(), name, end))
				if err == nil {
					fmt.Fprintln(p.err, "The session has ended.")
				}
				return err
			}
			return show(p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.ListSessions(ctx, name)
			}, []string{"session", "since", "until", "from", "with"}, each(func(s client.OpenSession) []string {
				with := s.Client
				if s.Own {
					with += " (this one)"
				}
				return []string{s.Id, clock(s.Made), clock(s.Expires), s.Address, with}
			}))
		},
	}
	c.Flags().StringVar(&end, "end", "", "end this session")
	return c
}

func (p *program) exportMember() *cobra.Command {
	var as, to string
	c := &cobra.Command{
		Use: "export LOGIN", Short: "Write all that is stored of somebody to a file: as JSON, or as a page to read",
		Args: argsBetween(1, 1, "a login"),
		RunE: func(cmd *cobra.Command, args []string) error {
			params := &client.GetPersonFileParams{Format: client.PersonJSON}
			if as == "html" {
				params.Format = client.PersonHTML
			} else if as != "" && as != "json" {
				return usageError{fmt.Errorf("--as %s: json or html is expected", as)}
			}
			return p.toFile(cmd, to, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.GetPersonFile(ctx, args[0], params)
			})
		},
	}
	c.Flags().StringVar(&as, "as", "", "json or html (default: json)")
	c.Flags().StringVar(&to, "to", "", "the file (default: standard output)")
	return c
}

func (p *program) anonymise() *cobra.Command {
	var yes bool
	c := &cobra.Command{
		Use:   "anonymise LOGIN",
		Short: "Make a deactivated account anonymous for good; its attempts and marks stay, without a name",
		Args:  argsBetween(1, 1, "a login"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if !yes {
				err := p.sure("Nothing will say any more who "+args[0]+" was. This cannot be taken back. Go on?",
					"nothing is changed")
				if err != nil {
					return err
				}
			}
			return show(p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.Anonymise(ctx, args[0])
			}, []string{"login", "name"}, one(func(a client.Account) []string {
				return []string{a.Name,
					a.DisplayName}
			}))
		},
	}
	c.Flags().BoolVar(&yes, "yes", false, "do not ask")
	return c
}
