package print

import (
	"slices"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/query"
	"vastspan/core/table"
)

// Answer draws the answer to a query: a table or cross-tabs, then the notes.
func (p *Printer) Answer(a *query.Answer) {
	p.Tables(&a.Answer)
	p.Linef("")
	p.Notes(a.Notes)
}

// Tables draws the tables of an answer.
func (p *Printer) Tables(a *table.Answer) {
	for i := range a.Tables {
		t := &a.Tables[i]
		if t.Across != "" {
			if i > 0 {
				p.Linef("")
			}
			sp := &a.Spans[t.Rows[0].Span]
			p.Linef("%s\n%s\n", strings.ReplaceAll(t.Title, "_", " "), Extent(&sp.Extent))
			p.pivot(a, t)
			continue
		}
		p.list(a, t)
	}
}

// Notes writes what shaped the figures, and what to be careful with.
func (p *Printer) Notes(notes []table.Note) {
	for _, n := range notes {
		lead := ""
		if n.Level == table.Caution {
			lead = "caution: "
		}
		remedy := ""
		if n.Aligns {
			remedy = "; --like-for-like makes both sides end at the same day"
		}
		line := lead + n.Text + remedy
		if n.Level == table.Warning {
			line = p.paint(text.FgYellow, line)
		}
		p.Linef("%s", line)
	}
}

// list draws a row for each span, unit and group, and last the total.
func (p *Printer) list(a *table.Answer, t *table.Table) {
	g := &table.Grid{Header: []string{"span", "first_day", "last_day", "days"}}
	l := Look{Right: Right(3)}
	timed := a.Timed()
	switch each, _ := calendar.ParseAnyUnit(t.Each); {
	case t.Each != "" && each.OfClock(): // the unit says when
		g.Header, l = g.Header[:1], Look{Right: map[int]bool{}}
	case timed:
		g.Header = []string{"span", "from", "until", "length"}
	}
	extent := len(g.Header) > 1
	if beside := a.Beside.Names(); len(beside) > 0 {
		g.Header = slices.Concat(beside, g.Header)
		l.Right = map[int]bool{len(g.Header) - 1: extent}
	}
	if t.Each != "" {
		g.Header = append(g.Header, t.Each)
	}
	g.Header = append(g.Header, t.By...)
	lead := len(g.Header)
	for i, c := range t.Columns {
		l.Right[lead+i] = true
		g.Header = append(g.Header, p.head(t, &c))
	}
	for i := range t.Rows {
		r := &t.Rows[i]
		if r.Kind == table.Subtotal {
			continue
		}
		cells := append(slices.Clone(a.Beside.Cells(r.Span)), a.Spans[r.Span].Expression)
		if extent {
			cells = append(cells, ExtentCells(&r.Extent, timed)...)
		}
		if t.Each != "" {
			cells = append(cells, unit(r))
		}
		for j, label := range r.Group {
			if r.Kind == table.Total && (j > 0 || t.Each != "") {
				cells = append(cells, "")
				continue
			}
			cells = append(cells, table.LabelText(label, a.Others))
		}
		for j := range t.Columns {
			cells = append(cells, p.cell(&t.Columns[j], r.Cells[j]))
		}
		g.Rows = append(g.Rows, cells)
	}
	p.Table(g, l)
}

// ExtentCells are those of days, and where any of an answer has times those of moments.
func ExtentCells(e *table.Extent, timed bool) []string {
	switch {
	case e.Moments == nil:
		days := table.DayCells(e.Intervals)
		if timed && e.Days != nil {
			days[2] = Number(int64(*e.Days), "day")
		}
		return []string{Day(days[0]), Day(days[1]), days[2]}
	case e.Moments.Empty():
		return []string{"no moments", "", ""}
	}
	b, length := e.Moments.Bounds(), ""
	if e.Seconds != nil {
		length = table.Length(*e.Seconds)
	}
	return []string{e.Moments.Long(b.Start), e.Moments.Long(b.End), length}
}

// Extent writes which days or moments something is of, on one line.
func Extent(e *table.Extent) string {
	if e.Moments != nil {
		return Runs(*e.Moments)
	}
	days := table.DayCells(e.Intervals)
	return Day(days[0]) + " to " + Day(days[1])
}

// AnswerAsOf writes as of when an answer is, and in which calendar.
func AnswerAsOf(a *table.Answer) string {
	if a.AsOfMoment != "" && a.Timed() {
		if clock, err := civil.ReadClock(a.Zone, a.DayStarts); err == nil {
			if at, err := clock.Parse(a.AsOfMoment); err == nil {
				return AsOf(civil.AsOf{Clock: clock, Day: a.AsOf, Moment: at.Moment, Timed: true}, a.AtClose, a.Calendar) +
					", zone " + clock.String()
			}
		}
	}
	text := AsOf(a.AsOf, a.AtClose, a.Calendar)
	if a.Zone != "" && a.Timed() {
		text += ", zone " + a.Zone
	}
	return text
}

