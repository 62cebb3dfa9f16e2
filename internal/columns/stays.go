package columns

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

// Stays returns the form as a source of records that begin and end.
func (f *Form) Stays() ageing.Source { return stays{f} }

type stays struct{ *Form }

// maxStays is how many records that differ are held at a time, for one worker.
const maxStays = 1 << 19

// Stays implements ageing.Source: records that are alike come together, mostly.
func (f stays) Stays(ctx context.Context, q *ageing.Request, take func(ageing.Stay) error) error {
	defer runtime.KeepAlive(f.Form)
	clock, err := f.schema.Clock()
	if err != nil {
		return err
	}
	plan, err := tally.NewPlan(tally.Request{
		Periods: tally.EachOfDays(civil.SetOf(civil.AllDays)), Figures: []measure.Figure{{Kind: measure.Count}}, Where: q.Where, Date: q.From,
	})
	if err != nil {
		return err
	}
	if err := plan.Check(f.schema); err != nil {
		return err
	}
	views := make([]*stayView, len(f.pieces)) // all of them are checked before anything is given
	for i, piece := range f.pieces {
		v, err := f.view(piece, plan, f.schema, clock)
		if err != nil {
			return err
		}
		if views[i], err = v.stayView(q); err != nil {
			return err
		}
	}
	var turn sync.Mutex
	for _, s := range views {
		n := (s.Rows + maxStretch - 1) / maxStretch
		workers := make([]*stayWorker, min(runtime.GOMAXPROCS(0), max(1, n)))
		err := inTurns(ctx, n, len(workers), func(ctx context.Context, number, at int) error {
			if workers[number] == nil {
				workers[number] = s.worker()
			}
			w := workers[number]
			if err := w.add(ctx, at*maxStretch, min((at+1)*maxStretch, s.Rows)); err != nil || len(w.list) < maxStays {
				return err
			}
			turn.Lock()
			defer turn.Unlock()
			return w.each(take)
		})
		if err != nil {
			return err
		}
		for _, w := range workers {
			if w == nil {
				continue
			}
			if err := w.each(take); err != nil {
				return err
			}
		}
	}
	return nil
}

// A stayView says which inputs of a view tell the records apart.
type stayView struct {
	*view
	begin, end, by, amount int // inputs; -1 where none is asked for
	moments, fast          bool
	codes                  [2]int64 // how many ends and labels there may be
	apart                  bool     // there are too many codes to tell records apart by one number
}

func (v *view) stayView(q *ageing.Request) (*stayView, error) {
	v.place = nil // records are told apart by their dates, not by periods
	s := &stayView{view: v, by: -1, amount: -1, moments: q.Moments}
	for _, one := range []struct {
		name string
		at   *int
	}{{q.From, &s.begin}, {q.To, &s.end}, {q.By, &s.by}, {q.Amount, &s.amount}} {
		if one.name == "" {
			continue
		}
		var err error
		if *one.at, err = v.input(one.name); err != nil {
			return nil, err
		}
	}
	s.codes = [2]int64{s.tops(s.end), 1}
	if s.by >= 0 {
		s.codes[1] = v.inputs[s.by].top + 1
	}
	s.apart = float64(s.tops(s.begin))*float64(s.codes[0])*float64(s.codes[1]) > math.MaxInt64/2
	if s.amount >= 0 {
		in := &v.inputs[s.amount]
		s.fast = in.Kind == whole && in.column.fits(v.Rows)
	}
	return s, nil
}

// tops is how many codes a date has: of moments of which the days alone matter, those.
func (s *stayView) tops(input int) int64 {
	in := &s.inputs[input]
	if in.of.Type == dataset.Timestamp && !s.moments && in.top > 0 {
		return in.days() + 1
	}
	return in.top + 1
}

// A stayWorker adds records up that are alike, for one goroutine.
type stayWorker struct {
	*worker
	stays *stayView
	index placeTable
	list  []stayCell
	slow  []measure.Sums // of amounts that may not fit into a machine word
	// before is, of moments of which the days alone matter, the day before the first, by which date it is.
	before [2]int64
}

// A stayCell is records that are alike: dates are codes, or days from the first one on.
type stayCell struct {
	begin, end, by int64
	records        int64
	amounts, sum   int64
	decimals       uint8
}

