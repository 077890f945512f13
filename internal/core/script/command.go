package script

import (
	"fmt"
	"io"
	"strings"
)

// irrelevant are psql's commands that change nothing but what psql shows.
var irrelevant = words(
	`a C f H T t x z s sf sv l list p print r reset echo qecho warn h help ? pset timing conninfo copyright
errverbose dconfig
	restrict unrestrict d da dA db dc dC dd dD ddp dE de des det deu dew df dF dFd dFp dFt dg di dl dL dm dn do dO
	dp dP drds dRp dRs ds dt dT du dv dx dX dy`,
)

// reachOutside are psql's commands that act beyond the script and the database.
var reachOutside = map[string]string{
	"!":            "it runs a program",
	"cd":           "it changes the folder",
	"e":            "it opens an editor",
	"edit":         "it opens an editor",
	"ef":           "it opens an editor",
	"ev":           "it opens an editor",
	"getenv":       "it reads the environment",
	"lo_export":    "it writes a file",
	"lo_import":    "it reads a file beside the database",
	"o":            "it writes a file",
	"out":          "it writes a file",
	"password":     "it asks for a password",
	"prompt":       "it asks a question",
	"setenv":       "it changes the environment",
	"w":            "it writes a file",
	"write":        "it writes a file",
	"watch":        "it repeats a query without end",
	"g":            "it sends results elsewhere; end the statement with a semicolon",
	"gx":           "it sends results elsewhere; end the statement with a semicolon",
	"gexec":        "it runs SQL that a query makes; write the statements, or a DO block",
	"gset":         "it takes variables from a query; set them with \\\\set",
	"if":           "conditions are not read here; write the statements that are meant",
	"elif":         "conditions are not read here; write the statements that are meant",
	"else":         "conditions are not read here; write the statements that are meant",
	"endif":        "conditions are not read here; write the statements that are meant",
	"bind":         "it gives a query values from outside",
	"lo_list":      "large objects are not listed here",
	"lo_unlink":    "write SELECT lo_unlink(...)",
	"gdesc":        "it only describes a query; leave it out",
	"crosstabview": "it only shows a query; leave it out",
}

func words(s string) map[string]bool {
	all := map[string]bool{}
	for _, w := range strings.Fields(s) {
		all[w] = true
	}
	return all
}

