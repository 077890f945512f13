package library

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"

	"examen/internal/account"
	"examen/internal/core/marking"
	"examen/internal/core/pack"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// An Exercise is an exercise of a loaded paper in its current version.
type Exercise struct {
	ID      int64
	Version int64 // the number of the version in the records
	pack.Exercise
}

func exerciseOf(row query.ExerciseNow) (*Exercise, error) {
	e := &Exercise{ID: row.ID, Version: row.VersionID}
	e.Slug, e.Number, e.Title, e.Reference = row.Slug, int(row.Number), row.Title, row.Reference
	e.Points = marking.PointsOf(row.Points)
	err := errors.Join(json.Unmarshal(row.Blocks, &e.Blocks), json.Unmarshal(row.Checking, &e.Checking))
	if err != nil {
		return nil, fmt.Errorf("exercise %s: %w", row.Slug, err)
	}
	return e, nil
}

// A Paper is a loaded paper with its dataset's build in use.
type Paper struct {
	ID                   int64
	Slug, Title, Dataset string
	// Span is the paper's own, which holds for a course that sets no other.
	Span marking.Span
	// Published tells that it has been published: until then only those who write papers see it.
	Published bool
	// Build is the number of the build in the records, Number that among the dataset's builds.
	Build  int64
	Number int
	// Database and Variants are where the build is on the practice server.
	Database string
	Variants map[string]string
	// Changes tells that learners may change the dataset in all of the paper, each in a copy of their own.
	Changes bool
}

// Hidden returns the databases of the variants on which an exercise's attempts are checked.
func (p *Paper) Hidden(rules *pack.Checking) (databases []string) {
	for name, database := range p.Variants {
		if rules.OnVariant(name) {
			databases = append(databases, database)
		}
	}
	return databases
}

// Paper finds a paper by its slug. It does not check any right: the caller decides who may read it. If there is none,
// the error is the records': see [records.Missing].
func (l *Library) Paper(ctx context.Context, slug string) (*Paper, error) {
	if !records.IsText(slug) {
		slug = ""
	}
	row, err := l.records.PaperInUseBySlug(ctx, slug)
	if err != nil {
		return nil, err
	}
	p := &Paper{
		ID:       row.ID,
		Slug:     row.Slug,
		Title:    row.Title,
		Dataset:  row.Dataset,
		Build:    row.BuildID,
		Number:   int(row.BuildNumber),
		Database: row.Database,
		Variants: variantsOf(row.Variants),
		Changes:  row.Changes,
	}
	p.Span, p.Published = marking.SpanOf(row.OpensAt, row.DueAt), row.PublishedAt != nil
	return p, nil
}

// Exercise finds an exercise of a paper, by slug or number.
func (l *Library) Exercise(ctx context.Context, p *Paper, address string) (*Exercise, error) {
	if !records.IsText(address) {
		address = ""
	}
	row, err := l.records.ExerciseIn(ctx, query.ExerciseInParams{PaperID: p.ID, Address: address})
	if records.Missing(err) {
		return nil, problem.New(404, "no-exercise", "There is no such exercise",
			"The paper %q has no exercise %q: name one by its slug or its number.", p.Slug, address)
	} else if err != nil {
		return nil, err
	}
	return exerciseOf(row)
}

// Exercises returns a paper's exercises in order.
func (l *Library) Exercises(ctx context.Context, p *Paper) ([]*Exercise, error) {
	rows, err := l.records.PaperExercises(ctx, p.ID)
	if err != nil {
		return nil, err
	}
	var all []*Exercise
	for _, row := range rows {
		e, err := exerciseOf(row)
		if err != nil {
			return nil, err
		}
		all = append(all, e)
	}
	return all, nil
}

// Sections returns a paper's sections in order. Those that are exercises have only a slug.
func (l *Library) Sections(ctx context.Context, p *Paper) (sections []pack.Section, err error) {
	text, err := l.records.PaperSections(ctx, p.ID)
	if err != nil {
		return nil, err
	}
	return sections, json.Unmarshal(text, &sections)
}

// Pictures returns the digests of a paper's pictures, by the names that its Markdown gives them.
func (l *Library) Pictures(ctx context.Context, paper int64) (map[string]string, error) {
	rows, err := l.records.PaperPictures(ctx, paper)
	digests := map[string]string{}
	for _, row := range rows {
		digests[row.Name] = row.Digest
	}
	return digests, err
}

// A Picture is what a paper shows as one.
type Picture struct {
	MediaType string
	Content   []byte
}

// Picture returns a picture of a paper.
func (l *Library) Picture(ctx context.Context, paper int64, digest string) (*Picture, error) {
	row, err := l.records.Picture(ctx, query.PictureParams{PaperID: paper, Digest: digest})
	if records.Missing(err) {
		return nil, problem.New(404, "no-picture", "There is no such picture", "The paper shows no picture %q.", digest)
	} else if err != nil {
		return nil, err
	}
	return &Picture{row.MediaType, row.Content}, nil
}

// A Listed is a paper in the list of all papers.
type Listed struct {
	ID                   int64
	Slug, Title, Dataset string
	Span                 marking.Span // the paper's own
	Published            bool
	Exercises            int
	Points               marking.Points
}

// Papers lists all papers. Like [Library.Paper] it does not check any right.
func (l *Library) Papers(ctx context.Context) ([]Listed, error) {
	rows, err := l.records.ListPapers(ctx)
	var all []Listed
	for _, row := range rows {
		all = append(all, Listed{
			ID: row.ID, Slug: row.Slug, Title: row.Title, Dataset: row.Dataset,
			Span: marking.SpanOf(row.OpensAt, row.DueAt), Published: row.PublishedAt != nil,
			Exercises: int(row.Exercises), Points: marking.PointsOf(row.Points),
		})
	}
	return all, err
}

// Readable finds the database of a dataset that an account may read, and the course through which it may; nil for an
// account that prepares datasets.
func (l *Library) Readable(ctx context.Context, who account.Account, name string) (*Readable, error) {
	row, course, err := l.find(ctx, who, name)
	if err != nil {
		return nil, err
	}
	return &Readable{
		Build: row.Build.ID, Number: int(row.Build.Number), Database: row.Build.Database, Course: course,
		Changes: row.Dataset.Changes,
	}, nil
}

// A Readable says where queries on a dataset run.
type Readable struct {
	Build    int64 // its number in the records
	Number   int   // and among the dataset's builds
	Database string
	Course   *int64
	Changes  bool // learners may change it, each in a copy of their own
}
