package cli

import (
	"context"
	"fmt"

	"github.com/spf13/cobra"

	"vastspan/api/client"
	"vastspan/api/types"
	"vastspan/core/dataset"
	"vastspan/core/table"
	"vastspan/internal/cli/print"
)

// recordsFlags are the flags of records.
type recordsFlags struct {
	over, after, date, running string
	changedSince, until        string
	where, key                 []string
	limit, boundary            int
	oldest, all                bool
	*contextFlags
}

func (a *app) recordsCommand() *cobra.Command {
	var f recordsFlags
	c := &cobra.Command{
		Use:   "records DATASET",
		Short: "List the records of a span, with their totals",
		Long: `Lists the records behind a total: the same span and filters select the same records. --running adds a
running sum of an amount, which ends in the total. --boundary shows the last and first records on both
sides of each boundary of the span: what is just inside and just outside. --all writes every record, as CSV.
--changed-since shows what came, went and changed since an earlier state, and what that did to each amount.`,
		Example: `  vastspan records crossings --over @closed-month --where 'route=Gull Rock' --as-of latest --limit 20
  vastspan records crossings --over 'last full month' --running fare --oldest --as-of latest
  vastspan records crossings --over 'last full month' --boundary 3 --as-of latest
  vastspan records jobs --over 'trailing 30 days' --all > jobs.csv
  vastspan records crossings --over 'last full month' --changed-since 'load 1' --as-of latest`,
		Args: argsUsage(cobra.ExactArgs(1), "the name of a dataset"), ValidArgsFunction: a.completeDatasets,
	}
	out := a.outputFlag(c)
	f.contextFlags = addContextFlags(c, latestHelp)
	f.knownFlag(c)
	flags := c.Flags()
	flags.StringVar(&f.over, "over", "all dates", "expression whose records are listed")
	flags.StringArrayVar(&f.where, "where", nil, whereHelp)
	flags.StringVar(&f.date, "date", "", "the column that holds the day of a record; a dataset has one of its own")
	flags.StringVar(&f.running, "running", "", "amount to add up from record to record")
	flags.BoolVar(&f.oldest, "oldest", false, "the oldest records first (default the newest)")
	flags.IntVar(&f.limit, "limit", 50, "records a page, 1 to 1000")
	flags.StringVar(&f.after, "after", "", "the next value of the previous page")
	flags.IntVar(&f.boundary, "boundary", 0, "show so many records on both sides of each boundary of the span")
	flags.BoolVar(&f.all, "all", false, "all records as CSV, the oldest first")
	flags.StringVar(&f.changedSince, "changed-since", "",
		"what changed since a state: a moment (2026-10-05T09:00), a load ('load 12'), or when a receipt was made ('receipt 4')")
	flags.StringVar(&f.until, "until", "", "with --changed-since: the later state (default: now)")
	flags.StringSliceVar(&f.key, "key", nil, "with --changed-since: the columns by which a record is the same one, so that it changed")
	c.MarkFlagsMutuallyExclusive("all", "boundary", "running", "changed-since")
	c.MarkFlagsMutuallyExclusive("known", "changed-since")
	c.MarkFlagsMutuallyExclusive("all", "boundary", "after")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		filters, err := readWhere(f.where)
		if err != nil {
			return err
		}
		where := filters.Texts()
		switch {
		case f.changedSince == "" && (f.until != "" || len(f.key) > 0):
			return usagef("records: --until and --key go with --changed-since")
		case f.changedSince != "":
			return a.changes(cmd.Context(), args[0], &f, where, *out)
		case f.all:
			return a.allRecords(cmd.Context(), args[0], &f, where, *out)
		case f.boundary != 0:
			return a.boundaries(cmd.Context(), args[0], &f, where, *out)
		}
		return a.recordsPage(cmd.Context(), args[0], &f, where, *out)
	}
	return c
}

