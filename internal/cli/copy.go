package cli

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"net/http"
	"strings"

	"github.com/spf13/cobra"

	"examen/internal/client"
)

func (p *program) copies() *cobra.Command {
	return group(
		"copy", "Your own copies of datasets, in which you change things", p.copyList(), p.copyShow(), p.copyReset(),
	)
}

func (p *program) copyList() *cobra.Command {
	return &cobra.Command{
		Use: "list", Short: "List your copies", Args: argsBetween(0, 0, "no arguments"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			return show(p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.ListCopies(ctx)
			}, []string{"dataset", "build", "made", "used", "kept until", "size"}, each(func(c client.Copy) []string {
				return []string{
					c.Dataset, fmt.Sprint(c.Build), clock(c.Made), clock(c.Used), clock(c.KeptUntil), bytesOf(c.Bytes),
				}
			}))
		},
	}
}

func (p *program) copyShow() *cobra.Command {
	return &cobra.Command{
		Use: "show DATASET", Short: "Tell what has changed in your copy of a dataset", Args: argsBetween(1, 1,
			"a dataset"),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := ask[client.Copy](p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.GetCopy(ctx, args[0], nil)
			})
			if err != nil {
				return err
			}
			if p.format == "table" {
				fmt.Fprintf(p.out, "Your copy of %s, made %s of build %d; kept until %s, if you do not use it.\n",
					c.Dataset, clock(c.Made), c.Build, clock(c.KeptUntil))
			}
			lines := copyChanges(c)
			if p.format == "table" && len(lines) == 0 {
				fmt.Fprintln(p.out, "Nothing has changed in it.")
				return nil
			}
			return p.print(c, []string{"what", "name", "changed"}, lines)
		},
	}
}

// copyChanges lists what has changed in a copy.
func copyChanges(c client.Copy) (lines [][]string) {
	for _, t := range c.Changes.Tables {
		lines = append(lines, []string{"table", t.Table, rowsChanged(t)})
	}
	for _, group := range []struct {
		objects []client.DatabaseObject
		word    string
	}{{c.Changes.Made, "made"}, {c.Changes.Altered, "altered"}, {c.Changes.Dropped, "dropped"}} {
		for _, o := range group.objects {
			lines = append(lines, []string{o.Kind, o.Name, group.word})
		}
	}
	return lines
}

// rowsChanged says how many rows of a table are others.
func rowsChanged(t client.TableChange) string {
	var parts []string
	for _, part := range []struct {
		rows int64
		word string
	}{{t.Added, "added"}, {t.Changed, "changed"}, {t.Removed, "removed"}} {
		if part.rows > 0 {
			parts = append(parts, plural(part.rows, "row")+" "+part.word)
		}
	}
	return strings.Join(parts, ", ")
}

func (p *program) copyReset() *cobra.Command {
	return &cobra.Command{
		Use: "reset DATASET", Short: "Throw your copy of a dataset away, to begin anew",
		Long: "Throws your copy of a dataset away. What you ran in it stays in your history.",
		Args: argsBetween(1, 1, "a dataset"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if _, err := ask[struct{}](p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.ResetCopy(ctx, args[0])
			}); err != nil {
				return err
			}
			fmt.Fprintf(p.err,
				"Your copy of %s is gone; the next statement that changes something makes a new one.\n", args[0])
			return nil
		},
	}
}

func (p *program) datasetChanges() *cobra.Command {
	return &cobra.Command{
		Use: "changes NAME allow|refuse", Short: "Let learners change a dataset, each in a copy of their own",
		Long: `Lets learners change a dataset wherever they read it, each in a copy of their own, or no longer.
Papers and exercises can allow it for themselves: changes: allowed in their text.`,
		Args: argsBetween(2, 2, "a dataset, and allow or refuse"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if args[1] != "allow" && args[1] != "refuse" {
				return usageError{errors.New("dataset changes wants allow or refuse after the dataset")}
			}
			d, err := ask[client.Dataset](p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.AllowChanges(ctx, args[0], client.ChangesAllowed{Allowed: args[1] == "allow"})
			})
			if err != nil {
				return err
			}
			if d.Changes {
				fmt.Fprintf(p.err, "Learners may change %s, each in a copy of their own.\n", d.Name)
			} else {
				fmt.Fprintf(p.err, "Learners may not change %s, but where a paper or an exercise allows it.\n", d.Name)
			}
			return nil
		},
	}
}

// newWindow names where runs come from.
func newWindow() string { return rand.Text() }

// printStatements prints what the statements of a run have done, in their order.
func (p *program) printStatements(run client.Run) {
	for _, s := range run.Statements {
		if len(run.Statements) > 1 {
			fmt.Fprintf(p.out, "Line %d: ", s.Place.Line)
		}
		if s.Done != "" {
			fmt.Fprintf(p.out, "%s.\n", s.Done)
		} else {
			fmt.Fprintf(p.out, "%s.\n", plural(s.RowCount, "row"))
		}
		for _, notice := range s.Notices {
			fmt.Fprintf(p.out, "  The database remarks: %s\n", printable(notice))
		}
		if len(s.Columns) > 0 {
			p.table(p.out, header(client.Run{Columns: s.Columns}), cells(s.Rows))
			if s.Truncated {
				fmt.Fprintf(p.out, "The first %d rows are shown.\n", len(s.Rows))
			}
		}
	}
}

// tellCopy says that a run was in one's copy, what has changed in it, and whether something is uncommitted.
func (p *program) tellCopy(c client.Copy) {
	if c.Replaced {
		fmt.Fprintf(p.err,
			"The dataset was built anew: your copy of the earlier build is gone, and this is a new one.\n")
	}
	var parts []string
	for _, t := range c.Changes.Tables {
		parts = append(parts, printable(t.Table)+": "+rowsChanged(t))
	}
	for _, line := range copyChanges(c)[len(c.Changes.Tables):] {
		parts = append(parts, printable(strings.Join(line, " ")))
	}
	what := "Nothing has changed in it"
	if len(parts) > 0 {
		what = strings.Join(parts, "; ")
	}
	fmt.Fprintf(p.err, "In your copy of %s, made %s. %s.\n", c.Dataset, clock(c.Made), what)
	until := c.TransactionUntil.Local().Format("15:04:05")
	switch c.Transaction {
	case client.TransactionOpen:
		fmt.Fprintf(p.err,
			"A transaction is open, and what it changed is not committed: end it by COMMIT or ROLLBACK. "+
				"It is rolled back at %s, unless you run something before.\n", until)
	case client.TransactionFailed:
		fmt.Fprintf(p.err, "The open transaction has failed: only ROLLBACK is possible. It is rolled back at %s.\n",
			until)
	}
}
