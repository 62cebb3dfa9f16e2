package service

import (
	"context"
	"fmt"
	"math/big"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"vastspan/core/book"
	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/tally"
	"vastspan/internal/tabular"
)

// sale is one record of the tests.
type sale struct {
	day    civil.Day
	region string
	cents  int64
	blank  bool
}

func randomSales(rng *rand.Rand, n int) []sale {
	list := make([]sale, n)
	for i := range list {
		list[i] = sale{civil.Of(2024, 11, 1) + civil.Day(rng.IntN(500)), []string{"North", "South", ""}[rng.IntN(3)], int64(rng.IntN(20000) - 2000), rng.IntN(9) == 0}
	}
	return list
}

func asCSV(list []sale) string {
	var b strings.Builder
	b.WriteString("day,region,amount\n")
	for _, s := range list {
		amount := fmt.Sprintf("%.2f", float64(s.cents)/100)
		if s.blank {
			amount = ""
		}
		fmt.Fprintf(&b, "%s,%s,%s\n", s.day, s.region, amount)
	}
	return b.String()
}

// naive counts and adds up, record by record: "count sum", the sum blank where there is no amount.
func naive(list []sale, days civil.Set, region *string) string {
	count, some, sum := 0, false, int64(0)
	for _, s := range list {
		if days.Contains(s.day) && (region == nil || s.region == *region) {
			count++
			if !s.blank {
				some, sum = true, sum+s.cents
			}
		}
	}
	if !some {
		return fmt.Sprintf("%d ", count)
	}
	return fmt.Sprintf("%d %s", count, big.NewRat(sum, 100).FloatString(2))
}

func shown(values []tally.Value) string { return values[0].String() + " " + values[1].String() }

func testLibrary(t *testing.T) *book.Library {
	t.Helper()
	l, err := book.Read([]byte(`book: 1
calendars:
  - {name: april, kind: months, year-starts: 04-01, year-label: starting}
  - {name: trade, kind: weeks, pattern: 4-4-5, year-ends: {day: saturday, rule: nearest, month: january}, year-label: starting}
`))
	if err != nil {
		t.Fatal(err)
	}
	return l
}

func ask(t *testing.T, l *book.Library, list []sale, asOf civil.Day, q Question) (*Total, error) {
	t.Helper()
	r, err := tabular.NewReader(strings.NewReader(asCSV(list)))
	if err != nil {
		t.Fatal(err)
	}
	schema, err := tabular.Infer(r.Header, r.Sample, tabular.Wishes{Date: "day", Amounts: []string{"amount"}, Categories: []string{"region"}})
	if err != nil {
		t.Fatal(err)
	}
	q.Figures = []tally.Figure{{Kind: tally.Count}, {Kind: tally.Sum, Column: "amount"}}
	return Answer(context.Background(), Records{"sales", schema, &tabular.Source{Reader: r, Schema: schema}}, l, asOf, q, nil)
}

// Every figure of thousands of rows, by itself, beside its counterpart, running and rolling, is what
// a loop over all records gives.
func TestBreakdownsAgainstALoop(t *testing.T) {
	rng := rand.New(rand.NewPCG(4, 2))
	l := testLibrary(t)
	pick := func(list ...string) string { return list[rng.IntN(len(list))] }
	rows := 0
	for range 400 {
		list := randomSales(rng, 300)
		asOf := civil.Of(2025, 6, 1) + civil.Day(rng.IntN(300))
		each := pick("week", "month", "quarter")
		q := Question{
			Over:    []string{pick("this year", "year to date", "last 3 full months", "trailing 100 days", "this half", "last full quarter, only Sat/Sun")},
			Against: []string{pick("1 year earlier", "52 weeks earlier", "prior", "last full quarter")},
			Each:    each, Running: pick("", "year", "half", "span"), Rolling: []int{0, 2, 5}[rng.IntN(3)], Even: rng.IntN(3) == 0, Planned: rng.IntN(4) == 0,
			Reading: Reading{Calendar: pick("civil", "april", "trade")}, Previous: rng.IntN(2) == 0, Share: pick("", "span", "unit"), Edges: true, BlankIncomplete: rng.IntN(3) == 0,
		}
		if each == "quarter" && q.Running == "quarter" {
			q.Running = "year"
		}
		if rng.IntN(2) == 0 {
			q.By = []string{"region"}
		}
		total, err := ask(t, l, list, asOf, q)
		if err != nil {
			t.Fatalf("%+v: %v", q, err)
		}
		rows += checkBreakdown(t, l, list, asOf, q, total)
	}
	t.Logf("%d rows compared", rows)
}

