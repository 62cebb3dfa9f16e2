package civil

// An Interval is the half-open run of days [Start, End). Half-open edges are what makes
// neighbouring intervals neither overlap nor leave a gap (semantics §1). The zero value is empty.
// Start may be OpenStart and End may be OpenEnd: the interval is then open on that side.
type Interval struct {
	Start, End Day
}

// Through returns the interval whose first and last day are both inside.
func Through(first, last Day) Interval { return Interval{first, last + 1} }

// One returns the interval of a single day.
func One(d Day) Interval { return Interval{d, d + 1} }

// AllDays is open on both sides.
var AllDays = Interval{OpenStart, OpenEnd}

// Empty reports whether no day is inside.
func (v Interval) Empty() bool { return v.End <= v.Start }

// First is the first day inside.
func (v Interval) First() Day { return v.Start }

// Last is the last day inside; Onward when the interval is open towards the future.
func (v Interval) Last() Day {
	if v.End == OpenEnd {
		return OpenEnd
	}
	return v.End - 1
}

// Open reports whether either side is open.
func (v Interval) Open() bool { return v.Start == OpenStart || v.End == OpenEnd }

// Days counts the days inside. It must not be asked of an open interval.
func (v Interval) Days() int {
	if v.Empty() {
		return 0
	}
	return int(v.End - v.Start)
}

// Contains reports whether a day is inside.
func (v Interval) Contains(d Day) bool { return d >= v.Start && d < v.End }

// Intersect returns the days in both.
func (v Interval) Intersect(w Interval) Interval {
	r := Interval{max(v.Start, w.Start), min(v.End, w.End)}
	if r.Empty() {
		return Interval{}
	}
	return r
}

// String returns first/last, both inside, as in 2026-03-01/2026-03-31; an open side is two dots.
func (v Interval) String() string {
	if v.Empty() {
		return ""
	}
	return v.First().String() + "/" + v.Last().String()
}
