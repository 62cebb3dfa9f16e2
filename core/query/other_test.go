package query

import (
	"context"
	"slices"
	"strings"
	"testing"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/table"
)

// planned returns a plan for 2026, in records dated on the first of each month.
func planned(grain string) Records {
	schema := &dataset.Schema{Grain: grain, Columns: []dataset.Column{
		{
			Name: "month",
			Type: dataset.Date,
			Role: dataset.DayRole,
		}, {Name: "region", Type: dataset.Text, Role: dataset.Category}, {Name: "target", Type: dataset.Number, Role: dataset.Amount},
	}}
	sep, oct, nov := civil.Of(2026, 9, 1), civil.Of(2026, 10, 1), civil.Of(2026, 11, 1)
	return memory{schema, []record{
		{
			sep,
			[]string{"North"},
			[]string{"90"},
		}, {sep, []string{"South"}, []string{"10"}}, {oct, []string{"North"}, []string{"100"}}, {nov, []string{"North"}, []string{"110"}}, {nov, []string{"West"}, []string{"5"}},
	}}.as("plan")
}

func askPlan(t *testing.T, grain string, q Query) (*Answer, error) {
	t.Helper()
	list := []sale{
		{civil.Of(2026, 9, 1), "North", 8000, false},
		{civil.Of(2026, 9, 30), "South", 1500, false},
		{civil.Of(2026, 10, 19), "North", 4000, false},
	}
	q.Figures = countAndSum[1:]
	e := evaluator(t, civil.Of(2026, 10, 19), &q)
	e.Find = func(context.Context, string) (Records, error) { return planned(grain), nil }
	return e.Answer(context.Background(), q, sales(list))
}

var target = []Other{{Dataset: "plan", Columns: map[string]string{"amount": "target"}}}

func TestComparedWithAnotherDataset(t *testing.T) {
	compared := []string{"sum_amount", "sum_amount_plan", "sum_amount_plan_difference", "sum_amount_plan_change"}
	a, err := askPlan(t, "month", Query{Over: []string{"last full month"}, By: []string{"region"}, AgainstDataset: target})
	if err != nil {
		t.Fatal(err)
	}
	if got := cells(a, rowsOf(a, table.Total)[0], compared...); got != "95.00 100 -5.00 -0.05" {
		t.Errorf("September is %s", got)
	}
	if c := a.Spans[0].Comparisons[0]; !c.LikeForLike || c.Dataset != "plan" || c.Name != "plan" {
		t.Errorf("the comparison is %+v", c)
	}
	// A group that only the plan has is a row as well.
	a, err = askPlan(
		t,
		"month",
		Query{Over: []string{"from 2026-09-01 through 2026-11-30"}, By: []string{"region"}, AgainstDataset: target, Each: "month", Planned: true},
	)
	if err != nil {
		t.Fatal(err)
	}
	var told []string
	for _, r := range rowsOf(a, table.Group) {
		told = append(told, r.Unit.Label+" "+r.Group[0].Text+" "+cells(a, r, compared[:3]...))
	}
	want := "Sep 2026 North 80.00 90 -10.00|Sep 2026 South 15.00 10 5.00|Sep 2026 West   |Oct 2026 North 40.00 100 -60.00|Oct 2026 South   |Oct 2026 West   |Nov 2026 North  110 |Nov 2026 South   |Nov 2026 West  5 "
	if got := strings.Join(told, "|"); got != want {
		t.Errorf("the rows are\n%s, want\n%s", got, want)
	}
}

