package tally

import (
	"context"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/cockroachdb/apd/v3"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/measure"
)

// rows is a source that reads one record after the other.
type rows []struct {
	day    civil.Day
	group  dataset.Label
	amount string
}

func (r rows) Partials(_ context.Context, p *Plan, into Collector) (Found, error) {
	var found Found
	var groups Groups
	for i, row := range r {
		found.Add(row.day)
		segment := p.Segment(int64(row.day))
		if !p.Wanted(segment) {
			continue
		}
		var labels []dataset.Label
		if len(p.By) > 0 {
			labels = []dataset.Label{row.group}
		}
		g := groups.Group([]byte(dataset.GroupKey(labels)), len(p.Cuts)+1, func() []dataset.Label { return labels })
		part := p.NewPart()
		part.Count = 1
		if row.amount != "" {
			v, _, err := apd.NewFromString(row.amount)
			if err != nil {
				return found, err
			}
			for j := range p.Amounts {
				if err := part.Sums[j].AddDecimal(v); err != nil {
					return found, err
				}
				if part.First != nil {
					part.First[j] = measure.Point{Set: true, At: int64(row.day), Sequence: int64(i), Value: *v}
					part.Last[j] = part.First[j]
				}
			}
			for j := range part.Values {
				part.Values[j][decimal.Key(v)]++
			}
		}
		if g.Parts[segment] == nil {
			g.Parts[segment] = part
		} else if err := g.Parts[segment].Merge(part); err != nil {
			return found, err
		}
	}
	for f := range groups.Partials {
		if err := into.Partial(*f); err != nil {
			return found, err
		}
	}
	return found, nil
}

func figures(texts ...string) []measure.Figure {
	list := make([]measure.Figure, len(texts))
	for i, text := range texts {
		var err error
		if list[i], err = measure.ParseFigure(text); err != nil {
			panic(err)
		}
	}
	return list
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

func texts(values []decimal.Fraction) string {
	var list []string
	for _, v := range values {
		list = append(list, v.String())
	}
	return strings.Join(list, "|")
}

func TestFigures(t *testing.T) {
	a, b := dataset.LabelOf("a"), dataset.Label{}
	src := rows{{1, a, "1.50"}, {1, a, "2"}, {2, b, ""}, {3, a, "-0.25"}, {9, b, "99999999999999999999999999999999999.99"}}
	r := Request{
		Periods: EachOfDays(
			civil.SetOf(civil.Through(1, 3)),
			civil.SetOf(civil.One(2)),
			civil.SetOf(civil.One(5)),
			civil.SetOf(civil.AllDays),
			civil.Set{},
		),
		Figures: figures("count", "sum x", "mean x", "min x", "max x", "distinct x", "median x", "first x", "last x"),
		By:      []string{"g"},
	}
	res := run(t, r, src)
	for i, want := range []string{
		"4|3.25|1.08333333333|-0.25|2.00|3|1.5|1.50|-0.25",
		"1|||||0|||", // a record without an amount: blank is not zero
		"0|||||0|||",
		"5|100000000000000000000000000000000003.24|25000000000000000000000000000000000.81|-0.25|99999999999999999999999999999999999.99|4|1.75|1.50|99999999999999999999999999999999999.99",
		"0|||||0|||",
	} {
		if got := texts(res.At(i, []dataset.Label{dataset.All}[:len(r.By)])); got != want {
			t.Errorf("period %d: %s, want %s", i, got, want)
		}
	}
	if len(res.Groups) != 2 || res.Groups[0][0] != a || res.Groups[1][0] != b {
		t.Errorf("the groups are %v: blanks come last", res.Groups)
	}
	if got := texts(res.At(0, []dataset.Label{b})); got != "1|||||0|||" {
		t.Errorf("the blank group is %s", got)
	}
	if res.Coverage.Records != 5 || res.Coverage.Oldest != 1 || res.Coverage.Newest != 9 {
		t.Errorf("the coverage is %+v", res.Coverage)
	}
}

// A record counts once in each period that holds its day, however the periodes overlap.
func TestSegmentsAgainstALoop(t *testing.T) {
	rng := rand.New(rand.NewPCG(2, 2))
	for range 2000 {
		var r Request
		r.Figures = figures("count")
		for range 1 + rng.IntN(6) {
			var vs []civil.Interval
			for range rng.IntN(4) {
				start := civil.Day(rng.IntN(60))
				vs = append(vs, civil.Interval{Start: start, End: start + civil.Day(rng.IntN(20))})
			}
			if rng.IntN(5) == 0 {
				vs = append(vs, civil.Interval{Start: civil.OpenStart, End: civil.Day(rng.IntN(30))})
			}
			r.Periods = append(r.Periods, OfDays(civil.Union(vs...)))
		}
		src := make(rows, rng.IntN(80))
		for i := range src {
			src[i].day = civil.Day(rng.IntN(80))
		}
		res := run(t, r, src)
		for i, s := range r.Periods {
			want := int64(0)
			for _, row := range src {
				if s.Days.Contains(row.day) {
					want++
				}
			}
			if got, _ := res.At(i, []dataset.Label{dataset.All}[:len(r.By)])[0].Value(); got.String() != fmt.Sprint(want) {
				t.Fatalf("%s holds %s of the records, want %d", s, got, want)
			}
		}
	}
}

func TestPlansAreChecked(t *testing.T) {
	day := EachOfDays(civil.SetOf(civil.One(1)))
	count := figures("count")
	for want, r := range map[string]Request{
		"no spans":                 {Figures: count},
		"no figures are given":     {Periods: day},
		"top 2 needs a category":   {Periods: day, Figures: count, Top: 2},
		"is not a figure":          {Periods: day, Figures: []measure.Figure{{Kind: "mode", Column: "x"}}},
		"given twice":              {Periods: day, Figures: count, By: []string{"a", "a"}},
		"broken down by at most 2": {Periods: day, Figures: count, By: []string{"a", "b", "c"}},
	} {
		if _, err := NewPlan(r); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%+v gives %v, want %s", r, err, want)
		}
	}
}

