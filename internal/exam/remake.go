package exam

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

// A build whose databases are gone or damaged on the practice server is made again from its files, which are kept as long as it is: as soon as somebody
// uses it, or as the service starts.

// catalogueVersion is how catalogues are read now. It rises when what [practice.Server.Catalogue] reads is more, or other, than before.
const catalogueVersion = 1

// lookAfterBuilds has builds that are lost made again, and reads catalogues again that an earlier version read.
func (s *Service) lookAfterBuilds(ctx context.Context) error {
	kept, err := s.records.KeptBuilds(ctx)
	if err != nil {
		return err
	}
	for _, b := range kept {
		for _, database := range append(variantDatabases(b.Variants), b.Database) {
			err := s.practice.Look(ctx, database)
			if errors.Is(err, practice.ErrGone) {
				s.remake(ctx, b)
				break
			} else if err != nil {
				return err
			}
		}
	}
	old, err := s.records.OldCatalogues(ctx, catalogueVersion)
	if err != nil {
		return err
	}
	for _, b := range old {
		if err := s.renewCatalogue(ctx, b); err != nil && !errors.Is(err, practice.ErrGone) {
			s.log.Warn("a build's catalogue cannot be read again", "build", b.ID, "error", err)
		}
	}
	return nil
}

func (s *Service) renewCatalogue(ctx context.Context, b query.Build) error {
	defer s.records.Changed(records.PapersChanged)
	catalogue, err := s.practice.Catalogue(ctx, b.Database)
	if err != nil {
		return err
	}
	keepMeanings(&catalogue, b.Catalogue)
	text, _ := json.Marshal(catalogue)
	return s.records.RenewCatalogue(ctx, query.RenewCatalogueParams{ID: b.ID, Catalogue: text, CatalogueVersion: catalogueVersion})
}

// gone is called when a run finds that a build's database is gone or damaged.
func (s *Service) gone(database string) {
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	if _, told := s.lost.Get(database); told { // a moment ago
		return
	}
	s.lost.Add(database, struct{}{})
	b, err := s.records.BuildOfDatabase(ctx, database)
	if err == nil {
		s.remake(ctx, b)
	}
}

// remake queues a job that makes a lost build again, unless one is at hand.
func (s *Service) remake(ctx context.Context, b query.Build) {
	if b.JobID == nil {
		s.log.Error("a build is gone from the practice server, and its files were not kept: build the dataset again, or load its pack again", "build", b.ID)
		return
	}
	err := s.records.Together(ctx, func(t *records.Transaction) error {
		job, err := t.RemakeJob(ctx, query.RemakeJobParams{BuildID: b.ID, JobID: *b.JobID})
		if err != nil {
			return err
		}
		return t.Enqueue(ctx, records.Task{Kind: records.RunJob, ID: job.ID})
	})
	switch {
	case err == nil:
		s.log.Warn("a build is gone from the practice server and is made again", "build", b.ID)
	case !records.Missing(err) && !records.Taken(err): // else one is at hand
		s.log.Error("a build that is gone cannot be made again", "build", b.ID, "error", err)
	}
}

// remakeBuild makes a build again, under its number, in new databases.
func (w *working) remakeBuild(ctx context.Context, kind string) (report *JobReport, err error) {
	defer func() {
		if err != nil {
			w.undo(context.WithoutCancel(ctx), err)
		}
	}()
	b, err := w.records.BuildByID(ctx, w.options.Remake)
	if err != nil {
		return nil, err
	}
	start := time.Now()
	made := &built{variants: map[string]string{}}
	if kind == LoadPack {
		made, err = w.buildOfPack(ctx, b)
	} else {
		made.database = newDatabase()
		var files, scripts, _, failed = w.scripts(ctx)
		if failed != nil {
			return nil, failed
		}
		w.step("Building again", w.size(w.paths...))
		made.made, err = w.practice.Build(ctx, w.order(made.database, files, scripts))
	}
	if err != nil {
		return nil, err
	}
	keepMeanings(&made.made.Catalogue, b.Catalogue)
	catalogue, _ := json.Marshal(made.made.Catalogue)
	variants, _ := json.Marshal(made.variants)
	report = &JobReport{Title: w.name, Builds: []BuildReport{reportOf(w.name, b.Number, made.made, time.Since(start))}}
	err = w.store(ctx, report, func(t *records.Transaction) error {
		if err := t.ReplaceBuild(ctx, query.ReplaceBuildParams{ID: b.ID, Database: made.database, Variants: variants, Catalogue: catalogue, CatalogueVersion: catalogueVersion}); err != nil {
			return err
		}
		return t.Enqueue(ctx, records.Task{Kind: records.RenewReferences, ID: b.ID})
	})
	if err == nil {
		w.drop(context.WithoutCancel(ctx), append(variantDatabases(b.Variants), b.Database))
	}
	return report, err
}

// buildOfPack makes one dataset of a pack.
func (w *working) buildOfPack(ctx context.Context, b query.Build) (*built, error) {
	p, wrong := pack.Read(w.files)
	if wrong != nil {
		return nil, packProblem(w.files, wrong)
	}
	row, err := w.records.DatasetByID(ctx, b.DatasetID)
	if err != nil {
		return nil, err
	}
	at := slices.IndexFunc(p.Datasets, func(d pack.Dataset) bool { return d.Name == row.Name })
	if at < 0 {
		return nil, fmt.Errorf("the pack %s has no dataset %s", p.Name, row.Name)
	}
	l := &loading{working: w, pack: p, builds: map[string]*built{}}
	return l.build(ctx, p.Datasets[at])
}
