package export

import (
	"bufio"
	"bytes"
	_ "embed"
	"encoding/json"
	"fmt"
	"html/template"
	"io"
	"maps"
	"slices"
	"strings"
	"time"
)

// A PersonFormat is the format of a file with all that is stored of somebody.
type PersonFormat string

// The formats of such a file.
const (
	// PersonJSON is one object with what is stored, and "entries": the runs and attempts.
	PersonJSON PersonFormat = "json"
	// PersonHTML is a page for reading: a table for each part of it.
	PersonHTML PersonFormat = "html"
)

// A Person writes all that is stored of somebody: first everything but runs and attempts, then these one by one.
type Person struct {
	out     *bufio.Writer
	format  PersonFormat
	name    string
	at      time.Time
	entries int
}

// NewPerson returns a writer of a file about somebody, as it is at a time.
func NewPerson(to io.Writer, format PersonFormat, name string, at time.Time) *Person {
	return &Person{out: bufio.NewWriter(to), format: format, name: name, at: at}
}

//go:embed person.html
var personText string

var personPage = template.Must(template.New("person").Funcs(template.FuncMap{"words": words}).Parse(personText))

// Begin writes a JSON object.
func (p *Person) Begin(head []byte) error {
	if p.format == PersonJSON {
		if _, err := p.out.Write(bytes.TrimSuffix(head, []byte("}"))); err != nil {
			return err
		}
		_, err := p.out.WriteString(`,"entries":[`)
		return err
	}
	parts, err := partsOf(head)
	if err != nil {
		return err
	}
	return personPage.ExecuteTemplate(p.out, "head", map[string]any{
		"Name": p.name, "At": p.at.UTC().Format("2 January 2006, 15:04 UTC"), "Parts": parts,
	})
}

// Entry writes a run or an attempt, a JSON object.
func (p *Person) Entry(entry []byte) error {
	p.entries++
	if p.format == PersonJSON {
		if p.entries > 1 {
			if err := p.out.WriteByte(','); err != nil {
				return err
			}
		}
		_, err := p.out.Write(append([]byte("\n"), entry...))
		return err
	}
	var e any
	if err := json.Unmarshal(entry, &e); err != nil {
		return err
	}
	return personPage.ExecuteTemplate(p.out, "entry", e)
}

// Close writes the end.
func (p *Person) Close() error {
	end := "]}\n"
	if p.format == PersonHTML {
		end = "</table>\n"
	}
	if _, err := p.out.WriteString(end); err != nil {
		return err
	}
	return p.out.Flush()
}

// A personPart is a table of the page.
type personPart struct {
	Title  string
	Header []string
	Rows   [][]any
}

// partsOf makes tables of the lists in an object, in their order, and one of the object's own values.
func partsOf(object []byte) (parts []personPart, err error) {
	in := json.NewDecoder(bytes.NewReader(object))
	if _, err := in.Token(); err != nil {
		return nil, err
	}
	for in.More() {
		name, err := in.Token()
		if err != nil {
			return nil, err
		}
		var value any
		if err := in.Decode(&value); err != nil {
			return nil, err
		}
		part := personPart{Title: heading(fmt.Sprint(name))}
		list, many := value.([]any)
		if !many {
			list = []any{value}
		}
		for _, item := range list {
			row, _ := item.(map[string]any)
			if part.Header == nil {
				part.Header = keys(row)
			}
			var cells []any
			for _, key := range part.Header {
				cells = append(cells, row[key])
			}
			part.Rows = append(part.Rows, cells)
		}
		if len(part.Rows) > 0 && part.Header != nil {
			parts = append(parts, part)
		}
	}
	return parts, nil
}

func heading(key string) string {
	text := strings.ReplaceAll(key, "_", " ")
	return strings.ToUpper(text[:1]) + text[1:]
}

// words is a value of the file as it is read.
func words(value any) string {
	switch v := value.(type) {
	case nil:
		return ""
	case string:
		if at, err := time.Parse(time.RFC3339Nano, v); err == nil {
			return at.UTC().Format("2 January 2006, 15:04 UTC")
		}
		return v
	case bool:
		if v {
			return "yes"
		}
		return "no"
	case []any:
		var all []string
		for _, item := range v {
			all = append(all, words(item))
		}
		return strings.Join(all, "\n")
	case map[string]any:
		if sentence, has := v["sentence"]; has {
			return fmt.Sprint(sentence)
		}
		if outcome, has := v["outcome"]; has {
			return fmt.Sprintf("%v, %v of %v points, %s", outcome, v["mark"], v["points"], words(v["at"]))
		}
		text, _ := json.Marshal(v)
		return string(text)
	}
	return fmt.Sprint(value)
}

func keys(row map[string]any) []string { return slices.Sorted(maps.Keys(row)) }
