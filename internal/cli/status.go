package cli

import (
	"context"
	"fmt"
	"net/http"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"examen/internal/client"
)

func (p *program) status() *cobra.Command {
	return &cobra.Command{
		Use:   "status",
		Short: "Show how the service stands: servers, seats, work, disk, slow exercises, failed log-ins",
		Long: `Shows how the service stands, for administrators: its services and practice servers, the seats of
the service that answers, work in the background, what each dataset and its copies take on disk, the
exercises whose answers took longest in the last seven days, and where passwords were wrong in the last day.`,
		Args: argsBetween(0, 0, "no arguments"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			s, err := ask[client.Status](p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.GetStatus(ctx)
			})
			if err != nil {
				return err
			}
			parts := statusParts(s)
			if p.format != "table" {
				return p.print(s, []string{"about", "what", "value"}, flat(parts))
			}
			fmt.Fprintf(p.out, "Examen %s at %s: %s\n", printable(s.Version), clock(s.At), readiness(s.Health))
			for _, part := range parts {
				fmt.Fprintf(p.out, "\n%s\n", part.title)
				if len(part.lines) == 0 {
					fmt.Fprintln(p.out, part.none)
				} else if err := p.print(nil, part.header, part.lines); err != nil {
					return err
				}
			}
			return nil
		},
	}
}

// readiness is a service's health in a sentence.
func readiness(h client.Health) string {
	if h.Ready {
		return "it is ready for calls"
	}
	return strings.Join(h.Reasons, " ")
}

// A statusPart is one of the tables of a status.
type statusPart struct {
	title  string
	none   string // what is said where there are no lines
	header []string
	lines  [][]string
}

func statusParts(s client.Status) []statusPart {
	servers := statusPart{title: "Servers", header: []string{"what", "address", "state", "builds", "copies", "free"}}
	for _, one := range s.Services {
		state := "up since " + clock(one.Started)
		if one.Own {
			state += ", answers now"
		}
		servers.lines = append(servers.lines, []string{"service", one.Address, state, "", "", ""})
	}
	servers.lines = append(servers.lines, []string{
		"records", "", string(s.Health.Records), "", "", freeOf(s.Records.FreeBytes),
	})
	for _, one := range s.Practice {
		what := "practice"
		if one.Standby {
			what = "standby"
		}
		servers.lines = append(servers.lines, []string{
			what, one.Name, serverState(one), fmt.Sprint(one.Builds), fmt.Sprint(one.Copies), freeOf(one.FreeBytes),
		})
	}
	seats := statusPart{
		title: "Seats of the service that answers", none: "There are none: no practice server has been reached.",
		header: []string{"server", "for", "seats", "in use", "waited for"},
	}
	for _, one := range s.Seats {
		seats.lines = append(seats.lines, []string{
			one.Server, one.Kind, fmt.Sprint(one.All), fmt.Sprint(one.InUse), fmt.Sprint(one.WaitedFor),
		})
	}
	work := statusPart{
		title: "Work in the background", none: "There is none, and has been none.",
		header: []string{"what", "kind", "state", "number"},
	}
	for _, one := range s.Background {
		what := "job"
		if one.Task {
			what = "task"
		}
		work.lines = append(work.lines, []string{what, one.Name, one.State, fmt.Sprint(one.Count)})
	}
	return append([]statusPart{servers, seats, work, disk(s)}, slowAndWrong(s)...)
}

func disk(s client.Status) statusPart {
	part := statusPart{
		title: "Disk", header: []string{"of", "in use", "earlier builds", "templates", "copies", "in all"},
	}
	space := func(s client.Space) string {
		if s.Databases == 0 {
			return ""
		}
		return fmt.Sprintf("%s in %d", bytesOf(s.Bytes), s.Databases)
	}
	for _, d := range s.Datasets {
		part.lines = append(part.lines, []string{
			d.Dataset, space(d.InUse), space(d.Earlier), space(d.Templates), space(d.Copies), bytesOf(d.Bytes),
		})
	}
	return statusPart{part.title, "", part.header, append(part.lines,
		[]string{"(copies held ready, or of checks)", "", "", "", space(s.Passing), bytesOf(s.Passing.Bytes)},
		[]string{"(records)", "", "", "", "", bytesOf(s.Records.Bytes)},
	)}
}

func slowAndWrong(s client.Status) []statusPart {
	slow := statusPart{
		title: "Slowest exercises of the last seven days", none: "Nothing was submitted.",
		header: []string{"exercise", "title", "checks", "median", "95 in 100", "longest", "stopped"},
	}
	for _, e := range s.SlowExercises {
		slow.lines = append(slow.lines, []string{
			fmt.Sprintf("%s/%d", e.Paper, e.Number), e.Title, fmt.Sprint(e.Checks), tookOf(e.MedianMs), tookOf(e.P95Ms),
			tookOf(e.LongestMs), fmt.Sprint(e.Stopped),
		})
	}
	wrong := statusPart{
		title: "Failed log-ins of the last day", none: "There were none.",
		header: []string{"from", "as", "times", "last"},
	}
	for _, f := range s.FailedLogIns {
		from, as := f.Address, f.Name
		if from == "" {
			from = "(a device of theirs)"
		}
		switch {
		case f.UnknownName:
			as = "(no such account)"
		case as == "":
			as = "(all together)"
		}
		wrong.lines = append(wrong.lines, []string{from, as, fmt.Sprint(f.Failures), clock(f.Last)})
	}
	return []statusPart{slow, wrong}
}

// freeOf is how much room a disk has, where that is known.
func freeOf(bytes int64) string {
	if bytes == 0 {
		return ""
	}
	return bytesOf(bytes)
}

// tookOf is a time in milliseconds, as people say it.
func tookOf(ms float64) string {
	switch {
	case ms < 10:
		return fmt.Sprintf("%.1f ms", ms)
	case ms < 1000:
		return fmt.Sprintf("%.0f ms", ms)
	}
	return (time.Duration(ms) * time.Millisecond).Round(100 * time.Millisecond).String()
}

// flat has all parts in three columns.
func flat(parts []statusPart) (lines [][]string) {
	for _, part := range parts {
		for _, line := range part.lines {
			var named []string
			for i, cell := range line {
				if i > 0 && cell != "" {
					named = append(named, part.header[i]+": "+cell)
				}
			}
			lines = append(lines, []string{part.title, line[0], strings.Join(named, ", ")})
		}
	}
	return lines
}
