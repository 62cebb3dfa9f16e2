package cli

import (
	"fmt"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"vastspan/api/client"
	"vastspan/api/types"
	"vastspan/core/table"
	"vastspan/internal/cli/print"
)

func (a *app) keyCommand() *cobra.Command {
	return group("key", "List and revoke your API keys", a.keyList(), a.keyRevoke())
}

func (a *app) keyList() *cobra.Command {
	var everybody bool
	c := &cobra.Command{
		Use: "list", Short: "List your keys, including expired and revoked ones",
		Long:    "Lists keys. New ones are made in the console, by who is signed in there, or by vastspan sign-in.",
		Example: "  vastspan key list", Args: argsUsage(cobra.NoArgs, "no arguments"),
	}
	out := a.outputFlag(c)
	c.Flags().BoolVar(&everybody, "everybody", false, "those of all accounts; for administrators")
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		list, err := all(func(limit *int, after *string) ([]types.Key, *string, error) {
			r, err := call(a, nil, func(c *client.Client) (*client.ListKeysResponse, error) {
				return c.ListKeys(cmd.Context(), &types.ListKeysParams{All: &everybody, Limit: limit, After: after})
			})
			if err != nil {
				return nil, nil, err
			}
			return r.JSON200.Items, r.JSON200.Next, nil
		})
		if err != nil {
			return err
		}
		return a.print.Print(*out, print.View{Data: list, Look: print.Look{Right: print.Right(0)}, Grid: func() *table.Grid {
			g := &table.Grid{Header: []string{"id", "name", "account", "role", "datasets", "begins", "state", "used"}}
			for i := range list {
				k := &list[i]
				g.Rows = append(g.Rows, []string{fmt.Sprint(k.Id), k.Name, k.Account, k.Role, strings.Join(k.Datasets, " "), k.Hint, keyState(k),
					shownTime(k.UsedAt)})
			}
			return g
		}, None: "there are no keys"})
	}
	return c
}

// keyState says whether a key is good.
func keyState(k *types.Key) string {
	switch {
	case k.RevokedAt != nil:
		return "revoked"
	case !k.Good:
		return "run out"
	case k.ExpiresAt == nil:
		return "good"
	}
	return "good until " + k.ExpiresAt.Local().Format("2006-01-02 15:04")
}

func (a *app) keyRevoke() *cobra.Command {
	return &cobra.Command{
		Use: "revoke ID", Short: "Revoke a key for good", Example: "  vastspan key revoke 3",
		Args: argsUsage(cobra.ExactArgs(1), "the number of a key"),
		RunE: func(cmd *cobra.Command, args []string) error {
			id, err := strconv.ParseInt(args[0], 10, 64)
			if err != nil || id < 1 {
				return usagef("%q is not the number of a key", args[0])
			}
			if _, err := call(a, nil, func(c *client.Client) (*client.RevokeKeyResponse, error) {
				return c.RevokeKey(cmd.Context(), id)
			}); err != nil {
				return err
			}
			return a.done(revokedKey{id}, "key %d is revoked", id)
		},
	}
}

// auditCommand searches the audit.
func (a *app) auditCommand() *cobra.Command {
	var q struct{ account, action, kind, name, from, through string }
	var most int
	c := &cobra.Command{
		Use: "audit", Short: "Show who changed what, newest first", Args: argsUsage(cobra.NoArgs, "no arguments"),
		Example: "  vastspan audit --account ines --from 2026-10-01\n  vastspan audit --kind span --name takings",
	}
	out := a.outputFlag(c)
	c.Flags().StringVar(&q.account, "account", "", "by whom")
	c.Flags().StringVar(&q.action, "action", "", "what was done: created, changed, removed, loaded, undone, signed in, refused …")
	c.Flags().StringVar(&q.kind, "kind", "", "to what kind of thing: span, brief, dataset, load, receipt, account, key …")
	c.Flags().StringVar(&q.name, "name", "", "to the thing of this name")
	c.Flags().StringVar(&q.from, "from", "", "first day")
	c.Flags().StringVar(&q.through, "through", "", "last day")
	c.Flags().IntVar(&most, "limit", 100, "how many entries to show at most")
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		p := types.SearchAuditParams{
			Account: ptrOrNil(q.account), Action: ptrOrNil(q.action), Kind: ptrOrNil(q.kind), Name: ptrOrNil(q.name), Limit: &most,
			From: ptrOrNil(q.from), Through: ptrOrNil(q.through),
		}
		r, err := call(a, nil, func(c *client.Client) (*client.SearchAuditResponse, error) {
			return c.SearchAudit(cmd.Context(), &p)
		})
		if err != nil {
			return err
		}
		list := r.JSON200.Items
		return a.print.Print(*out, print.View{Data: list, Grid: func() *table.Grid {
			g := &table.Grid{Header: []string{"at", "account", "means", "action", "kind", "name", "detail"}}
			for i := range list {
				e := &list[i]
				g.Rows = append(g.Rows, []string{shownTime(&e.At), e.Account, e.Means, e.Action, e.Kind, e.Name, detailText(e.Detail)})
			}
			return g
		}, None: "nothing was done that fits"})
	}
	return c
}
