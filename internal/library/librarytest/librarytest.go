// Package librarytest gives tests a library on servers of their own, into which packs can be loaded.
package librarytest

import (
	"bytes"
	"context"
	"io"
	"log/slog"
	"maps"
	"math"
	"slices"
	"strings"
	"testing"
	"time"

	"examen/internal/account"
	"examen/internal/grading"
	"examen/internal/jobs"
	"examen/internal/library"
	"examen/internal/practice"
	"examen/internal/records"
)

// A House is the parts up to the library, on one cluster. Its clock stands until a test sets it.
type House struct {
	Store    *records.Store
	Practice *practice.Servers
	Grader   *grading.Grader
	Accounts *account.Accounts
	Jobs     *jobs.Jobs
	Library  *library.Library
	Log      *slog.Logger
	Now      time.Time
	// Hazel is an administrator, who prepares papers.
	Hazel account.Account
}

// limits are enough for a few learners.
var limits = practice.Limits{
	Time: 10 * time.Second, Rows: 100_000, Bytes: 64 << 20, RowBytes: 1 << 20, TempDisk: "64MB",
	Seats: 4, Learner: 2, Wait: 20 * time.Second,
}

// Open opens the parts on a cluster, of which each test has the records to itself.
func Open(t *testing.T, url string) *House {
	t.Helper()
	ctx := context.Background()
	h := &House{Log: slog.New(slog.DiscardHandler), Now: time.Date(2026, 5, 1, 12, 0, 0, 0, time.UTC)}
	var err error
	if h.Store, err = records.Open(ctx, url); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(h.Store.Close)
	if h.Practice, err = practice.Open(ctx, []string{url}, practice.Options{Limits: limits}); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(h.Practice.Close)
	seed, err := h.Store.Seed(ctx)
	if err != nil {
		t.Fatal(err)
	}
	h.Grader = grading.New(h.Practice, seed)
	h.Accounts = account.New(h.Store, account.Limits{Calls: 10_000}, func() time.Time { return h.Now })
	lease, err := h.Store.Lease(ctx, t.Name(), t.Name(), h.Log)
	if err != nil {
		t.Fatal(err)
	}
	h.Jobs = jobs.New(
		h.Store, h.Practice, lease, func() (records, practice uint64) { return math.MaxUint64, math.MaxUint64 }, h.Log,
	)
	h.Library = library.New(h.Store, h.Practice, h.Grader, h.Jobs, h.Log)
	stop, err := h.Jobs.Start(ctx)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(stop)
	if _, err := h.Accounts.MakeAdministrator(ctx, "hazel", "Hazel Underhill", "bees and honey"); err != nil {
		t.Fatal(err)
	}
	h.Hazel = h.Account(t, "hazel")
	return h
}

// Account is an account as it is now.
func (h *House) Account(t *testing.T, name string) account.Account {
	t.Helper()
	found, err := h.Accounts.ByName(context.Background(), name)
	if err != nil {
		t.Fatal(err)
	}
	return found
}

// Files gives files as they are uploaded, in the order of their names.
func Files(files map[string]string) jobs.Files {
	names := slices.Sorted(maps.Keys(files))
	return func() (string, io.Reader, error) {
		if len(names) == 0 {
			return "", nil, io.EOF
		}
		name := names[0]
		names = names[1:]
		return name, strings.NewReader(files[name]), nil
	}
}

// Load loads a pack of files, and returns the job as it ended.
func (h *House) Load(t *testing.T, files map[string]string) *jobs.Job {
	t.Helper()
	job, err := h.Library.Load(context.Background(), h.Hazel, false, -1, Files(files))
	if err != nil {
		t.Fatal(err)
	}
	return h.Ended(t, job)
}

// Ended waits until a job has ended, or asks.
func (h *House) Ended(t *testing.T, job *jobs.Job) *jobs.Job {
	t.Helper()
	ctx, stop := context.WithCancel(context.Background())
	defer stop()
	last := job
	err := h.Jobs.Follow(ctx, h.Hazel, job.ID, func(j *jobs.Job) error {
		if last = j; j.State == jobs.Asking {
			stop()
		}
		return nil
	})
	if err != nil && last.State != jobs.Asking {
		t.Fatal(err)
	}
	return last
}

// Hives is a pack with one paper, "hives", of three exercises about a table of three hives; its variant has a fourth,
// weak one.
func Hives() map[string]string {
	const fence = "```"
	var paper bytes.Buffer
	paper.WriteString("---\npaper: hives\ntitle: Hives\ndataset: yard\n---\nThree hives.\n\n")
	paper.WriteString(fence + "sql example\nSELECT * FROM hive;\n" + fence + "\n\n")
	for _, e := range []struct{ heading, answer, check string }{
		{"All hives {#all}", "SELECT name FROM hive ORDER BY name;", "points: 0.1"},
		{"Strong hives {#strong}", "SELECT name FROM hive WHERE strength >= 5;", "points: 0.2\nattempts: 2"},
		{"How many {#count}", "SELECT count(*) FROM hive;", "points: 2"},
	} {
		paper.WriteString(
			"## " + e.heading + "\n\nWrite it.\n\n" + fence + "sql answer\n" + e.answer + "\n" + fence + "\n\n",
		)
		paper.WriteString(fence + "yaml check\n" + e.check + "\n" + fence + "\n\n")
	}
	return map[string]string{
		"pack.yaml": "pack: yard\ntitle: A yard\ndatasets:\n  yard:\n    title: A yard\n    setup: [setup.sql]\n" +
			"    variants:\n      weak: [weak.sql]\npapers: [hives.md]\n",
		"setup.sql": "CREATE TABLE hive (name text PRIMARY KEY, strength integer);\n" +
			"INSERT INTO hive VALUES ('Amber', 5), ('Bramble', 7), ('Clover', 9);\n",
		"weak.sql": "INSERT INTO hive VALUES ('Dandelion', 4);\n",
		"hives.md": paper.String(),
	}
}
