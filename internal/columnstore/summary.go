package columnstore

import (
	"fmt"
	"slices"
	"time"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/measure"
	"vastspan/core/tally"
)

// Sums hold, for each day or hour and combination of categories of a part, the number of records and, of each amount, the count, the
// sum, the minimum and the maximum. They are chunks like others, whose rows have a weight. Days on which rows of the part have
// ended since are left out of them: those rows are read themselves, until the sums are made again.

// Sums hold so many categories and amounts of a dataset at most, the first ones: by many categories nearly every record has sums of
// its own. What is asked of the others is answered from the rows.
const (
	maxSumCategories = 12
	maxSumAmounts    = 100
)

// A sumsMeta describes the sums of a part.
type sumsMeta struct {
	Step                int64 // seconds from one hour to the next; 0 for days
	Through             int64 // rows that this change or an earlier one ended are not in them
	Categories, Amounts []string
	Chunks              []chunkRef
	// Worthless says that there would be nearly as many sums as rows: none are kept.
	Worthless bool
}

// same reports whether two sums are of the same columns and steps.
func (m *sumsMeta) same(other *sumsMeta) bool {
	return m.Step == other.Step && slices.Equal(m.Categories, other.Categories) && slices.Equal(m.Amounts, other.Amounts)
}

// wantedSums lists the sums that parts of a dataset are to have: by day, and by hour where its records have times.
func wantedSums(s *dataset.Schema) []sumsMeta {
	texts := slices.DeleteFunc(s.Names(dataset.Category), func(name string) bool {
		c, err := s.Find(name)
		return err != nil || c.Type != dataset.Text // numbers compare as numbers, and sums hold texts
	})
	amounts := s.Names(dataset.Amount)
	by := sumsMeta{Categories: texts[:min(len(texts), maxSumCategories)], Amounts: amounts[:min(len(amounts), maxSumAmounts)]}
	list := []sumsMeta{by}
	if step := hourStep(s); step > 0 {
		by.Step = step
		list = append(list, by)
	}
	return list
}

// hourStep is how many seconds hour sums are apart: an hour, or less where the hours of the dataset's clock begin at other times than
// those of Universal Time; 0 where it keeps none.
func hourStep(s *dataset.Schema) int64 {
	clock, err := s.Clock()
	if err != nil || s.Columns[s.Day()].Type != dataset.Timestamp {
		return 0
	}
	for _, step := range []int64{3600, 1800, 900} {
		if clock.Aligned(civil.Moment(step) * civil.Second) {
			return step
		}
	}
	return 0
}

// Columns of sums that are not categories. Names of users' columns never begin with an underscore.
const weightColumn = "_records"

func sumColumn(amount int, part string) string { return fmt.Sprintf("_%d_%s", amount, part) }

var sumParts = [4]string{"count", "sum", "min", "max"}

// schema is that of the rows of sums: the day or the hour, the number of records, the categories, four columns an amount.
func (m *sumsMeta) schema(of *dataset.Schema) *dataset.Schema {
	day := of.Columns[of.Day()]
	if day.Type = dataset.Date; m.Step > 0 {
		day.Type = dataset.Timestamp
	}
	s := &dataset.Schema{Zone: of.Zone, DayStarts: of.DayStarts, Columns: []dataset.Column{day, {Name: weightColumn, Type: dataset.Number}}}
	for _, name := range m.Categories {
		s.Columns = append(s.Columns, dataset.Column{Name: name, Type: dataset.Text, Role: dataset.Category})
	}
	for i := range m.Amounts {
		for _, part := range sumParts {
			s.Columns = append(s.Columns, dataset.Column{Name: sumColumn(i, part), Type: dataset.Number})
		}
	}
	return s
}

// A summary is the sums of a part by day, or by hour.
type summary struct {
	sumsMeta
	rows   *dataset.Schema // of its rows
	chunks []*held
}

func (f openFiles) openSummary(folder string, m *sumsMeta, s *dataset.Schema) (*summary, error) {
	one := &summary{sumsMeta: *m, rows: m.schema(s)}
	for _, ref := range m.Chunks {
		h, err := f.open(folder, ref, len(one.rows.Columns))
		if err != nil {
			return nil, err
		}
		one.chunks = append(one.chunks, h)
	}
	return one, nil
}

// summable reports whether a plan is one that sums can answer: it knows categories and amounts alone, and hours by which they are
// kept.
func summable(p *tally.Plan, s *dataset.Schema) bool {
	at, err := s.DateColumn(p.Date)
	if err != nil || s.Columns[at].Role != dataset.DayRole || p.NeedsFirstLast() || len(p.Holistic) > 0 {
		return false
	}
	for i := range p.By {
		if part := p.Part(i); part != nil && p.DateOf(part) != p.Date {
			return false
		}
	}
	return true
}

