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
	"vastspan/core/elapsed"
	"vastspan/core/tally"
	"vastspan/internal/ingest"
)

// Lengths between two dates, as figures and in filters, are those that elapsed gives, from the records and from the file, in
// every unit: of what is open, of what begins after the as-of day and of what ends before it begins as well.
func TestLengthsAgree(t *testing.T) {
	s := open(t)
	ctx := context.Background()
	rng := rand.New(rand.NewPCG(8, 10))
	clock, err := civil.ReadClock("America/New_York", "04:00")
	if err != nil {
		t.Fatal(err)
	}
	var text strings.Builder
	text.WriteString("opened,closed,begun,ended\n")
	type row struct{ opened, closed, begun, ended string }
	var rows []row
	for range 400 {
		opened := civil.Of(2024, 1, 25) + civil.Day(rng.IntN(800))
		begun := time.Date(2024, 1, 25, rng.IntN(24*700), rng.IntN(60), 0, 0, time.UTC)
		r := row{opened.String(), (opened + civil.Day(rng.IntN(200)-20)).String(), begun.Format(time.RFC3339),
			begun.Add(time.Duration(rng.IntN(4000)-300) * time.Hour / 4).Format(time.RFC3339)}
		for i, cell := range []*string{&r.closed, &r.begun, &r.ended} {
			if rng.IntN(6) == i {
				*cell = ""
			}
		}
		rows = append(rows, r)
		fmt.Fprintf(&text, "%s,%s,%s,%s\n", r.opened, r.closed, r.begun, r.ended)
	}
	s.mustLoad(t, "lengths", text.String(), ingest.ColumnHints{Date: "opened", Zone: "America/New_York", DayStarts: "04:00"}, true)
	d, err := s.Dataset(ctx, "lengths")
	if err != nil {
		t.Fatal(err)
	}
	moment := func(text string) (m civil.Moment, day civil.Day, ok bool) {
		at, err := time.Parse(time.RFC3339, text)
		if err != nil {
			day, err = civil.ParseDay(text)
			return 0, day, err == nil
		}
		m = civil.Moment(at.UnixMicro())
		return m, clock.DayOf(m), true
	}
	asOf := civil.Of(2025, 12, 31)
	for _, name := range elapsed.UnitNames() {
		for _, columns := range [][2]string{{"opened", "closed"}, {"begun", "ended"}} {
			unit, err := elapsed.ParseUnit(name)
			if err != nil {
				t.Fatal(err)
			}
			if unit.Count == nil && columns[0] == "opened" {
				continue
			}
			l := &dataset.LengthColumn{
				Length: dataset.Length{Unit: name, From: columns[0], To: columns[1]}, Calendar: calendar.Civil, Hours: elapsed.Hours,
				AsOf: asOf, End: clock.StartOf(asOf + 1),
			}
			if unit.Count != nil {
				l.Count = func(from, to civil.Day) (int, error) { return unit.Count(from, to, calendar.Civil) }
			}
			least := rng.IntN(20)
			column := dataset.Column{Name: l.String(), Type: dataset.Number, Role: dataset.Detail, Length: l}
			count, sum := 0, 0
			for _, r := range rows {
				from, to := r.opened, r.closed
				if columns[0] == "begun" {
					from, to = r.begun, r.ended
				}
				begin, beginDay, ok := moment(from)
				if !ok || beginDay > asOf {
					continue
				}
				end, endDay, ended := moment(to)
				if !ended || endDay > asOf {
					end, endDay = l.End, asOf
				}
				n := 0
				switch {
				case unit.Count == nil && end < begin, unit.Count != nil && endDay < beginDay:
					continue
				case unit.Count == nil:
					n = elapsed.Hours(begin, end)
				default:
					f, err := elapsed.Between(beginDay, endDay, calendar.Civil, false)
					if err != nil {
						t.Fatal(err)
					}
					n = map[string]int{
						"days": f.Days, "business days": f.BusinessDays, "weeks": f.Days / 7, "months": f.Months, "years": f.Years,
						"calendar weeks": f.CalendarWeeks, "calendar months": f.CalendarMonths, "calendar quarters": f.CalendarQuarters,
						"calendar years": f.CalendarYears,
					}[name]
				}
				if n >= least {
					count, sum = count+1, sum+n
				}
			}
			filters, err := dataset.ParseFilters([]string{fmt.Sprintf("%s >= %d", l, least)})
			if err != nil {
				t.Fatal(err)
			}
			for from, source := range map[string]tally.Source{
				"the columns": s.Source(d), "the file": fileOf(text.String(), &d.Schema),
			} {
				p, err := tally.NewPlan(tally.Request{
					Periods: tally.EachOfDays(allDays), Figures: figuresOf("count", "sum "+l.String()), Where: filters,
					Lengths: []dataset.Column{column},
				})
				if err != nil {
					t.Fatal(err)
				}
				r, err := tally.Run(ctx, p, source)
				if err != nil {
					t.Fatalf("%s from %s: %v", l, from, err)
				}
				want := fmt.Sprintf("[%d %d]", count, sum)
				if count == 0 {
					want = "[0 ]"
				}
				if got := fmt.Sprint(r.At(0, nil)); got != want {
					t.Errorf("%s of at least %d from %s: %s, want %s", l, least, from, got, want)
				}
			}
			list, _, err := s.Records(ctx, d, Listing{
				Period: tally.OfDays(allDays), Where: filters, Lengths: []dataset.Column{column}, Limit: 1000,
			})
			if err != nil || len(list) != count {
				t.Errorf("%s: %d records are listed, want %d: %v", l, len(list), count, err)
			}
		}
	}
}
