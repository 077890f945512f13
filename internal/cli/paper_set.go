package cli

import (
	"context"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"examen/internal/client"
)

// settingFlags are the flags of a paper as it is set for a course.
type settingFlags struct {
	course, opens, due string
	counts, tell       string
	grace              time.Duration
	deduct             string
	attempts           int
	answers, shuffle   bool
	partial            []string
	examination        time.Duration
	unbounded          []string
}

func (p *program) paperSet() *cobra.Command {
	f := &settingFlags{}
	c := &cobra.Command{
		Use: "set PAPER --course COURSE", Short: "Set a paper for a course, or change its times and rules there",
		Args: argsBetween(1, 1, "a paper"),
		Long: `Sets a paper for a course. What is not said stays as it is; for a paper that was not
set yet, its own times hold and the ordinary rules: the best attempt counts, nothing is
accepted after the due time, and everything is told at once.

Times without a zone are by the clocks of the course.

A deduction is a percentage of the mark, for each hour begun (--deduct 5%/h) or in steps
(--deduct 1h:10%,24h:30%): up to an hour late 10 %, up to a day 30 %.`,
		RunE: func(cmd *cobra.Command, args []string) error { return p.setPaper(cmd, args[0], f) },
	}
	flags := c.Flags()
	flags.StringVar(&f.course, "course", "", "the course")
	flags.StringVar(&f.opens, "opens", "", "when it opens: 2026-09-01, '2026-09-01 08:00' or 2026-09-01T08:00:00Z")
	flags.StringVar(&f.due, "due", "", "when it is due, likewise; a date alone is its end")
	flags.StringSliceVar(&f.unbounded, "unbounded", nil, "take a time out: opens, due")
	flags.StringVar(&f.counts, "counts", "", "which attempt counts: best, last (by the due time) or first")
	flags.DurationVar(&f.grace, "grace", 0, "how long after the due time attempts are accepted, such as 48h")
	flags.StringVar(&f.deduct, "deduct", "", "what is taken off the mark meanwhile: 5%/h, or 1h:10%,24h:30%")
	flags.IntVar(&f.attempts, "attempts", 0, "how many are allowed at each exercise; 0 is no limit")
	flags.StringVar(&f.tell, "tell", "", "when learners are told marks and findings: at-once, after-due or released")
	flags.BoolVar(&f.answers, "answers", false, "show accepted answers once nobody can submit any more")
	flags.StringSliceVar(&f.partial, "partial", nil,
		"part of the points for answers with only such findings, such as row-order=50%")
	flags.DurationVar(&f.examination, "examination", 0, "make it an examination of so long, such as 90m; 0s: none")
	flags.BoolVar(&f.shuffle, "shuffle", false, "of an examination: every learner has the exercises in another order")
	return c
}

// zoneOf asks for the zone of a course.
func (p *program) zoneOf(cmd *cobra.Command, course string) (*time.Location, client.CourseDetail, error) {
	detail, err := ask[client.CourseDetail](p, cmd, func(ctx context.Context, c *client.Client) (*http.Response,
		error) {
		return c.GetCourse(ctx, course)
	})
	if err != nil {
		return nil, detail, err
	}
	place, err := time.LoadLocation(detail.Zone)
	return place, detail, err
}

func (p *program) setPaper(cmd *cobra.Command, paper string, f *settingFlags) error {
	if err := courseGiven(cmd, f.course); err != nil {
		return err
	}
	place, detail, err := p.zoneOf(cmd, f.course)
	if err != nil {
		return err
	}
	set := client.PaperSetting{}
	for _, bound := range []struct {
		given string
		to    *time.Time
		end   bool
	}{{f.opens, &set.Opens, false}, {f.due, &set.Due, true}} {
		if bound.given == "" {
			continue
		}
		if *bound.to, err = momentIn(bound.given, place, bound.end); err != nil {
			return err
		}
	}
	for _, which := range f.unbounded {
		if err := oneOf("unbounded", which); err != nil {
			return err
		}
		set.Unbounded = append(set.Unbounded, client.PaperSettingUnbounded(which))
	}
	rules := client.PaperRules{}
	for _, is := range detail.Papers {
		if is.Paper == paper {
			rules = is.Rules
		}
	}
	changed, err := f.change(cmd, &rules)
	if err != nil {
		return err
	}
	if changed {
		set.Rules = &rules
	}
	return show(p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
		return c.SetPaper(ctx, f.course, paper, set)
	}, coursePaperHeader, one(coursePaperLine(detail.Zone)))
}

