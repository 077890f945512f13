package result_test

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"testing"

	"examen/internal/core/result"
)

// types by the names that the tables below use.
var types = map[string]result.Type{
	"bool": {OID: 16}, "bytea": {OID: 17}, "bigint": {OID: 20}, "int": {OID: 23}, "text": {OID: 25},
	"float": {OID: 701}, "char": {OID: 1042},
	"date": {OID: 1082}, "time": {OID: 1083}, "timestamp": {OID: 1114}, "timestamptz": {OID: 1184},
	"interval": {OID: 1186}, "numeric": {OID: 1700},
	"real": {OID: 700}, "json": {OID: 114}, "jsonb": {OID: 3802}, "inet": {OID: 869}, "cidr": {OID: 650},
	"bit": {OID: 1560}, "varbit": {OID: 1562}, "point": {OID: 600}, "circle": {OID: 718},
	"timetz": {OID: 1266}, "money": {OID: 790}, "xml": {OID: 142}, "citext": {OID: 16999},
	"int[]":         {OID: 1007, Kind: result.Array, Parts: []result.Type{{OID: 23}}},
	"numeric[]":     {OID: 1231, Kind: result.Array, Parts: []result.Type{{OID: 1700}}},
	"text[]":        {OID: 1009, Kind: result.Array, Parts: []result.Type{{OID: 25}}},
	"float[]":       {OID: 1022, Kind: result.Array, Parts: []result.Type{{OID: 701}}},
	"int4range":     {OID: 3904, Kind: result.Range, Parts: []result.Type{{OID: 23}}},
	"numrange":      {OID: 3906, Kind: result.Range, Parts: []result.Type{{OID: 1700}}},
	"nummultirange": {OID: 4532, Kind: result.Multirange, Parts: []result.Type{{OID: 1700}}},
	"spot":          {OID: 17002, Kind: result.Composite, Parts: []result.Type{{OID: 1700}, {OID: 25}}},
	"place":         {OID: 17003, Kind: result.Composite, Parts: []result.Type{{OID: 23}, {OID: 1043}}},
	"uuid":          {OID: 2950}, "mood": {OID: 17001, Kind: result.Enum},
}

func two() *int { n := 2; return &n }

var quotient = result.Options{Precision: result.Precision{Quotient: true}}

