package query

import (
	"context"
	"fmt"
	"slices"
	"strconv"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/table"
)

// A Line is one figure over one span, broken down into units: actual so far, last year, a plan.
type Line struct {
	Label string `json:"label" yaml:"label"`
	Query `                    yaml:",inline"`
}

// Lines asks for several lines, lined up by the position of the unit in the year.
type Lines struct {
	Lines   []Line `json:"lines"             yaml:"lines"`
	Each    string `json:"each"              yaml:"each"`
	Align   string `json:"align,omitempty"   yaml:"align,omitempty"`   // the event that days are counted from
	Running string `json:"running,omitempty" yaml:"running,omitempty"` // each line adds up from the start of this unit, or of its span
	Context `                                yaml:",inline"`
}

// MaxLines is how many lines can be lined up.
const MaxLines = 20

// A Lineup is the answer: positions down, lines across.
type Lineup struct {
	Each     string       `json:"each"`
	Running  string       `json:"running,omitempty"`
	AsOf     civil.Day    `json:"as_of"`
	AtClose  bool         `json:"at_close"`
	Calendar string       `json:"calendar"`
	Lines    []LineAnswer `json:"lines"`
	Table    table.Table  `json:"table"`

	positions []position
}

// A LineAnswer is one line with its own answer, by unit.
type LineAnswer struct {
	Label string `json:"label"`
	*Answer
}

// A position is a place in the year, with the row of each line that has one there; -1 for none.
type position struct {
	number int // 1 is the first unit of the year; a span that runs on into the next year counts on
	label  string
	rows   []int
}

// ReadClock sets the clock of the moments of a lineup that was read from JSON.
func (up *Lineup) ReadClock() error {
	for i := range up.Lines {
		if err := up.Lines[i].ReadClock(); err != nil {
			return err
		}
	}
	return nil
}

// Queries checks lines and returns the query that each asks, in the context of all of them.
func (l *Lines) Queries() ([]Query, error) {
	if n := len(l.Lines); n < 1 || n > MaxLines {
		return nil, errorAt(fmt.Errorf("%d lines are given; expected 1 to %d", n, MaxLines), "/lines")
	}
	if l.Each == "" {
		return nil, errorAt(fmt.Errorf("lines need each: the unit that they are lined up by"), "/each")
	}
	var labels []string
	queries := make([]Query, len(l.Lines))
	for i := range l.Lines {
		line := &l.Lines[i]
		if line.Label == "" {
			line.Label = fmt.Sprintf("line %d", i+1)
		}
		switch {
		case slices.Contains(labels, line.Label):
			return nil, errorAt(fmt.Errorf("two lines have the label %q", line.Label), "/lines/%d/label", i)
		case line.Dataset == "" || len(line.Over) != 1 || len(line.Figures) != 1:
			return nil, errorAt(
				fmt.Errorf("line %s: expected a dataset, one span (over) and one figure (figures)", line.Label),
				"/lines/%d",
				i,
			)
		case len(line.By) > 0 || len(line.Against)+len(line.AgainstDataset) > 1:
			return nil, errorAt(
				fmt.Errorf("line %s: a line takes no categories and is compared with one thing at most", line.Label),
				"/lines/%d",
				i,
			)
		}
		labels = append(labels, line.Label)
		queries[i] = line.Query
		queries[i].Each, queries[i].Align, queries[i].Running, queries[i].Context = l.Each, l.Align, l.Running, l.Context
	}
	return queries, nil
}

// Answer answers several lines. find returns the records of each.
func (e Evaluator) Lines(ctx context.Context, l Lines) (*Lineup, error) {
	queries, err := l.Queries()
	if err != nil {
		return nil, err
	}
	up := &Lineup{AsOf: e.Scope.AsOf, AtClose: e.Scope.AtClose, Calendar: e.Scope.Calendar.Name()}
	about := func(i int, err error) error {
		if wrong, ok := err.(*Error); ok {
			return errorAt(fmt.Errorf("line %s: %w", l.Lines[i].Label, wrong.Err), "/lines/%d%s", i, wrong.Pointer)
		}
		return fmt.Errorf("line %s: %w", l.Lines[i].Label, err)
	}
	plans := make([]*plan, len(queries))
	for i, q := range queries {
		records, err := e.Find(ctx, q.Dataset)
		if err != nil {
			return nil, about(i, err)
		}
		if plans[i], err = e.ask(ctx, q, records); err != nil {
			return nil, about(i, err)
		}
	}
	if err := disclose(ctx, plans...); err != nil { // lines are shown together
		return nil, err
	}
	for i, p := range plans {
		a, err := p.finish(ctx)
		if err != nil {
			return nil, about(i, err)
		}
		up.Lines = append(up.Lines, LineAnswer{l.Lines[i].Label, a})
		up.Each, up.Running = a.Query.Each, a.Query.Running
	}
	if err := up.lineUp(e.Scope.Calendar); err != nil {
		return nil, errorAt(err, "/each")
	}
	up.layOut()
	return up, nil
}

