package columnstore

import (
	"github.com/cockroachdb/apd/v3"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/measure"
	"vastspan/core/tally"
)

// sums add the rows of a chunk up, by segment and group.
type sums struct {
	scan   *scan
	table  []int32 // the places of segments and groups, where there are few enough; 0 is none, else the place and 1
	index  map[int64]int32
	taken  []int64 // segment × groups + group, by place
	counts []int64
	days   []civil.Interval // by place, from the oldest through the newest, where they are asked for
	cells  []sumCell        // as many for each place as there are amounts
	slow   []slowCell
	points []points
	sets   []measure.Multiset
	fast   []bool // of each amount: its sums fit whatever is added
	at     []int32
}

// sumCell is what one amount of one group adds up to.
type sumCell struct {
	count, sum, min, max int64
	decimals             uint8
}

// slowCell is the same for numbers that may not fit.
type slowCell struct {
	measure.Sums
	first, last measure.Point
}

// points are the earliest and the latest value.
type points struct{ first, last point }

// A point is a value at its place in time.
type point struct {
	at, sequence, value int64
	decimals            uint8
	set, tied           bool
}

const (
	// maxTable is how many places of segments and groups are found without a search.
	maxTable = 1 << 21
)

func (v *scan) newSums() *sums {
	s := &sums{scan: v}
	if segments := int64(len(v.plan.Cuts) + 1); v.groups <= maxTable/segments {
		s.table = make([]int32, segments*v.groups)
	} else {
		s.index = map[int64]int32{}
	}
	for _, at := range v.amounts {
		in := &v.inputs[at]
		if v.weight >= 0 {
			s.fast = append(s.fast, v.fitSums(at))
			continue
		}
		s.fast = append(s.fast, in.length != nil || in.Kind == whole && in.column.fits(v.Rows))
	}
	return s
}

// place finds where a segment and group are added up.
func (s *sums) place(of int64) (int32, error) {
	if s.table != nil {
		if at := s.table[of]; at != 0 {
			return at - 1, nil
		}
	} else if at, ok := s.index[of]; ok {
		return at, nil
	}
	n := len(s.taken)
	if n == tally.MaxHeld {
		return 0, &tally.TooMany{By: "the categories", Limit: tally.MaxHeld}
	}
	if s.table != nil {
		s.table[of] = int32(n) + 1
	} else {
		s.index[of] = int32(n)
	}
	s.taken, s.counts = append(s.taken, of), append(s.counts, 0)
	if s.scan.plan.Days {
		s.days = append(s.days, civil.Interval{Start: civil.OpenEnd, End: civil.OpenStart})
	}
	s.cells = append(s.cells, make([]sumCell, len(s.fast))...)
	if s.scan.record >= 0 {
		s.points = append(s.points, make([]points, len(s.fast))...)
	}
	for _, fast := range s.fast {
		if !fast {
			s.slow = append(s.slow, make([]slowCell, len(s.fast))...)
			break
		}
	}
	for range s.scan.values {
		s.sets = append(s.sets, measure.Multiset{})
	}
	return int32(n), nil
}

// add adds the rows that a worker has selected; segment is that of all of them, or notOne.
func (s *sums) add(w *worker, segment int, multisets bool) error {
	if err := w.group(); err != nil {
		return err
	}
	if err := s.places(w, segment); err != nil {
		return err
	}
	s.addCounts(w)
	if s.scan.plan.Days {
		s.addDays(w)
	}
	if s.scan.weight >= 0 {
		return s.addSums(w)
	}
	for i, input := range s.scan.amounts {
		needs := s.scan.plan.Amounts[i].Needs
		switch {
		case !s.fast[i]:
			if err := s.addSlowly(w, i, input); err != nil {
				return err
			}
			continue
		case needs&measure.NeedsBounds != 0:
			s.addBounds(w, i, input)
		default:
			s.addSum(w, i, input)
		}
		if needs&measure.NeedsFirstLast != 0 {
			s.addPoints(w, i, input)
		}
	}
	if multisets {
		return s.addValues(w)
	}
	return nil
}

