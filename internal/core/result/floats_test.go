package result_test

import (
	"encoding/binary"
	"fmt"
	"math"
	"math/rand/v2"
	"strconv"
	"testing"

	"examen/internal/core/result"
)

// A float means the same in its binary form as in the server's text of it, however it is read, and copying the row
// writes that text.
func TestFloatsInTheirBinaryForm(t *testing.T) {
	double := result.Type{OID: 701}
	two := 2
	var readings []result.Reading
	for _, options := range []result.Options{
		{}, {Decimals: &two}, {Precision: result.Precision{Size: 1e9}}, {Precision: result.Precision{Real: true}},
	} {
		for _, other := range []result.Type{double, {OID: 1700}, {OID: 25}} {
			reading, _ := result.Pair(double, other, options)
			readings = append(readings, reading)
		}
	}
	var copier result.Copier
	r := rand.New(rand.NewPCG(1, 2))
	for n := range 200_000 {
		x := math.Float64frombits(r.Uint64())
		switch n % 4 {
		case 1: // as people write them, and half-way between two numbers of twelve digits
			x, _ = strconv.ParseFloat(fmt.Sprintf("%d5e%d", r.IntN(1e12), r.IntN(40)-30), 64)
		case 2: // next to such
			x, _ = strconv.ParseFloat(fmt.Sprintf("%d5e%d", r.IntN(1e12), r.IntN(40)-30), 64)
			x = math.Nextafter(x, math.Inf(r.IntN(2)*2-1))
		case 3:
			x = r.NormFloat64()
		}
		if size := math.Abs(x); size != 0 && (size < 1e-4 || size >= 1e15 || math.IsNaN(x)) {
			continue // the server's text is tested against the server
		}
		text := strconv.AppendFloat(nil, x, 'f', -1, 64)
		cell := result.AppendBinary(nil, binary.BigEndian.AppendUint64(nil, math.Float64bits(x)))
		for _, reading := range readings {
			if got, want := reading.Append(nil, cell), reading.Append(nil, text); string(got) != string(want) {
				t.Fatalf("%s read as %s: %q, want %q", text, reading, got, want)
			}
		}
		if !readings[0].Near(cell, text) {
			t.Fatalf("%s is not near itself", text)
		}
		row := result.Row{cell, nil, []byte("x")}
		for _, copied := range []result.Row{row.Clone(), copier.Copy(row)} {
			if string(copied[0]) != string(text) || copied[1] != nil || string(copied[2]) != "x" {
				t.Fatalf("%s is copied as %q", text, copied)
			}
		}
	}
}
