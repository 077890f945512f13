package script

import (
	"bufio"
	"compress/gzip"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"path"
	"slices"
	"strings"

	"examen/internal/core/sqltext"
)

// Scripts reads setup scripts one after another, with what they include, and carries out what is psql's to do: \i, \ir,
// \copy, \set and \encoding. What is left are statements and COPYs for a database. Files may be compressed with gzip.
//
// What has no bearing on the data is passed over, see [Scripts.PassedOver]; what needs rights that setup scripts do not
// have, or reaches outside of the files, is an *Error.
type Scripts struct {
	files    fs.FS
	names    []string // still to come
	encoding string   // of those that were named
	stack    []*open  // the current script and those that include it
	copied   *open    // the file of a \copy

	included  int // how often a script was
	variables map[string]string
	pending   []PassedOver // CREATE and DROP DATABASE that a \connect has to follow
	databases []string     // their names
	held      *Item        // that comes next
	passed    []PassedOver
	read      int64
}

// PassedOver is something in a setup script that has no bearing on the data and was not done.
type PassedOver struct {
	File string `json:"file"`
	Line int    `json:"line"`
	Text string `json:"text"` // its first line
}

func (p PassedOver) String() string { return fmt.Sprintf("%s:%d: %s", p.File, p.Line, p.Text) }

// open is a file being read.
type open struct {
	name     string
	file     fs.File
	encoding string
	reader   *Reader
	data     io.Reader // of a \copy
}

// Bounds of what scripts may ask for: how many may include each other, how often one is read because another includes
// it, and how much is listed as passed over.
const (
	deepest        = 20
	mostIncludes   = 2000
	mostPassedOver = 10_000
)

// Open begins to read scripts by their names, in a folder's files. The encoding is theirs until a script names another;
// "" is UTF-8.
func Open(files fs.FS, names []string, encoding string) *Scripts {
	return &Scripts{files: files, names: names, encoding: encoding, variables: map[string]string{}}
}

// Close closes the open files.
func (s *Scripts) Close() {
	for _, o := range s.stack {
		o.file.Close()
	}
	s.stack = nil
	s.endCopy()
}

// PassedOver lists what was passed over so far.
func (s *Scripts) PassedOver() []PassedOver { return s.passed }

// Read is how many bytes have been read of all files, as they are stored.
func (s *Scripts) Read() int64 { return s.read }

// Root is the current script, of those that were named.
func (s *Scripts) Root() string {
	if len(s.stack) == 0 {
		return ""
	}
	return s.stack[0].name
}

// Data returns the data of the COPY just read, and where each of their lines, from 1, stands: those of a file that data
// are made from, in that file.
func (s *Scripts) Data() (data io.Reader, place func(line int) (file string, at int)) {
	if s.copied == nil {
		in := s.stack[len(s.stack)-1]
		first := in.reader.line
		return placing{in.reader.Data(), s, in.name}, func(line int) (string, int) { return in.name, first + line - 1 }
	}
	if made, is := s.copied.file.(interface{ Place(int) (string, int) }); is {
		return placing{s.copied.data, s, s.copied.name}, made.Place
	}
	name := s.copied.name
	return placing{s.copied.data, s, name}, func(line int) (string, int) { return name, line }
}

// placing reads data, and says of what is wrong with them in which file they are.
type placing struct {
	io.Reader
	scripts *Scripts
	name    string
}

func (p placing) Read(b []byte) (int, error) {
	n, err := p.Reader.Read(b)
	if err != nil && err != io.EOF {
		err = p.scripts.placed(err, p.name, Item{Line: 1})
	}
	return n, err
}

// Next returns the next statement or COPY, io.EOF after the last. After an *Error of a command or a refused statement
// one may go on.
func (s *Scripts) Next() (Item, error) {
	if held := s.held; held != nil {
		s.held = nil
		return *held, nil
	}
	for {
		s.endCopy()
		if len(s.stack) == 0 {
			if len(s.names) == 0 {
				return Item{}, s.stillPending(io.EOF)
			}
			name := s.names[0]
			s.names = s.names[1:]
			if err := s.enter(name, Item{File: name, Line: 1}); err != nil {
				return Item{}, err
			}
		}
		at := s.stack[len(s.stack)-1]
		item, err := at.reader.Next()
		item.File = at.name
		if err == io.EOF {
			s.leave()
			continue
		}
		if err == nil {
			var done bool
			if done, err = s.take(&item); err == nil && !done {
				return item, nil
			}
		}
		if err != nil {
			err = s.placed(err, at.name, item)
			if wrong, ok := err.(*Error); !ok || wrong.lost {
				s.leave()
			}
			return Item{}, err
		}
	}
}

