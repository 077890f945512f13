package script

import (
	"cmp"
	"errors"
	"io"
	"io/fs"
	"slices"
	"strings"
)

// Roots returns those scripts that no other includes, in the same order.
func Roots(files fs.FS, names []string) ([]string, error) {
	included := map[string]bool{}
	for _, name := range names {
		err := named(files, name, func(found string, include bool) {
			if include && found != name {
				included[found] = true
			}
		})
		if err != nil {
			return nil, err
		}
	}
	roots := slices.DeleteFunc(slices.Clone(names), func(name string) bool { return included[name] })
	if len(roots) == 0 { // they include each other in a circle, which is said when they are run
		return names, nil
	}
	return roots, nil
}

// Needed lists some scripts and all files that they include or copy, and that those include or copy.
func Needed(files fs.FS, names []string) ([]string, error) {
	all := slices.Clone(names)
	scripts := slices.Clone(names)
	for len(scripts) > 0 {
		name := scripts[0]
		scripts = scripts[1:]
		err := named(files, name, func(found string, include bool) {
			if !slices.Contains(all, found) {
				all = append(all, found)
				if include {
					scripts = append(scripts, found)
				}
			}
		})
		if err != nil {
			return nil, err
		}
	}
	return all, nil
}

// named calls each with the existing files that a script names. Errors in the script are left for when it is run.
func named(files fs.FS, name string, each func(found string, include bool)) error {
	s := Open(files, nil, "")
	defer s.Close()
	if err := s.enter(name, Item{File: name, Line: 1}); err != nil {
		return err
	}
	for {
		item, err := s.stack[0].reader.Next()
		var wrong *Error
		switch {
		case errors.As(err, &wrong) && !wrong.lost:
			continue
		case err == io.EOF || wrong != nil:
			return nil
		case err != nil:
			return s.placed(err, name, item)
		case item.Kind != Command:
			continue
		}
		item.File = name
		command, rest := splitCommand(item.Text)
		source, include, relative := "", true, false
		switch command {
		case "i", "include", "ir", "include_relative":
			relative = command == "ir" || command == "include_relative"
			if args, err := arguments(rest, nil); err == nil && len(args) > 0 {
				source = args[0]
			}
		case "copy":
			_, source, _, _ = splitCopy(rest)
			include = false
		}
		if source == "" {
			continue
		}
		if found, err := s.find(item, source, relative); err == nil {
			each(found, include)
		}
	}
}

// InOrder compares names in the order that people expect: numbers by their value, so that 2_rows.sql comes before
// 10_more.sql.
func InOrder(a, b string) int {
	for a != "" && b != "" {
		digitsA, digitsB := leadingDigits(a), leadingDigits(b)
		if digitsA > 0 && digitsB > 0 {
			x, y := strings.TrimLeft(a[:digitsA], "0"), strings.TrimLeft(b[:digitsB], "0")
			if c := cmp.Or(cmp.Compare(len(x), len(y)), cmp.Compare(x, y)); c != 0 {
				return c
			}
			a, b = a[digitsA:], b[digitsB:]
			continue
		}
		if a[0] != b[0] {
			return cmp.Compare(a[0], b[0])
		}
		a, b = a[1:], b[1:]
	}
	return cmp.Compare(len(a), len(b))
}

func leadingDigits(s string) (n int) {
	for n < len(s) && isDigit(s[n]) {
		n++
	}
	return n
}
