package cli

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/http/cookiejar"
	"os"
	"regexp"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"vastspan/api/client"
	"vastspan/api/types"
	"vastspan/core/civil"
	"vastspan/internal/cli/print"
)

// keyDays is for how many days sign-in makes a key, where nothing is stated.
const keyDays = 90

func (a *app) signInCommand() *cobra.Command {
	var name string
	var days int
	var key bool
	c := &cobra.Command{
		Use:   "sign-in",
		Short: "Sign in to a service, and store a key on this machine",
		Long: `Signs in by the name and the password of an account, makes a key and keeps it for the address of the service, readable by you
alone. The password is asked for on the terminal, or read from standard input; it is kept nowhere. With --key a key that was made
in the console is read in its place: that is the way for accounts that sign on elsewhere.

Programs take their key from VASTSPAN_KEY, which goes before what is kept.`,
		Example: "  vastspan sign-in --name ines\n  vastspan sign-in --key < reports.key",
		Args:    argsUsage(cobra.NoArgs, "no arguments"),
	}
	c.Flags().StringVar(&name, "name", "", "name of the account (default: asked for)")
	c.Flags().IntVar(&days, "days", keyDays, "for how many days the key is good")
	c.Flags().BoolVar(&key, "key", false, "read a key in place of a password")
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		server, err := a.serverURL()
		if err != nil {
			return err
		}
		if err := checkSecret(server); err != nil {
			return err
		}
		if days < 1 {
			return usagef("--days %d: expected at least 1", days)
		}
		if key {
			return a.keepKey(cmd.Context(), server)
		}
		return a.signIn(cmd.Context(), server, name, days)
	}
	return c
}

// secret asks for a text that is not shown, or reads a line of standard input.
func (a *app) secret(prompt string) (string, error) {
	if f, ok := a.in.(*os.File); ok && term.IsTerminal(int(f.Fd())) {
		fmt.Fprint(a.err, prompt)
		text, err := term.ReadPassword(int(f.Fd()))
		fmt.Fprintln(a.err)
		return string(text), err
	}
	return a.line()
}

// line reads a line of standard input.
func (a *app) line() (string, error) {
	if a.typed == nil {
		a.typed = bufio.NewReader(a.in)
	}
	text, err := a.typed.ReadString('\n')
	if text == "" && err != nil {
		return "", errors.New("expected a line of standard input")
	}
	return strings.TrimRight(text, "\r\n"), nil
}

// notInNames is what does not belong into the name of a key.
var notInNames = regexp.MustCompile(`[^a-z0-9-]+`)

// keyName names a key after this machine.
func keyName() string {
	host, err := os.Hostname()
	if err != nil {
		host = "machine"
	}
	name := "client-" + strings.Trim(notInNames.ReplaceAllString(strings.ToLower(host), "-"), "-")
	return strings.TrimRight(name[:min(len(name), 40)], "-") + "-" + time.Now().UTC().Format("20060102-150405")
}

func (a *app) signIn(ctx context.Context, server, name string, days int) error {
	if name == "" {
		fmt.Fprint(a.err, "Name: ")
		var err error
		if name, err = a.line(); err != nil {
			return err
		}
	}
	password, err := a.secret("Password: ")
	if err != nil {
		return err
	}
	jar, err := cookiejar.New(nil)
	if err != nil {
		return err
	}
	// A client of its own: the session lasts as long as this command.
	c := client.New(server + "/api/v1")
	c.HTTP = &http.Client{Jar: jar}
	in, err := c.SignIn(ctx, types.SignInRequest{Name: name, Password: password})
	if err != nil {
		return a.callError(err)
	}
	if err := checkResponse(in.Received(), nil); err != nil {
		return err
	}
	if !in.JSON200.Accounts {
		return fmt.Errorf("the service at %s has no accounts: nobody needs to sign in", server)
	}
	status, err := c.GetStatus(ctx)
	if err != nil {
		return a.callError(err)
	}
	if err := checkResponse(status.Received(), nil); err != nil {
		return err
	}
	last := status.JSON200.Today + civil.Day(days)
	r, err := c.CreateKey(ctx, types.KeyRequest{Name: keyName(), Role: in.JSON200.Role, ExpiresOn: &last})
	if err != nil {
		return a.callError(err)
	}
	if err := checkResponse(r.Received(), nil); err != nil {
		return err
	}
	if err := a.keep(ctx, server, keptKey{r.JSON201.Key.Id, r.JSON201.Key.Name, r.JSON201.Secret}); err != nil {
		return err
	}
	a.print.Linef("%s is signed in at %s as %s, by key %s, which is good through %s.", value(in.JSON200.Name), server, in.JSON200.Role,
		r.JSON201.Key.Name, last.Long())
	out, err := c.SignOut(ctx)
	if err != nil {
		return a.callError(err)
	}
	return checkResponse(out.Received(), nil)
}

