package holidays

import (
	"fmt"
	"strings"
	"testing"
)

const schools = `BEGIN:VCALENDAR
VERSION:2.0
PRODID:-//Lantern Bay//EN
BEGIN:VEVENT
UID:1
SUMMARY:Winter Break
DTSTART;VALUE=DATE:20241220
DTEND;VALUE=DATE:20250106
RRULE:FREQ=YEARLY
END:VEVENT
BEGIN:VEVENT
UID:2
SUMMARY:Harbour Festival
DTSTART;VALUE=DATE:20260710
DTEND;VALUE=DATE:20260713
END:VEVENT
END:VCALENDAR
`

func TestReadEvents(t *testing.T) {
	for _, c := range []struct {
		text string
		q    Request
		want string
	}{
		{schools, Request{Name: "breaks", FirstYear: 2025, LastYear: 2026},
			"breaks [2025-12-20/2026-01-05 2026-07-10/2026-07-12 2026-12-20/2027-01-05] Winter Break; 17 days outside 2025 to 2026"},
		{schools, Request{BySummary: true, FirstYear: 2024, LastYear: 2026},
			"winter-break [2024-12-20/2025-01-05 2025-12-20/2026-01-05 2026-12-20/2027-01-05] , harbour-festival [2026-07-10/2026-07-12] "},
		{schools, Request{Name: "breaks"}, "state the first and the last year"},
		{schools, Request{FirstYear: 2024, LastYear: 2026}, "names no list"},
		{schools, Request{Name: "x", FirstYear: 2026, LastYear: 2024}, "the first one first"},
		{schools, Request{Name: "x", FirstYear: 2010, LastYear: 2011}, "no occurrence is in it"},
		{"name,first_day,last_day,label\nstorm,2026-10-13,,Gale\nfest,2026-07-10,2026-07-12,\nstorm,2025-11-21,,\n", Request{},
			"storm [2025-11-21 2026-10-13] , fest [2026-07-10/2026-07-12] "},
		{"name,first_day\nstorm,2026-10-13\nfest,2026-07-10\n", Request{Name: "storm"}, "storm [2026-10-13] ; 1 row of other lists"},
		{"first_day\n2026-10-13\n", Request{Name: "storm"}, "storm [2026-10-13] "},
		{"first_day\n2026-10-13\n", Request{}, "line 2: it names no list"},
		{"first_day,last_day\n2026-10-13,2026-10-12\n", Request{Name: "x"}, "line 2: the last day 2026-10-12 is before the first"},
		{"first_day\nsoon\n", Request{Name: "x"}, "line 2: first_day"},
		{"first_day,last_day\n2026-10-13,2026-10-15\n2026-10-16,\n", Request{Name: "x"}, "overlap or touch"},
		{"day\n2026-10-13\n", Request{Name: "x"}, "expected the columns"},
		{"", Request{Name: "x"}, "neither iCalendar nor CSV"},
		{"name,first_day\nNo Name,2026-10-13\n", Request{}, "is not a name"},
	} {
		lists, left, err := ReadEvents(strings.NewReader(c.text), c.q)
		var parts []string
		for _, l := range lists {
			parts = append(parts, fmt.Sprint(l.Name, " ", l.Days, " ", l.Labels["2025-12-20"]))
		}
		got := strings.Join(parts, ", ")
		if left != "" {
			got += "; " + left
		}
		if err != nil {
			got = err.Error()
		}
		if !strings.Contains(got, c.want) {
			t.Errorf("%+v of %.40q gives\n%s, want\n%s", c.q, c.text, got, c.want)
		}
	}
}
