// Package server assembles Examen and runs it: the two PostgreSQL clusters, or connections to servers that others run,
// the use cases, and the HTTP listener.
package server

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"math"
	"net"
	"net/http"
	"path/filepath"
	"runtime"
	"slices"
	"sync/atomic"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"golang.org/x/sync/errgroup"

	"examen/internal/account"
	"examen/internal/course"
	"examen/internal/grading"
	"examen/internal/jobs"
	"examen/internal/library"
	"examen/internal/post"
	"examen/internal/postgres"
	"examen/internal/practice"
	"examen/internal/records"
	"examen/internal/web"
	"examen/internal/work"
)

// Options configure the service.
type Options struct {
	Listen      string   // host:port; port 0 takes a free one
	DataDir     string   // of the clusters that Examen starts itself
	Join        bool     // the clusters in DataDir, which other processes run, instead of starting them
	RecordsURL  string   // "" starts a cluster
	PracticeURL []string // one for each server; none starts a cluster
	Standbys    []string // URLs of streaming standbys of practice servers
	Placed      int      // on how many practice servers a dataset is, where there are so many
	Limits      practice.Limits
	Learner     account.Limits // what one learner may ask for
	Work        work.Bounds    // what the work of all learners together may take
	KeepRuns    time.Duration  // how long runs are kept; 0 is for ever
	MailServer  string         // a URL, see [post.New]; "" sends no e-mail
	MailFrom    string         // the address from which e-mail is sent
	Version     string         // of the program
	TLS         TLS
	Trust       web.Trust
	Log         *slog.Logger
}

// Defaults returns the options of a service for which nothing is configured.
func Defaults() Options {
	return Options{
		Placed:  practice.DefaultCopies,
		Limits:  practice.DefaultLimits,
		Learner: account.Limits{Calls: account.DefaultCalls, OneTime: account.DefaultOneTime},
		Work:    work.DefaultBounds,
	}
}

// A Server is a running service.
type Server struct {
	Accounts *account.Accounts
	Work     *work.Work

	records  *records.Store
	lease    *records.Lease // of the range of seats
	turns    *records.LearnerTurns
	practice *practice.Servers
	clusters []*postgres.Cluster // records' first
	folder   *postgres.Folder
	listener net.Listener
	http     *http.Server
	url      string        // as browsers reach it
	calls    atomic.Int64  // in progress, of those that came before the service was to stop
	patience time.Duration // for these to end once the service stops
	failed   chan error
	stopWork func() // on jobs
	release  func() // gives the lease up

	endTraces func() // sends the last ones; nil where none are asked for

	stopping chan struct{} // closed as the service begins to stop
}

// PracticeCluster is how Examen runs its own practice cluster; its folder and the memory of its sessions are set at the
// start.
var PracticeCluster = postgres.Options{
	User:       "examen-practice",
	Super:      "examen_practice",
	Expendable: true,
	Settings: map[string]string{
		"max_connections": "250", "max_wal_size": "1GB", "wal_level": "minimal", "max_wal_senders": "0",
		"max_prepared_transactions":        "0",
		"client_connection_check_interval": "1s", "max_locks_per_transaction": "128",
		"shared_buffers": pageCache(postgres.MachineMemory())},
}

// pageCache is the practice cluster's cache of pages, in PostgreSQL's unit, on a machine with some bytes of memory: a
// sixteenth of it. PostgreSQL keeps a table that is read from end to end if it takes up to a quarter of the cache;
// larger ones are read from the system anew each time. Beyond 512 MB it would hold no more of ordinary datasets, and to
// drop a database PostgreSQL looks at each page of it.
func pageCache(memory uint64) string {
	return fmt.Sprintf("%dMB", min(max(memory/16>>20, 128), 512))
}

// recordsCluster is the same for the records.
var recordsCluster = postgres.Options{
	User:     "examen-records",
	Super:    "examen_records",
	Settings: map[string]string{"max_connections": "60"},
}

// leastMemory is what a session needs for ordinary queries on ordinary datasets; mostMemory is more than any session
// needs.
const (
	leastMemory = 128 << 20
	mostMemory  = 1 << 30
)