// head names a column; what is derived from a figure is named by both where there are several figures.
func (p *Printer) head(t *table.Table, c *table.Column) string {
	if c.Role == table.Figure || c.Role == table.Difference || c.Role == table.Change || onlyOne(t) {
		return c.Title // a difference and a change stand behind what they are from
	}
	return t.Columns[figureOf(t, c)].Title + ", " + c.Title
}

func onlyOne(t *table.Table) bool {
	n := 0
	for _, c := range t.Columns {
		if c.Role == table.Figure {
			n++
		}
	}
	return n == 1
}

// figureOf returns the position of the column that a column is derived from.
func figureOf(t *table.Table, c *table.Column) int {
	for i := range t.Columns {
		if t.Columns[i].Figure == c.Figure && t.Columns[i].Role == table.Figure {
			return i
		}
	}
	return 0
}

// unit names the unit of a row, with its flags.
func unit(r *table.Row) string {
	if r.Unit == nil {
		return "all"
	}
	if len(r.Flags) > 0 {
		return r.Unit.Label + " (" + table.FlagText(r.Flags) + ")"
	}
	return r.Unit.Label
}

// pivot draws a cross-tab.
func (p *Printer) pivot(a *table.Answer, t *table.Table) {
	down := t.Each
	if len(t.By) > 0 {
		down = t.By[0]
	}
	g := &table.Grid{Header: []string{down}}
	l := Look{Right: map[int]bool{}}
	for i, c := range t.Columns {
		l.Right[i+1] = true
		g.Header = append(g.Header, c.Title)
	}
	for i := range t.Rows {
		r := &t.Rows[i]
		row := []string{unit(r)}
		if len(r.Group) > 0 {
			row[0] = table.LabelText(r.Group[0], a.Others)
		}
		for j := range t.Columns {
			row = append(row, p.cell(&t.Columns[j], r.Cells[j]))
		}
		g.Rows = append(g.Rows, row)
	}
	p.Table(g, l)
}

// cell writes a cell; on a terminal the colour of a change says whether it is good.
func (p *Printer) cell(c *table.Column, v decimal.Value) string {
	shown := c.Format(v)
	if c.Role != table.Change || !v.Set || v.Sign() == 0 || c.Better == dataset.Neither {
		return shown
	}
	if (v.Sign() > 0) == (c.Better == dataset.Higher) {
		return p.paint(text.FgGreen, shown)
	}
	return p.paint(text.FgRed, shown)
}

// Lineup draws lines: positions down, lines across, then what each line is.
func (p *Printer) Lineup(up *query.Lineup) {
	g := &table.Grid{Header: []string{up.Each}}
	l := Look{Right: map[int]bool{}}
	for i, c := range up.Table.Columns {
		l.Right[i+1] = true
		g.Header = append(g.Header, c.Title)
	}
	for i := range up.Table.Rows {
		r := &up.Table.Rows[i]
		row := []string{unit(r)}
		for j := range up.Table.Columns {
			c, v := &up.Table.Columns[j], r.Cells[j]
			cell := ""
			if v.Set || len(r.CellFlags[j]) > 0 {
				cell = p.cell(c, v)
			}
			if c.Role != table.Change && len(r.CellFlags[j]) > 0 {
				cell += " (" + table.FlagText(r.CellFlags[j]) + ")"
			}
			row = append(row, cell)
		}
		g.Rows = append(g.Rows, row)
	}
	p.Table(g, l)
	p.Linef("")
	for i := range up.Lines {
		a := up.Lines[i].Answer
		p.Linef(
			"%s: %s of %s by %s, %s, %s",
			up.Lines[i].Label,
			a.Query.Figures[0].Words(),
			a.Dataset,
			a.Date,
			a.Spans[0].Expression,
			Extent(&a.Spans[0].Extent),
		)
		var notes []table.Note
		for _, n := range a.Notes {
			if n.Code == table.Filtered || n.Level != table.Info {
				notes = append(notes, n)
			}
		}
		p.Notes(notes)
	}
	p.Notes(table.Legends([]table.Table{up.Table}))
}

// bars are the heights of a spark line.
var bars = []rune("▁▂▃▄▅▆▇█")

// Spark draws the first figure of rows by unit as bars of a line of text; blanks are gaps.
func Spark(rows []table.Row) string {
	least, most := 0.0, 0.0
	values := make([]*float64, 0, len(rows))
	for i := range rows {
		if rows[i].Kind != table.Group {
			continue
		}
		v, err := rows[i].Cells[0].Decimal.Float64()
		if err != nil || !rows[i].Cells[0].Set {
			values = append(values, nil)
			continue
		}
		values = append(values, &v)
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
