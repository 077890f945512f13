package cli

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"examen/internal/client"
	"examen/internal/core/marking"
)

// view says which learners of a grid are printed, and what of them.
type view struct {
	group, who, from, to, sort, show string
}

func (p *program) progress() *cobra.Command {
	var course string
	var v view
	var follow, same bool
	c := &cobra.Command{
		Use:   "progress PAPER[/EXERCISE]",
		Short: "Print learners by exercises: outcome and number of attempts; or how a class gets on with one",
		Args:  argsBetween(1, 1, "a paper, or an exercise of one"),
		Long: `Prints learners by exercises: the outcome of the attempt that counts, and how many there
were; with --show time how long was worked at an exercise until it was solved, pauses left
out. Who is stuck has had three attempts or more without coming nearer to the expected rows.
With --follow, every change is printed as it comes, until Ctrl-C.

Of one exercise it prints after how many attempts it was solved, what learners were told,
and which wrong attempts are alike: with the same result, or with the same text but for
names, layout and literals.

With --same it prints answers of learners that are the same but for names, layout and letter
case, those that are rarest in the class first.`,
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := v.check(); err != nil {
				return err
			}
			if same {
				return p.same(cmd, args[0], course)
			}
			if paper, exercise, one := strings.Cut(args[0], "/"); one {
				return p.class(cmd, paper, exercise, course)
			}
			grid, err := ask[client.Progress](p, cmd, func(ctx context.Context, c *client.Client) (
				*http.Response, error,
			) {
				return c.GetProgress(ctx, args[0], &client.GetProgressParams{Course: course})
			})
			if err != nil {
				return err
			}
			all := grid.Learners
			grid.Learners = v.of(all)
			if err := p.printGrid(grid, "mark", v.cell); err != nil {
				return err
			}
			if p.format == "table" {
				p.standOf(grid, all)
				p.hiddenOnly(grid)
			}
			if !follow {
				return nil
			}
			return p.followGrid(cmd.Context(), args[0], course)
		},
	}
	c.Flags().StringVar(&course, "course", "", "only this course's learners")
	c.Flags().StringVar(&v.group, "group", "", "only this group")
	c.Flags().StringVar(&v.who, "who", "", "only who is: "+strings.Join(states, ", "))
	c.Flags().StringVar(&v.from, "from", "", "only marks from this on")
	c.Flags().StringVar(&v.to, "to", "", "only marks up to this")
	c.Flags().StringVar(&v.sort, "sort", "name", "in the order of: "+strings.Join(orders, ", "))
	c.Flags().StringVar(&v.show, "show", "outcome", "outcome, attempts or time")
	c.Flags().BoolVar(&same, "same", false, "answers that are the same, instead of the grid")
	c.Flags().BoolVar(&follow, "follow", false, "go on, and print what changes")
	return c
}

var (
	states = []string{"not-begun", "stuck", "at-work", "done"}
	orders = []string{"name", "group", "mark", "attempts", "last"}
)

// stuckFrom is from how many attempts without coming nearer somebody is stuck at an exercise.
const stuckFrom = 3

// stateOf is how a learner gets on with the whole paper.
func stateOf(l client.LearnerProgress) string {
	attempts, done, stuck := 0, true, false
	for _, c := range l.Cells {
		attempts += c.Attempts
		done = done && c.Outcome == client.Correct
		stuck = stuck || c.Stuck >= stuckFrom
	}
	switch {
	case attempts == 0:
		return "not-begun"
	case stuck:
		return "stuck"
	case done:
		return "done"
	}
	return "at-work"
}

func (v *view) check() error {
	for _, c := range []struct {
		flag, value string
		may         []string
	}{
		{"who", v.who, append([]string{""}, states...)}, {"sort", v.sort, orders},
		{"show", v.show, []string{"outcome", "attempts", "time"}},
	} {
		if !slices.Contains(c.may, c.value) {
			return usageError{fmt.Errorf(
				"--%s %s: expected %s", c.flag, c.value, strings.TrimPrefix(strings.Join(c.may, ", "), ", "),
			)}
		}
	}
	for flag, mark := range map[string]string{"from": v.from, "to": v.to} {
		if _, err := marking.ParsePoints(mark); mark != "" && err != nil {
			return usageError{fmt.Errorf("--%s %s: expected a mark, such as 2.5", flag, mark)}
		}
	}
	return nil
}

