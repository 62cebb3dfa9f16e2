package table

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/decimal"
)

// Shown is a table as people read it: its figures are formatted, and the span and its days are above the rows.
type Shown struct {
	// Title says what of a document it is, where that has several parts.
	Title string
	// Head are the lines above: a span with its days, the figure of a cross-tab. Foot are those below: what to be careful with.
	Head, Foot []string
	Grid
	// Lead is how many columns say what a row is.
	Lead int
	// Columns are what the others hold, nil for a leading one; Values are their cells, by row and column.
	Columns []*Column
	Values  [][]decimal.Value
	// Right are the columns set to the right.
	Right map[int]bool
	// Groups says which columns stay together where there is no room for all.
	Groups []int
}

// lead adds a leading column.
func (s *Shown) lead(right bool, names ...string) {
	for _, name := range names {
		s.Right[len(s.Header)] = right
		s.Header, s.Columns, s.Groups = append(s.Header, name), append(s.Columns, nil), append(s.Groups, 0)
		s.Lead++
	}
}

// Column adds a column of figures; it stays with those of its group.
func (s *Shown) Column(name string, c *Column, group int) {
	s.Right[len(s.Header)] = true
	s.Header, s.Columns, s.Groups = append(s.Header, name), append(s.Columns, c), append(s.Groups, group)
}

// Row adds a row: what it is, then its cells as text.
func (s *Shown) Row(lead []string, texts []string, values []decimal.Value) {
	s.Rows = append(s.Rows, append(lead, texts...))
	s.Values = append(s.Values, append(make([]decimal.Value, s.Lead), values...))
}

// NewShown returns a table with leading columns and no row yet.
func NewShown(head []string, lead ...string) Shown {
	s := Shown{Head: head, Right: map[int]bool{}}
	s.lead(false, lead...)
	return s
}

// Shown returns the tables of an answer as people read them. Where a span has several rows, it and its days are above
// them once, and on every line where wide is wanted.
func (a *Answer) Shown(wide bool) []Shown {
	var list []Shown
	for i := range a.Tables {
		t := &a.Tables[i]
		switch {
		case t.Across != "":
			list = append(list, a.pivotShown(t))
		case wide || t.Each == "" && len(t.By) == 0:
			list = append(list, a.rowsShown(t, t.Rows, true))
		default:
			for j := range a.Spans {
				rows := slices.DeleteFunc(slices.Clone(t.Rows), func(r Row) bool { return r.Span != j })
				s := a.rowsShown(t, rows, false)
				s.Head = []string{a.headOf(j)}
				list = append(list, s)
			}
		}
	}
	return list
}

// headOf is a span with its days, and what is next to it.
func (a *Answer) headOf(span int) string {
	sp := &a.Spans[span]
	parts := []string{sp.Expression + ": " + sp.Long()}
	for j, cell := range a.Beside.Cells(span) {
		if cell != "" {
			parts = append(parts, a.Beside.Names()[j]+" "+cell)
		}
	}
	return strings.Join(parts, "; ")
}

// rowsShown shows rows of a table, with their spans and days or without.
func (a *Answer) rowsShown(t *Table, rows []Row, spans bool) Shown {
	s := NewShown(nil)
	timed := a.Timed()
	each, _ := calendar.ParseAnyUnit(t.Each)
	extent := spans && (t.Each == "" || !each.OfClock()) // else the unit says when
	if spans {
		s.lead(false, append(slices.Clone(a.Beside.Names()), "span")...)
	}
	if extent {
		names := []string{"first_day", "last_day", "days"}
		if timed {
			names = []string{"from", "until", "length"}
		}
		s.lead(false, names[:2]...)
		s.lead(true, names[2])
	}
	if t.Each != "" {
		s.lead(false, t.Each)
	}
	s.lead(false, t.By...)
	group := 0
	for i := range t.Columns {
		c := &t.Columns[i]
		if c.Role == Figure || c.Role == Counterpart { // what is made of one stays with it
			group++
		}
		s.Column(t.head(c), c, group)
	}
	for i := range rows {
		r := &rows[i]
		if r.Kind == Subtotal {
			continue
		}
		var lead []string
		if spans {
			lead = append(slices.Clone(a.Beside.Cells(r.Span)), a.Spans[r.Span].Expression)
		}
		if extent {
			lead = append(lead, r.LongCells(timed)...)
		}
		if t.Each != "" {
			lead = append(lead, r.UnitText())
		}
		if r.Unit == nil && t.Each == "" && len(r.Group) == 0 {
			lead[0] = flagged(lead[0], r.Flags)
		}
		for j, label := range r.Group {
			if r.Kind == Total && (j > 0 || t.Each != "") {
				lead = append(lead, "")
				continue
			}
			text := LabelText(label, a.Others)
			if t.Each == "" && j == len(r.Group)-1 {
				text = flagged(text, r.Flags)
			}
			lead = append(lead, text)
		}
		s.Row(lead, t.texts(r), r.Cells)
	}
	return s
}

