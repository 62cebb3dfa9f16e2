package store

import (
	"context"
	"fmt"
	"strconv"
	"strings"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/tally"
)

// Lengths are columns that are found for each question. Their SQL counts days and hours itself; what depends on a calendar
// it looks up in an array by day: how many units are before each.

// with returns the dataset with columns of lengths, whose SQL is made here.
func (s *Store) with(ctx context.Context, d *Dataset, lengths []dataset.Column) (*Dataset, error) {
	if len(lengths) == 0 {
		return d, nil
	}
	more := *d
	more.Schema = *d.Schema.With(lengths)
	more.lengths = map[string]string{}
	for _, c := range lengths {
		sql, err := s.lengthSQL(ctx, d, c.Length)
		if err != nil {
			return nil, err
		}
		more.lengths[c.Name] = sql
	}
	return &more, nil
}

// lengthSQL returns the SQL of a length, a numeric.
func (s *Store) lengthSQL(ctx context.Context, d *Dataset, l *dataset.LengthColumn) (string, error) {
	if l.Count == nil {
		from, end := d.column(l.From), instant(l.End)
		to := fmt.Sprintf("least(%s, %s)", d.column(l.To), end)
		return fmt.Sprintf(
			"(CASE WHEN %[1]s < %[3]s AND %[1]s <= %[2]s THEN trunc(extract(epoch FROM %[2]s - %[1]s) / 3600) END)", from, to, end,
		), nil
	}
	from, asOf := d.dayOf(d.dateColumn(l.From)), "date "+literal(l.AsOf.String())
	to := fmt.Sprintf("least(%s, %s)", d.dayOf(d.dateColumn(l.To)), asOf)
	count, err := s.countSQL(ctx, d, l, from, to)
	return fmt.Sprintf("(CASE WHEN %s <= %s THEN (%s)::numeric END)", from, to, count), err
}

func (s *Store) countSQL(ctx context.Context, d *Dataset, l *dataset.LengthColumn, from, to string) (string, error) {
	switch l.Unit {
	case "days":
		return to + " - " + from, nil
	case "weeks":
		return "(" + to + " - " + from + ") / 7", nil
	case "months", "years":
		if !l.Calendar.MonthBased() {
			return "", fmt.Errorf("%s of calendar %s are not counted by the database: take calendar %[1]s", l.Unit, l.Calendar.Name())
		}
		month := func(day string) string {
			return fmt.Sprintf("(extract(year FROM %[1]s)::int * 12 + extract(month FROM %[1]s)::int)", day)
		}
		between := "(" + month(to) + " - " + month(from) + ")"
		months := fmt.Sprintf("%[1]s - ((%[2]s + make_interval(months => %[1]s))::date > %[3]s)::int", between, from, to)
		if l.Unit == "years" {
			return "(" + months + ") / 12", nil
		}
		return months, nil
	}
	before, err := s.unitsBefore(ctx, d, l)
	if err != nil {
		return "", err
	}
	return before(to) + " - " + before(from), nil
}

// unitsBefore returns the SQL of how many units of a calendar, or business days, come before a day.
func (s *Store) unitsBefore(ctx context.Context, d *Dataset, l *dataset.LengthColumn) (func(day string) string, error) {
	c, err := s.CoverageBy(ctx, d, l.From)
	if err != nil {
		return nil, err
	}
	first := min(c.Oldest, l.AsOf)
	if c.Records == 0 {
		first = l.AsOf
	}
	if n := int(l.AsOf - first); n > tally.MaxPartDays {
		return nil, fmt.Errorf("%s: %s begins on %s, more than %d days before the as-of day", l.Length, l.From, first, tally.MaxPartDays)
	}
	index := func(day civil.Day) (int, error) {
		return l.Calendar.BusinessDays(civil.Interval{Start: first, End: day}), nil
	}
	if unit, of := strings.CutPrefix(l.Unit, "calendar "); of {
		u, ok := calendar.ParseUnit(unit)
		if !ok {
			return nil, fmt.Errorf("%q is not a unit", l.Unit)
		}
		index = func(day civil.Day) (int, error) { return l.Calendar.Index(u, day) }
	}
	counts := make([]string, 0, l.AsOf-first+1)
	for day := first; day <= l.AsOf; day++ {
		n, err := index(day)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", l.Length, err)
		}
		counts = append(counts, strconv.Itoa(n))
	}
	return func(day string) string {
		return fmt.Sprintf("('{%s}'::int[])[%s - date '%s' + 1]", strings.Join(counts, ","), day, first)
	}, nil
}
