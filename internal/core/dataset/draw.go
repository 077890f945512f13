package dataset

import (
	"encoding/xml"
	"fmt"
	"math"
	"regexp"
	"strings"
)

// Text writes the map for a terminal: each table with its columns, and below it how it relates to others.
func (m *Map) Text() string {
	var b strings.Builder
	for i, e := range m.Entities {
		if i > 0 {
			b.WriteByte('\n')
		}
		names, types := 0, 0
		for _, c := range e.Table.Columns {
			names, types = max(names, len([]rune(c.Name))), max(types, len([]rune(c.Type)))
		}
		title := fmt.Sprintf("─ %s, %s ", e.Table.Name, rowsOf(e.Table.Rows))
		width := max(len([]rune(title))+2, names+types+10)
		fmt.Fprintf(&b, "┌%s┐\n", title+strings.Repeat("─", width-len([]rune(title))))
		for _, c := range e.Table.Columns {
			line := fmt.Sprintf(" %-5s %-*s  %s", marks(&c), names, c.Name, c.Type)
			fmt.Fprintf(&b, "│%-*s│\n", width, line)
		}
		fmt.Fprintf(&b, "└%s┘\n", strings.Repeat("─", width))
		for _, l := range m.Relations {
			if l.From == e.Table.Name {
				fmt.Fprintf(
					&b, "  %s %s%s %s   %s\n", l.From, manyEnd(l.Single, false), oneEnd(l.Optional), l.To, l.Outward,
				)
			}
			if l.To == e.Table.Name && l.From != l.To {
				fmt.Fprintf(
					&b, "  %s %s%s %s   %s\n", l.To, oneEnd(l.Optional), manyEnd(l.Single, true), l.From, l.Inward,
				)
			}
		}
	}
	return b.String()
}

func rowsOf(n int64) string {
	if n == 1 {
		return "1 row"
	}
	return fmt.Sprintf("%d rows", n)
}

// marks says what a column is part of: the key, a foreign key, or both.
func marks(c *Column) string {
	switch {
	case c.Key && c.References != "":
		return "PK FK"
	case c.Key:
		return "PK"
	case c.References != "":
		return "   FK"
	}
	return ""
}

// manyEnd is the end of a relation at the referring table, right is that table's side.
func manyEnd(single, right bool) string {
	switch {
	case single:
		return "──"
	case right:
		return "─<"
	}
	return ">─"
}

// oneEnd is the end at the table referred to.
func oneEnd(optional bool) string {
	if optional {
		return "○"
	}
	return "┼"
}

var notMermaid = regexp.MustCompile(`[^\pL\pN_\[\]()-]+`)

// Mermaid writes the map as an entity relationship diagram in Mermaid's text format.
func (m *Map) Mermaid() string {
	var b strings.Builder
	b.WriteString("erDiagram\n")
	name := func(s string) string { return `"` + strings.ReplaceAll(s, `"`, "'") + `"` }
	for _, e := range m.Entities {
		fmt.Fprintf(&b, "    %s {\n", name(e.Table.Name))
		for _, c := range e.Table.Columns {
			line := "        " + notMermaid.ReplaceAllString(c.Type, "_") + " " + strings.Trim(
				notMermaid.ReplaceAllString(c.Name, "_"), "()[]-",
			)
			if keys := strings.Join(strings.Fields(marks(&c)), ", "); keys != "" {
				line += " " + keys
			}
			b.WriteString(line + "\n")
		}
		b.WriteString("    }\n")
	}
	for _, l := range m.Relations {
		one, many := "||", "o{"
		if l.Optional {
			one = "|o"
		}
		if l.Single {
			many = "o|"
		}
		fmt.Fprintf(
			&b, "    %s %s--%s %s : %s\n", name(l.To), one, many, name(l.From), name(strings.Join(l.Columns, ", ")),
		)
	}
	return b.String()
}

// colours of a drawing.
type colours struct{ paper, sheet, ink, quiet, line, action string }

var (
	light = colours{"#fdfaf3", "#f6f0e2", "#2b2a27", "#6b675e", "#cfc4aa", "#1f4b6e"}
	dark  = colours{"#1e1d1a", "#292722", "#e9e4d8", "#a8a294", "#565045", "#8fb4d6"}
)

func escape(s string) string {
	var b strings.Builder
	_ = xml.EscapeText(&b, []byte(s)) // a Builder takes everything
	return b.String()
}

// SVG draws the map, on dark paper or light.
func (m *Map) SVG(onDark bool) string {
	c := light
	if onDark {
		c = dark
	}
	var b strings.Builder
	fmt.Fprintf(
		&b,
		`<svg xmlns="http://www.w3.org/2000/svg" width="%.0f" height="%.0f" viewBox="0 0 %.0f %.0f" `+
			`font-family="'JetBrains Mono','DejaVu Sans Mono',monospace" font-size="12">`+"\n",
		m.Width,
		m.Height,
		m.Width,
		m.Height,
	)
	fmt.Fprintf(&b, `<rect width="100%%" height="100%%" fill="%s"/>`+"\n", c.paper)
	for _, g := range m.Groups {
		fmt.Fprintf(
			&b,
			`<rect x="%.1f" y="%.1f" width="%.1f" height="%.1f" rx="8" fill="none" stroke="%s" stroke-dasharray="2 `+
				`4"/>`,
			g.X,
			g.Y,
			g.Width,
			g.Height,
			c.quiet,
		)
		fmt.Fprintf(
			&b, `<text x="%.1f" y="%.1f" font-size="22" fill="%s">%s</text>`+"\n", g.X+14, g.Y+38, c.quiet,
			escape(shorten(g.Heading(), g.Width*0.5)),
		)
	}
	for _, l := range m.Relations {
		l.svg(&b, c)
	}
	for _, e := range m.Entities {
		e.svg(&b, c)
	}
	b.WriteString("</svg>\n")
	return b.String()
}

