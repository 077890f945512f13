package course

import (
	"context"
	"slices"
	"time"

	"examen/internal/account"
	"examen/internal/core/marking"
	"examen/internal/library"
	"examen/internal/records/query"
)

// SameAnswers are answers of a class to a paper's exercises that are the same but for names, layout and letter case.
// They are there to be looked at, and accuse nobody: short exercises make equal answers likely.
type SameAnswers struct {
	Paper, Title string
	Texts        []SameText
	Pairs        []SamePair
}

// A SameText is a text that several learners wrote.
type SameText struct {
	Exercise, Title string
	Number          int
	Tried           int // how many learners tried the exercise
	Writers         []Writer
	SQL             string // as the first of them wrote it
	Outcome         marking.Outcome
}

// A Writer is a learner who wrote a text, and when they submitted it first.
type Writer struct {
	Learner, Name string
	Attempt       int64
	At            time.Time
}

// A SamePair are two learners who wrote rare texts in common at several exercises.
type SamePair struct {
	Learners  [2]Writer // who they are
	Exercises []int     // numbers
}

// How many texts, and how many pairs, are told at most.
const (
	mostSame  = 100
	mostPairs = 20
)

// SameAnswers finds the answers that are the same in a class: of one course, or for "" of all that the account may
// follow. Those that are rarest in the class come first.
func (f Following) SameAnswers(ctx context.Context, who account.Account, paper, course string) (*SameAnswers, error) {
	courses, err := followed(who, course)
	if err != nil {
		return nil, err
	}
	p, err := f.paper(ctx, who, paper)
	if err != nil {
		return nil, err
	}
	exercises, err := f.library.Exercises(ctx, p)
	if err != nil {
		return nil, err
	}
	var ids []int64
	for _, e := range exercises {
		ids = append(ids, e.ID)
	}
	if err := f.keepShapes(ctx, ids, courses); err != nil {
		return nil, err
	}
	rows, err := f.records.TextsOfPaper(ctx, query.TextsOfPaperParams{PaperID: p.ID, Courses: courses})
	if err != nil {
		return nil, err
	}
	var answers []marking.Answer
	for _, row := range rows {
		answers = append(answers, marking.Answer{
			Learner: row.AccountID, Exercise: row.ExerciseID, Attempt: row.AttemptID, Received: row.ReceivedAt,
			Text: string(row.Exact),
		})
	}
	same, pairs := marking.SameOf(answers)
	all := &SameAnswers{Paper: p.Slug, Title: p.Title}
	return all, f.tell(ctx, all, exercises, same[:min(len(same), mostSame)], pairs[:min(len(pairs), mostPairs)])
}

// tell says of what was found which exercises and learners it is about.
func (f Following) tell(
	ctx context.Context, all *SameAnswers, exercises []*library.Exercise, same []marking.Same, pairs []marking.Pair,
) error {
	byID := map[int64]*library.Exercise{}
	for _, e := range exercises {
		byID[e.ID] = e
	}
	var ids []int64
	for _, s := range same {
		for _, a := range s.Answers {
			ids = append(ids, a.Attempt)
		}
	}
	rows, err := f.records.AttemptsShown(ctx, ids)
	if err != nil {
		return err
	}
	shown := map[int64]query.AttemptsShownRow{}
	for _, row := range rows {
		shown[row.ID] = row
	}
	writers := map[int64]Writer{} // by account
	for _, s := range same {
		e := byID[s.Exercise]
		text := SameText{
			Exercise: e.Slug, Title: e.Title, Number: e.Number, Tried: s.Tried, SQL: shown[s.Answers[0].Attempt].Sql,
			Outcome: marking.Outcome(shown[s.Answers[0].Attempt].Outcome),
		}
		for _, a := range s.Answers {
			row := shown[a.Attempt]
			writer := Writer{Learner: row.Name, Name: row.DisplayName, Attempt: a.Attempt, At: a.Received}
			text.Writers, writers[a.Learner] = append(text.Writers, writer), writer
		}
		all.Texts = append(all.Texts, text)
	}
	for _, p := range pairs {
		pair := SamePair{Learners: [2]Writer{writers[p.Learners[0]], writers[p.Learners[1]]}}
		for _, id := range p.Exercises {
			pair.Exercises = append(pair.Exercises, byID[id].Number)
		}
		slices.Sort(pair.Exercises)
		if pair.Learners[0].Name != "" && pair.Learners[1].Name != "" { // their texts are among those that are told
			all.Pairs = append(all.Pairs, pair)
		}
	}
	return nil
}
