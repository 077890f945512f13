package cli

import (
	"errors"
	"fmt"
	"io"
	"os"
	"strings"
	"unicode/utf8"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"examen/internal/client"
	"examen/internal/core/marking"
	"examen/internal/core/sqltext"
)

// query reads the SQL text from a file, or from standard input.
func (p *program) query(args []string) (string, error) {
	name := "standard input"
	var content []byte
	var err error
	if len(args) > 0 && args[0] != "-" {
		name = args[0]
		content, err = os.ReadFile(name)
	} else {
		if f, ok := p.in.(*os.File); ok && term.IsTerminal(int(f.Fd())) {
			fmt.Fprintln(p.err, "Type the query and end it with Ctrl-D:")
		}
		content, err = io.ReadAll(p.in)
	}
	if err != nil {
		return "", usageError{err}
	}
	if !utf8.Valid(content) { // JSON would change it on the way
		text := strings.ToValidUTF8(string(content), "\ufffd")
		place := sqltext.PlaceAt(text, strings.IndexRune(text, '\ufffd'))
		return "", &client.ProblemError{Problem: client.Problem{Type: "examen:not-utf-8", Title: "The query is not valid UTF-8", Status: 400,
			Detail: fmt.Sprintf("%s, line %d, column %d: save the text as UTF-8 and send it again.", name, place.Line, place.Column)}}
	}
	return strings.TrimPrefix(string(content), "\ufeff"), nil
}

func (p *program) read() *cobra.Command {
	return &cobra.Command{
		Use: "read PAPER[/EXERCISE]", Short: "Print a paper or one exercise as text", Args: argsBetween(1, 1, "a paper or an exercise"),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, _, err := p.connect()
			if err != nil {
				return err
			}
			if !strings.Contains(args[0], "/") {
				paper, err := client.Read[client.Paper](c.GetPaper(cmd.Context(), args[0]))
				if err != nil {
					return err
				}
				return p.printPaper(paper)
			}
			slug, exercise, err := address(args[0])
			if err != nil {
				return err
			}
			e, err := client.Read[client.Exercise](c.GetExercise(cmd.Context(), slug, exercise))
			if err != nil {
				return err
			}
			if p.format != "table" {
				return p.print(e, exerciseHeader, [][]string{exerciseLine(e)})
			}
			p.writeExercise(e)
			return nil
		},
	}
}

var exerciseHeader = []string{"exercise", "title", "points", "attempts", "outcome", "mark"}

func exerciseLine(e client.Exercise) []string {
	return []string{fmt.Sprintf("%s/%d", e.Paper, e.Number), e.Title, marking.Format(e.Points), fmt.Sprint(e.Attempts), string(e.Outcome), marking.Format(e.Mark)}
}

func (p *program) printPaper(paper client.Paper) error {
	if p.format != "table" {
		var all [][]string
		for _, s := range paper.Sections {
			if s.Exercise.Slug != "" {
				all = append(all, exerciseLine(s.Exercise))
			}
		}
		return p.print(paper, exerciseHeader, all)
	}
	s := paper.Summary
	fmt.Fprintf(p.out, "%s\n%s\n", printable(s.Title), strings.Repeat("=", len([]rune(s.Title))))
	if !s.Due.IsZero() {
		fmt.Fprintf(p.out, "Due %s. ", clock(s.Due))
	}
	fmt.Fprintf(p.out, "%s of %s points so far.\n", marking.Format(s.Mark), marking.Format(s.Points))
	for _, section := range paper.Sections {
		fmt.Fprintln(p.out)
		if section.Exercise.Slug != "" {
			p.writeExercise(section.Exercise)
			continue
		}
		if section.Title != "" {
			fmt.Fprintf(p.out, "%s\n%s\n\n", printable(section.Title), strings.Repeat("-", len([]rune(section.Title))))
		}
		p.writeBlocks(section.Blocks)
	}
	return nil
}

func (p *program) writeBlocks(blocks []client.Block) {
	for i, b := range blocks {
		if i > 0 {
			fmt.Fprintln(p.out)
		}
		text := lines(b.Text)
		if b.Kind == client.Example {
			text = "    " + strings.ReplaceAll(text, "\n", "\n    ")
		}
		fmt.Fprintln(p.out, text)
	}
}

