package dataset

import (
	"encoding/json"
	"errors"
	"fmt"
	"reflect"
	"strings"
	"testing"

	"vastspan/core/civil"
)

// Whatever a column is named and a value is, a filter is read back as it was written.
func TestFilterNotation(t *testing.T) {
	columns := []string{"route", "a=b", "x between y", `say "no"`, "net fare", "~", "between", "time in port", " a", "a or b=c", "blank"}
	values := []string{
		"Gull Rock", "", "=", " a", "x and y", `"`, "10", "Dead or Alive", "a or b=c", "a and b=c", "x ignoring case", "or", "or x",
		"a, b", "(a", "a)", "(last full month)", `say "no"`, "in", "blank", "this month or last full month", "@x, 1 year earlier", "not in (a)",
	}
	check := func(f Filter) {
		t.Helper()
		texts := Filters{f}.Texts()
		back, err := ParseFilters(texts)
		if err != nil || !reflect.DeepEqual(back, Filters{f}) {
			t.Errorf("%#v is written %q and read back as %#v, %v", f, texts, back, err)
		}
	}
	for _, column := range columns {
		for _, op := range []Op{Is, IsNot, Contains, NotContains, AtLeast, AtMost, Above, Below, In, NotIn, After, Before} {
			for i, value := range values {
				c := Condition{Column: column, Op: op, Values: []string{value}}
				if op.TakesSpans() && value == "" {
					continue
				}
				check(Filter{c})
				check(Filter{c, {Column: "b", Op: Blank}, c})
				if op.folds() {
					c.IgnoringCase = true
					check(Filter{c})
				}
				if op == In || op == NotIn {
					c.Values = append(c.Values, values[(i+5)%len(values)]+"x")
					check(Filter{{Column: "b", Op: NotBlank}, c})
				}
			}
		}
		check(Filter{{Column: column, Op: Between, Values: []string{"1", "2"}}, {Column: column, Op: Between, Values: []string{"x and y", "b or c"}}})
		f := Filters{{{Column: column, Op: Is, Values: []string{"a"}}, {Column: column, Op: Blank}}, {{Column: column, Op: NotBlank}}}
		data, err := json.Marshal(f)
		if err != nil {
			t.Fatal(err)
		}
		var back Filters
		if err := json.Unmarshal(data, &back); err != nil || !reflect.DeepEqual(back, f) {
			t.Errorf("%s is read back as %v, %v", data, back, err)
		}
	}
}

// Filters as people write them, and as they are written then.
func TestFiltersAsPeopleWriteThem(t *testing.T) {
	for text, want := range map[string]string{
		"route = Gull Rock":                          "route=Gull Rock",
		"net fare >= 3":                              `"net fare">=3`,
		"route in (North, \"a,b\")":                  `route in (North, "a,b")`,
		"route in North":                             "route in North",
		"route not in (A (old), B)":                  `route not in ("A (old)", B)`,
		"closed_on blank":                            "closed_on=",
		"closed_on not blank":                        "closed_on!=",
		"closed_on blank or closed_on after @x":      "closed_on= or closed_on after @x",
		"booked_on in @closed-month":                 "booked_on in @closed-month",
		"booked_on in this month or last full month": `booked_on in ("this month or last full month")`,
		"booked_on in (this month or last full month), only business days": `booked_on in ("(this month or last full month), only business days")`,
		"booked_on after last full month, 1 year earlier":                  "booked_on after last full month, 1 year earlier",
		"route contains gull ignoring case or fare<3":                      "route~gull ignoring case or fare<3",
		"route not contains gull":                                          "route!~gull",
		"route=A or route=":                                                "route=A|route=",
		`"a=b"=c`:                                                          `"a=b"=c`,
	} {
		f, err := ParseFilters([]string{text})
		if got := strings.Join(f.Texts(), "|"); err != nil || got != want {
			t.Errorf("%s is read as %s, %v; want %s", text, got, err, want)
		}
	}
	for text, want := range map[string]string{
		"": "expected COL=VALUE", "route": "expected COL=VALUE", "=x": "expected COL=VALUE", "route between 1": "between LOW and HIGH",
		`"a`: "second double quote", `"a" x`: "expected COL=VALUE", "route=North or South": `in (North, South) for either of them, or "North or South"`,
		"route=North and fare>3": `give "fare>3" as a filter of its own`, "fare>": "expected a value", "route in (a,)": "expected values",
		"route in": "expected a span or a value", "route blank x": "unexpected", `route="a" b`: "unexpected", "fare>3 ignoring case": "goes with",
		"route blank or": "unexpected", "route=a or ": "expected",
	} {
		if f, err := ParseFilters([]string{text}); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q gives %v, %v; want %q", text, f.Texts(), err, want)
		}
	}
	both, err := ParseFilters([]string{"route=A", "fare>3", "route=B", "fare<5"})
	if err != nil || len(both) != 3 || len(both[0]) != 2 {
		t.Errorf("several filters are read as %v, %v", both, err)
	}
}

