package cli

import (
	"context"
	"strings"

	"github.com/spf13/cobra"

	"vastspan/api/client"
	"vastspan/core/query"
	"vastspan/internal/cli/print"
)

func (a *app) linesCommand() *cobra.Command {
	var lines []string
	var q query.Lines
	c := &cobra.Command{
		Use:   "lines --line 'LABEL: KEY=VALUE; ...' --each UNIT",
		Short: "Compare several lines by the position of the unit in the year",
		Long: `Compares lines, each with its own dataset, span, figure and filters, aligned by the position of the unit
in the year: this year so far, last year, a plan. Each line is cut by its own
span, so that a plan shows future months. A line is a label, a colon, and a query:
  dataset=NAME  over=EXPRESSION  figures=sum COL (or count, mean COL, ...)
  where=COL=VALUE (repeatable)  date=COL  against=MOVE  planned
A value with a semicolon in it is put in double quotes.`,
		Example: `  vastspan lines --each month --as-of latest \
    --line 'this year: dataset=crossings; over=year to date; figures=sum fare' \
    --line 'last year: dataset=crossings; over=last full year; figures=sum fare' \
    --line 'plan: dataset=plan; over=this year; figures=sum planned_fare; planned'`,
		Args: argsUsage(cobra.NoArgs, "no arguments"),
	}
	out := a.outputFlag(c)
	f := addContextFlags(c, "a date, with a time where one is wanted, today, now or latest (the newest day in the first line's records)")
	f.knownFlag(c)
	c.Flags().StringArrayVar(&lines, "line", nil, "a line (repeatable)")
	c.Flags().StringVar(&q.Each, "each", "month", "unit to line up by: minute, hour, day, week, month, quarter, half or year")
	c.Flags().StringVar(&q.Align, "align", "", "with --each day: an event from whose first day the days of every line are counted")
	c.Flags().StringVar(&q.Running, "running", "", "add each line up from the start of this unit, or of its span")
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		if len(lines) == 0 {
			return usagef(
				"lines: expected at least one --line, such as --line 'this year: dataset=crossings; over=year to date; figures=sum fare'",
			)
		}
		q.Context = f.Context
		for _, text := range lines {
			line, err := readLine(text)
			if err != nil {
				return err
			}
			q.Lines = append(q.Lines, line)
		}
		return a.lines(cmd.Context(), q, *out)
	}
	return c
}

// readLine reads LABEL: KEY=VALUE; KEY=VALUE.
func readLine(text string) (query.Line, error) {
	label, keys, ok := strings.Cut(text, ":")
	if !ok {
		return query.Line{}, usagef(
			"--line %q: expected a label, a colon, and keys such as dataset=crossings; over=year to date; figures=sum fare",
			text,
		)
	}
	label = strings.TrimSpace(label)
	q, err := query.Parse(keys)
	if err != nil {
		return query.Line{}, usagef("--line %s: %v", label, err)
	}
	return query.Line{Label: label, Query: q}, nil
}

func (a *app) lines(ctx context.Context, q query.Lines, out print.Output) error {
	r, err := call(a, q, func(c *client.Client) (*client.LineUpResponse, error) {
		return c.LineUp(ctx, q, a.accept(out))
	})
	switch {
	case err != nil:
		return err
	case out.IsFile():
		return a.writeBody(r.Body, out)
	case out == print.AsJSON:
		return a.print.JSON(r.JSON200)
	}
	up := r.JSON200
	if err := up.ReadClock(); err != nil {
		return err
	}
	a.print.Linef("%s\n%s\n", print.AsOf(up.AsOf, up.AtClose, up.Calendar), a.at())
	a.print.Lineup(up)
	return nil
}
