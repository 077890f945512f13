// Package server puts Examen together and runs it: the two PostgreSQL clusters, or connections to servers that others run, the
// use cases, and the HTTP listener.
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
	"syscall"
	"time"

	"golang.org/x/sync/errgroup"

	"examen/internal/exam"
	"examen/internal/postgres"
	"examen/internal/practice"
	"examen/internal/records"
	"examen/internal/web"
)

// Options say how to run the service.
type Options struct {
	Listen      string // host:port; port 0 takes a free one
	DataDir     string // of the clusters that Examen starts itself
	RecordsURL  string // "" starts a cluster
	PracticeURL string // "" starts a cluster
	Limits      practice.Limits
	Log         *slog.Logger
}

// A Server is a running service.
type Server struct {
	Exam *exam.Service

	records  *records.Store
	practice *practice.Server
	clusters []*postgres.Cluster // records' first
	folder   *postgres.Folder
	listener net.Listener
	http     *http.Server
	failed   chan error
	stopWork func()        // on jobs
	stopping chan struct{} // closed as the service begins to stop
}

// practiceMemory bounds what one process of the practice cluster may address: its shared memory and what queries ask for.
const practiceMemory = 1 << 30

// PracticeCluster is the practice cluster that Examen runs itself, but for its folder: what is built there can be built again.
var PracticeCluster = postgres.Options{Super: "examen_practice", AddressSpace: practiceMemory, Settings: map[string]string{
	"max_connections": "150", "max_wal_size": "1GB", "synchronous_commit": "off", "wal_level": "minimal", "max_wal_senders": "0", "max_prepared_transactions": "0",
	"client_connection_check_interval": "1s", "max_locks_per_transaction": "128"}}

// Start starts everything; the service answers when it returns. With an error nothing is left running.
func Start(ctx context.Context, options Options) (_ *Server, err error) {
	s := &Server{failed: make(chan error, 1), stopping: make(chan struct{})}
	defer func() {
		if err != nil {
			s.Stop()
		}
	}()
	if s.listener, err = net.Listen("tcp", options.Listen); err != nil {
		if errors.Is(err, syscall.EADDRINUSE) {
			return nil, fmt.Errorf("the address %s is taken by another program: choose another, such as --listen 127.0.0.1:0 for any free port (with make: make demo PORT=8090)", options.Listen)
		}
		return nil, fmt.Errorf("listen on %s: %w", options.Listen, err)
	}
	if err := s.startClusters(ctx, &options); err != nil {
		return nil, err
	}
	var both errgroup.Group
	both.Go(func() (err error) {
		s.records, err = records.Open(ctx, options.RecordsURL)
		return err
	})
	both.Go(func() (err error) {
		s.practice, err = practice.Open(ctx, options.PracticeURL, options.Limits)
		return err
	})
	if err := both.Wait(); err != nil {
		return nil, err
	}
	if s.clusters != nil && s.clusters[1] != nil {
		s.practice.Ease(func(pid uint32, share practice.Share) error {
			return postgres.SetPriority(pid, share != practice.Ordinary, share == practice.Confined)
		}, runtime.NumCPU())
	}
	s.Exam = exam.New(s.records, s.practice, options.Log)
	if s.clusters != nil && s.clusters[1] != nil {
		if err := s.Exam.DropLeftOver(ctx); err != nil {
			return nil, err
		}
	}
	if s.stopWork, err = s.Exam.Begin(ctx, s.clusters != nil && s.clusters[0] != nil); err != nil {
		return nil, err
	}
	s.http = &http.Server{Handler: web.Handler(s.Exam, options.Log, s.stopping), ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute,
		ErrorLog: slog.NewLogLogger(options.Log.Handler(), slog.LevelWarn)}
	go func() { s.failed <- s.http.Serve(s.listener) }()
	return s, nil
}

// startClusters starts those clusters that no URL stands for, and fills in their URLs.
func (s *Server) startClusters(ctx context.Context, options *Options) error {
	if options.RecordsURL != "" && options.PracticeURL != "" {
		return nil
	}
	var err error
	if s.folder, err = postgres.OpenFolder(options.DataDir); err != nil {
		return err
	}
	s.clusters = make([]*postgres.Cluster, 2)
	var both errgroup.Group
	start := func(place int, url *string, o postgres.Options) {
		if *url != "" {
			return
		}
		o.Log = options.Log
		both.Go(func() (err error) {
			if s.clusters[place], err = postgres.Start(ctx, o); err == nil {
				*url = s.clusters[place].URL("postgres")
			}
			return err
		})
	}
	start(0, &options.RecordsURL, postgres.Options{Folder: filepath.Join(s.folder.Path, "records"), Super: "examen_records", Settings: map[string]string{"max_connections": "60"}})
	practice := PracticeCluster
	practice.Folder = filepath.Join(s.folder.Path, "practice")
	start(1, &options.PracticeURL, practice)
	return both.Wait()
}

// Address is where the service listens, as host:port.
func (s *Server) Address() string { return s.listener.Addr().String() }

// Wait returns when the service has failed, or ctx is done.
func (s *Server) Wait(ctx context.Context) error {
	select {
	case err := <-s.failed:
		return err
	case <-ctx.Done():
		return nil
	}
}

// Stop finishes the calls at hand and stops all that Start started.
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
