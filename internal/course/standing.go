package course

import (
	"context"
	"time"

	"examen/internal/account"
	"examen/internal/core/marking"
	"examen/internal/records/query"
)

// A Standing is how a learner stands on an exercise.
type Standing struct {
	Outcome  marking.Outcome // of the attempt that counts; "" without attempts
	Mark     marking.Points
	ByHand   bool       // the mark was set by hand
	Reason   string     // why, then
	CountsAt *time.Time // when the attempt that counts was received; nil without one
	Attempts int
	Used     int // of those that the exercise allows
	// HiddenOnly is how many attempts were right on all rows that a learner sees and wrong on hidden ones.
	HiddenOnly int
	Tries      int           // attempts up to the first that was correct, that one counted; 0 without one
	Stuck      int           // attempts since the last that came nearer to what is expected; 0 once one was correct
	Worked     time.Duration // until the first correct attempt, or the last; pauses are left out
	Last       time.Time     // when the last attempt was received
}

func standingOf(row query.Standing) Standing {
	return Standing{
		Outcome:    marking.Outcome(row.Outcome),
		Mark:       markOf(row),
		ByHand:     row.ByHand != nil,
		Attempts:   int(row.Attempts),
		Used:       int(row.Used),
		HiddenOnly: int(row.HiddenOnly),
		Tries:      tries(row.Tries),
		Stuck:      int(row.Stuck),
		Worked:     time.Duration(row.Worked * float64(time.Second)),
		Last:       row.LastAt,
	}
}

func tries(n *int32) int {
	if n == nil {
		return 0
	}
	return int(*n)
}

// Standing returns how an account stands on the exercises of a paper, keyed by exercise id: as much as it may be told.
func (m Marking) Standing(ctx context.Context, who account.Account, r *Reading) (map[int64]Standing, error) {
	rows, err := m.records.OwnStanding(
		ctx, query.OwnStandingParams{PaperID: r.ID, AccountID: who.ID, CourseID: r.Course},
	)
	all := map[int64]Standing{}
	for _, row := range rows {
		s := standingOf(row.Standing)
		s.CountsAt, s.Reason = row.CountsAt, row.Reason
		if !r.Told {
			s = Standing{Attempts: s.Attempts, Used: s.Used}
		}
		all[row.Standing.ExerciseID] = s
	}
	return all, err
}
