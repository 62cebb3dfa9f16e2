package query

import (
	"context"
	"fmt"
	"strings"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/measure"
	"vastspan/core/span"
	"vastspan/core/table"
	"vastspan/core/tally"
)

// The days that a side of a comparison covers are those from the oldest to the newest of its records,
// whatever the filters, and to the as-of day (semantics §7).

// cover finds out which days the records of all inputs cover, where that is not known yet.
func (p *plan) cover(ctx context.Context) error {
	for _, in := range p.inputs {
		if err := p.coverInput(ctx, in); err != nil {
			return err
		}
	}
	return nil
}

func (p *plan) coverInput(ctx context.Context, in *input) error {
	if in.covered != nil {
		return nil
	}
	var c tally.Coverage
	switch {
	case in.timed() && in.Covered != nil: // the moment of the newest record is not known from an answer
		var err error
		if c, err = in.Covered(ctx, in.request.Date); err != nil {
			return err
		}
	case in.result.Whole != nil:
		c = *in.result.Whole
	case len(in.request.Where) == 0:
		c = in.result.Coverage
	case in.Covered != nil:
		var err error
		if c, err = in.Covered(ctx, in.request.Date); err != nil {
			return err
		}
	}
	in.covered = &c
	return p.coverGrain(ctx, in)
}

// coverGrain finds the newest record that is known as of the day, where records stand for units: its whole unit is covered.
func (p *plan) coverGrain(ctx context.Context, in *input) error {
	in.newest = in.covered.Newest
	unit, ok := in.Schema.GrainUnit()
	if !ok || p.query.Planned || in.covered.Records == 0 || in.newest <= p.Scope.AsOf {
		return nil
	}
	known := tally.OfDays(civil.SetOf(civil.Interval{Start: civil.OpenStart, End: p.Scope.AsOf + 1}))
	r, err := p.look(ctx, in, tally.Request{Periods: []tally.Period{known}, Days: true})
	if err != nil {
		return err
	}
	if days := r.Days(0, nil); !days.Empty() {
		in.newest = days.Last()
		return nil
	}
	oldest, err := p.Scope.Calendar.Containing(unit, in.covered.Oldest)
	in.newest = oldest.Start - 1 // none is known yet
	return err
}

// look counts records of an input next to what is asked for: by its date, and by the filters of the request alone.
func (p *plan) look(ctx context.Context, in *input, r tally.Request) (*tally.Result, error) {
	r.Figures, r.Date, r.Clock = []measure.Figure{{Kind: measure.Count}}, in.request.Date, in.request.Clock
	if r.Where != nil {
		r.Lengths = in.request.Lengths
	}
	counted, err := tally.NewPlan(r)
	if err != nil {
		return nil, err
	}
	return tally.Run(ctx, counted, in.Source)
}

// comparing reports whether anything is compared, be it each unit with the one before it.
func (p *plan) comparing() bool {
	return len(p.against) > 0 || len(p.query.AgainstDataset) > 0 || p.query.Previous
}

// reach returns the days that an input covers; empty where it has no records.
func (p *plan) reach(at int) civil.Interval {
	v := p.holds(at)
	if !p.query.Planned && !v.Empty() {
		end := p.Scope.AsOf + 1
		if unit, ok := p.inputs[at].Schema.GrainUnit(); ok { // a record that is known stands for all of its unit
			if whole, err := p.Scope.Calendar.Containing(unit, p.inputs[at].newest); err == nil {
				end = max(whole.Start, min(whole.End, v.End))
			}
		}
		v.End = max(v.Start, min(v.End, end))
	}
	return v
}

// holds returns the days that an input's records cover, those after the as-of day as well.
func (p *plan) holds(at int) civil.Interval {
	in := p.inputs[at]
	if in.covered == nil || in.covered.Records == 0 {
		return civil.Interval{}
	}
	v := civil.Through(in.covered.Oldest, in.covered.Newest)
	if unit, ok := in.Schema.GrainUnit(); ok { // a record stands for all of its unit
		if whole, err := p.Scope.Calendar.Containing(unit, v.First()); err == nil {
			v.Start = whole.Start
		}
		if whole, err := p.Scope.Calendar.Containing(unit, v.Last()); err == nil {
			v.End = whole.End
		}
	} else if in.Schema.NewestDay == dataset.NewestPartial { // it is still arriving
		v.End = max(v.Start, v.End-1)
	}
	return v
}

// A side is one side of a comparison.
type side struct {
	period  tally.Period
	input   int
	covered tally.Period
}

func (p *plan) side(period tally.Period, input int) side {
	if period.OpenRight() {
		period = p.known(input).cut(period)
	}
	return side{period, input, p.covering(period, input)}
}

