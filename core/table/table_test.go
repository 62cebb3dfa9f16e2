package table

import (
	"bytes"
	"encoding/json"
	"fmt"
	"os"
	"strings"
	"testing"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/measure"
)

func number(text string) decimal.Value {
	if text == "" {
		return decimal.Value{}
	}
	v, err := decimal.Parse(text)
	if err != nil {
		panic(err)
	}
	return v
}

func TestFormat(t *testing.T) {
	two, none := 2, 0
	for _, c := range []struct {
		column    Column
		in, shown string
	}{
		{Column{Role: Figure}, "12345678901234567.123456", "12,345,678,901,234,567.123456"},
		{Column{Role: Figure}, "-1234567.50", "-1,234,567.50"},
		{Column{Role: Figure}, "999", "999"},
		{Column{Role: Figure}, "", None},
		{Column{Role: Figure, Decimals: &two}, "1234.5", "1,234.50"},
		{Column{Role: Figure, Decimals: &two}, "1234.5678", "1,234.5678"}, // no digit is dropped
		{Column{Role: Figure, Decimals: &none}, "5.00", "5"},
		{Column{Role: Figure, Decimals: &two, Rounded: true}, "13.3350", "13.34"}, // half to even
		{Column{Role: Figure, Decimals: &two, Rounded: true}, "13.3250", "13.32"},
		{Column{Role: Figure, Decimals: &two, Rounded: true}, "-0.001", "-<0.01"},
		{Column{Role: Figure, Decimals: &two, Rounded: true}, "-0.000", "0.00"},
		{Column{Role: Share}, "0.350560", "35.1%"},
		{Column{Role: Change}, "0.098", "▲ 9.8%"},
		{Column{Role: Change}, "-0.5", "▼ 50.0%"},
		{Column{Role: Change}, "12", "▲ 1,200.0%"},
		{Column{Role: Change}, "0.000000", "unchanged"},
		{Column{Role: Change}, "", "n/a"},
	} {
		if got := c.column.Format(number(c.in)); got != c.shown {
			t.Errorf("%s %q is shown as %q, want %q", c.column.Role, c.in, got, c.shown)
		}
	}
}

// labels are values of a category, some of which read like the product's own words.
var labels = []dataset.Label{dataset.LabelOf("all"), dataset.LabelOf("(blank)"), {}, dataset.LabelOf("North"), dataset.Other}

// crossed is a table of months and regions with subtotals; a cell is its month in thousands and the
// place of its region.
func crossed() *Table {
	t := &Table{By: []string{"region"}, Each: "month", Columns: []Column{{ID: "count", Role: Figure}}}
	add := func(month int, label dataset.Label, n int64) {
		r := Row{Kind: Group, Group: []dataset.Label{label}, Cells: []decimal.Value{decimal.Int(n)}}
		if month > 0 {
			day := civil.Of(2026, month, 1)
			r.Unit = &Unit{Label: day.String()[:7], FirstDay: day}
		}
		if label.IsAll() {
			r.Kind = Subtotal
			if month == 0 {
				r.Kind = Total
			}
		}
		r.Key = Key(0, r.Unit, r.Group)
		t.Rows = append(t.Rows, r)
	}
	for month := 1; month <= 2; month++ {
		for i, l := range labels {
			add(month, l, int64(1000*month+i))
		}
		add(month, dataset.All, int64(1000*month+900))
	}
	for i, l := range labels {
		add(0, l, int64(3000+i))
	}
	add(0, dataset.All, 9999)
	return t
}

// A cross-tab knows its columns by their labels, never by what people see of them.
func TestPivotOfCollidingLabels(t *testing.T) {
	p := crossed().Pivot("region", 0, 0, "title", 3, decimal.Value{})
	ids, keys := map[string]bool{}, map[string]bool{}
	for i, c := range p.Columns {
		ids[c.ID] = true
		if last := i == len(p.Columns)-1; c.Group.IsAll() != last {
			t.Errorf("column %d of %d is %+v", i, len(p.Columns), c.Group)
		}
	}
	if len(ids) != len(labels)+1 {
		t.Errorf("the columns are %v", ids)
	}
	if len(p.Rows) != 3 || p.Rows[2].Kind != Total || p.Rows[2].Unit != nil {
		t.Fatalf("the rows are %+v", p.Rows)
	}
	for i, r := range p.Rows {
		keys[r.Key] = true
		for j, c := range p.Columns {
			want := int64(1000*(i+1) + 900)
			for k, l := range labels {
				if *c.Group == l {
					want = int64(1000*(i+1) + k)
				}
			}
			if i == 2 && c.Group.IsAll() {
				want = 9999
			}
			if got := r.Cells[j].String(); got != fmt.Sprint(want) {
				t.Errorf("row %d, %s is %s, want %d", i, c.ID, got, want)
			}
		}
	}
	if len(keys) != 3 {
		t.Errorf("the rows have the keys %v", keys)
	}
}

