package dataset

import (
	"cmp"
	"math"
	"math/rand/v2"
	"slices"
)

// A Map is a drawing of tables and how they relate: each table a box with its columns, referred tables to the left of those that refer to them.
// Lengths are in pixels.
type Map struct {
	Entities      []*Entity
	Relations     []*Line
	Width, Height float64
}

// An Entity is a table's box.
type Entity struct {
	Table         *Table
	X, Y          float64 // upper left corner
	Width, Height float64
	Columns       []*Column // that are shown
	Hidden        int       // how many columns are not
	moved         bool
	refers        bool // to another table
}

// A Line is a relation's way from the referring table to the one referred to.
type Line struct {
	Relation
	Points   []Point // from the referring table's side to the referred one's
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

// NewMap lays a catalogue's tables out: in layers from left to right, so that relations cross each other as little as can be found. Views are
// not on it. The method is that of layered drawing (K. Sugiyama, S. Tagawa, M. Toda: Methods for visual understanding of hierarchical system
// structures, 1981): layers by the longest path, order within layers by barycentres and exchanges, and places by the medians of neighbours.
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
	m.pack(m.parts())
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

// A vertex is a table in its layer, or a place where a relation passes a layer.
type vertex struct {
	entity *Entity // nil for a passage
	layer  int
	place  int     // within the layer, from 0
	y      float64 // of the upper edge
	height float64
	left   []*link // to the layer before
	right  []*link
}

// A link joins vertices of neighbouring layers, at a height within each.
type link struct {
	left, right     *vertex
	leftAt, rightAt float64
}

// A part is a set of tables that relate to each other, directly or not.
type part struct {
	lines         []*Line
	entities      []*Entity
	layers        [][]*vertex
	passages      map[*Line][]*vertex // from the referred table's side on
	width, height float64
}

// parts finds the parts and lays each out by itself.
func (m *Map) parts() []*part {
	group := map[*Entity]*part{}
	var all []*part
	for _, e := range m.Entities {
		group[e] = &part{entities: []*Entity{e}}
	}
	for _, l := range m.Relations {
		a, b := group[l.from], group[l.to]
		if a != b {
			a.entities, a.lines = append(a.entities, b.entities...), append(a.lines, b.lines...)
			for _, e := range b.entities {
				group[e] = a
			}
		}
		a.lines = append(a.lines, l)
	}
	seen := map[*part]bool{}
	for _, e := range m.Entities {
		if p := group[e]; !seen[p] {
			seen[p] = true
			p.layOut()
			all = append(all, p)
		}
	}
	return all
}

func (p *part) layOut() {
	layer := p.assignLayers()
	p.fill(layer)
	p.orderLayers()
	p.spread()
	x := 0.0
	for _, vertices := range p.layers {
		widest := 0.0
		for _, v := range vertices {
			if v.entity != nil {
				widest = max(widest, v.entity.Width)
			}
		}
		for _, v := range vertices {
			p.height = max(p.height, v.y+v.height)
			if v.entity != nil {
				v.entity.X, v.entity.Y = x, v.y
			}
		}
		p.width = x + widest
		x += widest + across
	}
}

// assignLayers puts each table one layer after the last of those that it refers to. A circle of references is opened where it is met first.
func (p *part) assignLayers() map[*Entity]int {
	refers := map[*Entity][]*Entity{}
	for _, l := range p.lines {
		if l.from != l.to {
			refers[l.from] = append(refers[l.from], l.to)
		}
	}
	layer, under := map[*Entity]int{}, map[*Entity]bool{}
	var visit func(e *Entity) int
	visit = func(e *Entity) int {
		if n, known := layer[e]; known {
			return n
		}
		under[e] = true
		n := 0
		for _, to := range refers[e] {
			if !under[to] {
				n = max(n, visit(to)+1)
			}
		}
		under[e] = false
		layer[e] = n
		return n
	}
	for _, e := range p.entities {
		visit(e)
	}
	// A table that nothing lies to the left of moves next to those that refer to it.
	referredBy := map[*Entity][]*Entity{}
	for from, all := range refers {
		for _, to := range all {
			referredBy[to] = append(referredBy[to], from)
		}
	}
	for _, e := range p.entities {
		nearest := math.MaxInt
		for _, from := range referredBy[e] {
			nearest = min(nearest, layer[from])
		}
		if len(refers[e]) == 0 && nearest != math.MaxInt && nearest-1 > layer[e] {
			layer[e] = nearest - 1
		}
	}
	return layer
}

// fill makes the vertices and links, with a passage in every layer that a relation passes.
func (p *part) fill(layer map[*Entity]int) {
	p.passages = map[*Line][]*vertex{}
	of := map[*Entity]*vertex{}
	add := func(v *vertex) *vertex {
		for len(p.layers) <= v.layer {
			p.layers = append(p.layers, nil)
		}
		v.place = len(p.layers[v.layer])
		p.layers[v.layer] = append(p.layers[v.layer], v)
		return v
	}
	for _, e := range p.entities {
		of[e] = add(&vertex{entity: e, layer: layer[e], height: e.Height})
	}
	for _, l := range p.lines {
		a, b := of[l.to], of[l.from]
		aAt, bAt := l.to.rowAt(l.Referred), l.from.rowAt(l.Columns)
		if a.layer > b.layer { // a circle's
			a, b, aAt, bAt = b, a, bAt, aAt
		}
		if a.layer == b.layer {
			continue
		}
		last, lastAt := a, aAt
		for n := a.layer + 1; n < b.layer; n++ {
			v := add(&vertex{layer: n, height: rowHeight})
			p.passages[l] = append(p.passages[l], v)
			join(last, v, lastAt, rowHeight/2)
			last, lastAt = v, rowHeight/2
		}
		join(last, b, lastAt, bAt)
	}
}

func join(left, right *vertex, leftAt, rightAt float64) {
	k := &link{left, right, leftAt, rightAt}
	left.right, right.left = append(left.right, k), append(right.left, k)
}

// rowAt is the height of a column's row within its box: of the first that is shown.
func (e *Entity) rowAt(columns []string) float64 {
	for i, c := range e.Columns {
		if slices.Contains(columns, c.Name) {
			return headRoom + rowHeight*(float64(i)+0.5)
		}
	}
	return headRoom / 2
}

// How often a better order is looked for: beginnings, and for each how often the layers are gone through.
const (
	beginnings = 12
	sweeps     = 16
)

// orderLayers orders the vertices of each layer so that few links cross. It begins as the tables come, and then by chance, the same each time.
func (p *part) orderLayers() {
	best, fewest := p.order(), p.crossings()
	chance := rand.New(rand.NewPCG(1, 2))
	for begin := 0; begin < beginnings && fewest > 0; begin++ {
		if begin > 0 {
			for _, vertices := range p.layers {
				chance.Shuffle(len(vertices), func(i, j int) { vertices[i], vertices[j] = vertices[j], vertices[i] })
				number(vertices)
			}
		}
		for n := 0; n < sweeps && fewest > 0; n++ {
			p.sweep(n%2 == 0)
			p.exchange()
			if now := p.crossings(); now < fewest {
				best, fewest = p.order(), now
			}
		}
	}
	p.layers = best
	for _, vertices := range p.layers {
		number(vertices)
	}
}

// sweep orders each layer by the one before it, or, going back, by the one after it.
func (p *part) sweep(forward bool) {
	if forward {
		for i := 1; i < len(p.layers); i++ {
			byBarycentre(p.layers[i], func(v *vertex) []*link { return v.left }, func(k *link) float64 { return float64(k.left.place) + k.leftAt/10000 })
		}
		return
	}
	for i := len(p.layers) - 2; i >= 0; i-- {
		byBarycentre(p.layers[i], func(v *vertex) []*link { return v.right }, func(k *link) float64 { return float64(k.right.place) + k.rightAt/10000 })
	}
}

func (p *part) order() [][]*vertex {
	all := make([][]*vertex, len(p.layers))
	for i := range p.layers {
		all[i] = slices.Clone(p.layers[i])
	}
	return all
}

func number(vertices []*vertex) {
	for i, v := range vertices {
		v.place = i
	}
}

// byBarycentre sorts a layer by the mean place of each vertex's neighbours on one side; one without any stays about where it is.
func byBarycentre(vertices []*vertex, links func(*vertex) []*link, at func(*link) float64) {
	centre := map[*vertex]float64{}
	for _, v := range vertices {
		centre[v] = float64(v.place)
		if all := links(v); len(all) > 0 {
			sum := 0.0
			for _, k := range all {
				sum += at(k)
			}
			centre[v] = sum / float64(len(all))
		}
	}
	slices.SortStableFunc(vertices, func(a, b *vertex) int { return cmp.Compare(centre[a], centre[b]) })
	number(vertices)
}

// exchange swaps neighbours within a layer as long as that takes crossings away.
func (p *part) exchange() {
	for better := true; better; {
		better = false
		for _, vertices := range p.layers {
			for i := 0; i+1 < len(vertices); i++ {
				a, b := vertices[i], vertices[i+1]
				if crossing(b, a) < crossing(a, b) {
					vertices[i], vertices[i+1] = b, a
					a.place, b.place = i+1, i
					better = true
				}
			}
		}
	}
}

// crossing counts the crossings of the links of two neighbours, with a before b.
func crossing(a, b *vertex) (n int) {
	for _, k := range a.left {
		for _, l := range b.left {
			if after(k.left, k.leftAt, l.left, l.leftAt) {
				n++
			}
		}
	}
	for _, k := range a.right {
		for _, l := range b.right {
			if after(k.right, k.rightAt, l.right, l.rightAt) {
				n++
			}
		}
	}
	return n
}

func after(a *vertex, aAt float64, b *vertex, bAt float64) bool {
	return a.place > b.place || a == b && aAt > bAt
}

// crossings weighs how often links cross: those of one table, which cross right beside it, count less.
func (p *part) crossings() (n int) {
	for _, vertices := range p.layers {
		var links []*link
		for _, v := range vertices {
			links = append(links, v.right...)
		}
		for i, k := range links {
			for _, l := range links[i+1:] {
				if after(k.left, k.leftAt, l.left, l.leftAt) && after(l.right, l.rightAt, k.right, k.rightAt) ||
					after(l.left, l.leftAt, k.left, k.leftAt) && after(k.right, k.rightAt, l.right, l.rightAt) {
					n++
					if k.left != l.left && k.right != l.right {
						n += 3
					}
				}
			}
		}
	}
	return n
}

// spread gives the vertices their heights: each as near to its neighbours' as its own layer allows.
func (p *part) spread() {
	for _, vertices := range p.layers {
		y := 0.0
		for _, v := range vertices {
			v.y = y
			y += v.height + apart
		}
	}
	for n := range 2 * sweeps {
		for i := range p.layers {
			if n%2 == 1 {
				i = len(p.layers) - 1 - i
			}
			p.pull(p.layers[i])
		}
	}
	top := math.Inf(1)
	for _, vertices := range p.layers {
		for _, v := range vertices {
			top = min(top, v.y)
		}
	}
	for _, vertices := range p.layers {
		for _, v := range vertices {
			v.y = math.Round(v.y - top)
		}
	}
}

// pull moves a layer's vertices to where their neighbours want them, without changing their order: blocks that would overlap are moved together, by the
// mean of what they want.
func (p *part) pull(vertices []*vertex) {
	type block struct {
		from, to   int // vertices
		sum        float64
		start, end float64
	}
	var blocks []block
	offset := 0.0
	for i, v := range vertices {
		b := block{from: i, to: i + 1, sum: wanted(v) - offset}
		for {
			b.start = b.sum / float64(b.to-b.from)
			if len(blocks) == 0 || blocks[len(blocks)-1].start <= b.start {
				break
			}
			last := blocks[len(blocks)-1]
			blocks = blocks[:len(blocks)-1]
			b.from, b.sum = last.from, b.sum+last.sum
		}
		blocks = append(blocks, b)
		offset += v.height + apart
	}
	offset = 0
	for _, b := range blocks {
		for i := b.from; i < b.to; i++ {
			vertices[i].y = b.start + offset
			offset += vertices[i].height + apart
		}
	}
}

// wanted is the median of the heights at which a vertex's links would be straight.
func wanted(v *vertex) float64 {
	var all []float64
	for _, k := range v.left {
		all = append(all, k.left.y+k.leftAt-k.rightAt)
	}
	for _, k := range v.right {
		all = append(all, k.right.y+k.rightAt-k.leftAt)
	}
	if len(all) == 0 {
		return v.y
	}
	slices.Sort(all)
	return (all[(len(all)-1)/2] + all[len(all)/2]) / 2
}

// pack places the parts, the largest first, in rows of about the width that makes the map half as wide again as high.
func (m *Map) pack(parts []*part) {
	area, widest := 0.0, 0.0
	for _, p := range parts {
		area += (p.width + margin) * (p.height + margin)
		widest = max(widest, p.width)
	}
	width := max(widest, math.Sqrt(area*1.6))
	slices.SortStableFunc(parts, func(a, b *part) int { return cmp.Compare(b.height, a.height) })
	x, y, row := margin, margin, 0.0
	for _, p := range parts {
		if x > margin && x+p.width > width+margin {
			x, y, row = margin, y+row+margin, 0
		}
		for _, e := range p.entities {
			e.X, e.Y = e.X+x, e.Y+y
		}
		for line, passages := range p.passages {
			for _, v := range passages {
				line.passages = append(line.passages, Point{m.layerX(p, v.layer) + x, v.y + rowHeight/2 + y})
			}
			if line.from.X > line.to.X {
				slices.Reverse(line.passages) // passages go from left to right, points from the referring table
			}
		}
		x += p.width + 2*margin
		row = max(row, p.height)
	}
}

// layerX is the left edge of a layer's middle, from the part's.
func (m *Map) layerX(p *part, layer int) float64 {
	x := 0.0
	for i := range layer {
		x += widestOf(p.layers[i]) + across
	}
	return x + widestOf(p.layers[layer])/2
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
	for _, l := range m.Relations {
		l.shift = m.apart(l)
	}
	for _, l := range m.Relations {
		l.ends()
	}
	for _, e := range m.Entities {
		m.Width, m.Height = max(m.Width, e.X+e.Width+margin), max(m.Height, e.Y+e.Height+margin)
	}
	for _, l := range m.Relations {
		for _, p := range l.Points {
			m.Width, m.Height = max(m.Width, p.X+margin), max(m.Height, p.Y+margin)
		}
	}
}

// apart shifts the end of a relation that may be to none, where others that may not end at the same row: to the side that it comes from.
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
	case l.from == l.to || l.from.X < l.to.X+l.to.Width && l.to.X < l.from.X+l.from.Width: // one above the other: around their right sides
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
