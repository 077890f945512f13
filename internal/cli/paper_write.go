package cli

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"examen/internal/client"
)

func (p *program) paperNew() *cobra.Command {
	var n client.NewPaper
	c := &cobra.Command{
		Use: "new PAPER --title TITLE --dataset DATASET", Short: "Begin a paper, and write it in your editor",
		Long: `Begins a paper about a dataset, or a copy of another paper, and opens its Markdown
in the editor that VISUAL or EDITOR names. What you save is checked.
Learners see nothing of it until it is published and set for their course.`,
		Args: argsBetween(1, 1, "a name for the paper"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if n.Dataset == "" && n.Copy == "" {
				return usageError{errors.New("name a dataset with --dataset, or a paper to copy with --copy")}
			}
			if n.Slug = args[0]; n.Title == "" {
				return usageError{errors.New("name the paper's title with --title")}
			}
			_, err := ask[client.Writing](p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.CreatePaper(ctx, n)
			})
			if err != nil {
				return err
			}
			return p.edit(cmd, n.Slug, n.Copy == "")
		},
	}
	c.Flags().StringVar(&n.Title, "title", "", "its title")
	c.Flags().StringVar(&n.Dataset, "dataset", "", "the dataset that it is about (default: that of the copied paper)")
	c.Flags().StringVar(&n.Copy, "copy", "", "begin with the text of this paper")
	return c
}

func (p *program) paperEdit() *cobra.Command {
	return &cobra.Command{
		Use: "edit PAPER", Short: "Write a paper in your editor",
		Long: `Opens the Markdown of a paper, as it is being written, in the editor that VISUAL or
EDITOR names. What you save is checked. What others have changed meanwhile is merged
by section; of a section that both have changed both forms come back to the editor.
Learners see the paper as it was until it is published.`,
		Args: argsBetween(1, 1, "a paper"),
		RunE: func(cmd *cobra.Command, args []string) error { return p.edit(cmd, args[0], false) },
	}
}

// skeleton is how a paper begins that has no section yet.
const skeleton = `Say here what the paper is about. Two number signs begin a section; one that
holds an sql answer block is an exercise.

## The first exercise {#the-first-exercise}

Say what is to be found.

` + "```sql answer\n\n```\n"

// edit opens a paper's text in an editor until it is saved without a conflict, and checks it.
func (p *program) edit(cmd *cobra.Command, paper string, begins bool) error {
	c, _, err := p.connect()
	if err != nil {
		return err
	}
	ctx := cmd.Context()
	base, err := client.Read[string](c.GetWritingText(ctx, paper))
	if err != nil {
		return err
	}
	text := base
	if begins {
		text += skeleton
	}
	folder, err := os.MkdirTemp("", "examen-")
	if err != nil {
		return err
	}
	file := filepath.Join(folder, paper+".md")
	for {
		written, err := p.inEditor(ctx, file, text)
		if err != nil {
			return err
		}
		if written == base || begins && written == text {
			fmt.Fprintln(p.err, "Nothing was changed.")
			return os.RemoveAll(folder)
		}
		text = written
		r, err := client.Read[client.Replaced](
			c.ReplaceWriting(ctx, paper, client.WholeText{Base: base, Text: text}),
		)
		if err != nil {
			fmt.Fprintf(p.err, "What you wrote is in %s.\n", file)
			return err
		}
		switch {
		case len(r.Conflicts) > 0:
			fmt.Fprintln(p.err, "Nothing is saved: these sections were changed in two ways.")
			for _, conflict := range r.Conflicts {
				fmt.Fprintf(p.err, "  %s\n", printable(titleOf(conflict.Title)))
			}
			base, text = r.Base, bothForms(r)
			if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
				return err
			}
		case len(r.Wrong) > 0:
			fmt.Fprintln(p.err, "It is saved, and cannot be published yet:")
			for _, wrong := range r.Wrong {
				fmt.Fprintf(p.err, "  line %d: %s\n", wrong.Line, printable(wrong.Detail))
			}
			base, text = r.Base, r.Text
		default:
			if err := os.RemoveAll(folder); err != nil {
				return err
			}
			return p.checkSaved(ctx, c, paper)
		}
		again, err := p.yes("Edit it again?")
		if err == nil && again {
			continue
		}
		if len(r.Conflicts) > 0 {
			fmt.Fprintf(p.err, "Both forms are in %s.\n", file)
		} else {
			err = errors.Join(err, os.RemoveAll(folder))
		}
		return errors.Join(err, errNotCorrect)
	}
}

// checkSaved checks a paper that was saved.
func (p *program) checkSaved(ctx context.Context, c *client.Client, paper string) error {
	fmt.Fprintf(p.err, "Saved. Learners see it once it is published: examen paper publish %s\n", paper)
	job, err := client.Read[client.Job](c.CheckPaper(ctx, paper))
	if err != nil {
		return err
	}
	return p.followCheck(ctx, c, job)
}

// bothForms is a text in which each section that was changed in two ways stands twice.
func bothForms(r client.Replaced) string {
	text := r.Text
	for _, c := range r.Conflicts {
		const mark = "<!-- This section was changed elsewhere, too. Keep one of its two forms, and take out this " +
			"line. -->\n"
		if c.Ours == "" {
			text += "\n" + mark + "\n" + c.Theirs
			continue
		}
		text = strings.Replace(text, c.Ours, c.Ours+"\n"+mark+"\n"+c.Theirs, 1)
	}
	return text
}

// titleOf is a section's title for people to read.
func titleOf(title string) string {
	if title == "" {
		return "What stands before the first heading"
	}
	return title
}

// inEditor has a text edited, and returns what it is then.
func (p *program) inEditor(ctx context.Context, file, text string) (string, error) {
	editor := os.Getenv("VISUAL")
	if editor == "" {
		editor = os.Getenv("EDITOR")
	}
	if editor == "" && isTerminal(p.in) {
		editor = "editor" // what Debian's alternatives have chosen
	}
	if editor == "" {
		return "", usageError{errors.New("name your editor in the variable VISUAL or EDITOR")}
	}
	if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
		return "", err
	}
	run := exec.CommandContext(ctx, "sh", "-c", editor+` "$1"`, "sh", file)
	run.Stdin, run.Stdout, run.Stderr = p.in, p.out, p.err
	if err := run.Run(); err != nil {
		return "", fmt.Errorf("the editor %q ended with an error (%w); what you wrote is in %s", editor, err, file)
	}
	written, err := os.ReadFile(file)
	return string(written), err
}