func (s *stayView) worker() *stayWorker {
	w := &stayWorker{worker: s.view.worker(nil), stays: s}
	for i, input := range []int{s.begin, s.end} {
		if in := &s.inputs[input]; in.of.Type == dataset.Timestamp && in.top > 0 {
			w.before[i] = int64(s.clock.DayOf(civil.Moment(in.value(1)))) - 1
		}
	}
	return w
}

// code is that of a date, or its day where that alone matters.
func (w *stayWorker) code(which, input int, code int64) int64 {
	in := &w.inputs[input]
	if code == 0 || in.of.Type != dataset.Timestamp || w.stays.moments {
		return code
	}
	return int64(w.reader.DayOf(civil.Moment(in.value(code)))) - w.before[which]
}

// add takes some rows in.
func (w *stayWorker) add(ctx context.Context, start, end int) error {
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

func (w *stayWorker) block() error {
	s := w.stays
	begins, ends := w.vector(s.begin), w.vector(s.end)
	var labels, amounts []int64
	if s.by >= 0 {
		labels = w.vector(s.by)
	}
	if s.amount >= 0 {
		amounts = w.vector(s.amount)
	}
	for _, row := range w.selected {
		one := stayCell{begin: w.code(0, s.begin, begins[row]), end: w.code(1, s.end, ends[row])}
		if labels != nil {
			one.by = labels[row]
		}
		at := w.place(one)
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
func (w *stayWorker) place(one stayCell) int32 {
	key := (one.begin*w.stays.codes[0]+one.end)*w.stays.codes[1] + one.by
	next := int32(len(w.list))
	at := next
	if !w.stays.apart {
		at = w.index.place(key, next)
	}
	if at == next {
		if w.list = append(w.list, one); w.stays.amount >= 0 && !w.stays.fast {
			w.slow = append(w.slow, measure.Sums{})
		}
	}
	return at
}

func (w *stayWorker) addAmount(cell *stayCell, at int32, row int, code int64) error {
	in := &w.inputs[w.stays.amount]
	each := eachOf(in, w.row)
	cell.amounts++
	if w.stays.fast {
		if cell.sum += in.value(code); each != nil {
			cell.decimals = max(cell.decimals, each[row])
		} else {
			cell.decimals = in.decimals()
		}
		return nil
	}
	c := in.cell(code, nil)
	if each != nil {
		c.Number = fewer(c.Number.Digits, c.Number.Decimals, each[row])
	}
	return w.slow[at].AddCell(&c)
}

// each gives what was added up, and begins anew.
func (w *stayWorker) each(take func(ageing.Stay) error) error {
	labels := map[int64]dataset.Label{}
	for at := range w.list {
		stay, err := w.stay(at, labels)
		if err != nil {
			return err
		}
		if err := take(stay); err != nil {
			return err
		}
	}
	w.index.clear()
	w.list, w.slow = w.list[:0], w.slow[:0]
	return nil
}

func (w *stayWorker) stay(at int, labels map[int64]dataset.Label) (ageing.Stay, error) {
	one, s := &w.list[at], w.stays
	stay := ageing.Stay{Records: one.records}
	stay.Begun, stay.Begin, stay.From = w.date(0, s.begin, one.begin)
	stay.Ended, stay.End, stay.To = w.date(1, s.end, one.end)
	if s.by >= 0 {
		label, known := labels[one.by]
		if !known {
			in := &w.inputs[s.by]
			var err error
			if label, err = in.column.label(one.by, in.of); err != nil {
				return stay, err
			}
			labels[one.by] = label
		}
		stay.Label = label
	}
	switch {
	case one.amounts == 0:
	case s.fast:
		sum := fewer(one.sum, w.inputs[s.amount].decimals(), one.decimals)
		stay.Sum = decimal.Of(sum.Decimal())
	default:
		a, err := w.slow[at].Amount()
		if err != nil {
			return stay, err
		}
		stay.Sum = decimal.Of(&a.Sum)
	}
	return stay, nil
}

// date is what a code of a date stands for: whether there is one, its day, and the moment where that is asked for.
func (w *stayWorker) date(which, input int, code int64) (set bool, day civil.Day, moment civil.Moment) {
	in := &w.inputs[input]
	switch {
	case code == 0:
		return false, 0, 0
	case in.of.Type == dataset.Timestamp && !w.stays.moments:
		return true, civil.Day(w.before[which] + code), 0
	}
	cell := in.cell(code, w.reader)
	if w.stays.moments {
		moment = civil.Moment(cell.Micros())
	}
	return true, cell.Day, moment
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
