// Package demo fills a service with made-up data: the pack heather-hill, a course, and learners who submit through the
// service what learners submit: right answers written in many ways, typical mistakes, and nothing at all.
package demo

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"math/rand/v2"
	"net/http"
	"slices"
	"strings"
	"time"

	"golang.org/x/sync/errgroup"

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
	LearnerPassword    = "bees-and-honey"
)

const (
	course = "evening-group"
	paper  = "first-look"

	ownPack = "heather-hill"
)

// learners are the made-up learners; the first has begun, the last has not.
var learners = []string{
	"robin Robin Ashgrove",
	"alma Alma Quillon",
	"bento Bento Carrow",
	"chidi Chidi Marlowe",
	"dagny Dagny Holt",
	"elio Elio Brandt",
	"fia Fia Torvald",
	"goran Goran Pell",
	"hana Hana Wickstead",
	"idris Idris Calloway",
	"jun Jun Amberley",
	"kira Kira Novell",
	"luca Luca Penhallow",
	"mara Mara Ostrander",
	"noor Noor Fairweather",
	"otto Otto Grimsby",
	"petra Petra Lindgarth",
	"ravi Ravi Thornbury",
	"selma Selma Kestrel",
	"tarek Tarek Aldous",
	"una Una Merriweather",
	"viggo Viggo Stark",
	"yusra Yusra Dunmore",
	"wren Wren Halloway",
}

// LearnerCount returns the number of learners.
func LearnerCount() int { return len(learners) }

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
	detail, err := client.Read[client.CourseDetail](hazel.GetCourse(ctx, course))
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
			hazel.SetPaper(ctx, course, paper.Slug, client.PaperSetting{}),
		); err != nil {
			return err
		}
	}
	return nil
}

// Accounts creates the first account, which no call can create.
type Accounts interface {
	MakeAdministrator(ctx context.Context, name, displayName, password string) (made bool, err error)
}

// Fill loads the pack and has the course do its work. It leaves alone what the service already holds of the demo, so
// that after a start that was cut short, the next one completes it.
func Fill(ctx context.Context, accounts Accounts, url string) error {
	if _, err := accounts.MakeAdministrator(ctx, InstructorName, "Hazel Underhill", InstructorPassword); err != nil {
		return err
	}
	hazel, err := logIn(ctx, url, InstructorName, InstructorPassword)
	if err != nil {
		return err
	}
	if err := setUp(ctx, hazel); err != nil {
		return err
	}
	var all errgroup.Group
	all.SetLimit(4)
	for i, l := range learners {
		name, display, _ := strings.Cut(l, " ")
		all.Go(func() error {
			begun, err := client.Read[client.HistoryPage](
				hazel.ListHistory(ctx, &client.ListHistoryParams{Learner: name, Limit: 1}),
			)
			if err == nil && len(begun.Entries) > 0 {
				return nil
			}
			if _, err := client.Read[client.AddedMember](
				hazel.AddMember(
					ctx, course, client.NewMember{Name: name, DisplayName: display, Password: LearnerPassword},
				),
			); err != nil {
				return err
			}
			if name == NewLearnerName {
				return nil
			}
			return work(ctx, url, name, rand.New(rand.NewPCG(uint64(i), 11)))
		})
	}
	return all.Wait()
}

// setUp loads the pack, creates the course and opens the paper to it, doing only what was not done before.
func setUp(ctx context.Context, hazel *client.Client) error {
	if _, err := client.Read[client.Paper](hazel.GetPaper(ctx, paper)); err != nil {
		folder, err := fs.Sub(packs.Files, ownPack)
		if err == nil {
			_, err = client.Loaded(ctx, hazel, folder)
		}
		if err != nil {
			return err
		}
	}
	detail, err := client.Read[client.CourseDetail](hazel.GetCourse(ctx, course))
	if err != nil {
		if _, err := client.Read[client.Course](
			hazel.CreateCourse(ctx, client.NewCourse{Slug: course, Title: "Evening group"}),
		); err != nil {
			return err
		}
	}
	if len(detail.Papers) > 0 {
		return nil
	}
	due := time.Now().AddDate(0, 0, 14).UTC().Truncate(24 * time.Hour).Add(22 * time.Hour)
	_, err = client.Read[client.CoursePaper](hazel.SetPaper(ctx, course, paper, client.PaperSetting{Due: due}))
	return err
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

// work takes one learner through the paper. Some run their queries first, some make mistakes before they find the
// answer, some give up, some stop half-way.
func work(ctx context.Context, url, name string, chance *rand.Rand) error {
	c, err := logIn(ctx, url, name, LearnerPassword)
	if err != nil {
		return err
	}
	last := len(Exercises)
	if chance.IntN(3) == 0 {
		last = 1 + chance.IntN(len(Exercises)-1)
	}
	if name == LearnerName {
		last = 5
	}
	for i, e := range Exercises[:last] {
		if i > 2 && chance.IntN(12) == 0 {
			continue // left out
		}
		mistakes := max(0, chance.IntN(4)-1)
		for s := range mistakes {
			sql := e.Mistakes[(chance.IntN(len(e.Mistakes))+s)%len(e.Mistakes)]
			if _, err := client.Read[client.Run](
				c.Run(ctx, client.RunRequest{Paper: paper, Exercise: e.Slug, Sql: sql}),
			); err != nil {
				return fmt.Errorf("%s runs %s: %w", name, e.Slug, err)
			}
			if err := submit(ctx, c, e.Slug, sql); err != nil {
				return fmt.Errorf("%s submits %s: %w", name, e.Slug, err)
			}
		}
		if mistakes == 2 && chance.IntN(3) > 0 {
			continue // gave up
		}
		sql := e.Right[chance.IntN(len(e.Right))]
		if err := submit(ctx, c, e.Slug, sql); err != nil {
			return fmt.Errorf("%s submits %s: %w", name, e.Slug, err)
		}
	}
	return nil
}

func submit(ctx context.Context, c *client.Client, exercise, sql string) error {
	_, err := client.Read[client.Attempt](c.Submit(ctx, paper, exercise, client.Submission{Sql: sql}))
	if err == nil {
		_, err = client.Read[client.Draft](c.KeepDraft(ctx, paper, exercise, client.DraftText{Sql: sql}))
	}
	if errors.Is(err, context.Canceled) {
		return nil
	}
	return err
}
