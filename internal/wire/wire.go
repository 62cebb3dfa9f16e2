// Package wire puts answers of the use cases in the types of the HTTP interface, for the service to
// send and for the client to print alike.
package wire

import (
	"vastspan/api"
	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/span"
	"vastspan/core/tally"
	"vastspan/internal/service"
	"vastspan/internal/store"
	"vastspan/internal/tabular"
)

// optional gives a pointer to a value, nil for the zero value.
func optional[T comparable](v T) *T {
	var zero T
	if v == zero {
		return nil
	}
	return &v
}

// Intervals lists a set's intervals; a side that is open is null.
func Intervals(s civil.Set) []api.Interval {
	list := make([]api.Interval, 0, s.Len())
	for v := range s.Intervals() {
		var i api.Interval
		if v.Start != civil.Since {
			first := v.First()
			i.First = &first
		}
		if v.End != civil.Onward {
			last := v.Last()
			i.Last = &last
		}
		list = append(list, i)
	}
	return list
}

// Days counts a set's days; nil where it is open.
func Days(s civil.Set) *int {
	if s.Open() {
		return nil
	}
	n := s.Days()
	return &n
}

// ExpressionError gives a refused expression's error.
func ExpressionError(e *span.Error) api.ExpressionError {
	offers := e.Offers
	if offers == nil {
		offers = []string{}
	}
	return api.ExpressionError{Message: e.Message, Column: e.Column, Width: e.Width, Offers: offers}
}

// Resolution gives one expression's answer.
func Resolution(r service.Resolved) api.Resolution {
	out := api.Resolution{Expression: r.Text, Intervals: []api.Interval{}}
	if r.Err != nil {
		e := ExpressionError(r.Err)
		out.Error = &e
		return out
	}
	out.Intervals, out.Days = Intervals(r.Days), Days(r.Days)
	if r.Steps != nil {
		steps := make([]api.Step, len(r.Steps))
		for i, s := range r.Steps {
			steps[i] = api.Step{Depth: s.Depth, Words: s.Words, Note: optional(s.Note), Intervals: Intervals(s.Days)}
			if s.Note == "" {
				steps[i].Days = Days(s.Days)
			}
		}
		cautions := cautions(r.Cautions)
		out.Steps, out.Cautions = &steps, &cautions
	}
	return out
}

func cautions(list []span.Caution) []api.Caution {
	out := make([]api.Caution, len(list))
	for i, c := range list {
		out[i] = api.Caution{Kind: string(c.Kind), Text: c.Text}
	}
	return out
}

// ResolveAnswer gives the answer to many expressions.
func ResolveAnswer(r *service.Resolution) api.ResolveAnswer {
	out := api.ResolveAnswer{AsOf: r.AsOf, AtClose: r.AtClose, Calendar: r.Calendar, Resolutions: make([]api.Resolution, len(r.Resolved))}
	for i, one := range r.Resolved {
		out.Resolutions[i] = Resolution(one)
	}
	return out
}

// Span gives a named span.
func Span(s *service.Span) api.Span {
	return api.Span{
		Name: s.Name, Is: s.Is, Calendar: optional(s.Calendar), About: optional(s.About), Tags: orEmpty(s.Tags), Version: s.Version,
		Author: s.Author, Note: optional(s.Note), ChangedAt: s.ChangedAt, Users: orEmpty(s.Users),
	}
}

func orEmpty(list []string) []string {
	if list == nil {
		return []string{}
	}
	return list
}

// Calendar gives a calendar with its layout in words.
func Calendar(c *calendar.Calendar) api.Calendar {
	return api.Calendar{Name: c.Name(), Kind: api.CalendarKind(c.Spec().Kind), About: c.About()}
}

// Columns gives a schema's columns.
func Columns(s *tabular.Schema) []api.Column {
	out := make([]api.Column, len(s.Columns))
	for i, c := range s.Columns {
		out[i] = api.Column{Name: c.Name, Type: api.ColumnType(c.Type), Role: api.ColumnRole(c.Role)}
		if c.Type == tabular.Number {
			out[i].Decimals, out[i].Unit = &c.Decimals, optional(c.Unit)
			if c.Better != tabular.Neither {
				b := better(c.Better)
				out[i].Better = &b
			}
		}
	}
	return out
}

func better(b tabular.Better) api.Better {
	if b == tabular.Neither {
		return api.BetterNeither
	}
	return api.Better(b)
}

