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
	"examen/test/whole"
)

type step = whole.Step

// clockAt is a time from now as the commands take it.
func clockAt(from time.Duration) string { return time.Now().Add(from).UTC().Format(time.RFC3339) }

// A course from a roster to a closed paper and a recheck, with nothing but commands.
func TestACourseAtTheCommandLine(t *testing.T) {
	hazel := whole.At(t, demo.InstructorName, demo.InstructorPassword)
	roster := filepath.Join(t.TempDir(), "roster.csv")
	lines := "name;login;e-mail;group\nMaud Ferrow;maud-cl;maud@example.org;Tuesday\nIris Calder;iris-cl;;Monday\n"
	if err := os.WriteFile(roster, []byte(lines), 0o600); err != nil {
		t.Fatal(err)
	}
	hazel.Takes(
		step{Line: "course create apiarists --title 'Apiarists of Lisbon' --zone Europe/Lisbon",
			Says: []string{"Lisbon"}},
		step{Line: "member import " + roster + " --course apiarists --check", Says: []string{"maud-cl", "new",
			"2 new"}},
		step{Line: "member list --course apiarists -o csv", Says: []string{"hazel"}},
	)
	p := hazel.Run("", "member", "import", roster, "--course", "apiarists", "--yes", "-o", "json")
	var done client.ImportedRoster
	if err := json.Unmarshal([]byte(p.Out), &done); err != nil || len(done.Added) != 2 {
		t.Fatalf("got %+v, %v", p, err)
	}
	slips := filepath.Join(t.TempDir(), "slips.html")
	hazel.Takes(
		step{Line: "member import " + roster + " --course apiarists --yes",
			Says: []string{"0 new, 0 changed, 2 the same"}},
		step{Line: "member slips iris-cl --course apiarists --to " + slips, Says: []string{"1 slip"}},
		step{Line: "course show apiarists -o csv", Says: []string{"paper"}},
		step{
			Line: "paper set first-look --course apiarists --opens 2026-09-01 --due '2027-03-28 01:30'", Code: 2,
			Says: []string{"does not come", "Europe/Lisbon"},
		},
		step{
			Line: "paper set first-look --course apiarists --opens 2026-09-01 --due " + clockAt(time.Hour) +
				" --tell after-due --grace 1h --deduct 10%/h --attempts 5 --partial row-order=50%",
			Says: []string{"open", "late by up to 1 hour, 10 % off an hour", "at most 5 attempts",
				"50 % for row-order"},
		},
		step{
			Line: "paper set first-look --course apiarists --due 2026-08-01", Code: 3,
			Says: []string{"due before it opens"},
		},
		step{
			Line: "paper extend first-look wren --course apiarists --due 2036-12-24 --reason ill", Code: 3,
			Says: []string{"No learner of apiarists is called \"wren\""},
		},
		step{
			Line: "paper extend first-look --group Monday --course apiarists --due 2036-12-24 --reason 'no power'",
			Says: []string{"group Monday", "2036-12-24 23:59 WET"},
		},
	)
	if page, err := os.ReadFile(slips); err != nil || !strings.Contains(string(page), "iris-cl") {
		t.Errorf("the slips: %.300s, %v", page, err)
	}
	oneTime := map[string]string{}
	for _, added := range done.Added {
		oneTime[added.Member.Name] = added.Password
	}
	maud := whole.At(t, "maud-cl", oneTime["maud-cl"])
	maud.Takes(step{Line: "paper list", Code: 3, Says: []string{"Choose a password of your own first"}})
	maud.Takes(step{Line: "password", In: oneTime["maud-cl"] + "\nmaud has bees of her own\n"})
	maud.Takes(
		step{Line: "submit first-look/1", In: "SELECT name, valley FROM apiary", Says: []string{"Received",
			"told later"}},
		step{Line: "submit first-look/2", In: "SELECT name FROM hive", Says: []string{"Received"}},
		step{Line: "paper list", Says: []string{"told later"}},
		step{Line: "history --outcome correct -o csv", Says: []string{"outcome"}},
		step{Line: "marks", Says: []string{"told later"}},
	)
	if p := maud.Run("", "history", "-o", "json"); strings.Contains(p.Out, "correct") || strings.Contains(p.Out,
		"finding\"") {
		t.Errorf("it is told already: %s", p.Out)
	}
	hazel.Takes(
		step{Line: "progress first-look --course apiarists", Says: []string{"Maud Ferrow", "correct 1", "incorrect 1"}},
		step{Line: "paper set first-look --course apiarists --due " + clockAt(-time.Minute) + " --grace 0s --deduct 0%",
			Says: []string{"closed"}},
	)
	maud.Takes(
		step{Line: "submit first-look/3", In: "SELECT 1", Code: 3, Says: []string{"The paper is closed", "WET"}},
		step{Line: "marks", Says: []string{"correct"}},
	)
	hazel.Takes(
		step{Line: "recheck first-look --course apiarists --check",
			Says: []string{"2 attempts checked again; 0 marks"}},
		step{Line: "recheck first-look/1 --course apiarists --yes --reason 'to be sure'", Says: []string{"1 attempt"}},
		step{Line: "log --course apiarists --limit 50", Says: []string{
			"gave the group Monday an extension", "no power", "set first-look for apiarists", "added Maud Ferrow",
		}},
		step{Line: "log --about marks --paper first-look --limit 3", Says: []string{"to be sure"}},
		step{Line: "course delete apiarists --yes", Code: 3, Says: []string{"Archive it"}},
		step{Line: "course copy apiarists apiarists-spring --first-day 2027-03-01", Says: []string{"apiarists-spring"}},
		step{Line: "course delete apiarists-spring --yes", Says: []string{"is deleted"}},
		step{Line: "course archive apiarists", Says: []string{"apiarists"}},
		step{Line: "paper release first-look --course apiarists", Code: 3, Says: []string{"The course is archived"}},
	)
}

