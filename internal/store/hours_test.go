package store

import (
	"context"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/tally"
	"vastspan/internal/ingest"
)

// clockedCSV makes records with times around a change of a clock, edges of hours and days among them.
func clockedCSV(rng *rand.Rand, clock civil.Clock, change time.Time, rows int) string {
	var b strings.Builder
	b.WriteString("at,gate,people,seen_at\n")
	moment := func() string {
		if rng.IntN(15) == 0 {
			return ""
		}
		at := change.Add(time.Duration(rng.IntN(8*24*60)-4*24*60) * time.Minute)
		switch rng.IntN(4) {
		case 0:
			at = at.Truncate(time.Hour)
		case 1:
			at = at.Truncate(15 * time.Minute).Add(-time.Microsecond)
		case 2:
			at = time.UnixMicro(int64(clock.StartOf(clock.DayOf(civil.Moment(at.UnixMicro())))))
		}
		return at.UTC().Format(time.RFC3339Nano)
	}
	for range rows {
		fmt.Fprintf(&b, "%s,%s,%s,%s\n", moment(), []string{"east", "west", ""}[rng.IntN(3)],
			[]string{"1", "2.5", "-3", ""}[rng.IntN(4)], moment())
	}
	return b.String()
}

// randomPeriods are of days and of moments, hours as the clock shows them and runs of any length.
func randomPeriods(rng *rand.Rand, clock civil.Clock, change time.Time) []tally.Period {
	var list []tally.Period
	whole := rng.IntN(2) == 0 // hours alone, which the sums by hour can answer
	at := civil.Moment(change.UnixMicro())
	for range 1 + rng.IntN(4) {
		var runs []civil.Moments
		for range 1 + rng.IntN(3) {
			start := at + civil.Moment(rng.IntN(6*24*60)-3*24*60)*60*civil.Second
			end := start + civil.Moment(rng.IntN(36*60))*60*civil.Second
			if whole {
				start, end = clock.Piece(start, 3600*civil.Second).Start, clock.Piece(end, 3600*civil.Second).End
			}
			runs = append(runs, civil.Moments{Start: start, End: end})
		}
		switch rng.IntN(8) {
		case 0:
			first := clock.DayOf(at) - civil.Day(rng.IntN(3))
			list = append(list, tally.OfDays(civil.SetOf(civil.Through(first, first+civil.Day(rng.IntN(4))))))
			continue
		case 1:
			runs[0].Start = civil.BeginningOfTime
		case 2:
			runs[0].End = civil.EndOfTime
		}
		list = append(list, tally.OfMoments(clock, civil.MomentsOf(runs...)))
	}
	return list
}

// randomParts breaks a request down by categories and parts of time.
func randomParts(rng *rand.Rand, r *tally.Request) {
	for range rng.IntN(3) {
		var part *tally.TimePart
		column := []string{"", "", "seen_at"}[rng.IntN(3)]
		name := []string{"gate", "hour", "weekday", "month of year", "day of month"}[rng.IntN(5)]
		switch name {
		case "hour":
			part = tally.HourOfDay(column)
		case "weekday":
			part = tally.Weekday(column, calendar.Civil)
		case "month of year":
			part, _ = tally.UnitOf(column, calendar.Civil, calendar.Month, calendar.Year, civil.Of(2026, 1, 1))
		case "day of month":
			part, _ = tally.UnitOf(column, calendar.Civil, calendar.Day, calendar.Month, civil.Of(2026, 1, 1))
		}
		if part != nil && column != "" {
			name += " of " + column
		}
		if len(r.By) == 0 || r.By[0] != name {
			r.By, r.Parts = append(r.By, name), append(r.Parts, part)
		}
	}
}

// randomPartFilters are filters by parts of time, or none.
func randomPartFilters(rng *rand.Rand, clock civil.Clock) dataset.Filters {
	if rng.IntN(12) > 0 {
		return nil
	}
	return clockedFilters(clock, []string{
		"hour of at between 1 and 12", "hour of seen_at!=2", "weekday of at=Sun or hour of at=0", "day of month of seen_at>3",
		"weekday of at not in (Mon, Tue)", "hour of seen_at in (00:00, 3, 23) or gate=east",
	}[rng.IntN(6)])
}

