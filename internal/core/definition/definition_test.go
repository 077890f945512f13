package definition_test

import (
	"strings"
	"testing"

	"examen/internal/core/definition"
)

// walk is a table of guided walks along a path.
func walk() definition.Table {
	return definition.Table{
		Name: "walk",
		Columns: []definition.Column{
			{Name: "walk_id", Type: "integer", NotNull: true, Counted: true},
			{Name: "path_id", Type: "integer", NotNull: true},
			{Name: "title", Type: "text", Default: "ramble"},
		},
		Constraints: []definition.Constraint{
			{Kind: definition.PrimaryKey, Name: "walk_pkey", Columns: []string{"walk_id"}},
			{Kind: definition.Unique, Name: "once", Columns: []string{"path_id", "title"}},
			{
				Kind: definition.ForeignKey, Name: "along", Columns: []string{"path_id"}, Refers: "path",
				ReferredTo: []string{"path_id"}, OnUpdate: "no action", OnDelete: "cascade",
			},
		},
		Indexes: []definition.Index{{Name: "by_title", Covers: []string{"title"}, Method: "btree"}},
	}
}

func database(tables ...definition.Table) definition.Database {
	return definition.Database{Tables: tables}
}

func TestDefinitionsAreComparedByTheirMeaning(t *testing.T) {
	for _, c := range []struct {
		name   string
		change func(*definition.Table)
		rules  definition.Rules
		want   string // the kinds of findings
	}{
		{name: "the same", change: func(*definition.Table) {}},
		{name: "columns in another order", change: func(w *definition.Table) {
			w.Columns[0], w.Columns[2] = w.Columns[2], w.Columns[0]
		}},
		{name: "columns in another order, where that counts", change: func(w *definition.Table) {
			w.Columns[0], w.Columns[2] = w.Columns[2], w.Columns[0]
		}, rules: definition.Rules{Order: true}, want: "column-order"},
		{name: "varchar for text", change: func(w *definition.Table) { w.Columns[2].Type = "character varying" }},
		{name: "a length", change: func(w *definition.Table) { w.Columns[2].Type = "character varying(9)" },
			want: "column-type-differs"},
		{name: "NULL taken", change: func(w *definition.Table) { w.Columns[1].NotNull = false },
			want: "nullability-differs"},
		{name: "another default", change: func(w *definition.Table) { w.Columns[2].Default = "stroll" },
			want: "default-differs"},
		{name: "no number of its own", change: func(w *definition.Table) { w.Columns[0].Counted = false },
			want: "default-differs"},
		{name: "a column more", change: func(w *definition.Table) {
			w.Columns = append(w.Columns, definition.Column{Name: "note", Type: "text"})
		}, want: "column-extra"},
		{name: "a column less", change: func(w *definition.Table) { w.Columns = w.Columns[:2] },
			want: "column-missing"},
		{name: "a unique constraint over columns in another order", change: func(w *definition.Table) {
			w.Constraints[1].Columns = []string{"title", "path_id"}
		}},
		{name: "other names of constraints", change: func(w *definition.Table) { w.Constraints[1].Name = "twice" }},
		{name: "other names of constraints, where they count", change: func(w *definition.Table) {
			w.Constraints[1].Name = "twice"
		}, rules: definition.Rules{Names: true}, want: "name-differs"},
		{name: "no foreign key", change: func(w *definition.Table) { w.Constraints = w.Constraints[:2] },
			want: "constraint-missing"},
		{name: "a foreign key to elsewhere", change: func(w *definition.Table) { w.Constraints[2].Refers = "stile" },
			want: "constraint-missing constraint-extra"},
		{name: "another action", change: func(w *definition.Table) { w.Constraints[2].OnDelete = "set null" },
			want: "action-differs"},
		{name: "no index", change: func(w *definition.Table) { w.Indexes = nil }},
		{name: "no index, where they count", change: func(w *definition.Table) { w.Indexes = nil },
			rules: definition.Rules{Indexes: true}, want: "index-missing"},
		{name: "a trigger", change: func(w *definition.Table) {
			w.Triggers = []definition.Object{{Kind: "trigger", Name: "before insert"}}
		}, want: "object-extra"},
	} {
		t.Run(c.name, func(t *testing.T) {
			got := walk()
			c.change(&got)
			var kinds []string
			for _, f := range definition.Compare(database(walk()), database(got), c.rules) {
				kinds = append(kinds, f.Kind)
			}
			if found := strings.Join(kinds, " "); found != c.want {
				t.Errorf("got %q, want %q", found, c.want)
			}
		})
	}
}

func TestTablesAndOthersThatAreMissingOrTooMany(t *testing.T) {
	want := database(walk())
	want.Others = []definition.Object{{Kind: "view", Name: "to_do"}, {Kind: "domain", Name: "grade", Says: "easy"}}
	got := database(definition.Table{Name: "booking"})
	got.Others = []definition.Object{
		{Kind: "domain", Name: "grade", Says: "steep"}, {Kind: "type", Name: "mood"},
		// a way of numbering, and what a trigger calls, are nobody's business
		{Kind: "sequence", Name: "n"}, {Kind: "trigger function", Name: "keep"},
	}
	var said []string
	for _, f := range definition.Compare(want, got, definition.Rules{}) {
		said = append(said, f.Sentence)
	}
	expected := "There is no table “walk”. There should be no table “booking”. There is no view “to_do”. " +
		"The domain “grade” is defined otherwise than asked for. There should be no type “mood”."
	if found := strings.Join(said, " "); found != expected {
		t.Errorf("got %s\nwant %s", found, expected)
	}
}

// Where it is tried what functions and triggers do, and what a domain takes, it does not count how they are written.
func TestWhatIsTriedIsNotRead(t *testing.T) {
	want, got := database(walk()), database(walk())
	want.Others = []definition.Object{
		{Kind: "function", Name: "steps"}, {Kind: "domain", Name: "km", Says: "numeric; CHECK (VALUE > 0)"},
	}
	got.Others = []definition.Object{
		{Kind: "function", Name: "steps"}, {Kind: "function", Name: "helps"},
		{Kind: "domain", Name: "km", Says: "numeric; CHECK (0 < VALUE)"},
	}
	got.Tables[0].Triggers = []definition.Object{{Kind: "trigger", Name: "before insert"}}
	if found := definition.Compare(want, got, definition.Rules{Tried: true}); len(found) != 0 {
		t.Errorf("got %+v", found)
	}
	if found := definition.Compare(want, got, definition.Rules{}); len(found) != 3 {
		t.Errorf("read, there are the helper, the domain and the trigger: got %+v", found)
	}
}

func TestSameType(t *testing.T) {
	for pair, same := range map[[2]string]bool{
		{"text", "character varying"}: true, {"text[]", "character varying[]"}: true, {"integer", "bigint"}: false,
		{"numeric(4,1)", "numeric(4,2)"}: false, {"numeric", "numeric"}: true, {"text", "text[]"}: false,
	} {
		if got := definition.SameType(pair[0], pair[1]); got != same {
			t.Errorf("%v: got %v", pair, got)
		}
	}
}
