package library_test

import (
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"slices"
	"strings"
	"testing"
	"time"

	"examen/internal/jobs"
	"examen/internal/library"
	"examen/internal/library/librarytest"
	"examen/internal/problem"
)

const fence = "```"

// section is an exercise as one writes it.
func section(title, answer string) string {
	return "## " + title + "\n\nDo it.\n\n" + fence + "sql answer\n" + answer + "\n" + fence + "\n"
}

// desk is a paper that Hazel writes.
type desk struct {
	*testing.T
	house *librarytest.House
	*library.Authoring
	pack  string // also the dataset's name
	files map[string]string
	paper string
}

// hives is the paper of the pack of hives, to be written in; each test has its own, named after it.
func hives(t *testing.T) *desk {
	h := librarytest.Open(t, url)
	name := strings.ToLower(t.Name())
	files := librarytest.Hives()
	for file, content := range files {
		files[file] = strings.NewReplacer(
			"pack: yard", "pack: "+name, "  yard:", "  "+name+":", "dataset: yard", "dataset: "+name,
			"paper: hives", "paper: "+name,
		).Replace(content)
	}
	if job := h.Load(t, files); job.State != jobs.Done {
		t.Fatalf("%+v", job.Problem)
	}
	return &desk{t, h, h.Library.Authoring(), name, files, name}
}

// exercise is an exercise as learners see it.
func (d *desk) exercise(address string) *library.Exercise {
	d.Helper()
	p, err := d.house.Library.Paper(ctx, d.paper)
	if err != nil {
		d.Fatal(err)
	}
	e, err := d.house.Library.Exercise(ctx, p, address)
	if err != nil {
		d.Fatal(err)
	}
	return e
}

// text is the paper as it is being written.
func (d *desk) text() *library.Text {
	d.Helper()
	text, err := d.Read(ctx, d.house.Hazel, d.paper, 0)
	if err != nil {
		d.Fatal(err)
	}
	return text
}

// part finds the part of an exercise.
func (d *desk) part(slug string) library.TextPart {
	d.Helper()
	for _, p := range d.text().Parts {
		if p.Slug == slug {
			return p
		}
	}
	d.Fatalf("there is no part %q", slug)
	return library.TextPart{}
}

// rewrite changes the part of an exercise.
func (d *desk) rewrite(slug, of, instead string) {
	d.Helper()
	p := d.part(slug)
	text := strings.Replace(p.Text, of, instead, 1)
	if _, err := d.Keep(ctx, d.house.Hazel, d.paper, p.ID, text, p.Revision); err != nil || text == p.Text {
		d.Fatalf("%v: %q", err, text)
	}
}

// publishes publishes what is written.
func (d *desk) publishes() *jobs.Job {
	d.Helper()
	job, err := d.Publish(ctx, d.house.Hazel, d.paper, d.revision(), "")
	if err != nil {
		d.Fatal(err)
	}
	return d.house.Ended(d.T, job)
}

// revision is that of the text which would be published.
func (d *desk) revision() int64 {
	d.Helper()
	p, err := d.Publication(ctx, d.house.Hazel, d.paper)
	if err != nil {
		d.Fatal(err)
	}
	return p.Revision
}

// inspected waits until the remarks on a part are those on its text as it is.
func (d *desk) inspected(slug string) library.TextPart {
	d.Helper()
	for range 600 {
		if p := d.part(slug); p.Inspected {
			return p
		}
		time.Sleep(50 * time.Millisecond)
	}
	d.Fatal("no remarks came")
	return library.TextPart{}
}

