// Package roster reads lists of the people of a course from files: a table as CSV or as a workbook, with a header in
// any order, or the CSV files of the open roster standard (1EdTech OneRoster 1.1 and 1.2): users, classes and
// enrollments.
//
// [Read] returns one [Person] for each line, wrong ones too, so that all that is wrong with a file is told at once. A
// file of which no line can be read is an [*Error].
package roster

import (
	"fmt"
	"path"
	"slices"
	"strings"
	"unicode"
)

// A File is a file as it was sent.
type File struct {
	Name    string
	Content []byte
}

// A Person is a line of a roster.
type Person struct {
	File string
	Line int // from 1; in a workbook the row
	// Login is for logging in, in lower case. Role is "" where the file says none.
	Login, Name, Email, Group, Role string
	// Wrong says what is wrong with the line, in a sentence; "" if nothing is.
	Wrong string
}

// A Roster is what files say of the people of a course.
type Roster struct {
	People []Person
	// Columns are the headers from which the fields were read.
	Columns map[Field]string
	// Headers are all headers of the table, for choosing others.
	Headers []string
	// Groups are the classes of the standard's files.
	Groups []string
	// LeftOut is how many lines the standard's files have that are not of the course: other roles, other classes, and
	// what is to be deleted.
	LeftOut int
}

// A Field is what a column holds.
type Field string

// The fields. Given and Family together are a name.
const (
	Login  Field = "login"
	Name   Field = "name"
	Given  Field = "given name"
	Family Field = "family name"
	Email  Field = "e-mail"
	Group  Field = "group"
	Role   Field = "role"
)

// Fields are all fields.
var Fields = []Field{Login, Name, Given, Family, Email, Group, Role}

// headers are what a column may be called, in lower case and without anything but letters.
var headers = map[Field][]string{
	Login:  {"login", "loginname", "user", "username", "userid", "account", "accountname"},
	Name:   {"name", "fullname", "displayname", "learner", "student", "participant", "member"},
	Given:  {"givenname", "firstname", "forename"},
	Family: {"familyname", "lastname", "surname"},
	Email:  {"email", "emailaddress", "mail", "mailaddress"},
	Group:  {"group", "groupname", "groups", "section", "class", "team"},
	Role:   {"role", "courserole"},
}

// Options say how files are read.
type Options struct {
	Encoding string // of CSV files; "" for UTF-8
	// Columns names the header of a field where it is not found by itself.
	Columns map[Field]string
	// Class is the title or class code of the one class that is read from the standard's files; "" is all, as groups.
	Class string
}

// MostPeople is how many people are read at once.
const MostPeople = 10_000

// An Error says why nothing can be read.
type Error struct {
	File   string
	Line   int // 0 for none
	Detail string
}

func (e *Error) Error() string {
	switch {
	case e.Line > 0:
		return fmt.Sprintf("%s, line %d: %s", e.File, e.Line, e.Detail)
	case e.File != "":
		return e.File + ": " + e.Detail
	}
	return e.Detail
}

func fail(file string, line int, format string, args ...any) error {
	return &Error{file, line, fmt.Sprintf(format, args...)}
}

// Read reads the people in some files: one table, or files of the standard.
func Read(files []File, o Options) (*Roster, error) {
	files, err := unpacked(files)
	if err != nil {
		return nil, err
	}
	if isStandard(files) {
		return readStandard(files, o)
	}
	if len(files) != 1 {
		return nil, fail("", 0, "one table is expected, or the files users.csv, classes.csv and enrollments.csv "+
			"of the "+
			"open roster standard; %d other files came", len(files))
	}
	t, err := tableOf(files[0], o.Encoding)
	if err != nil {
		return nil, err
	}
	return readTable(t, o)
}

// readTable reads a table with one line for each person.
func readTable(t *table, o Options) (*Roster, error) {
	r := &Roster{Headers: t.header}
	columns, err := t.columns(o.Columns)
	if err != nil {
		return nil, err
	}
	r.Columns = map[Field]string{}
	for field, at := range columns {
		r.Columns[field] = t.header[at]
	}
	_, login := columns[Login]
	_, email := columns[Email]
	seen := map[string]int{}
	for _, line := range t.lines {
		p := Person{File: t.file, Line: line.number, Wrong: line.wrong}
		if !login && !email {
			p.Wrong = "No column is called login or e-mail: say which column it is."
		}
		cell := func(f Field) string {
			if at, has := columns[f]; has && at < len(line.cells) {
				return strings.Join(strings.FieldsFunc(line.cells[at], unicode.IsSpace), " ")
			}
			return ""
		}
		p.Login, p.Email, p.Group = strings.ToLower(cell(Login)), cell(Email), cell(Group)
		if p.Login == "" {
			p.Login = loginOf(p.Email)
		}
		if p.Name = cell(Name); p.Name == "" {
			p.Name = strings.TrimSpace(cell(Given) + " " + cell(Family))
		}
		p.Role = role(cell(Role))
		p.check(seen)
		r.People = append(r.People, p)
	}
	return r, nil
}

// loginOf is the part of an e-mail address before the @, which is somebody's login where no other is given.
func loginOf(email string) string {
	login, _, _ := strings.Cut(strings.ToLower(email), "@")
	return login
}

// role is a role as people write it, as one of ours; another is returned as it is.
func role(text string) string {
	text = strings.ToLower(text)
	for ours, theirs := range map[string][]string{
		"learner": {"student", "participant", "member"}, "instructor": {"teacher", "lecturer"},
		"assistant": {"aide", "tutor", "teaching assistant"},
	} {
		if slices.Contains(theirs, text) {
			return ours
		}
	}
	return text
}

// check notes what is wrong with a line, unless something was noted already. seen has the lines by login.
func (p *Person) check(seen map[string]int) {
	first, again := seen[p.Login]
	switch {
	case p.Wrong != "":
		return
	case p.Login == "" && p.Name == "" && p.Email == "":
		p.Wrong = "The line has no login, no name and no e-mail address."
	case p.Login == "":
		p.Wrong = "The login is missing."
	case again:
		p.Wrong = fmt.Sprintf("The login %s is in line %d already.", p.Login, first)
	case p.Email != "" && !strings.Contains(strings.Trim(p.Email, "@"), "@"):
		p.Wrong = fmt.Sprintf("%.80q is no e-mail address.", p.Email)
	case len(p.Group) > longestGroup:
		p.Wrong = fmt.Sprintf("The group's name is longer than %d characters.", longestGroup)
	case !slices.Contains([]string{"", "learner", "assistant", "instructor"}, p.Role):
		p.Wrong = fmt.Sprintf("%.40q is no role: instructor, assistant or learner is expected.", p.Role)
	}
	if !again && p.Login != "" {
		seen[p.Login] = p.Line
	}
}

// longestGroup is the greatest length of a group's name, in bytes.
const longestGroup = 100

// base is a file's name without its folder, in lower case.
func base(name string) string { return strings.ToLower(path.Base(strings.ReplaceAll(name, `\`, "/"))) }
