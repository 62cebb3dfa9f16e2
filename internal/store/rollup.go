package store

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"gorm.io/gorm"

	"vastspan/core/dataset"
	"vastspan/core/tally"
)

// Day sums hold, for each day and combination of categories of a dataset, the number of records and
// of each amount the count, sum, minimum and maximum value. They are kept in the transaction of each
// load, so that the cost of a total grows with days and groups, not with records.

// Day sums hold so many categories and amounts of a dataset at most, the first ones: a table has a
// limited number of columns, and by many categories nearly every record has a sum of its own. What
// is asked of the others is answered from the records.
const (
	maxRollupCategories = 12
	maxRollupAmounts    = 100
)

func (d *Dataset) rollupCategories() []string {
	return first(d.Schema.Names(dataset.Category), maxRollupCategories)
}
func (d *Dataset) rollupAmounts() []string {
	return first(d.Schema.Names(dataset.Amount), maxRollupAmounts)
}

func first(names []string, n int) []string { return names[:min(n, len(names))] }

// sums returns the table of a dataset's day sums.
func (d *Dataset) sums() string { return quote("sums", d.stored()) }

// Columns of the day sums that are no categories.
const (
	sumDay     = "_day"
	sumRecords = "_records"
)

// sumColumn names the column that holds one part of an amount's sums. Amounts are numbered, as their
// names may be too long to add to.
func sumColumn(amount int, part string) string { return quote(fmt.Sprintf("_a%d_%s", amount, part)) }

func (d *Dataset) createRollup(tx *gorm.DB) error {
	columns := []string{quote(sumDay) + " date", quote(sumRecords) + " bigint NOT NULL"}
	for _, name := range d.rollupCategories() {
		columns = append(columns, d.column(name)+" text")
	}
	for i := range d.rollupAmounts() {
		columns = append(
			columns,
			sumColumn(i, "count")+" bigint NOT NULL",
			sumColumn(i, "sum")+" numeric",
			sumColumn(i, "min")+" numeric",
			sumColumn(i, "max")+" numeric",
		)
	}
	return tx.Exec("CREATE TABLE " + d.sums() + " (" + strings.Join(columns, ", ") + ")").Error
}

// indexRollup makes the index of the day sums, once the first of them are there.
func (d *Dataset) indexRollup(tx *gorm.DB) error {
	return tx.Exec("CREATE INDEX ON " + d.sums() + " (" + quote(sumDay) + ")").Error
}

// counted is the SQL that adds the records up that a condition keeps.
func (d *Dataset) counted(which string) string {
	return statement(
		"rollup_count",
		map[string]any{
			"Day":        d.day(),
			"Categories": d.columns(d.rollupCategories()),
			"Amounts":    d.columns(d.rollupAmounts()),
			"Table":      d.table(),
			"Which":      which,
		},
	)
}

// fillRollup makes the day sums anew from all records.
func (d *Dataset) fillRollup(tx *gorm.DB) error {
	if err := tx.Exec("DELETE FROM " + d.sums()).Error; err != nil {
		return err
	}
	return tx.Exec("INSERT INTO " + d.sums() + " " + d.counted("true")).Error
}

// markDays notes the days that a load's records lie on; they have to be there.
func (d *Dataset) markDays(tx *gorm.DB, load int64) error {
	for _, statement := range []string{
		"CREATE TEMPORARY TABLE touched ON COMMIT DROP AS SELECT DISTINCT " + d.day() + " AS day FROM " + d.table() +
			" WHERE " + quote(loadColumn) + fmt.Sprintf(" = %d", load),
		"ANALYZE touched",
	} {
		if err := tx.Exec(statement).Error; err != nil {
			return err
		}
	}
	return nil
}

// rebuildRollup adds the records of the days that were touched up anew: after a load has come, and after
// one has gone, when a minimum or maximum may have left with it.
func (d *Dataset) rebuildRollup(tx *gorm.DB) error {
	among := "(%[1]s IN (SELECT day FROM touched) OR %[1]s IS NULL AND EXISTS (SELECT FROM touched WHERE day IS NULL))"
	if err := tx.Exec("DELETE FROM " + d.sums() + " WHERE " + fmt.Sprintf(among, quote(sumDay))).Error; err != nil {
		return err
	}
	return tx.Exec("INSERT INTO " + d.sums() + " " + d.counted(fmt.Sprintf(among, "r."+d.day()))).Error
}

