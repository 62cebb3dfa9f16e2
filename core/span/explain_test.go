package span

import (
	"fmt"
	"strings"
	"testing"

	"vastspan/core/calendar"
	"vastspan/core/civil"
)

// told writes an explanation as it is shown: a line a step.
func told(r Resolution) string {
	var lines []string
	for _, s := range r.Steps {
		what := s.Note
		if what == "" {
			what = s.Days.String()
		}
		lines = append(lines, fmt.Sprintf("%s%s: %s", strings.Repeat("  ", s.Depth), s.Words, what))
	}
	return strings.Join(lines, "\n")
}

func TestSteps(t *testing.T) {
	for _, c := range []struct{ text, want string }{
		{"month to date excluding today, 1 year earlier", `month to date: 2026-10-01/2026-10-19
excluding today: 2026-10-01/2026-10-18
1 year earlier: as of 2025-10-19, read again
  month to date: 2025-10-01/2025-10-19
  excluding today: 2025-10-01/2025-10-18`},
		{"last full month, 1 year earlier, 1 month earlier", `last full month: 2026-09-01/2026-09-30
1 month earlier: as of 2026-09-19, read again
  1 year earlier: as of 2025-09-19, read again
    last full month: 2025-08-01/2025-08-31`},
		{"first 2 days of this quarter or today", `this quarter: 2026-10-01/2026-12-31
first 2 days of it: 2026-10-01/2026-10-02
today: 2026-10-19/2026-10-19
or today: 2026-10-01/2026-10-02;2026-10-19/2026-10-19`},
		{"from start of this month through yesterday, only Sat/Sun", `this month: 2026-10-01/2026-10-31
start of this month: 2026-10-01/2026-10-01
yesterday: 2026-10-18/2026-10-18
from the one through the other: 2026-10-01/2026-10-18
only Sat/Sun: 2026-10-03/2026-10-04;2026-10-10/2026-10-11;2026-10-17/2026-10-18`},
	} {
		r, err := Explain(parse1(t, c.text), Scope{AsOf: civil.Of(2026, 10, 19)})
		if err != nil {
			t.Fatal(err)
		}
		if got := told(r); got != c.want {
			t.Errorf("%s is explained as\n%s\nwant\n%s", c.text, got, c.want)
		}
	}
}

func TestCautions(t *testing.T) {
	holidays, err := calendar.NewHolidays("harbour", []civil.Day{civil.Of(2026, 12, 25)}, 2026, 2026)
	if err != nil {
		t.Fatal(err)
	}
	cal, err := calendar.Build(calendar.Spec{Name: "works", Kind: calendar.KindMonths, Holidays: "harbour"}, holidays)
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		text, asOf string
		kinds      string
		says       string
	}{
		{"this month, 1 year earlier excluding today", "2026-10-19", "idle-modifier", `"excluding today" takes nothing out`},
		{"last full month so far", "2026-10-19", "idle-modifier", "so far"},
		{"this month so far", "2026-10-31", "", ""}, // on a month's last day it cuts nothing, by nature
		{"last full week, only business days", "2026-10-19", "", ""},
		{"this quarter, 1 month earlier", "2026-10-19", "short-move", "shorter than the quarter"},
		{"this quarter, 1 year earlier", "2026-10-19", "", ""},
		{"2026-Q2, 1 month later", "2026-10-19", "short-move", "2026-Q2"},
		{"today, 1 month earlier", "2026-03-31", "clamped", "2026-02-28"},
		{"today, 1 month earlier", "2026-03-28", "", ""},
		{"today, 1 month earlier", "2026-02-28", "month-end", "moved, it is 2026-01-28"},
		{"month to date, 1 month earlier", "2026-02-28", "month-end", "moved, it is 2026-01-28"},
		{"last full month, 1 month earlier", "2026-02-28", "", ""}, // no edge of it is counted from today
		{"2026-02-10/2026-02-28, 1 month earlier", "2026-10-19", "month-end", "moved, it is 2026-01-28"},
		{"2026-02, 1 month earlier", "2026-10-19", "", ""},
		{"trailing 10 business days", "2027-01-04", "holidays-unknown other-days", "covers 2026 to 2026"},
		{"trailing 10 business days, only business days", "2027-01-04", "holidays-unknown", "covers 2026 to 2026"},
		{"trailing 10 business days", "2026-10-19", "other-days", `includes 4 days that are not business days: "trailing 10 business days, only business days"`},
		{"last 2 full business days", "2026-10-20", "other-days", "includes 2 days"},
		{"last 2 full business days", "2026-10-22", "", ""},
		{"last full year, 52 weeks earlier", "2026-10-19", "", ""},
		{"year to date, 52 weeks earlier", "2026-10-19", "", ""},
		{"this year, 53 weeks earlier", "2026-10-19", "", ""},
		{"this month, 52 weeks earlier", "2026-10-19", "", ""},
		{"this month, 4 weeks earlier", "2026-10-19", "short-move", "4 weeks is shorter than the month"},
		{"this year, 51 weeks earlier", "2026-10-19", "short-move", "51 weeks is shorter than the year"},
		{"month to date excluding today", "2026-11-01", "no-days", "it has days again as of 2026-11-02"},
		{"today and tomorrow", "2026-10-19", "no-days", "nor on any of the next"},
		{"this business day", "2026-12-25", "no-days", "2026-12-28"},
	} {
		asOf, err := civil.ParseDay(c.asOf)
		if err != nil {
			t.Fatal(err)
		}
		r, err := Explain(parse1(t, c.text), Scope{AsOf: asOf, Calendar: cal})
		if err != nil {
			t.Fatal(err)
		}
		var kinds, says []string
		for _, caution := range r.Cautions {
			kinds = append(kinds, string(caution.Kind))
			says = append(says, caution.Text)
		}
		if got := strings.Join(kinds, " "); got != c.kinds || !strings.Contains(strings.Join(says, " "), c.says) {
			t.Errorf("%s as of %s: %q %q; want %q and %q", c.text, c.asOf, got, says, c.kinds, c.says)
		}
	}
}

