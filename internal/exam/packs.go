package exam

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"slices"
	"strings"
	"time"

	"examen/internal/core/dataset"
	"examen/internal/core/pack"
	"examen/internal/core/sqltext"
	"examen/internal/practice"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// loadPack loads a pack: it builds the datasets, tries the reference answers, and stores the papers. With any error nothing of it is
// loaded, and what was loaded earlier stays in use.
func (w *working) loadPack(ctx context.Context) (*JobReport, error) {
	p, wrong := pack.Read(w.files)
	if wrong != nil {
		return nil, packProblem(w.files, wrong)
	}
	w.name = p.Name
	if err := w.records.NameJob(ctx, query.NameJobParams{ID: w.id, Worker: &w.worker, Name: p.Name}); err != nil {
		return nil, err
	}
	l := &loading{working: w, pack: p, builds: map[string]*built{}}
	if err := l.checkOwners(ctx); err != nil {
		return nil, err
	}
	report, err := l.load(ctx)
	if errors.Is(err, errAsks) {
		w.drop(context.WithoutCancel(ctx), w.databases)
		return report, err
	}
	if err != nil {
		w.undo(context.WithoutCancel(ctx), err)
		if records.Taken(err) {
			return nil, problem.New(409, "pack-at-once", "The pack was loaded twice at the same time", "The other load was first; load it again to have yours.")
		}
		return nil, err
	}
	for name := range l.builds {
		l.dropOld(context.WithoutCancel(ctx), name)
	}
	return report, nil
}

// packProblem names the first error with its place, and then where the others are.
func packProblem(files fs.FS, wrong []pack.Error) *problem.Problem {
	first := wrong[0]
	p := problem.New(422, "pack", "The pack cannot be loaded", "%s", first.Error())
	if len(wrong) > 1 {
		rest := make([]string, 0, len(wrong)-1)
		for _, w := range wrong[1:] {
			rest = append(rest, w.Error())
		}
		p.Detail += "; and " + strings.Join(rest, "; ")
	}
	content, _ := fs.ReadFile(files, first.File)
	lines := strings.Split(string(content), "\n")
	place := sqltext.Place{Line: first.Line, Column: 1}
	if first.Line <= len(lines) {
		place.Text = strings.ToValidUTF8(strings.TrimSuffix(lines[first.Line-1], "\r"), "\ufffd")
	}
	p.File, p.Place = first.File, &place
	return p
}

// loading is a pack being loaded.
type loading struct {
	*working
	pack   *pack.Pack
	builds map[string]*built // by dataset
}

// built is a dataset's new build.
type built struct {
	database string
	variants map[string]string
	made     *practice.Built
	report   BuildReport
}

// checkOwners makes sure that names which other packs use stay theirs, and that the papers' datasets are there.
func (l *loading) checkOwners(ctx context.Context) error {
	for _, d := range l.pack.Datasets {
		row, err := l.records.DatasetByName(ctx, d.Name)
		if err != nil && !records.Missing(err) {
			return err
		}
		if err == nil && row.Pack != l.pack.Name {
			return packProblem(l.files, []pack.Error{{File: "pack.yaml", Line: 1, Detail: fmt.Sprintf("the dataset name %q is taken by the pack %q: choose another", d.Name, row.Pack)}})
		}
	}
	for _, p := range l.pack.Papers {
		row, err := l.records.PaperBySlug(ctx, p.Slug)
		if err != nil && !records.Missing(err) {
			return err
		}
		if err == nil && row.Pack != l.pack.Name {
			return packProblem(l.files, []pack.Error{{File: p.Path, Line: 1, Detail: fmt.Sprintf("the paper name %q is taken by the pack %q: choose another", p.Slug, row.Pack)}})
		}
	}
	return nil
}

func (l *loading) load(ctx context.Context) (*JobReport, error) {
	report := &JobReport{Pack: l.pack.Name, Title: l.pack.Title}
	for _, d := range l.pack.Datasets {
		b, err := l.build(ctx, d)
		if err != nil {
			return nil, err
		}
		for _, database := range append(slices.Collect(maps.Values(b.variants)), b.database) {
			if err := l.practice.Analyze(ctx, database); err != nil {
				return nil, err
			}
		}
		report.Builds = append(report.Builds, b.report)
	}
	for _, p := range l.pack.Papers {
		loaded := PaperReport{Slug: p.Slug, Title: p.Title}
		for _, e := range p.Exercises() {
			loaded.Exercises++
			loaded.Points += e.Points
		}
		report.Papers = append(report.Papers, loaded)
	}
	l.step("Running the reference answers", 0)
	if err := l.tryAnswers(ctx); err != nil {
		return nil, err
	}
	if breaks, err := l.breaks(ctx); err != nil || len(breaks) > 0 {
		report.Breaks = breaks
		return report, cmp.Or(err, errAsks)
	}
	return report, l.working.store(ctx, report, func(t *records.Transaction) error { return l.store(ctx, t.Queries) })
}

// breaks says what the load would break of papers that do not come with it.
func (l *loading) breaks(ctx context.Context) (all []string, err error) {
	if l.options.Confirmed || l.options.Break {
		return nil, nil
	}
	var slugs []string
	for _, p := range l.pack.Papers {
		slugs = append(slugs, p.Slug)
	}
	for name, b := range l.builds {
		found, err := l.Service.breaks(ctx, name, b.database, b.made.Catalogue, slugs)
		if err != nil {
			return nil, err
		}
		all = append(all, found...)
	}
	return all, nil
}

