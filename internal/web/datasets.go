package web

import (
	"context"
	"strings"

	"github.com/gin-gonic/gin"

	"examen/internal/core/dataset"
	"examen/internal/core/script"
	"examen/internal/core/sqltext"
	"examen/internal/library"
	"examen/internal/web/contract"
)

func (s *server) ListDatasets(
	ctx context.Context, _ contract.ListDatasetsRequestObject,
) (contract.ListDatasetsResponseObject, error) {
	datasets, err := s.Library.Datasets(ctx, who(ctx))
	list := contract.ListDatasets200JSONResponse{}
	for _, d := range datasets {
		tables := 0
		for _, t := range d.Tables {
			if !t.View {
				tables++
			}
		}
		list = append(
			list, contract.DatasetSummary{
				Name: d.Name, Title: d.Title, Build: d.Build, Tables: tables, Rows: d.Rows(), Changes: d.Changes,
			},
		)
	}
	return list, err
}

func (s *server) GetDataset(
	ctx context.Context, request contract.GetDatasetRequestObject,
) (contract.GetDatasetResponseObject, error) {
	d, err := s.Library.Dataset(ctx, who(ctx), request.Dataset)
	if err != nil {
		return nil, err
	}
	if request.Params.Build == d.Build {
		ctx.(*gin.Context).Header("Cache-Control", "private, max-age=31536000, immutable")
	}
	return contract.GetDataset200JSONResponse(toDataset(d)), nil
}

func (s *server) DropDataset(
	ctx context.Context, request contract.DropDatasetRequestObject,
) (contract.DropDatasetResponseObject, error) {
	return contract.DropDataset204Response{}, s.Library.DropDataset(ctx, who(ctx), request.Dataset)
}

func (s *server) UseBuild(
	ctx context.Context, request contract.UseBuildRequestObject,
) (contract.UseBuildResponseObject, error) {
	d, err := s.Library.UseBuild(ctx, who(ctx), request.Dataset, request.Body.Build)
	if err != nil {
		return nil, err
	}
	return contract.UseBuild200JSONResponse(toDataset(d)), nil
}

func (s *server) ListRows(
	ctx context.Context, request contract.ListRowsRequestObject,
) (contract.ListRowsResponseObject, error) {
	p := request.Params
	page, err := s.Library.TableRows(
		ctx,
		who(ctx),
		request.Dataset,
		request.Table,
		library.RowsWanted{Sort: p.Sort, Descending: p.Descending, Column: p.Column, Value: p.Value,
			Null: p.Null, Offset: p.Offset, Limit: orDefault(p.Limit, 50)},
	)
	if err != nil {
		return nil, err
	}
	rows := toRows(page.Rows)
	if rows == nil {
		rows = contract.Rows{}
	}
	return contract.ListRows200JSONResponse{
		Columns: toColumns(page.Columns),
		Rows:    rows,
		Offset:  page.Offset,
		More:    page.More,
	}, nil
}

func orDefault(n, otherwise int) int {
	if n == 0 {
		return otherwise
	}
	return n
}

func (s *server) GetMap(
	ctx context.Context, request contract.GetMapRequestObject,
) (contract.GetMapResponseObject, error) {
	m, err := s.Library.Map(ctx, who(ctx), request.Dataset, request.Params.Table, request.Params.At)
	if err != nil {
		return nil, err
	}
	switch request.Params.Format {
	case contract.MapText:
		return contract.GetMap200TextResponse(m.Text()), nil
	case contract.MapMermaid:
		return contract.GetMap200TextResponse(m.Mermaid()), nil
	case contract.MapSVG:
		svg := m.SVG(request.Params.Dark)
		return contract.GetMap200ImagesvgXmlResponse{Body: strings.NewReader(svg), ContentLength: int64(len(svg))}, nil
	}
	out := contract.GetMap200JSONResponse{
		Width:     m.Width,
		Height:    m.Height,
		Entities:  []contract.MapEntity{},
		Relations: []contract.MapLine{},
	}
	for _, e := range m.Entities {
		shown := *e.Table
		shown.Columns = nil
		for _, c := range e.Columns {
			shown.Columns = append(shown.Columns, *c)
		}
		out.Entities = append(
			out.Entities,
			contract.MapEntity{
				Table:  toTable(&shown),
				Hidden: e.Hidden,
				X:      e.X,
				Y:      e.Y,
				Width:  e.Width,
				Height: e.Height,
			},
		)
	}
	for _, g := range m.Groups {
		group := contract.MapGroup{Name: g.Name}
		for _, e := range g.Tables {
			group.Tables = append(group.Tables, e.Table.Name)
		}
		out.Groups = append(out.Groups, group)
	}
	for _, l := range m.Relations {
		line := contract.MapLine{Relation: toRelation(l.Relation), Between: l.Between, Points: []contract.MapPoint{}}
		for _, p := range l.Points {
			line.Points = append(line.Points, contract.MapPoint{X: p.X, Y: p.Y})
		}
		out.Relations = append(out.Relations, line)
	}
	return out, nil
}

