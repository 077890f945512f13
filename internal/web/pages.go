package web

import (
	"embed"
	"fmt"
	"io/fs"
	"mime"
	"net/http"
	"path"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"
	"github.com/zeebo/xxh3"

	"examen/internal/problem"
)

// dist is the console as Vite builds it (make build).
//
//go:embed all:dist
var dist embed.FS

// pages are the first segments of the paths for which the console has pages. It does its own routing.
var pages = []string{
	"", "papers", "courses", "datasets", "exercises", "builds", "history", "try", "password", "learners", "log",
	"marking", "service",
}

// page serves the console's files, and its index page for the paths that it knows. Any other path is not found.
func (s *server) page(c *gin.Context) {
	name := strings.TrimPrefix(path.Clean(c.Request.URL.Path), "/")
	if c.Request.Method != http.MethodGet && c.Request.Method != http.MethodHead || name == "api" ||
		strings.HasPrefix(name, "api/") {
		s.fail(
			c,
			&problem.Problem{
				Type:   "examen:no-call",
				Title:  "There is no such call",
				Status: 404,
				Detail: "See api/openapi.yaml for the calls there are.",
			},
		)
		return
	}
	files, err := fs.Sub(dist, "dist")
	if err != nil {
		s.fail(c, err)
		return
	}
	if first, _, _ := strings.Cut(name, "/"); slices.Contains(pages, first) {
		name = "index.html"
	}
	if info, err := fs.Stat(files, name); name != "index.html" && (err != nil || info.IsDir()) {
		c.String(http.StatusNotFound, "There is nothing at this address. The console is at /.\n")
		return
	}
	content, err := fs.ReadFile(files, name)
	if err != nil {
		c.String(http.StatusNotFound, "The console has not been built into this binary: run make build.\n")
		return
	}
	c.Header("Vary", "Accept-Encoding")
	for _, way := range compressed {
		if !accepts(c.GetHeader("Accept-Encoding"), way.encoding) {
			continue
		}
		if smaller, err := fs.ReadFile(files, name+way.extension); err == nil {
			c.Header("Content-Encoding", way.encoding)
			content = smaller
			break
		}
	}
	if strings.HasPrefix(name, "assets/") { // their names change with their contents
		c.Header("Cache-Control", "public, max-age=31536000, immutable")
	} else {
		tag := fmt.Sprintf(`"%x"`, xxh3.Hash128(content).Bytes())
		c.Header("Cache-Control", "no-cache") // to be asked for again each time, and sent again where it is another
		c.Header("ETag", tag)
		if strings.Contains(c.GetHeader("If-None-Match"), tag) {
			c.Status(http.StatusNotModified)
			return
		}
	}
	c.Data(http.StatusOK, contentType(name), content)
}

// compressed are the ways in which the console's build compresses its files, the smallest first.
var compressed = []struct{ encoding, extension string }{{"br", ".br"}, {"gzip", ".gz"}}

// accepts tells whether an Accept-Encoding header names an encoding, and not to refuse it.
func accepts(header, encoding string) bool {
	for _, part := range strings.Split(header, ",") {
		name, weight, _ := strings.Cut(strings.TrimSpace(part), ";")
		if strings.TrimSpace(name) == encoding {
			return strings.ReplaceAll(weight, " ", "") != "q=0"
		}
	}
	return false
}

// Go's own list of types has no fonts; without this, the machine's list would decide.
func init() {
	_ = mime.AddExtensionType(".woff2", "font/woff2") // fails for a type that is none
	_ = mime.AddExtensionType(".woff", "font/woff")
}

// contentType returns a file's media type, judging by its extension.
func contentType(name string) string {
	if found := mime.TypeByExtension(path.Ext(name)); found != "" {
		return found
	}
	return "application/octet-stream"
}

func size(bytes int64) string {
	if bytes >= 1<<20 {
		return fmt.Sprintf("%d MB", bytes>>20)
	}
	return fmt.Sprintf("%d bytes", bytes)
}
