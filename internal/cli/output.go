package cli

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"time"
	"unicode"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"
	"golang.org/x/term"

	"examen/internal/client"
	"examen/internal/core/export"
)

// print prints a value in the format of -o: as the contract's JSON, or as a table or CSV made of lines.
func (p *program) print(value any, header []string, lines [][]string) error {
	switch p.format {
	case "json":
		e := json.NewEncoder(p.out)
		e.SetEscapeHTML(false)
		e.SetIndent("", "  ")
		return e.Encode(value)
	case "csv":
		_, err := io.WriteString(p.out, export.Table(append([][]string{header}, lines...)))
		return err
	}
	p.table(p.out, header, lines)
	return nil
}

// widestCell is how many characters of a cell a table shows on a terminal.
const widestCell = 60

func (p *program) table(w io.Writer, header []string, lines [][]string) {
	t := table.NewWriter()
	t.SetOutputMirror(w)
	style := table.StyleLight
	style.Format.Header = text.FormatDefault
	style.Options = table.Options{SeparateHeader: true, SeparateColumns: true}
	style.Box.MiddleVertical = "  "
	style.Box.MiddleSeparator = "  "
	style.Box.PaddingLeft, style.Box.PaddingRight = "", ""
	t.SetStyle(style)
	t.SuppressTrailingSpaces()
	widths := p.widths(header, lines)
	row := func(cells []string) table.Row {
		r := make(table.Row, len(cells))
		for i, c := range cells {
			r[i] = shortened(printable(c), widths[i])
		}
		return r
	}
	t.AppendHeader(row(header))
	configs := make([]table.ColumnConfig, len(header))
	for i := range header {
		configs[i] = table.ColumnConfig{Number: i + 1}
		if numeric(lines, i) {
			configs[i].Align, configs[i].AlignHeader = text.AlignRight, text.AlignRight
		}
	}
	t.SetColumnConfigs(configs)
	for _, line := range lines {
		t.AppendRow(row(line))
	}
	t.Render()
}

// widths returns how many characters of each column to show: all, except that a table on a terminal keeps to the
// terminal's width. The widest columns are cut first.
func (p *program) widths(header []string, lines [][]string) []int {
	widths := make([]int, len(header))
	if !p.onTerminal() {
		for i := range widths {
			widths[i] = math.MaxInt
		}
		return widths
	}
	for _, line := range append([][]string{header}, lines...) {
		for i, cell := range line {
			widths[i] = max(widths[i], min(text.StringWidth(printable(cell)), widestCell))
		}
	}
	screen, _, err := term.GetSize(int(p.terminal().Fd()))
	if err != nil || screen <= 0 {
		return widths
	}
	return narrowed(widths, screen)
}

// trailing are blanks at the ends of lines.
var trailing = regexp.MustCompile(`(?m) +$`)

// widestText is how many characters a line of narrative has at most on a terminal.
const widestText = 100

// wrapped breaks the running text of Markdown at words, so that its lines fit on the terminal.
func (p *program) wrapped(s string) string {
	if !p.onTerminal() {
		return s
	}
	screen, _, err := term.GetSize(int(p.terminal().Fd()))
	if err != nil || screen <= 0 {
		return s
	}
	width := min(screen, widestText)
	var all []string
	flows := false // the line before is running text
	for line := range strings.SplitSeq(s, "\n") {
		before := flows
		flows = line != "" && !strings.ContainsRune(" \t#>|-*+`0123456789", rune(line[0]))
		if before && flows {
			all[len(all)-1] += " " + line
		} else {
			all = append(all, line)
		}
	}
	for i, line := range all {
		if text.StringWidth(line) > width {
			all[i] = trailing.ReplaceAllString(text.WrapSoft(line, width), "")
		}
	}
	return strings.Join(all, "\n")
}

// between is the number of spaces between two columns.
const between = 2

