package cli

import (
	"context"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"

	"github.com/schollz/progressbar/v3"
	"github.com/spf13/cobra"

	"examen/internal/client"
)

// A bar shows progress on a terminal, and on anything else only the steps.
type bar struct {
	p    *program
	bar  *progressbar.ProgressBar
	step string
	n    int64
}

func (p *program) bar(total int64, step string) *bar {
	b := &bar{p: p}
	b.begin(total, step)
	return b
}

func (b *bar) begin(total int64, step string) {
	if b.step == step {
		return
	}
	b.end()
	b.step, b.n = step, 0
	if !isTerminal(b.p.err) {
		fmt.Fprintln(b.p.err, step+" ...")
		return
	}
	if total <= 0 {
		total = -1
	}
	b.bar = progressbar.NewOptions64(
		total,
		progressbar.OptionSetWriter(b.p.err),
		progressbar.OptionSetDescription(step),
		progressbar.OptionShowBytes(total > 0),
		progressbar.OptionThrottle(100*time.Millisecond),
		progressbar.OptionClearOnFinish(),
		progressbar.OptionFullWidth(),
		progressbar.OptionSetPredictTime(false),
		progressbar.OptionSetTheme(progressbar.Theme{Saucer: "█", SaucerPadding: "░", BarStart: "", BarEnd: ""}),
	)
}

func (b *bar) add(n int64) {
	b.n += n
	if b.bar != nil {
		_ = b.bar.Set64(b.n)
	}
}

// set shows how far a step has got.
func (b *bar) set(n int64, text string) {
	b.n = n
	if b.bar != nil {
		b.bar.Describe(text)
		_ = b.bar.Set64(n)
	}
}

func (b *bar) end() {
	if b.bar != nil {
		_ = b.bar.Finish()
		b.bar = nil
	}
}

// follow shows a job's progress until it has ended, and then what came of it. With stops, an interrupt stops the job.
func (p *program) follow(ctx context.Context, c *client.Client, job client.Job, stops bool) error {
	last, err := p.followed(ctx, c, job, stops)
	if err != nil || last.Id == "" {
		return err
	}
	return p.printJob(last)
}

// followed shows a job's progress until it has ended. If stops is false, an interrupt leaves the job alone, and no job
// is returned.
func (p *program) followed(ctx context.Context, c *client.Client, job client.Job, stops bool) (client.Job, error) {
	b := &bar{p: p}
	last, err := client.Follow(ctx, c, job, func(j client.Job) {
		g := j.Progress
		switch {
		case j.State == client.JobQueued:
			b.begin(0, "Waiting for its turn")
		case g.Step != "":
			b.begin(g.Total, g.Step)
			text := fmt.Sprintf(
				"%s: %s of %s, %s, %s, %s", printable(g.File), bytesOf(g.Bytes), bytesOf(g.Total),
				plural(g.Statements, "statement"), plural(int64(g.Tables), "table"), plural(g.Rows, "row"),
			)
			if g.File == "" {
				text = g.Step
			}
			if g.Errors > 0 {
				text += ", " + plural(int64(g.Errors), "error")
			}
			b.set(min(g.Bytes, max(g.Total, 0)), text)
		}
	})
	b.end()
	if err != nil && ctx.Err() != nil {
		if !stops {
			return client.Job{}, nil
		}
		ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), 30*time.Second)
		defer cancel()
		if _, err := client.Read[client.Job](c.StopJob(ctx, job.Id)); err != nil {
			return client.Job{}, err
		}
		fmt.Fprintf(p.err, "Stopping the build of %s ...\n", printable(job.Name))
		return client.Follow(ctx, c, job, nil)
	}
	return last, err
}

// printJob prints the state of a job, or its result.
func (p *program) printJob(j client.Job) error {
	if p.format != "table" {
		if err := p.print(
			j, []string{"job", "dataset", "state", "build", "tables", "rows", "bytes", "elapsed_ms"},
			[][]string{jobLine(j)},
		); err != nil {
			return err
		}
	} else if j.State == client.JobDone {
		p.printReport(j.Report)
	}
	switch j.State {
	case client.JobFailed:
		if len(j.Errors) > 0 {
			p.scriptErrors(j)
		}
		if len(j.Errors) > 0 && p.format == "table" {
			return &client.ProblemError{
				Problem: client.Problem{
					Title:  "The dataset cannot be built",
					Status: 422,
					Detail: fmt.Sprintf(
						"%s in its setup scripts; the last good build stays in use.",
						plural(int64(len(j.Errors)+j.MoreErrors), "error"),
					),
				},
			}
		}
		return &client.ProblemError{Problem: j.Problem}
	case client.JobStopped:
		return &client.ProblemError{
			Problem: client.Problem{
				Title:  "The build was stopped",
				Status: 409,
				Detail: "What it had made is removed; the last good build stays in use.",
			},
		}
	case client.JobAsking:
		return p.asks(j)
	}
	return nil
}

