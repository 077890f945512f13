package library

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"io/fs"
	"maps"
	"slices"
	"strings"
	"time"

	"examen/internal/core/dataset"
	"examen/internal/core/pack"
	"examen/internal/core/sqltext"
	"examen/internal/grading"
	"examen/internal/jobs"
	"examen/internal/practice"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// packLoad is the state of a job that loads or checks a pack.
type packLoad struct {
	*building
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

// doPack carries out a pack's job: it loads the pack, checks it, or builds one of its datasets again.
func (l *Library) doPack(ctx context.Context, w *jobs.Work) (err error) {
	defer func() {
		if err != nil {
			w.Undo(ctx, err)
		}
	}()
	b, err := l.building(w)
	if err != nil {
		return err
	}
	switch {
	case b.options.Remake != 0:
		return b.remake(ctx)
	case b.options.Check:
		return b.checkPack(ctx)
	}
	return b.loadPack(ctx)
}

// checkPack builds a pack's datasets, checks its exercises on them, and drops them again.
func (b *building) checkPack(ctx context.Context) error {
	defer b.work.Undo(ctx, nil)
	p, wrong := pack.Read(b.work.Files)
	made := &Report{Check: &CheckReport{Notes: []grading.Note{}}}
	for _, e := range wrong {
		made.Check.Notes = append(made.Check.Notes, grading.Note{
			Severity: grading.SeverityError, Kind: noteUnreadable, File: e.File, Line: e.Line, Sentence: e.Detail,
		})
	}
	if p != nil {
		made.Pack, made.Title = p.Name, p.Title
	}
	if wrong == nil {
		if err := b.work.SetName(ctx, p.Name); err != nil {
			return err
		}
		load := &packLoad{building: b, pack: p, builds: map[string]*built{}}
		report, err := load.check(ctx)
		if err != nil {
			return err
		}
		made.Check = report
	}
	return b.work.Finish(ctx, made, nothing)
}

// loadPack builds a pack's datasets, tries the accepted answers, and stores the papers. With any error nothing of it is
// loaded, and what was loaded earlier stays in use.
func (b *building) loadPack(ctx context.Context) error {
	p, wrong := pack.Read(b.work.Files)
	if wrong != nil {
		return packProblem(b.work.Files, wrong)
	}
	if err := b.work.SetName(ctx, p.Name); err != nil {
		return err
	}
	load := &packLoad{building: b, pack: p, builds: map[string]*built{}}
	if err := load.checkOwners(ctx); err != nil {
		return err
	}
	err := load.load(ctx)
	if records.Taken(err) {
		return problem.New(409, "pack-at-once", "The pack was loaded twice at the same time",
			"The other load was first; load it again to have yours.")
	}
	if err != nil {
		return err
	}
	for name := range load.builds {
		b.library.dropOld(context.WithoutCancel(ctx), name)
	}
	return nil
}

// packProblem reports the first error with its place, and the places of the others.
func packProblem(files fs.FS, wrong []pack.Error) *problem.Problem {
	content, _ := fs.ReadFile(files, wrong[0].File)
	p := placed(string(content), wrong)
	p.Title = "The pack cannot be loaded"
	return p
}

// placed reports errors, the first with its place in the text of its file.
func placed(text string, wrong []pack.Error) *problem.Problem {
	first := wrong[0]
	p := problem.New(422, "pack", "This cannot be read", "%s", first.Error())
	if len(wrong) > 1 {
		rest := make([]string, 0, len(wrong)-1)
		for _, w := range wrong[1:] {
			rest = append(rest, w.Error())
		}
		p.Detail += "; and " + strings.Join(rest, "; ")
	}
	lines := strings.Split(text, "\n")
	place := sqltext.Place{Line: first.Line, Column: 1}
	if first.Line <= len(lines) {
		place.Text = strings.ToValidUTF8(strings.TrimSuffix(lines[first.Line-1], "\r"), "\ufffd")
	}
	p.File, p.Place = first.File, &place
	return p
}

// wrong returns the problem for one error in the pack.
func (p *packLoad) wrong(file string, line int, detail string, args ...any) error {
	return packProblem(p.work.Files, []pack.Error{{File: file, Line: line, Detail: fmt.Sprintf(detail, args...)}})
}

// checkOwners makes sure that the pack takes no name that another pack uses.
func (p *packLoad) checkOwners(ctx context.Context) error {
	for _, d := range p.pack.Datasets {
		row, err := p.library.records.DatasetByName(ctx, d.Name)
		if err != nil && !records.Missing(err) {
			return err
		}
		if err == nil && row.Pack != p.pack.Name && row.Pack != "" {
			return p.wrong(
				"pack.yaml", 1, "the dataset name %q is taken by the pack %q: choose another", d.Name, row.Pack,
			)
		}
	}
	for _, paper := range p.pack.Papers {
		row, err := p.library.records.PaperBySlug(ctx, paper.Slug)
		if err != nil && !records.Missing(err) {
			return err
		}
		if err == nil && row.Pack != p.pack.Name && row.Pack != "" {
			return p.wrong(
				paper.Path, 1, "the paper name %q is taken by the pack %q: choose another", paper.Slug, row.Pack,
			)
		}
	}
	return nil
}

func (p *packLoad) load(ctx context.Context) error {
	report := &Report{Pack: p.pack.Name, Title: p.pack.Title}
	for _, d := range p.pack.Datasets {
		if p.options.Only != "" && d.Name != p.options.Only {
			continue
		}
		b, err := p.build(ctx, d)
		if err != nil {
			return err
		}
		for _, database := range append(slices.Collect(maps.Values(b.variants)), b.database) {
			if err := p.library.practice.Analyze(ctx, database); err != nil {
				return err
			}
		}
		report.Builds = append(report.Builds, b.report)
	}
	for _, paper := range p.pack.Papers {
		loaded := PaperReport{Slug: paper.Slug, Title: paper.Title}
		for _, e := range paper.Exercises() {
			loaded.Exercises++
			loaded.Points = loaded.Points.Plus(e.Points)
		}
		report.Papers = append(report.Papers, loaded)
	}
	p.work.Step("Running the reference answers", 0)
	for _, paper := range p.pack.Papers {
		if err := p.tryAnswers(ctx, paper); err != nil {
			return err
		}
	}
	var err error
	if report.Breaks, err = p.breaks(ctx); err != nil {
		return err
	}
	if report.Differences, err = p.differences(ctx); err != nil {
		return err
	}
	if len(report.Breaks)+len(report.Differences) > 0 {
		return &jobs.Asks{Report: report}
	}
	defer p.library.records.Changed(records.PapersChanged)
	return p.work.Finish(ctx, report, func(t *records.Transaction) error { return p.keep(ctx, t) })
}

// breaks lists what loading the pack would break: in papers that do not come with it, and the exercises with attempts
// that are in those which do no longer.
func (p *packLoad) breaks(ctx context.Context) (all []string, err error) {
	if p.work.Confirmed || p.options.Break {
		return nil, nil
	}
	var slugs []string
	for _, paper := range p.pack.Papers {
		slugs = append(slugs, paper.Slug)
	}
	for name, b := range p.builds {
		found, err := p.library.breaks(ctx, name, b.database, b.made.Catalogue, slugs)
		if err != nil {
			return nil, err
		}
		all = append(all, found...)
	}
	for _, d := range p.pack.Datasets {
		row, err := p.library.records.DatasetByName(ctx, d.Name)
		if err == nil && row.Pack == "" && row.DroppedAt == nil {
			all = append(all, fmt.Sprintf(
				"the dataset %s was built here and belongs to no pack; it would belong to this one", d.Name,
			))
		}
	}
	for _, paper := range p.pack.Papers {
		gone, err := p.library.left(ctx, &paper)
		if err != nil {
			return nil, err
		}
		all = append(all, gone...)
	}
	return all, nil
}

// build builds a dataset and its variants.
func (p *packLoad) build(ctx context.Context, d pack.Dataset) (*built, error) {
	start := time.Now()
	number, err := p.library.records.NextBuildNumber(ctx, d.Name)
	if err != nil {
		return nil, err
	}
	b := &built{variants: map[string]string{}, database: newDatabase()}
	p.builds[d.Name] = b
	p.work.Step("Building "+d.Name, p.work.Size(d.Setup...))
	if b.made, err = p.make(ctx, p.order(b.database, p.work.Files, d.Setup)); err != nil {
		return nil, err
	}
	for _, v := range d.Variants {
		scripts := slices.Concat(d.Setup, v.Setup)
		p.work.Step(fmt.Sprintf("Building %s, variant %s", d.Name, v.Name), p.work.Size(scripts...))
		b.variants[v.Name] = newDatabase()
		order := p.order(b.variants[v.Name], p.work.Files, scripts)
		order.Variant = true
		if _, err := p.library.practice.Build(ctx, order); err != nil {
			return nil, err
		}
	}
	addMeanings(&b.made.Catalogue, d.Dictionary)
	b.report = reportOf(d.Name, number, b.made, time.Since(start))
	b.report.Variants = len(b.variants)
	return b, nil
}

// addMeanings adds the meanings of tables and columns from the pack's dictionary.
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

// tryAnswers runs a paper's accepted answers on its dataset and variants.
func (p *packLoad) tryAnswers(ctx context.Context, paper pack.Paper) error {
	var databases []string // the build's first
	if b := p.builds[paper.Dataset]; b != nil {
		databases = append([]string{b.database}, slices.Collect(maps.Values(b.variants))...)
	} else if row, err := p.library.records.CurrentBuild(ctx, paper.Dataset); err == nil {
		databases = []string{row.Build.Database}
	} else if records.Missing(err) {
		return p.wrong(paper.Path, 1, "the paper's dataset %q is neither in the pack nor loaded already", paper.Dataset)
	} else {
		return err
	}
	wrong, err := p.library.tryAnswers(ctx, &paper, databases)
	if wrong != nil {
		return packProblem(p.work.Files, []pack.Error{*wrong})
	}
	return err
}

// keep stores the pack in the records.
func (p *packLoad) keep(ctx context.Context, t *records.Transaction) error {
	q := t.Queries
	for _, d := range p.pack.Datasets {
		if b := p.builds[d.Name]; b != nil { // it is not as it was
			if err := p.keepBuild(ctx, t, d, b); err != nil {
				return err
			}
		}
		if d.Changes != nil {
			_, err := q.AllowChanges(ctx, query.AllowChangesParams{Name: d.Name, Changes: *d.Changes})
			if err != nil {
				return err
			}
		}
	}
	for _, paper := range p.pack.Papers {
		if err := p.keepPaper(ctx, q, paper); err != nil {
			return err
		}
	}
	if err := t.Enqueue(ctx, records.Task{Kind: records.IndexExercises}); err != nil {
		return err
	}
	return q.KeepPack(ctx, query.KeepPackParams{Name: p.pack.Name, Title: p.pack.Title, JobID: p.work.ID})
}

// keepBuild stores a dataset with a build that was just made, which is then in use.
func (p *packLoad) keepBuild(ctx context.Context, t *records.Transaction, d pack.Dataset, b *built) error {
	q := t.Queries
	row, err := q.UpsertDataset(ctx, query.UpsertDatasetParams{Name: d.Name, Pack: p.pack.Name, Title: d.Title})
	if err != nil {
		return err
	}
	variants, _ := json.Marshal(b.variants)
	catalogue, _ := json.Marshal(b.made.Catalogue)
	report, _ := json.Marshal(b.report)
	kept, err := q.CreateBuild(ctx, query.CreateBuildParams{
		DatasetID: row.ID, Number: int32(b.report.Number), Database: b.database, Variants: variants,
		Catalogue: catalogue, Report: report, JobID: &p.work.ID, CatalogueVersion: catalogueVersion,
	})
	if err != nil {
		return err
	}
	if err := q.UseBuild(ctx, query.UseBuildParams{ID: row.ID, BuildID: &kept.ID}); err != nil {
		return err
	}
	return p.library.inspectWritten(ctx, t, row.ID)
}

// keepPaper stores a paper, and its text as a version if it is not what is published already.
func (p *packLoad) keepPaper(ctx context.Context, q *query.Queries, paper pack.Paper) error {
	row, err := keepPaper(ctx, q, p.pack.Name, &paper)
	if err != nil {
		return err
	}
	if err := p.keepPictures(ctx, q, row.ID, paper.Pictures); err != nil {
		return err
	}
	content, err := fs.ReadFile(p.work.Files, paper.Path)
	if err != nil {
		return err
	}
	text := string(content)
	published := ""
	if row.PublishedID != nil {
		if published, err = q.VersionText(ctx, *row.PublishedID); err != nil {
			return err
		}
	}
	id := row.PublishedID
	if id == nil || published != text {
		if err := keepUnpublished(ctx, q, row, p.work.Account, "Kept when the pack was loaded."); err != nil {
			return err
		}
		if id, err = newVersion(ctx, q, query.CreateVersionParams{
			PaperID: row.ID, Origin: originPack, Text: text, MadeBy: &p.work.Account,
		}); err != nil {
			return err
		}
	}
	return q.SetLoaded(ctx, query.SetLoadedParams{ID: row.ID, LoadedID: id, Path: paper.Path})
}

// keepPictures stores the pictures that a paper shows.
func (p *packLoad) keepPictures(ctx context.Context, q *query.Queries, paper int64, pictures []pack.Picture) error {
	for _, picture := range pictures {
		content, err := fs.ReadFile(p.work.Files, picture.Path)
		if err != nil {
			return err
		}
		if err := keepPicture(ctx, q, paper, picture.Name, picture.MediaType, content); err != nil {
			return err
		}
	}
	return nil
}
