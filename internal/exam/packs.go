package exam

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"examen/internal/core/pack"
	"examen/internal/core/sqltext"
	"examen/internal/practice"
	"examen/internal/records"
	"examen/internal/records/query"
)

// A PackReport tells what was loaded.
type PackReport struct {
	Pack, Title string
	Builds      []BuildReport
	Papers      []pack.Paper
}

// A BuildReport tells of one dataset's build.
type BuildReport struct {
	Dataset  string
	Number   int
	Tables   int
	Rows     int64
	Variants int
	Elapsed  time.Duration

	PassedOver []practice.PassedOver // of the setup scripts
}

// LoadPack loads a pack: it builds the datasets, tries the reference answers, and stores the papers. With any error nothing of it is
// loaded, and what was loaded earlier stays in use.
func (s *Service) LoadPack(ctx context.Context, who Account, files map[string][]byte) (*PackReport, error) {
	if err := instructorsOnly(who); err != nil {
		return nil, err
	}
	p, wrong := pack.Read(files)
	if wrong != nil {
		return nil, packProblem(files, wrong)
	}
	l := &loading{Service: s, pack: p, files: files, builds: map[string]*built{}}
	if err := l.checkOwners(ctx); err != nil {
		return nil, err
	}
	report, err := l.load(ctx)
	if err != nil {
		l.undo(context.WithoutCancel(ctx))
		if records.Taken(err) {
			return nil, problem(409, "pack-at-once", "The pack was loaded twice at the same time", "The other load was first; load it again to have yours.")
		}
		var broken *practice.BuildError
		if errors.As(err, &broken) {
			p := problem(422, "build", "The dataset cannot be built", "%s", broken.Error())
			p.File, p.Place = broken.File, &broken.Place
			return nil, p
		}
		return nil, err
	}
	l.dropOld(context.WithoutCancel(ctx))
	return report, nil
}

// dropOld removes the databases of builds that nothing runs on any more.
func (l *loading) dropOld(ctx context.Context) {
	for name := range l.builds {
		row, err := l.records.DatasetByName(ctx, name)
		if err != nil {
			continue // the next load comes by again
		}
		old, err := l.records.OldBuilds(ctx, row.ID)
		if err != nil {
			continue
		}
		for _, b := range old {
			l.drop(ctx, append(variantDatabases(b.Variants), b.Database))
		}
	}
}

// DropLeftOver removes databases that belong to no build: of builds that were cut short. It is for a practice server that
// is Examen's alone.
func (s *Service) DropLeftOver(ctx context.Context) error {
	builds, err := s.records.BuildDatabases(ctx)
	if err != nil {
		return err
	}
	known := map[string]bool{}
	for _, b := range builds {
		for _, database := range append(variantDatabases(b.Variants), b.Database) {
			known[database] = true
		}
	}
	there, err := s.practice.Databases(ctx, databasePrefix)
	if err != nil {
		return err
	}
	s.drop(ctx, slices.DeleteFunc(there, func(database string) bool { return known[database] }))
	return nil
}

func variantDatabases(variants json.RawMessage) []string {
	var byName map[string]string
	_ = json.Unmarshal(variants, &byName) // written by store
	return slices.Collect(maps.Values(byName))
}

func (s *Service) drop(ctx context.Context, databases []string) {
	for _, database := range databases {
		if err := s.practice.Drop(ctx, database); err != nil {
			s.log.Error("a database that is not needed any more is left over", "database", database, "error", err)
		}
	}
}

// packProblem names the first error with its place, and then where the others are.
func packProblem(files map[string][]byte, wrong []pack.Error) *Problem {
	first := wrong[0]
	p := problem(422, "pack", "The pack cannot be loaded", "%s", first.Error())
	if len(wrong) > 1 {
		rest := make([]string, 0, len(wrong)-1)
		for _, w := range wrong[1:] {
			rest = append(rest, w.Error())
		}
		p.Detail += "; and " + strings.Join(rest, "; ")
	}
	lines := strings.Split(string(files[first.File]), "\n")
	place := sqltext.Place{Line: first.Line, Column: 1}
	if first.Line <= len(lines) {
		place.Text = strings.ToValidUTF8(strings.TrimSuffix(lines[first.Line-1], "\r"), "\ufffd")
	}
	p.File, p.Place = first.File, &place
	return p
}

// loading is a pack being loaded.
type loading struct {
	*Service
	pack   *pack.Pack
	files  map[string][]byte
	builds map[string]*built // by dataset
}

// built is a dataset's new build.
type built struct {
	dataset  pack.Dataset
	number   int32
	database string
	variants map[string]string
	made     *practice.Built
	elapsed  time.Duration
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

func (l *loading) load(ctx context.Context) (*PackReport, error) {
	report := &PackReport{Pack: l.pack.Name, Title: l.pack.Title, Papers: l.pack.Papers}
	for _, d := range l.pack.Datasets {
		b, err := l.build(ctx, d)
		if err != nil {
			return nil, err
		}
		report.Builds = append(report.Builds, BuildReport{d.Name, int(b.number), len(b.made.Tables), b.made.Rows(), len(b.variants), b.elapsed, b.made.PassedOver})
	}
	if err := l.tryAnswers(ctx); err != nil {
		return nil, err
	}
	return report, l.records.Together(ctx, func(q *query.Queries) error { return l.store(ctx, q) })
}

func (l *loading) build(ctx context.Context, d pack.Dataset) (*built, error) {
	start := time.Now()
	number, err := l.records.NextBuildNumber(ctx, d.Name)
	if err != nil {
		return nil, err
	}
	b := &built{dataset: d, number: number, variants: map[string]string{}}
	l.builds[d.Name] = b
	// The name need not be guessed: seats have no right to connect to what is not theirs. It only has to be new.
	b.database = fmt.Sprintf("%s%s_%d_%s", databasePrefix, d.Name[:min(len(d.Name), 30)], number, randomName())
	if b.made, err = l.practice.Build(ctx, b.database, d.Setup, false); err != nil {
		return nil, err
	}
	for i, v := range d.Variants {
		database := fmt.Sprintf("%s_v%d", b.database, i+1)
		b.variants[v.Name] = database
		if _, err := l.practice.Build(ctx, database, append(append([]pack.Script{}, d.Setup...), v.Setup...), true); err != nil {
			return nil, err
		}
	}
	addMeanings(&b.made.Catalogue, d.Dictionary)
	b.elapsed = time.Since(start)
	return b, nil
}

func addMeanings(catalogue *practice.Catalogue, dictionary map[string]pack.Meaning) {
	for i := range catalogue.Tables {
		t := &catalogue.Tables[i]
		meaning := dictionary[t.Name]
		t.Meaning = meaning.Meaning
		for j := range t.Columns {
			t.Columns[j].Meaning = meaning.Columns[t.Columns[j].Name]
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
		if _, err := q.CreateBuild(ctx, query.CreateBuildParams{DatasetID: row.ID, Number: b.number, Database: b.database, Variants: variants, Catalogue: catalogue}); err != nil {
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

// undo removes the databases that were built.
func (l *loading) undo(ctx context.Context) {
	for _, b := range l.builds {
		l.drop(ctx, append(slices.Collect(maps.Values(b.variants)), b.database))
	}
}

// databasePrefix begins the name of every build's database.
const databasePrefix = "dataset_"

// randomName is six letters and digits.
func randomName() string { return strings.ReplaceAll(oneTimePassword(), "-", "")[:6] }
