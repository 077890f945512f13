package cli

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"examen/internal/client"
	"examen/internal/core/marking"
)

// mark groups the commands for marks set by hand.
func (p *program) mark() *cobra.Command {
	return group("mark", "Marks by hand, and the attempts that need somebody's eye",
		p.markList(), p.markDone(), p.markSet(), p.markUndo(), p.markShow())
}

func (p *program) markSet() *cobra.Command {
	var course, reason string
	set := &cobra.Command{
		Use:   "set ADDRESS LOGIN POINTS --reason TEXT",
		Short: "Set a learner's mark by hand, or with - have the computed one count again",
		Args:  argsBetween(3, 3, "an exercise, a login and points"),
		RunE: func(cmd *cobra.Command, args []string) error {
			paper, exercise, err := address(args[0])
			if err != nil {
				return err
			}
			given := client.MarkByHand{Course: course, Reason: reason}
			if args[2] != "-" {
				mark, err := marking.ParsePoints(args[2])
				if err != nil {
					return usageError{err}
				}
				given.Mark = &mark
			}
			if reason == "" {
				return usageError{errors.New("a reason is expected: --reason TEXT")}
			}
			marks, err := ask[client.MarksSet](p, cmd, func(ctx context.Context, c *client.Client) (
				*http.Response, error,
			) {
				return c.SetMark(ctx, paper, exercise, args[1], given)
			})
			return p.marked(args[1], args[0], marks, err)
		},
	}
	set.Flags().StringVar(&course, "course", "", "the course, where the learner has the paper in several")
	set.Flags().StringVar(&reason, "reason", "", "why; the learner reads it")
	return set
}

func (p *program) markUndo() *cobra.Command {
	params := &client.UndoMarkParams{}
	c := &cobra.Command{
		Use:   "undo ADDRESS LOGIN",
		Short: "Take back the last mark set by hand: what counted before counts again",
		Args:  argsBetween(2, 2, "an exercise and a login"),
		RunE: func(cmd *cobra.Command, args []string) error {
			paper, exercise, err := address(args[0])
			if err != nil {
				return err
			}
			marks, err := ask[client.MarksSet](p, cmd, func(ctx context.Context, c *client.Client) (
				*http.Response, error,
			) {
				return c.UndoMark(ctx, paper, exercise, args[1], params)
			})
			return p.marked(args[1], args[0], marks, err)
		},
	}
	c.Flags().StringVar(&params.Course, "course", "", "the course, where the learner has the paper in several")
	return c
}

// marked says what counts now.
func (p *program) marked(learner, at string, marks client.MarksSet, err error) error {
	if err == nil && marks.ByHand {
		fmt.Fprintf(p.err, "%s has %s for %s; %s is computed.\n", learner, points(marks.Mark), at, marks.Computed)
	} else if err == nil {
		fmt.Fprintf(p.err, "The computed mark of %s for %s counts again: %s.\n", learner, at, points(marks.Computed))
	}
	return err
}

func (p *program) markShow() *cobra.Command {
	params := &client.GetMarksSetParams{}
	c := &cobra.Command{
		Use:   "show ADDRESS LOGIN",
		Short: "Show a learner's mark for an exercise: what is computed, and what was set by hand, when and why",
		Args:  argsBetween(2, 2, "an exercise and a login"),
		RunE: func(cmd *cobra.Command, args []string) error {
			paper, exercise, err := address(args[0])
			if err != nil {
				return err
			}
			marks, err := ask[client.MarksSet](p, cmd, func(ctx context.Context, c *client.Client) (
				*http.Response, error,
			) {
				return c.GetMarksSet(ctx, paper, exercise, args[1], params)
			})
			if err != nil {
				return err
			}
			all := [][]string{{"", "computed", marks.Computed.String(), string(marks.Outcome)}}
			for _, set := range marks.Set {
				mark, why := "computed", set.Reason
				if set.Mark != nil {
					mark = set.Mark.String()
				}
				if set.Undone {
					why += " (taken back)"
				} else if set.Undoes {
					why = "(took the one before back)"
				}
				all = append(all, []string{clock(set.At), set.By, mark, why})
			}
			return p.print(marks, []string{"at", "by", "mark", "reason"}, all)
		},
	}
	c.Flags().StringVar(&params.Course, "course", "", "the course, where the learner has the paper in several")
	return c
}

// causeWords say why an attempt needs somebody's eye.
var causeWords = map[client.ReviewCause]string{
	client.ReviewRule: "right rows, against a rule", client.ReviewStopped: "stopped at a limit",
	client.ReviewDisputed: "disputed", client.ReviewRecheck: "changed by a recheck",
	client.ReviewAnswer: "a note answered",
}

