package test

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"regexp"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/test/whole"
)

// A call is one of the contract, made with fitting values.
type call struct {
	operation, method, path, body string
	// What each of callers gets.
	gets [7]int
}

// callers are who makes the calls: those of evening-group, of which first-look is a paper, and others.
var callers = [7]string{
	"nobody", "a learner", "another course's learner", "an assistant", "another course's instructor",
	"an administrator in no course", "an instructor",
}

// What callers get of calls that are alike: those who may get the code given.
func each(code int) [7]int     { return [7]int{code, code, code, code, code, code, code} }
func loggedIn(code int) [7]int { return [7]int{401, code, code, code, code, code, code} }

// readers are the members of a course that a paper is set for, and all who prepare papers.
func readers(code int) [7]int { return [7]int{401, code, 404, code, code, code, code} }

// preparers are the instructors of any course, and administrators.
func preparers(code int) [7]int { return [7]int{401, 403, 403, 403, code, code, code} }

// followers are the instructors and assistants of the course: to others who teach it is as if it were not there.
func followers(code int) [7]int { return [7]int{401, 403, 403, code, 404, 403, code} }

// instructors are those of the course.
func instructors(code int) [7]int { return [7]int{401, 403, 403, 403, 404, 403, code} }

// administrators are who makes accounts and sees the servers.
func administrators(code int) [7]int { return [7]int{401, 403, 403, 403, 403, code, code} }

// managers are the instructors of the course, and administrators.
func managers(code int) [7]int { return [7]int{401, 403, 403, 403, 404, code, code} }

