package test

import (
	"bufio"
	"encoding/json"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"examen/internal/client"
	"examen/internal/core/marking"
	"examen/internal/demo"
)

// step is a command, what it has to say, and how it ends.
type step struct {
	line, in string
	says     []string // on either output
	code     int
}

// takes runs commands one after another.
func (s *shell) takes(steps ...step) {
	s.t.Helper()
	for _, c := range steps {
		p := s.run(c.in, split(c.line)...)
		for _, says := range c.says {
			if !strings.Contains(p.out+p.errs, says) {
				s.t.Errorf("%s does not say %q:\n%s%s", c.line, says, p.out, p.errs)
			}
		}
		if p.code != c.code {
			s.t.Errorf("%s ended with %d, not %d:\n%s%s", c.line, p.code, c.code, p.out, p.errs)
		}
	}
}

// split splits a command line at spaces; what stands between quotation marks is one word.
func split(line string) (words []string) {
	for i, part := range strings.Split(line, "'") {
		if i%2 == 1 {
			words = append(words, part)
		} else {
			words = append(words, strings.Fields(part)...)
		}
	}
	return words
}

// clockAt is a time from now as the commands take it.
func clockAt(from time.Duration) string { return time.Now().Add(from).UTC().Format(time.RFC3339) }

// A course from a roster to a closed paper and a recheck, with nothing but commands.
func TestACourseAtTheCommandLine(t *testing.T) {
	hazel := at(t, demo.InstructorName, demo.InstructorPassword)
	roster := filepath.Join(t.TempDir(), "roster.csv")
	lines := "name;login;e-mail;group\nMaud Ferrow;maud-cl;maud@example.org;Tuesday\nIris Calder;iris-cl;;Monday\n"
	if err := os.WriteFile(roster, []byte(lines), 0o600); err != nil {
		t.Fatal(err)
	}
	hazel.takes(
		step{line: "course create apiarists --title 'Apiarists of Lisbon' --zone Europe/Lisbon",
			says: []string{"Lisbon"}},
		step{line: "member import " + roster + " --course apiarists --check", says: []string{"maud-cl", "new",
			"2 new"}},
		step{line: "member list --course apiarists -o csv", says: []string{"hazel"}},
	)
	p := hazel.run("", "member", "import", roster, "--course", "apiarists", "--yes", "-o", "json")
	var done client.ImportedRoster
	if err := json.Unmarshal([]byte(p.out), &done); err != nil || len(done.Added) != 2 {
		t.Fatalf("got %+v, %v", p, err)
	}
	slips := filepath.Join(t.TempDir(), "slips.html")
	hazel.takes(
		step{line: "member import " + roster + " --course apiarists --yes",
			says: []string{"0 new, 0 changed, 2 the same"}},
		step{line: "member slips iris-cl --course apiarists --to " + slips, says: []string{"1 slip"}},
		step{line: "course show apiarists -o csv", says: []string{"paper"}},
		step{
			line: "paper set first-look --course apiarists --opens 2026-09-01 --due '2027-03-28 01:30'", code: 2,
			says: []string{"does not come", "Europe/Lisbon"},
		},
		step{
			line: "paper set first-look --course apiarists --opens 2026-09-01 --due " + clockAt(time.Hour) +
				" --tell after-due --grace 1h --deduct 10%/h --attempts 5 --partial row-order=50%",
			says: []string{"open", "late by up to 1 hour, 10 % off an hour", "at most 5 attempts",
				"50 % for row-order"},
		},
		step{
			line: "paper set first-look --course apiarists --due 2026-08-01", code: 3,
			says: []string{"due before it opens"},
		},
		step{
			line: "paper extend first-look wren --course apiarists --due 2036-12-24 --reason ill", code: 3,
			says: []string{"No learner of apiarists is called \"wren\""},
		},
		step{
			line: "paper extend first-look --group Monday --course apiarists --due 2036-12-24 --reason 'no power'",
			says: []string{"group Monday", "2036-12-24 23:59 WET"},
		},
	)
	if page, err := os.ReadFile(slips); err != nil || !strings.Contains(string(page), "iris-cl") {
		t.Errorf("the slips: %.300s, %v", page, err)
	}
	oneTime := map[string]string{}
	for _, added := range done.Added {
		oneTime[added.Member.Name] = added.Password
	}
	maud := at(t, "maud-cl", oneTime["maud-cl"])
	maud.takes(step{line: "paper list", code: 3, says: []string{"Choose a password of your own first"}})
	maud.takes(step{line: "password", in: oneTime["maud-cl"] + "\nmaud has bees of her own\n"})
	maud.takes(
		step{line: "submit first-look/1", in: "SELECT name, valley FROM apiary", says: []string{"Received",
			"told later"}},
		step{line: "submit first-look/2", in: "SELECT name FROM hive", says: []string{"Received"}},
		step{line: "paper list", says: []string{"told later"}},
		step{line: "history --outcome correct -o csv", says: []string{"outcome"}},
		step{line: "marks", says: []string{"told later"}},
	)
	if p := maud.run("", "history", "-o", "json"); strings.Contains(p.out, "correct") || strings.Contains(p.out,
		"finding\"") {
		t.Errorf("it is told already: %s", p.out)
	}
	hazel.takes(
		step{line: "progress first-look --course apiarists", says: []string{"Maud Ferrow", "correct 1", "incorrect 1"}},
		step{line: "paper set first-look --course apiarists --due " + clockAt(-time.Minute) + " --grace 0s --deduct 0%",
			says: []string{"closed"}},
	)
	maud.takes(
		step{line: "submit first-look/3", in: "SELECT 1", code: 3, says: []string{"The paper is closed", "WET"}},
		step{line: "marks", says: []string{"correct"}},
	)
	hazel.takes(
		step{line: "recheck first-look --course apiarists --check",
			says: []string{"2 attempts checked again; 0 marks"}},
		step{line: "recheck first-look/1 --course apiarists --yes --reason 'to be sure'", says: []string{"1 attempt"}},
		step{line: "log --course apiarists --limit 50", says: []string{
			"gave the group Monday an extension", "no power", "set first-look for apiarists", "added Maud Ferrow",
		}},
		step{line: "log --about marks --paper first-look --limit 3", says: []string{"to be sure"}},
		step{line: "course delete apiarists --yes", code: 3, says: []string{"Archive it"}},
		step{line: "course copy apiarists apiarists-spring --first-day 2027-03-01", says: []string{"apiarists-spring"}},
		step{line: "course delete apiarists-spring --yes", says: []string{"is deleted"}},
		step{line: "course archive apiarists", says: []string{"apiarists"}},
		step{line: "paper release first-look --course apiarists", code: 3, says: []string{"The course is archived"}},
	)
}

