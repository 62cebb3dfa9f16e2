package tally

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
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

func (r rows) Facts(_ context.Context, p *Plan, into Sink) (Extent, error) {
	var e Extent
	var facts []Fact
	for i, row := range r {
		e.Add(row.day)
		segment := p.Segment(row.day)
		if !p.Wanted(segment) {
			continue
		}
		f := Fact{Segment: segment, Count: 1, Amounts: make([]Amount, len(p.Amounts))}
		if len(p.By) > 0 {
			f.Group = []Label{row.group}
		}
		for range p.Bagged {
			f.Bags = append(f.Bags, Bag{})
		}
		if row.amount != "" {
			v, _, err := apd.NewFromString(row.amount)
			if err != nil {
				return e, err
			}
			point := Point{Set: true, At: int64(row.day), Sequence: int64(i), Value: *v}
			for j := range f.Amounts {
				f.Amounts[j] = Amount{First: point, Last: point}
				if err := f.Amounts[j].Add(v); err != nil {
					return e, err
				}
			}
			for j := range f.Bags {
				f.Bags[j][NumberKey(v)]++
			}
		}
		facts = append(facts, f)
	}
	if p.Top > 0 {
		if err := p.Rank(func(yield func(*Fact) bool) {
			for i := range facts {
				if !yield(&facts[i]) {
					return
				}
			}
		}); err != nil {
			return e, err
		}
	}
	for _, f := range facts {
		f.Group = p.Fold(f.Group)
		if err := into.Fact(f); err != nil {
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
		Figures:   []Figure{{Count, ""}, {Sum, "x"}, {Mean, "x"}, {Min, "x"}, {Max, "x"}, {Distinct, "x"}, {Median, "x"}, {First, "x"}, {Last, "x"}},
		By:        []string{"g"},
	}
	res := run(t, r, src)
	for i, want := range []string{
		"4|3.25|1.083333|-0.25|2.00|3|1.5|1.50|-0.25",
		"1|||||0|||", // a record without an amount: blank is not zero
		"0|||||0|||",
		"5|100000000000000000000000000000000003.24|25000000000000000000000000000000000.810000|-0.25|99999999999999999999999999999999999.99|4|1.75|1.50|99999999999999999999999999999999999.99",
		"0|||||0|||",
	} {
		if got := texts(res.Overall(i)); got != want {
			t.Errorf("stretch %d: %s, want %s", i, got, want)
		}
	}
	if len(res.Groups) != 2 || res.Groups[0][0] != a || res.Groups[1][0] != b {
		t.Errorf("the groups are %v: blanks come last", res.Groups)
	}
	if got := texts(res.At(0, []Label{b})); got != "1|||||0|||" {
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
			if got, _ := res.Overall(i)[0].Decimal.Int64(); got != want {
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
		"ranks by a count, sum":    {Stretches: day, Figures: []Figure{{Median, "x"}}, By: []string{"a"}, Top: 2},
		"top 2 needs a category":   {Stretches: day, Figures: count, Top: 2},
		"is not a figure":          {Stretches: day, Figures: []Figure{{"mode", "x"}}},
		"given twice":              {Stretches: day, Figures: count, By: []string{"a", "a"}},
		"broken down by at most 2": {Stretches: day, Figures: count, By: []string{"a", "b", "c"}},
	} {
		if _, err := NewPlan(r); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%+v gives %v, want %s", r, err, want)
		}
	}
}

// The top ones go by the first figure over the first stretch; the others are put together, the
// figures that do not add up as well.
func TestTop(t *testing.T) {
	a, b, c, d := LabelOf("a"), LabelOf("b"), LabelOf("c"), Label{}
	src := rows{{1, a, "1"}, {1, b, "5"}, {1, c, "3"}, {1, d, "2"}, {1, d, "1"}, {2, a, "100"}, {2, c, "1"}, {2, d, "3"}}
	r := Request{
		Stretches: []civil.Set{civil.SetOf(civil.One(1)), civil.SetOf(civil.Through(1, 2))},
		Figures:   []Figure{{Sum, "x"}, {Distinct, "x"}, {Last, "x"}},
		By:        []string{"g"}, Top: 2,
	}
	res := run(t, r, src)
	if len(res.Groups) != 3 || res.Groups[0][0] != b || res.Groups[1][0] != c || res.Groups[2][0] != Rest {
		t.Fatalf("the groups are %v", res.Groups)
	}
	if kept, folded := res.Folded(); len(kept) != 2 || folded != 2 {
		t.Errorf("%d are kept and %d folded", len(kept), folded)
	}
	for _, c := range []struct {
		stretch int
		label   Label
		want    string
	}{{0, b, "5|1|5"}, {0, Rest, "4|2|1"}, {1, Rest, "107|4|3"}, {1, c, "4|2|1"}, {1, All, "116|5|3"}} {
		if got := texts(res.At(c.stretch, []Label{c.label})); got != c.want {
			t.Errorf("stretch %d, %v: %s, want %s", c.stretch, c.label, got, c.want)
		}
	}
}

// Sums of fixed numbers are those of arbitrary ones, whatever their size and decimals.
func TestSumsAgainstDecimals(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 9))
	for range 3000 {
		var whole Amount
		parts := make([]Sums, 3)
		for range rng.IntN(30) {
			digits := rng.Int64() >> rng.IntN(63)
			if rng.IntN(2) == 0 {
				digits = -digits
			}
			f := Fixed{digits, uint8(rng.IntN(5))}
			if rng.IntN(20) == 0 {
				f.Decimals = maxDecimals
			}
			part := &parts[rng.IntN(3)]
			var err error
			if rng.IntN(6) == 0 {
				err = part.AddDecimal(f.Decimal())
			} else {
				err = part.Add(f)
			}
			if err != nil {
				t.Fatal(err)
			}
			if err := whole.Add(f.Decimal()); err != nil {
				t.Fatal(err)
			}
		}
		var sums Sums
		for i := range parts {
			if err := sums.Merge(&parts[i]); err != nil {
				t.Fatal(err)
			}
		}
		got, err := sums.Amount()
		if err != nil {
			t.Fatal(err)
		}
		if text, ok := sums.AppendText(nil); ok {
			want := fmt.Sprintf("%d\t%s\t%s\t%s", got.Count, got.Sum.Text('f'), got.Min.Text('f'), got.Max.Text('f'))
			if string(text) != want {
				t.Fatalf("the text is %q, want %q", text, want)
			}
		}
		if got.Count != whole.Count {
			t.Fatalf("%d numbers, want %d", got.Count, whole.Count)
		}
		for _, k := range []Kind{Sum, Min, Max, Mean} {
			a, err1 := got.figure(k)
			b, err2 := whole.figure(k)
			if err1 != nil || err2 != nil || a.String() != b.String() {
				t.Fatalf("%s: %s, want %s (%v, %v)", k, a, b, err1, err2)
			}
		}
	}
}

