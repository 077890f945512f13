package cli

import (
	"fmt"
	"io"
	"os"
	"strings"
	"unicode/utf8"

	"examen/internal/client"
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
		if isTerminal(p.in) {
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
		return "", &client.ProblemError{Problem: client.Problem{Type: "examen:not-utf-8", Title: "The query is not " +
			"valid UTF-8", Status: 400,
			Detail: fmt.Sprintf(
				"%s, line %d, column %d: save the text as UTF-8 and send it again.", name, place.Line, place.Column,
			)}}
	}
	return strings.TrimPrefix(string(content), "\ufeff"), nil
}

// queryProblem prints why a query failed: the database's own message, the place in the query if there is one, and what
// it means.
func (p *program) queryProblem(problem client.Problem) {
	if problem.Type != "examen:database-error" {
		fmt.Fprintf(p.err, "%s. %s\n", strings.TrimSuffix(printable(problem.Title), "."), printable(problem.Detail))
		return
	}
	fmt.Fprintf(p.err, "The database says: %s\n", printable(problem.Title))
	if problem.Hint != "" {
		fmt.Fprintf(p.err, "  %s\n", printable(problem.Hint))
	}
	if problem.Place.Line > 0 {
		line := printable(problem.Place.Text)
		before := []rune(problem.Place.Text)
		before = before[:min(problem.Place.Column-1, len(before))]
		fmt.Fprintf(
			p.err, "line %d, column %d:\n  %s\n  %s^\n", problem.Place.Line, problem.Place.Column, line,
			strings.Repeat(" ", len([]rune(printable(string(before))))),
		)
	}
	fmt.Fprintln(p.err, printable(problem.Detail))
	if problem.Mended != "" {
		fmt.Fprintf(
			p.err, "Corrected:\n  %s\n", strings.ReplaceAll(lines(strings.TrimSpace(problem.Mended)), "\n", "\n  "),
		)
	}
}