// What is written is not seen until it is published; then it is a version, and there is a way back.
func TestWritingAndPublishing(t *testing.T) {
	d := hives(t)
	d.rewrite("all", "Write it.", "List them.")
	if text := d.text(); !text.Unpublished || len(text.Order) != 5 {
		t.Errorf("got %+v", text)
	}
	if e := d.exercise("all"); e.Blocks[0].Text != "Write it." {
		t.Errorf("it is seen before it is published: %+v", e.Blocks)
	}
	d.rewrite("count", "count(*)", "count(name)")
	weak := library.NewPart{After: 1, Text: section("Weak {#weak}", "SELECT 1")}
	added, err := d.Add(ctx, d.house.Hazel, d.paper, weak)
	if err != nil || len(added.Order) != 6 {
		t.Fatal(err, added)
	}
	would, err := d.Publication(ctx, d.house.Hazel, d.paper)
	if err != nil {
		t.Fatal(err)
	}
	got := fmt.Sprint(would.Exercises)
	if want := "[{weak Weak [new] 0 0} {all All hives [task number] 0 0} {strong Strong hives [number] 0 0} " +
		"{count How many [answers number] 0 0}]"; got != want {
		t.Errorf("got %s", got)
	}
	if job := d.publishes(); job.State != jobs.Done {
		t.Fatalf("%+v", job.Problem)
	}
	if e := d.exercise("all"); e.Blocks[0].Text != "List them." || e.Number != 2 || d.text().Unpublished {
		t.Errorf("got %+v", e)
	}
	versions, err := d.Versions(ctx, d.house.Hazel, d.paper)
	if err != nil || len(versions) != 2 || !versions[0].Published || versions[0].By != "Hazel Underhill" ||
		versions[1].Origin != "pack" {
		t.Fatal(err, versions)
	}
	if _, err := d.Restore(ctx, d.house.Hazel, d.paper, 1); err != nil {
		t.Fatal(err)
	}
	if job := d.publishes(); job.State != jobs.Done {
		t.Fatalf("%+v", job.Problem)
	}
	if e := d.exercise("all"); e.Blocks[0].Text != "Write it." || e.Number != 1 {
		t.Errorf("got %+v", e)
	}
}

// Two who write one section: the later one is told, and nothing is overwritten.
func TestNobodyOverwritesAnother(t *testing.T) {
	d := hives(t)
	p := d.part("all")
	d.rewrite("strong", "Write it.", "Mine.") // another section is in nobody's way
	if _, err := d.Keep(ctx, d.house.Hazel, d.paper, p.ID, p.Text+"one", d.part("all").Revision); err != nil {
		t.Fatal(err)
	}
	_, err := d.Keep(ctx, d.house.Hazel, d.paper, p.ID, p.Text+"two", p.Revision)
	if kind(t, err) != "part-changed" {
		t.Errorf("got %v", err)
	}
	if _, err := d.Remove(ctx, d.house.Hazel, d.paper, p.ID, p.Revision); kind(t, err) != "part-changed" {
		t.Errorf("got %v", err)
	}
	if got := d.part("all").Text; got != p.Text+"one" {
		t.Errorf("got %q", got)
	}
}

// A whole text that was made from an older one is merged by section; where both have changed one, both forms come back
// and nothing is stored.
func TestAWholeTextIsMerged(t *testing.T) {
	d := hives(t)
	base, err := d.Whole(ctx, d.house.Hazel, d.paper)
	if err != nil {
		t.Fatal(err)
	}
	d.rewrite("all", "Write it.", "Theirs.")
	r, err := d.Replace(ctx, d.house.Hazel, d.paper, base, strings.Replace(base, "count(*)", "count(name)", 1))
	if err != nil || len(r.Conflicts) != 0 || !strings.Contains(r.Whole, "Theirs.") {
		t.Fatal(err, r)
	}
	if p := d.part("count"); !strings.Contains(p.Text, "count(name)") || p.ID != 5 {
		t.Errorf("got %+v", p)
	}
	r, err = d.Replace(ctx, d.house.Hazel, d.paper, base, strings.Replace(base, "Write it.", "Mine.", 1))
	if err != nil || len(r.Conflicts) != 1 || !strings.Contains(r.Base, "Theirs.") ||
		!strings.Contains(r.Conflicts[0].Theirs, "Theirs.") ||
		!strings.Contains(r.Conflicts[0].Ours, "Mine.") {
		t.Fatal(err, r)
	}
	if p := d.part("all"); !strings.Contains(p.Text, "Theirs.") {
		t.Errorf("got %+v", p)
	}
}

