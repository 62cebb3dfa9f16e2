package calendar

import (
	"errors"
	"math/rand/v2"
	"strings"
	"testing"

	"vastspan/core/civil"
)

func day(t *testing.T, s string) civil.Day {
	t.Helper()
	d, err := civil.ParseDay(s)
	if err != nil {
		t.Fatal(err)
	}
	return d
}

var (
	april = Spec{Name: "fiscal-april", Kind: KindMonths, YearStarts: "04-01", YearLabel: "starting"}
	july  = Spec{Name: "fiscal-july", Kind: KindMonths, YearStarts: "07-01", YearLabel: "ending"}
	trade = Spec{
		Name:      "trade-445",
		Kind:      KindWeeks,
		Pattern:   "4-4-5",
		YearEnds:  &YearEnds{"saturday", "nearest", "january"},
		YearLabel: "starting",
	}
	thirteen = Spec{
		Name:      "thirteen",
		Kind:      KindWeeks,
		Pattern:   "13x4",
		YearEnds:  &YearEnds{"friday", "nearest", "june"},
		YearLabel: "ending",
	}
	listed = Spec{
		Name:          "listed",
		Kind:          KindWeeks,
		Pattern:       "4-4-5",
		YearFirstDays: []string{"2012-12-30", "2014-01-05", "2015-01-04", "2016-01-03"},
	}
)

func TestLabels(t *testing.T) {
	for _, c := range []struct {
		spec Spec
		day  string
		want string // week, month, quarter, half, year
	}{
		{Civil.spec, "2027-01-01", "W53 2026|Jan 2027|Q1 2027|H1 2027|2027"},
		{Civil.spec, "2024-12-30", "W01 2025|Dec 2024|Q4 2024|H2 2024|2024"},
		{april, "2026-03-31", "W01 FY2026/27|Mar 2026|Q4 FY2025/26|H2 FY2025/26|FY2025/26"},
		{july, "2026-07-01", "W01 FY2026/27|Jul 2026|Q1 FY2026/27|H1 FY2026/27|FY2026/27"},
		{trade, "2026-10-19", "W38 2026|P09 2026|Q3 2026|H2 2026|2026"},
		{thirteen, "2026-06-26", "W52 2026|P13 2026|Q4 2026|H2 2026|2026"},
		{listed, "2014-01-04", "W53 2013|P12 2013|Q4 2013|H2 2013|2013"},
	} {
		cal, err := Build(c.spec, nil)
		if err != nil {
			t.Fatal(err)
		}
		var labels []string
		for _, u := range []Unit{Week, Month, Quarter, Half, Year} {
			label, err := cal.Label(u, day(t, c.day))
			if err != nil {
				t.Fatal(err)
			}
			labels = append(labels, label)
		}
		if got := strings.Join(labels, "|"); got != c.want {
			t.Errorf("%s in %s is %s, want %s", c.day, c.spec.Name, got, c.want)
		}
	}
}

// The week numbers of the civil calendar are those of ISO 8601, as package time knows them.
func TestCivilWeeksAreISO(t *testing.T) {
	for d := day(t, "1995-01-01"); d < day(t, "2035-01-01"); d++ {
		year, week := d.Time().ISOWeek()
		n, fourth, err := Civil.weekOfYear(d)
		if err != nil || n != week || fourth.Year() != year {
			t.Fatalf("%s is in week %d of %d, %v; want %d of %d", d, n, fourth.Year(), err, week, year)
		}
		v, err := Civil.Literal(Week, year, week)
		if err != nil || !v.Contains(d) {
			t.Fatalf("week %d of %d is %s, %v; want %s in it", week, year, v, err, d)
		}
	}
}

func TestNumbersAndOffsets(t *testing.T) {
	cal, err := Build(trade, nil)
	if err != nil {
		t.Fatal(err)
	}
	d := day(t, "2026-10-19")
	for _, c := range []struct {
		u, within Unit
		want      int
	}{{Month, Year, 9}, {Month, Quarter, 3}, {Week, Month, 4}, {Week, Year, 38}, {Day, Week, 2}, {Quarter, Year, 3}, {Quarter, Half, 1}, {Day, Month, 23}} {
		if got, err := cal.Number(c.u, c.within, d); err != nil || got != c.want {
			t.Errorf("%s of the %s is %d, %v; want %d", c.u, c.within, got, err, c.want)
		}
	}
	for _, c := range []struct {
		u    Unit
		day  string
		want int
	}{{Month, "2026-10-31", 0}, {Month, "2026-11-01", 1}, {Year, "2026-01-31", -1}, {Week, "2026-10-17", -1}, {Quarter, "2027-02-01", 2}, {Day, "2026-10-20", 1}} {
		if got, err := cal.Offset(c.u, day(t, c.day), d); err != nil || got != c.want {
			t.Errorf("%s is %d %s away, %v; want %d", c.day, got, c.u.Plural(), err, c.want)
		}
	}
}

