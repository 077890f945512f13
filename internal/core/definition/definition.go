// Package definition compares what statements leave in a database: which tables, views and other objects there are, and
// how they are defined. Rows are compared elsewhere, as results are.
//
// A [Database] describes one. What counts of a definition is its meaning: columns in any order, equivalent types, keys
// and constraints whatever they are called. [Compare] tells how one database differs from another, as findings in the
// words of the trade; whether the conditions of CHECK constraints mean the same is left to whoever can evaluate them,
// by [Conditions].
package definition

import (
	"fmt"
	"maps"
	"slices"
	"strings"
)

// A Database is what a database holds, apart from rows.
type Database struct {
	Tables []Table
	// Others are objects that are told apart by their kind and name, and compared by what they say: views, sequences,
	// types, functions.
	Others []Object
}

// A Table is a table with its columns.
type Table struct {
	Name        string // as queries name it
	Columns     []Column
	Constraints []Constraint
	Indexes     []Index // other than those of constraints
	Triggers    []Object
}

// A Column is a column of a table.
type Column struct {
	Name      string
	Type      string // as format_type writes it
	NotNull   bool
	Default   string // an expression; "" for none
	Generated string // the expression of a column that is always computed; "" for others
	// Counted tells that its values come from a sequence of its own, be it as identity or by default.
	Counted bool
}

// Kind is a kind of constraint.
type Kind string

// The kinds of constraints.
const (
	PrimaryKey Kind = "primary key"
	Unique     Kind = "unique constraint"
	ForeignKey Kind = "foreign key"
	Check      Kind = "check"
	Exclusion  Kind = "exclusion constraint"
)

// A Constraint is a constraint of a table.
type Constraint struct {
	Kind       Kind
	Name       string
	Columns    []string
	Refers     string // the table that a foreign key refers to
	ReferredTo []string
	OnUpdate   string // what a foreign key does: "no action", "cascade", ...
	OnDelete   string
	Deferrable bool
	Condition  string // of a check, as SQL
}

// An Index is an index on columns or expressions.
type Index struct {
	Name   string
	Covers []string
	Unique bool
	Where  string
	Method string
}

// An Object is told apart by its kind and name, and compared by what it says.
type Object struct{ Kind, Name, Says string }

// Rules say what counts besides the meaning of definitions.
type Rules struct {
	Names   bool // what constraints and indexes are called
	Order   bool // in which order columns stand
	Indexes bool // which indexes there are
	// Tried tells that it is tried what triggers and functions do: then it does not count how they are made.
	Tried bool
}

// A Finding is a difference between two databases. Kind is a stable word, Sentence says it to whoever made the second.
type Finding struct {
	Kind     string
	Table    string
	Sentence string
	// Reveals is what the sentence gives away of the expected definition; it is left out where that is not to be told.
	Reveals string
}

// The kinds of findings.
const (
	TableMissing      = "table-missing"
	TableExtra        = "table-extra"
	ColumnMissing     = "column-missing"
	ColumnExtra       = "column-extra"
	ColumnOrder       = "column-order"
	ColumnType        = "column-type-differs"
	ColumnNull        = "nullability-differs"
	ColumnDefault     = "default-differs"
	ColumnGenerated   = "generated-differs"
	ConstraintMissing = "constraint-missing"
	ConstraintExtra   = "constraint-extra"
	ConstraintAction  = "action-differs"
	ConstraintName    = "name-differs"
	IndexMissing      = "index-missing"
	IndexExtra        = "index-extra"
	ObjectMissing     = "object-missing"
	ObjectExtra       = "object-extra"
	ObjectDiffers     = "object-differs"
)