// covering returns the part of a period that an input covers.
func (p *plan) covering(period tally.Period, input int) tally.Period {
	covered := period.Within(p.reach(input))
	if !p.query.Planned && period.Timed() {
		covered = p.known(input).cut(covered)
	}
	return covered
}

// coveredOrNil is how many days are covered; nil where the side is open on its left.
func (s side) coveredOrNil() *int {
	if s.period.Open() {
		return nil
	}
	n := s.coveredDays()
	return &n
}

// coveredDays is how many days are covered; of moments, of how many days any.
func (s side) coveredDays() int { return s.covered.Touched().Days() }

// length is how long a side is, covered or not, in days or microseconds.
func (s side) length() int { return s.period.Length() }

// scaled is how long a side is and how much of it is covered, in days or seconds.
func (s side) scaled() (length, covered int) {
	if s.period.Timed() {
		return s.length() / int(civil.Second), s.covered.Length() / int(civil.Second)
	}
	return s.length(), s.covered.Length()
}

// unlike reports whether two sides are not like for like: their cuts differ by more than one part in fifty of the
// longer side, or their covered lengths by more than one part in ten of the longer.
func unlike(a, b side) bool {
	if a.period.Timed() != b.period.Timed() { // days next to moments: both by the clock
		a, b = a.timed(b), b.timed(a)
	}
	length, covered := a.scaled()
	otherLength, otherCovered := b.scaled()
	cut := (length - covered) - (otherLength - otherCovered)
	return max(cut, -cut)*50 > max(length, otherLength) || span.UnlikeLengths(covered, otherCovered)
}

// sides returns both sides of a comparison of a span.
func (p *plan) sides(sp *spanPlan, i int) (own, other side) {
	c := &sp.comparisons[i]
	return p.side(sp.period, 0), p.side(c.period, c.at.input)
}

// cause returns why a span and one of its comparisons are not like for like
// (semantics §7); nil where nothing speaks against it.
func (p *plan) cause(span, i int) *table.Cause {
	sp := &p.spans[span]
	c := &sp.comparisons[i]
	own, other := p.sides(sp, i)
	half := p.halfDays[pair{span, wholeSpan, i}]
	var cause *table.Cause
	switch cut := p.cutsUnit(c.at.input, p.known(0).cut(sp.period)); {
	case c.dataset != "" && p.inputs[c.at.input].covered.Records == 0:
		cause = &table.Cause{Code: table.NoRecords, Text: fmt.Sprintf("there are no records of %s", c.dataset)}
	case c.dataset != "" && cut != "":
		cause = &table.Cause{Code: table.CutsUnit, Text: cut}
	case unlike(own, other):
		code, text := p.why(own, "the span")
		if code == table.Lengths {
			code, _ = p.why(other, "the counterpart")
			code = counterpartCodes[code]
		}
		_, otherText := p.why(other, "the counterpart")
		cause = &table.Cause{Code: code, Text: text + "; " + otherText}
	case half.unlike():
		cause = &table.Cause{Code: table.HalfDay, Text: half.text(p.inputs[c.at.input].MinRecords > 0)}
	default:
		weeks, otherWeeks, differ := p.otherWeeks(own, other)
		if !differ {
			return nil
		}
		cause = &table.Cause{Code: table.OtherWeeks, Text: fmt.Sprintf("the span has %d weeks, the counterpart %d", weeks, otherWeeks)}
	}
	cuts := p.last().cuts(sp.period)
	cause.Aligns = cause.Code != table.CutsUnit && cause.Code != table.OtherWeeks && !p.query.LikeForLike && c.aligns && cuts
	return cause
}

// otherWeeks reports whether two sides are whole units of a week-based calendar with different numbers of weeks, and how many
// each has (semantics §7).
func (p *plan) otherWeeks(own, other side) (weeks, otherWeeks int, differ bool) {
	cal := p.Scope.Calendar
	whole := func(s side) bool {
		return !s.period.Timed() && s.period.Len() == 1 && !s.period.Open() && s.covered.Equal(s.period) &&
			span.WholeUnits(s.period.Days.At(0), cal) >= calendar.Month
	}
	if cal.MonthBased() || !whole(own) || !whole(other) {
		return 0, 0, false
	}
	weeks, otherWeeks = own.length()/7, other.length()/7
	sameUnit := span.WholeUnits(own.period.Days.At(0), cal) == span.WholeUnits(other.period.Days.At(0), cal)
	return weeks, otherWeeks, sameUnit && weeks != otherWeeks
}

// rowSides returns both sides of a row: what it is compared with, those of the span first, then the unit before.
func (p *plan) rowSides(sp *spanPlan, r *rowPlan, i int) (own, other side) {
	own = p.side(r.period, 0)
	if i < len(r.partners) {
		return own, p.side(r.partners[i].period, sp.comparisons[i].at.input)
	}
	return own, p.side(r.previousPeriod, 0)
}

