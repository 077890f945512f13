package script

import (
	"bufio"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"path"
	"regexp"
	"strconv"
	"strings"
	"time"
	"unicode"
)

// A CSVTable is a table made from a CSV file, or from a sheet of a spreadsheet: the first line names its columns, and
// all lines decide their types.
type CSVTable struct {
	File      string      `json:"file"`
	Sheet     string      `json:"sheet,omitempty"` // of a spreadsheet
	Name      string      `json:"name"`
	Delimiter string      `json:"delimiter"`
	Rows      int64       `json:"rows"`
	Columns   []CSVColumn `json:"columns"`
	Key       string      `json:"key,omitempty"` // a column that could be the primary key, by its name and values
}

// A CSVColumn is a column of a CSV file and the type that all its values have. An empty value is NULL.
type CSVColumn struct {
	Name   string `json:"name"`
	Header string `json:"header"` // as the file names it
	Type   string `json:"type"`   // as SQL writes it
	Nulls  int64  `json:"nulls"`
	// How its values are written where it is not as SQL writes them: DecimalComma, DayFirst, MonthFirst.
	Format string `json:"format,omitempty"`
	// The key that it could refer to, as table.column, by its name and values.
	References string `json:"references,omitempty"`

	values valueSet
}

// Bounds of a CSV file: of its first line and of any other, in bytes, since each is held in memory; and of its columns,
// which are a table's.
const (
	longestHeader = 1 << 20
	longestRecord = 16 << 20
	mostColumns   = 1600
)

// recordBound ends the reading of a record that is longer than one may be.
type recordBound struct {
	io.Reader
	read, most int // since the record began, give or take what is read ahead
}

func (r *recordBound) Read(p []byte) (int, error) {
	if r.read > r.most+readAhead {
		return 0, &Error{
			Detail: fmt.Sprintf("a line has more than %d MB: is a quote not closed, or is it no CSV file?", r.most>>20),
		}
	}
	n, err := r.Reader.Read(p)
	r.read += n
	return n, err
}

// ReadCSV reads a CSV file in an encoding, "" for UTF-8, to its end. What is wrong with it is an *Error with its line.
func ReadCSV(file io.Reader, name, encoding string) (*CSVTable, error) {
	r, err := openCSV(file, name, encoding)
	if err != nil {
		return nil, err
	}
	t := &CSVTable{File: name, Name: tableName(name), Delimiter: string(r.Comma)}
	return t, t.read(r.next)
}

// read reads the names of the columns and then all rows.
func (t *CSVTable) read(next func() (record, error)) error {
	names, err := next()
	if err == io.EOF {
		return &Error{
			File:   t.File,
			Line:   1,
			Detail: "the file is empty: a first line with the columns' names is expected",
		}
	} else if err != nil {
		return err
	}
	guesses, err := t.header(names.values)
	for err == nil {
		var r record
		if r, err = next(); err == nil {
			t.Rows++
			for i, value := range r.values {
				guesses[i].add(value)
				t.Columns[i].values.add(value)
			}
		}
	}
	if err != io.EOF {
		return err
	}
	for i := range t.Columns {
		c := &t.Columns[i]
		c.Type, c.Format = guesses[i].name()
		c.Nulls = guesses[i].nulls
	}
	t.proposeKey()
	return nil
}

// A record is a row of a file, and the line or row of a sheet on which it begins.
type record struct {
	values []string
	line   int
}

// csvFile reads the records of a CSV file.
type csvFile struct {
	*csv.Reader
	name    string
	above   int // lines before those that the Reader is given
	bounded *recordBound
}

