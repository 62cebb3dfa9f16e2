package store

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"gorm.io/gorm"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/tally"
	"vastspan/internal/columns"
)

// Day sums hold, for each day and combination of categories of a dataset, the number of records and
// of each amount the count, sum, minimum and maximum value. They are kept in the transaction of each
// load, so that the cost of a total grows with days and groups, not with records. Hour sums are the same by the hours in
// which records lie, for datasets that are kept by times.

// They hold so many categories and amounts of a dataset at most, the first ones: a table has a
// limited number of columns, and by many categories nearly every record has a sum of its own. What
// is asked of the others is answered from the records.
const (
	maxRollupCategories = 12
	maxRollupAmounts    = 100
)

// Categories of numbers are none of them: those compare as numbers, and the sums hold texts.
func (d *Dataset) rollupCategories() []string {
	texts := slices.DeleteFunc(d.Schema.Names(dataset.Category), d.isNumber)
	return first(texts, maxRollupCategories)
}
func (d *Dataset) rollupAmounts() []string {
	return first(d.Schema.Names(dataset.Amount), maxRollupAmounts)
}

func first(names []string, n int) []string { return names[:min(n, len(names))] }

// A rollup of a dataset is its table of day sums, or of hour sums.
type rollupTable struct {
	*Dataset
	hours bool
}

func (d *Dataset) daySums() rollupTable { return rollupTable{d, false} }

// rollups lists the tables of sums that a dataset has.
func (d *Dataset) rollupTables() []rollupTable {
	list := []rollupTable{d.daySums()}
	if d.HourStep > 0 {
		list = append(list, rollupTable{d, true})
	}
	return list
}

// name returns the table.
func (t rollupTable) name() string {
	if t.hours {
		return quote("sums", fmt.Sprintf("h_%d", t.ID))
	}
	return quote("sums", t.stored())
}

// temporary returns the name of a temporary table that belongs to it.
func (t rollupTable) temporary(name string) string {
	if t.hours {
		return name + "_hours"
	}
	return name
}

// key returns the column of the day or of the hour's start.
func (t rollupTable) key() string {
	if t.hours {
		return quote(sumHour)
	}
	return quote(sumDay)
}

func (t rollupTable) keyType() string {
	if t.hours {
		return "timestamptz"
	}
	return "date"
}

// keyOf returns the SQL of the key of a record.
func (t rollupTable) keyOf(prefix string) string {
	if t.hours {
		at := prefix + t.column(t.Schema.Columns[t.Schema.Day()].Name)
		return fmt.Sprintf("date_bin('%d seconds', %s, timestamptz '1970-01-01T00:00:00Z')", t.HourStep, at)
	}
	return prefix + t.day()
}

// hourStep is how many seconds the sums by hour of a dataset are apart: an hour, or less where the hours of its clock begin
// at other times than those of Universal Time; 0 where it keeps none.
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

// Columns of the sums that are no categories.
const (
	sumDay     = "_day"
	sumHour    = "_hour"
	sumRecords = "_records"
)

// sumColumn names the column that holds one part of an amount's sums. Amounts are numbered, as their
// names may be too long to add to.
func sumColumn(amount int, part string) string { return quote(fmt.Sprintf("_a%d_%s", amount, part)) }

func (t rollupTable) create(tx *gorm.DB) error {
	columns := []string{t.key() + " " + t.keyType(), quote(sumRecords) + " bigint NOT NULL"}
	for _, name := range t.rollupCategories() {
		columns = append(columns, t.column(name)+" text")
	}
	for i := range t.rollupAmounts() {
		columns = append(
			columns,
			sumColumn(i, "count")+" bigint NOT NULL",
			sumColumn(i, "sum")+" numeric",
			sumColumn(i, "min")+" numeric",
			sumColumn(i, "max")+" numeric",
		)
	}
	return tx.Exec("CREATE TABLE " + t.name() + " (" + strings.Join(columns, ", ") + ")").Error
}

// index makes the index of the sums, once the first of them are there.
func (t rollupTable) index(tx *gorm.DB) error {
	return tx.Exec("CREATE INDEX ON " + t.name() + " (" + t.key() + ")").Error
}

