package columnstore

import (
	"context"
	"math/bits"
	"runtime"
	"slices"

	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/measure"
	"vastspan/core/tally"
)

// Figures of which partial results do not combine are made period by period. Different values are marked in bitmaps by their
// place in the order of all values; a place among sorted values is found by counting: how many values begin with each digit,
// then, of those that begin with the right one, how many go on with each. Neither keeps the values.

// needsMultisets reports whether the values of any column have to be kept as they are.
func (q *question) needsMultisets(ctx context.Context) (bool, error) {
	q.spaces = make([]*space, len(q.plan.ValueColumns))
	for i := range q.spaces {
		s, ok, err := q.space(ctx, i)
		if err != nil || !ok {
			return true, err
		}
		q.spaces[i] = s
	}
	return false, nil
}

// members are the groups and the ways to put them together.
type members struct {
	groups  [][]dataset.Label
	index   map[string]int32
	parents [][]int32         // of a group, those that it is part of; none of those that are put together
	of      []map[int64]int32 // by chunk and group of the chunk
	tables  [][]int32         // the same where there are few enough
}

func (q *question) members(top *tally.Top) (*members, error) {
	m := &members{index: map[string]int32{}}
	for i, v := range q.scans {
		of := make(map[int64]int32, len(q.found[i]))
		for group := range q.found[i] {
			labels, err := v.labels(group)
			if err != nil {
				return nil, err
			}
			of[group] = m.add(top.GroupOf(labels))
		}
		var table []int32
		if v.groups <= maxTable {
			table = make([]int32, v.groups)
			for group, at := range of {
				table[group] = at
			}
		}
		m.of, m.tables = append(m.of, of), append(m.tables, table)
	}
	return m, nil
}

// add finds a group; the ways to put it together are found with it.
func (m *members) add(labels []dataset.Label) int32 {
	at, known := m.find(labels)
	if known {
		return at
	}
	for mask := 1; mask < 1<<len(labels); mask++ {
		together := slices.Clone(labels)
		for i := range together {
			if mask&(1<<i) != 0 {
				together[i] = dataset.All
			}
		}
		parent, _ := m.find(together)
		m.parents[at] = append(m.parents[at], parent)
	}
	return at
}

func (m *members) find(labels []dataset.Label) (at int32, known bool) {
	key := dataset.GroupKey(labels)
	if at, known = m.index[key]; known {
		return at, true
	}
	at = int32(len(m.groups))
	m.index[key] = at
	m.groups, m.parents = append(m.groups, labels), append(m.parents, nil)
	return at, false
}

// heavy bounds how many periods are worked on at a time, whoever asks: each takes memory of its own.
var heavy = make(chan struct{}, runtime.GOMAXPROCS(0))

// holistic answers the figures of which partial results do not combine.
func (q *question) holistic(ctx context.Context, into tally.Collector) error {
	top, err := into.Top()
	if err != nil {
		return err
	}
	m, err := q.members(top)
	if err != nil {
		return err
	}
	answers := make([]map[int32][]decimal.Fraction, len(q.plan.Periods))
	err = inTurns(ctx, len(q.plan.Periods), runtime.GOMAXPROCS(0), func(ctx context.Context, _, period int) error {
		select {
		case heavy <- struct{}{}:
		case <-ctx.Done():
			return ctx.Err()
		}
		defer func() { <-heavy }()
		var err error
		answers[period], err = q.period(ctx, m, period)
		return err
	})
	if err != nil {
		return err
	}
	for period, list := range answers {
		for at, values := range list {
			if err := into.Holistic(tally.Holistic{Period: period, Group: m.groups[at], Values: values}); err != nil {
				return err
			}
		}
	}
	return nil
}

// period answers the figures of one period, by member.
func (q *question) period(ctx context.Context, m *members, period int) (map[int32][]decimal.Fraction, error) {
	answers := map[int32][]decimal.Fraction{}
	put := func(at int32, figure int, v decimal.Value) {
		values := answers[at]
		if values == nil {
			values = make([]decimal.Fraction, len(q.plan.Holistic))
			for i, f := range q.plan.Holistic {
				e, _ := measure.Lookup(f.Kind)
				values[i] = e.Empty()
			}
			answers[at] = values
		}
		values[figure] = decimal.FractionOf(v)
	}
	for column, name := range q.plan.ValueColumns {
		one := &valued{question: q, members: m, column: column, space: q.spaces[column]}
		one.wanted = q.segments(func(segment int) bool { return q.plan.In(segment, period) })
		for figure, f := range q.plan.Holistic {
			e, _ := measure.Lookup(f.Kind)
			var err error
			switch {
			case f.Column != name:
				continue
			case e.Order == 0:
				err = one.distinct(ctx, func(at int32, n int64) { put(at, figure, decimal.Int(n)) })
			default:
				err = one.order(ctx, e.Order, func(at int32, v decimal.Value) { put(at, figure, v) })
			}
			if err != nil {
				return nil, err
			}
		}
	}
	return answers, nil
}

