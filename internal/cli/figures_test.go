package cli

import (
	"bytes"
	"fmt"
	"strings"
	"testing"

	"vastspan/api"
)

func exactly(v string) *api.Value {
	if v == "-" {
		return nil
	}
	return &v
}

func TestShownDigits(t *testing.T) {
	two, none := 2, 0
	for _, c := range []struct {
		v    string
		f    api.FigureInfo
		want string
	}{
		{"12.5", api.FigureInfo{Kind: "sum", Decimals: &two}, "12.50"},
		{"12", api.FigureInfo{Kind: "max", Decimals: &two}, "12.00"},
		{"12.1234", api.FigureInfo{Kind: "sum", Decimals: &two}, "12.1234"}, // nothing that is not zero is cut off
		{"12.1200", api.FigureInfo{Kind: "sum", Decimals: &two}, "12.12"},
		{"12.345678", api.FigureInfo{Kind: "mean", Decimals: &two}, "12.3457"},
		{"-0.000049", api.FigureInfo{Kind: "mean", Decimals: &two}, "0.0000"},
		{"7.0", api.FigureInfo{Kind: "median", Decimals: &none}, "7"},
		{"7", api.FigureInfo{Kind: "distinct", Decimals: &two}, "7"},
		{"7.25", api.FigureInfo{Kind: "count"}, "7.25"},
	} {
		if got := shownDigits(c.v, &c.f); got != c.want {
			t.Errorf("%s as %s is shown %s, want %s", c.v, c.f.Kind, got, c.want)
		}
	}
}

func TestSparkLine(t *testing.T) {
	row := func(v string) api.TotalRow { return api.TotalRow{Values: []*api.Value{exactly(v)}} }
	for values, want := range map[string]string{"0 7 14": "▁▅█", "5 - 10": "▅ █", "3 3 3": "███", "-": " ", "-7 0 7": "▁▅█", "": ""} {
		var rows []api.TotalRow
		for v := range strings.FieldsSeq(values) {
			rows = append(rows, row(v))
		}
		if got := sparkLine(rows); got != want {
			t.Errorf("%q is drawn %q, want %q", values, got, want)
		}
	}
}

// crossed makes a total of two months by two regions, with all its edges.
func crossed() *api.Total {
	cell := func(unit, group, value string) api.TotalRow {
		r := api.TotalRow{Values: []*api.Value{exactly(value)}, Group: []*string{&group}}
		if unit != "" {
			r.Unit = &api.RowUnit{Label: unit}
		}
		if group == "" {
			r.All, r.Group = &[]bool{true}, []*string{nil}
		}
		return r
	}
	return &api.Total{By: []string{"region"}, Figures: []api.FigureInfo{{Name: "sum_x", Kind: "sum"}}, Spans: []api.SpanTotal{{
		Expression: "e", Total: cell("", "", "10"),
		Rows:  []api.TotalRow{cell("Jan", "North", "1"), cell("Jan", "South", "2"), cell("Feb", "North", "3"), cell("Feb", "South", "-")},
		Edges: &[]api.TotalRow{cell("Jan", "", "3"), cell("Feb", "", "3"), cell("", "North", "4"), cell("", "South", "2")},
	}}}
}

func TestCrossTabs(t *testing.T) {
	total := crossed()
	x := crossTabs(total, &total.Spans[0], 0)[0]
	var told []string
	for i, d := range x.down {
		line := d
		for _, v := range x.cells[i] {
			line += " " + deref(v)
		}
		told = append(told, line)
	}
	if got, want := strings.Join(x.across, " ")+"|"+strings.Join(told, "|"), "North South all|Jan 1 2 3|Feb 3  3|all 4 2 10"; got != want {
		t.Errorf("the cross-tab is %s, want %s", got, want)
	}
	g := crossCSV(total, 0, "unit")
	if got, want := fmt.Sprint(g.header, g.rows[1]), "[span first_day last_day days figure unit North South all marks] [e    sum_x Feb 3  3 ]"; got != want {
		t.Errorf("as CSV %s, want %s", got, want)
	}
}

func TestReadLine(t *testing.T) {
	l, err := readLine("so far: dataset=crossings; over=year to date, 1 year earlier; sum=fare; where=route=Gull Rock; where=fare>=10; against=prior; date=booked_on; planned")
	if err != nil {
		t.Fatal(err)
	}
	if *l.Label != "so far" || l.Dataset != "crossings" || l.Over != "year to date, 1 year earlier" || l.Figure.Kind != api.Sum || *l.Figure.Column != "fare" || len(*l.Where) != 2 || *l.Against != "prior" || *l.Date != "booked_on" || !*l.Planned {
		t.Errorf("the line is %+v", l)
	}
	for _, bad := range []string{"no colon", "a: dataset=d; over=today", "a: dataset=d; sum=x; count; over=today", "a: dataset=d; over=today; colour=red", "a: dataset=d; over=today; sum", "a: dataset=d; over=today; count; where=x"} {
		if _, err := readLine(bad); err == nil {
			t.Errorf("%q is taken for a line", bad)
		}
	}
}

// A change is green or red by whether the amount is good when it goes up; off a terminal it has no
// colour.
func TestMarksAndColumns(t *testing.T) {
	yes := true
	if got := marks(&api.RowUnit{Partial: &yes, Incomplete: &yes, Uneven: &yes}); got != "partial incomplete uneven" {
		t.Errorf("the marks are %s", got)
	}
	if unitLabel(nil) != "" || unitLabel(&api.RowUnit{Label: "Oct", Ahead: &yes}) != "Oct (ahead)" {
		t.Error("a unit's label")
	}
	comparison := api.Comparison{Against: exactly("5"), Difference: exactly("1"), Change: exactly("0.2"), Direction: "up"}
	row := api.TotalRow{Values: []*api.Value{exactly("6")}, Against: &[][]api.Comparison{{comparison}, {comparison}}, Previous: &[]api.Comparison{comparison}, Share: &[]*api.Value{exactly("0.5")}, Rolling: &[]*api.Value{nil}}
	total := &api.Total{Figures: []api.FigureInfo{{Name: "sum_x", Kind: "sum"}}, Spans: []api.SpanTotal{{Counterparts: &[]api.Counterpart{{}, {}}, Rows: []api.TotalRow{row}}}}
	a := &app{out: &bytes.Buffer{}}
	var told []string
	for _, c := range figureColumns(total) {
		told = append(told, c.name+"="+a.shownFigure(c, &row))
	}
	want := "sum_x=6 sum_x_against=5 sum_x_difference=1 sum_x_change=▲ 20.0% sum_x_against_2=5 sum_x_difference_2=1 sum_x_change_2=▲ 20.0% " +
		"sum_x_previous=5 sum_x_previous_difference=1 sum_x_previous_change=▲ 20.0% sum_x_share=50.0% sum_x_rolling=–"
	if got := strings.Join(told, " "); got != want {
		t.Errorf("the columns are\n%s, want\n%s", got, want)
	}
}