// answers reports whether sums have what a plan asks for, which is summable.
func (m *summary) answers(p *tally.Plan) bool {
	if m.Worthless || p.Timed != (m.Step > 0) || slices.ContainsFunc(m.chunks, func(h *held) bool { return !h.Ordered }) {
		return false
	}
	if p.Timed && slices.ContainsFunc(p.Cuts, func(at int64) bool { return at%(m.Step*int64(civil.Second)) != 0 }) {
		return false
	}
	for i, name := range p.By {
		if p.Part(i) == nil && !slices.Contains(m.Categories, name) {
			return false
		}
	}
	for _, name := range p.Where.Columns() {
		if !slices.Contains(m.Categories, name) {
			return false
		}
	}
	return !slices.ContainsFunc(p.Amounts, func(a tally.Amount) bool { return !slices.Contains(m.Amounts, a.Column) })
}

// disturbed returns the days on which rows of a part have ended since sums of it were made, up to a change, and whether rows without
// a day have.
func (p *part) disturbed(m *summary, change int64) (days map[int32]bool, undated bool) {
	days = map[int32]bool{}
	for _, h := range p.chunks {
		for i := range h.ended {
			e := &h.ended[i]
			if e.Change <= m.Through || e.Change > change {
				continue
			}
			for _, r := range e.rows {
				undated = undated || r.end > h.dated()
				if r.start >= h.dated() {
					continue
				}
				for at := h.run(r.start); at < len(h.days) && int(h.starts[at]) < r.end; at++ {
					days[h.days[at]] = true
				}
			}
		}
	}
	return days, undated
}

// source returns what answers a summable plan for a part after a change: sums for the days on which nothing has ended, rows for the
// others. False where the part has no sums for it.
func (p *part) source(plan *tally.Plan, change int64) (sums *summary, of, rows []*held, ok bool) {
	for _, m := range p.sums {
		if m.Through <= change && p.Changes[len(p.Changes)-1] <= change && m.answers(plan) {
			sums = m
		}
	}
	if sums == nil {
		return nil, nil, nil, false
	}
	days, undated := p.disturbed(sums, change)
	if len(days) == 0 && !undated {
		return sums, sums.chunks, nil, true
	}
	for _, h := range sums.chunks {
		of = append(of, h.only(h.on(days, undated).without(h.Rows)))
	}
	for _, h := range p.chunks {
		if one := h.only(h.on(days, undated)); one.count() > 0 {
			rows = append(rows, one)
		}
	}
	return sums, of, rows, true
}

// A summarizer adds the records of a part up by day or hour and combination of categories, for one goroutine. The slots of a
// combination, days or hours counted from 1970, are a dense run: a record finds its place without a search.
type summarizer struct {
	sumsMeta
	at                  int // the column of the day
	step                int // microseconds from one hour to the next
	categories, amounts []int
	clock               *civil.WallReader

	key    []byte
	index  map[string]*combination
	order  []*combination
	slots  int // the lengths of all runs
	counts []int64
	sums   []measure.Sums // as many for each place as there are amounts
	full   bool           // there is too much to be held
	uneven bool           // an hour is on two days, or is of two hours of the clock
}

// A combination is one value of each category, with the places of its sums by slot.
type combination struct {
	key     string
	labels  []dataset.Label
	first   int
	places  []int32 // from the first slot on; 0 is none, else the place and 1
	undated int32
}

const (
	// maxHeldSums is how many sums a summarizer holds.
	maxHeldSums = 1_500_000
	// maxSlots is how long the runs of slots may be together.
	maxSlots = 32 << 20
)

func newSummarizer(m sumsMeta, s *dataset.Schema, clock civil.Clock) *summarizer {
	t := &summarizer{sumsMeta: m, at: s.Day(), step: int(m.Step) * int(civil.Second), clock: clock.Reader(), index: map[string]*combination{}}
	for _, name := range m.Categories {
		t.categories = append(t.categories, s.Index(name))
	}
	for _, name := range m.Amounts {
		t.amounts = append(t.amounts, s.Index(name))
	}
	return t
}

