package export_test

import (
	"bytes"
	"errors"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"

	"examen/internal/core/export"
	"examen/internal/core/result"
)

var columns = []result.Column{
	{Name: "name", Type: result.Type{Name: "text", OID: 25}},
	{Name: "mass", Type: result.Type{Name: "numeric", OID: 1700}},
	{Name: "name", Type: result.Type{Name: "boolean", OID: 16}},
	{Name: "day", Type: result.Type{Name: "date", OID: 1082}},
}

func row(cells ...any) result.Row {
	r := make(result.Row, len(cells))
	for i, c := range cells {
		if text, ok := c.(string); ok {
			r[i] = []byte(text)
		}
	}
	return r
}

var rows = []result.Row{
	row("Amber", "1.50", "t", "2026-05-01"),
	row("", nil, "f", nil),
	row(nil, "-3", nil, "1899-12-31"),
	row("NULL", "12345678901234567890.1", "t", "infinity"),
	row("=1+1", "NaN", "f", "0044-03-15 BC"),
	row("a \"b\",\nc", "0", "t", "2026-01-31"),
}

func written(t *testing.T, format export.Format) string {
	t.Helper()
	var out bytes.Buffer
	w, err := export.New(format, &out)
	if err != nil {
		t.Fatal(err)
	}
	if err := w.Begin(columns); err != nil {
		t.Fatal(err)
	}
	for _, r := range rows {
		if err := w.Row(r); err != nil {
			t.Fatal(err)
		}
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	return out.String()
}

func TestTextFormats(t *testing.T) {
	for format, want := range map[export.Format]string{
		export.CSV: `name,mass,name,day
Amber,1.50,true,2026-05-01
"",,false,
,-3,,1899-12-31
NULL,12345678901234567890.1,true,infinity
'=1+1,NaN,false,0044-03-15 BC
"a ""b"",
c",0,true,2026-01-31
`,
		export.JSON: `{"columns": [{"name":"name","type":"text"},{"name":"mass","type":"numeric"},` +
			`{"name":"name","type":"boolean"},{"name":"day","type":"date"}],
"rows": [
["Amber",1.50,true,"2026-05-01"],
["",null,false,null],
[null,-3,null,"1899-12-31"],
["NULL",12345678901234567890.1,true,"infinity"],
["=1+1","NaN",false,"0044-03-15 BC"],
["a \"b\",\nc",0,true,"2026-01-31"]
]}
`,
		export.Lines: `["Amber","1.50","t","2026-05-01"]
["",null,"f",null]
[null,"-3",null,"1899-12-31"]
["NULL","12345678901234567890.1","t","infinity"]
["=1+1","NaN","f","0044-03-15 BC"]
["a \"b\",\nc","0","t","2026-01-31"]
`,
	} {
		if got := written(t, format); got != want {
			t.Errorf("%s: got\n%s\nwant\n%s", format, got, want)
		}
	}
}

// A workbook has numbers, booleans and days as such where it can hold them, and texts are never formulas.
func TestAWorkbook(t *testing.T) {
	book, err := excelize.OpenReader(strings.NewReader(written(t, export.XLSX)))
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = book.Close() }()
	sheet := book.GetSheetName(0)
	for _, c := range []struct {
		cell, shown string
		kind        excelize.CellType
	}{
		{"A1", "name", excelize.CellTypeInlineString},
		{"A2", "Amber", excelize.CellTypeInlineString},
		{"B2", "1.5", excelize.CellTypeUnset},
		{"C2", "TRUE", excelize.CellTypeBool},
		{"D2", "2026-05-01", excelize.CellTypeUnset},
		{"A3", "", excelize.CellTypeInlineString},
		{"B3", "", excelize.CellTypeUnset},
		{"A4", "", excelize.CellTypeUnset},
		{"D4", "1899-12-31", excelize.CellTypeInlineString},
		{"B5", "12345678901234567890.1", excelize.CellTypeInlineString},
		{"A6", "=1+1", excelize.CellTypeInlineString},
		{"B6", "NaN", excelize.CellTypeInlineString},
	} {
		shown, err := book.GetCellValue(sheet, c.cell)
		kind, failed := book.GetCellType(sheet, c.cell)
		formula, _ := book.GetCellFormula(sheet, c.cell)
		if err != nil || failed != nil || shown != c.shown || kind != c.kind || formula != "" {
			t.Errorf("%s: %q of kind %d, formula %q, want %q of kind %d", c.cell, shown, kind, formula, c.shown, c.kind)
		}
	}
}

func TestWhatAWorkbookCannotHold(t *testing.T) {
	w, _ := export.New(export.XLSX, &bytes.Buffer{})
	if err := w.Begin(columns[:1]); err != nil {
		t.Fatal(err)
	}
	defer func() { _ = w.Close() }()
	var large *export.TooLarge
	if err := w.Row(row(strings.Repeat("x", 32_768))); !errors.As(err, &large) ||
		!strings.Contains(err.Error(), "Row 1 has a text in column 1 (name)") {
		t.Error(err)
	}
}

func TestAFormatThatThereIsNot(t *testing.T) {
	if _, err := export.New("ods", nil); err == nil || !strings.Contains(err.Error(), `"ods": expected is one of`) {
		t.Error(err)
	}
}

func TestATableIsSafeInASpreadsheet(t *testing.T) {
	got := export.Table(
		[][]string{
			{"name", "mark"}, {"=HYPERLINK(\"x\")", "-1.5"}, {"@home, \"quoted\"", "+3"}, {"-cmd", "2"},
			{"two\nlines", ""},
		},
	)
	want := "name,mark\n\"'=HYPERLINK(\"\"x\"\")\",-1.5\n\"'@home, \"\"quoted\"\"\",+3\n'-cmd,2\n\"two\nlines\",\n"
	if got != want {
		t.Errorf("got %q\nwant %q", got, want)
	}
}
