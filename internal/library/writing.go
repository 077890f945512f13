package library

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"examen/internal/account"
	"examen/internal/core/pack"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// How long the texts of papers may be, in bytes.
const (
	longestPart  = 200_000
	longestPaper = 4 << 20
)

// A NewPaper is a paper to be begun: about a dataset, or as a copy of another.
type NewPaper struct {
	Slug, Title string
	Dataset     string // "": that of the copied one
	Copy        string // the slug of a paper; "": none
}

// Create begins a paper. Nobody but those who write papers sees it until it is published.
func (a *Authoring) Create(ctx context.Context, who account.Account, n NewPaper) (*Text, error) {
	if err := who.May(account.Prepare); err != nil {
		return nil, err
	}
	if !pack.IsSlug(n.Slug) {
		return nil, problem.New(400, "name", "This is no name for a paper",
			"%.80q: use up to %d lower-case letters, digits and hyphens.", n.Slug, pack.LongestSlug)
	}
	if n.Title = strings.TrimSpace(n.Title); n.Title == "" || len(n.Title) > 200 || !records.IsText(n.Title) ||
		strings.ContainsAny(n.Title, "\r\n") {
		return nil, problem.New(400, "title", "The paper needs a title",
			"A title of one line, with at most 200 characters, is expected.")
	}
	var copied *draft
	if n.Copy != "" {
		var err error
		if copied, err = a.draft(ctx, n.Copy); err != nil {
			return nil, err
		}
		if n.Dataset == "" {
			n.Dataset = copied.dataset
		}
	}
	found, _, err := a.find(ctx, who, n.Dataset)
	if err != nil {
		return nil, err
	}
	front := fmt.Sprintf("---\npaper: %s\ntitle: %s\ndataset: %s\n---\n", n.Slug, pack.YAMLText(n.Title), n.Dataset)
	path, err := a.freePath(ctx, found.Dataset.Pack, n.Slug)
	if err != nil {
		return nil, err
	}
	text := front
	if copied != nil {
		_, body := pack.FrontMatter(copied.text)
		text += body
	}
	err = a.records.As(ctx, who.ID, func(t *records.Transaction) error {
		row, err := t.CreatePaper(ctx, query.CreatePaperParams{
			Slug: n.Slug, Pack: found.Dataset.Pack, Title: n.Title, DatasetID: found.Dataset.ID,
			Path: path,
		})
		if err != nil {
			return err
		}
		if _, err := t.BeginWriting(ctx, query.BeginWritingParams{PaperID: row.ID}); err != nil {
			return err
		}
		if copied != nil {
			err := t.CopyPictures(ctx, query.CopyPicturesParams{IntoID: row.ID, FromID: copied.row.ID})
			if err != nil {
				return err
			}
		}
		return addParts(ctx, t, row.ID, who.ID, pack.Parts(text))
	})
	if records.Taken(err) {
		return nil, problem.New(409, "name-taken", "There is a paper of that name",
			"A paper called %s exists already; choose another name.", n.Slug)
	} else if err != nil {
		return nil, err
	}
	a.records.Changed(records.PapersChanged)
	return a.Read(ctx, who, n.Slug, 0)
}

// freePath is a path for a paper's file that no other file of its pack has.
func (a *Authoring) freePath(ctx context.Context, pack, slug string) (string, error) {
	var taken []string
	if row, err := a.records.PackByName(ctx, pack); err == nil {
		if _, taken, err = a.records.Files(ctx, row.JobID); err != nil {
			return "", err
		}
	} else if !records.Missing(err) {
		return "", err
	}
	path := "papers/" + slug + ".md"
	for n := 2; slices.Contains(taken, path); n++ {
		path = fmt.Sprintf("papers/%s-%d.md", slug, n)
	}
	return path, nil
}

// addParts stores the parts of a text that has none yet, and has it inspected.
func addParts(ctx context.Context, t *records.Transaction, paper, who int64, parts []pack.Part) error {
	for i, part := range parts {
		if err := t.AddPart(ctx, query.AddPartParams{
			PaperID: paper, ID: int32(i + 1), Place: int32(i + 1), Text: part.Text, ChangedBy: &who,
		}); err != nil {
			return err
		}
	}
	if err := t.TouchWriting(ctx, query.TouchWritingParams{PaperID: paper, NextID: int32(len(parts) + 1)}); err != nil {
		return err
	}
	return t.Enqueue(ctx, records.Task{Kind: records.InspectPaper, ID: paper})
}