func (p *program) writeExercise(e client.Exercise) {
	heading := printable(fmt.Sprintf("%d. %s (%s/%s, %s)", e.Number, e.Title, e.Paper, e.Slug, points(e.Points)))
	fmt.Fprintf(p.out, "%s\n%s\n\n", heading, strings.Repeat("-", len([]rune(heading))))
	p.writeBlocks(e.Blocks)
	var notes []string
	if len(e.Expected.Columns) > 0 {
		names := make([]string, len(e.Expected.Columns))
		for i, c := range e.Expected.Columns {
			names[i] = c.Name + " (" + c.Type + ")"
		}
		note := "Expected columns: " + strings.Join(names, ", ")
		if e.Named {
			note += "; their names matter"
		}
		notes = append(notes, note)
	}
	if e.Expected.RowCount != nil {
		notes = append(notes, "Expected: "+plural(*e.Expected.RowCount, "row"))
	}
	if e.Ordered {
		notes = append(notes, "The order of rows matters")
	}
	if len(e.Require) > 0 {
		notes = append(notes, "Use: "+strings.Join(e.Require, ", "))
	}
	if len(e.Forbid) > 0 {
		notes = append(notes, "Do not use: "+strings.Join(e.Forbid, ", "))
	}
	notes = append(notes, "State: "+standing(e))
	if e.ReferenceAnswer != "" {
		notes = append(notes, "Reference answer:\n    "+strings.ReplaceAll(e.ReferenceAnswer, "\n", "\n    "))
	}
	fmt.Fprintf(p.out, "\n%s\n", lines(strings.Join(notes, "\n")))
}

func points(n float64) string {
	if n == 1 {
		return "1 point"
	}
	return marking.Format(n) + " points"
}

func standing(e client.Exercise) string {
	if e.Attempts == 0 {
		return "not submitted"
	}
	s := fmt.Sprintf("%s, %s of %s, %s", e.Outcome, marking.Format(e.Mark), points(e.Points), plural(int64(e.Attempts), "attempt"))
	if e.AttemptsAllowed > 0 {
		s += fmt.Sprintf(" of %d", e.AttemptsAllowed)
	}
	return s
}