// valued goes over the values of one column in one period.
type valued struct {
	*question
	*members
	column int
	space  *space
	wanted []bool // by segment
}

// each returns the values of all rows by their place, with their groups.
func (o *valued) each(ctx context.Context, take func(groups []int32, places []int64)) error {
	groups, places := make([]int32, 0, blockRows), make([]int64, 0, blockRows)
	for i, v := range o.scans {
		w := v.worker(o.wanted)
		table, index, placed := o.tables[i], o.of[i], o.space.of[i]
		for _, s := range v.stretches(o.wanted, false) {
			err := w.each(ctx, s, func() error {
				codes := w.vector(v.values[o.column])
				if err := w.group(); err != nil {
					return err
				}
				groups, places = groups[:0], places[:0]
				for at, row := range w.selected {
					code := codes[row]
					if code == 0 {
						continue
					}
					group := int32(0)
					if table != nil {
						group = table[w.groups[at]]
					} else {
						group = index[w.groups[at]]
					}
					groups, places = append(groups, group), append(places, placed.place(code))
				}
				take(groups, places)
				return nil
			})
			if err != nil {
				return err
			}
		}
	}
	return nil
}

// rows is how many rows there may be.
func (o *valued) rows() int64 {
	n := 0
	for _, v := range o.scans {
		for _, s := range v.stretches(o.wanted, false) {
			n += s.end - s.start
		}
	}
	return int64(n)
}

const (
	// bitmapWords is how long the bitmaps of a period are together.
	bitmapWords = 64 << 20 / 8
	// setEntries is how many pairs of a group and a value are held at a time.
	setEntries = 2 << 20
)

// distinct counts the different values of each member.
func (o *valued) distinct(ctx context.Context, put func(at int32, n int64)) error {
	counts := make([]int64, len(o.groups))
	window := min(o.space.top, max(1, int64(bitmapWords/max(1, len(o.groups))))*64)
	windows := (o.space.top + window - 1) / max(window, 1)
	parts := o.rows()*int64(1+len(o.parentsOfAny()))/setEntries + 1
	var err error
	if windows <= parts {
		err = o.distinctByBitmaps(ctx, window, counts)
	} else {
		err = o.distinctBySets(ctx, parts, counts)
	}
	for at, n := range counts {
		if n > 0 && err == nil {
			put(int32(at), n)
		}
	}
	return err
}

func (o *valued) parentsOfAny() []int32 {
	for _, list := range o.parents {
		if list != nil {
			return list
		}
	}
	return nil
}

// distinctByBitmaps marks values, those of some window of places at a time.
func (o *valued) distinctByBitmaps(ctx context.Context, window int64, counts []int64) error {
	words := (window + 63) / 64
	marks := make([]uint64, words*int64(len(o.groups)))
	for from := int64(1); from <= o.space.top; from += window {
		if from > 1 {
			clear(marks)
		}
		err := o.each(ctx, func(groups []int32, places []int64) {
			for i, place := range places {
				if at := place - from; at >= 0 && at < window {
					marks[int64(groups[i])*words+at>>6] |= 1 << (at & 63)
				}
			}
		})
		if err != nil {
			return err
		}
		of := func(at int32) []uint64 { return marks[int64(at)*words : int64(at+1)*words] }
		for group, parents := range o.parents {
			for _, parent := range parents {
				into := of(parent)
				for i, word := range of(int32(group)) {
					into[i] |= word
				}
			}
		}
		for at := range o.groups {
			for _, word := range of(int32(at)) {
				counts[at] += int64(bits.OnesCount64(word))
			}
		}
	}
	return nil
}

