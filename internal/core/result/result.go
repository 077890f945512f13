// Package result describes result sets: columns with their types, rows of cells, NULL, and the canonical form in which
// cells that mean the same are the same bytes.
//
// A cell is the text that PostgreSQL sends for a value, and a nil slice is NULL. Cells are expected from a session with
// the settings that [Settings] names, so that the text of a value is the same in every session.
package result

import (
	"slices"
	"strings"
)

// Settings are the session settings that the text of cells depends on.
var Settings = map[string]string{
	"DateStyle":          "ISO, YMD",
	"IntervalStyle":      "postgres",
	"TimeZone":           "UTC",
	"extra_float_digits": "1",
	"bytea_output":       "hex",
	"client_encoding":    "UTF8",
}

// A Column is a column of a result set.
type Column struct {
	Name      string
	Type      Type
	Precision Precision
	Collation string            // as SQL writes it, where texts that differ may be equal under it
	Equal     map[string]string // of texts that are equal to others: the one that stands for all of them
}

// A Type is a data type as the server names it. Array, range, multirange and composite types say what they consist of.
type Type struct {
	OID   uint32 // of the base type, where the column is of a domain
	Name  string // as PostgreSQL writes it, with its modifiers: "numeric(6,2)"
	Kind  Kind
	Parts []Type // of an array, a range or a multirange: one, the elements'; of a composite: one for each field
}

// A Kind tells how a type is made. The zero value: a scalar that is built in, or one of an extension's.
type Kind byte

const (
	Scalar     Kind = 0
	Enum       Kind = 'e'
	Array      Kind = 'a'
	Range      Kind = 'r'
	Multirange Kind = 'm'
	Composite  Kind = 'c'
)

// A Row holds one cell for each column: the server's text of a value, or its binary form where that was asked for (see
// [AppendBinary]); a nil cell is NULL.
type Row [][]byte

// A Family groups the types whose values can be compared with each other.
type Family string

const (
	Number   Family = "number"   // smallint to bigint and numeric: exact
	Float    Family = "float"    // real and double precision; comparable with Number
	Text     Family = "text"     // text, varchar, char, name, enums
	Boolean  Family = "boolean"  //
	Instant  Family = "instant"  // date and both timestamps
	Time     Family = "time"     // times of day, with a zone or without
	Interval Family = "interval" //
	JSON     Family = "json"     // json and jsonb
	Network  Family = "network"  // inet and cidr
	Bits     Family = "bits"     // bit and bit varying
	Geometry Family = "geometry" // points, lines, boxes, ...: their numbers are floats; each with its own type only
	Nested   Family = "nested"   // arrays, ranges, multiranges and composites: by what they consist of
	Exact    Family = "exact"    // types whose text is the value, each with its own type only: uuid, bytea, money, ...
	Unknown  Family = "unknown"  // a type that is not known here: by its text, with the same type only
)

// The object identifiers of built-in types (pg_type.dat in PostgreSQL's source).
const (
	oidFloat4  = 700
	oidTimetz  = 1266
	oidBPChar  = 1042
	oidNumeric = 1700
)

var families = func() map[uint32]Family {
	m := map[uint32]Family{}
	for family, oids := range map[Family][]uint32{
		Number:   {20, 21, 23, 26, 1700},              // int8 int2 int4 oid numeric
		Float:    {700, 701},                          // float4 float8
		Text:     {18, 19, 25, 705, 1042, 1043},       // "char" name text unknown bpchar varchar
		Boolean:  {16},                                //
		Instant:  {1082, 1114, 1184},                  // date timestamp timestamptz
		Time:     {1083, 1266},                        // time timetz
		Interval: {1186},                              //
		JSON:     {114, 3802},                         // json jsonb
		Network:  {650, 869},                          // cidr inet
		Bits:     {1560, 1562},                        // bit varbit
		Geometry: {600, 601, 602, 603, 604, 628, 718}, // point lseg path box polygon line circle
		// bytea regproc tid xid cid xml macaddr8 money macaddr regprocedure ... record uuid pg_lsn tsvector tsquery ...
		// jsonpath ... xid8
		Exact: {
			17, 24, 27, 28, 29, 142, 774, 790, 829, 2202, 2203, 2204, 2205, 2206, 2249, 2950, 3220, 3614, 3615,
			3734, 3769, 4072, 4089, 4096, 4191, 5038, 5069,
		},
	} {
		for _, oid := range oids {
			m[oid] = family
		}
	}
	return m
}()

