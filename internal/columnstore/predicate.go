package columnstore

import (
	"bytes"
	"math"
	"slices"

	"vastspan/core/civil"
	"vastspan/core/dataset"
)

// A predicate is one condition of a filter, made ready for a chunk.
type predicate struct {
	input int
	// allowed are the codes that pass, where there are few codes; of moments, the days from first on that do.
	allowed []bool
	first   int64
	byDay   bool
	// Else a code passes that is in a range, or that does not where out is set.
	ranges [][2]int64
	out    bool
	// Else a cell is asked.
	slow func(*dataset.Cell) bool
}

// maxListed is how many codes are tried beforehand.
const maxListed = 1 << 16

// predicates makes the filters of a plan ready: each is met where any of its predicates is.
func (v *scan) predicates() ([][]predicate, error) {
	var list [][]predicate
	for _, f := range v.plan.Where {
		var any []predicate
		merged := f.Merged()
		for i := range merged {
			one, err := v.predicate(&merged[i])
			if err != nil {
				return nil, err
			}
			any = append(any, one)
		}
		list = append(list, any)
	}
	return list, nil
}

func (v *scan) predicate(q *dataset.Condition) (predicate, error) {
	var t predicate
	at, err := v.input(q.Column)
	if err != nil {
		return t, err
	}
	pass, err := v.asking(q)
	if err != nil {
		return t, err
	}
	cells := make([]dataset.Cell, 1)
	ask := func(cell *dataset.Cell) bool { cells[0] = *cell; return pass(cells) }
	t.input = at
	in := &v.inputs[at]
	clock := v.clock.Reader()
	number := in.column != nil && in.Kind == whole && in.of.Type == dataset.Number
	text := in.of.Type == dataset.Text
	switch {
	case number, text && exact(q):
		return t, v.ranges(&t, in, q)
	case text && !q.IgnoringCase && (q.Op == dataset.Contains || q.Op == dataset.NotContains):
		t.allowed = in.containing(q.Values[0], q.Negated())
	case text || in.top <= maxListed:
		t.allowed = make([]bool, in.top+1)
		for code := range t.allowed {
			cell := in.cell(int64(code), clock)
			t.allowed[code] = ask(&cell)
		}
	case in.of.Type == dataset.Timestamp && in.days() <= maxListed && (q.Part() == nil || !q.Part().Hours):
		t.byDay = true
		t.first = int64(clock.DayOf(civil.Moment(in.value(1)))) - 1 // the place of blanks
		t.allowed = make([]bool, in.days()+1)
		for i := range t.allowed {
			t.allowed[i] = ask(&dataset.Cell{Set: i > 0, Day: civil.Day(t.first) + civil.Day(i)})
		}
	default:
		t.slow = func(cell *dataset.Cell) bool { return pass([]dataset.Cell{*cell}) }
	}
	return t, nil
}

// exact reports whether a condition on texts is met by texts that are the same.
func exact(q *dataset.Condition) bool {
	return !q.IgnoringCase && slices.Contains([]dataset.Op{dataset.Is, dataset.IsNot, dataset.In, dataset.NotIn}, q.Op)
}

// asking returns the predicate of a cell, which is alone in its row.
func (v *scan) asking(q *dataset.Condition) (func([]dataset.Cell) bool, error) {
	column, err := v.schema.Find(q.Column)
	if err != nil {
		return nil, err
	}
	alone := *v.schema
	alone.Columns = []dataset.Column{*column}
	return alone.Predicate(dataset.Filters{{*q}})
}

// containing lists the codes of texts in which a text is found, or in which it is not: all texts are looked through at once.
func (c *column) containing(text string, not bool) []bool {
	allowed := make([]bool, c.Top+1)
	for code := range allowed {
		allowed[code] = not
	}
	code := 1
	for from := 0; code <= int(c.Top) && from <= len(c.bytes); {
		found := bytes.Index(c.bytes[from:], []byte(text))
		if found < 0 {
			break
		}
		from += found
		for int(c.ends[code-1]) < from+len(text) {
			if code++; code > int(c.Top) {
				return allowed
			}
		}
		if start := c.start(int64(code)); from < int(start) { // it goes from one text into the next
			from = int(start)
			continue
		}
		allowed[code] = !not
		from = int(c.ends[code-1])
		code++
	}
	return allowed
}