// change changes a text. Whoever changes the same one waits; f is given it as it is then.
func (a *Authoring) change(
	ctx context.Context, who account.Account, paper string, f func(t *records.Transaction, d *draft) error,
) (*draft, error) {
	if err := who.May(account.Prepare); err != nil {
		return nil, err
	}
	row, err := a.row(ctx, paper)
	if err != nil {
		return nil, err
	}
	var d *draft
	err = a.records.As(ctx, who.ID, func(t *records.Transaction) error {
		if _, err := t.LockWriting(ctx, row.ID); records.Missing(err) {
			if _, err := t.BeginWriting(ctx, query.BeginWritingParams{
				PaperID: row.ID, BaseID: row.PublishedID,
			}); err != nil {
				return err
			}
		} else if err != nil {
			return err
		}
		if d, err = readDraft(ctx, t.Queries, paper); err != nil {
			return err
		}
		if !d.begun { // nobody has changed it yet
			if err := d.keep(ctx, t); err != nil {
				return err
			}
		}
		return f(t, d)
	})
	if err != nil {
		return nil, err
	}
	return a.draft(ctx, paper)
}

// keep stores the parts of a text that has none in the records.
func (d *draft) keep(ctx context.Context, t *records.Transaction) error {
	for _, p := range d.parts {
		if err := t.AddPart(ctx, query.AddPartParams{
			PaperID: d.row.ID, ID: p.PaperPart.ID, Place: p.PaperPart.Place, Text: p.PaperPart.Text,
		}); err != nil {
			return err
		}
	}
	d.begun = true
	if err := t.TouchWriting(
		ctx, query.TouchWritingParams{PaperID: d.row.ID, NextID: d.writing.NextID},
	); err != nil {
		return err
	}
	return t.Enqueue(ctx, records.Task{Kind: records.InspectPaper, ID: d.row.ID})
}

// find finds a part by its number.
func (d *draft) find(id int) (int, *query.PaperPart, error) {
	at := slices.IndexFunc(d.parts, func(p query.PaperPartsRow) bool { return int(p.PaperPart.ID) == id })
	if at < 0 {
		return 0, nil, problem.New(409, "part-gone", "The section is gone",
			"Somebody has taken it out. What you wrote is not lost: add it as a new section.")
	}
	return at, &d.parts[at].PaperPart, nil
}

func checkPart(text string) error {
	switch {
	case !records.IsText(text):
		return problem.New(400, "unreadable", "The text cannot be stored", "Text without NUL characters is expected.")
	case len(text) > longestPart:
		return problem.New(413, "too-long", "The section is too long",
			"It has %d bytes; at most %d are taken.", len(text), longestPart)
	}
	return nil
}

// Keep stores a part's text, if the part still has the revision that it was made from.
func (a *Authoring) Keep(
	ctx context.Context, who account.Account, paper string, id int, text string, revision int64,
) (*Text, error) {
	if err := checkPart(text); err != nil {
		return nil, err
	}
	since := int64(0)
	d, err := a.change(ctx, who, paper, func(t *records.Transaction, d *draft) error {
		since = d.latest()
		at, part, err := d.find(id)
		if err != nil {
			return err
		}
		if part.Text == text {
			return nil
		}
		if !d.is(part, revision) {
			return problem.New(409, "part-changed", "The section was changed elsewhere",
				"%s has changed it since you began. Both forms are shown; nothing of either is lost.", d.by(at))
		}
		if len(d.text)+len(text)-len(part.Text) > longestPaper {
			return problem.New(413, "too-long", "The paper is too long", "At most %d bytes are taken.", longestPaper)
		}
		return a.set(ctx, t, d, who, id, text)
	})
	if err != nil {
		return nil, err
	}
	return a.text(ctx, d, since)
}

