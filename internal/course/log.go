package course

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"examen/internal/account"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// Log gives access to the audit log: who did what to accounts, courses, papers and marks.
type Log struct{ *Courses }

// Log returns the audit log.
func (c *Courses) Log() Log { return Log{c} }

// A LogFilter selects lines of the audit log. An empty field selects all.
type LogFilter struct {
	Course, Paper string
	Person        string // whom it concerns
	Actor         string // who did it
	About         string // one of the topics
	Since, Until  time.Time
	Before        string // the Next of the page before
	Limit         int
}

// topics are what the lines of the log can be about, with the tables that belong to each.
var topics = map[string][]string{
	"accounts": {"account"},
	"courses":  {"course", "member", "webhook"},
	"papers":   {"paper", "exercise", "exercise_version"},
	"times":    {"course_paper", "extension", "notice", "sitting"},
	"marks":    {"mark", "recheck", "note", "note_answer", "review"},
}

// A LogLine says what somebody did.
type LogLine struct {
	ID               string
	At               time.Time
	Actor, ActorName string // "" is Examen itself
	About            string // the topic
	Sentence         string
	Person           string // whom it concerns; "" for nobody
	Course, Paper    string // "" for none
	Reason           string // that was given; "" for none
}

// A LogPage is a page of lines, the latest first. Next is "" on the last page.
type LogPage struct {
	Lines []LogLine
	Next  string
}

// Page lists lines of the audit log. An instructor sees those of their courses, of the accounts of those in them, and
// of papers; an administrator all, but for the marks of courses that they do not follow.
func (l Log) Page(ctx context.Context, who account.Account, f LogFilter) (*LogPage, error) {
	if err := who.May(account.Prepare); err != nil {
		return nil, err
	}
	if f.Limit == 0 {
		f.Limit = usualLog
	}
	if f.Limit < 1 || f.Limit > longestLog {
		return nil, problem.New(422, "page-size", "Invalid page size",
			"1 to %d lines can be asked for, not %d.", longestLog, f.Limit)
	}
	params := query.AuditLogParams{
		Courses: append([]int64{},
			who.In(account.Instruct)...), Everything: who.Administrator, Most: int32(f.Limit) + 1,
		Since: bound(f.Since), Until: bound(f.Until),
	}
	if err := l.filter(ctx, f, &params); err != nil {
		return nil, err
	}
	rows, err := l.records.AuditLog(ctx, params)
	if err != nil {
		return nil, err
	}
	page := &LogPage{Lines: []LogLine{}}
	if len(rows) > f.Limit {
		rows = rows[:f.Limit]
		page.Next = strconv.FormatInt(rows[f.Limit-1].ID, 10)
	}
	for _, row := range rows {
		page.Lines = append(page.Lines, lineOf(row))
	}
	return page, nil
}

// mostOf is how many lines of the log are given of one person.
const mostOf = 10_000

// Of lists what the log says of somebody, the latest first, for a file of all that is stored of them: whoever may have
// that file may have the lines.
func (l Log) Of(ctx context.Context, whose account.Account) (all []LogLine, err error) {
	rows, err := l.records.AuditLog(ctx, query.AuditLogParams{
		Courses: append([]int64{}, courseIDs(whose)...), Everything: true, PersonID: &whose.ID, Most: mostOf,
	})
	for _, row := range rows {
		all = append(all, lineOf(row))
	}
	return all, err
}

func courseIDs(a account.Account) (ids []int64) {
	for _, c := range a.Courses {
		ids = append(ids, c.ID)
	}
	return ids
}

// A page of the log has so many lines where nothing else is asked for, and so many at most.
const (
	usualLog   = 100
	longestLog = 1000
)

// pageFrom reads what an earlier page gave as its next.
func pageFrom(next string) (int64, error) {
	id, err := strconv.ParseInt(next, 10, 64)
	if err != nil {
		return 0, problem.New(422, "page", "There is no such page",
			"%.40q is not what an earlier page gave as its next.", next)
	}
	return id, nil
}

// filter looks up what is filtered by. Of what is not there, nothing is found.
func (l Log) filter(ctx context.Context, f LogFilter, params *query.AuditLogParams) error {
	if f.About != "" {
		if params.Subjects = topics[f.About]; params.Subjects == nil {
			return problem.New(422, "topic", "There is no such topic",
				"%.40q: accounts, courses, papers, times or marks is expected.", f.About)
		}
	}
	if f.Before != "" {
		before, err := pageFrom(f.Before)
		if err != nil {
			return err
		}
		params.Before = &before
	}
	find := func(name string, to **int64, look func(string) (int64, error)) error {
		if name == "" {
			return nil
		}
		if !records.IsText(name) {
			name = ""
		}
		id, err := look(name)
		if err != nil && !records.Missing(err) {
			return err
		}
		*to = &id
		return nil
	}
	person := func(name string) (int64, error) {
		row, err := l.records.AccountByName(ctx, strings.ToLower(name))
		return row.ID, err
	}
	for _, err := range []error{
		find(f.Person, &params.PersonID, person),
		find(f.Actor, &params.ActorID, person),
		find(f.Course, &params.CourseID, func(slug string) (int64, error) {
			row, err := l.records.CourseBySlug(ctx, slug)
			return row.ID, err
		}),
		find(f.Paper, &params.PaperID, func(slug string) (int64, error) {
			row, err := l.records.PaperBySlug(ctx, slug)
			return row.ID, err
		}),
	} {
		if err != nil {
			return err
		}
	}
	return nil
}

