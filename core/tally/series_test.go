package tally

import (
	"strings"
	"testing"

	"vastspan/core/calendar"
	"vastspan/core/civil"
)

func TestEach(t *testing.T) {
	asOf := civil.Of(2026, 10, 19)
	describe := func(units []Unit) string {
		var list []string
		for _, u := range units {
			text := u.Label + " " + u.Period.Days.String()
			for mark, on := range map[string]bool{" partial": u.Partial} {
				if on {
					text += mark
				}
			}
			if u.Future {
				text += " future"
			}
			if u.InProgress {
				text += " in progress"
			}
			list = append(list, text)
		}
		return strings.Join(list, "; ")
	}
	set := func(first, last civil.Day) civil.Set { return civil.SetOf(civil.Through(first, last)) }
	for _, c := range []struct {
		set  civil.Set
		unit calendar.Unit
		want string
	}{
		{set(civil.Of(2026, 8, 15), civil.Of(2026, 10, 10)), calendar.Month,
			"Aug 2026 2026-08-15/2026-08-31 partial; Sep 2026 2026-09-01/2026-09-30; Oct 2026 2026-10-01/2026-10-10 partial"},
		{set(civil.Of(2026, 10, 1), civil.Of(2026, 11, 30)), calendar.Month,
			"Oct 2026 2026-10-01/2026-10-31 in progress; Nov 2026 2026-11-01/2026-11-30 future"},
		{civil.Union(civil.One(civil.Of(2026, 1, 31)), civil.One(civil.Of(2026, 3, 1))), calendar.Month,
			"Jan 2026 2026-01-31/2026-01-31 partial; Feb 2026  partial; Mar 2026 2026-03-01/2026-03-01 partial"}, // none skipped
		{civil.Set{}, calendar.Week, ""},
	} {
		units, err := Each(OfDays(c.set), calendar.Civil, c.unit, civil.AsOf{Day: asOf})
		if got := describe(units); err != nil || got != c.want {
			t.Errorf("%s by %s: %s, %v; want %s", c.set, c.unit, got, err, c.want)
		}
	}
	for want, set := range map[string]civil.Set{"this one is open": civil.SetOf(civil.AllDays), "at most 9000": set(civil.Of(1900, 1, 1), asOf)} {
		if _, err := Each(OfDays(set), calendar.Civil, calendar.Day, civil.AsOf{Day: asOf}); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s gives %v, want %s", set, err, want)
		}
	}
}
