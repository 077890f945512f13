package cli

import (
	"context"
	"fmt"
	"net/http"
	"strings"

	"github.com/spf13/cobra"

	"examen/internal/client"
)

// courseOverview prints how a course gets on as a whole.
func (p *program) courseOverview() *cobra.Command {
	return &cobra.Command{
		Use:   "overview COURSE",
		Short: "Show how a course gets on: its papers, what it has not understood, who may need help, the last days",
		Args:  argsBetween(1, 1, "a course"),
		RunE: func(cmd *cobra.Command, args []string) error {
			o, err := ask[client.Overview](p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.GetOverview(ctx, args[0])
			})
			if err != nil {
				return err
			}
			papers := paperLines(o)
			header := []string{"paper", "state", "begun", "all solved", "solved of tried", "stuck", "mean mark"}
			if p.format != "table" {
				return p.print(o, header, papers)
			}
			fmt.Fprintf(p.out, "%s: %s; %s to be looked at (examen mark list --course %s)\n\n",
				printable(o.Title), plural(int64(o.Learners), "learner"), plural(int64(o.Reviews), "attempt"), o.Course)
			var topics, help, days [][]string
			for _, t := range o.Topics {
				topics = append(topics, []string{
					t.Topic, share(t.First, t.Tried), share(t.Solved, t.Tried), strings.Join(t.Exercises, ", "),
				})
			}
			for _, n := range o.Help {
				help = append(help, []string{n.DisplayName, n.Learner, n.Group, needInWords(n)})
			}
			for _, d := range o.Days {
				days = append(days, []string{
					d.Day.String(), fmt.Sprint(d.Learners), fmt.Sprint(d.Runs), fmt.Sprint(d.Attempts),
				})
			}
			for _, part := range []struct {
				header []string
				lines  [][]string
			}{
				{header, papers}, {[]string{"about", "first try", "solved", "exercises"}, topics},
				{[]string{"who may need help", "login", "group", "because"}, help},
				{[]string{"day", "learners", "runs", "attempts"}, days},
			} {
				if err := p.print(nil, part.header, part.lines); err != nil {
					return err
				}
				fmt.Fprintln(p.out)
			}
			return nil
		},
	}
}

// courseReport writes a page to print.
func (p *program) courseReport() *cobra.Command {
	var to string
	c := &cobra.Command{
		Use:   "report COURSE [LOGIN]",
		Short: "Write how a course got on, or one of its learners, as a page to print",
		Args:  argsBetween(1, 2, "a course and, if you like, a login"),
		RunE: func(cmd *cobra.Command, args []string) error {
			params := &client.GetReportParams{}
			if len(args) > 1 {
				params.Learner = args[1]
			}
			return p.toFile(cmd, to, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.GetReport(ctx, args[0], params)
			})
		},
	}
	c.Flags().StringVar(&to, "to", "", "the file, an HTML page (default: standard output)")
	return c
}

func paperLines(o client.Overview) (all [][]string) {
	for _, paper := range o.Papers {
		all = append(all, []string{
			paper.Paper, string(paper.State), fmt.Sprintf("%d of %d", paper.Begun, o.Learners), fmt.Sprint(paper.Done),
			share(paper.Solved, paper.Tried), fmt.Sprint(paper.Stuck),
			fmt.Sprintf("%s of %s", paper.Mean, paper.Points),
		})
	}
	return all
}

// share is a part of a whole in words; "" of nothing.
func share(part, of int) string {
	if of == 0 {
		return ""
	}
	return fmt.Sprintf("%d %% of %d", (100*part+of/2)/of, of)
}

// needInWords says why somebody may need help.
func needInWords(n client.Need) string {
	var all []string
	for _, r := range n.Reasons {
		switch r.Kind {
		case client.NeedStuck:
			all = append(all, fmt.Sprintf("stuck at %s/%s", r.Paper, r.Exercise))
		case client.NeedNotBegun:
			all = append(all, fmt.Sprintf("has not begun %s, due %s", r.Paper, clock(r.Due)))
		case client.NeedFewSolved:
			all = append(all, fmt.Sprintf("has solved %d of %d exercises tried", r.Solved, r.Tried))
		}
	}
	return strings.Join(all, "; ")
}

// same prints answers that are the same.
func (p *program) same(cmd *cobra.Command, paper, course string) error {
	same, err := ask[client.SameAnswers](p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
		return c.ListSameAnswers(ctx, paper, &client.ListSameAnswersParams{Course: course})
	})
	if err != nil {
		return err
	}
	var texts, pairs [][]string
	for _, t := range same.Texts {
		var who []string
		for _, w := range t.Writers {
			who = append(who, w.Learner)
		}
		texts = append(texts, []string{
			fmt.Sprint(t.Number), fmt.Sprintf("%d of %d", len(t.Writers), t.Tried), strings.Join(who, ", "),
			string(t.Outcome), strings.Join(strings.Fields(t.Sql), " "),
		})
	}
	for _, pair := range same.Pairs {
		var who, where []string
		for _, l := range pair.Learners {
			who = append(who, l.Login)
		}
		for _, n := range pair.Exercises {
			where = append(where, fmt.Sprint(n))
		}
		pairs = append(pairs, []string{strings.Join(who, ", "), strings.Join(where, ", ")})
	}
	if err := p.print(same, []string{"exercise", "wrote so", "learners", "outcome", "query"}, texts); err != nil {
		return err
	}
	if p.format != "table" {
		return nil
	}
	if len(pairs) > 0 {
		fmt.Fprintln(p.out)
		if err := p.print(nil, []string{"two learners", "the same at exercises"}, pairs); err != nil {
			return err
		}
	}
	fmt.Fprintln(p.err, "Short exercises make equal answers likely: this is to be looked at, and accuses nobody.")
	return nil
}
