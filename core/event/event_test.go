package event

import (
	"strings"
	"testing"

	"vastspan/core/civil"
)

func days(first, last string) Occurrence {
	from, _ := civil.ParseDay(first)
	through, _ := civil.ParseDay(last)
	return Occurrence{Days: civil.Through(from, through)}
}

func TestNew(t *testing.T) {
	for _, c := range []struct {
		list        []Occurrence
		first, last int
		want        string
	}{
		{[]Occurrence{days("2026-07-10", "2026-07-12"), days("2025-07-18", "2025-07-20")}, 0, 0, ""},
		{nil, 2024, 2026, ""},
		{nil, 0, 0, "has no days and names no years"},
		{[]Occurrence{days("2026-07-10", "2026-07-09")}, 0, 0, "ends before it starts"},
		{[]Occurrence{days("2026-07-10", "2026-07-12"), days("2026-07-12", "2026-07-14")}, 0, 0, "overlap or touch"},
		{[]Occurrence{days("2026-07-10", "2026-07-12"), days("2026-07-13", "2026-07-14")}, 0, 0, "overlap or touch"},
		{[]Occurrence{days("2026-07-10", "2026-07-12"), days("2026-07-14", "2026-07-14")}, 0, 0, ""},
		{[]Occurrence{days("2026-07-10", "2026-07-12")}, 2027, 2026, "the first one first"},
		{make([]Occurrence, MaxOccurrences+1), 0, 0, "at most 10000"},
	} {
		_, err := New("festival", c.list, c.first, c.last, true)
		if (err == nil) != (c.want == "") || err != nil && !strings.Contains(err.Error(), c.want) {
			t.Errorf("%v, %d to %d: %v, want %q", c.list, c.first, c.last, err, c.want)
		}
	}
}

func TestLookups(t *testing.T) {
	l, err := New("festival", []Occurrence{days("2026-07-10", "2026-07-12"), days("2025-07-18", "2025-07-20")}, 0, 0, true)
	if err != nil {
		t.Fatal(err)
	}
	if got := l.Days().String(); got != "2025-07-18/2025-07-20;2026-07-10/2026-07-12" {
		t.Errorf("its days are %s", got)
	}
	if got := l.StartingIn(civil.Through(civil.Of(2025, 7, 19), civil.Of(2026, 7, 10))); len(got) != 1 || got[0].Days.First() != civil.Of(2026, 7, 10) {
		t.Errorf("one starts there: %v", got)
	}
	for d, want := range map[civil.Day]int{civil.Of(2025, 7, 18): 0, civil.Of(2026, 7, 12): 1, civil.Of(2026, 7, 13): -1, civil.Of(2020, 1, 1): -1} {
		if i, ok := l.At(d); ok != (want >= 0) || ok && i != want {
			t.Errorf("%s is in %d, %v, want %d", d, i, ok, want)
		}
	}
	for v, want := range map[civil.Interval]bool{
		civil.Through(civil.Of(2025, 1, 1), civil.Of(2026, 12, 31)): true,
		civil.Through(civil.Of(2024, 12, 31), civil.Of(2025, 1, 1)): false,
		civil.AllDays: false,
		{}:            true,
	} {
		if l.Known(v) != want {
			t.Errorf("%s is known: %v, want %v", v, !want, want)
		}
	}
}