// Family tells which other types t can be compared with.
func (t Type) Family() Family {
	switch t.Kind {
	case Enum:
		return Text
	case Array, Range, Multirange, Composite:
		return Nested
	}
	if t.isCitext() {
		return Text
	}
	if family, known := families[t.OID]; known {
		return family
	}
	return Unknown
}

// Known tells whether the values of t are compared by what they mean. Those of other types are compared by their text.
func (t Type) Known() bool {
	for _, part := range t.Parts {
		if !part.Known() {
			return false
		}
	}
	return t.Family() != Unknown && t.OID != oidRecord
}

// oidRecord is the type of a row that has no type of its own: its fields' types are not told.
const oidRecord = 2249

// Clone copies a row whose cells may be used again. All cells of the copy are texts.
func (r Row) Clone() Row {
	buffer := make([]byte, 0, r.Size())
	copied := make(Row, len(r))
	for i, cell := range r {
		if cell != nil {
			start := len(buffer)
			buffer = appendText(buffer, cell)
			copied[i] = buffer[start:len(buffer):len(buffer)]
		}
	}
	return copied
}

// A Copier copies rows whose cells may be used again. What many rows need is taken from memory together. Its zero value
// is ready.
type Copier struct {
	bytes []byte // what is free of the last that was taken
	cells [][]byte
	rows  int // copied so far
}

// For how many rows memory is taken together, and up to how many bytes a row has.
const (
	takenRows = 128
	takenSize = 1 << 10
)

// Copy copies a row, as [Row.Clone] does.
func (c *Copier) Copy(r Row) Row {
	size := r.Size()
	if size > takenSize {
		return r.Clone()
	}
	c.rows++
	together := min(c.rows, takenRows)
	if len(r) > len(c.cells) {
		c.cells = make([][]byte, len(r)*together)
	}
	if size > len(c.bytes) || c.bytes == nil { // a cell without bytes is not NULL
		c.bytes = make([]byte, size*together)
	}
	copied := Row(c.cells[:len(r):len(r)])
	c.cells = c.cells[len(r):]
	for i, cell := range r {
		if cell != nil {
			n := len(appendText(c.bytes[:0], cell))
			copied[i], c.bytes = c.bytes[:n:n], c.bytes[n:]
		}
	}
	return copied
}

// Size is how many bytes the texts of the row's cells have, or somewhat less than that.
func (r Row) Size() int {
	size := 0
	for _, cell := range r {
		if size += len(cell); isBinary(cell) {
			size += longestFloat - binaryLength
		}
	}
	return size
}

// Calculated tells whether the type's values are, or hold, numbers that may come of a calculation with more digits than
// count.
func (t Type) Calculated() bool {
	return t.inexact() || slices.ContainsFunc(t.Parts, Type.Calculated)
}

// OwnEquality tells whether values of the column may be equal although their texts differ, in a way that only the
// database knows.
func (c Column) OwnEquality() bool { return c.Type.OwnEquality() || c.Collation != "" }

// OwnEquality tells it of a type.
func (t Type) OwnEquality() bool { return t.Family() == Unknown || t.isCitext() }

// isCitext tells whether it is the type of the extension citext.
func (t Type) isCitext() bool { return t.Name == "citext" || strings.HasSuffix(t.Name, ".citext") }
