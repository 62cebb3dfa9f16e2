package query

import (
	"context"
	"fmt"
	"math/big"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/event"
	"vastspan/core/measure"
	"vastspan/core/span"
	"vastspan/core/table"
	"vastspan/core/tally"
)

// record is one record of the tests: a day, the values of its categories and its amounts, in the order of
// the columns; an empty value is blank.
type record struct {
	day     civil.Day
	group   []string
	amounts []string
}

// memory is a source that reads a list of records one after the other.
type memory struct {
	schema  *dataset.Schema
	records []record
}

// as names the records.
func (m memory) as(name string) Records {
	return Records{Name: name, Schema: m.schema, Source: m, Covered: func(_ context.Context, date string) (tally.Coverage, error) {
		var c tally.Coverage
		at, err := m.schema.DateColumn(date)
		if err != nil || at != m.schema.Day() {
			return c, err
		}
		for _, r := range m.records {
			c.Add(r.day)
		}
		return c, nil
	}, Days: func(context.Context, string) (civil.Set, error) {
		var days []civil.Interval
		for _, r := range m.records {
			days = append(days, civil.One(r.day))
		}
		return civil.Union(days...), nil
	}}
}

func (m memory) Partials(_ context.Context, p *tally.Plan, into tally.Collector) (tally.Found, error) {
	var found tally.Found
	var groups tally.Groups
	pass, err := m.schema.Predicate(p.Where)
	if err != nil {
		return found, err
	}
	for i, r := range m.records {
		cells := make([]dataset.Cell, len(m.schema.Columns))
		cells[0] = dataset.Cell{Set: true, Day: r.day}
		for j, text := range append(slices.Clone(r.group), r.amounts...) {
			cells[j+1] = dataset.Cell{Set: text != "", Text: text}
		}
		if !pass(cells) {
			continue
		}
		found.Add(r.day)
		segment := p.Segment(int64(r.day))
		if !p.Wanted(segment) {
			continue
		}
		var labels []dataset.Label
		for _, at := range m.schema.Indexes(p.By) {
			labels = append(labels, cells[at].Label())
		}
		part := p.NewPart()
		part.AddDays(1, r.day, r.day)
		part.Count = 1
		for j, a := range p.Amounts {
			if c := &cells[m.schema.Indexes([]string{a.Column})[0]]; c.Set {
				if err := part.Sums[j].AddCell(c); err != nil {
					return found, err
				}
				if d, err := c.Decimal(); part.First != nil && err == nil {
					part.First[j] = measure.Point{Set: true, At: int64(r.day), Sequence: int64(i), Value: *d}
					part.Last[j] = part.First[j]
				}
			}
		}
		g := groups.Group([]byte(dataset.GroupKey(labels)), len(p.Cuts)+1, func() []dataset.Label { return labels })
		if g.Parts[segment] == nil {
			g.Parts[segment] = part
		} else if err := g.Parts[segment].Merge(part); err != nil {
			return found, err
		}
	}
	for f := range groups.Partials {
		if err := into.Partial(*f); err != nil {
			return found, err
		}
	}
	return found, nil
}

// sales returns records as a dataset of sales: day, region, amount.
func sales(list []sale) Records {
	schema := &dataset.Schema{Columns: []dataset.Column{
		{Name: "day", Type: dataset.Date, Role: dataset.DayRole}, {Name: "region", Type: dataset.Text, Role: dataset.Category},
		{Name: "amount", Type: dataset.Number, Role: dataset.Amount, Decimals: 2},
	}}
	m := memory{schema: schema}
	for _, s := range list {
		r := record{s.day, []string{s.region}, []string{fmt.Sprintf("%.2f", float64(s.cents)/100)}}
		if s.blank {
			r.amounts[0] = ""
		}
		m.records = append(m.records, r)
	}
	return m.as("sales")
}

// names knows the calendars of the tests.
type names map[string]*calendar.Calendar

func (n names) Span(name string) (span.Node, *calendar.Calendar, error) {
	return nil, nil, fmt.Errorf("no span is named @%s", name)
}

func (n names) Calendar(name string) (*calendar.Calendar, error) {
	if c, ok := n[name]; ok {
		return c, nil
	}
	return nil, fmt.Errorf("no calendar is named %s", name)
}

func (n names) Event(name string) (*event.List, error) {
	return nil, fmt.Errorf("no event list is named %s", name)
}

func calendars(t *testing.T) names {
	t.Helper()
	list := names{"": calendar.Civil, "civil": calendar.Civil}
	for _, s := range []calendar.Spec{
		{Name: "april", Kind: calendar.KindMonths, YearStarts: "04-01", YearLabel: "starting"},
		{Name: "trade", Kind: calendar.KindWeeks, Pattern: "4-4-5", YearLabel: "starting", YearEnds: &calendar.YearEnds{Day: "saturday", Rule: "nearest", Month: "january"}},
	} {
		c, err := calendar.Build(s, nil)
		if err != nil {
			t.Fatal(err)
		}
		list[s.Name] = c
	}
	return list
}

// evaluator reads a query as of a day.
func evaluator(t *testing.T, asOf civil.Day, q *Query) Evaluator {
	t.Helper()
	list := calendars(t)
	return Evaluator{Scope: span.Scope{AsOf: asOf, AtClose: q.AtClose, Calendar: list[q.Calendar], Names: list}}
}

var countAndSum = []measure.Figure{{Kind: measure.Count}, {Kind: measure.Sum, Column: "amount"}}

func ask(t *testing.T, list []sale, asOf civil.Day, q Query) (*Answer, error) {
	t.Helper()
	if q.Figures == nil {
		q.Figures = countAndSum
	}
	return evaluator(t, asOf, &q).Answer(context.Background(), q, sales(list))
}

// cells returns the cells of some columns of a row, one after the other.
func cells(a *Answer, r table.Row, ids ...string) string {
	var list []string
	for _, id := range ids {
		at := slices.IndexFunc(a.Tables[0].Columns, func(c table.Column) bool { return c.ID == id })
		if at < 0 {
			return "no column " + id
		}
		list = append(list, r.Cells[at].String())
	}
	return strings.Join(list, " ")
}

// rowsOf returns the rows of a kind.
func rowsOf(a *Answer, k table.Kind) []table.Row {
	var rows []table.Row
	for _, r := range a.Tables[0].Rows {
		if r.Kind == k {
			rows = append(rows, r)
		}
	}
	return rows
}

// sale is one record of the tests.
type sale struct {
	day    civil.Day
	region string
	cents  int64
	blank  bool
}

func randomSales(rng *rand.Rand, n int) []sale {
	list := make([]sale, n)
	for i := range list {
		list[i] = sale{
			civil.Of(2024, 11, 1) + civil.Day(rng.IntN(500)),
			[]string{"North", "South", ""}[rng.IntN(3)],
			int64(rng.IntN(20000) - 2000),
			rng.IntN(9) == 0,
		}
	}
	return list
}

// naive counts and adds up, record by record: "count sum", the sum blank where there is no amount.
func naive(list []sale, days civil.Set, region *string) string {
	count, some, sum := 0, false, int64(0)
	for _, s := range list {
		if days.Contains(s.day) && (region == nil || s.region == *region) {
			count++
			if !s.blank {
				some, sum = true, sum+s.cents
			}
		}
	}
	if !some {
		return fmt.Sprintf("%d ", count)
	}
	return fmt.Sprintf("%d %s", count, big.NewRat(sum, 100).FloatString(2))
}