// add adds a record.
func (t *summarizer) add(cells []dataset.Cell) error {
	if t.full {
		return nil
	}
	t.key = t.key[:0]
	for _, at := range t.categories {
		t.key = cells[at].AppendKey(t.key)
	}
	c := t.combination(func() (labels []dataset.Label) {
		for _, at := range t.categories {
			labels = append(labels, cells[at].Label())
		}
		return labels
	})
	at := t.place(c, t.slotOf(&cells[t.at]), cells[t.at].Set)
	t.counts[at]++
	for i, column := range t.amounts {
		if cell := &cells[column]; cell.Set {
			if err := t.sums[at*len(t.amounts)+i].AddCell(cell); err != nil {
				return err
			}
		}
	}
	if len(t.counts) > maxHeldSums || t.slots > maxSlots {
		*t = summarizer{sumsMeta: t.sumsMeta, full: true, uneven: t.uneven, clock: t.clock}
	}
	return nil
}

// slotOf returns the slot of a record.
func (t *summarizer) slotOf(c *dataset.Cell) int {
	if t.step == 0 || !c.Set {
		return int(c.Day)
	}
	m := int(c.Micros())
	slot := m / t.step
	if m < 0 && m%t.step != 0 {
		slot--
	}
	start := civil.Moment(slot * t.step)
	// An hour before 1970 may be on two days; where the clock changes within it, what it shows before and after are different hours.
	t.uneven = t.uneven || m < 0 && t.clock.DayOf(start) != c.Day || t.clock.Ahead(start) != t.clock.Ahead(civil.Moment(m))
	return slot
}

// combination finds the one whose key is set; labels gives its labels where it is new.
func (t *summarizer) combination(labels func() []dataset.Label) *combination {
	c := t.index[string(t.key)]
	if c == nil {
		c = &combination{key: string(t.key), labels: labels()}
		t.index[c.key] = c
		t.order = append(t.order, c)
	}
	return c
}

// place returns the place of a combination's sums in a slot.
func (t *summarizer) place(c *combination, slot int, dated bool) int {
	at := &c.undated
	if dated {
		at = t.slot(c, slot)
	}
	if *at == 0 {
		t.counts = append(t.counts, 0)
		t.sums = append(t.sums, make([]measure.Sums, len(t.amounts))...)
		*at = int32(len(t.counts))
	}
	return int(*at) - 1
}

// slot finds a slot in a combination's run, which is made longer where need be. Towards the past it is made longer by half of itself
// at least, so that days may come in any order.
func (t *summarizer) slot(c *combination, day int) *int32 {
	if len(c.places) == 0 {
		c.first = day
	}
	before := len(c.places)
	if day < c.first {
		more := max(c.first-day, len(c.places)/2)
		c.places = slices.Concat(make([]int32, more), c.places)
		c.first -= more
	}
	if n := day - c.first + 1; n > len(c.places) {
		c.places = append(c.places, make([]int32, n-len(c.places))...)
	}
	t.slots += len(c.places) - before
	return &c.places[day-c.first]
}

// merge adds the sums of another summarizer, which is empty afterwards.
func (t *summarizer) merge(other *summarizer) error {
	t.full, t.uneven = t.full || other.full, t.uneven || other.uneven
	if t.full {
		return nil
	}
	for _, theirs := range other.order {
		t.key = append(t.key[:0], theirs.key...)
		mine := t.combination(func() []dataset.Label { return theirs.labels })
		err := theirs.each(func(slot int, dated bool, from int) error {
			into := t.place(mine, slot, dated)
			t.counts[into] += other.counts[from]
			for i := range t.amounts {
				if err := t.sums[into*len(t.amounts)+i].Merge(&other.sums[from*len(t.amounts)+i]); err != nil {
					return err
				}
			}
			return nil
		})
		if err != nil {
			return err
		}
	}
	*other = summarizer{sumsMeta: other.sumsMeta}
	return nil
}

// each yields a combination's slots with their places.
func (c *combination) each(yield func(slot int, dated bool, place int) error) error {
	if c.undated != 0 {
		if err := yield(0, false, int(c.undated)-1); err != nil {
			return err
		}
	}
	for i, at := range c.places {
		if at != 0 {
			if err := yield(c.first+i, true, int(at)-1); err != nil {
				return err
			}
		}
	}
	return nil
}

// worthless reports whether sums of some records are not worth keeping.
func (t *summarizer) worthless(rows int) bool { return t.full || t.uneven || 2*len(t.counts) > rows }

