package script

import (
	"bufio"
	"bytes"
	"fmt"
	"io"
	"strings"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
)

// setsEncoding spares parsing statements that begin otherwise.
func setsEncoding(head []string) bool {
	return len(head) > 1 && head[0] == "SET" && (head[1] == "CLIENT_ENCODING" || head[1] == "NAMES" ||
		len(head) > 2 && (head[1] == "SESSION" || head[1] == "LOCAL") && (head[2] == "CLIENT_ENCODING" ||
			head[2] == "NAMES"))
}

// setEncoding has the rest of the current script, and what it includes, read in an encoding.
func (s *Scripts) setEncoding(item Item, name string) error {
	at := s.stack[len(s.stack)-1]
	if sameEncoding(name, at.encoding) {
		return nil
	}
	if !sameEncoding(at.encoding, "") {
		return fail(
			item, "the script is read as %s already, and that cannot be changed to %s on the way", at.encoding, name,
		)
	}
	if _, err := charset(name); err != nil {
		return fail(item, "%s", err)
	}
	at.encoding = name
	at.reader.decode(func(in io.Reader) io.Reader { text, _ := decoded(in, name); return text })
	return nil
}

// charsets are the encodings that can be read, by PostgreSQL's names without hyphens and underscores. nil is UTF-8.
var charsets = map[string]encoding.Encoding{
	"": nil, "UTF8": nil, "UTF8MB4": nil, "UTF8MB3": nil, "UNICODE": nil, "SQLASCII": nil,
	"LATIN1": charmap.ISO8859_1, "ISO88591": charmap.ISO8859_1, "LATIN2": charmap.ISO8859_2,
	"ISO88592": charmap.ISO8859_2,
	"LATIN5":   charmap.ISO8859_9, "LATIN9": charmap.ISO8859_15, "ISO885915": charmap.ISO8859_15,
	"ISO88595": charmap.ISO8859_5,
	"WIN1250":  charmap.Windows1250, "WIN1251": charmap.Windows1251, "WIN1252": charmap.Windows1252,
	"WINDOWS1252": charmap.Windows1252,
	"WIN1253":     charmap.Windows1253, "WIN1254": charmap.Windows1254, "WIN1257": charmap.Windows1257,
	"KOI8R": charmap.KOI8R,
}

func encodingKey(name string) string {
	return strings.NewReplacer("-", "", "_", "", " ", "").Replace(strings.ToUpper(name))
}

func charset(name string) (encoding.Encoding, error) {
	e, known := charsets[encodingKey(name)]
	if !known {
		return nil, fmt.Errorf(
			"the encoding %q is not read here: save the file as UTF-8, or use LATIN1, LATIN2, LATIN9, WIN1250 to "+
				"WIN1254, or KOI8R",
			name,
		)
	}
	return e, nil
}

func sameEncoding(a, b string) bool {
	one, err := charset(a)
	other, err2 := charset(b)
	return err == nil && err2 == nil && one == other
}

// fromUTF16 reads a text as UTF-8 that says by its first two bytes that it is UTF-16.
func fromUTF16(text io.Reader) io.Reader {
	in := bufio.NewReaderSize(text, readAhead)
	if mark, _ := in.Peek(2); string(mark) != "\xff\xfe" && string(mark) != "\xfe\xff" {
		return in
	}
	return unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewDecoder().Reader(in)
}

// decoded reads a text in an encoding as UTF-8.
func decoded(text io.Reader, name string) (io.Reader, error) {
	e, err := charset(name)
	if err != nil || e == nil {
		return text, err
	}
	return e.NewDecoder().Reader(text), nil
}

// Decode returns a text that is in an encoding, "" for UTF-8, or that says by its first bytes that it is UTF-16, as
// UTF-8. It does not look whether the result is valid.
func Decode(text []byte, name string) ([]byte, error) {
	in, err := decoded(fromUTF16(bytes.NewReader(text)), name)
	if err != nil {
		return nil, err
	}
	out, err := io.ReadAll(in)
	return bytes.TrimPrefix(out, []byte("\ufeff")), err
}
