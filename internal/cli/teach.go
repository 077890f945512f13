package cli

import (
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"examen/internal/client"
	"examen/internal/core/marking"
)

func (p *program) paper() *cobra.Command {
	list := &cobra.Command{
		Use: "list", Short: "List one's papers", Args: argsBetween(0, 0, "no arguments"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, _, err := p.connect()
			if err != nil {
				return err
			}
			papers, err := client.Read[[]client.PaperSummary](c.ListPapers(cmd.Context()))
			if err != nil {
				return err
			}
			var all [][]string
			for _, s := range papers {
				all = append(all, []string{s.Slug, s.Title, string(s.State), clock(s.Opens), clock(s.Due), fmt.Sprintf("%d of %d", s.Correct, s.Exercises),
					fmt.Sprintf("%s of %s", marking.Format(s.Mark), marking.Format(s.Points))})
			}
			return p.print(papers, []string{"paper", "title", "state", "opens", "due", "correct", "points"}, all)
		},
	}
	show := &cobra.Command{
		Use: "show PAPER", Short: "List a paper's exercises", Args: argsBetween(1, 1, "a paper"),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, _, err := p.connect()
			if err != nil {
				return err
			}
			paper, err := client.Read[client.Paper](c.GetPaper(cmd.Context(), args[0]))
			if err != nil {
				return err
			}
			var all [][]string
			for _, s := range paper.Sections {
				if s.Exercise.Slug != "" {
					all = append(all, exerciseLine(s.Exercise))
				}
			}
			return p.print(paper, exerciseHeader, all)
		},
	}
	return group("paper", "Papers", list, show, p.openPaper())
}

func (p *program) openPaper() *cobra.Command {
	var course, opens, due string
	c := &cobra.Command{
		Use: "open PAPER --course COURSE", Short: "Open a paper to a course, or change its times there", Args: argsBetween(1, 1, "a paper"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if course == "" {
				return usageError{fmt.Errorf("open wants a course: --course NAME")}
			}
			times := client.PaperTimes{}
			for flag, to := range map[string]*time.Time{opens: &times.Opens, due: &times.Due} {
				if flag == "" {
					continue
				}
				t, err := time.Parse(time.RFC3339, flag)
				if err != nil {
					return usageError{fmt.Errorf("%q is no time: write it as 2026-09-01T08:00:00Z", flag)}
				}
				*to = t
			}
			c, _, err := p.connect()
			if err != nil {
				return err
			}
			set, err := client.Read[client.CoursePaper](c.OpenPaper(cmd.Context(), course, args[0], times))
			if err != nil {
				return err
			}
			return p.print(set, coursePaperHeader, [][]string{coursePaperLine(set)})
		},
	}
	c.Flags().StringVar(&course, "course", "", "the course")
	c.Flags().StringVar(&opens, "opens", "", "when it opens (default: the paper's own time)")
	c.Flags().StringVar(&due, "due", "", "when it is due (default: the paper's own time)")
	return c
}

var coursePaperHeader = []string{"paper", "title", "state", "opens", "due"}

func coursePaperLine(c client.CoursePaper) []string {
	return []string{c.Paper, c.Title, string(c.State), clock(c.Opens), clock(c.Due)}
}

