package account

import (
	"slices"

	"examen/internal/problem"
)

// A Role is what somebody is in a course.
type Role string

// The roles in a course.
const (
	Instructor Role = "instructor" // sets papers and marks
	Assistant  Role = "assistant"  // sees what learners do
	Learner    Role = "learner"
)

// A Membership says what somebody is in a course.
type Membership struct {
	ID     int64  // of the course
	Course string // its slug
	Role   Role
}

// An Action is what somebody wants to do; see [Account.May].
type Action int

// The actions, and who may take them.
const (
	// Administer is to make courses, and accounts outside of them: administrators.
	Administer Action = iota
	// Prepare is to bring datasets and papers, and to see accepted answers: whoever instructs a course, and
	// administrators.
	Prepare
	// See is to see who is in a course, and what is set for it: its instructors and assistants, and administrators.
	See
	// Manage is to say who is in a course: its instructors, and administrators.
	Manage
	// Instruct is to set papers for a course, and marks: its instructors.
	Instruct
	// Follow is to see what a course's learners do: its instructors and assistants.
	Follow
	// Study is to work on what is set for a course: its members.
	Study
)

// may says for each action whether administrators may take it, and what one has to be in the course.
var may = map[Action]struct {
	administrators bool
	roles          []Role
}{
	Administer: {true, nil},
	Prepare:    {true, []Role{Instructor}},
	See:        {true, []Role{Instructor, Assistant}},
	Manage:     {true, []Role{Instructor}},
	Instruct:   {false, []Role{Instructor}},
	Follow:     {false, []Role{Instructor, Assistant}},
	Study:      {false, []Role{Instructor, Assistant, Learner}},
}

// May checks whether an account may take an action on something that belongs to the given courses. A right in any one
// of them is enough, and Prepare needs no course at all. The result is nil, or the problem to answer the call with. It
// depends on the account alone, not on whether the course exists.
func (a Account) May(do Action, courses ...string) error {
	if a.Can(do, courses...) {
		return nil
	}
	staff := slices.ContainsFunc(a.Courses, func(c Membership) bool { return c.Role != Learner })
	switch {
	case do == Administer:
		return notAllowed("Only administrators may do this", "Ask an administrator.")
	case len(courses) == 1 && staff && do != Prepare && !slices.ContainsFunc(a.Courses, func(c Membership) bool {
		return c.Course == courses[0]
	}):
		return problem.New(
			404, "no-course", "There is no such course", "You are in no course called %.80q.", courses[0],
		)
	}
	return notAllowed("Only instructors may do this", "Log in as an instructor of the course.")
}

// Can tells whether an account may take an action, where nobody has to be told why not; see [Account.May].
func (a Account) Can(do Action, courses ...string) bool {
	allowed := may[do]
	return allowed.administrators && a.Administrator || slices.ContainsFunc(a.Courses, func(c Membership) bool {
		return slices.Contains(allowed.roles, c.Role) && (do == Prepare || slices.Contains(courses, c.Course))
	})
}

func notAllowed(title, detail string) error {
	return problem.New(403, "not-allowed", title, "%s", detail)
}

// In returns the numbers of the courses in which the account's role allows an action.
func (a Account) In(do Action) (ids []int64) {
	for _, c := range a.Courses {
		if slices.Contains(may[do].roles, c.Role) {
			ids = append(ids, c.ID)
		}
	}
	return ids
}

// Slugs are those of the courses that the account is in.
func (a Account) Slugs() (slugs []string) {
	for _, c := range a.Courses {
		slugs = append(slugs, c.Course)
	}
	return slugs
}

// Role is the highest role that the account has anywhere. Administrators count as instructors, because they may prepare
// papers.
func (a Account) Role() Role {
	role := Learner
	for _, c := range a.Courses {
		if c.Role == Assistant {
			role = Assistant
		}
	}
	if a.Can(Prepare) {
		role = Instructor
	}
	return role
}
