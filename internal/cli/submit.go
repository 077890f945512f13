package cli

import (
	"context"
	"fmt"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"examen/internal/client"
)

func (p *program) submit() *cobra.Command {
	return &cobra.Command{
		Use: "submit PAPER[/EXERCISE] [FILE|-]", Short: "Submit an answer or a whole paper, and print the result",
		Long: `Submits an answer to an exercise, or a file with the answers to a whole paper: each beneath a
comment line with its exercise's address, as examen read PAPER --answers writes it. Of a whole paper
what is empty, and what was submitted last as it is, is not submitted again.`,
		Args: argsBetween(1, 2, "a paper or an exercise, and perhaps a file"),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, _, err := p.connect()
			if err != nil {
				return err
			}
			if !strings.Contains(args[0], "/") {
				return p.submitPaper(cmd.Context(), c, args[0], args[1:])
			}
			paper, exercise, err := address(args[0])
			if err != nil {
				return err
			}
			sql, err := p.query(args[1:])
			if err != nil {
				return err
			}
			a, err := client.Read[client.Attempt](c.Submit(cmd.Context(), paper, exercise, client.Submission{Sql: sql}))
			if err != nil {
				return err
			}
			p.addCause(cmd.Context(), c, &a)
			if err := p.printAttempt(a); err != nil {
				return err
			}
			if a.Outcome != client.Correct && !a.Untold {
				return errNotCorrect
			}
			return nil
		},
	}
}

// causeWithin is how long the cause of an attempt is waited for.
const causeWithin = 2 * time.Second

// addCause puts the cause of an incorrect attempt before its findings, if it is found in time.
func (p *program) addCause(ctx context.Context, c *client.Client, a *client.Attempt) {
	id, err := strconv.ParseInt(a.Id, 10, 64)
	if err != nil || a.Outcome != client.Incorrect {
		return
	}
	ctx, stop := context.WithTimeout(ctx, causeWithin)
	defer stop()
	cause, err := client.Read[client.Cause](c.ReadCause(ctx, id))
	if err != nil { // the verdict stands without it
		return
	}
	a.Findings = append(cause.Findings, a.Findings...)
}

func (p *program) printAttempt(a client.Attempt) error {
	if p.format != "table" {
		var all [][]string
		for _, f := range a.Findings {
			all = append(all, []string{string(a.Outcome), a.Mark.String(), f.Kind, f.Sentence})
		}
		if all == nil {
			all = [][]string{
				{string(a.Outcome), a.Mark.String(), strings.TrimPrefix(a.Error.Type, "examen:"), a.Error.Detail},
			}
		}
		return p.print(a, []string{"outcome", "mark", "finding", "sentence"}, all)
	}
	if a.Untold {
		fmt.Fprintf(p.out, "Received on %s. Outcome and mark are told later.\n", clock(a.At))
		return nil
	}
	off := ""
	if a.Deducted > 0 {
		off = fmt.Sprintf(" (%d %% off for coming late)", a.Deducted)
	}
	fmt.Fprintf(p.out, "%s, %s of %s%s\n", outcomeWord(a.Outcome), a.Mark.String(), points(a.Points), off)
	if a.Error.Title != "" {
		p.queryProblem(a.Error)
	}
	for _, f := range a.Findings {
		p.writeFinding(f)
	}
	return nil
}

func (p *program) writeFinding(f client.Finding) {
	switch {
	case f.Proven:
		f.Sentence = "Cause: " + f.Sentence
	case strings.HasPrefix(f.Kind, "cause-"):
		f.Sentence = "Likely cause: " + f.Sentence
	}
	fmt.Fprintf(p.out, "- %s\n", printable(f.Sentence))
	if f.Where.Line > 0 {
		p.writeStretch(f.Where)
	}
	if f.Edit.Is != "" || f.Edit.Was != "" {
		edited := f.Edit.Before + f.Edit.Is + f.Edit.After
		fmt.Fprintf(p.out, "  So it is right:\n    "+
			"%s\n", strings.ReplaceAll(lines(strings.TrimSpace(edited)), "\n", "\n    "))
	}
	if len(f.Rows) > 0 {
		p.writeRows(f.Columns, f.Rows)
	}
}

// writeStretch writes a line with a part of it underlined, or the place where something is missing.
func (p *program) writeStretch(s client.Stretch) {
	line := []rune(s.Text)
	start := min(max(s.Column-1, 0), len(line))
	end := min(start+s.Length, len(line))
	wide := func(part []rune) int { return len([]rune(printable(string(part)))) }
	fmt.Fprintf(p.out, "  line %d:\n    %s\n    %s%s\n", s.Line, printable(s.Text), strings.Repeat(" "+
		"", wide(line[:start])),
		strings.Repeat("^", max(wide(line[start:end]), 1)))
}

// writeRows writes rows as a table that is set in.
func (p *program) writeRows(columns []string, rows client.Rows) {
	var b strings.Builder
	p.table(&b, columns, cells(rows))
	fmt.Fprintf(p.out, "\n    %s\n\n", strings.ReplaceAll(strings.TrimRight(b.String(), "\n"), "\n", "\n    "))
}

func outcomeWord(o client.Outcome) string {
	return upperFirst(string(o))
}
