package cli

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"net/http"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"examen/internal/client"
)

func (p *program) dataset() *cobra.Command {
	return group(
		"dataset", "Sample databases", p.datasetList(), p.datasetShow(), p.datasetRows(), p.datasetMap(),
		p.datasetBuild(), p.datasetBuilds(), p.datasetUse(), p.datasetConfirm(), p.datasetFollow(), p.datasetStop(),
		p.datasetChanges(), p.datasetDrop(),
	)
}

func (p *program) datasetList() *cobra.Command {
	return &cobra.Command{
		Use: "list", Short: "List datasets", Args: argsBetween(0, 0, "no arguments"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			return show(p, cmd, func(ctx context.Context, c *client.Client) (
				*http.Response, error,
			) {
				return c.ListDatasets(ctx)
			},
				[]string{"dataset", "title", "build", "tables", "rows"}, each(func(d client.DatasetSummary) []string {
					return []string{d.Name, d.Title, fmt.Sprint(d.Build), fmt.Sprint(d.Tables), fmt.Sprint(d.Rows)}
				}))
		},
	}
}

func (p *program) datasetShow() *cobra.Command {
	return &cobra.Command{
		Use: "show NAME [TABLE]", Short: "List a dataset's tables, or describe one table",
		Args: argsBetween(1, 2, "a dataset, and perhaps a table"),
		RunE: func(cmd *cobra.Command, args []string) error {
			d, err := ask[client.Dataset](
				p, cmd,
				func(ctx context.Context, c *client.Client) (
					*http.Response, error,
				) {
					return c.GetDataset(ctx, args[0], nil)
				},
			)
			if err != nil {
				return err
			}
			if len(args) == 2 {
				return p.showTable(d, args[1])
			}
			return p.showDataset(d)
		},
	}
}

func (p *program) showDataset(d client.Dataset) error {
	if err := p.print(
		d, []string{"table", "rows", "meaning", "columns"}, tableLines(d),
	); err != nil || p.format != "table" {
		return err
	}
	if len(d.Variants) > 0 {
		fmt.Fprintf(p.out, "\nVariants: %s\n", printable(strings.Join(d.Variants, ", ")))
	}
	if len(d.Builds) > 0 {
		for _, b := range d.Builds[0].Report.Broken {
			fmt.Fprintf(p.out, "\nBroken by build %d: %s", d.Build, printable(b))
		}
		fmt.Fprintf(
			p.out, "\nBuild %d, made %s, %s on disk. See also: examen dataset show %s TABLE, examen dataset map %s\n",
			d.Build, clock(d.Builds[0].Made), bytesOf(d.Bytes), d.Name, d.Name,
		)
	}
	return nil
}

func tableLines(d client.Dataset) [][]string {
	var all [][]string
	for _, t := range d.Tables {
		names := make([]string, len(t.Columns))
		for i, c := range t.Columns {
			names[i] = c.Name
		}
		name := t.Name
		if t.View {
			name += " (view)"
		}
		all = append(all, []string{name, countOf(t.Rows), t.Meaning, strings.Join(names, ", ")})
	}
	return all
}

// countOf returns a table's number of rows as text; "" for a view that was not counted.
func countOf(rows int64) string {
	if rows < 0 {
		return ""
	}
	return fmt.Sprint(rows)
}

func findTable(d client.Dataset, name string) (client.Table, error) {
	for _, t := range d.Tables {
		if t.Name == name {
			return t, nil
		}
	}
	return client.Table{}, usageError{
		fmt.Errorf("the dataset %s has no table %q; see: examen dataset show %s", d.Name, name, d.Name),
	}
}

func (p *program) showTable(d client.Dataset, name string) error {
	t, err := findTable(d, name)
	if err != nil {
		return err
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
		all = append(
			all,
			[]string{c.Name, c.Type, null, key, c.References, c.Default, c.Meaning, strings.Join(c.Examples, ", ")},
		)
	}
	if p.format != "table" {
		return p.print(t, []string{"column", "type", "null", "key", "refers to", "default", "meaning", "examples"}, all)
	}
	what := "table"
	if t.View {
		what = "view"
	}
	fmt.Fprintf(p.out, "%s, a %s of %s", printable(t.Name), what, d.Name)
	if t.Rows >= 0 {
		fmt.Fprintf(p.out, " with %s", plural(t.Rows, "row"))
	}
	fmt.Fprintf(p.out, ". %s\n\n", printable(t.Meaning))
	if err := p.print(
		t, []string{"column", "type", "null", "key", "refers to", "default", "meaning", "examples"}, all,
	); err != nil {
		return err
	}
	section := func(title string, lines []string) {
		if len(lines) > 0 {
			fmt.Fprintf(p.out, "\n%s\n", title)
		}
		for _, l := range lines {
			fmt.Fprintf(p.out, "  %s\n", printable(l))
		}
	}
	var relations, rules, indexes []string
	for _, r := range d.Relations {
		if r.From == t.Name {
			relations = append(relations, r.Outward)
		}
		if r.To == t.Name {
			relations = append(relations, r.Inward)
		}
	}
	for _, k := range t.Constraints {
		if k.Kind != client.ForeignKey {
			rules = append(rules, k.Words)
		}
	}
	for _, i := range t.Indexes {
		unique := ""
		if i.Unique {
			unique = "unique "
		}
		indexes = append(indexes, fmt.Sprintf("%s: %s%s", i.Name, unique, i.Definition))
	}
	section("Relations", relations)
	section("Constraints", rules)
	section("Indexes", indexes)
	if t.Query != "" {
		section("Query", strings.Split(strings.TrimSpace(t.Query), "\n"))
	}
	return nil
}

