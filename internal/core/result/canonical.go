package result

import (
	"bytes"
	"math"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/cockroachdb/apd/v3"
)

// SignificantDigits is how many digits of a float count.
const SignificantDigits = 12

// A Reading says how the cells of one column are brought to their canonical form. Both sides of a pair of columns must
// be read the same way, so a Reading is made from the two types; see [Pair].
type Reading struct {
	Family   Family
	Tag      string // keeps types apart that must not be equal to each other
	Decimals *int   // numbers are rounded to so many decimals, half away from zero
	Fold     bool   // text: upper and lower case are the same
	Trim     bool   // text: spaces at both ends mean nothing
	padded   bool
}

// Options are the parts of a comparison policy that concern single cells.
type Options struct {
	Decimals   *int
	Fold, Trim bool
	StrictTime bool // a date, a timestamp and a timestamp with time zone differ from each other
}

// Pair returns how to read two columns that are compared with each other, a for the one side and b for the other.
// Columns of families that cannot be compared get readings under which only NULL equals NULL.
func Pair(a, b Type, options Options) (ra, rb Reading) {
	fa, fb := a.Family(), b.Family()
	if fa == Float && fb == Number || fa == Number && fb == Float {
		fa, fb = Float, Float
	}
	reading := func(t Type, family Family) Reading {
		r := Reading{Family: family, Decimals: options.Decimals, Fold: options.Fold, Trim: options.Trim, padded: t.padded()}
		switch {
		case fa != fb:
			r.Tag = string(family)
		case family == Other, family == Instant && options.StrictTime:
			r.Tag = strconv.Itoa(int(t.OID))
		}
		return r
	}
	return reading(a, fa), reading(b, fb)
}

// Append appends to dst the canonical form of a cell that is not NULL. Two cells that mean the same under the reading
// give the same bytes.
func (r Reading) Append(dst, cell []byte) []byte {
	dst = append(dst, r.Tag...)
	switch r.Family {
	case Number:
		return r.appendNumber(dst, cell)
	case Float:
		return r.appendFloat(dst, cell)
	case Text:
		return r.appendText(dst, cell)
	case Instant:
		return appendInstant(dst, cell)
	case Interval:
		return appendInterval(dst, cell)
	}
	return append(dst, cell...)
}

func (r Reading) appendNumber(dst, cell []byte) []byte {
	if r.Decimals == nil && bytes.IndexByte(cell, '.') < 0 {
		return append(dst, cell...) // an integer's text, NaN or an infinity is canonical as it is
	}
	return r.appendDecimal(dst, cell)
}

// appendDecimal rounds as the reading says and writes a decimal number without zeros that say nothing.
func (r Reading) appendDecimal(dst, cell []byte) []byte {
	if r.Decimals == nil && bytes.IndexByte(cell, 'e') < 0 { // PostgreSQL's own numeric text: only zeros to strip
		if bytes.IndexByte(cell, '.') >= 0 {
			cell = bytes.TrimRight(cell, "0")
			cell = bytes.TrimSuffix(cell, []byte("."))
		}
		if string(cell) == "-0" {
			cell = cell[1:]
		}
		return append(dst, cell...)
	}
	var d apd.Decimal
	if _, _, err := d.SetString(string(cell)); err != nil || d.Form != apd.Finite {
		return append(dst, cell...)
	}
	if r.Decimals != nil {
		context := apd.BaseContext.WithPrecision(uint32(d.NumDigits()) + 400)
		context.Rounding = apd.RoundHalfUp // half away from zero, as PostgreSQL's round(numeric, int)
		if d.Exponent < -int32(*r.Decimals) {
			context.Quantize(&d, &d, -int32(*r.Decimals))
		}
	}
	d.Reduce(&d)
	if d.IsZero() {
		return append(dst, '0')
	}
	return d.Append(dst, 'f')
}

// appendFloat rounds to [SignificantDigits]; exact numbers compared with floats come here too.
func (r Reading) appendFloat(dst, cell []byte) []byte {
	f, err := strconv.ParseFloat(string(cell), 64)
	if err != nil || math.IsNaN(f) || math.IsInf(f, 0) {
		return append(dst, cell...)
	}
	if r.Decimals != nil {
		return r.appendDecimal(dst, cell)
	}
	if f == 0 {
		return append(dst, '0')
	}
	return strconv.AppendFloat(dst, f, 'e', SignificantDigits-1, 64)
}

// Near tells whether two cells are the same number to the digits that count, also where rounding them puts them on
// different sides of a boundary. Anything but finite numbers is not near.
func (r Reading) Near(a, b []byte) bool {
	if r.Family != Float {
		return false
	}
	x, errX := strconv.ParseFloat(string(a), 64)
	y, errY := strconv.ParseFloat(string(b), 64)
	if errX != nil || errY != nil || math.IsNaN(x) || math.IsNaN(y) || math.IsInf(x, 0) || math.IsInf(y, 0) {
		return false
	}
	if x == 0 || y == 0 {
		return x == y
	}
	lastDigit := math.Pow(10, math.Floor(math.Log10(math.Abs(x)))-SignificantDigits+1)
	return math.Abs(x-y) <= lastDigit/2
}

func (r Reading) appendText(dst, cell []byte) []byte {
	if r.padded {
		cell = bytes.TrimRight(cell, " ")
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
	bc := bytes.HasSuffix(cell, []byte(" BC"))
	cell = bytes.TrimSuffix(cell, []byte(" BC"))
	cell = bytes.TrimSuffix(cell, []byte("+00"))
	dst = append(dst, cell...)
	if bytes.IndexByte(cell, ':') < 0 && !bytes.HasSuffix(cell, []byte("infinity")) {
		dst = append(dst, " 00:00:00"...)
	}
	if bc {
		dst = append(dst, " BC"...)
	}
	return dst
}

// Microseconds in the units of an interval; a month counts as 30 days, as in PostgreSQL's own comparison of intervals.
const (
	second = int64(1_000_000)
	day    = 24 * 60 * 60 * second
	month  = 30 * day
)

// appendInterval writes an interval as its microseconds. It reads the style "postgres": 1 year 2 mons -3 days 04:05:06.7.
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
