package test

import (
	"encoding/json"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
)

// A package may import those of a line below its own, and of its own line only what is within it; what is not listed
// here is nobody's business.
var house = []string{
	"internal/cli",
	"internal/client",
	"internal/server",
	"internal/demo",
	"internal/web",
	"internal/work",
	"internal/course",
	"internal/library",
	"internal/jobs",
	"internal/account",
	"internal/grading",
	"internal/practice",
	"internal/records",
	"internal/post",
	"internal/problem",
	"internal/postgres",
	"internal/core",
}

// only are the lines that some packages may know, where that is less than all below them.
var only = map[string][]string{
	// The command line reaches the service through the contract, and knows the server only to start it.
	"internal/cli": {"internal/client", "internal/server", "internal/demo", "internal/core"},
	// The contract's types are what it has of the service.
	"internal/client": {"internal/core"},
	// A decision follows from what is given: no records, no account, no HTTP.
	"internal/grading": {"internal/practice", "internal/core"},
}

// upward are imports that are not downward, with the reason.
var upward = map[string]string{
	// The made-up course works through the contract, as everybody does.
	"internal/demo": "internal/client",
}

// The core computes: no database, no HTTP, no files, no clock, no chance.
var notInCore = []string{
	"net/http", "os", "database/sql", "github.com/jackc/", "github.com/gin-gonic/", "log", "log/slog",
	"crypto/rand", "hash/maphash", "math/rand",
}

// clockOrChance is what code of the core says that looks at the clock, or takes chance without a seed.
var clockOrChance = regexp.MustCompile(
	`\btime\.(Now|Since|Until|Sleep|After)\(|\brand\.(Int|Uint|Float|Perm|Shuffle|N\()`,
)

// floor is a package's line in the house, from above; -1 where it has none.
func floor(path string) int {
	return slices.IndexFunc(
		house, func(name string) bool { return path == "examen/"+name || strings.HasPrefix(path, "examen/"+name+"/") },
	)
}

// mayImport tells whether one package may import another.
func mayImport(path, imported string) bool {
	from, to := floor(path), floor(imported)
	if from < 0 || to < 0 {
		return true
	}
	if lines, less := only[house[from]]; less && from != to && !slices.Contains(lines, house[to]) {
		return false
	}
	if upward[house[from]] == house[to] {
		return true
	}
	return from <= to
}

func TestImportsPointDown(t *testing.T) {
	for imports, may := range map[string]bool{
		"examen/internal/records examen/internal/practice":         false,
		"examen/internal/practice examen/internal/records":         true,
		"examen/internal/core/script examen/internal/core/sqltext": true,
		"examen/internal/cli examen/internal/work":                 false,
		"examen/internal/grading examen/internal/records":          false,
		"examen/internal/grading examen/internal/practice":         true,
		"examen/internal/work examen/internal/course":              true,
		"examen/internal/library examen/internal/course":           false,
		"examen/internal/demo examen/internal/client":              true,
		"examen/internal/cli examen/internal/server":               true,
		"examen/internal/core/pack examen/internal/problem":        false,
		"examen/internal/web examen/internal/web/contract":         true,
		"examen/internal/web examen/internal/server":               false,
		"examen/internal/coresome examen/internal/cli":             true,
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
				if imported == strings.TrimSuffix(no, "/") || strings.HasSuffix(no, "/") &&
					strings.HasPrefix(imported, no) {
					t.Errorf("%s imports %s: the core computes only", p.ImportPath, imported)
				}
			}
		}
	}
	if len(seen) < len(house) {
		t.Errorf("of %v only %v were looked at", house, seen)
	}
}

// What the core computes follows from what is given.
func TestTheCoreHasNoClockAndNoChance(t *testing.T) {
	looked := 0
	err := filepath.WalkDir("../internal/core", func(path string, entry fs.DirEntry, err error) error {
		if err != nil || entry.IsDir() || filepath.Ext(path) != ".go" || strings.HasSuffix(path, "_test.go") {
			return err
		}
		looked++
		text, err := os.ReadFile(path)
		if found := clockOrChance.Find(text); found != nil {
			t.Errorf("%s: %s", path, found)
		}
		return err
	})
	if err != nil || looked < 50 {
		t.Errorf("%d files were looked at, %v", looked, err)
	}
}

// mostMethods is how many methods of a type others may call, so that each type has one reason to be.
const mostMethods = 20

// many are types with more, which are lists.
var many = []string{
	"../internal/web server",         // one for each call of the contract
	"../internal/core/sqltext Edits", // one for each edit
}

// No type offers more than others can keep in mind.
func TestTypesAreSmall(t *testing.T) {
	methods := map[string]int{}
	declared := regexp.MustCompile(`(?m)^func \(\w* ?\*?(\w+)\) [A-Z]`)
	err := filepath.WalkDir("../internal", func(path string, entry fs.DirEntry, err error) error {
		path = filepath.ToSlash(path)
		if err != nil || entry.IsDir() || filepath.Ext(path) != ".go" || strings.HasSuffix(path, "_test.go") {
			return err
		}
		for _, part := range generated {
			if strings.Contains(path, part) {
				return nil
			}
		}
		text, err := os.ReadFile(path)
		for _, found := range declared.FindAllStringSubmatch(string(text), -1) {
			methods[filepath.ToSlash(filepath.Dir(path))+" "+found[1]]++
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	for name, n := range methods {
		if n > mostMethods && !slices.Contains(many, name) {
			t.Errorf("%s has %d methods", name, n)
		}
	}
}
