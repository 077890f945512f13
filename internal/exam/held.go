package exam

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"examen/internal/account"
	"examen/internal/core/dataset"
	"examen/internal/core/pack"
	"examen/internal/core/sqltext"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// What a build would break is said before it takes the place of the one in use, and somebody has to confirm it: accepted answers that run now and would
// not run on it, and tables and columns that papers speak of and that it does not have.

// breaks says what a new build of a dataset would break, of papers other than those that come with it.
func (s *Service) breaks(ctx context.Context, name, database string, made dataset.Catalogue, comesWith []string) ([]string, error) {
	before, err := s.records.CurrentBuild(ctx, name)
	if records.Missing(err) {
		return nil, nil
	} else if err != nil {
		return nil, err
	}
	var old dataset.Catalogue
	if err := json.Unmarshal(before.Build.Catalogue, &old); err != nil {
		return nil, err
	}
	answers, err := s.records.DatasetAnswers(ctx, before.Dataset.ID)
	if err != nil {
		return nil, err
	}
	var broken []string
	words := map[string]bool{} // that papers use
	for _, a := range answers {
		if slices.Contains(comesWith, a.Paper) {
			continue
		}
		all, err := answersOf(a.Exercise)
		if err != nil {
			return nil, err
		}
		for _, sql := range all {
			sqltext.Words(sql, words)
			_, err := s.references.get(ctx, sql, database)
			reason := ofQuery(err)
			if reason == nil && err != nil {
				return nil, err
			}
			if reason == nil {
				continue
			}
			if _, err := s.references.get(ctx, sql, before.Build.Database); err == nil {
				broken = append(broken, fmt.Sprintf("%s/%s: an accepted answer does not run on it: %s", a.Paper, a.Exercise.Slug, reason.Title))
			}
		}
	}
	papers, err := s.records.DatasetPapers(ctx, before.Dataset.ID)
	if err != nil {
		return nil, err
	}
	for _, p := range papers {
		if slices.Contains(comesWith, p.Slug) {
			continue
		}
		var sections []pack.Section
		if err := json.Unmarshal(p.Sections, &sections); err != nil {
			return nil, err
		}
		for _, section := range sections {
			for _, block := range section.Blocks {
				if block.Kind == "example" {
					sqltext.Words(block.Text, words)
				}
			}
		}
	}
	return append(broken, missing(old, made, words)...), nil
}

// missing lists the tables and columns that are used and gone.
func missing(old, made dataset.Catalogue, used map[string]bool) (gone []string) {
	for i := range old.Tables {
		was := &old.Tables[i]
		short := was.Name[strings.LastIndexByte(was.Name, '.')+1:]
		if !used[short] {
			continue
		}
		is := made.Table(was.Name)
		if is == nil {
			gone = append(gone, fmt.Sprintf("it has no table %s, which papers use", was.Name))
			continue
		}
		for _, c := range was.Columns {
			if used[c.Name] && is.Column(c.Name) == nil {
				gone = append(gone, fmt.Sprintf("%s has no column %s, which papers use", was.Name, c.Name))
			}
		}
	}
	return gone
}

// UseBuild makes another of a dataset's builds the one in use: an earlier one, or a later one again.
func (s *Service) UseBuild(ctx context.Context, who account.Account, name string, number int) (*Dataset, error) {
	if err := who.InstructorsOnly(); err != nil {
		return nil, err
	}
	row, err := s.dataset(ctx, who, name)
	if err != nil {
		return nil, err
	}
	builds, err := s.records.Builds(ctx, row.Dataset.ID)
	if err != nil {
		return nil, err
	}
	at := slices.IndexFunc(builds, func(b query.Build) bool { return int(b.Number) == number })
	switch {
	case at < 0:
		return nil, problem.New(404, "no-build", "There is no such build", "%s has no build %d; see: examen dataset builds %s", name, number, name)
	case builds[at].DroppedAt != nil:
		return nil, problem.New(409, "build-gone", "The build is not kept any more", "Build %d of %s was removed on %s: the five latest are kept besides the one in use.", number, name, builds[at].DroppedAt.UTC().Format("2 January 2006"))
	}
	defer s.records.Changed(records.PapersChanged) // after the write
	err = s.records.Together(ctx, func(t *records.Transaction) error {
		if err := t.UseBuild(ctx, query.UseBuildParams{ID: row.Dataset.ID, BuildID: &builds[at].ID}); err != nil {
			return err
		}
		return t.Enqueue(ctx, records.Task{Kind: records.RenewReferences, ID: builds[at].ID})
	})
	if err != nil {
		return nil, err
	}
	s.records.Changed(records.PapersChanged)
	return s.Dataset(ctx, who, name)
}
