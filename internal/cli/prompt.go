package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/signal"
	"path/filepath"
	"slices"
	"strings"
	"syscall"

	"github.com/peterh/liner"

	"examen/internal/client"
	"examen/internal/core/sqltext"
)

// lineReader reads a line that somebody types, with editing and what they typed before at hand.
type lineReader interface {
	// Prompt returns a line. The error is io.EOF at the end, or liner.ErrPromptAborted after Ctrl-C.
	Prompt(ask string) (string, error)
	// AppendHistory keeps a text to be called back.
	AppendHistory(text string)
}

// A session is a prompt at which one query after another is run.
type session struct {
	*program
	client  *client.Client
	request client.RunRequest
	dataset client.Dataset
	lines   lineReader
	last    string // the query that was run last
}

// What help prints.
const (
	promptHelp = `A query ends with a semicolon, or at an empty line. Besides SQL there are:
  tables         the tables there are
  columns TABLE  the columns of one, and what they mean
`
	exerciseHelp = `  task           the exercise
  submit         submit the query that was run last
`
	leaveHelp = `  help           this
  leave          the end, as with Ctrl-D
Tab completes the names of tables and columns; the arrow keys bring back what was typed before.
`
)

// prompt asks for one query after another on the terminal, and runs each.
func (p *program) prompt(ctx context.Context, c *client.Client, request client.RunRequest) error {
	p.leavePager()
	request.Window = newWindow()
	s := &session{program: p, client: c, request: request}
	if err := s.begin(ctx); err != nil {
		return err
	}
	signal.Reset(syscall.SIGTERM) // it ends the prompt also while that waits for a line
	line := liner.NewLiner()
	defer line.Close()
	line.SetCtrlCAborts(true)
	line.SetMultiLineMode(true)
	line.SetTabCompletionStyle(liner.TabPrints)
	line.SetWordCompleter(s.complete)
	s.lines = line
	file, err := keptFile()
	if err != nil {
		return s.loop(ctx)
	}
	file = filepath.Join(filepath.Dir(file), "typed")
	if before, err := os.Open(file); err == nil {
		_, _ = line.ReadHistory(before)
		_ = before.Close()
	}
	err = s.loop(ctx)
	if kept, wrong := os.OpenFile(file, os.O_WRONLY|os.O_CREATE|os.O_TRUNC, 0o600); wrong == nil {
		_, _ = line.WriteHistory(kept)
		_ = kept.Close()
	}
	return err
}

// begin reads what the prompt works on, and says so.
func (s *session) begin(ctx context.Context) error {
	name, where := s.request.Dataset, s.request.Dataset
	switch {
	case s.request.Exercise != "":
		e, err := client.Read[client.Exercise](s.client.GetExercise(ctx, s.request.Paper, s.request.Exercise))
		if err != nil {
			return err
		}
		name, where = e.Dataset, fmt.Sprintf("%s/%s, on %s", e.Paper, e.Slug, e.Dataset)
	case s.request.Paper != "":
		paper, err := client.Read[client.Paper](s.client.GetPaper(ctx, s.request.Paper))
		if err != nil {
			return err
		}
		name, where = paper.Summary.Dataset, fmt.Sprintf("%s, on %s", s.request.Paper, paper.Summary.Dataset)
	}
	var err error
	if s.dataset, err = client.Read[client.Dataset](s.client.GetDataset(ctx, name, nil)); err != nil {
		return err
	}
	fmt.Fprintf(s.err, "%s. End a query with a semicolon; help lists what else there is.\n", printable(where))
	return nil
}

// loop reads and does one thing after another, until somebody leaves.
func (s *session) loop(ctx context.Context) error {
	var text string // what has been typed of a query
	for {
		ask := "query: "
		if text != "" {
			ask = "       "
		}
		line, err := s.lines.Prompt(ask)
		switch {
		case errors.Is(err, liner.ErrPromptAborted):
			text = ""
			continue
		case errors.Is(err, io.EOF):
			fmt.Fprintln(s.err)
			return nil
		case err != nil:
			return err
		case text == "" && strings.TrimSpace(line) == "":
			continue
		}
		if text == "" {
			if known, leave := s.word(ctx, line); leave {
				return nil
			} else if known {
				s.lines.AppendHistory(strings.TrimSpace(line))
				continue
			}
		}
		text += line + "\n"
		if strings.TrimSpace(line) != "" && !sqltext.Ended(text) {
			continue
		}
		query := strings.TrimSpace(text)
		text = ""
		s.lines.AppendHistory(strings.Join(strings.Fields(query), " "))
		s.interruptible(ctx, func(ctx context.Context) error { return s.runQuery(ctx, query) })
	}
}

