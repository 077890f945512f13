package jobs

import (
	"context"
	"errors"
	"io"
	"io/fs"
	"log/slog"
	"math"
	"strings"
	"testing"
	"testing/synctest"
	"time"

	"examen/internal/account"
	"examen/internal/postgres/postgrestest"
	"examen/internal/practice"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

var url string

func TestMain(m *testing.M) { postgrestest.Main(m, func(u string) { url = u }) }

var ctx = context.Background()

// A yard is jobs that nobody works on until they are started, with an administrator.
type yard struct {
	*Jobs
	store *records.Store
	hazel account.Account
}

func open(t *testing.T) *yard {
	t.Helper()
	store, err := records.Open(ctx, url)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(store.Close)
	server, err := practice.Open(ctx, []string{url}, practice.Options{Limits: practice.Limits{
		Time: time.Second, Rows: 1, Bytes: 1, RowBytes: 1, TempDisk: "1MB", Seats: 1, Learner: 1, Wait: time.Second,
	}})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(server.Close)
	accounts := account.New(store, account.Limits{}, time.Now)
	if _, err := accounts.MakeAdministrator(ctx, "hazel", "Hazel", "bees and honey"); err != nil {
		t.Fatal(err)
	}
	room := func() (records, practice uint64) { return math.MaxUint64, math.MaxUint64 }
	lease, err := store.Lease(ctx, t.Name(), t.Name(), slog.New(slog.DiscardHandler))
	if err != nil {
		t.Fatal(err)
	}
	y := &yard{Jobs: New(store, server, lease, room, slog.New(slog.DiscardHandler)), store: store}
	if y.hazel, err = accounts.ByName(ctx, "hazel"); err != nil {
		t.Fatal(err)
	}
	return y
}

func (y *yard) start(t *testing.T) {
	t.Helper()
	stop, err := y.Start(ctx)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(stop)
}

// begin begins a job of a kind.
func (y *yard) begin(t *testing.T, kind string) *Job {
	t.Helper()
	job, err := y.Begin(ctx, y.hazel, Order{Kind: kind, Name: t.Name(), Options: struct{}{}})
	if err != nil {
		t.Fatal(err)
	}
	return job
}

// until follows a job until it is in a state.
func (y *yard) until(t *testing.T, job *Job, state State) *Job {
	t.Helper()
	reached := errors.New("it is in the state")
	last := job
	err := y.Follow(ctx, y.hazel, job.ID, func(j *Job) error {
		if last = j; j.State == state {
			return reached
		}
		return nil
	})
	if last.State != state {
		t.Fatalf("got %+v, %v, want %s", last, err, state)
	}
	return last
}

func nothing(*records.Transaction) error { return nil }

// A job is done once, says how far it is, and leaves its report.
func TestAJobIsDone(t *testing.T) {
	y := open(t)
	done := 0
	y.Handle("count", func(ctx context.Context, w *Work) error {
		done++
		w.Step("Counting", 3)
		w.Read(3)
		return w.Finish(ctx, map[string]int{"counted": 3}, nothing)
	})
	y.start(t)
	job := y.until(t, y.begin(t, "count"), Done)
	if string(job.Report) != `{"counted": 3}` || job.Progress.Step != "Counting" || job.Progress.Bytes != 3 ||
		done != 1 {
		t.Errorf("got %+v, done %d times", job, done)
	}
}

// What goes wrong in a job ends it, and says so: nothing of the inside.
func TestAJobThatFails(t *testing.T) {
	y := open(t)
	for kind, err := range map[string]error{
		"refused": problem.New(422, "why", "It cannot be done", "For a reason."),
		"fault":   errors.New("dial tcp 10.0.0.1: secret"),
		"panic":   nil,
	} {
		y.Handle(kind, func(context.Context, *Work) error {
			if err == nil {
				panic("secret")
			}
			return err
		})
	}
	y.start(t)
	for kind, want := range map[string]string{
		"refused": "examen:why", "fault": "examen:fault", "panic": "examen:fault", "unknown": "examen:fault",
	} {
		job := y.until(t, y.begin(t, kind), Failed)
		if job.Problem.Type != want || strings.Contains(job.Problem.Error(), "secret") {
			t.Errorf("%s: got %+v", kind, job.Problem)
		}
	}
}

// A job that asks waits until it is confirmed.
func TestAJobThatAsks(t *testing.T) {
	y := open(t)
	y.Handle("asks", func(ctx context.Context, w *Work) error {
		if !w.Confirmed {
			return &Asks{Report: "Really?"}
		}
		return w.Finish(ctx, "Done.", nothing)
	})
	y.start(t)
	job := y.until(t, y.begin(t, "asks"), Asking)
	if string(job.Report) != `"Really?"` {
		t.Errorf("got %s", job.Report)
	}
	if _, err := y.Confirm(ctx, y.hazel, job.ID); err != nil {
		t.Fatal(err)
	}
	if job = y.until(t, job, Done); string(job.Report) != `"Done."` {
		t.Errorf("got %s", job.Report)
	}
	if _, err := y.Confirm(ctx, y.hazel, job.ID); err == nil || !strings.Contains(err.Error(), "It is done") {
		t.Errorf("confirmed again: %v", err)
	}
}

// A job that runs ends within a moment of being told to stop.
func TestAJobThatIsStopped(t *testing.T) {
	y := open(t)
	begun := make(chan struct{})
	y.Handle("long", func(ctx context.Context, w *Work) error {
		close(begun)
		<-ctx.Done()
		return ctx.Err()
	})
	y.start(t)
	job := y.begin(t, "long")
	<-begun
	if _, err := y.Stop(ctx, y.hazel, job.ID); err != nil {
		t.Fatal(err)
	}
	y.until(t, job, Stopped)
}

// A service that is gone leaves jobs behind: one that was being received failed, one that ran is done again, and one
// that was tried too often, or told to stop, is not. Nobody but one works on each.
func TestJobsOfAServiceThatIsGoneAreTakenOver(t *testing.T) {
	y := open(t)
	left := map[string]query.Job{}
	own := y.holder
	y.holder = "gone"
	for _, name := range []string{"receiving", "running", "tried", "stopping"} {
		row, err := y.create(ctx, y.hazel, Order{Kind: "left", Name: name, Options: struct{}{}})
		if err != nil {
			t.Fatal(err)
		}
		left[name] = row
		if _, err := y.store.KeepFile(ctx, row.ID, 0, "a.sql", strings.NewReader("SELECT 1")); err != nil {
			t.Fatal(err)
		}
		if name == "receiving" {
			continue
		}
		tries := map[string]int{"tried": mostTries}[name] + 1
		for n := range tries {
			if _, err := y.store.QueueJob(ctx, row.ID); err != nil {
				t.Fatal(err)
			}
			worker := "gone/1"
			if _, err := y.store.ClaimJob(ctx, query.ClaimJobParams{ID: row.ID, Worker: &worker}); err != nil {
				t.Fatal(err)
			}
			if n == tries-1 {
				break
			}
			leave := query.LeaveJobParams{ID: row.ID, Worker: &worker, State: string(Receiving)}
			if _, err := y.store.LeaveJob(ctx, leave); err != nil {
				t.Fatal(err)
			}
		}
	}
	y.holder = own
	if _, err := y.store.StopJob(ctx, left["stopping"].ID); err != nil {
		t.Fatal(err)
	}
	read := make(chan string, 10)
	y.Handle("left", func(ctx context.Context, w *Work) error {
		text, err := fs.ReadFile(w.Files, "a.sql")
		read <- string(text)
		if err != nil {
			return err
		}
		return w.Finish(ctx, nil, nothing)
	})
	y.start(t)
	for name, want := range map[string]State{
		"receiving": Failed, "running": Done, "tried": Failed, "stopping": Stopped,
	} {
		job, err := y.job(ctx, left[name].ID)
		if err != nil {
			t.Fatal(err)
		}
		job = y.until(t, job, want)
		if want == Failed && (job.Problem == nil || job.Problem.Type != "examen:cut-short") {
			t.Errorf("got %+v", job.Problem)
		}
	}
	if text := <-read; text != "SELECT 1" {
		t.Errorf("its files are there: %q", text)
	}
	// The files of what will not go on are gone.
	folder, _, err := y.store.Files(ctx, left["receiving"].ID)
	if err != nil {
		t.Fatal(err)
	}
	if text, err := fs.ReadFile(folder, "a.sql"); err == nil {
		t.Errorf("the files of the upload are kept: %q", text)
	}
}

// An upload that breaks off leaves no job.
func TestAnUploadThatBreaksOff(t *testing.T) {
	y := open(t)
	broken := errors.New("broken off")
	given := 0
	files := func() (string, io.Reader, error) {
		if given++; given > 1 {
			return "", nil, broken
		}
		return "a.sql", strings.NewReader("SELECT 1"), nil
	}
	order := Order{Kind: "upload", Name: t.Name(), Options: struct{}{}}
	if _, err := y.Receive(ctx, y.hazel, order, -1, files); !errors.Is(err, broken) {
		t.Errorf("got %v", err)
	}
	all, err := y.List(ctx, y.hazel, t.Name(), "upload")
	if err != nil || len(all) != 0 {
		t.Errorf("got %+v, %v", all, err)
	}
	for name, wrong := range map[string]string{
		"../a.sql": "path", "/etc/passwd": "path", `a\b.sql`: "path", "": "path",
	} {
		once := false
		_, err := y.Receive(ctx, y.hazel, order, -1, func() (string, io.Reader, error) {
			if once {
				return "", nil, io.EOF
			}
			once = true
			return name, strings.NewReader("x"), nil
		})
		var p *problem.Problem
		if !errors.As(err, &p) || p.Type != "examen:"+wrong {
			t.Errorf("%q: got %v", name, err)
		}
	}
}

// What is done daily is done at the start, and once a day.
func TestWhatIsDoneDaily(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		done := 0
		working, stop := context.WithCancel(ctx)
		go every(working, dailyEvery, func() { done++ })
		time.Sleep(49 * time.Hour)
		stop()
		synctest.Wait()
		if done != 3 {
			t.Errorf("done %d times in two days", done)
		}
	})
}
