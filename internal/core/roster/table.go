package roster

import (
	"archive/zip"
	"bytes"
	"encoding/csv"
	"errors"
	"io"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/xuri/excelize/v2"

	"examen/internal/core/script"
)

// A table is a file with a header and lines.
type table struct {
	file   string
	header []string
	lines  []line
}

// A line is one line of a table. Empty lines are left out.
type line struct {
	number int
	cells  []string
	wrong  string
}

// largestText is how much an archive or a workbook may unpack to, in bytes.
const largestText = 64 << 20

// zipped is how archives and workbooks begin.
var zipped = []byte("PK\x03\x04")

// unpacked replaces an archive by the files in it. A workbook is an archive, too, and stays.
func unpacked(files []File) ([]File, error) {
	if len(files) != 1 || !bytes.HasPrefix(files[0].Content, zipped) || strings.HasSuffix(base(files[0].Name),
		".xlsx") {
		return files, nil
	}
	name := files[0].Name
	archive, err := zip.NewReader(bytes.NewReader(files[0].Content), int64(len(files[0].Content)))
	if err != nil {
		return nil, fail(name, 0, "the archive cannot be read: %s", err)
	}
	if slices.ContainsFunc(archive.File, func(f *zip.File) bool { return f.Name == "xl/workbook.xml" }) {
		return files, nil
	}
	var all []File
	left := int64(largestText)
	for _, f := range archive.File {
		if !strings.HasSuffix(base(f.Name), ".csv") {
			continue
		}
		in, err := f.Open()
		if err != nil {
			return nil, fail(name, 0, "%s in the archive cannot be read: %s", f.Name, err)
		}
		content, err := io.ReadAll(io.LimitReader(in, left+1))
		in.Close()
		if left -= int64(len(content)); left < 0 {
			return nil, fail(name, 0, "the files in the archive have more than %d MB", largestText>>20)
		} else if err != nil {
			return nil, fail(name, 0, "%s in the archive cannot be read: %s", f.Name, err)
		}
		all = append(all, File{f.Name, content})
	}
	return all, nil
}

// tableOf reads a table, which is a workbook or CSV.
func tableOf(f File, encoding string) (*table, error) {
	rows, err := rowsOf(f, encoding)
	if err != nil {
		return nil, err
	}
	t := &table{file: f.Name}
	for _, row := range rows {
		switch {
		case !slices.ContainsFunc(row.cells, func(cell string) bool { return strings.TrimSpace(cell) != "" }):
			continue
		case t.header == nil:
			for _, cell := range row.cells {
				t.header = append(t.header, strings.TrimSpace(cell))
			}
			continue
		case len(strings.Join(row.cells[min(len(row.cells), len(t.header)):], "")) > 0:
			row.wrong = "The line has more cells than the header has columns."
		}
		t.lines = append(t.lines, row)
	}
	switch {
	case t.header == nil:
		return nil, fail(f.Name, 0, "the file is empty: a header such as login, name, e-mail, group is "+
			"expected, and a "+
			"line for each person")
	case len(t.lines) == 0:
		return nil, fail(f.Name, 0, "there is a header and no line below it: one for each person is expected")
	case len(t.lines) > MostPeople:
		return nil, fail(f.Name, 0, "the file has %d people; at most %d are taken at once: divide it",
			len(t.lines), MostPeople)
	}
	return t, nil
}

// rowsOf reads all rows of a workbook's first sheet, or of a CSV file.
func rowsOf(f File, encoding string) ([]line, error) {
	if bytes.HasPrefix(f.Content, zipped) {
		return sheetRows(f)
	}
	if bytes.HasPrefix(f.Content, []byte("\xd0\xcf\x11\xe0")) {
		return nil, fail(f.Name, 0, "the file is a workbook of an old format: save it as XLSX or CSV")
	}
	text, err := script.Decode(f.Content, encoding)
	if err != nil {
		return nil, fail(f.Name, 0, "%s", err)
	}
	if at := notText(text); at >= 0 {
		return nil, fail(f.Name, 1+bytes.Count(text[:at], []byte("\n")),
			"the text is not UTF-8: save the file as UTF-8, or say which encoding it has, such as WIN1252")
	}
	return csvRows(f.Name, text)
}

