package export

import (
	"bytes"
	"errors"
	"fmt"
	"iter"
	"strings"
	"testing"
	"time"

	"github.com/xuri/excelize/v2"

	"examen/internal/core/marking"
)

// class is a class of two learners and two exercises.
func class() Marks {
	mark := func(text string) Mark { return Mark{Points: marking.PointsOf(text)} }
	hand := mark("0.5")
	hand.ByHand = true
	return Marks{
		Zone: time.FixedZone("Somewhere", 3600),
		Exercises: []MarksExercise{
			{1, "all-hives", marking.PointsOf("1")}, {2, "strong-hives", marking.PointsOf("2.5")},
		},
		Learners: []MarksLearner{
			{"robin", "Robin Ashgrove", "Durn", "evening", []Mark{mark("1"), hand}},
			{"=alma", "Alma Quillon", "", "evening", []Mark{{None: true}, mark("2.5")}},
		},
	}
}

func attemptsOf(all ...MarksAttempt) iter.Seq2[MarksAttempt, error] {
	return func(yield func(MarksAttempt, error) bool) {
		for _, a := range all {
			if !yield(a, nil) {
				return
			}
		}
	}
}

// A workbook of marks: sums and means are formulas over the cells that they are of, with what they come to; heads and
// names stay in sight; nobody's name is a formula.
func TestMarksWorkbook(t *testing.T) {
	var made bytes.Buffer
	err := MarksWorkbook(&made, class(), attemptsOf(MarksAttempt{
		Login: "robin", Name: "Robin Ashgrove", Course: "evening", Number: 2, Exercise: "strong-hives", ID: 17,
		Received: time.Date(2026, 11, 26, 23, 30, 0, 0, time.UTC), Outcome: marking.Incorrect,
		Points: marking.PointsOf("2.5"),
		Counts: true, SQL: "=cmd()",
	}))
	if err != nil {
		t.Fatal(err)
	}
	file, err := excelize.OpenReader(&made)
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = file.Close() }()
	for at, want := range map[string]string{
		"A3": "robin", "E1": "1. all-hives", "F2": "2.5", "F3": "0.5", "E4": "", "G3": "=SUM(E3:F3) 1.5",
		"G2": "=SUM(E2:F2) 3.5", "E5": "=AVERAGE(E3:E4) 1", "F5": "=AVERAGE(F3:F4) 1.5", "G5": "=AVERAGE(G3:G4) 2",
		"A4": "=alma", "A7": "Marks in italics were set by hand.",
	} {
		got := cell(t, file, "Marks", at)
		if got != want {
			t.Errorf("%s is %q, want %q", at, got, want)
		}
		computed, err := file.CalcCellValue("Marks", at)
		if _, stored, is := strings.Cut(want, " "); is && strings.HasPrefix(want, "=S") && (err != nil ||
			computed != stored) {
			t.Errorf("%s computes to %q (%v)", at, computed, err)
		}
	}
	for at, want := range map[string]string{"F2": "2026-11-27 00:30:00", "K2": "=cmd()", "G2": "incorrect",
		"J2": "yes"} {
		if got := cell(t, file, "Attempts", at); got != want {
			t.Errorf("attempts, %s is %q, want %q", at, got, want)
		}
	}
	for sheet, want := range map[string]string{"Marks": "4 2", "Attempts": "0 1"} {
		panes, err := file.GetPanes(sheet)
		if got := fmt.Sprint(panes.XSplit, panes.YSplit); err != nil || !panes.Freeze || got != want {
			t.Errorf("%s: %s stay in sight (%v)", sheet, got, err)
		}
	}
}

// cell is a cell's value, behind its formula if it has one.
func cell(t *testing.T, file *excelize.File, sheet, at string) string {
	t.Helper()
	value, err := file.GetCellValue(sheet, at)
	if err != nil {
		t.Fatal(err)
	}
	if formula, _ := file.GetCellFormula(sheet, at); formula != "" {
		return "=" + formula + " " + value
	}
	return value
}

// What goes wrong while attempts are read is told, and no file is made of the rest; a class without anybody is a file.
func TestMarksWorkbookThatFails(t *testing.T) {
	lost := errors.New("the connection is lost")
	var made bytes.Buffer
	err := MarksWorkbook(&made, class(), func(yield func(MarksAttempt, error) bool) { yield(MarksAttempt{}, lost) })
	if !errors.Is(err, lost) || made.Len() > 0 {
		t.Errorf("got %v, and %d bytes", err, made.Len())
	}
	if err := MarksWorkbook(&made, Marks{Zone: time.UTC}, attemptsOf()); err != nil || made.Len() == 0 {
		t.Errorf("nobody: %v", err)
	}
}

// A report of a learner says what counts and why; texts are texts, whatever is in them.
func TestReport(t *testing.T) {
	var page bytes.Buffer
	err := Report{
		Course: "Evening <group>", Learner: "Robin", Sum: marking.PointsOf("0.5"), Points: marking.PointsOf("2"),
		Papers: []ReportPaper{{Title: "First", Exercises: []ReportExercise{{
			Number: 1, Title: "All hives", Mark: marking.PointsOf("0.5"), Points: marking.PointsOf("2"), Attempts: 1,
			State: "Marked by hand (0 is computed)", Reason: "half right", SQL: "SELECT '<b>'",
			Notes: []ReportNote{{"Hazel", "Look at\nNULL."}},
		}}}},
	}.HTML(&page)
	for _, want := range []string{
		"Evening &lt;group&gt;", "0.5 of 2 points", "Marked by hand (0 is computed): half right.", "1 attempt",
		"SELECT &#39;&lt;b&gt;&#39;", "Note by Hazel:",
	} {
		if err != nil || !strings.Contains(page.String(), want) {
			t.Errorf("%q is missing (%v)", want, err)
		}
	}
}
