package cli

import (
	"context"
	"fmt"
	"io"
	"maps"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"examen/internal/client"
	"examen/internal/core/export"
)

// importFlags are the flags of an import.
type importFlags struct {
	course, encoding, class, slips string
	columns                        []string
	check, yes, leaveOut           bool
}

func (p *program) importMembers() *cobra.Command {
	f := &importFlags{}
	c := &cobra.Command{
		Use:   "import FILE... --course COURSE",
		Short: "Import the people of a course from a file: what is new, changed and wrong is shown first",
		Args:  argsBetween(1, 5, "a file"),
		Long: `Reads a table of people, as CSV or XLSX, with a header in any order: login, name (or
given name and family name), e-mail, group, role. Columns that are called otherwise are
named with --column login=Number. The CSV files of the open roster standard (OneRoster)
are read, too: users.csv, classes.csv and enrollments.csv, or a ZIP of them.

Nothing is done before it is confirmed. Whoever is in the course and not in the file stays.
New accounts get one-time passwords, which are printed, or written as slips with --slips.`,
		RunE: func(cmd *cobra.Command, args []string) error { return p.importRoster(cmd, args, f) },
	}
	flags := c.Flags()
	flags.StringVar(&f.course, "course", "", "the course")
	flags.StringSliceVar(&f.columns, "column", nil, "which column a field is in: login=Number, group=Section, ...")
	flags.StringVar(&f.encoding, "encoding", "", "of CSV files, such as WIN1252 (default: UTF-8)")
	flags.StringVar(&f.class, "class", "",
		"the one class that is taken of a standard's files (default: all, as groups)")
	flags.StringVar(&f.slips, "slips", "", "write slips with the one-time passwords to this file, for printing")
	flags.BoolVar(&f.check, "check", false, "only show what it would do")
	flags.BoolVar(&f.yes, "yes", false, "do not ask")
	flags.BoolVar(&f.leaveOut, "leave-out", false, "leave wrong lines out")
	return c
}

// rosterBody makes a call's body of files.
func rosterBody(paths []string) (contentType string, body io.ReadCloser, err error) {
	folder := filepath.Dir(paths[0])
	var names []string
	for _, path := range paths {
		if info, err := os.Stat(path); err != nil || info.IsDir() {
			return "", nil, usageError{fmt.Errorf("%s is no file that can be read", path)}
		}
		if filepath.Dir(path) != folder {
			return "", nil, usageError{fmt.Errorf("the files have to be in one folder")}
		}
		names = append(names, filepath.Base(path))
	}
	contentType, body = client.SendFiles(os.DirFS(folder), names, nil)
	return contentType, body, nil
}

func (p *program) importRoster(cmd *cobra.Command, paths []string, f *importFlags) error {
	if err := courseGiven(cmd, f.course); err != nil {
		return err
	}
	contentType, body, err := rosterBody(paths)
	if err != nil {
		return err
	}
	preview, err := ask[client.RosterPreview](p, cmd, func(ctx context.Context, c *client.Client) (
		*http.Response, error,
	) {
		return c.PreviewRosterWithBody(ctx, f.course, &client.PreviewRosterParams{
			Encoding: f.encoding, Column: f.columns, Class: f.class,
		}, contentType, body)
	})
	if err != nil {
		return err
	}
	if f.check {
		fmt.Fprintln(p.err, previewInWords(preview))
		return p.print(preview, previewHeader, previewLines(preview))
	}
	p.table(p.err, previewHeader, previewLines(preview))
	fmt.Fprintln(p.err, previewInWords(preview))
	if preview.Wrong > 0 && !f.leaveOut {
		return usageError{fmt.Errorf("%s wrong: mend them, or say --leave-out", are(preview.Wrong, "line"))}
	}
	if preview.New+preview.Changed == 0 {
		return nil
	}
	if !f.yes {
		if err := p.sure("Import this into "+f.course+"?", "nothing is imported"); err != nil {
			return err
		}
	}
	if contentType, body, err = rosterBody(paths); err != nil {
		return err
	}
	done, err := ask[client.ImportedRoster](p, cmd, func(ctx context.Context, c *client.Client) (
		*http.Response, error,
	) {
		return c.ImportRosterWithBody(ctx, f.course, &client.ImportRosterParams{
			Encoding: f.encoding, Column: f.columns, Class: f.class, Digest: preview.Digest, LeaveOut: f.leaveOut,
		}, contentType, body)
	})
	if err != nil {
		return err
	}
	var slips []export.Slip
	for _, a := range done.Added {
		slips = append(slips, export.Slip{
			Login: a.Member.Name, Name: a.Member.DisplayName, Password: a.Password, Until: a.Until,
		})
	}
	if f.slips != "" {
		return p.writeSlips(f.course, f.slips, slips)
	}
	return p.print(done, addedHeader, each(addedLine)(done.Added))
}

