package test

import (
	"encoding/json"
	"os/exec"
	"strings"
	"testing"
)

// May import each other only downwards; what is not listed here is nobody's business.
var floors = [][]string{
	{"internal/cli"},
	{"internal/demo"},
	{"internal/server"},
	{"internal/web"},
	{"internal/exam"},
	{"internal/practice", "internal/records"},
	{"internal/core", "internal/postgres", "internal/client"},
}

// The core computes: no database, no HTTP, no files, no clock.
var notInCore = []string{"net/http", "os", "database/sql", "github.com/jackc/", "github.com/gin-gonic/", "log", "log/slog"}

func TestImportsPointDown(t *testing.T) {
	out, err := exec.Command("go", "list", "-json=ImportPath,Imports", "examen/...").Output()
	if err != nil {
		t.Fatal(err)
	}
	floorOf := func(path string) int {
		for i, floor := range floors {
			for _, name := range floor {
				if path == "examen/"+name || strings.HasPrefix(path, "examen/"+name+"/") {
					return i
				}
			}
		}
		return -1
	}
	packages := json.NewDecoder(strings.NewReader(string(out)))
	seen := 0
	for packages.More() {
		var p struct {
			ImportPath string
			Imports    []string
		}
		if err := packages.Decode(&p); err != nil {
			t.Fatal(err)
		}
		from := floorOf(p.ImportPath)
		if from < 0 {
			continue
		}
		seen++
		for _, imported := range p.Imports {
			to := floorOf(imported)
			sameHouse := strings.HasPrefix(imported, "examen/"+floors[from][0]) || len(floors[from]) > 1 && to == from && prefix(p.ImportPath) == prefix(imported)
			if to >= 0 && to <= from && !sameHouse {
				t.Errorf("%s imports %s, which is not below it", p.ImportPath, imported)
			}
			if strings.HasPrefix(p.ImportPath, "examen/internal/core/") {
				for _, no := range notInCore {
					if imported == strings.TrimSuffix(no, "/") || strings.HasSuffix(no, "/") && strings.HasPrefix(imported, no) {
						t.Errorf("%s imports %s: the core computes only", p.ImportPath, imported)
					}
				}
				if imported == "time" && strings.HasSuffix(p.ImportPath, "/compare") {
					t.Errorf("%s looks at the clock", p.ImportPath)
				}
			}
		}
	}
	if seen < 10 {
		t.Errorf("only %d packages were looked at", seen)
	}
}

// prefix is the package's place in the house: examen/internal/core of examen/internal/core/result.
func prefix(path string) string {
	parts := strings.Split(path, "/")
	return strings.Join(parts[:min(3, len(parts))], "/")
}
