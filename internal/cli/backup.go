package cli

import (
	"errors"
	"fmt"
	"os"
	"slices"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"examen/internal/server"
)

func (p *program) backup() *cobra.Command {
	var s serving
	c := &cobra.Command{
		Use: "backup FILE", Short: "Back up the records, with the packs, and the settings",
		Long: `Writes a backup into a new file: all records, with the files of which the datasets were built, and the
settings that the service is started with (its flags, by --config and EXAMEN_* variables). Run it where the
service runs, with the same settings. The service may be running, and nobody has to wait for it.

The file holds what the records hold, passwords' hashes and the settings' passwords among it. It can be read by
nobody but you; keep it so, on another machine. Learners' own copies of datasets are not in it.`,
		Args: argsBetween(1, 1, "FILE"),
		RunE: func(cmd *cobra.Command, args []string) error {
			s.prepare(p)
			made, err := server.Backup(cmd.Context(), s.options, version(), settingsOf(cmd), args[0])
			if err != nil {
				return err
			}
			file, err := os.Stat(args[0])
			if err != nil {
				return err
			}
			fmt.Fprintf(p.err, "Backed up to %s (%s).\n", args[0], bytesOf(file.Size()))
			return p.print(made, []string{"table", "rows"}, rowsOf(made))
		},
	}
	s.placeFlags(c, "listen", "records-url", "data-dir")
	return c
}

func (p *program) restore() *cobra.Command {
	var s serving
	c := &cobra.Command{
		Use: "restore FILE", Short: "Restore a backup into an empty place",
		Long: `Fills an empty place with a backup: a data folder in which there are no records, or an empty database
that --records-url leads to. The records are restored, all or nothing, and then the datasets are built again
on the practice servers. While it does so, nothing is sent to anybody. Then the service can be started there.

The settings that the backup holds are not used, but written into restored-settings.yaml in the data folder.
Read them, change what is different here, and start the service with --config. A backup of an older version of
Examen is brought up to date.`,
		Args: argsBetween(1, 1, "FILE"),
		RunE: func(cmd *cobra.Command, args []string) error {
			s.prepare(p)
			done, err := server.Restore(
				cmd.Context(), s.options, args[0], func(step string) { fmt.Fprintln(p.err, printable(step)) },
			)
			if err != nil && done != nil {
				return fmt.Errorf("the records are restored, and the datasets are built again as the service starts; "+
					"they were not now: %w", err)
			} else if err != nil {
				return err
			}
			fmt.Fprintf(p.err, "Restored the backup of %s.\n", clock(done.Made))
			if done.Settings != "" {
				fmt.Fprintf(p.err, "The settings that the service had are in %s.\n", done.Settings)
			}
			if err := p.print(done, []string{"table", "rows"}, rowsOf(&done.Manifest)); err != nil {
				return err
			}
			for _, b := range done.Builds {
				if b.Failed != "" {
					return errors.New("the records are restored, but not all datasets are there; see above")
				}
			}
			return nil
		},
	}
	s.placeFlags(c, "listen")
	s.apart(c)
	return c
}

// placeFlags adds the flags of serve, which say where things are, and hides those that such a command's help has no
// need of: all but the ones shown, where some are.
func (s *serving) placeFlags(c *cobra.Command, hidden string, shown ...string) {
	s.flags(c)
	s.dataDir(c)
	c.Flags().VisitAll(func(f *pflag.Flag) {
		f.Hidden = f.Name == hidden || len(shown) > 0 && !slices.Contains(shown, f.Name)
	})
}

// settingsOf are the values of the flags that are not at their defaults, as they may stand in a configuration file. The
// data folder is not among them: a restored one is another.
func settingsOf(cmd *cobra.Command) map[string]any {
	settings := map[string]any{}
	cmd.LocalFlags().VisitAll(func(f *pflag.Flag) {
		switch value := f.Value.(type) {
		case *urls:
			if len(*value) > 0 {
				settings[f.Name] = []string(*value)
			}
		case pflag.SliceValue:
			if list := value.GetSlice(); len(list) > 0 && f.Value.String() != f.DefValue {
				settings[f.Name] = list
			}
		default:
			if f.Value.String() != f.DefValue && f.Name != "help" && f.Name != "data-dir" {
				settings[f.Name] = f.Value.String()
			}
		}
	})
	return settings
}

// rowsOf are the tables of a backup that an operator knows by name, with the number of their rows.
func rowsOf(m *server.Manifest) (lines [][]string) {
	for _, table := range []string{
		"account", "course", "dataset", "pack", "paper", "exercise", "run", "attempt", "mark",
	} {
		lines = append(lines, []string{table, fmt.Sprint(m.Rows[table])})
	}
	return lines
}
