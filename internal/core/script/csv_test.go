package script_test

import (
	"bytes"
	"io"
	"strconv"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"

	"examen/internal/core/script"
)

// data is what COPY gets of a file's rows, after its types.
func data(t *testing.T, content, encoding string) string {
	t.Helper()
	table, err := script.ReadCSV(strings.NewReader(content), "a.csv", encoding)
	if err != nil {
		t.Fatal(err)
	}
	rows, err := table.Data(strings.NewReader(content), encoding)
	if err != nil {
		t.Fatal(err)
	}
	text, err := io.ReadAll(rows)
	if err != nil {
		t.Fatal(err)
	}
	var types []string
	for _, c := range table.Columns {
		types = append(types, strings.TrimSpace(c.Name+" "+c.Type+" "+c.Format))
	}
	return strings.Join(types, ", ") + " | " + strings.ReplaceAll(strings.TrimSuffix(string(text), "\n"), "\n", " ; ")
}

// Files as people have them give the rows that people see in them.
func TestFilesOfManyHands(t *testing.T) {
	utf16 := "\xff\xfe"
	for _, c := range "n;t\n1;é\n" {
		utf16 += string([]byte{byte(c), byte(c >> 8)})
	}
	for name, c := range map[string][3]string{
		"empty values in quotes are NULL": {
			"a,b\n\"1\",\"\"\n\"2\",\"x\"\n", "", `a integer, b text | "1", ; "2","x"`,
		},
		"names in another encoding": {
			"N\xfammer;Stra\xdfe\n1;S\xfcd\n", "LATIN1", `númmer integer, straße text | "1","Süd"`,
		},
		"blank lines at the end":         {"a,b\n1,2\n\n\n", "", `a integer, b integer | "1","2"`},
		"blank lines of one column":      {"a\n1\n\n3\n\n", "", `a integer | "1" ;  ; "3"`},
		"a line that would end the data": {"a\nx\n\\.\ny\n", "", `a text | "x" ; "\." ; "y"`},
		"UTF-16":                         {utf16, "", `n integer, t text | "1","é"`},
		"a spreadsheet's own line":       {"sep=;\na;b\n1;2\n", "", `a integer, b integer | "1","2"`},
		"old Macs' lines":                {"a,b\r1,2\r", "", `a integer, b integer | "1","2"`},
		"decimal commas": {
			"a;b\n1.234,5;7\n-0,25;8\n", "", `a numeric decimal comma, b integer | "1234.5","7" ; "-0.25","8"`,
		},
		"days first": {
			"a\n31.5.2026\n01.02.2026\n", "", `a date day first | "2026-05-31" ; "2026-02-01"`,
		},
		"days first, told by one": {
			"a\n5/6/2026\n13/6/2026\n", "", `a date day first | "2026-06-05" ; "2026-06-13"`,
		},
		"months first": {
			"a\n5/31/2026\n2/1/2026\n", "", `a date month first | "2026-05-31" ; "2026-02-01"`,
		},
		"days or months first, which is not clear": {"a\n5/6/2026\n2/1/2026\n", "", `a text | "5/6/2026" ; "2/1/2026"`},
		"a line end and quotes within": {
			"a,b\n\"x\n\"\"y\",1\n", "", "a text, b integer | \"x ; \"\"y\",\"1\"",
		},
	} {
		if got := data(t, c[0], c[1]); got != c[2] {
			t.Errorf("%s:\n got %s\nwant %s", name, got, c[2])
		}
	}
}

