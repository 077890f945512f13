package cli

import (
	"archive/zip"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net/http"
	"os"
	"path"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"examen/internal/client"
)

func (p *program) packList() *cobra.Command {
	return &cobra.Command{
		Use: "list", Short: "List the packs that are loaded", Args: argsBetween(0, 0, "no arguments"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			return show(p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.ListPacks(ctx)
			}, []string{"pack", "title", "datasets", "papers", "loaded"}, each(func(c client.Pack) []string {
				return []string{c.Name, c.Title, fmt.Sprint(c.Datasets), fmt.Sprint(c.Papers), clock(c.Loaded)}
			}))
		},
	}
}

func (p *program) packExport() *cobra.Command {
	var over bool
	c := &cobra.Command{
		Use: "export PACK [DIR]", Short: "Write a pack's files to a folder, as they were loaded",
		Long: `Writes the files of a pack to a folder (default: named like the pack), byte for byte as they were
loaded. In a folder that holds something already, nothing is written where a file would be changed,
unless with --over; then only files that differ are written. Nothing is removed.`,
		Args: argsBetween(1, 2, "a pack, and perhaps a folder"),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, _, err := p.connect()
			if err != nil {
				return err
			}
			body, err := client.ReadFile(c.ExportPack(cmd.Context(), args[0]))
			if err != nil {
				return err
			}
			defer func() { _ = body.Close() }()
			// The file's list stands at its end: all of it has to be here before the first is written.
			whole, err := os.CreateTemp("", "examen-pack-*.zip")
			if err != nil {
				return err
			}
			defer os.Remove(whole.Name())
			defer func() { _ = whole.Close() }()
			size, err := io.Copy(whole, body)
			if err != nil {
				return fmt.Errorf("%w: %w", client.ErrUnreachable, err)
			}
			files, err := zip.NewReader(whole, size)
			if err != nil {
				return fmt.Errorf("the pack came incomplete (%w): try again", err)
			}
			return p.writePack(files.File, args[len(args)-1], over)
		},
	}
	c.Flags().BoolVar(&over, "over", false, "write over files that differ")
	return c
}

// writePack writes the files of a pack that the folder lacks or, with over, that differ there.
func (p *program) writePack(files []*zip.File, dir string, over bool) error {
	if err := os.MkdirAll(dir, 0o777); err != nil {
		return err
	}
	root, err := os.OpenRoot(dir) // no file leaves it
	if err != nil {
		return err
	}
	defer func() { _ = root.Close() }()
	var write []*zip.File
	var changed, names []string
	for _, f := range files {
		if !fs.ValidPath(f.Name) {
			return fmt.Errorf("the pack has a file %q, which would leave its folder", f.Name)
		}
		names = append(names, f.Name)
		same, there, err := sameFile(root, f)
		if err != nil {
			return err
		}
		if there && !same {
			changed = append(changed, f.Name)
		}
		if !same {
			write = append(write, f)
		}
	}
	if len(changed) > 0 && !over {
		return usageError{fmt.Errorf(
			"nothing was written, since %s would be changed in %s: %s; --over writes over them",
			plural(int64(len(changed)), "file"), dir, strings.Join(changed, ", "),
		)}
	}
	for _, f := range write {
		if err := writeFile(root, f); err != nil {
			return err
		}
		word := "new"
		if slices.Contains(changed, f.Name) {
			word = "changed"
		}
		fmt.Fprintf(p.err, "%s %s\n", word, printable(f.Name))
	}
	fmt.Fprintf(p.err, "%s of the pack in %s, %d written.\n", plural(int64(len(names)), "file"), dir, len(write))
	return p.others(root, names)
}

// sameFile tells whether a file is in the folder, and the same there.
func sameFile(root *os.Root, f *zip.File) (same, there bool, err error) {
	before, err := root.ReadFile(f.Name)
	if errors.Is(err, fs.ErrNotExist) {
		return false, false, nil
	} else if err != nil {
		return false, true, err
	}
	in, err := f.Open()
	if err != nil {
		return false, true, err
	}
	defer func() { _ = in.Close() }()
	now, err := io.ReadAll(in)
	return bytes.Equal(before, now), true, err
}

func writeFile(root *os.Root, f *zip.File) error {
	if folder := path.Dir(f.Name); folder != "." {
		if err := root.MkdirAll(folder, 0o777); err != nil {
			return err
		}
	}
	in, err := f.Open()
	if err != nil {
		return err
	}
	defer func() { _ = in.Close() }()
	out, err := root.Create(f.Name)
	if err != nil {
		return err
	}
	if _, err := io.Copy(out, in); err != nil {
		_ = out.Close()
		return err
	}
	return out.Close()
}

// others names the files of the folder that the pack does not have.
func (p *program) others(root *os.Root, names []string) error {
	return fs.WalkDir(root.FS(), ".", func(name string, d fs.DirEntry, err error) error {
		if d != nil && d.IsDir() && name != "." && strings.HasPrefix(d.Name(), ".") {
			return fs.SkipDir // what version control keeps
		}
		if err == nil && !d.IsDir() && !slices.Contains(names, name) {
			fmt.Fprintf(p.err, "not in the pack: %s\n", printable(name))
		}
		return err
	})
}
