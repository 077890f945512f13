package web

import (
	"strconv"
	"time"

	"examen/internal/account"
	"examen/internal/core/explain"
	"examen/internal/core/pack"
	"examen/internal/core/plan"
	"examen/internal/core/result"
	"examen/internal/course"
	"examen/internal/problem"
	"examen/internal/web/contract"
	"examen/internal/work"
)

func toProblem(p *problem.Problem) contract.Problem {
	if p == nil {
		return contract.Problem{}
	}
	out := contract.Problem{
		Type:       p.Type,
		Title:      p.Title,
		Status:     p.Status,
		Detail:     p.Detail,
		RetryAfter: p.RetryAfter,
		Hint:       p.Hint,
		Mended:     p.Mended,
	}
	if p.Place != nil {
		out.Place = contract.Place{File: p.File, Line: p.Place.Line, Column: p.Place.Column, Text: p.Place.Text}
	}
	return out
}

func toAccount(a account.Account) contract.Account {
	return contract.Account{
		Name: a.Name, DisplayName: a.DisplayName, Email: a.Email, Role: contract.Role(a.Role()),
		OneTimePassword: a.OneTime,
		Administrator:   a.Administrator, Deactivated: !a.Active,
	}
}

func toPreferences(p account.Preferences) contract.Preferences {
	return contract.Preferences{TextSize: p.TextSize, Wrap: p.Wrap, Look: contract.Look(p.Look), Mail: p.Mail}
}

func toSession(s *account.Session, token string, p account.Preferences) contract.Session {
	out := contract.Session{Account: toAccount(s.Account), Expires: s.Expires, Preferences: toPreferences(p)}
	if s.Kind == account.Cookie {
		out.CsrfToken = s.CSRFToken
	} else {
		out.Token = token
	}
	return out
}

func toSummary(p course.Listed) contract.PaperSummary {
	return contract.PaperSummary{
		Slug:      p.Slug,
		Title:     p.Title,
		Dataset:   p.Dataset,
		State:     contract.PaperState(p.State),
		Opens:     p.Span.Opens,
		Due:       p.Span.Due,
		Exercises: p.Exercises,
		Points:    p.Points,
		Mark:      p.Mark,
		Correct:   p.Correct,
		Attempted: p.Attempted,
		Zone:      p.Zone,
		NewMarks:  p.NewMarks,
		Rechecked: p.Rechecked,
		Last:      toWorked(p.Last),

		Unpublished: !p.Published,
		Closes:      p.Span.Closes(),
		Rules:       toRules(p.Rules),
		Untold:      !p.Told,
		Examination: toSitting(p.Sitting),
	}
}

func toSitting(s *course.Sitting) contract.Sitting {
	if s == nil {
		return contract.Sitting{}
	}
	return contract.Sitting{
		Minutes: int(s.Lasts.Minutes()), Closes: s.Closes, Begun: orZero(s.Begun), Elsewhere: s.Elsewhere,
	}
}

func toWorked(w *course.Worked) contract.Worked {
	if w == nil {
		return contract.Worked{}
	}
	return contract.Worked{Slug: w.Slug, Number: w.Number, Title: w.Title, At: w.At}
}

func orZero(t *time.Time) time.Time {
	if t == nil {
		return time.Time{}
	}
	return *t
}

func toBlocks(blocks []pack.Block, pictures map[string]string) []contract.Block {
	out := []contract.Block{}
	for _, b := range blocks {
		block := contract.Block{Kind: contract.BlockKind(b.Kind), Text: b.Text}
		if block.Kind == contract.BlockText {
			block.Html = pack.HTML(b.Text, pictures)
		}
		out = append(out, block)
	}
	return out
}

func toPaper(p *work.Paper) contract.Paper {
	out := contract.Paper{
		Summary: toSummary(p.Summary), Sections: []contract.Section{}, Build: p.Build, Changes: p.Changes,
		Notices: toNotices(p.Notices),
	}
	pictures := addresses(p.Summary.Slug, p.Pictures)
	for _, s := range p.Sections {
		if s.Slug != "" {
			if e := p.Exercises[s.Slug]; e != nil {
				out.Sections = append(out.Sections, contract.Section{Exercise: toExercise(e)})
			}
			continue
		}
		out.Sections = append(out.Sections, contract.Section{Title: s.Title, Blocks: toBlocks(s.Blocks, pictures)})
	}
	return out
}

// addresses returns where a paper's pictures are, by name.
func addresses(paper string, digests map[string]string) map[string]string {
	pictures := make(map[string]string, len(digests))
	for name, digest := range digests {
		pictures[name] = "/api/papers/" + paper + "/pictures/" + digest
	}
	return pictures
}

