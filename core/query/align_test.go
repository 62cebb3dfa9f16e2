package query

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/event"
	"vastspan/core/span"
	"vastspan/core/table"
)

// fairs is the source of an event that starts on another day of each year.
type fairs struct{ names }

func (fairs) Span(string) (span.Node, *calendar.Calendar, error) { return nil, nil, fmt.Errorf("none") }

func (fairs) Event(name string) (*event.List, error) {
	if name != "fair" {
		return nil, fmt.Errorf("no event list is named %s", name)
	}
	var list []event.Occurrence
	for year, day := range map[int]int{2023: 9, 2024: 31, 2025: 20, 2026: 5} {
		first := civil.Of(year, 3, 1) + civil.Day(day)
		list = append(list, event.Occurrence{Days: civil.Interval{Start: first, End: first + 3}})
	}
	return event.New(name, list, 0, 0, true)
}

// Days that are counted from an event hold what a loop over the days around its first day gives, on both sides.
func TestDaysAreCountedFromAnEvent(t *testing.T) {
	rng := rand.New(rand.NewPCG(26, 8))
	var list []sale
	for range 3000 {
		list = append(list, sale{civil.Of(2023, 1, 1) + civil.Day(rng.IntN(1400)), "North", 100 + rng.Int64N(5000), false})
	}
	firsts := map[int]civil.Day{}
	all, err := fairs{}.Event("fair")
	if err != nil {
		t.Fatal(err)
	}
	for _, o := range all.Occurrences {
		firsts[o.Days.First().Year()] = o.Days.First()
	}
	for range 40 {
		before, after, otherBefore, otherAfter := rng.IntN(20), rng.IntN(20), rng.IntN(20), rng.IntN(20)
		own, other := firsts[2024+rng.IntN(3)], firsts[2023]
		around := func(first civil.Day, before, after int) string {
			return civil.Through(first-civil.Day(before), first+civil.Day(after)).String()
		}
		q := Query{Over: []string{around(own, before, after)}, Against: []string{around(other, otherBefore, otherAfter)}, Each: "day", Align: "Event FAIR"}
		e := evaluator(t, civil.Of(2026, 12, 1), &q)
		e.Scope.Names = fairs{}
		q.Figures = countAndSum
		a, err := e.Answer(t.Context(), q, sales(list))
		if err != nil {
			t.Fatal(err)
		}
		if a.Query.Align != "event fair" {
			t.Errorf("it is aligned by %q", a.Query.Align)
		}
		rows := rowsOf(a, table.Group)
		at := -max(before, otherBefore)
		if len(rows) != max(after, otherAfter)-at+1 {
			t.Fatalf("%v has %d rows", q, len(rows))
		}
		for _, r := range rows {
			label := fmt.Sprint(at)
			if at > 0 {
				label = "+" + label
			}
			if r.Unit.Label != label {
				t.Fatalf("%v: a row is called %q, want %q", q, r.Unit.Label, label)
			}
			side := func(first civil.Day, before, after int) string {
				if at < -before || at > after {
					return "- -"
				}
				return naive(list, civil.SetOf(civil.One(first+civil.Day(at))), nil)
			}
			mine, theirs := side(own, before, after), side(other, otherBefore, otherAfter)
			blank := func(s string) string { return strings.NewReplacer("- -", " ").Replace(s) }
			got := cells(a, r, "count", "sum_amount")
			if want := blank(mine); got != want && mine != "- -" {
				t.Fatalf("%v: row %s is %q, want %q", q, label, got, want)
			}
			suffix := table.Suffix(a.Spans[0].Comparisons[0].Name)
			got = cells(a, r, "count_"+suffix, "sum_amount_"+suffix)
			if want := blank(theirs); got != want && theirs != "- -" {
				t.Fatalf("%v: row %s is compared with %q, want %q", q, label, got, want)
			}
			at++
		}
	}
}

func TestAlignIsChecked(t *testing.T) {
	for _, c := range []struct {
		q    Query
		want string
	}{
		{Query{Over: []string{"2026-03"}, Align: "event fair"}, "expected each day"},
		{Query{Over: []string{"2026-03"}, Align: "event fair", Each: "week"}, "expected each day"},
		{Query{Over: []string{"2026-03"}, Align: "event fayre", Each: "day"}, "no event list is named fayre"},
		{Query{Over: []string{"2026-04"}, Align: "fair", Each: "day"}, "no occurrence of event fair starts in it"},
		{Query{Over: []string{"2025-01-01/2026-12-31"}, Align: "fair", Each: "day"}, "2 occurrences of event fair start in it"},
		{Query{Over: []string{"2026-03"}, Against: []string{"2026-05"}, Align: "fair", Each: "day"}, "compared with 2026-05: no occurrence"},
		{Query{Over: []string{"2026-03"}, Align: "fair", Each: "day", Previous: true}, "take no previous"},
	} {
		e := evaluator(t, civil.Of(2026, 12, 1), &c.q)
		e.Scope.Names, c.q.Figures = fairs{}, countAndSum
		if _, err := e.Answer(t.Context(), c.q, sales(nil)); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%+v: %v, want %q", c.q, err, c.want)
		}
	}
}