// tripSchema is of records with a column of each type.
var tripSchema = &Schema{Columns: []Column{
	{Name: "day", Type: Date, Role: DayRole}, {Name: "fare", Type: Number, Role: Amount},
	{Name: "route", Type: Text, Role: Category}, {Name: "closed", Type: Date, Role: Detail},
}}

func TestFiltersAreChecked(t *testing.T) {
	for text, want := range map[string]string{
		"rute=x": `no column "rute"`, "fare=x": "expected a number", "day>=soon": "expected a date", "route>=a": "holds text", "fare~1": "holds numbers",
		"fare between 3 and 1": "the first is the greater", "fare between 1 and 2": "", "day=2026-01-01": "", "route!=": "",
		"fare after 3": "take > or <", "fare=3 ignoring case": "holds numbers", "day in @nothing": "no such span", "day after none": "nothing is after it",
		"closed in 03/04/2026": "expected a date", "day in (2026-01-01, @x)": "", "route in (a, b) or fare in (1, 2)": "",
	} {
		filters, err := ParseFilters([]string{text})
		if err == nil {
			if filters, err = filters.Resolved(tripSchema, Resolver{Span: resolveFew}); err == nil {
				err = tripSchema.CheckFilters(filters)
			}
		}
		if want == "" && err != nil || want != "" && (err == nil || !strings.Contains(err.Error(), want)) {
			t.Errorf("%q gives %v, want %q", text, err, want)
		}
	}
	filters, err := ParseFilters([]string{"day in @x"})
	if err == nil {
		err = tripSchema.CheckFilters(filters)
	}
	if err == nil || !strings.Contains(err.Error(), "not been resolved") {
		t.Errorf("a filter whose span is not resolved gives %v", err)
	}
}

// resolveFew resolves the few expressions of these tests: @x is 1-3 January 2026, none no days at all.
func resolveFew(text string) (civil.Set, string, error) {
	switch text {
	case "@x":
		return civil.SetOf(civil.Through(day("2026-01-01"), day("2026-01-03"))), text, nil
	case "none":
		return civil.Set{}, text, nil
	}
	d, err := civil.ParseDay(text)
	if err != nil {
		return civil.Set{}, "", errors.New("no such span, expected a date")
	}
	return civil.SetOf(civil.One(d)), text, nil
}

func day(text string) civil.Day {
	d, err := civil.ParseDay(text)
	if err != nil {
		panic(err)
	}
	return d
}

// Which of some records pass; a filter and its negation share all records out.
func TestFiltersPass(t *testing.T) {
	type record struct{ day, fare, route, closed string }
	records := []record{
		{"2025-12-31", "1.0", "Gull Rock", ""}, {"2026-01-01", "2", "gull rock", "2026-01-02"}, {"2026-01-03", "", "NORTH", "2026-01-04"},
		{"2026-01-04", "-3", "", "2025-12-31"}, {"2026-01-05", "10", "Søndre Ø", "2026-01-01"},
	}
	cell := func(c Column, text string) Cell {
		if text == "" {
			return Cell{}
		}
		if c.Type.IsTime() {
			return Cell{Set: true, Day: day(text)}
		}
		return Cell{Set: true, Text: text}
	}
	passing := func(text string) string {
		t.Helper()
		filters, err := ParseFilters([]string{text})
		if err == nil {
			filters, err = filters.Resolved(tripSchema, Resolver{Span: resolveFew})
		}
		if err != nil {
			t.Fatalf("%s: %v", text, err)
		}
		pass, err := tripSchema.Predicate(filters)
		if err != nil {
			t.Fatalf("%s: %v", text, err)
		}
		found := ""
		for i, r := range records {
			var cells []Cell
			for j, value := range []string{r.day, r.fare, r.route, r.closed} {
				cells = append(cells, cell(tripSchema.Columns[j], value))
			}
			if pass(cells) {
				found += string(rune('1' + i))
			}
		}
		return found
	}
	for text, want := range map[string]string{
		"fare=1": "1", "fare<2": "14", "fare>1": "25", "fare<=2": "124", "fare>=2": "25", "fare in (1, 10.0)": "15", "fare between -3 and 1": "14",
		"route=gull rock": "2", "route=GULL rock ignoring case": "12", "route contains ø ignoring case": "5", "route~SØN": "", "route contains Gull": "1",
		"route in (north, SØNDRE Ø) ignoring case": "35", "closed blank": "1", "closed in @x": "25", "closed after @x": "3", "closed before @x": "4",
		"closed blank or closed after @x": "13", "day in (@x, 2026-01-05)": "235", "day=2026-01-05": "5", "day>2026-01-03": "45",
		"route= or fare>=10": "45", "closed=2026-01-02 or route=NORTH": "23",
	} {
		if got := passing(text); got != want {
			t.Errorf("%s keeps %s, want %s", text, got, want)
		}
	}
	for text, opposite := range map[string]string{
		"fare=1": "fare!=1", "fare in (1, 2)": "fare not in (1, 2)", "route contains o": "route not contains o", "closed in @x": "closed not in @x",
		"closed blank": "closed not blank", "route=NORTH": "route!=NORTH", "route~NOR ignoring case": "route!~NOR ignoring case",
	} {
		kept, left := passing(text), passing(opposite)
		for i := range records {
			one := string(rune('1' + i))
			if strings.Contains(kept, one) == strings.Contains(left, one) {
				t.Errorf("record %s: %s keeps %s, %s keeps %s", one, text, kept, opposite, left)
			}
		}
	}
}

