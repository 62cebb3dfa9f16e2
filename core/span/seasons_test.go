package span

import (
	"strings"
	"testing"

	"vastspan/core/calendar"
	"vastspan/core/civil"
)

// What is read as a form of seasons, weekdays and events, and how it is written.
func TestSeasonTexts(t *testing.T) {
	for text, want := range map[string]string{
		"this year, only October":                                 "this year, only Oct",
		"this year, only Nov-Feb":                                 "this year, only Jan/Feb/Nov/Dec",
		"this year, only Oct - Dec":                               "",
		"this year, only dec/january":                             "this year, only Jan/Dec",
		"this month, only Mondays":                                "this month, only Mon",
		"this month, only first 1 day of each week":               "this month, only first day of each week",
		"this year, only 3rd Friday of each month":                "this year, only Fri 3 of each month",
		"this year, only day 4-4 of each month":                   "this year, only day 4 of each month",
		"this year, only business day 1-5 of each quarter":        "this year, only business day 1-5 of each quarter",
		"third Friday of this month":                              "Fri 3 of this month",
		"3rd Friday of this month":                                "Fri 3 of this month",
		"last Friday of last full month":                          "last Fri of last full month",
		"from first Mon of this year through yesterday":           "from start of first Mon of this year through yesterday",
		"from 2nd Sun of this month until last Fri of this month": "from start of Sun 2 of this month until start of last Fri of this month",
		"last event harbour-festival, 1 year earlier":             "last event harbour-festival, 1 year earlier",
		"this month except event storm":                           "this month except event storm",
		"event easter of this year - 3 days":                      "",
		"start of event easter of this year - 3 days":             "start of event easter of this year - 3 days",
	} {
		n, err := Parse(text)
		switch {
		case err != nil && want != "":
			t.Errorf("%q: %v", text, err)
		case err == nil && n.String() != want:
			t.Errorf("%q is written %q, want %q", text, n, want)
		}
	}
}

// Refusals say where, and offer what may have been meant; every offer is read.
func TestSeasonRefusals(t *testing.T) {
	for text, want := range map[string]string{
		"this year, only 3rd Friday":                 "column 17|this year, only Fri 3 of each month",
		"this year, only first Monday":               "column 17|this year, only first Mon of each month",
		"this year, only first week":                 "column 17|this year, only first week of each month",
		"first 2 Mondays of this month":              "column 1|this month, only first 2 Mon of each month|from start of first Mon of this month through start of Mon 2 of this month",
		"last 2 Fridays of last full quarter":        "column 1|last full quarter, only last 2 Fri of each quarter",
		"first 2 Mondays of trailing 40 days":        "column 1|trailing 40 days, only first 2 Mon of each month",
		"this year, only month 1 of each week":       "column 33|shorter than it; month is not",
		"this year, only day 1 of each business day": "column 31|shorter than it",
		"this year, only hour 1 of each week":        "column 17|only 09:00-17:00",
		"this year, only day 15-1 of each month":     "column 17|this year, only day 1-15 of each month",
		"this year, only Octember":                   "column 17|not a word",
		"this year, only Oct/Fri":                    "column 21|expected a month",
		"last Friday":                                "column 1|last Fri of trailing 7 days excluding today",
		"next Friday":                                "column 1|first Fri of coming 7 days",
		"this Friday":                                "column 1|first Fri of this week",
		"Friday":                                     "column 1|first Fri of this week",
		"3rd Friday":                                 "column 1|Fri 3 of this month",
		"3rd day of this month":                      "column 1|day 3 of this month",
		"this month, only day 0 of each month":       "column 22|from 1 to 100,000",
		"Easter":                                     "column 1|event easter",
		"last easter, 1 year earlier":                "column 6|last event easter, 1 year earlier",
		"this year, only easter":                     "column 17|this year, only event easter",
		"this year except easter":                    "column 18|this year except event easter",
	} {
		_, err := ParseNamed(text, named{})
		if err == nil {
			t.Errorf("%q is read", text)
			continue
		}
		for part := range strings.SplitSeq(want, "|") {
			if !strings.Contains(err.Error(), part) {
				t.Errorf("%q gives %v, want %q in it", text, err, part)
			}
		}
		for _, offer := range err.(*Error).Offers {
			if _, err := Parse(offer); err != nil {
				t.Errorf("%q offers %q, which is refused: %v", text, offer, err)
			}
		}
	}
}

