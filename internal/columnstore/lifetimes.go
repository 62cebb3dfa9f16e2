package columnstore

import (
	"context"
	"math"
	"runtime"
	"sync"

	"vastspan/core/ageing"
	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/measure"
	"vastspan/core/tally"
)

// Lifetimes returns the state as a source of records that begin and end.
func (f *State) Lifetimes() ageing.Source { return lifetimes{f} }

type lifetimes struct{ *State }

// maxHeldLifetimes is how many records that differ are held at a time, for one worker.
const maxHeldLifetimes = 1 << 20

// Lifetimes implements ageing.Source: records that are alike come together, mostly.
func (f lifetimes) Lifetimes(ctx context.Context, q *ageing.Request, take func(ageing.Lifetime) error) error {
	defer runtime.KeepAlive(f.State)
	s, err := f.aged(ctx, q)
	if err != nil {
		return err
	}
	var turn sync.Mutex
	give := func(w *ager) error {
		turn.Lock()
		defer turn.Unlock()
		return w.each(take)
	}
	workers := make([]*ager, runtime.GOMAXPROCS(0))
	for i := range workers {
		workers[i] = &ager{aged: s, of: make([]*worker, len(s.scans))}
	}
	windows := s.windows()
	err = inTurns(ctx, len(windows), len(workers), func(ctx context.Context, number, at int) error {
		w := workers[number]
		for i, v := range s.scans {
			rows := windows[at][i]
			if rows[0] == rows[1] {
				continue
			}
			if s.apart && len(w.list) > 0 { // what the codes mean depends on the chunk
				if err := give(w); err != nil {
					return err
				}
			}
			w.goTo(i, v)
			if err := w.add(ctx, rows[0], rows[1]); err != nil {
				return err
			}
		}
		if s.byDay || len(w.list) >= maxHeldLifetimes { // nothing that is alike follows
			return give(w)
		}
		return nil
	})
	for _, w := range workers {
		if err != nil {
			break
		}
		err = w.each(take)
	}
	return err
}

// windowRows is how many records are added up together, about: what they come to lifetimes near the processor.
const windowRows = 1 << 15

// windows lists which rows of each chunk are added up together: those of some days, where records are sorted by the day on which
// they begin, else some of one chunk.
func (s *aged) windows() [][][2]int {
	var list [][][2]int
	add := func(chunk int, rows [2]int) {
		one := make([][2]int, len(s.scans))
		one[chunk] = rows
		list = append(list, one)
	}
	stretched := func(chunk, start, end int) {
		for ; start < end; start += maxStretch {
			add(chunk, [2]int{start, min(start+maxStretch, end)})
		}
	}
	if !s.byDay {
		for i, v := range s.scans {
			stretched(i, 0, v.Rows)
		}
		return list
	}
	days := max(1, s.span*windowRows/max(s.state.Rows(), 1))
	for day := s.oldest; day < s.oldest+s.span; day += days {
		one := make([][2]int, len(s.scans))
		for i, v := range s.scans {
			one[i] = [2]int{v.from(day), v.from(day + days)}
		}
		list = append(list, one)
	}
	for i, v := range s.scans {
		stretched(i, v.dated(), v.Rows)
	}
	return list
}

// A aged is a question for lifetimes, put to all chunks: dates are counted from the first of all, and the values of the category
// by their places among those of all chunks.
type aged struct {
	state        *State
	scans        []*agedChunk
	timed        bool     // the moments themselves matter
	first        [2]int64 // the day or moment before the first, of each date
	tops         [3]int64 // how many there may be of each date, and of labels
	by, amount   bool
	labels       *space // of whole numbers; nil of texts
	texts        [][]uint32
	apart        bool // records cannot be distinguished by one number
	fast         bool // sums fit into a machine word, at the decimals of all chunks
	decimals     uint8
	labelsColumn int  // of texts
	byDay        bool // records are sorted by the day on which they begin, from the oldest on
	oldest, span int64
}

// A agedChunk is one chunk's part of the question; inputs are -1 where none is asked for.
type agedChunk struct {
	*scan
	begin, end, by, amount int
	labels                 placed
	factor                 int64 // by which amounts come to the decimals of all chunks
}

