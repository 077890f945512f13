package server

import (
	"archive/zip"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"time"

	"gopkg.in/yaml.v3"

	"examen/internal/library"
	"examen/internal/postgres"
	"examen/internal/records"
)

// A backup is a zip file of these: what it is, all records as pg_dump writes them, and the service's settings as they
// may stand in a file for --config. The records hold the packs' and the scripts' files, of which the datasets are built
// again.
const (
	manifestName = "backup.json"
	dumpName     = "records.dump"
	settingsName = "settings.yaml"
)

// backupFormat is the version of the form above.
const backupFormat = 1

// A Manifest says what a backup holds.
type Manifest struct {
	Format int       `json:"format"`
	Examen string    `json:"examen"` // the version that made it
	Made   time.Time `json:"made_at"`
	records.Contents
}

// Backup writes a backup of the records to a file that is not there yet. The service may be running, and is not held
// up. settings are those of the flags of serve that are not at their defaults.
func Backup(
	ctx context.Context, options Options, version string, settings map[string]any, path string,
) (_ *Manifest, err error) {
	if _, err := os.Lstat(path); err == nil {
		return nil, fmt.Errorf("%s is there already: name a file that is not", path)
	}
	url, stop, err := recordsOf(ctx, options)
	if err != nil {
		return nil, err
	}
	defer stop()
	unfinished := path + ".unfinished"
	file, err := os.OpenFile(unfinished, os.O_CREATE|os.O_TRUNC|os.O_WRONLY, 0o600)
	if err != nil {
		return nil, err
	}
	defer func() {
		file.Close()
		if err != nil {
			os.Remove(unfinished)
		}
	}()
	m := &Manifest{Format: backupFormat, Examen: version, Made: time.Now().UTC().Truncate(time.Second)}
	if err := m.write(ctx, file, url, settings); err != nil {
		return nil, err
	}
	if err := file.Sync(); err != nil {
		return nil, err
	}
	return m, os.Rename(unfinished, path)
}

func (m *Manifest) write(ctx context.Context, file io.Writer, url string, settings map[string]any) error {
	archive := zip.NewWriter(file)
	dump, err := archive.CreateHeader(&zip.FileHeader{Name: dumpName, Method: zip.Store, Modified: m.Made})
	if err != nil {
		return err
	}
	contents, err := records.Dump(ctx, url, dump)
	if err != nil {
		return err
	}
	m.Contents = *contents
	told, err := json.MarshalIndent(m, "", "  ")
	if err != nil {
		return err
	}
	set := []byte{}
	if len(settings) > 0 {
		if set, err = yaml.Marshal(settings); err != nil {
			return err
		}
	}
	for _, f := range []struct {
		name    string
		content []byte
	}{{manifestName, append(told, '\n')}, {settingsName, set}} {
		w, err := archive.CreateHeader(&zip.FileHeader{Name: f.name, Method: zip.Deflate, Modified: m.Made})
		if err != nil {
			return err
		}
		if _, err := w.Write(f.content); err != nil {
			return err
		}
	}
	return archive.Close()
}

// recordsOf leads to the records' server: one that others run, the cluster of a service that is running, or one that is
// started here and stopped by stop.
func recordsOf(ctx context.Context, options Options) (url string, stop func(), err error) {
	if options.RecordsURL != "" {
		return options.RecordsURL, func() {}, nil
	}
	folder := filepath.Join(options.DataDir, "records")
	url, err = postgres.Running(folder, recordsCluster.Super, "postgres")
	if errors.Is(err, postgres.ErrNoCluster) {
		return "", nil, fmt.Errorf("there are no records in %s: name their folder with --data-dir", options.DataDir)
	} else if err != nil {
		return "", nil, err
	}
	own, err := postgres.OpenFolder(options.DataDir)
	if err != nil && url != "" {
		return url, func() {}, nil // a service is running
	} else if err != nil {
		return "", nil, err
	}
	keep := recordsCluster
	keep.Folder, keep.Log = filepath.Join(own.Path, "records"), options.Log
	cluster, err := postgres.Start(ctx, keep)
	if err != nil {
		own.Close()
		if errors.Is(err, postgres.ErrInUse) && url != "" { // the cluster runs by itself
			return url, func() {}, nil
		}
		return "", nil, err
	}
	return cluster.URL("postgres"), func() { cluster.Stop(); own.Close() }, nil
}