func TestCellsThatMeanTheSame(t *testing.T) {
	for _, c := range []struct {
		typeA, a, typeB, b string
		options            result.Options
		same               bool
	}{
		{typeA: "int", a: "2", typeB: "bigint", b: "2", same: true},
		{typeA: "int", a: "2", typeB: "numeric", b: "2.00", same: true},
		{typeA: "numeric", a: "-0.00", typeB: "int", b: "0", same: true},
		{typeA: "numeric", a: "1200", typeB: "numeric", b: "1200.000", same: true},
		{typeA: "numeric", a: "1.001", typeB: "numeric", b: "1.002"},
		{typeA: "numeric", a: "NaN", typeB: "float", b: "NaN", same: true},
		{typeA: "numeric", a: "0.3333333333333333333333", typeB: "float", b: "0.3333333333333333", same: true},
		{typeA: "float", a: "1e+20", typeB: "numeric", b: "100000000000000000000", same: true},
		{typeA: "float", a: "-0", typeB: "float", b: "0", same: true},
		{typeA: "float", a: "0.1", typeB: "float", b: "0.10000000001"},
		{typeA: "bigint", a: "9007199254740993", typeB: "bigint", b: "9007199254740992"},
		{
			typeA:   "numeric",
			a:       "2.345",
			typeB:   "numeric",
			b:       "2.35",
			options: result.Options{Decimals: two()},
			same:    true,
		},
		{
			typeA:   "numeric",
			a:       "-2.345",
			typeB:   "numeric",
			b:       "-2.35",
			options: result.Options{Decimals: two()},
			same:    true,
		},
		{typeA: "float", a: "1e-05", typeB: "int", b: "0", options: result.Options{Decimals: two()}, same: true},
		{typeA: "numeric", a: "2.34", typeB: "numeric", b: "2.35", options: result.Options{Decimals: two()}},
		{typeA: "text", a: "Amber", typeB: "text", b: "amber"},
		{
			typeA: "text", a: "STRASSE Ä", typeB: "text", b: "strasse ä",
			options: result.Options{Fold: true}, same: true,
		},
		{typeA: "text", a: " Amber ", typeB: "text", b: "Amber", options: result.Options{Trim: true}, same: true},
		{typeA: "text", a: "Amber ", typeB: "text", b: "Amber"},
		{typeA: "char", a: "AC   ", typeB: "text", b: "AC", same: true},
		{typeA: "mood", a: "calm", typeB: "text", b: "calm", same: true},
		{typeA: "text", a: "5", typeB: "int", b: "5"},
		{typeA: "bool", a: "t", typeB: "text", b: "t"},
		{typeA: "date", a: "2026-05-01", typeB: "timestamp", b: "2026-05-01 00:00:00", same: true},
		{typeA: "date", a: "2026-05-01", typeB: "timestamptz", b: "2026-05-01 00:00:00+00", same: true},
		{typeA: "date", a: "2026-05-01", typeB: "timestamp", b: "2026-05-01 00:00:01"},
		{
			typeA:   "date",
			a:       "2026-05-01",
			typeB:   "timestamp",
			b:       "2026-05-01 00:00:00",
			options: result.Options{StrictTime: true},
		},
		{typeA: "date", a: "infinity", typeB: "timestamp", b: "infinity", same: true},
		{typeA: "date", a: "0044-03-15 BC", typeB: "timestamp", b: "0044-03-15 00:00:00 BC", same: true},
		{typeA: "interval", a: "1 day", typeB: "interval", b: "24:00:00", same: true},
		{typeA: "interval", a: "1 mon", typeB: "interval", b: "30 days", same: true},
		{typeA: "interval", a: "-1 days +02:03:04.5", typeB: "interval", b: "-21:56:55.5", same: true},
		{typeA: "interval", a: "1 year 2 mons", typeB: "interval", b: "1 year 3 mons"},
		{typeA: "real", a: "0.1", typeB: "float", b: "0.10000000149011612", same: true},
		{typeA: "real", a: "0.1", typeB: "numeric", b: "0.1", same: true},
		{typeA: "real", a: "1.2345678e+06", typeB: "real", b: "1.234568e+06", same: true}, // to six digits
		{typeA: "real", a: "1.2345678e+06", typeB: "real", b: "1.23457e+06", same: true},
		{typeA: "real", a: "1.23456e+06", typeB: "real", b: "1.23457e+06"},
		{
			typeA:   "real",
			a:       "12.34567",
			typeB:   "float",
			b:       "12.345669746398926",
			options: result.Options{Precision: result.Precision{Real: true}},
			same:    true,
		},
		{
			typeA:   "float",
			a:       "12.34567",
			typeB:   "float",
			b:       "12.34568",
			options: result.Options{Precision: result.Precision{Real: true}},
			same:    true,
		},
		{typeA: "float", a: "12.34567", typeB: "float", b: "12.34568"},
		{
			typeA:   "numeric",
			a:       "33.3333333333333333",
			typeB:   "numeric",
			b:       "33.33333333333333333300",
			options: quotient,
			same:    true,
		},
		{typeA: "numeric", a: "33.3333333333333333", typeB: "numeric", b: "33.33333333333333333300"},
		{typeA: "numeric", a: "300", typeB: "numeric", b: "299.9999999999999999", options: quotient, same: true},
		{typeA: "numeric", a: "300", typeB: "bigint", b: "300", options: quotient, same: true},
		{typeA: "bigint", a: "1234567890123", typeB: "bigint", b: "1234567890124", options: quotient},
		{typeA: "numeric", a: "12345678901.23", typeB: "numeric", b: "12345678901.24"},
		{typeA: "bigint", a: "9007199254740993", typeB: "float", b: "9.007199254740992e+15", same: true},
		{typeA: "real", a: "NaN", typeB: "numeric", b: "NaN", same: true},
		{typeA: "real", a: "Infinity", typeB: "numeric", b: "Infinity", same: true},
		{typeA: "real", a: "-Infinity", typeB: "float", b: "Infinity", options: result.Options{Decimals: two()}},
		{
			typeA:   "real",
			a:       "-Infinity",
			typeB:   "numeric",
			b:       "-Infinity",
			options: result.Options{Decimals: two()},
			same:    true,
		},
		{typeA: "numeric", a: "Infinity", typeB: "numeric", b: "NaN", options: quotient},
		{
			typeA:   "float",
			a:       "2.6749999999999998",
			typeB:   "numeric",
			b:       "2.675",
			options: result.Options{Decimals: two()},
			same:    true,
		},
		{
			typeA:   "float",
			a:       "2.2737367544323206e-13",
			typeB:   "float",
			b:       "0",
			options: result.Options{Precision: result.Precision{Size: 900}},
			same:    true,
		},
		{
			typeA:   "float",
			a:       "2.2737367544323206e-7",
			typeB:   "float",
			b:       "0",
			options: result.Options{Precision: result.Precision{Size: 900}},
		},
		{
			typeA:   "numeric",
			a:       "0.0000000000000001",
			typeB:   "numeric",
			b:       "0.0000000000000000",
			options: result.Options{Precision: result.Precision{Quotient: true, Size: 50}},
			same:    true,
		},
		{typeA: "jsonb", a: "[0.30000000000000004]", typeB: "jsonb", b: "[0.3]", same: true},
		{
			typeA:   "jsonb",
			a:       `{"a": 1.001}`,
			typeB:   "jsonb",
			b:       `{"a": 1.002}`,
			options: result.Options{Decimals: two()},
			same:    true,
		},
		{typeA: "jsonb", a: "[1234567890123456789]", typeB: "jsonb", b: "[1234567890123456788]"},
		{typeA: "json", a: "[3.0000000000000004E-1, 1E5]", typeB: "jsonb", b: "[0.3, 100000]", same: true},
		{typeA: "json", a: `"\ud83d\ude00"`, typeB: "jsonb", b: `"😀"`, same: true},
		{typeA: "json", a: `"\ud83d"`, typeB: "json", b: `"\ud83e"`},
		{typeA: "json", a: `"\\ud83d"`, typeB: "json", b: `"\ud83d"`},
		{
			typeA:   "numeric[]",
			a:       "{33.3333333333333333}",
			typeB:   "numeric[]",
			b:       "{33.33333333333333333300}",
			options: quotient,
			same:    true,
		},
		{
			typeA:   "float[]",
			a:       "{1.001}",
			typeB:   "float[]",
			b:       "{1.002}",
			options: result.Options{Decimals: two()},
			same:    true,
		},
		{typeA: "float", a: "2.50000000000049", typeB: "float", b: "2.5", same: true},
		{typeA: "float", a: "9.999999999999", typeB: "int", b: "10", same: true},
		{typeA: "float", a: "Infinity", typeB: "float", b: "-Infinity"},
		{typeA: "float", a: "Infinity", typeB: "numeric", b: "Infinity", same: true},
		{
			typeA: "json",
			a:     `{"a": 1.0, "b": [true, null]}`,
			typeB: "jsonb",
			b:     `{"b": [true, null], "a": 1}`,
			same:  true,
		},
		{typeA: "jsonb", a: `[1, 2]`, typeB: "jsonb", b: `[2, 1]`},
		{typeA: "jsonb", a: `"1"`, typeB: "jsonb", b: `1`},
		{typeA: "inet", a: "10.0.0.1", typeB: "cidr", b: "10.0.0.1/32", same: true},
		{typeA: "inet", a: "::1", typeB: "inet", b: "::1/128", same: true},
		{typeA: "inet", a: "10.0.0.1/8", typeB: "inet", b: "10.0.0.1"},
		{typeA: "bit", a: "101", typeB: "varbit", b: "101", same: true},
		{typeA: "bit", a: "101", typeB: "varbit", b: "1010"},
		{typeA: "bytea", a: `\x00ff`, typeB: "bytea", b: `\x00ff`, same: true},
		{typeA: "point", a: "(0.30000000000000004,1)", typeB: "point", b: "(0.3,1)", same: true},
		{typeA: "point", a: "(0,1)", typeB: "point", b: "(-0,1)", same: true},
		{typeA: "circle", a: "<(0,1),2>", typeB: "circle", b: "<(0,1),3>"},
		{typeA: "timetz", a: "12:00:00+02", typeB: "timetz", b: "10:00:00+00", same: true},
		{typeA: "timetz", a: "01:00:00+02:30", typeB: "timetz", b: "22:30:00+00", same: true},
		{typeA: "timetz", a: "10:00:00.5+00", typeB: "time", b: "10:00:00.5", same: true},
		{typeA: "time", a: "24:00:00", typeB: "time", b: "00:00:00"},
		{typeA: "money", a: "$1.00", typeB: "numeric", b: "1.00"},
		{typeA: "int[]", a: "{1,2,NULL}", typeB: "numeric[]", b: "{1.0,2.00,NULL}", same: true},
		{typeA: "int[]", a: "{1,2}", typeB: "int[]", b: "{2,1}"},
		{typeA: "int[]", a: "{{1,2}}", typeB: "int[]", b: "{1,2}"},
		{typeA: "int[]", a: "[0:1]={1,2}", typeB: "int[]", b: "{1,2}"},
		{
			typeA: "text[]",
			a:     `{"a b",NULL,"NULL","x\"y"}`,
			typeB: "text[]",
			b:     `{"a b",null,"NULL","x\"y"}`,
			same:  true,
		},
		{typeA: "text[]", a: `{NULL}`, typeB: "text[]", b: `{"NULL"}`},
		{typeA: "text[]", a: `{"a,b"}`, typeB: "text[]", b: `{a,b}`},
		{typeA: "float[]", a: "{0.30000000000000004}", typeB: "numeric[]", b: "{0.3}", same: true},
		{typeA: "text[]", a: "{1}", typeB: "int[]", b: "{1}"},
		{typeA: "numrange", a: "[1.0,5.00)", typeB: "numrange", b: "[1,5)", same: true},
		{typeA: "numrange", a: "[1,5)", typeB: "int4range", b: "[1,5)", same: true},
		{typeA: "numrange", a: "[1,5]", typeB: "numrange", b: "[1,5)"},
		{typeA: "numrange", a: "(,5)", typeB: "numrange", b: "(5,)"},
		{typeA: "numrange", a: "empty", typeB: "numrange", b: "empty", same: true},
		{typeA: "nummultirange", a: "{[1.0,2),[3,4)}", typeB: "nummultirange", b: "{[1,2.0),[3,4)}", same: true},
		{typeA: "nummultirange", a: "{}", typeB: "nummultirange", b: "{[1,2)}"},
		{typeA: "spot", a: `(1.50,"a b")`, typeB: "spot", b: `(1.5,"a b")`, same: true},
		{typeA: "spot", a: "(1,)", typeB: "spot", b: `(1,"")`},
		{typeA: "spot", a: "(7,x)", typeB: "place", b: "(7,x)", same: true},
		{typeA: "citext", a: "A", typeB: "citext", b: "a"},
		{
			typeA: "uuid",
			a:     "00000000-0000-0000-0000-000000000001",
			typeB: "text",
			b:     "00000000-0000-0000-0000-000000000001",
		},
	} {
		t.Run(fmt.Sprintf("%s %s and %s %s", c.typeA, c.a, c.typeB, c.b), func(t *testing.T) {
			ra, rb := result.Pair(types[c.typeA], types[c.typeB], c.options)
			a, b := ra.Append(nil, []byte(c.a)), rb.Append(nil, []byte(c.b))
			if same := string(a) == string(b); same != c.same {
				t.Errorf("same is %v, want %v: %q and %q", same, c.same, a, b)
			}
		})
	}
}