// Sections are moved and taken out; the front matter stays first.
func TestSectionsAreMovedAndTakenOut(t *testing.T) {
	d := hives(t)
	titles := func() string {
		var all []string
		for _, p := range d.text().Parts[1:] {
			all = append(all, p.Slug)
		}
		return strings.Join(all, " ")
	}
	if _, err := d.Move(ctx, d.house.Hazel, d.paper, d.part("count").ID, 1); err != nil {
		t.Fatal(err)
	}
	if got := titles(); got != "count  all strong" {
		t.Errorf("got %q", got)
	}
	p := d.part("all")
	if _, err := d.Remove(ctx, d.house.Hazel, d.paper, p.ID, p.Revision); err != nil || titles() != "count  strong" {
		t.Errorf("got %v %q", err, titles())
	}
	if _, err := d.Move(ctx, d.house.Hazel, d.paper, 1, 2); kind(t, err) != "front" {
		t.Errorf("got %v", err)
	}
	if _, err := d.Keep(ctx, d.house.Hazel, d.paper, p.ID, "gone", p.Revision); kind(t, err) != "part-gone" {
		t.Errorf("got %v", err)
	}
	if job := d.publishes(); job.State != jobs.Done {
		t.Fatalf("%+v", job.Problem)
	}
}

// The examiner's remarks come by themselves, after each change, on the section that was changed.
func TestRemarksAreRenewed(t *testing.T) {
	d := hives(t)
	d.rewrite("all", "ORDER BY name", "LIMIT 1")
	p := d.inspected("all")
	if len(p.Remarks) == 0 || p.Remarks[0].Kind != "limit-without-order" || p.Expected.Columns[0].Name != "name" {
		t.Errorf("got %+v", p.Remarks)
	}
	d.rewrite("all", "LIMIT 1", "WHERE strength > 100")
	if p = d.inspected("all"); p.Remarks[0].Kind != "result-empty" {
		t.Errorf("got %+v", p.Remarks)
	}
	if p := d.inspected("strong"); len(p.Remarks) != 0 {
		t.Errorf("got %+v", p.Remarks)
	}
}

// What keeps a text from being published is told with its place.
func TestWhatCannotBePublished(t *testing.T) {
	d := hives(t)
	for _, c := range []struct{ name, slug, of, instead, kind, says string }{
		{"an answer that is no SQL", "all", "SELECT name", "SELEKT name", "pack", "cannot be read"},
		{"a check that is none", "all", "points: 0.1", "points: many", "pack", "no number"},
		{"an exercise without a title", "all", "## All hives", "## ", "pack", "has no title"},
		{"a block without an end", "all", "points: 0.1\n" + fence, "points: 0.1", "pack", "not closed"},
		{"a name twice", "all", "{#all}", "{#count}", "pack", "two exercises"},
		{"a variant that is not there", "all", "points: 0.1", "variants: [strong]", "pack", "no variant"},
		{"a picture that is not there", "all", "Write it.", "![](pictures/moon.png)", "pack", "add it to the paper"},
		{"an answer shown in the task", "all", "Write it.", fence + "\nSELECT count(*) FROM hive\n" + fence, "pack",
			"holds the accepted answer"},
	} {
		before := d.part(c.slug)
		d.rewrite(c.slug, c.of, c.instead)
		id := before.ID
		now := d.text()
		_, err := d.Publish(ctx, d.house.Hazel, d.paper, d.revision(), "")
		if kind(t, err) != c.kind || !strings.Contains(fmt.Sprint(err), c.says) || len(now.Wrong) == 0 {
			t.Errorf("%s: got %v, %v", c.name, err, now.Wrong)
		}
		i := slices.IndexFunc(now.Parts, func(p library.TextPart) bool { return p.ID == id })
		if _, err := d.Keep(ctx, d.house.Hazel, d.paper, id, before.Text, now.Parts[i].Revision); err != nil {
			t.Fatal(err)
		}
	}
	d.rewrite("all", "SELECT name", "SELECT nane")
	if job := d.publishes(); job.State != jobs.Failed || !strings.Contains(job.Problem.Detail, "does not run") {
		t.Errorf("an answer that fails: %+v", job)
	}
	d.rewrite("all", "SELECT nane", "SELECT random(), name")
	if job := d.publishes(); job.State != jobs.Asking {
		t.Errorf("an answer that is not stable: %+v", job)
	}
}

