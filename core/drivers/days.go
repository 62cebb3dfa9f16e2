package drivers

import (
	"context"
	"slices"

	"vastspan/core/civil"
	"vastspan/core/decimal"
	"vastspan/core/event"
	"vastspan/core/query"
)

// countAndSize separates how many records have a value from how large their values are.
func (f *finder) countAndSize(a *Answer, whole pair) error {
	n, m := whole.own[1], whole.other[1]
	if m.Sign() == 0 {
		return nil // the counterpart has no mean
	}
	count, mean, err := a.number(Count, n, m)
	if err != nil {
		return err
	}
	size := Effect{Part: Size, Counterpart: mean}
	if size.Figure, err = over(whole.own[0], n); err != nil {
		return err
	}
	if size.Difference, err = a.Total.Difference.Minus(count.Difference); err != nil {
		return err
	}
	return a.addOthers(count, size)
}

// number is the effect of another number of something: of n instead of m, each with the counterpart's mean.
func (a *Answer) number(part Part, n, m decimal.Fraction) (e Effect, mean decimal.Fraction, err error) {
	e = Effect{Part: part, Figure: n, Counterpart: m}
	if mean, err = a.Total.Counterpart.Over(m); err != nil {
		return e, mean, err
	}
	more, err := n.Minus(m)
	if err == nil {
		e.Difference, err = more.Times(mean)
	}
	return e, mean, err
}

// addOthers adds effects with their contributions.
func (a *Answer) addOthers(effects ...Effect) (err error) {
	for _, e := range effects {
		if e.Contribution, err = over(e.Difference, a.Total.Counterpart.Abs()); err != nil {
			return err
		}
		a.Others = append(a.Others, e)
	}
	return nil
}

// The kinds of days are the weekdays, from Monday on, and after them holidays.
const (
	holiday = 7
	kinds   = holiday + 1
)

// kind is the kind of a day: holiday, or its weekday.
func (f *finder) kind(d civil.Day) int {
	if f.calendar().IsHoliday(d) {
		return holiday
	}
	return int(d.Weekday())
}

// A split is the days of both sides that are looked at: by kind, and those of events.
type split struct {
	own, other civil.Set // the days that either side covers
	byKind     [kinds]civil.Set
	events     []*event.List
}

// split finds the days to look at; nil where a side is open or empty, or days are not to be seen.
func (f *finder) split(a *Answer) *split {
	own, other := a.Compared.Covered(0, 0)
	if f.quotient() || f.onlyTotals() || own.Open() || other.Open() || own.Empty() || other.Empty() {
		return nil
	}
	s := &split{own: own, other: other}
	var days [kinds][]civil.Day
	for d := range own.Union(other).EachDay() {
		k := f.kind(d)
		days[k] = append(days[k], d)
	}
	for k := range days {
		s.byKind[k] = civil.SetOfDays(days[k])
	}
	for _, list := range f.Events {
		if list.Compared && list.Days().Intersect(own).Days() != list.Days().Intersect(other).Days() {
			s.events = append(s.events, list)
		}
	}
	return s
}

// sets lists the sets of days: first the kinds, then the events.
func (s *split) sets() []civil.Set {
	if s == nil {
		return nil
	}
	list := slices.Clone(s.byKind[:])
	for _, e := range s.events {
		list = append(list, e.Days())
	}
	return list
}

// days separates how many days are covered, and of which kinds, from what remains, and finds what the days of events took.
func (f *finder) days(a *Answer, s *split, found []query.SideValues) error {
	if s == nil {
		return nil
	}
	n, m := count(s.own.Days()), count(s.other.Days())
	days, mean, err := a.number(Days, n, m)
	if err != nil {
		return err
	}
	expected, err := a.expected(s, found, mean)
	if err != nil {
		return err
	}
	of, rest := Effect{Part: KindsOfDays}, Effect{Part: Rest}
	if of.Difference, err = expected.Minus(a.Total.Counterpart); err == nil {
		of.Difference, err = of.Difference.Minus(days.Difference)
	}
	if err == nil {
		rest.Difference, err = a.Total.Figure.Minus(expected)
	}
	if err == nil {
		err = a.addOthers(days, of, rest)
	}
	if err != nil {
		return err
	}
	for i, list := range s.events {
		took := pairOf(&found[kinds+i])
		e := Effect{Part: Event, Figure: took.own[0], Counterpart: took.other[0],
			Own: list.Days().Intersect(s.own), Other: list.Days().Intersect(s.other)}
		e.Value.Text, e.Value.Set = list.Name, true
		if e.Difference, err = e.Figure.Minus(e.Counterpart); err == nil {
			err = a.addOthers(e)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

func count(n int) decimal.Fraction { return decimal.FractionOf(decimal.Int(int64(n))) }

// expected is the figure that the span would have if each of its days took what the days of its kind took on average in the
// counterpart, and where that has none, what all its days took on average. It notes the kinds.
func (a *Answer) expected(s *split, found []query.SideValues, mean decimal.Fraction) (decimal.Fraction, error) {
	expected := zero
	for k, days := range s.byKind {
		own, other := days.Intersect(s.own).Days(), days.Intersect(s.other).Days()
		if own == 0 && other == 0 {
			continue
		}
		name := "holiday"
		if k != holiday {
			name = civil.Weekday(k).String()
		}
		a.Kinds = append(a.Kinds, Kind{name, own, other})
		each := mean
		var err error
		if other > 0 {
			each, err = pairOf(&found[k]).other[0].Over(count(other))
		}
		if err == nil {
			each, err = each.Times(count(own))
		}
		if err == nil {
			expected, err = expected.Plus(each)
		}
		if err != nil {
			return expected, err
		}
	}
	return expected, nil
}

// heaviestRecords is how many records are listed.
const heaviestRecords = 10

// heaviest adds the records that weigh most on either side, of a sum.
func (f *finder) heaviest(ctx context.Context, a *Answer) error {
	if f.onlyTotals() || f.figure.Column == "" {
		return nil
	}
	list, err := f.Heaviest(ctx, f.base, f.records, f.figure.Column, heaviestRecords)
	if err != nil {
		return err
	}
	for i := range list {
		h := &list[i]
		e := Effect{Part: Record, Figure: h.Value, Difference: h.Value, Record: h}
		if h.Second {
			e.Figure, e.Counterpart = decimal.Fraction{}, h.Value
			if e.Difference, err = zero.Minus(h.Value); err != nil {
				return err
			}
		}
		if err := a.addOthers(e); err != nil {
			return err
		}
	}
	return nil
}
