// Package demo fills a service with made-up data: the pack heather-hill, a course, and learners who submit through the
// service what learners submit: right answers written in many ways, typical mistakes, and nothing at all.
package demo

import (
	"context"
	"fmt"
	"io/fs"
	"math/rand/v2"
	"net/http"
	"slices"
	"time"

	"golang.org/x/sync/errgroup"

	"examen/internal/account"
	"examen/internal/client"
	packFormat "examen/internal/core/pack"
	"examen/packs"
)

// The accounts that the demo prints.
const (
	InstructorName     = "hazel"
	InstructorPassword = "hazel-heather-hill"
	LearnerName        = "robin"
	NewLearnerName     = "wren"
	AssistantName      = "linden"
	LearnerPassword    = "bees-and-honey"
)

const ownPack = "heather-hill"

// Packs lists the packs that the demo can load besides its own.
func Packs() []string {
	var names []string
	entries, _ := packs.Files.ReadDir(".") // it is embedded
	for _, e := range entries {
		if e.Name() != ownPack {
			names = append(names, e.Name())
		}
	}
	return names
}

// Add loads one of these packs and opens its papers to the course, unless that was done before.
func Add(ctx context.Context, url, pack string) error {
	hazel, err := logIn(ctx, url, InstructorName, InstructorPassword)
	if err != nil {
		return err
	}
	detail, err := client.Read[client.CourseDetail](hazel.GetCourse(ctx, groups[0].slug))
	if err != nil {
		return err
	}
	folder, err := fs.Sub(packs.Files, pack)
	if err != nil {
		return err
	}
	known, wrong := packFormat.Read(folder)
	if wrong != nil {
		return wrong[0]
	}
	for _, paper := range known.Papers {
		if slices.ContainsFunc(detail.Papers, func(p client.CoursePaper) bool { return p.Paper == paper.Slug }) {
			return nil // it has been done
		}
	}
	if _, err := client.Loaded(ctx, hazel, folder); err != nil {
		return err
	}
	for _, paper := range known.Papers {
		if _, err := client.Read[client.CoursePaper](
			hazel.SetPaper(ctx, groups[0].slug, paper.Slug, client.PaperSetting{}),
		); err != nil {
			return err
		}
	}
	return nil
}

// Accounts are those of the service. The first is created without a call: no call can.
type Accounts interface {
	MakeAdministrator(ctx context.Context, name, displayName, password string) (made bool, err error)
	ByName(ctx context.Context, name string) (account.Account, error)
}

// Fill loads the pack and has the courses do their work, up to now. It leaves alone what the service already holds of
// the demo, so that after a start that was cut short, the next one completes it.
func Fill(ctx context.Context, accounts Accounts, w Work, url string) error {
	if _, err := accounts.MakeAdministrator(ctx, InstructorName, "Hazel Underhill", InstructorPassword); err != nil {
		return err
	}
	hazel, err := logIn(ctx, url, InstructorName, InstructorPassword)
	if err != nil {
		return err
	}
	if err := load(ctx, hazel); err != nil {
		return err
	}
	now := time.Now()
	var all []step
	for _, g := range groups {
		papers, err := g.setUp(ctx, hazel, now)
		if err != nil {
			return err
		}
		steps, err := g.toDo(ctx, hazel, papers, now)
		if err != nil {
			return err
		}
		all = append(all, steps...)
	}
	if err := do(ctx, accounts, w, all); err != nil {
		return err
	}
	if err := groups[0].inTheMargins(ctx, accounts, w, hazel, url, now); err != nil {
		return err
	}
	return groups[0].examine(ctx, hazel, url, now)
}

// load loads the pack, unless the service has it.
func load(ctx context.Context, hazel *client.Client) error {
	if _, err := client.Read[client.Paper](hazel.GetPaper(ctx, honeyRoom)); err == nil {
		return nil
	}
	folder, err := fs.Sub(packs.Files, ownPack)
	if err == nil {
		_, err = client.Loaded(ctx, hazel, folder)
	}
	return err
}

// setUp creates the course with its members and sets its papers, doing only what was not done before.
func (g *group) setUp(ctx context.Context, hazel *client.Client, now time.Time) ([]client.CoursePaper, error) {
	detail, err := client.Read[client.CourseDetail](hazel.GetCourse(ctx, g.slug))
	if err != nil {
		if _, err := client.Read[client.Course](
			hazel.CreateCourse(ctx, client.NewCourse{Slug: g.slug, Title: g.title, Zone: g.zone}),
		); err != nil {
			return nil, err
		}
	}
	var all errgroup.Group
	all.SetLimit(4)
	for _, m := range g.members {
		if slices.ContainsFunc(detail.Members, func(there client.Member) bool { return there.Name == m.name }) {
			continue
		}
		all.Go(func() error {
			_, err := client.Read[client.AddedMember](hazel.AddMember(ctx, g.slug, client.NewMember{
				Name: m.name, DisplayName: m.display, Password: LearnerPassword, Role: m.role, Group: m.group,
				Email: m.name + "@heatherhill.example",
			}))
			return err
		})
	}
	if err := all.Wait(); err != nil {
		return nil, err
	}
	for _, p := range g.papers {
		if slices.ContainsFunc(detail.Papers, func(there client.CoursePaper) bool { return there.Paper == p.slug }) {
			continue
		}
		if err := g.set(ctx, hazel, &p, now); err != nil {
			return nil, fmt.Errorf("%s for %s: %w", p.slug, g.slug, err)
		}
	}
	detail, err = client.Read[client.CourseDetail](hazel.GetCourse(ctx, g.slug))
	return detail.Papers, err
}