// A paper from nothing, a copy of it, and an exercise of it in another.
func TestNewPapersAndCopies(t *testing.T) {
	d := hives(t)
	hazel := d.house.Hazel
	first := library.NewPaper{Slug: "yard", Title: "The yard: a start", Dataset: d.pack}
	if _, err := d.Create(ctx, hazel, first); err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		new  library.NewPaper
		kind string
	}{
		{library.NewPaper{Slug: "yard", Title: "Again", Dataset: d.pack}, "name-taken"},
		{library.NewPaper{Slug: "The Yard", Title: "A", Dataset: d.pack}, "name"},
		{library.NewPaper{Slug: "a", Title: " ", Dataset: d.pack}, "title"},
		{library.NewPaper{Slug: "a", Title: "A", Dataset: "none"}, "no-dataset"},
		{library.NewPaper{Slug: "a", Title: "A", Copy: "none"}, "no-paper"},
	} {
		if _, err := d.Create(ctx, hazel, c.new); kind(t, err) != c.kind {
			t.Errorf("%+v: got %v", c.new, err)
		}
	}
	d.paper = "yard"
	if _, err := d.Publish(ctx, hazel, "yard", d.revision(), ""); kind(t, err) != "empty" {
		t.Errorf("got %v", err)
	}
	for range 2 {
		if _, err := d.Add(ctx, hazel, "yard", library.NewPart{Paper: d.pack, Exercise: "strong"}); err != nil {
			t.Fatal(err)
		}
	}
	if job := d.publishes(); job.State != jobs.Done {
		t.Fatalf("%+v", job.Problem)
	}
	if _, err := d.Create(ctx, hazel, library.NewPaper{Slug: "copy", Title: "A copy", Copy: "yard"}); err != nil {
		t.Fatal(err)
	}
	d.paper = "copy"
	if p := d.part("strong-2"); !p.Exercise {
		t.Errorf("got %+v", p)
	}
	found := d.found(library.Search{Dataset: d.pack, Table: "hive", Construct: "group-by"})
	if len(found) != 0 {
		t.Errorf("got %+v", found)
	}
	found = d.found(library.Search{Dataset: d.pack, Text: "strength >=", Column: "name"})
	if len(found) != 1 || len(found[0].In) != 3 || found[0].In[2].Exercise != "strong-2" {
		t.Errorf("got %+v", found)
	}
	if err := d.Discard(ctx, hazel, "copy"); err != nil {
		t.Fatal(err)
	}
	if _, err := d.Read(ctx, hazel, "copy", 0); kind(t, err) != "no-paper" {
		t.Errorf("got %v", err)
	}
}

// found waits until the index is up to date, and finds exercises.
func (d *desk) found(s library.Search) []library.Found {
	d.Helper()
	for range 600 {
		strong, err := d.Find(ctx, d.house.Hazel, library.Search{Dataset: d.pack, Text: "Strong"})
		if err != nil {
			d.Fatal(err)
		}
		if len(strong) == 1 && len(strong[0].In) == 3 {
			break
		}
		time.Sleep(50 * time.Millisecond)
	}
	found, err := d.Find(ctx, d.house.Hazel, s)
	if err != nil {
		d.Fatal(err)
	}
	return found
}