// tell says what went wrong; the prompt goes on.
func (s *session) tell(err error) {
	if err != nil && !errors.Is(err, errNotCorrect) {
		s.exit(err)
	}
}

// interruptible does something that Ctrl-C stops, and not the prompt with it.
func (s *session) interruptible(ctx context.Context, do func(context.Context) error) {
	ctx, stop := signal.NotifyContext(context.WithoutCancel(ctx), os.Interrupt)
	defer stop()
	err := do(ctx)
	if err != nil && ctx.Err() != nil {
		fmt.Fprintln(s.err, "Stopped.")
		return
	}
	s.tell(err)
}

// word does what a line asks for that is not SQL but a word of the prompt's own.
func (s *session) word(ctx context.Context, line string) (known, leave bool) {
	words := strings.Fields(strings.TrimSuffix(strings.TrimSpace(line), ";"))
	onExercise := s.request.Exercise != ""
	switch {
	case len(words) == 1 && words[0] == "leave":
		return true, true
	case len(words) == 1 && words[0] == "help":
		fmt.Fprint(s.out, promptHelp)
		if onExercise {
			fmt.Fprint(s.out, exerciseHelp)
		}
		fmt.Fprint(s.out, leaveHelp)
	case len(words) == 1 && words[0] == "tables":
		s.table(s.out, []string{"table", "rows", "meaning", "columns"}, tableLines(s.dataset))
	case len(words) == 2 && words[0] == "columns":
		s.tell(s.showTable(s.dataset, words[1]))
	case len(words) == 1 && words[0] == "task" && onExercise:
		e, err := client.Read[client.Exercise](s.client.GetExercise(ctx, s.request.Paper, s.request.Exercise))
		if err == nil {
			s.writeExercise(e)
		}
		s.tell(err)
	case len(words) == 1 && words[0] == "submit" && onExercise:
		s.interruptible(ctx, s.submitLast)
	default:
		return false, false
	}
	return true, false
}

func (s *session) runQuery(ctx context.Context, query string) error {
	s.last = query
	request := s.request
	request.Sql = query
	run, err := client.Read[client.Run](s.client.Run(ctx, request))
	if err != nil {
		return err
	}
	return s.printRun(ctx, s.client, run, false)
}

func (s *session) submitLast(ctx context.Context) error {
	if s.last == "" {
		fmt.Fprintln(s.err, "No query has been run yet; submit hands in the one that was run last.")
		return nil
	}
	a, err := client.Read[client.Attempt](
		s.client.Submit(ctx, s.request.Paper, s.request.Exercise, client.Submission{Sql: s.last}),
	)
	if err != nil {
		return err
	}
	s.addCause(ctx, s.client, &a)
	return s.printAttempt(a)
}

// complete offers the names that continue the word before the cursor: after a table's name and a dot its columns,
// otherwise all tables and columns, and at the beginning the prompt's own words.
func (s *session) complete(line string, at int) (head string, found []string, tail string) {
	runes := []rune(line)
	begun, tail := string(runes[:at]), string(runes[at:])
	start := strings.LastIndexFunc(begun, func(c rune) bool { return !strings.ContainsRune(nameRunes, c) }) + 1
	head, word := begun[:start], begun[start:]
	table, column, dotted := strings.Cut(word, ".")
	if dotted {
		head, word = head+table+".", column
	} else if strings.TrimSpace(head) == "" {
		found = append(found, "tables", "columns ", "help", "leave")
		if s.request.Exercise != "" {
			found = append(found, "task", "submit")
		}
	}
	known := slices.ContainsFunc(s.dataset.Tables, func(t client.Table) bool { return t.Name == table })
	for _, t := range s.dataset.Tables {
		if !dotted {
			found = append(found, t.SqlName)
		}
		if dotted && known && t.Name != table {
			continue
		}
		for _, c := range t.Columns {
			found = append(found, sqltext.Quoted(c.Name))
		}
	}
	found = slices.DeleteFunc(found, func(name string) bool {
		return !strings.HasPrefix(strings.ToLower(name), strings.ToLower(word))
	})
	slices.Sort(found)
	return head, slices.Compact(found), tail
}

// nameRunes are the characters of names.
const nameRunes = "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_.\""