// calls are all calls there are, and who may make them.
var calls = []call{
	{"getHealth", "GET", "/api/health", "", each(200)},
	{"getLive", "GET", "/api/health/live", "", each(204)},
	{
		"logIn", "POST", "/api/session", `{"name":"nobody","password":"x","kind":"bearer"}`,
		[7]int{401, 401, 401, 429, 429, 429, 429},
	},
	{"getSession", "GET", "/api/session", "", loggedIn(200)},
	{"setPassword", "PUT", "/api/password", `{"current":"not it","new":"something-else"}`, loggedIn(403)},
	{"listPapers", "GET", "/api/papers", "", loggedIn(200)},
	{"getPaper", "GET", "/api/papers/first-look", "", readers(200)},
	{"strengthenPaper", "POST", "/api/papers/first-look/strengthening", `{}`, preparers(202)},
	{"checkPaper", "POST", "/api/papers/first-look/check", "", preparers(202)},
	{"getExercise", "GET", "/api/papers/first-look/exercises/1", "", readers(200)},
	{"keepDraft", "PUT", "/api/papers/first-look/exercises/1/draft", `{"sql":"SELECT 1"}`, readers(200)},
	{"submit", "POST", "/api/papers/first-look/exercises/1/attempts", `{"sql":"SELECT 1"}`, readers(201)},
	{"run", "POST", "/api/runs", `{"sql":"SELECT 1","paper":"first-look"}`, readers(201)},
	{"run", "POST", "/api/runs", `{"sql":"SELECT 1","dataset":"apiary"}`, readers(201)},
	{"exportRun", "GET", "/api/runs/1/rows", "", loggedIn(404)},
	{"listCopies", "GET", "/api/copies", "", loggedIn(200)},
	{"getCopy", "GET", "/api/copies/apiary", "", loggedIn(404)},
	{"resetCopy", "DELETE", "/api/copies/apiary", "", loggedIn(404)},
	{"planQuery", "POST", "/api/plans", `{"sql":"SELECT 1","paper":"first-look"}`, readers(200)},
	{"listHistory", "GET", "/api/history", "", loggedIn(200)},
	{"listHistory", "GET", "/api/history?paper=first-look", "", readers(200)},
	{"listHistory", "GET", "/api/history?learner=robin", "", [7]int{401, 403, 403, 200, 404, 403, 200}},
	{"clearRuns", "DELETE", "/api/history?paper=first-look&exercise=99", "", loggedIn(404)},
	{"keepEntry", "PUT", "/api/history/1", `{"kept":true}`, loggedIn(404)},
	{"clearRun", "DELETE", "/api/history/1", "", loggedIn(404)},
	{"listOwnMarks", "GET", "/api/marks", "", loggedIn(200)},
	{"listTexts", "GET", "/api/texts", "", loggedIn(200)},
	{"addText", "POST", "/api/texts", `{"name":"hives","dataset":"apiary","sql":"SELECT 1"}`, readers(201)},
	{"keepText", "PUT", "/api/texts/999999", `{"name":"hives","dataset":"apiary","sql":"SELECT 1"}`, loggedIn(404)},
	{"removeText", "DELETE", "/api/texts/999999", "", loggedIn(404)},
	{"getPaperFile", "GET", "/api/papers/first-look/file", "", readers(200)},
	{"getPicture", "GET", "/api/papers/first-look/pictures/none", "", readers(404)},
	{"createPaper", "POST", "/api/papers", `{"slug":"A","title":"A","dataset":"apiary"}`, preparers(400)},
	{"getWriting", "GET", "/api/papers/first-look/writing", "", preparers(200)},
	{"beWriting", "PUT", "/api/papers/first-look/writing", `{"window":"w","since":0}`, preparers(200)},
	{"discardWriting", "DELETE", "/api/papers/none/writing", "", preparers(404)},
	{"addPart", "POST", "/api/papers/none/writing/parts", `{"text":"## A"}`, preparers(404)},
	{"keepPart", "PUT", "/api/papers/first-look/writing/parts/99", `{"text":"## A","revision":1}`, preparers(409)},
	{"removePart", "DELETE", "/api/papers/first-look/writing/parts/99?revision=1", "", preparers(409)},
	{"movePart", "PUT", "/api/papers/first-look/writing/parts/99/place", `{"after":1}`, preparers(409)},
	{"getWritingText", "GET", "/api/papers/first-look/writing/text", "", preparers(200)},
	{"replaceWriting", "PUT", "/api/papers/none/writing/text", `{"base":"","text":""}`, preparers(404)},
	{"tryAnswer", "POST", "/api/papers/first-look/writing/tries", `{"sql":"SELECT 1"}`, preparers(200)},
	{"addPicture", "PUT", "/api/papers/first-look/writing/pictures/a.png", "", preparers(422)},
	{"getPublication", "GET", "/api/papers/first-look/publication", "", preparers(200)},
	{"publishPaper", "POST", "/api/papers/first-look/publication", `{"revision":1}`, preparers(409)},
	{"listVersions", "GET", "/api/papers/first-look/versions", "", preparers(200)},
	{"getVersion", "GET", "/api/papers/first-look/versions/1", "", preparers(200)},
	{"restoreVersion", "POST", "/api/papers/first-look/versions/99", "", preparers(404)},
	{"findExercises", "GET", "/api/exercises?table=hive", "", preparers(200)},
	{
		"recheck", "POST", "/api/papers/no-such-paper-is-rechecked/recheck", `{}`,
		[7]int{401, 403, 403, 403, 404, 403, 404},
	},
	{"getProgress", "GET", "/api/papers/first-look/progress", "", [7]int{401, 403, 403, 200, 200, 403, 200}},
	{"getProgress", "GET", "/api/papers/first-look/progress?course=evening-group", "", followers(200)},
	{
		"watchProgress", "GET", "/api/papers/no-such-paper-is-watched/progress/events?course=evening-group", "",
		followers(404),
	},
	{
		"getClass", "GET", "/api/papers/first-look/exercises/1/class?course=evening-group", "", followers(200),
	},
	{"getMarks", "GET", "/api/papers/first-look/marks?course=evening-group", "", followers(200)},
	{
		"setMark", "PUT", "/api/papers/first-look/exercises/1/marks/robin", `{"course":"evening-group","reason":""}`,
		instructors(422),
	},
	{"listSameAnswers", "GET", "/api/papers/first-look/same?course=evening-group", "", followers(200)},
	{"getCalendar", "GET", "/api/calendar", "", loggedIn(200)},
	{"makeCalendar", "POST", "/api/calendar", "", loggedIn(201)},
	{"removeCalendar", "DELETE", "/api/calendar", "", loggedIn(204)},
	{"readCalendar", "GET", "/api/calendars/guessed.ics", "", each(404)},
	{"listWebhooks", "GET", "/api/courses/evening-group/webhooks", "", instructors(200)},
	{"addWebhook", "POST", "/api/courses/evening-group/webhooks", `{"url":"ftp://x"}`, instructors(422)},
	{"removeWebhook", "DELETE", "/api/courses/evening-group/webhooks/999999", "", instructors(404)},
	{"listDeliveries", "GET", "/api/courses/evening-group/webhooks/999999/deliveries", "", instructors(404)},
	{"getReport", "GET", "/api/courses/evening-group/report", "", followers(200)},
	{"getReport", "GET", "/api/courses/evening-group/report?learner=robin", "", followers(200)},
	{"getMarks", "GET", "/api/papers/first-look/marks?course=evening-group&format=xlsx", "", followers(200)},
	{"getOverview", "GET", "/api/courses/evening-group/overview", "", followers(200)},
	{"getMarksSet", "GET", "/api/papers/first-look/exercises/1/marks/robin?course=evening-group", "", followers(200)},
	{"undoMark", "DELETE", "/api/papers/first-look/exercises/1/marks/robin?course=evening-group", "", instructors(409)},
	{"listReviews", "GET", "/api/reviews?course=evening-group", "", followers(200)},
	{"finishReview", "PUT", "/api/reviews/999999/done", "", loggedIn(404)},
	{"reopenReview", "DELETE", "/api/reviews/999999/done", "", loggedIn(404)},
	{"readCause", "GET", "/api/attempts/1/cause", "", loggedIn(404)},
	{"readExample", "GET", "/api/attempts/1/example", "", loggedIn(404)},
	{"tryExample", "POST", "/api/attempts/1/example", `{"sql":"SELECT 1"}`, loggedIn(404)},
	{"dispute", "PUT", "/api/attempts/1/dispute", `{"reason":"why"}`, loggedIn(404)},
	{"withdrawDispute", "DELETE", "/api/attempts/1/dispute", "", loggedIn(404)},
	{"listNotes", "GET", "/api/notes", "", loggedIn(200)},
	{"listNotes", "GET", "/api/notes?course=evening-group", "", [7]int{401, 200, 200, 200, 404, 200, 200}},
	{"listNotes", "GET", "/api/notes?learner=robin&course=evening-group", "", [7]int{401, 200, 200, 200, 404, 200,
		200}},
	{"writeNote", "POST", "/api/notes", `{"attempt":"1","text":"x"}`, loggedIn(404)},
	{"seeNotes", "PUT", "/api/notes/seen", `{"notes":["1"]}`, loggedIn(204)},
	{"withdrawNote", "DELETE", "/api/notes/999999", "", loggedIn(404)},
	{"answerNote", "POST", "/api/notes/999999/answers", `{"text":"x"}`, loggedIn(404)},
	{"listDatasets", "GET", "/api/datasets", "", loggedIn(200)},
	{"getDataset", "GET", "/api/datasets/apiary", "", readers(200)},
	{"dropDataset", "DELETE", "/api/datasets/apiary", "", preparers(409)},
	{"listRows", "GET", "/api/datasets/apiary/tables/hive/rows", "", readers(200)},
	{"getMap", "GET", "/api/datasets/apiary/map", "", readers(200)},
	{"addVariant", "POST", "/api/datasets/apiary/variants", `{"job":"999999999"}`, preparers(404)},
	{"allowChanges", "PUT", "/api/datasets/nothing/changes", `{"allowed":true}`, preparers(404)},
	{"useBuild", "POST", "/api/datasets/apiary/use", `{"build":99}`, preparers(404)},
	{"buildDataset", "POST", "/api/datasets/apiary/builds", `{}`, preparers(400)},
	{"listPacks", "GET", "/api/packs", "", preparers(200)},
	{"exportPack", "GET", "/api/packs/nothing/files", "", preparers(404)},
	{"loadPack", "POST", "/api/packs", `{}`, preparers(400)},
	{"listJobs", "GET", "/api/jobs", "", preparers(200)},
	{"getJob", "GET", "/api/jobs/1", "", preparers(200)},
	{"followJob", "GET", "/api/jobs/1/events", "", preparers(200)},
	{"stopJob", "POST", "/api/jobs/1/stop", "", preparers(200)},
	{"confirmJob", "POST", "/api/jobs/1/confirm", "", preparers(409)},
	{"listCourses", "GET", "/api/courses", "", [7]int{401, 403, 403, 200, 200, 200, 200}},
	{
		"createCourse", "POST", "/api/courses", `{"slug":"evening-group","title":"x"}`,
		[7]int{401, 403, 403, 403, 403, 409, 409},
	},
	{"getCourse", "GET", "/api/courses/evening-group", "", [7]int{401, 403, 403, 200, 404, 200, 200}},
	{"changeCourse", "PUT", "/api/courses/evening-group", `{"zone":"nowhere"}`, managers(422)},
	{"deleteCourse", "DELETE", "/api/courses/evening-group", "", managers(409)},
	{"archiveCourse", "PUT", "/api/courses/evening-group/archived", `{"archived":false}`, managers(200)},
	{
		"copyCourse", "POST", "/api/courses/evening-group/copies", `{"slug":"evening-group"}`,
		[7]int{401, 403, 403, 403, 404, 409, 409},
	},
	{"setPaper", "PUT", "/api/courses/evening-group/papers/nothing", `{}`, instructors(404)},
	{"unsetPaper", "DELETE", "/api/courses/evening-group/papers/first-look", "", instructors(409)},
	{
		"releaseMarks", "PUT", "/api/courses/evening-group/papers/first-look/release", `{"released":false}`,
		instructors(200),
	},
	{"listExtensions", "GET", "/api/courses/evening-group/papers/first-look/extensions", "", followers(200)},
	{
		"extendPaper", "PUT", "/api/courses/evening-group/papers/first-look/extensions",
		`{"learner":"nobody-at-all","due":"2046-01-01T00:00:00Z","reason":"none"}`, instructors(422),
	},
	{
		"takeBackExtension", "DELETE", "/api/courses/evening-group/papers/first-look/extensions?learner=nobody-at-all",
		"", instructors(404),
	},
	{"tellAll", "POST", "/api/courses/evening-group/papers/first-look/notices", `{"text":" "}`, instructors(422)},
	{"listCandidates", "GET", "/api/courses/evening-group/papers/first-look/candidates", "", followers(200)},
	{"beginExamination", "POST", "/api/papers/first-look/sitting", `{}`, readers(409)},
	{"followPaper", "GET", "/api/papers/no-such-paper-is-followed/events", "", loggedIn(404)},
	{"addMember", "POST", "/api/courses/evening-group/members", `{"name":"a b"}`, managers(422)},
	{
		"changeMember", "PUT", "/api/courses/evening-group/members/nobody-at-all",
		`{"role":"learner","group":"","display_name":"","email":""}`, managers(404),
	},
	{"removeMember", "DELETE", "/api/courses/evening-group/members/nobody-at-all", "", managers(404)},
	{"previewRoster", "POST", "/api/courses/evening-group/roster/preview", "{}", managers(400)},
	{"importRoster", "POST", "/api/courses/evening-group/roster?digest=none", "{}", managers(400)},
	{
		"issuePasswords", "POST", "/api/courses/evening-group/passwords", `{"learners":["nobody-at-all"]}`,
		managers(404),
	},
	{"listSessions", "GET", "/api/accounts/nobody-at-all/sessions", "", preparers(404)},
	{"listSessions", "GET", "/api/accounts/newcomer-examined/sessions", "", [7]int{401, 403, 403, 403, 404, 200, 200}},
	{
		"endSession", "DELETE", "/api/accounts/newcomer-examined/sessions/0", "",
		[7]int{401, 403, 403, 403, 404, 404, 404},
	},
	{"getPersonFile", "GET", "/api/accounts/newcomer-examined/file", "", [7]int{401, 403, 403, 403, 404, 200, 200}},
	{"anonymise", "POST", "/api/accounts/newcomer-examined/anonymous", "", [7]int{401, 403, 403, 403, 404, 409, 409}},
	{"listLog", "GET", "/api/log?limit=1", "", preparers(200)},
	{"listServers", "GET", "/api/servers", "", administrators(200)},
	{"getStatus", "GET", "/api/status", "", administrators(200)},
	{"drainServer", "PUT", "/api/servers/none", `{"draining":true}`, administrators(404)},
	{"createAccount", "POST", "/api/accounts", `{"name":"a b"}`, [7]int{401, 403, 403, 403, 403, 422, 422}},
	{"resetPassword", "POST", "/api/accounts/nobody-at-all/password", "", preparers(404)},
	{
		"resetPassword", "POST", "/api/accounts/newcomer-examined/password", "",
		[7]int{401, 403, 403, 403, 404, 201, 201},
	},
	{
		"setActive", "PUT", "/api/accounts/newcomer-examined/active", `{"active":true}`,
		[7]int{401, 403, 403, 403, 404, 200, 200},
	},
	{"setPreferences", "PUT", "/api/preferences", `{"text_size":14,"wrap":true,"look":"system"}`, loggedIn(200)},
	{"logOut", "DELETE", "/api/session", "", loggedIn(204)}, // the last: it ends the session
}

