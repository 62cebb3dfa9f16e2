package query

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/naming"
	"vastspan/core/table"
	"vastspan/core/tally"
)

// A day without records in the middle of a span lowers its figures without a word, where records are expected on it
// (semantics §7).

// A gap is the expected days of a side on which there are no records.
type gap struct {
	span  int
	of    string // what the span is compared with; empty for the span itself
	value string // of the column whose values are expected each; empty for all
	days  civil.Set
	among int // covered days
}

// findGaps finds expected days without records, of spans and what they are compared with.
func (p *plan) findGaps(ctx context.Context) error {
	for i := range p.spans {
		sp := &p.spans[i]
		if err := p.gapsOf(ctx, i, "", p.side(sp.period, 0)); err != nil {
			return err
		}
		for j := range sp.comparisons {
			c := &sp.comparisons[j]
			if err := p.gapsOf(ctx, i, c.name, p.side(c.period, c.at.input)); err != nil {
				return err
			}
		}
	}
	return nil
}

func (p *plan) gapsOf(ctx context.Context, at int, of string, s side) error {
	in := p.inputs[s.input]
	covered := s.covered.Touched()
	if covered.Empty() || covered.Open() || in.Schema.Grain != "" || in.MinRecords > 0 {
		return nil
	}
	e, err := dataset.ParseExpected(in.Schema.Expected)
	if err != nil {
		return err
	}
	if e.Each != "" {
		return p.gapsOfValues(ctx, at, of, s, e)
	}
	if in.Days == nil {
		return nil
	}
	if in.Costly && e.Auto {
		return nil
	}
	have, err := in.Days(ctx, in.request.Date)
	if err != nil {
		return err
	}
	if e.Auto {
		e = p.seen(have)
	}
	if missing := p.expected(covered, e).Except(have); !missing.Empty() {
		p.gaps = append(p.gaps, gap{at, of, "", missing, covered.Days()})
	}
	return nil
}

// leastSeen is how many days records have to cover before it is told on which they are expected.
const leastSeen = 20

// seen returns on which days records are expected, as far as those that there are show it: on every day, or every business
// day, where at least 95 in 100 of the covered ones have records.
func (p *plan) seen(have civil.Set) dataset.Expected {
	if have.Empty() || have.Open() || have.Days() < leastSeen {
		return dataset.Expected{Never: true}
	}
	all := civil.SetOf(have.Bounds())
	for _, e := range []dataset.Expected{{Days: civil.EveryWeekday}, {BusinessDays: true}} {
		expected := p.expected(all, e)
		if n := expected.Days(); n >= leastSeen && expected.Intersect(have).Days()*100 >= 95*n {
			return e
		}
	}
	return dataset.Expected{Never: true}
}

// expected returns the days of a set on which records are expected.
func (p *plan) expected(s civil.Set, e dataset.Expected) civil.Set {
	switch {
	case e.Never:
		return civil.Set{}
	case e.BusinessDays:
		return s.Keep(p.Scope.Calendar.IsBusinessDay)
	}
	return s.Keep(func(d civil.Day) bool { return e.Days.Has(d.Weekday()) })
}

// maxGapDays and maxGapValues are for how many days, and of how many values, each value's own are looked at.
const (
	maxGapDays   = 1100
	maxGapValues = 1000
)

// gapsOfValues finds the expected days without records of each value of a column, from its first record on.
func (p *plan) gapsOfValues(ctx context.Context, at int, of string, s side, e dataset.Expected) error {
	in := p.inputs[s.input]
	covered := s.covered.Touched()
	expected := p.expected(covered, e)
	if expected.Empty() || covered.Days() > maxGapDays {
		return nil
	}
	before := civil.SetOf(civil.Interval{Start: civil.OpenStart, End: covered.Bounds().End})
	r := tally.Request{Periods: []tally.Period{tally.OfDays(before)}, By: []string{e.Each}, Days: true}
	for d := range expected.EachDay() {
		r.Periods = append(r.Periods, tally.OfDays(civil.SetOf(civil.One(d))))
	}
	result, err := p.look(ctx, in, r)
	if err != nil {
		return err
	}
	for _, group := range result.Groups[:min(len(result.Groups), maxGapValues)] {
		var missing []civil.Interval
		i, first := 0, result.Days(0, group).Start
		for d := range expected.EachDay() {
			if i++; d >= first && !result.Has(i, group) {
				missing = append(missing, civil.One(d))
			}
		}
		if len(missing) > 0 {
			p.gaps = append(p.gaps, gap{at, of, table.LabelText(group[0], 0), civil.Union(missing...), covered.Days()})
		}
	}
	return nil
}

