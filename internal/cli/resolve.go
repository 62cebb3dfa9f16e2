package cli

import (
	"context"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"vastspan/core/book"
	"vastspan/core/civil"
	"vastspan/core/naming"
	"vastspan/core/span"
	"vastspan/core/table"
	"vastspan/internal/cli/print"
)

func (a *app) resolveCommand() *cobra.Command {
	var explain bool
	var batch, column string
	c := &cobra.Command{
		Use:   "resolve EXPR...",
		Short: "Resolve expressions to days as of a day",
		Long: `Resolves expressions against an as-of day and shows their first and last day, both included, and the
number of days. Needs no service. If one answers, its definitions are used, unless --book or --offline is
given.`,
		Example: `  vastspan resolve 'last full month' 'trailing 90 days excluding today' --as-of 2026-10-19
  vastspan resolve 'month to date excluding today, 1 year earlier' --as-of 2026-10-19 --explain
  vastspan resolve '@closed-month' --book book.yaml --output json
  vastspan resolve 'last full month' --output sql --column sold_on
  eval "$(vastspan resolve 'last full month' --output env)"
  vastspan resolve --batch questions.csv > answers.csv`,
		ValidArgsFunction: a.completeExpressions,
	}
	out := a.outputFlag(c, scriptOutputs...)
	f := addContextFlags(c, "a date, a date with a time (2026-10-19T14:30), today or now")
	f.definitionFlags(c)
	c.Flags().BoolVar(&explain, "explain", false, "show the steps, in the order in which they were done")
	c.Flags().StringVar(&column, "column", "day", "column name used by --output sql, as SQL writes it")
	c.Flags().StringVar(&batch, "batch", "",
		"read rows of expression,calendar,as_of,at_close from a CSV file (- is standard input); with zone or day_starts, moments")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		switch {
		case batch != "" && len(args) > 0:
			return usagef("resolve: expressions and --batch do not go together")
		case batch != "":
			return a.resolveBatch(cmd.Context(), batch, f)
		case len(args) == 0:
			return usagef("resolve: expected an expression, such as 'last full month'; see vastspan resolve --help")
		}
		return a.resolve(cmd.Context(), args, f, explain, column, *out)
	}
	return c
}

func (a *app) resolve(ctx context.Context, texts []string, f *contextFlags, explain bool, column string, out print.Output) error {
	d, err := a.definitions(ctx, f)
	if err != nil {
		return err
	}
	asOf, err := d.asOf(f, nil)
	if err != nil {
		return err
	}
	r, err := d.library.Resolve(ctx, texts, asOf, f.Context, explain)
	if err != nil {
		return err
	}
	if slices.Contains(scriptOutputs, out) {
		if err := a.refusedOf(texts, r.Resolutions); err != nil {
			return err
		}
		return writeScript(a.out, out, column, r.Resolutions)
	}
	timed := slices.ContainsFunc(r.Resolutions, func(one span.Result) bool { return one.Moments != nil })
	d.showsTimes = timed || asOf.Timed
	a.headed(out, d, "%s", print.AsOf(asOf, r.AtClose, r.Calendar))
	v := print.View{Data: r, Grid: func() *table.Grid { return resolutionGrid(texts, r, timed) }, Draw: func(p *print.Printer) {
		if !explain {
			printResolutions(p, texts, r.Resolutions)
			printCautions(p, r.Resolutions)
			return
		}
		for i := range r.Resolutions {
			printSteps(p, &r.Resolutions[i])
		}
	}}
	if err := a.print.Print(out, v); err != nil {
		return err
	}
	return a.refusedOf(texts, r.Resolutions)
}

// readable explains every expression that cannot be read; the last of them is the error.
func (a *app) readable(texts []string) error {
	list := make([]span.Result, len(texts))
	refused := 0
	for i, text := range texts {
		if naming.Check(strings.ToLower(text)) == nil {
			continue // it may be a named span without its sign
		}
		if _, err := span.Parse(text); err != nil {
			list[i].Error = err.(*span.Error) // it gives no other
			refused++
		}
	}
	if refused < 2 { // one is explained with the rest of the query
		return nil
	}
	return a.refusedOf(texts, list)
}

// refusedOf explains every expression that is refused; the last of them is the error.
func (a *app) refusedOf(texts []string, list []span.Result) (last error) {
	for i := range list {
		if list[i].Error == nil {
			continue
		}
		if last != nil {
			a.printError(last)
		}
		last = &expressionError{texts[i], list[i].Error}
	}
	return last
}

// printCautions prints the cautions of all resolutions below their days.
func printCautions(p *print.Printer, list []span.Result) {
	first := true
	for i := range list {
		for _, c := range list[i].Cautions {
			if first {
				p.Linef("")
				first = false
			}
			p.Linef("caution: %s: %s", list[i].Expression, c.Text)
		}
	}
}