func (p *program) markList() *cobra.Command {
	params := &client.ListReviewsParams{}
	var cause string
	c := &cobra.Command{
		Use:   "list",
		Short: "List the attempts that need somebody's eye, those that have waited longest first",
		Long: `Lists the attempts that need somebody's eye: those with the right rows that a rule of the
exercise rejects, those that were stopped at a limit, those that their learner disputes, those
whose mark a recheck has changed, and those whose learner has answered a note. To go through
them: mark (examen mark set), write to the learner (examen note), or leave an attempt as it is
(examen mark done).`,
		Annotations: map[string]string{pages: "yes"},
		Args:        argsBetween(0, 0, "flags only"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			if err := oneOf("cause", cause); err != nil {
				return err
			}
			params.Cause = client.ReviewCause(cause)
			page, err := ask[client.Reviews](p, cmd, func(ctx context.Context, c *client.Client) (
				*http.Response, error,
			) {
				return c.ListReviews(ctx, params)
			})
			if err != nil {
				return err
			}
			var all [][]string
			for _, r := range page.Reviews {
				all = append(all, []string{
					fmt.Sprint(r.Id), clock(r.At), r.Attempt.Learner, r.Paper + "/" + strconv.Itoa(r.Number),
					r.Attempt.Attempt,
					causeWords[r.Cause], r.Reason, r.Mark.String() + " of " + r.Points.String(),
					strings.Join(strings.Fields(r.Attempt.Sql), " "),
				})
			}
			err = p.print(
				page, []string{"number", "at", "learner", "exercise", "attempt", "why", "reason", "mark", "query"}, all,
			)
			if err == nil && p.format == "table" && page.Next != "" {
				fmt.Fprintf(p.err, "There are more: --after %s goes on.\n", page.Next)
			} else if err == nil && p.format == "table" && len(all) == 0 {
				fmt.Fprintln(p.err, "Nothing needs your eye.")
			}
			return err
		},
	}
	c.Flags().StringVar(&params.Course, "course", "", "only of this course")
	c.Flags().StringVar(&params.Paper, "paper", "", "only of this paper")
	c.Flags().StringVar(&cause, "cause", "", "only for one cause: rule, stopped, disputed, recheck or answer")
	c.Flags().StringVar(&params.After, "after", "", "go on behind an earlier page")
	return c
}

func (p *program) markDone() *cobra.Command {
	var undo bool
	c := &cobra.Command{
		Use:   "done NUMBER",
		Short: "Leave an attempt as it is: it is taken off the list of those that need an eye",
		Args:  argsBetween(1, 1, "a number that examen mark list gives"),
		RunE: func(cmd *cobra.Command, args []string) error {
			id, err := strconv.ParseInt(args[0], 10, 64)
			if err != nil {
				return usageError{fmt.Errorf("%s: a number is expected; examen mark list has it", args[0])}
			}
			return p.done(cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				if undo {
					return c.ReopenReview(ctx, id)
				}
				return c.FinishReview(ctx, id)
			})
		},
	}
	c.Flags().BoolVar(&undo, "undo", false, "put it back on the list")
	return c
}

// dispute has a learner say that what came of their latest attempt is wrong.
func (p *program) dispute() *cobra.Command {
	var withdraw bool
	c := &cobra.Command{
		Use:   "dispute ADDRESS [REASON]",
		Short: "Say that what came of your latest attempt at an exercise is wrong, and why",
		Args:  argsBetween(1, 2, "an exercise, and a reason"),
		RunE: func(cmd *cobra.Command, args []string) error {
			paper, exercise, err := address(args[0])
			if err != nil {
				return err
			}
			if !withdraw && len(args) < 2 {
				return usageError{errors.New("a reason is expected: examen dispute ADDRESS REASON")}
			}
			e, err := ask[client.Exercise](p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.GetExercise(ctx, paper, exercise)
			})
			if err != nil {
				return err
			}
			if e.Latest.Id == "" {
				return fmt.Errorf("you have submitted nothing for %s", args[0])
			}
			id, err := strconv.ParseInt(e.Latest.Id, 10, 64)
			if err != nil {
				return err
			}
			err = p.done(cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				if withdraw {
					return c.WithdrawDispute(ctx, id)
				}
				return c.Dispute(ctx, id, client.NewDispute{Reason: args[1]})
			})
			if err == nil && !withdraw {
				fmt.Fprintln(p.err, "Somebody who teaches will look at it.")
			}
			return err
		},
	}
	c.Flags().BoolVar(&withdraw, "withdraw", false, "take it back, as long as nobody has looked")
	return c
}