// mostGaps is how many gaps of values are told of.
const mostGaps = 5

// gapNotes says which expected days have no records.
func (p *plan) gapNotes(add func(table.Code, table.Level, string, ...any)) {
	values := 0
	for _, g := range p.gaps {
		if g.value != "" {
			if values++; values > mostGaps {
				continue
			}
		}
		name := p.spans[g.span].text
		if g.of != "" {
			name += " compared with " + g.of
		}
		if g.value != "" {
			name += ", " + g.value
		}
		level := table.Caution
		if g.days.Days()*50 > g.among {
			level = table.Warning
		}
		add(table.MissingDays, level, "%s: no records on %d of its %s: %s", name, g.days.Days(), table.DayCount(g.among), table.ShortDays(g.days))
	}
	if values > mostGaps {
		add(table.MissingDays, table.Caution, "%d more values have expected days without records", values-mostGaps)
	}
}

// findUnknown finds the values of filters that no record has (semantics §7).
func (p *plan) findUnknown(ctx context.Context) error {
	in := p.inputs[0]
	if in.Costly || in.MinRecords > 0 {
		return nil
	}
	wanted := map[string][]string{}
	for _, f := range in.request.Where {
		for _, c := range f.Merged() {
			column, err := in.Schema.Find(c.Column)
			if err != nil || column.Type != dataset.Text || c.IgnoringCase ||
				!slices.Contains([]dataset.Op{dataset.Is, dataset.IsNot, dataset.In, dataset.NotIn}, c.Op) {
				continue
			}
			wanted[c.Column] = append(wanted[c.Column], c.Values...)
		}
	}
	everything := []tally.Period{tally.OfDays(civil.SetOf(civil.Interval{Start: civil.OpenStart, End: civil.OpenEnd}))}
	for _, name := range in.Schema.Names() {
		if len(wanted[name]) == 0 {
			continue
		}
		only := dataset.Filters{{{Column: name, Op: dataset.In, Values: wanted[name]}}}
		found, err := p.look(ctx, in, tally.Request{Periods: everything, By: []string{name}, Where: only})
		if err != nil {
			return err
		}
		for _, value := range wanted[name] {
			if !slices.ContainsFunc(found.Groups, func(g []dataset.Label) bool { return g[0].Text == value }) {
				p.unknown = append(p.unknown, unknownValue{column: name, value: value})
			}
		}
	}
	return p.findNearest(ctx, everything)
}

// An unknownValue is a value of a filter that no record has, with the nearest one that some have.
type unknownValue struct{ column, value, nearest string }

func (p *plan) findNearest(ctx context.Context, everything []tally.Period) error {
	known := map[string][]string{}
	for i := range p.unknown {
		u := &p.unknown[i]
		if _, asked := known[u.column]; !asked {
			found, err := p.look(ctx, p.inputs[0], tally.Request{Periods: everything, By: []string{u.column}})
			var many *tally.TooMany
			switch {
			case errors.As(err, &many):
			case err != nil:
				return err
			default:
				for _, g := range found.Groups {
					known[u.column] = append(known[u.column], g[0].Text)
				}
			}
		}
		u.nearest = naming.Nearest(u.value, known[u.column])
	}
	return nil
}

// unknownNotes says which values of filters no record has.
func (p *plan) unknownNotes(add func(table.Code, table.Level, string, ...any)) {
	for _, u := range p.unknown {
		text := fmt.Sprintf("no record has %s %q", u.column, u.value)
		if u.nearest != "" {
			text += fmt.Sprintf("; nearest: %s", u.nearest)
		}
		add(table.UnknownValue, table.Warning, "%s", text)
	}
}
