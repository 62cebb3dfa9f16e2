package query

import (
	"context"
	"fmt"
	"slices"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/measure"
	"vastspan/core/span"
	"vastspan/core/table"
	"vastspan/core/tally"
)

// A planFigure is one figure of a query: what the records are asked for, and what is derived of it.
type planFigure struct {
	measure.Figure
	entry   *measure.Entry
	derived *measure.Derived // nil where the figure is asked for itself
	at      int              // its place among the figures that the records are asked for
}

// addsUp reports whether the parts of a figure add up to the whole.
func (f *planFigure) addsUp() bool { return f.entry.Share && f.derived == nil }

// lookUp finds the entries of a query's figures, and lists what the records are asked for.
func (p *plan) lookUp() (base []measure.Figure, err error) {
	place := func(f measure.Figure) int {
		at := slices.Index(base, f)
		if at < 0 {
			at = len(base)
			base = append(base, f)
		}
		return at
	}
	for _, f := range p.query.Figures {
		one := planFigure{Figure: f}
		one.entry, _ = measure.Lookup(f.Kind)
		if f.Derived != "" {
			one.derived, _ = measure.LookupDerived(f.Derived)
		}
		one.at = place(f.Base())
		p.figures = append(p.figures, one)
	}
	if p.query.RankBy == (measure.Figure{}) || len(base) == 0 {
		return base, nil
	}
	switch {
	case p.query.Top == 0:
		return nil, errorAt(fmt.Errorf("rank by %s: it goes with top", p.query.RankBy), "/rank_by")
	case p.query.RankBy.Derived != "":
		return nil, errorAt(fmt.Errorf("rank by %s: expected a figure that nothing is derived from, such as %s",
			p.query.RankBy, p.query.RankBy.Base()), "/rank_by")
	}
	p.rankBy = place(p.query.RankBy)
	return base, nil
}

// derives reports whether any figure is derived in some way.
func (p *plan) derives(how func(*measure.Derived) bool) bool {
	return slices.ContainsFunc(p.figures, func(f planFigure) bool { return f.derived != nil && how(f.derived) })
}

func paces(d *measure.Derived) bool        { return d.Pace }
func ofYearBefore(d *measure.Derived) bool { return d.YearBefore }

// A pacing is what the pace of a period is told by: the days of its whole unit, and the year before.
type pacing struct {
	whole               civil.Set
	before, beforeWhole slot
	// known says that the period is not cut at the as-of day: it is what a pace is compared with, a plan say.
	known bool
}

// pace says what the whole of a period is; before returns the whole of the year before, which is asked for where it is
// needed.
func (p *plan) pace(at slot, whole civil.Set, before func() (civil.Set, error)) error {
	one := pacing{whole: whole, before: noSlot, beforeWhole: noSlot}
	if p.derives(ofYearBefore) && !whole.Open() && !whole.Empty() {
		if covered := p.side(p.inputs[at.input].periods[at.period], at.input).covered.Days; !covered.Empty() && covered.Days() < whole.Days() {
			year, err := before()
			if err != nil {
				return err
			}
			same, err := p.aYearBefore(covered.Bounds().Last())
			if err != nil {
				return err
			}
			one.before, one.beforeWhole = p.on(at.input, tally.OfDays(year).Through(same)), p.on(at.input, tally.OfDays(year))
		}
	}
	p.pacings[at] = one
	return nil
}

// pacedAgainst returns the slot of the whole that the pace of a span or unit is compared with: of other records whatever
// they hold after the as-of day.
func (p *plan) pacedAgainst(input int, whole civil.Set) slot {
	if input == 0 {
		return p.on(0, tally.OfDays(whole))
	}
	at := p.ask(input, tally.OfDays(whole), tally.OfDays(whole))
	p.pacings[at] = pacing{whole: whole, before: noSlot, beforeWhole: noSlot, known: true}
	return at
}

