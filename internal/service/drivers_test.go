package service

import (
	"context"
	"encoding/csv"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"vastspan/core/book"
	"vastspan/core/civil"
	"vastspan/core/decimal"
	"vastspan/core/drivers"
	"vastspan/core/measure"
	"vastspan/core/query"
)

func csvOf(t *testing.T, name string) [][]string {
	t.Helper()
	f, err := os.Open(filepath.Join("testdata/drivers", name))
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	rows, err := csv.NewReader(f).ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	return rows[1:]
}

// sixDecimals writes a fraction as the vectors do; a blank is blank.
func sixDecimals(t *testing.T, f decimal.Fraction) string {
	t.Helper()
	if !f.Set() {
		return ""
	}
	v, err := f.Decimals(6)
	if err != nil {
		t.Fatal(err)
	}
	return v.String()
}

// Every effect of every case comes out, by each category, and no other.
func TestDriverVectors(t *testing.T) {
	data, err := os.ReadFile("testdata/drivers/calendars.yaml")
	if err != nil {
		t.Fatal(err)
	}
	library, err := book.Read(data)
	if err != nil {
		t.Fatal(err)
	}
	want := map[string]map[string]string{}
	for _, row := range csvOf(t, "effects.csv") {
		if want[row[0]] == nil {
			want[row[0]] = map[string]string{}
		}
		want[row[0]][strings.Join(row[1:4], ",")] = strings.Join(row[4:], ",")
	}
	cases := csvOf(t, "cases.csv")
	if len(cases) != 60 {
		t.Fatalf("there are %d cases", len(cases))
	}
	for _, row := range cases {
		number, file, over, against, asOf, figure := row[0], row[1], row[2], row[3], row[4], row[5]
		f, err := os.Open(filepath.Join("testdata/drivers", file))
		if err != nil {
			t.Fatal(err)
		}
		local, err := OpenLocal(File{Name: file, Body: f, Hints: ColumnHints{Date: "day", Amounts: []string{"amount", "qty"}, Categories: []string{"shop", "line"}}})
		if err != nil {
			t.Fatal(err)
		}
		day, _ := civil.ParseDay(asOf)
		scope, err := library.Scope(civil.AsOf{Day: day}, query.Context{})
		if err != nil {
			t.Fatal(err)
		}
		var asked measure.Figure
		if err := asked.UnmarshalText([]byte(figure)); err != nil {
			t.Fatal(err)
		}
		q := drivers.Question{Query: query.Query{Over: []string{over}, Against: []string{against}, Figures: []measure.Figure{asked}}}
		a, err := q.Answer(context.Background(), query.Evaluator{Scope: scope}, local.Records())
		if err != nil {
			t.Errorf("case %s: %v", number, err)
			continue
		}
		missing := want[number]
		for _, e := range a.Effects() {
			if e.Part == drivers.Record { // the cases list none
				continue
			}
			key := strings.Join([]string{string(e.Part), e.Column, e.Value.Text}, ",")
			got := strings.Join([]string{sixDecimals(t, e.Difference), sixDecimals(t, e.Contribution), sixDecimals(t, e.Mix), sixDecimals(t, e.Rate)}, ",")
			if missing[key] != got {
				t.Errorf("case %s, %s over %s against %s as of %s: %s is %s, want %s", number, figure, over, against, asOf, key, got, missing[key])
			}
			delete(missing, key)
		}
		for key, effect := range missing {
			t.Errorf("case %s: there is no %s, want %s", number, key, effect)
		}
		_ = local.Close()
		_ = f.Close()
	}
}