// by says who has changed a part last.
func (d *draft) by(at int) string {
	if by := d.parts[at].ChangedBy; by != "" {
		return by
	}
	return "Somebody"
}

// set stores a part's text, and has it inspected.
func (a *Authoring) set(
	ctx context.Context, t *records.Transaction, d *draft, who account.Account, id int, text string,
) error {
	if err := t.SetPart(ctx, query.SetPartParams{
		PaperID: d.row.ID, ID: int32(id), Text: text, ChangedBy: &who.ID,
	}); err != nil {
		return err
	}
	return t.Enqueue(ctx, records.Task{Kind: records.InspectPaper, ID: d.row.ID})
}

// A NewPart is a section to be added: a text, or a copy of another paper's exercise.
type NewPart struct {
	After    int // the part behind which it comes; the front matter's is the first
	Text     string
	Paper    string // of the exercise to be copied; "": none
	Exercise string // its slug
}

// Add adds a section.
func (a *Authoring) Add(ctx context.Context, who account.Account, paper string, n NewPart) (*Text, error) {
	if err := who.May(account.Prepare); err != nil {
		return nil, err
	}
	var from *draft
	if n.Paper != "" {
		var err error
		if from, err = a.draft(ctx, n.Paper); err != nil {
			return nil, err
		}
		if n.Text = from.exercise(n.Exercise); n.Text == "" {
			return nil, problem.New(404, "no-exercise", "There is no such exercise",
				"The paper %q has no exercise %q.", n.Paper, n.Exercise)
		}
	}
	if err := checkPart(n.Text); err != nil {
		return nil, err
	}
	since := int64(0)
	d, err := a.change(ctx, who, paper, func(t *records.Transaction, d *draft) error {
		since = d.latest()
		at := len(d.parts) - 1
		if n.After != 0 {
			var err error
			if at, _, err = d.find(n.After); err != nil {
				return err
			}
		}
		if from != nil {
			if err := t.CopyPictures(ctx, query.CopyPicturesParams{IntoID: d.row.ID, FromID: from.row.ID}); err != nil {
				return err
			}
			n.Text = d.ownName(n.Text)
		}
		if len(d.text)+len(n.Text) > longestPaper || len(d.parts) >= mostParts {
			return problem.New(413, "too-long", "The paper is too long",
				"At most %d sections and %d bytes are taken.", mostParts, longestPaper)
		}
		if err := a.apart(ctx, t, d, who, at); err != nil {
			return err
		}
		id := d.writing.NextID
		if err := t.AddPart(ctx, query.AddPartParams{
			PaperID: d.row.ID, ID: id, Text: apart(n.Text), ChangedBy: &who.ID,
		}); err != nil {
			return err
		}
		return a.order(ctx, t, d, slices.Insert(d.order(), at+1, id), id+1)
	})
	if err != nil {
		return nil, err
	}
	return a.text(ctx, d, since)
}

// mostParts is how many sections a paper may have.
const mostParts = 1000

// exercise is the text of an exercise by its slug; "" for none.
func (d *draft) exercise(slug string) string {
	for _, part := range pack.Parts(d.text) {
		if part.Exercise && part.Slug == slug {
			return part.Text
		}
	}
	return ""
}

// ownName gives an exercise that is copied into a text a name that the text does not have yet.
func (d *draft) ownName(section string) string {
	var taken []string
	for _, part := range pack.Parts(d.text) {
		taken = append(taken, part.Slug)
	}
	copied := pack.Parts(neutralFront + section)[1]
	name := copied.Slug
	for n := 2; slices.Contains(taken, name); n++ {
		name = fmt.Sprintf("%s-%d", copied.Slug, n)
	}
	if name == copied.Slug {
		return section
	}
	return pack.Named(section, name)
}

// apart has a section end with an empty line, so that another one can follow it.
func apart(section string) string {
	if strings.TrimSpace(section) == "" {
		return section
	}
	return strings.TrimRight(section, "\r\n") + "\n\n"
}

// apart has the part at a place end with an empty line, unless it is the front matter.
func (a *Authoring) apart(ctx context.Context, t *records.Transaction, d *draft, who account.Account, at int) error {
	part := d.parts[at].PaperPart
	if at == 0 || strings.HasSuffix(part.Text, "\n\n") || strings.HasSuffix(part.Text, "\n\r\n") {
		return nil
	}
	return a.set(ctx, t, d, who, int(part.ID), apart(part.Text))
}

