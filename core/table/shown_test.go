package table

import (
	"slices"
	"strings"
	"testing"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
)

// told is an answer over two spans by region, with one comparison.
func told() *Answer {
	days := func(from, through string) Extent {
		first, _ := civil.ParseDay(from)
		last, _ := civil.ParseDay(through)
		set := civil.SetOf(civil.Through(first, last))
		return Extent{Intervals: set, Days: Days(set)}
	}
	september, october := days("2026-09-01", "2026-09-30"), days("2026-10-01", "2026-10-19")
	before := days("2025-09-01", "2025-09-30")
	a := &Answer{
		Dataset: "crossings", Date: "sailed_on", AsOf: civil.Of(2026, 10, 19), AtClose: true, Calendar: "civil",
		Spans: []Span{
			{Expression: "@closed", Extent: september, Comparisons: []Comparison{{Name: "1 year earlier", Extent: before, LikeForLike: true}}},
			{Expression: "month to date", Extent: october, Comparisons: []Comparison{{
				Name: "plan", Dataset: "hopes", Extent: october, Cause: &Cause{Code: RecordsBegin, Text: "records begin later"},
			}}},
		},
		Notes: []Note{{Filtered, Info, "channel is web", false}, {Excluded, Warning, "14 excluded", false}, {Units, Info, "fare in EUR", false}},
	}
	t := Table{By: []string{"region"}, Columns: []Column{
		{ID: "sum_fare", Title: "sum of fare", Role: Figure}, {ID: "b", Title: "1 year earlier", Role: Counterpart},
		{ID: "c", Title: "change", Role: Change}, {ID: "count", Title: "count", Role: Figure, Figure: 1},
		{ID: "d", Title: "1 year earlier", Role: Counterpart, Figure: 1},
	}}
	cells := func(texts ...string) (list []decimal.Value) {
		for _, text := range texts {
			list = append(list, number(text))
		}
		return list
	}
	for i := range a.Spans {
		t.Rows = append(t.Rows,
			Row{Kind: Group, Span: i, Extent: a.Spans[i].Extent, Group: []dataset.Label{dataset.LabelOf("North")}, Cells: cells("1234.50", "1000", "0.2345", "3", "2")},
			Row{Kind: Group, Span: i, Extent: a.Spans[i].Extent, Group: []dataset.Label{{}}, Cells: cells("", "", "", "0", "1")},
			Row{Kind: Total, Span: i, Extent: a.Spans[i].Extent, Group: []dataset.Label{dataset.All}, Cells: cells("1234.50", "1000", "0.2345", "3", "3")})
	}
	a.Tables = []Table{t}
	return a
}

func TestSpansStandAboveTheirRows(t *testing.T) {
	shown := told().Shown(false)
	if len(shown) != 2 || shown[0].Head[0] != "@closed: Tue 1 Sep 2026 to Wed 30 Sep 2026, 30 days" ||
		shown[1].Head[0] != "month to date: Thu 1 Oct 2026 to Mon 19 Oct 2026, 19 days" {
		t.Fatalf("the heads are %q and %q", shown[0].Head, shown[1].Head)
	}
	s := shown[0]
	want := []string{"region", "sum of fare", "sum of fare, 1 year earlier", "change", "count", "count, 1 year earlier"}
	if !slices.Equal(s.Header, want) || s.Lead != 1 || !slices.Equal(s.Groups, []int{0, 1, 2, 2, 3, 4}) {
		t.Errorf("the columns are %q, %d lead, in groups %v", s.Header, s.Lead, s.Groups)
	}
	if len(s.Rows) != 3 || strings.Join(s.Rows[0], " ") != "North 1,234.50 1,000 ▲ 23.4% 3 2" || s.Rows[1][0] != "(blank)" || s.Rows[2][0] != "all" {
		t.Errorf("the rows are %q", s.Rows)
	}
	if s.Columns[0] != nil || s.Columns[3].Role != Change || !s.Values[0][3].Set || s.Values[1][1].Set || s.Right[0] || !s.Right[1] {
		t.Errorf("the columns hold %v, right are %v", s.Columns, s.Right)
	}
}

