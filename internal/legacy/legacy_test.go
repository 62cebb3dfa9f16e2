package legacy

import (
	"encoding/json"
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