// rowComparisons is with how many periods a row is compared: those of its span, and the unit before.
func (p *plan) rowComparisons(r *rowPlan) int {
	n := len(r.partners)
	if p.query.Previous && !r.alone {
		n++
	}
	return n
}

// unlikeRow reports whether the records cover a different number of days on the two sides of a row.
func (p *plan) unlikeRow(span int, r *rowPlan) bool {
	if r.blank { // it has not happened: nothing is compared
		return false
	}
	for i := range p.rowComparisons(r) {
		own, other := p.rowSides(&p.spans[span], r, i)
		if own.covered.Empty() && other.covered.Empty() { // before the first record there is nothing to compare
			continue
		}
		if unlike(own, other) || p.halfDays[pair{span, r.index, i}].unlike() {
			return true
		}
		if _, _, differ := p.otherWeeks(own, other); differ {
			return true
		}
	}
	return false
}

var zero = decimal.FractionOf(decimal.Int(0))

// asDue returns both values of a row with nothing instead of a blank where records cover all its days.
func (p *plan) asDue(sp *spanPlan, r *rowPlan, i int, value, against decimal.Fraction) (decimal.Fraction, decimal.Fraction) {
	own, other := p.rowSides(sp, r, i)
	due := func(s side) bool { return s.length() > 0 && s.covered.Length() == s.length() }
	if !value.Set() && against.Set() && due(own) {
		value = zero
	}
	if !against.Set() && value.Set() && due(other) {
		against = zero
	}
	return value, against
}

// counterpartCodes are the codes of what is wrong with the counterpart alone.
var counterpartCodes = map[table.Code]table.Code{
	table.CutOff: table.CounterpartCutOff, table.RecordsBegin: table.RecordsBegin, table.RecordsEnd: table.RecordsEnd,
	table.NoRecords: table.NoRecords, table.Lengths: table.Lengths,
}

// timed returns a side in moments, by the clock of another.
func (s side) timed(other side) side {
	clock := civil.UTC
	for _, p := range []tally.Period{s.period, other.period} {
		if p.Timed() {
			clock = p.Moments.Clock
		}
	}
	return side{s.period.By(clock), s.input, s.covered.By(clock)}
}

// why says which days or hours a side covers, and why not all of them.
func (p *plan) why(s side, name string) (table.Code, string) {
	if s.covered.Length() == s.length() {
		return table.Lengths, fmt.Sprintf("%s covers all its %s", name, lengthText(s.period))
	}
	code := table.Lengths
	var parts []string
	v, bounds := p.reach(s.input), s.period.Touched().Bounds()
	of := "records"
	if s.input > 0 {
		of = "the records of " + p.inputs[s.input].Name
	}
	in := p.inputs[s.input]
	now := p.known(s.input)
	switch {
	case v.Empty():
		return table.NoRecords, fmt.Sprintf("there are no %s for %s", of, name)
	case !p.query.Planned && now.cuts(s.period) && v.End == now.day+1:
		code = table.CutOff
		at := "the as-of day, " + now.day.Long()
		if asOf := p.asOf(); asOf.Timed {
			at = "the as-of moment, " + asOf.Long()
		}
		parts = append(parts, fmt.Sprintf("%s, cuts %s off", at, name))
	case bounds.End > v.End:
		code = table.RecordsEnd
		parts = append(
			parts,
			fmt.Sprintf("%s end on %s, %s before %s does", of, in.covered.Newest.Long(), table.DayCount(int(bounds.End-v.End)), name),
		)
	}
	if bounds.Start < v.Start {
		if code == table.Lengths {
			code = table.RecordsBegin
		}
		parts = append(
			parts,
			fmt.Sprintf("%s begin on %s, %s after %s does", of, in.covered.Oldest.Long(), table.DayCount(int(v.Start-bounds.Start)), name),
		)
	}
	covered := fmt.Sprint(s.covered.Length())
	if s.period.Timed() {
		covered = lengthText(s.covered)
	}
	return code, fmt.Sprintf("%s covers %s of its %s: %s", name, covered, lengthText(s.period), strings.Join(parts, "; "))
}

// lengthText writes how long a closed period is: 30 days, 24:00 hours.
func lengthText(p tally.Period) string {
	if p.Timed() {
		return table.Length(int64(p.Length())/int64(civil.Second)) + " hours"
	}
	return table.DayCount(p.Length())
}

// cutsUnit says which unit a period cuts that the records of an input stand for as a whole, "" for none.
func (p *plan) cutsUnit(at int, period tally.Period) string {
	grain, ok := p.inputs[at].Schema.GrainUnit()
	if !ok {
		return ""
	}
	for v := range period.Touched().Intervals() {
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