func (p *program) pack() *cobra.Command {
	load := &cobra.Command{
		Use: "load DIR", Short: "Load a pack's folder: all of it, or nothing", Args: argsBetween(1, 1, "a folder"),
		RunE: func(cmd *cobra.Command, args []string) error {
			files, err := packFiles(args[0])
			if err != nil {
				return usageError{err}
			}
			c, _, err := p.connect()
			if err != nil {
				return err
			}
			report, err := client.Read[client.PackReport](c.LoadPack(cmd.Context(), client.PackFiles{Files: files}))
			if err != nil {
				return err
			}
			var all [][]string
			for _, d := range report.Datasets {
				all = append(all, []string{"dataset", d.Dataset, fmt.Sprintf("build %d: %s, %s, %s, %.0f ms", d.Build, plural(int64(d.Tables), "table"), plural(d.Rows, "row"), plural(int64(d.Variants), "variant"), d.ElapsedMs)})
			}
			for _, l := range report.Papers {
				all = append(all, []string{"paper", l.Slug, fmt.Sprintf("%s: %s, %s", l.Title, plural(int64(l.Exercises), "exercise"), points(l.Points))})
			}
			return p.print(report, []string{"loaded", "name", "what"}, all)
		},
	}
	return group("pack", "Packs of datasets and papers", load)
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

func (p *program) dataset() *cobra.Command {
	list := &cobra.Command{
		Use: "list", Short: "List datasets", Args: argsBetween(0, 0, "no arguments"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, _, err := p.connect()
			if err != nil {
				return err
			}
			datasets, err := client.Read[[]client.DatasetSummary](c.ListDatasets(cmd.Context()))
			if err != nil {
				return err
			}
			var all [][]string
			for _, d := range datasets {
				all = append(all, []string{d.Name, d.Title, fmt.Sprint(d.Build), fmt.Sprint(d.Tables), fmt.Sprint(d.Rows)})
			}
			return p.print(datasets, []string{"dataset", "title", "build", "tables", "rows"}, all)
		},
	}
	show := &cobra.Command{
		Use: "show NAME [TABLE]", Short: "List a dataset's tables, or one table's columns", Args: argsBetween(1, 2, "a dataset, and a table"),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, _, err := p.connect()
			if err != nil {
				return err
			}
			d, err := client.Read[client.Dataset](c.GetDataset(cmd.Context(), args[0]))
			if err != nil {
				return err
			}
			if len(args) == 2 {
				return p.printTable(d, args[1])
			}
			var all [][]string
			for _, t := range d.Tables {
				names := make([]string, len(t.Columns))
				for i, c := range t.Columns {
					names[i] = c.Name
				}
				all = append(all, []string{t.Name, fmt.Sprint(t.Rows), t.Meaning, strings.Join(names, ", ")})
			}
			return p.print(d, []string{"table", "rows", "meaning", "columns"}, all)
		},
	}
	return group("dataset", "Sample databases", list, show)
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

func (p *program) course() *cobra.Command {
	var title string
	create := &cobra.Command{
		Use: "create NAME --title TITLE", Short: "Make a course", Args: argsBetween(1, 1, "a name"),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, _, err := p.connect()
			if err != nil {
				return err
			}
			course, err := client.Read[client.Course](c.CreateCourse(cmd.Context(), client.NewCourse{Slug: args[0], Title: title}))
			if err != nil {
				return err
			}
			return p.print(course, []string{"course", "title"}, [][]string{{course.Slug, course.Title}})
		},
	}
	create.Flags().StringVar(&title, "title", "", "the title that people read")
	list := &cobra.Command{
		Use: "list", Short: "List courses", Args: argsBetween(0, 0, "no arguments"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, _, err := p.connect()
			if err != nil {
				return err
			}
			courses, err := client.Read[[]client.Course](c.ListCourses(cmd.Context()))
			if err != nil {
				return err
			}
			var all [][]string
			for _, c := range courses {
				all = append(all, []string{c.Slug, c.Title, fmt.Sprint(c.Learners), fmt.Sprint(c.Papers)})
			}
			return p.print(courses, []string{"course", "title", "learners", "papers"}, all)
		},
	}
	show := &cobra.Command{
		Use: "show COURSE", Short: "List a course's papers", Args: argsBetween(1, 1, "a course"),
		RunE: func(cmd *cobra.Command, args []string) error {
			detail, err := p.courseDetail(cmd, args[0])
			if err != nil {
				return err
			}
			var all [][]string
			for _, paper := range detail.Papers {
				all = append(all, coursePaperLine(paper))
			}
			return p.print(detail, coursePaperHeader, all)
		},
	}
	return group("course", "Courses", create, list, show)
}

func (p *program) courseDetail(cmd *cobra.Command, course string) (client.CourseDetail, error) {
	c, _, err := p.connect()
	if err != nil {
		return client.CourseDetail{}, err
	}
	return client.Read[client.CourseDetail](c.GetCourse(cmd.Context(), course))
}

