package web

import (
	"bytes"
	"crypto/subtle"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/netip"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/gin-gonic/gin"

	"examen/internal/account"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/work"
)

const (
	cookieName   = "examen_session"
	deviceCookie = "examen_device"
	csrfHeader   = "X-CSRF-Token"
)

// Bounds of a call's body, in bytes.
const (
	longestLogIn = 64 << 10
	longestBody  = 1 << 20
	longestText  = 12 << 20 // of a paper, twice
	// longestPicture is how much is read of what is sent as a picture, and mostly thrown away.
	longestPicture = 100 << 20
	longestUpload  = 64 << 30 // of files, which are kept in pieces as they come
	// drained is how much of a body that is too long is read and thrown away, so that the caller gets to read the
	// answer.
	drained = 8 << 20
)

// trusted tells whether a call came through a proxy whose word is taken.
func (s *server) trusted(c *gin.Context) bool {
	from, err := netip.ParseAddr(c.RemoteIP())
	return err == nil && contains(s.proxies, from)
}

func contains(networks []netip.Prefix, address netip.Addr) bool {
	return slices.ContainsFunc(
		networks, func(network netip.Prefix) bool { return network.Contains(address.Unmap()) },
	)
}

// secure tells whether a call arrived over TLS, at this process or at a trusted proxy, or the service is reached in no
// other way.
func (s *server) secure(c *gin.Context) bool {
	return c.Request.TLS != nil || s.public.Scheme == "https" ||
		c.GetHeader("X-Forwarded-Proto") == "https" && s.trusted(c)
}

func (s *server) headers(c *gin.Context) {
	h := c.Writer.Header()
	if s.secure(c) {
		h.Set("Strict-Transport-Security", "max-age=31536000")
	}
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("X-Frame-Options", "DENY")
	h.Set("Referrer-Policy", "same-origin")
	h.Set(
		"Content-Security-Policy",
		"default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self' data:; "+
			"object-src 'none'; form-action 'self'; frame-ancestors 'none'; base-uri 'none'",
	)
	if strings.HasPrefix(c.Request.URL.Path, "/api/") {
		h.Set("Cache-Control", "no-store")
	}
	c.Next()
}

// fromOwnPages refuses a call that a browser makes for another site's page.
func (s *server) fromOwnPages(c *gin.Context) {
	if s.origins.Check(c.Request) == nil {
		return
	}
	p := problem.New(403, "cross-origin", "This request was blocked (another site's page sent it)",
		"Only this service's own pages may send it.")
	if origin := c.GetHeader("Origin"); origin != "" {
		p.Detail = fmt.Sprintf("It came from %.100q. If that is this service's own address, have the service started "+
			"with it as --public-url.", origin)
	}
	s.fail(c, p)
}

// stoppingType is the type of problem of a call that is turned away.
const stoppingType = "examen:stopping"

// turnedAway refuses calls that begin something while the service stops. Those that ask are answered until the end.
func (s *server) turnedAway(c *gin.Context) {
	select {
	case <-s.stopping:
		c.Header("Connection", "close")
		if c.Request.Method == http.MethodGet || c.Request.Method == http.MethodHead {
			return
		}
		p := problem.New(503, "stopping", "The service is being stopped or restarted",
			"Nothing was done. Send it again in some seconds.")
		p.RetryAfter = 3 // seconds
		s.fail(c, p)
	default:
	}
}

// admitted counts the call among those of the address that it comes from.
func (s *server) admitted(c *gin.Context) {
	if err := s.Accounts.Throttle().AdmitAddress(c.ClientIP(), weight(c)); err != nil {
		s.fail(c, err)
	}
}

// runPaths are the calls that run SQL that came with them.
var runPaths = []string{
	"/api/runs", "/api/plans", "/api/papers/:paper/exercises/:exercise/attempts", "/api/attempts/:attempt/example",
}

// weight is what a call counts for.
func weight(c *gin.Context) int {
	if c.Request.Method == http.MethodPost && slices.Contains(runPaths, c.FullPath()) {
		return account.OneRun
	}
	return account.OneCall
}