// Every call of the contract has its row, and answers as the row says, whoever makes it.
func TestWhoMayMakeWhichCall(t *testing.T) {
	contract, err := os.ReadFile("../api/openapi.yaml")
	if err != nil {
		t.Fatal(err)
	}
	for _, found := range regexp.MustCompile(`operationId: (\w+)`).FindAllStringSubmatch(string(contract), -1) {
		if !slices.ContainsFunc(calls, func(c call) bool { return c.operation == found[1] }) {
			t.Errorf("%s has no row", found[1])
		}
	}
	hazel := whole.Hazel(t)
	made := client.NewCourse{Slug: "other-course", Title: "Another"}
	if _, err := client.Read[client.Course](hazel.CreateCourse(ctx, made)); err != nil {
		t.Fatal(err)
	}
	for _, m := range []struct {
		course, name string
		role         client.Role
	}{
		{"other-course", "outsider", client.Learner},
		{"evening-group", "assisting", client.Assistant},
		{"other-course", "instructing", client.Instructor},
		{"evening-group", "newcomer-examined", client.Learner},
	} {
		_, err := client.Read[client.AddedMember](hazel.AddMember(ctx, m.course, client.NewMember{
			Name: m.name, Password: demo.LearnerPassword, Role: m.role,
		}))
		if err != nil {
			t.Fatal(err)
		}
	}
	_, err = client.Read[client.AddedAccount](hazel.CreateAccount(ctx, client.NewAccount{
		Name: "administering", Password: demo.LearnerPassword, Administrator: true,
	}))
	if err != nil {
		t.Fatal(err)
	}
	name, _ := whole.Newcomer(t)
	var tokens [7]string
	for i, name := range []string{"", name, "outsider", "assisting", "instructing", "administering"} {
		if i > 0 {
			tokens[i] = whole.Token(t, whole.Shared.URL, name, demo.LearnerPassword)
		}
	}
	tokens[6] = whole.Token(t, whole.Shared.URL, demo.InstructorName, demo.InstructorPassword)
	for _, c := range calls {
		for i, who := range callers {
			if code, text := whole.Asked(t, whole.Shared.URL, c.method, c.path, tokens[i], c.body); code != c.gets[i] {
				t.Errorf("%s %s by %s: got %d %.200s, want %d", c.method, c.path, who, code, text, c.gets[i])
			}
		}
	}
}

