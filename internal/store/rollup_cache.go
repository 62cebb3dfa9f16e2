package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"slices"
	"strings"
	"sync"

	"github.com/jackc/pgx/v5/stdlib"
	"gorm.io/gorm"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/tally"
	"vastspan/internal/ingest"
)

// Day sums stop growing once every day and combination of categories is there, however many records
// come. A copy of them in memory, column by column and sorted by day, answers a plan by running over
// slices: the segments of a plan are contiguous in it. It belongs to one version of its dataset and
// is never used for another.

// cacheBudget is how many bytes the copies of all datasets may take together.
const cacheBudget = 512 << 20

// rollupCache keeps copies of day sums. They are made in the background, when a dataset is asked
// about; until one is there, SQL answers.
type rollupCache struct {
	store *Store
	stop  context.CancelFunc
	ctx   context.Context
	wait  sync.WaitGroup

	mu     sync.Mutex
	copies map[copyKey]*rollup
	made   map[copyKey]int64 // the version that a copy is being made of, or was found too large at
	used   []copyKey         // the one used last at the end
}

// A copyKey is the number of a dataset and which of its sums a copy is of.
type copyKey struct {
	dataset int64
	hours   bool
}

func (t rollupTable) copyKey() copyKey { return copyKey{t.ID, t.hours} }

func newRollupCache(s *Store) *rollupCache {
	ctx, stop := context.WithCancel(context.Background())
	return &rollupCache{store: s, ctx: ctx, stop: stop, copies: map[copyKey]*rollup{}, made: map[copyKey]int64{}}
}

func (cs *rollupCache) close() {
	cs.stop()
	cs.wait.Wait()
}

// current returns the copy of sums as they are now; nil where there is none, and one is begun.
func (cs *rollupCache) current(ctx context.Context, t rollupTable) (*rollup, error) {
	version, key := t.Version, t.copyKey()
	if !InSnapshot(ctx) { // in a snapshot the dataset was found as it is there
		if err := cs.store.reader(ctx).Model(&Dataset{}).Where("id = ?", t.ID).Pluck("version", &version).Error; err != nil {
			return nil, err
		}
	}
	cs.mu.Lock()
	defer cs.mu.Unlock()
	if c := cs.copies[key]; c != nil && c.version == version {
		cs.use(key)
		return c, nil
	}
	if made, ok := cs.made[key]; ok && made >= version || cs.ctx.Err() != nil {
		return nil, nil
	}
	cs.made[key] = version
	cs.wait.Add(1)
	go func() {
		defer cs.wait.Done()
		c, err := cs.store.readRollup(cs.ctx, t)
		cs.keep(key, c, err)
	}()
	return nil, nil
}

// at returns the copy of sums as they are at the version that they were found at; nil where there is none.
func (cs *rollupCache) at(t rollupTable) *rollup {
	cs.mu.Lock()
	defer cs.mu.Unlock()
	if c := cs.copies[t.copyKey()]; c != nil && c.version == t.Version {
		return c
	}
	return nil
}

func (cs *rollupCache) use(key copyKey) {
	cs.used = append(slices.DeleteFunc(cs.used, func(other copyKey) bool { return other == key }), key)
}

// evict drops the copies of a dataset that is gone.
func (cs *rollupCache) evict(id int64) {
	cs.mu.Lock()
	defer cs.mu.Unlock()
	for _, hours := range []bool{false, true} {
		key := copyKey{id, hours}
		delete(cs.copies, key)
		delete(cs.made, key)
		cs.used = slices.DeleteFunc(cs.used, func(other copyKey) bool { return other == key })
	}
}

func (cs *rollupCache) keep(key copyKey, c *rollup, err error) {
	cs.mu.Lock()
	defer cs.mu.Unlock()
	switch {
	case errors.Is(err, errTooLarge): // it stays noted, so that it is not tried again until it changes
		return
	case err != nil:
		if cs.ctx.Err() == nil && !Gone(err) {
			slog.Warn("sums were not copied to memory", "error", err)
		}
		delete(cs.made, key) // the dataset may have changed or gone meanwhile; the next question tries again
		return
	}
	cs.made[key] = c.version
	cs.copies[key] = c
	cs.use(key)
	total := cs.total()
	for total > cacheBudget && len(cs.used) > 1 {
		oldest := cs.used[0]
		total -= cs.copies[oldest].bytes
		delete(cs.copies, oldest)
		delete(cs.made, oldest)
		cs.used = cs.used[1:]
	}
}