// placed makes sure that an error says where.
func (s *Scripts) placed(err error, file string, item Item) error {
	var wrong *Error
	if errors.As(err, &wrong) {
		if wrong.File == "" {
			wrong.File = file
		}
		if wrong.Line == 0 {
			wrong.Line = item.Line
		}
		return wrong
	}
	if errors.Is(err, gzip.ErrChecksum) || errors.Is(err, gzip.ErrHeader) || errors.Is(err, io.ErrUnexpectedEOF) {
		return &Error{
			lost:   true,
			File:   file,
			Line:   s.line(),
			Detail: "the file's gzip data are damaged or end too early: compress it again",
		}
	}
	return err
}

func (s *Scripts) line() int {
	if len(s.stack) == 0 {
		return 1
	}
	return s.stack[len(s.stack)-1].reader.line
}

func fail(item Item, format string, args ...any) error {
	return &Error{File: item.File, Line: item.Line, Detail: fmt.Sprintf(format, args...), Text: item.FirstLine()}
}

// take looks at an item: done tells that nothing is left for the database.
func (s *Scripts) take(item *Item) (done bool, err error) {
	if item.Kind == Command {
		return s.command(item)
	}
	if setsEncoding(item.Head) {
		if name, ok := sqltext.ClientEncoding(item.Text); ok {
			return true, s.setEncoding(*item, name)
		}
	}
	if sqltext.MayNotRun(item.Head) {
		verdict := sqltext.Classify(item.Text)
		switch {
		case verdict.Database != "":
			s.pending = append(s.pending, PassedOver{item.File, item.Line, item.FirstLine()})
			s.databases = append(s.databases, verdict.Database)
			return true, nil
		case verdict.Refused != "":
			return false, fail(*item, "%s", verdict.Refused)
		case verdict.Irrelevant:
			s.PassOver(*item)
			if verdict.Instead == "" {
				return true, nil
			}
			item.Text = verdict.Instead
		}
	}
	if len(s.pending) > 0 && !harmless[item.Head[0]] {
		s.held = item // to be run by whoever goes on
		return false, s.stillPending(nil)
	}
	return false, nil
}

// harmless are the beginnings of statements that may stand between CREATE DATABASE and \connect.
var harmless = map[string]bool{
	"SET": true, "SELECT": true, "COMMENT": true, "ALTER": true, "BEGIN": true, "COMMIT": true,
}

// stillPending is the error of a CREATE or DROP DATABASE that no \connect follows; otherwise the one given.
func (s *Scripts) stillPending(otherwise error) error {
	if len(s.pending) == 0 {
		return otherwise
	}
	p := s.pending[0]
	s.pending, s.databases = nil, nil
	return &Error{
		File: p.File,
		Line: p.Line,
		Text: p.Text,
		Detail: "setup scripts run within a database of their own and cannot make or drop others: this is passed " +
			"over only where \\connect to the same name follows",
	}
}

// PassOver lists an item as passed over.
func (s *Scripts) PassOver(item Item) {
	if len(s.passed) >= mostPassedOver {
		return
	}
	s.passed = append(s.passed, PassedOver{item.File, item.Line, item.FirstLine()})
}

// command does one of psql's commands.
func (s *Scripts) command(item *Item) (done bool, err error) {
	name, rest := splitCommand(item.Text)
	if strings.EqualFold(name, "copy") {
		return s.copy(item, rest)
	}
	name = strings.TrimRight(name, ";")
	rest = strings.TrimSpace(strings.TrimRight(rest, "; \t\r"))
	args, err := arguments(rest, s.variables)
	if irrelevant[name] || irrelevant[strings.TrimRight(name, "+S")] {
		s.PassOver(*item)
		return true, nil
	}
	if err != nil && reachOutside[name] == "" {
		return false, fail(*item, "\\%s: %s", name, err)
	}
	wants := func(least int, what string) error {
		if len(args) < least {
			return fail(*item, "\\%s names no %s", name, what)
		}
		return nil
	}
	switch name {
	case "c", "connect":
		s.connect(*item, args)
		return true, nil
	case "q", "quit":
		s.PassOver(*item)
		s.leave()
		return true, nil
	case "set", "unset":
		if len(s.variables) >= mostVariables && name == "set" {
			return false, fail(*item, "there are more than %d variables", mostVariables)
		}
		s.set(name, args)
		return true, nil
	case "encoding":
		if len(args) == 0 {
			return true, nil
		}
		return true, s.setEncoding(*item, args[0])
	case "i", "include", "ir", "include_relative":
		if err := wants(1, "file"); err != nil {
			return false, err
		}
		found, err := s.find(*item, args[0], strings.HasSuffix(name, "r") || strings.HasSuffix(name, "relative"))
		if err != nil {
			return false, err
		}
		if s.included++; s.included > mostIncludes {
			return false, &Error{
				lost: true,
				File: item.File,
				Line: item.Line,
				Text: item.FirstLine(),
				Detail: fmt.Sprintf(
					"scripts are included more than %d times in all: include each where it is needed, once",
					mostIncludes,
				),
			}
		}
		return true, s.enter(found, *item)
	}
	return false, fail(*item, "%s", refused(name))
}

