// Package pack reads packs: folders of text files that hold datasets and papers (pack.yaml, setup scripts, papers in
// Markdown).
//
// [Read] takes the folder's files, wherever they are kept. It does not read the setup scripts themselves: those may be
// large. Everything wrong is an [Error] with its file and line.
package pack

import (
	"fmt"
	"io/fs"
	"path"
	"regexp"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"gopkg.in/yaml.v3"

	"examen/internal/core/compare"
	"examen/internal/core/marking"
	"examen/internal/core/sqltext"
)

// A Pack is the content of a folder.
type Pack struct {
	Name     string
	Title    string
	Datasets []Dataset
	Papers   []Paper
}

// A Dataset is a sample database, as its setup scripts build it.
type Dataset struct {
	Name           string
	Title          string
	Setup          []string // scripts, by path
	Variants       []Variant
	Dictionary     map[string]Meaning // by table
	DictionaryFile string             // the path of the file that it comes from
	// Changes tells whether learners may change it, each in a copy of their own; nil where the pack says nothing of it.
	Changes *bool
}

// A Variant is a dataset with other rows: the setup scripts, and then its own.
type Variant struct {
	Name  string
	Setup []string
}

// A Meaning says what a table and its columns mean.
type Meaning struct {
	Line    int               `yaml:"-"       json:"-"` // of the dictionary
	Meaning string            `yaml:"meaning" json:"meaning"`
	Columns map[string]string `yaml:"columns" json:"columns"`
}

// A Paper is narrative, examples and exercises, in order.
type Paper struct {
	Slug, Title, Dataset string
	Opens, Due           *time.Time
	Changes              bool // learners may change the dataset, each in a copy of their own
	Sections             []Section
	Pictures             []Picture
	Path                 string
}

// A Picture is one that a paper shows.
type Picture struct {
	Name      string // as the paper writes it, relative to its own file
	Path      string // in the pack
	MediaType string
}

// Exercises returns the paper's exercises in order.
func (p Paper) Exercises() []*Exercise {
	var all []*Exercise
	for _, s := range p.Sections {
		if s.Exercise != nil {
			all = append(all, s.Exercise)
		}
	}
	return all
}

// A Section is an exercise, or narrative: then Blocks holds it.
type Section struct {
	Title    string    `json:"title,omitempty"`
	Blocks   []Block   `json:"blocks,omitempty"`
	Exercise *Exercise `json:"-"`
	Slug     string    `json:"slug,omitempty"` // of the exercise
}

// A Block is Markdown text, or an SQL example that can be run.
type Block struct {
	Kind string `json:"kind"` // "text" or "example"
	Text string `json:"text"`
	Line int    `json:"line,omitempty"` // of an example, in the paper's file
}

// An Exercise is a task with its reference answer and checking rules.
type Exercise struct {
	Slug      string
	Number    int // in its paper, from 1
	Title     string
	Blocks    []Block
	Reference string
	Points    marking.Points
	Checking  Checking
	Path      string
	Line      int // of the reference answer
}

// Accepted returns the answers that count as right, the reference answer first.
func (e *Exercise) Accepted() []string { return append([]string{e.Reference}, e.Checking.Also...) }

// Checking is how attempts are checked, beyond the reference answer.
type Checking struct {
	Policy   compare.Policy `json:"policy"`
	Require  []string       `json:"require,omitempty"`
	Forbid   []string       `json:"forbid,omitempty"`
	Show     Show           `json:"show,omitempty"`
	Attempts int            `json:"attempts,omitempty"` // the most allowed; 0: any number
	Variants *[]string      `json:"variants,omitempty"` // nil: all
	Also     []string       `json:"also,omitempty"`     // further reference answers
	// Hints say how far a learner is told what causes a difference; nil: where it is, and of what kind.
	Hints *Hints `json:"hints,omitempty"`
	// Changes tells that learners may change the dataset, each in a copy of their own.
	Changes bool `json:"changes,omitempty"`
	// Ignore are columns of which the values do not count, as table.column: of answers that change something.
	Ignore []string `json:"ignore,omitempty"`
	// Definitions say what counts of definitions besides their meaning.
	Definitions Definitions `json:"definitions,omitzero"`
	// Last tells that what the last query of such an answer shows counts, too.
	Last bool `json:"last,omitempty"`
	// Accepts and Refuses are statements that the database has to take, or not to take, after such an answer has run.
	Accepts []string `json:"accepts,omitempty"`
	Refuses []string `json:"refuses,omitempty"`
}

// Definitions say what counts of definitions besides their meaning: what things are called, the order of columns, and
// which indexes there are.
type Definitions struct {
	Names   bool `json:"names,omitempty"`
	Order   bool `json:"order,omitempty"`
	Indexes bool `json:"indexes,omitempty"`
}

