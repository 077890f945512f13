package cli

import (
	"context"
	"fmt"
	"net/http"
	"strconv"

	"github.com/spf13/cobra"

	"examen/internal/client"
)

// note writes notes, and groups the commands for those that are written.
func (p *program) note() *cobra.Command {
	made := client.NewNote{}
	c := &cobra.Command{
		Use:   "note ATTEMPT TEXT",
		Short: "Write a note in the margin of an attempt, and see and answer notes",
		Args:  argsBetween(2, 2, "the number of an attempt, and what the note says"),
		Long: `Writes a note in the margin of a learner's attempt; examen history has the attempts' numbers.
With --alike it reaches all attempts that are like this one, as examen progress PAPER/EXERCISE
groups them, and with --later whoever comes to the same result afterwards, too.`,
		RunE: func(cmd *cobra.Command, args []string) error {
			made.Attempt, made.Text = args[0], args[1]
			written, err := ask[client.NoteWritten](p, cmd, func(ctx context.Context, c *client.Client) (
				*http.Response, error,
			) {
				return c.WriteNote(ctx, made)
			})
			if err == nil {
				fmt.Fprintf(p.err, "Note %s reaches %s. To take it back: examen note withdraw %s\n",
					written.Id, plural(int64(written.Learners), "learner"), written.Id)
			}
			return err
		},
	}
	c.Flags().BoolVar(&made.Alike, "alike", false, "to all attempts that are like this one")
	c.Flags().BoolVar(&made.Later, "later", false, "also to whoever comes to the same result later")
	c.Flags().StringVar(&made.Quote, "at", "",
		"what it speaks of: a part of the attempt's text, as it is written there")
	c.AddCommand(p.listNotes(), p.answerNote(), p.withdrawNote())
	return c
}

func (p *program) listNotes() *cobra.Command {
	params := &client.ListNotesParams{}
	c := &cobra.Command{
		Use: "list", Short: "List notes and what was answered, the latest first",
		Annotations: map[string]string{pages: "yes"},
		Args:        argsBetween(0, 0, "flags only"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			page, err := ask[client.NotePage](p, cmd, func(ctx context.Context, c *client.Client) (
				*http.Response, error,
			) {
				return c.ListNotes(ctx, params)
			})
			if err != nil {
				return err
			}
			var all [][]string
			for _, n := range page.Notes {
				for _, r := range n.Readers {
					seen := "not seen"
					if !r.Seen.IsZero() {
						seen = "seen " + clock(r.Seen)
					}
					all = append(all, []string{
						n.Id, clock(n.At), n.By, n.Paper + "/" + n.Exercise, r.Attempts[len(r.Attempts)-1], r.Learner,
						seen,
						n.Text,
					})
					for _, a := range r.Answers {
						all = append(all, []string{n.Id, clock(a.At), a.By, "", "", r.Learner, "answer", a.Text})
					}
				}
			}
			err = p.print(page, []string{"note", "at", "by", "exercise", "attempt", "learner", "seen", "text"}, all)
			if err == nil && page.Next != "" && p.format == "table" {
				fmt.Fprintf(p.err, "There are more: --before %s goes on.\n", page.Next)
			}
			return err
		},
	}
	f := c.Flags()
	f.StringVar(&params.Course, "course", "", "only of this course")
	f.StringVar(&params.Paper, "paper", "", "only on this paper")
	f.StringVar(&params.Exercise, "exercise", "", "only on this exercise of --paper")
	f.StringVar(&params.Learner, "learner", "", "only those that reach this learner")
	f.Int64Var(&params.Attempt, "attempt", 0, "only those on this attempt")
	f.StringVar(&params.Before, "before", "", "go on behind an earlier page")
	return c
}

func (p *program) answerNote() *cobra.Command {
	var answer client.NewNoteAnswer
	c := &cobra.Command{
		Use: "answer NOTE TEXT", Short: "Answer a note, or a learner's answer to one",
		Args: argsBetween(2, 2, "the number of a note, and an answer"),
		RunE: func(cmd *cobra.Command, args []string) error {
			id, err := noteNumber(args[0])
			if err != nil {
				return err
			}
			answer.Text = args[1]
			return p.done(cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.AnswerNote(ctx, id, answer)
			})
		},
	}
	c.Flags().StringVar(&answer.Learner, "learner", "", "who is answered, where the note reaches several")
	return c
}

func (p *program) withdrawNote() *cobra.Command {
	return &cobra.Command{
		Use: "withdraw NOTE", Short: "Take a note back", Args: argsBetween(1, 1, "the number of a note"),
		RunE: func(cmd *cobra.Command, args []string) error {
			id, err := noteNumber(args[0])
			if err != nil {
				return err
			}
			return p.done(cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.WithdrawNote(ctx, id)
			})
		},
	}
}

func noteNumber(text string) (int64, error) {
	id, err := strconv.ParseInt(text, 10, 64)
	if err != nil {
		return 0, usageError{fmt.Errorf("%s: the number of a note is expected; examen note list has it", text)}
	}
	return id, nil
}
