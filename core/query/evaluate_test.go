package query

import (
	"context"
	"fmt"
	"math/big"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/table"
)

// own are the columns of the figures by themselves.
var own = []string{"count", "sum_amount"}

func with(suffix string) []string { return []string{"count" + suffix, "sum_amount" + suffix} }

// Every figure of thousands of rows, by itself, next to its counterpart, running and rolling, is what
// a loop over all records gives.
func TestBreakdownsAgainstALoop(t *testing.T) {
	rng := rand.New(rand.NewPCG(4, 2))
	pick := func(list ...string) string { return list[rng.IntN(len(list))] }
	rows := 0
	for range 400 {
		list := randomSales(rng, 300)
		asOf := civil.Of(2025, 6, 1) + civil.Day(rng.IntN(300))
		q := Query{
			Over: []string{
				pick(
					"this year",
					"year to date",
					"last 3 full months",
					"trailing 100 days",
					"this half",
					"last full quarter, only Sat/Sun",
				),
			},
			Against: []string{pick("1 year earlier", "52 weeks earlier", "prior", "last full quarter")},
			Each:    pick("week", "month", "quarter"), Running: pick("", "year", "half", "span"), Rolling: Window{Units: []int{0, 2, 5}[rng.IntN(3)]},
			LikeForLike: rng.IntN(3) == 0, Planned: rng.IntN(4) == 0, Context: Context{Calendar: pick("civil", "april", "trade")},
			Previous: rng.IntN(2) == 0, Share: pick("", "span", "unit"), Subtotals: true, BlankIncomplete: rng.IntN(3) == 0,
		}
		if rng.IntN(2) == 0 {
			q.By = []string{"region"}
		}
		a, err := ask(t, list, asOf, q)
		if err != nil {
			t.Fatalf("%+v: %v", q, err)
		}
		newest := slices.MaxFunc(list, func(a, b sale) int { return int(a.day - b.day) }).day
		if !q.Planned { // what is after the as-of day counts nowhere
			list = slices.DeleteFunc(list, func(s sale) bool { return s.day > asOf })
		}
		rows += checkBreakdown(t, list, asOf, min(asOf, newest), q, a)
	}
	t.Logf("%d rows compared", rows)
}

