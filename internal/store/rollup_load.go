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

// loadRollup are the day sums of the records of one load, made while the file is read: that spares
// the database reading all of it again. Each worker has its own, until they are put together.
type loadRollup struct {
	dataset             *Dataset
	day                 int
	categories, amounts []int
	workers             []*sumTable
}

// sumTable holds sums by combination of categories and by day. The days of a combination are a dense
// run: a record finds its place without a search.
type sumTable struct {
	key     []byte
	index   map[string]*combination
	order   []*combination
	slots   int // the lengths of all runs of days
	counts  []int64
	sums    []measure.Sums // as many for each place as there are amounts
	amounts int
	full    bool // there is too much to be held: the database has to add up
}

// A combination is one value of each category, with the places of its sums by day.
type combination struct {
	key     string
	labels  []dataset.Label
	first   civil.Day
	places  []int32 // from the first day on; 0 is none, else the place and 1
	undated int32
}

const (
	// maxHeld is how many sums a worker holds.
	maxHeld = 1_500_000
	// maxSlots is how long the runs of days may be together.
	maxSlots = 32 << 20
)

func newLoadRollup(d *Dataset) *loadRollup {
	f := &loadRollup{dataset: d, day: d.Schema.Day()}
	names := d.Schema.Names()
	for _, name := range d.rollupCategories() {
		f.categories = append(f.categories, slices.Index(names, name))
	}
	for _, name := range d.rollupAmounts() {
		f.amounts = append(f.amounts, slices.Index(names, name))
	}
	for range ingest.Workers() {
		f.workers = append(f.workers, &sumTable{index: map[string]*combination{}, amounts: len(f.amounts)})
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

// place returns the place of a combination's sums on a day.
func (t *sumTable) place(c *combination, day civil.Day, dated bool) int {
	at := &c.undated
	if dated {
		at = t.slot(c, day)
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

// slot finds a day in a combination's run, which is made longer where need be. Towards the past it is
// made longer by half of itself at least, so that days may come in any order.
func (t *sumTable) slot(c *combination, day civil.Day) *int32 {
	if len(c.places) == 0 {
		c.first = day
	}
	before := len(c.places)
	if day < c.first {
		more := max(c.first-day, civil.Day(len(c.places)/2))
		c.places = slices.Concat(make([]int32, more), c.places)
		c.first -= more
	}
	if n := int(day-c.first) + 1; n > len(c.places) {
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
	day := &cells[f.day]
	at := t.place(c, day.Day, day.Set)
	t.counts[at]++
	for i, column := range f.amounts {
		if cell := &cells[column]; cell.Set {
			if err := t.sums[at*t.amounts+i].AddCell(cell); err != nil {
				return err
			}
		}
	}
	if len(t.counts) > maxHeld || t.slots > maxSlots {
		*t = sumTable{full: true}
	}
	return nil
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
			err := theirs.each(func(day civil.Day, dated bool, from int) error {
				into := whole.place(mine, day, dated)
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

// each yields a combination's days with their places.
func (c *combination) each(yield func(day civil.Day, dated bool, place int) error) error {
	if c.undated != 0 {
		if err := yield(0, false, int(c.undated)-1); err != nil {
			return err
		}
	}
	for i, at := range c.places {
		if at != 0 {
			if err := yield(c.first+civil.Day(i), true, int(at)-1); err != nil {
				return err
			}
		}
	}
	return nil
}

// sum brings the day sums up to date with what was loaded: by adding its own sums to those that are
// there, or, where there was too much to be held, by adding up the days it touched anew.
func (l *loadJob) sum(ctx context.Context, tx *gorm.DB, conn *sql.Conn, load int64) error {
	d := l.dataset
	fresh, held, err := l.sums.merge()
	if err != nil {
		return err
	}
	write := func(table string) error {
		return copyInto(ctx, conn, table, d.rollupColumns(), func(out io.Writer) error { return fresh.write(out) })
	}
	switch {
	case held && d.Version == 0:
		if err := write(d.sums()); err != nil {
			return err
		}
		return d.indexRollup(tx)
	case held:
		if err := tx.Exec("CREATE TEMPORARY TABLE fresh ON COMMIT DROP AS SELECT * FROM " + d.sums() + " LIMIT 0").Error; err != nil {
			return err
		}
		if err := write("fresh"); err != nil {
			return err
		}
		return d.addRollup(tx)
	case d.Version == 0:
		if err := d.indexRollup(tx); err != nil {
			return err
		}
	}
	if err := d.markDays(tx, load); err != nil {
		return err
	}
	return d.rebuildRollup(tx)
}

// sumRow is a row of day sums on its way out.
type sumRow struct {
	day   civil.Day
	dated bool
	of    *combination
	place int
}

// write writes sums in the text form of COPY, by day.
func (t *sumTable) write(out io.Writer) error {
	rows := make([]sumRow, 0, len(t.counts))
	for _, c := range t.order {
		err := c.each(func(day civil.Day, dated bool, place int) error {
			rows = append(rows, sumRow{day, dated, c, place})
			return nil
		})
		if err != nil {
			return err
		}
	}
	slices.SortStableFunc(rows, func(a, b sumRow) int { return cmp.Compare(a.day, b.day) })
	buffer := make([]byte, 0, 1<<17)
	for i := range rows {
		var err error
		if buffer, err = t.append(buffer, &rows[i]); err != nil {
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
func (t *sumTable) append(buffer []byte, r *sumRow) ([]byte, error) {
	if r.dated {
		buffer = r.day.AppendText(buffer)
	} else {
		buffer = append(buffer, `\N`...)
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