// rows returns a line's rows, but for its total.
func (l *LineAnswer) rows() []table.Row {
	rows := l.Tables[0].Rows
	if n := len(rows); n > 0 && rows[n-1].Kind == table.Total {
		return rows[:n-1]
	}
	return rows
}

// lineUp puts each row at the position of its unit in the year.
func (up *Lineup) lineUp(cal *calendar.Calendar) error {
	each, _ := calendar.ParseUnit(up.Each) // it has been read by each line
	places := map[int]*position{}
	for i := range up.Lines {
		rows := up.Lines[i].rows()
		if len(rows) == 0 {
			continue
		}
		first, err := positionOf(cal, each, rows[0].Unit.FirstDay, rows[0].Intervals)
		if err != nil {
			return err
		}
		if up.Lines[i].Query.Align != "" {
			if first, err = strconv.Atoi(rows[0].Unit.Label); err != nil {
				return err
			}
		}
		for j := range rows {
			p := places[first+j]
			if p == nil {
				p = &position{number: first + j, rows: slices.Repeat([]int{-1}, len(up.Lines))}
				places[p.number] = p
			}
			p.rows[i] = j
			name, err := cal.UnitName(each, rows[j].Unit.FirstDay)
			if err != nil {
				return err
			}
			if up.Lines[i].Query.Align != "" {
				name = rows[j].Unit.Label
			}
			if p.label == "" {
				p.label = name
			}
			if p.label != name || name == "" { // its units have no name in common
				p.label = fmt.Sprintf("%s %d", each, p.number)
			}
		}
	}
	for _, p := range places {
		up.positions = append(up.positions, *p)
	}
	slices.SortFunc(up.positions, func(a, b position) int { return a.number - b.number })
	return nil
}

// positionOf returns a unit's number in its year, from 1. A week that belongs to the year before that
// in which the span begins is 0: the year's own first week stays the first.
func positionOf(cal *calendar.Calendar, u calendar.Unit, start civil.Day, days civil.Set) (int, error) {
	if u == calendar.Year {
		return 1, nil
	}
	if u == calendar.Week {
		of, err := cal.Index(calendar.Year, start+3) // a week belongs to the year of its fourth day
		if err != nil {
			return 0, err
		}
		if own, err := cal.Index(calendar.Year, days.Bounds().First()); err != nil || of < own {
			return 0, err
		}
	}
	return cal.Number(u, calendar.Year, start)
}

// value is the position of the column that a line shows: running where it runs, else the figure.
func (up *Lineup) value(line int) int {
	return slices.IndexFunc(up.Lines[line].Tables[0].Columns, func(c table.Column) bool {
		return c.Role == table.Running || up.Running == "" && c.Role == table.Figure
	})
}

// change is the position of a line's change; -1 where it is not compared.
func (up *Lineup) change(line int) int {
	return slices.IndexFunc(up.Lines[line].Tables[0].Columns, func(c table.Column) bool { return c.Role == table.Change })
}

// layOut makes the table: a row for each position, for each line a column and where it is compared its
// change.
func (up *Lineup) layOut() {
	t := &up.Table
	t.Each, t.By, t.Rows = up.Each, []string{}, []table.Row{}
	for i := range up.Lines {
		columns := up.Lines[i].Tables[0].Columns
		c := columns[up.value(i)]
		c.ID, c.Title, c.Figure = "line_"+strconv.Itoa(i+1), up.Lines[i].Label, i
		t.Columns = append(t.Columns, c)
		if at := up.change(i); at >= 0 {
			c := columns[at]
			c.ID, c.Title, c.Figure = "line_"+strconv.Itoa(i+1)+"_change", "change from "+c.Comparison, i
			t.Columns = append(t.Columns, c)
		}
	}
	add := func(row table.Row, rows []*table.Row) {
		for i, r := range rows {
			at := []int{up.value(i)}
			if row.Kind == table.Total {
				at[0] = 0 // what runs on ends in the figure
			}
			if change := up.change(i); change >= 0 {
				at = append(at, change)
			}
			for _, column := range at {
				var v decimal.Value
				var flags []table.Flag
				if r != nil {
					v, flags = r.Cells[column], r.Flags
				}
				row.Cells, row.CellFlags = append(row.Cells, v), append(row.CellFlags, flags)
			}
		}
		t.Rows = append(t.Rows, row)
	}
	for _, p := range up.positions {
		rows := make([]*table.Row, len(up.Lines))
		for i, j := range p.rows {
			if j >= 0 {
				rows[i] = &up.Lines[i].rows()[j]
			}
		}
		add(
			table.Row{Key: fmt.Sprintf("p%d", p.number), Kind: table.Group, Unit: &table.Unit{Label: p.label}, Group: []dataset.Label{}},
			rows,
		)
	}
	totals := make([]*table.Row, len(up.Lines))
	for i := range up.Lines {
		rows := up.Lines[i].Tables[0].Rows
		totals[i] = &rows[len(rows)-1]
	}
	add(table.Row{Key: "total", Kind: table.Total, Group: []dataset.Label{}}, totals)
}