// Compare tells how got differs from want, in the order in which a teacher would say it. Checks are compared by their
// number alone: see [Conditions].
func Compare(want, got Database, rules Rules) []Finding {
	c := &comparing{rules: rules}
	gotTables := tablesByName(got)
	for _, w := range want.Tables {
		g, there := gotTables[w.Name]
		if !there {
			c.find(TableMissing, w.Name, fmt.Sprintf("There is no table %s.", quoted(w.Name)), "")
			continue
		}
		c.table(w, g)
	}
	wantTables := tablesByName(want)
	for _, g := range got.Tables {
		if _, there := wantTables[g.Name]; !there {
			c.find(TableExtra, g.Name, fmt.Sprintf("There should be no table %s.", quoted(g.Name)), "")
		}
	}
	c.objects("", c.counted(want.Others, want.Others), c.counted(want.Others, got.Others))
	return c.findings
}

// counted are the objects of got that count beside those that are wanted: what the function of a trigger is called does
// not, and there may be more sequences, and where it is tried what functions do, more of these.
func (c *comparing) counted(want, got []Object) []Object {
	return slices.DeleteFunc(slices.Clone(got), func(o Object) bool {
		further := (o.Kind == "sequence" || c.rules.Tried && (o.Kind == "function" || o.Kind == "procedure")) &&
			!slices.ContainsFunc(want, func(w Object) bool { return w.Kind == o.Kind && w.Name == o.Name })
		return further || o.Kind == "trigger function"
	})
}

type comparing struct {
	rules    Rules
	findings []Finding
}

func (c *comparing) find(kind, table, sentence, reveals string) {
	c.findings = append(c.findings, Finding{kind, table, sentence, reveals})
}

func tablesByName(d Database) map[string]Table {
	all := map[string]Table{}
	for _, t := range d.Tables {
		all[t.Name] = t
	}
	return all
}

func (c *comparing) table(want, got Table) {
	in := " of the table " + quoted(want.Name)
	columns := map[string]Column{}
	for _, g := range got.Columns {
		columns[g.Name] = g
	}
	known := map[string]bool{}
	for _, w := range want.Columns {
		known[w.Name] = true
		g, there := columns[w.Name]
		if !there {
			c.find(ColumnMissing, want.Name, fmt.Sprintf("The table %s lacks a column.", quoted(want.Name)),
				"It is called "+quoted(w.Name)+".")
			continue
		}
		c.column(in, want.Name, w, g)
	}
	for _, g := range got.Columns {
		if !known[g.Name] {
			c.find(ColumnExtra, want.Name, fmt.Sprintf("The column %s%s should not be there.", quoted(g.Name), in), "")
		}
	}
	if c.rules.Order && len(known) == len(columns) && !slices.EqualFunc(want.Columns, got.Columns,
		func(a, b Column) bool { return a.Name == b.Name }) {
		c.find(ColumnOrder, want.Name, fmt.Sprintf("The columns%s stand in another order than asked for.", in), "")
	}
	c.constraints(in, want, got)
	if c.rules.Indexes {
		c.indexes(in, want, got)
	}
	if !c.rules.Tried {
		c.objects(want.Name, want.Triggers, got.Triggers)
	}
}

func (c *comparing) column(in, table string, want, got Column) {
	name := quoted(want.Name) + in
	if !SameType(want.Type, got.Type) {
		c.find(ColumnType, table, fmt.Sprintf("The column %s is of type %s, and another is asked for.", name, got.Type),
			"It is "+want.Type+".")
	}
	switch {
	case want.NotNull && !got.NotNull:
		c.find(ColumnNull, table, fmt.Sprintf("The column %s takes NULL, and it should not.", name), "")
	case got.NotNull && !want.NotNull:
		c.find(ColumnNull, table, fmt.Sprintf("The column %s does not take NULL, and it should.", name), "")
	}
	switch {
	case want.Counted != got.Counted && want.Counted:
		c.find(ColumnDefault, table, fmt.Sprintf("The column %s should number its rows by itself.", name), "")
	case want.Counted != got.Counted:
		c.find(ColumnDefault, table, fmt.Sprintf("The column %s numbers its rows by itself, and should not.", name), "")
	case want.Counted:
	case want.Default != "" && got.Default == "":
		c.find(ColumnDefault, table, fmt.Sprintf("The column %s has no default, and one is asked for.", name),
			"It is "+want.Default+".")
	case want.Default == "" && got.Default != "":
		c.find(ColumnDefault, table, fmt.Sprintf("The column %s has a default, and none is asked for.", name), "")
	case want.Default != got.Default:
		c.find(ColumnDefault, table, fmt.Sprintf("The column %s has the default %s, and another is asked for.", name,
			got.Default), "It is "+want.Default+".")
	}
	switch {
	case want.Generated == got.Generated:
	case want.Generated == "":
		c.find(ColumnGenerated, table, fmt.Sprintf("The column %s is generated, and should not be.", name), "")
	case got.Generated == "":
		c.find(ColumnGenerated, table, fmt.Sprintf("The column %s should be generated from others.", name), "")
	default:
		c.find(ColumnGenerated, table, fmt.Sprintf("The column %s is generated by another expression than asked for.",
			name), "It is "+want.Generated+".")
	}
}

