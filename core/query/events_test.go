package query

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/event"
	"vastspan/core/table"
)

// On every as-of day of four years a comparison says of an event that it is on one side only, exactly where the covered days that
// are looked at one by one differ, and what those days took; a list that is kept out of comparisons is never named.
func TestEventNotesOnEveryAsOfDay(t *testing.T) {
	rng := rand.New(rand.NewPCG(26, 7))
	first, last := civil.Of(2022, 1, 1), civil.Of(2026, 10, 19)
	var list []sale
	for d := first; d <= last; d++ {
		list = append(list, sale{d, "North", 100 + rng.Int64N(5000), false})
	}
	records := sales(list)
	records.Schema.Expected = "every day"
	days := map[string]civil.Set{}
	var lists []*event.List
	for name, occurrences := range map[string][]string{
		"spring": {"2021-04-02/2021-04-05", "2022-04-15/2022-04-18", "2023-04-07/2023-04-10", "2024-03-29/2024-04-01", "2025-04-18/2025-04-21", "2026-04-03/2026-04-06"},
		"gale":   {"2024-02-09/2024-02-09", "2025-11-22/2025-11-24", "2026-10-13/2026-10-13"},
		"quiet":  {"2024-05-05/2024-05-09"},
	} {
		var all []event.Occurrence
		for _, text := range occurrences {
			set, err := civil.ParseSet(text)
			if err != nil {
				t.Fatal(err)
			}
			all = append(all, event.Occurrence{Days: set.Bounds()})
		}
		one, err := event.New(name, all, 0, 0, name != "quiet")
		if err != nil {
			t.Fatal(err)
		}
		lists, days[name] = append(lists, one), one.Days()
	}
	step := civil.Day(1)
	if testing.Short() {
		step = 29
	}
	noted, flagged := 0, 0
	for _, c := range []struct{ over, against string }{
		{"month to date", "1 year earlier"}, {"last full month", "1 year earlier"}, {"trailing 10 days", "52 weeks earlier"},
		{"year to date", "prior"}, {"this quarter", "2023-Q2"},
	} {
		for asOf := civil.Of(2022, 11, 1); asOf <= civil.Of(2026, 10, 31); asOf += step {
			q := Query{Over: []string{c.over}, Against: []string{c.against}, Figures: countAndSum}
			e := evaluator(t, asOf, &q)
			e.Events = lists
			a, err := e.Answer(t.Context(), q, records)
			if err != nil {
				t.Fatal(err)
			}
			covered := func(s civil.Set, of civil.Set) (days []civil.Day) {
				for d := range s.EachDay() {
					if of.Contains(d) && d >= first && d <= last && d <= asOf {
						days = append(days, d)
					}
				}
				return days
			}
			own, other := a.Spans[0].Intervals, a.Spans[0].Comparisons[0].Intervals
			tenth := false
			for name, of := range days {
				mine, theirs := covered(own, of), covered(other, of)
				want := name != "quiet" && len(mine) != len(theirs)
				at := slices.IndexFunc(a.Notes, func(n table.Note) bool {
					return n.Code == table.EventsDiffer && strings.HasPrefix(n.Text, name+": ")
				})
				if want != (at >= 0) {
					t.Fatalf("%s against %s as of %s: %s has %d and %d days; the notes are %v", c.over, c.against, asOf, name, len(mine), len(theirs), a.Notes)
				}
				if !want {
					continue
				}
				noted++
				count := fmt.Sprintf("on these days count %d", len(mine))
				if len(mine) == 0 {
					count = fmt.Sprintf("on these days count %d", len(theirs))
				} else if len(theirs) > 0 {
					count += fmt.Sprintf(" against %d", len(theirs))
				}
				if !strings.Contains(a.Notes[at].Text, count) {
					t.Fatalf("%s against %s as of %s: %q, want %q in it", c.over, c.against, asOf, a.Notes[at].Text, count)
				}
				all := civil.SetOf(civil.Interval{Start: civil.MinDay, End: civil.EndOfDays})
				tenth = tenth || len(mine)*10 > len(covered(own, all)) || len(theirs)*10 > len(covered(other, all))
			}
			if got := slices.Contains(a.Tables[0].Rows[0].Flags, table.OtherEvents); got != tenth {
				t.Fatalf("%s against %s as of %s is flagged %v, want %v", c.over, c.against, asOf, got, tenth)
			}
			if tenth {
				flagged++
			}
		}
	}
	if noted == 0 || flagged == 0 {
		t.Errorf("%d notes and %d flags: the test shows nothing", noted, flagged)
	}
}

// What an event's days took is asked by the filters and groups of the question, and never of few records.
func TestWhatEventDaysTook(t *testing.T) {
	list := []sale{
		{civil.Of(2026, 9, 1), "North", 500, false}, {civil.Of(2026, 9, 28), "North", 250, false}, {civil.Of(2026, 9, 28), "South", 1000, false},
		{civil.Of(2025, 9, 5), "North", 700, false},
	}
	gale, err := event.New("gale", []event.Occurrence{{Days: civil.One(civil.Of(2026, 9, 28))}}, 0, 0, true)
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		where string
		least int64
		want  string
	}{
		{"", 0, "gale: 28 Sep 2026 is in the span, none of it in the counterpart; on these days count 2, sum of amount 12.50"},
		{"region=North", 0, "gale: 28 Sep 2026 is in the span, none of it in the counterpart; on these days count 1, sum of amount 2.50"},
		{"", 1, "gale: 28 Sep 2026 is in the span, none of it in the counterpart"},
	} {
		q := Query{Over: []string{"2026-09"}, Against: []string{"1 year earlier"}, Figures: countAndSum, By: []string{"region"}}
		if c.where != "" {
			if q.Where, err = dataset.ParseFilters([]string{c.where}); err != nil {
				t.Fatal(err)
			}
		}
		records := sales(list)
		records.MinRecords = c.least
		e := evaluator(t, civil.Of(2026, 10, 19), &q)
		e.Events = []*event.List{gale}
		a, err := e.Answer(t.Context(), q, records)
		if err != nil {
			t.Fatal(err)
		}
		if !slices.ContainsFunc(a.Notes, func(n table.Note) bool { return n.Code == table.EventsDiffer && n.Text == c.want }) {
			t.Errorf("%+v: the notes are %v", c, a.Notes)
		}
	}
}
