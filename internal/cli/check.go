package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"vastspan/core/book"
	"vastspan/core/table"
	"vastspan/internal/cli/print"
)

func (a *app) checkCommand() *cobra.Command {
	var days int
	c := &cobra.Command{
		Use:   "check [EXPR...]",
		Short: "Look for overlaps, gaps, empty spans and other traps",
		Long: `Checks spans that are meant to go together, as of a day: overlaps, gaps, the same days under two names, no
days, modifiers without effect, pairs of unequal length; each with what to do about it. Without
expressions it checks every named span by itself, over a year of as-of days. Exit code 1 where anything
was found.`,
		Example: `  vastspan check @closed-month @month-so-far @coming-fortnight --as-of 2026-10-19
  vastspan check --book book.yaml --as-of 2026-10-19`,
		ValidArgsFunction: a.completeExpressions,
	}
	out := a.outputFlag(c)
	f := addContextFlags(c, "the first as-of day: a date or today")
	f.definitionFlags(c)
	c.Flags().IntVar(&days, "days", 0, "number of as-of days (default: 1 with expressions, 365 without)")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		d, err := a.definitions(cmd.Context(), f)
		if err != nil {
			return err
		}
		asOf, err := d.asOf(f, nil)
		if err != nil {
			return err
		}
		r, err := d.library.CheckSpans(cmd.Context(), args, asOf, days, f.Context)
		if err != nil {
			return err
		}
		over := ""
		if r.Days > 1 {
			over = fmt.Sprintf(", over %d as-of days", r.Days)
		}
		a.headed(*out, d, "%s%s; %s", print.AsOf(r.AsOf, r.AtClose, r.Calendar), over, print.Number(r.Checked, "span"))
		err = a.print.Print(
			*out,
			print.View{Data: r, Grid: func() *table.Grid { return findingGrid(r) }, Draw: func(p *print.Printer) { printFindings(p, r) }},
		)
		if n := len(r.Findings); n > 0 && err == nil {
			return fmt.Errorf("%s", print.Number(n, "finding"))
		}
		return err
	}
	return c
}

func findingGrid(r *book.CheckReport) *table.Grid {
	g := &table.Grid{Header: []string{"kind", "spans", "text", "advice", "as_of"}}
	for _, f := range r.Findings {
		g.Rows = append(g.Rows, []string{string(f.Kind), strings.Join(f.Spans, "; "), f.Text, f.Advice, print.DayList(f.AsOf, len(f.AsOf))})
	}
	return g
}

func printFindings(p *print.Printer, r *book.CheckReport) {
	if len(r.Findings) == 0 {
		p.Linef("no problems found")
	}
	for _, f := range r.Findings {
		p.Linef("%s: %s\n  %s", f.Kind, strings.Join(f.Spans, ", "), f.Text)
		if r.Days > 1 {
			p.Linef("  as of %s", print.DayList(f.AsOf, 6))
		}
		p.Linef("  → %s\n", f.Advice)
	}
}
