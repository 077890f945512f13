package cli

import (
	"errors"
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"examen/internal/client"
)

func (p *program) run() *cobra.Command {
	var dataset string
	c := &cobra.Command{
		Use: "run PAPER[/EXERCISE]|--dataset NAME [FILE|-]", Short: "Run a query and print its rows",
		Args: argsBetween(0, 2, "a paper or an exercise, and perhaps a file"),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, _, err := p.connect()
			if err != nil {
				return err
			}
			request := client.RunRequest{Dataset: dataset}
			if dataset == "" {
				if len(args) == 0 {
					return usageError{
						errors.New("run wants a paper, an exercise or --dataset NAME; see examen run --help"),
					}
				}
				request.Paper, request.Exercise, _ = strings.Cut(args[0], "/")
				args = args[1:]
			} else if len(args) > 1 {
				return usageError{errors.New("run --dataset wants at most a file")}
			}
			if request.Sql, err = p.query(args); err != nil {
				return err
			}
			run, err := client.Read[client.Run](c.Run(cmd.Context(), request))
			if err != nil {
				return err
			}
			return p.printRun(run)
		},
	}
	c.Flags().StringVar(&dataset, "dataset", "", "run on a dataset instead of a paper's")
	return c
}

func (p *program) printRun(run client.Run) error {
	header := make([]string, len(run.Columns))
	for i, c := range run.Columns {
		header[i] = c.Name
		if p.format == "table" {
			header[i] += " (" + c.Type + ")"
		}
	}
	if run.Outcome != client.Done {
		if p.format == "json" {
			if err := p.print(run, nil, nil); err != nil {
				return err
			}
		}
		p.queryProblem(run.Error)
		return errNotCorrect
	}
	rows := cells(run.Rows)
	if p.format == "csv" {
		for i, row := range run.Rows {
			for j := range row {
				if row[j] == nil {
					rows[i][j] = "" // as COPY writes NULL
				}
			}
		}
	}
	if err := p.print(run, header, rows); err != nil {
		return err
	}
	note := fmt.Sprintf("%s, %.1f ms", plural(run.RowCount, "row"), run.ElapsedMs)
	if run.Truncated {
		note += fmt.Sprintf("; the first %d are shown", len(run.Rows))
	}
	fmt.Fprintln(p.err, note)
	return nil
}