// connect passes over a change of the database, and what made that database.
func (s *Scripts) connect(item Item, args []string) {
	for i, name := range slices.Backward(s.databases) {
		if slices.ContainsFunc(args, func(arg string) bool {
			return name == arg || strings.Contains(arg, "dbname="+name) || strings.Contains(arg, "dbname='"+name+"'")
		}) {
			s.passed = append(s.passed, s.pending[i])
			s.pending, s.databases = slices.Delete(s.pending, i, i+1), slices.Delete(s.databases, i, i+1)
		}
	}
	slices.SortStableFunc(s.passed, func(a, b PassedOver) int {
		if a.File == b.File {
			return a.Line - b.Line
		}
		return 0
	})
	s.PassOver(item)
}

func (s *Scripts) set(name string, args []string) {
	switch {
	case len(args) == 0:
	case name == "unset":
		delete(s.variables, args[0])
	default:
		s.variables[args[0]] = strings.Join(args[1:], "")
	}
}

// find looks up a file that a script names: beside the script with relative, else in the folder, then beside the
// script.
func (s *Scripts) find(item Item, name string, relative bool) (string, error) {
	name = strings.ReplaceAll(name, `\`, "/")
	beside := path.Join(path.Dir(item.File), name)
	candidates := []string{path.Clean(name), beside}
	if relative {
		candidates = []string{beside}
	}
	if path.IsAbs(name) || strings.Contains(name, ":/") || strings.HasPrefix(name, "~") {
		return "", fail(item, "%q leaves the folder: name a file inside it", name)
	}
	outside := true
	for _, c := range candidates {
		if !fs.ValidPath(c) {
			continue
		}
		outside = false
		if info, err := fs.Stat(s.files, c); err == nil && !info.IsDir() {
			return c, nil
		}
	}
	if outside {
		return "", fail(item, "%q leaves the folder: name a file inside it", name)
	}
	return "", fail(item, "there is no file %q in the folder; it has to be given together with the script", name)
}

// enter begins to read a file.
func (s *Scripts) enter(name string, item Item) error {
	if len(s.stack) >= deepest || slices.ContainsFunc(s.stack, func(o *open) bool { return o.name == name }) {
		return fail(item, "%s includes itself", name)
	}
	o, text, err := s.open(name, item)
	if err != nil {
		return err
	}
	begins := withoutMark(fromUTF16(text))
	if what := noScript(begins); what != "" {
		o.file.Close()
		return &Error{File: name, Line: 1, Detail: what}
	}
	text = begins
	o.encoding = s.encoding
	if len(s.stack) > 0 {
		o.encoding = s.stack[len(s.stack)-1].encoding
	}
	if text, err = decoded(text, o.encoding); err != nil {
		o.file.Close()
		return fail(item, "%s", err)
	}
	o.reader = NewReader(text)
	o.reader.variables = s.variables
	s.stack = append(s.stack, o)
	return nil
}

// notScripts are the first bytes of files that people take for scripts, and what to do with them.
var notScripts = []struct{ begins, what string }{
	{"PGDMP", "this is pg_dump's custom format: write it as SQL, with pg_restore -f s.sql"},
	{"BZh", "this is compressed with bzip2: unpack it, or compress it with gzip"},
	{"\xfd7zXZ", "this is compressed with xz: unpack it, or compress it with gzip"},
	{"\x28\xb5\x2f\xfd", "this is compressed with zstd: unpack it, or compress it with gzip"},
	{"PK\x03\x04", "this is a ZIP archive: unpack it and give the folder"},
	{"SQLite format 3", "this is a database's own file: write its contents as SQL"},
}

// noScript says why a file is no script, by how it begins; "" where it may be one.
func noScript(file *bufio.Reader) string {
	for _, n := range notScripts {
		if first, _ := file.Peek(len(n.begins)); string(first) == n.begins {
			return n.what
		}
	}
	return ""
}

func (s *Scripts) leave() {
	last := len(s.stack) - 1
	s.stack[last].file.Close()
	s.stack = s.stack[:last]
}

// open opens a file and unpacks it where it is compressed.
func (s *Scripts) open(name string, item Item) (*open, io.Reader, error) {
	file, err := s.files.Open(name)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil, fail(item, "there is no file %q", name)
	} else if err != nil {
		return nil, nil, err
	}
	text, err := Unpacked(counting{file, &s.read})
	if err != nil {
		file.Close()
		return nil, nil, s.placed(err, name, item)
	}
	return &open{name: name, file: file}, text, nil
}

// counting counts what is read.
type counting struct {
	io.Reader
	n *int64
}

func (c counting) Read(p []byte) (int, error) {
	n, err := c.Reader.Read(p)
	*c.n += int64(n)
	return n, err
}

// Unpacked reads a file that may be compressed with gzip, which its first bytes tell.
func Unpacked(file io.Reader) (io.Reader, error) {
	first := make([]byte, 2)
	n, err := io.ReadFull(file, first)
	if err != nil && err != io.EOF && err != io.ErrUnexpectedEOF {
		return nil, err
	}
	whole := io.MultiReader(strings.NewReader(string(first[:n])), file)
	if n < 2 || first[0] != 0x1f || first[1] != 0x8b {
		return whole, nil
	}
	return gzip.NewReader(whole)
}

// copy makes a COPY ... FROM STDIN of a \copy, with a file's data.
func (s *Scripts) copy(item *Item, rest string) (bool, error) {
	target, source, options, ok := splitCopy(rest)
	if !ok {
		return false, fail(
			*item, `\copy is expected as: \copy table FROM 'file.csv' WITH (...), with a file in the same folder`,
		)
	}
	item.Kind, item.Text, item.Head = Copy, "COPY "+target+" FROM STDIN "+options, []string{"COPY"}
	if strings.EqualFold(source, "stdin") || strings.EqualFold(source, "pstdin") {
		return false, nil
	}
	if len(s.pending) > 0 {
		return false, s.stillPending(nil)
	}
	name, err := s.find(*item, source, false)
	if err != nil {
		return false, err
	}
	o, text, err := s.open(name, *item)
	if err != nil {
		return false, err
	}
	if o.data, err = decoded(text, s.stack[len(s.stack)-1].encoding); err != nil {
		return false, err
	}
	o.data = withoutMark(o.data)
	s.copied = o
	return false, nil
}

// withoutMark leaves out the byte order mark that a file may begin with.
func withoutMark(text io.Reader) *bufio.Reader {
	in := bufio.NewReaderSize(text, readAhead)
	if mark, err := in.Peek(3); err == nil && string(mark) == "\ufeff" {
		_, _ = in.Discard(3)
	}
	return in
}

func (s *Scripts) endCopy() {
	if s.copied != nil {
		s.copied.file.Close()
		s.copied = nil
	}
}

// splitCopy takes apart `table (columns) FROM 'file' options`. What goes out, or comes from a program, is no such
// thing.
func splitCopy(rest string) (target, source, options string, ok bool) {
	rest = strings.TrimSpace(strings.TrimSuffix(strings.TrimSpace(rest), ";"))
	at := fromAt(rest)
	if at < 0 {
		return "", "", "", false
	}
	target, rest = strings.TrimSpace(rest[:at]), strings.TrimSpace(rest[at+len("from"):])
	if strings.HasPrefix(rest, "'") {
		var err error
		source, options, err = singleQuoted(rest)
		return target, source, strings.TrimSpace(options), err == nil && source != ""
	}
	source, options, _ = strings.Cut(rest, " ")
	return target, source, strings.TrimSpace(options), source != "" && !strings.EqualFold(source, "program")
}

// fromAt finds the word FROM outside of quotes and parentheses; -1 where there is none.
func fromAt(s string) int {
	depth, quoted, before := 0, false, false // before: the character before belongs to a word
	for i := range len(s) {
		switch {
		case s[i] == '"':
			quoted = !quoted
		case quoted:
		case s[i] == '(':
			depth++
		case s[i] == ')':
			depth--
		case depth == 0 && !before && len(s) > i+4 && strings.EqualFold(s[i:i+4], "from") && !isWord(s[i+4]):
			return i
		}
		before = isWord(s[i])
	}
	return -1
}
