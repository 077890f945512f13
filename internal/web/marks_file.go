package web

import (
	"bytes"
	"context"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strconv"

	"examen/internal/core/export"
	"examen/internal/course"
	"examen/internal/problem"
	"examen/internal/web/contract"
)

func (s *server) GetMarks(
	ctx context.Context, request contract.GetMarksRequestObject,
) (contract.GetMarksResponseObject, error) {
	file, err := s.Courses.Following().Marks(ctx, who(ctx), request.Paper, request.Params.Course)
	if err != nil {
		return nil, err
	}
	return marksFile{file, request.Params.Format, request.Params.Attempts}, nil
}

// marksFile is the answer with marks, in the format that was asked for. Attempts are written as they are read.
type marksFile struct {
	*course.MarksFile
	format   contract.GetMarksParamsFormat
	attempts bool
}

// VisitGetMarksResponse sends the file.
func (m marksFile) VisitGetMarksResponse(w http.ResponseWriter) error {
	switch {
	case m.format == contract.Xlsx:
		return m.workbook(w)
	case m.format == contract.Csv && m.attempts:
		m.head(w, "text/csv", "attempts.csv")
		return m.attemptLines(w)
	case m.format == contract.Csv:
		m.head(w, "text/csv", "marks.csv")
		_, err := io.WriteString(w, marksCSV(m.Progress))
		return err
	}
	w.Header().Set("Content-Type", "application/json")
	return m.json(w)
}

func (m marksFile) head(w http.ResponseWriter, kind, name string) {
	w.Header().Set("Content-Type", kind)
	w.Header().Set("Content-Disposition", fmt.Sprintf(`attachment; filename="%s-%s"`, m.Slug, name))
}

// workbook is complete before it is sent: what goes wrong is told.
func (m marksFile) workbook(w http.ResponseWriter) error {
	var made bytes.Buffer
	err := export.MarksWorkbook(&made, m.Marks, m.Attempts)
	var large *export.TooLarge
	if errors.As(err, &large) {
		return problem.New(422, "too-large", "The workbook would be too large", "%s", large)
	} else if err != nil {
		return err
	}
	m.head(w, "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", "marks.xlsx")
	w.Header().Set("Content-Length", strconv.Itoa(made.Len()))
	_, err = made.WriteTo(w)
	return err
}

// attemptLines writes one line for each attempt.
func (m marksFile) attemptLines(to io.Writer) error {
	out := csv.NewWriter(to)
	_ = out.Write(export.AttemptsHeader) // what goes wrong, Error tells in the end
	for a, err := range m.Attempts {
		if err != nil {
			return err
		}
		line := a.Line(m.Marks.Zone)
		for i := range line {
			line[i] = export.Guard(line[i])
		}
		if err := out.Write(line); err != nil {
			return err
		}
	}
	out.Flush()
	return out.Error()
}

// json writes the marks, and where they are asked for all attempts behind them.
func (m marksFile) json(to io.Writer) error {
	p := toProgress(m.Progress)
	text, err := json.Marshal(contract.Marks{
		Paper: p.Paper, Title: p.Title, Points: p.Points, Exercises: p.Exercises, Learners: p.Learners,
	})
	if err != nil {
		return err
	}
	if !m.attempts {
		_, err = to.Write(append(text, '\n'))
		return err
	}
	if _, err := to.Write(append(bytes.TrimSuffix(text, []byte("}")), `,"attempts":[`...)); err != nil {
		return err
	}
	between := ""
	for a, err := range m.Attempts {
		if err != nil {
			return err
		}
		text, err := json.Marshal(contract.MarksAttempt{
			Learner: a.Login, DisplayName: a.Name, Course: a.Course, Exercise: a.Exercise,
			Attempt: strconv.FormatInt(a.ID, 10), At: a.Received, Outcome: contract.Outcome(a.Outcome), Mark: a.Mark,
			Points: a.Points, Counts: a.Counts, Sql: a.SQL,
		})
		if err == nil {
			_, err = to.Write(append([]byte(between), text...))
		}
		if err != nil {
			return err
		}
		between = ",\n"
	}
	_, err = io.WriteString(to, "]}\n")
	return err
}

// marksCSV writes one line per learner: name, display name, the mark of each exercise (empty without attempts), the
// sum, and the points there are.
func marksCSV(grid *course.Progress) string {
	header := []string{"name", "display_name"}
	for _, e := range grid.Exercises {
		header = append(header, e.Slug)
	}
	lines := [][]string{append(header, "mark", "points")}
	for _, l := range grid.Learners {
		line := []string{l.Name, l.DisplayName}
		for _, c := range l.Cells {
			if c.Attempts == 0 && !c.ByHand {
				line = append(line, "")
				continue
			}
			line = append(line, c.Mark.String())
		}
		lines = append(lines, append(line, l.Mark.String(), grid.Points.String()))
	}
	return export.Table(lines)
}