// Dataset gives a dataset with what it holds.
func Dataset(d *service.Dataset) api.Dataset {
	out := api.Dataset{
		Name: d.Name, Zone: d.Schema.Zone, Columns: Columns(&d.Schema), Records: d.Records + d.Undated, Undated: d.Undated,
		Version: d.Version, CreatedAt: d.CreatedAt, Numbers: optional(d.Schema.Numbers), Covers: optional(d.Schema.Covers),
		DateOrder: optional(api.DateOrder(d.Schema.DateOrder)),
	}
	out.FirstDay, out.LastDay = extentDays(d.Extent)
	return out
}

func extentDays(e tally.Extent) (oldest, newest *civil.Day) {
	if e.Records == 0 {
		return nil, nil
	}
	return &e.Oldest, &e.Newest
}

// Load gives a load.
func Load(l *store.Load) api.Load {
	out := api.Load{Id: l.ID, File: l.File, Author: l.Author, Records: l.Records, Undated: l.Undated, LandedAt: l.LandedAt, TakenBackAt: l.TakenBackAt}
	if l.FirstDay != nil && l.LastDay != nil {
		first, last := store.DayOf(*l.FirstDay), store.DayOf(*l.LastDay)
		out.FirstDay, out.LastDay = &first, &last
	}
	return out
}

// Faults gives the wrong values of a file.
func Faults(list []tabular.Fault) []api.Fault {
	out := make([]api.Fault, len(list))
	for i, f := range list {
		out[i] = api.Fault{Line: f.Line, Column: optional(f.Column), Value: optional(f.Value), Expected: f.Expected}
	}
	return out
}

// Preview gives what a file's columns would be taken for.
func Preview(p *service.Preview) api.Preview {
	samples := p.Samples
	if samples == nil {
		samples = [][]string{}
	}
	return api.Preview{Exists: p.Exists, Zone: p.Schema.Zone, Columns: Columns(&p.Schema), Samples: samples, Sampled: p.Sampled, Faults: Faults(p.Faults)}
}

// Total gives the figures of a total.
func Total(t *service.Total) api.Total {
	out := api.Total{
		Dataset: t.Dataset, Date: t.Date, AsOf: t.AsOf, AtClose: t.Question.AtClose, Calendar: t.Calendar, By: orEmpty(t.Question.By),
		Where: WriteFilters(t.Question.Where), Records: t.Extent.Records, Undated: t.Extent.Undated, Definitions: used(t.Used), Folded: optional(t.Folded),
	}
	out.OldestDay, out.NewestDay = extentDays(t.Extent)
	for _, f := range t.Question.Figures {
		out.Figures = append(out.Figures, figure(f, t.Schema))
	}
	for i := range t.Spans {
		s := &t.Spans[i]
		st := api.SpanTotal{
			Expression: s.Text, Intervals: Intervals(s.Days), Days: Days(s.Days), Cautions: cautions(s.Cautions),
			Total: totalRow(&s.Total), Rows: totalRows(s.Rows),
		}
		if t.Question.Edges {
			edges := totalRows(s.Edges)
			st.Edges = &edges
		}
		if len(s.Counterparts) > 0 {
			list := make([]api.Counterpart, len(s.Counterparts))
			for j, c := range s.Counterparts {
				list[j] = api.Counterpart{Against: c.Against, Dataset: optional(c.Dataset), Intervals: Intervals(c.Days), Days: Days(c.Days), Uneven: optional(c.Uneven), EvenHelps: optional(c.EvenHelps)}
			}
			st.Counterparts = &list
		}
		out.Spans = append(out.Spans, st)
	}
	return out
}

// figure names a figure and says how it is to be shown.
func figure(f tally.Figure, s *tabular.Schema) api.FigureInfo {
	out := api.FigureInfo{Name: f.Name(), Kind: string(f.Kind), Column: optional(f.Column), Better: api.BetterNeither}
	if c, ok := s.Column(f.Column); ok && c.Type == tabular.Number && f.Kind != tally.Distinct {
		out.Unit, out.Decimals, out.Better = optional(c.Unit), &c.Decimals, better(c.Better)
	}
	return out
}

func totalRows(rows []service.Row) []api.TotalRow {
	out := make([]api.TotalRow, len(rows))
	for i := range rows {
		out[i] = totalRow(&rows[i])
	}
	return out
}

