package library

import (
	"context"
	"io/fs"
	"time"

	"examen/internal/account"
	"examen/internal/problem"
	"examen/internal/records"
)

// A LoadedPack is a pack in a list.
type LoadedPack struct {
	Name, Title      string
	Loaded           time.Time
	Datasets, Papers int // that came with it
}

// Packs lists the packs that are loaded.
func (l *Library) Packs(ctx context.Context, who account.Account) ([]LoadedPack, error) {
	if err := who.May(account.Prepare); err != nil {
		return nil, err
	}
	rows, err := l.records.ListPacks(ctx)
	all := []LoadedPack{}
	for _, row := range rows {
		all = append(all, LoadedPack{row.Name, row.Title, row.LoadedAt, int(row.Datasets), int(row.Papers)})
	}
	return all, err
}

// PackFiles returns the files of a pack as they were loaded, byte for byte, and their paths.
func (l *Library) PackFiles(ctx context.Context, who account.Account, name string) (fs.FS, []string, error) {
	if err := who.May(account.Prepare); err != nil {
		return nil, nil, err
	}
	pack, err := l.records.PackByName(ctx, name)
	if records.Missing(err) {
		return nil, nil, problem.New(404, "no-pack", "There is no such pack",
			"No pack called %.80q is loaded; examen pack list names those that are.", name)
	} else if err != nil {
		return nil, nil, err
	}
	return l.records.Files(ctx, pack.JobID)
}