// An examination at the command line: begun, moved to another session and told of, with a word to all.
func TestAnExaminationAtTheCommandLine(t *testing.T) {
	whole.PaperOf(
		t, "exam-cl", [2]string{"points: 1", "SELECT count(*) FROM star"}, [2]string{"points: 1", "SELECT 1 AS n"},
	)
	hazel := whole.At(t, demo.InstructorName, demo.InstructorPassword)
	name, c := whole.Newcomer(t)
	hazel.Takes(
		step{
			Line: "paper set exam-cl --course evening-group --opens " + clockAt(-time.Hour) + " --due " +
				clockAt(time.Hour) + " --examination 30m --tell released",
			Says: []string{"examination of 30 minutes", "marks when released"},
		},
	)
	robin := whole.At(t, name, demo.LearnerPassword)
	robin.Takes(
		step{Line: "read exam-cl", Code: 3, Says: []string{"has not begun"}},
		step{Line: "paper begin exam-cl", Code: 2, Says: []string{"say --yes"}},
		step{Line: "paper begin exam-cl --yes", Says: []string{"begun", "ends"}},
		step{Line: "submit exam-cl/1", In: "SELECT count(*) FROM star", Says: []string{"Received"}},
	)
	if p := problemOf(t)(c.GetPaper(ctx, "exam-cl")); p.Type != "examen:elsewhere" { // another session
		t.Errorf("got %+v", p)
	}
	hazel.Takes(
		step{Line: "paper tell exam-cl 'Exercise 2 is as easy as it looks.' --course evening-group",
			Says: []string{"easy"}},
		step{Line: "paper extend exam-cl " + name + " --course evening-group --more 15m --reason 'came late'",
			Says: []string{"15 minutes"}},
	)
	moved, err := client.Read[client.PaperSummary](c.BeginExamination(ctx, "exam-cl", client.Beginning{Move: true}))
	if err != nil || moved.Examination.Minutes != 45 {
		t.Fatalf("got %+v, %v", moved, err)
	}
	paper, err := client.Read[client.Paper](c.GetPaper(ctx, "exam-cl"))
	if err != nil || len(paper.Notices) != 1 || !paper.Summary.Untold {
		t.Errorf("got %+v, %v", paper, err)
	}
	robin.Takes(step{Line: "submit exam-cl/2", In: "SELECT 1", Code: 3, Says: []string{"in another browser"}})
	hazel.Takes(
		step{Line: "paper candidates exam-cl --course evening-group", Says: []string{name, "1"}},
		step{Line: "log --person " + name + " --about times", Says: []string{
			"began the examination exam-cl", "in another session", "15 more minutes",
		}},
		step{Line: "paper release exam-cl --course evening-group", Says: []string{"marks released"}},
	)
	if paper, err = client.Read[client.Paper](c.GetPaper(ctx, "exam-cl")); err != nil || paper.Summary.Untold ||
		paper.Summary.Mark.String() != "1" {
		t.Errorf("released: %+v, %v", paper.Summary, err)
	}
}

// All that is stored of somebody is in one file, and what is theirs can be read by them.
func TestAllThatIsStoredOfSomebody(t *testing.T) {
	name, c := whole.Newcomer(t)
	whole.Submit(t, c, "1", "SELECT name, valley FROM apiary -- mine")
	own := whole.At(t, name, demo.LearnerPassword)
	p := own.Run("", "member", "export", name)
	var all struct {
		Account struct{ Login string }
		Entries []struct {
			SQL    string
			Checks []struct{ Outcome string }
		}
		Courses []struct{ Course string }
	}
	if err := json.Unmarshal([]byte(p.Out), &all); err != nil || all.Account.Login != name || len(all.Entries) != 1 ||
		all.Entries[0].Checks[0].Outcome != "correct" || all.Courses[0].Course != "evening-group" {
		t.Errorf("got %+v, %v from %s", all, err, p.Out)
	}
	file := filepath.Join(t.TempDir(), "own.html")
	own.Takes(
		step{Line: "member export " + name + " --as html --to " + file},
		step{Line: "member export robin", Code: 3, Says: []string{"Only instructors"}},
		step{Line: "member sessions", Says: []string{"this one"}},
	)
	if page, err := os.ReadFile(file); err != nil || !strings.Contains(string(page), "valley FROM apiary -- mine") {
		t.Errorf("got %.500s, %v", page, err)
	}
}

// Until outcomes and marks may be told, no call that a learner can make says anything of them: every reading call of
// the contract is looked through. Once they are released, some do.
func TestWhatIsToldLaterIsInNoAnswer(t *testing.T) {
	attempt := whole.PaperOf(t, "untold-anywhere", [2]string{"points: 7", "SELECT count(*) FROM star"})
	teacher := whole.Hazel(t)
	if _, err := client.Read[client.CoursePaper](teacher.SetPaper(ctx, "evening-group", "untold-anywhere",
		client.PaperSetting{Rules: &client.PaperRules{Tell: client.TellReleased}})); err != nil {
		t.Fatal(err)
	}
	name, learner := whole.Newcomer(t)
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
	mine := whole.Token(t, whole.Shared.URL, name, demo.LearnerPassword)
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
				_, text := whole.Asked(t, whole.Shared.URL, c.method, path, mine, "")
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
	request, err := http.NewRequest("GET", whole.Shared.URL+path, nil)
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
