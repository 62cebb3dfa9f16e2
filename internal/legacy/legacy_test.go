package legacy

import (
	"encoding/json"
	"reflect"
	"strings"
	"testing"

	"vastspan/core/book"
	"vastspan/core/dataset"
	"vastspan/core/query"
)

// strict decodes and refuses keys that are not known.
func strict(t *testing.T, data []byte, into any) {
	t.Helper()
	d := json.NewDecoder(strings.NewReader(string(data)))
	d.DisallowUnknownFields()
	if err := d.Decode(into); err != nil {
		t.Fatalf("%s: %v", data, err)
	}
}

func TestSchema(t *testing.T) {
	data, err := Schema(
		[]byte(
			`{"columns":[{"name":"a","type":"number","role":"amount","better":"up"},{"name":"b","type":"number","role":"amount","better":"down"}],"zone":"UTC","covers":"month"}`,
		),
	)
	if err != nil {
		t.Fatal(err)
	}
	var s dataset.Schema
	strict(t, data, &s)
	if s.Grain != "month" || s.Columns[0].Better != dataset.Higher || s.Columns[1].Better != dataset.Lower {
		t.Errorf("the schema is %+v", s)
	}
}

func TestBrief(t *testing.T) {
	data, err := Brief(
		[]byte(`{"name":"a","title":"A","as_of":"latest","asks":[{"name":"window","label":"Days","default":"today"}],"items":[
		{"kind":"figure","title":"one","dataset":"d","over":["?window"],"figures":["sum x"],"beside":["plan x=y"],"even":true},
		{"kind":"lines","title":"two","each":"month","lines":[{"label":"l","dataset":"d","over":"this year","figure":"count","where":["a=b"]}]}]}`),
	)
	if err != nil {
		t.Fatal(err)
	}
	var b book.Brief
	strict(t, data, &b)
	if err := b.Check(); err != nil {
		t.Fatal(err)
	}
	if it := b.Items[0]; !it.LikeForLike || it.AgainstDataset[0].String() != "plan x=y" ||
		b.Items[1].Lines[0].Figures[0].String() != "count" {
		t.Errorf("the brief is %+v", b)
	}
}

func TestQuestion(t *testing.T) {
	data, err := Question(
		[]byte(
			`{"over":["last full month"],"figures":[{"kind":"count"},{"kind":"sum","column":"net fare"}],"by":["route"],"even":true,"edges":true,"known":true,
		"where":[{"column":"route","test":"is","values":[{"text":"Gull Rock","set":true},{"text":"","set":false}]},{"column":"a=b","test":"between","values":[{"text":"1","set":true},{"text":"2","set":true}]}],
		"beside":[{"dataset":"plan","columns":{"net fare":"target"},"date":"month","where":[{"column":"x","test":"is-not","values":[{"text":"1","set":true}]}]}],
		"reading":{"as_of":"2026-10-19","at_close":true,"calendar":"trade"}}`,
		),
		"sales",
	)
	if err != nil {
		t.Fatal(err)
	}
	var q query.Query
	strict(t, data, &q)
	want := `dataset=sales; over=last full month; figures=count; figures=sum net fare; by=route; where=route=Gull Rock; where=route=; where="""a=b"" between 1 and 2"; ` +
		`against_dataset="plan ""net fare""=target by month where ""x!=1"""; like_for_like=yes; subtotals=yes; as_of=2026-10-19; at_close=yes; calendar=trade`
	if q.String() != want {
		t.Errorf("the query is\n%s, want\n%s", q, want)
	}
}

// Filters keep their meaning where their notation got new words.
func TestNotation(t *testing.T) {
	data, err := Notation([]byte(`{"items":[{"where":["title=Dead or Alive","route=","time in port>=3","net fare between 1 and 2","a=\"b\"","a~x and y=z","\"a=b\"!="],
		"against_dataset":["plan x=y where \"a=b or c\" where d=e","plan"],"lines":[{"where":["plain=1"]}]}],"over":["where"]}`))
	if err != nil {
		t.Fatal(err)
	}
	var o struct {
		Items []struct {
			Where          dataset.Filters
			AgainstDataset []query.Other `json:"against_dataset"`
			Lines          []struct{ Where dataset.Filters }
		}
	}
	if err := json.Unmarshal(data, &o); err != nil {
		t.Fatalf("%s: %v", data, err)
	}
	it := o.Items[0]
	want := []dataset.Condition{
		{Column: "title", Op: dataset.Is, Values: []string{"Dead or Alive"}}, {Column: "route", Op: dataset.Blank},
		{Column: "time in port", Op: dataset.AtLeast, Values: []string{"3"}}, {Column: "net fare", Op: dataset.Between, Values: []string{"1", "2"}},
		{Column: "a", Op: dataset.Is, Values: []string{`"b"`}}, {Column: "a", Op: dataset.Contains, Values: []string{"x and y=z"}},
		{Column: "a=b", Op: dataset.NotBlank},
	}
	for i, c := range want {
		if !reflect.DeepEqual(it.Where[i], dataset.Filter{c}) {
			t.Errorf("filter %d is %#v, want %#v", i, it.Where[i], c)
		}
	}
	if other := it.AgainstDataset[0]; other.Where[0][0].Values[0] != "b or c" || other.Where[1][0].Values[0] != "e" {
		t.Errorf("the other's filters are %#v", other.Where)
	}
	if len(it.Lines[0].Where) != 1 {
		t.Errorf("the line's filters are %v", it.Lines[0].Where)
	}
}
