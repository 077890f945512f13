package result_test

import (
	"testing"

	"examen/internal/core/result"
)

// Whatever stands in a cell, its canonical form is the same each time and never much longer than the cell, and nothing
// ends the process.
func FuzzCanonicalForms(f *testing.F) {
	for _, s := range []string{
		"{1,2}", `{"a b",NULL,{1}}`, `(1,"x,y",)`, "[1,5)", "{[1,2),[3,)}", `{"a": [1.0, {"b": null}]}`, "1e99999",
		"-0.00", "12:00:00+02:30", "24:00:00", "10.0.0.0/8", "(1.5,-2)", "-1 days +02:03:04.5",
	} {
		f.Add(s)
	}
	number, text := result.Type{OID: 1700}, result.Type{OID: 25}
	all := []result.Type{
		number,
		text,
		{OID: 701},
		{OID: 700},
		{OID: 1042},
		{OID: 1114},
		{OID: 1266},
		{OID: 1186},
		{OID: 3802},
		{OID: 869},
		{OID: 600},
		{OID: 1009, Kind: result.Array, Parts: []result.Type{text}},
		{OID: 90001, Kind: result.Composite, Parts: []result.Type{number, text, number}},
		{OID: 3906, Kind: result.Range, Parts: []result.Type{number}},
		{
			OID:   4532,
			Kind:  result.Multirange,
			Parts: []result.Type{number},
		},
	}
	f.Fuzz(func(t *testing.T, cell string) {
		for _, typ := range all {
			reading, _ := result.Pair(typ, typ, result.Options{})
			a := result.AppendCell(nil, []byte(cell), &reading)
			if b := result.AppendCell(nil, []byte(cell), &reading); string(a) != string(b) {
				t.Errorf("%d: %q and %q", typ.OID, a, b)
			}
			if len(a) > 20*len(cell)+100 {
				t.Errorf("%d: %d bytes became %d", typ.OID, len(cell), len(a))
			}
		}
	})
}