// A paper that is not one's own looks like one that is not there, in every call that names one.
func TestWhichPapersThereAreIsNotTold(t *testing.T) {
	hazel := whole.Hazel(t)
	_, _ = client.Read[client.Course](hazel.CreateCourse(ctx, client.NewCourse{Slug: "third-course", Title: "A third"}))
	_, _ = client.Read[client.AddedMember](
		hazel.AddMember(ctx, "third-course", client.NewMember{Name: "stranger", Password: demo.LearnerPassword}),
	)
	mine := whole.Token(t, whole.Shared.URL, "stranger", demo.LearnerPassword)
	for _, c := range calls {
		if !strings.Contains(c.path+c.body, "first-look") {
			continue
		}
		there, said := whole.Asked(t, whole.Shared.URL, c.method, c.path, mine, c.body)
		not, otherwise := whole.Asked(
			t, whole.Shared.URL, c.method, strings.ReplaceAll(c.path, "first-look", "no-such-one"), mine,
			strings.ReplaceAll(c.body, "first-look", "no-such-one"),
		)
		if there != not || strings.ReplaceAll(said, "first-look", "no-such-one") != otherwise {
			t.Errorf("%s %s tells them apart:\n%d %s\n%d %s", c.method, c.path, there, said, not, otherwise)
		}
	}
}

