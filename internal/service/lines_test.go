package service

import (
	"context"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/tally"
	"vastspan/internal/tabular"
)

// asked answers a question of one span, by unit, from a list of sales.
func asked(t *testing.T, list []sale, asOf civil.Day, q Question) *Total {
	t.Helper()
	total, err := ask(t, testLibrary(t), list, asOf, q)
	if err != nil {
		t.Fatal(err)
	}
	return total
}

// Lines are lined up by the number of the unit in the year of the calendar; a week of the year
// before comes before the first, and a span that runs on counts on.
func TestPositions(t *testing.T) {
	l := testLibrary(t)
	for _, c := range []struct {
		over, each, calendar, want string
	}{
		{"from 2026-01-01 through 2026-03-31", "month", "civil", "1 Jan|2 Feb|3 Mar"},
		{"from 2026-01-01 through 2026-06-30", "quarter", "civil", "1 Q1|2 Q2"},
		{"from 2026-11-01 through 2027-02-28", "month", "civil", "11 Nov|12 Dec|13 Jan|14 Feb"},
		{"from 2026-04-01 through 2026-06-30", "month", "april", "1 Apr|2 May|3 Jun"},
		{"from 2026-01-01 through 2026-01-11", "week", "civil", "1 W01|2 W02"},
		{"from 2027-01-01 through 2027-01-10", "week", "civil", "0 W53|1 W01"}, // 1 January 2027 lies in the last week of 2026
		{"from 2025-12-29 through 2026-01-04", "week", "civil", "1 W01"},       // and 29 December 2025 in the first of 2026
		{"2025/2026", "year", "civil", ""},
		{"from 2025-01-01 through 2026-12-31", "year", "civil", "1 year 1|2 year 2"},
		{"from 2026-02-01 through 2026-02-28", "month", "trade", "1 P01"},
		{"from 2026-01-25 through 2026-03-07", "month", "trade", "12 P12|13 P01|14 P02"},
	} {
		cal, err := l.Calendar(c.calendar)
		if err != nil {
			t.Fatal(err)
		}
		total, err := ask(t, l, nil, civil.Of(2027, 6, 1), Question{Over: []string{c.over}, Each: c.each, Reading: Reading{Calendar: c.calendar}})
		if err != nil {
			if c.want != "" {
				t.Errorf("%s: %v", c.over, err)
			}
			continue
		}
		up := &Lineup{Question: LinesQuestion{Each: c.each}, Lines: []LineTotal{{Total: total}}}
		if err := up.lineUp(cal); err != nil {
			t.Fatal(err)
		}
		var told []string
		for _, p := range up.Positions {
			told = append(told, fmt.Sprint(p.Number, " ", p.Label))
		}
		if got := strings.Join(told, "|"); got != c.want {
			t.Errorf("%s by %s in %s: %s, want %s", c.over, c.each, c.calendar, got, c.want)
		}
	}
}

