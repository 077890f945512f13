package library

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"examen/internal/account"
	"examen/internal/core/dataset"
	"examen/internal/core/pack"
	"examen/internal/core/sqltext"
	"examen/internal/grading"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// What a build would break is said before it takes the place of the one in use, and somebody has to confirm it:
// accepted answers that run now and would not run on it, and tables and columns that papers speak of and that it does
// not have.

// breaks lists what a new build of a dataset would break in papers other than those that come with it.
func (l *Library) breaks(
	ctx context.Context, name, database string, made dataset.Catalogue, comesWith []string,
) ([]string, error) {
	before, err := l.records.CurrentBuild(ctx, name)
	if records.Missing(err) {
		return nil, nil
	} else if err != nil {
		return nil, err
	}
	var old dataset.Catalogue
	if err := json.Unmarshal(before.Build.Catalogue, &old); err != nil {
		return nil, err
	}
	answers, err := l.records.DatasetAnswers(ctx, before.Dataset.ID)
	if err != nil {
		return nil, err
	}
	var broken []string
	words := map[string]bool{} // that papers use
	for _, a := range answers {
		if slices.Contains(comesWith, a.Paper) {
			continue
		}
		all, err := acceptedOf(a.ExerciseNow)
		if err != nil {
			return nil, err
		}
		for _, sql := range all {
			sqltext.Words(sql, words)
			err := l.grader.Prepare(ctx, sql, database)
			var fault *grading.Fault
			if err == nil {
				continue
			} else if !errors.As(err, &fault) {
				return nil, err
			}
			if l.grader.Prepare(ctx, sql, before.Build.Database) == nil {
				broken = append(broken,
					fmt.Sprintf(
						"%s/%s: an accepted answer does not run on it: %s", a.Paper, a.ExerciseNow.Slug, fault.Title,
					))
			}
		}
	}
	papers, err := l.records.DatasetPapers(ctx, before.Dataset.ID)
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

// missing lists the tables and columns that papers use and the new build no longer has.
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

// UseBuild puts another of a dataset's builds into use, earlier or later.
func (l *Library) UseBuild(ctx context.Context, who account.Account, name string, number int) (*Dataset, error) {
	if err := who.May(account.Prepare); err != nil {
		return nil, err
	}
	row, _, err := l.find(ctx, who, name)
	if err != nil {
		return nil, err
	}
	builds, err := l.records.Builds(ctx, row.Dataset.ID)
	if err != nil {
		return nil, err
	}
	at := slices.IndexFunc(builds, func(b query.Build) bool { return int(b.Number) == number })
	switch {
	case at < 0:
		return nil, problem.New(
			404, "no-build", "There is no such build", "%s has no build %d; see: examen dataset builds %s", name,
			number, name,
		)
	case builds[at].DroppedAt != nil:
		return nil, problem.New(
			409, "build-gone", "The build is not kept any more",
			"Build %d of %s was removed on %s: the five latest are kept besides the one in use.", number, name,
			builds[at].DroppedAt.UTC().Format("2 January 2006"),
		)
	}
	defer l.records.Changed(records.PapersChanged) // after the write
	err = l.records.Together(ctx, func(t *records.Transaction) error {
		if err := t.UseBuild(ctx, query.UseBuildParams{ID: row.Dataset.ID, BuildID: &builds[at].ID}); err != nil {
			return err
		}
		if err := l.inspectWritten(ctx, t, row.Dataset.ID); err != nil {
			return err
		}
		return t.Enqueue(ctx, records.Task{Kind: records.RenewReferences, ID: builds[at].ID})
	})
	if err != nil {
		return nil, err
	}
	return l.Dataset(ctx, who, name)
}
