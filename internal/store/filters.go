package store

import (
	"database/sql/driver"
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
		conditions = append(conditions, d.condition(f))
	}
	return conditions
}

func (d *Dataset) condition(f dataset.Filter) condition {
	c := d.Schema.Columns[d.Schema.Index(f.Column)] // it has been checked
	expression, cast := d.column(f.Column), ""
	var values []string
	blank := false
	for _, l := range f.Values {
		blank = blank || !l.Set
		if l.Set {
			values = append(values, l.Text)
		}
	}
	switch c.Type {
	case dataset.Number:
		cast = "::numeric"
	case dataset.Timestamp, dataset.Date:
		expression, cast, values = d.dayOf(c), "::date", d.Schema.FilterDays(f)
	}
	switch f.Op {
	case dataset.Contains:
		return condition{"strpos(" + expression + ", ?) > 0", []any{values[0]}}
	case dataset.AtLeast:
		return condition{expression + " >= ?" + cast, []any{values[0]}}
	case dataset.AtMost:
		return condition{expression + " <= ?" + cast, []any{values[0]}}
	case dataset.Between:
		return condition{expression + " BETWEEN ?" + cast + " AND ?" + cast, []any{values[0], values[1]}}
	}
	among := condition{"false", nil}
	switch {
	case len(values) == 1:
		among = condition{expression + " = ?" + cast, []any{values[0]}}
	case len(values) > 1: // one argument, however many there are: a statement takes 65,535
		among = condition{expression + " = ANY (?::text[]" + arrayOf(cast) + ")", []any{textArray(values)}}
	}
	// A comparison with blank is neither true nor false; what blanks do is said in full.
	if f.Op == dataset.IsNot {
		if blank {
			return condition{"(" + expression + " IS NOT NULL AND NOT (" + among.sql + "))", among.args}
		}
		return condition{"(" + expression + " IS NULL OR NOT (" + among.sql + "))", among.args}
	}
	if blank {
		return condition{"(" + expression + " IS NULL OR " + among.sql + ")", among.args}
	}
	return condition{"(" + among.sql + ")", among.args}
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