// request says which records are listed.
func (f *recordsFlags) request(name string, where []string) types.RecordsRequest {
	return types.RecordsRequest{
		Dataset:  name,
		Over:     &f.over,
		Where:    &where,
		Date:     ptrOrNil(f.date),
		AsOf:     &f.AsOf,
		AtClose:  &f.AtClose,
		Calendar: ptrOrNil(f.Calendar),
		Known:    ptrOrNil(f.Known),
	}
}

func (a *app) recordsPage(ctx context.Context, name string, f *recordsFlags, where []string, out print.Output) error {
	q := f.request(name, where)
	order := types.Newest
	if f.oldest {
		order = types.Oldest
	}
	q.Order, q.After, q.Running, q.Limit = &order, ptrOrNil(f.after), ptrOrNil(f.running), &f.limit
	r, err := call(a, q, func(c *client.Client) (*client.ListRecordsResponse, error) {
		return c.ListRecords(ctx, q)
	})
	if err != nil {
		return err
	}
	p := r.JSON200
	if p.Next != nil && out.IsFile() {
		fmt.Fprintf(a.err, "vastspan: %d of %d records; for the next page add --after %s\n", len(p.Records), p.Count, *p.Next)
	}
	of := &table.Answer{
		Dataset: p.Dataset, Date: p.Date, AsOf: p.AsOf, AsOfMoment: value(p.AsOfMoment), Zone: value(p.Zone), DayStarts: value(p.DayStarts),
		AtClose: p.AtClose, Calendar: p.Calendar, Spans: []table.Span{p.Span}, Known: value(p.Known),
	}
	if err := of.ReadClock(); err != nil {
		return err
	}
	return a.print.Print(
		out,
		print.View{Data: p, Grid: func() *table.Grid { return recordsGrid(p, f.running) }, Draw: func(w *print.Printer) {
			a.printRecords(w, of, p, f)
		}},
	)
}

func recordsGrid(p *types.RecordsPage, running string) *table.Grid {
	g := &table.Grid{Header: names(p.Columns)}
	for i, row := range p.Records {
		cells := texts(row)
		if p.Running != nil {
			cells = append(cells, (*p.Running)[i].String())
		}
		g.Rows = append(g.Rows, cells)
	}
	if p.Running != nil {
		g.Header = append(g.Header, running+"_running")
	}
	return g
}

func names(columns []dataset.Column) []string {
	s := dataset.Schema{Columns: columns}
	return s.Names()
}

// texts returns the cells of a record; blank is empty.
func texts(row []*string) []string {
	cells := make([]string, len(row))
	for i, c := range row {
		cells[i] = value(c)
	}
	return cells
}

// recordLook shows numbers with their digits in threes, to the right, from a column on.
func recordLook(columns []dataset.Column, from int, alsoLast bool) print.Look {
	l := print.Look{Right: map[int]bool{}}
	for i, c := range columns {
		l.Right[from+i] = c.Type == dataset.Number
	}
	if alsoLast {
		l.Right[from+len(columns)] = true
	}
	l.Shown = func(column int, cell string) string {
		switch {
		case cell == "":
			return table.None
		case l.Right[column]:
			return table.Thousands(cell)
		}
		return cell
	}
	return l
}

// printSpanHead says which records are listed.
func (a *app) printSpanHead(of *table.Answer) {
	sp := &of.Spans[0]
	days := "no days"
	switch {
	case sp.Moments != nil:
		days = table.LongRuns(*sp.Moments)
	case !sp.Intervals.Empty():
		b := sp.Intervals.Bounds()
		days = b.First().Long() + " to " + b.Last().Long()
		if sp.Days != nil {
			days += ", " + print.Number(*sp.Days, "day")
		}
	}
	a.print.Linef("%s by %s, %s\n%s\n%s: %s\n", of.Dataset, of.Date, print.AnswerAsOf(of), a.at(), sp.Expression, days)
}

// knownNotes say by which states of records an answer was made.
func knownNotes(known []table.Known) (notes []table.Note) {
	for i := range known {
		notes = append(notes, known[i].Note())
	}
	return notes
}