// total is how many bytes the copies take. cs.mu is held.
func (cs *rollupCache) total() int {
	total := 0
	for _, c := range cs.copies {
		total += c.bytes
	}
	return total
}

func (cs *rollupCache) bytes() int64 {
	cs.mu.Lock()
	defer cs.mu.Unlock()
	return int64(cs.total())
}

var errTooLarge = errors.New("the day sums are too large to keep in memory")

// rollup is the copy of a dataset's day sums or hour sums, by row; rows are sorted by day or hour.
type rollup struct {
	version    int64
	schema     *dataset.Schema
	bytes      int
	axis       axis
	at         []int64 // the day, or the moment at which the hour begins
	records    []int64
	categories []categoryColumn
	amounts    []amountColumn
	coverage   tally.Coverage
	undated    []int // rows of records without a day; they stand at the end
}

// whole covers all records; none where there is no copy.
func (c *rollup) whole() tally.Coverage {
	if c == nil {
		return tally.Coverage{}
	}
	return c.coverage
}

type categoryColumn struct {
	name   string
	codes  []uint32
	labels []dataset.Label // by code
}

// amountColumn holds an amount's sums at one number of decimals.
type amountColumn struct {
	name             string
	held             bool // every number fits, and all of them together do
	mixed            bool // rows differ in decimals: each then has its own
	decimals         uint8
	each             []uint8
	counts           []int64
	sums, mins, maxs []int64
}

// readRollup reads sums in one snapshot, by the columns that the dataset has there: it may have changed since t was found.
func (s *Store) readRollup(ctx context.Context, t rollupTable) (*rollup, error) {
	var c *rollup
	err := s.copyTransaction(ctx, func(tx *gorm.DB, conn *sql.Conn) error {
		if err := tx.Exec("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ READ ONLY").Error; err != nil {
			return err
		}
		var rows int64
		if err := tx.Raw("SELECT count(*) FROM " + t.name()).Scan(&rows).Error; err != nil {
			return err
		}
		d := new(Dataset)
		if err := tx.Take(d, t.ID).Error; err != nil {
			return err
		}
		t := rollupTable{d, t.hours}
		c = &rollup{schema: &d.Schema, axis: t.grain().axis, version: d.Version}
		if c.bytes = d.copied(int(rows)); c.bytes > cacheBudget/2 {
			return errTooLarge
		}
		return c.read(ctx, conn, t, int(rows))
	})
	return c, err
}

// copied is how many bytes a copy of some rows of sums takes.
func (d *Dataset) copied(rows int) int {
	return rows * (12 + 4*len(d.rollupCategories()) + 33*len(d.rollupAmounts()))
}

// read takes the sums in as CSV by COPY.
func (c *rollup) read(ctx context.Context, conn *sql.Conn, d rollupTable, rows int) error {
	key := dataset.Column{Name: sumDay, Type: dataset.Date, Role: dataset.DayRole}
	if d.hours {
		key.Type = dataset.Timestamp
	}
	schema := dataset.Schema{Zone: "UTC", Columns: []dataset.Column{key, {Name: sumRecords, Type: dataset.Number}}}
	for _, name := range d.rollupCategories() {
		schema.Columns = append(schema.Columns, dataset.Column{Name: name, Type: dataset.Text})
		c.categories = append(c.categories, categoryColumn{name: name, codes: make([]uint32, 0, rows)})
	}
	for i, name := range d.rollupAmounts() {
		for _, part := range []string{"count", "sum", "min", "max"} {
			schema.Columns = append(schema.Columns, dataset.Column{Name: fmt.Sprintf("_a%d_%s", i, part), Type: dataset.Number})
		}
		c.amounts = append(c.amounts, amountColumn{name: name, held: true, counts: make([]int64, 0, rows), sums: make([]int64, 0, rows),
			mins: make([]int64, 0, rows), maxs: make([]int64, 0, rows), each: make([]uint8, 0, rows)})
	}
	pipe, out := io.Pipe()
	failed := make(chan error, 1)
	go func() {
		err := conn.Raw(func(driver any) error {
			_, err := driver.(*stdlib.Conn).Conn().PgConn().CopyTo(
				ctx,
				out,
				"COPY (SELECT "+strings.Join(d.columnsOf(), ", ")+" FROM "+d.name()+" ORDER BY 1 NULLS LAST) TO STDOUT (FORMAT csv)",
			)
			return err
		})
		out.CloseWithError(err)
		failed <- err
	}()
	codes := make([]map[dataset.Label]uint32, len(c.categories))
	for i := range codes {
		codes[i] = map[dataset.Label]uint32{}
	}
	err := ingest.Records(ingest.Headless(pipe, schema.Names()), ingest.ScanOptions{Schema: &schema, AllowUndated: true, InOrder: true},
		func(cells []dataset.Cell) error { return c.add(cells, codes) })
	pipe.CloseWithError(err)
	if err := errors.Join(err, <-failed); err != nil {
		return err
	}
	return c.finish()
}

