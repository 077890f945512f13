package compare

import (
	"bytes"
	"slices"
	"strconv"

	"examen/internal/core/result"
)

// orderFindings is for sides that hold the same rows.
func (d *diff) orderFindings() (Verdict, *Difference) {
	if d.order() == OrderAny {
		return Right, nil
	}
	if d.policy.Once {
		d = d.firsts()
	}
	place := d.misplaced(d.attKeys, d.groups)
	if place < 0 {
		return Right, nil
	}
	f := Finding{Kind: RowOrder, Count: int64(place) + 1, Got: int64(len(d.attempt)), Want: int64(len(d.reference))}
	reversed := slices.Clone(d.attKeys)
	slices.Reverse(reversed)
	partly := d.partly()
	switch {
	case d.misplaced(reversed, d.groups) < 0:
		f.Kind = RowOrderReversed
	case partly > 0:
		f.Kind, f.Want = RowOrderPartly, int64(partly)
	default:
		if column := d.orderedBy(); column >= 0 {
			f.Kind, f.Given = RowOrderKey, []string{d.Plan.attempt[column].Name}
		}
	}
	f.Columns = append([]string{"row"}, names(d.Plan.attempt)...)
	for i := place; i < len(d.attempt) && len(f.Rows) < EvidenceRows; i++ {
		f.Rows = append(f.Rows, append(result.Row{[]byte(strconv.Itoa(i + 1))}, d.attempt[i]...))
	}
	facts := Facts{Columns: d.Plan.attempt, Got: f.Got, Want: int64(len(d.reference)), SameSet: true}
	facts.Present = d.attempt[:min(len(d.attempt), factRows)]
	return Wrong, &Difference{Findings: []Finding{f}, Facts: facts}
}

// firsts is the difference between the first rows of their kind, where repeated rows count once.
func (d *diff) firsts() *diff {
	once := *d
	once.tied, once.reference, once.refKeys, once.attempt, once.attKeys = tied{}, nil, nil, nil, nil
	seen := map[string]bool{}
	for i, k := range d.refKeys {
		if !seen[k] {
			seen[k] = true
			once.reference, once.refKeys, once.groups = append(
				once.reference, d.reference[i],
			), append(once.refKeys, k), append(once.groups, d.groups[i])
		}
	}
	clear(seen)
	for i, k := range d.attKeys {
		if !seen[k] {
			seen[k] = true
			once.attempt, once.attKeys = append(once.attempt, d.attempt[i]), append(once.attKeys, k)
		}
	}
	return &once
}

// partly is how many of the order keys, from the first, the attempt keeps to; 0 for none.
func (d *diff) partly() int {
	if d.order() != OrderAuto {
		return 0
	}
	for n := len(d.Plan.reference.Keys) - 1; n > 0; n-- {
		groups := d.tieGroups(d.reference, d.Plan.reference.Keys[:n])
		if groups[len(groups)-1] > 0 && d.misplaced(d.attKeys, groups) < 0 {
			return n
		}
	}
	return 0
}

// misplaced returns the first place in the attempt's keys whose row belongs to another tie group, or -1.
func (d *diff) misplaced(attKeys []string, groups []int) int {
	misplaced := -1
	tied{groups: groups}.each(func(from, to int) {
		if misplaced >= 0 {
			return
		}
		left := map[string]int{}
		for i := from; i < to; i++ {
			left[d.refKeys[i]]++
		}
		for i := from; i < to; i++ {
			if left[attKeys[i]]--; left[attKeys[i]] < 0 && misplaced < 0 {
				misplaced = i
			}
		}
	})
	return misplaced
}

// orderedBy finds a column of the attempt by which its rows are ordered, up or down; -1 where there is none or it may
// be by chance.
func (d *diff) orderedBy() int {
	for column := range d.Plan.attempt {
		at := slices.Index(d.attCells, column)
		up, down, changes := true, true, 0
		var before []byte
		for _, row := range d.attempt {
			cell := row[column]
			if cell == nil {
				continue
			}
			if before != nil {
				c := inOrder(d.attReadings[at], before, cell)
				up, down = up && c <= 0, down && c >= 0
				if c != 0 {
					changes++
				}
			}
			before = cell
		}
		if (up || down) && (changes >= 3 || changes == 2 && len(d.attempt) >= 8) {
			return column
		}
	}
	return -1
}

// inOrder compares two values as far as it can be told what comes first.
func inOrder(reading result.Reading, a, b []byte) int {
	switch reading.Family {
	case result.Number, result.Float:
		x, y := number(a), number(b)
		switch {
		case x < y:
			return -1
		case x > y:
			return 1
		}
		return 0
	case result.Text:
		return bytes.Compare(bytes.ToLower(a), bytes.ToLower(b))
	}
	return bytes.Compare(a, b)
}
