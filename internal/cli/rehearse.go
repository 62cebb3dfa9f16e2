package cli

import (
	"github.com/spf13/cobra"

	"vastspan/core/book"
	"vastspan/core/span"
	"vastspan/core/table"
	"vastspan/internal/cli/print"
)

func (a *app) rehearseCommand() *cobra.Command {
	var days int
	c := &cobra.Command{
		Use:   "rehearse EXPR",
		Short: "Show on which coming days a span rolls over, becomes empty or jumps",
		Long: `Resolves a span on each of a series of as-of days and shows the days on which it changes: rolls over to the
next unit, becomes empty or non-empty, jumps. Needs no service. If one answers, its definitions are used,
unless --book or --offline is given.`,
		Example: `  vastspan rehearse 'month to date excluding today' --as-of 2026-10-19
  vastspan rehearse @trade-period --days 800 --output csv`,
		Args:              argsUsage(cobra.ExactArgs(1), "an expression"),
		ValidArgsFunction: a.completeExpressions,
	}
	out := a.outputFlag(c)
	f := addContextFlags(c, "the first as-of day: a date or today")
	f.definitionFlags(c)
	c.Flags().IntVar(&days, "days", span.DefaultRehearsal, "number of as-of days, 1 to 4000")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		if days < 1 {
			return usagef("rehearse: --days %d: expected 1 to 4000", days)
		}
		d, err := a.definitions(cmd.Context(), f)
		if err != nil {
			return err
		}
		asOf, err := d.asOf(f, nil)
		if err != nil {
			return err
		}
		r, err := d.library.Rehearse(cmd.Context(), args[0], asOf, days, f.Context)
		if err != nil {
			return about(err, map[string]string{"expression": args[0]})
		}
		a.headed(*out, d, "%s, %s", r.Expression, print.AsOf(r.AsOf, r.AtClose, r.Calendar))
		return a.print.Print(
			*out,
			print.View{
				Data: r,
				Grid: func() *table.Grid { return rehearsalGrid(r) },
				Draw: func(p *print.Printer) { printRehearsal(p, r) },
			},
		)
	}
	return c
}

func rehearsalGrid(r *book.Rehearsal) *table.Grid {
	g := &table.Grid{Header: []string{"first_as_of", "last_as_of", "change", "then", "from", "from_days", "to", "to_days", "error"}}
	for i := range r.Turns {
		t := &r.Turns[i]
		row := []string{
			t.First.String(),
			t.Last.String(),
			string(t.Change),
			string(t.Motion),
			t.From.String(),
			print.DayCount(table.Days(t.From)),
			t.To.String(),
			print.DayCount(table.Days(t.To)),
			"",
		}
		if t.Err != nil {
			row[8] = t.Err.Error()
		}
		g.Rows = append(g.Rows, row)
	}
	return g
}

func printRehearsal(p *print.Printer, r *book.Rehearsal) {
	g := &table.Grid{Header: []string{"as of", "through", "change", "then", "at first", "days", "at last", "days"}}
	for i := range r.Turns {
		t := &r.Turns[i]
		row := []string{t.First.Long(), t.Last.Long(), string(t.Change), string(t.Motion)}
		switch {
		case t.Err != nil:
			row = append(row, t.Err.Error(), "", "", "")
		case t.From.Empty():
			row = append(row, "no days", "0", "", "")
		case t.Motion == span.Stays:
			row = append(row, print.Intervals(t.From), print.DayCount(table.Days(t.From)), "", "")
		default:
			row = append(
				row,
				print.Intervals(t.From),
				print.DayCount(table.Days(t.From)),
				print.Intervals(t.To),
				print.DayCount(table.Days(t.To)),
			)
		}
		g.Rows = append(g.Rows, row)
	}
	p.Table(g, print.Look{Right: print.Right(5, 7)})
}