// Totals of moments from memory, hour sums, the records and the file give what a loop over all records gives, across
// changes of the clock: Europe, Lord Howe's half hour, São Paulo's midnight, the day that Apia skipped, days that start
// within an hour that is shown twice.
func TestTimedTotalsAgree(t *testing.T) {
	s := open(t)
	ctx := context.Background()
	rng := rand.New(rand.NewPCG(12, 1))
	requests := 126
	if testing.Short() {
		requests = 12
	}
	answered := 0
	for i, c := range []struct {
		zone, starts string
		change       time.Time
	}{
		{"Europe/Lisbon", "", time.Date(2026, 10, 25, 1, 0, 0, 0, time.UTC)},
		{"Europe/Berlin", "02:30", time.Date(2026, 10, 25, 1, 0, 0, 0, time.UTC)},
		{"America/New_York", "04:00", time.Date(2026, 3, 8, 7, 0, 0, 0, time.UTC)},
		{"Australia/Lord_Howe", "", time.Date(2026, 4, 4, 15, 0, 0, 0, time.UTC)},
		{"America/Sao_Paulo", "", time.Date(2018, 11, 4, 3, 0, 0, 0, time.UTC)},
		{"Pacific/Apia", "", time.Date(2011, 12, 30, 10, 0, 0, 0, time.UTC)},
		{"America/St_Johns", "", time.Date(2006, 10, 29, 2, 31, 0, 0, time.UTC)},
		{"Asia/Kathmandu", "04:10", time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC)},
	} {
		clock, err := civil.ReadClock(c.zone, c.starts)
		if err != nil {
			t.Fatal(err)
		}
		name := fmt.Sprintf("clocked-%d", i)
		text := tripled(clockedCSV(rng, clock, c.change, 70))
		for _, part := range inParts(text, 1+i%3) {
			s.mustLoad(t, name, part, ingest.ColumnHints{
				Date: "at", Amounts: []string{"people"}, Categories: []string{"gate"}, Zone: c.zone, DayStarts: c.starts,
			}, true)
		}
		d, err := s.Dataset(ctx, name)
		if err != nil {
			t.Fatal(err)
		}
		list := naiveRecords(t, text, &d.Schema)
		for j := range requests {
			request := randomRequest(rng)
			request.Figures = figuresOf("count", "sum people", "min people", "max people")
			if rng.IntN(3) == 0 {
				request.Figures = figuresOf("count", "sum people", "median people", "distinct seen_at", "first people", "last people")
			}
			request.By, request.Top, request.RankBy, request.Where = nil, 0, 0, nil
			randomParts(rng, &request)
			request.Where = randomPartFilters(rng, clock)
			request.Clock, request.Periods = clock, randomPeriods(rng, clock, c.change)
			want := list.describe(t, request)
			for from, source := range map[string]tally.Source{
				"the columns": s.Source(d), "the file": fileOf(text, &d.Schema),
			} {
				p, err := tally.NewPlan(request)
				if err != nil {
					t.Fatal(err)
				}
				if p.Timed && from == "the columns" && s.mustHaveColumns(t, d).Summed(p) {
					answered++
				}
				r, err := tally.Run(ctx, p, source)
				if err != nil {
					t.Fatalf("%s, request %d, %+v, from %s: %v", c.zone, j, request, from, err)
				}
				if got := describe(r, request); got != want {
					t.Fatalf("%s, request %d, %+v:\nfrom %s\n%s\nby a loop\n%s", c.zone, j, request, from, got, want)
				}
			}
		}
		if v, err := s.Verify(ctx, d); err != nil || v.Wrong != 0 || v.Sums == 0 {
			t.Errorf("%s: %+v, %v", c.zone, v, err)
		}
	}
	if answered < requests {
		t.Errorf("hour sums could answer %d requests", answered)
	}
}

// Hour sums stay right through loads and loads undone, and are given up where an hour is on two days.
func TestHourSumsFollowLoads(t *testing.T) {
	s := open(t)
	ctx := context.Background()
	rng := rand.New(rand.NewPCG(12, 2))
	clock, err := civil.ReadClock("Europe/Lisbon", "04:00")
	if err != nil {
		t.Fatal(err)
	}
	w := ingest.ColumnHints{Date: "at", Amounts: []string{"people"}, Categories: []string{"gate"}, Zone: "Europe/Lisbon", DayStarts: "04:00"}
	var loads []*Load
	verify := func() {
		t.Helper()
		d, err := s.Dataset(ctx, "hourly")
		if err != nil {
			t.Fatal(err)
		}
		if v, err := s.Verify(ctx, d); err != nil || v.Wrong != 0 || v.Sums == 0 {
			t.Errorf("%+v, %v", v, err)
		}
	}
	for range 4 {
		text := tripled(clockedCSV(rng, clock, time.Date(2026, 10, 25, 1, 0, 0, 0, time.UTC), 50))
		loads = append(loads, s.mustLoad(t, "hourly", text, w, true))
		verify()
	}
	for _, l := range loads[1:3] {
		if _, err := s.UndoLoad(ctx, "hourly", l.ID); err != nil {
			t.Fatal(err)
		}
		verify()
	}
	s.mustLoad(t, "hourly", "at,gate,people,seen_at\n1900-01-01T04:10:00Z,east,1,\n1900-01-01T04:50:00Z,east,2,\n", w, true)
	d, err := s.Dataset(ctx, "hourly")
	if err != nil {
		t.Fatal(err)
	}
	p, err := tally.NewPlan(tally.Request{Clock: clock, Figures: figuresOf("count"), Periods: []tally.Period{tally.OfDays(allDays)},
		By: []string{"hour"}, Parts: []*tally.TimePart{tally.HourOfDay("")}})
	if err != nil {
		t.Fatal(err)
	}
	if s.mustHaveColumns(t, d).Summed(p) {
		t.Error("hours of the year 1900 are on two days, and sums of them answer")
	}
	verify()
}
