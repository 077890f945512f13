package web

import (
	"context"
	"slices"

	"examen/internal/core/mutation"
	"examen/internal/grading"
	"examen/internal/library"
	"examen/internal/web/contract"
)

func (s *server) StrengthenPaper(
	ctx context.Context, request contract.StrengthenPaperRequestObject,
) (contract.StrengthenPaperResponseObject, error) {
	job, err := s.Library.Authoring().Strengthen(ctx, who(ctx), request.Paper, request.Body.Variant)
	if err != nil {
		return nil, err
	}
	out, err := toJob(job)
	return contract.StrengthenPaper202JSONResponse(out), err
}

func (s *server) AddVariant(
	ctx context.Context, request contract.AddVariantRequestObject,
) (contract.AddVariantResponseObject, error) {
	job, err := s.Library.Authoring().AddVariant(ctx, who(ctx), request.Dataset, request.Body.Job)
	if err != nil {
		return nil, err
	}
	out, err := toJob(job)
	return contract.AddVariant202JSONResponse(out), err
}

func toEdit(e mutation.Edit) contract.Edit {
	return contract.Edit{Before: e.Before, Was: e.Was, Is: e.Is, After: e.After}
}

func toSurvivor(s grading.Survivor) contract.Survivor {
	return contract.Survivor{
		Answer: s.Answer, Operator: string(s.Operator), Edit: toEdit(s.Edit), Sentence: s.Sentence,
	}
}

func toStrength(s *grading.Strength) contract.Strength {
	if s == nil {
		return contract.Strength{}
	}
	out := contract.Strength{
		Mutations: s.Mutations, Told: s.Told, Same: s.Same, Undecided: s.Undecided, Of: s.Of,
		Survivors: []contract.Survivor{}, Sentence: s.Sentence(), Crude: []contract.Crude{},
	}
	for _, c := range s.Crude {
		out.Crude = append(out.Crude, contract.Crude{
			Does: c.Does, Sql: c.SQL, Outcome: contract.Outcome(c.Outcome), Says: c.Says,
		})
	}
	for _, survivor := range s.Survivors {
		out.Survivors = append(out.Survivors, toSurvivor(survivor))
	}
	return out
}

// counted is a strength without the wrong answers.
func counted(s *grading.Strength) contract.Strength {
	out := toStrength(s)
	if out.Survivors != nil {
		out.Survivors, out.Crude = []contract.Survivor{}, []contract.Crude{}
	}
	return out
}

func toTold(all []grading.Telling) []contract.Told {
	out := []contract.Told{}
	for _, t := range all {
		out = append(out, contract.Told{Exercise: t.Exercise, Survivor: toSurvivor(t.Survivor)})
	}
	return out
}

func toStrengthening(s *library.Strengthening) contract.Strengthening {
	out := contract.Strengthening{
		Dataset: s.Dataset, Build: s.Build, Variant: s.Variant, New: s.New, Script: s.Script(),
		Proposals: []contract.RowProposal{}, Left: toTold(s.Left),
	}
	for _, p := range s.Proposals {
		out.Proposals = append(out.Proposals, contract.RowProposal{
			What: p.What, Tables: byTable(p.Rows), Tells: toTold(p.Tells),
		})
	}
	return out
}

// byTable gathers rows by their tables.
func byTable(rows []mutation.Row) []contract.ProposedRows {
	var all []contract.ProposedRows
	for _, row := range rows {
		at := slices.IndexFunc(all, func(t contract.ProposedRows) bool { return t.Table == row.Table })
		if at < 0 {
			at = len(all)
			all = append(all, contract.ProposedRows{Table: row.Table, Columns: row.Columns})
		}
		all[at].Rows = append(all[at].Rows, row.Values)
	}
	return all
}
