package course

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"time"

	"examen/internal/account"
	"examen/internal/core/marking"
	"examen/internal/core/sqltext"
	"examen/internal/records/query"
)

// An Overview is how a course gets on as a whole.
type Overview struct {
	Course   Course
	Learners int
	Papers   []PaperOverview
	Topics   []Topic  // the least understood first
	Help     []Need   // who may need help, those with most reasons first
	Days     []Active // the last days, also those on which nothing was done
	Reviews  int      // attempts that need an eye
}

// A PaperOverview is how far the class is with a paper.
type PaperOverview struct {
	Slug, Title  string
	State        marking.State
	Due          time.Time
	Exercises    int
	Begun, Done  int // learners who have tried an exercise of it, and who have solved all of them
	Tried        int // exercises, of all learners
	Solved       int
	Stuck        int            // learners who are stuck at an exercise of it
	Mean, Points marking.Points // the mean mark of those who have begun, to two decimals
}

// A Topic is how a class does at exercises that are about something, such as joins.
type Topic struct {
	Name                 string
	Exercises            []string // addresses
	Tried, First, Solved int      // how often an exercise was tried, solved at the first try, and solved at all
}

// A Need is a learner who may need help, with why.
type Need struct {
	Learner, Name, Group string
	Reasons              []Reason
}

// A Reason is one why a learner may need help. At what is "" where it is about all of a paper, or of the course.
type Reason struct {
	Kind            string // ReasonStuck, ReasonNotBegun or ReasonFewSolved
	Paper, Exercise string
	Due             time.Time // of a paper that was not begun
	Tried, Solved   int       // of who has solved few
}

// Why a learner may need help: stuck at an exercise of a paper that is open; an open paper that is due soon and not
// begun; or fewer than half solved of at least four exercises tried in all papers.
const (
	ReasonStuck     = "stuck"
	ReasonNotBegun  = "not-begun"
	ReasonFewSolved = "few-solved"
)

const (
	stuckFrom  = 3              // attempts without coming nearer, from which somebody is stuck
	soon       = 72 * time.Hour // from which on a paper is due soon
	fewOf      = 4              // exercises tried, from which on a share says something
	mostNeeds  = 25
	activeDays = 14
)

// An Active is what was done in a course on a day.
type Active struct {
	Day                      time.Time // its date
	Attempts, Runs, Learners int
}

// Overview returns how a course gets on.
func (f Following) Overview(ctx context.Context, who account.Account, slug string) (*Overview, error) {
	if err := who.May(account.Follow, slug); err != nil {
		return nil, err
	}
	detail, err := f.Course(ctx, who, slug)
	if err != nil {
		return nil, err
	}
	course, err := f.find(ctx, slug)
	if err != nil {
		return nil, err
	}
	o := &Overview{Course: detail.Course, Learners: detail.Learners}
	exercises, err := f.records.CourseExercises(ctx, query.CourseExercisesParams{
		CourseID: course.ID, StuckFrom: stuckFrom,
	})
	if err != nil {
		return nil, err
	}
	sets, err := f.records.CoursePapers(ctx, course.ID)
	if err != nil {
		return nil, err
	}
	var papers []int64
	for _, row := range sets {
		papers = append(papers, row.CoursePaper.PaperID)
	}
	learners, err := f.records.CourseLearners(ctx, query.CourseLearnersParams{
		CourseID: course.ID, Papers: papers, StuckFrom: stuckFrom,
	})
	if err != nil {
		return nil, err
	}
	now := f.now()
	byID := map[int64]*PaperOverview{}
	for i, row := range sets {
		p := detail.Papers[i]
		o.Papers = append(o.Papers, PaperOverview{
			Slug: row.Slug, Title: row.Title, State: p.State, Due: p.Span.Due,
		})
	}
	for i, row := range sets {
		byID[row.CoursePaper.PaperID] = &o.Papers[i]
	}
	o.Topics = topicsOf(byID, exercises)
	farOf(byID, exercises, learners)
	o.Help = needsOf(byID, learners, now)
	if o.Days, err = f.days(ctx, course, now); err != nil {
		return nil, err
	}
	reviews, err := f.records.CountReviews(ctx, course.ID)
	o.Reviews = int(reviews)
	return o, err
}

