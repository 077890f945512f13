package cli

import (
	"fmt"
	"strings"

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
	if strings.HasPrefix(f.Kind, "cause-") {
		f.Sentence = "Likely cause: " + f.Sentence
	}
	fmt.Fprintf(p.out, "- %s\n", printable(f.Sentence))
	if len(f.Rows) > 0 {
		p.writeRows(f.Columns, f.Rows)
	}
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