func (f lifetimes) aged(ctx context.Context, q *ageing.Request) (*aged, error) {
	clock, err := f.schema.Clock()
	if err != nil {
		return nil, err
	}
	plan, err := tally.NewPlan(tally.Request{
		Periods: tally.EachOfDays(civil.SetOf(civil.AllDays)), Figures: []measure.Figure{{Kind: measure.Count}}, Where: q.Where, Date: q.From,
	})
	if err != nil {
		return nil, err
	}
	if err := plan.Check(f.schema); err != nil {
		return nil, err
	}
	s := &aged{state: f.State, timed: q.Moments, by: q.By != "", amount: q.Amount != ""}
	for _, chunk := range f.chunks { // all of them are checked before anything is given
		v, err := f.scan(chunk, plan, f.schema, clock, nil)
		if err != nil {
			return nil, err
		}
		v.place = nil // records are distinguished by their dates, not by periods
		one := &agedChunk{scan: v, by: -1, amount: -1, factor: 1}
		for _, input := range []struct {
			name string
			at   *int
		}{{q.From, &one.begin}, {q.To, &one.end}, {q.By, &one.by}, {q.Amount, &one.amount}} {
			if input.name == "" {
				continue
			}
			if *input.at, err = v.input(input.name); err != nil {
				return nil, err
			}
		}
		s.scans = append(s.scans, one)
	}
	for i := range s.first {
		s.first[i], s.tops[i] = s.reach(i)
	}
	s.tops[2] = 1
	if s.by {
		if err := s.label(ctx, q.By); err != nil {
			return nil, err
		}
	}
	if s.amount {
		s.add()
	}
	if c := f.Coverage(); c.Records > 0 && s.scans[0].own {
		s.byDay, s.oldest, s.span = true, int64(c.Oldest), int64(c.Newest-c.Oldest)+1
	}
	if float64(s.tops[0])*float64(s.tops[1])*float64(s.tops[2]) > math.MaxInt64/2 {
		s.apart = true
	}
	return s, nil
}

// date is the input of the first or the second date.
func (v *agedChunk) date(which int) *input {
	if which == 0 {
		return &v.inputs[v.begin]
	}
	return &v.inputs[v.end]
}

// at is the day or moment of a code of a date.
func (s *aged) at(in *input, code int64, days interface {
	DayOf(civil.Moment) civil.Day
}) int64 {
	value := in.value(code)
	if in.of.Type == dataset.Timestamp && !s.timed {
		return int64(days.DayOf(civil.Moment(value)))
	}
	return value
}

// reach says from where on a date is counted, and how many there may be with the blank one.
func (s *aged) reach(which int) (before, count int64) {
	low, high := int64(math.MaxInt64), int64(math.MinInt64)
	for _, v := range s.scans {
		if in := v.date(which); in.top > 0 {
			low, high = min(low, s.at(in, 1, v.clock)), max(high, s.at(in, in.top, v.clock))
		}
	}
	if low > high {
		return 0, 1
	}
	return low - 1, high - low + 2
}

// label puts the values of the category of all chunks into one order, where they have one in machine words.
func (s *aged) label(ctx context.Context, name string) error {
	if of := &s.state.schema.Columns[s.state.schema.Index(name)]; of.Type == dataset.Text {
		var top int64
		var err error
		if s.texts, top, err = s.state.merged.of(ctx, s.state, name); err != nil {
			return err
		}
		s.labelsColumn, s.tops[2] = s.state.schema.Index(name), top+1
		for i, v := range s.scans {
			v.labels = placed{first: 1, each: 1}
			if s.texts != nil {
				v.labels.list = s.texts[i]
			}
		}
		return nil
	}
	inputs := make([]*input, len(s.scans))
	for i, v := range s.scans {
		inputs[i] = &v.inputs[v.by]
	}
	one, ok := wholeSpace(inputs)
	if s.apart = !ok || inputs == nil; s.apart {
		return nil
	}
	s.labels, s.tops[2] = one, one.top+1
	for i, v := range s.scans {
		v.labels = one.of[i]
	}
	return nil
}

