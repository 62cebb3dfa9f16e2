package store

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"gorm.io/gorm"

	"vastspan/core/tally"
	"vastspan/internal/tabular"
)

// Day sums hold, for each day and combination of categories of a dataset, the number of records and
// of each amount the count, sum, least and greatest value. They are kept in the transaction of each
// load, so that the cost of a total grows with days and groups, not with records.

// Day sums hold so many categories and amounts of a dataset at most, the first ones: a table has a
// limited number of columns, and by many categories nearly every record has a sum of its own. What
// is asked of the others is answered from the records.
const (
	maxSumCategories = 12
	maxSumAmounts    = 100
)

func (d *Dataset) sumCategories() []string {
	return first(d.Schema.Names(tabular.Category), maxSumCategories)
}
func (d *Dataset) sumAmounts() []string { return first(d.Schema.Names(tabular.Amount), maxSumAmounts) }

func first(names []string, n int) []string { return names[:min(n, len(names))] }

// sums gives the table of a dataset's day sums.
func (d *Dataset) sums() string { return quote("sums", d.Name) }

// Columns of the day sums that are no categories.
const (
	sumDay     = "_day"
	sumRecords = "_records"
)

// sumColumn names the column that holds one part of an amount's sums. Amounts are numbered, as their
// names may be too long to add to.
func sumColumn(amount int, part string) string { return quote(fmt.Sprintf("_a%d_%s", amount, part)) }

func (d *Dataset) createSums(tx *gorm.DB) error {
	columns := []string{quote(sumDay) + " date", quote(sumRecords) + " bigint NOT NULL"}
	for _, name := range d.sumCategories() {
		columns = append(columns, quote(name)+" text")
	}
	for i := range d.sumAmounts() {
		columns = append(columns, sumColumn(i, "count")+" bigint NOT NULL", sumColumn(i, "sum")+" numeric", sumColumn(i, "min")+" numeric", sumColumn(i, "max")+" numeric")
	}
	for _, statement := range []string{
		"CREATE SCHEMA IF NOT EXISTS sums",
		"CREATE TABLE " + d.sums() + " (" + strings.Join(columns, ", ") + ")",
	} {
		if err := tx.Exec(statement).Error; err != nil {
			return err
		}
	}
	return nil
}

// indexSums makes the index of the day sums, once the first of them are there.
func (d *Dataset) indexSums(tx *gorm.DB) error {
	return tx.Exec("CREATE INDEX ON " + d.sums() + " (" + quote(sumDay) + ")").Error
}

// selectSums adds the records up that a condition keeps.
func (d *Dataset) selectSums(condition string) string {
	selects := []string{d.day(), "count(*)"}
	group := []string{"1"}
	for i, name := range d.sumCategories() {
		selects = append(selects, quote(name))
		group = append(group, fmt.Sprint(i+3))
	}
	for _, name := range d.sumAmounts() {
		c := quote(name)
		selects = append(selects, "count("+c+")", "sum("+c+")", "min("+c+")", "max("+c+")")
	}
	return "SELECT " + strings.Join(selects, ", ") + " FROM " + d.table() + " AS r WHERE " + condition + " GROUP BY " + strings.Join(group, ", ")
}

// fillSums makes the day sums anew from all records.
func (d *Dataset) fillSums(tx *gorm.DB) error {
	if err := tx.Exec("DELETE FROM " + d.sums()).Error; err != nil {
		return err
	}
	return tx.Exec("INSERT INTO " + d.sums() + " " + d.selectSums("true")).Error
}

// touch notes the days that a load's records lie on; they have to be there.
func (d *Dataset) touch(tx *gorm.DB, load int64) error {
	for _, statement := range []string{
		"CREATE TEMPORARY TABLE touched ON COMMIT DROP AS SELECT DISTINCT " + d.day() + " AS day FROM " + d.table() + " WHERE " + quote(loadColumn) + fmt.Sprintf(" = %d", load),
		"ANALYZE touched",
	} {
		if err := tx.Exec(statement).Error; err != nil {
			return err
		}
	}
	return nil
}

// renewSums adds the records of the days that were touched up anew: after a load has come, and after
// one has gone, when a least or greatest value may have left with it.
func (d *Dataset) renewSums(tx *gorm.DB) error {
	among := "(%[1]s IN (SELECT day FROM touched) OR %[1]s IS NULL AND EXISTS (SELECT FROM touched WHERE day IS NULL))"
	if err := tx.Exec("DELETE FROM " + d.sums() + " WHERE " + fmt.Sprintf(among, quote(sumDay))).Error; err != nil {
		return err
	}
	return tx.Exec("INSERT INTO " + d.sums() + " " + d.selectSums(fmt.Sprintf(among, "r."+d.day()))).Error
}

// sumColumns lists the columns of the day sums.
func (d *Dataset) sumColumns() []string {
	columns := []string{quote(sumDay), quote(sumRecords)}
	for _, name := range d.sumCategories() {
		columns = append(columns, quote(name))
	}
	for i := range d.sumAmounts() {
		for _, part := range []string{"count", "sum", "min", "max"} {
			columns = append(columns, sumColumn(i, part))
		}
	}
	return columns
}