// What resolving refuses, and what it answers with a caution.
func TestSeasonResolutions(t *testing.T) {
	scope := Scope{AsOf: civil.Of(2026, 10, 19), Names: formNames{}, Calendar: calendar.Civil}
	for text, want := range map[string]string{
		"this month, only day 31 of each month, 1 month earlier": "no-days",
		"month to date, only last 5 days of each month":          "no-days",
		"Fri 5 of this month":                                    "2026-10-30/2026-10-30",
		"Sun 5 of this month":                                    "not that many Sundays",
		"event easter of (2025 or 2027)":                         "is 2 periods as of 2026-10-19, not one",
		"event easter of 2026":                                   "2026-04-03/2026-04-06",
		"event easter of 2024":                                   "events-unknown",
		"this year except event easter":                          "2026-01-01/2026-04-02;2026-04-07/2026-12-31",
		"2027, only event easter":                                "events-unknown",
		"next event easter":                                      "no occurrence of the event list starts later; it has 2025-04-20 through 2026-04-06",
		"last event easter, 1 year earlier":                      "2025-04-20/2025-04-20",
		"last event easter, 2 years earlier":                     "no occurrence of the event list is over",
		"event easter, 1 year earlier":                           "fixed-days",
		"this event easter":                                      "no-days",
		"all dates, only Oct":                                    "only needs both ends",
		"this year, only Jan-Dec":                                "idle-modifier",
		"this year, only first half of each year":                "2026-01-01/2026-06-30",
		"2026-03-01/2026-03-31, only week 1 of each month":       "2026-03-02/2026-03-08",
		"2026-04-01/2026-04-05, only last week of each month":    "2026-04-01/2026-04-05",
	} {
		n, err := Parse(text)
		if err != nil {
			t.Errorf("%q: %v", text, err)
			continue
		}
		r, err := Explain(n, scope)
		got := r.Days.String()
		for _, c := range r.Cautions {
			got += " " + string(c.Kind)
		}
		if err != nil {
			got = err.Error()
		}
		if !strings.Contains(got, want) {
			t.Errorf("%q gives %s, want %q in it", text, got, want)
		}
	}
}

// The period before occurrences is as many of them right before.
func TestPriorOfEvents(t *testing.T) {
	for text, want := range map[string]string{
		"event spring of 2010":     civil.SetOf(eventsOfTwin["spring"][2009-1995]).String(),
		"last event winter":        civil.SetOf(eventsOfTwin["winter"][2008-1995]).String(),
		"next event spring":        civil.SetOf(eventsOfTwin["spring"][2010-1995]).String(),
		"event spring of 2008-W01": "",
		"last Fri of 2010-03":      "2010-03-19/2010-03-19",
		"2010-Q2, only Apr/Jun":    "",
	} {
		n, err := Parse(text)
		if err != nil {
			t.Fatal(err)
		}
		set, err := (Against{prior: true}).Resolve(n, Scope{AsOf: civil.Of(2010, 6, 1), Names: twinNames{}})
		got := set.String()
		if err != nil {
			got = err.Error()
		}
		if got != want {
			t.Errorf("prior of %q is %s, want %s", text, got, want)
		}
	}
	n, _ := Parse("event storm of from 1995-01-01 through 1996-12-31")
	if _, err := (Against{prior: true}).Resolve(n, Scope{AsOf: civil.Of(2010, 6, 1), Names: twinNames{}}); err == nil ||
		!strings.Contains(err.Error(), "and the event list has 0") {
		t.Errorf("prior of the first storms: %v", err)
	}
}

// An error of resolution says where in the text it is, whatever is around it.
func TestErrorsOfResolutionAreLocated(t *testing.T) {
	for text, want := range map[string]string{
		"today or event storm of this year":             "event storm of this year",
		"this year, only event storm":                   "only event storm",
		"last full month except Mon 9 of (this  month)": "Mon 9 of (this  month)",
		"@absent or today":                              "@absent",
		"from  start of month 14 of this year onward":   "month 14 of this year",
		"all dates, only Sat":                           "only Sat",
		"today, 9999 years earlier":                     "9999 years earlier",
	} {
		r := ResolveText(text, Scope{AsOf: civil.Of(2026, 10, 19), Names: named{}}, false)
		if r.Error == nil {
			t.Errorf("%q is resolved", text)
			continue
		}
		if from := r.Error.Column - 1; from < 0 || text[from:from+r.Error.Width] != want {
			t.Errorf("%q: column %d, width %d, want %q: %v", text, r.Error.Column, r.Error.Width, want, r.Error)
		}
	}
}

func TestEventRenamed(t *testing.T) {
	for text, want := range map[string]string{
		"event easter of 2026 except event easter-2": "event spring of 2026 except event easter-2",
		"this year, only event easter":               "this year, only event spring",
		"@easter":                                    "@easter",
		"no span":                                    "no span",
	} {
		if got := EventRenamed(text, "easter", "spring"); got != want {
			t.Errorf("%q becomes %q, want %q", text, got, want)
		}
	}
}