// A pack whose paper was changed here is not overwritten unasked: both sides are told. Exported, it has the changes,
// and loads again without a question.
func TestAPackThatWasChangedHere(t *testing.T) {
	d := hives(t)
	d.rewrite("all", "Write it.", "List them.")
	if job := d.publishes(); job.State != jobs.Done {
		t.Fatalf("%+v", job.Problem)
	}
	theirs := with(d.files, "hives.md", "Three of them.", "Three hives.")
	job := d.house.Load(t, theirs)
	report, err := library.ReportOf(job)
	if err != nil || job.State != jobs.Asking || len(report.Differences) != 1 {
		t.Fatalf("%v %+v", err, job)
	}
	if got := fmt.Sprint(report.Differences); got != "[{"+d.paper+" [{All hives changed}] [{ changed}]}]" {
		t.Errorf("got %s", got)
	}
	again := d.exported()
	if want := with(d.files, "hives.md", "List them.", "Write it."); again["hives.md"] != want["hives.md"] ||
		again["setup.sql"] != want["setup.sql"] || len(again) != len(want) {
		t.Errorf("got %q", again["hives.md"])
	}
	if _, err := d.house.Jobs.Confirm(ctx, d.house.Hazel, job.ID); err != nil {
		t.Fatal(err)
	}
	if job = d.house.Ended(t, job); job.State != jobs.Done {
		t.Fatalf("%+v", job)
	}
	if text := d.text(); text.Unpublished || !strings.Contains(text.Parts[1].Text, "Three of them.") {
		t.Errorf("got %+v", text)
	}
	if job := d.house.Load(t, again); job.State != jobs.Done {
		t.Errorf("what was exported: %+v", job)
	}
}

// A paper that is begun here comes with its pack.
func TestANewPaperIsExported(t *testing.T) {
	d := hives(t)
	d.paper = "more"
	more := library.NewPaper{Slug: "more", Title: "More", Dataset: d.pack}
	if _, err := d.Create(ctx, d.house.Hazel, more); err != nil {
		t.Fatal(err)
	}
	png := []byte("\x89PNG\r\n\x1a\n\x00\x00\x00\rIHDR")
	if _, err := d.AddPicture(ctx, d.house.Hazel, "more", "dome.png", png); err != nil {
		t.Fatal(err)
	}
	if _, err := d.Add(ctx, d.house.Hazel, "more", library.NewPart{
		Text: section("Names", "SELECT name FROM hive") + "\n![](pictures/dome.png)",
	}); err != nil {
		t.Fatal(err)
	}
	if job := d.publishes(); job.State != jobs.Done {
		t.Fatalf("%+v", job.Problem)
	}
	files := d.exported()
	if !strings.Contains(files["pack.yaml"], "papers: [hives.md, papers/more.md]") ||
		files["papers/pictures/dome.png"] != string(png) {
		t.Errorf("got %q", files["pack.yaml"])
	}
	theirs := with(files, "papers/more.md", "## Others", "## Names")
	if job := d.house.Load(t, theirs); job.State != jobs.Asking {
		t.Errorf("a paper that was begun here is overwritten unasked: %+v", job)
	}
	if job := d.house.Load(t, files); job.State != jobs.Done {
		t.Errorf("%+v", job.Problem)
	}
	for name, content := range map[string][]byte{
		"a.png": []byte("text"), "../a.png": png, "big.png": append(png, make([]byte, 6<<20)...),
	} {
		var p *problem.Problem
		if _, err := d.AddPicture(ctx, d.house.Hazel, "more", name, content); !errors.As(err, &p) || p.Status < 400 {
			t.Errorf("%s: got %v", name, err)
		}
	}
}

