package export

import (
	"embed"
	"fmt"
	"html/template"
	"strings"

	"examen/internal/core/pack"
)

// A Paper is a paper with somebody's own answers, as it is written into a file that stands for itself.
type Paper struct {
	Title string
	Whose string // and as of when
	Parts []Part
}

// A Part is narrative, or an exercise with its answer.
type Part struct {
	Title  string // "" for narrative without one
	Blocks []pack.Block
	Answer *Answer // nil for narrative
}

// An Answer is what somebody has written for an exercise, and what came of it.
type Answer struct {
	SQL      string // "" without one
	Verdict  string // in words
	Findings []string
	Columns  []string
	Rows     [][]*string // the first of them
	Count    int64       // of all rows
	Problem  string      // why there are no rows; "" where there are
}

//go:embed paper.html
var paperFile embed.FS

var paperTemplate = template.Must(template.New("paper.html").Funcs(template.FuncMap{
	"prose": func(b pack.Block, pictures map[string]string) template.HTML {
		return template.HTML(pack.HTML(b.Text, pictures)) // nothing in it can run
	},
	"more": more,
}).ParseFS(paperFile, "paper.html"))

// more says how many rows there are where not all are shown.
func more(a *Answer) string {
	if a.Problem != "" {
		return a.Problem
	}
	rows := "rows"
	if a.Count == 1 {
		rows = "row"
	}
	if shown := int64(len(a.Rows)); shown < a.Count {
		return fmt.Sprintf("%d %s; the first %d are shown", a.Count, rows, shown)
	}
	return fmt.Sprintf("%d %s", a.Count, rows)
}

// HTML returns the paper as one HTML file that needs nothing else. pictures holds what stands for each picture, by its
// name, as [pack.HTML] has it: data URLs keep the file whole.
func (p Paper) HTML(pictures map[string]string) string {
	var b strings.Builder
	if err := paperTemplate.Execute(&b, struct {
		Paper
		Pictures map[string]string
	}{p, pictures}); err != nil { // the template is ours
		panic(err)
	}
	return b.String()
}

// Markdown returns the paper as Markdown. Rows are tables.
func (p Paper) Markdown() string {
	var b strings.Builder
	fmt.Fprintf(&b, "# %s\n\n%s\n", p.Title, p.Whose)
	for _, part := range p.Parts {
		if part.Title != "" {
			fmt.Fprintf(&b, "\n## %s\n", part.Title)
		}
		for _, block := range part.Blocks {
			if block.Kind == "example" {
				fmt.Fprintf(&b, "\n%s\n", fenced(block.Text))
			} else {
				fmt.Fprintf(&b, "\n%s\n", block.Text)
			}
		}
		if part.Answer != nil {
			part.Answer.markdown(&b)
		}
	}
	return b.String()
}

func (a *Answer) markdown(b *strings.Builder) {
	if a.SQL == "" {
		fmt.Fprintf(b, "\n*%s*\n", a.Verdict)
		return
	}
	fmt.Fprintf(b, "\n%s\n\n*%s*\n", fenced(a.SQL), a.Verdict)
	if len(a.Findings) > 0 {
		b.WriteString("\n")
	}
	for _, f := range a.Findings {
		fmt.Fprintf(b, "- %s\n", plain(f))
	}
	if len(a.Columns) > 0 {
		b.WriteString("\n|")
		for _, name := range a.Columns {
			fmt.Fprintf(b, " %s |", plain(name))
		}
		b.WriteString("\n|" + strings.Repeat("---|", len(a.Columns)) + "\n")
		for _, row := range a.Rows {
			b.WriteString("|")
			for _, cell := range row {
				text := "*NULL*"
				if cell != nil {
					text = plain(*cell)
				}
				fmt.Fprintf(b, " %s |", text)
			}
			b.WriteString("\n")
		}
	}
	fmt.Fprintf(b, "\n%s\n", plain(more(a)))
}

// fenced returns SQL as a code block, whose fence is longer than any in it.
func fenced(sql string) string {
	fence := "```"
	for strings.Contains(sql, fence) {
		fence += "`"
	}
	return fence + "sql\n" + sql + "\n" + fence
}

var marked = strings.NewReplacer(
	`\`, `\\`, "`", "\\`", "*", `\*`, "_", `\_`, "[", `\[`, "]", `\]`, "<", `\<`, "|", `\|`, "$", `\$`,
	"\r\n", " ", "\n", " ", "\r", " ",
)

// plain returns a text as Markdown that shows it as it is, on one line.
func plain(s string) string { return marked.Replace(s) }
