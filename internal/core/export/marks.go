package export

import (
	"fmt"
	"io"
	"iter"
	"strconv"
	"time"

	"github.com/xuri/excelize/v2"

	"examen/internal/core/marking"
)

// Marks are the marks of a class for a paper.
type Marks struct {
	Exercises []MarksExercise
	Learners  []MarksLearner
	Zone      *time.Location // in which times are told
}

// A MarksExercise is a column of marks.
type MarksExercise struct {
	Number int
	Slug   string
	Points marking.Points
}

// A MarksLearner is a line of marks.
type MarksLearner struct {
	Login, Name, Group, Course string
	Marks                      []Mark // one for each exercise
}

// A Mark is a learner's for an exercise.
type Mark struct {
	Points marking.Points
	None   bool // nothing was submitted, and nothing set by hand
	ByHand bool
}

// A MarksAttempt is an attempt at one of the exercises.
type MarksAttempt struct {
	Login, Name, Course string
	Number              int    // of the exercise
	Exercise            string // its slug
	ID                  int64
	Received            time.Time
	Outcome             marking.Outcome
	Mark, Points        marking.Points
	Counts              bool // it is the one that counts
	SQL                 string
}

// AttemptsHeader names the columns of attempts.
var AttemptsHeader = []string{
	"login", "name", "course", "exercise", "attempt", "received", "outcome", "mark", "points", "counts", "sql",
}

// Line is the attempt as a line of a table.
func (a MarksAttempt) Line(zone *time.Location) []string {
	counts := ""
	if a.Counts {
		counts = "yes"
	}
	return []string{
		a.Login, a.Name, a.Course, a.Exercise, strconv.FormatInt(a.ID, 10), a.Received.In(zone).Format(time.DateTime),
		string(a.Outcome), a.Mark.String(), a.Points.String(), counts, a.SQL,
	}
}

// MarksWorkbook writes marks as a workbook of two sheets: one of marks, whose sums and means are formulas, and one of
// attempts. Heads and names stay in sight. It is a *TooLarge where a sheet cannot hold the attempts.
func MarksWorkbook(to io.Writer, m Marks, attempts iter.Seq2[MarksAttempt, error]) error {
	file := excelize.NewFile()
	defer func() { _ = file.Close() }()
	w := &marksWriter{file: file, Marks: m}
	if err := w.styles(); err != nil {
		return err
	}
	if err := file.SetSheetName(file.GetSheetName(0), "Marks"); err != nil {
		return err
	}
	if _, err := file.NewSheet("Attempts"); err != nil {
		return err
	}
	if err := w.marks(); err != nil {
		return err
	}
	if err := w.attempts(attempts); err != nil {
		return err
	}
	return file.Write(to)
}

// marksWriter is a workbook of marks being written.
type marksWriter struct {
	Marks
	file               *excelize.File
	bold, hand, moment int // styles
}

func (w *marksWriter) styles() (err error) {
	format := momentFormat
	for style, to := range map[*excelize.Style]*int{
		{Font: &excelize.Font{Bold: true}}:   &w.bold,
		{Font: &excelize.Font{Italic: true}}: &w.hand,
		{CustomNumFmt: &format}:              &w.moment,
	} {
		if *to, err = w.file.NewStyle(style); err != nil {
			return err
		}
	}
	return nil
}

// Columns before those of exercises, and rows before those of learners.
const (
	nameColumns = 4
	headRows    = 2
)

// sheet begins a sheet whose first rows and columns stay in sight.
func (w *marksWriter) sheet(name string, rows, columns int, widths ...float64) (*excelize.StreamWriter, error) {
	sheet, err := w.file.NewStreamWriter(name)
	if err != nil {
		return nil, err
	}
	for i, width := range widths {
		if err := sheet.SetColWidth(i+1, i+1, width); err != nil {
			return nil, err
		}
	}
	corner, err := excelize.CoordinatesToCellName(columns+1, rows+1)
	if err != nil {
		return nil, err
	}
	pane := "bottomLeft"
	if columns > 0 {
		pane = "bottomRight"
	}
	return sheet, sheet.SetPanes(&excelize.Panes{
		Freeze: true, XSplit: columns, YSplit: rows, TopLeftCell: corner, ActivePane: pane,
	})
}

