package tally

import (
	"math"

	"vastspan/core/civil"
)

// A Period is what a figure is of: days, or moments where a span has times (semantics §9).
type Period struct {
	Days civil.Set
	// Moments are instead of days; nil for days.
	Moments *civil.Zoned
}

// OfDays returns the period of some days.
func OfDays(s civil.Set) Period { return Period{Days: s} }

// OfMoments returns the period of some moments as a clock shows them.
func OfMoments(c civil.Clock, s civil.MomentSet) Period {
	return Period{Moments: &civil.Zoned{Clock: c, MomentSet: s}}
}

// Timed reports whether the period is of moments.
func (p Period) Timed() bool { return p.Moments != nil }

// Empty reports whether the period holds nothing.
func (p Period) Empty() bool {
	if p.Timed() {
		return p.Moments.Empty()
	}
	return p.Days.Empty()
}

// Len counts the runs of days or moments that the period consists of.
func (p Period) Len() int {
	if p.Timed() {
		return p.Moments.Len()
	}
	return p.Days.Len()
}

// OpenLeft and OpenRight report whether the period has no beginning, or no end.
func (p Period) OpenLeft() bool {
	if p.Timed() {
		return p.Moments.Bounds().Start == civil.BeginningOfTime
	}
	return p.Days.Bounds().Start == civil.OpenStart
}

// OpenRight reports whether the period has no end.
func (p Period) OpenRight() bool {
	if p.Timed() {
		return p.Moments.Bounds().End == civil.EndOfTime
	}
	return p.Days.Bounds().End == civil.OpenEnd
}

// Open reports whether either side is open.
func (p Period) Open() bool { return p.OpenLeft() || p.OpenRight() }

// Length is how many days a period has, or how many microseconds; it must not be asked of an open one.
func (p Period) Length() int {
	if p.Timed() {
		return int(p.Moments.Length())
	}
	return p.Days.Days()
}

// Touched returns the days that the period holds any of.
func (p Period) Touched() civil.Set {
	if p.Timed() {
		return p.Moments.Days(p.Moments.MomentSet)
	}
	return p.Days
}

// Equal reports whether two periods are the same.
func (p Period) Equal(q Period) bool {
	if p.Timed() != q.Timed() {
		return false
	}
	if p.Timed() {
		return p.Moments.MomentSet.Equal(q.Moments.MomentSet)
	}
	return p.Days.Equal(q.Days)
}

// By returns the period in moments of a clock: of days, those of the clock's days.
func (p Period) By(c civil.Clock) Period {
	if p.Timed() {
		return p
	}
	return OfMoments(c, c.Moments(p.Days))
}

// Of returns the moments of a period that are in a run.
func (p Period) Of(v civil.Moments) Period {
	return OfMoments(p.Moments.Clock, p.Moments.Intersect(civil.MomentsOf(v)))
}

// Within returns what is on some days.
func (p Period) Within(v civil.Interval) Period {
	if !p.Timed() {
		return OfDays(p.Days.Within(v))
	}
	if v.Empty() {
		return OfMoments(p.Moments.Clock, civil.MomentSet{})
	}
	return p.Of(p.Moments.Run(v))
}

// Through returns what is on the days through one.
func (p Period) Through(d civil.Day) Period {
	return p.Within(civil.Interval{Start: civil.OpenStart, End: d + 1})
}

// A Stretch is a half-open run [Start, End) in the time of a plan: days, or microseconds where it is timed.
type Stretch struct{ Start, End int64 }

// Past and Future are the edges of a stretch that is open.
const (
	Past   = math.MinInt64
	Future = math.MaxInt64
)

// Stretches lists a period's runs: of days, or of microseconds where it is timed.
func (p Period) Stretches() []Stretch {
	var list []Stretch
	if p.Timed() {
		for v := range p.Moments.Runs() {
			one := Stretch{int64(v.Start), int64(v.End)}
			if v.Start == civil.BeginningOfTime {
				one.Start = Past
			}
			if v.End == civil.EndOfTime {
				one.End = Future
			}
			list = append(list, one)
		}
		return list
	}
	for v := range p.Days.Intervals() {
		one := Stretch{int64(v.Start), int64(v.End)}
		if v.Start == civil.OpenStart {
			one.Start = Past
		}
		if v.End == civil.OpenEnd {
			one.End = Future
		}
		list = append(list, one)
	}
	return list
}

// Since returns a period with all that is before it.
func (p Period) Since() Period {
	switch {
	case p.Empty():
		return p
	case p.Timed():
		return p.reachBack(civil.BeginningOfTime)
	}
	return OfDays(civil.SetOf(civil.Interval{Start: civil.OpenStart, End: p.Days.Bounds().End}))
}

// Near returns the part within some days; of moments it adds a day on each side, to cover every time zone.
func (p Period) Near(v civil.Interval) Period {
	if p.Timed() {
		v = civil.Interval{Start: v.Start - 1, End: v.End + 1}
	}
	return p.Within(v)
}

// EachOfDays returns a period for each set of days.
func EachOfDays(sets ...civil.Set) []Period {
	list := make([]Period, len(sets))
	for i, s := range sets {
		list[i] = OfDays(s)
	}
	return list
}
