package dataset_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"examen/internal/core/dataset"
)

// observatory has areas, each a table that five to nine others refer to, some of which refer to tables of other areas,
// and tables that stand alone.
func observatory(areas, alone int) (c *dataset.Catalogue, of map[string]string) {
	of = map[string]string{}
	var lines []string
	for a := range areas {
		centre := fmt.Sprintf("area_%d", a)
		lines, of[centre] = append(lines, centre+": *id, name"), centre
		for i := range 5 + a%5 {
			name := fmt.Sprintf("part_%d_%d", a, i)
			line := name + ": *id, area_id>" + centre + ".id"
			if i%4 == 1 {
				line += fmt.Sprintf(", other_id>area_%d.id?", (a+1)%areas)
			}
			lines, of[name] = append(lines, line), centre
		}
	}
	for i := range alone {
		lines = append(lines, fmt.Sprintf("setting_%d: *key, value", i))
	}
	return tables(lines...), of
}

// A large map is drawn by groups of tables that relate, none so large that it cannot be seen at once, and nothing lies
// on anything else.
func TestALargeMapIsDrawnByGroups(t *testing.T) {
	for _, size := range []struct{ areas, alone int }{{7, 0}, {7, 3}, {20, 14}} {
		c, of := observatory(size.areas, size.alone)
		m := dataset.NewMap(c)
		if wrong := overlaps(m); wrong != nil {
			t.Errorf("%d tables: %v", len(c.Tables), wrong)
		}
		want := size.areas
		if size.alone > 0 {
			want++
		}
		if len(m.Groups) != want {
			t.Errorf("%d tables: %d groups", len(c.Tables), len(m.Groups))
		}
		for i, g := range m.Groups {
			for _, e := range g.Tables {
				if of[e.Table.Name] != g.Name {
					t.Errorf("%d tables: %s stands in %q", len(c.Tables), e.Table.Name, g.Heading())
				}
			}
			for _, o := range m.Groups[i+1:] {
				if g.X < o.X+o.Width && o.X < g.X+g.Width && g.Y < o.Y+o.Height && o.Y < g.Y+g.Height {
					t.Errorf("%d tables: %q lies on %q", len(c.Tables), g.Heading(), o.Heading())
				}
			}
		}
		if ratio := m.Width / m.Height; ratio < 0.8 || ratio > 3 {
			t.Errorf("%d tables: %.0f by %.0f is no window's shape", len(c.Tables), m.Width, m.Height)
		}
		if again := dataset.NewMap(c).SVG(false); again != m.SVG(false) {
			t.Errorf("%d tables: the same tables are drawn in two ways", len(c.Tables))
		}
	}
}

// A table that all others refer to does not make one group of them all: they stand in groups of a size to be seen.
func TestATableThatAllReferTo(t *testing.T) {
	lines := []string{"person: *id, name"}
	for i := range 60 {
		lines = append(lines, fmt.Sprintf("note_%d: *id, person_id>person.id", i))
	}
	m := dataset.NewMap(tables(lines...))
	var sizes []int
	for _, g := range m.Groups {
		sizes = append(sizes, len(g.Tables))
	}
	if slices.Max(sizes) > 12 || len(sizes) > 8 || overlaps(m) != nil {
		t.Errorf("groups of %v tables, %v", sizes, overlaps(m))
	}
}

// A small map has no groups, and a moved table takes its group's frame along.
func TestFramesFollowTheirTables(t *testing.T) {
	if m := dataset.NewMap(yard); m.Groups != nil {
		t.Errorf("a small map has %d groups", len(m.Groups))
	}
	c, _ := observatory(7, 0)
	m := dataset.NewMap(c)
	m.Move("part_0_0", 9000, 9000)
	i := slices.IndexFunc(m.Groups, func(g *dataset.Group) bool { return g.Name == "area_0" })
	if g := m.Groups[i]; g.X+g.Width < 9000 || g.Y+g.Height < 9000 || m.Width < g.X+g.Width {
		t.Errorf("the frame ends at %.0f, %.0f, the map at %.0f", g.X+g.Width, g.Y+g.Height, m.Width)
	}
	if svg := m.SVG(false); !strings.Contains(svg, "Around area_0") {
		t.Error("the drawing does not name its groups")
	}
}
