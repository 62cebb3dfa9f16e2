package columnstore

import (
	"context"
	"maps"
	"math/bits"
	"runtime"
	"slices"

	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/measure"
	"vastspan/core/tally"
)

// Figures of which partial results do not combine are made for several periods in one pass. Different values are marked in bitmaps by
// their place in the order of all values; a place among sorted values is found by counting: how many values begin with each digit, then,
// of those that begin with the right one, how many go on with each. Neither keeps the values. Marks and counts are kept by cell: a group
// within the segments that belong to the same periods. Those of a period are added up from its cells.

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

// leaves lists the groups that each member is made of.
func (m *members) leaves() [][]int32 {
	list := make([][]int32, len(m.groups))
	for at, parents := range m.parents {
		if m.isParent(int32(at)) {
			continue
		}
		list[at] = append(list[at], int32(at))
		for _, parent := range parents {
			list[parent] = append(list[parent], int32(at))
		}
	}
	return list
}

// isParent reports whether a member is several groups together.
func (m *members) isParent(at int32) bool { return slices.Contains(m.groups[at], dataset.All) }

// heavy bounds how many questions are answered at a time, whoever asks: each takes memory of its own.
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
	select {
	case heavy <- struct{}{}:
	case <-ctx.Done():
		return ctx.Err()
	}
	defer func() { <-heavy }()
	a := &holisticValues{plan: q.plan, values: make([]map[int32][]decimal.Fraction, len(q.plan.Periods))}
	leaves := m.leaves()
	for column, name := range q.plan.ValueColumns {
		one := valued{question: q, members: m, leaves: leaves, column: column, space: q.spaces[column]}
		for figure, f := range q.plan.Holistic {
			if f.Column != name {
				continue
			}
			e, _ := measure.Lookup(f.Kind)
			if err := one.answer(ctx, e, a.put(figure)); err != nil {
				return err
			}
		}
	}
	for period, list := range a.values {
		for at, values := range list {
			if err := into.Holistic(tally.Holistic{Period: period, Group: m.groups[at], Values: values}); err != nil {
				return err
			}
		}
	}
	return nil
}

// holisticValues are the values of the holistic figures, by period and member.
type holisticValues struct {
	plan   *tally.Plan
	values []map[int32][]decimal.Fraction
}

// put returns what takes the values of a figure.
func (a *holisticValues) put(figure int) func(period int, at int32, v decimal.Value) {
	return func(period int, at int32, v decimal.Value) {
		if a.values[period] == nil {
			a.values[period] = map[int32][]decimal.Fraction{}
		}
		values := a.values[period][at]
		if values == nil {
			values = make([]decimal.Fraction, len(a.plan.Holistic))
			for i, f := range a.plan.Holistic {
				e, _ := measure.Lookup(f.Kind)
				values[i] = e.Empty()
			}
			a.values[period][at] = values
		}
		values[figure] = decimal.FractionOf(v)
	}
}

// valued goes over the values of one column.
type valued struct {
	*question
	*members
	leaves [][]int32
	column int
	space  *space
}

// A batch is some periods that are answered together.
type batch struct {
	*valued
	periods []int
	wanted  []bool    // by segment
	class   []int32   // of each segment that is wanted: segments of one class belong to the same periods
	of      [][]int32 // of each period, its classes
	cells   int       // classes × members
}

func (o *valued) batch(periods []int) *batch {
	b := &batch{valued: o, periods: periods, class: make([]int32, len(o.plan.Cuts)+1), of: make([][]int32, len(periods))}
	index := map[string]int32{}
	b.wanted = o.segments(func(segment int) bool {
		key := make([]byte, len(periods))
		any := false
		for i, period := range periods {
			if o.plan.In(segment, period) {
				key[i], any = 1, true
			}
		}
		if !any {
			return false
		}
		class, known := index[string(key)]
		if !known {
			class = int32(len(index))
			index[string(key)] = class
			for i := range periods {
				if key[i] == 1 {
					b.of[i] = append(b.of[i], class)
				}
			}
		}
		b.class[segment] = class
		return true
	})
	b.cells = len(index) * len(o.groups)
	return b
}

const (
	// maxCells is how many cells a batch of several periods has.
	maxCells = 1 << 13
	// counters is how many counters a pass has, for each worker, unless there are more cells.
	counters = 1 << 20
	// bitmapWords is how long the bitmaps of a batch are together.
	bitmapWords = 64 << 20 / 8
	// setEntries is how many pairs of a group and a value are held at a time.
	setEntries = 2 << 20
)

