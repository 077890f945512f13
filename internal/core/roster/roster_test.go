package roster_test

import (
	"bytes"
	"errors"
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"

	"examen/internal/core/roster"
)

// A roster is a table with a header in any order.
func Example() {
	r, err := roster.Read([]roster.File{{Name: "people.csv", Content: []byte(
		"Group;E-mail;Family name;Given name\nMonday;una@example.org;Merriweather;Una\n",
	)}}, roster.Options{})
	if err != nil {
		fmt.Println(err)
		return
	}
	for _, p := range r.People {
		fmt.Println(p.Line, p.Login, p.Name, p.Group)
	}
	// Output: 2 una Una Merriweather Monday
}

// csv is a file of lines.
func csv(lines ...string) []roster.File {
	return []roster.File{{Name: "people.csv", Content: []byte(strings.Join(lines, "\n"))}}
}

// line writes a person in one line.
func line(p roster.Person) string {
	text := fmt.Sprintf("%d %s|%s|%s|%s|%s", p.Line, p.Login, p.Name, p.Email, p.Group, p.Role)
	if p.Wrong != "" {
		text += " ! " + p.Wrong
	}
	return text
}

func TestLinesOfATable(t *testing.T) {
	for _, c := range []struct {
		name  string
		files []roster.File
		o     roster.Options
		want  []string
	}{
		{"columns in any order", csv("name,group,login", "Una  Merriweather,Monday,UNA"), roster.Options{},
			[]string{"2 una|Una Merriweather||Monday|"}},
		{"tabs, and a mark of the encoding", csv("\ufefflogin\te-mail", "una\tu@x.org"), roster.Options{},
			[]string{"2 una||u@x.org||"}},
		{"other headers", csv("No.,Who", "u7,Una"),
			roster.Options{Columns: map[roster.Field]string{roster.Login: "no.", roster.Name: "Who"}},
			[]string{"2 u7|Una|||"}},
		{"roles as others call them", csv("user name,role", "a,Student", "b,Teacher", "c,aide", "d,guest"),
			roster.Options{}, []string{
				"2 a||||learner", "3 b||||instructor", "4 c||||assistant",
				`5 d||||guest ! "guest" is no role: instructor, assistant or learner is expected.`,
			}},
		{"no login", csv("Number,name", "7,Una"), roster.Options{}, []string{
			"2 |Una||| ! No column is called login or e-mail: say which column it is.",
		}},
		{"doubled logins", csv("login,name", "una,Una", "", "bo,Bo", "Una,Other"), roster.Options{}, []string{
			"2 una|Una|||", "4 bo|Bo|||", "5 una|Other||| ! The login una is in line 2 already.",
		}},
		{"wrong lines", csv("login,name,e-mail", ",Una,", "bo,Bo,bo at home", "jun,Jun,,extra"), roster.Options{},
			[]string{
				"2 |Una||| ! The login is missing.", `3 bo|Bo|bo at home|| ! "bo at home" is no e-mail address.`,
				"4 jun|Jun||| ! The line has more cells than the header has columns.",
			}},
		{"another encoding", []roster.File{{Name: "a.csv", Content: []byte("login,name\nfia,F\xeea Bj\xf8rk")}},
			roster.Options{Encoding: "WIN1252"}, []string{"2 fia|Fîa Bjørk|||"}},
		{"UTF-16", []roster.File{{Name: "a.csv",
			Content: []byte("\xff\xfel\x00o\x00g\x00i\x00n\x00\n\x00u\x00\xf8\x00")}},
			roster.Options{}, []string{"2 uø||||"}},
	} {
		r, err := roster.Read(c.files, c.o)
		if err != nil {
			t.Errorf("%s: %v", c.name, err)
			continue
		}
		var got []string
		for _, p := range r.People {
			got = append(got, line(p))
		}
		if fmt.Sprint(got) != fmt.Sprint(c.want) {
			t.Errorf("%s: got\n%s\nwant\n%s", c.name, strings.Join(got, "\n"), strings.Join(c.want, "\n"))
		}
	}
}

