// Package server assembles Examen and runs it: the two PostgreSQL clusters, or connections to servers that others run,
// the use cases, and the HTTP listener.
package server

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"
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
	RecordsURL  string   // "" starts a cluster
	PracticeURL []string // one for each server; none starts a cluster
	Standbys    []string // URLs of streaming standbys of practice servers
	Placed      int      // on how many practice servers a dataset is, where there are so many
	Limits      practice.Limits
	Learner     account.Limits // what one learner may ask for
	Copies      work.CopyRoom  // of learners' copies of datasets
	MailServer  string         // a URL, see [post.New]; "" sends no e-mail
	MailFrom    string         // the address from which e-mail is sent
	PublicURL   string         // the service's, as it stands in e-mail; "" is where it listens
	Proxies     []string       // addresses or networks of proxies whose word is taken for where calls come from
	Log         *slog.Logger
}

// Defaults returns the options of a service for which nothing is configured.
func Defaults() Options {
	return Options{
		Placed:  practice.DefaultCopies,
		Limits:  practice.DefaultLimits,
		Learner: account.Limits{Calls: account.DefaultCalls, OneTime: account.DefaultOneTime},
		Copies:  work.DefaultCopyRoom,
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
	failed   chan error
	stopWork func()        // on jobs
	release  func()        // gives the lease up
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
		"client_connection_check_interval": "1s", "max_locks_per_transaction": "128"},
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
	s := &Server{failed: make(chan error, 2), stopping: make(chan struct{})}
	defer func() {
		if err != nil {
			s.Stop()
		}
	}()
	if s.listener, err = net.Listen("tcp", options.Listen); err != nil {
		if errors.Is(err, syscall.EADDRINUSE) {
			return nil, fmt.Errorf(
				"the address %s is taken by another program: choose another, such as --listen 127.0.0.1:0 for any "+
					"free port (with make: make demo PORT=8090)",
				options.Listen,
			)
		}
		return nil, fmt.Errorf("listen on %s: %w", options.Listen, err)
	}
	postgres.SpareProcess()
	if err := s.startClusters(ctx, &options); err != nil {
		return nil, err
	}
	if err := apart(ctx, append([]string{options.RecordsURL}, options.PracticeURL...)); err != nil {
		return nil, err
	}
	if err := s.open(ctx, options); err != nil {
		return nil, err
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
	handler, err := s.assemble(ctx, options)
	if err != nil {
		return nil, err
	}
	s.http = &http.Server{Handler: handler, ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute,
		ErrorLog: slog.NewLogLogger(options.Log.Handler(), slog.LevelWarn)}
	go func() { s.failed <- s.http.Serve(s.listener) }()
	return s, nil
}

// open opens the records and takes a lease there, and opens the practice servers with what it gives.
func (s *Server) open(ctx context.Context, options Options) (err error) {
	if s.records, err = records.Open(ctx, options.RecordsURL); err != nil {
		return err
	}
	if err := records.Recommend(ctx, s.records, options.Log); err != nil {
		return err
	}
	home := records.Home(s.Address())
	if s.clusters != nil && s.clusters[0] != nil { // whose folder is this process's alone
		home = "with the records' cluster"
	}
	if s.lease, err = s.records.Lease(ctx, s.Address(), home, options.Log); err != nil {
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

// assemble puts the parts together, each on those below it, and starts working on jobs.
func (s *Server) assemble(ctx context.Context, options Options) (http.Handler, error) {
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
	books := library.New(s.records, s.practice, grader, background, options.Log)
	courses := course.New(s.records, s.Accounts, books, time.Now)
	webhooks := course.Webhooks{Courses: courses}
	background.HandleTask(records.DeliverMark, webhooks.Deliver)
	mails, err := s.mails(courses, options)
	if err != nil {
		return nil, err
	}
	s.Work = work.New(s.records, s.practice, grader, s.Accounts, courses, books, options.Copies, options.Log)
	parts := web.Parts{
		Accounts: s.Accounts,
		Courses:  courses,
		Library:  books,
		Servers:  library.NewServers(books),
		Work:     s.Work,
		Rechecks: s.Work.Rechecks(background),
		Jobs:     background,
		Health:   s.health,
	}
	following, end := context.WithCancel(context.WithoutCancel(ctx))
	go s.records.Follow(following)
	go s.Work.Copies().LookAfter(following, s.lease.First)
	go parts.Servers.LookAfter(following, s.lease.First)
	go webhooks.Queue(following)
	if mails != nil {
		background.HandleTask(records.SendMail, mails.Send)
		go mails.Remind(following)
	}
	stopWork, err := background.Start(ctx)
	if err != nil {
		end()
		return nil, err
	}
	s.stopWork = func() { end(); stopWork() }
	return web.Handler(parts, options.Log, s.stopping, options.Proxies)
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
	address := options.PublicURL
	if address == "" {
		address = "http://" + s.listener.Addr().String()
	}
	return course.NewMails(courses, sender, strings.TrimSuffix(address, "/"), options.Log), nil
}

// apart makes sure that the records, which come first, and the practice servers are all different ones. On one with the
// records, learners' SQL would run beside them.
func apart(ctx context.Context, urls []string) error {
	var started []string
	for i, url := range urls {
		conn, err := pgx.Connect(ctx, url)
		if err != nil {
			continue // who opens it says so
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
	var err error
	if s.folder, err = postgres.OpenFolder(options.DataDir); err != nil {
		return err
	}
	s.clusters = make([]*postgres.Cluster, 2)
	var both errgroup.Group
	start := func(place int, started func(url string), o postgres.Options) {
		o.Log = options.Log
		both.Go(func() (err error) {
			if s.clusters[place], err = postgres.Start(ctx, o); err == nil {
				started(s.clusters[place].URL("postgres"))
			}
			return err
		})
	}
	keep, run := recordsCluster, PracticeCluster
	keep.Folder, run.Folder = filepath.Join(s.folder.Path, "records"), filepath.Join(s.folder.Path, "practice")
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
	if s.http != nil {
		ctx, cancel := context.WithTimeout(context.Background(), 15*time.Second)
		if s.http.Shutdown(ctx) != nil {
			s.http.Close()
		}
		cancel()
	} else if s.listener != nil {
		s.listener.Close()
	}
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
}
