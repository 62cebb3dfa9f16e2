package cli

import (
	"fmt"
	"strconv"
	"strings"

	"vastspan/api"
)

func counterparts(s *api.SpanTotal) []api.Counterpart {
	if s.Counterparts == nil {
		return nil
	}
	return *s.Counterparts
}

// figureHeader names the figures of a total: each by itself, then beside its counterparts, running
// and rolling.
func figureHeader(t *api.Total) []string {
	var header []string
	var rows []api.TotalRow
	against := 0
	for i := range t.Spans {
		rows = append(rows, t.Spans[i].Rows...)
		against = len(counterparts(&t.Spans[i]))
	}
	for _, f := range t.Figures {
		header = append(header, f)
		for i := range against {
			n := ""
			if i > 0 {
				n = "_" + strconv.Itoa(i+1)
			}
			header = append(header, f+"_against"+n, f+"_difference"+n, f+"_change"+n)
		}
		if len(rows) > 0 && rows[0].Running != nil {
			header = append(header, f+"_running")
		}
		if len(rows) > 0 && rows[0].Rolling != nil {
			header = append(header, f+"_rolling")
		}
	}
	return header
}

// rowFigures gives the figures of a row in the order of figureHeader.
func rowFigures(r *api.TotalRow) []string {
	var cells []string
	add := func(v *api.Value) { cells = append(cells, deref(v)) }
	for i, v := range r.Values {
		add(v)
		if r.Against != nil {
			for _, comparisons := range *r.Against {
				c := comparisons[i]
				add(c.Against)
				add(c.Difference)
				add(c.Change)
			}
		}
		if r.Running != nil {
			add((*r.Running)[i])
		}
		if r.Rolling != nil {
			add((*r.Rolling)[i])
		}
	}
	return cells
}

// marks says what is special about a row: partial, in progress, ahead, incomplete.
func marks(u *api.RowUnit) string {
	var list []string
	if u.Partial != nil {
		list = append(list, "partial")
	}
	if u.InProgress != nil {
		list = append(list, "in-progress")
	}
	if u.Ahead != nil {
		list = append(list, "ahead")
	}
	if u.Incomplete != nil {
		list = append(list, "incomplete")
	}
	return strings.Join(list, " ")
}

// printTotalCSV prints a row for each span, group and unit. With units a last column, marks, says
// which are partial, ahead or incomplete; with counterparts a last column, uneven, says why.
func (a *app) printTotalCSV(t *api.Total) error {
	g := grid{header: append(append([]string{"span", "first_day", "last_day", "days"}, t.By...), "unit")}
	g.header = append(g.header, figureHeader(t)...)
	withUnits, withUneven := false, false
	for i := range t.Spans {
		withUneven = withUneven || t.Spans[i].Counterparts != nil
		withUnits = withUnits || len(t.Spans[i].Rows) > 0 && t.Spans[i].Rows[0].Unit != nil
	}
	if withUnits {
		g.header = append(g.header, "marks")
	}
	if withUneven {
		g.header = append(g.header, "uneven")
	}
	for i := range t.Spans {
		s := &t.Spans[i]
		var uneven []string
		for _, c := range counterparts(s) {
			if c.Uneven != nil {
				uneven = append(uneven, c.Against+": "+*c.Uneven)
			}
		}
		for j := range s.Rows {
			r := &s.Rows[j]
			first, last := firstLast(s.Intervals)
			days, unit := countOf(s.Days), ""
			if r.Unit != nil {
				first, last = firstLast(r.Unit.Intervals)
				days, unit = strconv.Itoa(r.Unit.Days), r.Unit.Label
			}
			cells := []string{s.Expression, first, last, days}
			for _, label := range r.Group {
				cells = append(cells, orBlank(label, asCSV))
			}
			cells = append(append(cells, unit), rowFigures(r)...)
			if withUnits {
				cells = append(cells, marks(r.Unit))
			}
			if withUneven {
				cells = append(cells, strings.Join(uneven, "; "))
			}
			g.rows = append(g.rows, cells)
		}
	}
	return a.printCSV(g)
}

