package cli

import (
	"context"
	"fmt"
	"net/http"
	"strings"

	"github.com/spf13/cobra"

	"examen/internal/client"
)

func (p *program) text() *cobra.Command {
	list := &cobra.Command{
		Use: "list [TEXT]", Short: "List the texts that you keep, or those that have a text in them",
		Annotations: map[string]string{pages: "yes"},
		Args:        argsBetween(0, 1, "at most what to look for"),
		RunE: func(cmd *cobra.Command, args []string) error {
			texts, err := p.texts(cmd)
			if err != nil {
				return err
			}
			found := []client.OwnText{}
			for _, t := range texts {
				if len(args) == 0 || strings.Contains(strings.ToLower(t.Name+"\n"+t.Sql), strings.ToLower(args[0])) {
					found = append(found, t)
				}
			}
			return p.print(found, []string{"name", "dataset", "kept", "text"}, each(textLine)(found))
		},
	}
	show := &cobra.Command{
		Use: "show NAME", Short: "Print a text", Args: argsBetween(1, 1, "a name"),
		RunE: func(cmd *cobra.Command, args []string) error {
			t, err := p.textNamed(cmd, args[0])
			if err != nil {
				return err
			}
			if p.format != "table" {
				return p.print(t, []string{"name", "dataset", "kept", "text"}, [][]string{textLine(t)})
			}
			fmt.Fprintln(p.out, lines(t.Sql))
			return nil
		},
	}
	var dataset string
	save := &cobra.Command{
		Use: "save NAME [FILE|-]", Short: "Keep a text under a name; one of that name is replaced",
		Args: argsBetween(1, 2, "a name, and perhaps a file"),
		RunE: func(cmd *cobra.Command, args []string) error {
			texts, err := p.texts(cmd)
			if err != nil {
				return err
			}
			sql, err := p.query(args[1:])
			if err != nil {
				return err
			}
			text := client.NewText{Name: args[0], Dataset: dataset, Sql: sql}
			for _, t := range texts {
				if t.Name == args[0] {
					if text.Dataset == "" {
						text.Dataset = t.Dataset
					}
					return p.keep(cmd, &t, text)
				}
			}
			if dataset == "" {
				return usageError{fmt.Errorf("there is no text %q yet: say which --dataset it is for", args[0])}
			}
			return p.keep(cmd, nil, text)
		},
	}
	save.Flags().StringVar(&dataset, "dataset", "", "the dataset that it is for")
	rename := &cobra.Command{
		Use: "rename NAME NEW", Short: "Give a text another name", Args: argsBetween(2, 2, "a name and another"),
		RunE: func(cmd *cobra.Command, args []string) error {
			t, err := p.textNamed(cmd, args[0])
			if err != nil {
				return err
			}
			return p.keep(cmd, &t, client.NewText{Name: args[1], Dataset: t.Dataset, Sql: t.Sql, Revision: &t.Revision})
		},
	}
	copied := &cobra.Command{
		Use: "copy NAME NEW", Short: "Keep a text under a second name", Args: argsBetween(2, 2, "a name and another"),
		RunE: func(cmd *cobra.Command, args []string) error {
			t, err := p.textNamed(cmd, args[0])
			if err != nil {
				return err
			}
			return p.keep(cmd, nil, client.NewText{Name: args[1], Dataset: t.Dataset, Sql: t.Sql})
		},
	}
	remove := &cobra.Command{
		Use: "remove NAME", Short: "Remove a text", Args: argsBetween(1, 1, "a name"),
		RunE: func(cmd *cobra.Command, args []string) error {
			t, err := p.textNamed(cmd, args[0])
			if err != nil {
				return err
			}
			return p.done(cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.RemoveText(ctx, t.Id)
			})
		},
	}
	return group("text", "Texts of your own, which belong to no exercise", list, show, save, rename, copied, remove)
}

func textLine(t client.OwnText) []string {
	return []string{t.Name, t.Dataset, clock(t.At), strings.Join(strings.Fields(t.Sql), " ")}
}

func (p *program) texts(cmd *cobra.Command) ([]client.OwnText, error) {
	return ask[[]client.OwnText](p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
		return c.ListTexts(ctx)
	})
}

func (p *program) textNamed(cmd *cobra.Command, name string) (client.OwnText, error) {
	texts, err := p.texts(cmd)
	for _, t := range texts {
		if t.Name == name {
			return t, nil
		}
	}
	if err == nil {
		err = fmt.Errorf("you keep no text %q: examen text list names those there are", name)
	}
	return client.OwnText{}, err
}

// keep keeps a text, in place of another or (nil) as a new one.
func (p *program) keep(cmd *cobra.Command, before *client.OwnText, text client.NewText) error {
	_, err := ask[client.OwnText](p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
		if before == nil {
			return c.AddText(ctx, text)
		}
		return c.KeepText(ctx, before.Id, text)
	})
	if err == nil {
		fmt.Fprintf(p.err, "Kept as %s.\n", printable(text.Name))
	}
	return err
}
