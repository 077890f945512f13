package course

import (
	"context"
	"slices"

	"examen/internal/account"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// A NewMember describes somebody to add to a course.
type NewMember struct {
	Name, DisplayName string
	Password          string       // "" has one made
	Role              account.Role // "" is a learner's
}

// AddMember adds somebody to a course, creating the account if there is none, or changes a member's role. password is
// the one-time password, if one was made.
func (c *Courses) AddMember(ctx context.Context, who account.Account, courseSlug string, n NewMember) (
	added Member, password string, err error,
) {
	if err := who.May(account.Manage, courseSlug); err != nil {
		return added, "", err
	}
	course, err := c.find(ctx, courseSlug)
	if err != nil {
		return added, "", err
	}
	if n, err = n.checked(); err != nil {
		return added, "", err
	}
	added.Role = n.Role
	defer c.records.Changed(records.MembersChanged) // after the write
	join := func(t *records.Transaction, id int64) error {
		return t.SetMember(ctx, query.SetMemberParams{CourseID: course.ID, AccountID: id, Role: string(n.Role)})
	}
	row, err := c.records.AccountByName(ctx, n.Name)
	if err == nil {
		added.Account = account.Of(row)
		if err := c.staysInstructed(ctx, course.ID, row.ID, n.Role); err != nil {
			return added, "", err
		}
		return added, "", c.records.As(ctx, who.ID, func(t *records.Transaction) error { return join(t, row.ID) })
	} else if !records.Missing(err) {
		return added, "", err
	}
	err = c.records.As(ctx, who.ID, func(t *records.Transaction) (err error) {
		if added.Account, password, err = c.accounts.Make(ctx, t, n.account()); err != nil {
			return err
		}
		return join(t, added.ID)
	})
	return added, password, err
}

// account returns the account to create for somebody who has none.
func (n NewMember) account() account.NewAccount {
	return account.NewAccount{Name: n.Name, DisplayName: n.DisplayName, Password: n.Password}
}

// checked fills in what was left out, and reports what is wrong.
func (n NewMember) checked() (NewMember, error) {
	checked, err := n.account().Checked()
	if err != nil {
		return n, err
	}
	n.Name, n.DisplayName = checked.Name, checked.DisplayName
	if n.Role == "" {
		n.Role = account.Learner
	}
	if !slices.Contains([]account.Role{account.Instructor, account.Assistant, account.Learner}, n.Role) {
		return n, problem.New(422, "role", "Invalid role",
			"%.40q: instructor, assistant or learner is expected.", n.Role)
	}
	return n, nil
}

// staysInstructed returns a problem if the change would leave the course without an instructor.
func (c *Courses) staysInstructed(ctx context.Context, course, id int64, role account.Role) error {
	if role == account.Instructor {
		return nil
	}
	members, err := c.records.CourseMembers(ctx, course)
	if err != nil {
		return err
	}
	is, others := false, 0
	for _, m := range members {
		switch {
		case m.Role != string(account.Instructor):
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
