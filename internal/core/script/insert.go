package script

import "strings"

// An Insert is an INSERT of one row whose values are all written out: with its shape prepared once, many such rows are
// run in less time than it takes to read as many statements.
type Insert struct {
	Shape  Shape
	Values []Value
}

// A Shape is what INSERTs have in common that differ in their values alone.
type Shape struct {
	Before string // what stands before the values' parenthesis
	Values int    // how many there are
}

// A Value is one that is written out.
type Value struct {
	Kind ValueKind
	Text []byte // as the server reads it; of a text, without its quotes
}

// A ValueKind is how a value is written.
type ValueKind byte

const (
	NullValue    ValueKind = iota
	BooleanValue           // TRUE or FALSE
	IntegerValue           // digits, perhaps with a minus before them
	DecimalValue           // the same with a point
	TextValue              // in single quotes
)

// ReadInsert reads a statement; ok is false where it is anything but such an INSERT, or cannot be told from others for
// certain: with a comment, a backslash in a text, an expression or an exponent.
func ReadInsert(text string) (insert Insert, ok bool) {
	open := valuesAt(text)
	if open < 0 {
		return Insert{}, false
	}
	insert.Shape.Before = text[:open]
	rest := text[open+1:]
	for {
		value, after, ok := readValue(strings.TrimLeft(rest, blank))
		if !ok {
			return Insert{}, false
		}
		insert.Values = append(insert.Values, value)
		after = strings.TrimLeft(after, blank)
		if after == "" {
			return Insert{}, false
		}
		rest = after[1:]
		switch after[0] {
		case ',':
		case ')':
			insert.Shape.Values = len(insert.Values)
			return insert, strings.Trim(rest, blank) == ""
		default:
			return Insert{}, false
		}
	}
}

const blank = " \t\r\n"

// valuesAt is where the parenthesis of an INSERT's values stands; -1 where there is none, or more than names, commas
// and parentheses before it.
func valuesAt(text string) int {
	if len(text) < len("INSERT") || !strings.EqualFold(text[:len("INSERT")], "INSERT") {
		return -1
	}
	for i, word := 0, -1; i < len(text); i++ {
		c := text[i]
		if isNameByte(c) {
			if word < 0 {
				word = i
			}
			continue
		}
		if word >= 0 && strings.EqualFold(text[word:i], "SELECT") {
			return -1
		}
		if word >= 0 && strings.EqualFold(text[word:i], "VALUES") {
			for i < len(text) && strings.IndexByte(blank, text[i]) >= 0 {
				i++
			}
			if i < len(text) && text[i] == '(' {
				return i
			}
			return -1
		}
		word = -1
		switch {
		case c == '"':
			end := strings.IndexByte(text[i+1:], '"')
			if end < 0 {
				return -1
			}
			i += 1 + end
		case strings.IndexByte(blank+".,()", c) < 0:
			return -1
		}
	}
	return -1
}

// isNameByte tells whether a name without quotes may have a byte.
func isNameByte(c byte) bool {
	return c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9' || c == '_' || c == '$' || c >= 0x80
}

// readValue reads the value with which a text begins.
func readValue(text string) (value Value, after string, ok bool) {
	if text == "" {
		return Value{}, "", false
	}
	if text[0] == '\'' {
		return readText(text[1:])
	}
	end := 0
	for end < len(text) && (isNameByte(text[end]) || text[end] == '-' || text[end] == '.') {
		end++
	}
	word, after := text[:end], text[end:]
	switch {
	case strings.EqualFold(word, "NULL"):
		return Value{}, after, true
	case strings.EqualFold(word, "TRUE"), strings.EqualFold(word, "FALSE"):
		return Value{BooleanValue, []byte(word)}, after, true
	}
	kind, ok := numberKind(word)
	return Value{kind, []byte(word)}, after, ok
}

// readText reads a text behind its first quote.
func readText(text string) (value Value, after string, ok bool) {
	var read []byte
	for {
		end := strings.IndexAny(text, `'\`)
		if end < 0 || text[end] == '\\' {
			return Value{}, "", false
		}
		read = append(read, text[:end]...)
		if text = text[end+1:]; text == "" || text[0] != '\'' {
			if read == nil {
				read = []byte{}
			}
			return Value{TextValue, read}, text, true
		}
		read, text = append(read, '\''), text[1:]
	}
}

// numberKind tells how a number is written that means the same as a value of any type of numbers. A negative zero does
// not: it is one of floats alone.
func numberKind(word string) (kind ValueKind, ok bool) {
	digits := strings.TrimPrefix(word, "-")
	whole, fraction, decimal := strings.Cut(digits, ".")
	if whole == "" || decimal && fraction == "" || strings.Trim(whole+fraction, "0123456789") != "" {
		return 0, false
	}
	if len(digits) < len(word) && strings.Trim(whole+fraction, "0") == "" {
		return 0, false
	}
	if decimal {
		return DecimalValue, true
	}
	return IntegerValue, true
}
