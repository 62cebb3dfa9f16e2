package span

import (
	"strings"
	"testing"

	"vastspan/core/civil"
)

func TestAgainst(t *testing.T) {
	asOf := Scope{AsOf: civil.Of(2026, 10, 19)}
	for _, c := range []struct{ text, against, want string }{
		{"month to date", "year earlier", "2025-10-01/2025-10-19"},
		{"month to date excluding today", "1 Year Earlier", "2025-10-01/2025-10-18"},
		{"trailing 7 days", "52 weeks earlier", "2025-10-14/2025-10-20"},
		{"last full month", "quarter earlier", "2026-06-01/2026-06-30"},
		{"last full month", "prior", "2026-08-01/2026-08-31"},
		{"last 3 full months", "prior", "2026-04-01/2026-06-30"},
		{"month to date", "prior", "2026-09-01/2026-09-19"},
		{"2 months to date", "prior", "2026-07-01/2026-08-19"},
		{"this month so far", "prior", "2026-09-01/2026-09-19"},
		{"trailing 90 days excluding today", "prior", "2026-04-22/2026-07-20"},
		{"coming 14 days", "prior", "2026-10-06/2026-10-19"},
		{"last full month, only Sat/Sun", "prior", "2026-08-01/2026-08-02;2026-08-08/2026-08-09;2026-08-15/2026-08-16;2026-08-22/2026-08-23;2026-08-29/2026-08-30"},
		{"2026-03-10/2026-03-19", "prior", "2026-02-28/2026-03-09"},
		{"from start of this month through today", "prior", "2026-09-12/2026-09-30"},
		{"last full month, 1 year earlier", "prior", "2025-08-01/2025-08-31"},
		{"last full month", "2025-09", "2025-09-01/2025-09-30"},
		{"month to date excluding today", "last full month", "2026-09-01/2026-09-30"},
	} {
		a, err := ParseAgainst(c.against)
		if err != nil {
			t.Fatal(err)
		}
		got, err := a.Resolve(parse1(t, c.text), asOf)
		if err != nil || got.String() != c.want {
			t.Errorf("%s against %s is %s, %v; want %s", c.text, c.against, got, err, c.want)
		}
	}
	if _, err := ParseAgainst("last year"); err == nil || !strings.Contains(err.Error(), "against also takes prior") ||
		!strings.Contains(err.Error(), "last full year") {
		t.Errorf("against last year gives %v", err)
	}
	prior, _ := ParseAgainst("prior")
	if _, err := prior.Resolve(parse1(t, "through today"), asOf); err == nil || !strings.Contains(err.Error(), "open on one side") {
		t.Errorf("prior of an open span gives %v", err)
	}
	if set, err := prior.Resolve(parse1(t, "today except today"), asOf); err != nil || !set.Empty() {
		t.Errorf("prior of no days is %s, %v", set, err)
	}
}