// openCSV begins to read a CSV file: compressed or not, in its encoding, and with the delimiter that it has.
func openCSV(file io.Reader, name, encoding string) (*csvFile, error) {
	text, err := Unpacked(file)
	if err != nil {
		return nil, &Error{File: name, Line: 1, Detail: err.Error()}
	}
	utf16 := bufio.NewReaderSize(text, readAhead)
	if mark, _ := utf16.Peek(2); string(mark) == "\xff\xfe" || string(mark) == "\xfe\xff" {
		text = fromUTF16(utf16)
	} else if text, err = decoded(utf16, encoding); err != nil {
		return nil, &Error{File: name, Line: 1, Detail: err.Error()}
	}
	bounded := &recordBound{Reader: text, most: longestHeader}
	buffered := withLines(withoutMark(bounded))
	beginning, _ := buffered.Peek(readAhead / 2)
	d, above := delimiter(string(beginning)), 0
	if first, _, _ := strings.Cut(string(beginning), "\n"); strings.HasPrefix(strings.ToLower(first), "sep=") {
		// as spreadsheets say it
		d = strings.TrimRight(first[len("sep="):], "\r")
		_, _ = buffered.Discard(min(len(first)+1, len(beginning)))
		above = 1
		beginning, _ = buffered.Peek(readAhead / 2)
	}
	if len(d) != 1 {
		return nil, &Error{
			File: name,
			Line: 1,
			Detail: fmt.Sprintf(
				"the delimiter %q is not one character: expected is a comma, a semicolon, a tab or a bar", d,
			),
		}
	}
	var records io.Reader = buffered
	if header, _, _ := strings.Cut(string(beginning), "\n"); !strings.Contains(header, d) {
		// a blank line is a row, too
		records = &blankLines{in: buffered}
	}
	r := csv.NewReader(records)
	r.Comma, r.ReuseRecord = rune(d[0]), true
	return &csvFile{r, name, above, bounded}, nil
}

// next returns the next record.
func (f *csvFile) next() (record, error) {
	values, err := f.Read()
	f.bounded.read, f.bounded.most = 0, longestRecord
	if err != nil {
		if err != io.EOF {
			err = csvError(f.name, f.above, err)
		}
		return record{}, err
	}
	line, _ := f.FieldPos(0)
	return record{values, f.above + line}, nil
}

// blankLines writes the blank lines of a file of one column as empty values, save those at its end, which csv.Reader
// passes over.
type blankLines struct {
	in      *bufio.Reader
	quoted  bool
	inLine  bool
	pending int // blank lines that have not been written
	out     []byte
}

func (b *blankLines) Read(p []byte) (int, error) {
	for len(b.out) == 0 {
		c, err := b.in.ReadByte()
		switch {
		case err != nil:
			return 0, err
		case c == '\n' && !b.quoted && !b.inLine:
			b.pending++
			continue
		case c == '\r' && !b.quoted && !b.inLine:
			continue
		}
		for ; b.pending > 0; b.pending-- {
			b.out = append(b.out, `""`+"\n"...)
		}
		if c == '"' {
			b.quoted = !b.quoted
		}
		b.inLine = c != '\n' || b.quoted
		b.out = append(b.out, c)
	}
	n := copy(p, b.out)
	b.out = b.out[n:]
	return n, nil
}

func csvError(name string, above int, err error) error {
	var parse *csv.ParseError
	switch {
	case errors.As(err, &parse) && errors.Is(err, csv.ErrFieldCount):
		return &Error{
			File: name,
			Line: above + parse.Line,
			Detail: "this line has more or fewer values than the first line has names; a value that holds the " +
				"delimiter stands in double quotes",
		}
	case errors.As(err, &parse):
		return &Error{
			File: name,
			Line: above + parse.Line,
			Detail: fmt.Sprintf(
				"column %d: %v: a value that holds quotes or delimiters stands in double quotes, and a quote within "+
					"is doubled",
				parse.Column, parse.Err,
			),
		}
	}
	var wrong *Error
	if errors.As(err, &wrong) {
		wrong.File, wrong.Line = name, max(wrong.Line, 1)
		return wrong
	}
	return &Error{File: name, Line: 1, Detail: err.Error()}
}

// header takes the columns' names.
func (t *CSVTable) header(names []string) ([]guess, error) {
	if len(names) > mostColumns {
		return nil, &Error{
			File:   t.File,
			Line:   1,
			Detail: fmt.Sprintf("the first line names %d columns; a table has at most %d", len(names), mostColumns),
		}
	}
	taken := map[string]bool{}
	for i, header := range names {
		name := columnName(header, i)
		for n := 2; taken[name]; n++ {
			name = fmt.Sprintf("%s_%d", columnName(header, i), n)
		}
		taken[name] = true
		t.Columns = append(t.Columns, CSVColumn{Name: name, Header: strings.Clone(header)})
	}
	return make([]guess, len(names)), nil
}

