package cli

import (
	"bytes"
	"io"
	"os"
	"os/exec"
	"strings"

	"golang.org/x/term"
)

// pages is the annotation of those commands whose output may be long.
const pages = "pages"

// A pager holds what a command prints until it is more than the screen has lines, and then hands it to the program that
// PAGER names, or less. What is said on standard error waits for the end, so that it stands beneath.
type pager struct {
	screen    *os.File
	height    int
	held      bytes.Buffer
	lines     int
	said      bytes.Buffer
	program   *exec.Cmd
	to        io.WriteCloser
	none, off bool // there is no program; it has been left
}

// newPager returns a pager for a screen, or nil where there is none to use.
func newPager(out io.Writer) *pager {
	screen, is := out.(*os.File)
	if !is || !term.IsTerminal(int(screen.Fd())) {
		return nil
	}
	_, height, err := term.GetSize(int(screen.Fd()))
	if err != nil || height <= 0 {
		return nil
	}
	return &pager{screen: screen, height: height}
}

func (p *pager) Write(text []byte) (int, error) {
	switch {
	case p.off:
		return len(text), nil // nobody reads on
	case p.to != nil:
		if _, err := p.to.Write(text); err != nil {
			p.off = true
		}
		return len(text), nil
	case p.none:
		return p.screen.Write(text)
	}
	p.held.Write(text)
	p.lines += bytes.Count(text, []byte("\n"))
	if p.lines >= p.height {
		p.start()
	}
	return len(text), nil
}

// start starts the program. Where that is not possible, all is printed as it is.
func (p *pager) start() {
	command, set := os.LookupEnv("PAGER")
	if !set {
		command = "less"
	}
	p.program = exec.Command("sh", "-c", command)
	p.program.Stdout, p.program.Stderr = p.screen, p.screen
	p.program.Env = os.Environ()
	if _, set := os.LookupEnv("LESS"); !set {
		p.program.Env = append(p.program.Env, "LESS=FRX")
	}
	name, _, _ := strings.Cut(command, " ")
	_, err := exec.LookPath(name)
	if err == nil {
		p.to, err = p.program.StdinPipe()
	}
	if err == nil {
		err = p.program.Start()
	}
	if err != nil {
		p.to, p.none = nil, true
		_, _ = p.screen.Write(p.held.Bytes())
		return
	}
	_, _ = p.to.Write(p.held.Bytes())
}

// leavePager has a command print without a pager.
func (p *program) leavePager() {
	if p.pager != nil {
		p.out, p.err, p.pager = p.pager.screen, os.Stderr, nil
	}
}

// close shows what is held still, waits until the program has been left, and then says what was said.
func (p *pager) close(errs io.Writer) {
	switch {
	case p.to != nil:
		_ = p.to.Close()
		_ = p.program.Wait()
	case !p.none:
		_, _ = p.screen.Write(p.held.Bytes())
	}
	_, _ = errs.Write(p.said.Bytes())
}
