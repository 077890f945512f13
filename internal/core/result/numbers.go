package result

import (
	"bytes"
	"math"
	"strconv"

	"github.com/cockroachdb/apd/v3"
)

// How many significant digits of numbers count that are not exact: of floats and of what is calculated with more digits
// than anybody writes, and of what comes of type real.
const (
	SignificantDigits = 12
	realDigits        = 6
	longNumber        = 16 // PostgreSQL gives a quotient at least so many digits (NUMERIC_MIN_SIG_DIGITS)
)

// A Precision says how exact a column's numbers are, beyond what their type tells: by what they come of.
type Precision struct {
	Quotient  bool    // a division, an average or a float has a part in them: numerics, too, are not exact
	Real      bool    // a number of type real has
	SumOfReal int64   // reals are added up as such, so many of them
	Size      float64 // of the largest numbers that were added or subtracted; 0 where none were, or it is not known
}

// And is the precision of a pair of columns.
func (p Precision) And(q Precision) Precision {
	return Precision{p.Quotient || q.Quotient, p.Real || q.Real, max(p.SumOfReal, q.SumOfReal), max(p.Size, q.Size)}
}

// setPrecision says how exact the numbers of two columns are.
func (r *Reading) setPrecision(a, b Type, p Precision) {
	number := func(t Type) bool { return t.Family() == Number || t.Family() == Float }
	calculated := p.Quotient || p.Real
	switch {
	case r.Family == JSON:
		r.digits, r.long = SignificantDigits, true
	case r.Family == Geometry:
		r.digits = SignificantDigits
	case !number(a) || !number(b):
		return
	case p.Real && (a.inexact() || b.inexact()), a.OID == oidFloat4, b.OID == oidFloat4:
		r.digits = realDigits
	case a.Family() == Float, b.Family() == Float, calculated && (a.inexact() || b.inexact()):
		r.digits = SignificantDigits
	default:
		return
	}
	if p.Size > 0 { // in powers of ten, so that many queries have the same
		r.zero = math.Pow10(int(math.Ceil(math.Log10(p.Size))) - r.digits)
	}
	if r.digits == realDigits {
		r.margin = 6e-6 // of what was written with six digits and calculated with
	}
	if p.SumOfReal > 0 { // each addition rounds to 24 bits, up or down
		r.margin = max(r.margin, min(4*math.Sqrt(float64(p.SumOfReal))*math.Pow(2, -24), 0.01))
	}
}

// inexact tells whether a type's values can have more digits than people write.
func (t Type) inexact() bool { return t.OID == oidNumeric || t.Family() == Float }

// Inexact tells whether cells may mean the same although their canonical forms differ; see [Reading.Near].
func (r Reading) Inexact() bool {
	if r.digits > 0 {
		return true
	}
	for _, part := range r.parts {
		if part.Inexact() {
			return true
		}
	}
	return false
}

// inexact are the numbers of a cell that are not exact.
type inexact struct {
	texts    [][]byte
	readings []*Reading
}

// Inexactly appends a cell's canonical form without the numbers that are not exact, and gives the first of these, if
// there is one.
func (r *Reading) Inexactly(dst, cell []byte) (rest []byte, first float64, found bool) {
	var out inexact
	rest = appendCell(dst, cell, r, &out)
	if found = len(out.texts) > 0; found {
		first, _ = strconv.ParseFloat(string(out.texts[0]), 64)
	}
	return rest, first, found
}

// Reach is how far numbers that are near to one may be from it, at most.
func (r Reading) Reach(number float64) float64 {
	reach := max(math.Abs(number)*max(r.margin, 2*math.Pow10(-max(r.digits, 1)+1)), r.zero)
	if r.Decimals != nil {
		reach = max(reach, math.Pow10(-*r.Decimals))
	}
	for _, part := range r.parts {
		reach = max(reach, part.Reach(number))
	}
	return reach
}

// Near tells whether two cells are the same but for the digits of numbers that do not count, also where rounding them
// puts them on different sides of a boundary.
func (r *Reading) Near(a, b []byte) bool {
	a, b = appendText(nil, a), appendText(nil, b)
	if r.Family == Number || r.Family == Float {
		return r.digits > 0 && isFinite(a) && isFinite(b) && r.nearNumber(a, b)
	}
	if !r.Inexact() {
		return false
	}
	var inA, inB inexact
	if !bytes.Equal(r.append(nil, a, &inA), r.append(nil, b, &inB)) || len(inA.texts) != len(inB.texts) {
		return false
	}
	for i, reading := range inA.readings {
		if !reading.nearNumber(inA.texts[i], inB.texts[i]) {
			return false
		}
	}
	return true
}

// nearNumber tells whether two finite numbers are the same as far as their digits count: they differ by no more than
// half a unit of the last one, or round alike to the decimals that are asked for. A number that lies between two of
// those rounds either way: it may have come to lie there by rounding.
func (r *Reading) nearNumber(a, b []byte) bool {
	x, errX := strconv.ParseFloat(string(a), 64)
	y, errY := strconv.ParseFloat(string(b), 64)
	if errX != nil || errY != nil {
		return false
	}
	if r.long && !isLong(a) && !isLong(b) {
		return bytes.Equal(r.exactly(nil, a), r.exactly(nil, b))
	}
	large := max(math.Abs(x), math.Abs(y))
	if large == 0 {
		return true
	}
	lastDigit := math.Pow10(int(math.Floor(math.Log10(large))) - r.digits + 1)
	margin := max(lastDigit/2, r.margin*large, r.zero)
	if math.Abs(x-y) <= margin {
		return true
	}
	if r.Decimals == nil {
		return false
	}
	unit := math.Pow10(-*r.Decimals)
	lowX, highX := roundings(x/unit, margin/unit)
	lowY, highY := roundings(y/unit, margin/unit)
	return lowX <= highY && lowY <= highX
}