// of returns the learners that are looked for, in the order that is wanted.
func (v *view) of(all []client.LearnerProgress) []client.LearnerProgress {
	from, _ := marking.ParsePoints(v.from)
	to, _ := marking.ParsePoints(v.to)
	found := []client.LearnerProgress{}
	for _, l := range all {
		if (v.group == "" || l.Group == v.group) && (v.who == "" || stateOf(l) == v.who) &&
			(v.from == "" || l.Mark.Cmp(from) >= 0) && (v.to == "" || l.Mark.Cmp(to) <= 0) {
			found = append(found, l)
		}
	}
	attempts := func(l client.LearnerProgress) (n int) {
		for _, c := range l.Cells {
			n += c.Attempts
		}
		return n
	}
	slices.SortStableFunc(found, func(a, b client.LearnerProgress) int {
		switch v.sort {
		case "group":
			return strings.Compare(a.Group, b.Group)
		case "mark":
			return a.Mark.Cmp(b.Mark)
		case "attempts":
			return attempts(a) - attempts(b)
		case "last":
			return a.Last.Compare(b.Last)
		}
		return 0 // as they came
	})
	return found
}

// cell is what is printed of one.
func (v *view) cell(c client.ProgressCell) string {
	switch v.show {
	case "attempts":
		return fmt.Sprint(c.Attempts)
	case "time":
		return (time.Duration(c.Worked) * time.Second).String()
	}
	text := fmt.Sprintf("%s %d", c.Outcome, c.Attempts)
	if c.Stuck >= stuckFrom {
		text += " stuck"
	}
	return text
}

// standOf says how a class gets on: who has not begun, who is stuck, and what is hard.
func (p *program) standOf(grid client.Progress, all []client.LearnerProgress) {
	of := map[string]int{}
	for _, l := range all {
		of[stateOf(l)]++
	}
	fmt.Fprintf(p.err, "%s: %d not begun, %d stuck, %d at work, %d done.\n",
		plural(int64(len(all)), "learner"), of["not-begun"], of["stuck"], of["at-work"], of["done"])
	for i, e := range grid.Exercises {
		tried, solved := 0, 0
		for _, l := range all {
			if c := l.Cells[i]; c.Attempts > 0 {
				tried++
				solved += min(1, c.Tries)
			}
		}
		if tried >= 4 && 2*solved < tried {
			fmt.Fprintf(p.err, "Hard: %d. %s, solved by %d of %d who tried.\n", e.Number, printable(e.Title), solved,
				tried)
		}
	}
}

// followGrid prints what changes in a grid until the context ends.
func (p *program) followGrid(ctx context.Context, paper, course string) error {
	c, _, err := p.connect()
	if err != nil {
		return err
	}
	err = client.Watch(ctx, c, paper, course, func(news client.ProgressNews) {
		for _, c := range news.Cells {
			fmt.Fprintf(p.out, "%s  %s  %s/%s  %s, attempt %d, mark %s\n", clock(c.At), c.Learner, paper, c.Exercise,
				c.Cell.Outcome, c.Cell.Attempts, c.Cell.Mark.String())
		}
	})
	if errors.Is(err, context.Canceled) {
		return nil
	}
	return err
}

// class prints how a class gets on with an exercise.
func (p *program) class(cmd *cobra.Command, paper, exercise, course string) error {
	of, err := ask[client.Class](p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
		return c.GetClass(ctx, paper, exercise, &client.GetClassParams{Course: course})
	})
	if err != nil {
		return err
	}
	var alike [][]string
	for _, g := range of.Alike {
		said := g.Example.Error.Title
		if len(g.Example.Findings) > 0 {
			said = g.Example.Findings[0].Sentence
		}
		alike = append(alike, []string{
			fmt.Sprint(g.Attempts), fmt.Sprint(g.Learners), g.Example.Learner, string(g.Example.Outcome), said,
			strings.Join(strings.Fields(g.Example.Sql), " "),
		})
	}
	header := []string{"attempts", "learners", "such as", "outcome", "told", "query"}
	if p.format != "table" {
		return p.print(of, header, alike)
	}
	fmt.Fprintf(p.out, "%d. %s\n%s, %d have tried it, %d have solved it; %s.\n\n", of.Number, printable(of.Title),
		plural(int64(of.Learners), "learner"), of.Tried, of.Solved, plural(int64(of.Attempts), "attempt"))
	var tries, told [][]string
	for _, bar := range of.Tries {
		tries = append(tries, []string{fmt.Sprint(bar.Attempts), fmt.Sprint(bar.Solved), fmt.Sprint(bar.Unsolved)})
	}
	for _, f := range of.Findings {
		told = append(told, []string{fmt.Sprint(f.Attempts), fmt.Sprint(f.Learners), f.Kind, f.Sentence})
	}
	if err := p.print(nil, []string{"attempts", "solved by", "not solved by"}, tries); err != nil {
		return err
	}
	if len(of.Worked) > 0 {
		half := time.Duration(of.Worked[len(of.Worked)/2]) * time.Second
		fmt.Fprintf(p.out, "\nHalf of those who have solved it needed %s or less.\n\n", half)
	}
	if err := p.print(nil, []string{"attempts", "learners", "finding", "such as"}, told); err != nil {
		return err
	}
	fmt.Fprintln(p.out, "\nAlike answers:")
	return p.print(nil, header, alike)
}

