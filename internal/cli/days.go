package cli

import (
	"errors"

	"github.com/spf13/cobra"

	"vastspan/core/civil"
	"vastspan/core/daytable"
	"vastspan/core/table"
	"vastspan/internal/cli/print"
	"vastspan/internal/refused"
	"vastspan/internal/service"
)

func (a *app) daysCommand() *cobra.Command {
	var from, through string
	c := &cobra.Command{
		Use:   "days [EXPR...] --from DATE --through DATE",
		Short: "List days with their units in a calendar and the spans they are in",
		Long: `A row a day: its numbers, labels and offsets from the as-of day in a calendar, whether it is a business
day, whether it is past or future, and a column for each expression: in or out. The service keeps the
same in the tables days.calendar_days and days.span_days of its database, for other tools to join.`,
		Example: `  vastspan days --from 2026-10-01 --through 2026-10-31 'last full week' --as-of 2026-10-19
  vastspan days @closed-month --from 2026-01-01 --through 2026-12-31 --calendar trade-445 --output csv`,
		ValidArgsFunction: a.completeExpressions,
	}
	out := a.outputFlag(c)
	f := addContextFlags(c, "a date or today")
	f.definitionFlags(c)
	c.Flags().StringVar(&from, "from", "", "first day")
	c.Flags().StringVar(&through, "through", "", "last day, inside")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		first, err := civil.ParseDay(from)
		if err != nil {
			return usagef("--from: %w", err)
		}
		last, err := civil.ParseDay(through)
		if err != nil {
			return usagef("--through: %w", err)
		}
		d, err := a.definitions(cmd.Context(), f)
		if err != nil {
			return err
		}
		asOf, err := d.asOf(f, nil)
		if err != nil {
			return err
		}
		t, err := service.DaysIn(cmd.Context(), d.library, first, last, asOf, args, f.Context)
		if err != nil {
			var refusal *refused.Error
			if errors.As(err, &refusal) {
				return about(refusal.Err, map[string][]string{"spans": args})
			}
			return err
		}
		a.headed(*out, d, "%s", print.AsOf(t.AsOf, false, t.Calendar))
		return a.print.Print(*out, print.View{Data: t, Grid: func() *table.Grid { return &table.Grid{Header: t.Columns, Rows: t.Rows} },
			Draw: func(p *print.Printer) { printDays(p, t, len(args)) }})
	}
	return c
}

// shownDayColumns are the columns that a table shows, and whether they are numbers; CSV and JSON have them
// all.
var shownDayColumns = map[string]bool{
	"day": false, "position": false, "business_day": false, "day_offset": true, "week": false, "month": false, "month_offset": true,
	"day_of_month": true, "quarter": false, "year": false,
}

func printDays(p *print.Printer, t *daytable.Table, spans int) {
	g := &table.Grid{}
	look := print.Look{Right: map[int]bool{}, Shown: print.Days}
	var kept []int
	for i, name := range t.Columns {
		number, shown := shownDayColumns[name]
		if !shown && i < len(t.Columns)-spans {
			continue
		}
		look.Right[len(kept)] = number
		kept = append(kept, i)
		g.Header = append(g.Header, name)
	}
	for _, row := range t.Rows {
		cells := make([]string, len(kept))
		for i, at := range kept {
			cells[i] = row[at]
		}
		g.Rows = append(g.Rows, cells)
	}
	p.Table(g, look)
}
