package cli

import (
	"fmt"
	"net/http"
	"strings"

	"github.com/spf13/cobra"

	"vastspan/api"
	"vastspan/core/civil"
	"vastspan/internal/service"
	"vastspan/internal/wire"
)

func (a *app) rehearseCommand() *cobra.Command {
	var days int
	c := &cobra.Command{
		Use:   "rehearse EXPR",
		Short: "Show on which coming days a span rolls over, becomes empty or jumps",
		Long: `Reads a span on each of a run of as-of days and shows the days on which it changes kind: rolls over to
the next unit, becomes empty, fills again, jumps. Needs no service, unless the expression names spans or
calendars and no book is given.`,
		Example: `  vastspan rehearse 'month to date excluding today' --as-of 2026-10-19
  vastspan rehearse @trade-period --days 800 --output csv`,
		Args:              takes(cobra.ExactArgs(1), "an expression"),
		ValidArgsFunction: a.completeExpressions,
	}
	out := outputFlag(c)
	r := readingFlags(c, "the first as-of day: a date or today")
	r.bookFlag(c)
	c.Flags().IntVar(&days, "days", 400, "number of as-of days, 1 to 4000")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		if days < 1 {
			return usagef("rehearse: --days %d: expected 1 to 4000", days)
		}
		answer, err := a.rehearse(cmd, args[0], days, r)
		if err != nil {
			return expressionProblem(err, args)
		}
		return a.printRehearsal(answer, *out)
	}
	return c
}

