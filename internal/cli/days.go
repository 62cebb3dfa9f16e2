package cli

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"vastspan/api/client"
	"vastspan/api/types"
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
day, whether it is past or future, a column for each event list with the occurrence that holds the day, and
one for each expression: in or out. The service keeps the same in the tables days.calendar_days,
days.span_days and days.event_days of its database, for other tools to join.`,
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
		first, last, err := dayPair(from, through)
		if err != nil {
			return err
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
		return a.print.Print(*out, print.View{Data: t, Document: t.Document,
			Draw: func(p *print.Printer) { printDays(p, t, len(args)) }})
	}
	c.AddCommand(a.publishDaysCommand())
	return c
}

// shownDayColumns are the columns that a table shows, and whether they are numbers; CSV and JSON have them
// all.
var shownDayColumns = map[string]bool{
	"day": false, "position": false, "business_day": false, "day_offset": true, "week": false, "month": false, "month_offset": true,
	"day_of_month": true, "quarter": false, "year": false,
}

func (a *app) publishDaysCommand() *cobra.Command {
	var from, through string
	c := &cobra.Command{
		Use:   "publish [--from DATE --through DATE]",
		Short: "Say which days the tables for other tools hold, or have them hold more",
		Long: `The service keeps the tables days.calendar_days, days.span_days and days.event_days in its database, for other tools to join
by the day. Of themselves they hold the years around today and around all records. With --from and
--through they hold those days too, and whatever lies between.`,
		Example: `  vastspan days publish
  vastspan days publish --from 1950-01-01 --through 2049-12-31`,
		Args: argsUsage(cobra.NoArgs, "no argument"),
	}
	c.Flags().StringVar(&from, "from", "", "first day")
	c.Flags().StringVar(&through, "through", "", "last day, inside")
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		published, err := a.publishedDays(cmd.Context(), from, through)
		if err != nil {
			return err
		}
		also := ""
		if asked := published.Asked; asked != nil {
			also = fmt.Sprintf("\nAsked for: %s through %s.", asked.From, asked.Through)
		}
		return a.done(published, "The day tables hold %s through %s, as of %s.%s", published.FirstDay, published.LastDay, published.AsOf, also)
	}
	return c
}

// publishedDays reads which days the tables for other tools hold, once more days are asked for where any are given.
func (a *app) publishedDays(ctx context.Context, from, through string) (*types.PublishedDays, error) {
	if from == "" && through == "" {
		r, err := call(a, nil, func(c *client.Client) (*client.GetPublishedDaysResponse, error) {
			return c.GetPublishedDays(ctx)
		})
		if err != nil {
			return nil, err
		}
		return r.JSON200, nil
	}
	first, last, err := dayPair(from, through)
	if err != nil {
		return nil, err
	}
	r, err := call(a, nil, func(c *client.Client) (*client.PublishDaysResponse, error) {
		return c.PublishDays(ctx, types.PublishDaysRequest{From: first, Through: last})
	})
	if err != nil {
		return nil, err
	}
	return r.JSON200, nil
}

// dayPair reads the days of --from and --through.
func dayPair(from, through string) (first, last civil.Day, err error) {
	if from == "" || through == "" {
		return first, last, usagef("--from and --through are needed, such as --from 2026-10-01 --through 2026-10-31")
	}
	if first, err = civil.ParseDay(from); err != nil {
		return first, last, usagef("--from: %w", err)
	}
	if last, err = civil.ParseDay(through); err != nil {
		return first, last, usagef("--through: %w", err)
	}
	return first, last, nil
}

func printDays(p *print.Printer, t *daytable.Table, spans int) {
	g := &table.Grid{}
	look := print.Look{Right: map[int]bool{}, Shown: print.Days}
	var kept []int
	for i, name := range t.Columns {
		number, shown := shownDayColumns[name]
		event := strings.HasPrefix(name, "event ") && slices.ContainsFunc(t.Rows, func(row []string) bool { return row[i] != "" })
		if !shown && !event && i < len(t.Columns)-spans {
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
