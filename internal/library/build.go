package library

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
	"path"
	"slices"
	"strings"
	"time"

	"examen/internal/account"
	"examen/internal/core/dataset"
	"examen/internal/core/pack"
	"examen/internal/core/script"
	"examen/internal/core/sqltext"
	"examen/internal/grading"
	"examen/internal/jobs"
	"examen/internal/practice"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// A BuildReport describes one dataset's build.
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

// A TableSize is the number of a table's rows, and its bytes on disk.
type TableSize struct {
	Table string `json:"table"`
	Rows  int64  `json:"rows"`
	Bytes int64  `json:"bytes"`
}

func reportOf(name string, number int32, made *practice.Built, elapsed time.Duration) BuildReport {
	r := BuildReport{
		Dataset:   name,
		Number:    int(number),
		Rows:      made.Rows(),
		Bytes:     made.Bytes,
		ElapsedMS: float64(elapsed.Microseconds()) / 1000,
		Advice:    made.Advice(),
	}
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

// databasePrefix begins the name of each build's database.
const databasePrefix = "dataset_"

// newDatabase returns a random name for the database of a build or a variant. It reveals nothing of the content.
func newDatabase() string { return databasePrefix + strings.ToLower(rand.Text())[:12] }

// building is the state of a job that builds.
type building struct {
	library *Library
	work    *jobs.Work
	options Options
	unread  []string // CSV files that no script reads
}

func (l *Library) building(w *jobs.Work) (*building, error) {
	b := &building{library: l, work: w}
	return b, json.Unmarshal(w.Options, &b.options)
}

// buildDataset builds a dataset from SQL files, or from CSV files alone.
func (l *Library) buildDataset(ctx context.Context, w *jobs.Work) (err error) {
	defer func() {
		if err != nil {
			w.Undo(ctx, err)
		}
	}()
	b, err := l.building(w)
	if err != nil {
		return err
	}
	if b.options.Remake != 0 {
		return b.remake(ctx)
	}
	start := time.Now()
	files, scripts, inferred, err := b.scripts(ctx)
	if err != nil {
		return err
	}
	if inferred != nil && b.options.Ask && !w.Confirmed {
		return &jobs.Asks{Report: Report{Title: b.options.Title, Inferred: inferred}}
	}
	number, err := l.records.NextBuildNumber(ctx, w.Name)
	if err != nil {
		return err
	}
	w.Step("Running the setup scripts", w.Size(w.Paths...))
	database := newDatabase()
	made, err := b.make(ctx, b.order(database, files, scripts))
	if err != nil {
		return err
	}
	for _, name := range b.unread {
		made.PassedOver = append(
			made.PassedOver, script.PassedOver{File: name, Line: 1, Text: "No script reads this file."},
		)
	}
	if !w.Confirmed && !b.options.Break {
		breaks, err := l.breaks(ctx, w.Name, database, made.Catalogue, nil)
		if err != nil {
			return err
		}
		if len(breaks) > 0 {
			return &jobs.Asks{Report: Report{Title: b.options.Title, Breaks: breaks}}
		}
	}
	report := reportOf(w.Name, number, made, time.Since(start))
	report.Inferred = inferred
	err = b.finish(ctx, report, database, made)
	if records.Taken(err) {
		err = problem.New(409, "at-hand", "The dataset was built twice at the same time",
			"The other build was first; build it again to have yours.")
	}
	if err == nil {
		l.dropOld(context.WithoutCancel(ctx), w.Name)
	}
	return err
}

// finish puts a build into use, and runs the accepted answers on it.
func (b *building) finish(ctx context.Context, build BuildReport, database string, made *practice.Built) error {
	report := &Report{Builds: []BuildReport{build}}
	defer b.library.records.Changed(records.PapersChanged)
	return b.work.Finish(ctx, report, func(t *records.Transaction) error {
		return b.use(ctx, t, report, database, made)
	})
}

// use puts a build into use.
func (b *building) use(
	ctx context.Context, t *records.Transaction, report *Report, database string, made *practice.Built,
) error {
	before, err := t.CurrentBuild(ctx, b.work.Name)
	if err != nil && !records.Missing(err) {
		return err
	}
	row, err := t.RetitleDataset(ctx, query.RetitleDatasetParams{Name: b.work.Name, Title: b.options.Title})
	if err != nil {
		return err
	}
	if row.Title == "" {
		if row, err = t.RetitleDataset(
			ctx, query.RetitleDatasetParams{Name: b.work.Name, Title: b.work.Name},
		); err != nil {
			return err
		}
	}
	report.Title = row.Title
	build := &report.Builds[0]
	if len(variantsOf(before.Build.Variants)) > 0 {
		build.Advice = append(build.Advice, fmt.Sprintf("%s came with the pack %s, whose variants are not part of "+
			"this build: "+
			"attempts are checked on the visible rows only until the pack is loaded again.", b.work.Name, row.Pack))
	}
	if before.Build.ID != 0 {
		keepMeanings(&made.Catalogue, before.Build.Catalogue)
	}
	catalogue, _ := json.Marshal(made.Catalogue)
	text, _ := json.Marshal(build)
	stored, err := t.CreateBuild(ctx, query.CreateBuildParams{
		DatasetID: row.ID, Number: int32(build.Number), Database: database, Variants: json.RawMessage("{}"),
		Catalogue: catalogue, Report: text, JobID: &b.work.ID, CatalogueVersion: catalogueVersion,
	})
	if err != nil {
		return err
	}
	if err := t.UseBuild(ctx, query.UseBuildParams{ID: row.ID, BuildID: &stored.ID}); err != nil {
		return err
	}
	if err := b.library.inspectWritten(ctx, t, row.ID); err != nil {
		return err
	}
	if err := measureLater(ctx, t); err != nil {
		return err
	}
	return t.Enqueue(ctx, records.Task{Kind: records.RenewReferences, ID: stored.ID})
}

// keepMeanings carries over the meanings of tables and columns where the new build gives none.
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

// scripts decides what to run, and in which order. If there are only CSV files, it writes the script that makes tables
// from them.
func (b *building) scripts(ctx context.Context) (fs.FS, []string, []script.CSVTable, error) {
	var sql, csv []string
	for _, p := range b.options.Scripts {
		if !slices.Contains(b.work.Paths, p) {
			return nil, nil, nil, problem.New(
				400, "no-file", "A script is missing", "%q is to be run and is not among the files.", p,
			)
		}
	}
	if len(b.options.Scripts) > 0 {
		return b.work.Files, b.options.Scripts, nil, nil
	}
	for _, p := range b.work.Paths {
		switch {
		case p == "pack.yaml" && b.options.Folder:
			return nil, nil, nil, problem.New(
				422, "is-a-pack", "The folder is a pack", "It holds a pack.yaml: load it with examen pack load.",
			)
		case b.options.Folder && strings.Contains(p, "/"): // only what scripts name
		case slices.Contains([]string{".csv", ".tsv", ".xlsx"}, kindOfFile(p)):
			csv = append(csv, p)
		case !b.options.Folder || kindOfFile(p) == ".sql":
			sql = append(sql, p)
		}
	}
	if b.options.Folder {
		slices.SortFunc(sql, script.InOrder)
		slices.SortFunc(csv, script.InOrder)
	}
	switch {
	case len(sql) > 1 && b.options.Folder:
		b.work.Step("Looking which scripts include others", 0)
		roots, err := script.Roots(b.work.Files, sql)
		if err != nil {
			return nil, nil, nil, buildError(err)
		}
		return b.work.Files, roots, nil, b.lookForUnread(roots, csv)
	case len(sql) > 0:
		return b.work.Files, sql, nil, b.lookForUnread(sql, csv)
	case len(csv) == 0:
		return nil, nil, nil, problem.New(
			422, "no-scripts", "There is nothing to build from",
			"The folder holds no .sql and no .csv files (.gz at the end is fine).",
		)
	}
	b.work.Step("Looking at the values of the CSV files", b.work.Size(csv...))
	text := bytes.Buffer{}
	var tables []script.CSVTable
	for _, name := range csv {
		made, err := b.infer(ctx, name)
		if err != nil {
			return nil, nil, nil, buildError(err)
		}
		for _, t := range made {
			if slices.ContainsFunc(tables, func(other script.CSVTable) bool { return other.Name == t.Name }) {
				return nil, nil, nil, problem.New(
					422, "name", "Two files would make the same table",
					"%s would make the table %s, and so would another file: rename one.", name, t.Name,
				)
			}
			tables = append(tables, t)
		}
	}
	script.Relate(tables)
	for _, t := range tables {
		text.WriteString(t.SQL(b.work.Confirmed))
	}
	for _, t := range tables {
		if b.work.Confirmed {
			text.WriteString(t.Constraints())
		}
	}
	folder := withScript{b.work.Files, text.Bytes(), tables, b.options.Encoding}
	b.options.Encoding = "" // what is made is UTF-8
	return folder, []string{madeScript}, tables, nil
}

// infer finds the tables in a CSV file or a spreadsheet.
func (b *building) infer(ctx context.Context, name string) ([]script.CSVTable, error) {
	file, err := b.work.Files.Open(name)
	if err != nil {
		return nil, err
	}
	defer file.Close()
	if kindOfFile(name) == ".xlsx" {
		return script.ReadXLSX(reading{file, ctx, b.work}, name)
	}
	t, err := script.ReadCSV(reading{file, ctx, b.work}, name, b.options.Encoding)
	if err != nil {
		return nil, err
	}
	return []script.CSVTable{*t}, nil
}

// reading wraps a file being inspected: reading it counts as progress, and ends with the job.
type reading struct {
	io.Reader
	ctx  context.Context
	work *jobs.Work
}

func (r reading) Read(p []byte) (int, error) {
	if r.ctx.Err() != nil {
		return 0, context.Cause(r.ctx)
	}
	n, err := r.Reader.Read(p)
	r.work.Read(n)
	return n, err
}

// buildError converts a script's error into a build's.
func buildError(err error) error {
	var wrong *script.Error
	if !errors.As(err, &wrong) {
		return err
	}
	b := &practice.BuildError{File: wrong.File, Statement: wrong.Text, Message: wrong.Detail}
	b.Place.Line, b.Place.Column = wrong.Line, 1
	return &practice.BuildErrors{List: []*practice.BuildError{b}}
}

// madeScript is the name given to the script that makes tables from CSV files.
const madeScript = "tables made from CSV"

// withScript is a folder to which that script is added, with the rows of the tables that it makes.
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

// Stat describes the file from which rows come, without reading it.
func (f withScript) Stat(name string) (fs.FileInfo, error) {
	for i := range f.tables {
		if t := &f.tables[i]; t.RowsFile() == name {
			return fs.Stat(f.FS, t.File)
		}
	}
	return fs.Stat(f.FS, name)
}

// rowsFile is a file of rows in COPY's format, converted from another file while it is read.
type rowsFile struct {
	fs.File
	rows *script.CSVRows
}

func (f *rowsFile) Read(p []byte) (int, error)           { return f.rows.Read(p) }
func (f *rowsFile) Place(line int) (file string, at int) { return f.rows.Place(line) }

type textFile struct{ *bytes.Reader }

func (textFile) Stat() (fs.FileInfo, error) { return nil, fs.ErrInvalid }
func (textFile) Close() error               { return nil }

// renewAnswers gathers a new build's statistics and runs the accepted answers of the dataset's papers on it, so that
// their results are known before a learner waits for them. It records those that do not run.
func (l *Library) renewAnswers(ctx context.Context, id int64) error {
	row, err := l.records.BuildByID(ctx, id)
	if records.Missing(err) {
		return nil
	} else if err != nil {
		return err
	}
	current, err := l.records.BuildInUse(ctx, row.DatasetID)
	if err != nil || current != id { // an older one's database may be gone
		return err
	}
	if err := l.practice.Analyze(ctx, row.Database); err != nil {
		return err
	}
	answers, err := l.records.DatasetAnswers(ctx, row.DatasetID)
	if err != nil {
		return err
	}
	broken := []string{}
	for _, a := range answers {
		all, err := acceptedOf(a.ExerciseNow)
		if err != nil {
			return err
		}
		for _, sql := range all {
			err := l.grader.Prepare(ctx, sql, row.Database)
			var fault *grading.Fault
			if errors.As(err, &fault) {
				broken = append(broken,
					fmt.Sprintf(
						"%s/%s: the reference answer does not run: %s", a.Paper, a.ExerciseNow.Slug, fault.Title,
					))
			} else if err != nil {
				return err
			}
		}
	}
	text, _ := json.Marshal(broken)
	return l.records.SetBroken(ctx, query.SetBrokenParams{ID: id, Broken: text})
}

// acceptedOf returns an exercise's accepted answers, the reference answer first.
func acceptedOf(e query.ExerciseNow) ([]string, error) {
	exercise := pack.Exercise{Reference: e.Reference}
	if err := json.Unmarshal(e.Checking, &exercise.Checking); err != nil {
		return nil, fmt.Errorf("exercise %s: %w", e.Slug, err)
	}
	return exercise.Accepted(), nil
}

// dropOld drops the databases of a dataset's builds that are no longer kept, and the files that they were built from.
func (l *Library) dropOld(ctx context.Context, name string) {
	row, err := l.records.DatasetByName(ctx, name)
	if err != nil {
		return // the next build comes by again
	}
	old, err := l.records.OldBuilds(ctx, row.ID)
	if err != nil {
		return
	}
	for _, b := range old {
		if l.records.MarkDropped(ctx, b.ID) == nil {
			l.jobs.Drop(ctx, databasesOf(b)...)
		}
	}
	_ = l.records.SweepJobFiles(ctx) // and at the next sweep
}

// variantsOf returns the databases of a build's variants, by name.
func variantsOf(variants json.RawMessage) map[string]string {
	var byName map[string]string
	_ = json.Unmarshal(variants, &byName) // written by use and by keep
	return byName
}

// databasesOf returns all databases of a build, its own last.
func databasesOf(b query.Build) []string {
	return append(slices.Collect(maps.Values(variantsOf(b.Variants))), b.Database)
}

// DropDataset drops a dataset that no paper is about.
func (l *Library) DropDataset(ctx context.Context, who account.Account, name string) error {
	if err := who.May(account.Prepare); err != nil {
		return err
	}
	row, _, err := l.find(ctx, who, name)
	if err != nil {
		return err
	}
	papers, err := l.records.DatasetPapers(ctx, row.Dataset.ID)
	if err != nil {
		return err
	}
	if len(papers) > 0 {
		return problem.New(409, "in-use", "The dataset is used by papers",
			"%s is what %s is about; it can only be replaced, by building it anew.", name, papers[0].Slug)
	}
	defer l.records.Changed(records.PapersChanged) // after the write
	if err := l.records.DropDataset(ctx, row.Dataset.ID); err != nil {
		return err
	}
	builds, err := l.records.AllBuilds(ctx, row.Dataset.ID)
	if err != nil {
		return err
	}
	for _, b := range builds {
		if err := l.records.MarkDropped(ctx, b.ID); err != nil {
			return err
		}
		l.jobs.Drop(context.WithoutCancel(ctx), databasesOf(b)...)
	}
	return nil
}

// order describes a build in a new database, which reports its progress to the job.
func (b *building) order(database string, files fs.FS, scripts []string) practice.Order {
	b.work.Begins(database)
	return practice.Order{
		Database:  database,
		Files:     files,
		Scripts:   scripts,
		Encoding:  b.options.Encoding,
		KeepGoing: b.options.KeepGoing,
		Progress:  b.work.Building,
	}
}

// make has the practice server build a database. It is an error if the scripts make no table at all.
func (b *building) make(ctx context.Context, order practice.Order) (*practice.Built, error) {
	made, err := b.library.practice.Build(ctx, order)
	if err == nil && len(made.Tables) == 0 {
		first := practice.BuildError{Place: sqltext.Place{Line: 1, Column: 1}, Message: "the scripts make no table",
			Cause: "Is a file missing, or does one take back what it makes (ROLLBACK, DROP)?"}
		if len(order.Scripts) > 0 {
			first.File = order.Scripts[0]
		}
		b.library.jobs.Drop(context.WithoutCancel(ctx), order.Database)
		return nil, &practice.BuildErrors{List: []*practice.BuildError{&first}}
	}
	return made, err
}

// lookForUnread notes the CSV files that no script reads, for the report.
func (b *building) lookForUnread(scripts, csv []string) error {
	if len(csv) == 0 {
		return nil
	}
	needed, err := script.Needed(b.work.Files, scripts)
	if err != nil {
		return buildError(err)
	}
	b.unread = slices.DeleteFunc(slices.Clone(csv), func(name string) bool { return slices.Contains(needed, name) })
	return nil
}

// kindOfFile returns a file's extension in lower case; for a compressed file, the extension of its content.
func kindOfFile(name string) string {
	return path.Ext(strings.TrimSuffix(strings.ToLower(name), ".gz"))
}