func (l *loading) build(ctx context.Context, d pack.Dataset) (*built, error) {
	start := time.Now()
	number, err := l.records.NextBuildNumber(ctx, d.Name)
	if err != nil {
		return nil, err
	}
	b := &built{variants: map[string]string{}, database: newDatabase()}
	l.builds[d.Name] = b
	l.step("Building "+d.Name, l.size(d.Setup...))
	if b.made, err = l.working.build(ctx, l.order(b.database, l.files, d.Setup)); err != nil {
		return nil, err
	}
	for _, v := range d.Variants {
		scripts := slices.Concat(d.Setup, v.Setup)
		l.step(fmt.Sprintf("Building %s, variant %s", d.Name, v.Name), l.size(scripts...))
		b.variants[v.Name] = newDatabase()
		order := l.order(b.variants[v.Name], l.files, scripts)
		order.Variant = true
		if _, err := l.practice.Build(ctx, order); err != nil {
			return nil, err
		}
	}
	addMeanings(&b.made.Catalogue, d.Dictionary)
	b.report = reportOf(d.Name, number, b.made, time.Since(start))
	b.report.Variants = len(b.variants)
	return b, nil
}

func addMeanings(catalogue *dataset.Catalogue, dictionary map[string]pack.Meaning) {
	for i := range catalogue.Tables {
		t := &catalogue.Tables[i]
		meaning := dictionary[t.Name]
		t.Meaning = cmp.Or(meaning.Meaning, t.Meaning)
		for j := range t.Columns {
			t.Columns[j].Meaning = cmp.Or(meaning.Columns[t.Columns[j].Name], t.Columns[j].Meaning)
		}
	}
}

// tryAnswers runs every reference answer on its paper's dataset and variants.
func (l *loading) tryAnswers(ctx context.Context) error {
	for _, p := range l.pack.Papers {
		var databases []string
		if b := l.builds[p.Dataset]; b != nil {
			databases = append(databases, b.database)
			for _, v := range b.variants {
				databases = append(databases, v)
			}
		} else if row, err := l.records.CurrentBuild(ctx, p.Dataset); err == nil {
			databases = append(databases, row.Build.Database)
		} else if records.Missing(err) {
			return packProblem(l.files, []pack.Error{{File: p.Path, Line: 1, Detail: fmt.Sprintf("the paper's dataset %q is neither in the pack nor loaded already", p.Dataset)}})
		} else {
			return err
		}
		for _, e := range p.Exercises() {
			for _, sql := range append([]string{e.Reference}, e.Checking.Also...) {
				for i, database := range databases {
					if err := l.tryAnswer(ctx, p, e, sql, database, i > 0); err != nil {
						return err
					}
				}
			}
		}
	}
	return nil
}

func (l *loading) tryAnswer(ctx context.Context, p pack.Paper, e *pack.Exercise, sql, database string, variant bool) error {
	_, err := l.references.get(ctx, sql, database)
	reason := ofQuery(err)
	if reason == nil {
		return err
	}
	line := e.Line
	if reason.Place != nil && sql == e.Reference {
		line += reason.Place.Line - 1
	}
	what := "the reference answer"
	if sql != e.Reference {
		what = "an answer under also"
	}
	if variant {
		what += ", on a variant,"
	}
	return packProblem(l.files, []pack.Error{{File: p.Path, Line: line, Detail: fmt.Sprintf("%s of exercise %s does not run: %s", what, e.Slug, reason.Title)}})
}

// store puts the pack into the records.
func (l *loading) store(ctx context.Context, q *query.Queries) error {
	for _, d := range l.pack.Datasets {
		b := l.builds[d.Name]
		row, err := q.UpsertDataset(ctx, query.UpsertDatasetParams{Name: d.Name, Pack: l.pack.Name, Title: d.Title})
		if err != nil {
			return err
		}
		variants, _ := json.Marshal(b.variants)
		catalogue, _ := json.Marshal(b.made.Catalogue)
		report, _ := json.Marshal(b.report)
		stored, err := q.CreateBuild(ctx, query.CreateBuildParams{DatasetID: row.ID, Number: int32(b.report.Number), Database: b.database, Variants: variants, Catalogue: catalogue, Report: report,
			JobID: &l.id, CatalogueVersion: catalogueVersion})
		if err != nil {
			return err
		}
		if err := q.UseBuild(ctx, query.UseBuildParams{ID: row.ID, BuildID: &stored.ID}); err != nil {
			return err
		}
	}
	for _, p := range l.pack.Papers {
		if err := l.storePaper(ctx, q, p); err != nil {
			return err
		}
	}
	return nil
}

func (l *loading) storePaper(ctx context.Context, q *query.Queries, p pack.Paper) error {
	dataset, err := q.DatasetByName(ctx, p.Dataset)
	if err != nil {
		return err
	}
	sections, err := json.Marshal(p.Sections)
	if err != nil {
		return err
	}
	row, err := q.UpsertPaper(ctx, query.UpsertPaperParams{Slug: p.Slug, Pack: l.pack.Name, Title: p.Title, DatasetID: dataset.ID, OpensAt: p.Opens, DueAt: p.Due, Sections: sections})
	if err != nil {
		return err
	}
	if err := q.RetireExercises(ctx, row.ID); err != nil {
		return err
	}
	for _, e := range p.Exercises() {
		blocks, _ := json.Marshal(e.Blocks)
		checking, err := json.Marshal(e.Checking)
		if err != nil {
			return err
		}
		if err := q.UpsertExercise(ctx, query.UpsertExerciseParams{PaperID: row.ID, Slug: e.Slug, Number: int32(e.Number), Title: e.Title, Points: e.Points,
			Blocks: blocks, Reference: e.Reference, Checking: checking}); err != nil {
			return err
		}
	}
	return nil
}
