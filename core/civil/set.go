package civil

import (
	"fmt"
	"iter"
	"slices"
	"strings"
)

// A Set is an ordered list of disjoint, non-touching intervals: what a span resolves to. Most sets
// are one interval, which needs no allocation. The zero value is empty; a Set is never changed.
type Set struct {
	first Interval
	rest  []Interval
}

// SetOf returns the set of one interval, which may be empty.
func SetOf(v Interval) Set {
	if v.Empty() {
		return Set{}
	}
	return Set{first: v}
}

// Union returns the days in any of the intervals, which may overlap and come in any order.
func Union(vs ...Interval) Set {
	vs = slices.DeleteFunc(slices.Clone(vs), Interval.Empty)
	slices.SortFunc(vs, func(a, b Interval) int { return int(a.Start) - int(b.Start) })
	var b builder
	for _, v := range vs {
		b.add(v)
	}
	return b.set
}

// A builder puts a set together from intervals that come in order of their start.
type builder struct{ set Set }

func (b *builder) add(v Interval) {
	switch {
	case v.Empty():
	case b.set.Empty():
		b.set.first = v
	default:
		last := &b.set.first
		if n := len(b.set.rest); n > 0 {
			last = &b.set.rest[n-1]
		}
		if v.Start <= last.End {
			last.End = max(last.End, v.End)
			return
		}
		b.set.rest = append(b.set.rest, v)
	}
}

// Empty reports whether no day is inside.
func (s Set) Empty() bool { return s.first.Empty() }

// Len counts the intervals.
func (s Set) Len() int {
	if s.Empty() {
		return 0
	}
	return 1 + len(s.rest)
}

// At returns the interval at a position from 0 to Len-1.
func (s Set) At(i int) Interval {
	if i == 0 {
		return s.first
	}
	return s.rest[i-1]
}

// Intervals returns the intervals in order.
func (s Set) Intervals() iter.Seq[Interval] {
	return func(yield func(Interval) bool) {
		for i := range s.Len() {
			if !yield(s.At(i)) {
				return
			}
		}
	}
}

// Bounds returns the interval from the first day to the last; empty for an empty set.
func (s Set) Bounds() Interval {
	if len(s.rest) == 0 {
		return s.first
	}
	return Interval{s.first.Start, s.rest[len(s.rest)-1].End}
}

// Open reports whether the set is open towards the past or the future.
func (s Set) Open() bool { return s.Bounds().Open() }

// Days counts the days inside. It must not be asked of an open set.
func (s Set) Days() int {
	n := s.first.Days()
	for _, v := range s.rest {
		n += v.Days()
	}
	return n
}

// Contains reports whether a day is inside.
func (s Set) Contains(d Day) bool {
	if s.first.Contains(d) {
		return true
	}
	i, _ := slices.BinarySearchFunc(s.rest, d, func(v Interval, d Day) int {
		if v.End <= d {
			return -1
		}
		return 1
	})
	return i < len(s.rest) && s.rest[i].Contains(d)
}

// Equal reports whether two sets hold the same days.
func (s Set) Equal(t Set) bool { return s.first == t.first && slices.Equal(s.rest, t.rest) }

// Union returns the days in either set.
func (s Set) Union(t Set) Set {
	var b builder
	i, j := 0, 0
	for i < s.Len() || j < t.Len() {
		if j == t.Len() || i < s.Len() && s.At(i).Start <= t.At(j).Start {
			b.add(s.At(i))
			i++
		} else {
			b.add(t.At(j))
			j++
		}
	}
	return b.set
}

// Intersect returns the days in both sets.
func (s Set) Intersect(t Set) Set {
	var b builder
	for i, j := 0, 0; i < s.Len() && j < t.Len(); {
		v, w := s.At(i), t.At(j)
		b.add(v.Intersect(w))
		if v.End < w.End {
			i++
		} else {
			j++
		}
	}
	return b.set
}

// Shift returns the days moved by a number of days; open sides stay open.
func (s Set) Shift(days Day) Set {
	shift := func(v Interval) Interval {
		if v.Start != OpenStart {
			v.Start += days
		}
		if v.End != OpenEnd {
			v.End += days
		}
		return v
	}
	if s.Empty() {
		return s
	}
	moved := Set{first: shift(s.first)}
	for _, v := range s.rest {
		moved.rest = append(moved.rest, shift(v))
	}
	return moved
}

// Within returns the days of an interval that are in the set.
func (s Set) Within(v Interval) Set {
	var b builder
	b.add(s.first.Intersect(v))
	from, _ := slices.BinarySearchFunc(s.rest, v.Start, func(w Interval, d Day) int {
		if w.End <= d {
			return -1
		}
		return 1
	})
	for _, w := range s.rest[from:] {
		if w.Start >= v.End {
			break
		}
		b.add(w.Intersect(v))
	}
	return b.set
}

// Except returns the days of s that are not in t.
func (s Set) Except(t Set) Set {
	var b builder
	j := 0
	for i := range s.Len() {
		v := s.At(i)
		for j < t.Len() && t.At(j).End <= v.Start {
			j++
		}
		for k := j; k < t.Len() && t.At(k).Start < v.End; k++ {
			b.add(Interval{v.Start, t.At(k).Start})
			v.Start = max(v.Start, t.At(k).End)
		}
		b.add(v)
	}
	return b.set
}

// Keep returns the days of a closed set for which keep returns true.
func (s Set) Keep(keep func(Day) bool) Set {
	var b builder
	for v := range s.Intervals() {
		for d := v.Start; d < v.End; d++ {
			if keep(d) {
				b.add(One(d))
			}
		}
	}
	return b.set
}

// SetOfDays returns the set of days that are in order.
func SetOfDays(days []Day) Set {
	var runs []Interval
	for _, d := range days {
		if n := len(runs); n > 0 && runs[n-1].End >= d {
			runs[n-1].End = max(runs[n-1].End, d+1)
			continue
		}
		runs = append(runs, One(d))
	}
	return Union(runs...)
}

// EachDay yields the days of a closed set in order.
func (s Set) EachDay() iter.Seq[Day] {
	return func(yield func(Day) bool) {
		for v := range s.Intervals() {
			for d := v.Start; d < v.End; d++ {
				if !yield(d) {
					return
				}
			}
		}
	}
}

// String returns the intervals as first/last, joined by semicolons.
func (s Set) String() string {
	var b strings.Builder
	for i := range s.Len() {
		if i > 0 {
			b.WriteByte(';')
		}
		b.WriteString(s.At(i).String())
	}
	return b.String()
}

// ParseSet reads what String writes; two dots stand for an open side.
func ParseSet(text string) (Set, error) {
	if text == "" {
		return Set{}, nil
	}
	var list []Interval
	for part := range strings.SplitSeq(text, ";") {
		first, last, ok := strings.Cut(part, "/")
		if !ok {
			return Set{}, fmt.Errorf("%q: expected first/last", part)
		}
		v := Interval{OpenStart, OpenEnd}
		if first != ".." {
			d, err := ParseDay(first)
			if err != nil {
				return Set{}, err
			}
			v.Start = d
		}
		if last != ".." {
			d, err := ParseDay(last)
			if err != nil {
				return Set{}, err
			}
			v.End = d + 1
		}
		list = append(list, v)
	}
	return Union(list...), nil
}
