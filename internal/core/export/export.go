// Package export writes a result set as a file, row by row: as comma-separated values, as JSON, as a workbook, or as
// lines of JSON. A file is never held in memory.
//
// In all formats the columns keep their order, and two columns of the same name both stay.
package export

import (
	"bufio"
	"encoding/json"
	"fmt"
	"io"
	"strconv"
	"strings"

	"examen/internal/core/result"
)

// A Format is the format of a file.
type Format string

const (
	// CSV is comma-separated values (RFC 4180), the names of the columns first. NULL is an empty cell, an empty text is
	// a quoted one, a boolean is a word. A text that a spreadsheet would take for a formula gets an apostrophe before
	// it.
	CSV Format = "csv"
	// JSON is one object: "columns", each with name and type, and "rows", each a list of cells. Numbers and booleans
	// are those of JSON, NULL is null, and everything else is text.
	JSON Format = "json"
	// Lines has a row on each line: a list of cells, as texts or null.
	Lines Format = "lines"
	// XLSX is a workbook with one sheet, the names of the columns first (ECMA-376). A number that a workbook could not
	// hold exactly is text there. NULL is a cell that is not there.
	XLSX Format = "xlsx"
)

// Formats are all formats.
var Formats = []Format{CSV, JSON, Lines, XLSX}

// A Writer writes a result set: its columns, then its rows, then the end.
type Writer interface {
	Begin([]result.Column) error
	Row(result.Row) error
	// Close writes what is left, and frees what the writer holds. It has to be called, also after an error.
	Close() error
}

// New returns a writer of a format. It fails for a format that there is not.
func New(format Format, to io.Writer) (Writer, error) {
	out := bufio.NewWriterSize(to, 1<<16)
	switch format {
	case CSV:
		return &csvWriter{out: out}, nil
	case JSON:
		return &jsonWriter{out: out}, nil
	case Lines:
		return &linesWriter{out: out, encode: encoder(out)}, nil
	case XLSX:
		return &workbook{to: to}, nil
	}
	return nil, fmt.Errorf("format %q: expected is one of %v", format, Formats)
}

// csvWriter does not use package encoding/csv, which cannot write an empty text apart from no value.
type csvWriter struct {
	out      *bufio.Writer
	families []result.Family // of the columns
}

func (w *csvWriter) Begin(columns []result.Column) error {
	w.families = make([]result.Family, len(columns))
	for i, c := range columns {
		w.families[i] = c.Type.Family()
		w.cell(i, Guard(c.Name))
	}
	return w.out.WriteByte('\n')
}

func (w *csvWriter) Row(row result.Row) error {
	for i, cell := range row {
		switch {
		case cell == nil:
			w.cell(i, "")
		case len(cell) == 0:
			w.separate(i)
			_, _ = w.out.WriteString(`""`) // an error stays, and the end of the line returns it
		case w.families[i] == result.Number || w.families[i] == result.Float:
			w.cell(i, string(cell))
		case w.families[i] == result.Boolean:
			w.cell(i, strconv.FormatBool(isTrue(cell)))
		default:
			w.cell(i, Guard(string(cell)))
		}
	}
	return w.out.WriteByte('\n')
}

func (w *csvWriter) separate(i int) {
	if i > 0 {
		_ = w.out.WriteByte(',')
	}
}

func (w *csvWriter) cell(i int, text string) {
	w.separate(i)
	if strings.ContainsAny(text, "\",\r\n") || strings.TrimSpace(text) != text {
		text = `"` + strings.ReplaceAll(text, `"`, `""`) + `"`
	}
	_, _ = w.out.WriteString(text)
}

// isTrue reads a boolean as PostgreSQL writes it.
func isTrue(cell []byte) bool { return string(cell) == "t" }

func (w *csvWriter) Close() error { return w.out.Flush() }

type jsonWriter struct {
	out     *bufio.Writer
	columns []result.Column
	rows    int64
}

func (w *jsonWriter) Begin(columns []result.Column) error {
	w.columns, w.rows = columns, 0
	type column struct {
		Name string `json:"name"`
		Type string `json:"type"`
	}
	named := make([]column, len(columns))
	for i, c := range columns {
		named[i] = column{c.Name, c.Type.Name}
	}
	head, err := json.Marshal(named)
	if err != nil {
		return err
	}
	_, err = fmt.Fprintf(w.out, "{\"columns\": %s,\n\"rows\": [", head)
	return err
}

func (w *jsonWriter) Row(row result.Row) error {
	cells := make([]any, len(row))
	for i, cell := range row {
		cells[i] = w.value(i, cell)
	}
	line, err := json.Marshal(cells)
	if err != nil {
		return err
	}
	if w.rows++; w.rows > 1 {
		_ = w.out.WriteByte(',')
	}
	_ = w.out.WriteByte('\n')
	_, err = w.out.Write(line)
	return err
}

// value returns what stands for a cell in JSON.
func (w *jsonWriter) value(i int, cell []byte) any {
	if cell == nil {
		return nil
	}
	switch w.columns[i].Type.Family() {
	case result.Number, result.Float:
		if json.Valid(cell) { // NaN and Infinity are not
			return json.RawMessage(cell)
		}
	case result.Boolean:
		return isTrue(cell)
	}
	return string(cell)
}

func (w *jsonWriter) Close() error {
	_, _ = w.out.WriteString("\n]}\n")
	return w.out.Flush()
}

type linesWriter struct {
	out    *bufio.Writer
	encode *json.Encoder
}

func encoder(out io.Writer) *json.Encoder {
	e := json.NewEncoder(out)
	e.SetEscapeHTML(false)
	return e
}

func (w *linesWriter) Begin([]result.Column) error { return nil }

func (w *linesWriter) Row(row result.Row) error {
	cells := make([]*string, len(row))
	for i, cell := range row {
		if cell != nil {
			text := string(cell)
			cells[i] = &text
		}
	}
	return w.encode.Encode(cells)
}

func (w *linesWriter) Close() error { return w.out.Flush() }
