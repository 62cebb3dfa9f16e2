package store

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"gorm.io/gorm"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/internal/refused"
)

// A conversion is how values of one type become those of another: what their text has to be like, and the SQL that makes
// them of a column; %s stands for it.
type conversion struct {
	fits, expected, sql string
}

const (
	plainNumber = `^-?[0-9]+(\.[0-9]+)?$`
	isoDate     = `^[0-9]{4}-[0-9]{2}-[0-9]{2}$`
	eightDigits = `^[0-9]{8}$`
)

// conversions are those that there are. Times are none: what they show depends on a zone.
var conversions = map[[2]dataset.Type]conversion{
	{dataset.Text, dataset.Number}: {plainNumber, "a number in plain digits", "%s::numeric"},
	{dataset.Number, dataset.Text}: {"", "", "%s::text"},
	{dataset.Date, dataset.Text}:   {"", "", "%s::text"},
	{dataset.Text, dataset.Date}: {
		isoDate + "|" + eightDigits, "a date such as 2026-09-03 or 20260903", "to_date(replace(%s, '-', ''), 'YYYYMMDD')",
	},
	{dataset.Number, dataset.Date}: {eightDigits, "a date such as 20260903", "to_date(%s::text, 'YYYYMMDD')"},
}

// retype gives columns other types where all of their values allow it. before is the schema so far.
func (d *Dataset) retype(ctx context.Context, tx *gorm.DB, before *dataset.Schema) error {
	var changed []int
	for i, c := range d.Schema.Columns {
		if c.Type != before.Columns[i].Type {
			changed = append(changed, i)
		}
	}
	if d.Attached != nil {
		if len(changed) > 0 {
			return d.Here("the types of its columns are those of the table")
		}
		return nil
	}
	for _, i := range changed {
		if err := d.checkValues(tx, i, before.Columns[i].Type); err != nil {
			return err
		}
	}
	if len(changed) == 0 {
		return nil
	}
	if err := d.alter(tx, before, changed); err != nil {
		return err
	}
	return d.logChange(ctx, tx, RetypeChange, nil, newContent())
}

// alter changes the tables of records and of past records.
func (d *Dataset) alter(tx *gorm.DB, before *dataset.Schema, changed []int) error {
	tables := []string{d.table(), d.pastTable()}
	if err := tx.Exec("DROP VIEW " + d.view()).Error; err != nil {
		return err
	}
	for _, table := range tables {
		var parts []string
		for _, i := range changed {
			to := d.Schema.Columns[i].Type
			how := conversions[[2]dataset.Type{before.Columns[i].Type, to}]
			parts = append(parts, fmt.Sprintf("ALTER COLUMN %[1]s TYPE %[2]s USING %[3]s",
				storedColumn(i), sqlType(to), fmt.Sprintf(how.sql, storedColumn(i))))
		}
		if err := tx.Exec("ALTER TABLE " + table + " " + strings.Join(parts, ", ")).Error; err != nil {
			return err
		}
	}
	return d.createView(tx)
}

// checkValues refuses a type that some values of a column do not have, and says which and how many.
func (d *Dataset) checkValues(tx *gorm.DB, column int, from dataset.Type) error {
	c := &d.Schema.Columns[column]
	how, ok := conversions[[2]dataset.Type{from, c.Type}]
	if !ok {
		return refused.Wrongf("column %s: a %s does not become a %s; load the file again with the type that is meant", c.Name, from, c.Type)
	}
	if how.fits == "" {
		return nil
	}
	wrong, err := d.misfits(tx, column, func(text string) bool {
		if c.Type != dataset.Date {
			return true
		}
		_, err := civil.ParseDay(withHyphens(text)) // 2026-02-30 looks like a date, and is none
		return err == nil
	}, how.fits)
	if err != nil || len(wrong) == 0 {
		return err
	}
	return refused.Wrongf("column %s does not become a %s, as not every value is %s: %s records", c.Name, c.Type, how.expected,
		strings.Join(wrong, ", "))
}

// misfits lists values of a column that are not like a pattern, or that a function refuses, and how many records have each.
// The function is asked where the column has few values, as one of dates has.
func (d *Dataset) misfits(tx *gorm.DB, column int, good func(string) bool, pattern string) (told []string, err error) {
	text := storedColumn(column) + "::text"
	type value struct {
		Value   string
		Records int64
	}
	from := "SELECT " + storedColumn(column) + " FROM " + d.table() +
		" UNION ALL SELECT " + storedColumn(column) + " FROM " + d.pastTable() // they may come back
	read := func(which string, limit int) (list []value, err error) {
		err = tx.Raw("SELECT " + text + " AS value, count(*) AS records FROM (" + from + ") AS r WHERE " + storedColumn(column) +
			" IS NOT NULL AND " + text + " " + which + " '" + pattern + "' GROUP BY 1 ORDER BY 2 DESC, 1 LIMIT " + strconv.Itoa(limit)).
			Scan(&list).Error
		return list, err
	}
	wrong, err := read("!~", shownValues+1)
	if err == nil && len(wrong) == 0 && d.Schema.Columns[column].Type == dataset.Date {
		if wrong, err = read("~", maxDates); err == nil && len(wrong) == maxDates {
			return []string{"more different values than there are days in"}, nil
		}
		wrong = slices.DeleteFunc(wrong, func(v value) bool { return good(v.Value) })
	}
	for i, f := range wrong {
		if i == shownValues {
			told = append(told, "and others in more")
			break
		}
		told = append(told, fmt.Sprintf("%q in %d", f.Value, f.Records))
	}
	return told, err
}

// maxDates is how many different days a column may hold: those of more than 2,700 years.
const maxDates = 1_000_000

// withHyphens writes 20260903 as 2026-09-03.
func withHyphens(text string) string {
	if len(text) == len("20260903") {
		return text[:4] + "-" + text[4:6] + "-" + text[6:]
	}
	return text
}

// shownValues is how many values are named that do not fit.
const shownValues = 5
