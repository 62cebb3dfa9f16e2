package cli

import (
	"net/http"
	"strings"

	"fmt"

	"github.com/spf13/cobra"

	"vastspan/api"
	"vastspan/core/calendar"
)

func (a *app) linesCommand() *cobra.Command {
	var lines []string
	var each, running string
	c := &cobra.Command{
		Use:   "lines --line 'LABEL: KEY=VALUE; ...' --each UNIT",
		Short: "Set several lines beside each other by the position of the unit in the year",
		Long: `Sets lines beside each other, each with records, a span, a figure and filters of its own, lined up by
the position of the unit in the year: this year so far, last year, a plan. Each line is cut by its own
span, so that a plan shows the months that are still ahead. A line is a label, a colon, and keys:
  dataset=NAME  over=EXPRESSION  sum=COL (or count, mean=COL, min=, max=, distinct=, median=, first=, last=)
  where=COL=VALUE (as often as need be)  date=COL  against=MOVE  planned`,
		Example: `  vastspan lines --each month --as-of latest \
    --line 'this year: dataset=crossings; over=year to date; sum=fare' \
    --line 'last year: dataset=crossings; over=last full year; sum=fare' \
    --line 'plan: dataset=plan; over=this year; sum=planned_fare; planned'`,
		Args: takes(cobra.NoArgs, "no arguments"),
	}
	out := outputFlag(c)
	f := readingFlags(c, "a date, today or latest (the newest day in the first line's records)")
	c.Flags().StringArrayVar(&lines, "line", nil, "a line; may be given several times")
	c.Flags().StringVar(&each, "each", "month", "unit to line up by: day, week, month, quarter, half or year")
	c.Flags().StringVar(&running, "running", "", "add each line up from the start of this unit, or of its span")
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		unit, ok := calendar.ParseUnit(each)
		if !ok {
			return usagef("--each %s: expected day, week, month, quarter, half or year", each)
		}
		q := api.LinesRequest{Each: api.LinesRequestEach(unit.String()), AsOf: &f.asOf, AtClose: &f.atClose, Calendar: &f.calendar}
		if running != "" {
			reset := api.LinesRequestRunning(running)
			q.Running = &reset
		}
		if len(lines) == 0 {
			return usagef("lines: expected at least one --line, such as --line 'this year: dataset=crossings; over=year to date; sum=fare'")
		}
		var texts []string
		for _, text := range lines {
			line, err := readLine(text)
			if err != nil {
				return err
			}
			q.Lines = append(q.Lines, *line)
			texts = append(texts, line.Over)
		}
		r, err := call(a, func(c *api.ClientWithResponses) (*api.LineUpResponse, error) {
			return c.LineUpWithResponse(cmd.Context(), q)
		}, func(r *api.LineUpResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
		if err != nil {
			return expressionProblem(err, texts)
		}
		return a.printLineup(r.JSON200, *out)
	}
	return c
}

// readLine reads LABEL: KEY=VALUE; KEY=VALUE.
func readLine(text string) (*api.LineRequest, error) {
	label, keys, ok := strings.Cut(text, ":")
	if !ok {
		return nil, usagef("--line %q: expected a label, a colon, and keys such as dataset=crossings; over=year to date; sum=fare", text)
	}
	label = strings.TrimSpace(label)
	l := &api.LineRequest{Label: &label}
	var where []string
	figures := 0
	for part := range strings.SplitSeq(keys, ";") {
		key, value, given := strings.Cut(strings.TrimSpace(part), "=")
		key, value = strings.TrimSpace(key), strings.TrimSpace(value)
		switch key {
		case "":
		case "dataset":
			l.Dataset = value
		case "over":
			l.Over = value
		case "where":
			where = append(where, value)
		case "date":
			l.Date = filled(value)
		case "against":
			l.Against = filled(value)
		case "planned":
			planned := true
			l.Planned = &planned
		default:
			kind := api.FigureKind(key)
			if !kind.Valid() || kind != api.Count && !given {
				return nil, usagef("--line %s: %q is no key: expected dataset, over, where, date, against, planned or a figure such as sum=fare", label, key)
			}
			l.Figure = api.Figure{Kind: kind, Column: filled(value)}
			figures++
		}
	}
	if l.Dataset == "" || l.Over == "" || figures != 1 {
		return nil, usagef("--line %s: expected dataset=NAME, over=EXPRESSION and one figure, such as sum=fare or count", label)
	}
	filters, err := readWhere(where)
	l.Where = filters
	return l, err
}

func (a *app) printLineup(up *api.Lineup, out output) error {
	switch out {
	case asJSON:
		return a.printJSON(up)
	case asCSV:
		return a.printCSV(lineupCSV(up))
	}
	fmt.Fprintf(a.out, "%s\n\n", asOfLine(up.AsOf, up.AtClose, up.Calendar))
	g := grid{header: []string{up.Each}, right: map[int]bool{}}
	for _, l := range up.Lines {
		g.right[len(g.header)] = true
		g.header = append(g.header, l.Label)
		if l.Against != nil {
			g.right[len(g.header)] = true
			g.header = append(g.header, "change")
		}
	}
	add := func(name string, rows []*api.TotalRow) {
		cells := []string{name}
		for i, r := range rows {
			f := &up.Lines[i].Total.Figures[0]
			shown := ""
			if r != nil {
				shown = lineCell(up, f, r)
			}
			cells = append(cells, shown)
			if up.Lines[i].Against != nil {
				changed := ""
				if r != nil && r.Against != nil {
					changed = a.shownChange(deref((*r.Against)[0][0].Change), f.Better)
				}
				cells = append(cells, changed)
			}
		}
		g.rows = append(g.rows, cells)
	}
	for _, p := range up.Positions {
		add(p.Label, p.Rows)
	}
	all := make([]*api.TotalRow, len(up.Lines))
	for i := range up.Lines {
		all[i] = &up.Lines[i].Total.Spans[0].Total
	}
	add("all", all)
	a.printTable(g)
	fmt.Fprintln(a.out)
	for _, l := range up.Lines {
		s := &l.Total.Spans[0]
		first, last := firstLast(s.Intervals)
		fmt.Fprintf(a.out, "%s: %s of %s by %s, %s, %s to %s\n", l.Label, strings.ReplaceAll(l.Total.Figures[0].Name, "_", " "), l.Total.Dataset, l.Total.Date, s.Expression, shownDay(first), shownDay(last))
		a.printFilters(l.Total.Where)
		for _, c := range s.Cautions {
			fmt.Fprintf(a.out, "caution: %s\n", c.Text)
		}
		for _, c := range counterparts(s) {
			if c.Uneven != nil {
				fmt.Fprintf(a.out, "uneven: %s\n", *c.Uneven)
			}
		}
	}
	return nil
}

// lineCell writes one value of a line, running where it runs, with what is special about its unit.
func lineCell(up *api.Lineup, f *api.FigureInfo, r *api.TotalRow) string {
	v := r.Values[0]
	if up.Running != nil && r.Running != nil {
		v = (*r.Running)[0]
	}
	shown := "–"
	if v != nil {
		shown = grouped(shownDigits(*v, f))
	}
	if m := marks(r.Unit); m != "" {
		shown += " (" + m + ")"
	}
	return shown
}

// lineupCSV gives a row for each position and line.
func lineupCSV(up *api.Lineup) grid {
	g := grid{header: []string{"position", "line", "unit", "first_day", "last_day", "days", "value"}}
	running, against := up.Running != nil, false
	for _, l := range up.Lines {
		against = against || l.Against != nil
	}
	if running {
		g.header = append(g.header, "value_running")
	}
	if against {
		g.header = append(g.header, "value_against", "value_difference", "value_change")
	}
	g.header = append(g.header, "marks")
	for _, p := range up.Positions {
		for i, r := range p.Rows {
			if r == nil {
				continue
			}
			first, last, days := rowDays(&up.Lines[i].Total.Spans[0], r)
			row := []string{fmt.Sprint(p.Number), up.Lines[i].Label, r.Unit.Label, first, last, days, deref(r.Values[0])}
			if running {
				row = append(row, deref((*r.Running)[0]))
			}
			if against {
				var c api.Comparison
				if r.Against != nil {
					c = (*r.Against)[0][0]
				}
				row = append(row, deref(c.Against), deref(c.Difference), deref(c.Change))
			}
			g.rows = append(g.rows, append(row, marks(r.Unit)))
		}
	}
	return g
}
