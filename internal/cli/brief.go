package cli

import (
	"fmt"
	"net/http"
	"strings"

	"github.com/spf13/cobra"

	"vastspan/api"
)

func (a *app) briefCommand() *cobra.Command {
	return group("brief", "List briefs, show one as of any day", a.briefList(), a.briefShow(), a.briefTurns(),
		a.removeCommand(api.DefinitionKindBrief, "remove NAME", "Remove a brief; its receipts stay", "  vastspan brief remove monday-crossings"))
}

func (a *app) briefList() *cobra.Command {
	c := &cobra.Command{Use: "list", Short: "List the briefs", Example: "  vastspan brief list", Args: takes(cobra.NoArgs, "no arguments"),
		Long: "Lists the briefs. They are made in the console, or written in a span book (vastspan book load)."}
	out := outputFlag(c)
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		r, err := call(a, func(c *api.ClientWithResponses) (*api.ListBriefsResponse, error) {
			return c.ListBriefsWithResponse(cmd.Context())
		}, func(r *api.ListBriefsResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
		if err != nil {
			return err
		}
		g := grid{header: []string{"name", "title", "items", "as_of", "version", "changed"}, right: map[int]bool{2: true, 4: true}}
		for _, b := range *r.JSON200 {
			asOf := deref(b.Definition.AsOf)
			if asOf == "" {
				asOf = "latest"
			}
			g.rows = append(g.rows, []string{b.Definition.Name, b.Definition.Title, fmt.Sprint(len(b.Definition.Items)), asOf, fmt.Sprint(b.Version), b.ChangedAt.Format("2006-01-02 15:04")})
		}
		return a.printList(*out, r.JSON200, g, "there are no briefs yet; make one in the console, or load a span book that has one")
	}
	return c
}

// viewFlags are the flags of what a brief is shown as of.
type viewFlags struct {
	asOf, calendar string
	atClose        bool
	asks           []string
}

func (f *viewFlags) add(c *cobra.Command) {
	c.Flags().StringVar(&f.asOf, "as-of", "", "as-of day: a date, today or latest (default the brief's own)")
	c.Flags().BoolVar(&f.atClose, "at-close", false, "the as-of day itself is over")
	c.Flags().StringVar(&f.calendar, "calendar", "", "calendar in which expressions are read (default the brief's own)")
	c.Flags().StringArrayVar(&f.asks, "ask", nil, "what the brief asks for, as NAME=EXPRESSION, such as window=2026-01-01/2026-03-31")
}

func (f *viewFlags) request() (*api.ViewRequest, error) {
	q := &api.ViewRequest{AsOf: filled(f.asOf), AtClose: &f.atClose, Calendar: filled(f.calendar)}
	if len(f.asks) > 0 {
		asks := map[string]string{}
		for _, text := range f.asks {
			name, is, ok := strings.Cut(text, "=")
			if !ok || name == "" || is == "" {
				return nil, usagef("--ask %q: expected NAME=EXPRESSION, such as window=2026-01-01/2026-03-31", text)
			}
			asks[name] = is
		}
		q.Asks = &asks
	}
	return q, nil
}

func (a *app) briefShow() *cobra.Command {
	var f viewFlags
	c := &cobra.Command{
		Use: "show NAME", Short: "Show a brief as of a day",
		Long: `Shows a brief as of its own basis, or as of any day: records after that day are left out, so that it
shows what it would have shown then. CSV gives a row for each figure of each item.`,
		Example: "  vastspan brief show monday-crossings\n  vastspan brief show monday-crossings --as-of 2026-09-01 --output csv",
		Args:    takes(cobra.ExactArgs(1), "the name of a brief"), ValidArgsFunction: a.completeBriefs,
	}
	out := outputFlag(c)
	f.add(c)
	c.RunE = func(cmd *cobra.Command, args []string) error {
		q, err := f.request()
		if err != nil {
			return err
		}
		r, err := call(a, func(c *api.ClientWithResponses) (*api.ViewBriefResponse, error) {
			return c.ViewBriefWithResponse(cmd.Context(), args[0], *q)
		}, func(r *api.ViewBriefResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
		if err != nil {
			return err
		}
		switch *out {
		case asJSON:
			return a.printJSON(r.JSON200)
		case asCSV:
			return a.printCSV(briefCSV(r.JSON200))
		}
		return a.printBrief(r.JSON200)
	}
	return c
}

// printBrief prints a brief: its figures as one table, then its tables and lines.
func (a *app) printBrief(v *api.BriefView) error {
	fmt.Fprintf(a.out, "%s, %s\n", v.Title, asOfLine(v.AsOf, v.AtClose, v.Calendar))
	for name, is := range v.Asks {
		fmt.Fprintf(a.out, "%s: %s\n", name, is)
	}
	figures := grid{header: []string{"figure", "first_day", "last_day", "days", "value", "", "counterpart", "change", "course"}, right: map[int]bool{3: true, 4: true, 6: true, 7: true}}
	var notes []string
	for i := range v.Items {
		it := &v.Items[i]
		if it.Item.Kind != api.BriefItemKindFigure || it.Total == nil {
			continue
		}
		figures.rows = append(figures.rows, a.figureCard(it))
		for _, c := range counterparts(&it.Total.Spans[0]) {
			if c.Uneven != nil {
				notes = append(notes, fmt.Sprintf("uneven: %s against %s: %s", it.Item.Title, c.Against, *c.Uneven))
			}
		}
	}
	if len(figures.rows) > 0 {
		fmt.Fprintln(a.out)
		a.printTable(figures)
	}
	for _, n := range notes {
		fmt.Fprintln(a.out, n)
	}
	for i := range v.Items {
		it := &v.Items[i]
		switch {
		case it.Error != nil:
			fmt.Fprintf(a.out, "\n%s: cannot be shown: %s\n", it.Item.Title, *it.Error)
		case it.Item.Kind == api.BriefItemKindFigure:
		case it.Lineup != nil:
			fmt.Fprintf(a.out, "\n%s\n", it.Item.Title)
			if err := a.printLineup(it.Lineup, asTable); err != nil {
				return err
			}
		default:
			fmt.Fprintf(a.out, "\n%s\n", it.Item.Title)
			if across := deref(it.Item.Across); across != "" {
				if err := a.printCrossTabs(it.Total, across, asTable); err != nil {
					return err
				}
			} else {
				a.printTotalTable(it.Total)
			}
			a.printTotalNotes(it.Total)
		}
	}
	return nil
}

// figureCard gives the cells of a figure: value and unit, counterpart, change and course.
func (a *app) figureCard(it *api.BriefItemView) []string {
	s, f := &it.Total.Spans[0], &it.Total.Figures[0]
	first, last := firstLast(s.Intervals)
	value := "–"
	if v := s.Total.Values[0]; v != nil {
		value = grouped(shownDigits(*v, f))
	}
	cells := []string{it.Item.Title, shownDay(first), shownDay(last), countOf(s.Days), value, deref(f.Unit), "", "", ""}
	if s.Total.Against != nil {
		c := (*s.Total.Against)[0][0]
		if c.Against != nil {
			cells[6] = grouped(shownDigits(*c.Against, f))
		}
		cells[7] = a.shownChange(deref(c.Change), f.Better)
	}
	if it.Spark != nil {
		cells[8] = sparkLine(*it.Spark)
	}
	return cells
}

// sparkLine draws the values of units as bars of a line of text; blanks are gaps.
func sparkLine(rows []api.TotalRow) string {
	bars := []rune("▁▂▃▄▅▆▇█")
	least, most := 0.0, 0.0
	values := make([]*float64, len(rows))
	for i, r := range rows {
		if r.Values[0] == nil {
			continue
		}
		var v float64
		if _, err := fmt.Sscan(*r.Values[0], &v); err != nil {
			continue
		}
		values[i] = &v
		least, most = min(least, v), max(most, v)
	}
	var b strings.Builder
	for _, v := range values {
		switch {
		case v == nil:
			b.WriteByte(' ')
		case most == least:
			b.WriteRune(bars[0])
		default:
			b.WriteRune(bars[int((*v-least)/(most-least)*float64(len(bars)-1)+0.5)])
		}
	}
	return b.String()
}

// briefCSV gives a row for each figure of each item, unit and group.
func briefCSV(v *api.BriefView) grid {
	g := grid{header: []string{"as_of", "item", "line", "span", "first_day", "last_day", "days", "unit", "group", "figure", "value", "marks", "error"}}
	asOf := v.AsOf.String()
	add := func(it *api.BriefItemView, line string, t *api.Total) {
		columns := figureColumns(t)
		for i := range t.Spans {
			s := &t.Spans[i]
			rows := s.Rows
			if it.Item.Kind == api.BriefItemKindFigure {
				rows = []api.TotalRow{s.Total}
			}
			for j := range rows {
				r := &rows[j]
				first, last, days := rowDays(s, r)
				label := ""
				if r.Unit != nil {
					label = r.Unit.Label
				}
				for _, c := range columns {
					g.rows = append(g.rows, []string{asOf, it.Item.Title, line, s.Expression, first, last, days, label, strings.Join(groupCells(t, r, asCSV), "; "), c.name, deref(c.cell(r)), marks(r.Unit), ""})
				}
			}
		}
	}
	for i := range v.Items {
		it := &v.Items[i]
		switch {
		case it.Error != nil:
			g.rows = append(g.rows, []string{asOf, it.Item.Title, "", "", "", "", "", "", "", "", "", "", *it.Error})
		case it.Lineup != nil:
			for j := range it.Lineup.Lines {
				add(it, it.Lineup.Lines[j].Label, &it.Lineup.Lines[j].Total)
			}
		default:
			add(it, "", it.Total)
		}
	}
	return g
}

func (a *app) briefTurns() *cobra.Command {
	var from string
	var days int
	c := &cobra.Command{
		Use: "rehearse NAME", Short: "List the days on which items of a brief roll over", Example: "  vastspan brief rehearse monday-crossings --from 2026-09-25 --days 40",
		Args: takes(cobra.ExactArgs(1), "the name of a brief"), ValidArgsFunction: a.completeBriefs,
	}
	out := outputFlag(c)
	c.Flags().StringVar(&from, "from", "", "the first as-of day (default today)")
	c.Flags().IntVar(&days, "days", 60, "as-of days to look at, 1 to 4000")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		f := reading{asOf: from}
		day, err := f.day(nil)
		if err != nil {
			return err
		}
		brief, err := call(a, func(c *api.ClientWithResponses) (*api.GetBriefResponse, error) {
			return c.GetBriefWithResponse(cmd.Context(), args[0])
		}, func(r *api.GetBriefResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
		if err != nil {
			return err
		}
		r, err := call(a, func(c *api.ClientWithResponses) (*api.BriefTurnsResponse, error) {
			return c.BriefTurnsWithResponse(cmd.Context(), args[0], api.TurnsRequest{From: day, Days: days})
		}, func(r *api.BriefTurnsResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
		if err != nil {
			return err
		}
		g := grid{header: []string{"as_of", "event", "items"}}
		for _, t := range *r.JSON200 {
			var titles []string
			for _, i := range t.Items {
				titles = append(titles, brief.JSON200.Definition.Items[i].Title)
			}
			g.rows = append(g.rows, []string{t.Day.String(), t.Event, strings.Join(titles, "; ")})
		}
		g.shown = func(_ int, cell string) string { return shownDay(cell) }
		return a.printList(*out, r.JSON200, g, "nothing rolls over in these days")
	}
	return c
}

// completeBriefs offers the names of briefs.
func (a *app) completeBriefs(cmd *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
	if len(args) > 0 {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	r, err := call(a, func(c *api.ClientWithResponses) (*api.ListBriefsResponse, error) {
		return c.ListBriefsWithResponse(cmd.Context())
	}, func(r *api.ListBriefsResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
	if err != nil {
		return nil, cobra.ShellCompDirectiveError
	}
	var names []string
	for _, b := range *r.JSON200 {
		names = append(names, b.Definition.Name)
	}
	return names, cobra.ShellCompDirectiveNoFileComp
}
