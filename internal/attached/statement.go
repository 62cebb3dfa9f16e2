package attached

import (
	"embed"
	"fmt"
	"slices"
	"strings"
	"text/template"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/tally"
)

//go:embed sql/*.sql
var statements embed.FS

var templates = template.Must(template.New("").Funcs(template.FuncMap{
	"join": func(list []string, by string) string { return strings.Join(list, by) },
}).ParseFS(statements, "sql/*.sql"))

// statement writes a statement from its template; what a template is given it can take.
func statement(name string, data any) string {
	var b strings.Builder
	if err := templates.ExecuteTemplate(&b, name+".sql", data); err != nil {
		panic(err)
	}
	return strings.TrimSpace(b.String())
}

// A source is a table with the dataset whose records it holds.
type source struct {
	*Database
	table  *Table
	schema *dataset.Schema
	clock  civil.Clock
}

// column finds how a column of the schema is kept. It has been checked.
func (s *source) column(name string) *Column { return s.table.column(name) }

func (s *source) sql(name string) string { return s.dialect.name(name) }

// dateColumn is the column of a date; empty is the one that the records are kept by.
func (s *source) dateColumn(date string) *Column {
	if date == "" {
		date = s.schema.Columns[s.schema.Day()].Name
	}
	return s.column(date)
}

// An axis is the time of a column: days, or moments.
type axis struct {
	*source
	*Column
	timed bool // it is asked in moments
}

// at is an edge of the plan's time as the column has it: of a column of times, days begin at moments.
func (a axis) at(edge int64) civil.Moment {
	if a.Form == Day || a.timed {
		return civil.Moment(edge)
	}
	return a.clock.StartOf(civil.Day(edge))
}

func (a axis) edge(at int64) string { return a.dialect.edge(a.Column, a.at(at), a.clock) }

// segment is the SQL of the segment of a record among cuts: a tree of comparisons with the column as it is.
func (a axis) segment(cuts []int64, first int) string {
	if len(cuts) == 0 {
		return fmt.Sprint(first)
	}
	middle := len(cuts) / 2
	return "CASE WHEN " + a.sql(a.Name) + " < " + a.edge(cuts[middle]) + " THEN " + a.segment(cuts[:middle], first) +
		" ELSE " + a.segment(cuts[middle+1:], first+middle+1) + " END"
}

// maxRanges is how many runs of time a statement names; of more, the bounds alone.
const maxRanges = 32

// within keeps what is in some runs of time, each half-open: what an index or a partition can serve.
func (a axis) within(list []tally.Stretch) []string {
	if len(list) == 0 {
		return []string{"1 = 0"}
	}
	conditions := a.run(tally.Stretch{Start: list[0].Start, End: list[len(list)-1].End})
	if len(list) == 1 || len(list) > maxRanges {
		return conditions
	}
	var any []string
	for _, v := range list {
		any = append(any, "("+strings.Join(a.run(v), " AND ")+")")
	}
	return append(conditions, "("+strings.Join(any, " OR ")+")")
}

// bounds keeps dates within the years that there are (a day or two short of them, as clocks differ), on sides where nothing else bounds
// them: a value outside has no date.
func (a axis) bounds(below, above bool) (conditions []string) {
	if !a.dialect.strays() {
		return nil
	}
	days := axis{a.source, a.Column, false}
	if below {
		conditions = append(conditions, a.sql(a.Name)+" >= "+days.edge(int64(civil.MinDay)+2))
	}
	if above {
		conditions = append(conditions, a.sql(a.Name)+" < "+days.edge(int64(civil.MaxDay)-1))
	}
	return conditions
}

func (a axis) run(v tally.Stretch) []string {
	both := a.bounds(v.Start == tally.Past, v.End == tally.Future)
	if v.Start != tally.Past {
		both = append(both, a.sql(a.Name)+" >= "+a.edge(v.Start))
	}
	if v.End != tally.Future {
		both = append(both, a.sql(a.Name)+" < "+a.edge(v.End))
	}
	if len(both) == 0 {
		return []string{a.sql(a.Name) + " IS NOT NULL"}
	}
	return both
}

// wantedRuns are the runs of time that any period of a plan asks for.
func wantedRuns(p *tally.Plan) []tally.Stretch {
	var list []tally.Stretch
	for segment := range len(p.Cuts) + 1 {
		if !p.Wanted(segment) {
			continue
		}
		end := int64(tally.Future)
		if segment < len(p.Cuts) {
			end = p.Cuts[segment]
		}
		if n := len(list); n > 0 && list[n-1].End == p.Start(segment) {
			list[n-1].End = end
			continue
		}
		list = append(list, tally.Stretch{Start: p.Start(segment), End: end})
	}
	return list
}

// merged puts runs in order, and those that touch together.
func merged(list []tally.Stretch) []tally.Stretch {
	slices.SortFunc(list, func(a, b tally.Stretch) int {
		if a.Start < b.Start {
			return -1
		}
		return 1
	})
	return list
}

// A conditioner turns filters into SQL.
type conditioner struct {
	*source
	values func(column string) ([]string, error) // the different texts of a column
}

// conditions turns filters into SQL, but for those that are put to the records here. They have been checked.
func (c *conditioner) conditions(filters dataset.Filters) ([]string, error) {
	var list []string
	for _, f := range filters {
		if c.here(f) {
			continue
		}
		var any []string
		parts := f.Merged()
		for i := range parts {
			one, err := c.condition(&parts[i])
			if err != nil {
				return nil, err
			}
			any = append(any, one)
		}
		list = append(list, "("+strings.Join(any, " OR ")+")")
	}
	return list, nil
}

