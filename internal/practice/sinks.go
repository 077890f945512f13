package practice

import (
	"fmt"

	"examen/internal/core/result"
)

// A Collector is a sink that keeps rows up to a limit: at most MostRows rows, with at most MostBytes bytes in all their
// cells.
type Collector struct {
	MostRows, MostBytes int

	Columns []result.Column
	Rows    []result.Row
	// there were more rows; those that are kept are the first
	Over bool

	size   int
	copier result.Copier
}

// Begin takes the columns. What was kept of an earlier beginning is forgotten.
func (c *Collector) Begin(columns []result.Column) error {
	c.Columns, c.Rows, c.size, c.Over = columns, nil, 0, false
	return nil
}

// Row keeps a copy of the row.
func (c *Collector) Row(row result.Row) error {
	if c.Over {
		return nil
	}
	size := row.Size()
	if len(c.Rows) >= c.MostRows || c.size+size > c.MostBytes {
		c.Over = true
		return nil
	}
	c.size += size
	c.Rows = append(c.Rows, c.copier.Copy(row))
	return nil
}

// ErrAnew is the error of a run that started over after some of its rows had been passed on.
var ErrAnew = fmt.Errorf("%w: it lost the session in the middle of a result", ErrUnavailable)

// Each returns a sink that passes rows on. If the run starts over after some rows have been passed on, it fails with
// [ErrAnew].
func Each(yield func(result.Row) error) Sink { return &each{yield: yield} }

type each struct {
	yield  func(result.Row) error
	handed bool
}

func (e *each) Begin([]result.Column) error {
	if e.handed {
		return ErrAnew
	}
	return nil
}

func (e *each) Row(row result.Row) error {
	e.handed = true
	return e.yield(row)
}