func (p *program) learner() *cobra.Command {
	var course, display string
	add := &cobra.Command{
		Use: "add NAME --course COURSE", Short: "Add a learner to a course and print the one-time password", Args: argsBetween(1, 1, "a name"),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, _, err := p.connect()
			if err != nil {
				return err
			}
			added, err := client.Read[client.AddedLearner](c.AddLearner(cmd.Context(), course, client.NewLearner{Name: args[0], DisplayName: display}))
			if err != nil {
				return err
			}
			return p.print(added, learnerHeader, [][]string{{added.Account.Name, added.Account.DisplayName, added.Password}})
		},
	}
	add.Flags().StringVar(&course, "course", "", "the course")
	add.Flags().StringVar(&display, "display-name", "", "the name that people read")
	list := &cobra.Command{
		Use: "list --course COURSE", Short: "List a course's learners", Args: argsBetween(0, 0, "flags only"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			detail, err := p.courseDetail(cmd, course)
			if err != nil {
				return err
			}
			var all [][]string
			for _, l := range detail.Learners {
				all = append(all, []string{l.Name, l.DisplayName})
			}
			return p.print(detail.Learners, []string{"learner", "display name"}, all)
		},
	}
	list.Flags().StringVar(&course, "course", "", "the course")
	reset := &cobra.Command{
		Use: "reset NAME", Short: "Give a learner a new one-time password", Args: argsBetween(1, 1, "a name"),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, _, err := p.connect()
			if err != nil {
				return err
			}
			added, err := client.Read[client.AddedLearner](c.ResetLearner(cmd.Context(), args[0]))
			if err != nil {
				return err
			}
			return p.print(added, learnerHeader, [][]string{{added.Account.Name, added.Account.DisplayName, added.Password}})
		},
	}
	return group("learner", "Learners of a course", add, list, reset)
}

var learnerHeader = []string{"learner", "display name", "one-time password"}

func (p *program) progress() *cobra.Command {
	var course string
	c := &cobra.Command{
		Use: "progress PAPER", Short: "Print learners by exercises: outcome and number of attempts", Args: argsBetween(1, 1, "a paper"),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, _, err := p.connect()
			if err != nil {
				return err
			}
			grid, err := client.Read[client.Progress](c.GetProgress(cmd.Context(), args[0], &client.GetProgressParams{Course: course}))
			if err != nil {
				return err
			}
			header := []string{"learner", "name"}
			for _, e := range grid.Exercises {
				header = append(header, fmt.Sprint(e.Number))
			}
			var all [][]string
			for _, l := range grid.Learners {
				line := []string{l.DisplayName, l.Name}
				for _, cell := range l.Cells {
					line = append(line, cellText(cell))
				}
				all = append(all, append(line, marking.Format(l.Mark)))
			}
			return p.print(grid, append(header, "mark"), all)
		},
	}
	c.Flags().StringVar(&course, "course", "", "only this course's learners")
	return c
}

func cellText(c client.ProgressCell) string {
	if c.Attempts == 0 {
		return ""
	}
	return fmt.Sprintf("%s %d", c.Outcome, c.Attempts)
}

func (p *program) marks() *cobra.Command {
	var course, format string
	c := &cobra.Command{
		Use: "marks PAPER", Short: "Print the marks, a learner a line", Args: argsBetween(1, 1, "a paper"),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, _, err := p.connect()
			if err != nil {
				return err
			}
			if format == "" {
				format = p.format
			}
			params := &client.GetMarksParams{Course: course}
			if format == "csv" {
				params.Format = client.Csv
				csv, err := client.Read[string](c.GetMarks(cmd.Context(), args[0], params))
				if err == nil {
					_, err = fmt.Fprint(p.out, csv)
				}
				return err
			}
			if format != "json" && format != "table" {
				return usageError{fmt.Errorf("--format %s: expected csv, json or table", format)}
			}
			p.format = format
			grid, err := client.Read[client.Progress](c.GetMarks(cmd.Context(), args[0], params))
			if err != nil {
				return err
			}
			header := []string{"learner", "name"}
			for _, e := range grid.Exercises {
				header = append(header, fmt.Sprint(e.Number))
			}
			var all [][]string
			for _, l := range grid.Learners {
				line := []string{l.DisplayName, l.Name}
				for _, cell := range l.Cells {
					mark := ""
					if cell.Attempts > 0 {
						mark = marking.Format(cell.Mark)
					}
					line = append(line, mark)
				}
				all = append(all, append(line, marking.Format(l.Mark)))
			}
			return p.print(grid, append(header, "of "+marking.Format(grid.Points)), all)
		},
	}
	c.Flags().StringVar(&course, "course", "", "only this course's learners")
	c.Flags().StringVar(&format, "format", "", "csv, json or table (default: as -o)")
	return c
}
