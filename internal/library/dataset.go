package library

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"examen/internal/account"
	"examen/internal/core/dataset"
	"examen/internal/core/result"
	"examen/internal/grading"
	"examen/internal/practice"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// A Dataset is a dataset with its build in use. What only instructors may know is left out for learners.
type Dataset struct {
	Name, Title string
	Build       int
	Changes     bool // learners may change it, each in a copy of their own
	dataset.Catalogue

	Pack     string
	Variants []string
	Builds   []Build
}

// A Build is one of a dataset's builds.
type Build struct {
	Number int
	InUse  bool
	Kept   bool // it can be returned to
	Made   time.Time
	Report BuildReport
	Broken []string // reference answers that do not run on it
}

func datasetOf(d query.Dataset, b query.Build) (*Dataset, error) {
	out := &Dataset{Name: d.Name, Title: d.Title, Build: int(b.Number), Changes: d.Changes}
	return out, json.Unmarshal(b.Catalogue, &out.Catalogue)
}

// Datasets lists the datasets that the account may read.
func (l *Library) Datasets(ctx context.Context, who account.Account) ([]*Dataset, error) {
	rows, err := l.records.CurrentBuilds(ctx)
	if err != nil {
		return nil, err
	}
	all := who.Can(account.Prepare)
	own := map[string]bool{}
	if !all {
		readable, err := l.records.LearnerDatasets(ctx, who.ID)
		if err != nil {
			return nil, err
		}
		for _, d := range readable {
			own[d.Name] = true
		}
	}
	list := []*Dataset{}
	for _, row := range rows {
		if !all && !own[row.Dataset.Name] {
			continue
		}
		d, err := datasetOf(row.Dataset, row.Build)
		if err != nil {
			return nil, err
		}
		list = append(list, d)
	}
	return list, nil
}

// Dataset returns one dataset with its tables.
func (l *Library) Dataset(ctx context.Context, who account.Account, name string) (*Dataset, error) {
	row, _, err := l.find(ctx, who, name)
	if err != nil {
		return nil, err
	}
	d, err := datasetOf(row.Dataset, row.Build)
	if err != nil || !who.Can(account.Prepare) {
		return d, err
	}
	d.Pack = row.Dataset.Pack
	var variants map[string]string
	if err := json.Unmarshal(row.Build.Variants, &variants); err != nil {
		return nil, err
	}
	for name := range variants {
		d.Variants = append(d.Variants, name)
	}
	slices.Sort(d.Variants)
	builds, err := l.records.Builds(ctx, row.Dataset.ID)
	if err != nil {
		return nil, err
	}
	for _, b := range builds {
		build := Build{Number: int(b.Number), Made: b.MadeAt, InUse: b.ID == row.Build.ID, Kept: b.DroppedAt == nil}
		if err := json.Unmarshal(b.Report, &build.Report); err != nil {
			return nil, err
		}
		if err := json.Unmarshal(b.Broken, &build.Broken); err != nil {
			return nil, err
		}
		d.Builds = append(d.Builds, build)
	}
	return d, nil
}

// RowsWanted selects rows of a table.
type RowsWanted struct {
	Sort       string // a column; "" as they come
	Descending bool
	Column     string // only rows in which it is Value, or NULL; "" for all
	Value      string
	Null       bool
	Offset     int64
	Limit      int
}

// A RowPage is a page of a table's rows.
type RowPage struct {
	Columns []result.Column
	Rows    []result.Row
	Offset  int64
	More    bool
}

// pageBytes is the greatest size of a page of rows.
const pageBytes = 8 << 20

// TableRows returns a page of a table's rows. The query runs on a seat like any other, and is not kept in the history.
func (l *Library) TableRows(
	ctx context.Context, who account.Account, name, table string, wanted RowsWanted,
) (*RowPage, error) {
	row, _, err := l.find(ctx, who, name)
	if err != nil {
		return nil, err
	}
	d, err := datasetOf(row.Dataset, row.Build)
	if err != nil {
		return nil, err
	}
	t := d.Table(table)
	if t == nil {
		return nil, noTable(name, table)
	}
	for _, column := range []string{wanted.Sort, wanted.Column} {
		if column != "" && t.Column(column) == nil {
			return nil, problem.New(404, "no-column", "There is no such column", "%s has no column %q.", table, column)
		}
	}
	if wanted.Limit <= 0 || wanted.Limit > 500 || wanted.Offset < 0 || !records.IsText(wanted.Value) {
		return nil, problem.New(
			400, "unreadable", "Invalid request",
			"At most 500 rows can be asked for, from an offset of 0 on, and by a value that is text.",
		)
	}
	page := &RowPage{Offset: wanted.Offset}
	collect := &practice.Collector{MostRows: wanted.Limit, MostBytes: pageBytes}
	_, err = l.practice.Run(
		ctx,
		practice.Run{
			Learner:  who.ID,
			Database: row.Build.Database,
			SQL: t.Select(dataset.Selection{Sort: wanted.Sort, Descending: wanted.Descending,
				Column: wanted.Column, Value: wanted.Value, Null: wanted.Null,
				Offset: wanted.Offset, Limit: wanted.Limit + 1}),
		},
		collect,
	)
	if fault := grading.FaultOf(err, "", nil); fault != nil {
		return nil, FaultProblem(fault)
	} else if err != nil {
		return nil, err
	}
	page.Columns, page.Rows, page.More = collect.Columns, collect.Rows, collect.Over
	return page, nil
}

func noTable(name, table string) error {
	return problem.New(
		404, "no-table", "There is no such table", "The dataset %s has no table %q; see: examen dataset show %s", name,
		table, name,
	)
}

// farthest is how far from the middle of a map a table may be moved, in pixels.
const farthest = 1e6

// Map draws the map of a dataset's tables, or of one table and its neighbours. moved gives the places of tables that
// were moved: "table:x,y table:x,y".
func (l *Library) Map(ctx context.Context, who account.Account, name, table, moved string) (*dataset.Map, error) {
	d, err := l.Dataset(ctx, who, name)
	if err != nil {
		return nil, err
	}
	if table != "" && d.Table(table) == nil {
		return nil, noTable(name, table)
	}
	m := dataset.NewMap(d.Catalogue.Around(table))
	for _, place := range strings.Fields(moved) {
		at := strings.LastIndexByte(place, ':')
		var x, y float64
		if _, err := fmt.Sscanf(place[at+1:], "%f,%f", &x, &y); at < 0 || err != nil || !(math.Abs(x) <= farthest &&
			math.Abs(y) <= farthest) {
			return nil, problem.New(400, "unreadable", "Invalid request", "%q is no place: write table:x,y.", place)
		}
		m.Move(place[:at], x, y)
	}
	return m, nil
}

// FaultProblem converts a query's fault into a problem.
func FaultProblem(f *grading.Fault) *problem.Problem {
	kind := map[grading.FaultKind]string{
		grading.Unreadable: "database-error", grading.Reported: "database-error",
		grading.NotAllowed: "not-a-query", grading.Limited: "limit",
	}[f.Kind]
	p := problem.New(422, kind, f.Title, "%s", f.Detail)
	p.Hint, p.Place, p.Mended = f.Hint, f.Place, f.Mended
	return p
}
