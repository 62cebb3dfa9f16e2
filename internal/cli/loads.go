package cli

import (
	"fmt"
	"net/http"
	"strconv"
	"time"

	"github.com/spf13/cobra"

	"vastspan/api"
)

func (a *app) loadsCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "loads DATASET", Short: "List a dataset's loads, newest first", Example: "  vastspan loads crossings\n  vastspan loads take-back crossings 3",
		Args: takes(cobra.ExactArgs(1), "the name of a dataset"), ValidArgsFunction: a.completeDatasets,
	}
	out := outputFlag(c)
	c.RunE = func(cmd *cobra.Command, args []string) error {
		r, err := call(a, func(c *api.ClientWithResponses) (*api.ListLoadsResponse, error) {
			return c.ListLoadsWithResponse(cmd.Context(), args[0])
		}, func(r *api.ListLoadsResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
		if err != nil {
			return err
		}
		return a.printLoads(*r.JSON200, *out)
	}
	c.AddCommand(a.loadsTakeBack())
	return c
}

func (a *app) printLoads(loads []api.Load, out output) error {
	if out == asJSON {
		return a.printJSON(loads)
	}
	g := grid{header: []string{"load", "records", "undated", "first_day", "last_day", "file", "by", "landed_at", "taken_back_at"}, right: map[int]bool{0: true, 1: true, 2: true}}
	for _, l := range loads {
		row := []string{fmt.Sprint(l.Id), fmt.Sprint(l.Records), fmt.Sprint(l.Undated), "", "", l.File, l.Author, l.LandedAt.UTC().Format(time.RFC3339), ""}
		if l.FirstDay != nil {
			row[3], row[4] = l.FirstDay.String(), l.LastDay.String()
		}
		if l.TakenBackAt != nil {
			row[8] = l.TakenBackAt.UTC().Format(time.RFC3339)
		}
		g.rows = append(g.rows, row)
	}
	if out == asCSV {
		return a.printCSV(g)
	}
	g.shown = func(column int, cell string) string {
		if t, err := time.Parse(time.RFC3339, cell); err == nil && column >= 7 {
			return t.Local().Format("2 Jan 2006 15:04")
		}
		return shownRecordCounts(column, cell)
	}
	a.printTable(g)
	return nil
}

func (a *app) loadsTakeBack() *cobra.Command {
	return &cobra.Command{
		Use: "take-back DATASET LOAD", Short: "Take a load's records out again; the load stays listed", Example: "  vastspan loads take-back crossings 3",
		Args: takes(cobra.ExactArgs(2), "a dataset and the number of a load"), ValidArgsFunction: a.completeDatasets,
		RunE: func(cmd *cobra.Command, args []string) error {
			id, err := strconv.ParseInt(args[1], 10, 64)
			if err != nil {
				return usagef("loads take-back: %q is not the number of a load; vastspan loads %s lists them", args[1], args[0])
			}
			r, err := call(a, func(c *api.ClientWithResponses) (*api.TakeLoadBackResponse, error) {
				return c.TakeLoadBackWithResponse(cmd.Context(), args[0], id)
			}, func(r *api.TakeLoadBackResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
			if err != nil {
				return err
			}
			fmt.Fprintf(a.out, "load %d is taken back: %s records are gone from %s\n", id, grouped(fmt.Sprint(r.JSON200.Records)), args[0])
			return nil
		},
	}
}