func totalRow(r *service.Row) api.TotalRow {
	out := api.TotalRow{Group: group(r.Group), Values: values(r.Values)}
	over := make([]bool, len(r.Group))
	for i, l := range r.Group {
		over[i] = l.IsAll()
		if l.IsAll() {
			out.All = &over
		}
		if l.IsRest() {
			out.Rest = optional(true)
		}
	}
	if r.Unit != nil {
		out.Unit = &api.RowUnit{Label: r.Unit.Label, Intervals: Intervals(r.Unit.Days), Days: r.Unit.Days.Days(), Uneven: optional(r.Uneven),
			Partial: optional(r.Unit.Partial), Ahead: optional(r.Unit.Ahead), InProgress: optional(r.Unit.InProgress), Incomplete: optional(r.Incomplete)}
	}
	if r.Against != nil {
		list := make([][]api.Comparison, len(r.Against))
		for i, comparisons := range r.Against {
			list[i] = compared(comparisons)
		}
		out.Against = &list
	}
	if r.Previous != nil {
		list := compared(r.Previous)
		out.Previous = &list
	}
	out.Share, out.Running, out.Rolling = someValues(r.Share), someValues(r.Running), someValues(r.Rolling)
	return out
}

func compared(list []tally.Comparison) []api.Comparison {
	out := make([]api.Comparison, len(list))
	for i, c := range list {
		all := values([]tally.Value{c.Against, c.Difference, c.Change})
		out[i] = api.Comparison{Against: all[0], Difference: all[1], Change: all[2], Direction: api.ComparisonDirection(c.Direction)}
	}
	return out
}

// someValues gives values, nil where they were not asked for.
func someValues(list []tally.Value) *[]*api.Value {
	if list == nil {
		return nil
	}
	out := values(list)
	return &out
}

// Lineup gives several lines, lined up.
func Lineup(up *service.Lineup) api.Lineup {
	out := api.Lineup{AsOf: up.AsOf, AtClose: up.Question.AtClose, Calendar: up.Calendar, Each: up.Question.Each, Running: optional(up.Question.Running),
		Positions: make([]api.LinePosition, len(up.Positions))}
	for _, l := range up.Lines {
		out.Lines = append(out.Lines, api.LineTotal{Label: l.Label, Against: optional(l.Against), Total: Total(l.Total)})
	}
	for i, p := range up.Positions {
		one := api.LinePosition{Number: p.Number, Label: p.Label, Rows: make([]*api.TotalRow, len(p.Rows))}
		for j, r := range p.Rows {
			if r != nil {
				row := totalRow(r)
				one.Rows[j] = &row
			}
		}
		out.Positions[i] = one
	}
	return out
}

func group(labels []tally.Label) []*string {
	out := make([]*string, len(labels))
	for i, l := range labels {
		if l.Set {
			out[i] = &l.Text
		}
	}
	return out
}

func values(list []tally.Value) []*api.Value {
	out := make([]*api.Value, len(list))
	for i, v := range list {
		if v.Set {
			text := v.String()
			out[i] = &text
		}
	}
	return out
}

// WriteFilters gives filters.
func WriteFilters(where []tally.Filter) []api.Filter {
	out := make([]api.Filter, len(where))
	for i, f := range where {
		test := api.FilterTest(f.Test)
		out[i] = api.Filter{Column: f.Column, Test: &test, Values: group(f.Values)}
	}
	return out
}

// Page gives a page of records.
func Page(p *service.Page, atClose bool) api.RecordsPage {
	out := api.RecordsPage{
		Dataset: p.Dataset.Name, Date: p.Date, AsOf: p.AsOf, AtClose: atClose, Expression: p.Span.Text, Intervals: Intervals(p.Span.Days), Days: Days(p.Span.Days),
		Columns: Columns(&p.Dataset.Schema), Count: p.Count, Undated: p.Undated, Next: optional(p.Next), Where: WriteFilters(p.Where),
		Records: records(p.Records), Sums: make([]api.ColumnSum, len(p.Sums)), Running: someValues(p.Running),
	}
	sums := values(p.Sums)
	for i, name := range p.Amounts {
		out.Sums[i] = api.ColumnSum{Column: name, Sum: sums[i]}
	}
	return out
}

func records(list []store.Record) [][]*string {
	out := make([][]*string, len(list))
	for i, r := range list {
		row := make([]*string, len(r.Cells))
		for j, c := range r.Cells {
			if c.Valid {
				row[j] = &c.String
			}
		}
		out[i] = row
	}
	return out
}

// Edges gives the records around the edges of a span.
func Edges(e *service.Edges, atClose bool) api.EdgesAnswer {
	out := api.EdgesAnswer{
		Dataset: e.Dataset.Name, Date: e.Date, AsOf: e.AsOf, AtClose: atClose, Expression: e.Span.Text, Intervals: Intervals(e.Span.Days), Days: Days(e.Span.Days),
		Columns: Columns(&e.Dataset.Schema), Edges: make([]api.Edge, len(e.Edges)),
	}
	for i, edge := range e.Edges {
		out.Edges[i] = api.Edge{Day: edge.Day, Begins: edge.Begins, Before: records(edge.Before), From: records(edge.From)}
	}
	return out
}
