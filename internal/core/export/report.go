package export

import (
	_ "embed"
	"html/template"
	"io"

	"examen/internal/core/marking"
)

// A Report is how a course, or one of its learners, got on, as a page that prints well. Times are in words already.
type Report struct {
	Course, Learner string // Learner is "" in the report of a whole course
	Group           string
	Made            string
	Sum, Points     marking.Points // of the learner, over all papers
	Papers          []ReportPaper
	Learners        []ReportLearner // of the course
}

// A ReportPaper is a paper in a report.
type ReportPaper struct {
	Title, Due   string
	Mark, Points marking.Points // Mark is the learner's
	Exercises    []ReportExercise
}

// A ReportExercise is an exercise in a report: of a learner how they stand on it, of a course how the class does.
type ReportExercise struct {
	Number               int
	Title                string
	Points, Mark, Mean   marking.Points
	Tried, Solved, First int
	State, Reason, When  string
	Attempts             int
	SQL                  string // of the attempt that counts; "" for none
	Notes                []ReportNote
}

// A ReportNote is a note that a learner was written.
type ReportNote struct{ By, Text string }

// A ReportLearner is a line of marks, one for each paper; "" where nothing was submitted.
type ReportLearner struct {
	Name, Login, Group string
	Marks              []string
	Sum                marking.Points
}

//go:embed report.html
var reportHTML string

var reportPage = template.Must(template.New("report").Parse(reportHTML))

// HTML writes the report as a page.
func (r Report) HTML(to io.Writer) error { return reportPage.Execute(to, r) }