// addSums adds the sums of the table fresh to those of the days that they lie on.
func (d *Dataset) addSums(tx *gorm.DB) error {
	selects, groups := []string{quote(sumDay), "sum(" + quote(sumRecords) + ")"}, []string{quote(sumDay)}
	for _, name := range d.sumCategories() {
		selects, groups = append(selects, quote(name)), append(groups, quote(name))
	}
	for i := range d.sumAmounts() {
		selects = append(selects, "sum("+sumColumn(i, "count")+")", "sum("+sumColumn(i, "sum")+")", "min("+sumColumn(i, "min")+")", "max("+sumColumn(i, "max")+")")
	}
	columns := strings.Join(d.sumColumns(), ", ")
	for _, statement := range []string{
		"ANALYZE fresh",
		"WITH old AS (DELETE FROM " + d.sums() + " WHERE " + quote(sumDay) + " IN (SELECT " + quote(sumDay) + " FROM fresh) OR " + quote(sumDay) + " IS NULL AND EXISTS (SELECT FROM fresh WHERE " + quote(sumDay) + " IS NULL) RETURNING " + columns + ") " +
			"INSERT INTO " + d.sums() + " (" + columns + ") SELECT " + strings.Join(selects, ", ") + " FROM (SELECT " + columns + " FROM old UNION ALL SELECT " + columns + " FROM fresh) AS together GROUP BY " + strings.Join(groups, ", "),
	} {
		if err := tx.Exec(statement).Error; err != nil {
			return err
		}
	}
	return nil
}

// summed tells whether day sums can answer: they know categories and amounts, nothing else.
func (d *Dataset) summed(p *tally.Plan) bool {
	if p.Timed() || len(p.Wholes) > 0 || d.dateColumn(p.Date).Role != tabular.DayRole {
		return false
	}
	categories, amounts := d.sumCategories(), d.sumAmounts()
	for _, name := range p.By {
		if !slices.Contains(categories, name) {
			return false
		}
	}
	for _, f := range p.Where {
		if !slices.Contains(categories, f.Column) {
			return false
		}
	}
	return !slices.ContainsFunc(p.Amounts, func(name string) bool { return !slices.Contains(amounts, name) })
}

// A grain is where facts are read from and how: from the records themselves or from their day sums.
type grain struct {
	table, day, records string
	summed              bool
	parts               func(amount string) [4]string // of one row: count, sum, min, max
}

// amount gives the parts of an amount over many rows.
func (g grain) amount(name string) [4]string {
	of := g.parts(name)
	if !g.summed {
		return [4]string{"count(" + of[1] + ")", "sum(" + of[1] + ")", "min(" + of[2] + ")", "max(" + of[3] + ")"}
	}
	return [4]string{"coalesce(sum(" + of[0] + "), 0)::bigint", "sum(" + of[1] + ")", "min(" + of[2] + ")", "max(" + of[3] + ")"}
}

func (d *Dataset) recordGrain(date string) grain {
	return grain{d.table(), d.dayOf(d.dateColumn(date)), "count(*)", false, func(name string) [4]string {
		c := quote(name)
		return [4]string{"(" + c + " IS NOT NULL)::int", c, c, c}
	}}
}

func (d *Dataset) sumGrain() grain {
	amounts := d.sumAmounts()
	return grain{d.sums(), quote(sumDay), "coalesce(sum(" + quote(sumRecords) + "), 0)::bigint", true, func(name string) [4]string {
		i := slices.Index(amounts, name)
		return [4]string{sumColumn(i, "count"), sumColumn(i, "sum"), sumColumn(i, "min"), sumColumn(i, "max")}
	}}
}

// A Verification is what recounting a dataset's day sums found.
type Verification struct {
	Rows    int64 // day sums that are kept
	Records int64 // records that were recounted
	Wrong   int64 // day sums that differ, are missing, or should not be there
}

// Verify recounts a dataset's records and compares them with its day sums, in one snapshot.
func (s *Store) Verify(ctx context.Context, d *Dataset) (*Verification, error) {
	var v Verification
	err := s.transaction(ctx, func(tx *gorm.DB) error {
		counted := d.selectSums("true")
		columns := "SELECT " + quote(sumDay) + ", " + quote(sumRecords)
		for _, name := range d.sumCategories() {
			columns += ", " + quote(name)
		}
		for i := range d.sumAmounts() {
			columns += ", " + sumColumn(i, "count") + ", " + sumColumn(i, "sum") + ", " + sumColumn(i, "min") + ", " + sumColumn(i, "max")
		}
		kept := columns + " FROM " + d.sums()
		return tx.Raw("SELECT (SELECT count(*) FROM " + d.sums() + ") AS rows, (SELECT count(*) FROM " + d.table() + ") AS records, " +
			"(SELECT count(*) FROM ((" + kept + " EXCEPT ALL " + counted + ") UNION ALL (" + counted + " EXCEPT ALL " + kept + ")) AS different) AS wrong").Scan(&v).Error
	}, readOnly)
	return &v, err
}
