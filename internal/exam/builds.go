package exam

import (
	"bytes"
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"maps"
	"slices"
	"strings"
	"time"

	"examen/internal/account"
	"examen/internal/core/dataset"
	"examen/internal/core/pack"
	"examen/internal/core/script"
	"examen/internal/core/sqltext"
	"examen/internal/practice"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// A BuildReport tells of one dataset's build.
type BuildReport struct {
	Dataset    string            `json:"dataset"`
	Number     int               `json:"number"`
	Tables     int               `json:"tables"`
	Rows       int64             `json:"rows"`
	Bytes      int64             `json:"bytes"`
	Variants   int               `json:"variants"`
	ElapsedMS  float64           `json:"elapsed_ms"`
	Sizes      []TableSize       `json:"sizes,omitempty"`
	PassedOver []string          `json:"passed_over,omitempty"`
	Advice     []string          `json:"advice,omitempty"`
	Inferred   []script.CSVTable `json:"inferred,omitempty"`
}

// A TableSize is a table's rows, and its bytes on disk.
type TableSize struct {
	Table string `json:"table"`
	Rows  int64  `json:"rows"`
	Bytes int64  `json:"bytes"`
}

func reportOf(name string, number int32, made *practice.Built, elapsed time.Duration) BuildReport {
	r := BuildReport{Dataset: name, Number: int(number), Rows: made.Rows(), Bytes: made.Bytes, ElapsedMS: milliseconds(elapsed), Advice: made.Advice()}
	for _, t := range made.Tables {
		if !t.View {
			r.Tables++
			r.Sizes = append(r.Sizes, TableSize{t.Name, t.Rows, t.Bytes})
		}
	}
	for _, p := range made.PassedOver {
		r.PassedOver = append(r.PassedOver, p.String())
	}
	return r
}

// databasePrefix begins the name of every build's database.
const databasePrefix = "dataset_"

// newDatabase names a build's database, or a variant's. The name tells nothing of what is in it.
func newDatabase() string { return databasePrefix + randomName() + randomName() }

// randomName is six letters and digits.
func randomName() string { return strings.ToLower(rand.Text())[:6] }

// buildDataset builds a dataset from SQL files, or from CSV files alone.
func (w *working) buildDataset(ctx context.Context) (report *JobReport, err error) {
	defer func() {
		if err != nil {
			w.undo(context.WithoutCancel(ctx), err)
		}
	}()
	start := time.Now()
	files, scripts, inferred, err := w.scripts(ctx)
	if err != nil {
		return nil, err
	}
	if inferred != nil && w.options.Ask && !w.options.Confirmed {
		return &JobReport{Title: w.options.Title, Inferred: inferred}, errAsks
	}
	number, err := w.records.NextBuildNumber(ctx, w.name)
	if err != nil {
		return nil, err
	}
	w.step("Running the setup scripts", w.size(w.paths...))
	database := newDatabase()
	made, err := w.build(ctx, w.order(database, files, scripts))
	if err != nil {
		return nil, err
	}
	for _, name := range w.unread {
		made.PassedOver = append(made.PassedOver, script.PassedOver{File: name, Line: 1, Text: "No script reads this file."})
	}
	if !w.options.Confirmed && !w.options.Break {
		breaks, err := w.breaks(ctx, w.name, database, made.Catalogue, nil)
		if err != nil {
			return nil, err
		}
		if len(breaks) > 0 {
			w.drop(context.WithoutCancel(ctx), []string{database})
			return &JobReport{Title: w.options.Title, Breaks: breaks}, errAsks
		}
	}
	build := reportOf(w.name, number, made, time.Since(start))
	build.Inferred = inferred
	report = &JobReport{Title: w.options.Title, Builds: []BuildReport{build}}
	err = w.store(ctx, report, func(t *records.Transaction) error {
		return w.storeBuild(ctx, t, report, database, made)
	})
	if records.Taken(err) {
		err = problem.New(409, "at-hand", "The dataset was built twice at the same time", "The other build was first; build it again to have yours.")
	}
	if err == nil {
		w.dropOld(context.WithoutCancel(ctx), w.name)
	}
	return report, err
}

// storeBuild makes a build the one in use, and has the reference answers run on it.
func (w *working) storeBuild(ctx context.Context, t *records.Transaction, report *JobReport, database string, made *practice.Built) error {
	before, err := t.CurrentBuild(ctx, w.name)
	if err != nil && !records.Missing(err) {
		return err
	}
	row, err := t.RetitleDataset(ctx, query.RetitleDatasetParams{Name: w.name, Title: w.options.Title})
	if err != nil {
		return err
	}
	if row.Title == "" {
		if row, err = t.RetitleDataset(ctx, query.RetitleDatasetParams{Name: w.name, Title: w.name}); err != nil {
			return err
		}
	}
	report.Title = row.Title
	build := &report.Builds[0]
	if variants := variantDatabases(before.Build.Variants); len(variants) > 0 {
		build.Advice = append(build.Advice, fmt.Sprintf("%s came with the pack %s, whose variants are not part of this build: attempts are checked on the visible rows only until the pack is loaded again.", w.name, row.Pack))
	}
	if before.Build.ID != 0 {
		keepMeanings(&made.Catalogue, before.Build.Catalogue)
	}
	catalogue, _ := json.Marshal(made.Catalogue)
	text, _ := json.Marshal(build)
	stored, err := t.CreateBuild(ctx, query.CreateBuildParams{DatasetID: row.ID, Number: int32(build.Number), Database: database, Variants: json.RawMessage("{}"), Catalogue: catalogue, Report: text,
		JobID: &w.id, CatalogueVersion: catalogueVersion})
	if err != nil {
		return err
	}
	if err := t.UseBuild(ctx, query.UseBuildParams{ID: row.ID, BuildID: &stored.ID}); err != nil {
		return err
	}
	return t.Enqueue(ctx, records.Task{Kind: records.RenewReferences, ID: stored.ID})
}

// keepMeanings takes over what tables and columns mean, where the new build does not say.
func keepMeanings(catalogue *dataset.Catalogue, before json.RawMessage) {
	var old dataset.Catalogue
	if json.Unmarshal(before, &old) != nil {
		return
	}
	for i := range catalogue.Tables {
		t := &catalogue.Tables[i]
		was := old.Table(t.Name)
		if was == nil {
			continue
		}
		if t.Meaning == "" {
			t.Meaning = was.Meaning
		}
		for j := range t.Columns {
			if c := was.Column(t.Columns[j].Name); c != nil && t.Columns[j].Meaning == "" {
				t.Columns[j].Meaning = c.Meaning
			}
		}
	}
}

// scripts finds out what to run, in which order. Where there are only CSV files it writes the script that makes tables of them.
func (w *working) scripts(ctx context.Context) (fs.FS, []string, []script.CSVTable, error) {
	var sql, csv []string
	for _, p := range w.options.Scripts {
		if !slices.Contains(w.paths, p) {
			return nil, nil, nil, problem.New(400, "no-file", "A script is missing", "%q is to be run and is not among the files.", p)
		}
	}
	if len(w.options.Scripts) > 0 {
		return w.files, w.options.Scripts, nil, nil
	}
	for _, p := range w.paths {
		switch {
		case p == "pack.yaml" && w.options.Folder:
			return nil, nil, nil, problem.New(422, "is-a-pack", "The folder is a pack", "It holds a pack.yaml: load it with examen pack load.")
		case w.options.Folder && strings.Contains(p, "/"): // only what scripts name
		case slices.Contains([]string{".csv", ".tsv", ".xlsx"}, kindOfFile(p)):
			csv = append(csv, p)
		case !w.options.Folder || kindOfFile(p) == ".sql":
			sql = append(sql, p)
		}
	}
	if w.options.Folder {
		slices.SortFunc(sql, script.InOrder)
		slices.SortFunc(csv, script.InOrder)
	}
	switch {
	case len(sql) > 1 && w.options.Folder:
		w.step("Looking which scripts include others", 0)
		roots, err := script.Roots(w.files, sql)
		if err != nil {
			return nil, nil, nil, buildError(err)
		}
		return w.files, roots, nil, w.lookForUnread(roots, csv)
	case len(sql) > 0:
		return w.files, sql, nil, w.lookForUnread(sql, csv)
	case len(csv) == 0:
		return nil, nil, nil, problem.New(422, "no-scripts", "There is nothing to build from", "The folder holds no .sql and no .csv files (.gz at the end is fine).")
	}
	w.step("Looking at the values of the CSV files", w.size(csv...))
	text := bytes.Buffer{}
	var tables []script.CSVTable
	for _, name := range csv {
		made, err := w.infer(ctx, name)
		if err != nil {
			return nil, nil, nil, buildError(err)
		}
		for _, t := range made {
			if slices.ContainsFunc(tables, func(other script.CSVTable) bool { return other.Name == t.Name }) {
				return nil, nil, nil, problem.New(422, "name", "Two files would make the same table", "%s would make the table %s, and so would another file: rename one.", name, t.Name)
			}
			tables = append(tables, t)
		}
	}
	script.Relate(tables)
	for _, t := range tables {
		text.WriteString(t.SQL(w.options.Confirmed))
	}
	for _, t := range tables {
		if w.options.Confirmed {
			text.WriteString(t.Constraints())
		}
	}
	folder := withScript{w.files, text.Bytes(), tables, w.options.Encoding}
	w.options.Encoding = "" // what is made is UTF-8
	return folder, []string{madeScript}, tables, nil
}

// infer finds the tables in a CSV file or a spreadsheet.
func (w *working) infer(ctx context.Context, name string) ([]script.CSVTable, error) {
	file, err := w.files.Open(name)
	if err != nil {
		return nil, err
	}
	defer file.Close()
	if kindOfFile(name) == ".xlsx" {
		return script.ReadXLSX(reading{file, ctx, w}, name)
	}
	t, err := script.ReadCSV(reading{file, ctx, w}, name, w.options.Encoding)
	if err != nil {
		return nil, err
	}
	return []script.CSVTable{*t}, nil
}

// reading is a file being looked at: it counts as progress, and ends with the job.
type reading struct {
	io.Reader
	ctx context.Context
	w   *working
}

func (r reading) Read(p []byte) (int, error) {
	if r.ctx.Err() != nil {
		return 0, context.Cause(r.ctx)
	}
	n, err := r.Reader.Read(p)
	r.w.mu.Lock()
	r.w.progress.Bytes += int64(n)
	r.w.mu.Unlock()
	return n, err
}

// buildError makes a build's error of a script's.
func buildError(err error) error {
	var wrong *script.Error
	if !errors.As(err, &wrong) {
		return err
	}
	b := &practice.BuildError{File: wrong.File, Statement: wrong.Text, Message: wrong.Detail}
	b.Place.Line, b.Place.Column = wrong.Line, 1
	return &practice.BuildErrors{List: []*practice.BuildError{b}}
}

// madeScript is the name of the script that makes tables from CSV files.
const madeScript = "tables made from CSV"

// withScript is a folder with that script in it, and the rows of the tables that it makes.
type withScript struct {
	fs.FS
	text     []byte
	tables   []script.CSVTable
	encoding string
}

func (f withScript) Open(name string) (fs.File, error) {
	if name == madeScript {
		return &textFile{bytes.NewReader(f.text)}, nil
	}
	for i := range f.tables {
		if t := &f.tables[i]; t.RowsFile() == name {
			file, err := f.FS.Open(t.File)
			if err != nil {
				return nil, err
			}
			rows, err := t.Data(file, f.encoding)
			if err != nil {
				file.Close()
				return nil, err
			}
			return &rowsFile{file, rows}, nil
		}
	}
	return f.FS.Open(name)
}

// Stat looks at the file that rows come from without reading it.
func (f withScript) Stat(name string) (fs.FileInfo, error) {
	for i := range f.tables {
		if t := &f.tables[i]; t.RowsFile() == name {
			return fs.Stat(f.FS, t.File)
		}
	}
	return fs.Stat(f.FS, name)
}

// rowsFile is a file of rows as COPY takes them, read from another.
type rowsFile struct {
	fs.File
	rows *script.CSVRows
}

func (f *rowsFile) Read(p []byte) (int, error)           { return f.rows.Read(p) }
func (f *rowsFile) Place(line int) (file string, at int) { return f.rows.Place(line) }

type textFile struct{ *bytes.Reader }

func (textFile) Stat() (fs.FileInfo, error) { return nil, fs.ErrInvalid }
func (textFile) Close() error               { return nil }

// renewReferences gathers a new build's statistics and runs the reference answers of the dataset's papers on it, so that they are known before a learner waits for them. It
// notes those that do not run.
func (s *Service) renewReferences(ctx context.Context, id int64) error {
	row, err := s.records.BuildByID(ctx, id)
	if records.Missing(err) {
		return nil
	} else if err != nil {
		return err
	}
	if current, err := s.records.BuildInUse(ctx, row.DatasetID); err != nil || current != id { // an older one's database may be gone
		return err
	}
	if err := s.practice.Analyze(ctx, row.Database); err != nil {
		return err
	}
	answers, err := s.records.DatasetAnswers(ctx, row.DatasetID)
	if err != nil {
		return err
	}
	broken := []string{}
	for _, a := range answers {
		all, err := answersOf(a.Exercise)
		if err != nil {
			return err
		}
		for _, sql := range all {
			_, err := s.references.get(ctx, sql, row.Database)
			if reason := ofQuery(err); reason != nil {
				broken = append(broken, fmt.Sprintf("%s/%s: the reference answer does not run: %s", a.Paper, a.Exercise.Slug, reason.Title))
			} else if err != nil {
				return err
			}
		}
	}
	text, _ := json.Marshal(broken)
	return s.records.SetBroken(ctx, query.SetBrokenParams{ID: id, Broken: text})
}

// answersOf are all answers of an exercise that count as right, the reference answer first.
func answersOf(e query.Exercise) ([]string, error) {
	var rules pack.Checking
	if err := json.Unmarshal(e.Checking, &rules); err != nil {
		return nil, fmt.Errorf("exercise %s: %w", e.Slug, err)
	}
	return append([]string{e.Reference}, rules.Also...), nil
}

// dropOld removes the databases of a dataset's builds that are not kept any more, and the files that they were made from.
func (s *Service) dropOld(ctx context.Context, name string) {
	row, err := s.records.DatasetByName(ctx, name)
	if err != nil {
		return // the next build comes by again
	}
	old, err := s.records.OldBuilds(ctx, row.ID)
	if err != nil {
		return
	}
	for _, b := range old {
		if s.records.MarkDropped(ctx, b.ID) == nil {
			s.drop(ctx, append(variantDatabases(b.Variants), b.Database))
		}
	}
	_ = s.records.SweepJobFiles(ctx) // and at the next sweep
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

// DropDataset removes a dataset that no paper is about.
func (s *Service) DropDataset(ctx context.Context, who account.Account, name string) error {
	if err := who.InstructorsOnly(); err != nil {
		return err
	}
	row, err := s.dataset(ctx, who, name)
	if err != nil {
		return err
	}
	papers, err := s.records.DatasetPapers(ctx, row.Dataset.ID)
	if err != nil {
		return err
	}
	if len(papers) > 0 {
		return problem.New(409, "in-use", "The dataset is used by papers", "%s is what %s is about; it can only be replaced, by building it anew.", name, papers[0].Slug)
	}
	defer s.records.Changed(records.PapersChanged) // after the write
	if err := s.records.DropDataset(ctx, row.Dataset.ID); err != nil {
		return err
	}
	builds, err := s.records.AllBuilds(ctx, row.Dataset.ID)
	if err != nil {
		return err
	}
	for _, b := range builds {
		if err := s.records.MarkDropped(ctx, b.ID); err != nil {
			return err
		}
		s.drop(context.WithoutCancel(ctx), append(variantDatabases(b.Variants), b.Database))
	}
	return nil
}

// build has the practice server make a database. Scripts that make no table at all are a build of nothing, and an error.
func (w *working) build(ctx context.Context, order practice.Order) (*practice.Built, error) {
	made, err := w.practice.Build(ctx, order)
	if err == nil && len(made.Tables) == 0 {
		first := practice.BuildError{Place: sqltext.Place{Line: 1, Column: 1}, Message: "the scripts make no table",
			Cause: "Is a file missing, or does one take back what it makes (ROLLBACK, DROP)?"}
		if len(order.Scripts) > 0 {
			first.File = order.Scripts[0]
		}
		w.drop(context.WithoutCancel(ctx), []string{order.Database})
		return nil, &practice.BuildErrors{List: []*practice.BuildError{&first}}
	}
	return made, err
}

// lookForUnread notes the CSV files that no script reads, so that it is told.
func (w *working) lookForUnread(scripts, csv []string) error {
	if len(csv) == 0 {
		return nil
	}
	needed, err := script.Needed(w.files, scripts)
	if err != nil {
		return buildError(err)
	}
	w.unread = slices.DeleteFunc(slices.Clone(csv), func(name string) bool { return slices.Contains(needed, name) })
	return nil
}