// lineOf is a line of the log in words.
func lineOf(row query.AuditLogRow) LogLine {
	c := change{row: row, is: map[string]any{}}
	_ = json.Unmarshal(row.Changed, &c.is) // written by a trigger
	line := LogLine{
		ID: strconv.FormatInt(row.ID, 10), At: row.At, Actor: row.Actor, ActorName: row.ActorName,
		Person: row.Person, Course: row.Course, Paper: row.Paper, Sentence: c.sentence(), Reason: c.text("reason"),
	}
	for topic, tables := range topics {
		if slices.Contains(tables, row.Subject) {
			line.About = topic
		}
	}
	return line
}

// A change is a row of the log with what the row that it speaks of has become.
type change struct {
	row query.AuditLogRow
	is  map[string]any
}

// text is a column as it has become; "" where it did not change or is NULL.
func (c change) text(column string) string {
	switch value := c.is[column].(type) {
	case nil:
		return ""
	case string:
		return value
	case float64:
		return strconv.FormatFloat(value, 'f', -1, 64)
	default:
		return fmt.Sprint(value)
	}
}

// when is a time as it has become, in the zone of the course.
func (c change) when(column string) string {
	at, err := time.Parse(time.RFC3339Nano, c.text(column))
	if err != nil {
		return "no time"
	}
	return when(at, c.row.Zone)
}

// has tells whether a column changed.
func (c change) has(column string) bool { _, has := c.is[column]; return has }

// person is whom the line concerns, as others call them.
func (c change) person() string {
	if c.row.PersonName == "" {
		return "an account"
	}
	return c.row.PersonName
}

// sentence says what was done, without who did it.
func (c change) sentence() string {
	switch c.row.Subject {
	case "account":
		return c.account()
	case "course":
		return c.course()
	case "member":
		return c.member()
	case "course_paper":
		return c.set()
	case "extension":
		return c.extension()
	case "sitting":
		if c.row.Action == "insert" {
			return c.person() + " began the examination " + c.row.Paper
		}
		return c.person() + " went on with the examination " + c.row.Paper + " in another session"
	case "notice":
		return fmt.Sprintf("told all who work on %s: %s", c.row.Paper, c.text("text"))
	case "mark":
		if c.has("undoes") && c.text("undoes") != "" {
			return fmt.Sprintf("took back the mark of %s that was set by hand for %s in %s",
				c.person(), c.row.Exercise, c.row.Paper)
		}
		if c.text("mark") == "" {
			return fmt.Sprintf("had the computed mark of %s count again for %s in %s",
				c.person(), c.row.Exercise, c.row.Paper)
		}
		return fmt.Sprintf("set the mark of %s to %s for %s in %s",
			c.person(), c.text("mark"), c.row.Exercise, c.row.Paper)
	case "webhook":
		if c.text("removed_at") != "" {
			return "removed a webhook of " + c.row.Course
		}
		return "has the marks of " + c.row.Course + " told to " + c.text("url")
	case "note":
		if c.text("withdrawn_at") != "" {
			return fmt.Sprintf("withdrew a note on %s in %s", c.row.Exercise, c.row.Paper)
		}
		return fmt.Sprintf("wrote a note on %s in %s: %s", c.row.Exercise, c.row.Paper, c.text("text"))
	case "note_answer":
		if c.row.Actor == c.row.Person {
			return fmt.Sprintf("answered a note on %s in %s: %s", c.row.Exercise, c.row.Paper, c.text("text"))
		}
		return fmt.Sprintf("answered a note to %s on %s in %s: %s",
			c.person(), c.row.Exercise, c.row.Paper, c.text("text"))
	case "review":
		return c.review()
	case "recheck":
		return "checked the attempts at " + c.row.Paper + " again"
	}
	return c.paper()
}

func (c change) review() string {
	switch {
	case c.row.Action == "insert":
		return fmt.Sprintf("disputed what came of an attempt at %s in %s", c.row.Exercise, c.row.Paper)
	case c.row.Action == "delete":
		return fmt.Sprintf("took back what was disputed of an attempt at %s in %s", c.row.Exercise, c.row.Paper)
	case c.text("done_at") != "":
		return fmt.Sprintf("looked at an attempt of %s at %s in %s and left it as it is",
			c.person(), c.row.Exercise, c.row.Paper)
	}
	return fmt.Sprintf("put an attempt of %s at %s in %s back on the marking list",
		c.person(), c.row.Exercise, c.row.Paper)
}