func (p *program) datasetRows() *cobra.Command {
	var params client.ListRowsParams
	var where string
	c := &cobra.Command{
		Use: "rows NAME TABLE", Short: "Page through a table's rows", Args: argsBetween(2, 2, "a dataset and a table"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if where != "" {
				column, value, ok := strings.Cut(where, "=")
				if !ok {
					return usageError{fmt.Errorf("--where %s: expected COLUMN=VALUE, or COLUMN=NULL", where)}
				}
				params.Column, params.Value, params.Null = column, value, value == "NULL"
				if params.Null {
					params.Value = ""
				}
			}
			page, err := ask[client.RowPage](p, cmd, func(ctx context.Context, c *client.Client) (
				*http.Response, error,
			) {
				return c.ListRows(ctx, args[0], args[1], &params)
			})
			if err != nil {
				return err
			}
			header := make([]string, len(page.Columns))
			for i, column := range page.Columns {
				header[i] = column.Name
			}
			if err := p.print(page, header, cells(page.Rows)); err != nil {
				return err
			}
			if page.More {
				fmt.Fprintf(p.err, "More rows follow: --offset %d\n", page.Offset+int64(len(page.Rows)))
			}
			return nil
		},
	}
	f := c.Flags()
	f.StringVar(&params.Sort, "sort", "", "the column to sort by")
	f.BoolVar(&params.Descending, "descending", false, "in descending order")
	f.StringVar(&where, "where", "", "only rows in which a column has a value: COLUMN=VALUE, or COLUMN=NULL")
	f.Int64Var(&params.Offset, "offset", 0, "rows to skip")
	f.IntVar(&params.Limit, "limit", 50, "rows to print, at most 500")
	return c
}

func (p *program) datasetMap() *cobra.Command {
	var format, table, file string
	c := &cobra.Command{
		Use: "map NAME", Short: "Print the map of a dataset's tables: as text, Mermaid or SVG",
		Args: argsBetween(1, 1, "a dataset"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if format != "text" && format != "mermaid" && format != "svg" {
				return usageError{fmt.Errorf("--format %s: expected text, mermaid or svg", format)}
			}
			params := client.GetMapParams{Format: client.GetMapParamsFormat(format), Table: table}
			if p.format == "json" {
				params.Format = client.MapJSON
			}
			text, err := ask[string](p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.GetMap(ctx, args[0], &params)
			})
			if err != nil {
				return err
			}
			if file != "" {
				return os.WriteFile(file, []byte(text), 0o644)
			}
			if format == "text" {
				text = lines(text)
			}
			_, err = fmt.Fprint(p.out, text)
			return err
		},
	}
	f := c.Flags()
	f.StringVar(&format, "format", "text", "text, mermaid or svg")
	f.StringVar(&table, "table", "", "only this table and its neighbours")
	f.StringVar(&file, "to", "", "a file to write to, instead of standard output")
	return c
}

func (p *program) datasetDrop() *cobra.Command {
	var yes bool
	c := &cobra.Command{
		Use: "drop NAME", Short: "Remove an unused dataset; its history stays", Args: argsBetween(1, 1, "a dataset"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if !yes {
				question := fmt.Sprintf("Remove the dataset %s and all of its builds?", args[0])
				if err := p.sure(question, "nothing was removed"); err != nil {
					return err
				}
			}
			_, err := ask[struct{}](p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.DropDataset(ctx, args[0])
			})
			if err == nil {
				fmt.Fprintf(p.err, "The dataset %s is removed.\n", args[0])
			}
			return err
		},
	}
	c.Flags().BoolVar(&yes, "yes", false, "do not ask")
	return c
}

// sure asks for confirmation on a terminal. Elsewhere, --yes has to give it. refused says what was not done.
func (p *program) sure(question, refused string) error {
	if !isTerminal(p.in) {
		return usageError{errors.New("nobody can be asked here: say --yes")}
	}
	yes, err := p.yes(question)
	if err == nil && !yes {
		err = usageError{errors.New(refused)}
	}
	return err
}

// yes asks a question on a terminal; elsewhere the answer is no.
func (p *program) yes(question string) (bool, error) {
	if !isTerminal(p.in) {
		return false, nil
	}
	answer, err := p.ask(bufio.NewReader(p.in), question+" [y/N] ")
	return strings.EqualFold(answer, "y") || strings.EqualFold(answer, "yes"), err
}

// bytesOf formats a size.
func bytesOf(n int64) string {
	switch {
	case n >= 1<<30:
		return fmt.Sprintf("%.1f GB", float64(n)/(1<<30))
	case n >= 1<<20:
		return fmt.Sprintf("%.1f MB", float64(n)/(1<<20))
	case n >= 1<<10:
		return fmt.Sprintf("%.0f kB", float64(n)/(1<<10))
	}
	return plural(n, "byte")
}