func TestGroupKeysDoNotCollide(t *testing.T) {
	labels := []Label{
		{},
		All,
		Other,
		LabelOf(""),
		LabelOf("all"),
		LabelOf("*"),
		LabelOf("1:a"),
		LabelOf("a"),
		LabelOf("a1:b"),
		LabelOf("(blank)"),
	}
	seen := map[string][]Label{}
	for _, a := range labels {
		for _, b := range labels {
			key := GroupKey([]Label{a, b})
			if other, ok := seen[key]; ok {
				t.Errorf("%v and %v have the key %s", other, []Label{a, b}, key)
			}
			seen[key] = []Label{a, b}
		}
	}
}

// Conditions on parts of dates are written as they are read, and are never merged with those on the column itself.
func TestFiltersOnParts(t *testing.T) {
	weekend := &DatePart{
		Words: "weekday", Place: func(c *Cell) (int, error) { return int(c.Day.Weekday()), nil },
		Read: func(text string) (int, error) {
			day, ok := civil.ParseWeekday(text)
			if !ok {
				return 0, fmt.Errorf("%q is no weekday", text)
			}
			return int(day), nil
		},
	}
	part := func(text string) (*DatePart, string, error) {
		switch text {
		case "weekday", "weekday of day":
			return weekend, "day", nil
		}
		return nil, "", nil
	}
	saturday, monday := Cell{Set: true, Day: civil.Of(2026, 1, 3)}, Cell{Set: true, Day: civil.Of(2026, 1, 5)}
	for text, want := range map[string]string{
		"weekday=Sat":                                 "weekday=Sat true false false",
		"weekday of day in (Sat, Sun)":                "weekday of day in (Sat, Sun) true false false",
		"weekday not in (Sat, Sun)":                   "weekday not in (Sat, Sun) false true true",
		"weekday of day>=Sat or day=2026-01-05":       "weekday of day>=Sat or day=2026-01-05 true true false",
		"weekday between Tue and Sat":                 "weekday between Tue and Sat true false false",
		"weekday of day blank":                        "weekday of day= false false true",
		"weekday=Someday":                             `the filter on weekday: "Someday" is no weekday`,
		"weekday~Sat":                                 "the filter on weekday: contains does not go with a part of time",
		"weekday between Sat and Tue":                 "the filter on weekday: between Sat and Tue: the first is the greater one",
		"month of day=1":                              `there is no column "month of day"`,
		"weekday=Sat or weekday of day=Mon or fare=9": "weekday=Sat or weekday of day=Mon or fare=9 true true false",
	} {
		filters, err := ParseFilters([]string{text})
		if err == nil {
			filters, err = filters.Resolved(tripSchema, Resolver{Span: resolveFew, Part: part})
		}
		got := ""
		if err == nil {
			var pass func([]Cell) bool
			if pass, err = tripSchema.Predicate(filters); err == nil {
				got = strings.Join(filters.Texts(), "; ")
				for _, day := range []Cell{saturday, monday, {}} {
					cells := make([]Cell, len(tripSchema.Columns))
					cells[tripSchema.Index("day")] = day
					got += fmt.Sprint(" ", pass(cells))
				}
			}
		}
		if err != nil {
			got = err.Error()
		}
		if !strings.HasPrefix(got, want) {
			t.Errorf("%q gives %q, want %q", text, got, want)
		}
	}
}