// ByState tells that the exercise's answers change something: they are checked by what they leave.
func (e *Exercise) ByState() bool { return sqltext.Changes(e.Reference) }

// OnVariant tells whether attempts are checked on the variant of that name.
func (c *Checking) OnVariant(name string) bool {
	return c.Variants == nil || slices.Contains(*c.Variants, name)
}

// Show is what a learner sees of the expected result before submitting.
type Show string

const (
	ShowColumns Show = "columns"
	ShowCount   Show = "count"
	ShowSample  Show = "sample"
	ShowRows    Show = "rows"
	ShowNothing Show = "nothing"
)

// An Error is one thing wrong with a pack.
type Error struct {
	File   string
	Line   int // from 1
	Detail string
}

func (e Error) Error() string { return fmt.Sprintf("%s:%d: %s", e.File, e.Line, e.Detail) }

// LongestSlug is the greatest length of a slug, in bytes.
const LongestSlug = 64

// IsSlug tells whether a text can name a pack, dataset, variant, paper or exercise: lower-case letters and digits, with
// single hyphens between them.
func IsSlug(name string) bool { return len(name) <= LongestSlug && slug.MatchString(name) }

var slug = regexp.MustCompile(`^[a-z0-9]+(-[a-z0-9]+)*$`)

// A reader collects errors while it reads.
type reader struct {
	files  fs.FS             // nil for a paper that is read alone
	known  map[string]string // its pictures then: their media types, by name
	errors []Error
}

func (r *reader) fail(file string, line int, format string, args ...any) {
	r.errors = append(r.errors, Error{file, max(line, 1), fmt.Sprintf(format, args...)})
}

// Read reads a pack from its folder's files. With any error there is no pack.
func Read(files fs.FS) (*Pack, []Error) {
	r := &reader{files: files}
	const file = "pack.yaml"
	content, err := fs.ReadFile(files, file)
	if err != nil {
		return nil, []Error{
			{file, 1, "the file is missing: a pack is a folder with a pack.yaml, setup scripts and papers"},
		}
	}
	p := &Pack{}
	root, ok := r.yaml(file, content, 1)
	if !ok {
		return nil, r.errors
	}
	var papers []*yaml.Node
	r.mapping(file, root, 1, map[string]func(*yaml.Node){
		"pack":     func(n *yaml.Node) { p.Name = r.slug(file, n, 1) },
		"title":    func(n *yaml.Node) { p.Title = r.text(file, n, 1) },
		"datasets": func(n *yaml.Node) { p.Datasets = r.datasets(file, n) },
		"papers":   func(n *yaml.Node) { papers = r.sequence(file, n, 1) },
	}, "pack", "title")
	for _, n := range papers {
		if name, content, ok := r.file(file, n); ok {
			if paper, ok := r.paper(name, content); ok {
				r.checkPaper(p, paper)
				p.Papers = append(p.Papers, paper)
			}
		}
	}
	if len(p.Datasets)+len(p.Papers) == 0 && len(r.errors) == 0 {
		r.fail(file, 1, "the pack holds neither datasets nor papers: name some under datasets or papers")
	}
	if r.errors != nil {
		return nil, r.errors
	}
	return p, nil
}

// checkPaper checks a paper against the rest of its pack.
func (r *reader) checkPaper(p *Pack, paper Paper) {
	if slices.ContainsFunc(p.Papers, func(other Paper) bool { return other.Slug == paper.Slug }) {
		r.fail(paper.Path, 1, "another paper of the pack is called %q too: give each its own slug", paper.Slug)
	}
	i := slices.IndexFunc(p.Datasets, func(d Dataset) bool { return d.Name == paper.Dataset })
	if i < 0 {
		return // a dataset of another pack, perhaps; the service knows
	}
	var variants []string
	for _, v := range p.Datasets[i].Variants {
		variants = append(variants, v.Name)
	}
	r.errors = append(r.errors, paper.StrangeVariants(variants)...)
}

// StrangeVariants returns an error for each variant that an exercise is checked on and that the dataset does not have.
func (p *Paper) StrangeVariants(variants []string) (wrong []Error) {
	for _, e := range p.Exercises() {
		if e.Checking.Variants == nil {
			continue
		}
		for _, name := range *e.Checking.Variants {
			if !slices.Contains(variants, name) {
				wrong = append(wrong, Error{e.Path, e.Line, fmt.Sprintf(
					"exercise %s: the dataset %s has no variant %q", e.Slug, p.Dataset, name,
				)})
			}
		}
	}
	return wrong
}

