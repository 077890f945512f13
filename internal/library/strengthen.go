package library

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"path"
	"slices"
	"strings"
	"testing/fstest"

	"examen/internal/account"
	"examen/internal/core/dataset"
	"examen/internal/core/pack"
	"examen/internal/core/sqltext"
	"examen/internal/grading"
	"examen/internal/jobs"
	"examen/internal/problem"
	"examen/internal/records/query"
)

// A Strengthening is what a search for rows found that tell wrong answers from right ones: the rows of a variant.
type Strengthening struct {
	Dataset string `json:"dataset"`
	Build   int    `json:"build"`   // its number, that they were searched for
	Variant string `json:"variant"` // that the rows are for
	New     bool   `json:"new"`     // it would be a new one
	// Thin are statements that come first: they take out most rows of large tables.
	Thin []string `json:"thin,omitempty"`
	grading.Proposed
}

// Script is the script that makes the variant, behind what makes the dataset.
func (s *Strengthening) Script() string {
	var text strings.Builder
	text.WriteString("-- Rows that tell wrong answers from right ones.\n")
	for _, sql := range s.Thin {
		fmt.Fprintf(&text, "\n-- Fewer rows will do.\n%s;\n", sql)
	}
	for _, p := range s.Proposals {
		fmt.Fprintf(&text, "\n-- %s:\n", strings.ToUpper(p.What[:1])+p.What[1:])
		for _, t := range p.Tells {
			says, _, _ := strings.Cut(t.Survivor.Sentence, " would pass")
			fmt.Fprintf(&text, "-- %s: %s.\n", t.Exercise, strings.ReplaceAll(says, "\n", " "))
		}
		text.WriteString(p.SQL)
	}
	return text.String()
}

// newVariant is what a variant of proposed rows is called, unless somebody says otherwise.
const newVariant = "close-calls"

// Strengthen begins a job that searches for rows which tell the wrong answers that would pass, to a paper's exercises
// as
// they are being written, from right ones. The rows are for a variant of the dataset: an existing one, or, with "", a
// new one.
func (a *Authoring) Strengthen(ctx context.Context, who account.Account, paper, variant string) (*jobs.Job, error) {
	if err := who.May(account.Prepare); err != nil {
		return nil, err
	}
	if variant != "" && !pack.IsSlug(variant) {
		return nil, problem.New(400, "name", "This is no name for a variant",
			"%.80q: use up to %d lower-case letters, digits and hyphens.", variant, pack.LongestSlug)
	}
	if _, err := a.draft(ctx, paper); err != nil {
		return nil, err
	}
	return a.jobs.Begin(ctx, who, jobs.Order{
		Kind: StrengthenPaper, Name: paper, Options: Options{Variant: variant},
	})
}

// strengthenPaper carries out that job.
func (l *Library) strengthenPaper(ctx context.Context, w *jobs.Work) (err error) {
	defer w.Undo(context.WithoutCancel(ctx), nil) // the copy that it has made
	b, err := l.building(w)
	if err != nil {
		return err
	}
	d, err := l.draft(ctx, w.Name)
	if err != nil {
		return err
	}
	paper, wrong := d.read()
	if wrong != nil {
		p := placed(d.text, wrong)
		p.Title = "The paper cannot be read"
		return p
	}
	row, err := l.records.CurrentBuild(ctx, paper.Dataset)
	if err != nil {
		return err
	}
	found, err := l.grader.Inspect(ctx, l.inspection(paper, row.Build, steps(w, paper)))
	if err != nil {
		return err
	}
	s := &strengthening{building: b, paper: paper, row: row, strengths: found.Strengths}
	if err := s.source(ctx); err != nil {
		return err
	}
	report := &Report{Title: d.row.Title, Strengthening: &s.found}
	s.found.Proposed = grading.Proposed{Proposals: []grading.Proposal{}, Left: []grading.Telling{}}
	if s.survivors() > 0 {
		if err := s.search(ctx); err != nil {
			return err
		}
	}
	return w.Finish(ctx, report, nothing)
}

// strengthening is the state of that job.
type strengthening struct {
	*building
	paper     *pack.Paper
	row       query.CurrentBuildRow
	strengths map[string]*grading.Strength
	found     Strengthening

	files   fs.FS
	scripts []string // that make the copy
}

func (s *strengthening) survivors() (n int) {
	for _, of := range s.strengths {
		n += len(of.Survivors)
	}
	return n
}