// share divides the memory for seats among them and returns each session's part. Where a part would be too small to
// work with, it reduces the number of seats.
func share(limits *practice.Limits) (session uint64) {
	if limits.Memory == 0 {
		limits.Memory = postgres.MachineMemory() / 2
	}
	limits.Seats = min(limits.Seats, max(1, int(limits.Memory/(2*leastMemory))))
	return min(max(limits.Memory/uint64(2*limits.Seats), leastMemory), mostMemory)
}

// Start starts everything. When it returns without an error, the service answers; with an error, nothing is left
// running.
func Start(ctx context.Context, options Options) (_ *Server, err error) {
	s := &Server{
		failed: make(chan error, 2), stopping: make(chan struct{}),
		// a submission's query, the accepted answers', and both on hidden rows
		patience: 3*options.Limits.Time + 10*time.Second,
	}
	defer func() {
		if err != nil {
			s.Stop()
		}
	}()
	encrypted, err := options.TLS.config(options.DataDir, options.Log)
	if err != nil {
		return nil, err
	}
	if err := s.listen(options, encrypted != nil); err != nil {
		return nil, err
	}
	if err := s.trace(ctx, options.Version, options.Log); err != nil {
		return nil, err
	}
	postgres.SpareProcess()
	if err := s.startClusters(ctx, &options); err != nil {
		return nil, err
	}
	if err := s.connect(ctx, options); err != nil {
		return nil, err
	}
	handler, err := s.assemble(ctx, options)
	if err != nil {
		return nil, err
	}
	s.serve(handler, encrypted, options.Log)
	options.TLS.obtain(encrypted, options.Log)
	return s, nil
}

// connect opens the servers, once the clusters that are Examen's own have been started.
func (s *Server) connect(ctx context.Context, options Options) error {
	if err := apart(ctx, append([]string{options.RecordsURL}, options.PracticeURL...)); err != nil {
		return err
	}
	if err := s.open(ctx, options); err != nil {
		return err
	}
	if s.clusters != nil && s.clusters[1] != nil {
		s.practice.Beside(practice.Local{
			SetShare: func(pid uint32, share practice.Share) error {
				return postgres.SetPriority(pid, share != practice.Ordinary, share == practice.Confined)
			},
			Processors: runtime.NumCPU(),
			Used:       postgres.ProcessorTime,
			Kill:       func(pid uint32) error { return s.clusters[1].KillSession(int(pid)) },
		})
	}
	return nil
}

// open opens the records and takes a lease there, and opens the practice servers with what it gives.
func (s *Server) open(ctx context.Context, options Options) (err error) {
	if s.records, err = records.Open(ctx, options.RecordsURL); err != nil {
		return err
	}
	if err := records.Recommend(ctx, s.records, options.Log); err != nil {
		return err
	}
	address := restoring
	if s.listener != nil {
		address = s.Address()
	}
	home := records.Home(address)
	if s.clusters != nil && s.clusters[0] != nil { // whose folder is this process's alone
		home = "with the records' cluster"
	}
	if s.lease, err = s.records.Lease(ctx, address, home, options.Log); err != nil {
		return err
	}
	s.turns = s.lease.Turns()
	using := practice.Options{
		Limits: options.Limits, Range: s.lease.Range, Live: s.lease.Live, Turns: s.turns, Copies: options.Placed,
		Standbys: options.Standbys,
		Log:      options.Log,
	}
	if using.Installation, err = s.records.SettingValue(ctx, "installation"); err != nil {
		return err
	}
	key, err := s.records.SettingValue(ctx, "copies key")
	if err != nil {
		return err
	}
	using.Key = []byte(key)
	// From here on the lease is kept, so that making the seats may take as long as it does. Until they are made, there
	// is nothing to be moved or released.
	opened := make(chan struct{})
	open := func(ctx context.Context) error {
		select {
		case <-opened:
			return nil
		case <-ctx.Done():
			return ctx.Err()
		}
	}
	keeping, stop := context.WithCancel(context.WithoutCancel(ctx))
	kept := make(chan struct{})
	s.release = func() { stop(); <-kept }
	go func() {
		defer close(kept)
		s.lease.Keep(keeping, func(ctx context.Context) error {
			if err := open(ctx); err != nil {
				return err
			}
			return s.practice.Operation().Move(ctx)
		}, func(ctx context.Context, number int) error {
			if err := open(ctx); err != nil {
				return err
			}
			return s.practice.Operation().Release(ctx, number)
		})
	}()
	defer func() {
		if err == nil {
			close(opened)
		}
	}()
	s.practice, err = practice.Open(ctx, options.PracticeURL, using)
	return err
}