func (p *program) run() *cobra.Command {
	var dataset string
	c := &cobra.Command{
		Use: "run PAPER[/EXERCISE] [FILE|-]  |  run --dataset NAME [FILE|-]", Short: "Run a query and print its rows", Args: argsBetween(0, 2, "a paper or exercise, and a file"),
		Example: "  examen run first-look/3 query.sql\n  echo 'SELECT * FROM hive' | examen run first-look\n  examen run --dataset apiary -o csv query.sql",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, _, err := p.connect()
			if err != nil {
				return err
			}
			request := client.RunRequest{Dataset: dataset}
			if dataset == "" {
				if len(args) == 0 {
					return usageError{errors.New("run wants a paper, an exercise or --dataset NAME; see examen run --help")}
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

// queryProblem says what a query ended with: its message, and the place in the query where there is one.
func (p *program) queryProblem(problem client.Problem) {
	fmt.Fprintf(p.err, "%s. %s\n", strings.TrimSuffix(printable(problem.Title), "."), printable(problem.Detail))
	if problem.Place.Line == 0 || problem.Type != "examen:database-error" {
		return
	}
	line := printable(problem.Place.Text)
	before := []rune(problem.Place.Text)
	before = before[:min(problem.Place.Column-1, len(before))]
	fmt.Fprintf(p.err, "line %d, column %d:\n  %s\n  %s^\n", problem.Place.Line, problem.Place.Column, line, strings.Repeat(" ", len([]rune(printable(string(before))))))
}

func (p *program) submit() *cobra.Command {
	return &cobra.Command{
		Use: "submit PAPER/EXERCISE [FILE|-]", Short: "Submit an answer and print what came of it", Args: argsBetween(1, 2, "an exercise, and a file"),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, _, err := p.connect()
			if err != nil {
				return err
			}
			paper, exercise, err := address(args[0])
			if err != nil {
				return err
			}
			sql, err := p.query(args[1:])
			if err != nil {
				return err
			}
			a, err := client.Read[client.Attempt](c.Submit(cmd.Context(), paper, exercise, client.Query{Sql: sql}))
			if err != nil {
				return err
			}
			if err := p.printAttempt(a); err != nil {
				return err
			}
			if a.Outcome != client.Correct {
				return errNotCorrect
			}
			return nil
		},
	}
}

func (p *program) printAttempt(a client.Attempt) error {
	if p.format != "table" {
		var all [][]string
		for _, f := range a.Findings {
			all = append(all, []string{string(a.Outcome), marking.Format(a.Mark), f.Kind, f.Sentence})
		}
		if all == nil {
			all = [][]string{{string(a.Outcome), marking.Format(a.Mark), strings.TrimPrefix(a.Error.Type, "examen:"), a.Error.Detail}}
		}
		return p.print(a, []string{"outcome", "mark", "finding", "sentence"}, all)
	}
	fmt.Fprintf(p.out, "%s, %s of %s\n", outcomeWord(a.Outcome), marking.Format(a.Mark), points(a.Points))
	if a.Error.Title != "" {
		p.queryProblem(a.Error)
	}
	for _, f := range a.Findings {
		p.writeFinding(f)
	}
	return nil
}

func (p *program) writeFinding(f client.Finding) {
	fmt.Fprintf(p.out, "- %s\n", printable(f.Sentence))
	if len(f.Rows) == 0 {
		return
	}
	var b strings.Builder
	p.table(&b, f.Columns, cells(f.Rows))
	fmt.Fprintf(p.out, "\n    %s\n\n", strings.ReplaceAll(strings.TrimRight(b.String(), "\n"), "\n", "\n    "))
}

func outcomeWord(o client.Outcome) string {
	s := string(o)
	return strings.ToUpper(s[:1]) + s[1:]
}

func (p *program) history() *cobra.Command {
	var params client.ListHistoryParams
	var outcome, kind string
	var full bool
	c := &cobra.Command{
		Use: "history", Short: "List runs and attempts, the latest first", Args: argsBetween(0, 0, "flags only"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, _, err := p.connect()
			if err != nil {
				return err
			}
			params.Outcome, params.Kind = client.Outcome(outcome), client.EntryKind(kind)
			page, err := client.Read[client.HistoryPage](c.ListHistory(cmd.Context(), &params))
			if err != nil {
				return err
			}
			if full && p.format == "table" {
				for _, e := range page.Entries {
					p.writeEntry(e)
				}
			} else if err := p.print(page, []string{"at", "learner", "what", "exercise", "outcome", "mark", "rows", "ms", "query"}, historyLines(page.Entries)); err != nil {
				return err
			}
			if page.Next != "" {
				fmt.Fprintf(p.err, "There are earlier ones: --before %s\n", page.Next)
			}
			return nil
		},
	}
	f := c.Flags()
	f.StringVar(&params.Paper, "paper", "", "only of this paper")
	f.StringVar(&params.Exercise, "exercise", "", "only of this exercise of --paper")
	f.StringVar(&params.Learner, "learner", "", "only this learner's (instructors)")
	f.StringVar(&outcome, "outcome", "", "only with this outcome: correct, incorrect, rejected, failed, stopped or done")
	f.StringVar(&kind, "kind", "", "only run or attempt")
	f.StringVar(&params.Before, "before", "", "the page after the one that named this")
	f.IntVar(&params.Limit, "limit", 50, "how many")
	f.BoolVar(&full, "full", false, "print each query whole, with its findings")
	return c
}

func historyLines(entries []client.HistoryEntry) [][]string {
	var all [][]string
	for _, e := range entries {
		where := e.Dataset
		if e.Paper != "" {
			where = strings.TrimSuffix(e.Paper+"/"+e.Exercise, "/")
		}
		mark := ""
		if e.Mark != nil {
			mark = marking.Format(*e.Mark)
		}
		all = append(all, []string{clock(e.At), e.Learner, string(e.Kind), where, string(e.Outcome), mark, fmt.Sprint(e.RowCount), fmt.Sprintf("%.1f", e.ElapsedMs),
			strings.Join(strings.Fields(e.Sql), " ")})
	}
	return all
}

func (p *program) writeEntry(e client.HistoryEntry) {
	line := historyLines([]client.HistoryEntry{e})[0]
	fmt.Fprintf(p.out, "%s\n\n    %s\n\n", printable(strings.Join(strings.Fields(strings.Join(line[:6], " ")), " ")), strings.ReplaceAll(lines(strings.TrimSpace(e.Sql)), "\n", "\n    "))
	if e.Error.Title != "" {
		fmt.Fprintf(p.out, "- %s. %s\n\n", printable(e.Error.Title), printable(e.Error.Detail))
	}
	for _, f := range e.Findings {
		p.writeFinding(f)
	}
}