// flagged writes a text with flags after it.
func flagged(text string, flags []Flag) string {
	if len(flags) == 0 {
		return text
	}
	return text + " (" + FlagText(flags) + ")"
}

// pivotShown shows a cross-tab.
func (a *Answer) pivotShown(t *Table) Shown {
	down := t.Each
	if len(t.By) > 0 {
		down = t.By[0]
	}
	sp := &a.Spans[t.Rows[0].Span]
	s := NewShown([]string{strings.ReplaceAll(t.Title, "_", " "), sp.Long()}, down)
	for i := range t.Columns {
		s.Column(t.Columns[i].Title, &t.Columns[i], i+1)
	}
	for i := range t.Rows {
		r := &t.Rows[i]
		lead := r.UnitText()
		if len(r.Group) > 0 {
			lead = LabelText(r.Group[0], a.Others)
		}
		s.Row([]string{lead}, t.texts(r), r.Cells)
	}
	return s
}

// texts are the cells of a row as people read them.
func (t *Table) texts(r *Row) []string {
	list := make([]string, len(t.Columns))
	for i := range list {
		list[i] = t.Columns[i].Format(r.Cells[i])
	}
	return list
}

// head names a column; what is derived from a figure is named by both where there are several figures.
func (t *Table) head(c *Column) string {
	figures, of := 0, ""
	for i := range t.Columns {
		if o := &t.Columns[i]; o.Role == Figure {
			if figures++; o.Figure == c.Figure && of == "" {
				of = o.Title
			}
		}
	}
	if c.Role == Figure || c.Role == Difference || c.Role == Change || figures == 1 {
		return c.Title // a difference and a change follow what they are from
	}
	return of + ", " + c.Title
}

// UnitText names the unit of a row, with its flags.
func (r *Row) UnitText() string {
	switch {
	case r.Unit == nil:
		return "all"
	}
	return flagged(r.Unit.Label, r.Flags)
}

// LongCells are the first and the last day as people write them, and how many there are; where any of an answer has times,
// the moments and how long they last.
func (e *Extent) LongCells(timed bool) []string {
	switch {
	case e.Moments == nil:
		days := DayCells(e.Intervals)
		if timed && e.Days != nil {
			days[2] = DayCount(*e.Days)
		}
		return []string{longDay(days[0]), longDay(days[1]), days[2]}
	case e.Moments.Empty():
		return []string{"no moments", "", ""}
	}
	b, length := e.Moments.Bounds(), ""
	if e.Seconds != nil {
		length = Length(*e.Seconds)
	}
	return []string{e.Moments.Long(b.Start), e.Moments.Long(b.End), length}
}

// Long writes an extent as people do: Tue 1 Sep 2026 to Wed 30 Sep 2026, 30 days.
func (e *Extent) Long() string {
	switch {
	case e.Moments != nil:
		return LongRuns(*e.Moments)
	case e.Intervals.Empty():
		return "no days"
	}
	cells := e.LongCells(false)
	text := cells[0]
	if cells[1] != cells[0] {
		text += " to " + cells[1]
	}
	if e.Days != nil {
		text += ", " + DayCount(*e.Days)
	}
	if n := e.Intervals.Len(); n > 1 {
		text += fmt.Sprintf(" in %d periods", n)
	}
	return text
}

// LongRuns writes the first and the last of some moments, and how many periods they are where there are several.
func LongRuns(z civil.Zoned) string {
	if z.Empty() {
		return "no moments"
	}
	b := z.Bounds()
	text := z.Long(b.Start) + " … " + z.Long(b.End)
	if n := z.Len(); n > 1 {
		text += fmt.Sprintf(" (%d periods)", n)
	}
	return text
}

// DayCount writes a number of days.
func DayCount(n int) string {
	if n == 1 {
		return "1 day"
	}
	return Thousands(strconv.Itoa(n)) + " days"
}

func longDay(s string) string {
	if d, err := civil.ParseDay(s); err == nil {
		return d.Long()
	}
	return s
}

// mostShortRuns is how many runs of days ShortDays names.
const mostShortRuns = 4

// ShortDays writes days in few words: 11 to 20 Sep 2026, 25 Dec 2026.
func ShortDays(s civil.Set) string {
	var parts []string
	for v := range s.Intervals() {
		if len(parts) == mostShortRuns {
			return strings.Join(parts, ", ") + fmt.Sprintf(" and %d more", s.Len()-mostShortRuns)
		}
		first, last := v.First(), v.Last()
		text := shortDay(last, true)
		year, month, day := first.Date()
		switch lastYear, lastMonth, _ := last.Date(); {
		case first == last:
		case year == lastYear && month == lastMonth:
			text = fmt.Sprintf("%d to %s", day, text)
		default:
			text = shortDay(first, year != lastYear) + " to " + text
		}
		parts = append(parts, text)
	}
	return strings.Join(parts, ", ")
}

func shortDay(d civil.Day, withYear bool) string {
	year, month, day := d.Date()
	text := fmt.Sprintf("%d %s", day, time.Month(month).String()[:3])
	if withYear {
		text += fmt.Sprintf(" %d", year)
	}
	return text
}