// authenticate finds the call's session. Only logging in, asking for the servers' state, and reading a calendar whose
// secret address one knows need none.
func (s *server) authenticate(c *gin.Context) {
	path, method := c.FullPath(), c.Request.Method
	if path == "/api/health" || path == "/api/health/live" || path == "/api/session" && method == http.MethodPost ||
		path == "/api/calendars/:secret" {
		return
	}
	token, bearer := strings.CutPrefix(c.GetHeader("Authorization"), "Bearer ")
	if !bearer {
		token, _ = c.Cookie(cookieName)
	}
	if token == "" {
		s.fail(
			c,
			&problem.Problem{
				Type:   "examen:no-session",
				Title:  "Nobody is logged in",
				Status: 401,
				Detail: "Log in first.",
			},
		)
		return
	}
	session, err := s.Accounts.Session(c.Request.Context(), token)
	if err == nil && (session.Kind == account.Bearer) != bearer {
		err = &problem.Problem{
			Type:   "examen:no-session",
			Title:  "Wrong kind of session",
			Status: 401,
			Detail: "Send a bearer token in Authorization, a cookie's in the cookie.",
		}
	}
	if err == nil && !bearer && method != http.MethodGet && method != http.MethodHead &&
		subtle.ConstantTimeCompare([]byte(c.GetHeader(csrfHeader)), []byte(session.CSRFToken)) != 1 {
		err = &problem.Problem{
			Type:   "examen:csrf",
			Title:  "This request was blocked (security token)",
			Status: 403,
			Detail: "Send the session's csrf_token in the header " + csrfHeader + ".",
		}
	}
	if err == nil && session.Account.OneTime && path != "/api/session" && path != "/api/password" {
		err = &problem.Problem{
			Type:   "examen:one-time-password",
			Title:  "Choose a password of your own first",
			Status: 403,
			Detail: "You are logged in with a one-time password. Change it on the page, or with: examen password",
		}
	}
	if err == nil {
		err = s.Accounts.Throttle().Admit(session.Account, weight(c))
	}
	if err == nil && wantsFiles(c) { // before a byte of them is read
		if course := c.Param("course"); course != "" {
			err = session.Account.May(account.Manage, course)
		} else {
			err = session.Account.May(account.Prepare)
		}
	}
	if err == nil && (wantsFiles(c) || takesPicture(c)) {
		err = s.Accounts.Throttle().AdmitFiles(session.Account, c.ClientIP())
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Set("session", session)
	if method != http.MethodGet && session.Account.Can(account.Prepare) { // it may change what a whole course did
		c.Request = c.Request.WithContext(records.Patiently(c.Request.Context()))
	}
}

// filePaths are the calls with which files are sent.
var filePaths = []string{
	"/api/packs", "/api/datasets/:dataset/builds", "/api/courses/:course/roster", "/api/courses/:course/roster/preview",
}

// wantsFiles tells whether files are sent with the call.
func wantsFiles(c *gin.Context) bool {
	return c.Request.Method == http.MethodPost && slices.Contains(filePaths, c.FullPath())
}

// takesFiles tells whether a call's body consists of files, which are read as they arrive.
func takesFiles(c *gin.Context) bool {
	return wantsFiles(c) && c.ContentType() == "multipart/form-data"
}

// takesPicture tells whether a call's body is a picture.
func takesPicture(c *gin.Context) bool {
	return c.Request.Method == http.MethodPut && c.FullPath() == "/api/papers/:paper/writing/pictures/:name" &&
		c.ContentType() == "application/octet-stream"
}

// body reads a call's body, within bounds, and rejects what is not UTF-8, so that no text is changed on the way in.
func (s *server) body(c *gin.Context) {
	if c.Request.Body == nil || c.Request.Body == http.NoBody {
		return
	}
	if takesFiles(c) {
		c.Request.Body = http.MaxBytesReader(nil, c.Request.Body, longestUpload)
		return
	}
	if takesPicture(c) {
		c.Request.Body = http.MaxBytesReader(nil, c.Request.Body, longestPicture)
		return
	}
	longest := int64(longestBody)
	switch c.FullPath() {
	case "/api/session":
		longest = longestLogIn
	case "/api/papers/:paper/writing/text":
		longest = longestText
	}
	content, err := io.ReadAll(
		http.MaxBytesReader(nil, io.NopCloser(io.LimitReader(c.Request.Body, longest+1)), longest),
	)
	var tooLong *http.MaxBytesError
	switch {
	case errors.As(err, &tooLong):
		_, _ = io.CopyN(io.Discard, c.Request.Body, drained)
		s.fail(c, &problem.Problem{Type: "examen:too-long", Title: "The call is too long", Status: 413,
			Detail: "At most " + size(longest) + " are taken here; a query has at most " + size(
				work.LongestQuery,
			) + "."})
		return
	case err != nil:
		s.fail(c, unreadable(err))
		c.Header("Connection", "close")
		return
	case !utf8.Valid(content):
		s.fail(
			c,
			&problem.Problem{
				Type:   "examen:not-utf-8",
				Title:  "The call is not valid UTF-8",
				Status: 400,
				Detail: "Save the text as UTF-8 and send it again.",
			},
		)
		return
	}
	if len(content) > 0 && !strings.HasPrefix(c.ContentType(), "application/json") {
		s.fail(
			c,
			&problem.Problem{
				Type:   "examen:unreadable",
				Title:  "Invalid request",
				Status: 415,
				Detail: "The body has to be application/json.",
			},
		)
		return
	}
	c.Request.Body = io.NopCloser(bytes.NewReader(content))
}
