package store

import (
	"cmp"
	"context"
	"database/sql"
	"fmt"
	"io"
	"slices"
	"strconv"

	"gorm.io/gorm"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/measure"
	"vastspan/internal/ingest"
)

// loadRollup are the day sums, or the hour sums, of the records of one load, made while the file is read: that spares
// the database reading all of it again. Each worker has its own, until they are put together.
type loadRollup struct {
	rollupTable
	at                  int // the column of the day
	step                int // how many microseconds hour sums are apart
	categories, amounts []int
	workers             []*sumTable
	before, after       *rollup // copies in memory of the sums before the load, and after it; nil for none
}

// sumTable holds sums by combination of categories and by slot: a day, or a step of hour sums, counted from 1970. The slots
// of a combination are a dense run: a record finds its place without a search.
type sumTable struct {
	key     []byte
	index   map[string]*combination
	order   []*combination
	slots   int // the lengths of all runs of days
	counts  []int64
	sums    []measure.Sums // as many for each place as there are amounts
	amounts int
	full    bool // there is too much to be held: the database has to add up
	uneven  bool // a step lies on two days, or in two hours
	clock   *civil.WallReader
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
	// maxHeld is how many sums a worker holds.
	maxHeld = 1_500_000
	// maxSlots is how long the runs of slots may be together.
	maxSlots = 32 << 20
)

func newLoadRollup(t rollupTable) *loadRollup {
	d := t.Dataset
	f := &loadRollup{rollupTable: t, at: d.Schema.Day(), step: int(t.HourStep) * int(civil.Second)}
	names := d.Schema.Names()
	for _, name := range d.rollupCategories() {
		f.categories = append(f.categories, slices.Index(names, name))
	}
	for _, name := range d.rollupAmounts() {
		f.amounts = append(f.amounts, slices.Index(names, name))
	}
	for range ingest.Workers() {
		f.workers = append(f.workers, &sumTable{index: map[string]*combination{}, amounts: len(f.amounts), clock: t.clock().Reader()})
	}
	return f
}

// combination finds the one whose key is set; labels gives its labels where it is new.
func (t *sumTable) combination(labels func() []dataset.Label) *combination {
	c := t.index[string(t.key)]
	if c == nil {
		c = &combination{key: string(t.key), labels: labels()}
		t.index[c.key] = c
		t.order = append(t.order, c)
	}
	return c
}

// place returns the place of a combination's sums in a slot.
func (t *sumTable) place(c *combination, slot int, dated bool) int {
	at := &c.undated
	if dated {
		at = t.slot(c, slot)
	}
	if *at == 0 {
		t.counts = append(t.counts, 0)
		for range t.amounts {
			t.sums = append(t.sums, measure.Sums{})
		}
		*at = int32(len(t.counts))
	}
	return int(*at) - 1
}

