package practice

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"github.com/jackc/pgx/v5/pgconn"

	"examen/internal/core/script"
)

// INSERTs of single rows are prepared, once for each shape: the server then reads only the values. Whatever is not
// certain to come to the same is sent as it is written; and where anything fails, the whole batch is sent again as it
// is written, so that what an error says, and what is an error, is what the scripts' own text comes to.

// fewestRows is how many INSERTs of one shape a batch has at least for that to be worth a round trip.
const fewestRows = 50

// Types of which a number that is written out means the same as it does as a value of the type.
var numberTypes = map[uint32]script.ValueKind{ // the most exact kind of number
	20: script.IntegerValue, 21: script.IntegerValue, 23: script.IntegerValue, // bigint, smallint, integer
	700: script.DecimalValue, 701: script.DecimalValue, 1700: script.DecimalValue, // real, double precision, numeric
}

const (
	oidBoolean  = 16
	oidInterval = 1186 // a text is read by the column's own fields
)

// fits tells whether a value that is written out means the same as a value of a type.
func fits(value script.Value, oid uint32) bool {
	switch value.Kind {
	case script.NullValue:
		return true
	case script.BooleanValue:
		return oid == oidBoolean
	case script.IntegerValue, script.DecimalValue:
		return value.Kind <= numberTypes[oid]
	}
	return oid != oidInterval
}

// sendRows sends the batch, its single rows by their shapes where many have the same. It is not sent if that is less
// than half of it, or a shape cannot be prepared.
func (s *setup) sendRows(ctx context.Context) (sent bool, err error) {
	inserts := make([]script.Insert, len(s.batch))
	of := map[script.Shape]int{} // how many have it
	for i, item := range s.batch {
		if insert, ok := script.ReadInsert(item.Text); ok {
			inserts[i] = insert
			of[insert.Shape]++
		}
	}
	rows := 0
	for _, n := range of {
		if n >= fewestRows {
			rows += n
		}
	}
	if rows == 0 || rows < len(s.batch)/2 {
		return false, nil
	}
	for _, insert := range inserts {
		if s.shapes[insert.Shape] != nil || of[insert.Shape] < fewestRows {
			continue
		}
		if err := s.prepare(ctx, insert.Shape); err != nil {
			var reported *pgconn.PgError
			if errors.As(err, &reported) { // it comes again from the text
				return false, s.exec(ctx, takeBack)
			}
			return false, err
		}
	}
	values := make([][][]byte, len(s.batch))
	rows = 0
	for i, insert := range inserts {
		var ok bool
		if values[i], ok = valuesOf(insert, s.shapes[insert.Shape]); ok {
			rows++
		}
	}
	if rows < len(s.batch)/2 {
		return false, nil
	}
	pipeline := s.conn.StartPipeline(ctx)
	for _, name := range s.stale {
		pipeline.SendDeallocate(name)
	}
	s.stale = nil
	for i, item := range s.batch {
		if values[i] != nil {
			pipeline.SendQueryStatement(s.shapes[inserts[i].Shape], values[i], nil, nil)
		} else {
			pipeline.SendQueryParams(item.Text, nil, nil, nil, nil)
		}
	}
	pipeline.SendQueryParams(release, nil, nil, nil, nil)
	pipeline.SendPipelineSync()
	s.rows = pipeline
	return true, pipeline.Flush()
}

// valuesOf gives an INSERT's values as those of its shape; ok is false where one may come to something else.
func valuesOf(insert script.Insert, shape *pgconn.StatementDescription) (values [][]byte, ok bool) {
	if shape == nil || insert.Values == nil {
		return nil, false
	}
	values = make([][]byte, len(insert.Values))
	for i, value := range insert.Values {
		if !fits(value, shape.ParamOIDs[i]) {
			return nil, false
		}
		values[i] = value.Text // nil of NULL
	}
	return values, true
}

// prepare prepares a shape.
func (s *setup) prepare(ctx context.Context, shape script.Shape) error {
	var sql strings.Builder
	sql.WriteString(shape.Before)
	for i := range shape.Values {
		fmt.Fprintf(&sql, "%c$%d", "(,"[min(i, 1)], i+1)
	}
	sql.WriteString(")")
	s.prepared++
	described, err := s.conn.Prepare(ctx, fmt.Sprintf("examen_%d", s.prepared), sql.String(), nil)
	if err == nil {
		s.shapes[shape] = described
	}
	return err
}

// forget has shapes prepared anew: another statement may have changed what their tables are.
func (s *setup) forget() {
	for _, shape := range s.shapes {
		s.stale = append(s.stale, shape.Name)
	}
	clear(s.shapes)
}

// readRows reads what came of rows that were sent by their shapes. It returns an error of the connection alone; failed
// tells that the server refused one.
func (s *setup) readRows() (inserted int64, failed bool, err error) {
	pipeline := s.rows
	s.rows = nil
	for {
		results, err := pipeline.GetResults()
		var tag pgconn.CommandTag
		if reader, ok := results.(*pgconn.ResultReader); ok && err == nil {
			tag, err = reader.Close()
		}
		var reported *pgconn.PgError
		switch {
		case errors.As(err, &reported):
			failed = true
		case err != nil:
			return 0, false, errors.Join(err, pipeline.Close())
		}
		inserted += tag.RowsAffected()
		if _, ended := results.(*pgconn.PipelineSync); ended || failed {
			break
		}
	}
	if err := pipeline.Close(); err != nil {
		var reported *pgconn.PgError
		if !errors.As(err, &reported) {
			return 0, false, err
		}
		failed = true
	}
	return inserted, failed, nil
}
