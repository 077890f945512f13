package dataset

import (
	"cmp"
	"math"
	"slices"
)

// A Group is a set of tables of a large map that relate to each other more than to others, in a frame.
type Group struct {
	Name          string // of the table that most relations of the group end at; empty for tables that relate to none
	Tables        []*Entity
	X, Y          float64 // upper left corner of the frame
	Width, Height float64
}

// Heading names the group on the map.
func (g *Group) Heading() string {
	if g.Name == "" {
		return "Without relations"
	}
	return "Around " + g.Name
}

// Sizes of groups.
const (
	mostTogether = 12 // tables that are drawn without groups, and that a group has
	frameHead    = 64.0
	frameSide    = 18.0
)

// frame puts the frame around the tables, wherever they are.
func (g *Group) frame() {
	left, top, right, bottom := math.Inf(1), math.Inf(1), 0.0, 0.0
	for _, e := range g.Tables {
		left, top, right, bottom = min(left, e.X), min(top, e.Y), max(right, e.X+e.Width), max(bottom, e.Y+e.Height)
	}
	g.X, g.Y, g.Width, g.Height = left-frameSide, top-frameHead, right-left+2*frameSide, bottom-top+frameHead+frameSide
}

// group is a Group in the making.
type group struct {
	box
	entities []*Entity
	parts    []*part
	degree   float64 // ends of relations at its tables, each by its weight
	within   float64 // relations within, by weight
	ties     map[*group]float64
}

// arrange gives every table its place: by groups, and in each by parts.
func (m *Map) arrange() {
	groups := m.groups()
	for _, g := range groups {
		var within []*Line
		for _, l := range m.Relations {
			switch {
			case l.from.group == g && l.to.group == g:
				within = append(within, l)
			case l.from.group == g:
				l.Between = true
			}
		}
		g.parts = partsOf(g.entities, within)
		boxes := make([]*box, len(g.parts))
		for i, p := range g.parts {
			boxes[i] = &p.box
		}
		g.box = place(boxes, margin, nil)
		for _, p := range g.parts {
			p.move(p.X, p.Y)
		}
	}
	boxes := make([]*box, len(groups))
	for i, g := range groups {
		if len(groups) > 1 {
			g.Width, g.Height = g.Width+2*frameSide, g.Height+frameHead+frameSide
		}
		boxes[i] = &g.box
	}
	place(boxes, 2*margin, func(i, j int) float64 { return groups[i].ties[groups[j]] })
	for _, g := range groups {
		x, y := g.X+margin, g.Y+margin
		if len(groups) > 1 {
			x, y = x+frameSide, y+frameHead
			m.Groups = append(m.Groups, &Group{Name: m.centre(g), Tables: g.entities})
		}
		for _, p := range g.parts {
			p.move(x, y)
		}
	}
}

// centre is the name of the group's table at which most relations of the group end; empty if there are none.
func (m *Map) centre(g *group) (name string) {
	ends, most := map[*Entity]int{}, 0
	for _, l := range m.Relations {
		if l.from != l.to && l.from.group == g && l.to.group == g {
			ends[l.from], ends[l.to] = ends[l.from]+1, ends[l.to]+2 // what is referred to rather than what refers
		}
	}
	for _, e := range g.entities {
		if ends[e] > most {
			name, most = e.Table.Name, ends[e]
		}
	}
	return name
}

// groups divides the tables. A small map is one group. Otherwise groups begin as single tables and those two are
// joined, again and again, that have the most relations between them beyond what their numbers of relations would let
// expect (A. Clauset, M. E. J. Newman, C. Moore: Finding community structure in very large networks, 2004), as long as
// a group stays small enough to be seen at once.
func (m *Map) groups() []*group {
	if len(m.Entities) <= mostTogether {
		whole := &group{entities: m.Entities}
		for _, e := range m.Entities {
			e.group = whole
		}
		return []*group{whole}
	}
	var all []*group
	for _, e := range m.Entities {
		e.group = &group{entities: []*Entity{e}, ties: map[*group]float64{}}
		all = append(all, e.group)
	}
	ends := 0.0
	for _, l := range m.Relations {
		if a, b := l.from.group, l.to.group; a != b {
			weight := 2.0 // what a row cannot be without belongs together rather than what it may have
			if l.Optional {
				weight = 1
			}
			a.ties[b], b.ties[a] = a.ties[b]+weight, b.ties[a]+weight
			a.degree, b.degree = a.degree+weight, b.degree+weight
			ends += 2 * weight
		}
	}
	all = unite(all, func(a, b *group) float64 { return a.ties[b] - a.degree*b.degree/ends })
	// What is left over for lack of room goes together where it relates to the same group, and what relates to none
	// goes together.
	return unite(all, func(a, b *group) float64 {
		if a.degree == 0 && b.degree == 0 {
			return 1
		}
		if a.within > 0 || b.within > 0 {
			return 0
		}
		shared := 0.0
		for c, n := range a.ties {
			shared += min(n, b.ties[c])
		}
		return shared
	})
}