// rollupColumns lists the columns of the day sums.
func (d *Dataset) rollupColumns() []string {
	columns := []string{quote(sumDay), quote(sumRecords)}
	for _, name := range d.rollupCategories() {
		columns = append(columns, d.column(name))
	}
	for i := range d.rollupAmounts() {
		for _, part := range []string{"count", "sum", "min", "max"} {
			columns = append(columns, sumColumn(i, part))
		}
	}
	return columns
}

// addRollup adds the sums of the table fresh to those of the days that they lie on.
func (d *Dataset) addRollup(tx *gorm.DB) error {
	if err := tx.Exec("ANALYZE fresh").Error; err != nil {
		return err
	}
	amounts := make([][4]string, len(d.rollupAmounts()))
	for i := range amounts {
		amounts[i] = sumParts(i)
	}
	return tx.Exec(
		statement(
			"rollup_add",
			map[string]any{"Table": d.sums(), "Day": quote(sumDay), "Records": quote(sumRecords), "Columns": d.rollupColumns(),
				"Categories": d.columns(d.rollupCategories()), "Amounts": amounts},
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

// rollupAnswers reports whether day sums can answer: they know categories and amounts, nothing else.
func (d *Dataset) rollupAnswers(p *tally.Plan) bool {
	if p.NeedsFirstLast() || len(p.Holistic) > 0 || d.dateColumn(p.Date).Role != dataset.DayRole {
		return false
	}
	categories, amounts := d.rollupCategories(), d.rollupAmounts()
	for _, name := range p.By {
		if !slices.Contains(categories, name) {
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
	Table, Day string
	Records    string // how many records some rows stand for
	rowRecords string // and how many one row does
	rollup     bool
	parts      func(amount string) [4]string // of one row: count, sum, minimum, maximum
}

// amount returns the parts of an amount over many rows.
func (g grain) amount(name string) [4]string {
	of := g.parts(name)
	if !g.rollup {
		return [4]string{"count(" + of[1] + ")", "sum(" + of[1] + ")", "min(" + of[2] + ")", "max(" + of[3] + ")"}
	}
	return [4]string{"coalesce(sum(" + of[0] + "), 0)::bigint", "sum(" + of[1] + ")", "min(" + of[2] + ")", "max(" + of[3] + ")"}
}

func (d *Dataset) recordGrain(date string) grain {
	return grain{d.table(), d.dayOf(d.dateColumn(date)), "count(*)", "1", false, func(name string) [4]string {
		c := d.column(name)
		return [4]string{"(" + c + " IS NOT NULL)::int", c, c, c}
	}}
}

func (d *Dataset) rollupGrain() grain {
	amounts := d.rollupAmounts()
	return grain{
		d.sums(),
		quote(sumDay),
		"coalesce(sum(" + quote(sumRecords) + "), 0)::bigint",
		quote(sumRecords),
		true,
		func(name string) [4]string {
			return sumParts(slices.Index(amounts, name))
		},
	}
}

// A Verification is what recounting a dataset's rollup found.
type Verification struct {
	Rows    int64 `json:"day_sums"` // day sums that are kept
	Records int64 `json:"records"`  // records that were recounted
	Wrong   int64 `json:"wrong"`    // day sums that differ, are missing, or should not be there
}

// Verify recounts a dataset's records and compares them with its day sums, in one snapshot.
func (s *Store) Verify(ctx context.Context, d *Dataset) (*Verification, error) {
	var v Verification
	err := s.reading(ctx, func(tx *gorm.DB) error {
		return tx.Raw(
			statement(
				"rollup_verify",
				map[string]any{"Sums": d.sums(), "Table": d.table(), "Columns": d.rollupColumns(), "Counted": d.counted("true")},
			),
		).Scan(
			&v,
		).Error
	})
	return &v, err
}