// distinctBySets holds pairs of a member and a value, some part of the values at a time.
func (o *valued) distinctBySets(ctx context.Context, parts int64, counts []int64) error {
	type pair struct {
		at    int32
		place int64
	}
	const mask = 2*setEntries - 1
	hash := func(place int64, at int32) uint64 {
		return (uint64(place)*0x9E3779B97F4A7C15 ^ uint64(at)) * 0xD6E8FEB86659FD93
	}
	for part := range parts {
		set := map[pair]struct{}{}
		err := o.each(ctx, func(groups []int32, places []int64) {
			for i, place := range places {
				if parts > 1 && int64(hash(place, 0)>>8&mask)%parts != part {
					continue
				}
				set[pair{groups[i], place}] = struct{}{}
				for _, parent := range o.parents[groups[i]] {
					set[pair{parent, place}] = struct{}{}
				}
			}
		})
		if err != nil {
			return err
		}
		for one := range set {
			counts[one.at]++
		}
	}
	return nil
}

// histogramWords is how many counts a period is counted into at a time.
const histogramWords = 2 << 20

// A target is a position among the sorted values of a member that is looked for.
type target struct {
	at     int32 // the member
	rank   int64 // among the values that begin with prefix
	prefix int64
	slot   int // where its digits are counted; targets with one prefix share it
}

// order finds what lies at a place from 0 to 1 among the sorted values of each member, midway between two that it lies between.
func (o *valued) order(ctx context.Context, order float64, put func(at int32, v decimal.Value)) error {
	digit := min(20, max(4, bits.Len(uint(histogramWords/max(1, len(o.groups))))-1))
	shift := max(0, bits.Len64(uint64(o.space.top))-digit)
	counts := make([]uint64, len(o.groups)<<digit)
	err := o.each(ctx, func(groups []int32, places []int64) {
		for i, place := range places {
			counts[int64(groups[i])<<digit+place>>shift]++
		}
	})
	if err != nil {
		return err
	}
	for group, parents := range o.parents {
		mine := counts[group<<digit : (group+1)<<digit]
		for _, parent := range parents {
			theirs := counts[int(parent)<<digit : int(parent+1)<<digit]
			for i, n := range mine {
				theirs[i] += n
			}
		}
	}
	var targets []target
	for at := range o.groups {
		mine := counts[at<<digit : (at+1)<<digit]
		n := int64(0)
		for _, count := range mine {
			n += int64(count)
		}
		if n == 0 {
			continue
		}
		lower, upper := measure.Places(n, order)
		for _, rank := range []int64{lower, upper} {
			t := target{at: int32(at), rank: rank}
			t.advance(mine, 0)
			targets = append(targets, t)
		}
	}
	for shift > 0 {
		digit = min(shift, min(20, max(4, bits.Len(uint(histogramWords/max(1, len(targets))))-1)))
		if err := o.narrow(ctx, targets, shift, digit); err != nil {
			return err
		}
		shift -= digit
	}
	for i := 0; i < len(targets); i += 2 {
		v, err := decimal.Midway(o.space.number(targets[i].prefix), o.space.number(targets[i+1].prefix))
		if err != nil {
			return err
		}
		put(targets[i].at, v)
	}
	return nil
}

// advance takes one more digit into the prefix: the one that holds the rank.
func (t *target) advance(counts []uint64, digit int) {
	for i, n := range counts {
		if t.rank < int64(n) {
			t.prefix = t.prefix<<digit + int64(i)
			return
		}
		t.rank -= int64(n)
	}
}

// narrow counts the next digit of the values that begin with a prefix that is looked for.
func (o *valued) narrow(ctx context.Context, targets []target, shift, digit int) error {
	slots := 0
	of := make([][2]int, len(o.groups)) // of each member, its two targets; the same where they share
	for i := range of {
		of[i] = [2]int{-1, -1}
	}
	for i := range targets {
		t := &targets[i]
		if i%2 == 1 && targets[i-1].prefix == t.prefix {
			t.slot = targets[i-1].slot
		} else {
			t.slot = slots
			slots++
		}
		of[t.at][i%2] = i
	}
	counts := make([]uint64, slots<<digit)
	mask := int64(1)<<digit - 1
	count := func(at int32, place int64) {
		first := of[at][0]
		if first < 0 {
			return
		}
		prefix, next := place>>shift, place>>(shift-digit)&mask
		lower, upper := &targets[first], &targets[first+1]
		if prefix == lower.prefix {
			counts[int64(lower.slot)<<digit+next]++
		}
		if upper.slot != lower.slot && prefix == upper.prefix {
			counts[int64(upper.slot)<<digit+next]++
		}
	}
	err := o.each(ctx, func(groups []int32, places []int64) {
		for i, place := range places {
			count(groups[i], place)
			for _, parent := range o.parents[groups[i]] {
				count(parent, place)
			}
		}
	})
	for i := range targets {
		t := &targets[i]
		t.advance(counts[t.slot<<digit:(t.slot+1)<<digit], digit)
	}
	return err
}