// What no caller should send is the caller's fault, and never the service's.
func TestNonsenseIsNotTheServicesFault(t *testing.T) {
	teacher := whole.Token(t, whole.Shared.URL, demo.InstructorName, demo.InstructorPassword)
	long := strings.Repeat("x", 5000)
	for _, nonsense := range []string{
		"%00", "%FF%FE", "NaN", "-1", "99999999999999999999999", "%F0%9F%90%9D", "..%2f..", long, "'%22%5C",
	} {
		for _, path := range []string{
			"/api/papers/X", "/api/papers/X/check", "/api/papers/first-look/exercises/X",
			"/api/papers/first-look/progress?course=X", "/api/papers/first-look/marks?format=X", "/api/history?paper=X",
			"/api/history?paper=first-look&exercise=X", "/api/history?learner=X", "/api/history?outcome=X",
			"/api/history?kind=X", "/api/history?before=X", "/api/history?limit=X", "/api/datasets/X",
			"/api/datasets/X/map", "/api/datasets/apiary/map?table=X", "/api/datasets/apiary/map?at=hive:X,1",
			"/api/datasets/apiary/map?at=hive:1,X", "/api/datasets/apiary/map?format=X",
			"/api/datasets/apiary/tables/X/rows", "/api/datasets/apiary/tables/hive/rows?sort=X",
			"/api/datasets/apiary/tables/hive/rows?column=name&value=X",
			"/api/datasets/apiary/tables/hive/rows?offset=X", "/api/datasets/apiary/tables/hive/rows?limit=X",
			"/api/jobs/X", "/api/jobs/X/events", "/api/jobs?dataset=X", "/api/courses/X",
		} {
			if code, text := whole.Asked(
				t, whole.Shared.URL, "GET", strings.Replace(path, "X", nonsense, 1), teacher, "",
			); code >= 500 {
				t.Errorf("GET %s with %.20s: %d %s", path, nonsense, code, text)
			}
		}
	}
	for _, value := range []string{`"\u0000"`, `"` + long + `"`, "1e400", "null", "[]", "{}", `"root"`} {
		for _, c := range calls {
			named := slices.Contains([]string{"addMember", "createAccount", "copyCourse", "tellAll"}, c.operation)
			if c.body == "" || c.body == "{}" || named && value == `"root"` { // which would do
				continue
			}
			var fields map[string]any
			if err := json.Unmarshal([]byte(c.body), &fields); err != nil {
				t.Fatal(err)
			}
			for field := range fields {
				parts := []string{}
				for name, v := range fields {
					text, _ := json.Marshal(v)
					if name == field {
						text = []byte(value)
					}
					parts = append(parts, fmt.Sprintf("%q:%s", name, text))
				}
				if code, text := whole.Asked(
					t, whole.Shared.URL, c.method, c.path, teacher, "{"+strings.Join(parts, ",")+"}",
				); code >= 500 {
					t.Errorf("%s %s with %s %.20s: %d %s", c.method, c.path, field, value, code, text)
				}
			}
		}
	}
	for _, query := range []string{"title=%00", "encoding=%00", "script=%00"} {
		contentType, body := client.SendFiles(
			whole.Scripts(map[string]string{"a.sql": "SELECT 1;"}), []string{"a.sql"}, nil,
		)
		request, _ := http.NewRequest("POST", whole.Shared.URL+"/api/datasets/nonsense/builds?"+query, body)
		request.Header.Set("Content-Type", contentType)
		request.Header.Set("Authorization", "Bearer "+teacher)
		response, err := http.DefaultClient.Do(request)
		if err != nil {
			t.Fatal(err)
		}
		response.Body.Close()
		if response.StatusCode != 400 {
			t.Errorf("%s: %d", query, response.StatusCode)
		}
	}
	for _, path := range []string{"/healthz", "/.env", "/admin", "/papersx"} {
		if code, _ := whole.Asked(t, whole.Shared.URL, "GET", path, "", ""); code != 404 {
			t.Errorf("%s: %d", path, code)
		}
	}
	for _, path := range []string{"/", "/papers/first-look", "/history", "/datasets/apiary/map"} {
		code, text := whole.Asked(t, whole.Shared.URL, "GET", path, "", "")
		if code != 200 || !strings.Contains(text, "<html") {
			t.Errorf("%s: %d", path, code)
		}
	}
}

