package export_test

import (
	"os"

	"examen/internal/core/export"
	"examen/internal/core/result"
)

// NULL and an empty text differ, and no text is a formula.
func Example() {
	w, _ := export.New(export.CSV, os.Stdout)
	_ = w.Begin([]result.Column{{Name: "hive"}, {Name: "note"}})
	_ = w.Row(result.Row{[]byte("Amber"), nil})
	_ = w.Row(result.Row{[]byte("Bramble"), []byte("")})
	_ = w.Row(result.Row{[]byte("Clover"), []byte("=2+2")})
	_ = w.Close()
	// Output:
	// hive,note
	// Amber,
	// Bramble,""
	// Clover,'=2+2
}
