package cli

import (
	"fmt"
	"slices"
	"strings"

	"vastspan/api"
)

// A crossTab is one figure of one span as a table: units or a category down, a category across, and
// totals on both edges.
type crossTab struct {
	figure *api.FigureInfo
	down   []string // labels, the last one for all
	across []string
	marks  []string // by row
	cells  [][]*api.Value
}

// rowKey tells where a row of a total stands in a cross-tab.
func downKey(t *api.Total, r *api.TotalRow, category int) string {
	if category >= 0 {
		return groupCells(t, r, asTable)[category]
	}
	if r.Unit == nil {
		return "all"
	}
	return r.Unit.Label
}

// crossTabs lays a total out; across is the place of the category that goes across.
func crossTabs(t *api.Total, s *api.SpanTotal, across int) []crossTab {
	category := -1 // units go down
	if len(t.By) == 2 {
		category = 1 - across
	}
	var down, columns, marked []string
	cell := map[[2]string]*api.TotalRow{}
	put := func(r *api.TotalRow) {
		d, c := downKey(t, r, category), groupCells(t, r, asTable)[across]
		if !slices.Contains(down, d) {
			down, marked = append(down, d), append(marked, marks(r.Unit))
		}
		if !slices.Contains(columns, c) {
			columns = append(columns, c)
		}
		cell[[2]string{d, c}] = r
	}
	for i := range s.Rows {
		put(&s.Rows[i])
	}
	// A row of the total that goes by two categories and units as well stands in none of these.
	if s.Edges != nil {
		for i := range *s.Edges {
			if r := &(*s.Edges)[i]; category < 0 || r.Unit == nil {
				put(r)
			}
		}
	}
	put(&s.Total)
	last := func(list []string) []string { // all comes last
		return append(slices.DeleteFunc(slices.Clone(list), func(l string) bool { return l == "all" }), "all")
	}
	rows := last(down)
	var tabs []crossTab
	for i := range t.Figures {
		x := crossTab{figure: &t.Figures[i], down: rows, across: last(columns)}
		for _, d := range x.down {
			var line []*api.Value
			for _, c := range x.across {
				var v *api.Value
				if r := cell[[2]string{d, c}]; r != nil {
					v = r.Values[i]
				}
				line = append(line, v)
			}
			x.cells = append(x.cells, line)
			mark := ""
			if at := slices.Index(down, d); at >= 0 {
				mark = marked[at]
			}
			x.marks = append(x.marks, mark)
		}
		tabs = append(tabs, x)
	}
	return tabs
}

// printCrossTabs prints every span and figure as a cross-tab.
func (a *app) printCrossTabs(t *api.Total, across string, out output) error {
	at := slices.Index(t.By, across)
	label := "unit"
	if len(t.By) == 2 {
		label = t.By[1-at]
	}
	if out == asCSV {
		return a.printCSV(crossCSV(t, at, label))
	}
	for i := range t.Spans {
		s := &t.Spans[i]
		first, last := firstLast(s.Intervals)
		for j, x := range crossTabs(t, s, at) {
			if i+j > 0 {
				fmt.Fprintln(a.out)
			}
			fmt.Fprintf(a.out, "%s of %s, %s to %s, by %s across\n\n", strings.ReplaceAll(x.figure.Name, "_", " "), s.Expression, shownDay(first), shownDay(last), strings.ReplaceAll(across, "_", " "))
			g := grid{header: append([]string{label}, x.across...), right: map[int]bool{}}
			for j := range x.across {
				g.right[j+1] = true
			}
			for j, d := range x.down {
				if x.marks[j] != "" {
					d += " (" + x.marks[j] + ")"
				}
				row := []string{d}
				for _, v := range x.cells[j] {
					shown := "–"
					if v != nil {
						shown = grouped(shownDigits(*v, x.figure))
					}
					row = append(row, shown)
				}
				g.rows = append(g.rows, row)
			}
			a.printTable(g)
		}
	}
	return nil
}

// crossCSV gives all cross-tabs as one table: the columns are the union of what goes across.
func crossCSV(t *api.Total, at int, label string) grid {
	g := grid{header: []string{"span", "first_day", "last_day", "days", "figure", label}}
	base := len(g.header)
	var across []string
	var tabs [][]crossTab
	for i := range t.Spans {
		list := crossTabs(t, &t.Spans[i], at)
		tabs = append(tabs, list)
		for _, c := range list[0].across {
			if c != "all" && !slices.Contains(across, c) {
				across = append(across, c)
			}
		}
	}
	across = append(across, "all")
	g.header = append(append(g.header, across...), "marks")
	for i := range t.Spans {
		s := &t.Spans[i]
		first, last := firstLast(s.Intervals)
		for _, x := range tabs[i] {
			for j, d := range x.down {
				row := append(make([]string, 0, len(g.header)), s.Expression, first, last, countOf(s.Days), x.figure.Name, d)
				row = append(row, make([]string, len(across)+1)...)
				for k, c := range x.across {
					row[base+slices.Index(across, c)] = deref(x.cells[j][k])
				}
				row[len(row)-1] = x.marks[j]
				g.rows = append(g.rows, row)
			}
		}
	}
	return g
}
