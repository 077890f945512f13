package cli

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net/http"
	"os"
	"path"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"examen/internal/client"
	"examen/internal/core/script"
)

func (p *program) datasetBuild() *cobra.Command {
	var name string
	var background bool
	var params client.BuildDatasetParams
	c := &cobra.Command{
		Use: "build DIR|FILE...", Short: "Build a dataset from setup scripts, or from CSV files alone",
		Args: argsBetween(1, 1000, "a folder or files"),
		Long: `Build a dataset from setup scripts, or from CSV files alone.

Scripts are SQL as it is written by hand or by pg_dump, plain or compressed with gzip. Files that they
include (\i, \ir) or copy (\copy) are sent with them. Of a folder all .sql files run, in the order of
their names, but for those that others include. The last good build stays in use until this one is done.`,
		RunE: func(cmd *cobra.Command, args []string) error {
			s, err := sending(args)
			if err != nil {
				return usageError{err}
			}
			defer s.root.Close()
			if name == "" {
				name = s.name
			}
			params.Folder, params.Script = s.folder, s.scripts
			c, job, err := p.send(s, func(c *client.Client, contentType string, body io.Reader) (
				*http.Response, error,
			) {
				return c.BuildDatasetWithBody(cmd.Context(), name, &params, contentType, body, client.AskFirst)
			})
			if err != nil {
				return err
			}
			if background {
				fmt.Fprintf(
					p.err, "The build of %s is job %s; see: examen dataset follow %s\n", job.Name, job.Id, job.Id,
				)
				return p.printJob(job)
			}
			return p.follow(cmd.Context(), c, job, true)
		},
	}
	f := c.Flags()
	f.StringVar(&name, "name", "", "the dataset's name (default: the folder's, or the first file's)")
	f.StringVar(&params.Title, "title", "", "its title")
	f.StringVar(
		&params.Encoding, "encoding", "", "the files' encoding until they declare one, such as LATIN1 (default UTF-8)",
	)
	f.BoolVar(&params.KeepGoing, "keep-going", false, "go on after an error, to list them all; the build still fails")
	f.BoolVar(
		&params.Break, "break", false,
		"do not ask before it breaks accepted answers, or tables and columns that papers use",
	)
	f.BoolVar(&background, "background", false, "do not wait for the end")
	return c
}

// send makes a call that takes files, and returns the job that it began.
func (p *program) send(
	s *files, call func(c *client.Client, contentType string, body io.Reader) (*http.Response, error),
) (*client.Client, client.Job, error) {
	c, _, err := p.connect()
	if err != nil {
		return nil, client.Job{}, err
	}
	bar := p.bar(s.bytes, "Sending the files")
	defer bar.end()
	contentType, body := client.SendFiles(s.root.FS(), s.paths, func(n int) { bar.add(int64(n)) })
	defer body.Close()
	job, err := client.Read[client.Job](call(c, contentType, body))
	return c, job, err
}

// files are what a build sends.
type files struct {
	root    *os.Root
	name    string
	paths   []string
	folder  bool
	scripts []string // to run; nil: all
	bytes   int64
}

var notSlug = regexp.MustCompile(`[^a-z0-9]+`)

// sending finds the files of a folder, or those given with all that they name.
func sending(args []string) (*files, error) {
	first, err := os.Stat(args[0])
	if err != nil {
		return nil, linked(filepath.Dir(args[0]), err)
	}
	s := &files{folder: first.IsDir()}
	if s.folder && len(args) > 1 {
		return nil, fmt.Errorf("a folder is given, and %d more: give one folder, or files", len(args)-1)
	}
	base := args[0]
	if !s.folder {
		base = commonFolder(args)
	}
	if s.root, err = os.OpenRoot(base); err != nil {
		return nil, err
	}
	absolute, _ := filepath.Abs(args[0])
	named, _, _ := strings.Cut(filepath.Base(absolute), ".")
	s.name = strings.Trim(notSlug.ReplaceAllString(strings.ToLower(named), "-"), "-")
	if s.folder {
		err = s.walk()
	} else {
		err = s.given(base, args)
	}
	for _, name := range s.paths {
		info, wrong := fs.Stat(s.root.FS(), name)
		switch {
		case wrong != nil:
			err = cmp.Or(err, wrong)
		case info.IsDir(): // reached by a link, or it would have been walked
			err = cmp.Or(
				err,
				fmt.Errorf(
					"%s is a link to a folder, and links to folders are not followed: put the folder itself there",
					name,
				),
			)
		default:
			s.bytes += info.Size()
		}
	}
	if err != nil {
		s.root.Close()
	}
	return s, linked(base, err)
}

