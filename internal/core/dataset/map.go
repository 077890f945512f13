package dataset

import (
	"cmp"
	"math"
	"slices"
)

// A Map is a drawing of tables and how they relate: each table a box with its columns, referred tables to the left of
// those that refer to them. Lengths are in pixels.
type Map struct {
	Entities      []*Entity
	Relations     []*Line
	Groups        []*Group // of tables that relate; none on a small map
	Width, Height float64
}

// An Entity is a table's box.
type Entity struct {
	Table         *Table
	X, Y          float64 // upper left corner
	Width, Height float64
	Columns       []*Column // that are shown
	Hidden        int       // how many columns are not
	group         *group
	moved         bool
	refers        bool // to another table
}

// A Line is a relation's way from the referring table to the one referred to.
type Line struct {
	Relation
	Points   []Point // from the referring table's side to the referred one's
	Between  bool    // tables of two groups
	from, to *Entity
	passages []Point // between tables of the layers that it passes
	shift    float64 // of its end, up or down
}

// A Point is a place on the map.
type Point struct{ X, Y float64 }

// Sizes of what is drawn.
const (
	letter    = 7.3 // the width of a letter of the columns' font
	rowHeight = 20.0
	headRoom  = 30.0
	margin    = 36.0 // around the map, and between unrelated parts
	across    = 90.0 // between layers
	apart     = 26.0 // between tables of a layer
	mostShown = 14   // columns
)

// Around returns the part of a catalogue that is one table, what it refers to and what refers to it; all of it for "".
func (c *Catalogue) Around(table string) *Catalogue {
	if table == "" {
		return c
	}
	near := map[string]bool{table: true}
	for _, r := range c.Relations() {
		if r.From == table || r.To == table {
			near[r.From], near[r.To] = true, true
		}
	}
	part := &Catalogue{}
	for _, t := range c.Tables {
		if near[t.Name] {
			part.Tables = append(part.Tables, t)
		}
	}
	return part
}

// NewMap lays a catalogue's tables out: in layers from left to right, so that relations cross each other as little as
// can be found. More tables than one such drawing takes are drawn by groups of those that relate most. Views are not on
// it. The method is that of layered drawing (K. Sugiyama, S. Tagawa, M. Toda: Methods for visual understanding of
// hierarchical system structures, 1981): layers by the longest path, order within layers by barycentres and exchanges,
// and places by the medians of neighbours.
func NewMap(c *Catalogue) *Map {
	m := &Map{}
	byName := map[string]*Entity{}
	for i := range c.Tables {
		if t := &c.Tables[i]; !t.View {
			e := newEntity(t)
			m.Entities, byName[t.Name] = append(m.Entities, e), e
		}
	}
	for _, r := range c.Relations() {
		if byName[r.From] != nil && byName[r.To] != nil {
			m.Relations = append(m.Relations, &Line{Relation: r, from: byName[r.From], to: byName[r.To]})
			byName[r.From].refers = byName[r.From].refers || r.From != r.To
		}
	}
	m.arrange()
	m.route()
	return m
}

func newEntity(t *Table) *Entity {
	e := &Entity{Table: t}
	for i := range t.Columns {
		e.Columns = append(e.Columns, &t.Columns[i])
	}
	if len(e.Columns) > mostShown { // keys and references first
		slices.SortStableFunc(e.Columns, func(a, b *Column) int { return cmp.Compare(weight(b), weight(a)) })
		e.Hidden = len(e.Columns) - mostShown + 1
		e.Columns = e.Columns[:mostShown-1]
	}
	widest := float64(len([]rune(t.Name))) * letter * 1.15
	for _, column := range e.Columns {
		widest = max(widest, float64(4+len([]rune(column.Name))+2+len([]rune(column.Type)))*letter)
	}
	e.Width = math.Ceil(min(widest, 360) + 24)
	rows := len(e.Columns)
	if e.Hidden > 0 {
		rows++
	}
	e.Height = headRoom + rowHeight*float64(rows) + 8
	return e
}

func weight(c *Column) int {
	switch {
	case c.Key:
		return 2
	case c.References != "":
		return 1
	}
	return 0
}

