// Package script reads setup scripts as they are written by hand and by pg_dump: SQL statements, COPY blocks with their
// data, and psql's backslash commands. It reads a stream and keeps no more than the current statement.
//
// It finds where statements end and nothing more: it knows quoted texts (plain, with escapes, with dollars), quoted
// names, comments (block comments nest), parentheses, and the semicolons within BEGIN ATOMIC ... END. What a statement
// means is PostgreSQL's to say.
package script

import (
	"bufio"
	"bytes"
	"fmt"
	"io"
	"strings"
)

// A Kind says what an item of a script is.
type Kind int

const (
	Statement Kind = iota
	Copy           // a COPY ... FROM STDIN; its data follow, see [Reader.Data]
	Command        // a command of psql's, such as \connect
)

// An Item is what stands next in a script.
type Item struct {
	Kind Kind
	// without the semicolon and what stands before the first word; of a Command, the line without its backslash
	Text string
	Line int      // on which Text begins, from 1
	Head []string // the first words of a statement, in upper case: ALTER, TABLE, ...
	File string   // that it stands in; only [Scripts] fills it in
}

// FirstLine is the first line of the item's text, cut where it is long.
func (i Item) FirstLine() string {
	first, _, _ := strings.Cut(i.Text, "\n")
	first = strings.TrimSpace(first)
	if r := []rune(first); len(r) > longestLine {
		first = string(r[:longestLine-1]) + "…"
	}
	if i.Kind == Command {
		return `\` + first
	}
	return first
}

// longestLine is how many characters of a statement's first line are shown.
const longestLine = 200

// An Error is the error of a script that ends in the middle of something, that is no script, or that asks for what is
// not done.
type Error struct {
	File   string // "" from a [Reader], which does not know
	Line   int    // where what is wrong begins
	Detail string
	Text   string // the first line of the statement or command; "" where there is none
	lost   bool   // what follows in the file cannot be read
}

func (e *Error) Error() string {
	if e.File != "" {
		return fmt.Sprintf("%s:%d: %s", e.File, e.Line, e.Detail)
	}
	return fmt.Sprintf("line %d: %s", e.Line, e.Detail)
}

// headWords is how many words of a statement's beginning are kept.
const headWords = 4

// LongestStatement is how many bytes a single statement may have: it is held in memory as a whole.
const LongestStatement = 64 << 20

// A Reader reads a script.
type Reader struct {
	in        *bufio.Reader
	line      int // of the next byte
	data      *data
	variables map[string]string // of psql's \set; nil: a colon is a colon

	// The current statement.
	text      bytes.Buffer
	start     int // its line
	word      []byte
	head      []string
	before    string // the last word
	depth     int    // of parentheses
	atomic    int    // of BEGIN ATOMIC and the CASEs within
	copying   bool   // COPY ... FROM was read, at no depth
	fromStdin bool
	values    bool // VALUES was read, at no depth
	rows      *[]Span
	letter    byte // the word of one letter that has just ended: E before a quote means escapes
	escapes   bool // standard_conforming_strings is off: a backslash escapes in every quoted text
	// the line of the first quoted text that holds the end of a statement, as quoted texts do behind an apostrophe too
	// many
	doubt int
}

// NewReader returns a reader of a script in UTF-8.
func NewReader(in io.Reader) *Reader {
	return &Reader{in: withLines(withoutMark(in)), line: 1}
}

// withLines has the lines of a text end with a line feed, where they end with a carriage return alone, as old Macs
// wrote them.
func withLines(in *bufio.Reader) *bufio.Reader {
	beginning, _ := in.Peek(readAhead / 2)
	if bytes.IndexByte(beginning, '\r') < 0 || bytes.IndexByte(beginning, '\n') >= 0 {
		return in
	}
	return bufio.NewReaderSize(feeding{in}, readAhead)
}

// feeding reads carriage returns as line feeds.
type feeding struct{ in io.Reader }

func (f feeding) Read(p []byte) (int, error) {
	n, err := f.in.Read(p)
	for i, b := range p[:n] {
		if b == '\r' {
			p[i] = '\n'
		}
	}
	return n, err
}

// readAhead is how many bytes are read at a time.
const readAhead = 128 << 10

// decode has what is still unread come through f.
func (r *Reader) decode(f func(io.Reader) io.Reader) { r.in = bufio.NewReaderSize(f(r.in), readAhead) }

// Next returns the next item, io.EOF after the last. Data of a COPY that were not read are passed over.
func (r *Reader) Next() (Item, error) {
	if r.data != nil {
		if _, err := io.Copy(io.Discard, r.data); err != nil {
			return Item{}, err
		}
		r.data = nil
	}
	r.begin()
	for {
		b, err := r.byte()
		switch {
		case err == io.EOF:
			return r.last()
		case err != nil:
			return Item{}, err
		case b == endOfFile && r.atEnd(): // as old editors write it
			continue
		}
		number := len(r.word) > 0 && isDigit(r.word[0])
		if number && !isDigit(b) { // a name may follow at once
			r.endWord()
		}
		if isWord(b) || b == '$' && len(r.word) > 0 && !number { // a name may hold dollars
			r.word = append(r.word, b)
			r.add(b)
			continue
		}
		r.endWord()
		switch b {
		case ';':
			if r.depth == 0 && r.atomic == 0 {
				if r.text.Len() == 0 {
					continue
				}
				return r.item()
			}
			r.add(b)
		case '\\':
			if r.text.Len() == 0 {
				return r.command()
			}
			if item, err := r.within(); item != nil || err != nil {
				return *item, err
			}
		default:
			if err := r.other(b); err != nil {
				return Item{}, err
			}
		}
	}
}

// A Span is a piece of a text, in bytes.
type Span struct{ From, To int }

// ValueRows finds the rows of a statement's VALUES, each from its opening to its closing parenthesis.
func ValueRows(statement string) []Span {
	var rows []Span
	r := NewReader(strings.NewReader(statement))
	r.rows = &rows
	if _, err := r.Next(); err != nil {
		return nil
	}
	return rows
}

// Data returns the data of the COPY just read, up to the line that ends them.
func (r *Reader) Data() io.Reader {
	r.data = &data{reader: r, start: r.line}
	return r.data
}

func (r *Reader) begin() {
	r.text.Reset()
	r.word, r.head, r.before = r.word[:0], nil, ""
	r.depth, r.atomic, r.copying, r.fromStdin, r.values, r.doubt = 0, 0, false, false, false, 0
}

// byte reads a byte and counts lines.
func (r *Reader) byte() (byte, error) {
	if r.text.Len() > LongestStatement { // also within a quoted text
		return 0, &Error{
			lost: true,
			Line: r.start,
			Detail: fmt.Sprintf(
				"the statement that begins here has more than %d MB: split it into several, or load the rows with COPY",
				LongestStatement>>20,
			),
		}
	}
	b, err := r.in.ReadByte()
	switch {
	case err != nil:
	case b == '\n':
		r.line++
	case b == 0: // also within a quoted text
		return 0, &Error{lost: true, Line: r.line, Detail: "a NUL byte stands here: this is no text file"}
	}
	return b, err
}

// endOfFile is Ctrl-Z.
const endOfFile = 0x1a

// atEnd tells whether nothing but white space follows.
func (r *Reader) atEnd() bool {
	rest, err := r.in.Peek(512)
	return err == io.EOF && len(bytes.TrimSpace(rest)) == 0
}

// add puts a byte into the statement; white space before its first word is dropped.
func (r *Reader) add(b byte) {
	if r.text.Len() == 0 {
		if b == ' ' || b == '\t' || b == '\n' || b == '\r' || b == '\f' || b == '\v' {
			return
		}
		r.start = r.line
	}
	r.text.WriteByte(b)
}

func isWord(b byte) bool {
	return b >= 'a' && b <= 'z' || b >= 'A' && b <= 'Z' || isDigit(b) || b == '_' || b >= 0x80
}

func isDigit(b byte) bool { return b >= '0' && b <= '9' }

// endWord looks at the word that has just ended.
func (r *Reader) endWord() {
	r.letter = 0
	if len(r.word) == 0 {
		return
	}
	if len(r.word) == 1 {
		r.letter = r.word[0] &^ 0x20
	}
	word := strings.ToUpper(string(r.word))
	r.word = r.word[:0]
	if len(r.head) < headWords {
		r.head = append(r.head, word)
	}
	r.values = word == "VALUES" && r.depth == 0 || r.values && r.depth > 0
	switch {
	case word == "ATOMIC" && r.before == "BEGIN" && r.head[0] == "CREATE":
		r.atomic++
	case word == "CASE" && r.atomic > 0:
		r.atomic++
	case word == "END" && r.atomic > 0:
		r.atomic--
	case word == "FROM" && r.depth == 0 && r.head[0] == "COPY":
		r.copying = true
	case word == "STDIN" && r.copying && r.before == "FROM":
		r.fromStdin = true
	}
	r.before = word
}

// other reads what begins with a byte that is neither a word's nor an end.
func (r *Reader) other(b byte) error {
	switch b {
	case '(':
		if r.depth == 0 && r.values && r.rows != nil {
			*r.rows = append(*r.rows, Span{From: r.text.Len()})
		}
		r.depth++
	case ')':
		r.depth = max(0, r.depth-1)
		if r.depth == 0 && r.values && r.rows != nil {
			(*r.rows)[len(*r.rows)-1].To = r.text.Len() + 1
		}
	case '\'':
		return r.quoted(b, r.letter == 'E' || r.escapes)
	case '"':
		return r.quoted(b, false)
	case '$':
		return r.dollar()
	case ':':
		if r.variables != nil {
			return r.variable()
		}
	case '-':
		if next, _ := r.in.Peek(1); len(next) == 1 && next[0] == '-' {
			return r.lineComment()
		}
	case '/':
		if next, _ := r.in.Peek(1); len(next) == 1 && next[0] == '*' {
			return r.blockComment()
		}
	}
	r.add(b)
	return nil
}

// quoted reads to the closing quote. A doubled quote is part of the text; in E” so is a quote after a backslash.
func (r *Reader) quoted(quote byte, escapes bool) error {
	start := r.line
	r.add(quote)
	from := r.text.Len()
	for {
		b, err := r.byte()
		if err != nil {
			return r.unended(err, start, map[byte]string{'\'': "a quoted text", '"': "a quoted name"}[quote])
		}
		r.add(b)
		if b == '\n' && r.doubt == 0 && quote == '\'' && bytes.HasSuffix(
			bytes.TrimRight(r.text.Bytes()[from:], "\r\n"), []byte(");"),
		) {
			r.doubt = start
		}
		switch {
		case escapes && b == '\\':
			if b, err = r.byte(); err == nil {
				r.add(b)
			}
		case b == quote:
			if next, _ := r.in.Peek(1); len(next) == 1 && next[0] == quote {
				b, _ = r.byte()
				r.add(b)
				continue
			}
			return nil
		}
	}
}

// dollar reads a dollar-quoted text, if that is what the dollar begins: $1 is a parameter.
func (r *Reader) dollar() error {
	start := r.line
	tag, _ := r.in.Peek(64)
	end := bytes.IndexByte(tag, '$')
	if end < 0 || end > 0 && isDigit(tag[0]) || bytes.ContainsFunc(
		tag[:max(end, 0)], func(c rune) bool { return c < 0x80 && !isWord(byte(c)) },
	) {
		r.add('$')
		return nil
	}
	closing := "$" + string(tag[:end]) + "$"
	r.add('$')
	for range end + 1 {
		b, _ := r.byte()
		r.add(b)
	}
	from := r.text.Len()
	for {
		b, err := r.byte()
		if err != nil {
			return r.unended(err, start, "a text quoted with "+closing)
		}
		r.add(b)
		if b == '$' && r.text.Len()-from >= len(closing) && bytes.HasSuffix(r.text.Bytes(), []byte(closing)) {
			return nil
		}
	}
}

func (r *Reader) lineComment() error {
	if r.text.Len() > 0 {
		r.add('-')
	}
	for {
		b, err := r.byte()
		if err == io.EOF {
			return nil
		} else if err != nil {
			return err
		}
		if r.text.Len() > 0 {
			r.add(b)
		}
		if b == '\n' {
			return nil
		}
	}
}

func (r *Reader) blockComment() error {
	start, depth, before := r.line, 0, byte('/')
	inside := r.text.Len() > 0
	if inside {
		r.add('/')
	}
	for {
		b, err := r.byte()
		if err != nil {
			return r.unended(err, start, "a comment")
		}
		if inside {
			r.add(b)
		}
		switch {
		case before == '/' && b == '*':
			depth, b = depth+1, 0
		case before == '*' && b == '/':
			depth, b = depth-1, 0
		}
		if depth == 0 {
			return nil
		}
		before = b
	}
}

func (r *Reader) unended(err error, start int, what string) error {
	if err != io.EOF {
		return err
	}
	e := &Error{Line: start, Detail: "the script ends within " + what + " that begins here"}
	if r.doubt > 0 && r.doubt < start {
		e.Line = r.doubt
		e.Detail = fmt.Sprintf("quotes stop making sense in this line: the text that begins here holds the end of a "+
			"statement. Look for a quote too many, or one too few, in the statement that begins in line %d "+
			"(a quote within a text is written twice: 'it''s'). The script ends within %s that begins in line %d",
			r.start, what, start)
	}
	return e
}

// last is what stands between the last semicolon and the end.
func (r *Reader) last() (Item, error) {
	r.endWord()
	if r.text.Len() == 0 {
		return Item{}, io.EOF
	}
	return r.item()
}

func (r *Reader) item() (Item, error) {
	item := Item{Kind: Statement, Text: strings.TrimRight(r.text.String(), " \t\r\n"), Line: r.start, Head: r.head}
	if len(item.Head) == 0 {
		return Item{}, &Error{Line: item.Line, Text: item.FirstLine(), Detail: noWord(item.Text)}
	}
	if len(item.Head) == 3 && item.Head[0] == "SET" && item.Head[1] == "STANDARD_CONFORMING_STRINGS" {
		r.escapes = item.Head[2] == "OFF" || item.Head[2] == "FALSE"
	}
	if !r.fromStdin {
		return item, nil
	}
	item.Kind = Copy
	// The data begin on the next line.
	rest, err := r.restOfLine()
	if err != nil {
		return Item{}, err
	}
	if rest = strings.TrimSpace(rest); rest != "" && !strings.HasPrefix(rest, "--") {
		return Item{}, &Error{
			Line:   item.Line,
			Detail: "the data of a COPY begin on the line after it, and something else follows on the same line",
		}
	}
	return item, nil
}

// noWord describes the error in a statement that holds no word.
func noWord(text string) string {
	switch text {
	case "/":
		return "a line with / alone runs a statement in another database's client: leave it out"
	case "...", "…":
		return "something was left out here: put the missing lines in place of the dots"
	}
	if strings.Trim(text, "()") == "" {
		return "a parenthesis stands here by itself: is it one too many, or does a semicolon stand too early before it?"
	}
	return "this is no statement: one begins with a word, such as CREATE or INSERT"
}

// command reads one of psql's commands. Two backslashes end it within its line, and so does another command: what
// follows is read next.
func (r *Reader) command() (Item, error) {
	line := r.line
	text, err := r.restOfLine()
	if err != nil {
		return Item{}, err
	}
	if end, next := endOfCommand(text); end < len(text) {
		rest := text[next:]
		if strings.HasSuffix(rest, "\n") {
			r.line--
		}
		r.in = bufio.NewReaderSize(io.MultiReader(strings.NewReader(rest), r.in), readAhead)
		text = text[:end]
	}
	return Item{Kind: Command, Text: strings.TrimSpace(text), Line: line}, nil
}

// endOfCommand is where a command ends within its line, and where to read on; the line's length where it takes all of
// it.
func endOfCommand(text string) (end, next int) {
	name, _ := splitCommand(strings.TrimSpace(text))
	if strings.EqualFold(name, "copy") || name == "!" { // they take the line as it is
		return len(text), len(text)
	}
	quote := byte(0)
	for i := 0; i < len(text); i++ {
		switch c := text[i]; {
		case quote != 0 && c == quote:
			quote = 0
		case quote != 0:
		case c == '\'' || c == '"' || c == '`':
			quote = c
		case c == '\\' && i+1 < len(text) && text[i+1] == '\\':
			return i, i + 2
		case c == '\\' && i > 0 && (text[i-1] == ' ' || text[i-1] == '\t'):
			return i, i
		}
	}
	return len(text), len(text)
}