// roundings are the whole numbers that a number rounds to which may be off by so much.
func roundings(x, margin float64) (low, high float64) {
	return math.Floor(x - margin + 0.5 - 1e-9), math.Floor(x + margin + 0.5 + 1e-9)
}

// isLong tells whether a number has more digits than people write, and not all of them before the point.
func isLong(cell []byte) bool {
	digits, broken := 0, false
	for _, c := range cell {
		switch {
		case c >= '0' && c <= '9':
			digits++
		case c == '.':
			broken = true
		case c == 'e' || c == 'E':
			return true
		}
	}
	return broken && digits >= longNumber
}

// appendNumber writes a number as its value, as far as its digits count.
func (r *Reading) appendNumber(dst, cell []byte, out *inexact) []byte {
	if r.digits == 0 || !isFinite(cell) {
		return r.exactly(dst, cell)
	}
	if out != nil {
		out.texts, out.readings = append(out.texts, bytes.Clone(cell)), append(out.readings, r)
		return append(dst, 0xff)
	}
	if r.long && !isLong(cell) {
		return r.exactly(dst, cell)
	}
	if r.zero > 0 {
		if x, err := strconv.ParseFloat(string(cell), 64); err == nil && math.Abs(x) <= r.zero {
			return append(dst, '0')
		}
	}
	if r.long {
		cell = bytes.ToLower(cell) // JSON has 1E9, too
	}
	if r.Decimals != nil || r.long { // in the form of those that are exact
		return r.appendDecimal(dst, appendRounded(make([]byte, 0, 24), cell, r.digits))
	}
	return appendRounded(dst, cell, r.digits)
}

// exactly writes a number with all its digits.
func (r *Reading) exactly(dst, cell []byte) []byte {
	if r.Decimals != nil || r.long {
		return r.appendDecimal(dst, cell)
	}
	point := bytes.IndexByte(cell, '.')
	if point < 0 {
		return append(dst, cell...) // an integer's text, NaN or an infinity is canonical as it is
	}
	end := len(cell)
	for cell[end-1] == '0' {
		end--
	}
	if end == point+1 {
		end = point
	}
	if cell = cell[:end]; end == 2 && cell[0] == '-' && cell[1] == '0' {
		cell = cell[1:]
	}
	return append(dst, cell...)
}

// appendDecimal rounds to the decimals that the reading asks for and writes a decimal number without zeros that say
// nothing.
func (r *Reading) appendDecimal(dst, cell []byte) []byte {
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
	switch {
	case d.IsZero():
		return append(dst, '0')
	case r.long: // never spelt out: 1e99999 is short
		return d.Append(dst, 'E')
	}
	return d.Append(dst, 'f')
}

func isFinite(cell []byte) bool {
	return len(cell) > 0 && (cell[len(cell)-1] >= '0' && cell[len(cell)-1] <= '9')
}

// appendRounded writes a decimal number, perhaps with an exponent after e, as its first digits, rounded half away from
// zero, and a power of ten: -0.00125 as -125e-5. It works on the text, which is several times as fast as reading the
// number.
func appendRounded(dst, cell []byte, significant int) []byte {
	whole, fraction, exponent := cell, []byte(nil), 0
	if at := bytes.IndexByte(cell, 'e'); at >= 0 {
		e, err := strconv.Atoi(string(cell[at+1:]))
		if err != nil {
			return append(dst, cell...) // larger than any number
		}
		whole, exponent = cell[:at], e
	}
	start := len(dst)
	if len(whole) > 0 && whole[0] == '-' {
		dst, whole = append(dst, '-'), whole[1:]
	}
	if at := bytes.IndexByte(whole, '.'); at >= 0 {
		whole, fraction = whole[:at], whole[at+1:]
	}
	whole = withoutZeros(whole)
	point := len(whole) // digits before it
	if point == 0 {
		point = -len(fraction)
		fraction = withoutZeros(fraction)
		point += len(fraction)
	}
	first, end := len(dst), len(dst)+significant
	dst = append(dst, whole[:min(len(whole), significant+1)]...)
	dst = append(dst, fraction[:min(len(fraction), end+1-len(dst))]...)
	if len(dst) > end { // one digit more than are kept, to round by
		up := dst[end] >= '5'
		if dst = dst[:end]; up {
			for len(dst) > first && dst[len(dst)-1] == '9' {
				dst = dst[:len(dst)-1]
			}
			if len(dst) == first {
				dst = append(dst, '0')
				point++
			}
			dst[len(dst)-1]++
		}
	}
	for len(dst) > first && dst[len(dst)-1] == '0' {
		dst = dst[:len(dst)-1]
	}
	if len(dst) == first {
		return append(dst[:start], '0')
	}
	exponent += point - (len(dst) - first)
	return strconv.AppendInt(append(dst, 'e'), int64(exponent), 10)
}

// withoutZeros is a text without those that it begins with.
func withoutZeros(text []byte) []byte {
	for i, c := range text {
		if c != '0' {
			return text[i:]
		}
	}
	return nil
}