// delimiter returns whichever of comma, semicolon, tab and bar occurs most in the first line.
func delimiter(beginning string) string {
	first, _, _ := strings.Cut(beginning, "\n")
	best, most := ",", 0
	for _, d := range []string{",", ";", "\t", "|"} {
		if n := strings.Count(first, d); n > most {
			best, most = d, n
		}
	}
	return best
}

var noName = regexp.MustCompile(`[^\p{L}\p{N}]+`)

// tableName derives a table's name from a file's.
func tableName(file string) string {
	name := path.Base(file)
	for _, end := range []string{".gz", ".csv", ".tsv", ".txt", ".xlsx"} {
		name = strings.TrimSuffix(name, end)
	}
	return columnName(name, 0)
}

// columnName makes a name that needs no quotes if possible: in lower case, with underscores between words.
func columnName(header string, place int) string {
	name := strings.Trim(noName.ReplaceAllString(strings.ToLower(strings.TrimSpace(header)), "_"), "_")
	if name == "" {
		return fmt.Sprintf("column_%d", place+1)
	}
	if r := []rune(name); unicode.IsDigit(r[0]) {
		name = "_" + name
	}
	for len(name) > 60 {
		name = string([]rune(name)[:len([]rune(name))-1])
	}
	return name
}

// RowsFile is the name under which the script of [CSVTable.SQL] expects the table's rows, as [CSVTable.Data] gives
// them.
func (t *CSVTable) RowsFile() string { return t.File + "/" + t.Name + ".rows" }

func quoted(name string) string { return `"` + strings.ReplaceAll(name, `"`, `""`) + `"` }

// SQL returns the setup script that creates and fills the table. With constraints, it declares the key that its columns
// could have.
func (t *CSVTable) SQL(constraints bool) string {
	var b strings.Builder
	fmt.Fprintf(&b, "CREATE TABLE %s (", quoted(t.Name))
	for i, c := range t.Columns {
		if i > 0 {
			b.WriteByte(',')
		}
		fmt.Fprintf(&b, "\n    %s %s", quoted(c.Name), c.Type)
		if constraints && c.Name == t.Key {
			b.WriteString(" PRIMARY KEY")
		}
	}
	fmt.Fprintf(
		&b, "\n);\n\\copy %s FROM '%s' WITH (FORMAT csv)\n", quoted(t.Name),
		strings.NewReplacer(`\`, `\\`, "'", "''").Replace(t.RowsFile()),
	)
	return b.String()
}

// Constraints returns the setup script that declares which columns refer to which keys, where they could.
func (t *CSVTable) Constraints() string {
	var b strings.Builder
	for _, c := range t.Columns {
		if table, column, has := strings.Cut(c.References, "."); has {
			fmt.Fprintf(
				&b, "ALTER TABLE %s ADD FOREIGN KEY (%s) REFERENCES %s (%s);\n", quoted(t.Name), quoted(c.Name),
				quoted(table), quoted(column),
			)
		}
	}
	return b.String()
}

// Data reads the file's rows as PostgreSQL's COPY takes them: without the first line, in UTF-8, every value in quotes
// but those that are NULL, dates and numbers as SQL writes them.
func (t *CSVTable) Data(file io.Reader, encoding string) (*CSVRows, error) {
	var next func() (record, error)
	if t.Sheet != "" {
		sheets, err := openXLSX(file, t.File)
		if err != nil {
			return nil, err
		}
		if next, err = sheets.rows(t.Sheet); err != nil {
			return nil, err
		}
	} else {
		r, err := openCSV(file, t.File, encoding)
		if err != nil {
			return nil, err
		}
		next = r.next
	}
	if _, err := next(); err != nil {
		return nil, err
	}
	return &CSVRows{table: t, next: next}, nil
}

// CSVRows gives a table's rows as COPY takes them.
type CSVRows struct {
	table *CSVTable
	next  func() (record, error)
	out   []byte
	done  error
	line  int // the next that is given, from 0
	moved []movedLine
}

// A movedLine is where the lines that are given begin to be another number of lines away from the file's.
type movedLine struct{ given, file int }

// mostMoved bounds how many such places are remembered; what comes after the last of them is told by the last.
const mostMoved = 10_000

// Place is where a line that was given, from 1, stands in the file: its line, or the row of a spreadsheet.
func (r *CSVRows) Place(line int) (file string, at int) {
	at = line + 1
	for _, m := range r.moved {
		if m.given < line {
			at = m.file + line - 1 - m.given
		}
	}
	if r.table.Sheet != "" {
		return fmt.Sprintf("%s, sheet %q", r.table.File, r.table.Sheet), at
	}
	return r.table.File, at
}

// from remembers that the next record stands on a line of the file.
func (r *CSVRows) from(file int) {
	if n := len(r.moved); n == 0 || n < mostMoved && r.moved[n-1].file-r.moved[n-1].given != file-r.line {
		r.moved = append(r.moved, movedLine{r.line, file})
	}
}

func (r *CSVRows) Read(p []byte) (int, error) {
	for len(r.out) < len(p) && r.done == nil {
		record, err := r.next()
		if r.done = err; err != nil {
			break
		}
		r.from(record.line)
		for i, value := range record.values {
			r.line += strings.Count(value, "\n")
			if i > 0 {
				r.out = append(r.out, ',')
			}
			if value == "" {
				continue
			}
			r.out = append(r.out, '"')
			r.out = append(r.out, strings.ReplaceAll(asSQL(value, r.table.Columns[i].Format), `"`, `""`)...)
			r.out = append(r.out, '"')
		}
		r.out = append(r.out, '\n')
		r.line++
	}
	if len(r.out) == 0 {
		return 0, r.done
	}
	n := copy(p, r.out)
	r.out = r.out[:copy(r.out, r.out[n:])]
	return n, nil
}