// Guesses that come at once are counted like those that come one after another; who is known on a device is not held up
// by others' guesses.
func TestGuessingAtOnce(t *testing.T) {
	name, _ := whole.Newcomer(t)
	c, _ := client.NewClient(whole.Shared.URL)
	first, err := client.Read[client.Session](
		c.LogIn(ctx, client.LogIn{Name: name, Password: demo.LearnerPassword, Kind: client.Bearer}),
	)
	if err != nil || first.Device == "" {
		t.Fatalf("%+v, %v", first, err)
	}
	var all sync.WaitGroup
	var mu sync.Mutex
	got := map[int]int{}
	begun := time.Now()
	for i := range 60 {
		all.Go(func() {
			_, err := client.Read[client.Session](
				c.LogIn(ctx, client.LogIn{Name: name, Password: fmt.Sprintf("guess-%d", i), Kind: client.Bearer}),
			)
			var p *client.ProblemError
			if !errors.As(err, &p) || p.Status == 429 && (p.RetryAfter < 1 || p.RetryAfter > 60) {
				t.Errorf("got %v", err)
				return
			}
			mu.Lock()
			got[p.Status]++
			mu.Unlock()
		})
	}
	all.Wait()
	most := 5
	for wait := time.Second; wait < time.Since(begun); wait *= 2 { // on a slow machine a wait may have passed
		most++
	}
	if got[401] > most || got[401]+got[429] != 60 {
		t.Errorf("of 60 guesses at once so many were tried (401) and put off (429): %v", got)
	}
	if p := problemOf(t)(
		c.LogIn(ctx, client.LogIn{Name: name, Password: demo.LearnerPassword, Kind: client.Bearer}),
	); p.Status != 429 {
		t.Errorf("the right password from where the guesses came, on no known device: %+v", p)
	}
	if _, err := client.Read[client.Session](
		c.LogIn(
			ctx, client.LogIn{Name: name, Password: demo.LearnerPassword, Kind: client.Bearer, Device: first.Device},
		),
	); err != nil {
		t.Errorf("on the known device: %v", err)
	}
	other, _ := whole.Newcomer(t)
	if _, err := client.Read[client.Session](
		c.LogIn(ctx, client.LogIn{Name: other, Password: demo.LearnerPassword, Kind: client.Bearer}),
	); err != nil {
		t.Errorf("somebody else from there: %v", err)
	}
	_, again := whole.Newcomer(t)
	codes := map[int]int{}
	for range 6 {
		p := problemOf(t)(
			again.SetPassword(ctx, client.PasswordChange{Current: "a wrong one", New: "another-long-one"}),
		)
		codes[p.Status]++
	}
	if codes[403] != 3 || codes[429] != 3 {
		t.Errorf("guesses of the current password: %v", codes)
	}
}

