package cli

import (
	"fmt"
	"net/http"

	"github.com/spf13/cobra"

	"vastspan/api"
)

func (a *app) recordsCommand() *cobra.Command {
	var over, after string
	var where []string
	var limit int
	c := &cobra.Command{
		Use:   "records DATASET",
		Short: "List the records of a span, newest first, and what they add up to",
		Example: `  vastspan records crossings --over @closed-month --where 'route=Gull Rock' --as-of latest --limit 20
  vastspan records jobs --over 'trailing 30 days' --output csv`,
		Args: takes(cobra.ExactArgs(1), "the name of a dataset"), ValidArgsFunction: a.completeDatasets,
	}
	out := outputFlag(c)
	f := readingFlags(c, "a date, today or latest (the newest day in the records)")
	c.Flags().StringVar(&over, "over", "all dates", "expression whose records are listed")
	c.Flags().StringArrayVar(&where, "where", nil, whereHelp)
	c.Flags().IntVar(&limit, "limit", 50, "records a page, 1 to 1000")
	c.Flags().StringVar(&after, "after", "", "where the page before ended, as it said")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		filters, err := readWhere(where)
		if err != nil {
			return err
		}
		q := api.RecordsRequest{Over: &over, Where: filters, AsOf: &f.asOf, AtClose: &f.atClose, Calendar: &f.calendar, Limit: &limit}
		if after != "" {
			q.After = &after
		}
		r, err := call(a, func(c *api.ClientWithResponses) (*api.ListRecordsResponse, error) {
			return c.ListRecordsWithResponse(cmd.Context(), args[0], q)
		}, func(r *api.ListRecordsResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
		if err != nil {
			return expressionProblem(err, []string{over})
		}
		return a.printRecords(r.JSON200, f, *out)
	}
	return c
}

func (a *app) printRecords(p *api.RecordsPage, f *reading, out output) error {
	if out == asJSON {
		return a.printJSON(p)
	}
	g := grid{right: map[int]bool{}}
	for i, c := range p.Columns {
		g.header = append(g.header, c.Name)
		g.right[i] = c.Type == api.Number
	}
	for _, row := range p.Records {
		g.rows = append(g.rows, figureCells(row))
	}
	if out == asCSV {
		if err := a.printCSV(g); err != nil {
			return err
		}
		if p.Next != nil {
			fmt.Fprintf(a.err, "vastspan: %d of %d records; for the next page add --after %s\n", len(p.Records), p.Count, *p.Next)
		}
		return nil
	}
	first, last := firstLast(p.Intervals)
	fmt.Fprintf(a.out, "%s, %s\n%s", p.Dataset, asOfLine(p.AsOf, p.AtClose, f.calendar), p.Expression)
	switch {
	case len(p.Intervals) == 0:
		fmt.Fprint(a.out, ": no days")
	case p.Days != nil:
		fmt.Fprintf(a.out, ": %s to %s, %s days", shownDay(first), shownDay(last), grouped(countOf(p.Days)))
	}
	fmt.Fprint(a.out, "\n\n")
	g.shown = func(column int, cell string) string {
		switch {
		case cell == "":
			return "–"
		case g.right[column]:
			return grouped(cell)
		}
		return cell
	}
	a.printTable(g)
	fmt.Fprintf(a.out, "\n%s of %s records", grouped(fmt.Sprint(len(p.Records))), grouped(fmt.Sprint(p.Count)))
	for _, s := range p.Sums {
		value := "–"
		if s.Sum != nil {
			value = grouped(*s.Sum)
		}
		fmt.Fprintf(a.out, "; sum of %s over all of them %s", s.Column, value)
	}
	if p.Undated > 0 {
		fmt.Fprintf(a.out, "; %s without a day stand outside", grouped(fmt.Sprint(p.Undated)))
	}
	fmt.Fprintln(a.out)
	if p.Next != nil {
		fmt.Fprintf(a.out, "next page: --after %s\n", *p.Next)
	}
	return nil
}
