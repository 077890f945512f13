package script

import (
	"bytes"
	"fmt"
	"io"

	"github.com/xuri/excelize/v2"
)

// Bounds of a spreadsheet: as it is stored, and unpacked. It is held in memory while it is read.
const (
	longestXLSX  = 64 << 20
	unpackedXLSX = 512 << 20
)

// xlsx is a spreadsheet being read.
type xlsx struct {
	*excelize.File
	name string
}

func openXLSX(file io.Reader, name string) (*xlsx, error) {
	content, err := io.ReadAll(io.LimitReader(file, longestXLSX+1))
	if err != nil {
		return nil, err
	}
	if len(content) > longestXLSX {
		return nil, &Error{
			File:   name,
			Line:   1,
			Detail: fmt.Sprintf("the spreadsheet has more than %d MB: save its sheets as CSV", longestXLSX>>20),
		}
	}
	opened, err := excelize.OpenReader(
		bytes.NewReader(content),
		excelize.Options{
			UnzipSizeLimit:   unpackedXLSX,
			ShortDatePattern: "yyyy-mm-dd",
			LongDatePattern:  "yyyy-mm-dd",
			LongTimePattern:  "hh:mm:ss",
		},
	)
	if err != nil {
		return nil, &Error{
			File:   name,
			Line:   1,
			Detail: "the spreadsheet cannot be read (" + err.Error() + "): save its sheets as CSV",
		}
	}
	return &xlsx{opened, name}, nil
}

// rows gives the rows of a sheet one after another, each as wide as the first that holds something; blank ones are
// passed over.
func (x *xlsx) rows(sheet string) (next func() (record, error), err error) {
	rows, err := x.Rows(sheet)
	if err != nil {
		return nil, &Error{File: x.name, Line: 1, Detail: fmt.Sprintf("the sheet %q cannot be read: %v", sheet, err)}
	}
	width, line := 0, 0
	return func() (record, error) {
		for rows.Next() {
			line++
			cells, err := rows.Columns()
			if err != nil {
				return record{}, &Error{
					File:   x.name,
					Line:   line,
					Detail: fmt.Sprintf("the sheet %q cannot be read: %v", sheet, err),
				}
			}
			last := len(cells)
			for last > 0 && cells[last-1] == "" {
				last--
			}
			if last == 0 {
				continue
			}
			if width == 0 {
				width = last
			}
			if last > width {
				return record{}, &Error{
					File: x.name,
					Line: line,
					Detail: fmt.Sprintf(
						"row %d of the sheet %q has %d cells, and the first row names %d columns", line, sheet, last,
						width,
					),
				}
			}
			values := make([]string, width)
			copy(values, cells[:last])
			return record{values, line}, nil
		}
		if err := rows.Error(); err != nil {
			return record{}, &Error{File: x.name, Line: line, Detail: err.Error()}
		}
		return record{}, io.EOF
	}, nil
}

// ReadXLSX reads a spreadsheet: one table for each sheet that holds something. What is wrong with it is an *Error with
// its row.
func ReadXLSX(file io.Reader, name string) ([]CSVTable, error) {
	x, err := openXLSX(file, name)
	if err != nil {
		return nil, err
	}
	defer x.Close()
	var tables []CSVTable
	for _, sheet := range x.GetSheetList() {
		next, err := x.rows(sheet)
		if err != nil {
			return nil, err
		}
		t := CSVTable{File: name, Sheet: sheet, Name: columnName(sheet, len(tables)), Delimiter: ""}
		peeked, err := next()
		if err == io.EOF { // an empty sheet
			continue
		}
		first := true
		if err := t.read(func() (record, error) {
			if first {
				first = false
				return peeked, err
			}
			return next()
		}); err != nil {
			return nil, err
		}
		tables = append(tables, t)
	}
	if len(tables) == 1 {
		tables[0].Name = tableName(name)
	}
	if tables == nil {
		return nil, &Error{
			File:   name,
			Line:   1,
			Detail: "the spreadsheet is empty: a first row with the columns' names is expected",
		}
	}
	return tables, nil
}
