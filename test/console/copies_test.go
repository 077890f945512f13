package console

import (
	"testing"

	"examen/test/whole"

	"examen/internal/demo"
)

// On a paper where things may be changed, the page says so, and then what has changed in one's copy, what is not
// committed, and, of what was submitted, what is wrong with what it leaves.
func TestACopyInTheConsole(t *testing.T) {
	t.Parallel()
	s := whole.Start(t, "demo", "--data-dir", whole.DemoDir(t), "--with", "mosswater")
	w := open(t, s.URL, "robin", demo.LearnerPassword)
	w.visit("/papers/mending-the-paths")
	w.says(".copy-line", "You may change the data here: it happens in a copy of your own")
	w.write("new-warden", "BEGIN;\nDELETE FROM tally WHERE path_id = 1;\nTABLE fund;")
	w.click("#new-warden .run", "Run")
	w.says("#new-warden .ran", "Line 1: Transaction begun[^]*Line 2: 2 rows removed[^]*Line 3: 3 rows")
	w.says(".copy-line", "In your copy of footpaths, made [^]*Nothing has changed in it[^]*Not committed")
	w.visit("/papers/mending-the-paths") // loaded again, nothing is lost
	w.says(".copy-line", "Not committed: a transaction is open")
	w.write("new-warden", "COMMIT")
	w.click("#new-warden .run", "Run")
	w.says(".copy-line", "tally: 2 rows removed\\.")
	w.write("not-so-steep", "UPDATE path SET grade = 'moderate'")
	w.click("#not-so-steep button", "Submit")
	w.says("#not-so-steep .right-margin",
		"Incorrect[^]*UPDATE without WHERE takes every row[^]*4 rows have another value")
	w.click(".copy-line button", "Reset")
	w.says(".copy-line", "You may change the data here")
}