func TestParseFixed(t *testing.T) {
	for text, want := range map[string]string{
		"12.50": "12.50", "-0.05": "-0.05", "+7": "7", "007": "7", "999999999999999999": "999999999999999999", "0.000000000000000001": "",
		"": "", "-": "", ".5": "", "5.": "", "1e5": "", "1.2.3": "", "NaN": "", "1,5": "", "9999999999999999999": "",
	} {
		got := ""
		if f, ok := ParseFixed(text); ok {
			got = f.Decimal().Text('f')
		}
		if got != want {
			t.Errorf("%q is %q, want %q", text, got, want)
		}
	}
}

// A median is the middle value, or exactly midway between two.
func TestMedianAgainstSorting(t *testing.T) {
	rng := rand.New(rand.NewPCG(8, 1))
	for range 500 {
		bag := Bag{}
		var list []int
		for range 1 + rng.IntN(12) {
			n := rng.IntN(9) - 4
			list = append(list, n)
			bag[NumberKey(apd.New(int64(n), 0))]++
		}
		slices.Sort(list)
		twice := list[(len(list)-1)/2] + list[len(list)/2]
		v, err := bag.median()
		if err != nil {
			t.Fatal(err)
		}
		if want, _ := Midway(apd.New(int64(twice), 0), apd.New(0, 0)); v.String() != want.String() {
			t.Fatalf("the median of %v is %s", list, v)
		}
	}
	if v, _ := Midway(apd.New(150, 0), apd.New(250, 0)); v.String() != "200" {
		t.Errorf("midway between 150 and 250 is %s", v)
	}
}
