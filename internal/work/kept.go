package work

import (
	"context"
	"strconv"
	"strings"
	"unicode/utf8"

	"examen/internal/account"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// longestName is how many characters somebody's own name of an entry or a text may have.
const longestName = 200

// ownName returns a name as it is kept.
func ownName(name string) (string, error) {
	name = strings.TrimSpace(name)
	if !records.IsText(name) || utf8.RuneCountInString(name) > longestName {
		return "", problem.New(422, "name", "Invalid name", "A text of up to %d characters is expected.", longestName)
	}
	return name, nil
}

// ownEntry finds a run or an attempt of the account itself.
func (w *Work) ownEntry(ctx context.Context, who account.Account, entry string) (int64, error) {
	id, err := strconv.ParseInt(entry, 10, 64)
	if err == nil {
		var own bool
		own, err = w.records.OwnEntry(ctx, query.OwnEntryParams{ID: id, AccountID: who.ID})
		if err == nil && own {
			return id, nil
		} else if err != nil {
			return 0, err
		}
	}
	return 0, problem.New(404, "no-entry", "There is no such entry", "Your history has no run or attempt %.80q.", entry)
}

// KeepEntry keeps a run or an attempt in the account's history, with a name or "", or no longer.
func (w *Work) KeepEntry(ctx context.Context, who account.Account, entry string, kept bool, name string) error {
	id, err := w.ownEntry(ctx, who, entry)
	if err != nil {
		return err
	}
	if !kept {
		return w.records.UnkeepEntry(ctx, query.UnkeepEntryParams{AccountID: who.ID, EntryID: id})
	}
	if name, err = ownName(name); err != nil {
		return err
	}
	if err := w.accounts.Throttle().AdmitText(who, len(name)); err != nil {
		return err
	}
	return w.records.KeepEntry(ctx, query.KeepEntryParams{AccountID: who.ID, EntryID: id, Name: name})
}

// ClearRun takes a run out of the account's own history. Attempts stay.
func (w *Work) ClearRun(ctx context.Context, who account.Account, entry string) error {
	id, err := w.ownEntry(ctx, who, entry)
	if err != nil {
		return err
	}
	n, err := w.records.ClearRun(ctx, query.ClearRunParams{ID: id, AccountID: who.ID})
	if err == nil && n == 0 {
		err = problem.New(409, "no-run", "Only a run can be cleared",
			"What was submitted stays in the history, and a run is cleared once.")
	}
	return err
}

// ClearRuns takes the runs that the account does not keep out of its own history: all, or those of a paper or an
// exercise. It returns how many they were.
func (w *Work) ClearRuns(ctx context.Context, who account.Account, paper, exercise string) (int64, error) {
	var of query.HistoryParams
	if err := w.ofWhat(ctx, who, HistoryFilter{Paper: paper, Exercise: exercise}, &of); err != nil {
		return 0, err
	}
	return w.records.ClearRuns(ctx, query.ClearRunsParams{
		AccountID: who.ID, PaperID: of.PaperID, ExerciseID: of.ExerciseID,
	})
}