// linked explains why a file cannot be read: because a link leads out of its folder, or nowhere.
func linked(base string, err error) error {
	var wrong *fs.PathError
	if !errors.As(err, &wrong) {
		return err
	}
	at := base
	for _, part := range strings.Split(
		filepath.ToSlash(strings.TrimPrefix(wrong.Path, base+string(filepath.Separator))), "/",
	) {
		at = filepath.Join(at, part)
		target, isLink := os.Readlink(at)
		if isLink != nil {
			continue
		}
		if _, gone := os.Stat(at); gone != nil {
			return fmt.Errorf("%s is a link to %s, which is not there", at, target)
		}
		return fmt.Errorf(
			"%s is a link to %s, outside of the folder %s: only what is in the folder is sent; put the file itself "+
				"there",
			at, target, base,
		)
	}
	return err
}

// commonFolder is the deepest folder that holds all files.
func commonFolder(args []string) string {
	common := filepath.Dir(args[0])
	for _, arg := range args[1:] {
		for !strings.HasPrefix(filepath.Dir(arg)+"/", common+"/") && common != "." && common != "/" {
			common = filepath.Dir(common)
		}
	}
	return common
}

func (s *files) walk() error {
	return fs.WalkDir(s.root.FS(), ".", func(name string, d fs.DirEntry, err error) error {
		switch {
		case err != nil:
			return err
		case name != "." && strings.HasPrefix(d.Name(), "."):
			if d.IsDir() {
				return fs.SkipDir
			}
		case !d.IsDir():
			s.paths = append(s.paths, name)
		}
		return nil
	})
}

func (s *files) given(base string, args []string) error {
	var csv []string
	for _, arg := range args {
		name, err := filepath.Rel(base, arg)
		if err != nil {
			return err
		}
		name = filepath.ToSlash(name)
		if info, err := fs.Stat(s.root.FS(), name); err != nil {
			return err
		} else if info.IsDir() {
			return fmt.Errorf("%s is a folder: give one folder, or files", arg)
		}
		if end := path.Ext(strings.TrimSuffix(strings.ToLower(name), ".gz")); end == ".csv" || end == ".tsv" {
			csv = append(csv, name)
		} else {
			s.scripts = append(s.scripts, name)
		}
	}
	if s.scripts == nil {
		s.paths = csv
		return nil
	}
	needed, err := script.Needed(s.root.FS(), s.scripts)
	for _, name := range append(needed, csv...) {
		if !slices.Contains(s.paths, name) {
			s.paths = append(s.paths, name)
		}
	}
	return err
}

func (p *program) printReport(r client.JobReport) {
	for i, d := range r.Datasets {
		if i > 0 {
			fmt.Fprintln(p.out)
		}
		variants := ""
		if d.Variants > 0 {
			variants = ", " + plural(int64(d.Variants), "variant")
		}
		fmt.Fprintf(
			p.out, "%s, build %d: %s, %s%s, %s on disk, %.1f s\n\n", d.Dataset, d.Build,
			plural(int64(d.Tables), "table"), plural(d.Rows, "row"), variants, bytesOf(d.Bytes), d.ElapsedMs/1000,
		)
		var sizes [][]string
		for _, t := range d.Sizes {
			sizes = append(sizes, []string{t.Table, fmt.Sprint(t.Rows), bytesOf(t.Bytes)})
		}
		p.table(p.out, []string{"table", "rows", "size"}, sizes)
		for _, t := range d.Inferred {
			from := fmt.Sprintf("columns separated by %q", t.Delimiter)
			if t.Sheet != "" {
				from = "sheet " + printable(t.Sheet)
			}
			fmt.Fprintf(
				p.out, "\n%s, made from %s (%s, %s):\n", printable(t.Name), printable(t.File), plural(t.Rows, "row"),
				from,
			)
			var columns [][]string
			for _, c := range t.Columns {
				columns = append(columns, []string{c.Name, typeWords(c), c.Header, fmt.Sprint(c.Nulls), couldBe(t, c)})
			}
			p.table(p.out, []string{"column", "type", "in the file", "nulls", "could be"}, columns)
		}
		list := func(title string, lines []string) {
			if len(lines) > 0 {
				fmt.Fprintf(p.out, "\n%s\n", title)
			}
			for _, l := range lines {
				fmt.Fprintf(p.out, "  %s\n", printable(l))
			}
		}
		list("Skipped (does not affect the data)", d.PassedOver)
		list("Advice", d.Advice)
	}
	if len(r.Papers) > 0 {
		var papers [][]string
		for _, l := range r.Papers {
			papers = append(papers, []string{l.Slug, l.Title, fmt.Sprint(l.Exercises), fmt.Sprint(l.Points)})
		}
		fmt.Fprintln(p.out)
		p.table(p.out, []string{"paper", "title", "exercises", "points"}, papers)
	}
}