// A one-time password opens nothing but the way to a password of one's own, and not for ever.
func TestAOneTimePasswordOpensOnlyTheWayToOnesOwn(t *testing.T) {
	t.Parallel()
	folder := whole.DemoDir(t)
	s := whole.Start(t, "demo", "--data-dir", folder)
	teacher := whole.As(t, s.URL, demo.InstructorName, demo.InstructorPassword)
	added, err := client.Read[client.AddedMember](
		teacher.AddMember(ctx, "evening-group", client.NewMember{Name: "posy"}),
	)
	if err != nil || added.Password == "" {
		t.Fatalf("%+v, %v", added, err)
	}
	posy := whole.As(t, s.URL, "posy", added.Password)
	for what, p := range map[string]client.Problem{
		"papers":      problemOf(t)(posy.ListPapers(ctx)),
		"a run":       problemOf(t)(posy.Run(ctx, client.RunRequest{Paper: "first-look", Sql: "SELECT 1"})),
		"the history": problemOf(t)(posy.ListHistory(ctx, &client.ListHistoryParams{})),
	} {
		if p.Status != 403 || p.Type != "examen:one-time-password" {
			t.Errorf("%s: %+v", what, p)
		}
	}
	if p := problemOf(t)(
		posy.SetPassword(ctx, client.PasswordChange{Current: added.Password, New: added.Password}),
	); p.Status != 422 {
		t.Errorf("the same again: %+v", p)
	}
	if _, err := client.Read[struct{}](
		posy.SetPassword(ctx, client.PasswordChange{Current: added.Password, New: "posy-and-bees"}),
	); err != nil {
		t.Fatal(err)
	}
	if _, err := client.Read[[]client.PaperSummary](posy.ListPapers(ctx)); err != nil {
		t.Errorf("afterwards: %v", err)
	}
	reset, err := client.Read[client.AddedAccount](teacher.ResetPassword(ctx, "posy"))
	if err != nil {
		t.Fatal(err)
	}
	if _, err := whole.Superuser(t, folder, "records", "postgres").Exec(
		ctx, "UPDATE account SET one_time_until = now() - interval '1 minute' WHERE name = 'posy'",
	); err != nil {
		t.Fatal(err)
	}
	c, _ := client.NewClient(s.URL)
	if p := problemOf(t)(
		c.LogIn(ctx, client.LogIn{Name: "posy", Password: reset.Password, Kind: client.Bearer}),
	); p.Status != 401 || p.Type != "examen:one-time-expired" {
		t.Errorf("when it has expired: %+v", p)
	}
	// A clock that went back is no reason to wait for hours.
	for range 4 {
		_, _ = c.LogIn(ctx, client.LogIn{Name: "posy", Password: "wrong", Kind: client.Bearer})
	}
	if _, err := whole.Superuser(t, folder, "records", "postgres").Exec(
		ctx, "UPDATE login_failure SET last_at = now() + interval '2 hours'",
	); err != nil {
		t.Fatal(err)
	}
	if p := problemOf(t)(
		c.LogIn(ctx, client.LogIn{Name: "posy", Password: "wrong", Kind: client.Bearer}),
	); p.Status != 401 {
		t.Errorf("after the clock went back: %+v", p)
	}
}

// Calls that dribble do not hold a connection for ever, whoever makes them; what is not allowed is refused before it
// has come.
func TestSlowBodies(t *testing.T) {
	t.Parallel()
	address := strings.TrimPrefix(whole.Shared.URL, "http://")
	var all sync.WaitGroup
	for _, head := range []string{"POST /api/session HTTP/1.1\r\nContent-Type: application/json\r\n" +
		"Content-Length: 60000\r\n", "POST /api/runs HTTP/1.1\r\nContent-Type: application/json\r\n" +
		"Content-Length: 60000\r\n",
		"POST /api/packs HTTP/1.1\r\nContent-Type: multipart/form-data; boundary=x\r\nContent-Length: 600000000\r\n",
		"POST /nothing HTTP/1.1\r\nContent-Length: 60000\r\n",
	} {
		for range 10 {
			all.Go(func() {
				conn, err := net.Dial("tcp", address)
				if err != nil {
					t.Error(err)
					return
				}
				defer conn.Close()
				fmt.Fprintf(conn, "%sHost: %s\r\n\r\n{", head, address)
				ended := make(chan struct{})
				go func() {
					_, _ = io.Copy(io.Discard, conn)
					close(ended)
				}()
				for {
					select {
					case <-ended:
						return
					case <-time.After(500 * time.Millisecond):
						_, _ = conn.Write([]byte(" "))
					}
				}
			})
		}
	}
	all.Wait() // for as long as a body may take, and no longer
	teacher := whole.Token(t, whole.Shared.URL, demo.InstructorName, demo.InstructorPassword)
	if code, text := whole.Asked(
		t, whole.Shared.URL, "POST", "/api/session", "", `{"name":"`+strings.Repeat("x", 70<<10)+`"}`,
	); code != 413 {
		t.Errorf("a log-in of 70 kB: %d %s", code, text)
	}
	if code, _ := whole.Asked(t, whole.Shared.URL, "GET", "/api/papers", teacher, ""); code != 200 {
		t.Errorf("afterwards: %d", code)
	}
}

