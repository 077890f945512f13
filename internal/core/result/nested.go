package result

import (
	"bytes"
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"
)

// appendNested writes a nested value with each of its parts in its canonical form. The forms that are read are those of
// PostgreSQL's documentation: arrays (8.15.6), composites (8.16.6), ranges and multiranges (8.17.5).
func (r *Reading) appendNested(dst, cell []byte, out *inexact) []byte {
	if len(r.parts) == 0 {
		return append(dst, cell...)
	}
	switch r.kind {
	case Array:
		return r.appendArray(dst, cell, out)
	case Composite:
		return r.appendComposite(dst, cell, out)
	case Range:
		return r.appendRange(dst, cell, out)
	case Multirange:
		return r.appendMultirange(dst, cell, out)
	}
	return append(dst, cell...)
}

// appendArray keeps braces and bounds, which tell the array's shape.
func (r *Reading) appendArray(dst, cell []byte, out *inexact) []byte {
	for i := 0; i < len(cell); {
		switch c := cell[i]; c {
		case '{', '}', ',', ';': // a semicolon stands between boxes
			dst = append(dst, c)
			i++
		case '[': // bounds other than from 1 on, such as [0:2]=
			end := bytes.IndexByte(cell[i:], '=')
			if end < 0 {
				return append(dst, cell[i:]...)
			}
			dst = append(dst, cell[i:i+end+1]...)
			i += end + 1
		default:
			value, quoted, n := part(cell[i:], "{},;", r.parts[0].Family == Geometry)
			if !quoted && strings.EqualFold(string(value), "null") {
				value = nil
			}
			dst = appendCell(dst, value, &r.parts[0], out)
			i += n
		}
	}
	return dst
}

// appendComposite reads (field,field,...); a field that is empty and not quoted is NULL.
func (r *Reading) appendComposite(dst, cell []byte, out *inexact) []byte {
	if len(cell) < 2 || cell[0] != '(' {
		return append(dst, cell...)
	}
	for i, at := 0, 1; i < len(r.parts) && at < len(cell); i++ {
		value, quoted, n := part(cell[at:], ",)", false)
		if len(value) == 0 && !quoted {
			value = nil
		}
		dst = appendCell(dst, value, &r.parts[i], out)
		at += n + 1
	}
	return dst
}

// appendRange reads a bracket, two bounds, either of which may be missing, and a bracket; or the word empty.
func (r *Reading) appendRange(dst, cell []byte, out *inexact) []byte {
	dst, _ = r.rangeAt(dst, cell, out)
	return dst
}

func (r *Reading) rangeAt(dst, cell []byte, out *inexact) (_ []byte, n int) {
	if len(cell) < 3 || cell[0] != '[' && cell[0] != '(' {
		return append(dst, cell...), len(cell)
	}
	dst = append(dst, cell[0])
	at := 1
	for range 2 {
		value, quoted, n := part(cell[min(at, len(cell)):], ",)]", false)
		if len(value) == 0 && !quoted {
			value = nil
		}
		dst = appendCell(dst, value, &r.parts[0], out)
		at += n + 1
	}
	at = min(at, len(cell))
	return append(dst, cell[at-1]), at
}

func (r *Reading) appendMultirange(dst, cell []byte, out *inexact) []byte {
	for i := 0; i < len(cell); {
		if cell[i] == '{' || cell[i] == '}' || cell[i] == ',' {
			i++
			continue
		}
		var n int
		dst, n = r.rangeAt(dst, cell[i:], out)
		i += n
	}
	return dst
}

