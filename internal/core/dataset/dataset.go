// Package dataset describes what a dataset's build holds (tables, columns, constraints, indexes), says how its tables
// relate, advises on what looks forgotten, and draws the map of the tables.
package dataset

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
)

// A Catalogue describes the tables of a build.
type Catalogue struct {
	Tables []Table `json:"tables"`
	Bytes  int64   `json:"bytes,omitempty"` // of all tables on disk, with their indexes
}

// A Table is a table or view. Its name carries the schema, unless that is public.
type Table struct {
	Name        string       `json:"name"`
	SQLName     string       `json:"sql_name"` // with its schema, and quoted
	View        bool         `json:"view,omitempty"`
	Query       string       `json:"query,omitempty"` // of a view
	Meaning     string       `json:"meaning,omitempty"`
	Rows        int64        `json:"rows"` // UnknownRows where counting a view takes too long
	Bytes       int64        `json:"bytes,omitempty"`
	Columns     []Column     `json:"columns"`
	Constraints []Constraint `json:"constraints,omitempty"`
	Indexes     []Index      `json:"indexes,omitempty"`
}

// UnknownRows is the row count of a view that was not counted to the end.
const UnknownRows = -1

// A Column is a column of a table.
type Column struct {
	Name       string   `json:"name"`
	Type       string   `json:"type"`
	Nullable   bool     `json:"nullable"`
	Default    string   `json:"default,omitempty"`    // the expression, "generated ..." for what is generated
	Key        bool     `json:"key"`                  // part of the primary key
	References string   `json:"references,omitempty"` // "table.column"
	Meaning    string   `json:"meaning,omitempty"`
	Examples   []string `json:"examples,omitempty"` // a few of its values
	Values     []string `json:"values,omitempty"`   // all of them that were seen, where they are few and come again
}

// ConstraintKind is what a constraint holds its table to.
type ConstraintKind string

const (
	PrimaryKey ConstraintKind = "primary key"
	Unique     ConstraintKind = "unique"
	ForeignKey ConstraintKind = "foreign key"
	Check      ConstraintKind = "check"
	Exclusion  ConstraintKind = "exclusion"
	// RowSecurity stands for the policies of a table: its definition is the condition on which queries see a row,
	// "false" where they see none.
	RowSecurity ConstraintKind = "row level security"
)

// A Constraint is a table's constraint.
type Constraint struct {
	Name       string         `json:"name"`
	Kind       ConstraintKind `json:"kind"`
	Columns    []string       `json:"columns,omitempty"`
	Table      string         `json:"table,omitempty"`    // that a foreign key refers to
	Referred   []string       `json:"referred,omitempty"` // its columns, in the order of Columns
	Definition string         `json:"definition"`         // as the server writes it
}

// An Index is an index that is not a constraint's own.
type Index struct {
	Name       string `json:"name"`
	Unique     bool   `json:"unique,omitempty"`
	Definition string `json:"definition"` // method, columns and condition: "btree (day) WHERE ..."
}

// Table finds a table by its name; nil where there is none.
func (c *Catalogue) Table(name string) *Table {
	for i := range c.Tables {
		if c.Tables[i].Name == name {
			return &c.Tables[i]
		}
	}
	return nil
}

// Column finds a column by its name; nil where there is none.
func (t *Table) Column(name string) *Column {
	for i := range t.Columns {
		if t.Columns[i].Name == name {
			return &t.Columns[i]
		}
	}
	return nil
}

// Rows returns the number of rows of all tables together.
func (c *Catalogue) Rows() int64 {
	var n int64
	for _, t := range c.Tables {
		if !t.View {
			n += t.Rows
		}
	}
	return n
}

// RowsOf returns the number of rows of the table that has a name, whatever its schema. It is not known where there are
// several such tables, or none.
func (c *Catalogue) RowsOf(name string) (rows int64, known bool) {
	for _, t := range c.Tables {
		if t.Name != name && !strings.HasSuffix(t.Name, "."+name) || t.View {
			continue
		}
		if known {
			return 0, false
		}
		rows, known = t.Rows, true
	}
	return rows, known
}

// primaryKey returns the columns of a table's primary key.
func (t *Table) primaryKey() []string {
	for _, k := range t.Constraints {
		if k.Kind == PrimaryKey {
			return k.Columns
		}
	}
	return nil
}

// A Relation is a foreign key, seen from both tables.
type Relation struct {
	From, To string   // From refers to To
	Columns  []string // of From
	Referred []string // of To
	Optional bool     // a row of From may refer to none
	Single   bool     // a row of To is referred to by one row of From at most
	Outward  string   // in words: "Each inspection belongs to one hive (hive_id)."
	Inward   string   // "A hive has any number of rows in inspection."
}

// Relations lists the foreign keys between tables of the catalogue, by the tables' order.
func (c *Catalogue) Relations() []Relation {
	var all []Relation
	for i := range c.Tables {
		t := &c.Tables[i]
		for _, k := range t.Constraints {
			if k.Kind != ForeignKey || c.Table(k.Table) == nil {
				continue
			}
			r := Relation{
				From:     t.Name,
				To:       k.Table,
				Columns:  k.Columns,
				Referred: k.Referred,
				Single:   t.unique(k.Columns),
			}
			for _, name := range k.Columns {
				column := t.Column(name)
				r.Optional = r.Optional || column != nil && column.Nullable
			}
			r.word()
			all = append(all, r)
		}
	}
	return all
}

// unique tells whether no two rows have the same values in the columns.
func (t *Table) unique(columns []string) bool {
	for _, k := range t.Constraints {
		if (k.Kind == PrimaryKey || k.Kind == Unique) && !slices.ContainsFunc(
			k.Columns, func(name string) bool { return !slices.Contains(columns, name) },
		) {
			return true
		}
	}
	return false
}

