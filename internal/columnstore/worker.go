package columnstore

import (
	"context"
	"math"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/tally"
)

// blockRows is how many rows are worked on at a time: their codes lifetime near the processor.
const blockRows = 4096

// A worker goes over some rows of a chunk, for one goroutine.
type worker struct {
	*scan
	reader   *civil.WallReader
	row      int // the first one of the block at hand
	rows     int
	vectors  []vector // of the inputs
	selected []int32  // the rows of the block that are kept
	segments []int32  // of each of them, where they are not all of one
	groups   []int64
	days     []int64
	coverage tally.Coverage
	sums     *sums
	counting bool    // the records that pass the filters are counted
	wanted   []bool  // by segment
	placed   []int32 // of a placing, by its codes
}

// A vector holds the codes of an input for the block at hand.
type vector struct {
	codes [blockRows]int64
	row   int // of the block that it was read for
	known *lengthTable
}

// worker returns one that keeps the rows of some segments.
func (v *scan) worker(wanted []bool) *worker {
	w := &worker{scan: v, wanted: wanted, reader: v.clock.Reader(), vectors: make([]vector, len(v.inputs)),
		selected: make([]int32, blockRows), segments: make([]int32, blockRows), groups: make([]int64, blockRows)}
	for i := range w.vectors {
		w.vectors[i].row = -1
	}
	if v.place != nil {
		w.placed = v.place.only(wanted)
	}
	return w
}

// allRows are the rows of a block.
var allRows = func() (list [blockRows]int32) {
	for i := range list {
		list[i] = int32(i)
	}
	return list
}()

// begin goes to a block of rows; those that count are selected.
func (w *worker) begin(row, rows int) {
	w.row, w.rows = row, rows
	w.selected = w.held.selected(row, rows, w.selected)
}

// vector returns the codes of an input for the block at hand.
func (w *worker) vector(at int) []int64 {
	v := &w.vectors[at]
	codes := v.codes[:w.rows]
	if v.row != w.row {
		v.row = w.row
		if in := &w.inputs[at]; in.length == nil {
			in.column.read(w.row, codes)
		} else {
			w.readLengths(in, v, codes)
		}
	}
	return codes
}

// A lengthTable remembers the lengths from one code to another.
type lengthTable struct {
	list  []int32 // 0 where it is not known yet, else the code and 1
	width int64
	wrong error
}

// maxLengths is how many lengths are remembered.
const maxLengths = 4 << 20

func (w *worker) readLengths(in *input, v *vector, codes []int64) {
	from, to := &w.inputs[in.length.from], &w.inputs[in.length.to]
	if v.known == nil {
		v.known = &lengthTable{width: to.top + 1}
		if from.top < maxLengths && to.top < maxLengths && (from.top+1)*(to.top+1) <= maxLengths {
			v.known.list = make([]int32, (from.top+1)*(to.top+1))
		}
	}
	begin, end := w.vector(in.length.from), w.vector(in.length.to)
	if in.length.days {
		in.length.readDays(from, to, begin, end, codes)
		return
	}
	for i := range codes {
		at := begin[i]*v.known.width + end[i]
		if v.known.list != nil && v.known.list[at] != 0 {
			codes[i] = int64(v.known.list[at]) - 1
			continue
		}
		a, b := from.cell(begin[i], w.reader), to.cell(end[i], w.reader)
		var made dataset.Cell
		if err := in.length.Cell(&a, &b, &made); err != nil {
			v.known.wrong, made = err, dataset.Cell{}
		}
		codes[i] = 0
		if made.Set {
			codes[i] = made.Number.Digits + 1
		}
		if v.known.list != nil {
			v.known.list[at] = int32(codes[i]) + 1
		}
	}
}

// readDays makes the codes of lengths in days between two dates, as LengthColumn.Cell makes their cells.
func (l *lengthInput) readDays(from, to *input, begin, end, codes []int64) {
	fromBase, fromStep := from.value(1), from.value(2)-from.value(1)
	toBase, toStep := to.value(1), to.value(2)-to.value(1)
	asOf := int64(l.AsOf)
	for i := range codes {
		last := asOf
		if end[i] > 0 {
			last = min(asOf, toBase+toStep*(end[i]-1))
		}
		code := last - (fromBase + fromStep*(begin[i]-1)) + 1
		if code < 1 || begin[i] == 0 {
			code = 0
		}
		codes[i] = code
	}
}

// wrong is the error of a length that could not be found.
func (w *worker) wrong() error {
	for i := range w.vectors {
		if known := w.vectors[i].known; known != nil && known.wrong != nil {
			return known.wrong
		}
	}
	return nil
}

// A stretch is some rows of a chunk, of one segment where they are sorted by the date of the plan.
type stretch struct {
	segment    int // notOne where the rows are of several
	start, end int
}

// Segments that a stretch may have instead of one.
const (
	notOne   = -1
	noWanted = -2 // its rows are counted alone
)

// maxStretch is how many rows a stretch has at most: workers share a chunk by stretches.
const maxStretch = 1 << 16

// stretches lists the rows to go over. Those that are not wanted are looked at where all is set.
func (v *scan) stretches(wanted []bool, all bool) []stretch {
	var list []stretch
	add := func(segment, start, end int) {
		for ; start < end; start += maxStretch {
			if one := (stretch{segment, start, min(start+maxStretch, end)}); v.live == nil || v.live.meets(one.start, one.end) {
				list = append(list, one)
			}
		}
	}
	if !v.own {
		add(notOne, 0, v.Rows)
		return list
	}
	start := 0
	for segment := range len(v.plan.Cuts) + 1 {
		end := v.dated()
		if segment < len(v.plan.Cuts) {
			end = v.cut(v.plan.Cuts[segment])
		}
		if wanted[segment] {
			add(segment, start, end)
		} else if all {
			add(noWanted, start, end)
		}
		start = end
	}
	if all {
		add(noWanted, v.dated(), v.Rows)
	}
	return list
}