// A plan by months is never compared with a part of a month without a word.
func TestAPlanComparedWithAPartOfItsMonth(t *testing.T) {
	for _, c := range []struct {
		over, grain string
		even        bool
		want        string
	}{
		{"last full month", "month", false, ""},
		{"month to date", "month", false, "a record of plan stands for a whole month, and Oct 2026 is cut"},
		{"month to date", "", false, ""},
		{"this month", "month", false, "a record of plan stands for a whole month, and Oct 2026 is cut"},
		{"this month", "month", true, "a record of plan stands for a whole month, and Oct 2026 is cut"},
		{"2025", "month", false, ""}, // neither covers any of it
		{"from 2026-10-01 through 2026-12-31", "", false, "the span covers 19 of its 92 days: records end on Mon 19 Oct 2026, 73 days before the span does; the counterpart covers 32 of its 92 days: the records of plan end on Sun 1 Nov 2026, 60 days before the counterpart does"},
	} {
		q := Query{
			Over:           []string{c.over},
			AgainstDataset: target,
			LikeForLike:    c.even,
			Planned:        strings.HasPrefix(c.over, "from"),
		}
		a, err := askPlan(t, c.grain, q)
		if err != nil {
			t.Fatal(err)
		}
		got, aligns := "", false
		if cause := a.Spans[0].Comparisons[0].Cause; cause != nil {
			got, aligns = cause.Text, cause.Aligns
		}
		if got != c.want || aligns != strings.Contains(c.want, "records end") {
			t.Errorf("%s, like for like %v, grain %q: %q (aligns %v), want %q", c.over, c.even, c.grain, got, aligns, c.want)
		}
	}
	a, err := askPlan(t, "month", Query{Over: []string{"quarter to date"}, AgainstDataset: target, Each: "month"})
	if err != nil {
		t.Fatal(err)
	}
	if r := a.Tables[0].Rows[0]; !slices.Contains(r.Flags, table.Unlike) || !slices.Contains(r.Flags, table.Partial) {
		t.Errorf("the flags of October are %v", r.Flags)
	}
}

func TestOtherRecordsAreChecked(t *testing.T) {
	north, err := dataset.ParseFilters([]string{"region=North"})
	if err != nil {
		t.Fatal(err)
	}
	for text, want := range map[string]string{
		"plan":                         `compared with plan: there is no column "amount"; its columns are month, region, target: say which`,
		"plan amount=target fare=x":    "fare stands for no column of the query",
		"plan amount=target region=zz": `no column "zz"`,
		"plan amount=region":           "sum needs numbers",
	} {
		other, err := ParseOther(text)
		if err != nil {
			t.Fatal(err)
		}
		_, err = askPlan(t, "month", Query{Over: []string{"2026"}, Where: north, AgainstDataset: []Other{other}})
		if wrong, ok := err.(*Error); !ok || !strings.Contains(err.Error(), want) || wrong.Pointer != "/against_dataset/0" {
			t.Errorf("%s gives %v, want %s", text, err, want)
		}
	}
	// Filters of its own take the place of the query's.
	own, err := ParseOther("plan amount=target where target>=0")
	if err != nil {
		t.Fatal(err)
	}
	a, err := askPlan(t, "month", Query{Over: []string{"last full month"}, Where: north, AgainstDataset: []Other{own}})
	if err != nil {
		t.Fatal(err)
	}
	if got := cells(a, a.Tables[0].Rows[0], "sum_amount", "sum_amount_plan"); got != "80.00 100" {
		t.Errorf("with filters of its own: %s", got)
	}
}

// The top values of the main records are those of the records that they are compared with, too.
func TestTopWithAnotherDataset(t *testing.T) {
	list := []sale{
		{civil.Of(2026, 9, 1), "North", 500, false},
		{civil.Of(2026, 9, 2), "South", 900, false},
		{civil.Of(2026, 9, 3), "West", 700, false},
		{civil.Of(2026, 9, 4), "", 100, false},
	}
	q := Query{Over: []string{"2026-09"}, Figures: countAndSum[1:], By: []string{"region"}, Top: 2, AgainstDataset: target, Share: "span"}
	e := evaluator(t, civil.Of(2026, 10, 19), &q)
	e.Find = func(context.Context, string) (Records, error) { return planned("month"), nil }
	a, err := e.Answer(context.Background(), q, sales(list))
	if err != nil {
		t.Fatal(err)
	}
	var rows []string
	for _, r := range rowsOf(a, table.Group) {
		rows = append(rows, table.LabelText(r.Group[0], a.Others)+" "+cells(a, r, "sum_amount", "sum_amount_plan", "sum_amount_share"))
	}
	// The plan has no West; its North goes to the others, as the sales' does.
	if got, want := strings.Join(rows, "|"), "South 9.00 10 0.409090909091|West 7.00  0.318181818182|(the other 2) 6.00 90 0.272727272727"; got != want ||
		a.Others != 2 {
		t.Errorf("%s, %d others; want %s", got, a.Others, want)
	}
}