// notText returns where a text is not valid UTF-8 or has a NUL character; -1 for nowhere.
func notText(text []byte) int {
	for at := 0; at < len(text); {
		r, size := utf8.DecodeRune(text[at:])
		if r == 0 || r == utf8.RuneError && size == 1 {
			return at
		}
		at += size
	}
	return -1
}

// csvRows reads comma-separated values. The separator is the one of comma, semicolon and tab that the first line has
// most of.
func csvRows(name string, text []byte) (rows []line, err error) {
	first, _, _ := bytes.Cut(bytes.TrimLeft(text, "\r\n"), []byte("\n"))
	in := csv.NewReader(bytes.NewReader(text))
	in.FieldsPerRecord = -1
	most := 0
	for _, separator := range []byte{',', ';', '\t'} {
		if n := bytes.Count(first, []byte{separator}); n > most {
			in.Comma, most = rune(separator), n
		}
	}
	for {
		cells, err := in.Read()
		var wrong *csv.ParseError
		switch {
		case err == io.EOF:
			return rows, nil
		case errors.As(err, &wrong):
			return nil, fail(name, wrong.StartLine, "the line cannot be read: a quotation mark in a cell is written "+
				"twice, and the whole cell stands between quotation marks")
		case err != nil:
			return nil, fail(name, 0, "%s", err)
		case len(rows) > maxRows:
			return nil, fail(name, 0, "the file has more than %d lines; at most %d people are taken at once: divide it",
				maxRows, MostPeople)
		}
		at, _ := in.FieldPos(0)
		rows = append(rows, line{number: at, cells: cells})
	}
}

// maxRows is how many rows are read before a file is given up.
const maxRows = 500_000

// sheetRows reads the first sheet of a workbook.
func sheetRows(f File) (rows []line, err error) {
	book, err := excelize.OpenReader(bytes.NewReader(f.Content), excelize.Options{
		UnzipSizeLimit: largestText, UnzipXMLSizeLimit: largestText,
	})
	if err != nil {
		return nil, fail(f.Name, 0, "the workbook cannot be read: save it again as XLSX, or as CSV")
	}
	defer book.Close()
	sheet, err := book.Rows(book.GetSheetName(0))
	if err != nil {
		return nil, fail(f.Name, 0, "the first sheet of the workbook cannot be read")
	}
	defer sheet.Close()
	for number := 1; sheet.Next(); number++ {
		cells, err := sheet.Columns()
		if err != nil {
			return nil, fail(f.Name, number, "the row cannot be read")
		}
		if len(rows) > maxRows {
			return nil, fail(f.Name, 0,
				"the sheet has more than %d rows; at most %d people are taken at once: divide it",
				maxRows, MostPeople)
		}
		rows = append(rows, line{number: number, cells: cells})
	}
	return rows, nil
}

// columns finds the columns of the fields in the header: those named, and all others by what they are called.
func (t *table) columns(named map[Field]string) (map[Field]int, error) {
	found := map[Field]int{}
	for field, header := range named {
		if !slices.Contains(Fields, field) {
			return nil, fail(t.file, 0, "there is no field %.40q: login, name, given name, family name, e-mail, "+
				"group or "+
				"role is expected", field)
		}
		at := slices.IndexFunc(t.header, func(h string) bool { return strings.EqualFold(h, strings.TrimSpace(header)) })
		if at < 0 {
			return nil, fail(t.file, 1, "there is no column %.80q; the header has %s",
				header, strings.Join(t.header, ", "))
		}
		found[field] = at
	}
	taken := func(at int) bool {
		for _, other := range found {
			if other == at {
				return true
			}
		}
		return false
	}
	for _, field := range Fields {
		if _, has := found[field]; has {
			continue
		}
		at := slices.IndexFunc(t.header, func(h string) bool { return slices.Contains(headers[field], letters(h)) })
		if at >= 0 && !taken(at) {
			found[field] = at
		}
	}
	return found, nil
}

// letters are the letters of a header, in lower case.
func letters(header string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) {
			return unicode.ToLower(r)
		}
		return -1
	}, header)
}
