package work

import (
	"context"
	"strconv"
	"time"

	"examen/internal/account"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// A Text is SQL that somebody keeps under a name of their own, and that belongs to no exercise.
type Text struct {
	ID, Name, Dataset, SQL string
	Kept                   time.Time
	Revision               int64 // rises with each change
}

// mostTexts is how many texts an account can keep.
const mostTexts = 1000

// A NewText is a text to be kept. If it names a revision, the text that is kept must still have that revision.
type NewText struct {
	Name, Dataset, SQL string
	Revision           *int64
}

// Texts lists an account's texts, the one changed last first.
func (w *Work) Texts(ctx context.Context, who account.Account) ([]Text, error) {
	rows, err := w.records.OwnTexts(ctx, who.ID)
	all := []Text{}
	for _, row := range rows {
		all = append(all, Text{strconv.FormatInt(row.ID, 10), row.Name, row.Dataset, row.Sql, row.KeptAt, row.Revision})
	}
	return all, err
}

// AddText keeps a text.
func (w *Work) AddText(ctx context.Context, who account.Account, t NewText) (*Text, error) {
	dataset, err := w.admitText(ctx, who, &t)
	if err != nil {
		return nil, err
	}
	row, err := w.records.CreateOwnText(ctx, query.CreateOwnTextParams{
		AccountID: who.ID, DatasetID: dataset, Name: t.Name, Sql: t.SQL, Most: mostTexts,
	})
	if records.Missing(err) {
		return nil, problem.New(409, "texts", "There are too many texts",
			"%d texts can be kept: remove one first.", mostTexts)
	}
	return keptText(row, t.Dataset, err)
}

// KeepText keeps a text in place of what was kept.
func (w *Work) KeepText(ctx context.Context, who account.Account, id string, t NewText) (*Text, error) {
	number, err := w.ownText(ctx, who, id)
	if err != nil {
		return nil, err
	}
	dataset, err := w.admitText(ctx, who, &t)
	if err != nil {
		return nil, err
	}
	row, err := w.records.KeepOwnText(ctx, query.KeepOwnTextParams{
		ID: number, AccountID: who.ID, DatasetID: dataset, Name: t.Name, Sql: t.SQL, Revision: t.Revision,
	})
	if records.Missing(err) {
		return nil, problem.New(409, "text-changed", "The text was changed elsewhere",
			"Another window or device has saved a later version of %q. Look at that one first, or keep yours under "+
				"another name.", t.Name)
	}
	return keptText(row, t.Dataset, err)
}

// RemoveText removes a text.
func (w *Work) RemoveText(ctx context.Context, who account.Account, id string) error {
	number, err := w.ownText(ctx, who, id)
	if err == nil {
		_, err = w.records.RemoveOwnText(ctx, query.RemoveOwnTextParams{ID: number, AccountID: who.ID})
	}
	return err
}

// ownText finds a text of the account.
func (w *Work) ownText(ctx context.Context, who account.Account, id string) (int64, error) {
	number, err := strconv.ParseInt(id, 10, 64)
	if err == nil {
		has, err := w.records.HasOwnText(ctx, query.HasOwnTextParams{ID: number, AccountID: who.ID})
		if has || err != nil {
			return number, err
		}
	}
	return 0, problem.New(404, "no-text", "There is no such text", "You keep no text %.80q.", id)
}

// admitText checks a text that is to be kept, and returns the number of its dataset.
func (w *Work) admitText(ctx context.Context, who account.Account, t *NewText) (dataset int64, err error) {
	if t.Name, err = ownName(t.Name); err != nil {
		return 0, err
	}
	if t.Name == "" {
		return 0, problem.New(422, "name", "The text has no name", "Give it a name by which you find it again.")
	}
	if err := checkText(t.SQL); err != nil {
		return 0, err
	}
	if err := w.accounts.Throttle().AdmitText(who, len(t.SQL)); err != nil {
		return 0, err
	}
	if _, err := w.library.Readable(ctx, who, t.Dataset); err != nil {
		return 0, err
	}
	d, err := w.records.DatasetByName(ctx, t.Dataset)
	return d.ID, err
}

func keptText(row query.OwnText, dataset string, err error) (*Text, error) {
	if records.Taken(err) {
		return nil, problem.New(409, "text-taken", "There is a text of this name already",
			"Choose another name, or change the one that there is.")
	} else if err != nil {
		return nil, err
	}
	return &Text{strconv.FormatInt(row.ID, 10), row.Name, dataset, row.Sql, row.KeptAt, row.Revision}, nil
}