// The types that values can have, each more general than what stands before it in its family.
const (
	couldBeBoolean = 1 << iota
	couldBeInteger
	couldBeBigint
	couldBeNumeric
	couldBeDate
	couldBeTimestamp
	couldBeTimestamptz
	couldBeTime
	couldBeUUID
	couldBeDecimalComma
	couldBeDayFirst
	couldBeMonthFirst
	anything = 1<<iota - 1
)

// How values may be written that SQL writes otherwise.
const (
	DecimalComma = "decimal comma" // 1.234,5
	DayFirst     = "day first"     // 31.5.2026
	MonthFirst   = "month first"   // 5/31/2026
)

// typeOf are the types by what all values could be, the narrowest first.
var typeOf = []struct {
	could        int
	name, format string
}{{
	couldBeBoolean, "boolean", "",
}, {
	couldBeInteger, "integer", "",
}, {couldBeBigint, "bigint", ""}, {couldBeNumeric, "numeric", ""}, {couldBeDate, "date", ""}, {
	couldBeTimestamp, "timestamp", "",
},
	{couldBeTimestamptz, "timestamptz", ""}, {couldBeTime, "time", ""}, {couldBeUUID, "uuid", ""},
	{couldBeDecimalComma, "numeric", DecimalComma}, {couldBeDayFirst, "date", DayFirst},
	{couldBeMonthFirst, "date", MonthFirst}}

// A guess is what a column's type could be, given the values so far.
type guess struct {
	not   int // what they cannot be
	some  bool
	dots  bool // there are dates with dots, which put the day first
	comma bool // there is a decimal comma
	nulls int64
}

func (g *guess) name() (name, format string) {
	if !g.some {
		return "text", ""
	}
	for _, t := range typeOf {
		unclear := t.could == couldBeDayFirst && g.not&couldBeMonthFirst == 0 && !g.dots // 5/6/2026: either
		unclear = unclear || t.could == couldBeDecimalComma && !g.comma
		if g.not&t.could == 0 && !unclear && (t.could != couldBeMonthFirst || g.not&couldBeDayFirst != 0) {
			return t.name, t.format
		}
	}
	return "text", ""
}