func (p *program) datasetBuilds() *cobra.Command {
	return &cobra.Command{
		Use:   "builds [NAME]",
		Short: "List the latest builds and loads, and how they ended; or a dataset's builds, which one can return to",
		Args:  argsBetween(0, 1, "at most a dataset"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) == 1 {
				return p.buildsOf(cmd, args[0])
			}
			return show(p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.ListJobs(ctx, &client.ListJobsParams{})
			}, []string{"job", "kind", "name", "state", "begun", "by", "what"}, each(func(j client.Job) []string {
				what := j.Problem.Detail
				var made []string
				for _, d := range j.Report.Datasets {
					made = append(
						made,
						fmt.Sprintf(
							"%s, build %d: %s, %s", d.Dataset, d.Build, plural(int64(d.Tables), "table"),
							plural(d.Rows, "row"),
						),
					)
				}
				if made != nil {
					what = strings.Join(made, "; ")
				}
				return []string{j.Id, string(j.Kind), j.Name, string(j.State), clock(j.Made), j.Account, what}
			}))
		},
	}
}

func (p *program) buildsOf(cmd *cobra.Command, name string) error {
	d, err := ask[client.Dataset](
		p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
			return c.GetDataset(ctx, name, nil)
		},
	)
	if err != nil {
		return err
	}
	var lines [][]string
	for _, b := range d.Builds {
		state := "removed"
		switch {
		case b.InUse:
			state = "in use"
		case b.Kept:
			state = "kept"
		}
		lines = append(
			lines,
			[]string{
				fmt.Sprint(b.Number), state, clock(b.Made), fmt.Sprint(b.Report.Tables), fmt.Sprint(b.Report.Rows),
				fmt.Sprint(len(b.Report.Broken)),
			},
		)
	}
	if err := p.print(
		d.Builds, []string{"build", "state", "made", "tables", "rows", "broken answers"}, lines,
	); err != nil || p.format != "table" {
		return err
	}
	fmt.Fprintf(p.err, "To return to one that is kept: examen dataset use %s BUILD\n", printable(name))
	return nil
}

func (p *program) datasetUse() *cobra.Command {
	return &cobra.Command{
		Use: "use NAME BUILD", Short: "Return to an earlier build of a dataset",
		Args: argsBetween(2, 2, "a dataset and the number of a build"),
		RunE: func(cmd *cobra.Command, args []string) error {
			number, err := strconv.Atoi(args[1])
			if err != nil {
				return usageError{
					fmt.Errorf("%q is not the number of a build; see: examen dataset builds %s", args[1], args[0]),
				}
			}
			d, err := ask[client.Dataset](p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.UseBuild(ctx, args[0], client.BuildChoice{Build: number})
			})
			if err != nil {
				return err
			}
			fmt.Fprintf(p.err, "%s is in build %d now.\n", printable(d.Name), d.Build)
			if p.format == "table" {
				return nil
			}
			return p.print(d, []string{"dataset", "build"}, [][]string{{d.Name, fmt.Sprint(d.Build)}})
		},
	}
}

// typeWords describes the type chosen for a column of a file, and how its values are written there.
func typeWords(c client.InferredColumn) string {
	if c.Format == "" {
		return c.Type
	}
	return c.Type + ", " + c.Format
}

// couldBe describes the key, or the reference to a key, that a column of a file could be.
func couldBe(t client.InferredTable, c client.InferredColumn) string {
	switch {
	case c.Name == t.Key:
		return "primary key"
	case c.References != "":
		return "reference to " + c.References
	}
	return ""
}