// places finds where the rows that a worker has selected are added up.
func (s *sums) places(w *worker, segment int) error {
	if cap(s.at) < blockRows {
		s.at = make([]int32, blockRows)
	}
	s.at = s.at[:len(w.groups)]
	of := w.groups
	if segment == notOne {
		for i, segment := range w.segments[:len(of)] {
			of[i] += int64(segment) * s.scan.groups
		}
	} else if base := int64(segment) * s.scan.groups; base > 0 {
		for i := range of {
			of[i] += base
		}
	}
	table := s.table
	for i, group := range of {
		if table != nil && table[group] != 0 {
			s.at[i] = table[group] - 1
			continue
		}
		place, err := s.place(group)
		if err != nil {
			return err
		}
		s.at[i] = place
	}
	return nil
}

// addCounts counts the rows that a worker has selected, or the records that they represent.
func (s *sums) addCounts(w *worker) {
	if s.scan.weight < 0 {
		for _, place := range s.at {
			s.counts[place]++
		}
		return
	}
	in, codes := &w.inputs[s.scan.weight], w.vector(s.scan.weight)
	base, step := in.value(1), in.value(2)-in.value(1)
	for at, row := range w.selected {
		s.counts[s.at[at]] += base + step*(codes[row]-1)
	}
}

// addSums adds rows of sums up: an amount has four inputs.
func (s *sums) addSums(w *worker) error {
	n := len(s.fast)
	for i, input := range s.scan.amounts {
		if !s.fast[i] {
			if err := s.addSumsSlowly(w, i, input); err != nil {
				return err
			}
			continue
		}
		var vectors [4][]int64
		var base, step [4]int64
		for part := range vectors {
			in := &w.inputs[input+part]
			vectors[part], base[part], step[part] = w.vector(input+part), in.value(1), in.value(2)-in.value(1)
		}
		each := eachOf(&w.inputs[input+1], w.row)
		bounds := s.scan.plan.Amounts[i].Needs&measure.NeedsBounds != 0
		for at, row := range w.selected {
			if vectors[0][row] == 0 {
				continue
			}
			cell := &s.cells[int(s.at[at])*n+i]
			if bounds {
				least, most := base[2]+step[2]*(vectors[2][row]-1), base[3]+step[3]*(vectors[3][row]-1)
				if cell.count == 0 {
					cell.min, cell.max = least, most
				}
				cell.min, cell.max = min(cell.min, least), max(cell.max, most)
			}
			cell.count += base[0] + step[0]*(vectors[0][row]-1)
			cell.sum += base[1] + step[1]*(vectors[1][row]-1)
			if each != nil {
				cell.decimals = max(cell.decimals, each[row])
			}
		}
	}
	return nil
}

// addSumsSlowly adds sums up that may not fit into a machine word.
func (s *sums) addSumsSlowly(w *worker, i, input int) error {
	n := len(s.fast)
	count := w.vector(input)
	for at, row := range w.selected {
		if count[row] == 0 {
			continue
		}
		a := measure.Amount{Count: w.inputs[input].value(count[row])}
		for part, into := range []*apd.Decimal{&a.Sum, &a.Min, &a.Max} {
			in := &w.inputs[input+1+part]
			c := in.cell(w.vector(input + 1 + part)[row], nil)
			if each := eachOf(in, w.row); each != nil {
				c.Number = fewer(c.Number.Digits, c.Number.Decimals, each[row])
			}
			d, err := c.Decimal()
			if err != nil {
				return err
			}
			into.Set(d)
		}
		if err := s.slow[int(s.at[at])*n+i].AddAmount(&a); err != nil {
			return err
		}
	}
	return nil
}

