package web

import (
	"bytes"
	"compress/gzip"
	"embed"
	"fmt"
	"io/fs"
	"net/http"
	"path"
	"slices"
	"strings"
	"sync"

	"github.com/gin-gonic/gin"

	"examen/internal/problem"
)

// dist is the console as Vite builds it (make build).
//
//go:embed all:dist
var dist embed.FS

// pages are the first parts of the paths that the console has pages for, which it routes itself.
var pages = []string{"", "papers", "datasets", "builds", "history", "password", "learners"}

// page serves the console's files, and its page for the paths that it knows. There is nothing else.
func (s *server) page(c *gin.Context) {
	name := strings.TrimPrefix(path.Clean(c.Request.URL.Path), "/")
	if c.Request.Method != http.MethodGet && c.Request.Method != http.MethodHead || name == "api" || strings.HasPrefix(name, "api/") {
		s.fail(c, &problem.Problem{Type: "examen:no-call", Title: "There is no such call", Status: 404, Detail: "See api/openapi.yaml for the calls there are."})
		return
	}
	files, err := fs.Sub(dist, "dist")
	if err != nil {
		s.fail(c, err)
		return
	}
	if strings.HasPrefix(name, "assets/") { // their names change with their contents
		c.Header("Cache-Control", "public, max-age=31536000, immutable")
	} else if first, _, _ := strings.Cut(name, "/"); slices.Contains(pages, first) {
		name = "index.html"
		c.Header("Cache-Control", "no-cache")
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
	if smaller := compressed(name, content); smaller != nil && strings.Contains(c.GetHeader("Accept-Encoding"), "gzip") {
		c.Header("Content-Encoding", "gzip")
		content = smaller
	}
	c.Data(http.StatusOK, contentType(name), content)
}

// compressions are files of the console that were asked for, compressed.
var compressions sync.Map

// compressed is a file compressed with gzip; nil for those that are compressed by their nature.
func compressed(name string, content []byte) []byte {
	if !slices.Contains([]string{".html", ".js", ".css", ".svg"}, path.Ext(name)) {
		return nil
	}
	if found, ok := compressions.Load(name); ok {
		return found.([]byte)
	}
	var b bytes.Buffer
	w, _ := gzip.NewWriterLevel(&b, gzip.BestCompression) // fails only for a level that is none
	_, _ = w.Write(content)
	_ = w.Close()
	compressions.Store(name, b.Bytes())
	return b.Bytes()
}

func contentType(name string) string {
	switch path.Ext(name) {
	case ".html":
		return "text/html; charset=utf-8"
	case ".js":
		return "text/javascript; charset=utf-8"
	case ".css":
		return "text/css; charset=utf-8"
	case ".svg":
		return "image/svg+xml"
	case ".woff2":
		return "font/woff2"
	case ".woff":
		return "font/woff"
	}
	return "application/octet-stream"
}

func size(bytes int64) string {
	if bytes >= 1<<20 {
		return fmt.Sprintf("%d MB", bytes>>20)
	}
	return fmt.Sprintf("%d bytes", bytes)
}