// Readings that multiply end: an explanation has a bound, and so has the work for it.
func TestExplanationsAreBounded(t *testing.T) {
	text := "today"
	for range 60 {
		text = "(" + text + " or yesterday), 1 day earlier"
	}
	if len(text) > MaxLength {
		t.Fatalf("%d bytes", len(text))
	}
	r, err := Explain(parse1(t, text), Scope{AsOf: civil.Of(2026, 10, 19)})
	if err != nil || len(r.Steps) > maxSteps || r.Days.Days() != 60 { // from the day before yesterday back to 61 days ago
		t.Errorf("%d steps, %d days, %v", len(r.Steps), r.Days.Days(), err)
	}
}

func TestErrorsOfResolution(t *testing.T) {
	for _, c := range []struct{ text, asOf, want string }{
		{"tomorrow", "9999-12-31", "outside 0001-01-01 to 9999-12-31"},
		{"this month", "9999-12-15", ""},
		{"next full month", "9999-12-15", "outside"},
		{"trailing 3 days", "0001-01-02", "outside"},
		{"today, 1 year later", "9999-06-01", "outside"},
		{"month 13 of this year", "2026-10-19", "not that many months"},
		{"month 1 of (today or 2026-01-05)", "2026-10-19", "2 periods"},
		{"start of (today and tomorrow)", "2026-10-19", "has no days"},
		{"start of all dates", "2026-10-19", "it has no first day"},
		{"last day of from today onward", "2026-10-19", "it has no last day"},
		{"all dates, only Sat/Sun", "2026-10-19", "open on one side"},
		{"from today through today - 5 days", "2026-10-19", "ends earlier"},
		{"@anything", "2026-10-19", "no named spans are known here"},
		{"2026-P13", "2026-10-19", "no month 13, only 12"},
		{"2026-W53", "2025-01-01", ""}, // 2026 has 53 weeks
		{"2025-W53", "2025-01-01", "no week 53, only 52"},
		{"2026-01-31/2026-02-01, 1 month later", "2026-10-19", ""},
	} {
		asOf, err := civil.ParseDay(c.asOf)
		if err != nil {
			t.Fatal(err)
		}
		set, err := Resolve(parse1(t, c.text), Scope{AsOf: asOf})
		if c.want == "" && err != nil || c.want != "" && (err == nil || !strings.Contains(err.Error(), c.want)) {
			t.Errorf("%s as of %s is %s, %v; want %q", c.text, c.asOf, set, err, c.want)
		}
	}
}