// source finds the scripts from which the dataset was built, and the variant that the rows are for.
func (s *strengthening) source(ctx context.Context) error {
	files, _, err := s.library.packOf(ctx, s.row)
	if err != nil {
		return err
	}
	p, wrong := pack.Read(files)
	if wrong != nil {
		return packProblem(files, wrong)
	}
	at := slices.IndexFunc(p.Datasets, func(d pack.Dataset) bool { return d.Name == s.row.Dataset.Name })
	if at < 0 {
		return fmt.Errorf("the pack %s has no dataset %s", p.Name, s.row.Dataset.Name)
	}
	of := p.Datasets[at]
	s.files, s.scripts = files, of.Setup
	s.found.Dataset, s.found.Build = s.row.Dataset.Name, int(s.row.Build.Number)
	s.found.Variant, s.found.New = s.options.Variant, true
	taken := func(name string) int {
		return slices.IndexFunc(of.Variants, func(v pack.Variant) bool { return v.Name == name })
	}
	if s.found.Variant == "" {
		s.found.Variant = newVariant
		for n := 2; taken(s.found.Variant) >= 0; n++ {
			s.found.Variant = fmt.Sprintf("%s-%d", newVariant, n)
		}
	} else if at := taken(s.found.Variant); at >= 0 {
		s.found.New = false
		s.scripts = slices.Concat(of.Setup, of.Variants[at].Setup)
	}
	return nil
}

// packOf returns the files of the pack that a dataset belongs to, or, of one that belongs to none, those that it would
// have as a pack of its own.
func (l *Library) packOf(ctx context.Context, row query.CurrentBuildRow) (fs.FS, []string, error) {
	if row.Build.JobID == nil {
		return nil, nil, problem.New(409, "no-files", "The dataset's files were not kept",
			"%s was built by an earlier version of Examen: build it again, or load its pack again.", row.Dataset.Name)
	}
	job, err := l.records.JobByID(ctx, *row.Build.JobID)
	if err != nil {
		return nil, nil, err
	}
	if row.Dataset.Pack != "" && job.Job.Kind != LoadPack {
		return nil, nil, problem.New(409, "not-as-loaded", "The dataset is not as its pack has it",
			"%s was built from other files since the pack %s was loaded: put them into the pack, and load it.",
			row.Dataset.Name, row.Dataset.Pack)
	}
	if row.Dataset.Pack == "" {
		return l.asPack(ctx, row.Dataset.Name)
	}
	return l.packFiles(ctx, row.Dataset.Pack)
}

// Tables of more rows than that are thinned for a new variant, to about so many.
const (
	largeTable = 20_000
	thinTable  = 1_000
)

// thinning are statements that take out most rows of the large tables to which no other refers.
func thinning(tables *dataset.Catalogue) (all []string) {
	referred := map[string]bool{}
	for _, r := range tables.Relations() {
		referred[r.To] = true
	}
	for _, t := range tables.Tables {
		key := slices.IndexFunc(t.Constraints, func(k dataset.Constraint) bool {
			return k.Kind == dataset.PrimaryKey && len(k.Columns) == 1
		})
		if t.View || t.Rows <= largeTable || referred[t.Name] || key < 0 {
			continue
		}
		column, name := sqltext.Quoted(t.Constraints[key].Columns[0]), strings.TrimPrefix(t.SQLName, "public.")
		all = append(all,
			fmt.Sprintf("DELETE FROM %s WHERE %s > (SELECT %[2]s FROM %[1]s ORDER BY %[2]s OFFSET %d LIMIT 1)",
				name, column, thinTable))
	}
	return all
}

// search makes a copy of the dataset and searches for rows on it: on one with fewer rows, if that is enough for the
// accepted answers.
func (s *strengthening) search(ctx context.Context) error {
	var answers []string
	rows, err := s.library.records.DatasetAnswers(ctx, s.row.Dataset.ID)
	if err != nil {
		return err
	}
	for _, a := range rows {
		e, err := exerciseOf(a.ExerciseNow)
		if err != nil {
			return err
		}
		if a.Paper != s.paper.Slug && e.Checking.OnVariant(s.found.Variant) && !e.ByState() {
			answers = append(answers, e.Accepted()...)
		}
	}
	if s.found.New {
		s.found.Thin = thinning(tablesOf(s.row.Build))
	}
	err = s.on(ctx, answers)
	if errors.Is(err, grading.ErrEmptied) {
		s.found.Thin = nil
		err = s.on(ctx, answers)
	}
	return err
}

// thinScript is the name given to the script that thins.
const thinScript = "fewer rows"

