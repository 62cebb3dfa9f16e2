package cli

import (
	"fmt"
	"net/http"
	"strings"

	"github.com/spf13/cobra"

	"vastspan/api"
)

func (a *app) datasetCommand() *cobra.Command {
	return group("dataset", "List datasets and show what they hold", a.datasetList(), a.datasetShow(), a.datasetRemove())
}

func (a *app) datasetList() *cobra.Command {
	c := &cobra.Command{
		Use: "list", Short: "List the datasets", Example: "  vastspan dataset list",
		Args: takes(cobra.NoArgs, "no arguments"),
	}
	out := outputFlag(c)
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		r, err := call(a, func(c *api.ClientWithResponses) (*api.ListDatasetsResponse, error) {
			return c.ListDatasetsWithResponse(cmd.Context())
		}, func(r *api.ListDatasetsResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
		if err != nil {
			return err
		}
		if *out == asJSON {
			return a.printJSON(r.JSON200)
		}
		g := grid{header: []string{"name", "records", "undated", "first_day", "last_day", "day", "amounts", "categories"}, right: map[int]bool{1: true, 2: true}}
		for _, d := range *r.JSON200 {
			row := []string{d.Name, fmt.Sprint(d.Records), fmt.Sprint(d.Undated), "", "", named(d.Columns, api.ColumnRoleDay), named(d.Columns, api.ColumnRoleAmount), named(d.Columns, api.ColumnRoleCategory)}
			if d.FirstDay != nil {
				row[3], row[4] = d.FirstDay.String(), d.LastDay.String()
			}
			g.rows = append(g.rows, row)
		}
		if *out == asCSV {
			return a.printCSV(g)
		}
		if len(g.rows) == 0 {
			fmt.Fprintln(a.out, "there are no datasets yet; load a file with vastspan load")
			return nil
		}
		g.shown = shownRecordCounts
		a.printTable(g)
		return nil
	}
	return c
}

// shownRecordCounts groups the digits of the second and third column and writes days for people.
func shownRecordCounts(column int, cell string) string {
	if column == 1 || column == 2 {
		return grouped(cell)
	}
	return shownDay(cell)
}

func named(columns []api.Column, role api.ColumnRole) string {
	var names []string
	for _, c := range columns {
		if c.Role == role {
			names = append(names, c.Name)
		}
	}
	return strings.Join(names, " ")
}

func (a *app) dataset(cmd *cobra.Command, name string) (*api.Dataset, error) {
	r, err := call(a, func(c *api.ClientWithResponses) (*api.GetDatasetResponse, error) {
		return c.GetDatasetWithResponse(cmd.Context(), name)
	}, func(r *api.GetDatasetResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
	if err != nil {
		return nil, err
	}
	return r.JSON200, nil
}

func (a *app) datasetShow() *cobra.Command {
	c := &cobra.Command{
		Use: "show NAME", Short: "Show a dataset's columns and what it holds", Example: "  vastspan dataset show crossings",
		Args: takes(cobra.ExactArgs(1), "the name of a dataset"), ValidArgsFunction: a.completeDatasets,
	}
	out := outputFlag(c)
	c.RunE = func(cmd *cobra.Command, args []string) error {
		d, err := a.dataset(cmd, args[0])
		if err != nil {
			return err
		}
		if *out == asJSON {
			return a.printJSON(d)
		}
		g := columnsGrid(d.Columns)
		if *out == asCSV {
			return a.printCSV(g)
		}
		fmt.Fprintf(a.out, "%s: %s records", d.Name, grouped(fmt.Sprint(d.Records)))
		if d.FirstDay != nil {
			fmt.Fprintf(a.out, " from %s to %s", longDay(*d.FirstDay), longDay(*d.LastDay))
		}
		if d.Undated > 0 {
			fmt.Fprintf(a.out, ", %s of them without a day", grouped(fmt.Sprint(d.Undated)))
		}
		fmt.Fprintf(a.out, "; zone %s; version %d\n\n", d.Zone, d.Version)
		a.printTable(g)
		return nil
	}
	return c
}

func columnsGrid(columns []api.Column) grid {
	g := grid{header: []string{"column", "type", "role", "decimals"}, right: map[int]bool{3: true}}
	for _, c := range columns {
		g.rows = append(g.rows, []string{c.Name, string(c.Type), string(c.Role), countOf(c.Decimals)})
	}
	return g
}

func (a *app) verifyCommand() *cobra.Command {
	return &cobra.Command{
		Use: "verify DATASET", Short: "Recount a dataset and compare it with the day sums that totals are read from", Example: "  vastspan verify crossings",
		Args: takes(cobra.ExactArgs(1), "the name of a dataset"), ValidArgsFunction: a.completeDatasets,
		RunE: func(cmd *cobra.Command, args []string) error {
			r, err := call(a, func(c *api.ClientWithResponses) (*api.VerifyDatasetResponse, error) {
				return c.VerifyDatasetWithResponse(cmd.Context(), args[0])
			}, func(r *api.VerifyDatasetResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
			if err != nil {
				return err
			}
			v := r.JSON200
			fmt.Fprintf(a.out, "%s: %s records recounted, %s day sums, %s of them wrong\n", args[0], grouped(fmt.Sprint(v.Records)), grouped(fmt.Sprint(v.DaySums)), grouped(fmt.Sprint(v.Wrong)))
			if v.Wrong > 0 {
				return fmt.Errorf("the day sums of %s are not what its records add up to", args[0])
			}
			return nil
		},
	}
}

func (a *app) datasetRemove() *cobra.Command {
	return &cobra.Command{
		Use: "remove NAME", Short: "Remove a dataset with all its records and loads", Example: "  vastspan dataset remove jobs",
		Args: takes(cobra.ExactArgs(1), "the name of a dataset"), ValidArgsFunction: a.completeDatasets,
		RunE: func(cmd *cobra.Command, args []string) error {
			_, err := call(a, func(c *api.ClientWithResponses) (*api.RemoveDatasetResponse, error) {
				return c.RemoveDatasetWithResponse(cmd.Context(), args[0])
			}, func(r *api.RemoveDatasetResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
			if err == nil {
				fmt.Fprintf(a.out, "dataset %s is removed\n", args[0])
			}
			return err
		},
	}
}
