package cli

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"vastspan/api/client"
	"vastspan/api/types"
	"vastspan/core/dataset"
	"vastspan/core/table"
	"vastspan/internal/cli/print"
	"vastspan/internal/refused"
)

func (a *app) datasetCommand() *cobra.Command {
	return group(
		"dataset",
		"List, show, change, attach and remove datasets",
		a.datasetList(),
		a.datasetShow(),
		a.datasetAttach(),
		a.datasetChange(),
		a.datasetAccess(),
		a.datasetRename(),
		a.datasetRemove(), a.datasetRestore(),
	)
}

func (a *app) datasets(ctx context.Context) ([]types.Dataset, error) {
	return all(func(limit *int, after *string) ([]types.Dataset, *string, error) {
		r, err := call(a, nil, func(c *client.Client) (*client.ListDatasetsResponse, error) {
			return c.ListDatasets(ctx, &types.ListDatasetsParams{Limit: limit, After: after})
		})
		if err != nil {
			return nil, nil, err
		}
		return r.JSON200.Items, r.JSON200.Next, nil
	})
}

func (a *app) datasetList() *cobra.Command {
	c := &cobra.Command{
		Use:     "list",
		Short:   "List the datasets",
		Example: "  vastspan dataset list",
		Args:    argsUsage(cobra.NoArgs, "no arguments"),
	}
	out := a.outputFlag(c)
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		list, err := a.datasets(cmd.Context())
		if err != nil {
			return err
		}
		return a.print.Print(
			*out,
			print.View{Data: list, Look: print.Look{Right: print.Right(1, 2), Shown: shownColumns}, Grid: func() *table.Grid {
				g := &table.Grid{Header: []string{"name", "records", "undated", "oldest", "newest", "kept", "day", "amounts", "categories"}}
				for _, d := range list {
					s := dataset.Schema{Columns: d.Columns}
					oldest, newest := coveredDays(d.Oldest, d.Newest)
					g.Rows = append(g.Rows, []string{d.Name, fmt.Sprint(d.Records), fmt.Sprint(d.Undated), oldest, newest, keptWhere(&d),
						listed(s.Names(dataset.DayRole)), listed(s.Names(dataset.Amount)), listed(s.Names(dataset.Category))})
				}
				return g
			}, None: "there are no datasets yet; load a file with vastspan load"},
		)
	}
	return c
}

func listed(names []string) string { return strings.Join(names, ", ") }

// mostListed is how many columns of a dataset are named in its line for people.
const mostListed = 4

// shownColumns writes the line of a dataset for people, with the first of its columns.
func shownColumns(column int, cell string) string {
	if names := strings.Split(cell, ", "); column >= 6 && len(names) > mostListed {
		return fmt.Sprintf("%s and %d more", listed(names[:mostListed-1]), len(names)-mostListed+1)
	}
	return shownCounts(1, 2)(column, cell)
}

// shownCounts sets the digits of some columns in threes and writes days for people.
func shownCounts(columns ...int) func(int, string) string {
	counts := print.Right(columns...)
	return func(column int, cell string) string {
		if counts[column] {
			return table.Thousands(cell)
		}
		return print.Day(cell)
	}
}

func coveredDays[D fmt.Stringer](oldest, newest *D) (string, string) {
	if oldest == nil || newest == nil {
		return "", ""
	}
	return (*oldest).String(), (*newest).String()
}

func (a *app) dataset(ctx context.Context, name string) (*client.GetDatasetResponse, error) {
	return call(a, nil, func(c *client.Client) (*client.GetDatasetResponse, error) {
		return c.GetDataset(ctx, name)
	})
}