// checkBreakdown compares an answer with a loop over the records. last is the day at which sides are made to end.
func checkBreakdown(t *testing.T, list []sale, asOf, last civil.Day, q Query, a *Answer) int {
	t.Helper()
	cal := calendars(t)[q.Calendar]
	each, _ := calendar.ParseUnit(q.Each)
	sp, total := a.Spans[0], rowsOf(a, table.Total)[0]
	compared := "_" + table.Suffix(sp.Comparisons[0].Name)
	same := func(what, got, want string) {
		t.Helper()
		if got != want {
			t.Fatalf("%+v as of %s: %s is %q, want %q", q, asOf, what, got, want)
		}
	}
	same("the total", cells(a, total, own...), naive(list, sp.Intervals, nil))
	same("the counterpart", cells(a, total, with(compared)...), naive(list, sp.Comparisons[0].Intervals, nil))
	covered, counterpart := civil.Set{}, civil.Set{}
	rows := rowsOf(a, table.Group)
	keys := map[string]bool{}
	for i, r := range rows {
		if keys[r.Key] {
			t.Fatalf("two rows have the key %s", r.Key)
		}
		keys[r.Key] = true
		covered = covered.Union(r.Intervals)
		counterpart = counterpart.Union(r.Comparisons[0].Intervals)
		if alone := r.Intervals.Empty() && cells(a, r, own...) == " "; alone {
			if r.Comparisons[0].Intervals.Empty() {
				t.Fatalf("%+v: a row of neither side: %+v", q, r)
			}
			continue
		}
		whole, err := cal.Containing(each, r.Unit.FirstDay)
		if err != nil {
			t.Fatal(err)
		}
		var region *string
		if len(q.By) > 0 {
			region = &r.Group[0].Text
		}
		want := func(days civil.Set) string { return naive(list, days, region) }
		same(r.Unit.Label, cells(a, r, own...), want(r.Intervals))
		blank := whole.Start > asOf && !q.Planned
		checkShare(t, list, q, a, r, blank, region)
		if q.Previous {
			before, err := cal.Containing(each, whole.Start-1)
			if err != nil {
				t.Fatal(err)
			}
			days := civil.SetOf(before)
			for _, other := range rows[:i] {
				if other.Unit.FirstDay == before.Start {
					days = other.Intervals
				}
			}
			if q.LikeForLike && whole.Contains(last) && whole.End > last+1 {
				end, _, err := cal.Move(last, -1, each)
				if err != nil {
					t.Fatal(err)
				}
				days = days.Within(civil.Interval{Start: civil.OpenStart, End: end + 1})
			}
			same("before "+r.Unit.Label, cells(a, r, with("_previous")...), want(days))
		}
		if q.Running != "" {
			from := civil.OpenStart
			if reset, ok := calendar.ParseUnit(q.Running); ok && !r.Intervals.Empty() {
				by := func(week civil.Day) civil.Day { // the start of the unit that a week belongs to
					holding, err := cal.Containing(reset, week+3)
					if err != nil {
						t.Fatal(err)
					}
					return holding.Start
				}
				if each == calendar.Week {
					for from = whole.Start; by(from-7) == by(whole.Start); from -= 7 {
					}
				} else {
					from = by(r.Intervals.Bounds().First() - 3)
				}
			}
			days := civil.SetOf(civil.Interval{Start: from, End: r.Intervals.Bounds().End})
			if q.Running == runningSpan || sp.Intervals.Len() > 1 {
				days = days.Intersect(sp.Intervals)
			}
			same("running "+r.Unit.Label, cells(a, r, with("_running")...), expected(blank, r.Intervals.Empty(), want(days)))
		}
		if q.Rolling.Units > 0 {
			start := whole.Start
			for range q.Rolling.Units - 1 {
				before, err := cal.Containing(each, start-1)
				if err != nil {
					t.Fatal(err)
				}
				start = before.Start
			}
			days := civil.SetOf(civil.Interval{Start: start, End: r.Intervals.Bounds().End})
			incomplete := slices.Contains(r.Flags, table.Incomplete)
			same(
				"rolling "+r.Unit.Label,
				cells(a, r, with("_rolling")...),
				expected(blank || incomplete && q.BlankIncomplete, r.Intervals.Empty(), want(days)),
			)
			if !blank && !r.Intervals.Empty() && incomplete != (start < *a.Oldest) {
				t.Fatalf("%+v as of %s: %s incomplete is %v, its window begins on %s", q, asOf, r.Unit.Label, incomplete, start)
			}
		}
	}
	checkSubtotals(t, list, q, a)
	if !counterpart.Equal(sp.Comparisons[0].Intervals) {
		t.Fatalf("%+v as of %s: the rows are compared with %s of %s", q, asOf, counterpart, sp.Comparisons[0].Intervals)
	}
	if !covered.Equal(sp.Intervals) {
		t.Fatalf("%+v as of %s: the rows cover %s of %s", q, asOf, covered, sp.Intervals)
	}
	return len(rows)
}

// checkShare compares the share of a count: of its span, or of its unit.
func checkShare(t *testing.T, list []sale, q Query, a *Answer, r table.Row, blank bool, region *string) {
	t.Helper()
	if q.Share == "" {
		return
	}
	of := a.Spans[0].Intervals
	if q.Share == ShareOfUnit {
		of = r.Intervals
	}
	count := func(days civil.Set, region *string) (n int64) {
		if _, err := fmt.Sscan(naive(list, days, region), &n); err != nil {
			t.Fatal(err)
		}
		return n
	}
	part, whole := count(r.Intervals, region), count(of, nil)
	want := ""
	if whole != 0 && !blank {
		want = big.NewRat(part, whole).FloatString(6)
	}
	if got := cells(a, r, "count_share"); got != want && (got == "" || want == "" || !nearly(got, want)) {
		t.Fatalf("%+v: the share of %s is %q, want %q", q, r.Unit.Label, got, want)
	}
}