// here reports whether a filter is put to the records here: one on a length or on a part of a date, which calendars have to do with.
func (s *source) here(f dataset.Filter) bool {
	return f.HasPart() || slices.ContainsFunc(f, func(q dataset.Condition) bool { return s.column(q.Column) == nil })
}

// filteredHere returns the filters that are put to the records here.
func (s *source) filteredHere(filters dataset.Filters) dataset.Filters {
	var list dataset.Filters
	for _, f := range filters {
		if s.here(f) {
			list = append(list, f)
		}
	}
	return list
}

// condition turns a condition into SQL; what is negated keeps blanks.
func (c *conditioner) condition(q *dataset.Condition) (string, error) {
	column := c.column(q.Column)
	name := c.sql(q.Column)
	if q.Op == dataset.Blank {
		return name + " IS NULL", nil
	}
	if q.Op == dataset.NotBlank {
		return name + " IS NOT NULL", nil
	}
	positive, err := c.positive(column, name, q)
	if err == nil && q.Negated() {
		return "(" + name + " IS NULL OR NOT (" + positive + "))", nil
	}
	return positive, err
}

func (c *conditioner) positive(column *Column, name string, q *dataset.Condition) (string, error) {
	switch column.Form.Type() {
	case dataset.Date, dataset.Timestamp:
		a := axis{c.source, column, false}
		return strings.Join(a.within(merged(tally.OfDays(c.days(q)).Stretches())), " AND "), nil
	case dataset.Number:
		return c.numeric(column, name, q), nil
	}
	if q.IgnoringCase {
		return c.folded(name, q)
	}
	if q.Op == dataset.Contains || q.Op == dataset.NotContains {
		return c.dialect.contains(name, q.Values[0]), nil
	}
	return comparison(name, q, c.dialect.literal), nil
}

// numeric compares numbers. Each has a comparison of its own: not all engines look for decimals in a list.
func (c *conditioner) numeric(column *Column, name string, q *dataset.Condition) string {
	literal := func(v string) string { return c.dialect.number(strings.TrimSpace(v), column) }
	if len(q.Values) < 2 || q.Op == dataset.Between {
		return comparison(name, q, literal)
	}
	any := make([]string, len(q.Values))
	for i, v := range q.Values {
		any[i] = name + " = " + literal(v)
	}
	return "(" + strings.Join(any, " OR ") + ")"
}

// days are those on which a condition on dates is met.
func (c *conditioner) days(q *dataset.Condition) civil.Set {
	if days, ok := q.Days(); ok {
		return days
	}
	var values []civil.Day
	for _, text := range c.schema.FilterDays(q) {
		if d, err := civil.ParseDay(text); err == nil { // it wrote them
			values = append(values, d)
		}
	}
	from := func(d civil.Day) civil.Set { return civil.SetOf(civil.Interval{Start: d, End: civil.OpenEnd}) }
	until := func(d civil.Day) civil.Set { return civil.SetOf(civil.Interval{Start: civil.OpenStart, End: d}) }
	switch q.Op {
	case dataset.AtLeast:
		return from(values[0])
	case dataset.Above:
		return from(values[0] + 1)
	case dataset.AtMost:
		return until(values[0] + 1)
	case dataset.Below:
		return until(values[0])
	case dataset.Between:
		return civil.SetOf(civil.Through(values[0], values[1]))
	}
	var all civil.Set
	for _, d := range values {
		all = all.Union(civil.SetOf(civil.One(d)))
	}
	return all
}

func comparison(name string, q *dataset.Condition, literal func(string) string) string {
	switch q.Op {
	case dataset.AtLeast:
		return name + " >= " + literal(q.Values[0])
	case dataset.AtMost:
		return name + " <= " + literal(q.Values[0])
	case dataset.Above:
		return name + " > " + literal(q.Values[0])
	case dataset.Below:
		return name + " < " + literal(q.Values[0])
	case dataset.Between:
		return "(" + name + " >= " + literal(q.Values[0]) + " AND " + name + " <= " + literal(q.Values[1]) + ")"
	}
	return among(name, q.Values, literal)
}

// among keeps what is one of some values.
func among(name string, values []string, literal func(string) string) string {
	switch len(values) {
	case 0:
		return "1 = 0"
	case 1:
		return name + " = " + literal(values[0])
	}
	texts := make([]string, len(values))
	for i, v := range values {
		texts[i] = literal(v)
	}
	return name + " IN (" + strings.Join(texts, ", ") + ")"
}

// maxFolded is how many different texts of a column are looked at for one that ignores case.
const maxFolded = 10_000

// folded looks through the texts of a column here: engines differ in what they take for the same letter.
func (c *conditioner) folded(name string, q *dataset.Condition) (string, error) {
	texts, err := c.values(q.Column)
	if err != nil {
		return "", err
	}
	positive := *q
	switch q.Op {
	case dataset.IsNot:
		positive.Op = dataset.Is
	case dataset.NotContains:
		positive.Op = dataset.Contains
	case dataset.NotIn:
		positive.Op = dataset.In
	}
	pass, err := c.schema.LabelPredicate(&positive)
	if err != nil {
		return "", err
	}
	var met []string
	for _, text := range texts {
		if pass(dataset.LabelOf(text)) {
			met = append(met, text)
		}
	}
	return among(name, met, c.dialect.literal), nil
}