var (
	number = regexp.MustCompile(`^[-+]?(0|[1-9][0-9]*)(\.[0-9]+)?([eE][-+]?[0-9]{1,3})?$`)
	uuid   = regexp.MustCompile(`^[0-9a-fA-F]{8}-[0-9a-fA-F]{4}-[0-9a-fA-F]{4}-[0-9a-fA-F]{4}-[0-9a-fA-F]{12}$`)
)

func (g *guess) add(value string) {
	if value == "" {
		g.nulls++
		return
	}
	g.some = true
	g.dots, g.comma = g.dots || strings.Contains(value, "."), g.comma || strings.Contains(value, ",")
	if g.not != anything {
		g.not |= anything &^ could(value, anything&^g.not)
	}
}

// could tells which of some types a value could have.
func could(value string, asked int) (types int) {
	if asked&couldBeBoolean != 0 {
		switch strings.ToLower(value) {
		case "true", "false", "t", "f", "yes", "no":
			types |= couldBeBoolean
		}
	}
	if asked&(couldBeInteger|couldBeBigint|couldBeNumeric) != 0 && number.MatchString(value) {
		types |= couldBeNumeric
		if n, err := strconv.ParseInt(value, 10, 64); err == nil {
			types |= couldBeBigint
			if n == int64(int32(n)) {
				types |= couldBeInteger
			}
		}
	}
	if asked&(couldBeDate|couldBeTimestamp|couldBeTimestamptz) != 0 {
		types |= couldBeMoment(value)
	}
	if asked&couldBeTime != 0 && (parses(value, "15:04") || parses(value, "15:04:05.999999")) {
		types |= couldBeTime
	}
	if asked&couldBeDecimalComma != 0 && decimalComma.MatchString(value) {
		types |= couldBeDecimalComma
	}
	if asked&(couldBeDayFirst|couldBeMonthFirst) != 0 {
		if asSQL(value, DayFirst) != value {
			types |= couldBeDayFirst
		}
		if asSQL(value, MonthFirst) != value {
			types |= couldBeMonthFirst
		}
	}
	if asked&couldBeUUID != 0 && uuid.MatchString(value) {
		types |= couldBeUUID
	}
	return types
}

var (
	decimalComma = regexp.MustCompile(`^[-+]?([1-9][0-9]{0,2}([. ][0-9]{3})+|0|[1-9][0-9]*)(,[0-9]+)?$`)
	dayOrMonth   = regexp.MustCompile(`^([0-9]{1,2})([./-])([0-9]{1,2})([./-])([0-9]{4})$`)
)

// asSQL converts a value from a format to SQL's; a value not in that format is unchanged.
func asSQL(value, format string) string {
	switch format {
	case DecimalComma:
		return strings.NewReplacer(".", "", " ", "", ",", ".").Replace(value)
	case DayFirst, MonthFirst:
		found := dayOrMonth.FindStringSubmatch(value)
		if found == nil || found[2] != found[4] {
			return value
		}
		day, month := found[1], found[3]
		if format == MonthFirst {
			day, month = month, day
		}
		made := fmt.Sprintf("%s-%02s-%02s", found[5], month, day)
		if !parses(made, "2006-01-02") {
			return value
		}
		return made
	}
	return value
}

func parses(value, layout string) bool {
	_, err := time.Parse(layout, value)
	return err == nil
}

// couldBeMoment reads dates and times as ISO 8601 writes them. A column of dates and timestamps is one of timestamps;
// one with and without time zones is text.
func couldBeMoment(value string) int {
	if parses(value, "2006-01-02") {
		return couldBeDate | couldBeTimestamp
	}
	value = strings.Replace(value, "T", " ", 1)
	for _, layout := range []string{"2006-01-02 15:04", "2006-01-02 15:04:05.999999999"} {
		if parses(value, layout) {
			return couldBeTimestamp
		}
		for _, zone := range []string{"Z07:00", "Z0700", "Z07"} {
			if parses(value, layout+zone) {
				return couldBeTimestamptz
			}
		}
	}
	return 0
}