func (p *plan) aYearBefore(d civil.Day) (civil.Day, error) {
	moved, _, err := p.Scope.Calendar.Move(d, -1, calendar.Year)
	return moved, err
}

// paceSpan says what the whole of a span is.
func (p *plan) paceSpan(ctx context.Context, sp *spanPlan) error {
	if !p.derives(paces) {
		return nil
	}
	if err := p.coverEarly(ctx); err != nil {
		return err
	}
	if p.pacings == nil {
		p.pacings = map[slot]pacing{}
	}
	if sp.period.Timed() || p.each.OfClock() && p.query.Each != "" {
		return fmt.Errorf("a pace needs days: %s has times", sp.text)
	}
	whole, err := span.Whole(sp.node, p.Scope)
	if err != nil {
		return err
	}
	if sp.whole, err = span.Resolve(whole, p.Scope); err != nil {
		return err
	}
	return p.pace(sp.at, sp.whole, func() (civil.Set, error) {
		return span.Resolve(&span.Move{X: whole, N: -1, Unit: calendar.Year}, p.Scope)
	})
}

// paceAgainst finds the whole that the pace of a span is compared with.
func (p *plan) paceAgainst(c *comparison, a span.Against, sp *spanPlan) error {
	whole, err := span.Whole(sp.node, p.Scope)
	if err != nil {
		return err
	}
	if other := a.Node(); other != nil {
		if whole, err = span.Whole(other, p.Scope); err != nil {
			return err
		}
		c.whole, err = span.Resolve(whole, p.Scope)
	} else {
		var r span.Resolution
		r, err = a.Explain(whole, p.Scope)
		c.whole = r.Days
	}
	c.paced = p.pacedAgainst(0, c.whole)
	return err
}

// paceUnit says what the whole of a unit of a span is, as far as the whole span reaches.
func (p *plan) paceUnit(sp *spanPlan, at slot, u *tally.Unit) error {
	if !p.derives(paces) {
		return nil
	}
	whole := sp.whole.Within(u.Whole)
	return p.pace(at, whole, func() (civil.Set, error) {
		first, err := p.aYearBefore(whole.Bounds().First())
		if err != nil {
			return civil.Set{}, err
		}
		if whole.Equal(civil.SetOf(u.Whole)) {
			year, err := p.Scope.Calendar.Containing(p.each, first)
			return civil.SetOf(year), err
		}
		last, err := p.aYearBefore(whole.Bounds().Last())
		return civil.SetOf(civil.Through(first, max(first, last))), err
	})
}

// basis returns what a figure of a period is derived with; false where it cannot be.
func (p *plan) basis(f *planFigure, s slot, group []dataset.Label) (measure.Basis, bool, error) {
	side := p.side(p.inputs[s.input].periods[s.period], s.input)
	covered, whole := side.covered.Touched(), side.period.Touched()
	paced, known := p.pacings[s]
	if f.derived.Pace && known {
		if whole = paced.whole; paced.known {
			covered = whole.Within(p.holds(s.input))
		}
	}
	if covered.Open() || f.derived.Pace && whole.Open() {
		return measure.Basis{}, false, nil
	}
	count := civil.Set.Days
	if f.derived.Business {
		count = p.businessDays
	}
	b := measure.Basis{Covered: int64(count(covered))}
	if b.Days = b.Covered; !whole.Open() {
		b.Days = int64(count(whole))
	}
	if f.derived.YearBefore && known {
		var err error
		if b.Before, err = p.base(f, paced.before, group); err != nil {
			return b, false, err
		}
		if b.BeforeWhole, err = p.base(f, paced.beforeWhole, group); err != nil {
			return b, false, err
		}
	}
	return b, true, nil
}

func (p *plan) businessDays(s civil.Set) int {
	n := 0
	for v := range s.Intervals() {
		n += p.Scope.Calendar.BusinessDays(v)
	}
	return n
}