// add finds out whether the amounts of all chunks can be added up in machine words.
func (s *aged) add() {
	s.fast = true
	for _, v := range s.scans {
		in := &v.inputs[v.amount]
		s.fast = s.fast && in.Kind == whole
		s.decimals = max(s.decimals, in.decimals())
	}
	rows := float64(max(s.state.Rows(), 1))
	for _, v := range s.scans {
		in := &v.inputs[v.amount]
		factor, ok := decimal.Rescale(1, s.decimals-in.decimals())
		v.factor = factor
		most := max(magnitude(in.value(1)), magnitude(in.value(max(in.top, 1)))) * float64(factor)
		s.fast = s.fast && ok && most < 1<<62/rows
	}
}

// A ager adds records up that are alike, for one goroutine.
type ager struct {
	*worker
	*aged
	scan  *agedChunk
	of    []*worker // of each chunk, once it is needed
	index placeTable
	list  []agedCell
	slow  []measure.Sums // of amounts that may not fit into a machine word
}

// A agedCell is records that are alike: dates are counted from the first one on, 0 is blank; the label is a place, or a code where
// records are apart.
type agedCell struct {
	begin, end, by int64
	records        int64
	amounts, sum   int64
	decimals       uint8
}

// goTo goes to a chunk.
func (w *ager) goTo(chunk int, v *agedChunk) {
	if w.of[chunk] == nil {
		w.of[chunk] = v.scan.worker(nil)
	}
	w.worker, w.scan = w.of[chunk], v
}

// add takes some rows in.
func (w *ager) add(ctx context.Context, start, end int) error {
	for row := start; row < end; row += blockRows {
		if err := ctx.Err(); err != nil {
			return err
		}
		w.worker.begin(row, min(blockRows, end-row))
		for _, f := range w.filters {
			w.selected = w.filter(f, w.selected)
		}
		if err := w.block(); err != nil {
			return err
		}
	}
	return nil
}

// dates returns the codes of a date for the block at hand as they are counted.
func (w *ager) dates(which int) []int64 {
	input, codes := w.scan.begin, []int64(nil)
	if which == 1 {
		input = w.scan.end
	}
	codes = w.vector(input)
	in := &w.inputs[input]
	if cap(w.days) < 2*blockRows {
		w.days = make([]int64, 2*blockRows)
	}
	counted := w.days[which*blockRows : which*blockRows+len(codes)]
	first := w.first[which]
	if in.of.Type == dataset.Timestamp && !w.timed {
		for _, row := range w.selected {
			if counted[row] = 0; codes[row] > 0 {
				counted[row] = w.at(in, codes[row], w.reader) - first
			}
		}
		return counted
	}
	base, step := in.value(1)-first, in.value(2)-in.value(1)
	for i, code := range codes {
		if counted[i] = 0; code > 0 {
			counted[i] = base + step*(code-1)
		}
	}
	return counted
}

func (w *ager) block() error {
	begins, ends := w.dates(0), w.dates(1)
	var labels, amounts []int64
	if w.by {
		labels = w.vector(w.scan.by)
	}
	if w.amount {
		amounts = w.vector(w.scan.amount)
	}
	for _, row := range w.selected {
		one := agedCell{begin: begins[row], end: ends[row]}
		if labels != nil {
			if one.by = labels[row]; one.by > 0 && !w.apart {
				one.by = w.scan.labels.place(one.by)
			}
		}
		at := w.place(&one)
		cell := &w.list[at]
		if cell.records++; amounts == nil || amounts[row] == 0 {
			continue
		}
		if err := w.addAmount(cell, at, int(row), amounts[row]); err != nil {
			return err
		}
	}
	return nil
}

// place finds where records that are alike are added up.
func (w *ager) place(one *agedCell) int32 {
	next := int32(len(w.list))
	at := next
	if !w.apart {
		at = w.index.place((one.begin*w.tops[1]+one.end)*w.tops[2]+one.by, next)
	}
	if at == next {
		if w.list = append(w.list, *one); w.amount && !w.fast {
			w.slow = append(w.slow, measure.Sums{})
		}
	}
	return at
}

func (w *ager) addAmount(cell *agedCell, at int32, row int, code int64) error {
	in := &w.inputs[w.scan.amount]
	each := eachOf(in, w.row)
	cell.amounts++
	if w.fast {
		cell.sum += in.value(code) * w.scan.factor
		decimals := in.decimals()
		if each != nil {
			decimals = each[row]
		}
		cell.decimals = max(cell.decimals, decimals)
		return nil
	}
	c := in.cell(code, nil)
	if each != nil {
		c.Number = fewer(c.Number.Digits, c.Number.Decimals, each[row])
	}
	return w.slow[at].AddCell(&c)
}