func toDataset(d *library.Dataset) contract.Dataset {
	out := contract.Dataset{
		Name:      d.Name,
		Title:     d.Title,
		Build:     d.Build,
		Rows:      d.Rows(),
		Bytes:     d.Bytes,
		Tables:    []contract.Table{},
		Relations: []contract.Relation{},
		Changes:   d.Changes,
		Pack:      d.Pack,
		Variants:  d.Variants,
	}
	for i := range d.Tables {
		out.Tables = append(out.Tables, toTable(&d.Tables[i]))
	}
	for _, r := range d.Relations() {
		out.Relations = append(out.Relations, toRelation(r))
	}
	for _, b := range d.Builds {
		build := contract.Build{
			Number: b.Number,
			InUse:  b.InUse,
			Kept:   b.Kept,
			Made:   b.Made,
			Report: toBuildReport(b.Report),
		}
		build.Report.Broken = b.Broken
		out.Builds = append(out.Builds, build)
	}
	return out
}

func toTable(t *dataset.Table) contract.Table {
	out := contract.Table{
		Name:    t.Name,
		SqlName: strings.TrimPrefix(t.SQLName, "public."),
		View:    t.View,
		Query:   t.Query,
		Meaning: t.Meaning,
		Rows:    t.Rows,
		Bytes:   t.Bytes,
		Columns: []contract.TableColumn{},
	}
	for _, c := range t.Columns {
		out.Columns = append(
			out.Columns,
			contract.TableColumn{
				Name:       c.Name,
				SqlName:    sqltext.Quoted(c.Name),
				Type:       c.Type,
				Nullable:   c.Nullable,
				Default:    c.Default,
				Key:        c.Key,
				References: c.References,
				Meaning:    c.Meaning,
				Examples:   c.Examples,
				Values:     c.Values,
			},
		)
	}
	for _, k := range t.Constraints {
		out.Constraints = append(
			out.Constraints,
			contract.Constraint{
				Name:       k.Name,
				Kind:       contract.ConstraintKind(k.Kind),
				Words:      k.Words(),
				Definition: k.Definition,
			},
		)
	}
	for _, i := range t.Indexes {
		out.Indexes = append(out.Indexes, contract.Index{Name: i.Name, Unique: i.Unique, Definition: i.Definition})
	}
	return out
}

func toRelation(r dataset.Relation) contract.Relation {
	return contract.Relation{
		From:     r.From,
		To:       r.To,
		Columns:  r.Columns,
		Referred: r.Referred,
		Optional: r.Optional,
		Single:   r.Single,
		Outward:  r.Outward,
		Inward:   r.Inward,
	}
}

func toBuildReport(r library.BuildReport) contract.BuildReport {
	out := contract.BuildReport{
		Dataset:    r.Dataset,
		Build:      r.Number,
		Tables:     r.Tables,
		Rows:       r.Rows,
		Bytes:      r.Bytes,
		Variants:   r.Variants,
		ElapsedMs:  r.ElapsedMS,
		PassedOver: r.PassedOver,
		Advice:     r.Advice,
		Inferred:   toInferred(r.Inferred),
	}
	for _, t := range r.Sizes {
		out.Sizes = append(out.Sizes, contract.TableSize{Table: t.Table, Rows: t.Rows, Bytes: t.Bytes})
	}
	return out
}

func toInferred(tables []script.CSVTable) []contract.InferredTable {
	var out []contract.InferredTable
	for _, t := range tables {
		table := contract.InferredTable{
			File:      t.File,
			Sheet:     t.Sheet,
			Key:       t.Key,
			Name:      t.Name,
			Delimiter: t.Delimiter,
			Rows:      t.Rows,
			Columns:   []contract.InferredColumn{},
		}
		for _, c := range t.Columns {
			table.Columns = append(
				table.Columns,
				contract.InferredColumn{
					Name:       c.Name,
					Header:     c.Header,
					Type:       c.Type,
					Nulls:      c.Nulls,
					Format:     c.Format,
					References: c.References,
				},
			)
		}
		out = append(out, table)
	}
	return out
}
