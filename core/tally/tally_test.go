package tally

import (
	"context"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/cockroachdb/apd/v3"

	"vastspan/core/civil"
)

// rows is a source of facts that gives one fact a record.
type rows []struct {
	day    civil.Day
	group  Label
	amount string
}

func (r rows) Facts(_ context.Context, p *Plan, yield func(Fact) error) (Extent, error) {
	var e Extent
	for _, row := range r {
		e.Add(row.day)
		segment := p.Segment(row.day)
		if !p.Wanted(segment) {
			continue
		}
		f := Fact{Segment: segment, Count: 1, Amounts: make([]Amount, len(p.Amounts))}
		if len(p.By) > 0 {
			f.Group = []Label{row.group}
		}
		if row.amount != "" && len(p.Amounts) > 0 {
			v, _, err := apd.NewFromString(row.amount)
			if err != nil {
				return e, err
			}
			if err := f.Amounts[0].Add(v); err != nil {
				return e, err
			}
		}
		if err := yield(f); err != nil {
			return e, err
		}
	}
	return e, nil
}

func run(t *testing.T, r Request, src Source) *Result {
	t.Helper()
	p, err := NewPlan(r)
	if err != nil {
		t.Fatal(err)
	}
	res, err := Run(context.Background(), p, src)
	if err != nil {
		t.Fatal(err)
	}
	return res
}

func texts(values []Value) string {
	var list []string
	for _, v := range values {
		list = append(list, v.String())
	}
	return strings.Join(list, "|")
}

func TestFigures(t *testing.T) {
	a, b := LabelOf("a"), Label{}
	src := rows{{1, a, "1.50"}, {1, a, "2"}, {2, b, ""}, {3, a, "-0.25"}, {9, b, "99999999999999999999999999999999999.99"}}
	r := Request{
		Stretches: []civil.Set{civil.SetOf(civil.Through(1, 3)), civil.SetOf(civil.One(2)), civil.SetOf(civil.One(5)), civil.SetOf(civil.AllDays), {}},
		Figures:   []Figure{{Count, ""}, {Sum, "x"}, {Mean, "x"}, {Min, "x"}, {Max, "x"}},
		By:        []string{"g"},
	}
	res := run(t, r, src)
	for i, want := range []string{
		"4|3.25|1.083333|-0.25|2",
		"1||||", // a record without an amount: blank is not zero
		"0||||",
		"5|100000000000000000000000000000000003.24|25000000000000000000000000000000000.810000|-0.25|99999999999999999999999999999999999.99",
		"0||||",
	} {
		if got := texts(res.Totals[i]); got != want {
			t.Errorf("stretch %d: %s, want %s", i, got, want)
		}
	}
	if len(res.Groups) != 2 || res.Groups[0][0] != a || res.Groups[1][0] != b {
		t.Errorf("the groups are %v: blanks come last", res.Groups)
	}
	if got := texts(res.Cells[0][1]); got != "1||||" {
		t.Errorf("the blank group is %s", got)
	}
	if res.Extent.Records != 5 || res.Extent.Oldest != 1 || res.Extent.Newest != 9 {
		t.Errorf("the extent is %+v", res.Extent)
	}
}

// A record counts once in each stretch that holds its day, however the stretches overlap.
func TestSegmentsAgainstALoop(t *testing.T) {
	rng := rand.New(rand.NewPCG(2, 2))
	for range 2000 {
		var r Request
		r.Figures = []Figure{{Count, ""}}
		for range 1 + rng.IntN(6) {
			var vs []civil.Interval
			for range rng.IntN(4) {
				start := civil.Day(rng.IntN(60))
				vs = append(vs, civil.Interval{Start: start, End: start + civil.Day(rng.IntN(20))})
			}
			if rng.IntN(5) == 0 {
				vs = append(vs, civil.Interval{Start: civil.Since, End: civil.Day(rng.IntN(30))})
			}
			r.Stretches = append(r.Stretches, civil.Union(vs...))
		}
		src := make(rows, rng.IntN(80))
		for i := range src {
			src[i].day = civil.Day(rng.IntN(80))
		}
		res := run(t, r, src)
		for i, s := range r.Stretches {
			want := int64(0)
			for _, row := range src {
				if s.Contains(row.day) {
					want++
				}
			}
			if got, _ := res.Totals[i][0].Decimal.Int64(); got != want {
				t.Fatalf("%s holds %d of the records, want %d", s, got, want)
			}
		}
	}
}

func TestPlansAreChecked(t *testing.T) {
	day := []civil.Set{civil.SetOf(civil.One(1))}
	count := []Figure{{Count, ""}}
	for want, r := range map[string]Request{
		"no spans":                 {Figures: count},
		"no figures":               {Stretches: day},
		"broken down by at most 2": {Stretches: day, Figures: count, By: []string{"a", "b", "c"}},
	} {
		if _, err := NewPlan(r); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%+v gives %v, want %s", r, err, want)
		}
	}
}
