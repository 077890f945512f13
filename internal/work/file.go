package work

import (
	"context"
	"encoding/base64"
	"fmt"
	"time"

	"examen/internal/account"
	"examen/internal/core/export"
	"examen/internal/core/marking"
	"examen/internal/library"
	"examen/internal/problem"
)

// Of a paper's file: how many rows of each answer are shown, and how long the running of all answers may take.
const (
	fileRows = 100
	fileTime = 30 * time.Second
)

// File returns a whole paper with the account's own answers and their results as one file: "html" or "markdown".
// What is run for it is not kept in the history.
func (w *Work) File(ctx context.Context, who account.Account, slug, format string) (string, error) {
	p, err := w.Paper(ctx, who, slug)
	if err != nil {
		return "", err
	}
	r, err := w.courses.Read(ctx, who, slug)
	if err != nil {
		return "", err
	}
	leave, err := w.exports.enter(ctx, who)
	if err != nil {
		return "", err
	}
	defer leave()
	running, stop := context.WithTimeout(ctx, fileTime)
	defer stop()
	file := export.Paper{
		Title: p.Summary.Title,
		Whose: fmt.Sprintf("%s, %s", who.DisplayName, time.Now().UTC().Format("2 January 2006, 15:04 UTC")),
	}
	for _, s := range p.Sections {
		part := export.Part{Title: s.Title, Blocks: s.Blocks}
		if s.Slug != "" {
			e := p.Exercises[s.Slug]
			if e == nil {
				continue // it is in the paper no longer
			}
			part.Title = fmt.Sprintf("%d. %s (%s)", e.Number, e.Title, inPoints(e.Points))
			part.Blocks = e.Blocks
			if part.Answer, err = w.answerOf(running, who, r.Database, e); err != nil && ctx.Err() != nil {
				return "", err
			}
		}
		file.Parts = append(file.Parts, part)
	}
	if format == "markdown" {
		return file.Markdown(), nil
	}
	pictures := map[string]string{}
	for name, digest := range p.Pictures {
		picture, err := w.library.Picture(ctx, r.ID, digest)
		if err != nil {
			return "", err
		}
		pictures[name] = "data:" + picture.MediaType + ";base64," + base64.StdEncoding.EncodeToString(picture.Content)
	}
	return file.HTML(pictures), nil
}

// answerOf returns an account's answer to an exercise, and runs it for its rows.
func (w *Work) answerOf(ctx context.Context, who account.Account, database string, e *Exercise) (
	*export.Answer, error,
) {
	a := &export.Answer{Verdict: verdict(e)}
	if e.Draft != nil {
		a.SQL = e.Draft.SQL
	} else if e.Latest != nil {
		a.SQL = e.Latest.SQL
	}
	if e.Latest != nil && e.Latest.SQL == a.SQL {
		for _, f := range e.Latest.Findings {
			a.Findings = append(a.Findings, f.Sentence)
		}
	} else if e.Latest != nil {
		a.Verdict += ", for an earlier version of the answer"
	}
	if checkQuery(a.SQL) != nil {
		a.Problem = "Not run."
		return a, nil
	}
	run := &Run{SQL: a.SQL}
	fault, err := w.run(ctx, who, database, run)
	if err != nil {
		a.Problem = "Not run: the server did not answer in time."
		return a, err
	}
	if fault != nil {
		told := library.FaultProblem(fault)
		a.Problem = sentence(told)
	}
	for _, c := range run.Columns {
		a.Columns = append(a.Columns, c.Name)
	}
	a.Rows, a.Count = run.Rows[:min(len(run.Rows), fileRows)], run.RowCount
	return a, nil
}

func sentence(p *problem.Problem) string { return p.Title + ". " + p.Detail }

// verdict says in words how an account stands on an exercise.
func verdict(e *Exercise) string {
	words := map[marking.Outcome]string{
		marking.Correct: "Correct", marking.Incorrect: "Incorrect", marking.Rejected: "Rejected",
		marking.Failed: "Failed", marking.Stopped: "Stopped",
	}
	switch {
	case e.Standing.Attempts == 0 && !e.Standing.ByHand:
		return "Not submitted"
	case !e.Told:
		return "Submitted; outcome and mark are told later"
	}
	said := "Marked by hand"
	if !e.Standing.ByHand {
		said = words[e.Standing.Outcome]
	}
	return fmt.Sprintf("%s, %s of %s", said, e.Standing.Mark, inPoints(e.Points))
}

func inPoints(p marking.Points) string {
	if p.String() == "1" {
		return "1 point"
	}
	return p.String() + " points"
}
