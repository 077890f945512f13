package cli

import (
	"bufio"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"examen/internal/client"
)

const defaultURL = "http://127.0.0.1:8080"

// kept is what the command line keeps between invocations, in a file that only its user can read.
type kept struct {
	URL   string `json:"url"`
	Name  string `json:"name"`
	Token string `json:"token"`

	// What makes this device known to the service, by account.
	Devices map[string]string `json:"devices,omitempty"`
}

func keptFile() (string, error) {
	folder, err := os.UserConfigDir()
	if err != nil {
		return "", err
	}
	return filepath.Join(folder, "examen", "session.json"), nil
}

func readKept() (kept, error) {
	var k kept
	file, err := keptFile()
	if err != nil {
		return k, err
	}
	b, err := os.ReadFile(file)
	if errors.Is(err, fs.ErrNotExist) {
		return k, nil
	} else if err != nil {
		return k, err
	}
	if err := json.Unmarshal(b, &k); err != nil {
		return k, fmt.Errorf("%s cannot be read (%w): remove it and log in again", file, err)
	}
	return k, nil
}

func (k kept) write() error {
	file, err := keptFile()
	if err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(file), 0o700); err != nil {
		return err
	}
	b, err := json.MarshalIndent(k, "", "  ")
	if err != nil {
		return err
	}
	// Written beside and renamed, so that the file is never there half, nor readable by others.
	unfinished := file + ".new"
	_ = os.Remove(unfinished)
	if err := os.WriteFile(unfinished, append(b, '\n'), 0o600); err != nil {
		return err
	}
	return os.Rename(unfinished, file)
}

// connect returns the client, with the session that login stored if it belongs to the same service.
func (p *program) connect() (*client.Client, kept, error) {
	k, err := readKept()
	if err != nil {
		return nil, k, err
	}
	switch {
	case p.url == "" && k.URL != "":
		p.url = k.URL
	case p.url == "":
		p.url = defaultURL
	}
	p.url = strings.TrimSuffix(p.url, "/")
	if k.URL != p.url {
		k = kept{URL: p.url}
	}
	c, err := client.NewClient(p.url, client.WithBearer(k.Token))
	if err != nil {
		return nil, k, usageError{fmt.Errorf("--url %s: %w", p.url, err)}
	}
	return c, k, nil
}

func (p *program) login() *cobra.Command {
	var password string
	c := &cobra.Command{
		Use: "login [NAME]", Short: "Log in to the service", Args: argsBetween(0, 1, "at most a name"),
		Long: "Log in to the service. Without --password the password is asked for, or read from standard input.",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, k, err := p.connect()
			if err != nil {
				return err
			}
			in := bufio.NewReader(p.in)
			if len(args) == 1 {
				k.Name = args[0]
			} else if k.Name, err = p.ask(in, "Name: "); err != nil {
				return err
			}
			if password == "" {
				if password, err = p.askHidden(in, "Password: "); err != nil {
					return err
				}
			}
			session, err := client.Read[client.Session](
				c.LogIn(
					cmd.Context(),
					client.LogInJSONRequestBody{
						Name:     k.Name,
						Password: password,
						Kind:     client.Bearer,
						Device:   k.Devices[k.Name],
					},
				),
			)
			if err != nil {
				return err
			}
			k.Token = session.Token
			if k.Devices == nil {
				k.Devices = map[string]string{}
			}
			k.Devices[k.Name] = session.Device
			if err := k.write(); err != nil {
				return fmt.Errorf("keep the session: %w", err)
			}
			fmt.Fprintf(
				p.err, "Logged in to %s as %s (%s).\n", p.url, session.Account.DisplayName, session.Account.Role,
			)
			if session.Account.OneTimePassword {
				fmt.Fprintln(
					p.err,
					"You are logged in with a one-time password. Nothing else can be done before you choose your "+
						"own: examen password",
				)
			}
			return nil
		},
	}
	c.Flags().StringVar(
		&password, "password", "",
		"the password (it stays in the shell's history: better EXAMEN_PASSWORD, or be asked)",
	)
	return c
}

func (p *program) logout() *cobra.Command {
	return &cobra.Command{
		Use: "logout", Short: "End the session", Args: argsBetween(0, 0, "no arguments"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, k, err := p.connect()
			if err != nil {
				return err
			}
			if _, err := client.Read[struct{}](c.LogOut(cmd.Context())); err != nil {
				var problem *client.ProblemError
				if !errors.As(err, &problem) || problem.Status != 401 {
					return err
				}
			}
			k.Token = ""
			if err := k.write(); err != nil {
				return err
			}
			fmt.Fprintln(p.err, "Logged out.")
			return nil
		},
	}
}

func (p *program) whoami() *cobra.Command {
	return &cobra.Command{
		Use: "whoami", Short: "Show who is logged in", Args: argsBetween(0, 0, "no arguments"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, _, err := p.connect()
			if err != nil {
				return err
			}
			session, err := client.Read[client.Session](c.GetSession(cmd.Context()))
			if err != nil {
				return err
			}
			a := session.Account
			return p.print(session, []string{"name", "display name", "role", "service", "session ends"},
				[][]string{{a.Name, a.DisplayName, string(a.Role), p.url, clock(session.Expires)}})
		},
	}
}

func (p *program) password() *cobra.Command {
	return &cobra.Command{
		Use: "password", Short: "Change your password", Args: argsBetween(0, 0, "no arguments"),
		Long: "Change one's own password: the current one and the new one are asked for, or read from standard " +
			"input, a line each.",
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, _, err := p.connect()
			if err != nil {
				return err
			}
			in := bufio.NewReader(p.in)
			current, err := p.askHidden(in, "Current password: ")
			if err != nil {
				return err
			}
			next, err := p.askHidden(in, "New password: ")
			if err != nil {
				return err
			}
			if _, err := client.Read[struct{}](
				c.SetPassword(cmd.Context(), client.PasswordChange{Current: current, New: next}),
			); err != nil {
				return err
			}
			fmt.Fprintln(p.err, "The password is changed; other sessions of the account have ended.")
			return nil
		},
	}
}

// ask reads a line.
func (p *program) ask(in *bufio.Reader, prompt string) (string, error) {
	fmt.Fprint(p.err, prompt)
	line, err := in.ReadString('\n')
	if err != nil && (!errors.Is(err, io.EOF) || line == "") {
		return "", usageError{fmt.Errorf("%snothing came", prompt)}
	}
	return strings.TrimRight(line, "\r\n"), nil
}

// askHidden reads a line without showing it as it is typed.
func (p *program) askHidden(in *bufio.Reader, prompt string) (string, error) {
	f, ok := p.in.(*os.File)
	if !ok || !term.IsTerminal(int(f.Fd())) {
		return p.ask(in, prompt)
	}
	fmt.Fprint(p.err, prompt)
	b, err := term.ReadPassword(int(f.Fd()))
	fmt.Fprintln(p.err)
	return string(b), err
}
