package cli

import (
	"fmt"
	"math/big"
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

// role is what a column of figures holds.
type role int

const (
	amount role = iota // in the figure's own unit
	change             // a fraction, with a direction
	share              // a fraction
)

// A figureColumn is one column of a printed total: a figure by itself, beside a counterpart, running
// and so on.
type figureColumn struct {
	name   string
	role   role
	figure *api.FigureInfo
	cell   func(*api.TotalRow) *api.Value
}

// figureColumns lists the columns of a total's figures.
func figureColumns(t *api.Total) []figureColumn {
	var columns []figureColumn
	against := 0
	var like api.TotalRow // what rows have
	for i := range t.Spans {
		against = len(counterparts(&t.Spans[i]))
		if rows := t.Spans[i].Rows; len(rows) > 0 {
			like = rows[0]
		}
	}
	for i := range t.Figures {
		f := &t.Figures[i]
		add := func(suffix string, r role, cell func(*api.TotalRow) *api.Value) {
			columns = append(columns, figureColumn{f.Name + suffix, r, f, cell})
		}
		compared := func(suffix, number string, of func(*api.TotalRow) *api.Comparison) {
			part := func(take func(*api.Comparison) *api.Value) func(*api.TotalRow) *api.Value {
				return func(r *api.TotalRow) *api.Value {
					if c := of(r); c != nil {
						return take(c)
					}
					return nil
				}
			}
			difference, changed := suffix+"_difference", suffix+"_change"
			if suffix == "_against" { // the contract's names
				difference, changed = "_difference", "_change"
			}
			add(suffix+number, amount, part(func(c *api.Comparison) *api.Value { return c.Against }))
			add(difference+number, amount, part(func(c *api.Comparison) *api.Value { return c.Difference }))
			add(changed+number, change, part(func(c *api.Comparison) *api.Value { return c.Change }))
		}
		add("", amount, func(r *api.TotalRow) *api.Value { return r.Values[i] })
		for j := range against {
			number := ""
			if j > 0 {
				number = "_" + strconv.Itoa(j+1)
			}
			compared("_against", number, func(r *api.TotalRow) *api.Comparison {
				if r.Against == nil {
					return nil
				}
				return &(*r.Against)[j][i]
			})
		}
		if like.Previous != nil {
			compared("_previous", "", func(r *api.TotalRow) *api.Comparison {
				if r.Previous == nil {
					return nil
				}
				return &(*r.Previous)[i]
			})
		}
		some := func(suffix string, r role, asked *[]*api.Value, of func(*api.TotalRow) *[]*api.Value) {
			if asked != nil {
				add(suffix, r, func(row *api.TotalRow) *api.Value {
					if list := of(row); list != nil {
						return (*list)[i]
					}
					return nil
				})
			}
		}
		some("_share", share, like.Share, func(r *api.TotalRow) *[]*api.Value { return r.Share })
		some("_running", amount, like.Running, func(r *api.TotalRow) *[]*api.Value { return r.Running })
		some("_rolling", amount, like.Rolling, func(r *api.TotalRow) *[]*api.Value { return r.Rolling })
	}
	return columns
}

// marks says what is special about a row: partial, in progress, ahead, incomplete, uneven.
func marks(u *api.RowUnit) string {
	if u == nil {
		return ""
	}
	var list []string
	for _, m := range []struct {
		set  *bool
		name string
	}{{u.Partial, "partial"}, {u.InProgress, "in-progress"}, {u.Ahead, "ahead"}, {u.Incomplete, "incomplete"}, {u.Uneven, "uneven"}} {
		if m.set != nil {
			list = append(list, m.name)
		}
	}
	return strings.Join(list, " ")
}

// groupCells gives the labels of a row's group.
func groupCells(t *api.Total, r *api.TotalRow, out output) []string {
	cells := make([]string, len(r.Group))
	for i, label := range r.Group {
		switch {
		case r.All != nil && (*r.All)[i]:
			cells[i] = "all"
		case i == 0 && r.Rest != nil:
			cells[i] = restLabel(t)
		default:
			cells[i] = orBlank(label, out)
		}
	}
	return cells
}

// restLabel names the values that are not among the top ones.
func restLabel(t *api.Total) string {
	if t.Folded == nil {
		return "(the rest)"
	}
	return fmt.Sprintf("(the other %d)", *t.Folded)
}

// hasUnits tells whether a total's rows are units of a span.
func hasUnits(t *api.Total) bool {
	for i := range t.Spans {
		if rows := t.Spans[i].Rows; len(rows) > 0 && rows[0].Unit != nil {
			return true
		}
	}
	return false
}

// rowDays gives the days that a row is about, and how many.
func rowDays(s *api.SpanTotal, r *api.TotalRow) (first, last, days string) {
	if r.Unit != nil {
		first, last = firstLast(r.Unit.Intervals)
		return first, last, strconv.Itoa(r.Unit.Days)
	}
	first, last = firstLast(s.Intervals)
	return first, last, countOf(s.Days)
}

// printTotalCSV prints a row for each span, group and unit. With units a last column, marks, says
// which are partial, ahead or incomplete; with counterparts a last column, uneven, says why.
func (a *app) printTotalCSV(t *api.Total) error {
	g := grid{header: append(append([]string{"span", "first_day", "last_day", "days"}, t.By...), "unit")}
	columns, units, withUneven := figureColumns(t), hasUnits(t), false
	for _, c := range columns {
		g.header = append(g.header, c.name)
	}
	for i := range t.Spans {
		withUneven = withUneven || t.Spans[i].Counterparts != nil
	}
	if units {
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
			first, last, days := rowDays(s, r)
			cells := append([]string{s.Expression, first, last, days}, groupCells(t, r, asCSV)...)
			label := ""
			if r.Unit != nil {
				label = r.Unit.Label
			}
			cells = append(cells, label)
			for _, c := range columns {
				cells = append(cells, deref(c.cell(r)))
			}
			if units {
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
	units := hasUnits(t)
	g := grid{header: []string{"span", "first_day", "last_day", "days"}, right: map[int]bool{3: true}}
	if units {
		g.header = append(g.header, "unit")
	}
	g.header = append(g.header, t.By...)
	numbers := len(g.header)
	columns := figureColumns(t)
	for i, c := range columns {
		g.header = append(g.header, c.name)
		g.right[numbers+i] = true
	}
	add := func(s *api.SpanTotal, r *api.TotalRow, label string) {
		first, last, days := rowDays(s, r)
		cells := []string{s.Expression, shownDay(first), shownDay(last), days}
		if units {
			cells = append(cells, label)
		}
		cells = append(cells, groupCells(t, r, asTable)...)
		for _, c := range columns {
			cells = append(cells, a.shownFigure(c, r))
		}
		g.rows = append(g.rows, cells)
	}
	for i := range t.Spans {
		s := &t.Spans[i]
		for j := range s.Rows {
			add(s, &s.Rows[j], unitLabel(s.Rows[j].Unit))
		}
		if len(t.By) > 0 || units {
			add(s, &s.Total, "all")
		}
	}
	a.printTable(g)
}

func unitLabel(u *api.RowUnit) string {
	if u == nil {
		return ""
	}
	if m := marks(u); m != "" {
		return u.Label + " (" + m + ")"
	}
	return u.Label
}

// shownFigure writes a figure as people read it.
func (a *app) shownFigure(c figureColumn, r *api.TotalRow) string {
	v := c.cell(r)
	switch {
	case c.role == change:
		return a.shownChange(deref(v), c.figure.Better)
	case v == nil:
		return "–"
	case c.role == share:
		return shownShare(*v)
	}
	return grouped(shownDigits(*v, c.figure))
}

// shownDigits gives a number as many decimals as its amount is shown with. Digits are cut off a mean
// alone, and none that are not zero off anything else.
func shownDigits(v string, f *api.FigureInfo) string {
	if f.Decimals == nil || f.Kind == string(api.Distinct) {
		return v
	}
	want := *f.Decimals
	whole, fraction, _ := strings.Cut(v, ".")
	if f.Kind == string(api.Mean) {
		want += 2
		if len(fraction) > want {
			return rounded(v, want)
		}
	}
	kept := strings.TrimRight(fraction, "0")
	if len(kept) < want {
		kept += strings.Repeat("0", want-len(kept))
	}
	if kept == "" {
		return whole
	}
	return whole + "." + kept
}

// rounded rounds a number in plain digits to some decimals.
func rounded(v string, decimals int) string {
	r, ok := new(big.Rat).SetString(v)
	if !ok {
		return v
	}
	text := r.FloatString(decimals)
	if strings.Trim(text, "-0.") == "" { // no zero less than zero
		return strings.TrimPrefix(text, "-")
	}
	return text
}

// shownShare writes a fraction as a percentage.
func shownShare(cell string) string {
	v, err := strconv.ParseFloat(cell, 64)
	if err != nil {
		return "–"
	}
	return fmt.Sprintf("%.1f%%", 100*v)
}

// shownChange writes a change as a percentage with an arrow; n/a where it is undefined. On a terminal
// its colour says whether that is good.
func (a *app) shownChange(cell string, better api.Better) string {
	v, err := strconv.ParseFloat(cell, 64)
	var s string
	switch {
	case err != nil:
		return "n/a"
	case v > 0:
		s = fmt.Sprintf("▲ %.1f%%", 100*v)
	case v < 0:
		s = fmt.Sprintf("▼ %.1f%%", -100*v)
	default:
		return "= level"
	}
	if !a.colour() || better == api.BetterNeither {
		return s
	}
	if (v > 0) == (better == api.BetterUp) {
		return "\x1b[32m" + s + "\x1b[0m"
	}
	return "\x1b[31m" + s + "\x1b[0m"
}
