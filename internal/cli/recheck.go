package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"examen/internal/client"
)

func (p *program) recheck() *cobra.Command {
	var course, reason string
	var check, yes bool
	c := &cobra.Command{
		Use:   "recheck PAPER[/EXERCISE]",
		Short: "Check attempts again on what holds now; whose marks would change is shown first",
		Args:  argsBetween(1, 1, "a paper or an exercise"),
		Long: `Checks all attempts at a paper, or at one exercise, again: by its accepted answers and rules
as they are published now, on the build in use. Whose marks would change and why is listed,
and nothing changes before it is confirmed. Learners go on submitting meanwhile. A recheck
that is interrupted goes on where it was when it is begun again.`,
		RunE: func(cmd *cobra.Command, args []string) error {
			c, _, err := p.connect()
			if err != nil {
				return err
			}
			paper, exercise, _ := strings.Cut(args[0], "/")
			job, err := client.Read[client.Job](c.Recheck(cmd.Context(), paper, client.NewRecheck{
				Exercise: exercise, Course: course, Reason: reason,
			}))
			if err != nil {
				return err
			}
			return p.rechecked(cmd, c, job, check, yes)
		},
	}
	c.Flags().StringVar(&course, "course", "", "only the attempts of this course (default: all that you instruct)")
	c.Flags().StringVar(&reason, "reason", "", "why; the log keeps it")
	c.Flags().BoolVar(&check, "check", false, "only show whose marks would change")
	c.Flags().BoolVar(&yes, "yes", false, "do not ask")
	return c
}

// rechecked follows a job that checks attempts again, shows whose marks would change, and has them change.
func (p *program) rechecked(cmd *cobra.Command, c *client.Client, job client.Job, check, yes bool) error {
	job, err := p.followed(cmd.Context(), c, job, true)
	if err != nil || job.Id == "" {
		return err
	}
	if job.State != client.JobAsking {
		return &client.ProblemError{Problem: job.Problem}
	}
	report := job.Report.Recheck
	summary := fmt.Sprintf("%s checked again; %s would change.",
		plural(int64(report.Attempts), "attempt"), plural(int64(len(report.Changes)), "mark"))
	refuse := func(said string) error {
		_, err := client.Read[client.Job](c.StopJob(cmd.Context(), job.Id))
		if err == nil {
			fmt.Fprintln(p.err, said)
		}
		return err
	}
	if check {
		if err := p.print(report, changeHeader, changeLines(report)); err != nil {
			return err
		}
		return refuse(summary + " Nothing was changed.")
	}
	p.table(p.err, changeHeader, changeLines(report))
	fmt.Fprintln(p.err, summary)
	if !yes {
		if err := p.sure("Have them changed?", "nothing was changed"); err != nil {
			_, _ = client.Read[client.Job](c.StopJob(cmd.Context(), job.Id)) // it asks no longer
			return err
		}
	}
	if job, err = client.Read[client.Job](c.ConfirmJob(cmd.Context(), job.Id)); err != nil {
		return err
	}
	if job, err = p.followed(cmd.Context(), c, job, true); err != nil || job.Id == "" {
		return err
	}
	switch job.State {
	case client.JobAsking:
		return refuse("What would change has changed meanwhile. Nothing was changed: look again.")
	case client.JobDone:
		return p.print(job.Report.Recheck, changeHeader, changeLines(job.Report.Recheck))
	}
	return &client.ProblemError{Problem: job.Problem}
}

var changeHeader = []string{"learner", "course", "exercise", "was", "is", "mark was", "mark is", "why"}

func changeLines(r client.RecheckReport) (all [][]string) {
	for _, c := range r.Changes {
		all = append(all, []string{
			c.DisplayName, c.Course, fmt.Sprintf("%d. %s", c.Number, c.Exercise), string(c.Was), string(c.Is),
			c.MarkWas.String(), c.MarkIs.String(), c.Why,
		})
	}
	return all
}
