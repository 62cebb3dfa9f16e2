package store

import (
	"database/sql/driver"
	"slices"
	"strconv"
	"strings"

	"github.com/jackc/pgx/v5/pgtype"

	"vastspan/core/civil"
	"vastspan/core/dataset"
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

// isLabel keeps the records of which a category has one of some labels.
func (d *Dataset) isLabel(name string, labels []dataset.Label) condition {
	var texts []string
	blank := "false"
	for _, l := range labels {
		if l.Set {
			texts = append(texts, l.Text)
		} else {
			blank = d.column(name) + " IS NULL"
		}
	}
	c := among(d.column(name), "", texts)
	return condition{"(" + blank + " OR " + c.sql + ")", c.args}
}

// daysOf keeps the days of a set.
func daysOf(day string, days civil.Set) condition {
	conditions := within(day, days.Bounds())
	if days.Len() > 1 {
		conditions = append(conditions, inside(day, days))
	}
	var all condition
	for i, c := range conditions {
		if i > 0 {
			all.sql += " AND "
		}
		all.sql, all.args = all.sql+c.sql, append(all.args, c.args...)
	}
	return all
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
		return "(" + d.column(c.Name) + " AT TIME ZONE " + literal(d.Schema.Zone) + ")::date"
	}
	return d.column(c.Name)
}

// dateColumn returns the column that says on which day records lie: a named one, or the dataset's own.
func (d *Dataset) dateColumn(name string) dataset.Column {
	i, err := d.Schema.DateColumn(name)
	if err != nil { // it has been checked
		i = d.Schema.Day()
	}
	return d.Schema.Columns[i]
}

// bucket returns the SQL of the segment of a day among cuts, which are its one argument. The database
// is quickest at looking numbers up that are floating; days are exact as such.
func bucket(day string) string {
	return "width_bucket((" + day + " - date '2000-01-01')::float8, ?::float8[])"
}

// cutArray writes cuts as bucket takes them.
func cutArray(days []civil.Day) string {
	origin := civil.Of(2000, 1, 1)
	texts := make([]string, len(days))
	for i, d := range days {
		texts[i] = strconv.Itoa(int(d - origin))
	}
	return "{" + strings.Join(texts, ",") + "}"
}

// within keeps the days of an interval; day is the SQL of the day.
func within(day string, v civil.Interval) []condition {
	if v.Empty() {
		return []condition{{"false", nil}}
	}
	conditions := []condition{{day + " IS NOT NULL", nil}}
	if v.Start != civil.OpenStart {
		conditions = append(conditions, condition{day + " >= ?::date", []any{v.Start.String()}})
	}
	if v.End != civil.OpenEnd {
		conditions = append(conditions, condition{day + " < ?::date", []any{v.End.String()}})
	}
	return conditions
}

// inside keeps the days of a set of several intervals: those in every other segment.
func inside(day string, set civil.Set) condition {
	var cuts []civil.Day
	odd := 1
	for v := range set.Intervals() {
		if v.Start == civil.OpenStart {
			odd = 0
		} else {
			cuts = append(cuts, v.Start)
		}
		if v.End != civil.OpenEnd {
			cuts = append(cuts, v.End)
		}
	}
	return condition{bucket(day) + " % 2 = ?", []any{cutArray(cuts), odd}}
}