func (a *app) rehearse(cmd *cobra.Command, text string, days int, r *reading) (*api.Rehearsal, error) {
	if r.book == "" && needsNames([]string{text}, r.calendar) {
		answer, err := call(a, func(c *api.ClientWithResponses) (*api.RehearseResponse, error) {
			return c.RehearseWithResponse(cmd.Context(), api.RehearseRequest{Expression: text, Days: &days, AsOf: &r.asOf, AtClose: &r.atClose, Calendar: &r.calendar})
		}, func(r *api.RehearseResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
		if err != nil {
			return nil, err
		}
		return answer.JSON200, nil
	}
	l, asOf, err := r.local()
	if err != nil {
		return nil, err
	}
	rehearsal, err := service.RehearseIn(l, text, asOf, days, r.service())
	if err != nil {
		return nil, fileProblem(err, []string{text})
	}
	w := wire.Rehearsal(rehearsal)
	return &w, nil
}

func (a *app) printRehearsal(r *api.Rehearsal, out output) error {
	if out == asJSON {
		return a.printJSON(r)
	}
	g := grid{header: []string{"first_as_of", "last_as_of", "event", "motion", "from", "from_days", "to", "to_days", "error"}}
	if out == asCSV {
		for _, t := range r.Turns {
			e := ""
			if t.Error != nil {
				e = *t.Error
			}
			g.rows = append(g.rows, []string{t.FirstAsOf.String(), t.LastAsOf.String(), string(t.Event), string(t.Motion), joined(t.From), countOf(t.FromDays), joined(t.To), countOf(t.ToDays), e})
		}
		return a.printCSV(g)
	}
	fmt.Fprintf(a.out, "%s, %s\n\n", r.Expression, asOfLine(r.AsOf, r.AtClose, r.Calendar))
	g = grid{header: []string{"as of", "through", "it", "and then", "days at first", "n", "days at last", "n"}, right: map[int]bool{5: true, 7: true}}
	for _, t := range r.Turns {
		row := []string{longDay(t.FirstAsOf), longDay(t.LastAsOf), string(t.Event), string(t.Motion)}
		switch {
		case t.Error != nil:
			row = append(row, *t.Error, "", "", "")
		case len(t.From) == 0:
			row = append(row, "no days", "0", "", "")
		case t.Motion == api.Stands:
			row = append(row, shownIntervals(t.From), countOf(t.FromDays), "", "")
		default:
			row = append(row, shownIntervals(t.From), countOf(t.FromDays), shownIntervals(t.To), countOf(t.ToDays))
		}
		g.rows = append(g.rows, row)
	}
	a.printTable(g)
	return nil
}

func (a *app) checkCommand() *cobra.Command {
	var days int
	c := &cobra.Command{
		Use:   "check [EXPR...]",
		Short: "Look for overlaps, gaps, empty spans and other traps",
		Long: `Looks at spans that are meant to go together, as of a day: overlaps, gaps, the same days under two
names, no days, modifiers without effect, pairs of unequal length; each with what to do about it. Without
expressions it looks at every named span by itself, over a year of as-of days. Exit code 1 where anything
was found.`,
		Example: `  vastspan check @closed-month @month-so-far @coming-fortnight --as-of 2026-10-19
  vastspan check --book book.yaml --as-of 2026-10-19`,
		ValidArgsFunction: a.completeExpressions,
	}
	out := outputFlag(c)
	r := readingFlags(c, "the first as-of day: a date or today")
	r.bookFlag(c)
	c.Flags().IntVar(&days, "days", 0, "number of as-of days (default: 1 with expressions, 365 without)")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		answer, err := a.check(cmd, args, days, r)
		if err != nil {
			return err
		}
		if err := a.printCheck(answer, *out); err != nil {
			return err
		}
		if n := len(answer.Findings); n > 0 {
			return fmt.Errorf("%d to look at", n)
		}
		return nil
	}
	return c
}

func (a *app) check(cmd *cobra.Command, texts []string, days int, r *reading) (*api.CheckAnswer, error) {
	if r.book == "" && (len(texts) == 0 || needsNames(texts, r.calendar)) {
		request := api.CheckRequest{AsOf: &r.asOf, AtClose: &r.atClose, Calendar: &r.calendar}
		if len(texts) > 0 {
			request.Expressions = &texts
		}
		if days > 0 {
			request.Days = &days
		}
		answer, err := call(a, func(c *api.ClientWithResponses) (*api.CheckResponse, error) {
			return c.CheckWithResponse(cmd.Context(), request)
		},
			func(r *api.CheckResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
		if err != nil {
			return nil, err
		}
		return answer.JSON200, nil
	}
	l, asOf, err := r.local()
	if err != nil {
		return nil, err
	}
	c, err := service.CheckIn(l, texts, asOf, days, r.service())
	if err != nil {
		return nil, err
	}
	w := wire.Check(c)
	return &w, nil
}

func (a *app) printCheck(c *api.CheckAnswer, out output) error {
	if out == asJSON {
		return a.printJSON(c)
	}
	if out == asCSV {
		g := grid{header: []string{"kind", "spans", "text", "advice", "as_of"}}
		for _, f := range c.Findings {
			g.rows = append(g.rows, []string{string(f.Kind), strings.Join(f.Spans, "; "), f.Text, f.Advice, dayList(f.AsOf, len(f.AsOf))})
		}
		return a.printCSV(g)
	}
	over := ""
	if c.Days > 1 {
		over = fmt.Sprintf(", over %d as-of days", c.Days)
	}
	spans := "spans"
	if c.Checked == 1 {
		spans = "span"
	}
	fmt.Fprintf(a.out, "%s%s; %d %s\n\n", asOfLine(c.AsOf, c.AtClose, c.Calendar), over, c.Checked, spans)
	if len(c.Findings) == 0 {
		fmt.Fprintln(a.out, "nothing to look at")
		return nil
	}
	for _, f := range c.Findings {
		fmt.Fprintf(a.out, "%s: %s\n  %s\n", f.Kind, strings.Join(f.Spans, ", "), f.Text)
		if c.Days > 1 {
			fmt.Fprintf(a.out, "  as of %s\n", dayList(f.AsOf, 6))
		}
		fmt.Fprintf(a.out, "  → %s\n\n", f.Advice)
	}
	return nil
}

// dayList writes the first few days of a list and says how many more there are.
func dayList(days []civil.Day, most int) string {
	var list []string
	for i, d := range days {
		if i == most {
			list = append(list, fmt.Sprintf("and %d more", len(days)-i))
			break
		}
		list = append(list, d.String())
	}
	return strings.Join(list, " ")
}
