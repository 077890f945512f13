package cli

import (
	"context"
	"net/http"

	"github.com/spf13/cobra"

	"examen/internal/client"
)

// account groups the commands for accounts outside of courses.
func (p *program) account() *cobra.Command {
	var display string
	var administrator bool
	create := &cobra.Command{
		Use:   "create LOGIN",
		Short: "Make an account that is in no course yet, and print its one-time password",
		Args:  argsBetween(1, 1, "a login"),
		RunE: func(cmd *cobra.Command, args []string) error {
			return show(p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.CreateAccount(ctx, client.NewAccount{
					Name: args[0], DisplayName: display, Administrator: administrator,
				})
			}, accountHeader, one(accountLine))
		},
	}
	create.Flags().StringVar(&display, "display-name", "", "the name to show")
	create.Flags().BoolVar(&administrator, "administrator", false, "it may make courses and accounts")
	return group("account", "Accounts", create)
}

var accountHeader = []string{"login", "name", "one-time password"}

func accountLine(added client.AddedAccount) []string {
	return []string{added.Account.Name, added.Account.DisplayName, added.Password}
}