func TestWhichTypesAreKnown(t *testing.T) {
	for name, known := range map[string]bool{
		"int": true, "uuid": true, "jsonb": true, "mood": true, "text[]": true, "spot": true, "citext": false,
	} {
		if types[name].Known() != known {
			t.Errorf("%s: known is %v, want %v", name, !known, known)
		}
	}
	if of := (result.Type{
		OID:   99,
		Kind:  result.Array,
		Parts: []result.Type{types["citext"]},
	}); of.Known() || (result.Type{OID: 2249}).Known() {
		t.Error("an array of what is not known, and a row without a type, are compared by their text")
	}
}

func TestNearForgivesRoundingBoundariesOnly(t *testing.T) {
	whole := 0
	for _, c := range []struct {
		typ     string
		options result.Options
		a, b    string
		near    bool
	}{
		// to 12 digits 2.50000000000 and 2.50000000001
		{"float", result.Options{}, "2.5000000000049999", "2.5000000000050001", true},
		{"float", result.Options{}, "2.50000000000", "2.50000000002", false},
		{"float", result.Options{}, "9.99999999999", "9.99999999998", false},
		{"float", result.Options{}, "1e-300", "-1e-300", false},
		{"float", result.Options{}, "0", "1e-300", false},
		{"float", result.Options{}, "NaN", "NaN", false},
		{"numeric", result.Options{}, "2.5000000000049999", "2.5000000000050001", false},
		{"numeric", quotient, "2.5000000000049999", "2.5000000000050001", true},
		{"real", result.Options{}, "2.500004", "2.500005", true},
		{"real", result.Options{}, "2.50000", "2.50002", false},
		// as sum(real) gives it, and sum(real::float8)
		{
			"float", result.Options{Precision: result.Precision{Real: true, SumOfReal: 100_000}}, "2528123.5",
			"2528004", true,
		},
		{
			"float", result.Options{Precision: result.Precision{Real: true, SumOfReal: 100_000}}, "2528123.5",
			"2527004", false,
		},
		{"float", result.Options{Decimals: two()}, "2.675", "2.67", true}, // what lies at the half rounds either way
		{"float", result.Options{Decimals: two()}, "2.675", "2.68", true},
		{"float", result.Options{Decimals: two()}, "2.6749999999999998", "2.68", true},
		{"float", result.Options{Decimals: two()}, "2.674", "2.68", false},
		{"numeric", result.Options{Decimals: two()}, "2.675", "2.67", false},
		{"float", result.Options{Decimals: &whole}, "2.5", "2", true},
		{"float", result.Options{Decimals: &whole}, "2.4", "3", false},
		{"float", result.Options{Precision: result.Precision{Size: 900}}, "1.1e-13", "-2.3e-13", true},
		{"float[]", result.Options{}, "{1,2.5000000000049999}", "{1,2.5000000000050001}", true},
		{"float[]", result.Options{}, "{1,2.5000000000049999}", "{2.5000000000050001,1}", false},
		{"float[]", result.Options{}, "{1,NULL}", "{1,0}", false},
		{"jsonb", result.Options{}, `{"a": 0.3333333333333333}`, `{"a": 0.333333333333333}`, true},
		{"jsonb", result.Options{}, `{"a": 0.3333333333333333}`, `{"b": 0.333333333333333}`, false},
		{"jsonb", result.Options{}, `{"a": 1.5}`, `{"a": 1.6}`, false},
		{"spot", quotient, `(0.333333333333333349,x)`, `(0.333333333333333351,x)`, true},
		{"spot", quotient, `(0.333333333333333349,x)`, `(0.333333333333333351,y)`, false},
		{"point", result.Options{}, "(2.5000000000049999,1)", "(2.5000000000050001,1)", true},
		{"text", result.Options{}, "1", "1.0", false},
	} {
		reading, _ := result.Pair(types[c.typ], types[c.typ], c.options)
		if near := reading.Near([]byte(c.a), []byte(c.b)); near != c.near {
			t.Errorf("%s: Near(%s, %s) = %v, want %v", c.typ, c.a, c.b, near, c.near)
		}
		if c.near && !reading.Inexact() {
			t.Errorf("%s: it is not said to be inexact", c.typ)
		}
	}
}

