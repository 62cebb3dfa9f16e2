package cli

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"

	"github.com/spf13/cobra"

	"vastspan/api"
)

// recordsFlags are the flags of records.
type recordsFlags struct {
	over, after, date, running string
	where                      []string
	limit, edges               int
	oldest, all                bool
	*reading
}

func (a *app) recordsCommand() *cobra.Command {
	var f recordsFlags
	c := &cobra.Command{
		Use:   "records DATASET",
		Short: "List the records of a span, and what they add up to",
		Long: `Lists the records behind a total: the same span and filters give the same records. With --running an
amount is added up from record to record, and the last one ends in the total's figure. With --edges
the last and the first records on both sides of each edge of the span are shown: what is just in and
what is just out. With --all every record comes, as CSV.`,
		Example: `  vastspan records crossings --over @closed-month --where 'route=Gull Rock' --as-of latest --limit 20
  vastspan records crossings --over 'last full month' --running fare --oldest --as-of latest
  vastspan records crossings --over 'last full month' --edges 3 --as-of latest
  vastspan records jobs --over 'trailing 30 days' --all > jobs.csv`,
		Args: takes(cobra.ExactArgs(1), "the name of a dataset"), ValidArgsFunction: a.completeDatasets,
	}
	out := outputFlag(c)
	f.reading = readingFlags(c, "a date, today or latest (the newest day in the records)")
	flags := c.Flags()
	flags.StringVar(&f.over, "over", "all dates", "expression whose records are listed")
	flags.StringArrayVar(&f.where, "where", nil, whereHelp)
	flags.StringVar(&f.date, "date", "", "the column that says on which day a record lies; a dataset has one of its own")
	flags.StringVar(&f.running, "running", "", "amount to add up from record to record")
	flags.BoolVar(&f.oldest, "oldest", false, "the oldest records first (default the newest)")
	flags.IntVar(&f.limit, "limit", 50, "records a page, 1 to 1000")
	flags.StringVar(&f.after, "after", "", "where the page before ended, as it said")
	flags.IntVar(&f.edges, "edges", 0, "show so many records on both sides of each edge of the span")
	flags.BoolVar(&f.all, "all", false, "all records as CSV, the oldest first")
	c.MarkFlagsMutuallyExclusive("all", "edges", "running")
	c.MarkFlagsMutuallyExclusive("all", "edges", "after")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		filters, err := readWhere(f.where)
		if err != nil {
			return err
		}
		switch {
		case f.all:
			err = a.allRecords(cmd.Context(), args[0], &f, filters)
		case f.edges != 0:
			err = a.edges(cmd.Context(), args[0], &f, filters, *out)
		default:
			err = a.page(cmd.Context(), args[0], &f, filters, *out)
		}
		return expressionProblem(err, []string{f.over})
	}
	return c
}

