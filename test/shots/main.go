// Command shots renews the pictures in docs/screenshots from the demo: make shots.
package main

import (
	"bufio"
	"errors"
	"fmt"
	"log"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"syscall"
	"time"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"

	"examen/internal/demo"
	"examen/test/browser"
)

func main() {
	log.SetFlags(0)
	if len(os.Args) < 2 {
		log.Fatal("usage: shots FOLDER [NAME...]")
	}
	if err := run(os.Args[1], os.Args[2:]); err != nil {
		log.Fatal(err)
	}
}

// A shot is one picture: how to come to it, as whom.
type shot struct {
	name          string
	who, password string
	path          string
	width, height int
	dark          bool
	with          string // a pack that is loaded besides
	steps         func(*rod.Page)
}

func run(folder string, only []string) error {
	wanted := func(name string) bool { return len(only) == 0 || slices.Contains(only, name) }
	for _, with := range []string{"", "mosswater"} {
		var own []shot
		for _, s := range shots {
			if s.with == with && wanted(s.name) {
				own = append(own, s)
			}
		}
		commanded := with == "" && slices.ContainsFunc([]string{"command-learner", "command-progress"}, wanted)
		if len(own) == 0 && !commanded {
			continue
		}
		if err := runOn(folder, with, own, commanded); err != nil {
			return err
		}
	}
	return nil
}

// runOn takes pictures of one demo.
func runOn(folder, with string, own []shot, commanded bool) error {
	url, stop, err := startDemo(with)
	if err != nil {
		return err
	}
	defer stop()
	b, closeBrowser, err := browser.Open()
	if err != nil {
		return err
	}
	defer closeBrowser()
	for _, s := range own {
		if err := take(b, url, s, filepath.Join(folder, s.name+".png")); err != nil {
			return fmt.Errorf("%s: %w", s.name, err)
		}
		fmt.Println(s.name)
	}
	if commanded {
		return commands(url, folder)
	}
	return nil
}

// startDemo starts the demo on a free port and returns its address.
func startDemo(with string) (url string, stop func(), err error) {
	cmd := exec.Command("bin/examen", "demo", "--listen", "127.0.0.1:0")
	if with != "" {
		cmd.Args = append(cmd.Args, "--with", with)
	}
	cmd.Stderr = os.Stderr
	out, err := cmd.StdoutPipe()
	if err != nil {
		return "", nil, err
	}
	if err := cmd.Start(); err != nil {
		return "", nil, err
	}
	stop = func() {
		_ = cmd.Process.Signal(syscall.SIGINT)
		_ = cmd.Wait()
	}
	lines := bufio.NewScanner(out)
	for lines.Scan() {
		if address, found := strings.CutPrefix(lines.Text(), "Examen serves at "); found {
			url = address
		}
		if strings.HasPrefix(lines.Text(), "Stop it") {
			go func() {
				for lines.Scan() {
				}
			}()
			return url, stop, nil
		}
	}
	stop()
	return "", nil, errors.New("the demo ended as it started")
}

const settle = 600 * time.Millisecond // for fonts and transitions, which nothing announces

func take(b *rod.Browser, url string, s shot, file string) (err error) {
	page, err := browser.Page(b, url, s.width, s.height)
	if err != nil {
		return err
	}
	defer page.Close()
	err = rod.Try(func() {
		p := page.Timeout(30 * time.Second)
		if s.dark { // as the system says
			dark := proto.EmulationSetEmulatedMedia{
				Features: []*proto.EmulationMediaFeature{{Name: "prefers-color-scheme", Value: "dark"}},
			}
			if err := dark.Call(p); err != nil {
				panic(err)
			}
		}
		if s.who != "" {
			logIn(p, s.who, s.password)
		}
		p.MustNavigate(url + s.path).MustWaitLoad()
		if s.steps != nil {
			s.steps(p)
		}
		p.MustWaitIdle()
		time.Sleep(settle)
		picture := p.MustScreenshot()
		if err := os.WriteFile(file, picture, 0o644); err != nil {
			panic(err)
		}
	})
	if err != nil { // what stood there then helps
		if picture, err := page.Screenshot(false, nil); err == nil {
			_ = os.WriteFile(filepath.Join(os.TempDir(), "examen-shot-failed.png"), picture, 0o644)
		}
	}
	return err
}

// accepts writes the accepted answer of the exercise that is open.
func accepts(p *rod.Page, sql string) {
	p.MustElement(`:is(textarea, .cm-content)[aria-label^="Accepted answer of"]`).MustFocus()
	p.MustElement(`.cm-content[aria-label^="Accepted answer of"]`).MustFocus()
	p.KeyActions().Press(input.ControlLeft).Type('a').MustDo()
	p.MustInsertText(sql)
}