func checkBreakdown(t *testing.T, l *book.Library, list []sale, asOf civil.Day, q Question, total *Total) int {
	t.Helper()
	cal, err := l.Calendar(q.Calendar)
	if err != nil {
		t.Fatal(err)
	}
	sp := total.Spans[0]
	if got, want := shown(sp.Total.Values), naive(list, sp.Days, nil); got != want {
		t.Fatalf("%+v as of %s: the total is %s, want %s", q, asOf, got, want)
	}
	if got, want := comparedWith(sp.Total), naive(list, sp.Counterparts[0].Days, nil); got != want {
		t.Fatalf("%+v as of %s: the counterpart is %s, want %s", q, asOf, got, want)
	}
	each, _ := calendar.ParseUnit(q.Each)
	covered := civil.Set{}
	for _, r := range sp.Rows {
		u := r.Unit
		covered = covered.Union(u.Days)
		var region *string
		if len(q.By) > 0 {
			region = &r.Group[0].Text
		}
		if got, want := shown(r.Values), naive(list, u.Days, region); got != want {
			t.Fatalf("%+v as of %s: %s is %s, want %s", q, asOf, u.Label, got, want)
		}
		blank := u.Whole.Start > asOf && !q.Planned
		checkShare(t, list, q, sp, r, blank, region)
		if i := slices.IndexFunc(sp.Rows, func(other Row) bool { return other.Unit.Label == u.Label }); q.Previous {
			before, err := cal.Index(each, u.Whole.Start)
			if err != nil {
				t.Fatal(err)
			}
			whole, err := cal.Unit(each, before-1)
			if err != nil {
				t.Fatal(err)
			}
			days := civil.SetOf(whole)
			if i > 0 {
				days = sp.Rows[i-1].Unit.Days
			}
			if got, want := r.Previous[0].Against.String()+" "+r.Previous[1].Against.String(), naive(list, days, region); got != want {
				t.Fatalf("%+v as of %s: before %s is %s, want %s", q, asOf, u.Label, got, want)
			}
		}
		if q.Running != "" {
			from := civil.Since
			if reset, ok := calendar.ParseUnit(q.Running); ok && !u.Days.Empty() {
				holding, err := cal.Holding(reset, u.Days.Hull().First())
				if err != nil {
					t.Fatal(err)
				}
				from = holding.Start
			}
			days := civil.SetOf(civil.Interval{Start: from, End: u.Days.Hull().End})
			if q.Running == runningSpan || sp.Days.Len() > 1 {
				days = days.Intersect(sp.Days)
			}
			expect(t, r.Running, blank, u.Days.Empty(), naive(list, days, region), fmt.Sprintf("%+v as of %s: running %s", q, asOf, u.Label))
		}
		if q.Rolling > 0 {
			start := u.Whole.Start
			for range q.Rolling - 1 {
				before, err := cal.Holding(each, start-1)
				if err != nil {
					t.Fatal(err)
				}
				start = before.Start
			}
			days := civil.SetOf(civil.Interval{Start: start, End: u.Days.Hull().End})
			expect(t, r.Rolling, blank || r.Incomplete && q.BlankIncomplete, u.Days.Empty(), naive(list, days, region), fmt.Sprintf("%+v as of %s: rolling %s", q, asOf, u.Label))
			if !blank && !u.Days.Empty() && r.Incomplete != (start < total.Extent.Oldest) {
				t.Fatalf("%+v as of %s: %s incomplete is %v, its window begins on %s", q, asOf, u.Label, r.Incomplete, start)
			}
		}
	}
	checkEdges(t, list, q, sp)
	if !covered.Equal(sp.Days) {
		t.Fatalf("%+v as of %s: the rows cover %s of %s", q, asOf, covered, sp.Days)
	}
	return len(sp.Rows)
}

// checkShare compares the share of a count: of its span, or of its unit.
func checkShare(t *testing.T, list []sale, q Question, sp SpanTotal, r Row, blank bool, region *string) {
	t.Helper()
	if q.Share == "" {
		return
	}
	of := sp.Days
	if q.Share == ShareOfUnit {
		of = r.Unit.Days
	}
	count := func(days civil.Set, region *string) (n int64) {
		_, err := fmt.Sscan(naive(list, days, region), &n)
		if err != nil {
			t.Fatal(err)
		}
		return n
	}
	part, whole := count(r.Unit.Days, region), count(of, nil)
	want := ""
	if whole != 0 && !blank {
		want = big.NewRat(part, whole).FloatString(6)
	}
	got := r.Share[0].String()
	if got != want && (got == "" || want == "" || !nearly(got, want)) {
		t.Fatalf("%+v: the share of %s is %q, want %q", q, r.Unit.Label, got, want)
	}
}

// nearly lets the last digit differ: one side rounds half to even, the other half up.
func nearly(a, b string) bool {
	x, _ := new(big.Rat).SetString(a)
	y, _ := new(big.Rat).SetString(b)
	return x.Sub(x, y).Abs(x).Cmp(big.NewRat(1, 1_000_000)) <= 0
}