func TestAWorkbook(t *testing.T) {
	book := excelize.NewFile()
	for at, row := range [][]any{{"login", "name"}, nil, {"una", "Una Merriweather"}, {4711, "Bo"}} {
		if err := book.SetSheetRow("Sheet1", fmt.Sprintf("B%d", at+2), &row); err != nil {
			t.Fatal(err)
		}
	}
	var content bytes.Buffer
	if err := book.Write(&content); err != nil {
		t.Fatal(err)
	}
	r, err := roster.Read([]roster.File{{Name: "people.xlsx", Content: content.Bytes()}}, roster.Options{})
	if err != nil || len(r.People) != 2 || line(r.People[0]) != "4 una|Una Merriweather|||" ||
		line(r.People[1]) != "5 4711|Bo|||" {
		t.Errorf("got %v, %v", r, err)
	}
}

func TestFilesThatCannotBeRead(t *testing.T) {
	many := csv("login\n" + strings.Repeat("x\n", 100_000))
	for _, c := range []struct {
		want  string
		files []roster.File
		o     roster.Options
	}{
		{"the file is empty", csv(""), roster.Options{}},
		{"no line below", csv("login,name"), roster.Options{}},
		{`no column "Number"`, csv("login", "c"), roster.Options{Columns: map[roster.Field]string{"login": "Number"}}},
		{`no field "shoe"`, csv("login", "c"), roster.Options{Columns: map[roster.Field]string{"shoe": "login"}}},
		{"people.csv, line 3: the text is not UTF-8", csv("login,name", "una,Una", "fia,F\xeea"), roster.Options{}},
		{"the encoding", csv("login", "una"), roster.Options{Encoding: "EBCDIC"}},
		{"line 2: the line cannot be read", csv("login,name", `una,U"na`), roster.Options{}},
		{"has 100000 people", many, roster.Options{}},
		{"an old format", []roster.File{{Name: "a.xls", Content: []byte("\xd0\xcf\x11\xe0 and more")}},
			roster.Options{}},
		{"workbook cannot be read", []roster.File{{Name: "a.xlsx", Content: []byte("PK\x03\x04 cut")}},
			roster.Options{}},
		{"archive cannot be read", []roster.File{{Name: "a.zip", Content: []byte("PK\x03\x04 cut")}}, roster.Options{}},
		{"one table is expected", append(csv("login", "a"), csv("login", "b")...), roster.Options{}},
	} {
		_, err := roster.Read(c.files, c.o)
		var wrong *roster.Error
		if !errors.As(err, &wrong) || !strings.Contains(err.Error(), c.want) {
			t.Errorf("got %v, want %q", err, c.want)
		}
	}
}

// The standard's files name people, classes and who is in which.
func TestTheOpenRosterStandard(t *testing.T) {
	var files []roster.File
	for _, name := range []string{"users.csv", "classes.csv", "enrollments.csv"} {
		content, err := os.ReadFile("testdata/" + name)
		if err != nil {
			t.Fatal(err)
		}
		files = append(files, roster.File{Name: "export/" + name, Content: content})
	}
	for _, c := range []struct {
		class   string
		leftOut int
		want    string
	}{
		{"", 3, "4 una|Una Merriweather|una@example.org|Bees on Monday|learner\n" +
			"6 otto|Otto Grimsby||Bees on Tuesday|learner\n2 hazel|Hazel Underhill|||instructor\n" +
			"5 una|Una Merriweather|una@example.org|Bees on Tuesday|learner ! The login una is in line 4 already.\n" +
			`9 |||Bees on Tuesday|learner ! There is no user "u-404" in users.csv.` + "\n"},
		{"BEE-MON", 6, "2 hazel|Hazel Underhill|||instructor\n4 una|Una Merriweather|una@example.org||learner\n"},
	} {
		r, err := roster.Read(files, roster.Options{Class: c.class})
		if err != nil {
			t.Fatal(err)
		}
		for _, p := range r.People {
			if !strings.Contains(c.want, line(p)+"\n") {
				t.Errorf("class %q: got %s", c.class, line(p))
			}
		}
		if len(r.People) != strings.Count(c.want, "\n") || r.LeftOut != c.leftOut {
			t.Errorf("class %q: got %d people, %d left out", c.class, len(r.People), r.LeftOut)
		}
	}
	if _, err := roster.Read(files, roster.Options{Class: "Wasps"}); err == nil {
		t.Error("a class that is not there is read")
	}
	if _, err := roster.Read(files[1:], roster.Options{}); err == nil ||
		!strings.Contains(err.Error(), "users.csv is missing") {
		t.Errorf("without users: %v", err)
	}
}
