package web

import (
	"bytes"
	"crypto/subtle"
	"errors"
	"io"
	"net/http"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/gin-gonic/gin"

	"examen/internal/exam"
)

const (
	cookieName = "examen_session"
	csrfHeader = "X-CSRF-Token"
)

// Bounds of a call's body, in bytes.
const (
	longestBody   = 1 << 20
	longestUpload = 64 << 30 // of files, which are kept in pieces as they come
	// drained is how much of a body that is too long is read and thrown away, so that the caller gets to read the answer.
	drained = 64 << 20
)

func (s *server) logged(c *gin.Context) {
	start := time.Now()
	c.Next()
	s.log.Debug("call", "method", c.Request.Method, "path", c.Request.URL.Path, "status", c.Writer.Status(), "ms", time.Since(start).Milliseconds())
}

func headers(c *gin.Context) {
	h := c.Writer.Header()
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("X-Frame-Options", "DENY")
	h.Set("Referrer-Policy", "same-origin")
	h.Set("Content-Security-Policy", "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self' data:; frame-ancestors 'none'; base-uri 'none'")
	if strings.HasPrefix(c.Request.URL.Path, "/api/") {
		h.Set("Cache-Control", "no-store")
	}
	c.Next()
}

// authenticate finds the session that a call belongs to; only logging in and the servers' state need none.
func (s *server) authenticate(c *gin.Context) {
	path, method := c.FullPath(), c.Request.Method
	if path == "/api/health" || path == "/api/session" && method == http.MethodPost {
		return
	}
	token, bearer := strings.CutPrefix(c.GetHeader("Authorization"), "Bearer ")
	if !bearer {
		token, _ = c.Cookie(cookieName)
	}
	if token == "" {
		s.fail(c, &exam.Problem{Type: "examen:no-session", Title: "Nobody is logged in", Status: 401, Detail: "Log in first."})
		return
	}
	session, err := s.service.Session(c.Request.Context(), token)
	if err == nil && (session.Kind == exam.Bearer) != bearer {
		err = &exam.Problem{Type: "examen:no-session", Title: "The session is of the other kind", Status: 401, Detail: "Send a bearer token in Authorization, a cookie's in the cookie."}
	}
	if err == nil && !bearer && method != http.MethodGet && method != http.MethodHead &&
		subtle.ConstantTimeCompare([]byte(c.GetHeader(csrfHeader)), []byte(session.CSRFToken)) != 1 {
		err = &exam.Problem{Type: "examen:csrf", Title: "The call may not come from this page", Status: 403, Detail: "Send the session's csrf_token in the header " + csrfHeader + "."}
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Set("session", session)
}

// takesFiles tells whether a call's body is files, which are read as they come.
func takesFiles(c *gin.Context) bool {
	return c.Request.Method == http.MethodPost && (c.FullPath() == "/api/packs" || c.FullPath() == "/api/datasets/:dataset/builds") &&
		c.ContentType() == "multipart/form-data"
}

// body reads a call's body, within bounds, and makes sure that it is UTF-8, so that no text is changed on the way in.
func (s *server) body(c *gin.Context) {
	if c.Request.Body == nil || c.Request.Body == http.NoBody {
		return
	}
	if takesFiles(c) {
		c.Request.Body = http.MaxBytesReader(nil, c.Request.Body, longestUpload)
		return
	}
	const longest = longestBody
	content, err := io.ReadAll(http.MaxBytesReader(nil, io.NopCloser(io.LimitReader(c.Request.Body, longest+1)), longest))
	var tooLong *http.MaxBytesError
	switch {
	case errors.As(err, &tooLong):
		_, _ = io.CopyN(io.Discard, c.Request.Body, drained)
		s.fail(c, &exam.Problem{Type: "examen:too-long", Title: "The call is too long", Status: 413,
			Detail: "At most " + size(longest) + " are taken; a query has at most " + size(exam.LongestQuery) + "."})
		return
	case err != nil:
		s.fail(c, unreadable(err))
		return
	case !utf8.Valid(content):
		s.fail(c, &exam.Problem{Type: "examen:not-utf-8", Title: "The call is not valid UTF-8", Status: 400, Detail: "Save the text as UTF-8 and send it again."})
		return
	}
	if len(content) > 0 && !strings.HasPrefix(c.ContentType(), "application/json") {
		s.fail(c, &exam.Problem{Type: "examen:unreadable", Title: "The call cannot be read", Status: 415, Detail: "The body has to be application/json."})
		return
	}
	c.Request.Body = io.NopCloser(bytes.NewReader(content))
}