func (a *app) page(ctx context.Context, dataset string, f *recordsFlags, filters *[]api.Filter, out output) error {
	q := api.RecordsRequest{Over: &f.over, Where: filters, AsOf: &f.asOf, AtClose: &f.atClose, Calendar: &f.calendar, Limit: &f.limit}
	order := api.Newest
	if f.oldest {
		order = api.Oldest
	}
	q.Order, q.After, q.Date, q.Running = &order, filled(f.after), filled(f.date), filled(f.running)
	r, err := call(a, func(c *api.ClientWithResponses) (*api.ListRecordsResponse, error) {
		return c.ListRecordsWithResponse(ctx, dataset, q)
	}, func(r *api.ListRecordsResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
	if err != nil {
		return err
	}
	return a.printRecords(r.JSON200, f, out)
}

// filled gives a pointer to a text, nil for an empty one.
func filled(s string) *string {
	if s == "" {
		return nil
	}
	return &s
}

// allRecords copies all records to the output as they come.
func (a *app) allRecords(ctx context.Context, dataset string, f *recordsFlags, filters *[]api.Filter) error {
	where, err := json.Marshal(filters)
	if err != nil {
		return err
	}
	text := string(where)
	params := api.DownloadRecordsParams{Over: &f.over, Where: &text, Date: filled(f.date), AsOf: &f.asOf, AtClose: &f.atClose, Calendar: &f.calendar}
	c, err := a.client()
	if err != nil {
		return err
	}
	r, err := c.DownloadRecords(ctx, dataset, &params)
	if err != nil {
		return a.answered(nil, nil, err)
	}
	defer r.Body.Close()
	if r.StatusCode == http.StatusOK {
		_, err = io.Copy(a.out, r.Body)
		return err
	}
	body, err := io.ReadAll(r.Body)
	if err != nil {
		return err
	}
	return a.answered(r, body, nil)
}

func (a *app) edges(ctx context.Context, dataset string, f *recordsFlags, filters *[]api.Filter, out output) error {
	q := api.EdgesRequest{Over: f.over, Where: filters, Date: filled(f.date), Records: &f.edges, AsOf: &f.asOf, AtClose: &f.atClose, Calendar: &f.calendar}
	r, err := call(a, func(c *api.ClientWithResponses) (*api.ListEdgesResponse, error) {
		return c.ListEdgesWithResponse(ctx, dataset, q)
	}, func(r *api.ListEdgesResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
	if err != nil {
		return err
	}
	e := r.JSON200
	if out == asJSON {
		return a.printJSON(e)
	}
	g := recordsGrid(e.Columns)
	g.header = append([]string{"edge", "side"}, g.header...)
	right := map[int]bool{}
	for i := range g.right {
		right[i+2] = g.right[i]
	}
	g.right = right
	for _, edge := range e.Edges {
		name, sides := "begins "+edge.Day.String(), [2]string{"out", "in"}
		if !edge.Begins {
			name, sides = "ended by "+edge.Day.String(), [2]string{"in", "out"}
		}
		for i, list := range [][][]*string{edge.Before, edge.From} {
			for _, row := range list {
				g.rows = append(g.rows, append([]string{name, sides[i]}, figureCells(row)...))
			}
		}
	}
	if out == asCSV {
		return a.printCSV(g)
	}
	a.printSpanHead(e.Dataset, e.Date, asOfLine(e.AsOf, e.AtClose, f.calendar), e.Expression, e.Intervals, e.Days)
	g.shown = shownRecord(g.right)
	a.printTable(g)
	if len(g.rows) == 0 {
		fmt.Fprintln(a.out, "no records lie on either side of an edge")
	}
	return nil
}

// recordsGrid is a table of records, numbers set to the right.
func recordsGrid(columns []api.Column) grid {
	g := grid{right: map[int]bool{}}
	for i, c := range columns {
		g.header = append(g.header, c.Name)
		g.right[i] = c.Type == api.Number
	}
	return g
}

func shownRecord(right map[int]bool) func(int, string) string {
	return func(column int, cell string) string {
		switch {
		case cell == "":
			return "–"
		case right[column]:
			return grouped(cell)
		}
		return cell
	}
}

// printSpanHead says which records are listed.
func (a *app) printSpanHead(dataset, date, asOf, expression string, intervals []api.Interval, days *int) {
	first, last := firstLast(intervals)
	fmt.Fprintf(a.out, "%s by %s, %s\n%s", dataset, date, asOf, expression)
	switch {
	case len(intervals) == 0:
		fmt.Fprint(a.out, ": no days")
	case days != nil:
		fmt.Fprintf(a.out, ": %s to %s, %s days", shownDay(first), shownDay(last), grouped(countOf(days)))
	}
	fmt.Fprint(a.out, "\n\n")
}

func (a *app) printRecords(p *api.RecordsPage, f *recordsFlags, out output) error {
	if out == asJSON {
		return a.printJSON(p)
	}
	g := recordsGrid(p.Columns)
	for i, row := range p.Records {
		cells := figureCells(row)
		if p.Running != nil {
			cells = append(cells, deref((*p.Running)[i]))
		}
		g.rows = append(g.rows, cells)
	}
	if p.Running != nil {
		g.right[len(g.header)] = true
		g.header = append(g.header, f.running+"_running")
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
	a.printSpanHead(p.Dataset, p.Date, asOfLine(p.AsOf, p.AtClose, f.calendar), p.Expression, p.Intervals, p.Days)
	g.shown = shownRecord(g.right)
	a.printTable(g)
	fmt.Fprintln(a.out)
	a.printFilters(p.Where)
	fmt.Fprintf(a.out, "%s of %s records", grouped(fmt.Sprint(len(p.Records))), grouped(fmt.Sprint(p.Count)))
	for _, s := range p.Sums {
		value := "–"
		if s.Sum != nil {
			value = grouped(*s.Sum)
		}
		fmt.Fprintf(a.out, "; sum of %s over all of them %s", s.Column, value)
	}
	if p.Undated > 0 {
		fmt.Fprintf(a.out, "; %s with no %s stand outside", grouped(fmt.Sprint(p.Undated)), p.Date)
	}
	fmt.Fprintln(a.out)
	if p.Next != nil {
		fmt.Fprintf(a.out, "next page: --after %s\n", *p.Next)
	}
	return nil
}
