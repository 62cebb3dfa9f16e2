package query

import (
	"encoding/json"
	"reflect"
	"slices"
	"strings"
	"testing"

	"github.com/goccy/go-yaml"

	"vastspan/core/dataset"
	"vastspan/core/measure"
)

// full is a query in which every field says something, with the characters that notations use.
func full(t *testing.T) Query {
	t.Helper()
	filters, err := dataset.ParseFilters([]string{"route=Gull Rock", "route=", `"a=b"!=x; y`, "fare between 1 and 2", `note~say "no"`})
	if err != nil {
		t.Fatal(err)
	}
	q := Query{
		Dataset: "crossings", Over: []string{"last full month", "@closed-month; x"}, By: []string{"route", "net fare"}, Across: "route", Top: 3, Where: filters, Date: "booked on",
		Figures: []measure.Figure{
			{Kind: measure.Count},
			{Kind: measure.Sum, Column: "net fare"},
		}, Against: []string{"1 year earlier", "prior"},
		AgainstDataset: []Other{
			{Dataset: "plan"},
			{Dataset: "plan", Columns: map[string]string{"a b": "c=d", "fare": "where", "by": `"`}, Date: "by", Where: filters[:2]},
		},
		RankBy: measure.Figure{Kind: measure.Sum, Column: "net fare"}, LikeForLike: true, Each: "month", Align: "event fair", Running: "year", Rolling: Window{Units: 3}, BlankIncomplete: true, Previous: true, Share: "span", Planned: true, Subtotals: true,
		Context: Context{AsOf: "latest", AtClose: true, Calendar: "trade", Known: "load 12"},
	}
	for key, v := range fields(reflect.ValueOf(q)) {
		if v.IsZero() {
			t.Fatalf("%s says nothing in the test's query", key)
		}
	}
	return q
}

// Every field of a query survives every notation and back.
func TestNotations(t *testing.T) {
	q := full(t)
	same := func(how string, back Query, err error) {
		t.Helper()
		if err != nil || !reflect.DeepEqual(back, q) {
			t.Errorf("%s: %+v, want %+v (%v)", how, back, q, err)
		}
	}
	back, err := FromPairs(q.Pairs())
	same("pairs", back, err)
	back, err = Parse(q.String())
	same(q.String(), back, err)
	data, err := json.Marshal(q)
	if err != nil {
		t.Fatal(err)
	}
	back = Query{}
	err = json.Unmarshal(data, &back)
	same(string(data), back, err)
	text, err := yaml.Marshal(q)
	if err != nil {
		t.Fatal(err)
	}
	back = Query{}
	err = yaml.NewDecoder(strings.NewReader(string(text)), yaml.Strict()).Decode(&back)
	same(string(text), back, err)
}

// The keys of JSON and of span books are the same words.
func TestKeysAreTheSameEverywhere(t *testing.T) {
	var compare func(reflect.Type)
	compare = func(s reflect.Type) {
		for i := range s.NumField() {
			f := s.Field(i)
			if f.Anonymous {
				compare(f.Type)
				continue
			}
			a, _, _ := strings.Cut(f.Tag.Get("json"), ",")
			b, _, _ := strings.Cut(f.Tag.Get("yaml"), ",")
			if a != strings.ReplaceAll(b, "-", "_") || a == "" {
				t.Errorf("%s is %q in JSON and %q in a span book", f.Name, a, b)
			}
		}
	}
	compare(reflect.TypeOf(Query{}))
	if keys := Keys(); !slices.Contains(keys, "as_of") || len(keys) != 25 {
		t.Errorf("the keys are %v", keys)
	}
}

func TestParse(t *testing.T) {
	q, err := Parse("dataset=crossings; over=year to date; figures=sum fare; where=route=Gull Rock; like-for-like; planned=no")
	if err != nil || q.Dataset != "crossings" || q.Figures[0].Column != "fare" || q.Where[0][0].Values[0] != "Gull Rock" ||
		!q.LikeForLike ||
		q.Planned {
		t.Errorf("%+v, %v", q, err)
	}
	for text, want := range map[string]string{
		"datset=x": `"datset" is not a part of a query`, "figures=total fare": "is not a figure", "top=many": "expected a number", "each=day; each=week": "given 2 times",
		"previous=perhaps": "expected yes or no", "where=x": "expected COL=VALUE", "against_dataset=plan fare": "expected COL=ITS_COL", "against_dataset=": "expected a dataset",
	} {
		if q, err := Parse(text); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q gives %+v, %v; want %s", text, q, err, want)
		}
	}
}