func (a *app) printRecords(w *print.Printer, of *table.Answer, p *types.RecordsPage, f *recordsFlags) {
	a.printSpanHead(of)
	w.Table(recordsGrid(p, f.running), recordLook(p.Columns, 0, p.Running != nil))
	w.Linef("")
	w.Notes(knownNotes(of.Known))
	for _, text := range p.Where {
		if filters, err := dataset.ParseFilters([]string{text}); err == nil {
			w.Linef("where %s", filters[0])
		}
	}
	w.Linef("%s of %s", print.Count(len(p.Records)), print.Number(p.Count, "record"))
	for _, s := range p.Sums {
		sum := table.None
		if s.Sum.Set {
			sum = table.Thousands(s.Sum.String())
		}
		w.Linef("sum of %s over all of them: %s", s.Column, sum)
	}
	if p.Undated > 0 {
		w.Linef("%s excluded: no date in %s", print.Count(p.Undated), p.Date)
	}
	if p.Next != nil {
		w.Linef("next page: --after %s", *p.Next)
	}
}

// allRecords copies all records to the output as they come.
func (a *app) allRecords(ctx context.Context, name string, f *recordsFlags, where []string, out print.Output) error {
	if out == print.AsTable {
		out = print.AsCSV
	}
	if !out.IsFile() {
		return usagef("--all writes records as they come: --output %s does not; take csv or json-lines", out)
	}
	if _, err := a.print.Format(out); err != nil {
		return err
	}
	c, err := a.client()
	if err != nil {
		return err
	}
	q := f.request(name, where)
	r, err := c.Into(a.out).ListRecords(ctx, q, a.accept(out))
	if err != nil {
		return a.callError(err)
	}
	return checkResponse(r.Received(), q)
}

func (a *app) boundaries(ctx context.Context, name string, f *recordsFlags, where []string, out print.Output) error {
	q := types.BoundariesRequest{
		Dataset:  name,
		Over:     f.over,
		Where:    &where,
		Date:     ptrOrNil(f.date),
		Records:  &f.boundary,
		AsOf:     &f.AsOf,
		AtClose:  &f.AtClose,
		Calendar: ptrOrNil(f.Calendar),
	}
	r, err := call(a, q, func(c *client.Client) (*client.ListBoundariesResponse, error) {
		return c.ListBoundaries(ctx, q)
	})
	if err != nil {
		return err
	}
	b := r.JSON200
	of := &table.Answer{
		Dataset: b.Dataset, Date: b.Date, AsOf: b.AsOf, AsOfMoment: value(b.AsOfMoment), Zone: value(b.Zone), DayStarts: value(b.DayStarts),
		AtClose: b.AtClose, Calendar: b.Calendar, Spans: []table.Span{b.Span}, Known: value(b.Known),
	}
	if err := of.ReadClock(); err != nil {
		return err
	}
	return a.print.Print(out, print.View{Data: b, Grid: func() *table.Grid { return boundaryGrid(b) }, Draw: func(w *print.Printer) {
		a.printSpanHead(of)
		g := boundaryGrid(b)
		w.Table(g, recordLook(b.Columns, 3, false))
		if len(g.Rows) == 0 {
			w.Linef("there are no records on either side of a boundary")
		}
	}})
}

func boundaryGrid(b *types.Boundaries) *table.Grid {
	g := &table.Grid{Header: append([]string{"boundary", "day", "side"}, names(b.Columns)...)}
	for _, one := range b.Boundaries {
		name, sides := "begins", [2]string{"out", "in"}
		if !one.Begins {
			name, sides = "ends", [2]string{"in", "out"}
		}
		for i, list := range [][]types.RecordCells{one.Before, one.From} {
			for _, row := range list {
				at := one.Day.String()
				if one.At != nil {
					at = *one.At
				}
				g.Rows = append(g.Rows, append([]string{name, at, sides[i]}, texts(row)...))
			}
		}
	}
	return g
}
