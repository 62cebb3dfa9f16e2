package cli

import (
	"fmt"
	"net/http"
	"strings"

	"github.com/spf13/cobra"

	"vastspan/api"
)

func (a *app) datasetCommand() *cobra.Command {
	return group("dataset", "List datasets and show what they hold", a.datasetList(), a.datasetShow(), a.datasetDescribe(), a.datasetRemove())
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
		g := grid{header: []string{"name", "records", "undated", "first_day", "last_day", "day", "amounts", "categories"}, right: map[int]bool{1: true, 2: true}}
		for _, d := range *r.JSON200 {
			row := []string{d.Name, fmt.Sprint(d.Records), fmt.Sprint(d.Undated), "", "", named(d.Columns, api.ColumnRoleDay), named(d.Columns, api.ColumnRoleAmount), named(d.Columns, api.ColumnRoleCategory)}
			if d.FirstDay != nil {
				row[3], row[4] = d.FirstDay.String(), d.LastDay.String()
			}
			g.rows = append(g.rows, row)
		}
		g.shown = shownRecordCounts
		return a.printList(*out, r.JSON200, g, "there are no datasets yet; load a file with vastspan load")
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
	g := grid{header: []string{"column", "type", "role", "decimals", "unit", "better"}, right: map[int]bool{3: true}}
	for _, c := range columns {
		better := ""
		if c.Better != nil {
			better = string(*c.Better)
		}
		g.rows = append(g.rows, []string{c.Name, string(c.Type), string(c.Role), countOf(c.Decimals), deref(c.Unit), better})
	}
	return g
}

func (a *app) datasetDescribe() *cobra.Command {
	var column, unit, better, covers string
	var decimals int
	c := &cobra.Command{
		Use:   "describe NAME",
		Short: "Say what an amount is counted in, how it is shown and when it is good",
		Long: `Says what an amount is counted in, how many decimals it is shown with, and whether it is good when it
goes up; all totals show it so. With --covers, says that each record stands for a whole unit, as in a
plan by months: a span that cuts such a unit then says so.`,
		Example: `  vastspan dataset describe crossings --column fare --unit EUR --better up
  vastspan dataset describe plan --covers month`,
		Args: takes(cobra.ExactArgs(1), "the name of a dataset"), ValidArgsFunction: a.completeDatasets,
	}
	flags := c.Flags()
	flags.StringVar(&column, "column", "", "the amount that unit, decimals and better are said of")
	flags.StringVar(&unit, "unit", "", "what it is counted in: EUR, passengers")
	flags.StringVar(&better, "better", "", "when it is good: up, down or neither")
	flags.IntVar(&decimals, "decimals", 0, "digits after the point")
	flags.StringVar(&covers, "covers", "", "what a record stands for: day, week, month, quarter, half or year")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		q, err := describing(cmd, column, unit, better, covers, decimals)
		if err != nil {
			return err
		}
		_, err = call(a, func(c *api.ClientWithResponses) (*api.DescribeDatasetResponse, error) {
			return c.DescribeDatasetWithResponse(cmd.Context(), args[0], *q)
		}, func(r *api.DescribeDatasetResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
		if err == nil {
			fmt.Fprintf(a.out, "dataset %s is described\n", args[0])
		}
		return err
	}
	return c
}

// describing reads what is said about a dataset: what is not given stays as it is.
func describing(cmd *cobra.Command, column, unit, better, covers string, decimals int) (*api.DatasetDescription, error) {
	var q api.DatasetDescription
	given := cmd.Flags().Changed
	if given("covers") {
		u := api.DatasetDescriptionCovers(covers)
		q.Covers = &u
	}
	about := given("unit") || given("better") || given("decimals")
	switch {
	case about && column == "":
		return nil, usagef("dataset describe: expected --column and the amount that is meant")
	case !about && column != "":
		return nil, usagef("dataset describe --column %s: expected --unit, --decimals or --better", column)
	case !about && !given("covers"):
		return nil, usagef("dataset describe: expected --column with --unit, --decimals or --better, or --covers")
	case !about:
		return &q, nil
	}
	list := []api.ColumnDescription{{Name: column}}
	if given("unit") {
		list[0].Unit = &unit
	}
	if given("decimals") {
		list[0].Decimals = &decimals
	}
	if given("better") {
		b := api.Better(better)
		if !b.Valid() {
			return nil, usagef("--better %s: expected up, down or neither", better)
		}
		list[0].Better = &b
	}
	q.Columns = &list
	return &q, nil
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