// marks writes the sheet of marks.
func (w *marksWriter) marks() error {
	sheet, err := w.sheet("Marks", headRows, nameColumns, 16, 24, 14, 18)
	if err != nil {
		return err
	}
	head := w.all("Login", "Name", "Group", "Course")
	points := w.all("", "Points", "", "")
	var sum marking.Points
	for _, e := range w.Exercises {
		head = append(head, w.cell(fmt.Sprintf("%d. %s", e.Number, e.Slug)))
		points = append(points, w.cell(number(e.Points)))
		sum = sum.Plus(e.Points)
	}
	first, last := nameColumns+1, nameColumns+len(w.Exercises)
	head, points = append(head, w.cell("Sum")), append(points, w.total("SUM", first, 2, last, 2, number(sum)))
	for i, row := range [][]any{head, points} {
		if err := sheet.SetRow("A"+strconv.Itoa(i+1), row); err != nil {
			return err
		}
	}
	handed := false
	for i, l := range w.Learners {
		at := headRows + 1 + i
		row := []any{l.Login, l.Name, l.Group, l.Course}
		var sum marking.Points
		for _, m := range l.Marks {
			sum = sum.Plus(m.Points)
			switch {
			case m.None:
				row = append(row, nil)
			case m.ByHand:
				handed = true
				row = append(row, excelize.Cell{StyleID: w.hand, Value: number(m.Points)})
			default:
				row = append(row, number(m.Points))
			}
		}
		row = append(row, w.total("SUM", first, at, last, at, number(sum)))
		if err := sheet.SetRow("A"+strconv.Itoa(at), row); err != nil {
			return err
		}
	}
	if err := w.means(sheet, handed); err != nil {
		return err
	}
	return sheet.Flush()
}

// means writes, beneath the marks, the mean of each column, and what italics mean.
func (w *marksWriter) means(sheet *excelize.StreamWriter, handed bool) error {
	if len(w.Learners) == 0 {
		return nil
	}
	from, to := headRows+1, headRows+len(w.Learners)
	row := w.all("", "Mean", "", "")
	for column := nameColumns + 1; column <= nameColumns+len(w.Exercises)+1; column++ {
		sum, n := 0.0, 0
		for _, l := range w.Learners {
			if column > nameColumns+len(w.Exercises) {
				for _, m := range l.Marks {
					sum += number(m.Points)
				}
				n++
			} else if m := l.Marks[column-nameColumns-1]; !m.None {
				sum, n = sum+number(m.Points), n+1
			}
		}
		if n == 0 { // the mean of nothing is an error
			row = append(row, nil)
			continue
		}
		row = append(row, w.total("AVERAGE", column, from, column, to, sum/float64(n)))
	}
	if err := sheet.SetRow("A"+strconv.Itoa(to+1), row); err != nil || !handed {
		return err
	}
	return sheet.SetRow("A"+strconv.Itoa(to+3), []any{
		excelize.Cell{StyleID: w.hand, Value: "Marks in italics were set by hand."},
	})
}

// attempts writes the sheet of attempts.
func (w *marksWriter) attempts(attempts iter.Seq2[MarksAttempt, error]) error {
	sheet, err := w.sheet("Attempts", 1, 0, 16, 24, 18, 26, 10, 20, 12, 8, 8, 8, 100)
	if err != nil {
		return err
	}
	if err := sheet.SetRow("A1", w.all(AttemptsHeader...)); err != nil {
		return err
	}
	at := 1
	for a, err := range attempts {
		if err != nil {
			return err
		}
		if at++; at > excelize.TotalRows {
			return &TooLarge{fmt.Sprintf("The paper has more than the %d attempts that a workbook's sheet can hold.",
				excelize.TotalRows-1)}
		}
		counts := ""
		if a.Counts {
			counts = "yes"
		}
		sql := a.SQL
		if runes := []rune(sql); len(runes) > excelize.TotalCellChars/2 {
			sql = string(runes[:excelize.TotalCellChars/2]) + " …"
		}
		received := a.Received.In(w.Zone)
		wall := time.Date( // workbooks know no zones
			received.Year(), received.Month(), received.Day(), received.Hour(), received.Minute(), received.Second(),
			0, time.UTC)
		if err := sheet.SetRow("A"+strconv.Itoa(at), []any{
			a.Login, a.Name, a.Course, fmt.Sprintf("%d. %s", a.Number, a.Exercise), a.ID,
			excelize.Cell{StyleID: w.moment, Value: wall}, string(a.Outcome), number(a.Mark), number(a.Points), counts,
			sql,
		}); err != nil {
			return err
		}
	}
	return sheet.Flush()
}

// cell is a cell of a head.
func (w *marksWriter) cell(value any) excelize.Cell {
	return excelize.Cell{StyleID: w.bold, Value: value}
}

func (w *marksWriter) all(texts ...string) (cells []any) {
	for _, text := range texts {
		cells = append(cells, w.cell(text))
	}
	return cells
}

// total is a formula over a range of cells, with what it comes to for who reads the file without computing it.
func (w *marksWriter) total(function string, fromColumn, fromRow, toColumn, toRow int, value float64) excelize.Cell {
	from, _ := excelize.CoordinatesToCellName(fromColumn, fromRow) // both are at least 1
	to, _ := excelize.CoordinatesToCellName(toColumn, toRow)
	return excelize.Cell{StyleID: w.bold, Formula: function + "(" + from + ":" + to + ")", Value: value}
}

// number is points as a workbook keeps them.
func number(p marking.Points) float64 {
	value, _ := strconv.ParseFloat(p.String(), 64)
	return value
}