func (r *Relation) word() {
	one, many := "one", "can have many %s rows"
	if r.Optional {
		one = "one or no"
	}
	if r.Single {
		many = "can have at most one %s row"
	}
	by := " (" + strings.Join(r.Columns, ", ") + ")"
	if r.From == r.To {
		r.Outward = fmt.Sprintf("Each %s row belongs to %s other %s row%s.", r.From, one, r.To, by)
		r.Inward = fmt.Sprintf("%s "+many+" below it%s.", article(r.To), r.From, by)
		return
	}
	r.Outward = fmt.Sprintf("Each %s row belongs to %s %s%s.", r.From, one, r.To, by)
	r.Inward = fmt.Sprintf("%s "+many+"%s.", article(r.To), r.From, by)
}

// article puts a or an before a name.
func article(name string) string {
	if name != "" && strings.ContainsRune("aeioAEIO", rune(name[0])) {
		return "An " + name
	}
	return "A " + name
}

// Words says a constraint in words.
func (k Constraint) Words() string {
	columns := strings.Join(k.Columns, ", ")
	switch k.Kind {
	case PrimaryKey:
		return "Primary key: " + strings.Join(k.Columns, " and ") + "."
	case Unique:
		return "No two rows have the same " + strings.Join(k.Columns, " and ") + "."
	case ForeignKey:
		return fmt.Sprintf("%s refers to %s (%s).", columns, k.Table, strings.Join(k.Referred, ", "))
	case Check:
		return "Check: " + strings.TrimSuffix(strings.TrimPrefix(k.Definition, "CHECK "), " NOT VALID") + "."
	case RowSecurity:
		if k.Definition == "false" {
			return "Row level security: queries see no rows."
		}
		return "Row level security: queries see only the rows where " + k.Definition + "."
	}
	return k.Definition
}

// Advice says what looks forgotten in a build, a line for each matter: tables without a key, columns that look like
// foreign keys without their constraint, empty tables. Nothing of it is an error.
func (c *Catalogue) Advice() []string {
	var keyless, empty, references, to []string
	for i := range c.Tables {
		t := &c.Tables[i]
		if t.View {
			continue
		}
		if !slices.ContainsFunc(
			t.Constraints, func(k Constraint) bool { return k.Kind == PrimaryKey || k.Kind == Unique },
		) {
			keyless = append(keyless, t.Name)
		}
		if t.Rows == 0 {
			empty = append(empty, t.Name)
		}
		for _, column := range t.Columns {
			if other := c.looksLike(t, column); other != "" {
				references, to = append(
					references, fmt.Sprintf("%s.%s to %s", t.Name, column.Name, other),
				), append(to, other)
			}
		}
	}
	var all []string
	matter := func(found []string, one, many string) {
		switch len(found) {
		case 0:
		case 1:
			all = append(all, fmt.Sprintf(one, found[0]))
		default:
			all = append(all, fmt.Sprintf(many, len(found), listed(found)))
		}
	}
	matter(
		keyless, "%s has no key: add PRIMARY KEY, so that each row can be identified.",
		"%d tables have no key (%s): add PRIMARY KEY, so that each row can be identified.",
	)
	matter(
		empty, "%s is empty: if that is intended, tell the learners.",
		"%d tables are empty (%s): if that is intended, tell the learners.",
	)
	if len(references) == 1 {
		from, _, _ := strings.Cut(references[0], " to ")
		all = append(
			all,
			fmt.Sprintf(
				"%s looks like a reference to %s and has no constraint: add REFERENCES %s, if it is one.", from, to[0],
				to[0],
			),
		)
	} else {
		matter(
			references, "",
			"%d columns look like references and have no constraint (%s): add REFERENCES to those that are.",
		)
	}
	return all
}

// listed writes names one after another, and how many more there are than people read.
func listed(names []string) string {
	const most = 8
	if len(names) <= most {
		return strings.Join(names, ", ")
	}
	return fmt.Sprintf("%s and %d more", strings.Join(names[:most], ", "), len(names)-most)
}

// looksLike finds the table that a column seems to refer to: the one whose key has the same name and type, or whose
// name the column's begins with, as in hive_id.
func (c *Catalogue) looksLike(t *Table, column Column) string {
	if column.References != "" || len(t.primaryKey()) == 1 && t.primaryKey()[0] == column.Name {
		return ""
	}
	var found []string
	for i := range c.Tables {
		other := &c.Tables[i]
		key := other.primaryKey()
		if other == t || len(key) != 1 || other.Column(key[0]).References != "" ||
			!sameFamily(other.Column(key[0]).Type, column.Type) {
			continue
		}
		bare := other.Name[strings.LastIndexByte(other.Name, '.')+1:]
		if column.Name == key[0] && key[0] != "id" && key[0] != "name" || slices.Contains(
			[]string{bare + "_id", bare + "_" + key[0], bare + "id", strings.TrimSuffix(bare, "s") + "_id"},
			column.Name,
		) {
			found = append(found, other.Name)
		}
	}
	slices.SortStableFunc(found, func(a, b string) int { // the table named like the column comes first
		return cmp.Compare(len(strings.TrimPrefix(column.Name, a)), len(strings.TrimPrefix(column.Name, b)))
	})
	if len(found) == 0 {
		return ""
	}
	return found[0]
}

// sameFamily tells whether values of two types can refer to each other.
func sameFamily(a, b string) bool {
	family := func(t string) string {
		t, _, _ = strings.Cut(t, "(")
		switch t {
		case "smallint", "integer", "bigint":
			return "integer"
		case "text", "character varying", "character":
			return "text"
		}
		return t
	}
	return family(a) == family(b)
}
