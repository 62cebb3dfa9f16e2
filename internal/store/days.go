package store

import (
	"context"
	"strings"
	"time"

	"vastspan/core/civil"
	"vastspan/core/measure"
	"vastspan/core/tally"
)

// daysKey names the days of a dataset by one of its dates, in one state of its records.
type daysKey struct {
	dataset, described int64
	content, date      string
}

const (
	// keptDays is of how many datasets the days with records are remembered.
	keptDays = 500
	// maxListedDays is how many days records may span of which the days with records are listed.
	maxListedDays = 40_000
)

// DaysOf returns the days on which a dataset has records, by one of its dates; none where they span more than 40,000 days.
func (s *Store) DaysOf(ctx context.Context, d *Dataset, date string) (civil.Set, error) {
	key := daysKey{d.ID, d.Described, d.Content, date}
	if known, ok := s.days.Get(key); ok && d.Attached == nil {
		return known, nil
	}
	c, err := s.CoverageBy(ctx, d, date)
	if err != nil || c.Records == 0 || int(c.Newest-c.Oldest) >= maxListedDays {
		return civil.Set{}, err
	}
	r := tally.Request{Figures: []measure.Figure{{Kind: measure.Count}}, Date: date, Clock: d.clock()}
	for day := c.Oldest; day <= c.Newest; day++ {
		r.Periods = append(r.Periods, tally.OfDays(civil.SetOf(civil.One(day))))
	}
	p, err := tally.NewPlan(r)
	if err != nil {
		return civil.Set{}, err
	}
	counted, err := tally.Run(ctx, p, s.Source(d))
	if err != nil {
		return civil.Set{}, err
	}
	var days []civil.Day
	for i := range r.Periods {
		if counted.RecordsIn(i) > 0 {
			days = append(days, c.Oldest+civil.Day(i))
		}
	}
	set := civil.SetOfDays(days)
	s.days.Add(key, set)
	return set, nil
}

// DaysOfLoad returns the days on which a load has records.
func (s *Store) DaysOfLoad(ctx context.Context, d *Dataset, load *Load) (civil.Set, error) {
	day, own := d.dayAxis("").At, load.of("")
	text := strings.Join([]string{
		"SELECT DISTINCT ", day, " FROM ", d.table(), " WHERE ", own.sql, " AND ", day, " IS NOT NULL ORDER BY 1",
	}, "")
	rows, err := s.reader(ctx).Raw(text, own.args...).Rows()
	if err != nil {
		return civil.Set{}, err
	}
	defer rows.Close()
	var days []civil.Day
	for rows.Next() {
		var at time.Time
		if err := rows.Scan(&at); err != nil {
			return civil.Set{}, err
		}
		days = append(days, DayOf(at))
	}
	return civil.SetOfDays(days), rows.Err()
}
