package query

import (
	"context"
	"fmt"
	"strings"

	"vastspan/core/civil"
	"vastspan/core/decimal"
	"vastspan/core/span"
	"vastspan/core/table"
	"vastspan/core/tally"
)

// The days that a side of a comparison covers are those from the oldest to the newest of its records,
// whatever the filters, and to the as-of day (semantics §7).

// cover finds out which days the records of all inputs cover, where that is not known yet.
func (p *plan) cover(ctx context.Context) error {
	for _, in := range p.inputs {
		if in.covered != nil {
			continue
		}
		var c tally.Coverage
		switch {
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
	}
	return nil
}

// comparing reports whether anything is compared, be it each unit with the one before it.
func (p *plan) comparing() bool {
	return len(p.against) > 0 || len(p.query.AgainstDataset) > 0 || p.query.Previous
}

// reach returns the days that an input covers; empty where it has no records.
func (p *plan) reach(at int) civil.Interval {
	v := p.holds(at)
	if !p.query.Planned && !v.Empty() {
		v.End = max(v.Start, min(v.End, p.Scope.AsOf+1))
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
	}
	return v
}

// last returns the day at which sides are made to end: the as-of day or the newest record, whichever comes
// first.
func (p *plan) last() civil.Day {
	last := p.Scope.AsOf
	for i, in := range p.inputs {
		if in.covered != nil && in.covered.Records > 0 {
			last = min(last, p.reach(i).Last())
		}
	}
	return last
}

// through returns the days of a set through a day.
func through(s civil.Set, d civil.Day) civil.Set {
	return s.Within(civil.Interval{Start: civil.OpenStart, End: d + 1})
}

// A side is one side of a comparison.
type side struct {
	days    civil.Set
	input   int
	covered int
}

func (p *plan) side(days civil.Set, input int) side {
	if days.Bounds().End == civil.OpenEnd {
		days = through(days, p.Scope.AsOf)
	}
	covered := 0
	if v := p.reach(input); !v.Empty() {
		covered = days.Within(v).Days()
	}
	return side{days, input, covered}
}

// coveredOrNil is how many days are covered; nil where the side is open on its left.
func (s side) coveredOrNil() *int {
	if s.days.Open() {
		return nil
	}
	return &s.covered
}

// length is how many days a side has, covered or not.
func (s side) length() int { return s.days.Days() }

// unlike reports whether two sides are not like for like: their cuts differ by more than one part in fifty of the
// longer side, or their covered lengths by more than one part in ten of the longer.
func unlike(a, b side) bool {
	cut := (a.length() - a.covered) - (b.length() - b.covered)
	return max(cut, -cut)*50 > max(a.length(), b.length()) || span.UnlikeLengths(a.covered, b.covered)
}

// sides returns both sides of a comparison of a span.
func (p *plan) sides(sp *spanPlan, i int) (own, other side) {
	c := &sp.comparisons[i]
	return p.side(sp.days, 0), p.side(c.days, c.at.input)
}

// cause says why a span and one of its comparisons should not stand beside each other without a word
// (semantics §7); nil where nothing speaks against it.
func (p *plan) cause(sp *spanPlan, i int) *table.Cause {
	c := &sp.comparisons[i]
	own, other := p.sides(sp, i)
	var cause *table.Cause
	switch cut := p.cutsUnit(c.at.input, through(sp.days, p.Scope.AsOf)); {
	case c.dataset != "" && p.inputs[c.at.input].covered.Records == 0:
		cause = &table.Cause{Code: table.NoRecords, Text: fmt.Sprintf("there are no records of %s", c.dataset)}
	case unlike(own, other):
		code, text := p.why(own, "the span")
		if code == table.Lengths {
			code, _ = p.why(other, "the counterpart")
			code = counterpartCodes[code]
		}
		_, otherText := p.why(other, "the counterpart")
		cause = &table.Cause{Code: code, Text: text + "; " + otherText}
	case c.dataset != "" && cut != "":
		cause = &table.Cause{Code: table.CutsUnit, Text: cut}
	default:
		return nil
	}
	cause.Aligns = cause.Code != table.CutsUnit && !p.query.LikeForLike && c.aligns && sp.days.Bounds().End > p.last()+1
	return cause
}

// rowSides returns both sides of a row: what it is compared with, those of the span first, then the unit before.
func (p *plan) rowSides(sp *spanPlan, r *rowPlan, i int) (own, other side) {
	own = p.side(r.days, 0)
	if i < len(r.againstDays) {
		return own, p.side(r.againstDays[i], sp.comparisons[i].at.input)
	}
	return own, p.side(r.previousDays, 0)
}

// unlikeRow reports whether a row stands beside days of which records cover another length.
func (p *plan) unlikeRow(sp *spanPlan, r *rowPlan) bool {
	if r.blank { // it has not happened: nothing is compared
		return false
	}
	n := len(r.againstDays)
	if p.query.Previous && !r.alone {
		n++
	}
	for i := range n {
		if own, other := p.rowSides(sp, r, i); unlike(own, other) {
			return true
		}
	}
	return false
}

// asDue returns both values of a row with nothing in the place of a blank where records cover all its days.
func (p *plan) asDue(sp *spanPlan, r *rowPlan, i int, value, against decimal.Value) (decimal.Value, decimal.Value) {
	own, other := p.rowSides(sp, r, i)
	due := func(s side) bool { return s.length() > 0 && s.covered == s.length() }
	if !value.Set && against.Set && due(own) {
		value = decimal.Int(0)
	}
	if !against.Set && value.Set && due(other) {
		against = decimal.Int(0)
	}
	return value, against
}

// counterpartCodes are the codes of what is wrong with the counterpart alone.
var counterpartCodes = map[table.Code]table.Code{
	table.CutOff: table.CounterpartCutOff, table.RecordsBegin: table.RecordsBegin, table.RecordsEnd: table.RecordsEnd,
	table.NoRecords: table.NoRecords, table.Lengths: table.Lengths,
}

// why says which days a side covers, and why not all of them.
func (p *plan) why(s side, name string) (table.Code, string) {
	if s.covered == s.length() {
		return table.Lengths, fmt.Sprintf("%s covers all its %s", name, days(s.length()))
	}
	code := table.Lengths
	var parts []string
	v, bounds := p.reach(s.input), s.days.Bounds()
	of := "records"
	if s.input > 0 {
		of = "the records of " + p.inputs[s.input].Name
	}
	in := p.inputs[s.input]
	switch {
	case v.Empty():
		return table.NoRecords, fmt.Sprintf("there are no %s for %s", of, name)
	case !p.query.Planned && bounds.End > p.Scope.AsOf+1 && v.End == p.Scope.AsOf+1:
		code = table.CutOff
		parts = append(parts, fmt.Sprintf("the as-of day, %s, cuts %s off", p.Scope.AsOf.Long(), name))
	case bounds.End > v.End:
		code = table.RecordsEnd
		parts = append(
			parts,
			fmt.Sprintf("%s end on %s, %s before %s does", of, in.covered.Newest.Long(), days(int(bounds.End-v.End)), name),
		)
	}
	if bounds.Start < v.Start {
		if code == table.Lengths {
			code = table.RecordsBegin
		}
		parts = append(
			parts,
			fmt.Sprintf("%s begin on %s, %s after %s does", of, in.covered.Oldest.Long(), days(int(v.Start-bounds.Start)), name),
		)
	}
	return code, fmt.Sprintf("%s covers %d of its %s: %s", name, s.covered, days(s.length()), strings.Join(parts, "; "))
}

func days(n int) string {
	if n == 1 {
		return "1 day"
	}
	return table.Thousands(fmt.Sprint(n)) + " days"
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
