package export

import (
	"encoding/csv"
	"strconv"
	"strings"
)

// Table writes lines as comma-separated values (RFC 4180). A cell that a spreadsheet would take for a formula gets an
// apostrophe before it; numbers stay as they are.
func Table(lines [][]string) string {
	var b strings.Builder
	w := csv.NewWriter(&b)
	for _, line := range lines {
		guarded := make([]string, len(line))
		for i, cell := range line {
			guarded[i] = Guard(cell)
		}
		_ = w.Write(guarded) // to memory
	}
	w.Flush()
	return b.String()
}

// Guard keeps a spreadsheet from taking a cell for a formula.
func Guard(cell string) string {
	if cell == "" || !strings.ContainsRune("=+-@\t\r\n", rune(cell[0])) {
		return cell
	}
	if _, err := strconv.ParseFloat(cell, 64); err == nil {
		return cell
	}
	return "'" + cell
}
