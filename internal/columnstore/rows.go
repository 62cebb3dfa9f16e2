package columnstore

import (
	"slices"
	"sort"
)

// A rowRange is some rows of a chunk, one after the other.
type rowRange struct{ start, end int }

// A rowSet is some rows of a chunk: ranges in order, which neither meet nor overlap. It is not changed once it is in use.
type rowSet []rowRange

// add appends a row that is greater than all rows of the set, and returns the set.
func (s rowSet) add(row int) rowSet { return s.addRange(rowRange{row, row + 1}) }

// addRange appends rows none of which is less than the last row of the set.
func (s rowSet) addRange(r rowRange) rowSet {
	if n := len(s); n > 0 && r.start <= s[n-1].end {
		s[n-1].end = max(s[n-1].end, r.end)
		return s
	}
	if r.start < r.end {
		s = append(s, r)
	}
	return s
}

// count is how many rows there are.
func (s rowSet) count() int {
	n := 0
	for _, r := range s {
		n += r.end - r.start
	}
	return n
}

// from is the position of the first range that ends after a row.
func (s rowSet) from(row int) int {
	return sort.Search(len(s), func(i int) bool { return s[i].end > row })
}

// meets reports whether any rows of a range are in the set.
func (s rowSet) meets(start, end int) bool {
	at := s.from(start)
	return at < len(s) && s[at].start < end
}

// within appends the rows of a block, counted from its start.
func (s rowSet) within(start, end int, into []int32) []int32 {
	for at := s.from(start); at < len(s) && s[at].start < end; at++ {
		for row := max(s[at].start, start); row < min(s[at].end, end); row++ {
			into = append(into, int32(row-start))
		}
	}
	return into
}

// without returns the first n rows but for those of the set.
func (s rowSet) without(n int) rowSet {
	left := rowSet{}
	from := 0
	for _, r := range s {
		left = left.addRange(rowRange{from, min(r.start, n)})
		from = r.end
	}
	return left.addRange(rowRange{from, max(from, n)})
}

// union returns the rows of all sets.
func union(sets []rowSet) rowSet {
	if len(sets) == 1 {
		return sets[0]
	}
	all := slices.Concat(sets...)
	slices.SortFunc(all, func(a, b rowRange) int { return a.start - b.start })
	merged := all[:0]
	for _, r := range all {
		merged = merged.addRange(r)
	}
	return merged
}

// both returns the rows that are in two sets.
func (s rowSet) both(t rowSet) rowSet {
	shared := rowSet{}
	for len(s) > 0 && len(t) > 0 {
		shared = shared.addRange(rowRange{max(s[0].start, t[0].start), min(s[0].end, t[0].end)})
		if s[0].end < t[0].end {
			s = s[1:]
		} else {
			t = t[1:]
		}
	}
	return shared
}
