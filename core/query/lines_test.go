package query

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"vastspan/core/civil"
	"vastspan/core/measure"
	"vastspan/core/table"
)

// lineUp answers lines over sales.
func lineUp(t *testing.T, list []sale, asOf civil.Day, calendar string, l Lines) (*Lineup, error) {
	t.Helper()
	for i := range l.Lines {
		l.Lines[i].Dataset = "sales"
		if l.Lines[i].Figures == nil {
			l.Lines[i].Figures = countAndSum[1:]
		}
	}
	e := evaluator(t, asOf, &Query{Context: Context{Calendar: calendar}})
	e.Find = func(context.Context, string) (Records, error) { return sales(list), nil }
	return e.Lines(context.Background(), l)
}

func line(label, over string) Line { return Line{Label: label, Query: Query{Over: []string{over}}} }

// Lines are lined up by the number of the unit in the year of the calendar; a week of the year
// before comes before the first, and a span that runs on counts on.
func TestPositions(t *testing.T) {
	for _, c := range []struct {
		over, each, calendar, want string
	}{
		{"from 2026-01-01 through 2026-03-31", "month", "civil", "1 Jan|2 Feb|3 Mar"},
		{"from 2026-01-01 through 2026-06-30", "quarter", "civil", "1 Q1|2 Q2"},
		{"from 2026-11-01 through 2027-02-28", "month", "civil", "11 Nov|12 Dec|13 Jan|14 Feb"},
		{"from 2026-04-01 through 2026-06-30", "month", "april", "1 Apr|2 May|3 Jun"},
		{"from 2026-01-01 through 2026-01-11", "week", "civil", "1 W01|2 W02"},
		{"from 2027-01-01 through 2027-01-10", "week", "civil", "0 W53|1 W01"}, // 1 January 2027 is in the last week of 2026
		{"from 2025-12-29 through 2026-01-04", "week", "civil", "1 W01"},       // and 29 December 2025 in the first of 2026
		{"2025/2026", "year", "civil", ""},
		{"from 2026-02-27 through 2026-03-01", "day", "civil", "58 27 Feb|59 28 Feb|60 1 Mar"},
		{"from 2025-01-01 through 2026-12-31", "year", "civil", "1 year 1|2 year 2"},
		{"from 2026-02-01 through 2026-02-28", "month", "trade", "1 P01"},
		{"from 2026-01-25 through 2026-03-07", "month", "trade", "12 P12|13 P01|14 P02"},
	} {
		up, err := lineUp(t, nil, civil.Of(2027, 6, 1), c.calendar, Lines{Lines: []Line{line("a", c.over)}, Each: c.each})
		if err != nil {
			if c.want != "" {
				t.Errorf("%s: %v", c.over, err)
			}
			continue
		}
		var told []string
		for _, p := range up.positions {
			told = append(told, fmt.Sprint(p.number, " ", p.label))
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
	this := line("this year", "year to date")
	this.Against = []string{"1 year earlier"}
	up, err := lineUp(
		t,
		list,
		asOf,
		"civil",
		Lines{Lines: []Line{this, line("last year", "last full year")}, Each: "month", Running: "year"},
	)
	if err != nil {
		t.Fatal(err)
	}
	rows := up.Table.Rows
	if len(rows) != 13 || len(up.Table.Columns) != 3 || rows[12].Kind != table.Total {
		t.Fatalf("%d rows of %d columns", len(rows), len(up.Table.Columns))
	}
	for i, r := range rows[:12] {
		month := civil.Of(2025, i+1, 1)
		end, _ := month.AddMonths(1)
		_, want, _ := strings.Cut(naive(list, civil.SetOf(civil.Interval{Start: civil.Of(2025, 1, 1), End: end}), nil), " ")
		if got := r.Cells[2].String(); got != want {
			t.Errorf("%s of last year is %s, want %s", r.Unit.Label, got, want)
		}
		if r.Cells[0].Set != (i < 2) {
			t.Errorf("this year so far in %s: %v", r.Unit.Label, r.Cells[0])
		}
	}
	if r := rows[1]; !slices.Contains(r.CellFlags[0], table.Partial) || len(r.CellFlags[2]) > 0 {
		t.Errorf("the flags of February are %v", r.CellFlags)
	}
	if g := up.Grid(); len(g.Rows) != 14 || g.Rows[0][3] != "2026-01-01" ||
		strings.Join(
			g.Header,
			",",
		) != "position,line,unit,first_day,last_day,days,value,value_running,value_compared,value_difference,value_change,flags" {
		t.Errorf("the grid is %v", g)
	}
}

func TestLinesAreChecked(t *testing.T) {
	count := []measure.Figure{{Kind: measure.Count}}
	two := line("a", "this year")
	two.Over = []string{"this year", "last full year"}
	by := line("a", "this year")
	by.By, by.Figures = []string{"region"}, count
	for _, c := range []struct {
		want, pointer string
		lines         Lines
	}{
		{"0 lines are given", "/lines", Lines{Each: "month"}},
		{"lines need each", "/each", Lines{Lines: []Line{line("a", "this year")}}},
		{"two lines have the label", "/lines/1/label", Lines{Lines: []Line{line("a", "this year"), line("a", "2025")}, Each: "month"}},
		{"one span (over)", "/lines/0", Lines{Lines: []Line{two}, Each: "month"}},
		{"no categories", "/lines/0", Lines{Lines: []Line{by}, Each: "month"}},
		{"line b: ", "/lines/1/over/0", Lines{Lines: []Line{line("a", "this year"), line("b", "last month")}, Each: "month"}},
	} {
		_, err := lineUp(t, nil, civil.Of(2026, 2, 10), "civil", c.lines)
		wrong, ok := err.(*Error)
		if !ok || !strings.Contains(err.Error(), c.want) || wrong.Pointer != c.pointer {
			t.Errorf("%v gives %v at %+v, want %s at %s", c.lines, err, wrong, c.want, c.pointer)
		}
	}
}
