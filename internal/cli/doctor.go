package cli

import (
	"fmt"

	"github.com/spf13/cobra"

	"examen/internal/server"
)

func (p *program) doctor() *cobra.Command {
	var s serving
	c := &cobra.Command{
		Use: "doctor", Short: "Examine the set-up that serve would be started with, and say what to mend",
		Long: `Examines the set-up that "examen serve" would be started with: give it the same flags, file and
variables, and run it as the same user. It looks at this machine (rights, memory, clock, disk, PostgreSQL),
at the servers, and at how learners reach the service (TLS, certificate, e-mail). It changes nothing; the
service may be running.

With something bad, the service does not start or something does not work, and the exit code is 3. Something
doubtful is to be looked at.`,
		Args: argsBetween(0, 0, "flags only"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			s.prepare(p)
			remarks := server.Examine(cmd.Context(), s.options)
			counts := map[server.Diagnosis]int{}
			var lines [][]string
			for _, r := range remarks {
				counts[r.Says]++
				lines = append(lines, []string{string(r.Says), r.About, r.Found, r.Do})
			}
			if p.format != "table" {
				if err := p.print(remarks, []string{"says", "about", "found", "do"}, lines); err != nil {
					return err
				}
			} else {
				for _, line := range lines {
					fmt.Fprintf(p.out, "%-9s %-16s %s\n", line[0], line[1], printable(line[2]))
					if line[3] != "" {
						fmt.Fprintf(p.out, "%-26s To do: %s.\n", "", line[3])
					}
				}
			}
			if counts[server.Bad] > 0 {
				return fmt.Errorf(
					"%d of %d are bad, %d doubtful", counts[server.Bad], len(remarks), counts[server.Doubtful],
				)
			}
			return nil
		},
	}
	s.flags(c)
	s.encryption(c)
	s.apart(c)
	s.dataDir(c)
	return c
}