// The keys of rows differ wherever span, unit or labels do.
func TestKeys(t *testing.T) {
	seen := map[string]string{}
	day := &Unit{FirstDay: civil.Of(2026, 10, 1)}
	groups := [][]dataset.Label{{}, {dataset.LabelOf("a"), dataset.LabelOf("b")}, {dataset.LabelOf("a1:b")}, {dataset.LabelOf("1:a"), {}}}
	for _, l := range append(labels, dataset.All, dataset.LabelOf(""), dataset.LabelOf("*"), dataset.LabelOf("+"), dataset.LabelOf("3:all")) {
		groups = append(groups, []dataset.Label{l})
	}
	for span := range 2 {
		for _, unit := range []*Unit{nil, day, {FirstDay: civil.Of(2026, 11, 1)}} {
			for _, g := range groups {
				key, what := Key(span, unit, g), fmt.Sprintf("%d %+v %+v", span, unit, g)
				if other, ok := seen[key]; ok {
					t.Errorf("%s is the key of %s and of %s", key, what, other)
				}
				seen[key] = what
			}
		}
	}
}

// Columns of one name are distinguished.
func TestColumnsHaveIdentities(t *testing.T) {
	s := &dataset.Schema{Columns: []dataset.Column{{Name: "fare", Type: dataset.Number, Role: dataset.Amount, Unit: "EUR", Decimals: 2}}}
	var c Columns
	f := measure.Figure{Kind: "sum", Column: "fare"}
	for i := range 2 {
		c.Figure(i, f, s)
		c.Compared("1 year earlier", Suffix("1 year earlier"), "1 year earlier")
		c.Compared("1 Year, earlier!", Suffix("1 Year, earlier!"), "1 Year, earlier!")
		c.Also(Share, "share")
	}
	ids := map[string]bool{}
	for _, one := range c.List {
		ids[one.ID] = true
		if one.Role == Change && (one.Unit != "" || *one.Decimals != 1 || !one.Rounded) {
			t.Errorf("a change is counted in %s", one.Unit)
		}
		if one.Role == Figure && (one.Unit != "EUR" || *one.Decimals != 2 || one.Title != "sum of fare") {
			t.Errorf("the figure is %+v", one)
		}
	}
	if len(ids) != len(c.List) || !ids["sum_fare_1_year_earlier_change"] {
		t.Errorf("the identities are %v", ids)
	}
	if Suffix("€") != "comparison" {
		t.Errorf("a name without letters gives %q", Suffix("€"))
	}
}

func TestRowsAsJSON(t *testing.T) {
	p := crossed()
	text, err := json.Marshal(p.Rows[2])
	if err != nil {
		t.Fatal(err)
	}
	var back Row
	if err := json.Unmarshal(text, &back); err != nil || back.Key != p.Rows[2].Key || back.Group[0] != (dataset.Label{}) {
		t.Errorf("%s comes back as %+v, %v", text, back, err)
	}
	if !strings.Contains(string(text), `"group":[null]`) || !strings.Contains(string(text), `"cells":["1002"]`) {
		t.Errorf("the row is %s", text)
	}
}

func TestGridIsQuoted(t *testing.T) {
	var b bytes.Buffer
	g := Grid{Header: []string{"a", "b"}, Rows: [][]string{{`say "x"`, "1,5\n2"}, {"", "ö"}}}
	if err := g.WriteCSV(&b); err != nil || b.String() != "a,b\n\"say \"\"x\"\"\",\"1,5\n2\"\n,ö\n" {
		t.Errorf("it is written %q, %v", b.String(), err)
	}
}

// A column says how its numbers are shown.
func ExampleColumn_Format() {
	decimals := 2
	fare := Column{Role: Figure, Decimals: &decimals}
	change := Column{Role: Change}
	fmt.Println(fare.Format(number("30695.2")), change.Format(number("-0.05606")))
	// Output: 30,695.20 ▼ 5.6%
}

// An answer is written as CSV without its totals.
func ExampleGrid_WriteCSV() {
	g := Grid{Header: []string{"route", "fare"}, Rows: [][]string{{"Gull Rock", "8831.26"}}}
	if err := g.WriteCSV(os.Stdout); err != nil {
		panic(err)
	}
	// Output:
	// route,fare
	// Gull Rock,8831.26
}

// Cells that a spreadsheet would run are marked on request; numbers stay numbers.
func TestSafeCells(t *testing.T) {
	g := &Grid{Header: []string{"=a", "b"}, Rows: [][]string{{"=1+1", "-2.50"}, {"+49 30", "+7"}, {"@sum", "-a"}, {"\tx", ""}, {"a=b", "1-2"}}}
	var b strings.Builder
	if err := g.Safe().WriteCSV(&b); err != nil {
		t.Fatal(err)
	}
	if want := "'=a,b\n'=1+1,-2.50\n'+49 30,+7\n'@sum,'-a\n'\tx,\na=b,1-2\n"; b.String() != want {
		t.Errorf("the safe cells are\n%s, want\n%s", b.String(), want)
	}
	if g.Rows[0][0] != "=1+1" {
		t.Error("the grid itself has changed")
	}
}