// A dataset that was built from files, and the papers about it, can be had as a pack, whether they are scripts or rows.
func TestADatasetThatNoPackHoldsIsExported(t *testing.T) {
	h := librarytest.Open(t, url)
	for name, files := range map[string]map[string]string{
		"scripts": {
			"b.sql": "INSERT INTO meadow VALUES (1), (2);", "a.sql": "CREATE TABLE meadow (id int PRIMARY KEY);",
		},
		"rows": {"meadow.csv": "id,name\n1,Long\n2,Wet\n"},
	} {
		d := &desk{t, h, h.Library.Authoring(), "meadow-" + name, nil, "on-" + name}
		job, err := h.Library.Build(ctx, h.Hazel, d.pack, library.Options{Folder: true}, -1, librarytest.Files(files))
		if err != nil {
			t.Fatal(err)
		}
		if job = h.Ended(t, job); job.State != jobs.Done {
			t.Fatalf("%s: %+v", name, job.Problem)
		}
		if _, err := d.Create(ctx, h.Hazel, library.NewPaper{Slug: d.paper, Title: name, Dataset: d.pack}); err != nil {
			t.Fatal(err)
		}
		exercise := library.NewPart{Text: section("Meadows", "SELECT id FROM meadow")}
		if _, err := d.Add(ctx, h.Hazel, d.paper, exercise); err != nil {
			t.Fatal(err)
		}
		if job := d.publishes(); job.State != jobs.Done {
			t.Fatalf("%s: %+v", name, job.Problem)
		}
		exported := d.exported()
		if job = h.Load(t, exported); job.State != jobs.Asking {
			t.Fatalf("%s: %+v", name, job.Problem)
		}
		if _, err := h.Jobs.Confirm(ctx, h.Hazel, job.ID); err != nil {
			t.Fatal(err)
		}
		if job = h.Ended(t, job); job.State != jobs.Done {
			t.Fatalf("%s: %+v", name, job.Problem)
		}
		if again := d.exported(); !maps.Equal(exported, again) || exported["papers/"+d.paper+".md"] == "" {
			t.Errorf("%s: got %q, want %q", name, again, exported)
		}
	}
}

// exported are the files of the pack as it is now.
func (d *desk) exported() map[string]string {
	d.Helper()
	exported, paths, err := d.house.Library.PackFiles(ctx, d.house.Hazel, d.pack)
	if err != nil {
		d.Fatal(err)
	}
	files := map[string]string{}
	for _, path := range paths {
		content, err := fs.ReadFile(exported, path)
		if err != nil {
			d.Fatal(err)
		}
		files[path] = string(content)
	}
	return files
}

// Who else has the paper open is told, and what they have changed comes along.
func TestWhoIsThere(t *testing.T) {
	d := hives(t)
	first, err := d.Here(ctx, d.house.Hazel, d.paper, library.Place{Window: "one", Part: 2}, 0)
	if err != nil || len(first.Parts) != 5 || len(first.Writers) != 1 {
		t.Fatal(err, first)
	}
	waits := func(p library.TextPart) bool { return !p.Front && !p.Inspected }
	for slices.ContainsFunc(d.text().Parts, waits) { // remarks are news, too
		time.Sleep(20 * time.Millisecond)
	}
	now, err := d.Here(ctx, d.house.Hazel, d.paper, library.Place{Window: "two"}, d.text().Revision)
	if err != nil || len(now.Parts) != 0 || len(now.Writers) != 2 || now.Writers[0].Part != 2 {
		t.Fatal(err, now)
	}
	d.rewrite("all", "Write it.", "List them.")
	gone := library.Place{Window: "two", Gone: true}
	later, err := d.Here(ctx, d.house.Hazel, d.paper, gone, now.Revision)
	if err != nil || len(later.Parts) == 0 || len(later.Writers) != 1 {
		t.Fatal(err, later)
	}
}
