package cli

import (
	"context"
	"fmt"
	"io/fs"
	"net/http"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"examen/internal/client"
)

func (p *program) pack() *cobra.Command {
	load := &cobra.Command{
		Use: "load DIR", Short: "Load a pack's folder: all of it, or nothing", Args: argsBetween(1, 1, "a folder"),
		RunE: func(cmd *cobra.Command, args []string) error {
			files, err := packFiles(args[0])
			if err != nil {
				return usageError{err}
			}
			return show(p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.LoadPack(ctx, client.PackFiles{Files: files})
			},
				[]string{"loaded", "name", "what"}, packLines)
		},
	}
	return group("pack", "Packs of datasets and papers", load)
}

func packLines(report client.PackReport) [][]string {
	var all [][]string
	for _, d := range report.Datasets {
		all = append(all, []string{"dataset", d.Dataset, fmt.Sprintf("build %d: %s, %s, %s, %.0f ms", d.Build, plural(int64(d.Tables), "table"), plural(d.Rows, "row"), plural(int64(d.Variants), "variant"), d.ElapsedMs)})
		for _, text := range d.PassedOver {
			all = append(all, []string{"passed over", d.Dataset, text})
		}
	}
	for _, l := range report.Papers {
		all = append(all, []string{"paper", l.Slug, fmt.Sprintf("%s: %s, %s", l.Title, plural(int64(l.Exercises), "exercise"), points(l.Points))})
	}
	return all
}

// packFiles reads the files below a folder, those whose names begin with a dot left out.
func packFiles(folder string) ([]client.PackFile, error) {
	root, err := os.OpenRoot(folder)
	if err != nil {
		return nil, err
	}
	defer root.Close()
	var files []client.PackFile
	err = fs.WalkDir(root.FS(), ".", func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if path != "." && strings.HasPrefix(d.Name(), ".") {
			if d.IsDir() {
				return fs.SkipDir
			}
			return nil
		}
		if d.IsDir() {
			return nil
		}
		content, err := fs.ReadFile(root.FS(), path)
		if err != nil {
			return err
		}
		files = append(files, client.PackFile{Path: filepath.ToSlash(path), Content: content})
		return nil
	})
	return files, err
}
