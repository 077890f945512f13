// Command generate writes the rows of the packs that ship: make generate. The same seed gives the same rows.
package main

import (
	"bufio"
	"fmt"
	"log"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"time"
)

func main() {
	log.SetFlags(0)
	if len(os.Args) != 2 {
		log.Fatal("usage: generate PACKS-FOLDER")
	}
	path := filepath.Join(os.Args[1], "heather-hill", "apiary", "rows.sql")
	f, err := os.Create(path)
	if err != nil {
		log.Fatal(err)
	}
	w := bufio.NewWriter(f)
	fmt.Fprint(w, "-- The rows of the Heather Hill Beekeepers' cooperative, made by packs/generate: make generate.\n")
	newApiary(w).write()
	if err := w.Flush(); err != nil {
		log.Fatal(err)
	}
	if err := f.Close(); err != nil {
		log.Fatal(err)
	}
}

// table writes a table's rows, so many a statement.
func table(w *bufio.Writer, name string, rows []string) {
	const perStatement = 200
	for i, row := range rows {
		switch {
		case i%perStatement == 0:
			fmt.Fprintf(w, "\nINSERT INTO %s VALUES\n", name)
		default:
			fmt.Fprint(w, ",\n")
		}
		fmt.Fprintf(w, "    (%s)", row)
		if i%perStatement == perStatement-1 || i == len(rows)-1 {
			fmt.Fprint(w, ";\n")
		}
	}
}

// row writes SQL literals: nil is NULL.
func row(values ...any) string {
	s := make([]string, len(values))
	for i, v := range values {
		switch v := v.(type) {
		case nil:
			s[i] = "NULL"
		case string:
			s[i] = "'" + strings.ReplaceAll(v, "'", "''") + "'"
		case time.Time:
			s[i] = "'" + strings.TrimSuffix(v.Format("2006-01-02 15:04"), " 00:00") + "'"
		case float64:
			s[i] = fmt.Sprintf("%.2f", v)
		default:
			s[i] = fmt.Sprint(v)
		}
	}
	return strings.Join(s, ", ")
}

func day(year, month, d int) time.Time {
	return time.Date(year, time.Month(month), d, 0, 0, 0, 0, time.UTC)
}

// seeded returns the generator's source of chance.
func seeded(seed uint64) *rand.Rand { return rand.New(rand.NewPCG(seed, 2026)) }