// set sets a paper for the course, extends it, and releases its marks.
func (g *group) set(ctx context.Context, hazel *client.Client, p *paper, now time.Time) error {
	opens, due := hourOf(now, p.opens[0], p.opens[1], g.zone), hourOf(now, p.due[0], p.due[1], g.zone)
	if _, err := client.Read[client.CoursePaper](hazel.SetPaper(ctx, g.slug, p.slug, client.PaperSetting{
		Opens: opens, Due: due, Rules: &p.rules,
	})); err != nil {
		return err
	}
	for _, e := range p.extensions {
		if e.days > 0 {
			e.Due = hourOf(due, e.days, p.due[1], g.zone)
		}
		if _, err := client.Read[client.Extension](hazel.ExtendPaper(ctx, g.slug, p.slug, e.NewExtension)); err != nil {
			return err
		}
	}
	if !p.released {
		return nil
	}
	_, err := client.Read[client.CoursePaper](
		hazel.ReleaseMarks(ctx, g.slug, p.slug, client.Released{Released: true}),
	)
	return err
}

// toDo lists what the course's learners have not done yet, of the papers that have opened.
func (g *group) toDo(
	ctx context.Context, hazel *client.Client, papers []client.CoursePaper, now time.Time,
) (all []step, err error) {
	for _, p := range papers {
		if Answers[p.Paper] == nil || now.Before(p.Opens) || p.Rules.Examination.Minutes > 0 {
			continue
		}
		progress, err := client.Read[client.Progress](
			hazel.GetProgress(ctx, p.Paper, &client.GetProgressParams{Course: g.slug}),
		)
		if err != nil {
			return nil, err
		}
		begun := map[string]bool{}
		for _, l := range progress.Learners {
			begun[l.Name] = slices.ContainsFunc(l.Cells, func(c client.ProgressCell) bool { return c.Attempts > 0 })
		}
		all = append(all, g.visits(p, begun, now)...)
	}
	return all, nil
}

// candidates begin the examination as the demo starts, and are at it from then on.
var candidates = []string{"alma", "dagny", "idris", "jun", "mara", "viggo"}

// examine has some learners begin the course's examination, unless some have, or it is over.
func (g *group) examine(ctx context.Context, hazel *client.Client, url string, now time.Time) error {
	detail, err := client.Read[client.CourseDetail](hazel.GetCourse(ctx, g.slug))
	if err != nil {
		return err
	}
	at := slices.IndexFunc(detail.Papers, func(p client.CoursePaper) bool { return p.Paper == honeyRoom })
	if at < 0 || !now.Before(detail.Papers[at].Due) {
		return nil
	}
	begun, err := client.Read[[]client.Candidate](hazel.ListCandidates(ctx, g.slug, honeyRoom))
	if err != nil || len(begun) > 0 {
		return err
	}
	var all errgroup.Group
	for i, name := range candidates {
		all.Go(func() error {
			c, err := logIn(ctx, url, name, LearnerPassword)
			if err != nil {
				return err
			}
			if _, err := client.Read[client.PaperSummary](
				c.BeginExamination(ctx, honeyRoom, client.Beginning{}),
			); err != nil {
				return err
			}
			done := steps(honeyRoom, name, rand.New(rand.NewPCG(uint64(i), 13)))
			for _, s := range slices.Concat(done[:min(1+i%3, len(done))]...) {
				if s.submit {
					_, err := client.Read[client.Attempt](
						c.Submit(ctx, honeyRoom, s.exercise, client.Submission{Sql: s.sql}),
					)
					if err != nil {
						return err
					}
				}
			}
			return nil
		})
	}
	return all.Wait()
}

func logIn(ctx context.Context, url, name, password string) (*client.Client, error) {
	c, err := client.NewClient(url)
	if err != nil {
		return nil, err
	}
	session, err := client.Read[client.Session](
		c.LogIn(ctx, client.LogInJSONRequestBody{Name: name, Password: password, Kind: client.Bearer}),
	)
	if err != nil {
		return nil, err
	}
	return client.NewClient(
		url, client.WithBearer(session.Token), client.WithHTTPClient(&http.Client{Timeout: time.Minute}),
	)
}
