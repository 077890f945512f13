package cli

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strings"

	"github.com/spf13/cobra"

	"examen/internal/client"
)

func (p *program) run() *cobra.Command {
	var dataset string
	var all bool
	c := &cobra.Command{
		Use: "run [PAPER[/EXERCISE]|--dataset NAME] [FILE|-]", Short: "Run a query and print its rows",
		Long: `Runs a query and prints its rows. Where changes are allowed it runs any statements, in your own copy
of the dataset (see examen copy), and prints what each has done. Without a file, on a terminal,
	it asks for one query after
another: help lists the words that it knows besides SQL. Without a paper it then takes the one that
you worked on last.`,
		Annotations: map[string]string{workbooks: "yes", pages: "yes"},
		Args:        argsBetween(0, 2, "a paper or an exercise, and perhaps a file"),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, _, err := p.connect()
			if err != nil {
				return err
			}
			request := client.RunRequest{Dataset: dataset}
			if dataset == "" && len(args) == 0 {
				if isTerminal(p.in) && p.onTerminal() {
					request.Paper, err = lastPaper(cmd.Context(), c)
				}
				if request.Paper == "" && err == nil {
					err = usageError{
						errors.New("run wants a paper, an exercise or --dataset NAME; see examen run --help"),
					}
				}
				if err != nil {
					return err
				}
			} else if dataset == "" {
				request.Paper, request.Exercise, _ = strings.Cut(args[0], "/")
				args = args[1:]
			} else if len(args) > 1 {
				return usageError{errors.New("run --dataset wants at most a file")}
			}
			if len(args) == 0 && isTerminal(p.in) && p.onTerminal() {
				return p.prompt(cmd.Context(), c, request)
			}
			if request.Sql, err = p.query(args); err != nil {
				return err
			}
			if p.format == workbooks && p.onTerminal() {
				return usageError{errors.New("-o xlsx is for a file: examen run ... -o xlsx > rows.xlsx")}
			}
			run, err := client.Read[client.Run](c.Run(cmd.Context(), request))
			if err != nil {
				return err
			}
			return p.printRun(cmd.Context(), c, run, all)
		},
	}
	c.Flags().StringVar(&dataset, "dataset", "", "run on a dataset instead of a paper's")
	c.Flags().BoolVar(&all, "all", false, "print all rows, not only the first (the query runs again)")
	return c
}

// lastPaper returns the paper on which somebody worked last, or the only one there is; "" for none.
func lastPaper(ctx context.Context, c *client.Client) (string, error) {
	papers, err := client.Read[[]client.PaperSummary](c.ListPapers(ctx))
	var last client.PaperSummary
	for _, paper := range papers {
		if paper.Last.At.After(last.Last.At) || len(papers) == 1 {
			last = paper
		}
	}
	return last.Slug, err
}

// printRun prints a run's rows; files have them as the service writes them.
func (p *program) printRun(ctx context.Context, c *client.Client, run client.Run, all bool) error {
	if run.Copy.Dataset != "" {
		defer func() {
			if run.RolledBack {
				fmt.Fprintln(p.err, "A transaction was still open at the end, and is rolled back.")
			}
			p.tellCopy(run.Copy)
		}()
	}
	if run.Copy.Dataset != "" && p.format == "table" && !all {
		p.printStatements(run)
		if run.Outcome != client.Done {
			p.queryProblem(run.Error)
			return errNotCorrect
		}
		return nil
	}
	if run.Outcome != client.Done {
		if p.format == "json" {
			if err := p.print(run, nil, nil); err != nil {
				return err
			}
		} else if len(run.Rows) > 0 {
			p.table(p.out, header(run), cells(run.Rows))
		}
		p.queryProblem(run.Error)
		return errNotCorrect
	}
	shown, most := int64(len(run.Rows)), int64(len(run.Rows))
	if all {
		shown, most = run.RowCount, 0
	}
	var err error
	switch {
	case p.format == "csv", p.format == workbooks, p.format == "json" && all:
		err = p.export(ctx, c, run, client.ExportRunParams{
			Format: client.ExportRunParamsFormat(p.format), Most: most,
		})
	case all && run.Truncated:
		if run.Rows, err = allRows(ctx, c, run); err != nil {
			return err
		}
		fallthrough
	default:
		err = p.print(run, header(run), cells(run.Rows))
	}
	if err != nil {
		return err
	}
	note := fmt.Sprintf("%s, %.1f ms", plural(run.RowCount, "row"), run.ElapsedMs)
	if shown < run.RowCount {
		note += fmt.Sprintf("; the first %d are shown (--all for all)", shown)
	}
	fmt.Fprintln(p.err, note)
	return nil
}

func header(run client.Run) []string {
	names := make([]string, len(run.Columns))
	for i, c := range run.Columns {
		names[i] = c.Name + " (" + c.Type + ")"
	}
	return names
}

// export prints a run's rows in a file's format.
func (p *program) export(ctx context.Context, c *client.Client, run client.Run, params client.ExportRunParams) error {
	file, err := client.ReadFile(c.ExportRun(ctx, run.Id, &params))
	if err != nil {
		return err
	}
	defer func() { _ = file.Close() }()
	_, err = io.Copy(p.out, file)
	return err
}

// allRows returns all rows of a run.
func allRows(ctx context.Context, c *client.Client, run client.Run) ([][]*string, error) {
	file, err := client.ReadFile(c.ExportRun(ctx, run.Id, &client.ExportRunParams{Format: client.ExportLines}))
	if err != nil {
		return nil, err
	}
	defer func() { _ = file.Close() }()
	rows := make([][]*string, 0, run.RowCount)
	for lines := json.NewDecoder(file); lines.More(); {
		var row []*string
		if err := lines.Decode(&row); err != nil {
			return nil, err
		}
		rows = append(rows, row)
	}
	return rows, nil
}
