package script

import (
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

// A CSVTable is a table made from a CSV file: the first line names its columns, and all lines decide their types.
type CSVTable struct {
	File      string      `json:"file"`
	Name      string      `json:"name"`
	Delimiter string      `json:"delimiter"`
	Rows      int64       `json:"rows"`
	Columns   []CSVColumn `json:"columns"`
}

// A CSVColumn is a column of a CSV file and the type that all its values have. An empty value is NULL.
type CSVColumn struct {
	Name   string `json:"name"`
	Header string `json:"header"` // as the file names it
	Type   string `json:"type"`   // as SQL writes it
	Nulls  int64  `json:"nulls"`
}

// Bounds of a CSV file: of its first line and of any other, in bytes, since each is held in memory; and of its columns, which are a table's.
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
		return 0, &Error{Detail: fmt.Sprintf("a line has more than %d MB: is a quote not closed, or is it no CSV file?", r.most>>20)}
	}
	n, err := r.Reader.Read(p)
	r.read += n
	return n, err
}

// ReadCSV reads a CSV file in an encoding, "" for UTF-8, to its end. What is wrong with it is an *Error with its line.
func ReadCSV(file io.Reader, name, encoding string) (*CSVTable, error) {
	text, err := Unpacked(file)
	if err != nil {
		return nil, &Error{File: name, Line: 1, Detail: err.Error()}
	}
	if text, err = decoded(text, encoding); err != nil {
		return nil, &Error{File: name, Line: 1, Detail: err.Error()}
	}
	bounded := &recordBound{Reader: text, most: longestHeader}
	buffered := withoutMark(bounded)
	t := &CSVTable{File: name, Name: tableName(name)}
	beginning, _ := buffered.Peek(readAhead / 2)
	t.Delimiter = delimiter(string(beginning))
	r := csv.NewReader(buffered)
	r.Comma, r.ReuseRecord = rune(t.Delimiter[0]), true
	guesses, err := t.header(r)
	bounded.most = longestRecord
	for err == nil {
		bounded.read = 0
		var record []string
		if record, err = r.Read(); err == nil {
			t.Rows++
			for i, value := range record {
				guesses[i].add(value)
			}
		}
	}
	if err != io.EOF {
		return nil, csvError(name, err)
	}
	for i := range t.Columns {
		t.Columns[i].Type, t.Columns[i].Nulls = guesses[i].name(), guesses[i].nulls
	}
	return t, nil
}

func csvError(name string, err error) error {
	var parse *csv.ParseError
	switch {
	case errors.As(err, &parse) && errors.Is(err, csv.ErrFieldCount):
		return &Error{File: name, Line: parse.Line, Detail: "this line has more or fewer values than the first line has names; a value that holds the delimiter stands in double quotes"}
	case errors.As(err, &parse):
		return &Error{File: name, Line: parse.Line, Detail: fmt.Sprintf("column %d: %v: a value that holds quotes or delimiters stands in double quotes, and a quote within is doubled", parse.Column, parse.Err)}
	}
	var wrong *Error
	if errors.As(err, &wrong) {
		wrong.File, wrong.Line = name, max(wrong.Line, 1)
		return wrong
	}
	return &Error{File: name, Line: 1, Detail: err.Error()}
}

// header reads the first line.
func (t *CSVTable) header(r *csv.Reader) ([]guess, error) {
	names, err := r.Read()
	if err == io.EOF {
		return nil, &Error{File: t.File, Line: 1, Detail: "the file is empty: a first line with the columns' names is expected"}
	} else if err != nil {
		return nil, err
	}
	if len(names) > mostColumns {
		return nil, &Error{File: t.File, Line: 1, Detail: fmt.Sprintf("the first line names %d columns; a table has at most %d", len(names), mostColumns)}
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

// delimiter is the one of comma, semicolon, tab and bar that the first line has most of.
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

// tableName makes a table's name of a file's.
func tableName(file string) string {
	name := path.Base(file)
	for _, end := range []string{".gz", ".csv", ".tsv", ".txt"} {
		name = strings.TrimSuffix(name, end)
	}
	return columnName(name, 0)
}

// columnName makes a name that needs no quotes where it can: in lower case, with underscores between words.
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

// SQL is the setup script that makes the table and fills it.
func (t *CSVTable) SQL() string {
	quote := func(name string) string { return `"` + strings.ReplaceAll(name, `"`, `""`) + `"` }
	var b strings.Builder
	fmt.Fprintf(&b, "CREATE TABLE %s (", quote(t.Name))
	for i, c := range t.Columns {
		if i > 0 {
			b.WriteByte(',')
		}
		fmt.Fprintf(&b, "\n    %s %s", quote(c.Name), c.Type)
	}
	delimiter := literal(t.Delimiter)
	if t.Delimiter == "\t" {
		delimiter = "E'\\t'"
	}
	fmt.Fprintf(&b, "\n);\n\\copy %s FROM '%s' WITH (FORMAT csv, HEADER, DELIMITER %s)\n", quote(t.Name), strings.NewReplacer(`\`, `\\`, "'", "''").Replace(t.File), delimiter)
	return b.String()
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
	anything = 1<<iota - 1
)

// typeOf are the types by what all values could be, the narrowest first.
var typeOf = []struct {
	could int
	name  string
}{{couldBeBoolean, "boolean"}, {couldBeInteger, "integer"}, {couldBeBigint, "bigint"}, {couldBeNumeric, "numeric"}, {couldBeDate, "date"}, {couldBeTimestamp, "timestamp"},
	{couldBeTimestamptz, "timestamptz"}, {couldBeTime, "time"}, {couldBeUUID, "uuid"}}

// A guess is what the values of a column so far could be.
type guess struct {
	not   int // what they cannot be
	some  bool
	nulls int64
}

func (g *guess) name() string {
	if g.some {
		for _, t := range typeOf {
			if g.not&t.could == 0 {
				return t.name
			}
		}
	}
	return "text"
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
	if g.not != anything {
		g.not |= anything &^ could(value, anything&^g.not)
	}
}

// could tells which of some types a value can have.
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
	if asked&couldBeUUID != 0 && uuid.MatchString(value) {
		types |= couldBeUUID
	}
	return types
}

func parses(value, layout string) bool {
	_, err := time.Parse(layout, value)
	return err == nil
}

// couldBeMoment reads dates and times as ISO 8601 writes them. A column of dates and timestamps is one of timestamps; one with and without
// time zones is text.
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
