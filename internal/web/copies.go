package web

import (
	"context"

	"examen/internal/practice"
	"examen/internal/web/contract"
	"examen/internal/work"
)

func (s *server) ListCopies(
	ctx context.Context, _ contract.ListCopiesRequestObject,
) (contract.ListCopiesResponseObject, error) {
	copies, err := s.Work.Copies().List(ctx, who(ctx))
	out := contract.ListCopies200JSONResponse{}
	for i := range copies {
		out = append(out, toCopy(&copies[i]))
	}
	return out, err
}

func (s *server) GetCopy(
	ctx context.Context, request contract.GetCopyRequestObject,
) (contract.GetCopyResponseObject, error) {
	found, err := s.Work.Copies().Show(ctx, who(ctx), request.Dataset, request.Params.Window)
	if err != nil {
		return nil, err
	}
	return contract.GetCopy200JSONResponse(toCopy(found)), nil
}

func (s *server) ResetCopy(
	ctx context.Context, request contract.ResetCopyRequestObject,
) (contract.ResetCopyResponseObject, error) {
	return contract.ResetCopy204Response{}, s.Work.Copies().Reset(ctx, who(ctx), request.Dataset)
}

func (s *server) AllowChanges(
	ctx context.Context, request contract.AllowChangesRequestObject,
) (contract.AllowChangesResponseObject, error) {
	err := s.Work.Copies().AllowChanges(ctx, who(ctx), request.Dataset, request.Body.Allowed)
	if err != nil {
		return nil, err
	}
	d, err := s.Library.Dataset(ctx, who(ctx), request.Dataset)
	if err != nil {
		return nil, err
	}
	return contract.AllowChanges200JSONResponse(toDataset(d)), nil
}

// transactionStates are the contract's words for how a session stands to transactions.
var transactionStates = map[practice.State]contract.TransactionState{
	practice.NoTransaction:     contract.TransactionNone,
	practice.OpenTransaction:   contract.TransactionOpen,
	practice.FailedTransaction: contract.TransactionFailed,
}

func toCopy(c *work.Copy) contract.Copy {
	if c == nil {
		return contract.Copy{}
	}
	out := contract.Copy{
		Dataset: c.Dataset, Build: c.Build, Made: c.Made, Used: c.Used, KeptUntil: c.Until, Bytes: c.Bytes,
		Transaction: transactionStates[c.State], Replaced: c.Replaced,
	}
	if c.State != practice.NoTransaction {
		out.TransactionSince, out.TransactionUntil = c.Since, c.Kept
	}
	if c.Changes == nil {
		return out
	}
	out.Changes = toChanges(c.Changes)
	return out
}

func toChanges(c *practice.Changes) contract.CopyChanges {
	out := contract.CopyChanges{
		Tables: []contract.TableChange{}, Made: toObjects(c.Made), Altered: toObjects(c.Altered),
		Dropped: toObjects(c.Dropped),
	}
	for _, t := range c.Tables {
		out.Tables = append(out.Tables, contract.TableChange{
			Table: t.Table, Added: t.Added, Changed: t.Changed, Removed: t.Removed,
		})
	}
	return out
}

func toObjects(objects []practice.Object) []contract.DatabaseObject {
	out := []contract.DatabaseObject{}
	for _, o := range objects {
		out = append(out, contract.DatabaseObject{Kind: o.Kind, Name: o.Name})
	}
	return out
}

func toStatements(statements []work.Done) []contract.StatementResult {
	var out []contract.StatementResult
	for _, d := range statements {
		rows := d.Rows
		if rows == nil {
			rows = contract.Rows{}
		}
		out = append(out, contract.StatementResult{
			Place: contract.Place{Line: d.Place.Line, Column: d.Place.Column, Text: d.Place.Text}, Done: d.Words,
			Columns: toColumns(d.Columns), Rows: rows, RowCount: d.RowCount,
			Truncated: d.Truncated, Notices: orEmpty(d.Notices), ElapsedMs: milliseconds(d.Elapsed),
		})
	}
	return out
}