// equivalents are types that hold the same values, by what they count as.
var equivalents = map[string]string{
	"character varying": "text", "int": "integer", "int4": "integer", "int8": "bigint", "int2": "smallint",
	"decimal": "numeric", "float8": "double precision", "float4": "real", "bool": "boolean",
}

// SameType tells whether two types hold the same values: text and varchar without a length do.
func SameType(a, b string) bool {
	canonical := func(name string) string {
		base, array := strings.TrimSuffix(name, "[]"), strings.HasSuffix(name, "[]")
		if other, is := equivalents[base]; is {
			base = other
		}
		if array {
			base += "[]"
		}
		return base
	}
	return canonical(a) == canonical(b)
}

// meaning identifies what a constraint means, apart from what a foreign key does and how a check is written.
func (k Constraint) meaning() string {
	columns := k.Columns
	if k.Kind != ForeignKey {
		columns = slices.Sorted(slices.Values(columns))
	} else { // which columns refer to which counts, in whatever order
		var pairs []string
		for i, column := range columns {
			pairs = append(pairs, column+"="+k.ReferredTo[min(i, len(k.ReferredTo)-1)])
		}
		columns = slices.Sorted(slices.Values(pairs))
	}
	return string(k.Kind) + "\x00" + strings.Join(columns, "\x00") + "\x00" + k.Refers
}

// key is the unique constraint that means the same as an index; ok is false where none does.
func (t Table) key(x Index) (_ Constraint, ok bool) {
	columns := make([]string, len(x.Covers))
	for i, covered := range x.Covers {
		columns[i] = strings.ReplaceAll(strings.Trim(covered, `"`), `""`, `"`)
		ok = slices.ContainsFunc(t.Columns, func(c Column) bool { return c.Name == columns[i] })
		if !ok {
			break
		}
	}
	return Constraint{Kind: Unique, Name: x.Name, Columns: columns}, ok && x.Unique && x.Where == ""
}

// keys are the constraints of a table, and the unique indexes that mean the same as one.
func (t Table) keys() []Constraint {
	all := slices.Clone(t.Constraints)
	for _, x := range t.Indexes {
		if key, is := t.key(x); is {
			all = append(all, key)
		}
	}
	return all
}

func (c *comparing) constraints(in string, want, got Table) {
	had := map[string]Constraint{}
	for _, g := range got.keys() {
		if g.Kind != Check {
			had[g.meaning()] = g
		}
	}
	for _, w := range want.keys() {
		if w.Kind == Check {
			continue
		}
		g, there := had[w.meaning()]
		if !there {
			c.find(ConstraintMissing, want.Name, fmt.Sprintf("A %s%s is missing.", w.Kind, in), w.says())
			continue
		}
		delete(had, w.meaning())
		c.actions(in, want.Name, w, g)
		if c.rules.Names && w.Name != g.Name {
			c.find(ConstraintName, want.Name, fmt.Sprintf("The %s%s is called %s, and another name is asked for.",
				w.Kind, in, quoted(g.Name)), "It is "+quoted(w.Name)+".")
		}
	}
	for _, key := range slices.Sorted(maps.Keys(had)) {
		g := had[key]
		c.find(ConstraintExtra, want.Name, fmt.Sprintf("The %s on %s%s should not be there.", g.Kind,
			strings.Join(g.Columns, ", "), in), "")
	}
}