// on searches for rows on a copy.
func (s *strengthening) on(ctx context.Context, answers []string) error {
	files, scripts := s.files, s.scripts
	if len(s.found.Thin) > 0 {
		thin := fstest.MapFile{Data: []byte(strings.Join(s.found.Thin, ";\n") + ";\n")}
		files = &exported{loaded: s.files, changed: fstest.MapFS{thinScript: &thin}}
		scripts = append(slices.Clone(scripts), thinScript)
	}
	s.work.Step("Making a copy of "+s.found.Dataset, s.work.Size(scripts...))
	order := s.order(newDatabase(), files, scripts)
	scratch, err := s.library.practice.Scratch(ctx, order)
	if err != nil {
		return err
	}
	defer scratch.Close(context.WithoutCancel(ctx)) //nolint:errcheck // what is left over is swept
	n, of := 0, len(s.paper.Exercises())
	found, err := s.library.grader.Strengthen(ctx, grading.Strengthening{
		Paper: s.paper, Strengths: s.strengths, Tables: tablesOf(s.row.Build), Scratch: scratch, Answers: answers,
		Thinned: len(s.found.Thin) > 0,
		Applies: func(e *pack.Exercise) bool { return e.Checking.OnVariant(s.found.Variant) },
		Step: func(exercise string) {
			n++
			s.work.Step(fmt.Sprintf("Searching for rows, exercise %d of %d: %s", n, of, exercise), 0)
		},
	})
	if err == nil {
		s.found.Proposed = *found
	}
	return err
}

// AddVariant begins the job that adds the rows of a search to a variant of its dataset, or as a new one: it loads the
// dataset's pack with one script more. A dataset that belongs to no pack becomes one of its own name.
func (a *Authoring) AddVariant(ctx context.Context, who account.Account, name, job string) (*jobs.Job, error) {
	if err := who.May(account.Prepare); err != nil {
		return nil, err
	}
	row, _, err := a.find(ctx, who, name)
	if err != nil {
		return nil, err
	}
	found, err := a.proposedBy(ctx, who, job)
	if err != nil {
		return nil, err
	}
	if found.Dataset != name || found.Build != int(row.Build.Number) {
		return nil, problem.New(409, "build-replaced", "The dataset was built anew meanwhile",
			"The rows were searched for build %d of %s, and build %d of %s is in use: search for rows again.",
			found.Build, found.Dataset, row.Build.Number, name)
	}
	files, paths, err := a.packOf(ctx, row)
	if err != nil {
		return nil, err
	}
	e := &exported{loaded: files, paths: paths, changed: fstest.MapFS{}}
	if err := found.addTo(e); err != nil {
		return nil, err
	}
	return a.jobs.Receive(ctx, who, jobs.Order{
		Kind: LoadPack, Options: Options{Only: name, Break: true},
	}, -1, e.each())
}

// each returns one file after another.
func (e *exported) each() jobs.Files {
	next := 0
	var last fs.File
	return func() (string, io.Reader, error) {
		if last != nil {
			last.Close()
		}
		if next == len(e.paths) {
			return "", nil, io.EOF
		}
		name := e.paths[next]
		next++
		var err error
		last, err = e.Open(name)
		return name, last, err
	}
}

// proposedBy is what a search has found, which has to have found something.
func (l *Library) proposedBy(ctx context.Context, who account.Account, job string) (*Strengthening, error) {
	j, err := l.jobs.Job(ctx, who, job)
	if err != nil {
		return nil, err
	}
	report, err := ReportOf(j)
	if err != nil {
		return nil, err
	}
	if j.Kind != StrengthenPaper || j.State != jobs.Done || report == nil || report.Strengthening == nil {
		return nil, problem.New(409, "no-search", "This is no search for rows that has ended",
			"Job %s is a %s, and %s: search for rows first, examen paper strengthen PAPER.", job, j.Kind, j.State)
	}
	if len(report.Strengthening.Proposals) == 0 {
		return nil, problem.New(409, "nothing-found", "The search has found no rows", "There is nothing to add.")
	}
	return report.Strengthening, nil
}

// addTo adds the script to a pack's files.
func (s *Strengthening) addTo(e *exported) error {
	index, err := fs.ReadFile(e, "pack.yaml")
	if err != nil {
		return err
	}
	p, wrong := pack.Read(e)
	if wrong != nil {
		return packProblem(e, wrong)
	}
	folder := "."
	for _, d := range p.Datasets {
		if d.Name == s.Dataset {
			folder = path.Dir(d.Setup[0])
		}
	}
	script := path.Join(folder, s.Variant+".sql")
	for n := 2; slices.Contains(e.paths, script); n++ {
		script = path.Join(folder, fmt.Sprintf("%s-%d.sql", s.Variant, n))
	}
	index, err = pack.WithVariant(index, s.Dataset, s.Variant, script)
	if err != nil {
		return err
	}
	e.put("pack.yaml", index)
	e.put(script, []byte(s.Script()))
	return nil
}
