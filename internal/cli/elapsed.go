package cli

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"vastspan/core/book"
	"vastspan/core/elapsed"
	"vastspan/core/query"
	"vastspan/core/table"
	"vastspan/internal/cli/print"
)

func (a *app) elapsedCommand() *cobra.Command {
	var batch string
	var bothEnds bool
	c := &cobra.Command{
		Use:   "elapsed FROM TO",
		Short: "Show how long it is from one day or moment to another",
		Long: `Counts from one day, inside, to another, outside: days, business days, whole months and years, the
boundaries of calendar units between, the period in years, months and days, and the fraction of years.
Between moments it gives the elapsed time, too. Needs no service; where one answers, its calendars are
used, unless --book or --offline says otherwise. For the two dates of records, see vastspan ageing.`,
		Example: `  vastspan elapsed 2024-02-29 2026-10-19
  vastspan elapsed 2026-10-18T22:00 2026-10-19T06:00 --zone Europe/Lisbon
  vastspan elapsed --batch pairs.csv > lengths.csv`,
	}
	out := a.outputFlag(c)
	f := &contextFlags{Context: query.Context{AsOf: query.Today}}
	c.Flags().StringVar(&f.zone, "zone", "", "IANA time zone whose clock shows the moments (default UTC)")
	c.Flags().StringVar(&f.dayStarts, "day-starts", "", "time at which days start, such as 04:00 (default midnight)")
	c.Flags().StringVar(&f.Calendar, "calendar", "", "calendar whose months, years and business days count (default civil)")
	f.definitionFlags(c)
	c.Flags().BoolVar(&bothEnds, "both-ends", false, "count the last day, too")
	c.Flags().StringVar(&batch, "batch", "", "read rows of from,to from a CSV file (- is standard input)")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		switch {
		case batch != "" && len(args) > 0:
			return usagef("elapsed: days and --batch do not go together")
		case batch != "":
			return a.elapsedBatch(cmd.Context(), batch, f, bothEnds)
		case len(args) != 2:
			return usagef("elapsed: expected two days, such as 2024-02-29 2026-10-19; for the dates of records, see vastspan ageing")
		}
		return a.elapsed(cmd.Context(), args[0], args[1], f, bothEnds, *out)
	}
	return c
}

func (a *app) elapsed(ctx context.Context, from, to string, f *contextFlags, bothEnds bool, out print.Output) error {
	d, err := a.definitions(ctx, f)
	if err != nil {
		return err
	}
	e, err := d.elapsed(from, to, f, bothEnds)
	if err != nil {
		return err
	}
	d.isToday = from == query.Today || to == query.Today
	d.showsTimes = e.From.Timed || e.To.Timed
	a.headed(out, d, "from %s to %s, calendar %s", e.From.Long(), e.To.Long(), e.Calendar)
	return a.print.Print(out, print.View{Data: e, Document: func() *table.Document {
		return book.ElapsedDocument([]book.Elapsed{*e})
	}, Draw: func(p *print.Printer) { printElapsed(p, &e.Figures, bothEnds) }})
}

// elapsed reads two days or moments and reports what is between.
func (d *definitions) elapsed(from, to string, f *contextFlags, bothEnds bool) (*book.Elapsed, error) {
	first, err := d.clock.ReadAsOf(from, nil)
	if err != nil {
		return nil, fmt.Errorf("from: %w", err)
	}
	last, err := d.clock.ReadAsOf(to, nil)
	if err != nil {
		return nil, fmt.Errorf("to: %w", err)
	}
	return d.library.Elapsed(first, last, f.Context, bothEnds)
}

func printElapsed(p *print.Printer, f *elapsed.Figures, bothEnds bool) {
	ends := "the first inside, the last outside"
	if bothEnds {
		ends = "both ends inside"
	}
	g := &table.Grid{Header: []string{"figure", "value", ""}}
	add := func(name, value, note string) { g.Rows = append(g.Rows, []string{name, value, note}) }
	if f.Seconds != nil {
		add("elapsed time", table.Length(*f.Seconds), "hours and minutes")
	}
	add("days", print.Count(f.Days), ends)
	add("business days", print.Count(f.BusinessDays), "")
	add("whole months", print.Count(f.Months), "")
	add("whole years", print.Count(f.Years), "")
	add("period", f.Period, "years, months and the days left over")
	add("fraction of years", f.YearFraction.String(), "whole years, and the part of the year since the last anniversary")
	add("actual/365", f.Actual365.String(), "days by 365")
	add("30/360", f.Thirty360.String(), "months of 30 days, years of 360")
	add("calendar weeks", print.Count(f.CalendarWeeks), "boundaries between, unlike whole ones")
	add("calendar months", print.Count(f.CalendarMonths), "")
	add("calendar quarters", print.Count(f.CalendarQuarters), "")
	add("calendar years", print.Count(f.CalendarYears), "")
	p.Table(g, print.Look{Right: print.Right(1)})
	if f.Caution != "" {
		p.Linef("\ncaution: %s", f.Caution)
	}
}

// elapsedBatch counts from one day to another in each row; columns next to from and to stay as they are.
func (a *app) elapsedBatch(ctx context.Context, file string, f *contextFlags, bothEnds bool) error {
	return a.answerRows(ctx, file, "from,to", f, func(d *definitions, header []string) ([]string, rowAnswer, error) {
		from, to := slices.Index(header, "from"), slices.Index(header, "to")
		if from < 0 || to < 0 {
			return nil, nil, fmt.Errorf("the header has the columns %s; expected from and to among them", strings.Join(header, ","))
		}
		return slices.Concat(book.ElapsedNames, []string{"error"}), func(row []string) []string {
			e, err := d.elapsed(row[from], row[to], f, bothEnds)
			if err != nil {
				return append(make([]string, len(book.ElapsedNames)), err.Error())
			}
			return append(book.ElapsedCells(&e.Figures), "")
		}, nil
	})
}