// manyHidden is the number of attempts wrong on hidden rows alone from which a learner is named.
const manyHidden = 10

// hiddenOnly names the learners who had many attempts that were wrong on hidden rows alone.
func (p *program) hiddenOnly(grid client.Progress) {
	for _, l := range grid.Learners {
		for i, c := range l.Cells {
			if c.HiddenOnly >= manyHidden {
				fmt.Fprintf(
					p.err,
					"%s had %d attempts at %s that were right on all rows that learners see and wrong on hidden "+
						"ones.\n",
					printable(l.DisplayName), c.HiddenOnly, grid.Exercises[i].Slug,
				)
			}
		}
	}
}

func (p *program) marks() *cobra.Command {
	var course, format, to string
	var attempts bool
	c := &cobra.Command{
		Use: "marks [PAPER]", Short: "Print a paper's marks, one line per learner, or your own in all papers",
		Annotations: map[string]string{pages: "yes"},
		Args:        argsBetween(0, 1, "at most a paper"),
		Long: `Prints a paper's marks, one line per learner; without a paper, your own in all papers.

A workbook (--format xlsx --to FILE) has a sheet of marks, whose sums and means are formulas,
and one of all attempts. With --attempts, JSON has every attempt behind the marks, and CSV the
attempts in place of the marks.`,
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) == 0 {
				return p.ownMarks(cmd)
			}
			if format == "" {
				format = p.format
			}
			if !slices.Contains([]string{"csv", "json", "table", "xlsx"}, format) {
				return usageError{fmt.Errorf("--format %s: expected csv, json, xlsx or table", format)}
			}
			params := &client.GetMarksParams{Course: course, Attempts: attempts}
			if format == "xlsx" && to == "" {
				return usageError{errors.New("a workbook is not for the screen: name a file with --to")}
			}
			if format == "table" {
				p.format = format
				return p.marksTable(cmd, args[0], params)
			}
			params.Format = client.GetMarksParamsFormat(format)
			return p.toFile(cmd, to, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.GetMarks(ctx, args[0], params)
			})
		},
	}
	c.Flags().StringVar(&course, "course", "", "only this course's learners")
	c.Flags().StringVar(&format, "format", "", "csv, json, xlsx or table (default: as -o)")
	c.Flags().BoolVar(&attempts, "attempts", false, "with every attempt")
	c.Flags().StringVar(&to, "to", "", "the file to write")
	return c
}

func (p *program) marksTable(cmd *cobra.Command, paper string, params *client.GetMarksParams) error {
	marks, err := ask[client.Marks](p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
		return c.GetMarks(ctx, paper, params)
	})
	if err != nil {
		return err
	}
	grid := client.Progress{
		Paper: marks.Paper, Title: marks.Title, Points: marks.Points, Exercises: marks.Exercises,
		Learners: marks.Learners,
	}
	return p.printGrid(
		grid, "of "+grid.Points.String(), func(c client.ProgressCell) string { return c.Mark.String() },
	)
}

// ownMarks prints the account's own marks.
func (p *program) ownMarks(cmd *cobra.Command) error {
	papers, err := ask[[]client.PaperMarks](p, cmd, func(ctx context.Context, c *client.Client) (
		*http.Response, error,
	) {
		return c.ListOwnMarks(ctx)
	})
	if err != nil {
		return err
	}
	var all [][]string
	for _, paper := range papers {
		for _, e := range paper.Exercises {
			why := e.Reason
			if !e.ByHand && e.Attempts > 1 && !e.CountsAt.IsZero() {
				why = "the attempt of " + clock(e.CountsAt) + " counts"
			}
			outcome, mark := string(e.Outcome), e.Mark.String()
			if paper.Summary.Untold {
				outcome, mark = "", "told later"
			}
			all = append(all, []string{
				fmt.Sprintf("%s/%d", paper.Summary.Slug, e.Number), e.Title, outcome, fmt.Sprint(e.Attempts), mark,
				e.Points.String(), why,
			})
		}
	}
	return p.print(papers, []string{"exercise", "title", "outcome", "attempts", "mark", "points", "why"}, all)
}

// printGrid prints learners by exercises. A cell without attempts is empty.
func (p *program) printGrid(grid client.Progress, sum string, cell func(client.ProgressCell) string) error {
	header := []string{"learner", "name"}
	for _, e := range grid.Exercises {
		header = append(header, fmt.Sprint(e.Number))
	}
	var all [][]string
	for _, l := range grid.Learners {
		line := []string{l.DisplayName, l.Name}
		for _, c := range l.Cells {
			if c.Attempts == 0 {
				line = append(line, "")
				continue
			}
			line = append(line, cell(c))
		}
		all = append(all, append(line, l.Mark.String()))
	}
	return p.print(grid, append(header, sum), all)
}