// An examination at the command line: begun, moved to another session and told of, with a word to all.
func TestAnExaminationAtTheCommandLine(t *testing.T) {
	paperOf(t, "exam-cl", [2]string{"points: 1", "SELECT count(*) FROM star"}, [2]string{"points: 1", "SELECT 1 AS n"})
	hazel := at(t, demo.InstructorName, demo.InstructorPassword)
	name, c := newcomer(t)
	hazel.takes(
		step{
			line: "paper set exam-cl --course evening-group --opens " + clockAt(-time.Hour) + " --due " +
				clockAt(time.Hour) + " --examination 30m --tell released",
			says: []string{"examination of 30 minutes", "marks when released"},
		},
	)
	robin := at(t, name, demo.LearnerPassword)
	robin.takes(
		step{line: "read exam-cl", code: 3, says: []string{"has not begun"}},
		step{line: "paper begin exam-cl", code: 2, says: []string{"say --yes"}},
		step{line: "paper begin exam-cl --yes", says: []string{"begun", "ends"}},
		step{line: "submit exam-cl/1", in: "SELECT count(*) FROM star", says: []string{"Received"}},
	)
	if p := problemOf(t)(c.GetPaper(ctx, "exam-cl")); p.Type != "examen:elsewhere" { // another session
		t.Errorf("got %+v", p)
	}
	hazel.takes(
		step{line: "paper tell exam-cl 'Exercise 2 is as easy as it looks.' --course evening-group",
			says: []string{"easy"}},
		step{line: "paper extend exam-cl " + name + " --course evening-group --more 15m --reason 'came late'",
			says: []string{"15 minutes"}},
	)
	moved, err := client.Read[client.PaperSummary](c.BeginExamination(ctx, "exam-cl", client.Beginning{Move: true}))
	if err != nil || moved.Examination.Minutes != 45 {
		t.Fatalf("got %+v, %v", moved, err)
	}
	paper, err := client.Read[client.Paper](c.GetPaper(ctx, "exam-cl"))
	if err != nil || len(paper.Notices) != 1 || !paper.Summary.Untold {
		t.Errorf("got %+v, %v", paper, err)
	}
	robin.takes(step{line: "submit exam-cl/2", in: "SELECT 1", code: 3, says: []string{"in another browser"}})
	hazel.takes(
		step{line: "paper candidates exam-cl --course evening-group", says: []string{name, "1"}},
		step{line: "log --person " + name + " --about times", says: []string{
			"began the examination exam-cl", "in another session", "15 more minutes",
		}},
		step{line: "paper release exam-cl --course evening-group", says: []string{"marks released"}},
	)
	if paper, err = client.Read[client.Paper](c.GetPaper(ctx, "exam-cl")); err != nil || paper.Summary.Untold ||
		paper.Summary.Mark.String() != "1" {
		t.Errorf("released: %+v, %v", paper.Summary, err)
	}
}