// rooms are the parts that a service consists of, without those that reach the world outside.
type rooms struct {
	grader     *grading.Grader
	background *jobs.Jobs
	books      *library.Library
	courses    *course.Courses
}

// furnish puts the parts together, each on those below it.
func (s *Server) furnish(ctx context.Context, options Options) (*rooms, error) {
	seed, err := s.records.Seed(ctx)
	if err != nil {
		return nil, err
	}
	grader := grading.New(s.practice, seed)
	options.Learner.Hear = s.records.HearSpent
	options.Learner.Tell = func(account int64, calls, bytes int) {
		if !s.lease.Alone() {
			go func() { _ = s.records.TellSpent(context.WithoutCancel(ctx), account, calls, bytes) }()
		}
	}
	s.Accounts = account.New(s.records, options.Learner, time.Now)
	background := jobs.New(s.records, s.practice, s.lease, s.room, options.Log)
	background.Daily("counts of log-ins", s.Accounts.Sweep)
	if options.KeepRuns > 0 {
		background.Daily("runs that were kept long enough", func(ctx context.Context) error {
			return work.ForgetRuns(ctx, s.records, options.KeepRuns)
		})
	}
	books := library.New(s.records, s.practice, grader, background, options.Log)
	courses := course.New(s.records, s.Accounts, books, time.Now)
	s.Work = work.New(s.records, s.practice, grader, s.Accounts, courses, books, options.Work, options.Log)
	return &rooms{grader, background, books, courses}, nil
}

// assemble puts the parts together and starts working on jobs.
func (s *Server) assemble(ctx context.Context, options Options) (http.Handler, error) {
	r, err := s.furnish(ctx, options)
	if err != nil {
		return nil, err
	}
	webhooks := course.Webhooks{Courses: r.courses}
	r.background.HandleTask(records.DeliverMark, webhooks.Deliver)
	mails, err := s.mails(r.courses, options)
	if err != nil {
		return nil, err
	}
	parts := web.Parts{
		Accounts: s.Accounts,
		Courses:  r.courses,
		Library:  r.books,
		Servers:  library.NewServers(r.books),
		Work:     s.Work,
		Rechecks: s.Work.Rechecks(r.background),
		Jobs:     r.background,
		Health:   s.health,
		Metrics:  s.registry(r.grader),
		Version:  options.Version,
		RecordsFree: func() int64 {
			if free, _ := s.room(); free < math.MaxInt64 {
				return int64(free)
			}
			return 0
		},
	}
	following, end := context.WithCancel(context.WithoutCancel(ctx))
	go s.records.Follow(following)
	go s.Work.Copies().LookAfter(following, s.lease.First)
	go parts.Servers.LookAfter(following, s.lease.First)
	go webhooks.Queue(following)
	if mails != nil {
		r.background.HandleTask(records.SendMail, mails.Send)
		go mails.Remind(following)
	}
	stopWork, err := r.background.Start(ctx)
	if err != nil {
		end()
		return nil, err
	}
	s.stopWork = func() { end(); stopWork() }
	return web.Handler(parts, options.Log, s.stopping, options.Trust)
}

// mails has the courses send e-mail; nil where there is no server for it.
func (s *Server) mails(courses *course.Courses, options Options) (*course.Mails, error) {
	if options.MailServer == "" {
		return nil, nil
	}
	sender, err := post.New(options.MailServer, options.MailFrom)
	if err != nil {
		return nil, fmt.Errorf("e-mail cannot be sent: %w (--mail-server, --mail-from)", err)
	}
	return course.NewMails(courses, sender, s.URL(), options.Log), nil
}

