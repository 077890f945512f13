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
// would have with [result.Settings]. Floats come next; whoever can read them is given them as they come.
const (
	oidFloat8      = 701
	oidDate        = 1082
	oidTimestamp   = 1114
	oidTimestamptz = 1184
	binaryFormat   = 1
)

// formats are the formats to ask for a result's columns in; nil where all come as text.
func formats(columns []pgconn.FieldDescription, floats bool) []int16 {
	all := make([]int16, len(columns))
	some := false
	for i, c := range columns {
		switch c.DataTypeOID {
		case oidDate, oidTimestamp, oidTimestamptz:
			all[i], some = binaryFormat, true
		case oidFloat8:
			if floats {
				all[i], some = binaryFormat, true
			}
		}
	}
	if !some {
		return nil
	}
	return all
}

// A rewriter writes the binary cells of rows as text, but for floats, which it marks.
type rewriter struct {
	types  []uint32 // of each column; 0 where its cells are text
	buffer []byte
	dates  []date // of each column, the one that was written last
}

// A date is a day, counted from 2000-01-01, and its text.
type date struct {
	days int64
	text []byte
	bc   bool
}

func newRewriter(columns []pgconn.FieldDescription) *rewriter {
	w := &rewriter{types: make([]uint32, len(columns)), dates: make([]date, len(columns))}
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
		if t == oidFloat8 {
			w.buffer = result.AppendBinary(w.buffer, row[i])
		} else {
			w.buffer = w.dates[i].appendInstant(w.buffer, t, row[i])
		}
		row[i] = w.buffer[start:len(w.buffer):len(w.buffer)]
	}
}

const (
	longestInstant = len("294276-12-31 23:59:59.999999+00 BC")
	microsOfDay    = 24 * 60 * 60 * 1_000_000
	epoch          = 10_957 // days from 1970-01-01 to 2000-01-01, which the server counts from
)

// appendInstant appends the text of a date or a timestamp.
func (d *date) appendInstant(dst []byte, oid uint32, cell []byte) []byte {
	var days, micros int64
	switch {
	case oid == oidDate && len(cell) == 4:
		days = int64(int32(binary.BigEndian.Uint32(cell)))
		if days == math.MaxInt32 || days == math.MinInt32 {
			return appendInfinity(dst, days < 0)
		}
	case len(cell) == 8:
		micros = int64(binary.BigEndian.Uint64(cell))
		if micros == math.MaxInt64 || micros == math.MinInt64 {
			return appendInfinity(dst, micros < 0)
		}
		days, micros = micros/microsOfDay, micros%microsOfDay
		if micros < 0 {
			days, micros = days-1, micros+microsOfDay
		}
	default:
		return append(dst, cell...)
	}
	if days != d.days || d.text == nil { // many rows are often of one day
		d.set(days)
	}
	dst = append(dst, d.text...)
	if oid != oidDate {
		seconds := micros / 1_000_000
		hour, minute, second := seconds/3600, seconds/60%60, seconds%60
		dst = append(
			dst, ' ', digit(hour/10), digit(hour%10), ':', digit(minute/10), digit(minute%10), ':',
			digit(second/10), digit(second%10),
		)
		if fraction := micros % 1_000_000; fraction > 0 {
			dst = append(dst, '.')
			for unit := int64(100_000); fraction > 0; unit /= 10 {
				dst = append(dst, digit(fraction/unit))
				fraction %= unit
			}
		}
		if oid == oidTimestamptz {
			dst = append(dst, "+00"...)
		}
	}
	if d.bc {
		dst = append(dst, " BC"...)
	}
	return dst
}

// set takes a day, of the proleptic Gregorian calendar.
func (d *date) set(days int64) {
	year, month, day := time.Unix((days+epoch)*24*60*60, 0).UTC().Date()
	d.days, d.bc = days, year < 1
	if d.bc { // year 0 is 1 BC
		year = 1 - year
	}
	d.text = d.text[:0]
	if high := year / 100; high < 100 {
		d.text = append(d.text, digit(high/10), digit(high%10))
	} else {
		d.text = strconv.AppendInt(d.text, int64(high), 10)
	}
	low, m := year%100, int(month)
	d.text = append(
		d.text, digit(low/10), digit(low%10), '-', digit(m/10), digit(m%10), '-', digit(day/10), digit(day%10),
	)
}

func digit[N int | int64](n N) byte { return byte('0' + n) }

func appendInfinity(dst []byte, negative bool) []byte {
	if negative {
		dst = append(dst, '-')
	}
	return append(dst, "infinity"...)
}