func TestKeysOfDifferentRowsDiffer(t *testing.T) {
	text := types["text"]
	reading, _ := result.Pair(text, text, result.Options{})
	readings, columns := []result.Reading{reading, reading}, []int{0, 1}
	long := make([]byte, 300)
	for i := range long {
		long[i] = 'x'
	}
	rows := []result.Row{
		{[]byte("ab"), []byte("c")}, {[]byte("a"), []byte("bc")}, {nil, []byte("abc")}, {[]byte(""), []byte("abc")},
		{[]byte("abc"), nil},
		{long, []byte("y")}, {long[:299], []byte("xy")}, {[]byte("y"), long}, {nil, nil}, {[]byte(""), []byte("")},
		{[]byte("\x00"), nil},
	}
	seen := map[string]int{}
	for i, row := range rows {
		key := string(result.AppendKey(nil, row, columns, readings))
		if j, there := seen[key]; there {
			t.Errorf("rows %d and %d have the same key", i, j)
		}
		seen[key] = i
	}
}

func TestSumsDoNotDependOnOrderAndCountCopies(t *testing.T) {
	const seed = result.Seed(7)
	r := rand.New(rand.NewPCG(1, 2))
	prints := make([]result.Fingerprint, 500)
	for i := range prints {
		prints[i] = seed.Of([]byte{byte(i), byte(i >> 8)})
	}
	sum := func() (total result.Fingerprint) {
		for _, f := range prints {
			total = total.Plus(f)
		}
		return total
	}
	before := sum()
	r.Shuffle(len(prints), func(i, j int) { prints[i], prints[j] = prints[j], prints[i] })
	if sum() != before {
		t.Error("shuffling changed the sum")
	}
	prints[0] = prints[1]
	if sum() == before {
		t.Error("a copy in place of another row did not change the sum")
	}
	a, b := prints[2], prints[3]
	if seed.Then(a, b) == seed.Then(b, a) {
		t.Error("a sequence should depend on the order")
	}
	if a.Times(3) != a.Plus(a).Plus(a) {
		t.Error("three times is not the sum of three")
	}
	if seed.Of([]byte("amber")) != result.Seed(7).Of([]byte("amber")) ||
		seed.Of([]byte("amber")) == result.Seed(8).Of([]byte("amber")) {
		t.Error("fingerprints follow from their seed")
	}
}

func TestCopiedRowsStayWhenTheirCellsAreUsedAgain(t *testing.T) {
	var copier result.Copier
	var copies []result.Row
	cell := []byte("Amber")
	long := bytes.Repeat([]byte("x"), 5000)
	for range 300 {
		copies = append(copies, copier.Copy(result.Row{cell, nil, {}, long[:len(copies)*10]}))
	}
	copy(cell, "Basil")
	for i, row := range copies {
		if len(row) != 4 || string(row[0]) != "Amber" || row[1] != nil || row[2] == nil || len(row[3]) != i*10 {
			t.Fatalf("row %d is %.20q", i, row)
		}
	}
	empty := copier.Copy(result.Row{{}})
	if first := new(result.Copier).Copy(result.Row{{}}); empty[0] == nil || first[0] == nil {
		t.Error("a cell without bytes has become NULL")
	}
}