// narrowed cuts the widest columns until all fit on the screen, but leaves each wide enough for a name.
func narrowed(widths []int, screen int) []int {
	const least = 8
	total := between * (len(widths) - 1)
	for _, w := range widths {
		total += w
	}
	for ; total > screen; total-- {
		widest := 0
		for i, w := range widths {
			if w > widths[widest] {
				widest = i
			}
		}
		if widths[widest] <= least {
			break
		}
		widths[widest]--
	}
	return widths
}

// shortened returns a text of at most width characters.
func shortened(s string, width int) string {
	if text.StringWidth(s) <= width {
		return s
	}
	return text.Trim(s, max(width-1, 0)) + "…"
}

// numeric tells whether a column holds only numbers, and at least one.
func numeric(lines [][]string, column int) bool {
	some := false
	for _, line := range lines {
		if line[column] == "" || line[column] == "NULL" {
			continue
		}
		if strings.Trim(line[column], "-0123456789.") != "" {
			return false
		}
		some = true
	}
	return some
}

func (p *program) onTerminal() bool { return p.terminal() != nil }

// terminal is where what is printed is seen, perhaps through a pager; nil if that is no terminal.
func (p *program) terminal() *os.File {
	if p.pager != nil {
		return p.pager.screen
	}
	if f, is := p.out.(*os.File); is && term.IsTerminal(int(f.Fd())) {
		return f
	}
	return nil
}

func isTerminal(stream any) bool {
	f, ok := stream.(*os.File)
	return ok && term.IsTerminal(int(f.Fd()))
}

// printable makes text safe for a terminal: invisible characters are shown by their code.
func printable(s string) string {
	if strings.IndexFunc(s, hidden) < 0 {
		return s
	}
	var b strings.Builder
	for _, c := range s {
		switch {
		case c == '\n':
			b.WriteString("\\n")
		case c == '\t':
			b.WriteString("\\t")
		case hidden(c):
			fmt.Fprintf(&b, "\\u%04x", c)
		default:
			b.WriteRune(c)
		}
	}
	return b.String()
}

// lines does the same for text of several lines.
func lines(s string) string {
	all := strings.Split(s, "\n")
	for i := range all {
		all[i] = printable(strings.TrimSuffix(all[i], "\r"))
	}
	return strings.Join(all, "\n")
}

func hidden(c rune) bool { return !unicode.IsGraphic(c) || unicode.Is(unicode.Bidi_Control, c) }

// cells shows NULL as such.
func cells(rows [][]*string) [][]string {
	out := make([][]string, len(rows))
	for i, row := range rows {
		out[i] = make([]string, len(row))
		for j, cell := range row {
			if cell == nil {
				out[i][j] = "NULL"
			} else {
				out[i][j] = *cell
			}
		}
	}
	return out
}

func clock(t time.Time) string {
	if t.IsZero() {
		return ""
	}
	return t.Local().Format("2006-01-02 15:04")
}

// clockIn formats a time by the clocks of a course, whose zone it names; by those of this machine where there is none.
func clockIn(t time.Time, zone string) string {
	place, err := time.LoadLocation(zone)
	if t.IsZero() || zone == "" || err != nil {
		return clock(t)
	}
	return t.In(place).Format("2006-01-02 15:04 MST")
}

func plural(n int64, noun string) string {
	if n == 1 {
		return "1 " + noun
	}
	return fmt.Sprintf("%d %ss", n, noun)
}

// toFile writes what a call answers to a file, or for "" to standard output. A file is there once all of it is.
func (p *program) toFile(cmd *cobra.Command, to string, question call) error {
	c, _, err := p.connect()
	if err != nil {
		return err
	}
	content, err := client.ReadFile(question(cmd.Context(), c))
	if err != nil {
		return err
	}
	defer content.Close()
	if to == "" {
		_, err = io.Copy(p.out, content)
		return err
	}
	file, err := os.CreateTemp(filepath.Dir(to), ".examen-")
	if err != nil {
		return err
	}
	_, err = io.Copy(file, content)
	if err = errors.Join(err, file.Close()); err == nil {
		err = os.Rename(file.Name(), to)
	}
	if err != nil {
		_ = os.Remove(file.Name())
	}
	return err
}
