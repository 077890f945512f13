// Package script reads setup scripts as they are written by hand and by pg_dump: SQL statements, COPY blocks with their data, and
// psql's backslash commands. It reads a stream and keeps no more than the statement at hand.
//
// It finds where statements end and nothing more: it knows quoted texts (plain, with escapes, with dollars), quoted names, comments
// (block comments nest), parentheses, and the semicolons within BEGIN ATOMIC ... END. What a statement means is PostgreSQL's to say.
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
	Text string   // without the semicolon and what stands before the first word; of a Command, the line without its backslash
	Line int      // on which Text begins, from 1
	Head []string // the first words of a statement, in upper case: ALTER, TABLE, ...
}

// An Error is the error of a script that ends in the middle of something, or that is no script.
type Error struct {
	Line   int // where what is wrong begins
	Detail string
}

func (e *Error) Error() string { return fmt.Sprintf("line %d: %s", e.Line, e.Detail) }

// headWords is how many words of a statement's beginning are kept.
const headWords = 4

// A Reader reads a script.
type Reader struct {
	in   *bufio.Reader
	line int // of the next byte
	data *data

	// The statement at hand.
	text      bytes.Buffer
	start     int // its line
	word      []byte
	head      []string
	before    string // the last word
	depth     int    // of parentheses
	atomic    int    // of BEGIN ATOMIC and the CASEs within
	copying   bool   // COPY ... FROM was read, at no depth
	fromStdin bool
	letter    byte // the word of one letter that has just ended: E before a quote means escapes
}

// NewReader returns a reader of a script in UTF-8.
func NewReader(in io.Reader) *Reader {
	r := &Reader{in: bufio.NewReaderSize(in, 64<<10), line: 1}
	if mark, err := r.in.Peek(3); err == nil && string(mark) == "\ufeff" {
		_, _ = r.in.Discard(3)
	}
	return r
}

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
		if err == io.EOF {
			return r.last()
		} else if err != nil {
			return Item{}, err
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
			if r.text.Len() > 0 {
				return Item{}, &Error{r.line, "a command of psql's stands within a statement: end the statement with a semicolon first"}
			}
			return r.command()
		default:
			if err := r.other(b); err != nil {
				return Item{}, err
			}
		}
	}
}

// Data returns the data of the COPY just read, up to the line that ends them.
func (r *Reader) Data() io.Reader {
	r.data = &data{reader: r, start: r.line}
	return r.data
}

func (r *Reader) begin() {
	r.text.Reset()
	r.word, r.head, r.before = r.word[:0], nil, ""
	r.depth, r.atomic, r.copying, r.fromStdin = 0, 0, false, false
}

// byte reads a byte and counts lines.
func (r *Reader) byte() (byte, error) {
	b, err := r.in.ReadByte()
	if b == '\n' && err == nil {
		r.line++
	}
	return b, err
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
		r.depth++
	case ')':
		r.depth = max(0, r.depth-1)
	case '\'':
		return r.quoted(b, r.letter == 'E')
	case '"':
		return r.quoted(b, false)
	case '$':
		return r.dollar()
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
	for {
		b, err := r.byte()
		if err != nil {
			return r.unended(err, start, map[byte]string{'\'': "a quoted text", '"': "a quoted name"}[quote])
		}
		r.add(b)
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
	if end < 0 || end > 0 && isDigit(tag[0]) || bytes.ContainsFunc(tag[:max(end, 0)], func(c rune) bool { return c < 0x80 && !isWord(byte(c)) }) {
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
	return &Error{start, "the script ends within " + what + " that begins here"}
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
	if !r.fromStdin {
		return item, nil
	}
	item.Kind = Copy
	// The data begin on the next line.
	rest, err := r.in.ReadString('\n')
	if err == nil {
		r.line++
	}
	if strings.TrimSpace(rest) != "" {
		return Item{}, &Error{item.Line, "the data of a COPY begin on the line after it, and something else follows on the same line"}
	}
	return item, nil
}

func (r *Reader) command() (Item, error) {
	line := r.line
	text, err := r.in.ReadString('\n')
	if err == nil {
		r.line++
	} else if err != io.EOF {
		return Item{}, err
	}
	return Item{Kind: Command, Text: strings.TrimSpace(text), Line: line}, nil
}

// data reads a COPY's data.
type data struct {
	reader *Reader
	start  int
	rest   []byte // of the line at hand
	done   bool
	middle bool // the line at hand began before what was read last
}

func (d *data) Read(p []byte) (int, error) {
	for len(d.rest) == 0 {
		if d.done {
			return 0, io.EOF
		}
		line, err := d.reader.in.ReadSlice('\n')
		switch {
		case err == io.EOF && len(line) == 0:
			d.done = true
			return 0, &Error{d.start, `the data of a COPY that begin here have no end: a line with \. is expected`}
		case err != nil && err != io.EOF && err != bufio.ErrBufferFull:
			return 0, err
		}
		whole := !d.middle
		d.middle = err == bufio.ErrBufferFull
		if err == nil {
			d.reader.line++
		}
		if whole && !d.middle && strings.TrimRight(string(line), "\r\n") == `\.` {
			d.done = true
			return 0, io.EOF
		}
		d.rest = line
	}
	n := copy(p, d.rest)
	d.rest = d.rest[n:]
	return n, nil
}
