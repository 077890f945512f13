package result

import (
	"bytes"
	"fmt"
	"strconv"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"github.com/cockroachdb/apd/v3"
)

// A Reading says how the cells of one column are brought to their canonical form. Both sides of a pair of columns must
// be read the same way, so a Reading is made from the two types; see [Pair].
type Reading struct {
	Family   Family
	Tag      string // keeps types apart that must not be equal to each other
	Decimals *int   // numbers are rounded to so many decimals, half away from zero
	Fold     bool   // text: upper and lower case are the same
	Trim     bool   // text: spaces at both ends mean nothing
	padded   bool   // char(n)
	verbatim bool   // a cell's text is its canonical form
	equal    map[string]string
	kind     Kind
	parts    []Reading // of what a nested type consists of

	// Of numbers.
	digits int     // significant digits that count; 0: all, the number is exact
	margin float64 // the part of its size by which a number may be off besides
	zero   float64 // what a number may be off besides, whatever its size
	long   bool    // only numbers that are written with more digits than people write are inexact
}

// Options are the parts of a comparison policy that concern single cells.
type Options struct {
	Decimals   *int
	Fold, Trim bool
	StrictTime bool              // a date, a timestamp and a timestamp with time zone differ from each other
	Precision  Precision         // of both columns
	Equal      map[string]string // texts for those that are equal to them
}

// Pair returns how to read two columns that are compared with each other, a for the one side and b for the other.
// Columns of families that cannot be compared get readings under which only NULL equals NULL.
func Pair(a, b Type, options Options) (ra, rb Reading) {
	fa, fb := a.Family(), b.Family()
	if fa == Float && fb == Number || fa == Number && fb == Float {
		fa, fb = Float, Float
	}
	reading := func(t Type, family Family) Reading {
		r := Reading{
			Family:   family,
			Decimals: options.Decimals,
			Fold:     options.Fold,
			Trim:     options.Trim,
			padded:   t.OID == oidBPChar,
			kind:     t.Kind,
			equal:    options.Equal,
		}
		r.setPrecision(a, b, options.Precision)
		switch {
		case fa != fb:
			r.Tag = string(family)
		case family == Nested && (a.Kind != b.Kind || len(a.Parts) != len(b.Parts)):
			r.Tag = string(t.Kind) + strconv.Itoa(len(t.Parts))
		case family == Exact, family == Unknown, family == Geometry, family == Instant && options.StrictTime:
			r.Tag = strconv.Itoa(int(t.OID))
		}
		return r
	}
	ra, rb = reading(a, fa), reading(b, fb)
	ra.verbatim, rb.verbatim = ra.isVerbatim(a), rb.isVerbatim(b)
	if fa == Nested && ra.Tag == rb.Tag {
		for i := range a.Parts {
			options.Equal = nil
			pa, pb := Pair(a.Parts[i], b.Parts[i], options)
			ra.parts, rb.parts = append(ra.parts, pa), append(rb.parts, pb)
		}
	}
	return ra, rb
}

// isVerbatim tells whether the text of every cell of a type is its canonical form.
func (r *Reading) isVerbatim(t Type) bool {
	switch r.Family {
	case Number:
		return r.Tag == "" && r.Decimals == nil && r.digits == 0 && t.OID != oidNumeric
	case Text:
		return r.Tag == "" && !r.Fold && !r.Trim && !r.padded && r.equal == nil
	}
	return r.Tag == "" && r.Family == Boolean
}

// String identifies the reading: two readings of the same string read alike.
func (r Reading) String() string {
	s := string(r.Family) + "/" + r.Tag
	for _, flag := range []struct {
		set  bool
		mark string
	}{{r.padded, "p"}, {r.Fold, "f"}, {r.Trim, "t"}} {
		if flag.set {
			s += flag.mark
		}
	}
	if r.digits > 0 {
		s += fmt.Sprintf("%d,%g,%g;", r.digits, r.margin, r.zero)
	}
	if r.Decimals != nil {
		s += strconv.Itoa(*r.Decimals)
	}
	if r.equal != nil {
		s += fmt.Sprintf("=%p", r.equal)
	}
	for _, part := range r.parts {
		s += "(" + part.String() + ")"
	}
	return s
}

// Comparable tells whether values of both readings' columns can be the same at all.
func Comparable(a, b Reading) bool {
	if a.Tag != b.Tag {
		return false
	}
	for i := range a.parts {
		if !Comparable(a.parts[i], b.parts[i]) {
			return false
		}
	}
	return true
}

// Append appends to dst the canonical form of a cell that is not NULL. Two cells that mean the same under the reading
// give the same bytes, but for numbers that are near.
func (r *Reading) Append(dst, cell []byte) []byte { return r.append(dst, cell, nil) }

// append leaves out the numbers that are inexact, and adds them to out, where there is one.
func (r *Reading) append(dst, cell []byte, out *inexact) []byte {
	if isBinary(cell) {
		return r.appendBinary(dst, cell, out)
	}
	if r.equal != nil {
		if equal, has := r.equal[string(cell)]; has {
			cell = []byte(equal)
		}
	}
	if r.Tag != "" {
		dst = append(dst, r.Tag...)
	}
	switch r.Family {
	case Number, Float:
		return r.appendNumber(dst, cell, out)
	case Text:
		return r.appendText(dst, cell)
	case Instant:
		return appendInstant(dst, cell)
	case Time:
		return appendTime(dst, cell)
	case Interval:
		return appendInterval(dst, cell)
	case JSON:
		return r.appendJSON(dst, cell, out)
	case Network:
		return appendNetwork(dst, cell)
	case Geometry:
		return r.appendGeometry(dst, cell, out)
	case Nested:
		return r.appendNested(dst, cell, out)
	}
	return append(dst, cell...)
}

