// Package problem says what is wrong in three parts: what was expected, what came, and what to do. A [Problem] is an
// error; the service answers with it as a problem details object (RFC 9457), and attempts keep it.
package problem

import (
	"encoding/json"
	"fmt"

	"examen/internal/core/sqltext"
)

// A Problem says what was expected, what came and what to do (RFC 9457).
type Problem struct {
	// "examen:" and a stable word
	Type  string `json:"type"`
	Title string `json:"title"`
	// of HTTP
	Status int    `json:"status"`
	Detail string `json:"detail"`
	// that Place is in; empty for a query
	File  string         `json:"file,omitempty"`
	Place *sqltext.Place `json:"place,omitempty"`
	// seconds after which to try again
	RetryAfter int `json:"retry_after,omitempty"`
	// of a query: what the database adds to its message, which is Title
	Hint string `json:"hint,omitempty"`
	// of a query: the corrected text, as an offer
	Mended string `json:"mended,omitempty"`
}

// New returns a problem of a kind, which is the stable word of its type, with the status that HTTP has for it. The
// detail is a format where arguments follow it.
func New(status int, kind, title, detail string, args ...any) *Problem {
	if len(args) > 0 {
		detail = fmt.Sprintf(detail, args...)
	}
	return &Problem{Type: "examen:" + kind, Title: title, Status: status, Detail: detail}
}

// Stored is the problem as JSON, to be kept; nil for no problem.
func (p *Problem) Stored() json.RawMessage {
	if p == nil {
		return nil
	}
	b, _ := json.Marshal(p) // cannot fail: strings and numbers
	return b
}

func (p *Problem) Error() string { return p.Title + ": " + p.Detail }
