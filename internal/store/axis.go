package store

import (
	"strconv"
	"strings"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/tally"
)

// An axis is the time by which records are cut: the SQL of their day, or of their moment where it is timed.
type axis struct {
	At    string
	timed bool
	clock civil.Clock // by which moments become days; where it is timed
	day   string      // the SQL of the day, where it is kept next to the moment and indexed
}

// bucket is the SQL of the segment of a record among cuts, which are its one argument. The database is quickest at looking
// numbers up that are floating; days are exact as such.
func (a axis) bucket() string {
	if a.timed {
		return "width_bucket(" + a.At + ", ?::timestamptz[])"
	}
	return "width_bucket((" + a.At + " - date '2000-01-01')::float8, ?::float8[])"
}

var cutOrigin = int64(civil.Of(2000, 1, 1))

// cuts writes cuts as bucket takes them.
func (a axis) cuts(list []int64) string {
	texts := make([]string, len(list))
	for i, at := range list {
		if a.timed {
			texts[i] = strconv.Quote(civil.UTC.Format(civil.Moment(at)))
		} else {
			texts[i] = strconv.FormatInt(at-cutOrigin, 10)
		}
	}
	return "{" + strings.Join(texts, ",") + "}"
}

// edge writes an edge of a stretch as SQL.
func (a axis) edge(at int64) string {
	kind, text := "date ", ""
	if a.timed {
		kind = "timestamptz "
	}
	switch {
	case at == tally.Past:
		text = "-infinity"
	case at == tally.Future:
		text = "infinity"
	case a.timed:
		text = civil.UTC.Format(civil.Moment(at))
	default:
		text = civil.Day(at).String()
	}
	return kind + literal(text)
}

// within keeps what is in the stretches of a period.
func (a axis) within(list []tally.Stretch) []condition {
	if len(list) == 0 {
		return []condition{{"false", nil}}
	}
	conditions := []condition{{a.At + " IS NOT NULL", nil}}
	first, last := list[0].Start, list[len(list)-1].End
	if first != tally.Past {
		conditions = append(conditions, condition{a.At + " >= " + a.edge(first), nil})
	}
	if last != tally.Future {
		conditions = append(conditions, condition{a.At + " < " + a.edge(last), nil})
	}
	if a.day != "" && first != tally.Past && last != tally.Future {
		days := a.clock.Cover(civil.Moments{Start: civil.Moment(first), End: civil.Moment(last)})
		conditions = append(conditions, axis{At: a.day}.within(tally.OfDays(civil.SetOf(days)).Stretches())...)
	}
	if len(list) == 1 {
		return conditions
	}
	// Of several runs, those in every other segment.
	var cuts []int64
	odd := 1
	for _, v := range list {
		if v.Start == tally.Past {
			odd = 0
		} else {
			cuts = append(cuts, v.Start)
		}
		if v.End != tally.Future {
			cuts = append(cuts, v.End)
		}
	}
	return append(conditions, condition{a.bucket() + " % 2 = ?", []any{a.cuts(cuts), odd}})
}

// all keeps what is in a period, as one condition.
func (a axis) all(p tally.Period) condition {
	var all condition
	for i, c := range a.within(p.Stretches()) {
		if i > 0 {
			all.sql += " AND "
		}
		all.sql, all.args = all.sql+c.sql, append(all.args, c.args...)
	}
	return all
}

// dayAxis is the axis of the days of a column.
func (d *Dataset) dayAxis(date string) axis { return axis{At: d.dayOf(d.dateColumn(date))} }

// axisOf is the axis of what a period is of: moments or days of a column.
func (d *Dataset) axisOf(p tally.Period, date string) axis {
	if p.Timed() {
		return d.momentAxis(date)
	}
	return d.dayAxis(date)
}

// momentAxis is the axis of the moments of a column of times.
func (d *Dataset) momentAxis(date string) axis {
	c := d.dateColumn(date)
	a := axis{At: d.column(c.Name), timed: true, clock: d.clock()}
	if c.Role == dataset.DayRole {
		a.day = d.day()
	}
	return a
}