// dayOf returns the day of a row.
func (c *rollup) dayOf(at int64) civil.Day {
	if c.axis.timed {
		return c.axis.clock.DayOf(civil.Moment(at))
	}
	return civil.Day(at)
}

func (c *rollup) add(cells []dataset.Cell, codes []map[dataset.Label]uint32) error {
	records, at := cells[1].Number.Digits, int64(cells[0].Day)
	if c.axis.timed {
		at = cells[0].Micros()
	}
	if cells[0].Set {
		day := c.dayOf(at)
		c.coverage.AddMany(records, day, day)
	} else {
		c.coverage.Undated += records
		c.undated = append(c.undated, len(c.records))
	}
	c.at, c.records = append(c.at, at), append(c.records, records)
	for i := range c.categories {
		column, cell := &c.categories[i], &cells[2+i]
		var label dataset.Label
		if cell.Set {
			label = dataset.LabelOf(cell.Text)
		}
		code, ok := codes[i][label]
		if !ok {
			label = cell.Label()
			code = uint32(len(column.labels))
			codes[i][label] = code
			column.labels = append(column.labels, label)
		}
		column.codes = append(column.codes, code)
	}
	for i := range c.amounts {
		at := 2 + len(c.categories) + 4*i
		c.amounts[i].add(&cells[at], &cells[at+1], &cells[at+2], &cells[at+3])
	}
	return nil
}

func (a *amountColumn) add(count, sum, least, most *dataset.Cell) {
	a.counts = append(a.counts, count.Number.Digits)
	var values [3]int64
	decimals := uint8(0)
	if sum.Set {
		decimals = sum.Number.Decimals
		a.held = a.held && sum.Fixed && least.Fixed && most.Fixed
		for i, cell := range []*dataset.Cell{sum, least, most} {
			digits, ok := cell.Number.Scaled(sum.Number.Decimals)
			a.held = a.held && ok
			values[i] = digits
		}
	}
	a.sums, a.mins, a.maxs, a.each = append(
		a.sums,
		values[0],
	), append(
		a.mins,
		values[1],
	), append(
		a.maxs,
		values[2],
	), append(
		a.each,
		decimals,
	)
}

// finish finds out which amounts can be added up in machine words whatever is asked: those of which
// the magnitudes of all sums together fit.
func (c *rollup) finish() error {
	for i := range c.amounts {
		a := &c.amounts[i]
		first := true
		var magnitude float64
		for row, n := range a.counts {
			if n == 0 {
				continue
			}
			if first {
				a.decimals, first = a.each[row], false
			}
			a.mixed = a.mixed || a.each[row] != a.decimals
			magnitude += max(float64(a.sums[row]), -float64(a.sums[row]))
		}
		if a.held = a.held && magnitude < 1<<62; !a.mixed {
			a.each = nil
		}
	}
	dated := len(c.at) - len(c.undated)
	if !slices.IsSorted(c.at[:dated]) {
		return errors.New("sums did not come sorted by time")
	}
	return nil
}

// answers reports whether a plan can be answered here.
func (c *rollup) answers(p *tally.Plan) bool {
	groups := 1
	for i, name := range p.By {
		n := 0
		if part := p.Part(i); part != nil {
			n = len(part.Values) + 1
		} else {
			n = len(c.category(name).labels)
		}
		if groups *= max(1, n); groups > maxDense {
			return false
		}
	}
	for _, name := range p.AmountColumns() {
		if i := slices.IndexFunc(c.amounts, func(a amountColumn) bool { return a.name == name }); i < 0 || !c.amounts[i].held {
			return false
		}
	}
	return true
}

// maxDense is how many groups are added up in arrays.
const maxDense = 1 << 18

// Preload brings a dataset's sums into memory now and not in the background; false where any are too large for it.
func (s *Store) Preload(ctx context.Context, d *Dataset) (bool, error) {
	for _, t := range d.rollupTables() {
		c, err := s.readRollup(ctx, t)
		if errors.Is(err, errTooLarge) {
			return false, nil
		}
		if err != nil {
			return false, err
		}
		s.rollups.keep(t.copyKey(), c, nil)
	}
	return true, nil
}
