package dataset

import (
	"cmp"
	"math"
	"math/rand/v2"
	"slices"
)

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
	box
	lines    []*Line
	entities []*Entity
	layers   [][]*vertex
	passages map[*Line][]*vertex // from the referred table's side on
}

// partsOf finds the parts of a set of tables, and lays each out by itself.
func partsOf(entities []*Entity, lines []*Line) []*part {
	of := map[*Entity]*part{}
	for _, e := range entities {
		of[e] = &part{entities: []*Entity{e}}
	}
	for _, l := range lines {
		a, b := of[l.from], of[l.to]
		if a != b {
			a.entities, a.lines = append(a.entities, b.entities...), append(a.lines, b.lines...)
			for _, e := range b.entities {
				of[e] = a
			}
		}
		a.lines = append(a.lines, l)
	}
	var all []*part
	seen := map[*part]bool{}
	for _, e := range entities {
		if p := of[e]; !seen[p] {
			seen[p] = true
			p.layOut()
			all = append(all, p)
		}
	}
	return all
}

// layOut gives the tables and the passages of relations their places, from the part's upper left corner.
func (p *part) layOut() {
	layer := p.assignLayers()
	p.fill(layer)
	p.orderLayers()
	p.spread()
	x := 0.0
	middles := make([]float64, len(p.layers))
	for i, vertices := range p.layers {
		widest := widestOf(vertices)
		middles[i] = x + widest/2
		for _, v := range vertices {
			p.Height = max(p.Height, v.y+v.height)
			if v.entity != nil {
				v.entity.X, v.entity.Y = x, v.y
			}
		}
		p.Width = x + widest
		x += widest + across
	}
	for line, passages := range p.passages {
		for _, v := range passages {
			line.passages = append(line.passages, Point{middles[v.layer], v.y + rowHeight/2})
		}
		if line.from.X > line.to.X {
			slices.Reverse(line.passages) // passages go from left to right, points from the referring table
		}
	}
}

// move shifts all that is drawn of the part.
func (p *part) move(x, y float64) {
	for _, e := range p.entities {
		e.X, e.Y = e.X+x, e.Y+y
	}
	for _, l := range p.lines {
		for i := range l.passages {
			l.passages[i].X, l.passages[i].Y = l.passages[i].X+x, l.passages[i].Y+y
		}
	}
}

// assignLayers puts each table one layer after the last of those that it refers to. A circle of references is opened
// where it is met first.
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

// orderLayers orders the vertices of each layer so that few links cross. It begins as the tables come, and then by
// chance, the same each time.
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
			byBarycentre(
				p.layers[i], func(v *vertex) []*link { return v.left },
				func(k *link) float64 { return float64(k.left.place) + k.leftAt/10000 },
			)
		}
		return
	}
	for i := len(p.layers) - 2; i >= 0; i-- {
		byBarycentre(
			p.layers[i], func(v *vertex) []*link { return v.right },
			func(k *link) float64 { return float64(k.right.place) + k.rightAt/10000 },
		)
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

// byBarycentre sorts a layer by the mean place of each vertex's neighbours on one side; one without any stays about
// where it is.
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

// pull moves a layer's vertices to where their neighbours want them, without changing their order: blocks that would
// overlap are moved together, by the mean of what they want.
func (p *part) pull(vertices []*vertex) {
	type block struct {
		from, to int // vertices
		sum      float64
		start    float64
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