// keep keeps a key for a service instead of the one that was kept, which is revoked as far as that is possible.
func (a *app) keep(ctx context.Context, server string, key keptKey) error {
	ring, err := openKeyring()
	if err != nil {
		return err
	}
	old := ring.Keys[server]
	ring.Keys[server] = key
	if err := ring.save(); err != nil {
		return err
	}
	if old.ID != 0 && old.Secret != key.Secret {
		_, _ = client.New(server+"/api/v1", sendKey(old.Secret)).RevokeKey(ctx, old.ID) // it may have expired
	}
	return nil
}

// keepKey reads a key and keeps it, once the service has taken it.
func (a *app) keepKey(ctx context.Context, server string) error {
	key, err := a.secret("Key: ")
	if err != nil {
		return err
	}
	c := client.New(server+"/api/v1", sendKey(key))
	in, err := c.GetSession(ctx)
	if err != nil {
		return a.callError(err)
	}
	if err := checkResponse(in.Received(), nil); err != nil {
		return err
	}
	switch state := in.JSON200; {
	case !state.Accounts:
		return fmt.Errorf("the service at %s has no accounts: nobody needs to sign in", server)
	case !state.SignedIn:
		return fmt.Errorf("the service at %s does not take this key: it is not one of its keys, has run out or was revoked", server)
	default:
		if err := a.keep(ctx, server, keptKey{Name: value(state.Key), Secret: key}); err != nil {
			return err
		}
		a.print.Linef("%s is signed in at %s as %s, by key %s.", value(state.Name), server, state.Role, value(state.Key))
		return nil
	}
}

func (a *app) signOutCommand() *cobra.Command {
	return &cobra.Command{
		Use: "sign-out", Short: "Revoke the stored key of a service, and delete it", Example: "  vastspan sign-out",
		Args: argsUsage(cobra.NoArgs, "no arguments"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			server, err := a.serverURL()
			if err != nil {
				return err
			}
			ring, err := openKeyring()
			if err != nil {
				return err
			}
			kept, ok := ring.Keys[server]
			if !ok {
				return fmt.Errorf("no key is kept for %s", server)
			}
			var revoked error
			if kept.ID != 0 {
				_, revoked = call(a, nil, func(c *client.Client) (*client.RevokeKeyResponse, error) {
					return c.RevokeKey(cmd.Context(), kept.ID)
				})
			}
			delete(ring.Keys, server)
			if err := ring.save(); err != nil {
				return err
			}
			if revoked != nil {
				a.print.Linef("Signed out of %s. The key is forgotten here, but was not revoked: %v", server, revoked)
				return nil
			}
			a.print.Linef("Signed out of %s.", server)
			return nil
		},
	}
}

// whoCommand says who the client calls as.
func (a *app) whoCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "who", Short: "Show the current account", Example: "  vastspan who", Args: argsUsage(cobra.NoArgs, "no arguments"),
	}
	out := a.outputFlag(c)
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		r, err := call(a, nil, func(c *client.Client) (*client.GetSessionResponse, error) {
			return c.GetSession(cmd.Context())
		})
		if err != nil {
			return err
		}
		s := r.JSON200
		server, err := a.serverURL()
		if err != nil {
			return err
		}
		key, err := keyFor(server)
		if err != nil {
			return err
		}
		if key != "" && s.Accounts && !s.SignedIn {
			return fmt.Errorf("the key that was shown is not good %s: it was revoked, has ended or is mistyped; vastspan sign-in makes another",
				a.at())
		}
		return a.print.Print(*out, print.View{Data: s, Draw: func(p *print.Printer) {
			switch {
			case !s.Accounts:
				p.Linef("The service has no accounts: everybody who reaches it is local, and administrator.")
			case !s.SignedIn:
				p.Linef("Nobody is signed in: vastspan sign-in, or set VASTSPAN_KEY.")
			default:
				line := fmt.Sprintf("%s, %s", value(s.Name), s.Role)
				if s.Key != nil {
					line += ", by key " + *s.Key
				}
				if len(s.Groups) > 0 {
					line += ", in " + strings.Join(s.Groups, ", ")
				}
				p.Linef("%s", line)
			}
		}})
	}
	return c
}
