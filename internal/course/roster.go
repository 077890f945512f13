package course

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"examen/internal/account"
	"examen/internal/core/roster"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// A LineState says what importing a line of a roster would do.
type LineState string

// The states of lines.
const (
	LineNew     LineState = "new"     // somebody comes into the course
	LineChanged LineState = "changed" // a member changes
	LineSame    LineState = "same"    // all is as the line says
	LineWrong   LineState = "wrong"
)

// A RosterLine is a line of a roster beside what there is.
type RosterLine struct {
	roster.Person
	State LineState
	// HasAccount tells that the account is there already.
	HasAccount bool
	// Changes says what would change of a member, each in words.
	Changes []string

	account int64 // 0: to be made
	role    account.Role
	rename  bool
}

// A RosterPreview is what importing a roster into a course would do.
type RosterPreview struct {
	Lines []RosterLine
	// Digest identifies what is shown: an import that would do something else is refused.
	Digest  string
	Columns map[roster.Field]string
	Headers []string
	Groups  []string // the classes of the open roster standard's files
	LeftOut int      // lines of these that are not of the course
	Absent  []string // logins of learners of the course whom the roster does not name
}

// Count returns how many lines have a state.
func (p *RosterPreview) Count(state LineState) (n int) {
	for _, l := range p.Lines {
		if l.State == state {
			n++
		}
	}
	return n
}

// Preview says what importing a roster would do. Nothing is done.
func (p People) Preview(
	ctx context.Context, who account.Account, courseSlug string, files []roster.File, o roster.Options,
) (*RosterPreview, error) {
	course, err := p.managed(ctx, who, courseSlug)
	if err != nil {
		return nil, err
	}
	return p.preview(ctx, who, course, files, o)
}

func (p People) preview(
	ctx context.Context, who account.Account, course query.Course, files []roster.File, o roster.Options,
) (*RosterPreview, error) {
	read, err := roster.Read(files, o)
	var wrong *roster.Error
	if errors.As(err, &wrong) {
		return nil, problem.New(422, "roster", "The roster cannot be read", "%s.", wrong)
	} else if err != nil {
		return nil, err
	}
	out := &RosterPreview{
		Columns: read.Columns, Headers: read.Headers, Groups: read.Groups, LeftOut: read.LeftOut,
	}
	there, err := p.rosterOf(ctx, who, course, read.People)
	if err != nil {
		return nil, err
	}
	digest := sha256.New()
	named := map[string]bool{}
	for _, person := range read.People {
		line := there.line(person)
		named[line.Login] = true
		out.Lines = append(out.Lines, line)
		fmt.Fprintf(digest, "%+q %s %q\n", fmt.Sprint(line.Person), line.State, line.Changes)
	}
	for _, m := range there.learners {
		if !named[m] {
			out.Absent = append(out.Absent, m)
		}
	}
	out.Digest = hex.EncodeToString(digest.Sum(nil))
	return out, nil
}

// existing is what there is of the people of a roster.
type existing struct {
	accounts map[string]account.Account // by login
	members  map[int64]Member           // of the course, by account
	learners []string                   // logins of all learners who are in it
	renames  func(account.Account) bool // whether the caller may say how somebody is called
}

// rosterOf reads what there is of the people of a roster.
func (p People) rosterOf(
	ctx context.Context, who account.Account, course query.Course, people []roster.Person,
) (*existing, error) {
	e := &existing{
		accounts: map[string]account.Account{}, members: map[int64]Member{},
		renames: func(a account.Account) bool { return account.MayHandle(who, a) == nil },
	}
	names := []string{}
	for _, person := range people {
		names = append(names, person.Login)
	}
	accounts, err := p.records.AccountsByName(ctx, names)
	if err != nil {
		return nil, err
	}
	ids := []int64{}
	for _, row := range accounts {
		e.accounts[row.Name] = account.Of(row)
		ids = append(ids, row.ID)
	}
	courses, err := p.records.CoursesOfAccounts(ctx, ids)
	if err != nil {
		return nil, err
	}
	in := map[int64][]account.Membership{}
	for _, c := range courses {
		in[c.AccountID] = append(in[c.AccountID], account.Membership{ID: c.ID, Course: c.Slug,
			Role: account.Role(c.Role)})
	}
	for name, a := range e.accounts {
		a.Courses = in[a.ID]
		e.accounts[name] = a
	}
	members, err := p.records.CourseMembers(ctx, course.ID)
	for _, row := range members {
		m := memberOf(row.Account, row.Member)
		e.members[m.ID] = m
		if m.Left == nil && m.Role == account.Learner {
			e.learners = append(e.learners, m.Name)
		}
	}
	return e, err
}