func TestSpreadsheetsAreRead(t *testing.T) {
	book := excelize.NewFile()
	for cell, value := range map[string]any{
		"A1": "Hive no", "B1": "Name", "C1": "Weight", "A2": 1, "B2": "Amber", "C2": 12.5, "A3": 2, "B3": "Basil",
	} {
		if err := book.SetCellValue("Sheet1", cell, value); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := book.NewSheet("Visits"); err != nil {
		t.Fatal(err)
	}
	for cell, value := range map[string]any{"A2": "Hive no", "B2": "Day", "A4": 2, "B4": "2026-05-01"} {
		if err := book.SetCellValue("Visits", cell, value); err != nil {
			t.Fatal(err)
		}
	}
	var file bytes.Buffer
	if err := book.Write(&file); err != nil {
		t.Fatal(err)
	}
	tables, err := script.ReadXLSX(bytes.NewReader(file.Bytes()), "bees.xlsx")
	if err != nil || len(tables) != 2 {
		t.Fatalf("got %+v, %v", tables, err)
	}
	script.Relate(tables)
	hives, visits := tables[0], tables[1]
	if hives.Name != "sheet1" || hives.Key != "hive_no" || hives.Columns[2].Type != "numeric" ||
		hives.Columns[2].Nulls != 1 || visits.Name != "visits" || visits.Columns[1].Type != "date" {
		t.Errorf("got %+v", tables)
	}
	rows, err := hives.Data(bytes.NewReader(file.Bytes()), "")
	if err != nil {
		t.Fatal(err)
	}
	if text, _ := io.ReadAll(rows); string(text) != "\"1\",\"Amber\",\"12.5\"\n\"2\",\"Basil\",\n" {
		t.Errorf("got %q", text)
	}
	if file, row := rows.Place(2); file != `bees.xlsx, sheet "Sheet1"` || row != 3 {
		t.Errorf("the second row stands in %s, row %d", file, row)
	}
	if _, err := script.ReadXLSX(strings.NewReader("PK no spreadsheet"), "bees.xlsx"); err == nil ||
		!strings.HasPrefix(err.Error(), "bees.xlsx:1: the spreadsheet cannot be read") {
		t.Error(err)
	}
}

// What is wrong with a row is told with the line on which the row stands in its file, whatever stands above it.
func TestRowsKeepTheirPlaces(t *testing.T) {
	for content, want := range map[string]string{
		"a,b\n1,2\n3,4\n":                          "2 3",
		"sep=,\na,b\n1,2\n\n\n3,4\n":               "3 6",
		"a,b\n\"x\ny\",2\n3,4\n\n\"z\n\n\",1\n1,1": "2 3 4 6 7 8 9", // a value of several lines has as many for COPY
		"a\n1\n\n3\n":                              "2 3 4",
	} {
		table, err := script.ReadCSV(strings.NewReader(content), "a.csv", "")
		if err != nil {
			t.Fatal(err)
		}
		rows, err := table.Data(strings.NewReader(content), "")
		if err != nil {
			t.Fatal(err)
		}
		text, err := io.ReadAll(rows)
		if err != nil {
			t.Fatal(err)
		}
		var got []string
		for i := range bytes.Count(text, []byte("\n")) {
			_, line := rows.Place(i + 1)
			got = append(got, strconv.Itoa(line))
		}
		if strings.Join(got, " ") != want {
			t.Errorf("%q: got %v, want %s", content, got, want)
		}
	}
}

// Keys and what refers to them are found by names and values both.
func TestKeysAndReferencesAreProposed(t *testing.T) {
	read := func(name, text string) script.CSVTable {
		table, err := script.ReadCSV(strings.NewReader(text), name, "")
		if err != nil {
			t.Fatal(err)
		}
		return *table
	}
	plural := []script.CSVTable{
		read("hives.csv", "hive_id,apiary_id\n1,7\n2,\n"), read("apiaries.csv", "id,name\n7,Durn\n8,Askel\n"),
	}
	if script.Relate(plural); plural[0].Columns[1].References != "apiaries.id" {
		t.Errorf("got %+v", plural[0].Columns[1])
	}
	tables := []script.CSVTable{read(
		"hives.csv", "hive_id,name,apiary_id\n1,Amber,7\n2,Basil,7\n3,Clover,\n",
	), read("apiary.csv", "apiary_id,name\n7,Durn\n8,Askel\n"),
		read(
			"visits.csv", "visit_no,hive_id,other_id\n1,1,1\n2,2,1\n3,9,2\n",
		), read("notes.csv", "hive_id,text\n1,a\n1,b\n")}
	script.Relate(tables)
	var got []string
	for _, table := range tables {
		got = append(got, table.Name+": "+table.Key)
		for _, c := range table.Columns {
			if c.References != "" {
				got = append(got, c.Name+" to "+c.References)
			}
		}
	}
	if want := "hives: hive_id, apiary_id to apiary.apiary_id, apiary: apiary_id, visits: visit_no, notes: , " +
		"hive_id to hives.hive_id"; strings.Join(got, ", ") != want {
		t.Errorf("got  %s\nwant %s", strings.Join(got, ", "), want)
	}
	if sql := tables[0].SQL(true) + tables[0].Constraints(); !strings.Contains(sql, `"hive_id" integer PRIMARY KEY`) ||
		!strings.Contains(
			sql, `ALTER TABLE "hives" ADD FOREIGN KEY ("apiary_id") REFERENCES "apiary" ("apiary_id");`,
		) {
		t.Error(sql)
	}
}