func toExercise(e *work.Exercise) contract.Exercise {
	out := contract.Exercise{
		Paper:           e.Paper,
		Slug:            e.Slug,
		Number:          e.Number,
		Title:           e.Title,
		Points:          e.Points,
		Dataset:         e.Dataset,
		Blocks:          toBlocks(e.Blocks, addresses(e.Paper, e.Pictures)),
		Require:         orEmpty(e.Checking.Require),
		Forbid:          orEmpty(e.Checking.Forbid),
		Ordered:         e.Expected.Ordered,
		Changes:         e.Checking.Changes,
		ByState:         e.ByState,
		Named:           e.Checking.Policy.Names,
		Attempts:        e.Standing.Attempts,
		AttemptsUsed:    e.Standing.Used,
		AttemptsAllowed: e.Allowed,
		Untold:          !e.Told,
		Outcome:         contract.Outcome(e.Standing.Outcome),
		Mark:            e.Standing.Mark,
		ReferenceAnswer: e.Reference,
		CountsAt:        orZero(e.Standing.CountsAt),
		ByHand:          e.Standing.ByHand,
		Reason:          e.Standing.Reason,
	}
	out.Expected = contract.Expected{
		Columns:  toColumns(e.Expected.Columns),
		Rows:     toRows(e.Expected.Rows),
		RowCount: e.Expected.Count,
	}
	if e.Latest != nil {
		out.Latest = toAttempt(e.Latest)
	}
	if e.Draft != nil {
		out.Draft = toDraft(e.Draft)
	}
	if d := e.Dispute; d != nil {
		out.Dispute = contract.Dispute{
			Attempt: strconv.FormatInt(d.Attempt, 10), Reason: d.Reason, At: d.At, Seen: orZero(d.Seen),
			SeenBy: d.SeenBy,
		}
	}
	for _, n := range e.Notes {
		out.Notes = append(out.Notes, toNote(n))
	}
	return out
}

func toDraft(d *work.Draft) contract.Draft {
	return contract.Draft{Sql: d.SQL, Kept: d.Kept, Revision: d.Revision}
}

func toColumns(columns []result.Column) []contract.Column {
	out := []contract.Column{}
	for _, c := range columns {
		out = append(out, contract.Column{Name: c.Name, Type: c.Type.Name})
	}
	return out
}

func toRows(rows []result.Row) contract.Rows {
	var out contract.Rows
	for _, row := range rows {
		out = append(out, explain.Cells(row, 0))
	}
	return out
}

func toRun(r *work.Run) contract.Run {
	rows := r.Rows
	if rows == nil {
		rows = contract.Rows{}
	}
	return contract.Run{
		Id:       r.ID,
		At:       r.At,
		Paper:    r.Paper,
		Exercise: r.Exercise,
		Dataset:  r.Dataset,
		Sql:      r.SQL,
		Outcome:  contract.Outcome(r.Outcome),
		Columns: toColumns(
			r.Columns,
		),
		Rows:       rows,
		RowCount:   r.RowCount,
		Truncated:  r.Truncated,
		ElapsedMs:  milliseconds(r.Elapsed),
		Error:      toProblem(r.Error),
		Statements: toStatements(r.Statements),
		Copy:       toCopy(r.Copy),
		RolledBack: r.RolledBack,
	}
}

func toFindings(findings []explain.Finding) []contract.Finding {
	out := []contract.Finding{}
	for _, f := range findings {
		finding := contract.Finding{
			Kind: f.Kind, Sentence: f.Sentence, Columns: f.Columns, Rows: f.Rows, Places: f.Places, Proven: f.Proven,
			Hint: string(f.Hint),
		}
		if f.Where != nil {
			finding.Where = contract.Stretch{
				Line: f.Where.Line, Column: f.Where.Column, Length: f.Where.Length, Text: f.Where.Text,
			}
		}
		if f.Edit != nil {
			finding.Edit = toEdit(*f.Edit)
		}
		out = append(out, finding)
	}
	return out
}

func toAttempt(a *work.Attempt) contract.Attempt {
	return contract.Attempt{
		Id:        a.ID,
		At:        a.At,
		Learner:   a.Learner,
		Paper:     a.Paper,
		Exercise:  a.Exercise,
		Sql:       a.SQL,
		Outcome:   contract.Outcome(a.Outcome),
		Mark:      a.Mark,
		Points:    a.Points,
		RowCount:  a.RowCount,
		ElapsedMs: a.ElapsedMS,
		Findings:  toFindings(a.Findings),
		Error:     toProblem(a.Error),
		Build:     a.Build,
		Deducted:  a.Deducted,
		Rechecked: orZero(a.Rechecked),
		Untold:    a.Outcome == "",
	}
}

func toEntry(e work.Entry) contract.HistoryEntry {
	return contract.HistoryEntry{
		Kind: contract.EntryKind(e.Kind), Id: e.ID, At: e.At, Learner: e.Learner, DisplayName: e.DisplayName,
		Paper: e.Paper, Exercise: e.Exercise, Title: e.Title, Dataset: e.Dataset, Sql: e.SQL,
		Outcome: contract.Outcome(e.Outcome), Mark: e.Mark, Points: e.Points, RowCount: e.RowCount,
		ElapsedMs: e.ElapsedMS,
		Findings:  toFindings(e.Findings), Error: toProblem(e.Error),
		Kept: e.Kept, Name: e.Name, Untold: e.Outcome == "",
	}
}

func orEmpty(s []string) []string {
	if s == nil {
		return []string{}
	}
	return s
}

func milliseconds(d time.Duration) float64 { return float64(d.Microseconds()) / 1000 }

func toPlanStep(step plan.Step) contract.PlanStep {
	out := contract.PlanStep{
		Does: step.Does, When: step.When, Where: step.Where, Rows: step.Rows, Cost: step.Cost,
		Steps: []contract.PlanStep{},
	}
	for _, s := range step.Steps {
		out.Steps = append(out.Steps, toPlanStep(s))
	}
	return out
}
