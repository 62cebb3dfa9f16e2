package daytable

import (
	"slices"
	"testing"

	"vastspan/core/calendar"
	"vastspan/core/civil"
)

func TestRows(t *testing.T) {
	holidays, err := calendar.NewHolidays("h", []civil.Day{civil.Of(2026, 10, 20)}, 2026, 2026)
	if err != nil {
		t.Fatal(err)
	}
	cal, err := calendar.Build(
		calendar.Spec{Name: "trade", Kind: calendar.KindWeeks, Pattern: "4-4-5", YearLabel: "starting", Holidays: "h",
			YearEnds: &calendar.YearEnds{Day: "saturday", Rule: "nearest", Month: "january"}},
		holidays,
	)
	if err != nil {
		t.Fatal(err)
	}
	asOf := civil.Of(2026, 10, 19)
	cell := func(r Row, name string) string { return r.Cells[slices.Index(Columns(), name)] }
	for _, c := range []struct {
		day      civil.Day
		position Position
		business bool
		cells    map[string]string
	}{
		{asOf, AsOf, true, map[string]string{"month": "P09 2026", "month_of_year": "9", "week_of_month": "4", "week_offset": "0", "day_offset": "0", "day_of_year": "261", "business_day_offset": "0"}},
		{asOf + 1, Future, false, map[string]string{"day_offset": "1", "business_day_offset": "", "day_of_week": "3"}},
		{asOf + 2, Future, true, map[string]string{"business_day_offset": "1"}},
		{civil.Of(2026, 1, 31), Past, false, map[string]string{"year": "2025", "year_offset": "-1", "week_of_year": "52", "quarter": "Q4 2025", "quarter_offset": "-3"}},
		{civil.Of(2027, 2, 1), Future, true, map[string]string{"year_offset": "1", "month": "P01 2027", "month_offset": "4"}},
	} {
		r, err := Of(cal, c.day, asOf)
		if err != nil || r.Position != c.position || r.BusinessDay != c.business {
			t.Errorf("%s is %s, business day %v, %v", c.day, r.Position, r.BusinessDay, err)
		}
		for name, want := range c.cells {
			if got := cell(r, name); got != want {
				t.Errorf("%s: %s is %q, want %q", c.day, name, got, want)
			}
		}
	}
}

// Offsets and numbers grow by one or start over, day by day, across years.
func TestNumbersRunOn(t *testing.T) {
	asOf := civil.Of(2024, 2, 29)
	before, err := Of(calendar.Civil, civil.Of(2020, 12, 31), asOf)
	if err != nil {
		t.Fatal(err)
	}
	for d := civil.Of(2021, 1, 1); d < civil.Of(2027, 1, 1); d++ {
		r, err := Of(calendar.Civil, d, asOf)
		if err != nil {
			t.Fatal(err)
		}
		for i, c := range columns {
			if c.answer == label || c.unit == calendar.BusinessDay {
				continue
			}
			was, is := number1(t, before.Cells[i]), number1(t, r.Cells[i])
			if is != was && is != was+1 && !(c.answer == number && is == 1) {
				t.Fatalf("%s: %s goes from %d to %d", d, c.name, was, is)
			}
		}
		before = r
	}
}

func number1(t *testing.T, s string) (n int) {
	t.Helper()
	sign := 1
	for _, c := range s {
		if c == '-' {
			sign = -1
			continue
		}
		n = n*10 + int(c-'0')
	}
	return sign * n
}

func TestOutsideAListedCalendar(t *testing.T) {
	cal, err := calendar.Build(
		calendar.Spec{Name: "listed", Kind: calendar.KindWeeks, Pattern: "4-4-5", YearFirstDays: []string{"2024-12-29", "2025-12-28"}},
		nil,
	)
	if err != nil {
		t.Fatal(err)
	}
	r, err := Of(cal, civil.Of(2026, 5, 1), civil.Of(2025, 5, 1))
	if err != nil {
		t.Fatal(err)
	}
	for i, name := range Columns() {
		blank := columns[i].unit >= calendar.Month || columns[i].within >= calendar.Month || name == "week"
		if (r.Cells[i] == "") != blank {
			t.Errorf("%s is %q outside the listed years", name, r.Cells[i])
		}
	}
}
