package web

import (
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"time"

	"github.com/gin-gonic/gin"

	"examen/internal/problem"
)

// How long a call's body may take to come, and an answer to be taken: so long, and as long as slowest needs for what
// has come or gone; and between two pieces of files.
const (
	bodyPatience = 15 * time.Second
	filePatience = 30 * time.Second
	slowest      = 4 << 10 // bytes a second
)

// slowly bounds how long a call may take to arrive, so that callers who send drop by drop do not hold connections for
// ever.
func slowly(c *gin.Context) {
	control := http.NewResponseController(c.Writer)
	if c.Request.Body == nil || c.Request.Body == http.NoBody {
		return
	}
	if err := control.SetReadDeadline(time.Now().Add(bodyPatience)); err != nil {
		return // a test's own connection
	}
	c.Request.Body = &patient{ReadCloser: c.Request.Body, control: control, begun: time.Now()}
}

// patient is a body that is given more time the more of it has arrived.
type patient struct {
	io.ReadCloser
	control *http.ResponseController
	begun   time.Time
	bytes   int64
}

func (p *patient) Read(b []byte) (int, error) {
	due := p.begun.Add(bodyPatience + time.Duration(p.bytes/slowest)*time.Second)
	if pause := time.Now().Add(filePatience); due.After(pause) {
		due = pause
	}
	_ = p.control.SetReadDeadline(due)
	n, err := p.ReadCloser.Read(b)
	p.bytes += int64(n)
	if err == io.EOF { // what is read from now on is whether the caller is still there
		_ = p.control.SetReadDeadline(time.Time{})
	}
	if errors.Is(err, os.ErrDeadlineExceeded) {
		err = &problem.Problem{
			Type:   "examen:too-slow",
			Title:  "The request came too slowly",
			Status: 408,
			Detail: fmt.Sprintf(
				"%d bytes had come after %d seconds. Send it again.", p.bytes, int(time.Since(p.begun).Seconds()),
			),
		}
	}
	return n, err
}

// paced bounds how long answers may take to be taken, so that callers who take them drop by drop do not hold
// connections and results for ever.
func paced(answer http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		p := &pacedWriter{ResponseWriter: w, control: http.NewResponseController(w)}
		answer.ServeHTTP(p, r)
		p.bound(0) // for what is still to be sent
	})
}

// pacedWriter counts the time that the caller takes, and none that the service does.
type pacedWriter struct {
	http.ResponseWriter
	control *http.ResponseController
	bytes   int64
	waited  time.Duration
}

// bound gives the caller as long as it may still take for what has gone, and so many bytes more.
func (p *pacedWriter) bound(more int) {
	p.bytes += int64(more)
	left := bodyPatience + time.Duration(p.bytes/slowest)*time.Second - p.waited
	_ = p.control.SetWriteDeadline(time.Now().Add(left)) // a test's own connection has none
}

// within has something sent within what is left, and counts what it takes.
func (p *pacedWriter) within(more int, send func()) {
	p.bound(more)
	begun := time.Now()
	send()
	p.waited += time.Since(begun)
	_ = p.control.SetWriteDeadline(time.Time{})
}

func (p *pacedWriter) Write(b []byte) (n int, err error) {
	p.within(len(b), func() { n, err = p.ResponseWriter.Write(b) })
	return n, err
}

func (p *pacedWriter) Flush() {
	p.within(0, func() { _ = p.control.Flush() })
}

func (p *pacedWriter) Unwrap() http.ResponseWriter { return p.ResponseWriter }
