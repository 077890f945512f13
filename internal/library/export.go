package library

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"io/fs"
	"slices"
	"testing/fstest"
	"time"

	"examen/internal/account"
	"examen/internal/core/pack"
	"examen/internal/core/script"
	"examen/internal/jobs"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// A LoadedPack is a pack in a list.
type LoadedPack struct {
	Name, Title      string
	Loaded           time.Time
	Datasets, Papers int // that came with it
}

// Packs lists the packs that are loaded.
func (l *Library) Packs(ctx context.Context, who account.Account) ([]LoadedPack, error) {
	if err := who.May(account.Prepare); err != nil {
		return nil, err
	}
	rows, err := l.records.ListPacks(ctx)
	all := []LoadedPack{}
	for _, row := range rows {
		all = append(all, LoadedPack{row.Name, row.Title, row.LoadedAt, int(row.Datasets), int(row.Papers)})
	}
	return all, err
}

// PackFiles returns the files of a pack and their paths: as they were loaded, byte for byte, but for the papers that
// were changed here since. Papers that were begun here, and their pictures, are added.
func (l *Library) PackFiles(ctx context.Context, who account.Account, name string) (fs.FS, []string, error) {
	if err := who.May(account.Prepare); err != nil {
		return nil, nil, err
	}
	if !records.IsText(name) {
		name = ""
	}
	return l.packFiles(ctx, name)
}

func (l *Library) packFiles(ctx context.Context, name string) (fs.FS, []string, error) {
	loaded, err := l.records.PackByName(ctx, name)
	if records.Missing(err) {
		return l.asPack(ctx, name)
	} else if err != nil {
		return nil, nil, err
	}
	files, paths, err := l.records.Files(ctx, loaded.JobID)
	if err != nil {
		return nil, nil, err
	}
	e := &exported{loaded: files, paths: paths, changed: fstest.MapFS{}}
	if err := l.exportPapers(ctx, query.PackPapersParams{Pack: name}, e); err != nil {
		return nil, nil, err
	}
	return e, e.paths, nil
}

// asPack returns a dataset that no pack holds as a pack: the files that it was built from, and its papers.
func (l *Library) asPack(ctx context.Context, name string) (fs.FS, []string, error) {
	row, err := l.records.CurrentBuild(ctx, name)
	if err != nil && !records.Missing(err) {
		return nil, nil, err
	}
	if err != nil || row.Dataset.Pack != "" || row.Build.JobID == nil {
		return nil, nil, problem.New(404, "no-pack", "There is no such pack",
			"No pack called %.80q is loaded; examen pack list names those that are.", name)
	}
	job, err := l.records.JobByID(ctx, *row.Build.JobID)
	if err != nil {
		return nil, nil, err
	}
	b := &building{library: l, work: &jobs.Work{}}
	err = errors.Join(json.Unmarshal(job.Job.Options, &b.options), json.Unmarshal(job.Job.Options, b.work))
	if err != nil {
		return nil, nil, err
	}
	if b.options.Encoding != "" || b.options.KeepGoing {
		return nil, nil, problem.New(409, "not-as-pack", "This dataset cannot be had as a pack",
			"It was built with an encoding of its own, or past errors, which a pack cannot say. Save its scripts as "+
				"UTF-8 without errors, build it again, then export it.")
	}
	if b.work.Files, b.work.Paths, err = l.records.Files(ctx, job.Job.ID); err != nil {
		return nil, nil, err
	}
	files, scripts, _, err := b.scripts(ctx)
	if err != nil {
		return nil, nil, err
	}
	needed, err := script.Needed(files, scripts)
	if err != nil {
		return nil, nil, err
	}
	e := &exported{loaded: files, paths: b.work.Paths, changed: fstest.MapFS{}}
	for _, path := range append(scripts, needed...) {
		if !slices.Contains(e.paths, path) {
			e.paths = append(e.paths, path)
		}
	}
	e.put("pack.yaml", pack.Index(name, row.Dataset.Title, scripts))
	err = l.exportPapers(ctx, query.PackPapersParams{Dataset: name}, e)
	return e, e.paths, err
}

// exported is a pack as it was loaded, with what has changed since.
type exported struct {
	loaded  fs.FS
	changed fstest.MapFS
	paths   []string
}

// Open opens a file as it is now.
func (e *exported) Open(name string) (fs.File, error) {
	if _, has := e.changed[name]; has {
		return e.changed.Open(name)
	}
	return e.loaded.Open(name)
}

// put has a file be what it is now, unless it is already.
func (e *exported) put(name string, content []byte) {
	if was, err := fs.ReadFile(e.loaded, name); err == nil && bytes.Equal(was, content) {
		return
	}
	if !slices.Contains(e.paths, name) {
		e.paths = append(e.paths, name)
	}
	e.changed[name] = &fstest.MapFile{Data: content, Mode: 0o444}
}

// exportPapers adds the papers of a pack as they are published, and the pictures that they show.
func (l *Library) exportPapers(ctx context.Context, of query.PackPapersParams, e *exported) error {
	papers, err := l.records.PackPapers(ctx, of)
	if err != nil {
		return err
	}
	var added []string
	for _, p := range papers {
		if !slices.Contains(e.paths, p.Path) {
			added = append(added, p.Path)
		}
		e.put(p.Path, []byte(p.Text))
		if err := l.exportPictures(ctx, p, e); err != nil {
			return err
		}
	}
	if added == nil {
		return nil
	}
	index, err := fs.ReadFile(e, "pack.yaml")
	if err != nil {
		return err
	}
	e.put("pack.yaml", pack.WithPapers(index, added))
	return nil
}

func (l *Library) exportPictures(ctx context.Context, p query.PackPapersRow, e *exported) error {
	types, err := l.records.PictureTypes(ctx, p.ID)
	if err != nil {
		return err
	}
	known := map[string]string{}
	for _, t := range types {
		known[t.Name] = t.MediaType
	}
	paper, _ := pack.ReadPaper(p.Path, p.Text, known)
	for _, shown := range paper.Pictures {
		for _, t := range types {
			if t.Name != shown.Name {
				continue
			}
			picture, err := l.Picture(ctx, p.ID, t.Digest)
			if err != nil {
				return err
			}
			e.put(shown.Path, picture.Content)
		}
	}
	return nil
}
