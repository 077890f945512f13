// Package library holds what instructors bring: datasets with their builds, packs, and papers with their exercises.
//
// Jobs (package jobs) build datasets and load and check packs: build.go builds a dataset from setup scripts or CSV
// files, pack.go loads a whole pack. Nothing replaces what is in use before it is complete, and what a new build would
// break in loaded papers has to be confirmed first (breaks.go). A build that is lost on the practice server is built
// again from its files, which are kept (remake.go).
//
// [Authoring] is where papers are written: their texts are kept in parts (text.go, writing.go), with the examiner's
// remarks on each (remarks.go), until they are published as versions (version.go, publish.go). A pack is given back
// with the papers as they are published (export.go), and exercises are found by what they are about (bank.go).
package library

import (
	"context"
	"encoding/json"
	"log/slog"
	"time"

	"github.com/hashicorp/golang-lru/v2/expirable"

	"examen/internal/account"
	"examen/internal/core/marking"
	"examen/internal/core/pack"
	"examen/internal/core/script"
	"examen/internal/grading"
	"examen/internal/jobs"
	"examen/internal/practice"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// Library gives access to all datasets and papers of a service, in its records and on its practice server.
type Library struct {
	records  *records.Store
	practice *practice.Servers
	grader   *grading.Grader
	jobs     *jobs.Jobs
	log      *slog.Logger
	stirred  chan struct{}
	lost     *expirable.LRU[string, struct{}] // databases that were found to be gone a moment ago
}

// Kinds of jobs.
const (
	BuildDataset = "dataset"
	LoadPack     = "pack"
	CheckPaper   = "paper"
	PublishPaper = "publication"
	// StrengthenPaper searches for rows that tell wrong answers from right ones.
	StrengthenPaper = "strengthening"
)

// New returns the library in the records, and registers its kinds of jobs.
func New(
	store *records.Store, server *practice.Servers, grader *grading.Grader, all *jobs.Jobs, log *slog.Logger,
) *Library {
	l := &Library{
		records: store, practice: server, grader: grader, jobs: all, log: log, stirred: make(chan struct{}, 1),
	}
	l.lost = expirable.NewLRU[string, struct{}](lostKept, nil, lostFor)
	all.Handle(BuildDataset, l.buildDataset)
	all.Handle(LoadPack, l.doPack)
	all.Handle(CheckPaper, l.checkPaper)
	all.Handle(PublishPaper, l.publishPaper)
	all.Handle(StrengthenPaper, l.strengthenPaper)
	all.HandleTask(records.InspectPaper, l.inspectPaper)
	all.HandleTask(records.IndexExercises, func(ctx context.Context, _ int64) error { return l.indexExercises(ctx) })
	all.HandleTask(records.MeasureStrength, l.measure)
	all.HandleTask(records.RenewReferences, l.renewAnswers)
	all.Daily("builds", l.lookAfterBuilds)
	all.Daily("databases", l.dropLeftOver)
	all.Daily("roles", server.Sweep)
	all.Daily("texts", l.keepTexts)
	all.Daily("exercises", l.indexExercises)
	all.Daily("strengths", l.forgetStrengths)
	all.Daily("writers", store.SweepWriters)
	server.WhenGone(func(database string) { go l.gone(database) })
	return l
}

// For so long it is remembered of so many databases that they are gone: they are being made again.
const (
	lostKept = 1000
	lostFor  = 5 * time.Second
)

// Options say how to build a dataset or load a pack.
type Options struct {
	Title     string   `json:"title,omitempty"`
	Encoding  string   `json:"encoding,omitempty"`
	KeepGoing bool     `json:"keep_going,omitempty"`
	Folder    bool     `json:"folder,omitempty"`   // the files are a folder's: find out what to run
	Scripts   []string `json:"scripts,omitempty"`  // what to run, where not all
	Ask       bool     `json:"ask,omitempty"`      // before tables are made from CSV files
	Check     bool     `json:"check,omitempty"`    // of a pack: only check its exercises
	Break     bool     `json:"break,omitempty"`    // what papers use may be broken without asking
	Remake    int64    `json:"remake,omitempty"`   // a build that was lost, to be made again
	Revision  int64    `json:"revision,omitempty"` // of a paper's text that is to be published
	Note      string   `json:"note,omitempty"`     // on that publication
	Variant   string   `json:"variant,omitempty"`  // for which rows are searched
	Only      string   `json:"only,omitempty"`     // of a pack: the one dataset that is built
}

// A Report says what a job made, or, while the job asks for confirmation, what it would make.
type Report struct {
	Pack     string            `json:"pack,omitempty"`
	Title    string            `json:"title"`
	Builds   []BuildReport     `json:"builds,omitempty"`
	Papers   []PaperReport     `json:"papers,omitempty"`
	Inferred []script.CSVTable `json:"inferred,omitempty"`
	Check    *CheckReport      `json:"check,omitempty"`
	Breaks   []string          `json:"breaks,omitempty"` // what a job that asks would break
	// Differences are the papers that were changed in the console since their pack was loaded, where a job asks whether
	// the files may take their place.
	Differences []PaperDifference `json:"differences,omitempty"`
	Version     int               `json:"version,omitempty"` // of a paper that was published
	// Strengthening is what a search for rows has found.
	Strengthening *Strengthening `json:"strengthening,omitempty"`
}

// ReportOf decodes a job's report; nil if it has none.
func ReportOf(j *jobs.Job) (*Report, error) {
	if len(j.Report) == 0 {
		return nil, nil
	}
	r := &Report{}
	return r, json.Unmarshal(j.Report, r)
}

// A PaperReport describes a loaded paper.
type PaperReport struct {
	Slug      string         `json:"slug"`
	Title     string         `json:"title"`
	Exercises int            `json:"exercises"`
	Points    marking.Points `json:"points"`
}

// Build begins a job that builds a dataset from files. bytes is their total size, negative if unknown.
func (l *Library) Build(
	ctx context.Context, who account.Account, name string, options Options, bytes int64, files jobs.Files,
) (
	*jobs.Job, error,
) {
	if err := who.May(account.Prepare); err != nil {
		return nil, err
	}
	if !pack.IsSlug(name) {
		return nil, problem.New(400, "name", "This is no name for a dataset",
			"%.80q: use up to %d lower-case letters, digits and hyphens.", name, pack.LongestSlug)
	}
	for _, text := range append([]string{options.Title, options.Encoding}, options.Scripts...) {
		if !records.IsText(text) {
			return nil, problem.New(400, "unreadable", "Invalid request",
				"The title, the encoding and the scripts' names have to be text without NUL characters.")
		}
	}
	return l.jobs.Receive(ctx, who, jobs.Order{Kind: BuildDataset, Name: name, Options: options}, bytes, files)
}

// Load begins a job that loads a pack, or only checks it, from files. bytes is their total size, negative if unknown.
func (l *Library) Load(ctx context.Context, who account.Account, check bool, bytes int64, files jobs.Files) (
	*jobs.Job, error,
) {
	return l.jobs.Receive(ctx, who, jobs.Order{Kind: LoadPack, Options: Options{Check: check}}, bytes, files)
}

// find finds a dataset that the account may read, with its build in use and the course through which it may read it;
// nil for an account that prepares datasets.
func (l *Library) find(ctx context.Context, who account.Account, name string) (
	found query.CurrentBuildRow, course *int64, err error,
) {
	if !records.IsText(name) {
		name = ""
	}
	found, err = l.records.CurrentBuild(ctx, name)
	if err == nil && who.Can(account.Prepare) {
		return found, nil, nil
	}
	if err != nil && !records.Missing(err) {
		return found, nil, err
	}
	if err == nil {
		own, err := l.records.LearnerDatasets(ctx, who.ID)
		if err != nil {
			return found, nil, err
		}
		for _, d := range own {
			if d.Name == name {
				return found, &d.CourseID, nil
			}
		}
	}
	return found, nil, problem.New(404, "no-dataset", "There is no such dataset", "No dataset is called %q.", name)
}
