package cli

import (
	"context"
	"fmt"
	"net/http"
	"strings"

	"github.com/spf13/cobra"

	"examen/internal/client"
	"examen/internal/core/answers"
	"examen/internal/core/marking"
)

func (p *program) read() *cobra.Command {
	var toAnswer bool
	var as string
	c := &cobra.Command{
		Use: "read PAPER[/EXERCISE]", Short: "Print a paper or one exercise as text",
		Annotations: map[string]string{pages: "yes"},
		Args:        argsBetween(1, 1, "a paper or an exercise"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if toAnswer || as != "" {
				if strings.Contains(args[0], "/") {
					return usageError{fmt.Errorf("--answers and --as are for a whole paper, not for %s", args[0])}
				}
				if as != "" {
					return p.paperFile(cmd, args[0], as)
				}
				return p.answerFile(cmd, args[0])
			}
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
	c.Flags().BoolVar(&toAnswer, "answers", false, "print a file with your drafts, to write in and to submit")
	c.Flags().StringVar(&as, "as", "", "print the paper with your answers and results as a file: html or markdown")
	return c
}

// paperFile prints a paper with one's answers and results as a file.
func (p *program) paperFile(cmd *cobra.Command, paper, as string) error {
	if err := oneOf("as", as); err != nil {
		return err
	}
	params := &client.GetPaperFileParams{Format: client.GetPaperFileParamsFormat(as)}
	file, err := ask[string](p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
		return c.GetPaperFile(ctx, paper, params)
	})
	if err == nil {
		_, err = fmt.Fprint(p.out, file)
	}
	return err
}

// answerFile prints a file to write the answers to a paper in. What was drafted or, without a draft, submitted last
// stands in it.
func (p *program) answerFile(cmd *cobra.Command, slug string) error {
	paper, err := ask[client.Paper](p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
		return c.GetPaper(ctx, slug)
	})
	if err != nil {
		return err
	}
	var all []answers.Answer
	for _, s := range paper.Sections {
		if e := s.Exercise; e.Slug != "" {
			sql := e.Draft.Sql
			if sql == "" {
				sql = e.Latest.Sql
			}
			heading := fmt.Sprintf("%d. %s (%s)", e.Number, e.Title, points(e.Points))
			all = append(all, answers.Answer{Exercise: e.Slug, Heading: heading, SQL: sql})
		}
	}
	_, err = fmt.Fprint(p.out, answers.Write(slug, paper.Summary.Title, all))
	return err
}

func (p *program) printPaper(paper client.Paper) error {
	if p.format != "table" {
		return p.print(paper, exerciseHeader, exerciseLines(paper))
	}
	s := paper.Summary
	fmt.Fprintf(p.out, "%s\n%s\n", printable(s.Title), strings.Repeat("=", len([]rune(s.Title))))
	if !s.Due.IsZero() {
		fmt.Fprintf(p.out, "Due %s. ", clockIn(s.Due, s.Zone))
	}
	if s.Attempted > 0 {
		if s.Untold {
			fmt.Fprintf(p.out, "%s points in all; marks are told later.\n", s.Points.String())
		} else if s.State == client.Closed {
			fmt.Fprintf(p.out, "%s of %s points.\n", s.Mark.String(), s.Points.String())
		} else {
			fmt.Fprintf(p.out, "%s of %s points so far.\n", s.Mark.String(), s.Points.String())
		}
	} else {
		fmt.Fprintf(p.out, "%s points.\n", s.Points.String())
	}
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
		if b.Kind == client.BlockExample {
			text = "    " + strings.ReplaceAll(text, "\n", "\n    ")
		} else {
			text = p.wrapped(text)
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
			note += "; column names must match"
		}
		notes = append(notes, note)
	}
	if e.ByState {
		notes = append(notes, "What counts is what your statements leave in a fresh copy")
	}
	if e.Expected.RowCount != nil {
		notes = append(notes, "Expected: "+plural(*e.Expected.RowCount, "row"))
	}
	if e.Ordered {
		notes = append(notes, "Row order must match")
	}
	if len(e.Require) > 0 {
		notes = append(notes, "Use: "+inWords(e.Require))
	}
	if len(e.Forbid) > 0 {
		notes = append(notes, "Do not use: "+inWords(e.Forbid))
	}
	notes = append(notes, "State: "+standing(e))
	if e.ReferenceAnswer != "" {
		notes = append(notes, "Reference answer:\n    "+strings.ReplaceAll(e.ReferenceAnswer, "\n", "\n    "))
	}
	fmt.Fprintf(p.out, "\n%s\n", lines(strings.Join(notes, "\n")))
}

func points(n marking.Points) string {
	if n.String() == "1" {
		return "1 point"
	}
	return n.String() + " points"
}

func standing(e client.Exercise) string {
	if e.Attempts == 0 {
		return "not submitted"
	}
	s := fmt.Sprintf(
		"%s, %s of %s, %s", e.Outcome, e.Mark.String(), points(e.Points), plural(int64(e.Attempts), "attempt"),
	)
	if e.Untold {
		s = "submitted, told later, " + plural(int64(e.Attempts), "attempt")
	}
	if e.AttemptsAllowed > 0 {
		s += fmt.Sprintf(" (%d of %d used)", e.AttemptsUsed, e.AttemptsAllowed)
	}
	return s
}

// inWords writes constructs as people do: group-by is GROUP BY, table:hive is the table hive.
func inWords(constructs []string) string {
	words := make([]string, len(constructs))
	for i, c := range constructs {
		if kind, name, named := strings.Cut(c, ":"); named {
			words[i] = "the " + kind + " " + name
		} else {
			words[i] = strings.ToUpper(strings.ReplaceAll(c, "-", " "))
		}
	}
	return strings.Join(words, ", ")
}