func (a *app) datasetShow() *cobra.Command {
	c := &cobra.Command{
		Use: "show NAME", Short: "Show a dataset's columns and what it holds", Example: "  vastspan dataset show crossings",
		Args: argsUsage(cobra.ExactArgs(1), "the name of a dataset"), ValidArgsFunction: a.completeDatasets,
	}
	out := a.outputFlag(c)
	c.RunE = func(cmd *cobra.Command, args []string) error {
		r, err := a.dataset(cmd.Context(), args[0])
		if err != nil {
			return err
		}
		d := r.JSON200
		return a.print.Print(
			*out,
			print.View{Data: d, Grid: func() *table.Grid { return columnGrid(d.Columns) }, Draw: func(p *print.Printer) {
				line := fmt.Sprintf("%s: %s", d.Name, print.Number(d.Records, "record"))
				if d.Oldest != nil {
					line += fmt.Sprintf(" from %s to %s", d.Oldest.Long(), d.Newest.Long())
				}
				if d.Undated > 0 {
					line += fmt.Sprintf(", %s of them without a day", print.Count(d.Undated))
				}
				if d.Grain != nil {
					line += "; each stands for a " + *d.Grain
				}
				if d.NoRecords == types.DatasetNoRecordsZero {
					line += "; no record is zero"
				}
				if d.Expected != nil {
					line += "; expected: " + *d.Expected
				}
				if d.NewestDay != nil {
					line += "; newest day " + string(*d.NewestDay)
				}
				if d.Attached == nil {
					line = fmt.Sprintf("%s; %s; version %d", line, clockText(d.Zone, d.DayStarts), d.Version)
				} else {
					line = fmt.Sprintf("%s; %s", line, clockText(d.Zone, d.DayStarts))
				}
				p.Linef("%s", strings.Join(append([]string{line}, whereKept(d)...), "\n")+"\n")
				p.Table(columnGrid(d.Columns), print.Look{Right: print.Right(3)})
			}},
		)
	}
	return c
}

// keptWhere says in a word where the records of a dataset are.
func keptWhere(d *types.Dataset) string {
	switch {
	case d.Attached == nil:
		return "here"
	case d.Trouble != nil:
		return d.Attached.Database + " (does not answer)"
	}
	return d.Attached.Database
}

func columnGrid(columns []dataset.Column) *table.Grid {
	g := &table.Grid{Header: []string{"column", "type", "role", "decimals", "unit", "better"}}
	for _, c := range columns {
		decimals := ""
		if c.Type == dataset.Number {
			decimals = fmt.Sprint(c.Decimals)
		}
		g.Rows = append(g.Rows, []string{c.Name, string(c.Type), string(c.Role), decimals, c.Unit, string(c.Better)})
	}
	return g
}

// changeFlags are the flags of dataset change.
type changeFlags struct {
	column, columnType, role, unit, better, grain, noRecords, expected, newestDay string
	decimals                                                                      int
}

