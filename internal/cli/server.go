package cli

import (
	"context"
	"fmt"
	"net/http"

	"github.com/spf13/cobra"

	"examen/internal/client"
)

func (p *program) server() *cobra.Command {
	return group(
		"server", "The services and practice servers, for administrators", p.serverList(),
		p.serverUse("drain SERVER", true, "Take a practice server out of use for maintenance",
			`Takes a practice server out of use: it gets no runs where another server can have them, no builds and no
copies, and the datasets on it are placed on other servers. Learners' copies that are there stay, and cannot
be used while the server is away. It is drained when "server list" shows no runs on it, and may be stopped.`),
		p.serverUse("resume SERVER", false, "Use a practice server again that was drained",
			"Uses a practice server again. The datasets that it lacks are placed on it where they are on too few."),
	)
}

func (p *program) serverList() *cobra.Command {
	return &cobra.Command{
		Use: "list", Short: "List the services and practice servers", Args: argsBetween(0, 0, "no arguments"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			found, err := ask[client.Servers](
				p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
					return c.ListServers(ctx)
				})
			if err != nil {
				return err
			}
			var lines [][]string
			for _, s := range found.Services {
				state := "up"
				if s.Own {
					state = "up, and answers now"
				}
				lines = append(lines, []string{
					"service", s.Address, state, "", "", "", "", fmt.Sprint(s.Seats), clock(s.Started),
				})
			}
			for _, s := range found.Practice {
				free := ""
				if s.FreeBytes > 0 {
					free = bytesOf(s.FreeBytes)
				}
				what := "practice"
				if s.Standby {
					what = "standby"
				}
				lines = append(lines, []string{
					what, s.Name, serverState(s), fmt.Sprint(s.Running), fmt.Sprint(s.Builds),
					fmt.Sprint(s.Copies), free, "", "",
				})
			}
			return p.print(found, []string{
				"what", "address", "state", "running", "builds", "copies", "free", "seats", "since",
			}, lines)
		},
	}
}

// serverState says how a practice server stands.
func serverState(s client.PracticeServer) string {
	switch {
	case !s.Reachable:
		return "away"
	case s.Draining && s.Running > 0:
		return "draining"
	case s.Draining:
		return "drained"
	}
	return "up"
}

func (p *program) serverUse(use string, drain bool, short, long string) *cobra.Command {
	return &cobra.Command{
		Use: use, Short: short, Long: long, Args: argsBetween(1, 1, "a practice server, as \"server list\" names it"),
		RunE: func(cmd *cobra.Command, args []string) error {
			s, err := ask[client.PracticeServer](
				p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
					return c.DrainServer(ctx, args[0], client.ServerUse{Draining: drain})
				})
			if err != nil {
				return err
			}
			if s.Draining {
				fmt.Fprintf(p.err, "%s is being drained. On it are %s, and %d copies of learners and checks; it "+
					"gets no new ones.\n", s.Name, plural(int64(s.Running), "run"), s.Copies)
			} else {
				fmt.Fprintf(p.err, "%s is in use.\n", s.Name)
			}
			return nil
		},
	}
}
