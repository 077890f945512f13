package course

import (
	"cmp"
	"context"
	"strings"
	"time"

	"examen/internal/account"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// An Extension gives one learner, or a group, more time for a paper.
type Extension struct {
	Learner, Group string     // one of them
	DisplayName    string     // of the learner
	Due            *time.Time // nil: as for all
	Minutes        int        // more, in an examination
	Reason         string
	By             string // the login of who gave it
	At             time.Time
}

// Extensions lists the extensions of a paper in a course: those of groups last.
func (s Sets) Extensions(ctx context.Context, who account.Account, course, paper string) ([]Extension, error) {
	set, err := s.followed(ctx, who, course, paper)
	if err != nil {
		return nil, err
	}
	rows, err := s.records.Extensions(ctx, set.ID)
	all := []Extension{}
	for _, row := range rows {
		e := Extension{
			Learner: row.Name, DisplayName: row.DisplayName, Due: row.Extension.DueAt,
			Minutes: int(row.Extension.Minutes), Reason: row.Extension.Reason, By: row.Maker, At: row.Extension.MadeAt,
		}
		if row.Extension.GroupName != nil {
			e.Group = *row.Extension.GroupName
		}
		all = append(all, e)
	}
	return all, err
}

// Extend gives a learner or a group more time, in place of what it had of an extension before. Marks that had a
// deduction for coming late are computed again.
func (s Sets) Extend(ctx context.Context, who account.Account, course, paper string, e Extension) (Extension, error) {
	e.Reason = strings.TrimSpace(e.Reason)
	if e.Reason == "" || len(e.Reason) > longestReason || !records.IsText(e.Reason) {
		return e, problem.New(422, "reason", "A reason is missing",
			"Say in up to %d characters why there is more time.", longestReason)
	}
	_, err := s.change(ctx, who, course, paper, func(t *records.Transaction, set query.CoursePaper) error {
		if err := e.check(set, s.now()); err != nil {
			return err
		}
		params := query.SetExtensionParams{
			CoursePaperID: set.ID, DueAt: e.Due, Minutes: int32(e.Minutes), Reason: e.Reason, MadeBy: &who.ID,
		}
		account, err := s.whose(ctx, t, course, set.CourseID, &e)
		if err != nil {
			return err
		}
		if params.AccountID = account; account == nil {
			params.GroupName = &e.Group
		}
		made, err := t.SetExtension(ctx, params)
		e.By, e.At = who.Name, made.MadeAt
		return err
	})
	return e, err
}

// check returns what is wrong with an extension of a paper as it is set.
func (e *Extension) check(set query.CoursePaper, now time.Time) error {
	p, err := paperOf(set, "", "", 0, now)
	if err != nil {
		return err
	}
	switch {
	case e.Due == nil && e.Minutes == 0:
		return problem.New(422, "extension", "There is no more time in the extension",
			"Give a later due time, or in an examination more minutes.")
	case e.Minutes != 0 && p.Rules.Exam == nil:
		return problem.New(422, "extension", "The paper is no examination",
			"More minutes are for examinations: give a later due time.")
	case e.Minutes < 0 || e.Minutes > 24*60:
		return problem.New(422, "extension", "Invalid minutes", "It is %d; up to %d are expected.", e.Minutes, 24*60)
	case e.Due != nil && p.Span.Due.IsZero():
		return problem.New(422, "extension", "The paper has no due time", "Nobody needs an extension of it.")
	case e.Due != nil && !e.Due.After(p.Span.Due):
		return problem.New(422, "extension", "The extension gives no more time",
			"The paper is due on %s for all: give a later time.", when(p.Span.Due, "UTC"))
	}
	return nil
}

// whose finds the learner whose extension it is, or returns nil for a group's. Both have to be in the course.
func (s Sets) whose(
	ctx context.Context, t *records.Transaction, course string, id int64, e *Extension,
) (*int64, error) {
	if (e.Learner == "") == (e.Group == "") {
		return nil, problem.New(422, "extension", "Whose extension it is, is missing",
			"Name either a learner or a group.")
	}
	members, err := t.CourseMembers(ctx, id)
	if err != nil {
		return nil, err
	}
	for _, row := range members {
		m := memberOf(row.Account, row.Member)
		if m.Left != nil || m.Role != account.Learner {
			continue
		}
		if e.Group != "" && m.Group == e.Group {
			return nil, nil
		}
		if e.Learner == m.Name {
			e.DisplayName = m.DisplayName
			return &m.ID, nil
		}
	}
	if e.Group != "" {
		return nil, problem.New(422, "no-group", "There is no such group",
			"No learner of %s is in a group called %.80q.", course, e.Group)
	}
	return nil, problem.New(422, "no-learner", "There is no such learner",
		"No learner of %s is called %.80q: add them to the course first.", course, e.Learner)
}

// TakeBack takes an extension back. Of what was submitted meanwhile, nothing is lost: it is late then.
func (s Sets) TakeBack(ctx context.Context, who account.Account, course, paper, learner, group string) error {
	_, err := s.change(ctx, who, course, paper, func(t *records.Transaction, set query.CoursePaper) error {
		params := query.RemoveExtensionParams{CoursePaperID: set.ID}
		if group != "" {
			params.GroupName = &group
		} else {
			a, err := s.accounts.ByName(ctx, learner)
			if err != nil && !records.Missing(err) {
				return err
			}
			params.AccountID = &a.ID
		}
		n, err := t.RemoveExtension(ctx, params)
		if err == nil && n == 0 {
			err = problem.New(404, "no-extension", "There is no such extension",
				"%.80q has none for the paper.", cmp.Or(group, learner))
		}
		return err
	})
	return err
}
