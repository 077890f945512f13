package script

import (
	"regexp"
	"slices"
	"strings"

	"github.com/zeebo/xxh3"
)

// mostValues is how many different values of a column are kept, to find keys and the columns that refer to them.
const mostValues = 100_000

// A valueSet holds the different values of a column, as far as they are not too many.
type valueSet struct {
	seen     map[xxh3.Uint128]struct{}
	repeated bool
	empty    bool
	over     bool
}

func (v *valueSet) add(value string) {
	switch {
	case value == "":
		v.empty = true
		return
	case v.over:
		return
	case v.seen == nil:
		v.seen = map[xxh3.Uint128]struct{}{}
	}
	hash := xxh3.HashString128(value)
	if _, has := v.seen[hash]; has {
		v.repeated = true
		return
	}
	if v.over = len(v.seen) == mostValues; v.over {
		v.seen = nil
		return
	}
	v.seen[hash] = struct{}{}
}

// within tells whether all values are among a key's.
func (v *valueSet) within(key *valueSet) bool {
	if v.over || key.over || len(v.seen) == 0 {
		return false
	}
	for hash := range v.seen {
		if _, has := key.seen[hash]; !has {
			return false
		}
	}
	return true
}

var keyName = regexp.MustCompile(`(^|_)(id|no|nr|code|key|number)$`)

// proposeKey finds the column that could be the primary key: the first that is called like one, and has a different
// value in each row.
func (t *CSVTable) proposeKey() {
	for _, c := range t.Columns {
		unique := !c.values.repeated && !c.values.empty && !c.values.over && t.Rows > 0
		if unique && (keyName.MatchString(c.Name) || c.Name == t.Name || c.Name == t.Name+"id") &&
			slices.Contains([]string{"integer", "bigint", "text", "uuid"}, c.Type) {
			t.Key = c.Name
			return
		}
	}
}

// Relate finds the columns that could refer to other tables' keys: by their names, and because all of their values are
// there.
func Relate(tables []CSVTable) {
	for i := range tables {
		for j := range tables[i].Columns {
			c := &tables[i].Columns[j]
			for _, other := range tables {
				key := slices.IndexFunc(other.Columns, func(k CSVColumn) bool { return k.Name == other.Key })
				if other.Key == "" || key < 0 || other.Name == tables[i].Name && c.Name == other.Key ||
					c.Type != other.Columns[key].Type || c.References != "" {
					continue
				}
				named := c.Name == other.Key && other.Key != "id" ||
					slices.ContainsFunc(singulars(other.Name), func(one string) bool {
						return c.Name == one || c.Name == one+"_"+other.Key || c.Name == one+"_id"
					})
				if named && c.values.within(&other.Columns[key].values) && !(c.Name == tables[i].Key &&
					other.Name > tables[i].Name) {
					c.References = other.Name + "." + other.Key
				}
			}
		}
	}
}

// singulars lists what one row of a table might be called, judging by the table's name: the name itself, or its
// singular.
func singulars(name string) []string {
	all := []string{name, strings.TrimSuffix(name, "s")}
	if stem, is := strings.CutSuffix(name, "ies"); is {
		all = append(all, stem+"y")
	}
	return append(all, strings.TrimSuffix(name, "es"))
}
