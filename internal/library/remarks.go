package library

import (
	"context"
	"encoding/json"
	"strings"

	"examen/internal/core/explain"
	"examen/internal/core/pack"
	"examen/internal/grading"
	"examen/internal/records"
	"examen/internal/records/query"
)

// The examiner's remarks on a paper that is being written are renewed in the background, section by section, after each
// change. What is read of them is what was stored.

// inspectPaper renews the remarks of a paper's sections that have none on their text as it is, or on the build in use.
func (l *Library) inspectPaper(ctx context.Context, id int64) error {
	for {
		row, err := l.records.PaperByID(ctx, id)
		if records.Missing(err) {
			return nil
		} else if err != nil {
			return err
		}
		d, err := l.draft(ctx, row.Slug)
		if err != nil || !d.begun {
			return err
		}
		part := d.uninspected()
		if part == nil {
			return nil
		}
		if err := l.inspectPart(ctx, d, part); err != nil {
			return err
		}
	}
}

// uninspected is the first part whose remarks are out of date; nil for none.
func (d *draft) uninspected() *query.PaperPart {
	for i := 1; i < len(d.parts); i++ {
		p := &d.parts[i].PaperPart
		if p.Inspected == nil || *p.Inspected != p.Revision || p.InspectedBuild == nil || *p.InspectedBuild != d.build {
			return p
		}
	}
	return nil
}

// largeDataset is how many rows a dataset has whose mutations take too long for the remarks to wait for them.
const largeDataset = 100_000

// inspectPart renews the remarks on a part, unless it is changed meanwhile: on a large dataset first those that take no
// mutations.
func (l *Library) inspectPart(ctx context.Context, d *draft, part *query.PaperPart) error {
	paper, wrong := pack.ReadPaper(d.row.Path, neutralFront+part.Text, d.types)
	if wrong != nil || strings.Contains(part.Text, "\x00") {
		return l.keepRemarks(ctx, d, part, nil, nil)
	}
	paper.Slug = d.row.Slug
	build, err := l.records.CurrentBuild(ctx, d.dataset)
	if err != nil {
		return err
	}
	in := l.inspection(paper, build.Build, func(string) {})
	if in.Quick = in.Tables.Rows() > largeDataset; in.Quick {
		if err := l.remark(ctx, d, part, in); err != nil {
			return err
		}
	}
	in.Quick = false
	return l.remark(ctx, d, part, in)
}

// remark inspects a part, and keeps the remarks on it.
func (l *Library) remark(ctx context.Context, d *draft, part *query.PaperPart, in grading.Inspection) error {
	found, err := l.grader.Inspect(ctx, in)
	if err != nil {
		return err
	}
	for i := range found.Notes {
		found.Notes[i].Line = max(0, found.Notes[i].Line-strings.Count(neutralFront, "\n"))
	}
	var expected *Shown
	if all := in.Paper.Exercises(); len(all) > 0 {
		if shown, err := l.shown(ctx, all[0], d.database); err == nil {
			expected = shown
		}
	}
	return l.keepRemarks(ctx, d, part, found.Notes, expected)
}

// keepRemarks stores the remarks on a part, and what its exercise shows of the expected result.
func (l *Library) keepRemarks(
	ctx context.Context, d *draft, part *query.PaperPart, notes []grading.Note, expected *Shown,
) error {
	kept := query.SetRemarksParams{
		PaperID: d.row.ID, ID: part.ID, Inspected: &part.Revision, BuildID: &d.build, Remarks: json.RawMessage("[]"),
	}
	if len(notes) > 0 {
		kept.Remarks, _ = json.Marshal(notes)
	}
	if expected != nil {
		kept.Expected, _ = json.Marshal(expected)
	}
	return l.records.Together(ctx, func(t *records.Transaction) error {
		if _, err := t.LockWriting(ctx, d.row.ID); records.Missing(err) {
			return nil
		} else if err != nil {
			return err
		}
		_, err := t.SetRemarks(ctx, kept)
		return err
	})
}

// shown is what an exercise shows a learner of its expected result.
func (l *Library) shown(ctx context.Context, e *pack.Exercise, database string) (*Shown, error) {
	expected, err := l.grader.Expect(ctx, e.Reference, database, e.Checking)
	if err != nil {
		return nil, err
	}
	shown := &Shown{Ordered: expected.Ordered, Columns: []ShownColumn{}, Count: expected.Count}
	for _, c := range expected.Columns {
		shown.Columns = append(shown.Columns, ShownColumn{c.Name, c.Type.Name})
	}
	for _, row := range expected.Rows {
		shown.Rows = append(shown.Rows, explain.Cells(row, longestShown))
	}
	return shown, nil
}

// longestShown is how much of a cell is shown of an expected result, in bytes.
const longestShown = 200

// inspectWritten has the papers of a dataset inspected again that are being written: it has another build.
func (l *Library) inspectWritten(ctx context.Context, t *records.Transaction, dataset int64) error {
	papers, err := t.WritingPapers(ctx, dataset)
	for _, id := range papers {
		if err == nil {
			err = t.Enqueue(ctx, records.Task{Kind: records.InspectPaper, ID: id})
		}
	}
	return err
}
