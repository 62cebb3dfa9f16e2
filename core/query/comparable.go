package query

import (
	"fmt"

	"vastspan/core/civil"
	"vastspan/core/span"
	"vastspan/core/table"
	"vastspan/core/tally"
)

// cause says why a span and one of its comparisons should not stand beside each other without a word
// (semantics §7); nil where nothing speaks against it.
func (p *plan) cause(sp *spanPlan, i int) *table.Cause {
	c := &sp.comparisons[i]
	if sp.days.Empty() || c.days.Empty() {
		return nil
	}
	other := p.inputs[c.at.input]
	cause := p.daysCause(sp.days, c.days, other.result.Coverage)
	if cause == nil && c.dataset != "" {
		cause = p.recordsCause(sp.days, c.at.input)
	}
	if cause != nil {
		cause.Aligns = !p.query.LikeForLike && sp.days.Bounds().End > p.Scope.AsOf+1
	}
	return cause
}

// daysCause looks at the days of both sides.
func (p *plan) daysCause(days, counterpart civil.Set, coverage tally.Coverage) *table.Cause {
	if !days.Open() && !counterpart.Open() {
		if a, b := days.Days(), counterpart.Days(); span.UnlikeLengths(a, b) {
			return &table.Cause{Code: table.Lengths, Text: fmt.Sprintf("%d days are compared with %d", a, b)}
		}
	}
	asOf := p.Scope.AsOf
	switch future, other := days.Bounds().End > asOf+1, counterpart.Bounds().End > asOf+1; {
	case future && !other:
		return &table.Cause{
			Code: table.CutOff,
			Text: fmt.Sprintf("the as-of day, %s, cuts it off, while what it is compared with is whole", asOf),
		}
	case other && !future:
		return &table.Cause{
			Code: table.CounterpartCutOff,
			Text: fmt.Sprintf("it is whole, while the as-of day, %s, cuts off what it is compared with", asOf),
		}
	}
	if coverage.Records > 0 && counterpart.Bounds().Start < coverage.Oldest {
		return &table.Cause{
			Code: table.RecordsBegin,
			Text: fmt.Sprintf("the records begin on %s, after the first day that it is compared with", coverage.Oldest),
		}
	}
	return nil
}

// recordsCause looks at other records of the same days.
func (p *plan) recordsCause(days civil.Set, at int) *table.Cause {
	other := p.inputs[at]
	coverage := other.result.Coverage
	switch {
	case coverage.Records == 0:
		return &table.Cause{Code: table.NoRecords, Text: fmt.Sprintf("there are no records of %s", other.Name)}
	case days.Bounds().End > p.Scope.AsOf+1 && !p.query.Planned:
		return &table.Cause{
			Code: table.CutOff,
			Text: fmt.Sprintf("the as-of day, %s, cuts it off, while the records of %s go on", p.Scope.AsOf, other.Name),
		}
	}
	if cut := p.cutsUnit(at, days); cut != "" {
		return &table.Cause{Code: table.CutsUnit, Text: cut}
	}
	if last := p.lastCovered(other); !days.Open() && days.Bounds().Last() > last {
		return &table.Cause{
			Code: table.RecordsEnd,
			Text: fmt.Sprintf("the records of %s end on %s, before the span does", other.Name, last),
		}
	}
	return nil
}

// lastCovered returns the last day that records stand for.
func (p *plan) lastCovered(in *input) civil.Day {
	newest := in.result.Newest
	unit, ok := in.Schema.GrainUnit()
	if !ok {
		return newest
	}
	whole, err := p.Scope.Calendar.Containing(unit, newest)
	if err != nil {
		return newest
	}
	return whole.Last()
}

// cutsUnit says which unit a period cuts that the records of an input stand for as a whole, "" for none.
func (p *plan) cutsUnit(at int, days civil.Set) string {
	grain, ok := p.inputs[at].Schema.GrainUnit()
	if !ok {
		return ""
	}
	for v := range days.Intervals() {
		for _, d := range []civil.Day{v.Start, v.End} {
			if d == civil.OpenStart || d == civil.OpenEnd {
				continue
			}
			whole, err := p.Scope.Calendar.Containing(grain, d)
			if err != nil || whole.Start == d {
				continue
			}
			label, err := p.Scope.Calendar.Label(grain, whole.Start)
			if err == nil {
				return fmt.Sprintf("a record of %s stands for a whole %s, and %s is cut", p.inputs[at].Name, grain, label)
			}
		}
	}
	return ""
}
