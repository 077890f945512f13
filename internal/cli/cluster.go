package cli

import (
	"context"
	"fmt"

	"github.com/coreos/go-systemd/v22/daemon"
	"github.com/spf13/cobra"

	"examen/internal/server"
)

func (p *program) cluster() *cobra.Command {
	return group(
		"cluster", "The two PostgreSQL clusters, for those who run each as a service of its own", p.clusterRun(),
		p.clusterMake(),
	)
}

func (p *program) clusterRun() *cobra.Command {
	var s serving
	var members string
	c := &cobra.Command{
		Use:   "run records|practice",
		Short: "Run one of the two PostgreSQL clusters, in the foreground",
		Long: `Runs the records' cluster or the practice cluster, in its folder below --data-dir, for a service that is
another process: "examen serve --join-clusters". Each may then be of a user of its own, who has no rights but
to its own folder, and the service of another one. It is made at the first start. The Debian package does so.

Give it the same --seats and --limit-memory as the service.`,
		Args: argsBetween(1, 1, "records or practice"), ValidArgs: []string{"records", "practice"},
		RunE: func(cmd *cobra.Command, args []string) error {
			s.prepare(p)
			return server.RunCluster(cmd.Context(), args[0], members, s.options, func(folder string) {
				server.Notify(daemon.SdNotifyReady)
				fmt.Fprintf(p.out, "The cluster in %s runs.\n", folder)
			})
		},
	}
	s.placeFlags(c, "", "data-dir", "seats", "limit-memory", "verbose")
	c.Flags().StringVar(&members, "for", "", "the group whose members may use the cluster (default: nobody else)")
	return c
}

func (p *program) clusterMake() *cobra.Command {
	var s serving
	c := &cobra.Command{
		Use:   "make records|practice",
		Short: "Make one of the two PostgreSQL clusters, without running it on",
		Args:  argsBetween(1, 1, "records or practice"), ValidArgs: []string{"records", "practice"},
		RunE: func(cmd *cobra.Command, args []string) error {
			s.prepare(p)
			ctx, made := context.WithCancel(cmd.Context())
			return server.RunCluster(ctx, args[0], "", s.options, func(folder string) {
				made()
				fmt.Fprintf(p.out, "The cluster in %s is made.\n", folder)
			})
		},
	}
	s.placeFlags(c, "", "data-dir", "verbose")
	return c
}
