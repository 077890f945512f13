package web

import (
	"context"

	"examen/internal/core/explain"
	"examen/internal/grading"
	"examen/internal/library"
	"examen/internal/problem"
	"examen/internal/web/contract"
	"examen/internal/work"
)

func (s *server) ReadExample(
	ctx context.Context, request contract.ReadExampleRequestObject,
) (contract.ReadExampleResponseObject, error) {
	e, err := work.ExampleOf(ctx, s.Work, who(ctx), request.Attempt)
	if err != nil {
		return nil, err
	}
	return contract.ReadExample200JSONResponse(toExample(e)), nil
}

func (s *server) TryExample(
	ctx context.Context, request contract.TryExampleRequestObject,
) (contract.TryExampleResponseObject, error) {
	tried, err := work.TryOnExample(ctx, s.Work, who(ctx), request.Attempt, request.Body.Sql)
	if err != nil {
		return nil, err
	}
	if tried == nil {
		return nil, problem.New(404, "no-example", "There is no example of this attempt",
			"Only incorrect attempts have one, where it can be found and may be shown.")
	}
	out := contract.TriedExample{
		Right: tried.Right, Got: toTableRows(tried.Got), Expected: toTableRows(tried.Expected),
	}
	if tried.Fault != nil {
		out.Error = toProblem(library.FaultProblem(tried.Fault))
	}
	return contract.TryExample200JSONResponse(out), nil
}

func toExample(e *grading.Example) contract.Example {
	out := contract.Example{Tables: []contract.ExampleTable{}}
	if e == nil {
		out.Got, out.Expected = toTableRows(grading.Rows{}), toTableRows(grading.Rows{})
		return out
	}
	var counts []explain.Count
	for _, t := range e.Tables {
		counts = append(counts, explain.Count{Table: t.Name, Rows: len(t.Rows.Rows)})
		rows := toTableRows(t.Rows)
		out.Tables = append(out.Tables, contract.ExampleTable{Name: t.Name, Columns: rows.Columns, Rows: rows.Rows})
	}
	out.MadeUp, out.Got, out.Expected = e.MadeUp, toTableRows(e.Got), toTableRows(e.Expected)
	out.Sentence = explain.Example(e.MadeUp, counts, len(e.Got.Rows), len(e.Expected.Rows))
	return out
}

func toTableRows(r grading.Rows) contract.TableRows {
	rows := toRows(r.Rows)
	if rows == nil {
		rows = contract.Rows{}
	}
	return contract.TableRows{Columns: toColumns(r.Columns), Rows: rows}
}