// nearly lets the last digit differ: one side rounds half to even, the other half up.
func nearly(a, b string) bool {
	x, _ := new(big.Rat).SetString(a)
	y, _ := new(big.Rat).SetString(b)
	return x.Sub(x, y).Abs(x).Cmp(big.NewRat(1, 1_000_000)) <= 0
}

// checkSubtotals compares subtotals with a loop, and counts that they are all there.
func checkSubtotals(t *testing.T, list []sale, q Query, a *Answer) {
	t.Helper()
	want := 0
	if len(q.By) > 0 {
		groups, units := map[string]bool{}, map[string]bool{}
		for _, r := range rowsOf(a, table.Group) {
			groups[dataset.GroupKey(r.Group)], units[strings.TrimSuffix(r.Key, dataset.GroupKey(r.Group))] = true, true
		}
		want = len(groups) + len(units)
	}
	rows := rowsOf(a, table.Subtotal)
	if len(rows) != want {
		t.Fatalf("%+v has %d subtotals, want %d", q, len(rows), want)
	}
	for _, r := range rows {
		var region *string
		if !r.Group[0].IsAll() {
			region = &r.Group[0].Text
		}
		if got := cells(a, r, own...); got != naive(list, r.Intervals, region) && (got != " " || !r.Intervals.Empty()) {
			t.Fatalf("%+v: the subtotal %v is %s, want %s", q, r.Group, got, naive(list, r.Intervals, region))
		}
	}
}

// expected is what a running or rolling figure of a row has to be.
func expected(blank, empty bool, want string) string {
	switch {
	case blank:
		return " "
	case empty:
		return "0 "
	}
	return want
}

// A whole year next to a part of one never comes without its warning, and making it like for like takes
// the cause away.
func TestAPartYearComparedWithAWholeOne(t *testing.T) {
	list := []sale{{civil.Of(2023, 1, 2), "North", 100, false}, {civil.Of(2026, 10, 19), "North", 100, false}}
	for _, over := range []string{"this year", "this month", "(this quarter or last full quarter)"} {
		for _, even := range []bool{false, true} {
			a, err := ask(
				t,
				list,
				civil.Of(2026, 10, 19),
				Query{Over: []string{over}, Against: []string{"year earlier"}, LikeForLike: even},
			)
			if err != nil {
				t.Fatal(err)
			}
			c := a.Spans[0].Comparisons[0]
			if c.LikeForLike != even || !even && (c.Cause.Code != table.CutOff || !c.Cause.Aligns) {
				t.Errorf("%s, like for like %v: %+v", over, even, c)
			}
			warned := slices.ContainsFunc(
				a.Notes,
				func(n table.Note) bool { return n.Code == table.NotLikeForLike && n.Level == table.Warning },
			)
			if warned == even {
				t.Errorf("%s, like for like %v: the notes are %v", over, even, a.Notes)
			}
		}
	}
}

func TestCauses(t *testing.T) {
	list := []sale{{civil.Of(2022, 1, 1), "North", 100, false}, {civil.Of(2026, 10, 19), "North", 100, false}}
	for _, c := range []struct {
		over, against string
		want          table.Code
	}{
		{"month to date", "year earlier", ""}, {"this year", "year earlier", table.CutOff}, {"this month", "prior", table.CutOff},
		{"year to date", "last full year", table.Lengths}, {"last full month", "prior", ""}, {"last full year", "4 years earlier", table.RecordsBegin},
		{"rest of this month", "year later", ""}, {"last full month", "this month", table.CounterpartCutOff},
	} {
		a, err := ask(t, list, civil.Of(2026, 10, 19), Query{Over: []string{c.over}, Against: []string{c.against}})
		if err != nil {
			t.Fatal(err)
		}
		got := table.Code("")
		if cause := a.Spans[0].Comparisons[0].Cause; cause != nil {
			got = cause.Code
		}
		if got != c.want {
			t.Errorf("%s against %s: %q, want %q", c.over, c.against, got, c.want)
		}
	}
}

