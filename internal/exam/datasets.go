package exam

import (
	"context"
	"encoding/json"
	"slices"

	"examen/internal/practice"
)

// A Dataset is a dataset in its build in use.
type Dataset struct {
	Name, Title string
	Build       int
	practice.Catalogue
}

// Datasets lists the datasets that the account may read.
func (s *Service) Datasets(ctx context.Context, who Account) ([]Dataset, error) {
	rows, err := s.records.CurrentBuilds(ctx)
	if err != nil {
		return nil, err
	}
	var own []string
	if who.Role != Instructor {
		if own, err = s.records.LearnerDatasets(ctx, who.ID); err != nil {
			return nil, err
		}
	}
	list := []Dataset{}
	for _, row := range rows {
		if who.Role != Instructor && !slices.Contains(own, row.Dataset.Name) {
			continue
		}
		d := Dataset{Name: row.Dataset.Name, Title: row.Dataset.Title, Build: int(row.Build.Number)}
		if err := json.Unmarshal(row.Build.Catalogue, &d.Catalogue); err != nil {
			return nil, err
		}
		list = append(list, d)
	}
	return list, nil
}

// Dataset returns one dataset with its tables.
func (s *Service) Dataset(ctx context.Context, who Account, name string) (*Dataset, error) {
	row, err := s.dataset(ctx, who, name)
	if err != nil {
		return nil, err
	}
	d := &Dataset{Name: row.Dataset.Name, Title: row.Dataset.Title, Build: int(row.Build.Number)}
	return d, json.Unmarshal(row.Build.Catalogue, &d.Catalogue)
}