// addDays notes the days of the rows that a worker has selected.
func (s *sums) addDays(w *worker) {
	in, codes := &w.inputs[w.date], w.vector(w.date)
	for at, row := range w.selected {
		day := in.cell(codes[row], w.reader).Day
		days := &s.days[s.at[at]]
		days.Start, days.End = min(days.Start, day), max(days.End, day)
	}
}

// addSum adds an amount up of which no bounds are asked.
func (s *sums) addSum(w *worker, i, input int) {
	in, codes, n := &w.inputs[input], w.vector(input), len(s.fast)
	each := eachOf(in, w.row)
	base, step := in.value(1), in.value(2)-in.value(1)
	for at, row := range w.selected {
		code := codes[row]
		if code == 0 {
			continue
		}
		cell := &s.cells[int(s.at[at])*n+i]
		cell.count++
		cell.sum += base + step*(code-1)
		if each != nil {
			cell.decimals = max(cell.decimals, each[row])
		}
	}
}

// addBounds adds an amount up with its bounds, which go as the codes do.
func (s *sums) addBounds(w *worker, i, input int) {
	in, codes, n := &w.inputs[input], w.vector(input), len(s.fast)
	each := eachOf(in, w.row)
	base, step := in.value(1), in.value(2)-in.value(1)
	for at, row := range w.selected {
		code := codes[row]
		if code == 0 {
			continue
		}
		cell, v := &s.cells[int(s.at[at])*n+i], base+step*(code-1)
		if cell.count == 0 {
			cell.min, cell.max = v, v
		}
		cell.count++
		cell.sum += v
		cell.min, cell.max = min(cell.min, v), max(cell.max, v)
		if each != nil {
			cell.decimals = max(cell.decimals, each[row])
		}
	}
}

// eachOf returns the decimals of rows from one on; nil where they are those of the column.
func eachOf(in *input, row int) []byte {
	if in.length != nil || in.column.each == nil {
		return nil
	}
	return in.column.each[row:]
}

// moments returns the places in time of the rows of the block.
func (w *worker) moments() []int64 {
	codes := w.vector(w.date)
	if cap(w.days) < len(codes) {
		w.days = make([]int64, blockRows)
	}
	w.days = w.days[:len(codes)]
	in := &w.inputs[w.date]
	for i, code := range codes {
		w.days[i] = in.value(code)
	}
	return w.days
}

func (s *sums) addPoints(w *worker, i, input int) {
	in, codes, numbers, n := &w.inputs[input], w.vector(input), w.vector(w.record), len(s.fast)
	each, at := eachOf(in, w.row), w.moments()
	for place, row := range w.selected {
		code := codes[row]
		if code == 0 {
			continue
		}
		p := &s.points[int(s.at[place])*n+i]
		if p.first.set && at[row] > p.first.at && at[row] < p.last.at {
			continue
		}
		q := point{at: at[row], sequence: w.inputs[w.record].value(numbers[row]), value: in.value(code), decimals: in.decimals(), set: true}
		if each != nil {
			q.decimals = each[row]
		}
		p.first.take(&q, q.before(&p.first))
		p.last.take(&q, p.last.before(&q))
	}
}

// before and take are those of measure.Point.
func (p *point) before(q *point) bool { return p.at < q.at || p.at == q.at && p.sequence < q.sequence }

func (p *point) take(q *point, better bool) {
	tied := p.set && p.at == q.at && (p.tied || q.tied || p.value != q.value)
	if !p.set || better {
		*p = *q
	}
	p.tied = p.tied || tied
}

// whole is a point with its number; its value is at the decimals of its column.
func (p *point) whole(decimals uint8) measure.Point {
	if !p.set {
		return measure.Point{}
	}
	q := measure.Point{Set: true, At: p.at, Sequence: p.sequence, Tied: p.tied}
	q.Value = *fewer(p.value, decimals, p.decimals).Decimal()
	return q
}

// fewer returns a number at fewer decimals, of which it has no more.
func fewer(digits int64, have, want uint8) decimal.Fixed {
	for ; have > want; have-- {
		digits /= 10
	}
	return decimal.Fixed{Digits: digits, Decimals: want}
}