func TestWideTablesHaveTheirSpansOnEveryLine(t *testing.T) {
	a := told()
	a.Beside = &Beside{Header: []string{"crew"}, Rows: [][]string{{"A"}, {"B"}}}
	shown := a.Shown(true)
	if len(shown) != 1 || len(shown[0].Rows) != 6 || len(shown[0].Head) != 0 {
		t.Fatalf("%d tables of %d rows", len(shown), len(shown[0].Rows))
	}
	if got := strings.Join(shown[0].Rows[3][:6], " | "); got != "B | month to date | Thu 1 Oct 2026 | Mon 19 Oct 2026 | 19 | North" {
		t.Errorf("a row is %s", got)
	}
	if apart := a.Shown(false); apart[1].Head[0] != "month to date: Thu 1 Oct 2026 to Mon 19 Oct 2026, 19 days; crew B" {
		t.Errorf("the head is %q", apart[1].Head)
	}
	if !shown[0].Right[4] || shown[0].Right[1] {
		t.Errorf("to the right are %v", shown[0].Right)
	}
}

func TestWhatAnAnswerRestsOn(t *testing.T) {
	d := told().Document()
	var lines []string
	for _, f := range d.About {
		lines = append(lines, strings.TrimSpace(f.Name+" "+f.Of)+": "+f.Text)
	}
	want := []string{
		"dataset: crossings", "by: sailed_on", "as of: 2026-10-19, at close", "calendar: civil",
		"span @closed: 2026-09-01 to 2026-09-30, 30 days", "compared with 1 year earlier: 2025-09-01 to 2025-09-30, 30 days",
		"span month to date: 2026-10-01 to 2026-10-19, 19 days",
		"compared with plan (hopes): 2026-10-01 to 2026-10-19, 19 days; not like for like: records begin later",
		"filter: channel is web", "warning: 14 excluded", "note: fare in EUR",
	}
	if !slices.Equal(lines, want) {
		t.Errorf("it rests on\n%s\nwant\n%s", strings.Join(lines, "\n"), strings.Join(want, "\n"))
	}
	if len(d.Readable()) != 2 || len(d.Sheets()) != 1 || len(d.All.Rows) != 4 { // totals are not among the records of a grid
		t.Errorf("it has %d tables, %d sheets and %d rows", len(d.Readable()), len(d.Sheets()), len(d.All.Rows))
	}
}

func TestDaysAsTexts(t *testing.T) {
	day := civil.Of(2026, 9, 1)
	one := civil.SetOf(civil.Through(day, day))
	two := civil.Union(civil.Through(day, day), civil.Through(day+4, day+6))
	var many []civil.Interval
	for i := range civil.Day(30) {
		many = append(many, civil.Through(day+2*i, day+2*i))
	}
	for _, c := range []struct {
		set        civil.Set
		text, long string
	}{
		{civil.Set{}, "no days", "no days"},
		{one, "2026-09-01, 1 day", "Tue 1 Sep 2026, 1 day"},
		{two, "2026-09-01; 2026-09-05 to 2026-09-07, 4 days", "Tue 1 Sep 2026 to Mon 7 Sep 2026, 4 days in 2 periods"},
		{civil.Union(many...), "; and 10 more periods", "30 days in 30 periods"},
	} {
		e := Extent{Intervals: c.set, Days: Days(c.set)}
		if !strings.HasSuffix(e.Text(), c.text) || !strings.HasSuffix(e.Long(), c.long) {
			t.Errorf("%v is %q and %q, want %q and %q", c.set, e.Text(), e.Long(), c.text, c.long)
		}
	}
}

func TestGridsAreReadable(t *testing.T) {
	d := &Document{Title: "days", Apart: []Sheet{
		{"one", &Grid{Header: []string{"span", "n", "zip"}, Labels: []string{"span"}, Rows: [][]string{{"2026", "-1.5", "00501"}, {"2025", "", ""}}}},
		{"two", &Grid{Header: []string{"empty"}}},
	}}
	shown := d.Readable()
	if len(shown) != 2 || shown[0].Title != "one" || shown[0].Right[0] || !shown[0].Right[1] || shown[0].Right[2] || shown[1].Right[0] {
		t.Errorf("it reads as %+v", shown)
	}
	for cell, is := range map[string]bool{"5": true, "-0.5": true, "0": true, "00501": false, "+5": false, "": false, "x": false, "1e5": false, "-": false} {
		if IsNumber(cell) != is {
			t.Errorf("%q is a number: %t", cell, !is)
		}
	}
}
