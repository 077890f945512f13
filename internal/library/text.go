package library

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"examen/internal/account"
	"examen/internal/core/pack"
	"examen/internal/core/sqltext"
	"examen/internal/grading"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// Authoring gives access to the papers that instructors write: their texts, versions and publication. A text is kept in
// parts, as [pack.Parts] cuts it; each has a revision, which rises with each change, so that nobody overwrites what
// somebody else has written meanwhile.
type Authoring struct {
	*Library
}

// Authoring returns what papers are written with.
func (l *Library) Authoring() *Authoring { return &Authoring{l} }

// A Text is the text of a paper as it is being written.
type Text struct {
	Paper, Title, Dataset string
	Build                 int // of the dataset, on which answers run
	// Revision rises with every change of the text, of its order and of the remarks.
	Revision int64
	// Order holds the parts' numbers, in the order of the text.
	Order []int
	// Parts are all parts, or those that have changed since the revision that was asked for.
	Parts []TextPart
	// Wrong is what cannot be published in the text as a whole, by part.
	Wrong map[int][]pack.Error
	// Unchanged tells that nothing has changed since the revision asked for: nothing else is told but the writers.
	Unchanged bool
	// Unpublished tells that the text is not what learners see; Published is when that was published, nil for never.
	Unpublished bool
	Published   *time.Time
	Writers     []Writer
	Constructs  []string          // that rules may name; with all parts only
	Pictures    map[string]string // their digests, by the names that the text gives them
}

// A TextPart is a part of a text: the front matter, or one section, or more until the text is cut again.
type TextPart struct {
	ID       int
	Revision int64
	pack.Part
	Pieces []pack.Piece
	// Paper is what can be read of it: its sections, or what the front matter says.
	Paper *pack.Paper
	By    string // who has changed it last; "" for nobody
	At    time.Time
	// Inspected tells that the remarks are those on this revision, and on the build in use.
	Inspected bool
	Remarks   []grading.Note
	// Strength is the exercise's, on this revision and the build in use; nil where it is not known.
	Strength *grading.Strength
	Expected *Shown
}

// Shown is what a learner is shown of an expected result.
type Shown struct {
	Ordered bool          `json:"ordered"`
	Columns []ShownColumn `json:"columns"`
	Count   *int64        `json:"count,omitempty"`
	Rows    [][]*string   `json:"rows,omitempty"`
}

// A ShownColumn is a column of an expected result.
type ShownColumn struct {
	Name string `json:"name"`
	Type string `json:"type"`
}

// A Writer is somebody who has the paper open for writing.
type Writer struct {
	Name, DisplayName, Window string
	Part                      int // where they are; 0: nowhere
}

// draft is a paper's text as it was read from the records.
type draft struct {
	row      query.Paper
	writing  query.Writing
	parts    []query.PaperPartsRow
	text     string
	begun    bool // the parts are in the records
	types    map[string]string
	digests  map[string]string
	dataset  string
	build    int64
	number   int // of the build
	variants []string
	database string
}

// draft reads a paper's text as it is being written. Until somebody has changed it, it is the published one.
func (l *Library) draft(ctx context.Context, slug string) (*draft, error) {
	return readDraft(ctx, l.records.Queries, slug)
}

func readDraft(ctx context.Context, q *query.Queries, slug string) (*draft, error) {
	if !records.IsText(slug) {
		slug = ""
	}
	d := &draft{types: map[string]string{}, digests: map[string]string{}}
	var err error
	d.row, err = q.PaperBySlug(ctx, slug)
	if records.Missing(err) {
		return nil, problem.New(404, "no-paper", "There is no such paper", "No paper is called %.80q.", slug)
	} else if err != nil {
		return nil, err
	}
	if d.writing, err = q.WritingOf(ctx, d.row.ID); err == nil {
		d.parts, err = q.PaperParts(ctx, d.row.ID)
		d.begun = len(d.parts) > 0
	}
	if !d.begun && (err == nil || records.Missing(err)) {
		err = d.begin(ctx, q)
	}
	if err != nil {
		return nil, err
	}
	d.text = textOf(d.parts)
	pictures, err := q.PictureTypes(ctx, d.row.ID)
	if err != nil {
		return nil, err
	}
	for _, p := range pictures {
		d.types[p.Name], d.digests[p.Name] = p.MediaType, p.Digest
	}
	return d, d.findBuild(ctx, q)
}

// findBuild finds the build on which the text's answers run: of the dataset that its front matter names, or, if there
// is no such, of the paper's.
func (d *draft) findBuild(ctx context.Context, q *query.Queries) error {
	front, _ := pack.ReadPaper(d.row.Path, d.parts[0].PaperPart.Text, nil)
	row, err := q.CurrentBuild(ctx, front.Dataset)
	if records.Missing(err) {
		var own query.Dataset
		if own, err = q.DatasetByID(ctx, d.row.DatasetID); err != nil {
			return err
		}
		row, err = q.CurrentBuild(ctx, own.Name)
	}
	if records.Missing(err) {
		return problem.New(409, "no-dataset", "The paper's dataset is gone", "Build it again, then go on writing.")
	} else if err != nil {
		return err
	}
	d.dataset, d.build, d.database = row.Dataset.Name, row.Build.ID, row.Build.Database
	d.number = int(row.Build.Number)
	d.variants = slices.Sorted(maps.Keys(variantsOf(row.Build.Variants)))
	return nil
}

