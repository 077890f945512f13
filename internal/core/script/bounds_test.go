package script_test

import (
	"errors"
	"fmt"
	"io"
	"runtime"
	"strings"
	"testing"
	"testing/fstest"

	"examen/internal/core/script"
)

// What grows out of little is refused with words, before it has grown.
func TestBombs(t *testing.T) {
	includes := fstest.MapFS{}
	for i := range 19 { // a million statements out of nineteen small files
		includes[fmt.Sprintf("s%d.sql", i)] = &fstest.MapFile{
			Data: fmt.Appendf(nil, "\\i s%d.sql\n\\i s%d.sql\n", i+1, i+1),
		}
	}
	includes["s19.sql"] = &fstest.MapFile{Data: []byte("SELECT 1;\n")}
	for name, c := range map[string]struct {
		files fstest.MapFS
		want  string
	}{
		"a variable that doubles": {
			of("\\set a xxxxxxxx\n" + strings.Repeat("\\set a :a:a\n", 28) + "SELECT :a;"), "more than 64 kB",
		},
		"arguments that grow": {
			of("\\set a " + strings.Repeat("x", 60_000) + "\n\\set b" + strings.Repeat(" :a", 10_000) + "\n"),
			"more than 64 kB",
		},
		"many variables": {
			of(many(1100, func(i int) string { return fmt.Sprintf("\\set a%d 1\n", i) })), "more than 1000 variables",
		},
		"a statement out of little": {
			of("\\set a '" + strings.Repeat("x", 60_000) + "'\nSELECT " + strings.Repeat(":'a', ", 2000) + "1;"),
			"more than 64 MB",
		},
		"a quoted text without end":   {of("SELECT '" + strings.Repeat("x", 70<<20) + "';"), "more than 64 MB"},
		"a command that does not end": {of("\\set a '" + strings.Repeat("x", 200_000)), "more than 128 kB"},
		"includes that double":        {includes, "more than 2000 times"},
	} {
		t.Run(name, func(t *testing.T) {
			names := []string{"s0.sql"}
			s := script.Open(c.files, names, "")
			defer s.Close()
			before := allocated()
			var err error
			for err == nil {
				_, err = s.Next()
			}
			var wrong *script.Error
			if !errors.As(err, &wrong) || !strings.Contains(wrong.Detail, c.want) || wrong.Line == 0 ||
				wrong.File == "" {
				t.Errorf("got %v, want %s", err, c.want)
			}
			if grown := allocated() - before; grown > 600<<20 {
				t.Errorf("%d MB were allocated on the way", grown>>20)
			}
		})
	}
}

func TestCSVFilesThatAreNone(t *testing.T) {
	for name, c := range map[string]struct {
		file io.Reader
		want string
	}{
		"many columns": {
			strings.NewReader(strings.Repeat("a,", 100_000) + "a\n1"), "names 100001 columns; a table has at most 1600",
		},
		"a first line of 50 MB": {io.LimitReader(endless{}, 50<<20), "a line has more than 1 MB"},
		"a quote that is open": {
			io.MultiReader(strings.NewReader("a,b\n1,\""), io.LimitReader(endless{}, 200<<20)),
			"a line has more than 16 MB",
		},
	} {
		before := allocated()
		_, err := script.ReadCSV(c.file, "a.csv", "")
		if err == nil || !strings.Contains(err.Error(), c.want) || !strings.HasPrefix(err.Error(), "a.csv:1: ") {
			t.Errorf("%s: got %v", name, err)
		}
		if grown := allocated() - before; grown > 200<<20 {
			t.Errorf("%s: %d MB were allocated", name, grown>>20)
		}
	}
}

// endless gives the letter x.
type endless struct{}

func (endless) Read(p []byte) (int, error) {
	for i := range p {
		p[i] = 'x'
	}
	return len(p), nil
}

func of(text string) fstest.MapFS { return fstest.MapFS{"s0.sql": &fstest.MapFile{Data: []byte(text)}} }

func many(n int, each func(int) string) string {
	var b strings.Builder
	for i := range n {
		b.WriteString(each(i))
	}
	return b.String()
}

func allocated() uint64 {
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	return m.TotalAlloc
}