// checkEdges compares the totals at the edges with a loop, and counts that they are all there.
func checkEdges(t *testing.T, list []sale, q Question, sp SpanTotal) {
	t.Helper()
	want := 0
	if len(q.By) > 0 {
		groups := map[string]bool{}
		units := map[string]bool{}
		for _, r := range sp.Rows {
			groups[tally.GroupKey(r.Group)], units[r.Unit.Label] = true, true
		}
		want = len(groups) + len(units)
	}
	if len(sp.Edges) != want {
		t.Fatalf("%+v has %d edges, want %d", q, len(sp.Edges), want)
	}
	for _, r := range sp.Edges {
		days, region := sp.Days, (*string)(nil)
		if r.Unit != nil {
			days = r.Unit.Days
		}
		if !r.Group[0].IsAll() {
			region = &r.Group[0].Text
		}
		if got := shown(r.Values); got != naive(list, days, region) {
			t.Fatalf("%+v: the edge %v is %s, want %s", q, r.Group, got, naive(list, days, region))
		}
	}
}

func comparedWith(r Row) string {
	return r.Against[0][0].Against.String() + " " + r.Against[0][1].Against.String()
}

func expect(t *testing.T, values []tally.Value, blank, empty bool, want, what string) {
	t.Helper()
	if empty {
		want = "0 "
	}
	if blank {
		want = " "
	}
	if got := shown(values); got != want {
		t.Fatalf("%s is %q, want %q", what, got, want)
	}
}

// A whole year beside a part of one never comes without its warning, and --even takes the cause away.
func TestAPartYearBesideAWholeOneIsUneven(t *testing.T) {
	l := testLibrary(t)
	list := []sale{{civil.Of(2023, 1, 2), "North", 100, false}, {civil.Of(2026, 10, 19), "North", 100, false}}
	for _, over := range []string{"this year", "this month", "this quarter or last full quarter"} {
		for _, even := range []bool{false, true} {
			q := Question{Over: []string{over}, Against: []string{"year earlier"}, Even: even}
			if strings.Contains(over, " or ") {
				q.Over = []string{"(" + over + ")"}
			}
			total, err := ask(t, l, list, civil.Of(2026, 10, 19), q)
			if err != nil {
				t.Fatal(err)
			}
			if uneven := total.Spans[0].Counterparts[0].Uneven; (uneven == "") != even {
				t.Errorf("%s, even %v: uneven is %q", over, even, uneven)
			}
		}
	}
}

// A month that has not happened is no fall of a hundred per cent.
func TestNothingIsComparedAhead(t *testing.T) {
	l := testLibrary(t)
	list := []sale{{civil.Of(2025, 12, 1), "North", 100, false}, {civil.Of(2026, 10, 19), "North", 100, false}}
	total, err := ask(t, l, list, civil.Of(2026, 10, 19), Question{Over: []string{"this year"}, Against: []string{"year earlier"}, Each: "month", Running: "year"})
	if err != nil {
		t.Fatal(err)
	}
	december := total.Spans[0].Rows[11]
	c := december.Against[0][0]
	if !december.Unit.Ahead || c.Against.String() != "1" || c.Change.Set || c.Direction != "" || december.Running[0].Set {
		t.Errorf("December is %+v", december)
	}
	if october := total.Spans[0].Rows[9]; !october.Unit.InProgress || october.Running[0].String() != "1" {
		t.Errorf("October is %+v", october)
	}
}

func TestQuestionsAreChecked(t *testing.T) {
	l := testLibrary(t)
	list := []sale{{civil.Of(2026, 10, 19), "North", 100, false}}
	year := []string{"this year"}
	for want, q := range map[string]Question{
		"two readings":                       {Over: []string{"last month"}},
		"against also takes prior":           {Over: year, Against: []string{"last year"}},
		"running figure needs each":          {Over: year, Running: "year"},
		"unit before needs each":             {Over: year, Previous: true},
		"share of a unit needs each":         {Over: year, Share: "unit"},
		`share "whole": expected`:            {Over: year, Share: "whole"},
		"top 2 needs a category":             {Over: year, Top: 2},
		"gives no day; the columns of dates": {Over: year, Date: "amount"},
		"rolling figure needs each":          {Over: year, Rolling: 3},
		`each "fortnight"`:                   {Over: year, Each: "fortnight"},
		"a unit longer than month":           {Over: year, Each: "month", Running: "week"},
		"rolling 1: expected 2":              {Over: year, Each: "month", Rolling: 1},
		"each week needs a span with both":   {Over: []string{"all dates"}, Each: "week"},
		"at most 5000":                       {Over: []string{"from 1990-01-01 through today"}, Each: "day"},
		"no calendar is named moon":          {Over: year, Reading: Reading{Calendar: "moon"}},
		`there is no column "color"`:         {Over: year, By: []string{"color"}},
		"holds numbers and is no category":   {Over: year, By: []string{"amount"}},
		"at most 2":                          {Over: year, By: []string{"region", "region", "region"}},
		"more than 40000 stretches":          {Over: []string{"trailing 4000 days", "trailing 4001 days", "trailing 4002 days", "trailing 4003 days"}, Each: "day", Running: "year", Rolling: 7},
		"against prior: the stretch before":  {Over: []string{"from 0001-02-01 through today"}, Against: []string{"prior"}},
	} {
		if _, err := ask(t, l, list, civil.Of(2026, 10, 19), q); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%+v gives %v, want %s", q, err, want)
		}
	}
}
