package library

import (
	"context"
	"fmt"
	"io/fs"
	"maps"
	"slices"
	"strings"
	"testing/fstest"

	"examen/internal/account"
	"examen/internal/core/dataset"
	"examen/internal/core/pack"
	"examen/internal/grading"
	"examen/internal/jobs"
	"examen/internal/records"
)

// Kinds of notes besides those that an inspection makes.
const (
	noteUnreadable = "pack-unreadable"
	noteLink       = "link-broken"
	noteDictionary = "dictionary-unknown"
)

// A CheckReport lists what was found when the exercises of a paper or a pack were checked.
type CheckReport struct {
	Exercises int                `json:"exercises"`
	Notes     []grading.Note     `json:"notes"`
	Strengths []ExerciseStrength `json:"strengths,omitempty"`
}

// An ExerciseStrength is how strong an exercise was found to be.
type ExerciseStrength struct {
	Paper    string            `json:"paper"`
	Exercise string            `json:"exercise"`
	Number   int               `json:"number"`
	Title    string            `json:"title"`
	Strength *grading.Strength `json:"strength"`
}

// add adds what an inspection of a paper found.
func (r *CheckReport) add(paper *pack.Paper, found *grading.Inspected) {
	r.Notes = append(r.Notes, found.Notes...)
	for _, e := range paper.Exercises() {
		if s := found.Strengths[e.Slug]; s != nil {
			r.Strengths = append(r.Strengths, ExerciseStrength{paper.Slug, e.Slug, e.Number, e.Title, s})
		}
	}
}

// Count returns the number of notes of a severity.
func (r *CheckReport) Count(severity grading.Severity) int {
	n := 0
	for _, note := range r.Notes {
		if note.Severity == severity {
			n++
		}
	}
	return n
}

// CheckPaper begins a job that checks the exercises of a paper, as it is being written, on its dataset's build in use
// and every variant.
func (l *Library) CheckPaper(ctx context.Context, who account.Account, slug string) (*jobs.Job, error) {
	if err := who.May(account.Prepare); err != nil {
		return nil, err
	}
	if _, err := l.draft(ctx, slug); err != nil {
		return nil, err
	}
	return l.jobs.Begin(ctx, who, jobs.Order{Kind: CheckPaper, Name: slug, Options: Options{}})
}

// checkPaper carries out that job.
func (l *Library) checkPaper(ctx context.Context, w *jobs.Work) error {
	d, err := l.draft(ctx, w.Name)
	if err != nil {
		return err
	}
	report, _, err := l.checkText(ctx, w, d)
	if err != nil {
		return err
	}
	return w.Finish(ctx, Report{Title: d.row.Title, Check: report}, nothing)
}

// checkText reads a text and inspects it. The paper is nil where it cannot be read.
func (l *Library) checkText(ctx context.Context, w *jobs.Work, d *draft) (*CheckReport, *pack.Paper, error) {
	report := &CheckReport{Notes: []grading.Note{}}
	paper, wrong := d.read()
	for _, e := range wrong {
		report.Notes = append(report.Notes, grading.Note{
			Severity: grading.SeverityError, Kind: noteUnreadable, File: e.File, Line: e.Line, Sentence: e.Detail,
		})
	}
	if wrong != nil {
		return report, nil, nil
	}
	build, err := l.records.CurrentBuild(ctx, paper.Dataset)
	if err != nil {
		return nil, nil, err
	}
	targets, err := l.linkTargets(ctx)
	if err != nil {
		return nil, nil, err
	}
	report.Exercises = len(paper.Exercises())
	report.Notes = links(paper, targets, fstest.MapFS{paper.Path: {Data: []byte(d.text)}})
	found, err := l.grader.Inspect(ctx, l.inspection(paper, build.Build, steps(w, paper)))
	if err != nil {
		return nil, nil, err
	}
	report.add(paper, found)
	return report, paper, nil
}

// steps reports a job's progress through a paper, exercise by exercise.
func steps(w *jobs.Work, paper *pack.Paper) func(string) {
	n, of := 0, len(paper.Exercises())
	return func(exercise string) {
		if exercise == "" {
			w.Step("Running the examples of "+paper.Slug, 0)
			return
		}
		n++
		w.Step(fmt.Sprintf("Checking %s, exercise %d of %d: %s", paper.Slug, n, of, exercise), 0)
	}
}

// nothing is what a job stores that leaves only its report.
func nothing(*records.Transaction) error { return nil }