// line says what importing a line would do.
func (e *existing) line(person roster.Person) RosterLine {
	line := RosterLine{Person: person, State: LineWrong}
	if line.Wrong != "" {
		return line
	}
	n := NewMember{
		Name: person.Login, DisplayName: person.Name, Email: person.Email,
		Role: account.Role(person.Role), Group: person.Group,
	}
	checked, err := n.checked()
	var wrong *problem.Problem
	if errors.As(err, &wrong) {
		line.Wrong = wrong.Title + ". " + wrong.Detail
		return line
	}
	a, has := e.accounts[checked.Name]
	m, member := e.members[a.ID]
	line.HasAccount, line.account, line.role = has, a.ID, cmp.Or(checked.Role, m.Role, account.Learner)
	if line.Name == "" && !has {
		line.Name = checked.DisplayName
	}
	if line.Group == "" {
		line.Group = m.Group
	}
	switch {
	case !has || !member:
		line.State = LineNew
	case m.Left != nil:
		line.State, line.Changes = LineChanged, []string{"is in the course again"}
	default:
		line.State = LineSame
	}
	if has {
		line.Changes = append(line.Changes, e.changes(a, &line)...)
	}
	if member {
		line.changed("role", string(m.Role), string(line.role))
		line.changed("group", m.Group, line.Group)
	}
	if line.State == LineSame && len(line.Changes) > 0 {
		line.State = LineChanged
	}
	return line
}

// changes lists how somebody would be called otherwise who has an account. Whoever is in a course of others keeps their
// name.
func (e *existing) changes(a account.Account, line *RosterLine) (all []string) {
	if line.Name == "" || !e.renames(a) && line.Name != a.DisplayName {
		line.Name = a.DisplayName
	}
	if line.Email == "" || !e.renames(a) && line.Email != a.Email {
		line.Email = a.Email
	}
	before := len(line.Changes)
	line.changed("name", a.DisplayName, line.Name)
	line.changed("e-mail", a.Email, line.Email)
	all = slices.Clone(line.Changes[before:])
	line.Changes = line.Changes[:before]
	line.rename = len(all) > 0
	return all
}

// changed adds a change in words.
func (l *RosterLine) changed(what, was, is string) {
	if was != is {
		l.Changes = append(l.Changes, fmt.Sprintf("%s: %s, was %s", what, cmp.Or(is, "none"), cmp.Or(was, "none")))
	}
}

// An Imported is what importing a roster has done.
type Imported struct {
	*RosterPreview
	Added []Added // whose accounts were made, each with a one-time password
}

// Import does what a preview said: what is new is added, what is changed is changed, and wrong lines are left out if
// the caller says so. It is all done or nothing is.
func (p People) Import(
	ctx context.Context, who account.Account, courseSlug string, files []roster.File, o roster.Options,
	digest string, leaveOut bool,
) (*Imported, error) {
	course, err := p.managed(ctx, who, courseSlug)
	if err != nil {
		return nil, err
	}
	preview, err := p.preview(ctx, who, course, files, o)
	if err != nil {
		return nil, err
	}
	if preview.Digest != digest {
		return nil, problem.New(409, "roster-changed", "The import would do something else by now",
			"The course or the file has changed since you looked. Look at what it would do again, and confirm that.")
	}
	if n := preview.Count(LineWrong); n > 0 && !leaveOut {
		return nil, problem.New(422, "roster-wrong", "The roster has wrong lines",
			"There are %d: mend them, or say that they are left out.", n)
	}
	out := &Imported{RosterPreview: preview}
	defer p.records.Changed(records.MembersChanged) // after the write
	return out, p.records.As(ctx, who.ID, func(t *records.Transaction) error {
		return p.importLines(ctx, t, course, out)
	})
}

// importLines stores what the lines say.
func (p People) importLines(ctx context.Context, t *records.Transaction, course query.Course, out *Imported) error {
	out.Added = nil
	var made []account.NewAccount
	var described query.DescribeAccountsParams
	members := map[string]*RosterLine{}
	for i := range out.Lines {
		line := &out.Lines[i]
		switch {
		case line.State == LineWrong || line.State == LineSame:
			continue
		case line.account == 0:
			made = append(made, account.NewAccount{Name: line.Login, DisplayName: line.Name, Email: line.Email})
		case line.rename:
			described.Ids = append(described.Ids, line.account)
			described.DisplayNames = append(described.DisplayNames, line.Name)
			described.Emails = append(described.Emails, line.Email)
		}
		members[line.Login] = line
	}
	issued, err := p.accounts.MakeMany(ctx, t, made)
	if err != nil {
		return err
	}
	for _, one := range issued {
		line := members[one.Name]
		line.account = one.ID
		out.Added = append(out.Added, Added{Member{Account: one.Account, Role: line.role, Group: line.Group},
			one.Password})
	}
	if len(described.Ids) > 0 {
		if err := t.DescribeAccounts(ctx, described); err != nil {
			return err
		}
	}
	if len(members) == 0 {
		return nil
	}
	set := query.SetMembersParams{CourseID: course.ID}
	for _, login := range slices.Sorted(maps.Keys(members)) {
		line := members[login]
		set.Accounts = append(set.Accounts, line.account)
		set.Roles, set.Groups = append(set.Roles, string(line.role)), append(set.Groups, line.Group)
	}
	if err := t.SetMembers(ctx, set); err != nil {
		return err
	}
	if n, err := t.CountInstructors(ctx, course.ID); err != nil {
		return err
	} else if n == 0 {
		return problem.New(409, "last-instructor", "The course would have no instructor",
			"The roster gives another role to every instructor: leave one of them out.")
	}
	return p.standInGroups(ctx, t, course.ID)
}

// sentence is an error as a sentence, with a capital letter and without a full stop.
func sentence(err error) string {
	text := strings.TrimSuffix(err.Error(), ".")
	if text == "" {
		return text
	}
	return strings.ToUpper(text[:1]) + text[1:]
}