func (a *app) datasetChange() *cobra.Command {
	var f changeFlags
	c := &cobra.Command{
		Use: "change NAME", Short: "Change what columns are used for, how amounts are shown, and what a dataset means",
		Long: `Sets the unit of an amount, how many decimals it is shown with, and whether higher or lower values are
better. --grain sets that each record covers a whole unit, as in a plan by months: totals of a span that cuts
such a unit then report it. --no-records zero sets that a sum without a record is 0, as for
sales; blank that it is not known, as for readings.

--expected sets on which days records are expected: totals then report expected days without any.
--newest-day partial sets that the newest day of records without times is still arriving; it is then not
counted as covered.

--role sets whether a column is an amount, a category or a detail; --type its type, if every value allows
it. Nothing is loaded again.`,
		Example: `  vastspan dataset change crossings --column fare --unit EUR --better higher
  vastspan dataset change plan --grain month
  vastspan dataset change jobs --column vessel --role detail
  vastspan dataset change crossings --no-records zero
  vastspan dataset change crossings --expected 'every day'
  vastspan dataset change crossings --expected 'each route every day'`,
		Args: argsUsage(cobra.ExactArgs(1), "the name of a dataset"), ValidArgsFunction: a.completeDatasets,
	}
	flags := c.Flags()
	flags.StringVar(&f.column, "column", "", "the column that the other flags apply to")
	flags.StringVar(&f.columnType, "type", "", "what its values are: text, number or date")
	flags.StringVar(&f.role, "role", "", "what it is used for: amount, category or detail")
	flags.StringVar(&f.unit, "unit", "", "what it is counted in: EUR, passengers")
	flags.StringVar(&f.better, "better", "", "which values are better: higher, lower or neither")
	flags.IntVar(&f.decimals, "decimals", 0, "digits after the point")
	flags.StringVar(&f.grain, "grain", "", "what a record stands for: day, week, month, quarter, half or year")
	flags.StringVar(&f.noRecords, "no-records", "", "what a sum without a record means: zero or blank")
	flags.StringVar(&f.expected, "expected", "",
		"days on which records are expected: "+dataset.ExpectedForms+"; automatic leaves it to the records")
	flags.StringVar(&f.newestDay, "newest-day", "", "whether the newest day of records without times is complete, or partial: still arriving")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		q, err := f.read(cmd)
		if err != nil {
			return err
		}
		have, err := a.dataset(cmd.Context(), args[0])
		if err != nil {
			return err
		}
		r, err := call(a, q, func(c *client.Client) (*client.DescribeDatasetResponse, error) {
			return c.DescribeDataset(
				cmd.Context(),
				args[0],
				&types.DescribeDatasetParams{IfMatch: ifMatch(have.HTTPResponse)},
				*q,
			)
		})
		if err == nil {
			err = a.done(r.JSON200, "updated dataset %s %s", args[0], a.at())
		}
		return err
	}
	return c
}

// read reads what is said about a dataset: what is not given stays as it is.
func (f *changeFlags) read(cmd *cobra.Command) (*types.DatasetDescription, error) {
	var q types.DatasetDescription
	given := cmd.Flags().Changed
	if given("grain") {
		u := types.DatasetDescriptionGrain(f.grain)
		q.Grain = &u
	}
	if given("no-records") {
		means := types.DatasetDescriptionNoRecords(f.noRecords)
		q.NoRecords = &means
	}
	if given("expected") {
		q.Expected = &f.expected
	}
	if given("newest-day") {
		is := types.DatasetDescriptionNewestDay(f.newestDay)
		q.NewestDay = &is
	}
	ofAll := given("grain") || given("no-records") || given("expected") || given("newest-day")
	said := given("type") || given("role") || given("unit") || given("better") || given("decimals")
	switch {
	case said && f.column == "":
		return nil, usagef("dataset change: expected --column and the column that is meant")
	case !said && f.column != "":
		return nil, usagef("dataset change --column %s: expected --type, --role, --unit, --decimals or --better", f.column)
	case !said && !ofAll:
		return nil, usagef("dataset change: expected --column with --type, --role, --unit, --decimals or --better, " +
			"or --grain, --no-records, --expected or --newest-day")
	case !said:
		return &q, nil
	}
	list := []types.ColumnDescription{{Name: f.column}}
	if given("type") {
		kind := types.ColumnDescriptionType(f.columnType)
		list[0].Type = &kind
	}
	if given("role") {
		role := types.ColumnDescriptionRole(f.role)
		list[0].Role = &role
	}
	if given("unit") {
		list[0].Unit = &f.unit
	}
	if given("decimals") {
		list[0].Decimals = &f.decimals
	}
	if given("better") {
		b := types.ColumnDescriptionBetter(f.better)
		if !b.Valid() {
			return nil, usagef("--better %s: expected higher, lower or neither", f.better)
		}
		list[0].Better = &b
	}
	q.Columns = &list
	return &q, nil
}