// topicsOf adds up how the class does by what exercises are about.
func topicsOf(papers map[int64]*PaperOverview, exercises []query.CourseExercisesRow) (all []Topic) {
	for _, e := range exercises {
		q, err := sqltext.ReadQuery(e.Reference)
		if err != nil || e.Tried == 0 {
			continue
		}
		for _, name := range q.Topics() {
			at := slices.IndexFunc(all, func(t Topic) bool { return t.Name == name })
			if at < 0 {
				at = len(all)
				all = append(all, Topic{Name: name})
			}
			t := &all[at]
			t.Exercises = append(t.Exercises, fmt.Sprintf("%s/%d", papers[e.PaperID].Slug, e.Number))
			t.Tried, t.First, t.Solved = t.Tried+int(e.Tried), t.First+int(e.First), t.Solved+int(e.Solved)
		}
	}
	slices.SortStableFunc(all, func(a, b Topic) int { return cmp.Compare(a.First*b.Tried, b.First*a.Tried) })
	return all
}

// farOf adds up how far the class is with each paper.
func farOf(
	papers map[int64]*PaperOverview, exercises []query.CourseExercisesRow, learners []query.CourseLearnersRow,
) {
	marks := map[int64]marking.Points{}
	for _, e := range exercises {
		p := papers[e.PaperID]
		p.Exercises, p.Points = p.Exercises+1, p.Points.Plus(marking.PointsOf(e.Points))
		p.Tried, p.Solved = p.Tried+int(e.Tried), p.Solved+int(e.Solved)
		marks[e.PaperID] = marks[e.PaperID].Plus(marking.PointsOf(e.Marks))
	}
	for _, l := range learners {
		p := papers[l.PaperID]
		if l.Tried > 0 {
			p.Begun++
		}
		if l.Tried > 0 && int(l.Solved) == p.Exercises {
			p.Done++
		}
		if len(l.Stuck) > 0 {
			p.Stuck++
		}
	}
	for id, p := range papers {
		if p.Begun > 0 {
			p.Mean = marks[id].Over(p.Begun)
		}
	}
}

// needsOf finds who may need help; learners are in the order of their names, each with all papers.
func needsOf(papers map[int64]*PaperOverview, learners []query.CourseLearnersRow, now time.Time) (all []Need) {
	for rest := learners; len(rest) > 0; {
		n := 1
		for n < len(rest) && rest[n].AccountID == rest[0].AccountID {
			n++
		}
		need := Need{Learner: rest[0].Name, Name: rest[0].DisplayName, Group: rest[0].GroupName}
		tried, solved := 0, 0
		for _, row := range rest[:n] {
			tried, solved = tried+int(row.Tried), solved+int(row.Solved)
			p := papers[row.PaperID]
			if p.State != marking.Open && p.State != marking.Overdue {
				continue
			}
			for _, exercise := range row.Stuck {
				need.Reasons = append(need.Reasons, Reason{Kind: ReasonStuck, Paper: p.Slug, Exercise: exercise})
			}
			if row.Tried == 0 && !p.Due.IsZero() && p.Due.Sub(now) < soon {
				need.Reasons = append(need.Reasons, Reason{Kind: ReasonNotBegun, Paper: p.Slug, Due: p.Due})
			}
		}
		if tried >= fewOf && 2*solved < tried {
			need.Reasons = append(need.Reasons, Reason{Kind: ReasonFewSolved, Tried: tried, Solved: solved})
		}
		if len(need.Reasons) > 0 {
			all = append(all, need)
		}
		rest = rest[n:]
	}
	slices.SortStableFunc(all, func(a, b Need) int { return len(b.Reasons) - len(a.Reasons) })
	return all[:min(len(all), mostNeeds)]
}

// days reads what was done in a course on each of the last days of its zone, today last.
func (f Following) days(ctx context.Context, course query.Course, now time.Time) (all []Active, err error) {
	zone, err := time.LoadLocation(course.Zone)
	if err != nil {
		return nil, err
	}
	today := now.In(zone)
	first := time.Date(today.Year(), today.Month(), today.Day()-activeDays+1, 0, 0, 0, 0, zone)
	rows, err := f.records.CourseDays(ctx, query.CourseDaysParams{CourseID: &course.ID, Since: first})
	for i := range activeDays {
		day := Active{Day: time.Date(first.Year(), first.Month(), first.Day()+i, 0, 0, 0, 0, time.UTC)}
		for _, row := range rows {
			if row.Day == day.Day.Format(time.DateOnly) {
				day.Attempts, day.Runs, day.Learners = int(row.Attempts), int(row.Runs), int(row.Learners)
			}
		}
		all = append(all, day)
	}
	return all, err
}
