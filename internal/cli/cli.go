// Package cli is the command line: commands read their arguments, call the service through the contract's client, and
// print.
package cli

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/signal"
	"runtime/debug"
	"slices"
	"strings"
	"syscall"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
	"github.com/spf13/viper"

	"examen/internal/client"
)

// Exit codes.
const (
	exitDone        = 0
	exitNotCorrect  = 1
	exitUsage       = 2
	exitRefused     = 3
	exitUnreachable = 4
)

// A program is one invocation of the command line.
type program struct {
	in       io.Reader
	out, err io.Writer
	url      string
	format   string // table, json or csv
	pager    *pager // through which the command prints; nil for none
}

// errNotCorrect ends a command whose answer was not correct. Everything there is to say has been printed.
var errNotCorrect = errors.New("not correct")

// usageError is wrong use of a command.
type usageError struct{ error }

// Main runs the command line and returns its exit code.
func Main(args []string, in io.Reader, out, errs io.Writer) int {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	p := &program{in: in, out: out, err: errs}
	root := p.root()
	root.SetArgs(args)
	root.SetIn(in)
	root.SetOut(out)
	root.SetErr(errs)
	err := root.ExecuteContext(ctx)
	if p.pager != nil {
		p.out, p.err = out, errs
		p.pager.close(errs)
	}
	return p.exit(err)
}

// exit prints what went wrong, in one line if possible, and returns the exit code.
func (p *program) exit(err error) int {
	var usage usageError
	var problem *client.ProblemError
	switch {
	case err == nil:
		return exitDone
	case errors.Is(err, errNotCorrect):
		return exitNotCorrect
	case errors.As(err, &problem):
		fmt.Fprintf(p.err, "examen: %s\n", printable(problem.Error()))
		if problem.Type == "examen:no-session" {
			fmt.Fprintln(p.err, "examen: log in with: examen login")
		}
		return exitRefused
	case errors.Is(err, client.ErrUnreachable):
		fmt.Fprintf(
			p.err, "examen: %s (is it running at %s? --url names another address)\n", printable(err.Error()), p.url,
		)
		return exitUnreachable
	case errors.As(err, &usage):
		fmt.Fprintf(p.err, "examen: %s\n", printable(err.Error()))
		return exitUsage
	}
	fmt.Fprintf(p.err, "examen: %s\n", printable(err.Error()))
	return exitRefused
}

func (p *program) root() *cobra.Command {
	root := &cobra.Command{
		Use:   "examen",
		Short: "Set SQL exercises, solve them, and see how a course gets on",
		Long: `Examen loads sample databases, sets SQL exercises and checks what learners submit.

Every flag can also be given as a variable (--url as EXAMEN_URL) or in a file (--config).
An exercise is named PAPER/EXERCISE, by slug or number: first-look/3.

Exit codes: 0 done (submit: correct), 1 the answer was not correct, 2 wrong use,
3 the service said no, 4 the service could not be reached.`,
		Version:       version(),
		Args:          cobra.ArbitraryArgs,
		RunE:          noCommand,
		SilenceUsage:  true,
		SilenceErrors: true,
		PersistentPreRunE: func(cmd *cobra.Command, _ []string) error {
			return p.configure(cmd)
		},
	}
	flags := root.PersistentFlags()
	flags.StringVar(
		&p.url, "url", "", "the service's address (default: the one logged in to, or http://127.0.0.1:8080)",
	)
	flags.StringVarP(&p.format, "output", "o", "table", "how to print: table, json or csv")
	flags.String("config", "", "a file with flags' values (YAML, JSON or TOML)")
	root.SetFlagErrorFunc(func(_ *cobra.Command, err error) error { return usageError{err} })
	root.AddCommand(
		p.demo(),
		p.serve(),
		p.login(),
		p.logout(),
		p.whoami(),
		p.password(),
		p.paper(),
		p.read(),
		p.run(),
		p.submit(),
		p.example(),
		p.copies(),
		p.history(),
		p.entry(),
		p.text(),
		p.dataset(),
		p.pack(), p.exercise(),
		p.course(),
		p.member(),
		p.account(), p.server(), p.cluster(), p.status(), p.doctor(),
		p.backup(), p.restore(),
		p.progress(),
		p.marks(), p.recheck(), p.log(),
		p.mark(), p.note(), p.dispute(),
		p.webhook(), p.calendar(),
	)
	p.finish(root)
	return root
}

// separators stand between the values of flags that take several at once, by type, where that is not a comma.
var separators = map[string]string{"URL": " "}