// unite joins the two groups with the highest gain, as long as any is above zero.
func unite(all []*group, gain func(a, b *group) float64) []*group {
	for {
		var first, second *group
		best := 0.0
		for i, a := range all {
			for _, b := range all[i+1:] {
				unrelated := a.degree == 0 && b.degree == 0
				if now := gain(a, b); now > best+1e-9 && (unrelated ||
					len(a.entities)+len(b.entities) <= mostTogether) {
					first, second, best = a, b, now
				}
			}
		}
		if first == nil {
			return all
		}
		first.takeIn(second)
		all = slices.DeleteFunc(all, func(g *group) bool { return g == second })
	}
}

func (g *group) takeIn(other *group) {
	for _, e := range other.entities {
		e.group = g
	}
	g.within += other.within + g.ties[other]
	g.entities, g.degree = append(g.entities, other.entities...), g.degree+other.degree
	for third, n := range other.ties {
		delete(third.ties, other)
		if third != g {
			g.ties[third], third.ties[g] = g.ties[third]+n, third.ties[g]+n
		}
	}
}

// A box is an upright rectangle.
type box struct{ X, Y, Width, Height float64 }

// wide is how much wider than high a map should be: about as a window is.
const wide = 1.6

// place puts boxes beside each other, with room between, those near each other that have ties, the whole about as wide
// as a window is. It returns the box around them, at 0, 0. Each box in turn, the one with most ties to those placed
// first, goes to the side of a placed one where it lies best.
func place(boxes []*box, room float64, ties func(i, j int) float64) (whole box) {
	tie := func(i, j int) float64 {
		if ties == nil {
			return 0
		}
		return ties(i, j)
	}
	var placed []int
	left := make([]int, len(boxes))
	for i := range left {
		left[i] = i
	}
	for len(left) > 0 {
		// With nothing placed yet, ties to all count.
		near := placed
		if len(near) == 0 {
			near = left
		}
		next := slices.MaxFunc(left, func(a, b int) int {
			sum := func(i int) (n float64) {
				for _, j := range near {
					n += tie(i, j)
				}
				return n
			}
			return cmp.Or(cmp.Compare(sum(a), sum(b)), cmp.Compare(boxes[a].Height, boxes[b].Height), cmp.Compare(b, a))
		})
		b, best := boxes[next], math.Inf(1)
		b.X, b.Y = 0, 0
		at := *b
		for _, j := range placed {
			o := boxes[j]
			for _, p := range []Point{
				{o.X + o.Width + room, o.Y}, {o.X + o.Width + room, o.Y + o.Height - b.Height},
				{o.X, o.Y + o.Height + room}, {o.X + o.Width - b.Width, o.Y + o.Height + room},
				{o.X - room - b.Width, o.Y}, {o.X - room - b.Width, o.Y + o.Height - b.Height},
				{o.X, o.Y - room - b.Height}, {o.X + o.Width - b.Width, o.Y - room - b.Height},
			} {
				b.X, b.Y = p.X, p.Y
				if worth := worse(b, next, placed, boxes, room, tie); worth < best {
					best, at = worth, *b
				}
			}
		}
		*b = at
		placed = append(placed, next)
		left = slices.DeleteFunc(left, func(i int) bool { return i == next })
	}
	return around(boxes)
}

// worse tells how badly a box lies: how large the map becomes, and how far it is to those that it has ties with. It is
// endless where the box overlaps another.
func worse(b *box, of int, placed []int, boxes []*box, room float64, tie func(i, j int) float64) float64 {
	x, y, right, bottom := b.X, b.Y, b.X+b.Width, b.Y+b.Height
	far, all := 0.0, 0.0
	for _, j := range placed {
		o := boxes[j]
		const slack = 1e-6
		if b.X < o.X+o.Width+room-slack && o.X < b.X+b.Width+room-slack && b.Y < o.Y+o.Height+room-slack &&
			o.Y < b.Y+b.Height+room-slack {
			return math.Inf(1)
		}
		x, y, right, bottom = min(x, o.X), min(y, o.Y), max(right, o.X+o.Width), max(bottom, o.Y+o.Height)
		n := tie(of, j)
		far += n * math.Hypot(b.X+b.Width/2-o.X-o.Width/2, b.Y+b.Height/2-o.Y-o.Height/2)
		all += n
	}
	// Ends of the map that stick out cost little beside its size, and decide between places that are alike.
	size := max(right-x, wide*(bottom-y)) + 0.2*(right-x+bottom-y)
	return size + 0.5*far/max(all, 1)
}

// around shifts boxes so that they begin at 0, 0, and returns the box around them.
func around(boxes []*box) (whole box) {
	x, y := math.Inf(1), math.Inf(1)
	for _, b := range boxes {
		x, y = min(x, b.X), min(y, b.Y)
	}
	for _, b := range boxes {
		b.X, b.Y = b.X-x, b.Y-y
		whole.Width, whole.Height = max(whole.Width, b.X+b.Width), max(whole.Height, b.Y+b.Height)
	}
	return whole
}
