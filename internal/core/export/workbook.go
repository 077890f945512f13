package export

import (
	"fmt"
	"io"
	"math"
	"strconv"
	"strings"
	"time"
	"unicode/utf16"

	"github.com/xuri/excelize/v2"

	"examen/internal/core/result"
)

// TooLarge is the error of a result that a workbook cannot hold. Its text says what is too large.
type TooLarge struct{ What string }

func (e *TooLarge) Error() string {
	return e.What + " Export the result as CSV or JSON, or ask for less."
}

type workbook struct {
	to      io.Writer
	file    *excelize.File
	sheet   *excelize.StreamWriter
	columns []result.Column
	rows    int // with that of the names
	dates   map[string]int
}

func (w *workbook) Begin(columns []result.Column) error {
	w.file, w.columns, w.rows, w.dates = excelize.NewFile(), columns, 0, map[string]int{}
	name := w.file.GetSheetName(0)
	for _, format := range []string{dateFormat, momentFormat} {
		style, err := w.file.NewStyle(&excelize.Style{CustomNumFmt: &format})
		if err != nil {
			return err
		}
		w.dates[format] = style
	}
	sheet, err := w.file.NewStreamWriter(name)
	if err != nil {
		return err
	}
	w.sheet = sheet
	head := make([]any, len(columns))
	for i, c := range columns {
		head[i] = c.Name
	}
	return w.write(head)
}

func (w *workbook) Row(row result.Row) error {
	cells := make([]any, len(row))
	for i, cell := range row {
		if cell == nil {
			continue
		}
		text := string(cell)
		if len(utf16.Encode([]rune(text))) > excelize.TotalCellChars {
			return &TooLarge{fmt.Sprintf("Row %d has a text in column %d (%s) that is longer than the %d characters "+
				"that a workbook's cell can hold.", w.rows, i+1, w.columns[i].Name, excelize.TotalCellChars)}
		}
		cells[i] = w.value(w.columns[i].Type, text)
	}
	return w.write(cells)
}

func (w *workbook) write(cells []any) error {
	w.rows++
	if w.rows > excelize.TotalRows {
		return &TooLarge{fmt.Sprintf("The result has more than the %d rows that a workbook's sheet can hold.",
			excelize.TotalRows-1)}
	}
	return w.sheet.SetRow("A"+strconv.Itoa(w.rows), cells)
}

// How a workbook shows dates and times.
const (
	dateFormat   = "yyyy-mm-dd"
	momentFormat = "yyyy-mm-dd hh:mm:ss"
)

// firstDay is the first day whose number all spreadsheets agree on: some have a 29 February 1900.
var firstDay = time.Date(1900, 3, 1, 0, 0, 0, 0, time.UTC)

// value returns what stands for a cell's text in a workbook.
func (w *workbook) value(t result.Type, text string) any {
	switch family := t.Family(); family {
	case result.Number, result.Float:
		if number, whole := asNumber(family, text); whole {
			return number
		}
	case result.Boolean:
		return text == "t"
	case result.Instant:
		for layout, format := range map[string]string{time.DateOnly: dateFormat, time.DateTime: momentFormat} {
			if at, err := time.Parse(layout, text); err == nil && len(text) == len(layout) && !at.Before(firstDay) {
				return excelize.Cell{StyleID: w.dates[format], Value: at}
			}
		}
	}
	return text
}

// mostDigits is how many significant digits of an exact number a workbook keeps.
const mostDigits = 15

// asNumber returns the number that a text is, if a workbook keeps all of it.
func asNumber(family result.Family, text string) (float64, bool) {
	digits := strings.Trim(strings.NewReplacer("-", "", ".", "").Replace(text), "0")
	if family == result.Number && len(digits) > mostDigits {
		return 0, false
	}
	number, err := strconv.ParseFloat(text, 64)
	return number, err == nil && !math.IsInf(number, 0) && !math.IsNaN(number)
}

func (w *workbook) Close() error {
	defer func() { _ = w.file.Close() }() // removes its temporary files
	if err := w.sheet.Flush(); err != nil {
		return err
	}
	return w.file.Write(w.to)
}