func (d *draft) order() (ids []int32) {
	for _, p := range d.parts {
		ids = append(ids, p.PaperPart.ID)
	}
	return ids
}

// order stores the order of the parts.
func (a *Authoring) order(ctx context.Context, t *records.Transaction, d *draft, ids []int32, next int32) error {
	for place, id := range ids {
		if err := t.PlacePart(ctx, query.PlacePartParams{
			PaperID: d.row.ID, ID: id, Place: int32(place + 1),
		}); err != nil {
			return err
		}
	}
	if err := t.TouchWriting(ctx, query.TouchWritingParams{PaperID: d.row.ID, NextID: next}); err != nil {
		return err
	}
	return t.Enqueue(ctx, records.Task{Kind: records.InspectPaper, ID: d.row.ID})
}

// Move has a section stand behind another part.
func (a *Authoring) Move(ctx context.Context, who account.Account, paper string, id, after int) (*Text, error) {
	since := int64(0)
	d, err := a.change(ctx, who, paper, func(t *records.Transaction, d *draft) error {
		since = d.latest()
		from, _, err := d.find(id)
		if err != nil {
			return err
		}
		behind, _, err := d.find(after)
		if err != nil {
			return err
		}
		if from == 0 {
			return problem.New(409, "front", "The front matter stays first", "Move a section.")
		}
		for _, at := range []int{from, behind} {
			if err := a.apart(ctx, t, d, who, at); err != nil {
				return err
			}
		}
		ids := slices.DeleteFunc(d.order(), func(i int32) bool { return int(i) == id })
		at := slices.Index(ids, int32(after)) + 1
		if id == after {
			return nil
		}
		return a.order(ctx, t, d, slices.Insert(ids, at, int32(id)), d.writing.NextID)
	})
	if err != nil {
		return nil, err
	}
	return a.text(ctx, d, since)
}

// Remove takes a section out, if it still has the revision given.
func (a *Authoring) Remove(
	ctx context.Context, who account.Account, paper string, id int, revision int64,
) (*Text, error) {
	since := int64(0)
	d, err := a.change(ctx, who, paper, func(t *records.Transaction, d *draft) error {
		since = d.latest()
		at, part, err := d.find(id)
		switch {
		case err != nil:
			return err
		case at == 0:
			return problem.New(409, "front", "The front matter cannot be taken out", "A paper begins with it.")
		case !d.is(part, revision):
			return problem.New(409, "part-changed", "The section was changed elsewhere",
				"%s has changed it since you saw it. Look at it again, then take it out.", d.by(at))
		}
		if err := t.RemovePart(ctx, query.RemovePartParams{PaperID: d.row.ID, ID: int32(id)}); err != nil {
			return err
		}
		ids := slices.DeleteFunc(d.order(), func(i int32) bool { return int(i) == id })
		return a.order(ctx, t, d, ids, d.writing.NextID)
	})
	if err != nil {
		return nil, err
	}
	return a.text(ctx, d, since)
}

// A Replaced is what came of replacing a whole text: what was changed in it meanwhile is in it, too. With conflicts
// nothing was stored.
type Replaced struct {
	Whole     string // the text as it is now; with conflicts, as it would be
	Base      string // what a further change of it is made from
	Conflicts []pack.Conflict
	Wrong     []pack.Error // what keeps it from being published
}

// Replace stores a whole text that was made from another one. What others have changed meanwhile is merged by section.
func (a *Authoring) Replace(
	ctx context.Context, who account.Account, paper, base, text string,
) (*Replaced, error) {
	if !records.IsText(text) || !records.IsText(base) || len(text) > longestPaper {
		return nil, problem.New(413, "too-long", "The text cannot be stored",
			"Text without NUL characters, with at most %d bytes, is expected.", longestPaper)
	}
	r := &Replaced{}
	d, err := a.change(ctx, who, paper, func(t *records.Transaction, d *draft) error {
		if r.Whole, r.Conflicts = pack.Merge(base, text, d.text); len(r.Conflicts) > 0 {
			r.Base = d.text
			return errConflicts
		}
		r.Base = r.Whole
		return a.replace(ctx, t, d, who, r.Whole)
	})
	if err == errConflicts {
		return r, nil
	} else if err != nil {
		return nil, err
	}
	_, r.Wrong = d.read()
	return r, nil
}