// each returns what was added up, and begins anew.
func (w *ager) each(take func(ageing.Lifetime) error) error {
	labels := map[int64]dataset.Label{}
	for at := range w.list {
		lifetime, err := w.lifetime(at, labels)
		if err != nil {
			return err
		}
		if err := take(lifetime); err != nil {
			return err
		}
	}
	w.index.clear()
	w.list, w.slow = w.list[:0], w.slow[:0]
	return nil
}

func (w *ager) lifetime(at int, labels map[int64]dataset.Label) (ageing.Lifetime, error) {
	one := &w.list[at]
	lifetime := ageing.Lifetime{Records: one.records}
	lifetime.Begun, lifetime.Begin, lifetime.From = w.date(0, one.begin)
	lifetime.Ended, lifetime.End, lifetime.To = w.date(1, one.end)
	if w.by {
		label, known := labels[one.by]
		if !known {
			var err error
			if label, err = w.labelAt(one.by); err != nil {
				return lifetime, err
			}
			labels[one.by] = label
		}
		lifetime.Label = label
	}
	switch {
	case one.amounts == 0:
	case w.fast:
		sum := fewer(one.sum, w.aged.decimals, one.decimals)
		lifetime.Sum = decimal.Of(sum.Decimal())
	default:
		a, err := w.slow[at].Amount()
		if err != nil {
			return lifetime, err
		}
		lifetime.Sum = decimal.Of(&a.Sum)
	}
	return lifetime, nil
}

// date is what a date is that was counted: whether there is one, its day, and the moment where that is asked for.
func (w *ager) date(which int, counted int64) (set bool, day civil.Day, moment civil.Moment) {
	if counted == 0 {
		return false, 0, 0
	}
	value := w.first[which] + counted
	if w.timed {
		return true, w.reader.DayOf(civil.Moment(value)), civil.Moment(value)
	}
	return true, civil.Day(value), 0
}

// labelAt is the label of a place, or of a code where records are apart.
func (w *ager) labelAt(place int64) (dataset.Label, error) {
	in := &w.inputs[w.scan.by]
	switch {
	case place == 0 || w.apart:
		return in.column.label(place, in.of)
	case w.labels != nil:
		cell := dataset.Cell{Set: true, Fixed: true, Number: decimal.Fixed{
			Digits: w.labels.base + w.labels.step*(place-1), Decimals: w.labels.decimals}}
		return in.of.Label(&cell)
	}
	return w.state.textAt(w.labelsColumn, w.texts, int(place)), nil
}

// A placeTable finds places by keys that are not less than 0.
type placeTable struct {
	slots []placeSlot // a power of two of them
	n     int
}

// A placeSlot holds a key, and 1 more than its place; 0 is free.
type placeSlot struct {
	key   int64
	place int32
}

// place returns the place of a key: the next one, which it has from now on, where it had none.
func (t *placeTable) place(key int64, next int32) int32 {
	if 2*t.n >= len(t.slots) {
		t.grow()
	}
	at := t.find(key)
	if t.slots[at].place == 0 {
		t.slots[at] = placeSlot{key, next + 1}
		t.n++
	}
	return t.slots[at].place - 1
}

// have returns 1 more than the place of a key; 0 where it has none.
func (t *placeTable) have(key int64) int32 {
	if len(t.slots) == 0 {
		return 0
	}
	return t.slots[t.find(key)].place
}

// find is where a key is, or would be.
func (t *placeTable) find(key int64) int {
	mask := len(t.slots) - 1
	hash := uint64(key) * 0x9E3779B97F4A7C15
	at := int(hash>>32) & mask
	for t.slots[at].place != 0 && t.slots[at].key != key {
		at = (at + 1) & mask
	}
	return at
}

func (t *placeTable) grow() {
	before := t.slots
	t.slots = make([]placeSlot, max(1024, 2*len(before)))
	for _, one := range before {
		if one.place != 0 {
			t.slots[t.find(one.key)] = one
		}
	}
}

func (t *placeTable) clear() {
	clear(t.slots)
	t.n = 0
}
