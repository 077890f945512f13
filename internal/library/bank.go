package library

import (
	"context"
	"encoding/json"
	"slices"
	"strings"

	"examen/internal/account"
	"examen/internal/core/marking"
	"examen/internal/core/pack"
	"examen/internal/core/sqltext"
	"examen/internal/grading"
	"examen/internal/records"
	"examen/internal/records/query"
)

// Exercises are found by what they are about: an index of each version holds its words, and what its reference answer
// uses and gives.

// indexExercises brings the index up to date.
func (l *Library) indexExercises(ctx context.Context) error {
	rows, err := l.records.Unindexed(ctx)
	if err != nil {
		return err
	}
	for _, row := range rows {
		if err := l.index(ctx, row.ExerciseNow, row.Database); err != nil {
			return err
		}
	}
	return l.records.Together(ctx, func(t *records.Transaction) error { return measureLater(ctx, t) })
}

func (l *Library) index(ctx context.Context, row query.ExerciseNow, database string) error {
	e, err := exerciseOf(row)
	if err != nil {
		return err
	}
	kept := query.IndexExerciseParams{
		ExerciseID: e.ID, VersionID: e.Version, Tables: []string{}, Constructs: []string{}, Columns: []string{},
		AnswerKey: strings.ToLower(strings.Join(strings.Fields(strings.TrimRight(e.Reference, "; \n")), " ")),
	}
	words := []string{e.Title}
	for _, b := range e.Blocks {
		words = append(words, b.Text)
	}
	kept.Words = strings.Join(append(words, e.Accepted()...), "\n")
	answers := answersKey(&e.Exercise)
	kept.Answers = &answers
	if statements, err := sqltext.ReadStatements(e.Reference); err == nil {
		for used := range sqltext.UsesOf(statements) {
			if table, is := strings.CutPrefix(used, "table:"); is {
				kept.Tables = append(kept.Tables, table)
			} else {
				kept.Constructs = append(kept.Constructs, used)
			}
		}
	}
	slices.Sort(kept.Tables)
	slices.Sort(kept.Constructs)
	checking := e.Checking
	checking.Show = pack.ShowColumns
	if expected, err := l.grader.Expect(ctx, e.Reference, database, checking); err == nil {
		for _, c := range expected.Columns {
			kept.Columns = append(kept.Columns, strings.ToLower(c.Name))
		}
	}
	return l.records.IndexExercise(ctx, kept)
}

// A Search says which exercises are looked for: those that have all that is not empty.
type Search struct {
	Text, Dataset, Table, Construct string
	Column                          string // of the result
}

// A Found is an exercise that was found, with its record. Several papers may have it.
type Found struct {
	Title, Dataset, Reference   string
	Tables, Constructs, Columns []string
	In                          []FoundIn
	// Learners have tried it, Solved of them have solved it, in SolvedAttempts attempts; Attempts are all.
	Learners, Solved, Attempts, SolvedAttempts int
}

// FoundIn is a paper that has an exercise.
type FoundIn struct {
	Paper, PaperTitle, Exercise string
	Number                      int
	Points                      marking.Points
	Strength                    *grading.Strength // nil where it is not known yet
}

// Find finds exercises of published papers. Those of one dataset with the same reference answer and the same title are
// one.
func (a *Authoring) Find(ctx context.Context, who account.Account, s Search) ([]Found, error) {
	if err := who.May(account.Prepare); err != nil {
		return nil, err
	}
	for _, text := range []*string{&s.Text, &s.Dataset, &s.Table, &s.Construct, &s.Column} {
		if *text = strings.TrimSpace(*text); !records.IsText(*text) || len(*text) > 200 {
			return []Found{}, nil
		}
	}
	like := ""
	if s.Text != "" {
		like = "%" + strings.NewReplacer(`\`, `\\`, `%`, `\%`, `_`, `\_`).Replace(s.Text) + "%"
	}
	rows, err := a.records.FindExercises(ctx, query.FindExercisesParams{
		Text: like, Dataset: s.Dataset, TableName: strings.ToLower(s.Table),
		Construct: strings.ToLower(s.Construct), ResultColumn: strings.ToLower(s.Column),
	})
	all := []Found{}
	key := ""
	for _, row := range rows {
		if own := row.Dataset + "\n" + row.AnswerKey; own != key || len(all) == 0 {
			all = append(all, Found{
				Title: row.Title, Dataset: row.Dataset, Reference: row.Reference,
				Tables: row.Tables, Constructs: row.Constructs, Columns: row.Columns,
			})
			key = own
		}
		f := &all[len(all)-1]
		f.In = append(f.In, FoundIn{row.Paper, row.PaperTitle, row.Slug, int(row.Number),
			marking.PointsOf(row.Points), strengthOf(row.Strength)})
		f.Learners += int(row.Learners)
		f.Solved += int(row.Solved)
		f.Attempts += int(row.Attempts)
		f.SolvedAttempts += int(row.Solving)
	}
	return all, err
}

func asJSON(v any) string {
	text, _ := json.Marshal(v)
	return string(text)
}