// apart makes sure that the records, which come first, and the practice servers are all different ones. On one with the
// records, learners' SQL would run beside them.
func apart(ctx context.Context, urls []string) error {
	var started []string
	for i, url := range urls {
		config, err := pgxpool.ParseConfig(url) // which may say how large a pool is to be
		if err != nil {
			continue // who opens it says so
		}
		conn, err := pgx.ConnectConfig(ctx, config.ConnConfig)
		if err != nil {
			continue // so, too
		}
		var which string
		err = conn.QueryRow(ctx, `SELECT system_identifier || ' ' || pg_postmaster_start_time()
			FROM pg_control_system()`).Scan(&which)
		conn.Close(ctx)
		switch {
		case err != nil:
		case i > 0 && len(started) > 0 && started[0] == "records "+which:
			return errors.New(
				"the records and learners' SQL are on the same PostgreSQL server: name two with --records-url and " +
					"--practice-url",
			)
		case slices.Contains(started, which):
			return errors.New("two of the practice servers are the same one: name each once with --practice-url")
		case i == 0:
			started = append(started, "records "+which)
		default:
			started = append(started, which)
		}
	}
	return nil
}

// startClusters starts a cluster for each URL that is not given, and fills in its URL.
func (s *Server) startClusters(ctx context.Context, options *Options) error {
	if options.RecordsURL != "" && len(options.PracticeURL) > 0 {
		return nil
	}
	folder := options.DataDir
	if !options.Join {
		var err error
		if s.folder, err = postgres.OpenFolder(options.DataDir); err != nil {
			return err
		}
		folder = s.folder.Path
	}
	s.clusters = make([]*postgres.Cluster, 2)
	var both errgroup.Group
	start := func(place int, started func(url string), o postgres.Options) {
		o.Log = options.Log
		both.Go(func() (err error) {
			begin := postgres.Start
			if options.Join {
				begin = func(ctx context.Context, o postgres.Options) (*postgres.Cluster, error) {
					return postgres.Join(ctx, o.Folder, o.Super, o.Log)
				}
			}
			if s.clusters[place], err = begin(ctx, o); err == nil {
				started(s.clusters[place].URL("postgres"))
			}
			return err
		})
	}
	keep, run := recordsCluster, PracticeCluster
	keep.Folder, run.Folder = filepath.Join(folder, "records"), filepath.Join(folder, "practice")
	if options.RecordsURL == "" {
		start(0, func(url string) { options.RecordsURL = url }, keep)
	}
	if len(options.PracticeURL) == 0 {
		seats := options.Limits.Seats
		if run.SessionMemory = share(&options.Limits); options.Limits.Seats < seats {
			options.Log.Warn(
				"fewer queries run at once than asked for: memory is short", "seats", options.Limits.Seats, "asked",
				seats, "memory_mb", options.Limits.Memory>>20,
			)
		}
		start(1, func(url string) { options.PracticeURL = []string{url} }, run)
	}
	return both.Wait()
}

// Address returns the host:port on which the service listens.
func (s *Server) Address() string { return s.listener.Addr().String() }

// URL returns the address by which browsers reach the service: the public one, where it is set.
func (s *Server) URL() string { return s.url }

// Wait returns when the service fails or ctx is done.
func (s *Server) Wait(ctx context.Context) error {
	select {
	case err := <-s.failed:
		return err
	case <-ctx.Done():
		return nil
	}
}

// Stop finishes the calls in progress and stops everything that Start started.
func (s *Server) Stop() {
	close(s.stopping)
	s.endCalls()
	if s.stopWork != nil {
		s.stopWork()
	}
	if s.practice != nil {
		s.practice.Close()
	}
	if s.release != nil {
		s.release()
	}
	if s.turns != nil {
		s.turns.Close()
	}
	if s.records != nil {
		s.records.Close()
	}
	var all errgroup.Group
	for _, c := range s.clusters {
		if c != nil {
			all.Go(func() error { c.Stop(); return nil })
		}
	}
	_ = all.Wait()
	if s.folder != nil {
		s.folder.Close()
	}
	if s.endTraces != nil {
		s.endTraces()
	}
}