// All that is stored of somebody is in one file, and what is theirs can be read by them.
func TestAllThatIsStoredOfSomebody(t *testing.T) {
	name, c := newcomer(t)
	submit(t, c, "1", "SELECT name, valley FROM apiary -- mine")
	own := at(t, name, demo.LearnerPassword)
	p := own.run("", "member", "export", name)
	var all struct {
		Account struct{ Login string }
		Entries []struct {
			SQL    string
			Checks []struct{ Outcome string }
		}
		Courses []struct{ Course string }
	}
	if err := json.Unmarshal([]byte(p.out), &all); err != nil || all.Account.Login != name || len(all.Entries) != 1 ||
		all.Entries[0].Checks[0].Outcome != "correct" || all.Courses[0].Course != "evening-group" {
		t.Errorf("got %+v, %v from %s", all, err, p.out)
	}
	file := filepath.Join(t.TempDir(), "own.html")
	own.takes(
		step{line: "member export " + name + " --as html --to " + file},
		step{line: "member export robin", code: 3, says: []string{"Only instructors"}},
		step{line: "member sessions", says: []string{"this one"}},
	)
	if page, err := os.ReadFile(file); err != nil || !strings.Contains(string(page), "valley FROM apiary -- mine") {
		t.Errorf("got %.500s, %v", page, err)
	}
}

// Until outcomes and marks may be told, no call that a learner can make says anything of them: every reading call of
// the contract is looked through. Once they are released, some do.
func TestWhatIsToldLaterIsInNoAnswer(t *testing.T) {
	attempt := paperOf(t, "untold-anywhere", [2]string{"points: 7", "SELECT count(*) FROM star"})
	teacher := hazel(t)
	if _, err := client.Read[client.CoursePaper](teacher.SetPaper(ctx, "evening-group", "untold-anywhere",
		client.PaperSetting{Rules: &client.PaperRules{Tell: client.TellReleased}})); err != nil {
		t.Fatal(err)
	}
	name, learner := newcomer(t)
	for _, sql := range []string{"SELECT 17", "SELECT nothing FROM star", "SELECT count(*) FROM star"} {
		if a := attempt(learner, 1, sql); !a.Untold {
			t.Errorf("%s: got %+v", sql, a)
		}
	}
	mark := marking.PointsOf("6.5")
	if _, err := teacher.SetMark(ctx, "untold-anywhere", "1", name, client.MarkByHand{
		Course: "evening-group", Mark: &mark, Reason: "seen by hand",
	}); err != nil {
		t.Fatal(err)
	}
	mine := token(t, shared.url, name, demo.LearnerPassword)
	telling := regexp.MustCompile(
		`"outcome": ?"(correct|incorrect|failed)"|\b6\.5\b|"mark": ?7|` +
			`seen by hand|values-|"correct": ?1|"findings": ?\[\{`,
	)
	looked := func() (told []string) {
		for _, c := range calls {
			if c.method != "GET" || strings.HasPrefix(c.path, "/api/exercises") {
				continue
			}
			for _, path := range []string{
				strings.ReplaceAll(strings.ReplaceAll(c.path, "first-look", "untold-anywhere"), "newcomer-examined",
					name),
				strings.ReplaceAll(c.path, "learner=robin", "paper=untold-anywhere&outcome=correct"),
			} {
				_, text := asked(t, shared.url, c.method, path, mine, "")
				if found := telling.FindString(text); found != "" {
					told = append(told, path+": "+found)
				}
			}
		}
		if text := firstEvent(t, "/api/papers/untold-anywhere/events", mine); telling.MatchString(text) ||
			!strings.Contains(text, `"state":"open"`) {
			told = append(told, "events: "+text)
		}
		return told
	}
	if told := looked(); len(told) > 0 {
		t.Errorf("it is told already:\n%s", strings.Join(told, "\n"))
	}
	if _, err := client.Read[client.CoursePaper](
		teacher.ReleaseMarks(ctx, "evening-group", "untold-anywhere", client.Released{Released: true}),
	); err != nil {
		t.Fatal(err)
	}
	if told := looked(); len(told) < 5 {
		t.Errorf("released, it is told by these calls alone: %s", told)
	}
}

// firstEvent is the first of server-sent events.
func firstEvent(t *testing.T, path, token string) string {
	t.Helper()
	request, err := http.NewRequest("GET", shared.url+path, nil)
	if err != nil {
		t.Fatal(err)
	}
	request.Header.Set("Authorization", "Bearer "+token)
	response, err := http.DefaultClient.Do(request)
	if err != nil {
		t.Fatal(err)
	}
	defer response.Body.Close()
	lines := bufio.NewScanner(response.Body)
	lines.Scan()
	return lines.Text()
}
