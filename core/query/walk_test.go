package query

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"vastspan/core/civil"
	"vastspan/core/span"
	"vastspan/core/table"
)

// walked are the comparisons that are walked over every as-of day.
var walked = []struct{ over, against string }{
	{"last full month", "1 year earlier"}, {"month to date excluding today", "1 month earlier"}, {"year to date", "52 weeks earlier"},
	{"this quarter", "1 year earlier"}, {"trailing 90 days", "prior"}, {"last 2 full weeks", "prior"}, {"this month so far", "prior"},
	{"yesterday", "1 year earlier"}, {"2025-Q1", "prior"}, {"from 2025-02-01 onward", "1 year earlier"},
	{"first 10 days of this month", "1 month earlier"}, {"this year", "last full year"},
}

// Over every as-of day of four years, by the obvious loop over days and records: both sides hold what records of
// their days come to by the as-of day, records cover as many days as are counted, the warning is where the
// rules say so and nowhere else, what is made like-for-like ends at the same day, and rows add up on both sides
// (semantics §7).
func TestEveryAsOfDay(t *testing.T) {
	rng := rand.New(rand.NewPCG(11, 7))
	first, last := civil.Of(2024, 1, 15), civil.Of(2026, 10, 19)
	list := []sale{{first, "North", 100, false}, {last, "North", 100, false}}
	for d := first + 1; d < last; d++ {
		for range rng.IntN(3) {
			list = append(list, sale{d, "North", 100 + rng.Int64N(5000), false})
		}
	}
	step := civil.Day(1)
	if testing.Short() {
		step = 29
	}
	warned := 0
	for i, c := range walked {
		for asOf := civil.Of(2023, 6, 1); asOf <= civil.Of(2027, 5, 31); asOf += step {
			plain := walk(t, list, asOf, c.over, c.against, false)
			alike := walk(t, list, asOf, c.over, c.against, true)
			w := &walker{t, list, asOf, first, last, fmt.Sprintf("%d: %s against %s as of %s", i, c.over, c.against, asOf)}
			if w.check(plain, false) {
				warned++
			}
			w.check(alike, true)
			w.ends(plain, alike, c.against)
		}
	}
	t.Logf("%d comparisons carry the warning", warned)
}

func walk(t *testing.T, list []sale, asOf civil.Day, over, against string, alike bool) *Answer {
	t.Helper()
	a, err := ask(t, list, asOf, Query{Over: []string{over}, Against: []string{against}, LikeForLike: alike, Each: "month"})
	if err != nil {
		t.Fatalf("%s against %s as of %s: %v", over, against, asOf, err)
	}
	return a
}

type walker struct {
	t           *testing.T
	list        []sale
	asOf        civil.Day
	first, last civil.Day // of the records
	what        string
}

// days counts the days of a set by walking them, and those that records cover.
func (w *walker) days(s civil.Set) (all, covered int) {
	for d := w.first - 2000; d < w.last+2000; d++ {
		if s.Contains(d) {
			all++
			if d >= w.first && d <= w.last && d <= w.asOf {
				covered++
			}
		}
	}
	return all, covered
}

// sum adds the records of a set up that there are by the as-of day, in cents; blank where there are none.
func (w *walker) sum(s civil.Set) string {
	cents, any := int64(0), false
	for _, one := range w.list {
		if s.Contains(one.day) && one.day <= w.asOf {
			cents, any = cents+one.cents, true
		}
	}
	if !any {
		return ""
	}
	return fmt.Sprintf("%d.%02d", cents/100, cents%100)
}

// check looks at one answer, and reports whether it carries the warning.
func (w *walker) check(a *Answer, alike bool) bool {
	w.t.Helper()
	sp, c := a.Spans[0], a.Spans[0].Comparisons[0]
	own, ownCovered := w.days(sp.Intervals)
	other, otherCovered := w.days(c.Intervals)
	if *sp.CoveredDays != ownCovered || c.CoveredDays != otherCovered {
		w.t.Fatalf("%s: %d and %d days are covered, want %d and %d", w.what, *sp.CoveredDays, c.CoveredDays, ownCovered, otherCovered)
	}
	cut := max(own-ownCovered-other+otherCovered, other-otherCovered-own+ownCovered)
	longer, shorter := max(ownCovered, otherCovered), min(ownCovered, otherCovered)
	unlike := cut*50 > max(own, other) || (longer-shorter)*10 > longer
	if c.LikeForLike == unlike {
		w.t.Fatalf("%s: like for like is %v; %d of %d days compared with %d of %d", w.what, c.LikeForLike, ownCovered, own, otherCovered, other)
	}
	if told := slices.ContainsFunc(a.Notes, func(n table.Note) bool { return n.Code == table.NotLikeForLike }); told != unlike {
		w.t.Fatalf("%s (made like-for-like %v): the warning stands: %v", w.what, alike, told)
	}
	suffix := "_" + table.Suffix(c.Name)
	total := rowsOf(a, table.Total)[0]
	if got := cells(a, total, "sum_amount", "sum_amount"+suffix); got != w.sum(sp.Intervals)+" "+w.sum(c.Intervals) {
		w.t.Fatalf("%s: the sums are %s, want %s and %s", w.what, got, w.sum(sp.Intervals), w.sum(c.Intervals))
	}
	var mine, theirs civil.Set
	for _, r := range rowsOf(a, table.Group) {
		mine, theirs = mine.Union(r.Intervals), theirs.Union(r.Comparisons[0].Intervals)
		want := w.sum(r.Intervals) + " " + w.sum(r.Comparisons[0].Intervals)
		if got := cells(a, r, "sum_amount", "sum_amount"+suffix); got != want {
			w.t.Fatalf("%s: %s is %s, want %s", w.what, r.Unit.Label, got, want)
		}
	}
	if !mine.Equal(sp.Intervals) || !theirs.Equal(c.Intervals) {
		w.t.Fatalf("%s: the rows hold %s and %s of %s and %s", w.what, mine, theirs, sp.Intervals, c.Intervals)
	}
	return unlike
}

// ends looks at what making both sides like for like has cut off: what is after the as-of day or the newest record on
// one side, after the same day of the other on the other.
func (w *walker) ends(plain, alike *Answer, against string) {
	w.t.Helper()
	last := min(w.asOf, w.last)
	if w.asOf < w.first {
		last = w.asOf
	}
	own := plain.Spans[0].Intervals
	if named, _ := span.ParseAgainst(against); own.Bounds().End <= last+1 || named.Node() != nil {
		last = civil.OpenEnd - 1 // nothing is cut
	}
	if want := own.Within(civil.Interval{Start: civil.OpenStart, End: last + 1}); !alike.Spans[0].Intervals.Equal(want) {
		w.t.Fatalf("%s: made like-for-like it is %s, want %s", w.what, alike.Spans[0].Intervals, want)
	}
	was, is := plain.Spans[0].Comparisons[0].Intervals, alike.Spans[0].Comparisons[0].Intervals
	if end := is.Bounds().End; !is.Empty() && !is.Equal(was.Within(civil.Interval{Start: civil.OpenStart, End: end})) {
		w.t.Fatalf("%s: the counterpart %s is not the beginning of %s", w.what, is, was)
	}
}