// One learner's calls are bounded, and the answer says for how long.
func TestCallsAreBounded(t *testing.T) {
	t.Parallel()
	s := whole.Start(t, "demo", "--data-dir", whole.DemoDir(t), "--limit-calls", "60")
	wren := whole.As(t, s.URL, demo.NewLearnerName, demo.LearnerPassword)
	refused := 0
	for range 100 {
		response, err := wren.ListPapers(ctx)
		if err != nil {
			t.Fatal(err)
		}
		response.Body.Close()
		if response.StatusCode == 429 {
			refused++
			if response.Header.Get("Retry-After") == "" {
				t.Error("a 429 without Retry-After")
			}
		}
	}
	if refused < 20 {
		t.Errorf("%d of 100 calls were refused", refused)
	}
	if _, err := client.Read[[]client.PaperSummary](
		whole.As(t, s.URL, "robin", demo.LearnerPassword).ListPapers(ctx),
	); err != nil {
		t.Errorf("another learner: %v", err)
	}
}

// Texts of any size are kept, but not without end, and a page of them has a bound.
func TestALongHistoryComesInPages(t *testing.T) {
	_, c := whole.Newcomer(t)
	long := "SELECT 1 -- " + strings.Repeat("x", 95_000)
	sent, most := 0, 400 // on a slow machine much is allowed again meanwhile
	for range most {
		_, err := client.Read[client.Run](c.Run(ctx, client.RunRequest{Paper: "first-look", Sql: long}))
		var p *client.ProblemError
		if errors.As(err, &p) && p.Status == 429 && p.RetryAfter > 0 {
			break
		} else if err != nil {
			t.Fatal(err)
		}
		sent++
	}
	if sent < 40 || sent == most {
		t.Errorf("%d texts of 95 kB were kept within a minute", sent)
	}
	seen, before := 0, ""
	for {
		response, err := c.ListHistory(ctx, &client.ListHistoryParams{Limit: 500, Before: before})
		if err != nil {
			t.Fatal(err)
		}
		text, _ := io.ReadAll(response.Body)
		response.Body.Close()
		var page client.HistoryPage
		if err := json.Unmarshal(text, &page); err != nil || len(text) > 4<<20 {
			t.Fatalf("a page of %d bytes, %v", len(text), err)
		}
		seen += len(page.Entries)
		if before = page.Next; before == "" {
			break
		}
	}
	if seen != sent {
		t.Errorf("%d of %d entries are on the pages", seen, sent)
	}
}

// Behind a proxy that is named, what came by TLS is known to have.
func TestSecureBehindAProxy(t *testing.T) {
	t.Parallel()
	trusting, other := restored(t, "--trusted-proxy", "127.0.0.1"), restored(t)
	// By its public URL, the shared one is reached over TLS alone.
	for url, secure := range map[string]bool{trusting.URL: true, other.URL: false, whole.Shared.URL: true} {
		body, _ := json.Marshal(
			client.LogIn{Name: demo.NewLearnerName, Password: demo.LearnerPassword, Kind: client.Cookie},
		)
		request, _ := http.NewRequest("POST", url+"/api/session", bytes.NewReader(body))
		request.Header.Set("Content-Type", "application/json")
		request.Header.Set("X-Forwarded-Proto", "https")
		request.Header.Set("X-Forwarded-For", "203.0.113.9")
		response, err := http.DefaultClient.Do(request)
		if err != nil {
			t.Fatal(err)
		}
		response.Body.Close()
		cookies := response.Cookies()
		if len(cookies) != 2 || cookies[0].Secure != secure || cookies[1].Secure != secure ||
			(response.Header.Get("Strict-Transport-Security") != "") != secure {
			t.Errorf("secure %v: %v %s", secure, cookies, response.Header.Get("Strict-Transport-Security"))
		}
		if policy := response.Header.Get("Content-Security-Policy"); !strings.Contains(policy, "object-src 'none'") {
			t.Errorf("the policy: %s", policy)
		}
	}
}