// Two lines share a position where their units have the same place in the year, whatever years they
// are of; a leap day makes no difference to months.
func TestLinesShareTheirPositions(t *testing.T) {
	list := randomSales(rand.New(rand.NewPCG(1, 7)), 400)
	asOf := civil.Of(2026, 2, 10)
	up := &Lineup{Question: LinesQuestion{Each: "month"}}
	for _, over := range []string{"year to date", "last full year"} {
		up.Lines = append(up.Lines, LineTotal{Total: asked(t, list, asOf, Question{Over: []string{over}, Each: "month"})})
	}
	if err := up.lineUp(calendar.Civil); err != nil {
		t.Fatal(err)
	}
	if len(up.Positions) != 12 {
		t.Fatalf("%d positions", len(up.Positions))
	}
	for i, p := range up.Positions {
		month := civil.Of(2025, i+1, 1)
		end, _ := month.AddMonths(1)
		if got, want := shown(p.Rows[1].Values), naive(list, civil.SetOf(civil.Interval{Start: month, End: end}), nil); got != want {
			t.Errorf("%s of last year is %s, want %s", p.Label, got, want)
		}
		if (p.Rows[0] != nil) != (i < 2) {
			t.Errorf("this year so far in %s: %v", p.Label, p.Rows[0])
		}
	}
	if february := up.Positions[1].Rows[0]; !february.Unit.Partial || february.Unit.Days.String() != "2026-02-01/2026-02-10" {
		t.Errorf("February is %+v", february.Unit)
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
		var then []sale
		for _, s := range list {
			if s.day <= asOf {
				then = append(then, s)
			}
		}
		q := Question{
			Over: []string{pick("this month", "trailing 60 days", "this year", "last full quarter", "coming 10 days including today")}, Against: []string{pick("1 year earlier", "prior", "1 month later")},
			Each: pick("month", "week"), Running: pick("", "year", "span"), Rolling: []int{0, 3}[rng.IntN(2)], Previous: true, Share: "span", Known: true,
		}
		if rng.IntN(2) == 0 {
			q.By = []string{"region"}
		}
		known := asked(t, list, asOf, q)
		q.Known = false
		fresh := asked(t, then, asOf, q)
		a, b := told(known), told(fresh)
		if a != b && len(then) > 0 {
			t.Fatalf("%+v as of %s: with later records left out\n%s\nfrom those that were there\n%s", q, asOf, a, b)
		}
		q.Known, q.Planned = true, true
		planned := asked(t, list, asOf, q)
		q.Known = false
		if a, b := told(planned), told(asked(t, list, asOf, q)); a != b {
			t.Fatalf("planned records are cut at the as-of day: %s", a)
		}
	}
}

// told writes down the figures of an answer's rows that have any; groups that only later records have
// are left out.
func told(total *Total) string {
	var b strings.Builder
	row := func(r *Row) {
		text := fmt.Sprint(r.Values, r.Running, r.Rolling, r.Share)
		for _, c := range append(r.Against, r.Previous) {
			text += fmt.Sprint(c)
		}
		if strings.ContainsAny(strings.ReplaceAll(text, "{0 0 ", ""), "123456789") {
			label := ""
			if r.Unit != nil {
				label = r.Unit.Label
			}
			fmt.Fprintln(&b, label, tally.GroupKey(r.Group), text)
		}
	}
	for i := range total.Spans {
		row(&total.Spans[i].Total)
		for j := range total.Spans[i].Rows {
			row(&total.Spans[i].Rows[j])
		}
	}
	return b.String()
}

// The top values of the main records are those of the records beside them, too.
func TestTopBeside(t *testing.T) {
	r, err := tabular.NewReader(strings.NewReader("day,region,amount\n2026-09-01,North,5\n2026-09-02,South,9\n2026-09-03,West,7\n2026-09-04,,1\n"))
	if err != nil {
		t.Fatal(err)
	}
	schema, err := tabular.Infer(r.Header, r.Sample, tabular.Wishes{Date: "day", Amounts: []string{"amount"}, Categories: []string{"region"}})
	if err != nil {
		t.Fatal(err)
	}
	main := Records{"sales", schema, &tabular.Source{Reader: r, Schema: schema}}
	q := Question{Over: []string{"2026-09"}, Figures: []tally.Figure{{Kind: tally.Sum, Column: "amount"}}, By: []string{"region"}, Top: 2, Beside: target, Share: "span"}
	total, err := Answer(context.Background(), main, testLibrary(t), civil.Of(2026, 10, 19), q, func(string) (Records, error) { return planned(t, "month"), nil })
	if err != nil {
		t.Fatal(err)
	}
	var rows []string
	for _, r := range total.Spans[0].Rows {
		label := r.Group[0].Text
		if r.Group[0].IsRest() {
			label = "rest"
		}
		rows = append(rows, strings.Join([]string{label, r.Values[0].String(), r.Against[0][0].Against.String(), r.Share[0].String()}, " "))
	}
	// The plan has no West; its North goes to the rest, as the sales' does.
	if got, want := strings.Join(rows, "|"), "South 9 10 0.409091|West 7  0.318182|rest 6 90 0.272727"; got != want || total.Folded != 2 {
		t.Errorf("%s, %d folded; want %s", got, total.Folded, want)
	}
}
