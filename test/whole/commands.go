package whole

import (
	"bytes"
	"errors"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
)

// Printed is what a command printed, and the code that it ended with.
type Printed struct {
	Out, Errs string
	Code      int
}

// Command runs the built examen with variables and standard input.
func Command(t *testing.T, env []string, in string, args ...string) Printed {
	t.Helper()
	cmd := exec.Command(Binary, args...)
	cmd.Env = append(os.Environ(), env...)
	cmd.Stdin = strings.NewReader(in)
	var out, errs bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &errs
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	defer insist(cmd)()
	err := cmd.Wait()
	var exit *exec.ExitError
	if err != nil && !errors.As(err, &exit) {
		t.Fatal(err)
	}
	return Printed{out.String(), errs.String(), cmd.ProcessState.ExitCode()}
}

// A Shell is somebody at a command line, logged in to the shared service.
type Shell struct {
	Env []string // its variables
	T   *testing.T
}

// At is somebody at a command line, logged in.
func At(t *testing.T, name, password string) *Shell {
	t.Helper()
	s := &Shell{T: t, Env: []string{
		"XDG_CONFIG_HOME=" + t.TempDir(), "EXAMEN_URL=" + Shared.URL, "EXAMEN_PASSWORD=" + password,
	}}
	if p := s.Run("", "login", name); p.Code != 0 || p.Out != "" {
		t.Fatalf("log in: %+v", p)
	}
	return s
}

// Run runs a command with its standard input.
func (s *Shell) Run(in string, args ...string) Printed {
	s.T.Helper()
	return Command(s.T, s.Env, in, args...)
}

// A Step is a command, what it has to say, and how it ends.
type Step struct {
	Line, In string
	Says     []string // on either output
	Code     int
}

// Takes runs commands one after another.
func (s *Shell) Takes(steps ...Step) {
	s.T.Helper()
	for _, c := range steps {
		p := s.Run(c.In, split(c.Line)...)
		for _, says := range c.Says {
			if !strings.Contains(p.Out+p.Errs, says) {
				s.T.Errorf("%s does not say %q:\n%s%s", c.Line, says, p.Out, p.Errs)
			}
		}
		if p.Code != c.Code {
			s.T.Errorf("%s ended with %d, not %d:\n%s%s", c.Line, p.Code, c.Code, p.Out, p.Errs)
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

// Lacks returns those of some texts that are not in another.
func Lacks(in string, texts ...string) (all []string) {
	for _, text := range texts {
		if !strings.Contains(in, text) {
			all = append(all, text)
		}
	}
	return all
}

// WriteFiles writes files into a folder.
func WriteFiles(t *testing.T, folder string, files map[string]string) {
	t.Helper()
	for name, content := range files {
		if err := os.WriteFile(filepath.Join(folder, name), []byte(content), 0o600); err != nil {
			t.Fatal(err)
		}
	}
}

// ReadFile reads a file of a folder.
func ReadFile(t *testing.T, folder, name string) string {
	t.Helper()
	content, err := os.ReadFile(filepath.Join(folder, name))
	if err != nil {
		t.Fatal(err)
	}
	return string(content)
}
