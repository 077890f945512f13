package practice

import (
	"context"
	"errors"
	"fmt"
	"strconv"
	"strings"

	"examen/internal/core/result"
)

// equal is [Servers.Equal].
func equal(
	ctx context.Context, s *Servers, database string, texts []string, column result.Column,
) (map[string]string, error) {
	as := "::" + column.Type.Name
	if column.Collation != "" {
		as = " COLLATE " + column.Collation
	}
	var array strings.Builder
	escape := strings.NewReplacer(`\`, `\\`, `"`, `\"`, "'", "''")
	for i, text := range texts {
		if i > 0 {
			array.WriteByte(',')
		}
		array.WriteString(`"` + escape.Replace(text) + `"`)
	}
	answer := &Collector{MostRows: len(texts), MostBytes: 64 * (len(texts) + 1)}
	sql := fmt.Sprintf(
		"SELECT n, dense_rank() OVER (ORDER BY text%s) FROM unnest('{%s}'::text[]) WITH ORDINALITY AS t (text, n)", as,
		array.String(),
	)
	_, err := s.Run(ctx, Run{Database: database, Checking: true, SQL: sql}, answer)
	var reported *DatabaseError
	var stopped *Stopped
	switch {
	case errors.As(err, &reported), errors.As(err, &stopped):
		return nil, nil
	case err != nil:
		return nil, err
	}
	first, equal := map[string]string{}, map[string]string{}
	for _, row := range answer.Rows {
		n, _ := strconv.Atoi(string(row[0]))
		text, rank := texts[n-1], string(row[1])
		if _, has := first[rank]; !has {
			first[rank] = text
		}
		if first[rank] != text {
			equal[text] = first[rank]
		}
	}
	return equal, nil
}
