package cli

import (
	"fmt"
	"strconv"
	"time"

	"github.com/spf13/cobra"

	"vastspan/api/client"
	"vastspan/api/types"
	"vastspan/core/table"
	"vastspan/internal/cli/print"
)

func (a *app) loadsCommand() *cobra.Command {
	c := &cobra.Command{
		Use:     "loads DATASET",
		Short:   "List a dataset's loads, newest first",
		Example: "  vastspan loads crossings\n  vastspan loads undo crossings 3",
		Args:    argsUsage(cobra.ExactArgs(1), "the name of a dataset"), ValidArgsFunction: a.completeDatasets,
	}
	out := a.outputFlag(c)
	c.RunE = func(cmd *cobra.Command, args []string) error {
		loads, err := all(func(limit *int, after *string) ([]types.Load, *string, error) {
			r, err := call(a, nil, func(c *client.Client) (*client.ListLoadsResponse, error) {
				return c.ListLoads(cmd.Context(), args[0], &types.ListLoadsParams{Limit: limit, After: after})
			})
			if err != nil {
				return nil, nil, err
			}
			return r.JSON200.Items, r.JSON200.Next, nil
		})
		if err != nil {
			return err
		}
		return a.printLoads(loads, *out)
	}
	c.AddCommand(a.loadsUndo(), a.loadsRedo())
	return c
}

func (a *app) printLoads(loads []types.Load, out print.Output) error {
	shown := shownCounts(0, 1, 2, 4)
	look := print.Look{Right: print.Right(0, 1, 2, 4), Shown: func(column int, cell string) string {
		if t, err := time.Parse(time.RFC3339, cell); err == nil && column >= 9 {
			return t.Local().Format("2 Jan 2006 15:04")
		}
		return shown(column, cell)
	}}
	return a.print.Print(out, print.View{Data: loads, Look: look, Grid: func() *table.Grid {
		g := &table.Grid{Header: []string{
			"load", "records", "undated", "mode", "replaced", "oldest", "newest", "file", "author", "loaded_at", "undone_at",
		}}
		for _, l := range loads {
			oldest, newest := coveredDays(l.Oldest, l.Newest)
			undone := ""
			if l.UndoneAt != nil {
				undone = l.UndoneAt.UTC().Format(time.RFC3339)
			}
			g.Rows = append(
				g.Rows,
				[]string{
					fmt.Sprint(l.Id),
					fmt.Sprint(l.Records),
					fmt.Sprint(l.Undated),
					string(l.Mode),
					fmt.Sprint(l.Replaced),
					oldest,
					newest,
					l.File,
					l.Author,
					l.LoadedAt.UTC().Format(time.RFC3339),
					undone,
				},
			)
		}
		return g
	}})
}

func (a *app) loadsUndo() *cobra.Command {
	c := &cobra.Command{
		Use: "undo DATASET LOAD", Short: "Remove a load's records; the load stays listed, and loads redo brings them back for 30 days",
		Example: "  vastspan loads undo crossings 3",
		Args:    argsUsage(cobra.ExactArgs(2), "a dataset and the number of a load"), ValidArgsFunction: a.completeDatasets,
	}
	yes := yesFlag(c)
	c.RunE = func(cmd *cobra.Command, args []string) error {
		id, err := strconv.ParseInt(args[1], 10, 64)
		if err != nil {
			return usagef("loads undo: %q is not the number of a load; vastspan loads %s lists them", args[1], args[0])
		}
		have, err := call(a, nil, func(c *client.Client) (*client.GetLoadResponse, error) {
			return c.GetLoad(cmd.Context(), args[0], id)
		})
		if err != nil {
			return err
		}
		what := fmt.Sprintf("Undo load %d of %s %s: remove %s of %s", id, args[0], a.at(), print.Number(have.JSON200.Records, "record"),
			have.JSON200.File)
		if have.JSON200.Replaced > 0 {
			what += fmt.Sprintf(" and bring back %s", print.Number(have.JSON200.Replaced, "replaced record"))
		}
		sure, err := a.sure(*yes, "%s?", what)
		if err != nil || !sure {
			return err
		}
		r, err := call(a, nil, func(c *client.Client) (*client.UndoLoadResponse, error) {
			return c.UndoLoad(cmd.Context(), args[0], id)
		})
		if err != nil {
			return err
		}
		return a.done(r.JSON200, "undone load %d of %s %s: %s taken out", id, args[0], a.at(), print.Number(r.JSON200.Records, "record"))
	}
	return c
}

func (a *app) loadsRedo() *cobra.Command {
	return &cobra.Command{
		Use: "redo DATASET LOAD", Short: "Bring back the records of a load that was undone in the last 30 days",
		Example: "  vastspan loads redo crossings 3",
		Args:    argsUsage(cobra.ExactArgs(2), "a dataset and the number of a load"), ValidArgsFunction: a.completeDatasets,
		RunE: func(cmd *cobra.Command, args []string) error {
			id, err := strconv.ParseInt(args[1], 10, 64)
			if err != nil {
				return usagef("loads redo: %q is not the number of a load; vastspan loads %s lists them", args[1], args[0])
			}
			r, err := call(a, nil, func(c *client.Client) (*client.RedoLoadResponse, error) {
				return c.RedoLoad(cmd.Context(), args[0], id)
			})
			if err == nil {
				err = a.done(r.JSON200, "load %d of %s is back %s: %s", id, args[0], a.at(), print.Number(r.JSON200.Records, "record"))
			}
			return err
		},
	}
}
