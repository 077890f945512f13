package result

import (
	"bytes"
	"encoding/binary"
	"math"
	"math/big"
	"strconv"
)

// A cell of type double precision may come in its binary form: a NUL, which no text has, and the eight bytes that the
// server sends (float8send in PostgreSQL's src/backend/utils/adt/float.c). It means what the server's text of it would,
// and becomes that text where the row is copied.
const (
	binaryMark   = 0
	binaryLength = 1 + 8
	longestFloat = len("-2.2250738585072014e-308")
)

// AppendBinary appends the binary form of a double precision cell, of what the server sent.
func AppendBinary(dst, sent []byte) []byte { return append(append(dst, binaryMark), sent...) }

func isBinary(cell []byte) bool { return len(cell) == binaryLength && cell[0] == binaryMark }

func floatOf(cell []byte) float64 { return math.Float64frombits(binary.BigEndian.Uint64(cell[1:])) }

// appendText appends a cell's text.
func appendText(dst, cell []byte) []byte {
	if isBinary(cell) {
		return appendFloat(dst, floatOf(cell))
	}
	return append(dst, cell...)
}

// appendBinary appends the canonical form of a double precision cell in its binary form.
func (r *Reading) appendBinary(dst, cell []byte, out *inexact) []byte {
	x := floatOf(cell)
	if plain := r.Family == Float && r.Tag == "" && r.digits == SignificantDigits; plain &&
		out == nil && r.Decimals == nil && r.zero == 0 {
		if rounded, done := appendQuickly(dst, x); done {
			return rounded
		}
	}
	var buffer [longestFloat]byte
	return r.append(dst, appendFloat(buffer[:0], x), out)
}

// appendQuickly does for most floats what [appendRounded] does for their texts, with [SignificantDigits]. done is false
// where the float's size is unusual, or where it, its text and the product below, which differ from each other by less
// than a thousandth of the last digit, may be rounded differently.
func appendQuickly(dst []byte, x float64) (_ []byte, done bool) {
	const most = 1e12 // SignificantDigits of them
	size := math.Abs(x)
	// The power of ten of the first digit, or one less: log10(2) is 78913/2^18.
	power := (int(math.Float64bits(size)>>52) - 1023) * 78913 >> 18
	var y float64
	for y = most; y >= most; power++ {
		switch up := SignificantDigits - 1 - power; {
		case up >= len(exactPowers) || -up >= len(exactPowers):
			return dst, false
		case up < 0:
			y = size / exactPowers[-up]
		default:
			y = size * exactPowers[up]
		}
	}
	n := math.Floor(y)
	if rest := y - n; y < most/10 || y >= most-1 || math.Abs(rest-0.5) < 0.01 {
		return dst, false
	} else if rest > 0.5 {
		n++
	}
	digits, power := uint64(n), power-SignificantDigits
	for digits%10 == 0 {
		digits, power = digits/10, power+1
	}
	if x < 0 {
		dst = append(dst, '-')
	}
	dst = append(strconv.AppendUint(dst, digits, 10), 'e')
	return strconv.AppendInt(dst, int64(power), 10), true
}

// exactPowers are the powers of ten that are floats.
var exactPowers = [23]float64{
	1e0, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15, 1e16, 1e17, 1e18, 1e19, 1e20,
	1e21, 1e22,
}

// appendFloat appends the text of a double precision number that the server writes (double_to_shortest_decimal_buf in
// src/common/d2s.c): the shortest that means it and no other, and of those the nearest.
func appendFloat(dst []byte, x float64) []byte {
	const small, large, enough = 1e-4, 1e15, 17 // between which there is no exponent, and the digits that always do
	size, format := math.Abs(x), byte('f')
	switch {
	case math.IsNaN(x):
		return append(dst, "NaN"...)
	case math.IsInf(x, 0):
		if x < 0 {
			dst = append(dst, '-')
		}
		return append(dst, "Infinity"...)
	case size != 0 && size < small, size >= large:
		format = 'e'
	}
	start := len(dst)
	dst = strconv.AppendFloat(dst, x, format, -1, 64)
	// In two cases the server and Go write otherwise. Of two texts that are as near, the server takes the even one; Go
	// does so but for powers of two.
	if fraction, _ := math.Frexp(size); fraction == 0.5 {
		decimals := 0
		if at := bytes.IndexByte(dst[start:], '.'); at >= 0 {
			fraction := dst[start+at+1:]
			decimals = len(fraction) - len(bytes.TrimLeft(fraction, "0123456789"))
		}
		if even := strconv.AppendFloat(nil, x, format, decimals, 64); means(even, x) {
			dst = append(dst[:start], even...)
		}
	}
	// And a number half-way between two floats means the even one, but the server does without it. Below the large ones
	// such numbers have more digits than are ever needed.
	for n := 1; size >= large && n <= enough && isHalfway(dst[start:], x); n++ {
		if longer := strconv.AppendFloat(nil, x, format, n-1, 64); means(longer, x) {
			dst = append(dst[:start], longer...)
		}
	}
	return dst
}

func means(text []byte, x float64) bool {
	y, err := strconv.ParseFloat(string(text), 64)
	return err == nil && y == x
}

// isHalfway tells whether a number lies half-way between a large float and the next, on either side.
func isHalfway(text []byte, x float64) bool {
	exact := func(x float64) *big.Float { return new(big.Float).SetPrec(longestInteger).SetFloat64(x) }
	number, _, err := big.ParseFloat(string(text), 10, longestInteger, big.ToNearestEven)
	for _, towards := range []float64{math.Inf(-1), math.Inf(1)} {
		next := math.Nextafter(x, towards)
		if err == nil && !math.IsInf(next, 0) {
			twice := exact(x)
			if twice.Add(twice, exact(next)).Cmp(new(big.Float).Add(number, number)) == 0 {
				return true
			}
		}
	}
	return false
}

// longestInteger is how many bits the integers have that are large floats, and more.
const longestInteger = 1100
