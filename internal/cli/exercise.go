package cli

import (
	"context"
	"fmt"
	"net/http"
	"strings"

	"github.com/spf13/cobra"

	"examen/internal/client"
)

func (p *program) exercise() *cobra.Command {
	return group("exercise", "Exercises of all papers", p.exerciseFind(), p.exerciseCopy())
}

func (p *program) exerciseFind() *cobra.Command {
	var by client.FindExercisesParams
	c := &cobra.Command{
		Use: "find [TEXT]", Short: "Find exercises by what they are about, with how learners fared",
		Long: `Finds exercises of published papers: by a text in the title, the task or an accepted
answer, by a table that the reference answer reads, a construct that it uses (as rules
name it), or a column of its result. Exercises with the same reference answer on one
dataset are listed once, with all papers that have them.`,
		Annotations: map[string]string{pages: "yes"},
		Args:        argsBetween(0, 1, "a text, or nothing"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) > 0 {
				by.Text = args[0]
			}
			return show(p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.FindExercises(ctx, &by)
			},
				[]string{"title", "dataset", "in", "solved", "attempts each", "strength", "tables", "constructs"},
				each(func(f client.FoundExercise) []string {
					var in []string
					for _, at := range f.In {
						in = append(in, fmt.Sprintf("%s/%d", at.Paper, at.Number))
					}
					return []string{
						f.Title, f.Dataset, strings.Join(in, ", "), fmt.Sprintf("%d of %d", f.Solved, f.Learners),
						attemptsEach(f), strengthOf(f), strings.Join(f.Tables, ", "), strings.Join(f.Constructs, ", "),
					}
				}))
		},
	}
	c.Flags().StringVar(&by.Dataset, "dataset", "", "of this dataset")
	c.Flags().StringVar(&by.Table, "table", "", "whose reference answer reads this table")
	c.Flags().StringVar(&by.Construct, "construct", "", "whose reference answer uses this construct, such as group-by")
	c.Flags().StringVar(&by.Column, "column", "", "whose result has a column of this name")
	return c
}

// attemptsEach is how many attempts those needed, on average, who have solved an exercise.
func attemptsEach(f client.FoundExercise) string {
	if f.Solved == 0 {
		return ""
	}
	return fmt.Sprintf("%.1f", float64(f.SolvedAttempts)/float64(f.Solved))
}

// strengthOf says how many mutations of an exercise's answer are told apart.
func strengthOf(f client.FoundExercise) string {
	for _, at := range f.In {
		if s := at.Strength; s.Sentence != "" {
			return fmt.Sprintf("%d of %d", s.Told, s.Mutations)
		}
	}
	return ""
}

func (p *program) exerciseCopy() *cobra.Command {
	return &cobra.Command{
		Use: "copy PAPER/EXERCISE PAPER", Short: "Copy an exercise to the end of another paper that is written",
		Args: argsBetween(2, 2, "an exercise and a paper"),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, _, err := p.connect()
			if err != nil {
				return err
			}
			from, address, err := address(args[0])
			if err != nil {
				return err
			}
			e, err := client.Read[client.Exercise](c.GetExercise(cmd.Context(), from, address))
			if err != nil {
				return err
			}
			_, err = client.Read[client.Writing](c.AddPart(
				cmd.Context(), args[1], client.NewPart{Paper: from, Exercise: e.Slug},
			))
			if err == nil {
				fmt.Fprintf(
					p.err, "%s is at the end of %s. To publish it: examen paper publish %[2]s\n", printable(e.Title),
					args[1],
				)
			}
			return err
		},
	}
}