// within reads a command that stands behind a statement without a semicolon: \g ends the statement like one. The item
// is nil where the statement goes on.
func (r *Reader) within() (*Item, error) {
	line := r.line
	if next, _ := r.in.Peek(1); len(next) == 1 && next[0] == ';' {
		// a semicolon that does not end the statement for psql
		return nil, nil
	}
	statement, start, head := strings.TrimRight(r.text.String(), " \t\r\n"), r.start, r.head
	command, err := r.command()
	if err != nil {
		return &Item{}, err
	}
	name, rest := splitCommand(command.Text)
	switch {
	case (name == "g" || name == "gx") && rest == "" && len(head) > 0:
		return &Item{Kind: Statement, Text: statement, Line: start, Head: head}, nil
	case reachOutside[name] != "":
		return &Item{}, &Error{Line: line, Text: `\` + command.Text, Detail: refused(name)}
	}
	return &Item{}, &Error{
		Line:   line,
		Text:   `\` + command.Text,
		Detail: "a command of psql's stands within a statement: end the statement with a semicolon first",
	}
}

// restOfLine reads to the end of a line, which holds a command of psql's, or nothing.
func (r *Reader) restOfLine() (string, error) {
	line, err := r.in.ReadSlice('\n')
	switch err {
	case nil:
		r.line++
	case bufio.ErrBufferFull:
		return "", &Error{
			lost: true,
			Line: r.line,
			Detail: fmt.Sprintf(
				"this line has more than %d kB, and a command of psql's ends with its line: shorten it", readAhead>>10,
			),
		}
	case io.EOF:
	default:
		return "", err
	}
	return string(line), nil
}

// data reads a COPY's data: all up to a line that is \. alone.
type data struct {
	reader *Reader
	start  int
	inLine bool // what was read last ended within a line
	done   bool
}

func (d *data) Read(p []byte) (int, error) {
	n := 0
	for n < len(p) && !d.done {
		if n > 0 && d.reader.in.Buffered() == 0 {
			break // better to send what there is than to wait
		}
		took, err := d.take(p[n:])
		n += took
		if err != nil {
			return n, err
		}
	}
	if n == 0 && d.done {
		return 0, io.EOF
	}
	return n, nil
}

// take copies data of the current lines to p, and notices their end.
func (d *data) take(p []byte) (int, error) {
	in := d.reader.in
	if _, err := in.Peek(1); err == io.EOF {
		d.done = true
		return 0, &Error{
			Line:   d.start,
			Detail: `the data of a COPY that begin here have no end: a line with \. is expected`,
		}
	} else if err != nil {
		return 0, err
	}
	if !d.inLine && d.ends() {
		return 0, nil
	}
	chunk, _ := in.Peek(min(in.Buffered(), len(p)))
	end := len(chunk)
	if at := bytes.Index(chunk, []byte("\n\\")); at >= 0 {
		end = at + 1 // look at that line by itself
	} else if at := bytes.LastIndexByte(chunk, '\n'); at >= 0 {
		end = at + 1
	}
	copy(p, chunk[:end])
	d.inLine = chunk[end-1] != '\n'
	d.reader.line += bytes.Count(chunk[:end], []byte{'\n'})
	_, _ = in.Discard(end)
	return end, nil
}

// ends tells whether the current line is the one that ends the data, and passes it.
func (d *data) ends() bool {
	in := d.reader.in
	for _, line := range []string{"\\.\n", "\\.\r\n", "\\."} {
		found, err := in.Peek(len(line))
		if string(found) != line || line == "\\." && !atEnd(in, len(line)) {
			continue
		}
		_, _ = in.Discard(len(line))
		d.done = err == nil
		if line != "\\." {
			d.reader.line++
		}
		return true
	}
	return false
}

// atEnd tells whether nothing follows the next n bytes.
func atEnd(in *bufio.Reader, n int) bool {
	_, err := in.Peek(n + 1)
	return err == io.EOF
}
