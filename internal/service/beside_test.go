package service

import (
	"context"
	"strings"
	"testing"

	"vastspan/core/civil"
	"vastspan/core/tally"
	"vastspan/internal/tabular"
)

// planned gives a plan by months for 2026, in records dated on the first of each month.
func planned(t *testing.T, covers string) Records {
	t.Helper()
	r, err := tabular.NewReader(strings.NewReader("month,region,target\n2026-09-01,North,90\n2026-09-01,South,10\n2026-10-01,North,100\n2026-11-01,North,110\n2026-11-01,West,5\n"))
	if err != nil {
		t.Fatal(err)
	}
	schema, err := tabular.Infer(r.Header, r.Sample, tabular.Wishes{Date: "month", Amounts: []string{"target"}, Categories: []string{"region"}})
	if err != nil {
		t.Fatal(err)
	}
	schema.Covers = covers
	return Records{"plan", schema, &tabular.Source{Reader: r, Schema: schema}}
}

func askBeside(t *testing.T, covers string, q Question) (*Total, error) {
	t.Helper()
	list := []sale{{civil.Of(2026, 9, 3), "North", 8000, false}, {civil.Of(2026, 9, 30), "South", 1500, false}, {civil.Of(2026, 10, 19), "North", 4000, false}}
	r, err := tabular.NewReader(strings.NewReader(asCSV(list)))
	if err != nil {
		t.Fatal(err)
	}
	schema, err := tabular.Infer(r.Header, r.Sample, tabular.Wishes{Date: "day", Amounts: []string{"amount"}, Categories: []string{"region"}})
	if err != nil {
		t.Fatal(err)
	}
	q.Figures = []tally.Figure{{Kind: tally.Sum, Column: "amount"}}
	return Answer(context.Background(), Records{"sales", schema, &tabular.Source{Reader: r, Schema: schema}}, testLibrary(t), civil.Of(2026, 10, 19), q,
		func(string) (Records, error) { return planned(t, covers), nil })
}

var target = []Beside{{Dataset: "plan", Columns: map[string]string{"amount": "target"}}}

func TestBesideAnotherDataset(t *testing.T) {
	total, err := askBeside(t, "month", Question{Over: []string{"last full month"}, By: []string{"region"}, Beside: target})
	if err != nil {
		t.Fatal(err)
	}
	sp := total.Spans[0]
	c := sp.Total.Against[0][0]
	if sp.Total.Values[0].String() != "95.00" || c.Against.String() != "100" || c.Difference.String() != "-5.00" || c.Change.String() != "-0.050000" {
		t.Errorf("September is %s beside %+v", sp.Total.Values[0], c)
	}
	if sp.Counterparts[0].Uneven != "" || sp.Counterparts[0].Dataset != "plan" {
		t.Errorf("the counterpart is %+v", sp.Counterparts[0])
	}
	// A group that only the plan has is a row as well.
	total, err = askBeside(t, "month", Question{Over: []string{"2026-09/2026-11"}, By: []string{"region"}, Beside: target})
	if err == nil {
		t.Fatalf("a span of months in ISO form: %+v", total)
	}
	total, err = askBeside(t, "month", Question{Over: []string{"from 2026-09-01 through 2026-11-30"}, By: []string{"region"}, Beside: target, Each: "month"})
	if err != nil {
		t.Fatal(err)
	}
	var told []string
	for _, r := range total.Spans[0].Rows {
		told = append(told, strings.Join([]string{r.Unit.Label, r.Group[0].Text, r.Values[0].String(), r.Against[0][0].Against.String(), string(r.Against[0][0].Direction)}, " "))
	}
	want := "Sep 2026 North 80.00 90 down|Sep 2026 South 15.00 10 up|Sep 2026 West   |Oct 2026 North 40.00 100 down|Oct 2026 South   |Oct 2026 West   |Nov 2026 North  110 |Nov 2026 South   |Nov 2026 West  5 "
	if got := strings.Join(told, "|"); got != want {
		t.Errorf("the rows are\n%s, want\n%s", got, want)
	}
}

// A plan by months never stands beside a part of a month without a word.
func TestAPlanBesideAPartOfItsMonthIsUneven(t *testing.T) {
	for _, c := range []struct {
		over, covers string
		even         bool
		want         string
	}{
		{"last full month", "month", false, ""},
		{"month to date", "month", false, "a record of plan stands for a whole month, and Oct 2026 is cut"},
		{"month to date", "", false, ""},
		{"this month", "month", false, "cut off by the as-of day, 2026-10-19, while the records of plan go on"},
		{"this month", "month", true, "a record of plan stands for a whole month, and Oct 2026 is cut"},
		{"2025", "month", false, "the records begin on 2026-09-01, after the counterpart's first day"},
		{"from 2026-10-01 through 2026-10-19", "", false, "the records of plan end on 2026-11-01, before the span does"},
	} {
		q := Question{Over: []string{c.over}, Beside: target, Even: c.even}
		if strings.HasPrefix(c.want, "the records of plan end") {
			q.Over, q.Planned = []string{"from 2026-10-01 through 2026-12-31"}, true
		}
		total, err := askBeside(t, c.covers, q)
		if err != nil {
			t.Fatal(err)
		}
		if got := total.Spans[0].Counterparts[0].Uneven; got != c.want {
			t.Errorf("%s, even %v, covers %q: %q, want %q", c.over, c.even, c.covers, got, c.want)
		}
		if helps := strings.HasPrefix(c.want, "cut off"); total.Spans[0].Counterparts[0].EvenHelps != helps && !q.Planned {
			t.Errorf("%s, even %v: cutting it at the as-of day helps: %v", c.over, c.even, !helps)
		}
	}
	total, err := askBeside(t, "month", Question{Over: []string{"quarter to date"}, Beside: target, Each: "month"})
	if err != nil {
		t.Fatal(err)
	}
	if r := total.Spans[0].Rows[0]; !r.Uneven || !r.Unit.Partial {
		t.Errorf("October is %+v", r)
	}
}

func TestBesideIsChecked(t *testing.T) {
	label := tally.LabelOf("North")
	for want, q := range map[string]Question{
		`beside plan: there is no column "amount"; its columns are month, region, target: say which`: {Beside: []Beside{{Dataset: "plan"}}},
		`fare stands for no column of the question`:                                                  {Beside: []Beside{{Dataset: "plan", Columns: map[string]string{"amount": "target", "fare": "target"}}}},
		`no column "zone"`:  {Beside: []Beside{{Dataset: "plan", Columns: map[string]string{"amount": "target", "region": "zone"}}}, By: []string{"region"}},
		`sum needs numbers`: {Beside: []Beside{{Dataset: "plan", Columns: map[string]string{"amount": "region"}}}},
	} {
		q.Over, q.Where = []string{"2026"}, []tally.Filter{{Column: "region", Test: tally.Is, Values: []tally.Label{label}}}
		if _, err := askBeside(t, "month", q); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%+v gives %v, want %s", q.Beside, err, want)
		}
	}
	// Filters of its own take the place of the question's.
	none := []tally.Filter{}
	own := []Beside{{Dataset: "plan", Columns: map[string]string{"amount": "target"}, Where: &none}}
	total, err := askBeside(t, "month", Question{Over: []string{"last full month"}, Beside: own, Where: []tally.Filter{{Column: "region", Test: tally.Is, Values: []tally.Label{label}}}})
	if err != nil {
		t.Fatal(err)
	}
	if r := total.Spans[0].Total; r.Values[0].String() != "80.00" || r.Against[0][0].Against.String() != "100" {
		t.Errorf("with filters of its own: %+v", r)
	}
}
