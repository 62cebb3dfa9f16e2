package store

import (
	"encoding/binary"
	"maps"
	"slices"
	"sort"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
)

// A load knows what it adds to the sums: the copy in memory grows by that, so that the first question after a load is
// answered as fast as those after it.

// growth is a copy of sums on its way from what it was before a load.
type growth struct {
	*rollup
	before *rollup
	codes  []map[dataset.Label]uint32
	key    []byte
	row    grownRow
}

// A grownRow is one row of sums.
type grownRow struct {
	at      int64
	codes   []uint32
	records int64
	sums    []grownSums
}

// grownSums are those of one amount, all with the same decimals; held is false where they do not fit into machine words.
type grownSums struct {
	count         int64
	sum, min, max int64
	decimals      uint8
	held          bool
}

// grown returns the copy of the sums as they are after the load; nil where there would be too much of them.
func (f *loadRollup) grown(fresh *sumTable) (*rollup, error) {
	before := f.before
	if before == nil {
		before = f.none()
	}
	dated, undated := splitRows(fresh.rows())
	c := &rollup{version: f.Version + 1, schema: &f.Schema, axis: before.axis, bytes: f.copied(len(before.at) + len(fresh.counts))}
	if c.bytes > cacheBudget/2 {
		return nil, nil
	}
	g := &growth{rollup: c, before: before}
	for i := range before.categories {
		had := &before.categories[i]
		c.categories = append(c.categories, categoryColumn{name: had.name, labels: slices.Clone(had.labels)})
		codes := map[dataset.Label]uint32{}
		for code, l := range had.labels {
			codes[l] = uint32(code)
		}
		g.codes = append(g.codes, codes)
	}
	for i := range before.amounts {
		c.amounts = append(c.amounts, amountColumn{name: before.amounts[i].name, held: before.amounts[i].held})
	}
	end := len(before.at) - len(before.undated)
	next := 0 // the row of the copy before that is taken next
	for len(dated) > 0 {
		same := 1
		for same < len(dated) && dated[same].slot == dated[0].slot {
			same++
		}
		at := f.timeOf(dated[0].slot)
		from := next + sort.Search(end-next, func(i int) bool { return before.at[next+i] >= at })
		until := from + sort.Search(end-from, func(i int) bool { return before.at[from+i] > at })
		g.copy(next, from)
		g.together(from, until, at, dated[:same], fresh)
		next, dated = until, dated[same:]
	}
	g.copy(next, end)
	g.cover(0, true)
	first := len(c.at)
	g.together(end, len(before.at), 0, undated, fresh)
	g.cover(first, false)
	return c, c.finish()
}

// none is the copy of no sums.
func (f *loadRollup) none() *rollup {
	c := &rollup{axis: f.grain().axis}
	for _, name := range f.rollupCategories() {
		c.categories = append(c.categories, categoryColumn{name: name})
	}
	for _, name := range f.rollupAmounts() {
		c.amounts = append(c.amounts, amountColumn{name: name, held: true})
	}
	return c
}

// splitRows separates rows with a day from those without.
func splitRows(rows []sumRow) (dated, undated []sumRow) {
	for _, r := range rows {
		if r.dated {
			dated = append(dated, r)
		} else {
			undated = append(undated, r)
		}
	}
	return dated, undated
}

// timeOf is the time of a slot as copies keep it.
func (f *loadRollup) timeOf(slot int) int64 {
	if f.hours {
		return int64(slot * f.step)
	}
	return int64(epoch + civil.Day(slot))
}

// copy takes rows of the copy before as they are.
func (g *growth) copy(from, until int) {
	for row := from; row < until; row++ {
		g.take(row)
		g.push(&g.row)
	}
}