// Categories whose values are all, (blank) or like a total keep their numbers in a cross-tab.
func TestCrossTabsOfCollidingLabels(t *testing.T) {
	day := civil.Of(2026, 9, 3)
	list := []sale{
		{day, "all", 1000, false},
		{day, "North", 500, false},
		{day, "(blank)", 300, false},
		{day, "", 200, false},
		{day, "total", 400, false},
	}
	a, err := ask(
		t,
		list,
		civil.Of(2026, 10, 19),
		Query{Over: []string{"last full month"}, Figures: countAndSum[1:], By: []string{"region"}, Across: "region", Each: "month"},
	)
	if err != nil {
		t.Fatal(err)
	}
	tab := a.Tables[0]
	var told []string
	for i, c := range tab.Columns {
		told = append(told, c.ID+"="+tab.Rows[0].Cells[i].String())
	}
	if got, want := strings.Join(told, " "), "(blank)=3.00 North=5.00 all=10.00 total=4.00 (blank)_2=2.00 all_2=24.00"; got != want {
		t.Errorf("the cross-tab is %s, want %s", got, want)
	}
	if len(tab.Rows) != 2 || tab.Rows[1].Kind != table.Total || tab.Rows[1].Cells[5].String() != "24.00" {
		t.Errorf("its rows are %+v", tab.Rows)
	}
	g := a.Grid()
	if got := strings.Join(g.Header, ","); got != "span,first_day,last_day,days,figure,row,unit,(blank),North,all,total,,total,flags" {
		t.Errorf("the header is %s", got)
	}
	if got := strings.Join(g.Rows[0], ","); got != "last full month,2026-09-01,2026-09-30,30,sum_amount,group,Sep 2026,3.00,5.00,10.00,4.00,2.00,24.00," {
		t.Errorf("the row is %s", got)
	}
}

// The spans of filters are read as of the query's day and named in the answer with the definitions that they use; other
// records with filters of their own have theirs read, too.
func TestFiltersBySpans(t *testing.T) {
	filtered := func(texts ...string) dataset.Filters {
		filters, err := dataset.ParseFilters(texts)
		if err != nil {
			t.Fatal(err)
		}
		return filters
	}
	own, err := ParseOther(`plan amount=target where "month before this month"`)
	if err != nil {
		t.Fatal(err)
	}
	a, err := askPlan(t, "month", Query{Over: []string{"year to date"}, Where: filtered("day in last full month or day blank"), AgainstDataset: []Other{own}})
	if err != nil {
		t.Fatal(err)
	}
	whole, err := askPlan(t, "month", Query{Over: []string{"last full month"}})
	if err != nil {
		t.Fatal(err)
	}
	if got, want := a.Tables[0].Rows[0].Cells[0].String(), whole.Tables[0].Rows[0].Cells[0].String(); got != want || got == "" {
		t.Errorf("the year's records in last full month come to %s, last full month to %s", got, want)
	}
	note := ""
	for _, n := range a.Notes {
		if n.Code == table.Filtered {
			note = n.Text
		}
	}
	if !strings.Contains(note, "day in last full month or day is blank; in last full month: ") {
		t.Errorf("the filter's days are not told: %q", note)
	}
	if len(a.Filters) != 2 || a.Filters[0].String() != "last full month" || a.Filters[1].String() != "this month" {
		t.Errorf("the filters' expressions are %v", a.Filters)
	}
	for _, text := range []string{"day in @nothing", "day in last month", "day after month to date excluding today"} {
		_, err := askPlan(t, "month", Query{Over: []string{"2026"}, Where: filtered(text), Context: Context{AsOf: "2026-10-01"}})
		if wrong, ok := err.(*Error); err != nil && (!ok || wrong.Pointer != "/where") {
			t.Errorf("%s gives %v", text, err)
		} else if err == nil && !strings.Contains(text, "excluding") {
			t.Errorf("%s is accepted", text)
		}
	}
}