func logIn(p *rod.Page, name, password string) {
	p.MustElement("#name").MustInput(name)
	p.MustElement("#password").MustInput(password).MustType(input.Enter)
	p.MustElement("header.frame")
}

var shots = []shot{
	{
		name: "marking", who: demo.InstructorName, password: demo.InstructorPassword,
		path: "/marking?course=evening-group&cause=answer", width: 1280, height: 800,
		steps: func(p *rod.Page) { p.MustElement(".review .note") },
	},
	{
		name: "overview", who: demo.InstructorName, password: demo.InstructorPassword,
		path: "/courses/evening-group/overview", width: 1280, height: 800,
		steps: func(p *rod.Page) { p.MustElement(".overview canvas") },
	},
	{
		name: "class", who: demo.InstructorName, password: demo.InstructorPassword,
		path: "/papers/first-look/progress/hives-by-strength?course=evening-group", width: 1280, height: 800,
		steps: func(p *rod.Page) { p.MustElement(".alike .note").MustScrollIntoView() },
	},
	{
		name: "timeline", who: demo.InstructorName, password: demo.InstructorPassword,
		path: "/learners/kira/timeline?paper=first-look&exercise=hives-by-strength&name=Kira+Novell", width: 1280,
		height: 800,
		steps: func(p *rod.Page) {
			p.MustElementR(".actions button", "^Next$").MustClick()
			p.MustElementR(".actions button", "^Next$").MustClick()
			p.MustElement(".step .difference-lines")
		},
	},
	{name: "my-papers", who: demo.LearnerName, password: demo.LearnerPassword, path: "/", width: 1280, height: 800},
	{
		name:     "progress",
		who:      demo.InstructorName,
		password: demo.InstructorPassword,
		path:     "/papers/first-look/progress",
		width:    1280,
		height:   800,
		steps:    func(p *rod.Page) { p.MustElement(".progress-row .cell a") },
	},
	{
		name:     "paper",
		who:      demo.NewLearnerName,
		password: demo.LearnerPassword,
		path:     "/papers/mending-the-paths",
		width:    1280,
		height:   800,
		with:     "mosswater",
		steps: func(p *rod.Page) {
			p.MustElement("#not-so-steep .answer .sql").MustScrollIntoView()
			p.MustElement("#not-so-steep .answer textarea").MustClick()
			p.MustElement("#not-so-steep .cm-content").MustFocus()
			p.MustInsertText("BEGIN;\nUPDATE path SET grade = 'moderate' WHERE length_km > 5;\n" +
				"SELECT name, length_km, grade FROM path WHERE length_km > 5;\nCOMMIT;")
			p.MustElement("#not-so-steep .run").MustClick()
			p.MustElementR("#not-so-steep .ran", "Committed")
			p.MustElementR("#not-so-steep button", "Submit").MustClick()
			p.MustElementR("#not-so-steep .right-margin", "Look at the condition")
			p.MustEval(`() => document.querySelector("#not-so-steep").scrollIntoView()`)
		},
	},
	{
		name:     "margin-notes",
		who:      demo.LearnerName,
		password: demo.LearnerPassword,
		path:     "/papers/first-look",
		width:    1280,
		height:   800,
		steps: func(p *rod.Page) {
			p.MustElement("#high-and-strong .answer textarea").MustFocus()
			p.MustElement("#high-and-strong .cm-content").MustFocus()
			p.KeyActions().Press(input.ControlLeft).Type('a').MustDo()
			p.MustInsertText("SELECT hive_id, strength\nFROM hive\nWHERE kind = 'stacked' AND strength > 8;")
			p.MustElementR("#high-and-strong button", "^Submit").MustClick()
			p.MustElementR("#high-and-strong .right-margin", "leaves out 8 itself")
			p.MustElementR("#high-and-strong button", "^Smallest example$").MustClick()
			p.MustElement("#high-and-strong .example-tables table")
			p.MustEval(`() => document.getElementById("high-and-strong").scrollIntoView()`)
		},
	},
	{
		name: "writing", who: demo.InstructorName, password: demo.InstructorPassword,
		path: "/papers/first-look/write", width: 1280, height: 800,
		steps: func(p *rod.Page) {
			p.MustElement(`#high-and-strong [aria-label^="Write"]`).MustClick()
			accepts(p, "SELECT hive_id, strength FROM hive\nWHERE kind = 'stacked'\nORDER BY strength DESC LIMIT 8;")
			p.MustElementR("#high-and-strong .right-margin", "LIMIT cuts")
			p.MustElementR("#high-and-strong .tried [role=status]", "^8 rows")
			p.MustEval(`() => document.querySelector("#high-and-strong").scrollIntoView()`)
		},
	},
	{
		name:     "my-history",
		who:      demo.LearnerName,
		password: demo.LearnerPassword,
		path:     "/history?text=strength",
		width:    1280,
		height:   800,
		steps:    func(p *rod.Page) { p.MustElement(".entry") },
	},
	{
		name:     "try",
		who:      demo.NewLearnerName,
		password: demo.LearnerPassword,
		path:     "/try",
		width:    1280,
		height:   800,
		steps: func(p *rod.Page) {
			for _, text := range []struct{ name, sql string }{
				{
					"swarms by month",
					"SELECT date_trunc('month', caught_on) AS month, count(*)\nFROM swarm\nGROUP BY month",
				},
				{"strong hives by valley", "SELECT a.valley, count(*) AS hives, avg(h.strength) AS strength\n" +
					"FROM hive h\nJOIN apiary a ON a.apiary_id = h.apiary_id\nWHERE h.strength > 6\nGROUP BY a.valley"},
			} {
				p.MustElementR(".text-list button", "^Without a name").MustClick()
				p.MustElement(".try-text textarea, .try-text .cm-content").MustFocus()
				p.MustElement(".try-text .cm-content").MustFocus()
				p.MustInsertText(text.sql)
				p.MustElementR(".try-text button", "^Keep as").MustClick()
				p.MustElement(".keep input").MustInput(text.name)
				p.MustElementR(".keep button", "^Keep$").MustClick()
				p.MustElementR(".text-list button[aria-current=true]", text.name)
			}
			p.MustElementR(".try-text button", "^Run$").MustClick()
			p.MustElement(".try-text .result .row-grid")
		},
	},
	{
		name:     "course",
		who:      demo.InstructorName,
		password: demo.InstructorPassword,
		path:     "/courses/evening-group",
		width:    1280,
		height:   800,
		steps: func(p *rod.Page) {
			p.MustElementR("button", "^Times and rules").MustClick()
			p.MustElementR(".set-paper label", "^After the due time").MustElement("select").
				MustSelect("accepted, with a deduction in steps")
			p.MustElementR(".set-paper label", "^Marks and findings").MustElement("select").
				MustSelect("after the due time")
		},
	},
	{
		name: "strengthen", who: demo.InstructorName, password: demo.InstructorPassword,
		path: "/papers/what-is-missing/strengthen", width: 1280, height: 800,
		steps: func(p *rod.Page) {
			p.MustElementR(".strengthen button", "^Search for rows$").MustClick()
			p.MustElementR(".strengthen button", "^Add them as the variant")
			p.MustEval(`() => document.querySelectorAll(".proposals > li")[1].scrollIntoView()`)
		},
	},
	{
		name: "service", who: demo.InstructorName, password: demo.InstructorPassword,
		path: "/service", width: 1280, height: 800,
		steps: func(p *rod.Page) {
			p.MustElement(".service table")
			p.MustEval(`async () => {
				for (const name of ["robin", "robin", "robin", "nobody"])
					await fetch("/api/session", {
						method: "POST", headers: { "Content-Type": "application/json" },
						body: JSON.stringify({ name, password: "a-wrong-one", kind: "cookie" }),
					});
			}`)
			p.MustReload().MustElement(".service table")
		},
	},
	{
		name:     "dataset",
		who:      demo.LearnerName,
		password: demo.LearnerPassword,
		path:     "/datasets/apiary#hive",
		width:    1280,
		height:   800,
		steps: func(p *rod.Page) {
			p.MustElementR("#hive button", "Show the rows").MustClick()
			p.MustElement("#hive .table-rows td")
			p.MustEval(`() => document.getElementById("hive").scrollIntoView()`)
		},
	},
	{
		name:     "map",
		who:      demo.LearnerName,
		password: demo.LearnerPassword,
		path:     "/datasets/apiary/map",
		width:    1280,
		height:   800,
		steps:    func(p *rod.Page) { p.MustElement(".relation") },
	},
	{
		name:     "phone",
		who:      demo.LearnerName,
		password: demo.LearnerPassword,
		path:     "/papers/first-look#hives-by-strength",
		width:    390,
		height:   800,
		steps: func(p *rod.Page) {
			p.MustElement("#hives-by-strength .notes")
			p.MustEval(`() => document.getElementById("hives-by-strength").scrollIntoView()`)
		},
	},
}

