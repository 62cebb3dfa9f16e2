package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/user"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"vastspan/core/table"
	"vastspan/internal/access"
	"vastspan/internal/cli/print"
	"vastspan/internal/postgres"
	"vastspan/internal/service"
	"vastspan/internal/web"
)

// accountCommand has the accounts of a service, on the server itself: it goes to the database, and needs nobody to be signed in.
func (a *app) accountCommand() *cobra.Command {
	s := &serving{}
	c := group("account", "Add, list and change the accounts of a service, on the server itself",
		a.userAdd(s), a.userList(s), a.userRole(s), a.userReset(s),
		a.userAble(s, "disable", "Keep an account out; what it did stays its own", true),
		a.userAble(s, "enable", "Let an account in again that was disabled", false))
	c.Long = `Manages accounts on the server itself, whether or not the service runs, through its data folder or its database. Anyone who can
read the folder can do this. Administrators can do the same in the console.`
	c.PersistentFlags().StringVar(&s.data, "data", "", "folder of the service (default: $VASTSPAN_DATA, else the usual place for data)")
	c.PersistentFlags().StringVar(&s.database, "database", "", "URL of an external PostgreSQL database (default: $VASTSPAN_DATABASE)")
	_ = c.MarkPersistentFlagDirname("data")
	return c
}

// onServer runs work with the service whose data is reached from here, as who has this machine.
func (a *app) onServer(ctx context.Context, s *serving, work func(context.Context, *service.Service) error) (err error) {
	if holdsPassword(s.database) {
		return errPassword
	}
	if s.database == "" {
		s.database = os.Getenv("VASTSPAN_DATABASE")
	}
	address := s.database
	if address == "" {
		base, err := s.dataFolder()
		if err != nil {
			return err
		}
		folder, err := existing(base)
		if err != nil {
			return err
		}
		if address, err = postgres.Address(folder); err != nil { // no service runs on it
			db, err := s.openDatabase(ctx, folder)
			if err != nil {
				return err
			}
			defer func() { err = errors.Join(err, db.close()) }()
			address = db.url
		}
	}
	svc, err := service.Open(ctx, address, "", nil, a.ownClock())
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, svc.Close()) }()
	return work(access.With(ctx, access.Caller{Name: personHere(), Role: access.Administrator, Server: true}), svc)
}

// personHere names who runs a command on this machine, for the audit.
func personHere() string {
	if u, err := user.Current(); err == nil {
		return u.Username
	}
	return fmt.Sprintf("uid %d", os.Getuid())
}

// printLink prints a one-time link.
func (a *app) printLink(name string, link *service.OneTime) error {
	server, err := a.serverURL()
	if err != nil {
		return err
	}
	a.print.Linef("Let %s set a password here, once, before %s:", name, link.ExpiresAt.Local().Format("Monday, 2 January, 15:04"))
	a.print.Linef("  %s%s%s", server, web.LinkPath, link.Token)
	if a.server == "" && os.Getenv("VASTSPAN_SERVER") == "" {
		a.print.Linef("Where the service is reached by another address, put that in place of %s (--server).", defaultServer)
	}
	return nil
}

func (a *app) userAdd(s *serving) *cobra.Command {
	var role string
	var groups []string
	c := &cobra.Command{
		Use: "add NAME", Short: "Create an account, and print the link by which its owner sets a password",
		Example: "  vastspan account add ines --role administrator\n  vastspan account add tomas --group harbour",
		Args:    argsUsage(cobra.ExactArgs(1), "a name"),
	}
	roleFlag(c, &role, string(access.Reader))
	c.Flags().StringSliceVar(&groups, "group", nil, "group that it is in; may be repeated")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		return a.onServer(cmd.Context(), s, func(ctx context.Context, svc *service.Service) error {
			account, link, err := svc.Accounts.Add(ctx, service.NewAccount{Name: args[0], Role: access.Role(role), Groups: groups})
			if err != nil {
				return err
			}
			a.print.Linef("%s is %s.", account.Name, account.Role)
			return a.printLink(account.Name, link)
		})
	}
	return c
}

// roleFlag adds a flag for a role.
func roleFlag(c *cobra.Command, role *string, usual string) {
	c.Flags().StringVar(role, "role", usual, "what it may do: reader, analyst, auditor or administrator")
	_ = c.RegisterFlagCompletionFunc("role", cobra.FixedCompletions(roleNames(), cobra.ShellCompDirectiveNoFileComp))
}

