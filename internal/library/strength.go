package library

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"

	"examen/internal/core/dataset"
	"examen/internal/core/pack"
	"examen/internal/grading"
	"examen/internal/practice"
	"examen/internal/records"
	"examen/internal/records/query"
)

// How strong exercises are is kept with the build that it was found on, by what else it depends on: the accepted
// answers and the rules of the check. So it is found once, whether an exercise is being written, checked, published or
// looked up, and known again at once where an answer is changed back.

// strengthVersion is raised when what is found changes: what was kept before is then found anew.
const strengthVersion = 3

// answersKey is a digest of what an exercise's strength depends on, besides the build.
func answersKey(e *pack.Exercise) string {
	text, _ := json.Marshal([]any{
		strengthVersion, e.Accepted(), e.Checking.Policy, e.Checking.Require, e.Checking.Forbid, e.Checking.Variants,
		e.Checking.Ignore, e.Checking.Accepts, e.Checking.Refuses, e.Checking.Definitions, e.Checking.Last,
	})
	sum := sha256.Sum256(text)
	return hex.EncodeToString(sum[:16])
}

// strengths are those on one build.
type strengths struct {
	library *Library
	build   int64
}

// Get returns an exercise's strength; nil where it is not known.
func (s strengths) Get(ctx context.Context, e *pack.Exercise) (*grading.Strength, error) {
	known, err := s.library.strengths(ctx, s.build, []string{answersKey(e)})
	return known[answersKey(e)], err
}

// Keep keeps an exercise's strength.
func (s strengths) Keep(ctx context.Context, e *pack.Exercise, found *grading.Strength) error {
	text, err := json.Marshal(found)
	if err != nil {
		return err
	}
	return s.library.records.KeepStrength(ctx, query.KeepStrengthParams{
		BuildID: s.build, Answers: answersKey(e), Found: text,
	})
}

// strengths are those that are known of answers on a build, by the answers' digest.
func (l *Library) strengths(ctx context.Context, build int64, of []string) (map[string]*grading.Strength, error) {
	rows, err := l.records.Strengths(ctx, query.StrengthsParams{BuildID: build, Of: of})
	all := map[string]*grading.Strength{}
	for _, row := range rows {
		all[row.Answers] = strengthOf(row.Found)
	}
	return all, err
}

// strengthOf reads a strength as it was kept; nil for none.
func strengthOf(text json.RawMessage) *grading.Strength {
	if len(text) == 0 {
		return nil
	}
	found := &grading.Strength{}
	_ = json.Unmarshal(text, found) // written by Keep
	return found
}

// TablesOf are the tables of a build.
func TablesOf(ctx context.Context, l *Library, build int64) (*dataset.Catalogue, error) {
	b, err := l.records.BuildByID(ctx, build)
	if err != nil {
		return nil, err
	}
	return tablesOf(b), nil
}

// tablesOf are what a build holds.
func tablesOf(b query.Build) *dataset.Catalogue {
	tables := &dataset.Catalogue{}
	_ = json.Unmarshal(b.Catalogue, tables) // written by use and by keep
	return tables
}

// inspection is one of a paper on a build.
func (l *Library) inspection(paper *pack.Paper, b query.Build, step func(string)) grading.Inspection {
	return grading.Inspection{
		Paper: paper, Database: b.Database, Variants: variantsOf(b.Variants), Tables: tablesOf(b), Step: step,
		Known: strengths{l, b.ID},
	}
}

// measure finds the strength of published exercises of which it is not known, one after the other. Where a build is
// replaced meanwhile, the rest is found on the one that is in use then.
func (l *Library) measure(ctx context.Context, _ int64) error {
	for after := int64(0); ; {
		row, err := l.records.Unmeasured(ctx, after)
		if records.Missing(err) {
			return nil
		} else if err != nil {
			return err
		}
		after = row.ExerciseNow.ID
		e, err := exerciseOf(row.ExerciseNow)
		if err != nil {
			return err
		}
		paper := &pack.Paper{Sections: []pack.Section{{Slug: e.Slug, Exercise: &e.Exercise}}}
		in := l.inspection(paper, query.Build{
			ID: row.BuildID, Database: row.Database, Variants: row.Variants, Catalogue: row.Catalogue,
		}, func(string) {})
		_, err = l.grader.Inspect(ctx, in)
		if errors.Is(err, practice.ErrGone) {
			continue // it was dropped meanwhile, or is being made again
		} else if err != nil {
			return err
		}
	}
}

// measureLater has the strength of exercises found in the background.
func measureLater(ctx context.Context, t *records.Transaction) error {
	return t.Enqueue(ctx, records.Task{Kind: records.MeasureStrength})
}

// forgetStrengths forgets what was found on builds that are no longer kept, and has what is not known found.
func (l *Library) forgetStrengths(ctx context.Context) error {
	if err := l.records.ForgetStrengths(ctx); err != nil {
		return err
	}
	return l.records.Together(ctx, func(t *records.Transaction) error { return measureLater(ctx, t) })
}