// linkTargets returns the exercise slugs of every loaded paper, by the paper's slug.
func (l *Library) linkTargets(ctx context.Context) (map[string][]string, error) {
	rows, err := l.records.LinkTargets(ctx)
	targets := map[string][]string{}
	for _, row := range rows {
		targets[row.Slug] = row.Exercises
	}
	return targets, err
}

// slugs returns the slugs of a paper's exercises.
func slugs(p *pack.Paper) []string {
	var all []string
	for _, e := range p.Exercises() {
		all = append(all, e.Slug)
	}
	return all
}

// links checks that a paper's links to exercises and papers lead somewhere. Where the pack's files are available, the
// notes give the line.
func links(p *pack.Paper, targets map[string][]string, files fs.FS) []grading.Note {
	notes := []grading.Note{}
	for _, target := range p.Links() {
		to, exercise, _ := strings.Cut(target, "#")
		exercises, loaded := targets[to]
		if to == "" {
			exercises, loaded = slugs(p), true
		}
		n := grading.Note{Severity: grading.SeverityError, Kind: noteLink, Paper: p.Slug, File: p.Path}
		switch {
		case !loaded:
			n.Sentence = fmt.Sprintf(
				"The link to %s leads nowhere: there is no paper of that slug, neither in the pack nor loaded.", target)
		case exercise != "" && !slices.Contains(exercises, exercise):
			n.Sentence = fmt.Sprintf("The link to %s leads nowhere: the paper has no exercise of that slug.", target)
		default:
			continue
		}
		if files != nil {
			content, _ := fs.ReadFile(files, p.Path)
			if before, _, found := strings.Cut(string(content), "]("+target); found {
				n.Line = strings.Count(before, "\n") + 1
			}
		}
		notes = append(notes, n)
	}
	return notes
}

// strangers returns a note for each entry in a dataset's dictionary whose table or column does not exist.
func strangers(d pack.Dataset, catalogue dataset.Catalogue) (notes []grading.Note) {
	add := func(line int, sentence string, args ...any) {
		notes = append(notes, grading.Note{
			Severity: grading.SeverityWarning, Kind: noteDictionary, File: d.DictionaryFile, Line: line,
			Sentence: fmt.Sprintf(sentence, args...),
		})
	}
	for _, name := range slices.Sorted(maps.Keys(d.Dictionary)) {
		meaning, table := d.Dictionary[name], catalogue.Table(name)
		if table == nil {
			add(meaning.Line, "The dictionary tells of %s, and the dataset %s has no such table.", name, d.Name)
			continue
		}
		for _, column := range slices.Sorted(maps.Keys(meaning.Columns)) {
			if table.Column(column) == nil {
				add(meaning.Line, "The dictionary tells of %s.%s, and the table has no such column.", name, column)
			}
		}
	}
	return notes
}

// checkPack builds a pack's datasets, checks its exercises on them, and drops them again.
func (p *packLoad) check(ctx context.Context) (*CheckReport, error) {
	report := &CheckReport{Notes: []grading.Note{}}
	for _, d := range p.pack.Datasets {
		b, err := p.build(ctx, d)
		if err != nil {
			return nil, err
		}
		report.Notes = append(report.Notes, strangers(d, b.made.Catalogue)...)
	}
	targets, err := p.library.linkTargets(ctx)
	if err != nil {
		return nil, err
	}
	for n := range p.pack.Papers {
		targets[p.pack.Papers[n].Slug] = slugs(&p.pack.Papers[n])
	}
	for n := range p.pack.Papers {
		paper := &p.pack.Papers[n]
		inspection := grading.Inspection{Paper: paper, Step: steps(p.work, paper)}
		if b := p.builds[paper.Dataset]; b != nil {
			inspection.Database, inspection.Variants, inspection.Tables = b.database, b.variants, &b.made.Catalogue
		} else {
			row, err := p.library.records.CurrentBuild(ctx, paper.Dataset)
			if records.Missing(err) {
				report.Notes = append(report.Notes, grading.Note{
					Severity: grading.SeverityError, Kind: noteUnreadable, Paper: paper.Slug, File: paper.Path,
					Sentence: fmt.Sprintf(
						"The paper's dataset %q is neither in the pack nor loaded already.", paper.Dataset,
					),
				})
				continue
			} else if err != nil {
				return nil, err
			}
			inspection = p.library.inspection(paper, row.Build, inspection.Step)
		}
		report.Exercises += len(paper.Exercises())
		report.Notes = append(report.Notes, links(paper, targets, p.work.Files)...)
		found, err := p.library.grader.Inspect(ctx, inspection)
		if err != nil {
			return nil, err
		}
		report.add(paper, found)
	}
	return report, nil
}