func roleNames() (names []string) {
	for _, role := range access.Roles() {
		names = append(names, string(role))
	}
	return names
}

func (a *app) userList(s *serving) *cobra.Command {
	c := &cobra.Command{
		Use: "list", Short: "List the accounts", Example: "  vastspan account list", Args: argsUsage(cobra.NoArgs, "no arguments"),
	}
	out := a.outputFlag(c)
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		return a.onServer(cmd.Context(), s, func(ctx context.Context, svc *service.Service) error {
			list, err := svc.Accounts.List(ctx)
			if err != nil {
				return err
			}
			g := &table.Grid{Header: []string{"name", "role", "groups", "state", "signed_in"}}
			for i := range list {
				g.Rows = append(g.Rows, []string{list[i].Name, string(list[i].Role), strings.Join(list[i].Groups, " "), accountState(&list[i]),
					shownTime(list[i].SignedInAt)})
			}
			data := make([]map[string]string, len(g.Rows))
			for i, row := range g.Rows {
				data[i] = map[string]string{}
				for j, name := range g.Header {
					data[i][name] = row[j]
				}
			}
			return a.print.Print(*out, print.View{Data: data, Grid: func() *table.Grid { return g }, None: "there are no accounts"})
		})
	}
	return c
}

// accountState says whether an account may sign in, and by what.
func accountState(account *service.Account) string {
	switch {
	case account.DisabledAt != nil:
		return "disabled"
	case account.Subject != nil:
		return "signs on"
	case account.Password == "":
		return "no password yet"
	}
	return "good"
}

func shownTime(at *time.Time) string {
	if at == nil {
		return ""
	}
	return at.UTC().Format(time.RFC3339)
}

func (a *app) userRole(s *serving) *cobra.Command {
	var groups []string
	var none bool
	c := &cobra.Command{
		Use: "role NAME ROLE", Short: "Say what an account may do, and which groups it is in",
		Example: "  vastspan account role tomas analyst --group harbour --group finance",
		Args:    argsUsage(cobra.ExactArgs(2), "a name and a role"),
		ValidArgsFunction: func(_ *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
			if len(args) == 1 {
				return roleNames(), cobra.ShellCompDirectiveNoFileComp
			}
			return nil, cobra.ShellCompDirectiveNoFileComp
		},
	}
	c.Flags().StringSliceVar(&groups, "group", nil, "group that it is in, in place of those that it was in; may be repeated")
	c.Flags().BoolVar(&none, "no-groups", false, "it is in no group")
	c.MarkFlagsMutuallyExclusive("group", "no-groups")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		role := access.Role(args[1])
		change := service.AccountChange{Role: &role}
		if none || groups != nil {
			change.Groups = &groups
		}
		return a.onServer(cmd.Context(), s, func(ctx context.Context, svc *service.Service) error {
			account, err := svc.Accounts.Change(ctx, args[0], change)
			if err != nil {
				return err
			}
			line := fmt.Sprintf("%s is %s", account.Name, account.Role)
			if len(account.Groups) > 0 {
				line += ", in " + strings.Join(account.Groups, ", ")
			}
			a.print.Linef("%s.", line)
			return nil
		})
	}
	return c
}

func (a *app) userReset(s *serving) *cobra.Command {
	return &cobra.Command{
		Use: "reset NAME", Short: "Print a link by which the owner of an account sets another password", Example: "  vastspan account reset ines",
		Args: argsUsage(cobra.ExactArgs(1), "a name"),
		RunE: func(cmd *cobra.Command, args []string) error {
			return a.onServer(cmd.Context(), s, func(ctx context.Context, svc *service.Service) error {
				link, err := svc.Accounts.Reset(ctx, args[0])
				if err != nil {
					return err
				}
				return a.printLink(args[0], link)
			})
		},
	}
}

func (a *app) userAble(s *serving, use, short string, disabled bool) *cobra.Command {
	return &cobra.Command{
		Use: use + " NAME", Short: short, Example: "  vastspan account " + use + " tomas", Args: argsUsage(cobra.ExactArgs(1), "a name"),
		RunE: func(cmd *cobra.Command, args []string) error {
			return a.onServer(cmd.Context(), s, func(ctx context.Context, svc *service.Service) error {
				if _, err := svc.Accounts.Change(ctx, args[0], service.AccountChange{Disabled: &disabled}); err != nil {
					return err
				}
				a.print.Linef("account %s is %sd", args[0], use)
				return nil
			})
		},
	}
}
