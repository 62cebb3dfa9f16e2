package cli

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"vastspan/api/client"
	"vastspan/api/types"
	"vastspan/core/book"
	"vastspan/core/civil"
	"vastspan/core/table"
	"vastspan/internal/cli/print"
)

func (a *app) checkCommand() *cobra.Command {
	var days int
	c := &cobra.Command{
		Use:   "check [EXPR...]",
		Short: "Look for overlaps, gaps, empty spans and other traps",
		Long: `Checks spans that belong together, as of a day: overlaps, gaps, the same days under two names, no days,
modifiers without effect, pairs of unequal length. Each finding says what to do. Without expressions, checks
every named span by itself, over a year of as-of days. Ends with exit code 1 if anything was found that is
not acknowledged as expected.`,
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
		r, err := a.check(cmd.Context(), d, args, asOf, days, f)
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
		if n := r.Open(); n > 0 && err == nil {
			return fmt.Errorf("%s", print.Number(n, "finding"))
		}
		return err
	}
	c.AddCommand(a.checkAcknowledge())
	return c
}

// check asks the service, which knows what was acknowledged, or checks by the book at hand.
func (a *app) check(
	ctx context.Context, d *definitions, spans []string, asOf civil.AsOf, days int, f *contextFlags,
) (*book.CheckReport, error) {
	if !d.ofService {
		return d.library.CheckSpans(ctx, spans, asOf, days, f.Context)
	}
	at := asOf.String()
	q := types.CheckRequest{AsOf: &at, AtClose: &f.AtClose, Calendar: ptrOrNil(f.Calendar), Days: ptrOrNil(days)}
	if len(spans) > 0 {
		q.Expressions = &spans
	}
	r, err := call(a, q, func(c *client.Client) (*client.CheckResponse, error) { return c.Check(ctx, q) })
	if err != nil {
		return nil, err
	}
	return r.JSON200, nil
}

func (a *app) checkAcknowledge() *cobra.Command {
	var caution, note string
	var withdraw bool
	c := &cobra.Command{
		Use:   "acknowledge KIND SPAN...",
		Short: "Acknowledge a finding as expected",
		Long: `Acknowledges a finding of check as expected, so that check ends with exit code 0. KIND is the first word of the
finding, such as no-days; of a caution, --caution names its kind. The acknowledgement is kept with your name and the
time. It lapses when one of its spans is changed.`,
		Example: `  vastspan check acknowledge no-days @month-so-far --note 'empty on the 1st'
  vastspan check acknowledge no-days @month-so-far --withdraw`,
		Args:              argsUsage(cobra.MinimumNArgs(2), "a kind of finding and its spans"),
		ValidArgsFunction: a.completeExpressions,
	}
	c.Flags().StringVar(&caution, "caution", "", "kind of the caution, such as other-days")
	c.Flags().StringVar(&note, "note", "", "why it is expected")
	c.Flags().BoolVar(&withdraw, "withdraw", false, "withdraw the acknowledgement")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		q := types.FindingName{Kind: types.FindingKind(args[0]), Caution: ptrOrNil(caution), Spans: args[1:], Note: ptrOrNil(note)}
		if withdraw {
			_, err := call(a, q, func(c *client.Client) (*client.WithdrawAcknowledgementResponse, error) {
				return c.WithdrawAcknowledgement(cmd.Context(), q)
			})
			if err == nil {
				err = a.done(q, "withdrew the acknowledgement of %s: %s %s", q.Kind, strings.Join(q.Spans, ", "), a.at())
			}
			return err
		}
		_, err := call(a, q, func(c *client.Client) (*client.AcknowledgeFindingResponse, error) {
			return c.AcknowledgeFinding(cmd.Context(), q)
		})
		if err == nil {
			err = a.done(q, "acknowledged %s: %s %s", q.Kind, strings.Join(q.Spans, ", "), a.at())
		}
		return err
	}
	return c
}

func findingGrid(r *book.CheckReport) *table.Grid {
	g := &table.Grid{Header: []string{"kind", "caution", "spans", "text", "advice", "as_of", "acknowledged_by", "acknowledged_at", "note"}}
	for _, f := range r.Findings {
		row := []string{
			string(f.Kind), string(f.Caution), strings.Join(f.Spans, "; "), f.Text, f.Advice, print.DayList(f.AsOf, len(f.AsOf)), "", "", "",
		}
		if k := f.Acknowledged; k != nil {
			row[6], row[7], row[8] = k.Author, k.At.UTC().Format(time.RFC3339), k.Note
		}
		g.Rows = append(g.Rows, row)
	}
	return g
}

func printFindings(p *print.Printer, r *book.CheckReport) {
	if r.Open() == 0 {
		p.Linef("no problems found")
	}
	for _, f := range r.Findings {
		if k := f.Acknowledged; k != nil {
			text := fmt.Sprintf("acknowledged by %s on %s", k.Author, k.At.Format(time.DateOnly))
			if k.Note != "" {
				text += ": " + k.Note
			}
			p.Linef("%s: %s, %s", f.Kind, strings.Join(f.Spans, ", "), text)
			continue
		}
		kind := string(f.Kind)
		if f.Caution != "" {
			kind += " " + string(f.Caution)
		}
		p.Linef("%s: %s\n  %s", kind, strings.Join(f.Spans, ", "), f.Text)
		if r.Days > 1 {
			p.Linef("  as of %s", print.DayList(f.AsOf, 6))
		}
		p.Linef("  → %s\n", f.Advice)
	}
}