// base returns a figure of a period and group as the records give it. A sum of no record is nothing where the dataset
// says so and records cover any of its days (semantics §7).
func (p *plan) base(f *planFigure, s slot, group []dataset.Label) (decimal.Fraction, error) {
	if s == noSlot {
		return decimal.Fraction{}, nil
	}
	in := p.inputs[s.input]
	v := in.result.At(s.period, group)[f.at]
	if f.firstOrLast() && p.spansGroups(group) {
		return decimal.Fraction{}, nil
	}
	if !v.Set() && f.entry.ZeroWithout && in.Schema.NoRecords == dataset.MeansZero && !in.result.Has(s.period, group) &&
		!p.side(in.periods[s.period], s.input).covered.Empty() {
		v = zero
	}
	return v, nil
}

// value returns a figure of a period and group.
func (p *plan) value(f *planFigure, s slot, group []dataset.Label) (decimal.Fraction, error) {
	v, err := p.base(f, s, group)
	if err != nil || f.derived == nil || s == noSlot {
		return v, err
	}
	b, ok, err := p.basis(f, s, group)
	if err != nil || !ok {
		return decimal.Fraction{}, err
	}
	return f.derived.Finish(v, b)
}

// values returns all figures of a period and group.
func (p *plan) values(s slot, group []dataset.Label) ([]decimal.Fraction, error) {
	list := make([]decimal.Fraction, len(p.figures))
	for i := range p.figures {
		var err error
		if list[i], err = p.value(&p.figures[i], s, group); err != nil {
			return nil, err
		}
	}
	return list, nil
}

// comparePaces puts what paces are compared with instead of other figures: the whole, not the part up to the day.
func (p *plan) comparePaces(
	values []decimal.Fraction, at func(slot, []dataset.Label) []decimal.Fraction, paced slot, group []dataset.Label,
) {
	if paced == noSlot {
		return
	}
	whole := at(paced, group)
	for i := range p.figures {
		if d := p.figures[i].derived; d != nil && d.Pace && whole != nil {
			values[i] = whole[i]
		}
	}
}

// shownFraction writes a number for people.
func shownFraction(f decimal.Fraction) string {
	v, err := f.Value()
	if err != nil {
		return table.None
	}
	return table.Thousands(v.String())
}

// derivedNotes says how derived figures come about: of each span, and of the units that are not over.
func (p *plan) derivedNotes(add func(table.Code, table.Level, string, ...any)) error {
	for i := range p.figures {
		f := &p.figures[i]
		if f.derived == nil {
			continue
		}
		name := string(f.derived.Derivation)
		if f.derived.YearBefore {
			name = f.Words()
		}
		explain := func(named string, s slot) error {
			if s == noSlot {
				return nil
			}
			b, ok, err := p.basis(f, s, p.everything())
			if err != nil {
				return err
			}
			text := f.derived.Explain(named, b, shownFraction)
			if !ok && f.derived.Pace {
				text = fmt.Sprintf("%s is open: there is no pace", named)
			}
			if text != "" {
				add(table.Derived, table.Info, "%s: %s", name, text)
			}
			return nil
		}
		for j := range p.spans {
			sp := &p.spans[j]
			if err := explain(sp.text, sp.at); err != nil {
				return err
			}
			for k := range sp.rows {
				if r := &sp.rows[k]; f.derived.Pace && !r.blank && !r.alone {
					if err := explain(r.unit.Label, r.at); err != nil {
						return err
					}
				}
			}
		}
		if f.derived.Business && !p.holidaysKnown() {
			add(table.Code(span.HolidaysUnknown), table.Caution, "%s: the days reach beyond the years that the holiday list covers", name)
		}
	}
	return nil
}

// holidaysKnown reports whether the calendar's holidays are known for all spans.
func (p *plan) holidaysKnown() bool {
	return !slices.ContainsFunc(p.spans, func(sp spanPlan) bool {
		days := sp.period.Touched()
		if !sp.whole.Empty() {
			days = sp.whole
		}
		return !days.Empty() && !days.Open() && !p.Scope.Calendar.HolidaysKnown(days.Bounds())
	})
}