// configure sets flags that were not given from EXAMEN_* variables and the configuration file.
func (p *program) configure(cmd *cobra.Command) error {
	v := viper.New()
	v.SetEnvPrefix("EXAMEN")
	v.SetEnvKeyReplacer(strings.NewReplacer("-", "_"))
	v.AutomaticEnv()
	if err := v.BindPFlags(cmd.Flags()); err != nil {
		return err
	}
	if file := v.GetString("config"); file != "" {
		v.SetConfigFile(file)
		if err := v.ReadInConfig(); err != nil {
			return usageError{fmt.Errorf("the configuration file cannot be read: %w", err)}
		}
		if err := known(cmd.Root(), v, file); err != nil {
			return err
		}
	}
	var wrong error
	cmd.Flags().VisitAll(func(f *pflag.Flag) {
		if !f.Changed && v.IsSet(f.Name) && wrong == nil {
			given := v.GetString(f.Name)
			if _, is := v.Get(f.Name).([]any); is { // in the configuration file
				given = strings.Join(v.GetStringSlice(f.Name), cmp.Or(separators[f.Value.Type()], ","))
			}
			if err := f.Value.Set(given); err != nil {
				wrong = usageError{fmt.Errorf("%s: %w", f.Name, err)}
			}
		}
	})
	if wrong != nil {
		return wrong
	}
	formats := []string{"table", "json", "csv"}
	if cmd.Annotations[workbooks] != "" {
		formats = append(formats, workbooks)
	}
	if !slices.Contains(formats, p.format) {
		return usageError{fmt.Errorf("-o %s: expected one of %s", p.format, strings.Join(formats, ", "))}
	}
	if cmd.Annotations[pages] != "" {
		if p.pager = newPager(p.out); p.pager != nil {
			p.out, p.err = p.pager, &p.pager.said
		}
	}
	return nil
}

// known returns an error if a file sets what no command has a flag for.
func known(root *cobra.Command, v *viper.Viper, file string) error {
	flags := map[string]bool{}
	var collect func(c *cobra.Command)
	collect = func(c *cobra.Command) {
		for _, set := range []*pflag.FlagSet{c.Flags(), c.PersistentFlags()} {
			set.VisitAll(func(f *pflag.Flag) { flags[f.Name] = true })
		}
		for _, below := range c.Commands() {
			collect(below)
		}
	}
	collect(root)
	for _, key := range v.AllKeys() {
		if top, _, _ := strings.Cut(key, "."); !flags[top] && v.InConfig(top) {
			return usageError{fmt.Errorf("%s sets %q, for which there is no flag; see: examen serve --help", file, top)}
		}
	}
	return nil
}

// Command is the command line, for those who write its manual.
func Command() *cobra.Command {
	p := &program{in: strings.NewReader(""), out: io.Discard, err: io.Discard}
	return p.root()
}

// workbooks is the format of those commands that can print a workbook, and the annotation that says so.
const workbooks = "xlsx"

// release is the version that a package was built as, set by the linker; "" otherwise.
var release string

// version returns the program's version, as built.
func version() string {
	if release != "" {
		return release
	}
	info, ok := debug.ReadBuildInfo()
	if !ok {
		return "unknown"
	}
	v := strings.Trim(info.Main.Version, "()")
	for _, s := range info.Settings {
		if s.Key == "vcs.revision" && !strings.Contains(v, s.Value[:min(12, len(s.Value))]) {
			v += " " + s.Value[:min(12, len(s.Value))]
		}
	}
	return v
}

// oneOf checks that a flag's value is one of its choices.
func oneOf(flag, value string) error {
	if value == "" || slices.Contains(choices[flag], value) {
		return nil
	}
	return usageError{fmt.Errorf("--%s %s: expected one of %s", flag, value, strings.Join(choices[flag], ", "))}
}

// argsBetween checks the number of arguments.
func argsBetween(least, most int, names string) cobra.PositionalArgs {
	return func(cmd *cobra.Command, args []string) error {
		if len(args) < least || len(args) > most {
			return usageError{
				fmt.Errorf(
					"%s needs %s, got %d arguments; see %s --help", cmd.CommandPath(), names, len(args),
					cmd.CommandPath(),
				),
			}
		}
		for _, arg := range args {
			if strings.TrimSpace(arg) == "" {
				return usageError{
					fmt.Errorf(
						"%s needs %s, and an argument is empty; see %s --help", cmd.CommandPath(), names,
						cmd.CommandPath(),
					),
				}
			}
		}
		return nil
	}
}

// group returns a command that only holds others: a noun.
func group(use, short string, commands ...*cobra.Command) *cobra.Command {
	c := &cobra.Command{Use: use, Short: short, RunE: noCommand, Args: cobra.ArbitraryArgs}
	c.AddCommand(commands...)
	return c
}

// noCommand runs a command that only holds others: it prints the help, or says that there is no such command.
func noCommand(cmd *cobra.Command, args []string) error {
	if len(args) == 0 {
		return cmd.Help()
	}
	cmd.SuggestionsMinimumDistance = 2 // letters
	more := ": see "
	if near := cmd.SuggestionsFor(args[0]); len(near) > 0 {
		more = ", did you mean " + strings.Join(near, " or ") + "? See "
	}
	path := cmd.CommandPath()
	return usageError{fmt.Errorf("%s has no command %q%s%s --help", path, args[0], more, path)}
}

// address splits PAPER/EXERCISE.
func address(s string) (paper, exercise string, err error) {
	paper, exercise, ok := strings.Cut(s, "/")
	if !ok || paper == "" || exercise == "" {
		return "", "", usageError{fmt.Errorf("%q is not an exercise: write PAPER/EXERCISE, such as first-look/3", s)}
	}
	return paper, exercise, nil
}
