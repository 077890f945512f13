package roster

import (
	"fmt"
	"slices"
	"strings"
)

// The files of the open roster standard that are read. Others, such as the manifest, are left alone.
const (
	usersFile       = "users.csv"
	classesFile     = "classes.csv"
	enrollmentsFile = "enrollments.csv"
)

// isStandard tells whether files are those of the open roster standard.
func isStandard(files []File) bool {
	return slices.ContainsFunc(files, func(f File) bool { return base(f.Name) == enrollmentsFile }) ||
		len(files) > 1 && slices.ContainsFunc(files, func(f File) bool { return base(f.Name) == usersFile })
}

// An object is a line of a file of the standard, by its columns in lower case.
type object struct {
	line  int
	wrong string
	cells map[string]string
}

func (o object) at(column string) string { return strings.TrimSpace(o.cells[strings.ToLower(column)]) }

// goes tells that the object is to be deleted, as a file says that holds changes.
func (o object) goes() bool { return strings.EqualFold(o.at("status"), "tobedeleted") }

// readStandard reads who is enrolled in which class. The classes become groups.
func readStandard(files []File, o Options) (*Roster, error) {
	users, err := objects(files, usersFile, o.Encoding, "sourcedId", "username")
	if err != nil {
		return nil, err
	}
	classes, err := objects(files, classesFile, o.Encoding, "sourcedId", "title")
	if err != nil {
		return nil, err
	}
	enrollments, err := objects(files, enrollmentsFile, o.Encoding, "classSourcedId", "userSourcedId", "role")
	if err != nil {
		return nil, err
	}
	r := &Roster{}
	titles := map[string]string{}
	for _, c := range classes {
		title := c.at("title")
		if c.goes() || o.Class != "" && o.Class != title && o.Class != c.at("classCode") {
			continue
		}
		titles[c.at("sourcedId")] = title
		r.Groups = append(r.Groups, title)
	}
	if len(titles) == 0 {
		return nil, fail(classesFile, 0, "there is no class%s: its title or its code is expected, as in the file",
			quoted(o.Class))
	}
	people := map[string]object{}
	for _, u := range users {
		people[u.at("sourcedId")] = u
	}
	seen := map[string]int{}
	for _, e := range enrollments {
		title, wanted := titles[e.at("classSourcedId")]
		as := role(e.at("role"))
		if e.goes() || !wanted || !slices.Contains([]string{"learner", "instructor", "assistant"}, as) {
			r.LeftOut++
			continue
		}
		user, known := people[e.at("userSourcedId")]
		if known && user.goes() || strings.EqualFold(user.at("enabledUser"), "false") {
			r.LeftOut++
			continue
		}
		p := Person{
			File: enrollmentsFile, Line: e.line, Role: as, Group: title, Email: user.at("email"),
			Name: strings.TrimSpace(user.at("givenName") + " " + user.at("familyName")), Wrong: e.wrong,
		}
		p.Login = loginOf(user.at("username"))
		if len(titles) == 1 || as != "learner" {
			p.Group = ""
		}
		if !known {
			p.Wrong = fmt.Sprintf("There is no user %.80q in %s.", e.at("userSourcedId"), usersFile)
		}
		p.check(seen)
		r.People = append(r.People, p)
	}
	if len(r.People) > MostPeople {
		return nil, fail(enrollmentsFile, 0, "the file has %d people; at most %d are taken at once: name one class",
			len(r.People), MostPeople)
	}
	return r, nil
}

func quoted(class string) string {
	if class == "" {
		return ""
	}
	return fmt.Sprintf(" %.80q", class)
}

// objects reads one of the files, which has to have certain columns.
func objects(files []File, name, encoding string, needed ...string) ([]object, error) {
	at := slices.IndexFunc(files, func(f File) bool { return base(f.Name) == name })
	if at < 0 {
		return nil, fail("", 0, "%s is missing: the open roster standard has the people of a course in %s, %s and %s",
			name, usersFile, classesFile, enrollmentsFile)
	}
	rows, err := rowsOf(files[at], encoding)
	if err != nil {
		return nil, err
	}
	if len(rows) == 0 {
		return nil, fail(name, 0, "the file is empty: a header with %s is expected", strings.Join(needed, ", "))
	}
	header := rows[0].cells
	for _, column := range needed {
		if !slices.ContainsFunc(header, func(h string) bool {
			return strings.EqualFold(strings.TrimSpace(h),
				column)
		}) {
			return nil, fail(name, 1, "the column %s is missing; the header has %s", column, strings.Join(header, ", "))
		}
	}
	var all []object
	for _, row := range rows[1:] {
		o := object{line: row.number, cells: map[string]string{}}
		if len(row.cells) > len(header) {
			o.wrong = "The line has more cells than the header has columns."
		}
		for i, cell := range row.cells[:min(len(row.cells), len(header))] {
			o.cells[strings.ToLower(strings.TrimSpace(header[i]))] = cell
		}
		all = append(all, o)
	}
	return all, nil
}