// change changes the rules as the flags say.
func (f *settingFlags) change(cmd *cobra.Command, rules *client.PaperRules) (changed bool, err error) {
	given := func(flag string) bool {
		is := cmd.Flags().Changed(flag)
		changed = changed || is
		return is
	}
	if given("counts") {
		if err := oneOf("counts", f.counts); err != nil {
			return false, err
		}
		rules.Counts = client.PaperRulesCounts(f.counts)
	}
	if given("tell") {
		if err := oneOf("tell", f.tell); err != nil {
			return false, err
		}
		rules.Tell = client.PaperRulesTell(f.tell)
	}
	if given("grace") {
		if rules.Late.Minutes = int(f.grace.Minutes()); rules.Late.Minutes == 0 {
			rules.Late = client.LateRules{}
		}
	}
	if given("deduct") {
		if err := deduction(f.deduct, &rules.Late); err != nil {
			return false, usageError{err}
		}
	}
	if given("attempts") {
		rules.Attempts = f.attempts
	}
	if given("answers") {
		rules.Answers = f.answers
	}
	if given("partial") {
		rules.Partial = map[string]int{}
		for _, one := range f.partial {
			kind, share, _ := strings.Cut(one, "=")
			if rules.Partial[kind], err = percent(share); err != nil {
				return false, usageError{fmt.Errorf("--partial %s: %w; expected is row-order=50%%", one, err)}
			}
		}
	}
	if given("examination") {
		rules.Examination.Minutes = int(f.examination.Minutes())
		if f.examination == 0 {
			rules.Examination = client.ExaminationRules{}
		}
	}
	if given("shuffle") {
		rules.Examination.Shuffle = f.shuffle
	}
	return changed, nil
}

// deduction reads what is taken off the mark of what comes late: "5%/h", "1h:10%,24h:30%", or "0%" for nothing. Steps
// say how long the grace period is.
func deduction(text string, late *client.LateRules) error {
	late.PerHour, late.Steps = 0, nil
	if text == "0%" || text == "0" {
		return nil
	}
	if perHour, is := strings.CutSuffix(text, "/h"); is {
		var err error
		late.PerHour, err = percent(perHour)
		return err
	}
	for _, step := range strings.Split(text, ",") {
		until, share, _ := strings.Cut(step, ":")
		after, err := time.ParseDuration(until)
		if err != nil {
			return fmt.Errorf("--deduct %s: a percentage for each hour such as 5%%/h, or steps such as "+
				"1h:10%%,24h:30%% "+
				"are expected", text)
		}
		part, err := percent(share)
		if err != nil {
			return err
		}
		late.Steps = append(late.Steps, client.LateStep{Minutes: int(after.Minutes()), Percent: part})
	}
	late.Minutes = late.Steps[len(late.Steps)-1].Minutes
	return nil
}

func percent(text string) (int, error) {
	n, err := strconv.Atoi(strings.TrimSuffix(strings.TrimSpace(text), "%"))
	if err != nil || n < 0 || n > 100 {
		return 0, fmt.Errorf("%q is no percentage from 0%% to 100%%", text)
	}
	return n, nil
}

var coursePaperHeader = []string{"paper", "title", "state", "opens", "due", "rules"}

// coursePaperLine describes a paper as it is set for a course with a zone.
func coursePaperLine(zone string) func(client.CoursePaper) []string {
	return func(c client.CoursePaper) []string {
		return []string{
			c.Paper, c.Title, string(c.State), clockIn(c.Opens, zone), clockIn(c.Due, zone), rulesInWords(c),
		}
	}
}

// rulesInWords says what is not as it is without rules.
func rulesInWords(c client.CoursePaper) string {
	var words []string
	r := c.Rules
	if r.Examination.Minutes > 0 {
		exam := fmt.Sprintf("examination of %s", plural(int64(r.Examination.Minutes), "minute"))
		if r.Examination.Shuffle {
			exam += ", shuffled"
		}
		words = append(words, exam)
	}
	if r.Counts != client.CountsBest && r.Counts != "" {
		words = append(words, string(r.Counts)+" attempt counts")
	}
	if r.Attempts > 0 {
		words = append(words, "at most "+plural(int64(r.Attempts), "attempt"))
	}
	if r.Late.Minutes > 0 {
		words = append(words, lateInWords(r.Late))
	}
	for kind, share := range r.Partial {
		words = append(words, fmt.Sprintf("%d %% for %s", share, kind))
	}
	switch {
	case !c.Released.IsZero():
		words = append(words, "marks released")
	case r.Tell == client.TellAfterDue:
		words = append(words, "marks after the due time")
	case r.Tell == client.TellReleased:
		words = append(words, "marks when released")
	}
	if r.Answers {
		words = append(words, "answers shown afterwards")
	}
	if c.Extensions > 0 {
		words = append(words, plural(int64(c.Extensions), "extension"))
	}
	return strings.Join(words, "; ")
}