// restoring is how a service is listed that only restores.
const restoring = "restoring a backup"

// A Restored says what was restored.
type Restored struct {
	Manifest
	Builds   []library.Rebuilt `json:"builds"`
	Settings string            `json:"settings,omitempty"` // the file into which the settings were written
}

// Restore fills an empty place with a backup: the records, all or nothing, and then the datasets, which are built again
// from their files. tell is called with each step. Nothing is sent to anybody. The settings are put beside the records
// where they have a data folder, and not used.
func Restore(ctx context.Context, options Options, path string, tell func(string)) (_ *Restored, err error) {
	archive, err := zip.OpenReader(path)
	if errors.Is(err, zip.ErrFormat) {
		return nil, fmt.Errorf("%s is not a backup: a file is expected that examen backup has written", path)
	} else if err != nil {
		return nil, err
	}
	defer archive.Close()
	r := &Restored{}
	settings, err := r.check(&archive.Reader, path)
	if err != nil {
		return nil, err
	}
	s := &Server{failed: make(chan error, 2), stopping: make(chan struct{})}
	defer s.Stop()
	if err := s.startClusters(ctx, &options); err != nil {
		return nil, err
	}
	tell("Restoring the records ...")
	dump, err := archive.Open(dumpName)
	if err != nil {
		return nil, err
	}
	defer dump.Close()
	if err := records.Restore(ctx, options.RecordsURL, dump, &r.Contents); errors.Is(err, records.ErrNotEmpty) {
		return nil, errors.New(
			"there are records already, and nothing was changed: name an empty folder with --data-dir, or an empty " +
				"database with --records-url",
		)
	} else if err != nil {
		return nil, fmt.Errorf("the records could not be restored, and nothing was changed: %w", err)
	}
	if s.folder != nil && len(settings) > 0 {
		r.Settings = filepath.Join(s.folder.Path, "restored-settings.yaml")
		if err := os.WriteFile(r.Settings, settings, 0o600); err != nil {
			return nil, err
		}
	}
	return r, s.rebuild(ctx, options, r, tell)
}

// rebuild has the datasets built again.
func (s *Server) rebuild(ctx context.Context, options Options, r *Restored, tell func(string)) error {
	options.Log = slog.New(slog.DiscardHandler) // that builds are gone is expected, and what fails is told
	if err := s.connect(ctx, options); err != nil {
		return err
	}
	rooms, err := s.furnish(ctx, options)
	if err != nil {
		return err
	}
	last, err := s.records.LastJob(ctx)
	if err != nil {
		return err
	}
	tell("Building the datasets again ...")
	if s.stopWork, err = rooms.background.Start(ctx); err != nil {
		return err
	}
	r.Builds, err = library.Rebuild(ctx, rooms.books, last, func(b library.Rebuilt) {
		if b.Failed == "" {
			tell(fmt.Sprintf("  %s (build %d) is there.", b.Dataset, b.Number))
		} else {
			tell(fmt.Sprintf("  %s (build %d) is not there. %s", b.Dataset, b.Number, b.Failed))
		}
	})
	return err
}

// check reads the whole backup, so that one that is damaged is known for it before anything is done.
func (r *Restored) check(archive *zip.Reader, path string) (settings []byte, err error) {
	for _, f := range archive.File {
		content, err := f.Open()
		if err != nil {
			return nil, fmt.Errorf("the backup %s is damaged: %w", path, err)
		}
		switch f.Name {
		case manifestName:
			var text []byte
			if text, err = io.ReadAll(content); err == nil {
				err = json.Unmarshal(text, &r.Manifest)
			}
		case settingsName:
			settings, err = io.ReadAll(content)
		default:
			_, err = io.Copy(io.Discard, content)
		}
		content.Close()
		if err != nil {
			return nil, fmt.Errorf("the backup %s is damaged: %s: %w", path, f.Name, err)
		}
	}
	known, err := records.Schema()
	switch {
	case err != nil:
		return nil, err
	case r.Format == 0:
		return nil, fmt.Errorf("%s is not a backup: it has no %s", path, manifestName)
	case r.Format > backupFormat || r.Schema > known:
		return nil, fmt.Errorf(
			"the backup %s was made by a newer version of Examen (%s, schema %d) than this one (schema %d): restore "+
				"it with that one", path, r.Examen, r.Schema, known,
		)
	}
	return settings, nil
}