// The top ones go by the first figure over the first period; the others are put together, the
// figures that do not add up as well.
func TestTop(t *testing.T) {
	a, b, c, d := dataset.LabelOf("a"), dataset.LabelOf("b"), dataset.LabelOf("c"), dataset.Label{}
	src := rows{{1, a, "1"}, {1, b, "5"}, {1, c, "3"}, {1, d, "2"}, {1, d, "1"}, {2, a, "100"}, {2, c, "1"}, {2, d, "3"}}
	r := Request{
		Periods: EachOfDays(civil.SetOf(civil.One(1)), civil.SetOf(civil.Through(1, 2))),
		Figures: figures("sum x", "distinct x", "last x"),
		By:      []string{"g"}, Top: 2,
	}
	res := run(t, r, src)
	if len(res.Groups) != 3 || res.Groups[0][0] != b || res.Groups[1][0] != c || res.Groups[2][0] != dataset.Other {
		t.Fatalf("the groups are %v", res.Groups)
	}
	if top := res.Top; len(top.Values) != 2 || top.Others != 2 {
		t.Errorf("%d are kept and %d are others", len(top.Values), top.Others)
	}
	for _, c := range []struct {
		period int
		label  dataset.Label
		want   string
	}{{0, b, "5|1|5"}, {0, dataset.Other, "4|2|1"}, {1, dataset.Other, "107|4|3"}, {1, c, "4|2|1"}, {1, dataset.All, "116|5|3"}} {
		if got := texts(res.At(c.period, []dataset.Label{c.label})); got != c.want {
			t.Errorf("period %d, %v: %s, want %s", c.period, c.label, got, c.want)
		}
	}
}