func (r *reader) datasets(file string, n *yaml.Node) []Dataset {
	var all []Dataset
	r.pairs(file, n, 1, func(key, value *yaml.Node) {
		d := Dataset{Name: key.Value}
		if !IsSlug(d.Name) {
			r.fail(
				file, key.Line, "%q is no name for a dataset: use up to 64 lower-case letters, digits and hyphens",
				d.Name,
			)
		}
		d.Title = d.Name
		r.mapping(file, value, 1, map[string]func(*yaml.Node){
			"title":      func(n *yaml.Node) { d.Title = r.text(file, n, 1) },
			"setup":      func(n *yaml.Node) { d.Setup = r.scripts(file, n) },
			"dictionary": func(n *yaml.Node) { d.Dictionary, d.DictionaryFile = r.dictionary(file, n) },
			"changes":    func(n *yaml.Node) { d.Changes = new(bool); *d.Changes = r.changes(file, n, 1) },
			"variants": func(n *yaml.Node) {
				r.pairs(file, n, 1, func(key, value *yaml.Node) {
					if !IsSlug(key.Value) {
						r.fail(
							file, key.Line,
							"%q is no name for a variant: use up to 64 lower-case letters, digits and hyphens",
							key.Value,
						)
					}
					d.Variants = append(d.Variants, Variant{key.Value, r.scripts(file, value)})
				})
			},
		}, "setup")
		all = append(all, d)
	})
	return all
}

// changes reads whether learners may change a dataset.
func (r *reader) changes(file string, n *yaml.Node, first int) bool {
	return r.choice(file, n, first, "refused", "allowed") == "allowed"
}

func (r *reader) scripts(file string, n *yaml.Node) []string {
	var scripts []string
	for _, item := range r.sequence(file, n, 1) {
		if name, ok := r.path(file, item); ok {
			scripts = append(scripts, name)
		}
	}
	if len(n.Content) == 0 && n.Kind == yaml.SequenceNode {
		r.fail(file, n.Line, "no scripts are named: list at least one")
	}
	return scripts
}

func (r *reader) dictionary(file string, n *yaml.Node) (dictionary map[string]Meaning, path string) {
	name, content, ok := r.file(file, n)
	if !ok {
		return nil, ""
	}
	root, ok := r.yaml(name, content, 1)
	if !ok {
		return nil, ""
	}
	dictionary = map[string]Meaning{}
	r.pairs(name, root, 1, func(table, value *yaml.Node) {
		m := Meaning{Columns: map[string]string{}}
		r.mapping(name, value, 1, map[string]func(*yaml.Node){
			"meaning": func(n *yaml.Node) { m.Meaning = r.text(name, n, 1) },
			"columns": func(n *yaml.Node) {
				r.pairs(name, n, 1, func(column, value *yaml.Node) { m.Columns[column.Value] = r.text(name, value, 1) })
			},
		})
		m.Line = table.Line
		dictionary[table.Value] = m
	})
	return dictionary, name
}

// path looks up a file that a YAML scalar names.
func (r *reader) path(in string, n *yaml.Node) (name string, ok bool) {
	name = r.text(in, n, 1)
	if name == "" {
		return "", false
	}
	clean := path.Clean(name)
	if !fs.ValidPath(clean) {
		r.fail(in, n.Line, "%q leaves the pack's folder: name a file inside it", name)
		return "", false
	}
	if info, err := fs.Stat(r.files, clean); err != nil || info.IsDir() {
		r.fail(in, n.Line, "the pack has no file %q", name)
		return "", false
	}
	return clean, true
}

// file reads a text file that a YAML scalar names.
func (r *reader) file(in string, n *yaml.Node) (name string, content []byte, ok bool) {
	clean, ok := r.path(in, n)
	if !ok {
		return "", nil, false
	}
	content, err := fs.ReadFile(r.files, clean)
	if err != nil {
		r.fail(in, n.Line, "the file %q cannot be read: %v", clean, err)
		return "", nil, false
	}
	if !utf8.Valid(content) {
		line := 1 + strings.Count(string(content[:invalid(content)]), "\n")
		r.fail(clean, line, "the file is not valid UTF-8: save it as UTF-8")
		return "", nil, false
	}
	if i := strings.IndexByte(string(content), 0); i >= 0 {
		r.fail(clean, 1+strings.Count(string(content[:i]), "\n"), "the file holds a NUL byte: it is not a text file")
		return "", nil, false
	}
	return clean, []byte(strings.TrimPrefix(string(content), "\ufeff")), true
}

// invalid returns the offset of the first byte that is not UTF-8.
func invalid(b []byte) int {
	for i := 0; i < len(b); {
		r, size := utf8.DecodeRune(b[i:])
		if r == utf8.RuneError && size == 1 {
			return i
		}
		i += size
	}
	return len(b)
}
