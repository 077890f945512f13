package test

import (
	"encoding/json"
	"os/exec"
	"slices"
	"strings"
	"testing"
)

// A package may import those of a line below its own, and of its own line only what is within it; what is not listed here is nobody's business.
var house = []string{
	"internal/cli",
	"internal/server",
	"internal/demo",
	"internal/web",
	"internal/exam",
	"internal/course",
	"internal/account",
	"internal/practice",
	"internal/records",
	"internal/problem",
	"internal/postgres",
	"internal/core",
	"internal/client",
}

// The command line reaches the service through the contract, and knows the server only to start it.
var notInCommands = []string{"internal/web", "internal/exam", "internal/course", "internal/account", "internal/practice", "internal/records", "internal/problem", "internal/postgres"}

// The core computes: no database, no HTTP, no files, no clock.
var notInCore = []string{"net/http", "os", "database/sql", "github.com/jackc/", "github.com/gin-gonic/", "log", "log/slog"}

// floor is a package's line in the house, from above; -1 where it has none.
func floor(path string) int {
	return slices.IndexFunc(house, func(name string) bool { return path == "examen/"+name || strings.HasPrefix(path, "examen/"+name+"/") })
}

// mayImport tells whether one package may import another.
func mayImport(path, imported string) bool {
	from, to := floor(path), floor(imported)
	if from < 0 || to < 0 {
		return true
	}
	if house[from] == "internal/cli" && slices.Contains(notInCommands, house[to]) {
		return false
	}
	return from <= to
}

func TestImportsPointDown(t *testing.T) {
	for imports, may := range map[string]bool{
		"examen/internal/records examen/internal/practice": false, "examen/internal/practice examen/internal/records": true, "examen/internal/core/script examen/internal/core/sqltext": true,
		"examen/internal/cli examen/internal/exam": false, "examen/internal/cli examen/internal/server": true, "examen/internal/core/pack examen/internal/problem": false,
		"examen/internal/web examen/internal/web/contract": true, "examen/internal/web examen/internal/server": false, "examen/internal/coresome examen/internal/cli": true,
	} {
		path, imported, _ := strings.Cut(imports, " ")
		if mayImport(path, imported) != may {
			t.Errorf("%s may import %s: got %v", path, imported, !may)
		}
	}
	out, err := exec.Command("go", "list", "-json=ImportPath,Imports", "examen/...").Output()
	if err != nil {
		t.Fatal(err)
	}
	packages := json.NewDecoder(strings.NewReader(string(out)))
	seen := map[string]bool{}
	for packages.More() {
		var p struct {
			ImportPath string
			Imports    []string
		}
		if err := packages.Decode(&p); err != nil {
			t.Fatal(err)
		}
		if from := floor(p.ImportPath); from >= 0 {
			seen[house[from]] = true
		}
		for _, imported := range p.Imports {
			if !mayImport(p.ImportPath, imported) {
				t.Errorf("%s imports %s, which is not below it", p.ImportPath, imported)
			}
			if !strings.HasPrefix(p.ImportPath, "examen/internal/core/") {
				continue
			}
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
	if len(seen) < len(house) {
		t.Errorf("of %v only %v were looked at", house, seen)
	}
}