func (e *Entity) svg(b *strings.Builder, c colours) {
	fmt.Fprintf(
		b,
		`<g transform="translate(%.0f %.0f)"><title>%s</title><rect width="%.0f" height="%.0f" rx="4" fill="%s" `+
			`stroke="%s"/>`,
		e.X,
		e.Y,
		escape(e.Table.Name),
		e.Width,
		e.Height,
		c.sheet,
		c.line,
	)
	fmt.Fprintf(
		b,
		`<text x="12" y="20" font-weight="bold" font-size="13" fill="%s">%s</text><path d="M0 %.0fH%.0f" stroke="%s"/>`,
		c.ink, escape(shorten(e.Table.Name, e.Width)), headRoom-3, e.Width, c.line,
	)
	for i, column := range e.Columns {
		y := headRoom + rowHeight*float64(i) + 14
		mark := strings.Join(strings.Fields(marks(column)), " ")
		if mark != "" {
			fmt.Fprintf(b, `<text x="7" y="%.0f" font-size="9" fill="%s">%s</text>`, y, c.action, mark)
		}
		weight := ""
		if column.Key {
			weight = ` font-weight="bold"`
		}
		room := e.Width - 48
		fmt.Fprintf(
			b,
			`<text x="40" y="%.0f" fill="%s"%s>%s <tspan fill="%s" font-weight="normal">%s</tspan></text>`,
			y,
			c.ink,
			weight,
			escape(
				shorten(column.Name, room),
			),
			c.quiet,
			escape(shorten(column.Type, room-letter*float64(len([]rune(column.Name))+1))),
		)
	}
	if e.Hidden > 0 {
		fmt.Fprintf(
			b, `<text x="40" y="%.0f" fill="%s">and %d more columns</text>`,
			headRoom+rowHeight*float64(len(e.Columns))+14, c.quiet, e.Hidden,
		)
	}
	b.WriteString("</g>\n")
}

// shorten cuts a text to a width.
func shorten(s string, width float64) string {
	letters := int(max(width/letter, 1))
	if r := []rune(s); len(r) > letters {
		return string(r[:letters-1]) + "…"
	}
	return s
}

// svg draws a relation in crow's-foot notation: three toes where many rows refer, a bar for one, a circle for none.
func (l *Line) svg(b *strings.Builder, c colours) {
	start, end := l.Points[0], l.Points[len(l.Points)-1]
	startOut, endOut := outward(l.Points[0], l.from), outward(end, l.to)
	points := append([]Point{}, l.Points...)
	points[0].X += startOut * stub
	points[len(points)-1].X += endOut * stub
	faint := ""
	if l.Between {
		faint = ` opacity="0.35"`
	}
	fmt.Fprintf(
		b, `<g fill="none" stroke="%s"`+faint+` stroke-width="1.3"><title>%s</title><path d="M%.1f %.1fH%.1f%sH%.1f"/>`,
		c.action, escape(l.Outward), start.X, start.Y, points[0].X, curve(points), end.X,
	)
	if !l.Single {
		toe := start.X + startOut*12
		fmt.Fprintf(
			b, `<path d="M%.1f %.1fL%.1f %.1fM%.1f %.1fL%.1f %.1f"/>`, toe, start.Y, start.X, start.Y-6, toe, start.Y,
			start.X, start.Y+6,
		)
	} else {
		fmt.Fprintf(b, `<path d="M%.1f %.1fv12"/>`, start.X+startOut*8, start.Y-6)
	}
	// any number: none is allowed
	fmt.Fprintf(b, `<circle cx="%.1f" cy="%.1f" r="3.5" fill="%s"/>`, start.X+startOut*16, start.Y, c.paper)
	fmt.Fprintf(b, `<path d="M%.1f %.1fv12"/>`, end.X+endOut*8, end.Y-6)
	if l.Optional {
		fmt.Fprintf(b, `<circle cx="%.1f" cy="%.1f" r="3.5" fill="%s"/>`, end.X+endOut*15, end.Y, c.paper)
	} else {
		fmt.Fprintf(b, `<path d="M%.1f %.1fv12"/>`, end.X+endOut*12, end.Y-6)
	}
	b.WriteString("</g>\n")
}

// stub is how far a relation leaves a box before it turns.
const stub = 22.0

// outward is 1 where a point is on the right side of a box, -1 on the left.
func outward(p Point, e *Entity) float64 {
	if math.Abs(p.X-e.X) < math.Abs(p.X-e.X-e.Width) {
		return -1
	}
	return 1
}

// curve draws on from the first point to the others, level at each.
func curve(points []Point) string {
	var b strings.Builder
	for i := 1; i < len(points); i++ {
		p, q := points[i-1], points[i]
		half := (q.X - p.X) / 2
		fmt.Fprintf(&b, "C%.1f %.1f %.1f %.1f %.1f %.1f", p.X+half, p.Y, q.X-half, q.Y, q.X, q.Y)
	}
	return b.String()
}