// Move puts a table elsewhere. A table that is not on the map is passed over.
func (m *Map) Move(table string, x, y float64) {
	for _, e := range m.Entities {
		if e.Table.Name == table {
			e.X, e.Y, e.moved = x, y, true
		}
	}
	for _, l := range m.Relations {
		if l.from.moved || l.to.moved {
			l.passages = nil
		}
	}
	m.route()
}

func widestOf(vertices []*vertex) float64 {
	widest := 0.0
	for _, v := range vertices {
		if v.entity != nil {
			widest = max(widest, v.entity.Width)
		}
	}
	return widest
}

// route finds each line's ends, and the map's size.
func (m *Map) route() {
	m.Width, m.Height = 0, 0
	for _, g := range m.Groups {
		g.frame()
	}
	for _, l := range m.Relations {
		l.shift = m.apart(l)
	}
	for _, l := range m.Relations {
		l.ends()
	}
	for _, e := range m.Entities {
		m.Width, m.Height = max(m.Width, e.X+e.Width+margin), max(m.Height, e.Y+e.Height+margin)
	}
	for _, g := range m.Groups {
		m.Width, m.Height = max(m.Width, g.X+g.Width+margin/2), max(m.Height, g.Y+g.Height+margin/2)
	}
	for _, l := range m.Relations {
		for _, p := range l.Points {
			m.Width, m.Height = max(m.Width, p.X+margin), max(m.Height, p.Y+margin)
		}
	}
}

// apart shifts the end of a relation that may be to none, where others that may not end at the same row: to the side
// that it comes from.
func (m *Map) apart(l *Line) float64 {
	if !l.Optional || l.from == l.to {
		return 0
	}
	others, n := 0.0, 0.0
	for _, o := range m.Relations {
		if o.to == l.to && !o.Optional && slices.Equal(o.Referred, l.Referred) {
			others, n = others+o.from.Y, n+1
		}
	}
	switch {
	case n == 0:
		return 0
	case l.from.Y < others/n:
		return -rowHeight / 3
	}
	return rowHeight / 3
}

// ends puts the points on the two boxes' sides around the passages between.
func (l *Line) ends() {
	middle := l.passages
	fromY, toY := l.from.Y+l.from.rowAt(l.Columns), l.to.Y+l.to.rowAt(l.Referred)
	toY += l.shift
	var start, end float64
	switch {
	case l.from == l.to && !l.from.refers: // on the side where no others are
		start, end = l.from.X, l.from.X
		middle = []Point{{start - across/3, fromY}, {start - across/3, toY}}
	case l.from == l.to || l.from.X < l.to.X+l.to.Width && l.to.X < l.from.X+l.from.Width:
		// one above the other: around their right sides
		start, end = l.from.X+l.from.Width, l.to.X+l.to.Width
		out := max(start, end) + across/3
		middle = []Point{{out, fromY}, {out, toY}}
	case l.from.X > l.to.X:
		start, end = l.from.X, l.to.X+l.to.Width
	default:
		start, end = l.from.X+l.from.Width, l.to.X
	}
	l.Points = slices.Concat([]Point{{start, fromY}}, middle, []Point{{end, toY}})
}

// Crossings counts how often relations cross each other, as they are drawn: straight from point to point.
func (m *Map) Crossings() (n int) {
	for i, a := range m.Relations {
		for _, b := range m.Relations[i+1:] {
			for j := 1; j < len(a.Points); j++ {
				for k := 1; k < len(b.Points); k++ {
					if cross(a.Points[j-1], a.Points[j], b.Points[k-1], b.Points[k]) {
						n++
					}
				}
			}
		}
	}
	return n
}

// cross tells whether two stretches have a point within both in common.
func cross(a, b, c, d Point) bool {
	side := func(p, q, r Point) float64 { return (q.X-p.X)*(r.Y-p.Y) - (q.Y-p.Y)*(r.X-p.X) }
	return side(a, b, c)*side(a, b, d) < -1e-9 && side(c, d, a)*side(c, d, b) < -1e-9
}