// counted is the SQL that adds the records up that a condition keeps.
func (t rollupTable) counted(which string) string {
	return statement(
		"rollup_count",
		map[string]any{
			"Key":        t.keyOf(""),
			"Categories": t.columns(t.rollupCategories()),
			"Amounts":    t.columns(t.rollupAmounts()),
			"Table":      t.table(),
			"Which":      which,
		},
	)
}

// fill makes the sums anew from all records.
func (t rollupTable) fill(tx *gorm.DB) error {
	if err := tx.Exec("DELETE FROM " + t.name()).Error; err != nil {
		return err
	}
	return tx.Exec("INSERT INTO " + t.name() + " " + t.counted("true")).Error
}

// make makes the table for records that are there.
func (t rollupTable) make(tx *gorm.DB) error {
	return errors.Join(t.create(tx), t.fill(tx), t.index(tx))
}

// mark notes the days or hours that records lie in, beside those noted before in the transaction: those of a table named r,
// with the clauses that choose them.
func (t rollupTable) mark(tx *gorm.DB, from string, args ...any) error {
	touched := t.temporary("touched")
	err := tx.Exec("CREATE TEMPORARY TABLE IF NOT EXISTS " + touched + " (key " + t.keyType() + ") ON COMMIT DROP").Error
	if err != nil {
		return err
	}
	if err := tx.Exec("INSERT INTO "+touched+" SELECT DISTINCT "+t.keyOf("r.")+" FROM "+from, args...).Error; err != nil {
		return err
	}
	return tx.Exec("ANALYZE " + touched).Error
}

// markLoad notes the days or hours that a load's records lie in; they have to be there.
func (t rollupTable) markLoad(tx *gorm.DB, load *Load) error {
	own := load.of("r.")
	return t.mark(tx, t.table()+" AS r WHERE "+own.sql, own.args...)
}

// rebuild adds the records of the days or hours that were touched up anew: after a load has come, and after
// one has gone, when a minimum or maximum may have left with it.
func (t rollupTable) rebuild(tx *gorm.DB) error {
	among := "(%[1]s IN (SELECT key FROM %[2]s) OR %[1]s IS NULL AND EXISTS (SELECT FROM %[2]s WHERE key IS NULL))"
	touched := t.temporary("touched")
	if err := tx.Exec("DELETE FROM " + t.name() + " WHERE " + fmt.Sprintf(among, t.key(), touched)).Error; err != nil {
		return err
	}
	which := fmt.Sprintf(among, t.keyOf("r."), touched)
	if t.hours { // the index is by day
		which += " AND (r." + t.day() + " IN (SELECT key FROM touched) OR r." + t.day() + " IS NULL)"
	}
	return tx.Exec("INSERT INTO " + t.name() + " " + t.counted(which)).Error
}

// columnsOf lists the columns of the sums.
func (t rollupTable) columnsOf() []string {
	columns := []string{t.key(), quote(sumRecords)}
	for _, name := range t.rollupCategories() {
		columns = append(columns, t.column(name))
	}
	for i := range t.rollupAmounts() {
		for _, part := range []string{"count", "sum", "min", "max"} {
			columns = append(columns, sumColumn(i, part))
		}
	}
	return columns
}

// add adds the sums of the temporary table fresh to those that lie on the same days or in the same hours.
func (t rollupTable) add(tx *gorm.DB) error {
	fresh := t.temporary("fresh")
	if err := tx.Exec("ANALYZE " + fresh).Error; err != nil {
		return err
	}
	amounts := make([][4]string, len(t.rollupAmounts()))
	for i := range amounts {
		amounts[i] = sumParts(i)
	}
	return tx.Exec(
		statement(
			"rollup_add",
			map[string]any{"Table": t.name(), "Fresh": fresh, "Key": t.key(), "Records": quote(sumRecords), "Columns": t.columnsOf(),
				"Categories": t.columns(t.rollupCategories()), "Amounts": amounts},
		),
	).Error
}

// sumParts names the columns that hold count, sum, minimum and maximum of an amount.
func sumParts(amount int) (parts [4]string) {
	for i, part := range []string{"count", "sum", "min", "max"} {
		parts[i] = sumColumn(amount, part)
	}
	return parts
}

