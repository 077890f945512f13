// Package answers reads and writes somebody's answers to a whole paper as one file of SQL. Each answer stands beneath a
// comment line with its exercise's address, as in "-- first-look/names-and-valleys"; what else such a line says is for
// people.
package answers

import (
	"fmt"
	"regexp"
	"strings"
)

// An Answer is the answer to one exercise.
type Answer struct {
	Exercise string // its slug or number
	Heading  string // what its line says of it
	SQL      string // without blank lines around it; "" for none
	Line     int    // of the file, on which SQL begins, from 1
}

// An Error is what is wrong with a file.
type Error struct {
	Line   int // from 1
	Detail string
}

func (e *Error) Error() string { return fmt.Sprintf("line %d: %s", e.Line, e.Detail) }

// Write returns the file with these answers to a paper.
func Write(paper, title string, all []Answer) string {
	var b strings.Builder
	fmt.Fprintf(&b, "-- %s\n", oneLine(title))
	b.WriteString("-- Write each answer beneath the line with its address; what stays empty is not submitted.\n")
	for _, a := range all {
		fmt.Fprintf(&b, "\n-- %s/%s", paper, a.Exercise)
		if a.Heading != "" {
			b.WriteString("  " + oneLine(a.Heading))
		}
		b.WriteString("\n" + strings.Trim(a.SQL, "\n") + "\n")
	}
	return b.String()
}

func oneLine(s string) string { return strings.Join(strings.Fields(s), " ") }

// Read reads a file of answers to a paper. SQL before the first address, a file without any, and an exercise that is
// answered twice are an [*Error].
func Read(paper, file string) ([]Answer, error) {
	file = strings.ReplaceAll(file, "\r\n", "\n")
	address := regexp.MustCompile(`^--[ \t]*` + regexp.QuoteMeta(paper) + `/([A-Za-z0-9-]+)(?:[ \t]+(.*))?$`)
	var all []Answer
	lines := map[string]int{} // of each exercise's address
	for i, line := range strings.Split(file, "\n") {
		found := address.FindStringSubmatch(strings.TrimRight(line, " \t"))
		switch {
		case found != nil:
			if first := lines[found[1]]; first > 0 {
				return nil, &Error{i + 1, fmt.Sprintf("%s/%s has its place on line %d already", paper, found[1], first)}
			}
			lines[found[1]] = i + 1
			all = append(all, Answer{Exercise: found[1], Heading: found[2], Line: i + 2})
		case len(all) > 0:
			all[len(all)-1].SQL += line + "\n"
		case strings.TrimSpace(line) != "" && !strings.HasPrefix(strings.TrimSpace(line), "--"):
			return nil, &Error{i + 1, fmt.Sprintf(
				"SQL stands before the first address: begin each answer with a line such as -- %s/1", paper)}
		}
	}
	if len(all) == 0 {
		return nil, &Error{1, fmt.Sprintf(
			"the file names no exercise of %s: begin each answer with a line such as -- %s/1", paper, paper)}
	}
	for i := range all {
		all[i].trim()
	}
	return all, nil
}

// trim takes blank lines away, before and after.
func (a *Answer) trim() {
	for {
		first, rest, more := strings.Cut(a.SQL, "\n")
		if strings.TrimSpace(first) != "" || !more {
			break
		}
		a.SQL, a.Line = rest, a.Line+1
	}
	a.SQL = strings.TrimRight(a.SQL, " \t\n")
}