// Business days by ordinals against a walk, with holidays in rows, on weekends and far apart.
func TestBusinessDaysAgainstAWalk(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 9))
	start := day(t, "2020-01-01")
	for _, week := range []string{"", "Sun/Mon/Tue/Wed/Thu", "Sat", "Mon/Tue/Wed/Thu/Fri/Sat/Sun"} {
		var days []civil.Day
		for range 150 {
			d := start + civil.Day(rng.IntN(1500))
			for range rng.IntN(9) {
				days = append(days, d)
				d++
			}
		}
		list, err := NewHolidays("days", days, 2019, 2025)
		if err != nil {
			t.Fatal(err)
		}
		cal, err := Build(Spec{Name: "works", Kind: KindMonths, WorkingWeek: week, Holidays: "days"}, list)
		if err != nil {
			t.Fatal(err)
		}
		before := cal.business.before(start)
		for d := start; d < start+1600; d++ {
			if got := cal.business.before(d); got != before {
				t.Fatalf("%q: %d business days before %s, want %d", week, got, d, before)
			}
			if cal.IsBusinessDay(d) {
				if nth, err := cal.business.nth(before); err != nil || nth != d {
					t.Fatalf("%q: business day %d is %s, %v; want %s", week, before, nth, err, d)
				}
				before++
			}
			n := 1 + rng.IntN(30)
			want := d
			for left := n; left > 0; {
				if want++; cal.IsBusinessDay(want) {
					left--
				}
			}
			if got, _, err := cal.Move(d, n, BusinessDay); err != nil || got != want {
				t.Fatalf("%q: %s and %d business days is %s, %v; want %s", week, d, n, got, err, want)
			}
		}
	}
}

func TestAHugeHolidayList(t *testing.T) {
	days := make([]civil.Day, 100_000)
	for i := range days {
		days[i] = civil.Of(1900, 1, 1) + civil.Day(i)
	}
	list, err := NewHolidays("always", days, 0, 0)
	if err != nil {
		t.Fatal(err)
	}
	cal, err := Build(Spec{Name: "idle", Kind: KindMonths, Holidays: "always"}, list)
	if err != nil {
		t.Fatal(err)
	}
	got, _, err := cal.Move(civil.Of(1899, 12, 29), 2, BusinessDay) // a Friday; nobody works from 1900 on
	if want := days[len(days)-1] + 1; err != nil || got < want || got > want+3 {
		t.Errorf("the second business day after 1899 is %s, %v", got, err)
	}
}

func TestEdgesAreErrorsNotAnswers(t *testing.T) {
	cal, err := Build(listed, nil)
	if err != nil {
		t.Fatal(err)
	}
	for _, d := range []string{"2012-12-29", "2016-01-03"} {
		for _, u := range []Unit{Month, Quarter, Half, Year} {
			if v, err := cal.Containing(u, day(t, d)); !errors.Is(err, ErrUnlisted) {
				t.Errorf("the %s of %s is %s, %v", u, d, v, err)
			}
		}
		if _, err := cal.Containing(Week, day(t, d)); err != nil {
			t.Errorf("the week of %s: %v", d, err)
		}
	}
	if moved, _, err := cal.Move(day(t, "2016-01-03"), -1, Month); err != nil || moved.String() != "2015-11-29" {
		t.Errorf("the closing edge moved back a month is %s, %v", moved, err)
	}
	for _, c := range []struct {
		cal *Calendar
		d   civil.Day
		n   int
		u   Unit
	}{{Civil, civil.MinDay, -1, Day}, {Civil, civil.MaxDay, 2, Day}, {Civil, civil.MinDay, -1, Year}, {Civil, civil.MinDay, -1, BusinessDay}, {cal, day(t, "2013-01-01"), -1, Year}} {
		if moved, _, err := c.cal.Move(c.d, c.n, c.u); err == nil {
			t.Errorf("%s moved %d %s is %s, want an error", c.d, c.n, c.u.Plural(), moved)
		}
	}
	if moved, _, err := Civil.Move(civil.EndOfDays, -1, Month); err != nil || moved.String() != "9999-12-01" {
		t.Errorf("the edge after the last day, moved back a month, is %s, %v", moved, err)
	}
}

func TestSpecsAreChecked(t *testing.T) {
	for want, s := range map[string]Spec{
		`kind: "moons": expected months or weeks`:                  {Name: "x", Kind: "moons"},
		`"Ä" is not a name`:                                        {Name: "Ä", Kind: KindMonths},
		`year-starts: "04-31": expected month-day`:                 {Name: "x", Kind: KindMonths, YearStarts: "04-31", YearLabel: "starting"},
		`year-label: "": expected starting or ending`:              {Name: "x", Kind: KindMonths, YearStarts: "04-01"},
		`pattern: a month-based calendar has no such key`:          {Name: "x", Kind: KindMonths, Pattern: "4-4-5"},
		`pattern: "3-3-3": expected 4-4-5`:                         {Name: "x", Kind: KindWeeks, Pattern: "3-3-3"},
		`year-ends: missing`:                                       {Name: "x", Kind: KindWeeks, Pattern: "4-4-5"},
		`year-ends: rule: "first": expected last or nearest`:       {Name: "x", Kind: KindWeeks, Pattern: "4-4-5", YearEnds: &YearEnds{"saturday", "first", "may"}},
		`extra-week: 14: expected a period from 1 to 13`:           {Name: "x", Kind: KindWeeks, Pattern: "13x4", ExtraWeek: 14},
		`from 2014-01-05 to 2015-01-05 are 365 days: expected 364`: {Name: "x", Kind: KindWeeks, Pattern: "4-4-5", YearFirstDays: []string{"2014-01-05", "2015-01-05"}},
		`year-first-days: expected at least two days`:              {Name: "x", Kind: KindWeeks, Pattern: "4-4-5", YearFirstDays: []string{"2014-01-05"}},
		`working-week: "Mon/Moon": expected weekdays`:              {Name: "x", Kind: KindMonths, WorkingWeek: "Mon/Moon"},
		`week-starts: "noon": expected a weekday`:                  {Name: "x", Kind: KindMonths, WeekStarts: "noon"},
	} {
		if _, err := Build(s, nil); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%+v gives %v, want %s", s, err, want)
		}
	}
}
