package server

import (
	"context"
	"net/http"
	"time"

	"github.com/coreos/go-systemd/v22/daemon"
)

// TellManager tells the service manager, where one started this process (sd_notify(3)), that the service is ready; that
// it is alive, as often as the manager asks, until the context ends; and then that it is stopping.
func (s *Server) TellManager(ctx context.Context) {
	Notify(daemon.SdNotifyReady)
	every, err := daemon.SdWatchdogEnabled(false)
	if err != nil || every == 0 {
		every = time.Hour // nobody watches
	}
	for {
		select {
		case <-time.After(every / 3):
			if s.answers() {
				Notify(daemon.SdNotifyWatchdog)
			}
		case <-ctx.Done():
			Notify(daemon.SdNotifyStopping)
			return
		}
	}
}

// Notify tells the service manager something, where there is one.
func Notify(state string) { _, _ = daemon.SdNotify(false, state) } // it misses what it is not told, and says so

// answers tells whether calls are still answered, as a call would find out.
func (s *Server) answers() bool {
	request, err := http.NewRequest(http.MethodGet, "/api/health/live", nil)
	if err != nil {
		return false
	}
	request.RemoteAddr = "127.0.0.1:1"
	answer := &probe{header: http.Header{}}
	done := make(chan struct{})
	go func() {
		defer close(done)
		s.http.Handler.ServeHTTP(answer, request)
	}()
	select {
	case <-done:
		return answer.status == http.StatusNoContent
	case <-time.After(healthPatience):
		return false
	}
}

// probe is what an answer is written into that nobody reads.
type probe struct {
	header http.Header
	status int
}

func (p *probe) Header() http.Header         { return p.header }
func (p *probe) Write(b []byte) (int, error) { return len(b), nil }
func (p *probe) WriteHeader(status int)      { p.status = status }
