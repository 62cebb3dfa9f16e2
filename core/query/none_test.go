package query

import (
	"context"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/measure"
	"vastspan/core/table"
)

// A sum of no record is 0 where the dataset says that no record means nothing, in rows whose days records cover; all else
// stays as it is.
func TestWhatNoRecordMeans(t *testing.T) {
	rng := rand.New(rand.NewPCG(11, 3))
	zeros, blanks := 0, 0
	for range 200 {
		list := randomSales(rng, 1+rng.IntN(40))
		asOf := civil.Of(2025, 1, 1) + civil.Day(rng.IntN(600))
		q := Query{
			Over: []string{"this year", "last full year"}, Each: []string{"", "month", "week"}[rng.IntN(3)], By: [][]string{nil, {"region"}}[rng.IntN(2)],
			Figures: append(slices.Clone(countAndSum), measure.Figure{Kind: measure.Mean, Column: "amount"}),
		}
		answer := func(means string) *Answer {
			records := sales(list)
			if err := records.Schema.SetNoRecords(means); err != nil {
				t.Fatal(err)
			}
			e := evaluator(t, asOf, &q)
			a, err := e.Answer(context.Background(), q, records)
			if err != nil {
				t.Fatal(err)
			}
			return a
		}
		blank, zero := answer("blank"), answer("zero")
		for i, r := range zero.Tables[0].Rows {
			other := blank.Tables[0].Rows[i]
			sum, was := cells(zero, r, "sum_amount"), cells(blank, other, "sum_amount")
			none := cells(zero, r, "count") == "0" && *r.CoveredDays > 0
			if cells(zero, r, "count", "mean_amount") != cells(blank, other, "count", "mean_amount") {
				t.Fatalf("as of %s: %v and %v", asOf, r, other)
			}
			switch {
			case none && sum == "0" && was == "":
				zeros++
			case none || sum != was:
				t.Fatalf("as of %s, %s: the sum is %q where no record is 0, and %q where it is blank", asOf, r.Key, sum, was)
			case sum == "":
				blanks++ // no records cover its days, or all amounts of its records are blank
			}
		}
	}
	if zeros < 1000 || blanks < 1000 {
		t.Errorf("only %d sums of no record, %d blank ones", zeros, blanks)
	}
}

// Where several records are at the earliest or latest moment, the row says so, and the legend what it means.
func TestTiesAreTold(t *testing.T) {
	sep := func(day int) civil.Day { return civil.Of(2026, 9, day) }
	list := []sale{
		{sep(1), "North", 100, false}, {sep(1), "South", 200, false}, {sep(7), "North", 300, false}, {sep(9), "South", 1, false}, {sep(9), "South", 2, true},
	}
	for _, c := range []struct {
		kind   measure.Kind
		region string
		tied   bool
	}{
		{measure.First, "", true}, {measure.First, "North", false}, {measure.Last, "", false}, {measure.Last, "South", false},
	} {
		q := Query{Over: []string{"2026-09"}, Figures: []measure.Figure{{Kind: c.kind, Column: "amount"}}}
		if c.region != "" {
			var err error
			if q.Where, err = dataset.ParseFilters([]string{"region=" + c.region}); err != nil {
				t.Fatal(err)
			}
		}
		a, err := ask(t, list, sep(30), q)
		if err != nil {
			t.Fatal(err)
		}
		tied := slices.Contains(a.Tables[0].Rows[0].Flags, table.Tie)
		legend := slices.ContainsFunc(table.Legends(a.Tables), func(n table.Note) bool { return strings.HasPrefix(n.Text, string(table.Tie)) })
		if tied != c.tied || legend != c.tied {
			t.Errorf("the %s of %q: tied %v, explained %v", c.kind, c.region, tied, legend)
		}
	}
}