// take brings a row of the copy before to hand.
func (g *growth) take(row int) {
	r := &g.row
	r.at, r.records, r.codes, r.sums = g.before.at[row], g.before.records[row], r.codes[:0], r.sums[:0]
	for i := range g.before.categories {
		r.codes = append(r.codes, g.before.categories[i].codes[row])
	}
	for i := range g.before.amounts {
		a := &g.before.amounts[i]
		s := grownSums{a.counts[row], a.sums[row], a.mins[row], a.maxs[row], a.decimals, true}
		if a.mixed {
			s.decimals = a.each[row]
		}
		r.sums = append(r.sums, s)
	}
}

// together takes the rows of one time: those of the copy before and those of the load, added where they are of the same
// combination.
func (g *growth) together(from, until int, at int64, rows []sumRow, fresh *sumTable) {
	added := map[string]*grownRow{}
	for _, r := range rows {
		one := &grownRow{at: at, records: fresh.counts[r.place]}
		for i, l := range r.of.labels {
			one.codes = append(one.codes, g.code(i, l))
		}
		for i := range fresh.amounts {
			count, sum, least, most, ok := fresh.sums[r.place*fresh.amounts+i].Fixed()
			one.sums = append(one.sums, grownSums{count, sum.Digits, least.Digits, most.Digits, sum.Decimals, ok})
		}
		added[string(g.keyOf(one.codes))] = one
	}
	for row := from; row < until; row++ {
		g.take(row)
		if more := added[string(g.keyOf(g.row.codes))]; more != nil {
			delete(added, string(g.keyOf(g.row.codes)))
			g.row.records += more.records
			for i := range more.sums {
				g.row.sums[i].add(more.sums[i])
			}
		}
		g.push(&g.row)
	}
	for _, key := range slices.Sorted(maps.Keys(added)) {
		g.push(added[key])
	}
}

func (g *growth) code(category int, l dataset.Label) uint32 {
	code, ok := g.codes[category][l]
	if !ok {
		column := &g.categories[category]
		code = uint32(len(column.labels))
		column.labels = append(column.labels, l)
		g.codes[category][l] = code
	}
	return code
}

func (g *growth) keyOf(codes []uint32) []byte {
	g.key = g.key[:0]
	for _, code := range codes {
		g.key = binary.BigEndian.AppendUint32(g.key, code)
	}
	return g.key
}

// add adds others up, at the decimals of whichever has more.
func (s *grownSums) add(t grownSums) {
	switch {
	case t.count == 0 && t.held:
		return
	case s.count == 0 && s.held:
		*s = t
		return
	}
	decimals := max(s.decimals, t.decimals)
	held := s.held && t.held
	at := func(digits int64, have uint8) int64 {
		scaled, ok := decimal.Rescale(digits, decimals-have)
		held = held && ok
		return scaled
	}
	a, b := at(s.sum, s.decimals), at(t.sum, t.decimals)
	sum := a + b
	held = held && (sum > a) == (b > 0)
	least := min(at(s.min, s.decimals), at(t.min, t.decimals))
	most := max(at(s.max, s.decimals), at(t.max, t.decimals))
	*s = grownSums{s.count + t.count, sum, least, most, decimals, held}
}

// push puts a row behind the others.
func (g *growth) push(r *grownRow) {
	g.at, g.records = append(g.at, r.at), append(g.records, r.records)
	for i, code := range r.codes {
		g.categories[i].codes = append(g.categories[i].codes, code)
	}
	for i, s := range r.sums {
		a := &g.amounts[i]
		a.held = a.held && s.held
		a.counts, a.each = append(a.counts, s.count), append(a.each, s.decimals)
		a.sums, a.mins, a.maxs = append(a.sums, s.sum), append(a.mins, s.min), append(a.maxs, s.max)
	}
}

// cover counts the records of the rows from one on.
func (g *growth) cover(first int, dated bool) {
	for row := first; row < len(g.at); row++ {
		if dated {
			day := g.dayOf(g.at[row])
			g.coverage.AddMany(g.records[row], day, day)
			continue
		}
		g.coverage.Undated += g.records[row]
		g.undated = append(g.undated, row)
	}
}