// resolutionGrid returns resolutions as CSV has them, in the form of a batch.
// Where any of them is of moments, a column of seconds is before the errors.
func resolutionGrid(texts []string, r *book.Resolutions, timed bool) *table.Grid {
	g := &table.Grid{Header: []string{"expression", "calendar", "as_of", "at_close", "intervals", "days"}}
	if timed {
		g.Header = append(g.Header, "seconds")
	}
	g.Header = append(g.Header, "error")
	asOf := r.AsOf.String()
	if r.AsOfMoment != "" {
		asOf = r.AsOfMoment
	}
	for i := range r.Resolutions {
		one := &r.Resolutions[i]
		row := []string{texts[i], r.Calendar, asOf, yesNo(r.AtClose), one.Intervals.String(), print.DayCount(one.Days)}
		if one.Moments != nil {
			row[4], row[5] = one.Moments.Text(), ""
		}
		if timed && one.Seconds == nil {
			row = append(row, "")
		} else if timed {
			row = append(row, strconv.FormatInt(*one.Seconds, 10))
		}
		problem := ""
		if one.Error != nil {
			problem = one.Error.Error()
		}
		row = append(row, problem)
		g.Rows = append(g.Rows, row)
	}
	return g
}

func yesNo(b bool) string {
	if b {
		return "yes"
	}
	return "no"
}

// printResolutions prints the days of spans of days, and the moments of spans of moments in a table of their own.
func printResolutions(p *print.Printer, texts []string, list []span.Result) {
	var days, moments []int
	for i := range list {
		if list[i].Moments != nil {
			moments = append(moments, i)
		} else {
			days = append(days, i)
		}
	}
	pick := func(at []int) (some []string, results []span.Result) {
		for _, i := range at {
			some, results = append(some, texts[i]), append(results, list[i])
		}
		return some, results
	}
	if len(days) > 0 {
		some, results := pick(days)
		p.Table(dayGrid(some, results), print.Look{Right: print.Right(3), Shown: print.Days})
	}
	if len(days) > 0 && len(moments) > 0 {
		p.Linef("")
	}
	if len(moments) > 0 {
		_, results := pick(moments)
		p.Table(momentGrid(results), print.Look{Right: print.Right(3)})
	}
}

// momentGrid returns a row for each run of moments, the span's text on the first and the length on the last.
func momentGrid(list []span.Result) *table.Grid {
	g := &table.Grid{Header: []string{"span", "start", "end", "length"}}
	for i := range list {
		r := &list[i]
		if r.Moments.Empty() {
			g.Rows = append(g.Rows, []string{r.Expression, "no moments", "", table.Length(0)})
		}
		for j := range r.Moments.Len() {
			v := r.Moments.At(j)
			row := []string{"", r.Moments.Long(v.Start), r.Moments.Long(v.End), ""}
			if j == 0 {
				row[0] = r.Expression
			}
			if j == r.Moments.Len()-1 && r.Seconds != nil {
				row[3] = table.Length(*r.Seconds)
			}
			g.Rows = append(g.Rows, row)
		}
	}
	return g
}

// dayGrid returns a row for each interval, the span's text on the first.
func dayGrid(texts []string, list []span.Result) *table.Grid {
	g := &table.Grid{Header: []string{"span", "first day", "last day", "days"}}
	for i := range list {
		r := &list[i]
		switch {
		case r.Error != nil:
			g.Rows = append(g.Rows, []string{texts[i], "refused", "", ""})
		case r.Intervals.Empty():
			g.Rows = append(g.Rows, []string{r.Expression, "no days", "", "0"})
		}
		for j := range r.Intervals.Len() {
			v := r.Intervals.At(j)
			row := []string{"", v.First().String(), v.Last().String(), ""}
			if j == 0 {
				row[0] = r.Expression
			}
			if j == r.Intervals.Len()-1 {
				row[3] = print.DayCount(r.Days)
			}
			g.Rows = append(g.Rows, row)
		}
	}
	return g
}

// printSteps prints an explanation: each step with the words it comes from and the days after it.
func printSteps(p *print.Printer, r *span.Result) {
	if r.Error != nil {
		return
	}
	p.Linef("%s", r.Expression)
	g := &table.Grid{Header: []string{"  step", "first and last day", "days"}}
	if r.Moments != nil {
		g.Header = []string{"  step", "days or moments", "days or length"}
	}
	for _, s := range r.Steps {
		row := []string{"  " + strings.Repeat("  ", s.Depth) + s.Words, s.Note, ""}
		switch {
		case s.Note != "":
		case s.Moments != nil:
			row[1], row[2] = table.LongRuns(*s.Moments), ""
			if !s.Moments.Open() {
				row[2] = table.Length(int64(s.Moments.Length() / civil.Second))
			}
		case s.Days.Empty():
			row[1], row[2] = "no days", "0"
		default:
			row[1], row[2] = print.Intervals(s.Days), print.DayCount(table.Days(s.Days))
		}
		g.Rows = append(g.Rows, row)
	}
	p.Table(g, print.Look{Right: print.Right(2)})
	for _, c := range r.Cautions {
		p.Linef("  caution: %s", c.Text)
	}
	p.Linef("")
}