// refused says why a command is not carried out.
func refused(name string) string {
	if why := reachOutside[name]; why != "" {
		return fmt.Sprintf("\\%s is refused: %s", name, strings.ReplaceAll(why, `\\`, `\`))
	}
	return fmt.Sprintf("\\%s is no command of psql's that is known here; write what it does as SQL", name)
}

// splitCommand separates a command's name from what follows.
func splitCommand(text string) (name, rest string) {
	if strings.HasPrefix(text, "!") { // needs no space
		return "!", text[1:]
	}
	end := strings.IndexAny(text, " \t")
	if end < 0 {
		return text, ""
	}
	return text[:end], strings.TrimSpace(text[end:])
}

// arguments reads a command's arguments as psql does: separated by white space, in single quotes with backslashes, in
// double quotes, and with variables put in. A backquote, which would run a program, is an error.
func arguments(s string, variables map[string]string) ([]string, error) {
	var all []string
	bytes := 0
	for {
		s = strings.TrimLeft(s, " \t")
		if s == "" || strings.HasPrefix(s, `\\`) { // \\ ends a command
			return all, nil
		}
		argument, rest, err := argument(s, variables)
		if err != nil {
			return nil, err
		}
		if bytes += len(argument); bytes > longestValue {
			return nil, fmt.Errorf("its arguments have more than %d kB with their variables put in", longestValue>>10)
		}
		all, s = append(all, argument), rest
	}
}

func argument(s string, variables map[string]string) (value, rest string, err error) {
	var b strings.Builder
	for s != "" && s[0] != ' ' && s[0] != '\t' {
		var part string
		switch {
		case s[0] == '`':
			return "", "", fmt.Errorf("a backquote is refused: it runs a program")
		case s[0] == '\'':
			part, s, err = singleQuoted(s)
		case s[0] == '"':
			end := strings.IndexByte(s[1:], '"')
			if end < 0 {
				return "", "", fmt.Errorf("a quote is not closed")
			}
			part, s = s[1:end+1], s[end+2:]
		case s[0] == ':':
			part, s = substituted(s, variables)
		default:
			part, s = s[:1], s[1:]
		}
		if err != nil {
			return "", "", err
		}
		if b.Len()+len(part) > longestValue {
			return "", "", fmt.Errorf("an argument has more than %d kB with its variables put in", longestValue>>10)
		}
		b.WriteString(part)
	}
	return b.String(), s, nil
}

// A variable's value, and a command's argument, may have so many bytes; and there may be so many variables.
const (
	longestValue  = 64 << 10
	mostVariables = 1000
)

// singleQuoted reads a text in single quotes, in which a doubled quote is one and a backslash begins what C knows.
func singleQuoted(s string) (value, rest string, err error) {
	var b strings.Builder
	for i := 1; i < len(s); i++ {
		switch {
		case s[i] == '\'' && i+1 < len(s) && s[i+1] == '\'':
			i++
			b.WriteByte('\'')
		case s[i] == '\'':
			return b.String(), s[i+1:], nil
		case s[i] == '\\' && i+1 < len(s):
			i++
			if at := strings.IndexByte("nrtbf", s[i]); at >= 0 {
				b.WriteByte("\n\r\t\b\f"[at])
			} else {
				b.WriteByte(s[i])
			}
		default:
			b.WriteByte(s[i])
		}
	}
	return "", "", fmt.Errorf("a quote is not closed")
}

// substituted reads :name, :'name' or :"name" at the beginning of s; what names no variable stays as it is.
func substituted(s string, variables map[string]string) (value, rest string) {
	name, length := variableName(s)
	v, known := variables[name]
	if !known {
		return s[:1], s[1:]
	}
	switch s[1] {
	case '\'':
		return literal(v), s[length:]
	case '"':
		return `"` + strings.ReplaceAll(v, `"`, `""`) + `"`, s[length:]
	}
	return v, s[length:]
}

// variableName reads the name in :name, :'name' or :"name", and the length of it all; "" where there is none.
func variableName(s string) (name string, length int) {
	if len(s) < 2 {
		return "", 0
	}
	from, quote := 1, s[1]
	if quote == '\'' || quote == '"' {
		from = 2
	} else {
		quote = 0
	}
	end := from
	for end < len(s) && isWord(s[end]) {
		end++
	}
	switch {
	case end == from:
		return "", 0
	case quote == 0:
		return s[from:end], end
	case end < len(s) && s[end] == quote:
		return s[from:end], end + 1
	}
	return "", 0
}

// literal writes a text as an SQL literal.
func literal(s string) string {
	quoted := "'" + strings.ReplaceAll(s, "'", "''") + "'"
	if strings.Contains(s, `\`) {
		return " E" + strings.ReplaceAll(quoted, `\`, `\\`)
	}
	return quoted
}

// longestName is how many bytes of a variable's name are examined.
const longestName = 256

// variable substitutes a variable's value, or reads the colon as it stands.
func (r *Reader) variable() error {
	following, _ := r.in.Peek(longestName)
	if len(following) > 0 && following[0] == ':' { // a cast
		b, _ := r.byte()
		r.add(':')
		r.add(b)
		return nil
	}
	value, rest := substituted(":"+string(following), r.variables)
	if len(rest) == len(following) {
		r.add(':')
		return nil
	}
	_, _ = r.in.Discard(len(following) - len(rest))
	if following[0] != '\'' && following[0] != '"' && !whole(value) {
		return &Error{
			Line: r.line,
			Detail: fmt.Sprintf(
				"the variable's value, %s, is not within one statement: variables may stand for names, numbers and "+
					"texts",
				value,
			),
		}
	}
	for _, b := range []byte(value) {
		r.add(b)
	}
	return nil
}

// whole tells whether a variable's value can stand within a statement: what it opens it closes, and it ends nothing.
func whole(value string) bool {
	if !strings.ContainsAny(value, `;'"$\/-()`) {
		return true
	}
	r := NewReader(strings.NewReader(value + "\n;"))
	if _, err := r.Next(); err != nil || r.depth > 0 {
		return false
	}
	_, err := r.Next()
	return err == io.EOF
}