// lateInWords says what becomes of what comes late.
func lateInWords(l client.LateRules) string {
	text := "late by up to " + inHours(l.Minutes)
	switch {
	case l.PerHour > 0:
		return fmt.Sprintf("%s, %d %% off an hour", text, l.PerHour)
	case len(l.Steps) == 0:
		return text
	}
	var steps []string
	for _, s := range l.Steps {
		steps = append(steps, fmt.Sprintf("%d %% off up to %s", s.Percent, inHours(s.Minutes)))
	}
	return "late: " + strings.Join(steps, ", ")
}

func inHours(minutes int) string {
	switch {
	case minutes%(24*60) == 0:
		return plural(int64(minutes/24/60), "day")
	case minutes%60 == 0:
		return plural(int64(minutes/60), "hour")
	}
	return plural(int64(minutes), "minute")
}

func (p *program) paperUnset() *cobra.Command {
	var course string
	c := &cobra.Command{
		Use: "unset PAPER --course COURSE", Short: "Take a paper out of a course in which nobody has submitted for it",
		Args: argsBetween(1, 1, "a paper"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := courseGiven(cmd, course); err != nil {
				return err
			}
			_, err := ask[struct{}](p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.UnsetPaper(ctx, course, args[0])
			})
			if err == nil {
				fmt.Fprintf(p.err, "%s is not set for %s any more.\n", args[0], course)
			}
			return err
		},
	}
	c.Flags().StringVar(&course, "course", "", "the course")
	return c
}

func (p *program) paperRelease() *cobra.Command {
	var course string
	var undo bool
	c := &cobra.Command{
		Use:   "release PAPER --course COURSE",
		Short: "Tell learners outcomes, marks and findings of a paper, whatever its rules say",
		Args:  argsBetween(1, 1, "a paper"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := courseGiven(cmd, course); err != nil {
				return err
			}
			_, detail, err := p.zoneOf(cmd, course)
			if err != nil {
				return err
			}
			return show(p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.ReleaseMarks(ctx, course, args[0], client.Released{Released: !undo})
			}, coursePaperHeader, one(coursePaperLine(detail.Zone)))
		},
	}
	c.Flags().StringVar(&course, "course", "", "the course")
	c.Flags().BoolVar(&undo, "undo", false, "take it back, so that the rules say it again")
	return c
}

func (p *program) paperTell() *cobra.Command {
	var course string
	c := &cobra.Command{
		Use: "tell PAPER TEXT --course COURSE", Short: "Say something to all who work on a paper, at once",
		Args: argsBetween(2, 2, "a paper and what to say"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := courseGiven(cmd, course); err != nil {
				return err
			}
			return show(p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.TellAll(ctx, course, args[0], client.NewNotice{Text: args[1]})
			}, []string{"at", "said"}, one(func(n client.Notice) []string { return []string{clock(n.At), n.Text} }))
		},
	}
	c.Flags().StringVar(&course, "course", "", "the course")
	return c
}

func (p *program) paperBegin() *cobra.Command {
	var move, yes bool
	c := &cobra.Command{
		Use: "begin PAPER", Short: "Begin your examination: its time runs from now on",
		Args: argsBetween(1, 1, "a paper"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if !yes {
				err := p.sure("Its time runs from the moment at which it begins. Begin?", "it has not begun")
				if err != nil {
					return err
				}
			}
			s, err := ask[client.PaperSummary](p, cmd, func(ctx context.Context, c *client.Client) (
				*http.Response, error,
			) {
				return c.BeginExamination(ctx, args[0], client.Beginning{Move: move})
			})
			if err != nil {
				return err
			}
			return p.print(s, []string{"paper", "begun", "ends"}, [][]string{{
				s.Slug, clockIn(s.Examination.Begun, s.Zone), clockIn(s.Due, s.Zone),
			}})
		},
	}
	c.Flags().BoolVar(&yes, "yes", false, "do not ask")
	c.Flags().BoolVar(&move, "move", false, "go on here with an examination that is written elsewhere")
	return c
}

func (p *program) paperCandidates() *cobra.Command {
	var course string
	c := &cobra.Command{
		Use: "candidates PAPER --course COURSE", Short: "List who has begun an examination",
		Args: argsBetween(1, 1, "a paper"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := courseGiven(cmd, course); err != nil {
				return err
			}
			_, detail, err := p.zoneOf(cmd, course)
			if err != nil {
				return err
			}
			return show(p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.ListCandidates(ctx, course, args[0])
			}, []string{"login", "name", "begun", "ends", "moved"}, each(func(c client.Candidate) []string {
				return []string{
					c.Name, c.DisplayName, clockIn(c.Begun, detail.Zone), clockIn(c.Ends,
						detail.Zone), fmt.Sprint(c.Moved),
				}
			}))
		},
	}
	c.Flags().StringVar(&course, "course", "", "the course")
	return c
}