func (r *Reading) appendText(dst, cell []byte) []byte {
	for r.padded && len(cell) > 0 && cell[len(cell)-1] == ' ' {
		cell = cell[:len(cell)-1]
	}
	if r.Trim {
		cell = bytes.TrimSpace(cell)
	}
	if !r.Fold {
		return append(dst, cell...)
	}
	for _, c := range string(cell) {
		dst = utf8.AppendRune(dst, unicode.ToLower(unicode.ToUpper(c)))
	}
	return dst
}

// appendInstant writes a date as its midnight; with the session in UTC a timestamp with time zone ends in "+00".
func appendInstant(dst, cell []byte) []byte {
	n := len(cell)
	bc := n > 3 && cell[n-1] == 'C'
	if bc {
		n -= len(" BC")
	}
	if n > 3 && cell[n-3] == '+' {
		n -= len("+00")
	}
	cell = cell[:n]
	dst = append(dst, cell...)
	if (n < 3 || cell[n-3] != ':' && bytes.IndexByte(cell, ':') < 0) && !bytes.HasSuffix(cell, []byte("infinity")) {
		dst = append(dst, " 00:00:00"...)
	}
	if bc {
		dst = append(dst, " BC"...)
	}
	return dst
}

// DaysApart is how many whole days the instant a is after b; ok is false where they are not whole days apart, or no
// instants.
func DaysApart(a, b []byte) (days int, ok bool) {
	x, errX := instant(a)
	y, errY := instant(b)
	apart := x.Sub(y)
	return int(apart / (24 * time.Hour)), errX == nil && errY == nil && apart%(24*time.Hour) == 0
}

func instant(cell []byte) (time.Time, error) {
	s := strings.TrimSuffix(string(cell), "+00")
	if len(s) == len(time.DateOnly) {
		return time.Parse(time.DateOnly, s)
	}
	return time.Parse("2006-01-02 15:04:05.999999", s)
}

// appendTime writes a time of day as its instant in UTC: a zone is taken off. With the session in UTC, time without
// zone is in it.
func appendTime(dst, cell []byte) []byte {
	at := bytes.LastIndexAny(cell, "+-")
	if at < 1 {
		return append(dst, cell...)
	}
	micros, ok := clock(string(cell[:at]))
	zone := string(cell[at:])
	for strings.Count(zone, ":") < 2 {
		zone += ":00"
	}
	offset, okZone := clock(zone)
	if !ok || !okZone {
		return append(dst, cell...)
	}
	if micros != day { // 24:00:00 is a time of its own
		micros = ((micros-offset)%day + day) % day
	}
	dst = fmt.Appendf(dst, "%02d:%02d:%02d", micros/(3600*second), micros/(60*second)%60, micros/second%60)
	if fraction := micros % second; fraction > 0 {
		dst = append(dst, strings.TrimRight(fmt.Sprintf(".%06d", fraction), "0")...)
	}
	return dst
}

// Microseconds in the units of an interval; a month counts as 30 days, as in PostgreSQL's own comparison of intervals.
const (
	second = int64(1_000_000)
	day    = 24 * 60 * 60 * second
	month  = 30 * day
)

// appendInterval writes an interval as its microseconds. It reads the style "postgres": 1 year 2 mons -3 days
// 04:05:06.7.
func appendInterval(dst, cell []byte) []byte {
	var total apd.BigInt
	add := func(n, unit int64) {
		var x, u apd.BigInt
		total.Add(&total, x.Mul(x.SetInt64(n), u.SetInt64(unit)))
	}
	fields := strings.Fields(string(cell))
	for i := 0; i < len(fields); i++ {
		if strings.Contains(fields[i], ":") {
			micros, ok := clock(fields[i])
			if !ok {
				return append(dst, cell...)
			}
			add(micros, 1)
			continue
		}
		n, err := strconv.ParseInt(fields[i], 10, 64)
		if err != nil || i+1 == len(fields) {
			return append(dst, cell...)
		}
		i++
		switch strings.TrimSuffix(fields[i], "s") {
		case "year":
			add(n, 12*month)
		case "mon":
			add(n, month)
		case "day":
			add(n, day)
		default:
			return append(dst, cell...)
		}
	}
	return total.Append(dst, 10)
}

// clock reads [-+]hours:minutes:seconds[.fraction] as microseconds.
func clock(s string) (int64, bool) {
	sign := int64(1)
	if s == "" {
		return 0, false
	}
	if s[0] == '-' || s[0] == '+' {
		if s[0] == '-' {
			sign = -1
		}
		s = s[1:]
	}
	parts := strings.Split(s, ":")
	if len(parts) != 3 {
		return 0, false
	}
	whole, fraction, _ := strings.Cut(parts[2], ".")
	h, errH := strconv.ParseInt(parts[0], 10, 64)
	m, errM := strconv.ParseInt(parts[1], 10, 64)
	sec, errS := strconv.ParseInt(whole, 10, 64)
	micros, errF := strconv.ParseInt((fraction + "000000")[:6], 10, 64)
	if errH != nil || errM != nil || errS != nil || errF != nil {
		return 0, false
	}
	return sign * ((h*60+m)*60*second + sec*second + micros), true
}