// write writes the sums of a part with some rows as chunks, and describes them.
func (t *summarizer) write(folder string, of *dataset.Schema, rows int) (m sumsMeta, err error) {
	m = t.sumsMeta
	if m.Worthless = t.worthless(rows); m.Worthless {
		return m, nil
	}
	s := m.schema(of)
	b, err := newBuilder(folder, s)
	if err != nil {
		return m, err
	}
	defer func() {
		if err != nil {
			b.abandon()
		}
	}()
	e, cells := newEncoder(s), make([]dataset.Cell, len(s.Columns))
	for _, c := range t.order {
		err := c.each(func(slot int, dated bool, place int) error {
			if err := t.row(cells, c, slot, dated, place); err != nil {
				return err
			}
			e.add(RecordKey{}, cells)
			if len(e.block.records) == blockOfSums {
				return b.append(e.take())
			}
			return nil
		})
		if err != nil {
			return m, err
		}
	}
	if err := b.append(e.take()); err != nil {
		return m, err
	}
	m.Chunks, err = b.finish()
	return m, err
}

// blockOfSums is how many sums are passed on at a time.
const blockOfSums = 1 << 14

// row sets the cells of a row of sums.
func (t *summarizer) row(cells []dataset.Cell, c *combination, slot int, dated bool, place int) error {
	switch {
	case !dated:
		cells[0] = dataset.Cell{}
	case t.step == 0:
		cells[0] = dataset.Cell{Set: true, Day: civil.Day(slot)}
	default:
		m := civil.Moment(slot * t.step)
		cells[0] = dataset.Cell{Set: true, Moment: time.UnixMicro(int64(m)).UTC(), Day: t.clock.DayOf(m)}
	}
	cells[1] = fixedCell(decimal.Fixed{Digits: t.counts[place]})
	for i, l := range c.labels {
		cells[2+i] = dataset.Cell{Set: l.Set, Text: l.Text}
	}
	into := cells[2+len(c.labels):]
	for i := range t.amounts {
		if err := sumCells(&t.sums[place*len(t.amounts)+i], into[4*i:4*i+4]); err != nil {
			return err
		}
	}
	return nil
}

// sumCells sets the cells of an amount.
func sumCells(s *measure.Sums, cells []dataset.Cell) error {
	count, sum, least, most, ok := s.Fixed()
	switch {
	case s.Empty():
		for i := range cells {
			cells[i] = dataset.Cell{}
		}
	case ok:
		cells[0], cells[1], cells[2], cells[3] = fixedCell(decimal.Fixed{Digits: count}), fixedCell(sum), fixedCell(least), fixedCell(most)
	default:
		a, err := s.Amount()
		if err != nil {
			return err
		}
		cells[0] = fixedCell(decimal.Fixed{Digits: a.Count})
		for i, d := range []string{a.Sum.Text('f'), a.Min.Text('f'), a.Max.Text('f')} {
			cells[1+i] = dataset.Cell{Set: true, Text: d}
		}
	}
	return nil
}

func fixedCell(f decimal.Fixed) dataset.Cell { return dataset.Cell{Set: true, Fixed: true, Number: f} }

// summarize merges the sums of some workers, and writes them for a part.
func summarize(folder string, s *dataset.Schema, workers [][]*summarizer, through int64, rows int) (list []sumsMeta, err error) {
	if len(workers) == 0 || rows == 0 {
		return nil, nil
	}
	for i, whole := range workers[0] {
		for _, other := range workers[1:] {
			if err := whole.merge(other[i]); err != nil {
				return list, err
			}
		}
		m, err := whole.write(folder, s, rows)
		m.Through = through
		list = append(list, m)
		workers[0][i] = &summarizer{}
		if err != nil {
			return list, err
		}
	}
	return list, nil
}

func summarizers(s *dataset.Schema) (list []*summarizer, err error) {
	clock, err := s.Clock()
	if err != nil {
		return nil, err
	}
	for _, m := range wantedSums(s) {
		list = append(list, newSummarizer(m, s, clock))
	}
	return list, nil
}

// stale reports whether the sums of a part are to be made again after a change: they are of other columns than those that are wanted,
// or too many rows have ended on their days.
func (p *part) stale(s *dataset.Schema, change int64) bool {
	live := 0
	for _, h := range p.chunks {
		live += h.count()
	}
	if live == 0 {
		return false
	}
	wanted := wantedSums(s)
	if len(p.sums) != len(wanted) {
		return true
	}
	for i, m := range p.sums {
		if !m.same(&wanted[i]) {
			return true
		}
		if m.Worthless {
			continue
		}
		days, undated := p.disturbed(m, change)
		disturbed := 0
		for _, h := range p.chunks {
			disturbed += h.only(h.on(days, undated)).count()
		}
		if disturbed > max(staleRows, live/50) {
			return true
		}
	}
	return false
}

// staleRows is how many rows may be read instead of sums.
const staleRows = 20_000