// answer answers a figure of all periods: together where there are few enough cells.
func (o *valued) answer(ctx context.Context, e *measure.Entry, put func(period int, at int32, v decimal.Value)) error {
	all := make([]int, len(o.plan.Periods))
	for i := range all {
		all[i] = i
	}
	pending := [][]int{all}
	for len(pending) > 0 {
		periods := pending[len(pending)-1]
		pending = pending[:len(pending)-1]
		b := o.batch(periods)
		n := len(periods)
		if n > 1 && (b.cells > maxCells || e.Order == 0 && b.windows() > 1) {
			pending = append(pending, periods[:n/2], periods[n/2:])
			continue
		}
		if b.cells == 0 {
			continue
		}
		var err error
		if e.Order == 0 {
			err = b.distinct(ctx, put)
		} else {
			err = b.order(ctx, e.Order, put)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// workersOf is how many goroutines go over the values.
func (b *batch) workersOf() int { return runtime.GOMAXPROCS(0) }

// each passes the values of all rows on by their place, with their cells.
func (b *batch) each(ctx context.Context, take func(worker int, cells []int32, places []int64)) error {
	type task struct {
		scan int
		stretch
	}
	var tasks []task
	for i, v := range b.scans {
		for _, s := range v.stretches(b.wanted, false) {
			tasks = append(tasks, task{i, s})
		}
	}
	passes := make([]*valuePass, b.workersOf())
	return inTurns(ctx, len(tasks), len(passes), func(ctx context.Context, number, at int) error {
		p := passes[number]
		if p == nil {
			p = &valuePass{batch: b, workers: make([]*worker, len(b.scans)), cells: make([]int32, blockRows), places: make([]int64, blockRows)}
			passes[number] = p
		}
		one := tasks[at]
		return p.stretch(ctx, one.scan, one.stretch, func(cells []int32, places []int64) { take(number, cells, places) })
	})
}

// A valuePass goes over values, for one goroutine.
type valuePass struct {
	*batch
	workers []*worker
	cells   []int32
	places  []int64
}

func (p *valuePass) stretch(ctx context.Context, scan int, s stretch, take func(cells []int32, places []int64)) error {
	w := p.workers[scan]
	if w == nil {
		w = p.scans[scan].worker(p.wanted)
		p.workers[scan] = w
	}
	v, table, index, placed := p.scans[scan], p.tables[scan], p.members.of[scan], p.space.of[scan]
	members := int32(len(p.groups))
	return w.each(ctx, s, func() error {
		codes := w.vector(v.values[p.column])
		if err := w.group(); err != nil {
			return err
		}
		n, base := 0, int32(0)
		if s.segment != notOne {
			base = p.class[s.segment] * members
		}
		for at, row := range w.selected {
			code := codes[row]
			if code == 0 {
				continue
			}
			if s.segment == notOne {
				base = p.class[w.segments[at]] * members
			}
			if table != nil {
				p.cells[n] = base + table[w.groups[at]]
			} else {
				p.cells[n] = base + index[w.groups[at]]
			}
			p.places[n] = code
			n++
		}
		placed.all(p.places[:n])
		take(p.cells[:n], p.places[:n])
		return nil
	})
}

// rows is how many rows there may be.
func (b *batch) rows() int64 {
	n := 0
	for _, v := range b.scans {
		for _, s := range v.stretches(b.wanted, false) {
			n += s.end - s.start
		}
	}
	return int64(n)
}

// window is how many places are marked at a time, and windows how often all rows are passed for it.
func (b *batch) window() int64 {
	each := int64(bitmapWords / max(1, b.cells) / b.workersOf())
	return min(b.space.top, max(1, each)*64)
}

func (b *batch) windows() int64 {
	window := max(b.window(), 1)
	return (b.space.top + window - 1) / window
}

// distinct counts the different values of each member in each period.
func (b *batch) distinct(ctx context.Context, put func(period int, at int32, v decimal.Value)) error {
	counts := make([][]int64, len(b.periods))
	for i := range counts {
		counts[i] = make([]int64, len(b.groups))
	}
	parts := b.rows()*int64(1+b.mostParents())/setEntries + 1
	var err error
	if len(b.periods) > 1 || b.windows() <= parts {
		err = b.distinctByBitmaps(ctx, counts)
	} else {
		err = b.distinctBySets(ctx, parts, counts[0])
	}
	for i, period := range b.periods {
		for at, n := range counts[i] {
			if n > 0 && err == nil {
				put(period, int32(at), decimal.Int(n))
			}
		}
	}
	return err
}

// mostParents is of how many members a group is part, at most.
func (m *members) mostParents() (most int) {
	for _, list := range m.parents {
		most = max(most, len(list))
	}
	return most
}

// distinctByBitmaps marks values, those of some window of places at a time.
func (b *batch) distinctByBitmaps(ctx context.Context, counts [][]int64) error {
	window := b.window()
	words := (window + 63) / 64
	marks := make([][]uint64, b.workersOf())
	together := make([]uint64, words)
	for from := int64(1); from <= b.space.top; from += window {
		for _, mine := range marks {
			clear(mine)
		}
		err := b.each(ctx, func(worker int, cells []int32, places []int64) {
			if marks[worker] == nil {
				marks[worker] = make([]uint64, words*int64(b.cells))
			}
			mine := marks[worker]
			for i, place := range places {
				if at := place - from; uint64(at) < uint64(window) {
					mine[int64(cells[i])*words+at>>6] |= 1 << (at & 63)
				}
			}
		})
		if err != nil {
			return err
		}
		whole := merged64(marks, func(into, from uint64) uint64 { return into | from })
		if whole == nil {
			continue
		}
		for i := range b.periods {
			for at := range b.groups {
				clear(together)
				for _, leaf := range b.leaves[at] {
					for _, class := range b.of[i] {
						cell := int64(class)*int64(len(b.groups)) + int64(leaf)
						for j, word := range whole[cell*words : (cell+1)*words] {
							together[j] |= word
						}
					}
				}
				for _, word := range together {
					counts[i][at] += int64(bits.OnesCount64(word))
				}
			}
		}
	}
	return nil
}

// merged64 merges what workers have counted or marked into the first of them; nil where nobody has.
func merged64(of [][]uint64, merge func(into, from uint64) uint64) []uint64 {
	var whole []uint64
	for _, one := range of {
		switch {
		case one == nil:
		case whole == nil:
			whole = one
		default:
			for i, n := range one {
				whole[i] = merge(whole[i], n)
			}
			clear(one)
		}
	}
	return whole
}

func plus(into, from uint64) uint64 { return into + from }

// distinctBySets holds pairs of a member and a value, some part of the values at a time, for a batch of one period.
func (b *batch) distinctBySets(ctx context.Context, parts int64, counts []int64) error {
	type pair struct {
		at    int32
		place int64
	}
	const mask = 2*setEntries - 1
	hash := func(place int64) uint64 { return uint64(place) * 0x9E3779B97F4A7C15 }
	for part := range parts {
		sets := make([]map[pair]struct{}, b.workersOf())
		err := b.each(ctx, func(worker int, cells []int32, places []int64) {
			if sets[worker] == nil {
				sets[worker] = map[pair]struct{}{}
			}
			set := sets[worker]
			for i, place := range places {
				if parts > 1 && int64(hash(place)>>16&mask)%parts != part {
					continue
				}
				group := cells[i] % int32(len(b.groups))
				set[pair{group, place}] = struct{}{}
				for _, parent := range b.parents[group] {
					set[pair{parent, place}] = struct{}{}
				}
			}
		})
		if err != nil {
			return err
		}
		whole := map[pair]struct{}{}
		for _, set := range sets {
			maps.Copy(whole, set)
		}
		for one := range whole {
			counts[one.at]++
		}
	}
	return nil
}

// A target is a position among the sorted values of a member in a period that is looked for.
type target struct {
	period int   // within the batch
	at     int32 // the member
	rank   int64 // among the values that begin with prefix
	prefix int64
}

// order finds what is at a place from 0 to 1 among the sorted values of each member in each period, midway between two that it is
// between.
func (b *batch) order(ctx context.Context, order float64, put func(period int, at int32, v decimal.Value)) error {
	length := bits.Len64(uint64(b.space.top))
	digit := digitOf(b.cells, length)
	shift := length - digit
	counts := make([][]uint64, b.workersOf())
	err := b.each(ctx, func(worker int, cells []int32, places []int64) {
		if counts[worker] == nil {
			counts[worker] = make([]uint64, b.cells<<digit)
		}
		mine := counts[worker]
		for i, place := range places {
			mine[int64(cells[i])<<digit+place>>shift]++
		}
	})
	whole := merged64(counts, plus)
	if err != nil || whole == nil {
		return err
	}
	targets := b.targets(order, func(period int, at int32, into []uint64) {
		b.add(period, at, into, func(cell int64) []uint64 { return whole[cell<<digit : (cell+1)<<digit] })
	}, digit)
	for shift > 0 {
		next := min(shift, digitOf(len(targets)*len(b.class), shift))
		if err := b.narrow(ctx, targets, shift, next); err != nil {
			return err
		}
		shift -= next
	}
	for i := 0; i < len(targets); i += 2 {
		v, err := decimal.Midway(b.space.number(targets[i].prefix), b.space.number(targets[i+1].prefix))
		if err != nil {
			return err
		}
		put(b.periods[targets[i].period], targets[i].at, v)
	}
	return nil
}

// digitOf is how many bits are counted by at a time, of so many that are left.
func digitOf(cells, left int) int {
	return min(left, 10, max(4, bits.Len(uint(counters/max(1, cells)))-1))
}

// add adds the counts of a member's cells in a period.
func (b *batch) add(period int, at int32, into []uint64, counts func(cell int64) []uint64) {
	for _, leaf := range b.leaves[at] {
		for _, class := range b.of[period] {
			for i, n := range counts(int64(class)*int64(len(b.groups)) + int64(leaf)) {
				into[i] += n
			}
		}
	}
}

// targets are two for each member and period that has values, with their first digit.
func (b *batch) targets(order float64, counts func(period int, at int32, into []uint64), digit int) (list []target) {
	mine := make([]uint64, 1<<digit)
	for period := range b.periods {
		for at := range b.groups {
			clear(mine)
			counts(period, int32(at), mine)
			n := int64(0)
			for _, count := range mine {
				n += int64(count)
			}
			if n == 0 {
				continue
			}
			lower, upper := measure.Places(n, order)
			for _, rank := range []int64{lower, upper} {
				t := target{period: period, at: int32(at), rank: rank}
				t.advance(mine, 0)
				list = append(list, t)
			}
		}
	}
	return list
}

// advance appends one more digit to the prefix: the one that holds the rank.
func (t *target) advance(counts []uint64, digit int) {
	for i, n := range counts {
		if t.rank < int64(n) {
			t.prefix = t.prefix<<digit + int64(i)
			return
		}
		t.rank -= int64(n)
	}
}

// narrow counts the next digit of the values of each cell that begin with a prefix which is looked for there.
func (b *batch) narrow(ctx context.Context, targets []target, shift, digit int) error {
	prefixes := b.space.top>>shift + 1
	var slots placeTable
	n := int32(0)
	key := func(cell, prefix int64) int64 { return cell*prefixes + prefix }
	for _, t := range targets {
		for _, leaf := range b.leaves[t.at] {
			for _, class := range b.of[t.period] {
				if slots.place(key(int64(class)*int64(len(b.groups))+int64(leaf), t.prefix), n) == n {
					n++
				}
			}
		}
	}
	var table []int32 // the slots, where there are few enough keys: 0 is none, else the slot and 1
	if keys := int64(b.cells) * prefixes; keys <= 4*counters {
		table = make([]int32, keys)
		for _, s := range slots.slots {
			if s.place != 0 {
				table[s.key] = s.place
			}
		}
	}
	counts := make([][]uint64, b.workersOf())
	mask := int64(1)<<digit - 1
	err := b.each(ctx, func(worker int, cells []int32, places []int64) {
		if counts[worker] == nil {
			counts[worker] = make([]uint64, int64(n)<<digit)
		}
		mine := counts[worker]
		for i, place := range places {
			at, slot := key(int64(cells[i]), place>>shift), int32(0)
			if table != nil {
				slot = table[at]
			} else {
				slot = slots.have(at)
			}
			if slot > 0 {
				mine[int64(slot-1)<<digit+place>>(shift-digit)&mask]++
			}
		}
	})
	if err != nil {
		return err
	}
	whole := merged64(counts, plus)
	mine := make([]uint64, 1<<digit)
	for i := range targets {
		t := &targets[i]
		clear(mine)
		b.add(t.period, t.at, mine, func(cell int64) []uint64 {
			slot := int64(slots.have(key(cell, t.prefix)) - 1)
			return whole[slot<<digit : (slot+1)<<digit]
		})
		t.advance(mine, digit)
	}
	return nil
}
