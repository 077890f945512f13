package cli

import (
	"context"
	"fmt"
	"strconv"

	"github.com/spf13/cobra"

	"examen/internal/client"
)

func (p *program) example() *cobra.Command {
	return &cobra.Command{
		Use: "example PAPER/EXERCISE [FILE|-]", Short: "Show a few rows on which your last answer is wrong",
		Long: `Shows the smallest example of what is wrong with your last answer to an exercise: a few rows of the
tables, what the answer gives on them, and what is expected. With a file, or - for standard input, the
query in it is run on these rows instead.`,
		Args: argsBetween(1, 2, "an exercise, and perhaps a file"),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, _, err := p.connect()
			if err != nil {
				return err
			}
			paper, exercise, err := address(args[0])
			if err != nil {
				return err
			}
			id, err := lastIncorrect(cmd.Context(), c, paper, exercise)
			if err != nil {
				return err
			}
			if len(args) == 1 {
				e, err := client.Read[client.Example](c.ReadExample(cmd.Context(), id))
				if err != nil {
					return err
				}
				return p.printExample(e)
			}
			sql, err := p.query(args[1:])
			if err != nil {
				return err
			}
			tried, err := client.Read[client.TriedExample](
				c.TryExample(cmd.Context(), id, client.ExampleQuery{Sql: sql}))
			if err != nil {
				return err
			}
			return p.printTried(tried)
		},
	}
}

// lastIncorrect is the number of one's own last attempt at an exercise, which is incorrect.
func lastIncorrect(ctx context.Context, c *client.Client, paper, exercise string) (int64, error) {
	page, err := client.Read[client.HistoryPage](c.ListHistory(ctx, &client.ListHistoryParams{
		Paper: paper, Exercise: exercise, Kind: client.EntryKindAttempt, Limit: 1,
	}))
	if err != nil {
		return 0, err
	}
	if len(page.Entries) == 0 || page.Entries[0].Outcome != client.Incorrect {
		return 0, fmt.Errorf("expected your last attempt at %s/%s to be incorrect; there is none, or it is not",
			paper, exercise)
	}
	return strconv.ParseInt(page.Entries[0].Id, 10, 64)
}

func (p *program) printExample(e client.Example) error {
	if p.format != "table" {
		var all [][]string
		for _, t := range e.Tables {
			all = append(all, []string{t.Name, strconv.Itoa(len(t.Rows))})
		}
		return p.print(e, []string{"table", "rows"}, all)
	}
	if len(e.Tables) == 0 {
		fmt.Fprintln(p.out, "No example was found in a few rows, or the exercise shows no expected rows.")
		return nil
	}
	fmt.Fprintln(p.out, e.Sentence)
	for _, t := range e.Tables {
		if len(t.Rows) > 0 {
			fmt.Fprintf(p.out, "\n%s\n", t.Name)
			p.writeRows(columnNames(t.Columns), t.Rows)
		}
	}
	p.writeBoth(e.Got, e.Expected)
	return nil
}

func columnNames(columns []client.Column) (all []string) {
	for _, c := range columns {
		all = append(all, c.Name)
	}
	return all
}

// writeBoth writes what a query gives, and what is expected.
func (p *program) writeBoth(got, expected client.TableRows) {
	one := func(some, none string, t client.TableRows) {
		if len(t.Rows) == 0 {
			fmt.Fprintln(p.out, none)
			return
		}
		fmt.Fprintln(p.out, some)
		p.writeRows(columnNames(t.Columns), t.Rows)
	}
	one("Your query gives", "Your query gives no rows.", got)
	one("Expected", "No rows are expected.", expected)
}

func (p *program) printTried(t client.TriedExample) error {
	switch {
	case p.format != "table":
		if err := p.print(t, []string{"right", "rows"},
			[][]string{{strconv.FormatBool(t.Right), strconv.Itoa(len(t.Got.Rows))}}); err != nil {
			return err
		}
	case t.Error.Title != "":
		p.queryProblem(t.Error)
	case t.Right:
		fmt.Fprintln(p.out, "Right on these rows. Submit it to have it checked on all.")
	default:
		p.writeBoth(t.Got, t.Expected)
	}
	if !t.Right {
		return errNotCorrect
	}
	return nil
}
