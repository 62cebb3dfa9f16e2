package civil

import (
	"cmp"
	"iter"
	"math"
	"slices"

	"vastspan/core/internal/floor"
)

// A Moment is a point in time, in microseconds from 1970-01-01T00:00:00Z.
type Moment int64

const (
	// BeginningOfTime stands for the edge of a run of moments that is open towards the past.
	BeginningOfTime Moment = math.MinInt64 / 4
	// EndOfTime stands for the edge of a run of moments that is open towards the future.
	EndOfTime Moment = math.MaxInt64 / 4
	// Second is the length of a second.
	Second Moment = 1_000_000
)

// SecondAfter returns the first whole second after a moment.
func SecondAfter(m Moment) Moment { return (Moment(floor.Div(int(m), int(Second))) + 1) * Second }

// Moments is the half-open run of moments [Start, End). Start may be BeginningOfTime and End EndOfTime: it is then open
// on that side.
type Moments struct{ Start, End Moment }

// Empty reports whether no moment is inside.
func (v Moments) Empty() bool { return v.End <= v.Start }

// Open reports whether either side is open.
func (v Moments) Open() bool { return v.Start == BeginningOfTime || v.End == EndOfTime }

// Contains reports whether a moment is inside.
func (v Moments) Contains(m Moment) bool { return m >= v.Start && m < v.End }

// Intersect returns the moments in both.
func (v Moments) Intersect(w Moments) Moments {
	return Moments{max(v.Start, w.Start), min(v.End, w.End)}
}

// A MomentSet is an ordered list of disjoint, non-touching runs of moments. The zero value is empty; a set is never
// changed.
type MomentSet struct{ runs []Moments }

// MomentsOf returns the moments in any of the runs, which may overlap, be empty and come in any order.
func MomentsOf(runs ...Moments) MomentSet {
	runs = slices.Clone(runs)
	slices.SortFunc(runs, func(a, b Moments) int { return cmp.Compare(a.Start, b.Start) })
	var s MomentSet
	for _, v := range runs {
		s.add(v)
	}
	return s
}

// UnionOf returns the moments in any of some sets.
func UnionOf(sets ...MomentSet) MomentSet {
	n := 0
	for _, s := range sets {
		n += len(s.runs)
	}
	runs := make([]Moments, 0, n)
	for _, s := range sets {
		runs = append(runs, s.runs...)
	}
	slices.SortFunc(runs, func(a, b Moments) int { return cmp.Compare(a.Start, b.Start) })
	s := MomentSet{runs[:0]} // it never grows past what was read
	for _, v := range runs {
		s.add(v)
	}
	return s
}

// add puts a run at the end of a set in the making: it must not start before the last one does.
func (s *MomentSet) add(v Moments) {
	if v.Empty() {
		return
	}
	if last := len(s.runs) - 1; last >= 0 && v.Start <= s.runs[last].End {
		s.runs[last].End = max(s.runs[last].End, v.End)
		return
	}
	s.runs = append(s.runs, v)
}

// Empty reports whether no moment is inside.
func (s MomentSet) Empty() bool { return len(s.runs) == 0 }

// Len counts the runs.
func (s MomentSet) Len() int { return len(s.runs) }

// At returns the run at a position from 0 to Len-1.
func (s MomentSet) At(i int) Moments { return s.runs[i] }

// Runs returns the runs in order.
func (s MomentSet) Runs() iter.Seq[Moments] { return slices.Values(s.runs) }

// Bounds returns the run from the first moment to the last; empty for an empty set.
func (s MomentSet) Bounds() Moments {
	if s.Empty() {
		return Moments{}
	}
	return Moments{s.runs[0].Start, s.runs[len(s.runs)-1].End}
}

// Open reports whether the set is open towards the past or the future.
func (s MomentSet) Open() bool { return s.Bounds().Open() }

// Length adds the runs up, in microseconds. It must not be asked of an open set.
func (s MomentSet) Length() Moment {
	var n Moment
	for _, v := range s.runs {
		n += v.End - v.Start
	}
	return n
}

// Contains reports whether a moment is inside.
func (s MomentSet) Contains(m Moment) bool {
	i, found := slices.BinarySearchFunc(s.runs, m, func(v Moments, m Moment) int { return cmp.Compare(v.Start, m) })
	return found || i > 0 && s.runs[i-1].Contains(m)
}

// Equal reports whether two sets hold the same moments.
func (s MomentSet) Equal(t MomentSet) bool { return slices.Equal(s.runs, t.runs) }

// Union returns the moments in either set.
func (s MomentSet) Union(t MomentSet) MomentSet {
	return s.combine(t, func(a, b bool) bool { return a || b })
}

// Intersect returns the moments in both sets.
func (s MomentSet) Intersect(t MomentSet) MomentSet {
	return s.combine(t, func(a, b bool) bool { return a && b })
}

// Shared returns the bounds of the moments in both sets; false where there are none.
func (s MomentSet) Shared(t MomentSet) (bounds Moments, ok bool) {
	for i, j := 0, 0; i < len(s.runs) && j < len(t.runs); {
		a, b := s.runs[i], t.runs[j]
		if bounds.Start = max(a.Start, b.Start); bounds.Start < min(a.End, b.End) {
			ok = true
			break
		}
		if a.End < b.End {
			i++
		} else {
			j++
		}
	}
	if !ok {
		return Moments{}, false
	}
	for i, j := len(s.runs)-1, len(t.runs)-1; ; {
		a, b := s.runs[i], t.runs[j]
		if bounds.End = min(a.End, b.End); max(a.Start, b.Start) < bounds.End {
			return bounds, true
		}
		if a.Start > b.Start {
			i--
		} else {
			j--
		}
	}
}

// Except returns the moments of s that are not in t.
func (s MomentSet) Except(t MomentSet) MomentSet {
	return s.combine(t, func(a, b bool) bool { return a && !b })
}

// combine walks the edges of two sets in order and keeps what is between where keep says so.
func (s MomentSet) combine(t MomentSet, keep func(inS, inT bool) bool) MomentSet {
	var out MomentSet
	edge := func(runs []Moments, i int) Moment {
		switch {
		case i >= 2*len(runs):
			return math.MaxInt64
		case i%2 == 0:
			return runs[i/2].Start
		}
		return runs[i/2].End
	}
	var before Moment
	for i, j := 0, 0; i < 2*len(s.runs) || j < 2*len(t.runs); {
		at := min(edge(s.runs, i), edge(t.runs, j))
		if keep(i%2 == 1, j%2 == 1) {
			out.add(Moments{before, at})
		}
		before = at
		if edge(s.runs, i) == at {
			i++
		}
		if edge(t.runs, j) == at {
			j++
		}
	}
	return out
}

// Map returns the set whose edges are moved by a function; open sides stay open. Runs that it turns round are left out.
func (s MomentSet) Map(move func(Moment) Moment) MomentSet {
	moved := make([]Moments, len(s.runs))
	for i, v := range s.runs {
		if moved[i] = v; v.Start != BeginningOfTime {
			moved[i].Start = move(v.Start)
		}
		if v.End != EndOfTime {
			moved[i].End = move(v.End)
		}
	}
	return MomentsOf(moved...)
}