// Grid returns a row for each position and line, as CSV has them.
func (up *Lineup) Grid() *table.Grid {
	g := &table.Grid{Header: []string{"position", "line", "unit", "first_day", "last_day", "days", "value"}}
	if up.Running != "" {
		g.Header = append(g.Header, "value_running")
	}
	compared := slices.ContainsFunc(up.Lines, func(l LineAnswer) bool { return len(l.Spans[0].Comparisons) > 0 })
	if compared {
		g.Header = append(g.Header, "value_compared", "value_difference", "value_change")
	}
	g.Header = append(g.Header, "flags")
	for _, p := range up.positions {
		for i, j := range p.rows {
			if j < 0 {
				continue
			}
			t := &up.Lines[i].Tables[0]
			r := &t.Rows[j]
			byRole := func(roles ...table.Role) (cells []string) {
				for _, role := range roles {
					cell := ""
					if at := slices.IndexFunc(t.Columns, func(c table.Column) bool { return c.Role == role }); at >= 0 {
						cell = r.Cells[at].String()
					}
					cells = append(cells, cell)
				}
				return cells
			}
			row := append([]string{strconv.Itoa(p.number), up.Lines[i].Label, r.Unit.Label}, table.DayCells(r.Intervals)...)
			row = append(row, byRole(table.Figure)...)
			if up.Running != "" {
				row = append(row, byRole(table.Running)...)
			}
			if compared {
				row = append(row, byRole(table.Counterpart, table.Difference, table.Change)...)
			}
			g.Rows = append(g.Rows, append(row, table.FlagText(r.Flags)))
		}
	}
	return g
}

// Document returns lines as they are taken away.
func (up *Lineup) Document() *table.Document {
	d := &table.Document{Name: "lines", Title: "lines", All: up.Grid(), Show: func() []table.Shown { return []table.Shown{up.Shown()} }}
	d.About = table.AsOfFacts(up.AsOf, up.AtClose, up.Calendar)
	for i := range up.Lines {
		d.About = append(d.About, up.Lines[i].about()...)
	}
	return d
}

// about returns what a line rests on, as facts of the line.
func (l *LineAnswer) about() []table.Fact {
	facts := []table.Fact{{Name: "line", Of: l.Label, Text: l.Query.Figures[0].Words() + " of " + l.Dataset + " by " + l.Date}}
	sp := &l.Spans[0]
	facts = append(facts, table.Fact{Name: "span", Of: l.Label, Text: sp.Expression + ": " + sp.Text()})
	for _, c := range sp.Comparisons {
		facts = append(facts, table.Fact{Name: "compared with", Of: l.Label, Text: c.Name + ": " + c.Text()})
	}
	for _, f := range table.NoteFacts(l.Notes) {
		f.Of = l.Label
		facts = append(facts, f)
	}
	return facts
}

// Shown returns the lines as people read them: positions down, lines across. A flag follows its cell.
func (up *Lineup) Shown() table.Shown {
	s := table.NewShown(nil, up.Each)
	t := &up.Table
	for i := range t.Columns {
		s.Column(t.Columns[i].Title, &t.Columns[i], t.Columns[i].Figure+1)
	}
	for i := range t.Rows {
		r := &t.Rows[i]
		texts := make([]string, len(t.Columns))
		for j := range t.Columns {
			c, v := &t.Columns[j], r.Cells[j]
			if v.Set || len(r.CellFlags[j]) > 0 {
				texts[j] = c.Format(v)
			}
			if c.Role != table.Change && len(r.CellFlags[j]) > 0 {
				texts[j] += " (" + table.FlagText(r.CellFlags[j]) + ")"
			}
		}
		s.Row([]string{r.UnitText()}, texts, r.Cells)
	}
	return s
}
