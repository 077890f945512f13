package result

import (
	"encoding/binary"
	"math/bits"

	"github.com/zeebo/xxh3"
)

// A Fingerprint stands for a row, or for many rows, in 128 bits. Fingerprints can be compared with each other only when
// they were made with the same seed.
type Fingerprint struct{ Hi, Lo uint64 }

// A Seed is what fingerprints are made with. It is kept secret, so that nobody can prepare rows that collide, and it
// stays the same as long as fingerprints are kept.
type Seed uint64

// Plus adds another fingerprint modulo 2^128. A sum of rows' fingerprints does not depend on their order, and counts
// repeated rows.
func (f Fingerprint) Plus(g Fingerprint) Fingerprint {
	lo, carry := bits.Add64(f.Lo, g.Lo, 0)
	hi, _ := bits.Add64(f.Hi, g.Hi, carry)
	return Fingerprint{hi, lo}
}

// Times adds a fingerprint to itself so often.
func (f Fingerprint) Times(n uint64) Fingerprint {
	hi, lo := bits.Mul64(f.Lo, n)
	return Fingerprint{hi + f.Hi*n, lo}
}

// Then returns the fingerprint of the sequence that f stands for, followed by g. It depends on the order.
func (s Seed) Then(f, g Fingerprint) Fingerprint {
	var b [32]byte
	binary.LittleEndian.PutUint64(b[0:], f.Hi)
	binary.LittleEndian.PutUint64(b[8:], f.Lo)
	binary.LittleEndian.PutUint64(b[16:], g.Hi)
	binary.LittleEndian.PutUint64(b[24:], g.Lo)
	return s.Of(b[:])
}

// Of returns the fingerprint of bytes.
func (s Seed) Of(b []byte) Fingerprint {
	h := xxh3.Hash128Seed(b, uint64(s))
	return Fingerprint{h.Hi, h.Lo}
}

// AppendKey appends the canonical form of the whole row: two rows that mean the same under the readings have the same
// key, and rows that differ have different ones. columns says which cell stands at each place of the key.
func AppendKey(dst []byte, row Row, columns []int, readings []Reading) []byte {
	for i, column := range columns {
		dst = AppendCell(dst, row[column], &readings[i])
	}
	return dst
}

// AppendCell appends one cell so that it cannot run into the next: a zero byte for NULL, otherwise its canonical
// length, plus one, and its canonical form.
func AppendCell(dst, cell []byte, reading *Reading) []byte {
	return appendCell(dst, cell, reading, nil)
}

func appendCell(dst, cell []byte, reading *Reading, out *inexact) []byte {
	if cell == nil {
		return append(dst, 0)
	}
	if reading.verbatim && len(cell) < 0x7f {
		return append(append(dst, byte(len(cell)+1)), cell...)
	}
	start := len(dst)
	dst = append(dst, 0)
	dst = reading.append(dst, cell, out)
	n := uint64(len(dst)-start-1) + 1
	if n < 0x80 {
		dst[start] = byte(n)
		return dst
	}
	var length [binary.MaxVarintLen64]byte
	k := binary.PutUvarint(length[:], n)
	dst = append(dst, length[:k-1]...)
	copy(dst[start+k:], dst[start+1:len(dst)-(k-1)])
	copy(dst[start:], length[:k])
	return dst
}

// Sum64 is a short fingerprint of bytes, for picking.
func (s Seed) Sum64(b []byte) uint64 { return xxh3.HashSeed(b, uint64(s)) }