// addSlowly adds numbers up that may not fit into a machine word.
func (s *sums) addSlowly(w *worker, i, input int) error {
	in, codes, n := &w.inputs[input], w.vector(input), len(s.fast)
	each := eachOf(in, w.row)
	var at, numbers []int64
	if w.record >= 0 {
		at, numbers = w.moments(), w.vector(w.record)
	}
	for place, row := range w.selected {
		code := codes[row]
		if code == 0 {
			continue
		}
		cell, c := &s.slow[int(s.at[place])*n+i], in.cell(code, nil)
		if each != nil {
			c.Number = fewer(c.Number.Digits, c.Number.Decimals, each[row])
		}
		if err := cell.AddCell(&c); err != nil {
			return err
		}
		if s.scan.plan.Amounts[i].Needs&measure.NeedsFirstLast == 0 {
			continue
		}
		d, err := c.Decimal()
		if err != nil {
			return err
		}
		q := measure.Point{Set: true, At: at[row], Sequence: w.inputs[w.record].value(numbers[row]), Value: *d}
		cell.first.TakeEarlier(&q)
		cell.last.TakeLater(&q)
	}
	return nil
}

// addValues keeps the values themselves.
func (s *sums) addValues(w *worker) error {
	n := len(s.scan.values)
	for i, input := range s.scan.values {
		in, codes := &w.inputs[input], w.vector(input)
		for place, row := range w.selected {
			if codes[row] == 0 {
				continue
			}
			cell := in.cell(codes[row], w.reader)
			key, err := in.of.Key(&cell)
			if err != nil {
				return err
			}
			s.sets[int(s.at[place])*n+i][key]++
		}
	}
	return nil
}

// each yields what was added up. The labels of groups are made once.
func (s *sums) each(multisets bool, yield func(tally.Partial) error) error {
	known := map[int64][]dataset.Label{}
	for place, of := range s.taken {
		f := tally.Partial{Segment: int(of / s.scan.groups)}
		group := of % s.scan.groups
		labels, ok := known[group]
		if !ok {
			var err error
			if labels, err = s.scan.labels(group); err != nil {
				return err
			}
			known[group] = labels
		}
		f.Group, f.Count = labels, s.counts[place]
		if s.days != nil {
			f.Oldest, f.Newest = s.days[place].Start, s.days[place].End
		}
		if err := s.part(&f, place); err != nil {
			return err
		}
		if n := len(s.scan.values); multisets {
			f.Values = s.sets[place*n : (place+1)*n]
		}
		if err := yield(f); err != nil {
			return err
		}
	}
	return nil
}

// part makes the sums of a place.
func (s *sums) part(f *tally.Partial, place int) error {
	n := len(s.fast)
	f.Sums = make([]measure.Sums, n)
	if s.scan.record >= 0 {
		f.First, f.Last = make([]measure.Point, n), make([]measure.Point, n)
	}
	for i := range s.fast {
		if !s.fast[i] {
			slow := &s.slow[place*n+i]
			f.Sums[i] = slow.Sums
			if s.scan.record >= 0 {
				f.First[i], f.Last[i] = slow.first, slow.last
			}
			continue
		}
		in, cell := &s.scan.inputs[s.scan.amounts[i]], &s.cells[place*n+i]
		if s.scan.weight >= 0 {
			in = &s.scan.inputs[s.scan.amounts[i]+1] // the sum
		}
		have := in.decimals()
		want := have
		if eachOf(in, 0) != nil {
			want = cell.decimals
		}
		if cell.count > 0 {
			err := f.Sums[i].AddMany(cell.count, fewer(cell.sum, have, want), fewer(cell.min, have, want), fewer(cell.max, have, want))
			if err != nil {
				return err
			}
		}
		if s.scan.record >= 0 {
			p := &s.points[place*n+i]
			f.First[i], f.Last[i] = p.first.whole(have), p.last.whole(have)
		}
	}
	return nil
}
