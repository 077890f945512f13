package library

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"time"

	"examen/internal/core/pack"
	"examen/internal/practice"
	"examen/internal/records"
	"examen/internal/records/query"
)

// A build whose databases are gone or damaged on the practice server is made again from its files, which are kept as
// long as it is: as soon as somebody uses it, or as the service starts.

// catalogueVersion is the version of what [practice.Servers.Catalogue] reads. Raise it when that changes, so that
// stored catalogues are read again.
const catalogueVersion = 2

// lookAfterBuilds has lost builds built again, and reads again the catalogues that an earlier version read.
func (l *Library) lookAfterBuilds(ctx context.Context) error {
	kept, err := l.records.KeptBuilds(ctx)
	if err != nil {
		return err
	}
	for _, b := range kept {
		for _, database := range databasesOf(b) {
			err := l.practice.Look(ctx, database)
			if errors.Is(err, practice.ErrGone) {
				l.queueRemake(ctx, b)
				break
			} else if err != nil {
				return err
			}
		}
	}
	old, err := l.records.OldCatalogues(ctx, catalogueVersion)
	if err != nil {
		return err
	}
	for _, b := range old {
		if err := l.renewCatalogue(ctx, b); err != nil && !errors.Is(err, practice.ErrGone) {
			l.log.Warn("a build's catalogue cannot be read again", "build", b.ID, "error", err)
		}
	}
	return nil
}

func (l *Library) renewCatalogue(ctx context.Context, b query.Build) error {
	defer l.records.Changed(records.PapersChanged)
	catalogue, err := l.practice.Catalogue(ctx, b.Database)
	if err != nil {
		return err
	}
	keepMeanings(&catalogue, b.Catalogue)
	text, _ := json.Marshal(catalogue)
	return l.records.RenewCatalogue(
		ctx, query.RenewCatalogueParams{ID: b.ID, Catalogue: text, CatalogueVersion: catalogueVersion},
	)
}

// gone is called when a run finds that a build's database is gone or damaged.
func (l *Library) gone(database string) {
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	if _, told := l.lost.Get(database); told { // a moment ago
		return
	}
	l.lost.Add(database, struct{}{})
	b, err := l.records.BuildOfDatabase(ctx, database)
	if err == nil {
		l.queueRemake(ctx, b)
	}
}

// queueRemake queues a job that builds a lost build again, unless there is one already.
func (l *Library) queueRemake(ctx context.Context, b query.Build) {
	if b.JobID == nil {
		l.log.Error(
			"a build is gone from the practice server, and its files were not kept: build the dataset again, or "+
				"load its pack again",
			"build", b.ID,
		)
		return
	}
	err := l.records.Together(ctx, func(t *records.Transaction) error {
		if err := t.LockBuild(ctx, b.ID); err != nil {
			return err
		}
		job, err := t.RemakeJob(ctx, query.RemakeJobParams{
			BuildID: b.ID, JobID: *b.JobID, Database: b.Database,
		})
		if err != nil {
			return err
		}
		return t.Enqueue(ctx, records.Task{Kind: records.RunJob, ID: job.ID})
	})
	switch {
	case err == nil:
		l.log.Warn("a build is gone from the practice server and is made again", "build", b.ID)
	case !records.Missing(err) && !records.Taken(err): // otherwise there is one already
		l.log.Error("a build that is gone cannot be made again", "build", b.ID, "error", err)
	}
}

// remake builds a build again, under its number, in new databases.
func (b *building) remake(ctx context.Context) error {
	l := b.library
	before, err := l.records.BuildByID(ctx, b.options.Remake)
	if err != nil {
		return err
	}
	start := time.Now()
	made := &built{variants: map[string]string{}}
	if b.work.Kind == LoadPack {
		made, err = b.ofPack(ctx, before)
	} else {
		made.database = newDatabase()
		files, scripts, _, failed := b.scripts(ctx)
		if failed != nil {
			return failed
		}
		b.work.Step("Building again", b.work.Size(b.work.Paths...))
		made.made, err = l.practice.Build(ctx, b.order(made.database, files, scripts))
	}
	if err != nil {
		return err
	}
	keepMeanings(&made.made.Catalogue, before.Catalogue)
	catalogue, _ := json.Marshal(made.made.Catalogue)
	variants, _ := json.Marshal(made.variants)
	report := reportOf(b.work.Name, before.Number, made.made, time.Since(start))
	defer l.records.Changed(records.PapersChanged)
	err = b.work.Finish(ctx, &Report{
		Title:  b.work.Name,
		Builds: []BuildReport{report},
	}, func(t *records.Transaction) error {
		err := t.ReplaceBuild(ctx, query.ReplaceBuildParams{
			ID: before.ID, Database: made.database, Variants: variants,
			Catalogue: catalogue, CatalogueVersion: catalogueVersion,
		})
		if err != nil {
			return err
		}
		return t.Enqueue(ctx, records.Task{Kind: records.RenewReferences, ID: before.ID})
	})
	if err == nil {
		l.jobs.Drop(context.WithoutCancel(ctx), databasesOf(before)...)
	}
	return err
}

// ofPack builds one dataset of a pack.
func (b *building) ofPack(ctx context.Context, before query.Build) (*built, error) {
	p, wrong := pack.Read(b.work.Files)
	if wrong != nil {
		return nil, packProblem(b.work.Files, wrong)
	}
	row, err := b.library.records.DatasetByID(ctx, before.DatasetID)
	if err != nil {
		return nil, err
	}
	at := slices.IndexFunc(p.Datasets, func(d pack.Dataset) bool { return d.Name == row.Name })
	if at < 0 {
		return nil, fmt.Errorf("the pack %s has no dataset %s", p.Name, row.Name)
	}
	load := &packLoad{building: b, pack: p, builds: map[string]*built{}}
	return load.build(ctx, p.Datasets[at])
}
