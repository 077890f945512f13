package account

import (
	"strings"
	"testing"

	"examen/internal/records"
	"examen/internal/records/query"
)

// What one may do follows from what one is, and where.
func TestRights(t *testing.T) {
	in := func(memberships ...Membership) Account { return Account{Courses: memberships} }
	evening := func(role Role) Membership { return Membership{1, "evening", role} }
	administrator := Account{Administrator: true}
	for _, c := range []struct {
		name string
		who  Account
		role Role
		may  string // the actions on the course "evening", in order
	}{
		{"nobody in particular", Account{}, Learner, ""},
		{"a learner", in(evening(Learner)), Learner, "study"},
		{"an assistant", in(evening(Assistant)), Assistant, "see follow study"},
		{"an instructor", in(evening(Instructor)), Instructor, "prepare see manage instruct follow study"},
		{"another course's instructor", in(Membership{2, "morning", Instructor}), Instructor, "prepare"},
		{"an administrator", administrator, Instructor, "administer prepare see manage"},
		{
			"a learner who teaches elsewhere", in(evening(Learner), Membership{2, "morning", Assistant}), Assistant,
			"study",
		},
	} {
		var may []string
		for do, name := range []string{"administer", "prepare", "see", "manage", "instruct", "follow", "study"} {
			if c.who.May(Action(do), "evening") == nil {
				may = append(may, name)
			}
		}
		if got := strings.Join(may, " "); got != c.may {
			t.Errorf("%s may %s, want %s", c.name, got, c.may)
		}
		if role := c.who.Role(); role != c.role {
			t.Errorf("%s is %s", c.name, role)
		}
	}
	// To who teaches elsewhere a course is as if it were not there; to a learner it is not theirs to see.
	if got := kind(t, in(Membership{2, "morning", Instructor}).May(Follow, "evening")); got != "no-course" {
		t.Errorf("another course's instructor: %s", got)
	}
	if got := kind(t, in(evening(Learner)).May(Follow, "evening")); got != "not-allowed" {
		t.Errorf("a learner: %s", got)
	}
}

// Somebody's account is an administrator's to change, and of those who instruct all courses that a learner is in.
func TestWhoMayChangeAnAccount(t *testing.T) {
	a, _ := accounts(t)
	wren, err := a.ByName(ctx, "wren")
	if err != nil {
		t.Fatal(err)
	}
	for name, courses := range map[string]map[string]Role{
		"teaches-one":   {"one": Instructor},
		"teaches-both":  {"one": Instructor, "two": Instructor},
		"assists-one":   {"one": Assistant},
		"learns-one":    {"one": Learner},
		"learns-both":   {"one": Learner, "two": Learner},
		"learns-helps":  {"one": Learner, "two": Assistant},
		"is-in-nothing": {},
	} {
		if _, _, err := a.Create(ctx, wren, NewAccount{Name: name, Password: "long enough it is"}); err != nil {
			t.Fatal(err)
		}
		made, _ := a.ByName(ctx, name)
		for slug, role := range courses {
			course, err := a.records.CourseBySlug(ctx, slug)
			if records.Missing(err) {
				course, err = a.records.CreateCourse(ctx, query.CreateCourseParams{Slug: slug, Title: slug})
			}
			if err == nil {
				err = a.records.SetMember(ctx, query.SetMemberParams{
					CourseID: course.ID, AccountID: made.ID, Role: string(role),
				})
			}
			if err != nil {
				t.Fatal(err)
			}
		}
	}
	for _, c := range []struct{ who, other, want string }{
		{"wren", "learns-one", ""},
		{"wren", "is-in-nothing", ""},
		{"wren", "teaches-one", ""},
		{"teaches-one", "learns-one", ""},
		{"teaches-one", "learns-both", "not-allowed"},
		{"teaches-both", "learns-both", ""},
		{"teaches-both", "learns-helps", "not-allowed"},
		{"teaches-both", "teaches-one", "not-allowed"},
		{"teaches-one", "is-in-nothing", "no-account"},
		{"assists-one", "learns-one", "not-allowed"},
		{"learns-both", "learns-one", "not-allowed"},
		{"wren", "nobody-at-all", "no-account"},
	} {
		who, err := a.ByName(ctx, c.who)
		if err != nil {
			t.Fatal(err)
		}
		issued, err := a.Reset(ctx, who, c.other)
		if got := kind(t, err); got != c.want || (len(issued) == 1) != (c.want == "") {
			t.Errorf("%s resets %s: got %q", c.who, c.other, got)
		}
		if _, err := a.SetActive(ctx, who, c.other, true); kind(t, err) != c.want {
			t.Errorf("%s activates %s: got %v", c.who, c.other, err)
		}
	}
	if _, err := a.SetActive(ctx, wren, "wren", false); kind(t, err) != "own-account" {
		t.Errorf("one's own: %v", err)
	}
}

// Who is deactivated has no session any more, and gets none; activated again they do.
func TestDeactivatedAccounts(t *testing.T) {
	a, _ := accounts(t)
	wren, err := a.ByName(ctx, "wren")
	if err != nil {
		t.Fatal(err)
	}
	if _, _, err := a.Create(ctx, wren, NewAccount{Name: "posy-gone", Password: "long enough it is"}); err != nil {
		t.Fatal(err)
	}
	logIn := func() (string, string) {
		t.Helper()
		_, token, _, err := a.LogIn(ctx, LogIn{
			Name: "posy-gone", Password: "long enough it is", Kind: Bearer, Address: "192.0.2.44",
		})
		return token, kind(t, err)
	}
	token, _ := logIn()
	for _, c := range []struct {
		active           bool
		session, another string
	}{{false, "no-session", "deactivated"}, {true, "no-session", ""}} {
		if _, err := a.SetActive(ctx, wren, "posy-gone", c.active); err != nil {
			t.Fatal(err)
		}
		_, err := a.Session(ctx, token)
		if got := kind(t, err); got != c.session {
			t.Errorf("active %v: the session is %q", c.active, got)
		}
		if _, got := logIn(); got != c.another {
			t.Errorf("active %v: logging in gives %q", c.active, got)
		}
	}
}