// cut is the first row on a cut of the plan or after it.
func (v *scan) cut(at int64) int {
	if !v.plan.Timed {
		return v.from(at)
	}
	in := &v.inputs[v.date]
	low, high := 0, v.dated()
	for low < high {
		middle := low + (high-low)/2
		if in.value(in.column.code(middle)) >= at {
			high = middle
		} else {
			low = middle + 1
		}
	}
	return low
}

// each goes over the blocks of a stretch: take is called where rows are left of one, with w.segments set where they are of
// several.
func (w *worker) each(ctx context.Context, s stretch, take func() error) error {
	for row := s.start; row < s.end; row += blockRows {
		if err := ctx.Err(); err != nil {
			return err
		}
		if w.begin(row, min(blockRows, s.end-row)); len(w.selected) == 0 {
			continue
		}
		for _, f := range w.filters {
			w.selected = w.filter(f, w.selected)
		}
		if s.segment == notOne {
			w.segment()
		} else if w.counting {
			w.cover()
		}
		if len(w.selected) == 0 || s.segment == noWanted {
			continue
		}
		if err := take(); err != nil {
			return err
		}
	}
	return w.wrong()
}

// cover counts rows that are sorted by the date of the plan.
func (w *worker) cover() {
	n := len(w.selected)
	if n == 0 {
		return
	}
	records := int64(n)
	if w.weight >= 0 {
		records = 0
		in, codes := &w.inputs[w.weight], w.vector(w.weight)
		for _, row := range w.selected {
			records += in.value(codes[row])
		}
	}
	first, last := w.row+int(w.selected[0]), w.row+int(w.selected[n-1])
	if first >= w.dated() {
		w.coverage.Undated += records
		return
	}
	w.coverage.AddMany(records, w.dayOf(first), w.dayOf(last))
}

// segment finds the segments of rows that are not sorted by the date of the plan, covers them, and keeps those wanted.
func (w *worker) segment() {
	if w.counting {
		w.coverDates()
	}
	in, codes, kept := &w.inputs[w.date], w.vector(w.date), w.selected[:0]
	switch p := w.place; {
	case p == nil:
		for _, row := range w.selected {
			if codes[row] == 0 {
				continue
			}
			if segment := w.plan.Segment(in.value(codes[row])); w.wanted[segment] {
				w.segments[len(kept)] = int32(segment)
				kept = append(kept, row)
			}
		}
	case p.byDay:
		for _, row := range w.selected {
			if codes[row] == 0 {
				continue
			}
			day := int64(w.reader.DayOf(civil.Moment(in.value(codes[row]))))
			if segment := w.placed[day-p.first]; segment >= 0 {
				w.segments[len(kept)] = segment
				kept = append(kept, row)
			}
		}
	default:
		n, placed, rows, segments := 0, w.placed, w.selected, w.segments[:len(w.selected)]
		for _, row := range rows { // without a branch, as in filterBy
			segment := placed[codes[row]]
			rows[n], segments[n] = row, segment
			if segment >= 0 {
				n++
			}
		}
		kept = rows[:n]
	}
	w.selected = kept
}

// coverDates counts rows that are not sorted by the date of the plan.
func (w *worker) coverDates() {
	codes, low, high, dated := w.vector(w.date), int64(math.MaxInt64), int64(0), int64(0)
	for _, row := range w.selected {
		if code := codes[row]; code > 0 {
			low, high = min(low, code), max(high, code)
			dated++
		}
	}
	w.coverage.Undated += int64(len(w.selected)) - dated
	if in := &w.inputs[w.date]; dated > 0 {
		oldest, newest := in.cell(low, w.reader), in.cell(high, w.reader)
		w.coverage.AddMany(dated, oldest.Day, newest.Day)
	}
}

// group finds the groups of the rows that are selected.
func (w *worker) group() error {
	w.groups = w.groups[:len(w.selected)]
	if len(w.keys) == 1 && w.keys[0].part == nil {
		codes := w.vector(w.keys[0].input)
		for at, row := range w.selected {
			w.groups[at] = codes[row]
		}
		return nil
	}
	clear(w.groups)
	for i := range w.keys {
		k := &w.keys[i]
		codes := w.vector(k.input)
		switch in := &w.inputs[k.input]; {
		case k.part == nil:
			for at, row := range w.selected {
				w.groups[at] = w.groups[at]*k.codes + codes[row]
			}
		default:
			for at, row := range w.selected {
				code, err := w.partCode(k, in, codes[row])
				if err != nil {
					return err
				}
				w.groups[at] = w.groups[at]*k.codes + code
			}
		}
	}
	return nil
}

// partCode is the code of a part of time.
func (w *worker) partCode(k *key, in *input, code int64) (int64, error) {
	if code == 0 {
		return 0, nil
	}
	if k.part.Hours() {
		_, within := w.reader.DateAndTime(civil.Moment(in.value(code)))
		return int64(within/(3600*civil.Second)) + 1, nil
	}
	if in.of.Type == dataset.Timestamp {
		code = int64(w.reader.DayOf(civil.Moment(in.value(code)))) - k.first
	}
	place := k.places[code]
	if place < 0 {
		day := civil.Day(k.first + code)
		if in.of.Type != dataset.Timestamp {
			day = civil.Day(in.value(code))
		}
		_, err := k.part.OfDay(day)
		return 0, err
	}
	return int64(place), nil
}