// rollupFor returns the sums that can answer a plan; false where none can: they know categories and amounts, nothing else,
// and hours that begin where those of the clock do.
func (d *Dataset) rollupFor(p *tally.Plan) (rollupTable, bool) {
	t := rollupTable{d, p.Timed}
	return t, d.rollupKnows(p) && (!p.Timed || d.HourStep > 0 && !slices.ContainsFunc(p.Cuts, func(at int64) bool {
		return at%(d.HourStep*int64(civil.Second)) != 0
	}))
}

func (d *Dataset) rollupKnows(p *tally.Plan) bool {
	if p.NeedsFirstLast() || len(p.Holistic) > 0 || d.dateColumn(p.Date).Role != dataset.DayRole {
		return false
	}
	categories, amounts := d.rollupCategories(), d.rollupAmounts()
	for i, name := range p.By {
		if part := p.Part(i); part != nil {
			if p.DateOf(part) != p.Date {
				return false
			}
		} else if !slices.Contains(categories, name) {
			return false
		}
	}
	for _, name := range p.Where.Columns() {
		if !slices.Contains(categories, name) {
			return false
		}
	}
	return !slices.ContainsFunc(p.Amounts, func(a tally.Amount) bool { return !slices.Contains(amounts, a.Column) })
}

// A grain is where partial results are read from and how: from the records themselves or from their
// rollup.
type grain struct {
	axis
	Table   string
	Records string // how many records some rows stand for
	rollup  bool
	parts   func(amount string) [4]string // of one row: count, sum, minimum, maximum
}

// amount returns the parts of an amount over many rows.
func (g grain) amount(name string) [4]string {
	of := g.parts(name)
	if !g.rollup {
		return [4]string{"count(" + of[1] + ")", "sum(" + of[1] + ")", "min(" + of[2] + ")", "max(" + of[3] + ")"}
	}
	return [4]string{"coalesce(sum(" + of[0] + "), 0)::bigint", "sum(" + of[1] + ")", "min(" + of[2] + ")", "max(" + of[3] + ")"}
}

func (d *Dataset) recordGrain(a axis) grain {
	return grain{a, d.table(), "count(*)", false, func(name string) [4]string {
		c := d.column(name)
		return [4]string{"(" + c + " IS NOT NULL)::int", c, c, c}
	}}
}

func (t rollupTable) grain() grain {
	amounts := t.rollupAmounts()
	return grain{
		axis{At: t.key(), timed: t.hours, clock: t.clock()},
		t.name(),
		"coalesce(sum(" + quote(sumRecords) + "), 0)::bigint",
		true,
		func(name string) [4]string {
			return sumParts(slices.Index(amounts, name))
		},
	}
}

// A Verification is what recounting a dataset's sums found.
type Verification struct {
	DaySums  int64 `json:"day_sums"`            // day sums that are kept
	HourSums int64 `json:"hour_sums,omitempty"` // and hour sums, where there are any
	// ColumnFiles are the files of the columnar form whose checksums were looked at; each that is damaged is wrong, and made again.
	ColumnFiles int64 `json:"column_files,omitempty"`
	Records     int64 `json:"records"` // records that were recounted
	Wrong       int64 `json:"wrong"`   // sums that differ, are missing, or should not be there
}

// Verify recounts a dataset's records and compares them with its day sums and hour sums, in one snapshot.
func (s *Store) Verify(ctx context.Context, d *Dataset) (*Verification, error) {
	var v Verification
	if err := d.Here("there are no sums to be verified"); err != nil {
		return nil, err
	}
	err := s.reading(ctx, func(tx *gorm.DB) error {
		for _, t := range d.rollupTables() {
			var one struct{ Rows, Records, Wrong int64 }
			err := tx.Raw(
				statement(
					"rollup_verify",
					map[string]any{"Sums": t.name(), "Table": t.table(), "Columns": t.columnsOf(), "Counted": t.counted("true")},
				),
			).Scan(
				&one,
			).Error
			if err != nil {
				return err
			}
			if v.Records, v.Wrong = one.Records, v.Wrong+one.Wrong; t.hours {
				v.HourSums = one.Rows
			} else {
				v.DaySums = one.Rows
			}
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	files, err := s.forms.verify(ctx, d)
	if columns.Broken(err) {
		v.Wrong, err = v.Wrong+1, nil
	}
	v.ColumnFiles = int64(files)
	return &v, err
}
