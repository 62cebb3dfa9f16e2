package cli

import (
	"net/http"

	"github.com/spf13/cobra"

	"vastspan/api"
	"vastspan/core/civil"
	"vastspan/internal/service"
	"vastspan/internal/wire"
)

func (a *app) daysCommand() *cobra.Command {
	var from, through string
	c := &cobra.Command{
		Use:   "days [EXPR...] --from DATE --to DATE",
		Short: "List days with their units in a calendar and the spans they are in",
		Long: `A row a day: its numbers, labels and offsets from the as-of day in a calendar, whether it is a business
day, whether it is past or ahead, and a column for each expression: in or out. The service keeps the same
in the tables days.calendar_days and days.span_days of its database, for other tools to join.`,
		Example: `  vastspan days --from 2026-10-01 --to 2026-10-31 'last full week' --as-of 2026-10-19
  vastspan days @closed-month --from 2026-01-01 --to 2026-12-31 --calendar trade-445 --output csv`,
		ValidArgsFunction: a.completeExpressions,
	}
	out := outputFlag(c)
	r := readingFlags(c, "a date or today")
	r.bookFlag(c)
	c.Flags().StringVar(&from, "from", "", "first day")
	c.Flags().StringVar(&through, "to", "", "last day, inside")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		first, err := civil.ParseDay(from)
		if err != nil {
			return usagef("--from: %w", err)
		}
		last, err := civil.ParseDay(through)
		if err != nil {
			return usagef("--to: %w", err)
		}
		t, err := a.days(cmd, first, last, args, r)
		if err != nil {
			return expressionProblem(err, args)
		}
		return a.printDays(t, *out)
	}
	return c
}

func (a *app) days(cmd *cobra.Command, from, through civil.Day, spans []string, r *reading) (*api.DayTable, error) {
	if r.book == "" && needsNames(spans, r.calendar) {
		answer, err := call(a, func(c *api.ClientWithResponses) (*api.ListDaysResponse, error) {
			return c.ListDaysWithResponse(cmd.Context(), api.DaysRequest{From: from, Through: through, Spans: &spans, AsOf: &r.asOf, AtClose: &r.atClose, Calendar: &r.calendar})
		}, func(r *api.ListDaysResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
		if err != nil {
			return nil, err
		}
		return answer.JSON200, nil
	}
	l, asOf, err := r.local()
	if err != nil {
		return nil, err
	}
	t, err := service.DaysIn(l, from, through, asOf, spans, r.service())
	if err != nil {
		return nil, fileProblem(err, spans)
	}
	w := wire.DayTable(t)
	return &w, nil
}

// shownDayColumns are the columns that a table shows; CSV and JSON have them all.
var shownDayColumns = map[string]bool{
	"day": true, "position": true, "business_day": true, "day_offset": true, "week": true, "month": true, "month_offset": true,
	"day_of_month": true, "quarter": true, "year": true,
}

func (a *app) printDays(t *api.DayTable, out output) error {
	if out == asJSON {
		return a.printJSON(t)
	}
	if out == asCSV {
		return a.printCSV(grid{header: t.Columns, rows: t.Rows})
	}
	g := grid{right: map[int]bool{}, shown: func(_ int, cell string) string { return shownDay(cell) }}
	fixed := len(t.Columns)
	if len(t.Rows) > 0 {
		fixed = len(t.Rows[0])
	}
	var kept []int
	for i, name := range t.Columns {
		span := i >= fixed-spanColumns(t)
		if !span && !shownDayColumns[name] {
			continue
		}
		if name == "day_offset" || name == "month_offset" || name == "day_of_month" {
			g.right[len(kept)] = true
		}
		kept = append(kept, i)
		g.header = append(g.header, name)
	}
	for _, row := range t.Rows {
		cells := make([]string, len(kept))
		for i, at := range kept {
			cells[i] = row[at]
		}
		g.rows = append(g.rows, cells)
	}
	if _, err := a.out.Write([]byte(asOfLine(t.AsOf, false, t.Calendar) + "\n\n")); err != nil {
		return err
	}
	a.printTable(g)
	return nil
}

// spanColumns counts the columns of spans, which come last.
func spanColumns(t *api.DayTable) int {
	for i, name := range t.Columns {
		if name == "day_of_year" {
			return len(t.Columns) - i - 1
		}
	}
	return 0
}