func are(n int, noun string) string {
	if n == 1 {
		return "1 " + noun + " is"
	}
	return plural(int64(n), noun) + " are"
}

var previewHeader = []string{"line", "login", "name", "group", "role", "state", "what"}

// previewLines lists what would be done; lines that say what is so already are left out.
func previewLines(preview client.RosterPreview) (all [][]string) {
	for _, l := range preview.Lines {
		what := l.Wrong
		switch {
		case l.State == client.RosterSame:
			continue
		case l.State == client.RosterNew && l.HasAccount:
			what = strings.Join(append([]string{"has an account"}, l.Changes...), "; ")
		case what == "":
			what = strings.Join(l.Changes, "; ")
		}
		all = append(all, []string{fmt.Sprint(l.Line), l.Login, l.Name, l.Group, l.Role, string(l.State), what})
	}
	return all
}

// previewInWords sums a preview up.
func previewInWords(preview client.RosterPreview) string {
	text := fmt.Sprintf("%d new, %d changed, %d the same, %d wrong.",
		preview.New, preview.Changed, preview.Same, preview.Wrong)
	if preview.LeftOut > 0 {
		text += fmt.Sprintf(" Left out of the files: %s, of other roles or classes, or to be deleted.",
			plural(int64(preview.LeftOut), "line"))
	}
	read := slices.Collect(maps.Values(preview.Columns))
	var unread []string
	for _, header := range preview.Headers {
		if header != "" && !slices.Contains(read, header) {
			unread = append(unread, fmt.Sprintf("%q", header))
		}
	}
	if len(unread) > 0 {
		text += fmt.Sprintf(" Columns not read: %s.", strings.Join(unread, ", "))
	}
	if n := len(preview.Absent); n > 0 {
		text += fmt.Sprintf(" %s in the course and not in the file: they stay.", are(n, "learner"))
	}
	return text
}

func (p *program) slips() *cobra.Command {
	var course, to string
	c := &cobra.Command{
		Use:   "slips [LOGIN...] --course COURSE",
		Short: "Make new one-time passwords for many, as slips to print or as a table to send on",
		Args:  argsBetween(0, 10_000, "logins"),
		Long: `Makes new one-time passwords for the learners named, or for all of the course who have
never changed one, and ends their sessions. With --to FILE they are written as slips, for
printing and cutting; -o csv is for sending them on.`,
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := courseGiven(cmd, course); err != nil {
				return err
			}
			issued, err := ask[[]client.AddedAccount](p, cmd, func(ctx context.Context, c *client.Client) (
				*http.Response, error,
			) {
				return c.IssuePasswords(ctx, course, client.WhosePasswords{Learners: args, Unused: len(args) == 0})
			})
			if err != nil {
				return err
			}
			if to == "" {
				return p.print(issued, accountHeader, each(accountLine)(issued))
			}
			var slips []export.Slip
			for _, a := range issued {
				slips = append(slips, export.Slip{
					Login: a.Account.Name, Name: a.Account.DisplayName, Password: a.Password, Until: a.Until,
				})
			}
			return p.writeSlips(course, to, slips)
		},
	}
	c.Flags().StringVar(&course, "course", "", "the course")
	c.Flags().StringVar(&to, "to", "", "write slips for printing to this file, an HTML page")
	return c
}

// writeSlips writes one-time passwords to a file that only its owner can read.
func (p *program) writeSlips(course, to string, slips []export.Slip) error {
	if len(slips) == 0 {
		fmt.Fprintln(p.err, "No one-time password was made, and no slip is written.")
		return nil
	}
	_, known, err := p.connect()
	if err != nil {
		return err
	}
	file, err := os.OpenFile(to, os.O_WRONLY|os.O_CREATE|os.O_TRUNC, 0o600)
	if err != nil {
		return err
	}
	err = export.Slips(file, known.URL, course, slips)
	if closed := file.Close(); err == nil {
		err = closed
	}
	if err == nil {
		fmt.Fprintf(p.err, "%s: open it in a browser and print it.\n", plural(int64(len(slips)), "slip"))
	}
	return err
}
