package dataset

import (
	"encoding/json"
	"reflect"
	"strings"
	"testing"
)

// Whatever a column is named and a value is, a filter is read back as it was written.
func TestFilterNotation(t *testing.T) {
	columns := []string{"route", "a=b", "x between y", `say "no"`, "net fare", "~", "between"}
	values := []string{"Gull Rock", "", "=", " a", "x and y", `"`, "10"}
	for _, column := range columns {
		for _, op := range []Op{Is, IsNot, Contains, AtLeast, AtMost} {
			for _, value := range values {
				f := Filter{column, op, []Label{{}}}
				if value != "" {
					f.Values[0] = LabelOf(value)
				}
				back, err := ParseFilters(Filters{f}.Texts())
				if err != nil || !reflect.DeepEqual(back, Filters{f}) {
					t.Errorf("%q is read back as %v, %v", Filters{f}.Texts(), back, err)
				}
			}
		}
		f := Filters{{column, Between, []Label{LabelOf("1"), LabelOf("2")}}, {column, Is, []Label{LabelOf("a"), {}}}}
		data, err := json.Marshal(f)
		if err != nil {
			t.Fatal(err)
		}
		var back Filters
		if err := json.Unmarshal(data, &back); err != nil || !reflect.DeepEqual(back, f) {
			t.Errorf("%s is read back as %v, %v", data, back, err)
		}
	}
	for _, text := range []string{"", "route", "=x", "route between 1", `"a`, `"a" x`} {
		if f, err := ParseFilters([]string{text}); err == nil {
			t.Errorf("%q is read as %v", text, f)
		}
	}
}

func TestFiltersAreChecked(t *testing.T) {
	s := &Schema{
		Columns: []Column{
			{Name: "day", Type: Date, Role: DayRole},
			{Name: "fare", Type: Number, Role: Amount},
			{Name: "route", Type: Text, Role: Category},
		},
	}
	for text, want := range map[string]string{
		"rute=x": `no column "rute"`, "fare=x": "expected a number", "day>=soon": "expected a date", "route>=a": "holds text", "fare~1": "holds numbers",
		"fare between 3 and 1": "the first is the greater", "fare>=": "no blank one", "fare between 1 and 2": "", "day=2026-01-01": "", "route!=": "",
	} {
		filters, err := ParseFilters([]string{text})
		if err == nil {
			err = s.CheckFilters(filters)
		}
		if want == "" && err != nil || want != "" && (err == nil || !strings.Contains(err.Error(), want)) {
			t.Errorf("%q gives %v, want %q", text, err, want)
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