// slot finds a slot in a combination's run, which is made longer where need be. Towards the past it is
// made longer by half of itself at least, so that days may come in any order.
func (t *sumTable) slot(c *combination, day int) *int32 {
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

// add takes one more record in.
func (f *loadRollup) add(worker int, cells []dataset.Cell) error {
	t := f.workers[worker]
	if t.full {
		return nil
	}
	t.key = t.key[:0]
	for _, at := range f.categories {
		t.key = cells[at].AppendKey(t.key)
	}
	c := t.combination(func() []dataset.Label {
		var labels []dataset.Label
		for _, at := range f.categories {
			labels = append(labels, cells[at].Label())
		}
		return labels
	})
	at := t.place(c, f.slotOf(t, &cells[f.at]), cells[f.at].Set)
	t.counts[at]++
	for i, column := range f.amounts {
		if cell := &cells[column]; cell.Set {
			if err := t.sums[at*t.amounts+i].AddCell(cell); err != nil {
				return err
			}
		}
	}
	if len(t.counts) > maxHeld || t.slots > maxSlots {
		*t = sumTable{full: true, uneven: t.uneven, clock: t.clock}
	}
	return nil
}

// slotOf returns the slot of a record.
func (f *loadRollup) slotOf(t *sumTable, c *dataset.Cell) int {
	if !f.hours || !c.Set {
		return int(c.Day - epoch)
	}
	m := int(c.Micros())
	slot := m / f.step
	if m < 0 { // before 1970 an hour may lie on two days
		slot = (m - f.step + 1) / f.step
		t.uneven = t.uneven || t.clock.DayOf(civil.Moment(slot*f.step)) != c.Day
	}
	// Where the clock changes within the step, what it shows before and after belongs to different hours.
	t.uneven = t.uneven || t.clock.Ahead(civil.Moment(slot*f.step)) != t.clock.Ahead(civil.Moment(m))
	return slot
}

var epoch = civil.Of(1970, 1, 1)

// uneven reports whether any hour lies on two days.
func (f *loadRollup) uneven() bool {
	return slices.ContainsFunc(f.workers, func(t *sumTable) bool { return t.uneven })
}

// merge puts the workers' sums together; false where there was too much to be held.
func (f *loadRollup) merge() (*sumTable, bool, error) {
	whole := f.workers[0]
	for _, t := range f.workers {
		if t.full {
			return nil, false, nil
		}
	}
	for _, t := range f.workers[1:] {
		for _, theirs := range t.order {
			whole.key = append(whole.key[:0], theirs.key...)
			mine := whole.combination(func() []dataset.Label { return theirs.labels })
			err := theirs.each(func(slot int, dated bool, from int) error {
				into := whole.place(mine, slot, dated)
				whole.counts[into] += t.counts[from]
				for i := range t.amounts {
					if err := whole.sums[into*t.amounts+i].Merge(&t.sums[from*t.amounts+i]); err != nil {
						return err
					}
				}
				return nil
			})
			if err != nil {
				return nil, false, err
			}
		}
		*t = sumTable{}
	}
	return whole, true, nil
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

// sum brings the sums up to date with what was loaded: by adding its own to those that are there, or, where there was too
// much to be held, by adding up the days or hours that it touched anew.
func (f *loadRollup) sum(ctx context.Context, tx *gorm.DB, conn *sql.Conn, load *Load) error {
	fresh, held, err := f.merge()
	if err != nil {
		return err
	}
	if held && (f.Version == 0 || f.before != nil) {
		if f.after, err = f.grown(fresh); err != nil {
			return err
		}
	}
	write := func(table string) error {
		return copyInto(ctx, conn, table, f.columnsOf(), func(out io.Writer) error { return fresh.write(out, f) })
	}
	switch {
	case held && f.Version == 0:
		if err := write(f.name()); err != nil {
			return err
		}
		return f.index(tx)
	case held:
		table := f.temporary("fresh")
		if err := tx.Exec("CREATE TEMPORARY TABLE " + table + " ON COMMIT DROP AS SELECT * FROM " + f.name() + " LIMIT 0").Error; err != nil {
			return err
		}
		if err := write(table); err != nil {
			return err
		}
		return f.rollupTable.add(tx)
	case f.Version == 0:
		if err := f.index(tx); err != nil {
			return err
		}
	}
	for _, t := range f.rollupTables() { // hours are found by their days
		if t.hours && !f.hours {
			continue
		}
		if err := t.markLoad(tx, load); err != nil {
			return err
		}
	}
	return f.rebuild(tx)
}

// sumRow is a row of day sums on its way out.
type sumRow struct {
	slot  int
	dated bool
	of    *combination
	place int
}

// rows lists the sums by slot; those without a day come anywhere.
func (t *sumTable) rows() []sumRow {
	rows := make([]sumRow, 0, len(t.counts))
	for _, c := range t.order {
		_ = c.each(func(slot int, dated bool, place int) error { // it gives the error that it is given
			rows = append(rows, sumRow{slot, dated, c, place})
			return nil
		})
	}
	slices.SortStableFunc(rows, func(a, b sumRow) int { return cmp.Compare(a.slot, b.slot) })
	return rows
}

// write writes sums in the text form of COPY, by slot.
func (t *sumTable) write(out io.Writer, f *loadRollup) error {
	rows := t.rows()
	buffer := make([]byte, 0, 1<<17)
	for i := range rows {
		var err error
		if buffer, err = t.append(buffer, &rows[i], f); err != nil {
			return err
		}
		if len(buffer) > 1<<16 {
			if _, err := out.Write(buffer); err != nil {
				return err
			}
			buffer = buffer[:0]
		}
	}
	_, err := out.Write(buffer)
	return err
}

// append appends one row.
func (t *sumTable) append(buffer []byte, r *sumRow, f *loadRollup) ([]byte, error) {
	switch {
	case !r.dated:
		buffer = append(buffer, `\N`...)
	case f.hours:
		buffer = append(buffer, civil.UTC.Format(civil.Moment(r.slot*f.step))...)
	default:
		buffer = (epoch + civil.Day(r.slot)).AppendText(buffer)
	}
	buffer = strconv.AppendInt(append(buffer, '\t'), t.counts[r.place], 10)
	for _, l := range r.of.labels {
		buffer = appendCell(append(buffer, '\t'), dataset.Text, &dataset.Cell{Set: l.Set, Text: l.Text})
	}
	for i := range t.amounts {
		sums := &t.sums[r.place*t.amounts+i]
		if sums.Empty() {
			buffer = append(buffer, "\t0\t\\N\t\\N\t\\N"...)
			continue
		}
		var ok bool
		if buffer, ok = sums.AppendText(append(buffer, '\t')); ok {
			continue
		}
		a, err := sums.Amount()
		if err != nil {
			return buffer, err
		}
		buffer = fmt.Appendf(buffer, "%d\t%s\t%s\t%s", a.Count, a.Sum.Text('f'), a.Min.Text('f'), a.Max.Text('f'))
	}
	return append(buffer, '\n'), nil
}
