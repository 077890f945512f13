package course

import (
	"context"
	"fmt"
	"time"

	"examen/internal/account"
	"examen/internal/core/export"
	"examen/internal/core/marking"
	"examen/internal/problem"
	"examen/internal/records/query"
)

// Report returns how a course got on, or for a learner's name how that learner did in it, to be printed.
func (f Following) Report(ctx context.Context, who account.Account, slug, learner string) (*export.Report, error) {
	if err := who.May(account.Follow, slug); err != nil {
		return nil, err
	}
	course, err := f.find(ctx, slug)
	if err != nil {
		return nil, err
	}
	r := &export.Report{Course: course.Title, Made: "As of " + when(f.now(), course.Zone)}
	if learner == "" {
		return r, f.reportCourse(ctx, course, r)
	}
	m, err := People(f).member(ctx, course, learner)
	if err != nil {
		return nil, err
	}
	if m.Role != account.Learner {
		return nil, problem.New(422, "no-learner", "There is nothing to report", "%s is no learner of %s.", learner,
			slug)
	}
	r.Learner, r.Group = m.DisplayName, m.Group
	return r, f.reportLearner(ctx, course, m, r)
}

func (f Following) reportCourse(ctx context.Context, course query.Course, r *export.Report) error {
	sets, err := f.records.CoursePapers(ctx, course.ID)
	if err != nil {
		return err
	}
	exercises, err := f.records.CourseExercises(ctx, query.CourseExercisesParams{
		CourseID: course.ID, StuckFrom: stuckFrom,
	})
	if err != nil {
		return err
	}
	for _, set := range sets {
		p := export.ReportPaper{Title: set.Title, Due: dueIn(set.CoursePaper.DueAt, course.Zone)}
		for _, e := range exercises {
			if e.PaperID != set.CoursePaper.PaperID {
				continue
			}
			one := export.ReportExercise{
				Number: int(e.Number), Title: e.Title, Points: marking.PointsOf(e.Points), Tried: int(e.Tried),
				Solved: int(e.Solved), First: int(e.First),
			}
			if e.Tried > 0 {
				one.Mean = marking.PointsOf(e.Marks).Over(int(e.Tried))
			}
			p.Points = p.Points.Plus(one.Points)
			p.Exercises = append(p.Exercises, one)
		}
		r.Points = r.Points.Plus(p.Points)
		r.Papers = append(r.Papers, p)
	}
	return f.reportMarks(ctx, course, sets, r)
}

// reportMarks adds the line of each learner.
func (f Following) reportMarks(
	ctx context.Context, course query.Course, sets []query.CoursePapersRow, r *export.Report,
) error {
	members, err := f.records.CourseMembers(ctx, course.ID)
	if err != nil {
		return err
	}
	rows, err := f.records.CourseMarks(ctx, course.ID)
	marks := map[[2]int64]string{}
	for _, row := range rows {
		marks[[2]int64{row.AccountID, row.PaperID}] = row.Mark
	}
	for _, m := range members {
		if m.Member.Role != string(account.Learner) || m.Member.LeftAt != nil {
			continue
		}
		line := export.ReportLearner{Name: m.Account.DisplayName, Login: m.Account.Name, Group: m.Member.GroupName}
		for _, set := range sets {
			mark, has := marks[[2]int64{m.Account.ID, set.CoursePaper.PaperID}]
			if has {
				mark = marking.PointsOf(mark).String()
			}
			line.Marks = append(line.Marks, mark)
			line.Sum = line.Sum.Plus(marking.PointsOf(mark))
		}
		r.Learners = append(r.Learners, line)
	}
	return err
}

func (f Following) reportLearner(
	ctx context.Context, course query.Course, m Member, r *export.Report,
) error {
	rows, err := f.records.LearnerWork(ctx, query.LearnerWorkParams{AccountID: m.ID, CourseID: course.ID})
	if err != nil {
		return err
	}
	notes, err := f.records.Notes(ctx, query.NotesParams{AccountID: &m.ID, Courses: []int64{course.ID}, Most: 1000})
	if err != nil {
		return err
	}
	for i, row := range rows {
		if i == 0 || rows[i-1].PaperID != row.PaperID {
			r.Papers = append(r.Papers, export.ReportPaper{Title: row.Paper, Due: dueIn(row.DueAt, course.Zone)})
		}
		p := &r.Papers[len(r.Papers)-1]
		e := export.ReportExercise{
			Number: int(row.Number), Title: row.Title, Points: marking.PointsOf(row.Points),
			Mark: marking.PointsOf(row.Computed), State: stateInWords(row.Outcome), Attempts: int(row.Attempts),
			SQL: row.Sql,
		}
		if row.ReceivedAt != nil {
			e.When = when(*row.ReceivedAt, course.Zone)
		}
		if row.ByHand != nil {
			e.Mark, e.Reason = marking.PointsOf(*row.ByHand), row.Reason
			e.State = fmt.Sprintf("Marked by hand (%s is computed)", marking.PointsOf(row.Computed))
		}
		for _, n := range notes {
			if n.PaperID == row.PaperID && n.Number == row.Number {
				e.Notes = append(e.Notes, export.ReportNote{By: n.MakerName, Text: n.Text})
			}
		}
		p.Exercises = append(p.Exercises, e)
		p.Mark, p.Points = p.Mark.Plus(e.Mark), p.Points.Plus(e.Points)
		r.Sum, r.Points = r.Sum.Plus(e.Mark), r.Points.Plus(e.Points)
	}
	return nil
}

func stateInWords(outcome string) string {
	switch marking.Outcome(outcome) {
	case "":
		return "Not submitted"
	case marking.Correct:
		return "Correct"
	case marking.Incorrect:
		return "Incorrect"
	case marking.Rejected:
		return "Rejected"
	case marking.Failed:
		return "Failed"
	}
	return "Stopped"
}

// dueIn is a due time in words; "" for none.
func dueIn(due *time.Time, zone string) string {
	if due == nil {
		return ""
	}
	return when(*due, zone)
}