// printTotalTable prints the same for people: changes as percentages with an arrow, digits grouped,
// and a last row over all groups or units.
func (a *app) printTotalTable(t *api.Total) {
	withUnits := false
	for i := range t.Spans {
		withUnits = withUnits || len(t.Spans[i].Rows) > 0 && t.Spans[i].Rows[0].Unit != nil
	}
	g := grid{header: []string{"span", "first_day", "last_day", "days"}, right: map[int]bool{3: true}}
	if withUnits {
		g.header = append(g.header, "unit")
	}
	g.header = append(g.header, t.By...)
	numbers := len(g.header)
	g.header = append(g.header, figureHeader(t)...)
	for i := numbers; i < len(g.header); i++ {
		g.right[i] = true
	}
	for i := range t.Spans {
		s := &t.Spans[i]
		for j := range s.Rows {
			g.rows = append(g.rows, tableRow(s, &s.Rows[j], withUnits))
		}
		if len(t.By) > 0 || withUnits {
			all := s.Total
			for range t.By {
				all.Group = append(all.Group, new(string))
			}
			if len(all.Group) > 0 {
				all.Group[0] = pointer("all")
			}
			cells := tableRow(s, &all, withUnits)
			if withUnits {
				cells[4] = "all"
			}
			g.rows = append(g.rows, pad(cells, len(g.header), s, numbers))
		}
	}
	header := g.header
	g.shown = func(column int, cell string) string {
		switch {
		case column < numbers:
			if column == 1 || column == 2 {
				return shownDay(cell)
			}
			return cell
		case strings.Contains(header[column], "_change"):
			return shownChange(cell)
		case cell == "":
			return "–"
		}
		return grouped(cell)
	}
	a.printTable(g)
}

func pointer(s string) *string { return &s }

func tableRow(s *api.SpanTotal, r *api.TotalRow, withUnits bool) []string {
	first, last := firstLast(s.Intervals)
	days, label := countOf(s.Days), ""
	if r.Unit != nil {
		first, last = firstLast(r.Unit.Intervals)
		days, label = strconv.Itoa(r.Unit.Days), r.Unit.Label
		if m := marks(r.Unit); m != "" {
			label += " (" + m + ")"
		}
	}
	cells := []string{s.Expression, first, last, days}
	if withUnits {
		cells = append(cells, label)
	}
	for _, l := range r.Group {
		cells = append(cells, orBlank(l, asTable))
	}
	return append(cells, rowFigures(r)...)
}

// pad gives the row over all units as many figures as the others have: it has no running or rolling
// ones.
func pad(cells []string, columns int, s *api.SpanTotal, numbers int) []string {
	if len(cells) == columns || len(s.Rows) == 0 {
		return append(cells, make([]string, max(0, columns-len(cells)))...)
	}
	extra := 0
	if s.Rows[0].Running != nil {
		extra++
	}
	if s.Rows[0].Rolling != nil {
		extra++
	}
	figures := cells[numbers:]
	per := len(figures) / len(s.Total.Values)
	padded := append([]string{}, cells[:numbers]...)
	for i := range s.Total.Values {
		padded = append(padded, figures[i*per:(i+1)*per]...)
		padded = append(padded, make([]string, extra)...)
	}
	return padded
}

// shownChange writes a change as a percentage with an arrow; n/a where it is undefined.
func shownChange(cell string) string {
	v, err := strconv.ParseFloat(cell, 64)
	switch {
	case err != nil:
		return "n/a"
	case v > 0:
		return fmt.Sprintf("▲ %.1f%%", 100*v)
	case v < 0:
		return fmt.Sprintf("▼ %.1f%%", -100*v)
	}
	return "= level"
}