// asks prints what a job wants confirmed.
func (p *program) asks(j client.Job) error {
	confirm := fmt.Sprintf(
		"Nothing is changed yet. To go on: examen dataset confirm %s; to give it up: examen dataset stop %s", j.Id,
		j.Id,
	)
	if len(j.Report.Breaks)+len(j.Report.Differences) == 0 {
		fmt.Fprintf(
			p.err, "The build waits for somebody to look at the types of its columns, in the console. %s\n", confirm,
		)
		return nil
	}
	for _, b := range j.Report.Breaks {
		fmt.Fprintf(p.err, "  %s\n", printable(b))
	}
	title := "The build would break what papers use"
	if len(j.Report.Differences) > 0 {
		title = "Papers were changed in the console since the pack was loaded"
		p.writeDifferences(j)
	}
	return &client.ProblemError{Problem: client.Problem{Title: title, Status: 409, Detail: confirm}}
}

func jobLine(j client.Job) []string {
	line := []string{j.Id, j.Name, string(j.State), "", "", "", "", ""}
	if len(j.Report.Datasets) > 0 {
		d := j.Report.Datasets[0]
		copy(
			line[3:],
			[]string{
				strconv.Itoa(d.Build), strconv.Itoa(d.Tables), fmt.Sprint(d.Rows), fmt.Sprint(d.Bytes),
				fmt.Sprintf("%.0f", d.ElapsedMs),
			},
		)
	}
	return line
}

// scriptErrors prints each error with its place and its likely cause.
func (p *program) scriptErrors(j client.Job) {
	for _, e := range j.Errors {
		fmt.Fprintf(p.err, "%s:%d:%d: %s\n", printable(e.File), e.Line, e.Column, printable(e.Message))
		if e.Detail != "" {
			fmt.Fprintf(p.err, "    %s\n", printable(e.Detail))
		}
		if e.Text != "" {
			before := []rune(e.Text)
			before = before[:min(max(e.Column-1, 0), len(before))]
			fmt.Fprintf(
				p.err, "    | %s\n    | %s^\n", printable(e.Text),
				strings.Repeat(" ", len([]rune(printable(string(before))))),
			)
		}
		if e.Statement != "" && e.Statement != e.Text {
			fmt.Fprintf(p.err, "    in: %s\n", printable(e.Statement))
		}
		if e.Cause != "" {
			fmt.Fprintf(p.err, "    %s\n", printable(e.Cause))
		}
	}
	if j.MoreErrors > 0 {
		fmt.Fprintf(p.err, "and %s that are not listed\n", plural(int64(j.MoreErrors), "error"))
	}
}

func (p *program) datasetConfirm() *cobra.Command {
	return &cobra.Command{
		Use: "confirm NAME|JOB", Short: "Go on with a build or load that asks",
		Args: argsBetween(1, 1, "a dataset or a job's number"),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, _, err := p.connect()
			if err != nil {
				return err
			}
			job, err := p.jobOf(cmd.Context(), c, args[0])
			if err == nil {
				job, err = client.Read[client.Job](c.ConfirmJob(cmd.Context(), job.Id))
			}
			if err != nil {
				return err
			}
			return p.follow(cmd.Context(), c, job, false)
		},
	}
}

// jobOf finds a job by its number, or the latest of a dataset.
func (p *program) jobOf(ctx context.Context, c *client.Client, name string) (client.Job, error) {
	if _, err := strconv.Atoi(name); err == nil {
		return client.Read[client.Job](c.GetJob(ctx, name))
	}
	jobs, err := client.Read[[]client.Job](c.ListJobs(ctx, &client.ListJobsParams{Dataset: name}))
	if err != nil {
		return client.Job{}, err
	}
	if len(jobs) == 0 {
		return client.Job{}, usageError{fmt.Errorf("no build of %q is known; see: examen dataset builds", name)}
	}
	return jobs[0], nil
}

func (p *program) datasetFollow() *cobra.Command {
	return &cobra.Command{
		Use: "follow NAME|JOB", Short: "Follow a build to its end",
		Args: argsBetween(1, 1, "a dataset or a job's number"),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, _, err := p.connect()
			if err != nil {
				return err
			}
			job, err := p.jobOf(cmd.Context(), c, args[0])
			if err != nil {
				return err
			}
			return p.follow(cmd.Context(), c, job, false)
		},
	}
}

func (p *program) datasetStop() *cobra.Command {
	return &cobra.Command{
		Use: "stop NAME|JOB", Short: "Stop a build; the last good one stays in use",
		Args: argsBetween(1, 1, "a dataset or a job's number"),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, _, err := p.connect()
			if err != nil {
				return err
			}
			job, err := p.jobOf(cmd.Context(), c, args[0])
			if err == nil {
				job, err = client.Read[client.Job](c.StopJob(cmd.Context(), job.Id))
			}
			if err == nil {
				job, err = client.Follow(cmd.Context(), c, job, nil)
			}
			if err != nil {
				return err
			}
			err = p.printJob(job)
			var no *client.ProblemError
			if errors.As(err, &no) && job.State == client.JobStopped {
				fmt.Fprintf(p.err, "The build of %s is stopped.\n", printable(job.Name))
				return nil
			}
			return err
		},
	}
}
