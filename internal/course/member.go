package course

import (
	"context"
	"slices"

	"examen/internal/account"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// People gives access to the members of courses.
type People struct{ *Courses }

// People returns the members of courses.
func (c *Courses) People() People { return People{c} }

// A NewMember describes somebody to add to a course.
type NewMember struct {
	Name, DisplayName, Email string
	Password                 string       // "" has one made
	Role                     account.Role // "" is a learner's, or of a member the one that they have
	Group                    string       // "" is none, or of a member the one that they are in
}

// An Added is a member with the one-time password that was made for them; "" if none was.
type Added struct {
	Member
	Password string
}

// Add adds somebody to a course, making the account if there is none, or changes what a member is there. Whoever had
// left the course is in it again.
func (p People) Add(ctx context.Context, who account.Account, courseSlug string, n NewMember) (added Added, err error) {
	course, err := p.managed(ctx, who, courseSlug)
	if err != nil {
		return added, err
	}
	if n, err = n.checked(); err != nil {
		return added, err
	}
	defer p.records.Changed(records.MembersChanged) // after the write
	row, err := p.records.AccountByName(ctx, n.Name)
	if err == nil {
		if err := p.asNow(ctx, course.ID, row.ID, &n); err != nil {
			return added, err
		}
		added.Member = Member{Account: account.Of(row), Role: n.Role, Group: n.Group}
		if err := p.staysInstructed(ctx, course.ID, row.ID, n.Role); err != nil {
			return added, err
		}
		return added, p.records.As(ctx, who.ID, func(t *records.Transaction) error {
			return p.join(ctx, t, course.ID, row.ID, n)
		})
	} else if !records.Missing(err) {
		return added, err
	}
	added.Role, added.Group = orLearner(n.Role), n.Group
	err = p.records.As(ctx, who.ID, func(t *records.Transaction) (err error) {
		if added.Account, added.Password, err = p.accounts.Make(ctx, t, n.account()); err != nil {
			return err
		}
		return p.join(ctx, t, course.ID, added.ID, n)
	})
	return added, err
}

// join stores what somebody is in a course. In another group, they have that group's extensions.
func (p People) join(ctx context.Context, t *records.Transaction, course, id int64, n NewMember) error {
	err := t.SetMember(ctx, query.SetMemberParams{
		CourseID: course, AccountID: id, Role: string(orLearner(n.Role)), GroupName: n.Group,
	})
	if err != nil {
		return err
	}
	return p.standInGroups(ctx, t, course)
}

// standInGroups computes marks again of those papers of a course of which groups have extensions.
func (p People) standInGroups(ctx context.Context, t *records.Transaction, course int64) error {
	sets, err := t.SetsOfGroups(ctx, course)
	if err != nil {
		return err
	}
	for _, set := range sets {
		if err := t.LockSet(ctx, set); err != nil {
			return err
		}
		if err := p.standAgain(ctx, t, set); err != nil {
			return err
		}
	}
	return nil
}

func orLearner(role account.Role) account.Role {
	if role == "" {
		return account.Learner
	}
	return role
}

// asNow fills in what a member is now where nothing else is said.
func (p People) asNow(ctx context.Context, course, id int64, n *NewMember) error {
	is, err := p.records.Member(ctx, query.MemberParams{CourseID: course, AccountID: id})
	if err != nil && !records.Missing(err) {
		return err
	}
	if n.Role == "" {
		n.Role = account.Role(is.Role)
	}
	if n.Group == "" {
		n.Group = is.GroupName
	}
	n.Role = orLearner(n.Role)
	return nil
}

// account returns the account to create for somebody who has none.
func (n NewMember) account() account.NewAccount {
	return account.NewAccount{Name: n.Name, DisplayName: n.DisplayName, Email: n.Email, Password: n.Password}
}

// checked fills in what was left out, and reports what is wrong.
func (n NewMember) checked() (NewMember, error) {
	checked, err := n.account().Checked()
	if err != nil {
		return n, err
	}
	n.Name, n.DisplayName, n.Email = checked.Name, checked.DisplayName, checked.Email
	return n, checkPlace(n.Role, n.Group)
}

// longestGroup is the greatest length of a group's name, in bytes.
const longestGroup = 100

// checkPlace returns a problem for a role that there is not, or for a group that cannot be called so.
func checkPlace(role account.Role, group string) error {
	if !slices.Contains([]account.Role{"", account.Instructor, account.Assistant, account.Learner}, role) {
		return problem.New(422, "role", "Invalid role",
			"%.40q: instructor, assistant or learner is expected.", role)
	}
	if len(group) > longestGroup || !records.IsText(group) {
		return problem.New(422, "group", "Invalid group",
			"A group's name has up to %d characters of text.", longestGroup)
	}
	return nil
}

// A Place is what somebody is in a course, and how they are called.
type Place struct {
	Role               account.Role
	Group              string
	DisplayName, Email string
}

// Change replaces what a member is in a course, and how they are called.
func (p People) Change(ctx context.Context, who account.Account, courseSlug, name string, place Place) (Member, error) {
	course, err := p.managed(ctx, who, courseSlug)
	if err != nil {
		return Member{}, err
	}
	m, err := p.member(ctx, course, name)
	if err != nil {
		return m, err
	}
	n := NewMember{
		Name: m.Name, DisplayName: place.DisplayName, Email: place.Email, Role: place.Role, Group: place.Group,
	}
	if n, err = n.checked(); err != nil {
		return m, err
	}
	if err := p.staysInstructed(ctx, course.ID, m.ID, orLearner(n.Role)); err != nil {
		return m, err
	}
	renamed := n.DisplayName != m.DisplayName || n.Email != m.Email
	if renamed {
		if _, err := p.accounts.Other(ctx, who, m.Name); err != nil && m.ID != who.ID {
			return m, err
		}
	}
	m.DisplayName, m.Email, m.Role, m.Group, m.Left = n.DisplayName, n.Email, orLearner(n.Role), n.Group, nil
	defer p.records.Changed(records.MembersChanged) // after the write
	return m, p.records.As(ctx, who.ID, func(t *records.Transaction) error {
		if renamed {
			err := t.DescribeAccount(ctx, query.DescribeAccountParams{
				ID: m.ID, DisplayName: n.DisplayName, Email: n.Email,
			})
			if err != nil {
				return err
			}
		}
		return p.join(ctx, t, course.ID, m.ID, n)
	})
}

// Leave has a member leave a course. All that they have done in it is kept, and they can be added again.
func (p People) Leave(ctx context.Context, who account.Account, courseSlug, name string) error {
	course, err := p.managed(ctx, who, courseSlug)
	if err != nil {
		return err
	}
	m, err := p.member(ctx, course, name)
	if err != nil {
		return err
	}
	if err := p.staysInstructed(ctx, course.ID, m.ID, ""); err != nil {
		return err
	}
	defer p.records.Changed(records.MembersChanged) // after the write
	return p.records.As(ctx, who.ID, func(t *records.Transaction) error {
		_, err := t.LeaveCourse(ctx, query.LeaveCourseParams{CourseID: course.ID, AccountID: m.ID})
		return err
	})
}

// member finds a member of a course, also one who has left it.
func (p People) member(ctx context.Context, course query.Course, name string) (Member, error) {
	row, err := p.accounts.ByName(ctx, name)
	if err == nil {
		is, missing := p.records.Member(ctx, query.MemberParams{CourseID: course.ID, AccountID: row.ID})
		if err = missing; err == nil {
			return Member{row, account.Role(is.Role), is.GroupName, is.LeftAt}, nil
		}
	}
	if records.Missing(err) {
		err = problem.New(404, "no-member", "There is no such member", "Nobody in %s is called %.80q.", course.Slug,
			name)
	}
	return Member{}, err
}

// staysInstructed returns a problem if the change would leave the course without an instructor.
func (p People) staysInstructed(ctx context.Context, course, id int64, role account.Role) error {
	if role == account.Instructor {
		return nil
	}
	members, err := p.records.CourseMembers(ctx, course)
	if err != nil {
		return err
	}
	is, others := false, 0
	for _, m := range members {
		switch {
		case m.Member.Role != string(account.Instructor) || m.Member.LeftAt != nil:
		case m.Account.ID == id:
			is = true
		default:
			others++
		}
	}
	if is && others == 0 {
		return problem.New(409, "last-instructor", "The course would have no instructor",
			"Add another instructor first, and then change this one's role.")
	}
	return nil
}

// IssuePasswords gives learners of a course new one-time passwords and ends their sessions: those named, or with unused
// all who have not changed one yet and whose accounts the caller may change.
func (p People) IssuePasswords(
	ctx context.Context, who account.Account, courseSlug string, learners []string, unused bool,
) ([]account.Issued, error) {
	course, err := p.managed(ctx, who, courseSlug)
	if err != nil {
		return nil, err
	}
	members, err := p.records.CourseMembers(ctx, course.ID)
	if err != nil {
		return nil, err
	}
	var names []string
	for _, row := range members {
		m := memberOf(row.Account, row.Member)
		if m.Left != nil || m.Role != account.Learner || !m.Active {
			continue
		}
		if slices.Contains(learners, m.Name) {
			names = append(names, m.Name)
		} else if unused && m.OneTime {
			if _, err := p.accounts.Other(ctx, who, m.Name); err == nil {
				names = append(names, m.Name)
			}
		}
	}
	for _, name := range learners {
		if !slices.Contains(names, name) {
			return nil, problem.New(404, "no-learner", "There is no such learner",
				"No learner of %s who can log in is called %.80q.", courseSlug, name)
		}
	}
	return p.accounts.Reset(ctx, who, names...)
}