// ranges makes a condition on numbers, or on texts that are the same, into ranges of codes, which go as the values do.
func (v *scan) ranges(t *predicate, in *input, q *dataset.Condition) error {
	t.out = q.Negated()
	if in.of.Type == dataset.Text {
		for _, text := range q.Values {
			code := search(in.top, func(code int64) bool { return in.text(code) >= text })
			if code <= in.top && in.text(code) == text {
				t.ranges = append(t.ranges, [2]int64{code, code})
			}
		}
		return nil
	}
	limit := func(op dataset.Op, value string) (func(int64) bool, error) {
		pass, err := v.asking(&dataset.Condition{Column: q.Column, Op: op, Values: []string{value}})
		return func(code int64) bool { return pass([]dataset.Cell{in.cell(code, nil)}) }, err
	}
	// between returns the codes whose numbers are from one to another; nil is open.
	between := func(low, high func(int64) bool) [2]int64 {
		r := [2]int64{1, in.top}
		if low != nil {
			r[0] = search(in.top, low)
		}
		if high != nil {
			r[1] = search(in.top, func(code int64) bool { return !high(code) }) - 1
		}
		return r
	}
	switch q.Op {
	case dataset.Blank, dataset.NotBlank:
		t.ranges = [][2]int64{{0, 0}}
		return nil
	case dataset.AtLeast, dataset.Above:
		low, err := limit(q.Op, q.Values[0])
		t.ranges = [][2]int64{between(low, nil)}
		return err
	case dataset.AtMost, dataset.Below:
		high, err := limit(q.Op, q.Values[0])
		t.ranges = [][2]int64{between(nil, high)}
		return err
	}
	pairs := slices.Collect(slices.Chunk(q.Values, 1))
	if q.Op == dataset.Between {
		pairs = [][]string{q.Values}
	}
	for _, pair := range pairs {
		low, err := limit(dataset.AtLeast, pair[0])
		if err != nil {
			return err
		}
		high, err := limit(dataset.AtMost, pair[len(pair)-1])
		if err != nil {
			return err
		}
		t.ranges = append(t.ranges, between(low, high))
	}
	return nil
}

// search returns the first code of which something holds that holds of all codes after it; one more than top where there
// is none.
func search(top int64, holds func(int64) bool) int64 {
	low, high := int64(1), top+1
	for low < high {
		middle := low + (high-low)/2
		if holds(middle) {
			high = middle
		} else {
			low = middle + 1
		}
	}
	return low
}

// filter keeps the rows of the block at hand that meet any of some predicates.
func (w *worker) filter(any []predicate, rows []int32) []int32 {
	if len(any) == 1 {
		return w.filterBy(&any[0], rows)
	}
	kept := rows[:0]
	for _, row := range rows {
		if slices.ContainsFunc(any, func(t predicate) bool { return w.passes(&t, w.vector(t.input)[row]) }) {
			kept = append(kept, row)
		}
	}
	return kept
}

func (w *worker) filterBy(t *predicate, rows []int32) []int32 {
	codes, kept := w.vector(t.input), rows[:0]
	if t.allowed != nil && !t.byDay {
		// Each row is written, and overwritten where it does not pass: a branch would be guessed wrong half of the time.
		n, allowed := 0, t.allowed
		for _, row := range rows {
			rows[n] = row
			if allowed[codes[row]] {
				n++
			}
		}
		return rows[:n]
	}
	if len(t.ranges) == 1 {
		n, low, width, out := 0, t.ranges[0][0], uint64(t.ranges[0][1]-t.ranges[0][0]), t.out
		if t.ranges[0][1] < low {
			low, width = math.MaxInt64, 0 // no code is in it
		}
		for _, row := range rows {
			rows[n] = row
			if (uint64(codes[row]-low) <= width) != out {
				n++
			}
		}
		return rows[:n]
	}
	for _, row := range rows {
		if w.passes(t, codes[row]) {
			kept = append(kept, row)
		}
	}
	return kept
}

// passes reports whether a code meets a predicate.
func (w *worker) passes(t *predicate, code int64) bool {
	in := &w.inputs[t.input]
	switch {
	case t.byDay:
		place := int64(0)
		if code > 0 {
			place = int64(w.reader.DayOf(civil.Moment(in.value(code)))) - t.first
		}
		return t.allowed[place]
	case t.allowed != nil:
		return t.allowed[code]
	case t.slow != nil:
		cell := in.cell(code, w.reader)
		return t.slow(&cell)
	}
	return slices.ContainsFunc(t.ranges, func(r [2]int64) bool { return code >= r[0] && code <= r[1] }) != t.out
}
