package practice

import (
	"encoding/binary"
	"math"
	"strconv"
	"time"

	"github.com/jackc/pgx/v5/pgconn"

	"examen/internal/core/result"
)

// Dates and timestamps are what the server takes longest to write as text. Of a large result they are asked for in the
// binary format (PostgreSQL's src/backend/utils/adt, date_send and timestamp_send) and written here, as the server
// would have with [result.Settings].
const (
	oidDate        = 1082
	oidTimestamp   = 1114
	oidTimestamptz = 1184
	binaryFormat   = 1
)

// formats are the formats to ask for a result's columns in; nil where all come as text.
func formats(columns []pgconn.FieldDescription) []int16 {
	all := make([]int16, len(columns))
	some := false
	for i, c := range columns {
		if c.DataTypeOID == oidDate || c.DataTypeOID == oidTimestamp || c.DataTypeOID == oidTimestamptz {
			all[i], some = binaryFormat, true
		}
	}
	if !some {
		return nil
	}
	return all
}

// A rewriter writes the binary cells of rows as text.
type rewriter struct {
	types  []uint32 // of each column; 0 where its cells are text
	buffer []byte
}

func newRewriter(columns []pgconn.FieldDescription) *rewriter {
	w := &rewriter{types: make([]uint32, len(columns))}
	some := false
	for i, c := range columns {
		if c.Format == binaryFormat {
			w.types[i], some = c.DataTypeOID, true
		}
	}
	if !some {
		return nil
	}
	return w
}

// row rewrites a row in place. Its cells may be used until the next.
func (w *rewriter) row(row result.Row) {
	w.buffer = w.buffer[:0]
	if need := len(row) * longestInstant; cap(w.buffer) < need {
		w.buffer = make([]byte, 0, need) // large enough for all, so that the cells written before stay where they are
	}
	for i, t := range w.types {
		if t == 0 || row[i] == nil {
			continue
		}
		start := len(w.buffer)
		w.buffer = appendInstant(w.buffer, t, row[i])
		row[i] = w.buffer[start:len(w.buffer):len(w.buffer)]
	}
}

const (
	longestInstant = len("294276-12-31 23:59:59.999999+00 BC")
	microsOfDay    = 24 * 60 * 60 * 1_000_000
	epoch          = 10_957 // days from 1970-01-01 to 2000-01-01, which the server counts from
)

// appendInstant appends the text of a date or a timestamp.
func appendInstant(dst []byte, oid uint32, cell []byte) []byte {
	var days, micros int64
	switch {
	case oid == oidDate && len(cell) == 4:
		days = int64(int32(binary.BigEndian.Uint32(cell)))
		if days == math.MaxInt32 || days == math.MinInt32 {
			return appendInfinity(dst, days)
		}
	case len(cell) == 8:
		micros = int64(binary.BigEndian.Uint64(cell))
		if micros == math.MaxInt64 || micros == math.MinInt64 {
			return appendInfinity(dst, micros)
		}
		days, micros = micros/microsOfDay, micros%microsOfDay
		if micros < 0 {
			days, micros = days-1, micros+microsOfDay
		}
	default:
		return append(dst, cell...)
	}
	year, month, day := dateOf(days)
	bc := year < 1
	if bc {
		year = 1 - year
	}
	if year < 10_000 {
		dst = append(appendTwo(appendTwo(dst, year/100), year%100), '-')
	} else {
		dst = append(strconv.AppendInt(dst, year, 10), '-')
	}
	dst = appendTwo(append(appendTwo(dst, month), '-'), day)
	if oid != oidDate {
		seconds := micros / 1_000_000
		dst = appendTwo(append(dst, ' '), seconds/3600)
		dst = appendTwo(append(dst, ':'), seconds/60%60)
		dst = appendTwo(append(dst, ':'), seconds%60)
		if fraction := micros % 1_000_000; fraction > 0 {
			dst = append(dst, '.')
			for unit := int64(100_000); fraction > 0; unit /= 10 {
				dst = append(dst, byte('0'+fraction/unit))
				fraction %= unit
			}
		}
		if oid == oidTimestamptz {
			dst = append(dst, "+00"...)
		}
	}
	if bc {
		dst = append(dst, " BC"...)
	}
	return dst
}

func appendInfinity(dst []byte, sign int64) []byte {
	if sign < 0 {
		dst = append(dst, '-')
	}
	return append(dst, "infinity"...)
}

func appendTwo(dst []byte, n int64) []byte { return append(dst, byte('0'+n/10), byte('0'+n%10)) }

// dateOf is the date so many days after 2000-01-01 in the proleptic Gregorian calendar, year 0 being 1 BC.
func dateOf(days int64) (year, month, day int64) {
	y, m, d := time.Unix((days+epoch)*24*60*60, 0).UTC().Date()
	return int64(y), int64(m), int64(d)
}