// A month that has not happened is no fall of a hundred per cent.
func TestNothingIsComparedInTheFuture(t *testing.T) {
	list := []sale{{civil.Of(2025, 12, 1), "North", 100, false}, {civil.Of(2026, 10, 19), "North", 100, false}}
	a, err := ask(
		t,
		list,
		civil.Of(2026, 10, 19),
		Query{Over: []string{"this year"}, Against: []string{"year earlier"}, Each: "month", Running: "year"},
	)
	if err != nil {
		t.Fatal(err)
	}
	rows := rowsOf(a, table.Group)
	if got := cells(a, rows[11], "count_1_year_earlier", "count_1_year_earlier_change", "count_running"); got != "1  " ||
		!slices.Contains(rows[11].Flags, table.Future) {
		t.Errorf("December is %q, %v", got, rows[11].Flags)
	}
	if got := cells(a, rows[9], "count_running"); got != "1" || !slices.Contains(rows[9].Flags, table.InProgress) {
		t.Errorf("October is %q, %v", got, rows[9].Flags)
	}
	legend := 0
	for _, n := range a.Notes {
		if n.Code == table.Legend {
			legend++
		}
	}
	if legend != 3 {
		t.Errorf("three flags occur, and %d are explained: %v", legend, a.Notes)
	}
}

func TestQueriesAreChecked(t *testing.T) {
	list := []sale{{civil.Of(2026, 10, 19), "North", 100, false}}
	year := []string{"this year"}
	for _, c := range []struct {
		want, pointer string
		q             Query
	}{
		{"two meanings", "/over/1", Query{Over: []string{"this year", "last month"}}},
		{"against also takes prior", "/against/0", Query{Over: year, Against: []string{"last year"}}},
		{"running figure needs each", "/running", Query{Over: year, Running: "year"}},
		{"unit before needs each", "/previous", Query{Over: year, Previous: true}},
		{"share of a unit needs each", "/share", Query{Over: year, Share: "unit"}},
		{`share "whole": expected`, "/share", Query{Over: year, Share: "whole"}},
		{"top 2 needs a category", "", Query{Over: year, Top: 2}},
		{"no days; the columns of dates", "/date", Query{Over: year, Date: "amount"}},
		{"rolling figure needs each", "/rolling", Query{Over: year, Rolling: Window{Units: 3}}},
		{`each "fortnight"`, "/each", Query{Over: year, Each: "fortnight"}},
		{"a unit longer than month", "/running", Query{Over: year, Each: "month", Running: "week"}},
		{"rolling 1: expected 2", "/rolling", Query{Over: year, Each: "month", Rolling: Window{Units: 1}}},
		{"open on its left", "/over/0", Query{Over: []string{"all dates"}, Against: []string{"1 year earlier"}}},
		{"at most 9000", "/over/0", Query{Over: []string{"from 1990-01-01 through today"}, Each: "day"}},
		{`there is no column "color"`, "/by/0", Query{Over: year, By: []string{"color"}}},
		{"is not a category", "/by/0", Query{Over: year, By: []string{"day"}}},
		{"at most 2", "", Query{Over: year, By: []string{"region", "region", "region"}}},
		{"say what goes down", "/across", Query{Over: year, By: []string{"region"}, Across: "region"}},
		{"expected one of the categories", "/across", Query{Over: year, By: []string{"region"}, Across: "zone"}},
		{"more than 40000 periods", "/over/3", Query{Over: []string{"trailing 4000 days", "trailing 4001 days", "trailing 4002 days", "trailing 4003 days"}, Each: "day", Running: "year", Rolling: Window{Units: 7}}},
		{"compared with prior period: the period", "/against/0", Query{Over: []string{"from 0001-02-01 through today"}, Against: []string{"prior"}}},
	} {
		_, err := ask(t, list, civil.Of(2026, 10, 19), c.q)
		wrong, ok := err.(*Error)
		if !ok || !strings.Contains(err.Error(), c.want) || wrong.Pointer != c.pointer {
			t.Errorf("%+v gives %v at %+v, want %s at %s", c.q, err, wrong, c.want, c.pointer)
		}
	}
}