// part reads one part up to one of the given ends, which stays, and takes off its quotes. brackets says that ends
// within parentheses do not count.
func part(s []byte, ends string, brackets bool) (value []byte, quoted bool, n int) {
	value = []byte{}
	within, depth := false, 0
	for n < len(s) {
		switch c := s[n]; {
		case c == '\\' && n+1 < len(s):
			n++
			value = append(value, s[n])
		case c == '"' && within && n+1 < len(s) && s[n+1] == '"':
			n++
			value = append(value, '"')
		case c == '"':
			within, quoted = !within, true
		case !within && depth == 0 && strings.IndexByte(ends, c) >= 0:
			return value, quoted, n
		default:
			if brackets && c == '(' {
				depth++
			} else if brackets && c == ')' {
				depth--
			}
			value = append(value, c)
		}
		n++
	}
	return value, quoted, n
}

// appendJSON writes a JSON text with its keys in order and its numbers by value. Of a key that comes twice the last
// counts, as in jsonb.
func (r *Reading) appendJSON(dst, cell []byte, out *inexact) []byte {
	d := json.NewDecoder(bytes.NewReader(withSurrogates(cell)))
	d.UseNumber()
	var value any
	if d.Decode(&value) != nil {
		return append(dst, cell...)
	}
	return r.appendValue(dst, value, out)
}

func (r *Reading) appendValue(dst []byte, value any, out *inexact) []byte {
	switch v := value.(type) {
	case json.Number:
		return r.appendNumber(dst, []byte(v), out)
	case []any:
		dst = append(dst, '[')
		for _, item := range v {
			dst = append(r.appendValue(dst, item, out), ',')
		}
		return append(dst, ']')
	case map[string]any:
		names := make([]string, 0, len(v))
		for name := range v {
			names = append(names, name)
		}
		slices.Sort(names)
		dst = append(dst, '{')
		for _, name := range names {
			dst = append(r.appendValue(dst, name, out), ':')
			dst = append(r.appendValue(dst, v[name], out), ',')
		}
		return append(dst, '}')
	default:
		b, _ := json.Marshal(v) // a string, a boolean or null
		return append(dst, b...)
	}
}

// withSurrogates keeps halves of surrogate pairs apart that stand alone, as json (not jsonb) may hold them: Go would
// read each as the same character. They are written out, behind a character that no text holds.
func withSurrogates(cell []byte) []byte {
	if !bytes.Contains(cell, []byte(`\u`)) {
		return cell
	}
	half := func(at int) (n uint64, is bool) {
		if at+6 > len(cell) || cell[at] != '\\' || cell[at+1] != 'u' {
			return 0, false
		}
		n, err := strconv.ParseUint(string(cell[at+2:at+6]), 16, 16)
		return n, err == nil && n >= 0xd800 && n <= 0xdfff
	}
	var kept []byte
	for i := 0; i < len(cell); i++ {
		n, is := half(i)
		next, pair := half(i + 6)
		switch {
		case is && n < 0xdc00 && pair && next >= 0xdc00:
			kept = append(kept, cell[i:i+12]...)
			i += 11
		case is:
			kept = fmt.Appendf(kept, `\uffff%04x`, n)
			i += 5
		case cell[i] == '\\' && i+1 < len(cell):
			kept = append(kept, cell[i], cell[i+1])
			i++
		default:
			kept = append(kept, cell[i])
		}
	}
	return kept
}

// appendNetwork writes a host's address with the length of its whole mask, as cidr does.
func appendNetwork(dst, cell []byte) []byte {
	dst = append(dst, cell...)
	switch {
	case bytes.IndexByte(cell, '/') >= 0:
	case bytes.IndexByte(cell, ':') >= 0:
		dst = append(dst, "/128"...)
	default:
		dst = append(dst, "/32"...)
	}
	return dst
}

// appendGeometry rounds each number of a geometric value as floats are.
func (r *Reading) appendGeometry(dst, cell []byte, out *inexact) []byte {
	for i := 0; i < len(cell); {
		n := bytes.IndexAny(cell[i:], "()[]{}<>,")
		if n < 0 {
			n = len(cell) - i
		}
		if n > 0 {
			dst = r.appendNumber(dst, cell[i:i+n], out)
		}
		if i += n; i < len(cell) {
			dst = append(dst, cell[i])
			i++
		}
	}
	return dst
}