// commands takes pictures of what the command line prints, set as a page.
func commands(url, folder string) error {
	home, err := os.MkdirTemp("", "examen-shots-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(home)
	learner := script{home: home, env: []string{"EXAMEN_PASSWORD=" + demo.LearnerPassword, "EXAMEN_URL=" + url}}
	learner.run("", "login", demo.LearnerName)
	learner.prompt("SELECT name, valley FROM apiary", "WHERE altitude > 300;", "leave")
	file := filepath.Join(home, "answers.sql")
	answers := learner.run("", "read", "first-look", "--answers")
	if err := os.WriteFile(file, []byte(answers), 0o600); err != nil {
		return err
	}
	learner.text.WriteString("$ examen read first-look --answers > answers.sql\n")
	learner.show("", "submit", "first-look", "answers.sql")
	learner.show("SELECT inspection_id, remark FROM inspection WHERE remark ILIKE '%calm%'", "submit",
		"first-look/calm-bees")
	learner.show("", "example", "first-look/calm-bees")
	teacher := script{home: home, env: []string{"EXAMEN_PASSWORD=" + demo.InstructorPassword, "EXAMEN_URL=" + url}}
	teacher.run("", "login", demo.InstructorName)
	teacher.show("", "progress", "first-look")
	teacher.show("", "course", "show", "evening-group")
	teacher.show("", "log", "--limit", "4")
	b, closeBrowser, err := browser.Open()
	if err != nil {
		return err
	}
	defer closeBrowser()
	for name, s := range map[string]*script{
		"command-learner": &learner, "command-progress": &teacher,
	} {
		if err := picture(b, s.text.String(), filepath.Join(folder, name+".png")); err != nil {
			return err
		}
		fmt.Println(name)
	}
	return nil
}

// A script is a terminal's text being made.
type script struct {
	home string
	env  []string
	text strings.Builder
}

func (s *script) run(in string, args ...string) string {
	binary, _ := filepath.Abs("bin/examen")
	cmd := exec.Command(binary, args...)
	cmd.Dir = s.home // so that files there have short names
	cmd.Env = append(append(os.Environ(), "XDG_CONFIG_HOME="+s.home), s.env...)
	cmd.Stdin = strings.NewReader(in)
	out, _ := cmd.CombinedOutput() // a wrong answer's exit code is not zero
	return string(out)
}

// prompt is what the prompt for an exercise shows when these lines are typed there.
func (s *script) prompt(lines ...string) {
	binary, _ := filepath.Abs("bin/examen")
	cmd := exec.Command("script", "-qec", "stty -echo cols 100; "+binary+" run first-look/3", "/dev/null")
	cmd.Env = append(append(os.Environ(), "XDG_CONFIG_HOME="+s.home, "TERM=xterm"), s.env...)
	cmd.Stdin = strings.NewReader(strings.Join(lines, "\n") + "\n")
	out, _ := cmd.Output()
	shown := regexp.MustCompile("\r|[^\n]*\x1b\\[0K|\x1b\\[[0-9;]*[A-Za-z]").ReplaceAllString(string(out), "")
	shown = shown[max(0, strings.Index(shown, "first-look/")):] // what was typed ahead has been echoed before
	s.text.WriteString("$ examen run first-look/3\n" + shown + "\n")
}

func (s *script) show(in string, args ...string) {
	line := "$ examen " + strings.Join(args, " ")
	if in != "" {
		line += " <<.\n" + in + "\n."
	}
	s.text.WriteString(line + "\n" + s.run(in, args...) + "\n")
}

func picture(b *rod.Browser, text, file string) error {
	page, err := browser.Page(b, "about:blank", 1280, 960)
	if err != nil {
		return err
	}
	defer page.Close()
	return rod.Try(func() {
		page.MustSetDocumentContent(
			`<body style="margin:0;background:#1e1d1a;color:#e9e4d8"><pre style="font:13px/1.35 'DejaVu Sans ` +
				`Mono',monospace;padding:16px;margin:0"></pre>`,
		)
		page.MustEval(`text => { document.querySelector("pre").textContent = text }`, text)
		bytes, err := page.Screenshot(false, &proto.PageCaptureScreenshot{Format: proto.PageCaptureScreenshotFormatPng})
		if err != nil {
			panic(err)
		}
		if err := os.WriteFile(file, bytes, 0o644); err != nil {
			panic(err)
		}
	})
}
