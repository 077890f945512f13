// Package result describes result sets: columns with their types, rows of cells, NULL, and the canonical form in which
// cells that mean the same are the same bytes.
//
// A cell is the text that PostgreSQL sends for a value, and a nil slice is NULL. Cells are expected from a session with
// the settings that [Settings] names, so that the text of a value is the same in every session.
package result

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
	Name string
	Type Type
}

// A Type is a data type as the server names it.
type Type struct {
	OID  uint32 // of the base type, where the column is of a domain
	Name string // as PostgreSQL writes it, with its modifiers: "numeric(6,2)"
	Enum bool
}

// A Row holds one cell for each column; a nil cell is NULL.
type Row [][]byte

// A Family groups the types whose values can be compared with each other.
type Family string

const (
	Number   Family = "number"   // smallint to bigint and numeric: exact
	Float    Family = "float"    // real and double precision; comparable with Number
	Text     Family = "text"     // text, varchar, char, name, enums
	Boolean  Family = "boolean"  //
	Instant  Family = "instant"  // date and both timestamps
	Time     Family = "time"     // time of day
	Interval Family = "interval" //
	Other    Family = "other"    // compared by its text, with the same type only
)

// The object identifiers of built-in types (pg_type.dat in PostgreSQL's source).
const (
	oidBool        = 16
	oidBytea       = 17
	oidChar        = 18
	oidName        = 19
	oidInt8        = 20
	oidInt2        = 21
	oidInt4        = 23
	oidText        = 25
	oidOID         = 26
	oidFloat4      = 700
	oidFloat8      = 701
	oidUnknown     = 705
	oidBPChar      = 1042
	oidVarchar     = 1043
	oidDate        = 1082
	oidTime        = 1083
	oidTimestamp   = 1114
	oidTimestamptz = 1184
	oidInterval    = 1186
	oidTimetz      = 1266
	oidNumeric     = 1700
)

// Family tells which other types t can be compared with.
func (t Type) Family() Family {
	switch t.OID {
	case oidInt2, oidInt4, oidInt8, oidNumeric, oidOID:
		return Number
	case oidFloat4, oidFloat8:
		return Float
	case oidText, oidVarchar, oidBPChar, oidName, oidChar, oidUnknown:
		return Text
	case oidBool:
		return Boolean
	case oidDate, oidTimestamp, oidTimestamptz:
		return Instant
	case oidTime, oidTimetz:
		return Time
	case oidInterval:
		return Interval
	}
	if t.Enum {
		return Text
	}
	return Other
}

// padded tells whether trailing spaces mean nothing in t: char(n).
func (t Type) padded() bool { return t.OID == oidBPChar }