// begin cuts the published text into parts. Their revision is negative until they are in the records.
func (d *draft) begin(ctx context.Context, q *query.Queries) error {
	if d.row.PublishedID == nil {
		return problem.New(409, "no-text", "The paper's text is not kept",
			"%s was loaded by an earlier version of Examen: load its pack again, then it can be written here.",
			d.row.Slug)
	}
	text, err := q.VersionText(ctx, *d.row.PublishedID)
	if err != nil {
		return err
	}
	d.writing = query.Writing{PaperID: d.row.ID, BaseID: d.row.PublishedID, Revision: -*d.row.PublishedID}
	for i, part := range pack.Parts(text) {
		d.parts = append(d.parts, query.PaperPartsRow{PaperPart: query.PaperPart{
			ID: int32(i + 1), Place: int32(i + 1), Text: part.Text, Revision: d.writing.Revision,
			ChangedAt: d.row.PublishedAt.UTC(),
		}})
	}
	d.writing.NextID = int32(len(d.parts) + 1)
	return nil
}

// revision is that of the text: the greatest of its parts and of their order.
func (d *draft) revision() int64 {
	latest := d.writing.Revision
	for _, p := range d.parts {
		latest = max(latest, p.PaperPart.Revision)
	}
	return latest
}

// latest is the greatest revision of the text and of its remarks.
func (d *draft) latest() int64 {
	latest := d.revision()
	for _, p := range d.parts {
		latest = max(latest, p.PaperPart.RemarksRevision)
	}
	return latest
}

// is tells whether a part still has a revision: also one that it had before its text was in the records, if nobody has
// changed it since.
func (d *draft) is(part *query.PaperPart, revision int64) bool {
	return part.Revision == revision || revision < 0 && part.ChangedBy == nil && d.writing.BaseID != nil &&
		*d.writing.BaseID == -revision
}

// textOf puts parts together.
func textOf(parts []query.PaperPartsRow) string {
	var text strings.Builder
	for _, p := range parts {
		text.WriteString(p.PaperPart.Text)
	}
	return text.String()
}

// read reads the whole text, and finds what is wrong with it.
func (d *draft) read() (*pack.Paper, []pack.Error) {
	paper, wrong := pack.ReadPaper(d.row.Path, d.text, d.types)
	if paper.Slug != "" && paper.Slug != d.row.Slug {
		wrong = append(wrong, pack.Error{File: d.row.Path, Line: 2, Detail: fmt.Sprintf(
			"the paper is called %q, and the front matter says %q: a paper keeps its name; copy it to have another",
			d.row.Slug, paper.Slug,
		)})
	}
	if paper.Dataset != "" && paper.Dataset != d.dataset {
		wrong = append(wrong, pack.Error{File: d.row.Path, Line: 2, Detail: fmt.Sprintf(
			"there is no dataset %q; this one is about %q", paper.Dataset, d.dataset,
		)})
	}
	wrong = append(wrong, paper.StrangeVariants(d.variants)...)
	line := 1
	for _, p := range d.parts {
		if !pack.Closed(p.PaperPart.Text) && p.PaperPart.ID != d.parts[len(d.parts)-1].PaperPart.ID {
			wrong = slices.Insert(wrong, 0, pack.Error{File: d.row.Path, Line: line, Detail: "a block of this " +
				"section is not closed, so that what follows would be taken for a part of it: end it with ```"})
		}
		line += strings.Count(p.PaperPart.Text, "\n")
	}
	return paper, wrong
}

// wrongByPart sorts what is wrong by parts, with lines counted in each.
func (d *draft) wrongByPart(wrong []pack.Error) map[int][]pack.Error {
	by := map[int][]pack.Error{}
	for _, w := range wrong {
		first := 1
		for i, p := range d.parts {
			lines := strings.Count(p.PaperPart.Text, "\n")
			if w.Line < first+lines || i == len(d.parts)-1 {
				w.Line -= first - 1
				by[int(p.PaperPart.ID)] = append(by[int(p.PaperPart.ID)], w)
				break
			}
			first += lines
		}
	}
	return by
}

// part reads one part.
func (d *draft) part(row query.PaperPartsRow) TextPart {
	p := row.PaperPart
	part := TextPart{
		ID: int(p.ID), Revision: p.Revision, By: row.ChangedBy, At: p.ChangedAt,
		Inspected: p.Inspected != nil && *p.Inspected == p.Revision && p.InspectedBuild != nil &&
			*p.InspectedBuild == d.build,
	}
	_ = json.Unmarshal(p.Remarks, &part.Remarks) // written by inspectPart
	_ = json.Unmarshal(p.Expected, &part.Expected)
	if p.ID == d.parts[0].PaperPart.ID {
		part.Part = pack.Part{Text: p.Text, Front: true}
		part.Paper, _ = pack.ReadPaper(d.row.Path, p.Text, d.types)
		return part
	}
	for _, cut := range pack.Parts(neutralFront + p.Text)[1:] { // the first section names the part
		part.Part = cut
		break
	}
	part.Text = p.Text
	part.Pieces = pack.Pieces(p.Text)
	part.Paper, _ = pack.ReadPaper(d.row.Path, neutralFront+p.Text, d.types)
	return part
}