// Whole returns the text of a paper as it is being written.
func (a *Authoring) Whole(ctx context.Context, who account.Account, paper string) (string, error) {
	if err := who.May(account.Prepare); err != nil {
		return "", err
	}
	d, err := a.draft(ctx, paper)
	if err != nil {
		return "", err
	}
	return d.text, nil
}

var errConflicts = fmt.Errorf("the texts are in conflict")

// replace cuts a text into parts. Parts that are in it already stay what they are.
func (a *Authoring) replace(
	ctx context.Context, t *records.Transaction, d *draft, who account.Account, text string,
) error {
	if text == d.text {
		return nil
	}
	parts := pack.Parts(text)
	if len(parts) > mostParts {
		return problem.New(413, "too-long", "The paper is too long", "At most %d sections are taken.", mostParts)
	}
	var ids []int32
	next := d.writing.NextID
	for i, part := range parts {
		if err := checkPart(part.Text); err != nil {
			return err
		}
		was := d.same(part, i == 0, ids)
		switch {
		case was == nil:
			if err := t.AddPart(ctx, query.AddPartParams{
				PaperID: d.row.ID, ID: next, Text: part.Text, ChangedBy: &who.ID,
			}); err != nil {
				return err
			}
			ids = append(ids, next)
			next++
			continue
		case was.Text != part.Text:
			if err := a.set(ctx, t, d, who, int(was.ID), part.Text); err != nil {
				return err
			}
		}
		ids = append(ids, was.ID)
	}
	for _, id := range d.order() {
		if !slices.Contains(ids, id) {
			if err := t.RemovePart(ctx, query.RemovePartParams{PaperID: d.row.ID, ID: id}); err != nil {
				return err
			}
		}
	}
	return a.order(ctx, t, d, ids, next)
}

// same finds the part that is the same section as one of another text: the one with its text, or with its name.
func (d *draft) same(part pack.Part, front bool, taken []int32) *query.PaperPart {
	for _, alike := range []func(query.PaperPart) bool{
		func(p query.PaperPart) bool { return p.Text == part.Text },
		func(p query.PaperPart) bool {
			sections := pack.Parts(neutralFront + p.Text)
			return len(sections) > 1 && sections[1].Slug == part.Slug
		},
	} {
		for i := range d.parts {
			p := &d.parts[i].PaperPart
			if front {
				return p
			}
			if i > 0 && !slices.Contains(taken, p.ID) && alike(*p) {
				return p
			}
		}
	}
	return nil
}

// AddPicture stores a picture under the name that the paper's text gives it.
func (a *Authoring) AddPicture(
	ctx context.Context, who account.Account, paper, name string, content []byte,
) (*Text, error) {
	if err := who.May(account.Prepare); err != nil {
		return nil, err
	}
	d, err := a.draft(ctx, paper)
	if err != nil {
		return nil, err
	}
	if !pack.IsPictureName(name) {
		return nil, problem.New(400, "picture-name", "The picture's name cannot be used",
			"%.80q: letters, digits, points, hyphens and underscores are expected, and an ending as .png.", name)
	}
	if len(content) > pack.LargestPicture {
		return nil, problem.New(413, "picture-large", "The picture is too large",
			"It has more than %d MB: save it smaller, then add it.", pack.LargestPicture>>20)
	}
	mediaType, is := pack.PictureType(content)
	if !is {
		return nil, problem.New(422, "no-picture", "This is no picture that every browser shows",
			"PNG, JPEG, GIF, WebP or SVG is expected, and the content is %s.", mediaType)
	}
	if err := keepPicture(ctx, a.records.Queries, d.row.ID, "pictures/"+name, mediaType, content); err != nil {
		return nil, err
	}
	return a.Read(ctx, who, paper, 0)
}
