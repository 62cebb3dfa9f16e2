package store

import (
	"database/sql/driver"
	"fmt"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5/pgtype"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/tally"
)

// A condition is SQL with its arguments.
type condition struct {
	sql  string
	args []any
}

func where(conditions []condition) (string, []any) {
	if len(conditions) == 0 {
		return "", nil
	}
	var parts []string
	var args []any
	for _, c := range conditions {
		parts = append(parts, c.sql)
		args = append(args, c.args...)
	}
	return "WHERE " + strings.Join(parts, " AND "), args
}

// conditions turns filters into conditions. They have been checked against the schema.
func (d *Dataset) conditions(filters dataset.Filters) []condition {
	var conditions []condition
	for _, f := range filters {
		var any condition
		var parts []string
		merged := f.Merged()
		for i := range merged {
			one := d.condition(&merged[i])
			parts, any.args = append(parts, one.sql), append(any.args, one.args...)
		}
		any.sql = "(" + strings.Join(parts, " OR ") + ")"
		conditions = append(conditions, any)
	}
	return conditions
}

// condition turns a condition into SQL. A comparison with a blank is neither true nor false: what is negated keeps it.
func (d *Dataset) condition(q *dataset.Condition) condition {
	c := d.positive(q)
	if q.Negated() {
		c.sql = "(" + c.sql + ") IS NOT TRUE"
	}
	return c
}

// positive turns a condition into SQL as though it were not negated; a blank may give null.
func (d *Dataset) positive(q *dataset.Condition) condition {
	c := d.Schema.Columns[d.Schema.Index(q.Column)] // it has been checked
	expression, cast, values := d.column(q.Column), "", q.Values
	switch c.Type {
	case dataset.Number:
		cast = "::numeric"
	case dataset.Timestamp, dataset.Date:
		expression, cast, values = d.dayOf(c), "::date", d.Schema.FilterDays(q)
	}
	if days, ok := q.Days(); ok {
		return daysOf(expression, days)
	}
	if moments, ok := q.Moments(); ok {
		clock := d.clock()
		return axis{At: d.column(q.Column), timed: true, clock: clock}.all(tally.OfMoments(clock, moments))
	}
	if q.IgnoringCase {
		expression = "lower(" + expression + ` COLLATE "C.utf8")`
		values = slices.Clone(values)
		for i, v := range values {
			values[i] = dataset.Fold(v)
		}
	}
	switch q.Op {
	case dataset.Blank, dataset.NotBlank:
		return condition{expression + " IS NULL", nil}
	case dataset.Contains, dataset.NotContains:
		return condition{"strpos(" + expression + ", ?) > 0", []any{values[0]}}
	case dataset.AtLeast:
		return condition{expression + " >= ?" + cast, []any{values[0]}}
	case dataset.AtMost:
		return condition{expression + " <= ?" + cast, []any{values[0]}}
	case dataset.Above:
		return condition{expression + " > ?" + cast, []any{values[0]}}
	case dataset.Below:
		return condition{expression + " < ?" + cast, []any{values[0]}}
	case dataset.Between:
		return condition{expression + " BETWEEN ?" + cast + " AND ?" + cast, []any{values[0], values[1]}}
	}
	return among(expression, cast, values)
}

// among keeps what is one of some values: one argument, however many there are. A statement takes 65,535.
func among(expression, cast string, values []string) condition {
	switch len(values) {
	case 0:
		return condition{"false", nil}
	case 1:
		return condition{expression + " = ?" + cast, []any{values[0]}}
	}
	return condition{expression + " = ANY (?::text[]" + arrayOf(cast) + ")", []any{textArray(values)}}
}

// labelText is the SQL of a category's values as labels have them: numbers in the form that equal ones share.
func (d *Dataset) labelText(name string) string {
	if d.isNumber(name) {
		return "trim_scale(" + d.column(name) + ")::text"
	}
	return d.column(name)
}

func (d *Dataset) isNumber(name string) bool {
	c, err := d.Schema.Find(name)
	return err == nil && c.Type == dataset.Number
}

// daysOf keeps the days of a set.
func daysOf(day string, days civil.Set) condition {
	return axis{At: day}.all(tally.OfDays(days))
}

// arrayOf returns the cast of an array for that of its elements.
func arrayOf(cast string) string {
	if cast == "" {
		return ""
	}
	return cast + "[]"
}

// A textArray is an argument of type text[].
type textArray []string

// Value implements driver.Valuer.
func (a textArray) Value() (driver.Value, error) {
	text, err := pgtype.NewMap().Encode(pgtype.TextArrayOID, pgtype.TextFormatCode, []string(a), nil)
	return string(text), err
}

// dayOf returns the SQL of the day of a column of dates or times.
func (d *Dataset) dayOf(c dataset.Column) string {
	switch {
	case c.Role == dataset.DayRole:
		return d.day()
	case c.Type == dataset.Timestamp:
		return dayOfMoment(d.column(c.Name), d.clock())
	}
	return d.column(c.Name)
}

// clock returns the clock by which times of a dataset become days.
func (d *Dataset) clock() civil.Clock {
	c, err := d.Schema.Clock()
	if err != nil { // it was checked when the dataset was made
		return civil.UTC
	}
	return c
}

// dayOfMoment returns the SQL of the day of a clock that holds a moment.
func dayOfMoment(moment string, c civil.Clock) string {
	day := "(" + moment + " AT TIME ZONE " + literal(c.Zone().String())
	if c.DayStarts() > 0 {
		day += " - interval " + literal(c.DayStarts().String())
	}
	day += ")::date"
	irregular := c.Irregulars()
	if len(irregular) == 0 {
		return day
	}
	var cases strings.Builder
	for _, v := range irregular {
		fmt.Fprintf(&cases, " WHEN %[1]s >= %[2]s AND %[1]s < %[3]s THEN date %[4]s",
			moment, instant(v.Start), instant(v.End), literal(v.Day.String()))
	}
	return "CASE" + cases.String() + " ELSE " + day + " END"
}

// instant writes a moment as SQL.
func instant(m civil.Moment) string {
	switch m {
	case civil.BeginningOfTime:
		return "timestamptz '-infinity'"
	case civil.EndOfTime:
		return "timestamptz 'infinity'"
	}
	return "timestamptz " + literal(civil.UTC.Format(m))
}

// dateColumn returns the column that says on which day records are: a named one, or the dataset's own.
func (d *Dataset) dateColumn(name string) dataset.Column {
	i, err := d.Schema.DateColumn(name)
	if err != nil { // it has been checked
		i = d.Schema.Day()
	}
	return d.Schema.Columns[i]
}