// neutralFront is a front matter with which a part is read alone.
const neutralFront = "---\npaper: paper\ntitle: Paper\ndataset: dataset\n---\n"

// Read returns the text of a paper as it is being written, with the parts that have changed since a revision; 0 for
// all.
func (a *Authoring) Read(ctx context.Context, who account.Account, paper string, since int64) (*Text, error) {
	if err := who.May(account.Prepare); err != nil {
		return nil, err
	}
	d, err := a.draft(ctx, paper)
	if err != nil {
		return nil, err
	}
	return a.text(ctx, d, since)
}

// text says how a draft stands.
func (a *Authoring) text(ctx context.Context, d *draft, since int64) (*Text, error) {
	t := &Text{
		Paper: d.row.Slug, Title: d.row.Title, Dataset: d.dataset, Build: d.number, Revision: d.latest(),
		Parts: []TextPart{}, Published: d.row.PublishedAt, Unpublished: true, Pictures: d.digests,
	}
	for _, row := range d.parts {
		p := row.PaperPart
		t.Order = append(t.Order, int(p.ID))
		if since == 0 || max(p.Revision, p.RemarksRevision) > since || p.Revision < 0 && p.Revision != since {
			t.Parts = append(t.Parts, d.part(row))
		}
	}
	if err := a.addStrengths(ctx, d, t.Parts); err != nil {
		return nil, err
	}
	paper, wrong := d.read()
	t.Wrong = d.wrongByPart(wrong)
	t.Title = cmp.Or(paper.Title, t.Title)
	if since == 0 {
		t.Constructs = sqltext.Constructs
	}
	if d.row.PublishedID != nil {
		published, err := a.records.VersionText(ctx, *d.row.PublishedID)
		if err != nil {
			return nil, err
		}
		t.Unpublished = published != d.text
	}
	var err error
	t.Writers, err = a.writers(ctx, d.row.ID)
	return t, err
}

// addStrengths adds to the parts that are exercises how strong they are.
func (a *Authoring) addStrengths(ctx context.Context, d *draft, parts []TextPart) error {
	keys := make([]string, len(parts))
	for i, p := range parts {
		if all := p.Paper.Exercises(); p.Inspected && len(all) > 0 {
			keys[i] = answersKey(all[0])
		}
	}
	known, err := a.strengths(ctx, d.build, keys)
	for i := range parts {
		parts[i].Strength = known[keys[i]]
	}
	return err
}

// A Place is where somebody is in a text that they have open for writing.
type Place struct {
	Window string // a key of their window
	Part   int    // 0: at none
	Gone   bool   // they have left
}

// Here says where somebody is, and returns what has changed since a revision; 0: they have just opened the paper.
func (a *Authoring) Here(ctx context.Context, who account.Account, paper string, at Place, since int64) (*Text, error) {
	if err := who.May(account.Prepare); err != nil {
		return nil, err
	}
	if len(at.Window) > 64 || !records.IsText(at.Window) {
		return nil, problem.New(400, "window", "Invalid request", "A window's key has at most 64 characters.")
	}
	row, err := a.row(ctx, paper)
	if err != nil {
		return nil, err
	}
	if err := a.be(ctx, who, row.ID, at); err != nil {
		return nil, err
	}
	var d *draft
	if since == 0 {
		// From now on the text has parts in the records, and remarks.
		d, err = a.change(ctx, who, paper, func(*records.Transaction, *draft) error { return nil })
	} else {
		var latest int64
		latest, err = a.records.WritingRevision(ctx, row.ID)
		if err == nil && latest == since {
			t := &Text{Paper: paper, Revision: since, Unchanged: true}
			t.Writers, err = a.writers(ctx, row.ID)
			return t, err
		} else if err == nil || records.Missing(err) {
			d, err = a.draft(ctx, paper)
		}
	}
	if err != nil {
		return nil, err
	}
	return a.text(ctx, d, since)
}

// be keeps where somebody is.
func (a *Authoring) be(ctx context.Context, who account.Account, paper int64, at Place) error {
	if at.Gone {
		return a.records.LeaveWriting(ctx, query.LeaveWritingParams{
			PaperID: paper, AccountID: who.ID, WindowKey: at.Window,
		})
	}
	part := int32(at.Part)
	return a.records.BeThere(ctx, query.BeThereParams{
		PaperID: paper, AccountID: who.ID, WindowKey: at.Window, Part: &part,
	})
}

// writers are those who have the paper open for writing.
func (a *Authoring) writers(ctx context.Context, paper int64) ([]Writer, error) {
	rows, err := a.records.Writers(ctx, paper)
	all := []Writer{}
	for _, w := range rows {
		all = append(all, Writer{w.Name, w.DisplayName, w.WindowKey, int(w.Part)})
	}
	return all, err
}