// A page as of an earlier day says what it would have said then: the same as from the records that
// were there by that day.
func TestKnownAsOfADay(t *testing.T) {
	rng := rand.New(rand.NewPCG(9, 9))
	pick := func(list ...string) string { return list[rng.IntN(len(list))] }
	for range 300 {
		list := randomSales(rng, 200)
		asOf := civil.Of(2025, 1, 1) + civil.Day(rng.IntN(400))
		list = append(list, sale{asOf, "North", 100, false}) // both reach the as-of day
		var then []sale
		for _, s := range list {
			if s.day <= asOf {
				then = append(then, s)
			}
		}
		q := Query{
			Over: []string{
				pick("this month", "trailing 60 days", "this year", "last full quarter", "coming 10 days including today"),
			}, Against: []string{pick("1 year earlier", "prior", "1 month later")},
			Each: pick(
				"month",
				"week",
			), Running: pick("", "year", "span"), Rolling: Window{Units: []int{0, 3}[rng.IntN(2)]}, Previous: true, Share: "span", Figures: countAndSum,
		}
		if rng.IntN(2) == 0 {
			q.By = []string{"region"}
		}
		answer := func(list []sale, planned bool) string {
			q.Planned = planned
			e := evaluator(t, asOf, &q)
			a, err := e.Answer(context.Background(), q, sales(list))
			if err != nil {
				t.Fatal(err)
			}
			return told(a)
		}
		if a, b := answer(list, false), answer(then, false); a != b && len(then) > 0 {
			t.Fatalf("%+v as of %s: with later records left out\n%s\nfrom those that were there\n%s", q, asOf, a, b)
		}
	}
}

// told writes down the cells of an answer's rows that have any; groups that only later records have
// are left out.
func told(a *Answer) string {
	var b strings.Builder
	for _, r := range a.Tables[0].Rows {
		text := ""
		for _, v := range r.Cells {
			text += v.String() + "|"
		}
		if strings.ContainsAny(text, "123456789") {
			fmt.Fprintln(&b, r.Key, text)
		}
	}
	return b.String()
}

// Made like-for-like, a span that ends before the as-of day stays as it is, and nothing is said of a cut.
func TestOnlyWhatReachesOnIsCut(t *testing.T) {
	list := []sale{{civil.Of(2026, 10, 19), "North", 100, false}, {civil.Of(2025, 9, 10), "North", 50, false}}
	a, err := ask(t, list, civil.Of(2026, 10, 19), Query{Over: []string{"last full month", "this month"}, Against: []string{"1 year earlier"}, LikeForLike: true})
	if err != nil {
		t.Fatal(err)
	}
	if got := fmt.Sprint(a.Spans[0].Intervals, a.Spans[1].Intervals, a.Spans[1].Comparisons[0].Intervals); got != "2026-09-01/2026-09-30 2026-10-01/2026-10-19 2025-10-01/2025-10-19" {
		t.Errorf("the days are %s", got)
	}
	for _, n := range a.Notes {
		if n.Level == table.Caution {
			t.Errorf("there is a caution: %s", n.Text)
		}
	}
}