func (a *app) datasetRemove() *cobra.Command {
	var anyway bool
	c := &cobra.Command{
		Use: "remove NAME", Short: "Remove a dataset with all its records and loads; refused while briefs are about it",
		Long:    "Removes a dataset. For 30 days vastspan dataset restore brings it back.",
		Example: "  vastspan dataset remove jobs\n  vastspan dataset remove jobs --anyway",
		Args:    argsUsage(cobra.ExactArgs(1), "the name of a dataset"), ValidArgsFunction: a.completeDatasets,
	}
	c.Flags().BoolVar(&anyway, "anyway", false, "remove it although briefs are about it: they then say that it is not there")
	yes := yesFlag(c)
	c.RunE = func(cmd *cobra.Command, args []string) error {
		have, err := call(a, nil, func(c *client.Client) (*client.GetDatasetResponse, error) {
			return c.GetDataset(cmd.Context(), args[0])
		})
		if err != nil {
			return err
		}
		sure, err := a.sure(*yes, "Remove dataset %s %s with %s?", args[0], a.at(), print.Number(have.JSON200.Records, "record"))
		if err != nil || !sure {
			return err
		}
		_, err = call(a, nil, func(c *client.Client) (*client.RemoveDatasetResponse, error) {
			return c.RemoveDataset(cmd.Context(), args[0], &types.RemoveDatasetParams{Anyway: &anyway, IfMatch: &anyVersion})
		})
		var problem *problemError
		if errors.As(err, &problem) && problem.Code == refused.CodeInUse {
			problem.Detail += ": add --anyway to remove it all the same"
		}
		if err == nil {
			err = a.done(removed{args[0]}, "removed dataset %s %s; vastspan dataset restore %s brings it back for 30 days", args[0], a.at(), args[0])
		}
		return err
	}
	return c
}

func (a *app) datasetRestore() *cobra.Command {
	c := &cobra.Command{
		Use: "restore [NAME]", Short: "Bring back a dataset that was removed in the last 30 days; without a name, list them",
		Example: "  vastspan dataset restore\n  vastspan dataset restore jobs",
		Args:    argsUsage(cobra.MaximumNArgs(1), "the name that a dataset had"),
	}
	out := a.outputFlag(c)
	c.RunE = func(cmd *cobra.Command, args []string) error {
		if len(args) == 1 {
			r, err := call(a, nil, func(c *client.Client) (*client.RestoreDatasetResponse, error) {
				return c.RestoreDataset(cmd.Context(), args[0])
			})
			switch {
			case err == nil && *out == print.AsJSON:
				err = a.print.JSON(r.JSON200)
			case err == nil:
				a.print.Linef("dataset %s is back %s, with %s", args[0], a.at(), print.Number(r.JSON200.Records, "record"))
			}
			return err
		}
		r, err := call(a, nil, func(c *client.Client) (*client.ListRemovedDatasetsResponse, error) {
			return c.ListRemovedDatasets(cmd.Context())
		})
		if err != nil {
			return err
		}
		return a.print.Print(*out, print.View{Data: r.JSON200, Draw: func(p *print.Printer) {
			if len(r.JSON200.Items) == 0 {
				p.Linef("No dataset was removed in the last 30 days.")
			}
			for _, d := range r.JSON200.Items {
				p.Linef("%s  removed %s by %s, can be brought back until %s", d.Name, d.RemovedAt.Local().Format(time.DateTime), d.RemovedBy,
					d.Until.Local().Format(time.DateOnly))
			}
		}})
	}
	return c
}

func (a *app) datasetRename() *cobra.Command {
	return &cobra.Command{
		Use: "rename NAME NEW-NAME", Short: "Rename a dataset; briefs that use it are updated",
		Example: "  vastspan dataset rename jobs workshop-jobs", Args: argsUsage(cobra.ExactArgs(2), "the name and the new one"),
		ValidArgsFunction: a.completeDatasets,
		RunE: func(cmd *cobra.Command, args []string) error {
			q := types.RenameRequest{Name: args[1]}
			r, err := call(a, q, func(c *client.Client) (*client.RenameDatasetResponse, error) {
				return c.RenameDataset(cmd.Context(), args[0], nil, q)
			})
			if err == nil {
				a.renamed("dataset "+args[0], r.JSON200.Name, r.JSON200)
			}
			return err
		},
	}
}
