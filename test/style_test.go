package test

import (
	"bufio"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"unicode/utf8"
)

// mostColumns is how wide a line may be, a tab counted as four.
const mostColumns = 120

// generated is code that nobody writes, and what is built.
var generated = []string{"node_modules", "records/query/", ".gen.go", "contract.d.ts", "web/dist/"}

// Code fits into 120 columns, so that two files stand beside each other.
func TestLinesAreShort(t *testing.T) {
	looked := 0
	for _, root := range []string{"../cmd", "../internal", "../packs", "../test", "../console/src"} {
		err := filepath.WalkDir(root, func(path string, entry fs.DirEntry, err error) error {
			if err != nil || entry.IsDir() {
				return err
			}
			for _, part := range generated {
				if strings.Contains(filepath.ToSlash(path), part) {
					return nil
				}
			}
			switch filepath.Ext(path) {
			case ".go", ".ts", ".tsx":
				looked++
				return shortLines(t, path)
			}
			return nil
		})
		if err != nil {
			t.Fatal(err)
		}
	}
	if looked < 250 {
		t.Errorf("only %d files were looked at", looked)
	}
}

func shortLines(t *testing.T, path string) error {
	file, err := os.Open(path)
	if err != nil {
		return err
	}
	defer file.Close()
	lines := bufio.NewScanner(file)
	for n := 1; lines.Scan(); n++ {
		width := utf8.RuneCountInString(lines.Text()) + 3*strings.Count(lines.Text(), "\t")
		if width > mostColumns {
			t.Errorf("%s:%d has %d columns", path, n, width)
		}
	}
	return lines.Err()
}
