package cli

import (
	"fmt"
	"io"
	"net/http"

	"github.com/spf13/cobra"

	"examen/internal/client"
)

func (p *program) pack() *cobra.Command {
	load := &cobra.Command{
		Use: "load DIR", Short: "Load a pack's folder: all of it, or nothing", Args: argsBetween(1, 1, "a folder"),
		RunE: func(cmd *cobra.Command, args []string) error {
			s, err := sending(args)
			if err == nil && !s.folder {
				err = fmt.Errorf("%s is no folder: a pack is a folder with a pack.yaml", args[0])
			}
			if err != nil {
				return usageError{err}
			}
			defer s.root.Close()
			c, job, err := p.send(s, func(c *client.Client, contentType string, body io.Reader) (*http.Response, error) {
				return c.LoadPackWithBody(cmd.Context(), contentType, body, client.AskFirst)
			})
			if err != nil {
				return err
			}
			return p.follow(cmd.Context(), c, job, true)
		},
	}
	return group("pack", "Packs of datasets and papers", load)
}