func (c *comparing) actions(in, table string, want, got Constraint) {
	for _, action := range []struct{ when, want, got string }{
		{"is changed", want.OnUpdate, got.OnUpdate}, {"is removed", want.OnDelete, got.OnDelete},
	} {
		if action.want != action.got && !(refuses(action.want, want) && refuses(action.got, got)) {
			c.find(ConstraintAction, table,
				fmt.Sprintf("The foreign key on %s%s does something else than asked for when "+
					"the row that it refers to %s (%s).", strings.Join(got.Columns, ", "), in, action.when, action.got),
				"It is "+action.want+".")
		}
	}
	if want.Deferrable != got.Deferrable {
		word := "cannot be deferred, and it should"
		if got.Deferrable {
			word = "can be deferred, and it should not"
		}
		c.find(ConstraintAction, table, fmt.Sprintf("The %s on %s%s %s.", got.Kind, strings.Join(got.Columns, ", "), in,
			word), "")
	}
}

// refuses tells whether an action keeps the row that is referred to. What is checked at the end of the statement, or
// before it, makes a difference only to what can be deferred.
func refuses(action string, k Constraint) bool {
	return (action == "no action" || action == "restrict") && !k.Deferrable
}

// says describes a constraint that is missing.
func (k Constraint) says() string {
	columns := strings.Join(k.Columns, ", ")
	if k.Kind == ForeignKey {
		return fmt.Sprintf("It is on %s, and refers to %s.", columns, k.Refers)
	}
	return "It is on " + columns + "."
}

func (c *comparing) indexes(in string, want, got Table) {
	covers := func(x Index) string {
		return fmt.Sprint(x.Covers, "\x00", x.Unique, x.Where, x.Method)
	}
	had := map[string]bool{}
	for _, g := range got.Indexes {
		_, key := got.key(g)
		had[covers(g)] = !key
	}
	for _, w := range want.Indexes {
		if _, key := want.key(w); !key && !had[covers(w)] {
			c.find(IndexMissing, want.Name, fmt.Sprintf("An index%s is missing.", in),
				"It covers "+strings.Join(w.Covers, ", ")+".")
		}
		delete(had, covers(w))
	}
	for _, g := range got.Indexes {
		if had[covers(g)] {
			c.find(IndexExtra, want.Name, fmt.Sprintf("The index %s%s is not asked for.", quoted(g.Name), in), "")
		}
	}
}

// objects compares those that are told apart by kind and name.
func (c *comparing) objects(table string, want, got []Object) {
	key := func(o Object) string { return o.Kind + " " + o.Name }
	had := map[string]Object{}
	for _, g := range got {
		had[key(g)] = g
	}
	for _, w := range want {
		g, there := had[key(w)]
		switch {
		case !there:
			c.find(ObjectMissing, table, fmt.Sprintf("There is no %s %s.", w.Kind, quoted(w.Name)), "")
		case c.says(w) != c.says(g):
			c.find(ObjectDiffers, table, fmt.Sprintf("The %s %s is defined otherwise than asked for.", w.Kind,
				quoted(w.Name)), "")
		}
		delete(had, key(w))
	}
	for _, g := range got {
		if _, left := had[key(g)]; left {
			c.find(ObjectExtra, table, fmt.Sprintf("There should be no %s %s.", g.Kind, quoted(g.Name)), "")
		}
	}
}

// says is what counts of what an object says: where it is tried, not how the checks of a domain are written.
func (c *comparing) says(o Object) string {
	if base, _, is := strings.Cut(o.Says, DomainChecks); is && c.rules.Tried {
		return base
	}
	return o.Says
}

// DomainChecks stands, in what a domain says, before its checks.
const DomainChecks = "; "

func quoted(name string) string { return "“" + name + "”" }