func (c change) account() string {
	switch {
	case c.row.Action == "insert":
		return "made the account of " + c.person()
	case c.text("anonymised_at") != "":
		return "made " + c.person() + " anonymous"
	case c.text("deactivated_at") != "":
		return "deactivated the account of " + c.person()
	case c.has("deactivated_at"):
		return "activated the account of " + c.person()
	case c.text("one_time") == "true" || c.has("password") && c.has("one_time_until") && c.text("one_time_until") != "":
		return "gave " + c.person() + " a one-time password"
	case c.has("password"):
		return "changed the password of " + c.person()
	}
	return "changed how " + c.person() + " is called or reached"
}

func (c change) course() string {
	switch {
	case c.row.Action == "insert":
		return "made the course " + c.text("slug")
	case c.row.Action == "delete":
		return "deleted the course " + c.text("slug")
	case c.text("archived_at") != "":
		return "archived the course " + c.row.Course
	case c.has("archived_at"):
		return "took the course " + c.row.Course + " out of the archive"
	}
	return "changed the title or the zone of the course " + c.row.Course
}

func (c change) member() string {
	in := ""
	if group := c.text("group_name"); group != "" {
		in = ", in the group " + group
	}
	switch {
	case c.row.Action == "insert":
		return fmt.Sprintf("added %s to %s as %s%s", c.person(), c.row.Course, c.text("role"), in)
	case c.text("left_at") != "":
		return fmt.Sprintf("took %s out of %s", c.person(), c.row.Course)
	case c.has("left_at"):
		return fmt.Sprintf("took %s back into %s", c.person(), c.row.Course)
	case c.has("role"):
		return fmt.Sprintf("made %s %s of %s%s", c.person(), c.text("role"), c.row.Course, in)
	case in != "":
		return fmt.Sprintf("put %s into the group %s of %s", c.person(), c.text("group_name"), c.row.Course)
	}
	return fmt.Sprintf("took %s out of the group in %s", c.person(), c.row.Course)
}

func (c change) set() string {
	switch {
	case c.row.Action == "insert":
		return fmt.Sprintf("set %s for %s: opens %s, due %s",
			c.row.Paper, c.row.Course, c.when("opens_at"), c.when("due_at"))
	case c.row.Action == "delete":
		return fmt.Sprintf("took %s out of %s", c.row.Paper, c.row.Course)
	case c.text("released_at") != "":
		return fmt.Sprintf("released the marks of %s in %s", c.row.Paper, c.row.Course)
	case c.has("released_at"):
		return fmt.Sprintf("took back the release of the marks of %s in %s", c.row.Paper, c.row.Course)
	}
	var what []string
	if c.has("opens_at") {
		what = append(what, "opens "+c.when("opens_at"))
	}
	if c.has("due_at") {
		what = append(what, "due "+c.when("due_at"))
	}
	if c.has("rules") {
		what = append(what, "other rules")
	}
	return fmt.Sprintf("changed how %s is set for %s: %s", c.row.Paper, c.row.Course, strings.Join(what, ", "))
}

func (c change) extension() string {
	whom := c.row.PersonName
	if whom == "" {
		var row struct {
			Group string `json:"group_name"`
		}
		_ = json.Unmarshal(c.row.RowID, &row) // written by a trigger
		whom = "the group " + row.Group
	}
	if c.row.Action == "delete" {
		return fmt.Sprintf("took back the extension of %s for %s", whom, c.row.Paper)
	}
	var what []string
	if c.text("due_at") != "" {
		what = append(what, "until "+c.when("due_at"))
	}
	if minutes := c.text("minutes"); minutes != "" && minutes != "0" {
		what = append(what, minutes+" more minutes")
	}
	return fmt.Sprintf("gave %s an extension for %s: %s", whom, c.row.Paper, strings.Join(what, ", "))
}

func (c change) paper() string {
	switch {
	case c.row.Subject == "exercise_version":
		return fmt.Sprintf("published version %s of %s in %s", c.text("version"), c.text("title"), c.row.Paper)
	case c.row.Subject == "exercise" && c.text("retired") == "true" && c.row.Action == "update":
		return fmt.Sprintf("took %s out of %s", c.row.Exercise, c.row.Paper)
	case c.row.Subject == "exercise" && c.row.Action == "insert":
		return fmt.Sprintf("put %s into %s", c.text("slug"), c.row.Paper)
	case c.row.Subject == "exercise":
		return fmt.Sprintf("changed %s in %s", c.row.Exercise, c.row.Paper)
	case c.row.Action == "insert":
		return "made the paper " + c.row.Paper
	}
	return "published the paper " + c.row.Paper
}
