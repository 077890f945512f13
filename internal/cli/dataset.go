package cli

import (
	"context"
	"fmt"
	"net/http"
	"strings"

	"github.com/spf13/cobra"

	"examen/internal/client"
)

func (p *program) dataset() *cobra.Command {
	list := &cobra.Command{
		Use: "list", Short: "List datasets", Args: argsBetween(0, 0, "no arguments"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			return show(p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) { return c.ListDatasets(ctx) },
				[]string{"dataset", "title", "build", "tables", "rows"}, each(func(d client.DatasetSummary) []string {
					return []string{d.Name, d.Title, fmt.Sprint(d.Build), fmt.Sprint(d.Tables), fmt.Sprint(d.Rows)}
				}))
		},
	}
	tables := &cobra.Command{
		Use: "show NAME [TABLE]", Short: "List a dataset's tables, or one table's columns", Args: argsBetween(1, 2, "a dataset, and perhaps a table"),
		RunE: func(cmd *cobra.Command, args []string) error {
			call := func(ctx context.Context, c *client.Client) (*http.Response, error) { return c.GetDataset(ctx, args[0]) }
			if len(args) == 1 {
				return show(p, cmd, call, []string{"table", "rows", "meaning", "columns"}, tableLines)
			}
			d, err := ask[client.Dataset](p, cmd, call)
			if err != nil {
				return err
			}
			return p.printTable(d, args[1])
		},
	}
	return group("dataset", "Sample databases", list, tables)
}

func tableLines(d client.Dataset) [][]string {
	var all [][]string
	for _, t := range d.Tables {
		names := make([]string, len(t.Columns))
		for i, c := range t.Columns {
			names[i] = c.Name
		}
		all = append(all, []string{t.Name, fmt.Sprint(t.Rows), t.Meaning, strings.Join(names, ", ")})
	}
	return all
}

func (p *program) printTable(d client.Dataset, name string) error {
	for _, t := range d.Tables {
		if t.Name != name {
			continue
		}
		var all [][]string
		for _, c := range t.Columns {
			null, key := "", ""
			if c.Nullable {
				null = "may be NULL"
			}
			if c.Key {
				key = "key"
			}
			all = append(all, []string{c.Name, c.Type, null, key, c.References, c.Meaning})
		}
		return p.print(t, []string{"column", "type", "null", "key", "refers to", "meaning"}, all)
	}
	return usageError{fmt.Errorf("the dataset %s has no table %q; see: examen dataset show %s", d.Name, name, d.Name)}
}
