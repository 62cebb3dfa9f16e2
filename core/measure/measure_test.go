package measure

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/cockroachdb/apd/v3"

	"vastspan/core/decimal"
)

func value(t *testing.T, text string) decimal.Value {
	t.Helper()
	if text == "" {
		return decimal.Value{}
	}
	d, _, err := apd.NewFromString(text)
	if err != nil {
		t.Fatal(err)
	}
	return decimal.Of(d)
}

// A difference and a change are those of exact figures, whatever is left of them when they are written (semantics §7).
func TestCompare(t *testing.T) {
	fraction := func(text string) decimal.Fraction {
		a, b, found := strings.Cut(text, "/")
		if !found {
			return decimal.FractionOf(value(t, text))
		}
		f, err := decimal.FractionOf(value(t, a)).Over(decimal.FractionOf(value(t, b)))
		if err != nil {
			t.Fatal(err)
		}
		return f
	}
	for _, c := range []struct{ v, against, difference, change, direction string }{
		{"110", "100", "10", "0.1", "up"},
		{"90.50", "100", "-9.50", "-0.095", "down"},
		{"5", "5.00", "0.00", "0", "level"},
		{"5", "0", "5", "", "up"}, // never infinite
		{"5", "", "", "", ""},
		{"", "5", "", "", ""}, // blank is not zero
		{"-50", "-100", "50", "0.5", "up"},
		{"1", "3", "-2", "-0.666666666667", "down"},
		{"2", "3", "-1", "-0.333333333333", "down"},
		{"34/100000", "25/100000", "0.00009", "0.36", "up"},
		{"140/1000000", "149/1000000", "-0.000009", "-0.0604026845638", "down"},
		{"2/365", "1/366", "0.00274721161764", "1.00547945205479", "up"},
		{"1/3", "2/6", "0", "0", "level"},
		{"99999999999999999999999999999999999999.5", "0.0001", "99999999999999999999999999999999999999.4999", "999999999999999999999999999999999999994999", "up"},
	} {
		got, err := Compare(fraction(c.v), fraction(c.against))
		if err != nil || got.Difference.String() != c.difference || got.Change.String() != c.change ||
			[]string{"down", "level", "up"}[got.Difference.Sign()+1] != c.direction && got.Difference.Set() {
			t.Errorf(
				"%q against %q: %s, %s, %d, %v; want %s, %s, %s",
				c.v,
				c.against,
				got.Difference,
				got.Change,
				got.Difference.Sign(),
				err,
				c.difference,
				c.change,
				c.direction,
			)
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
			f := decimal.Fixed{Digits: digits, Decimals: uint8(rng.IntN(5))}
			if rng.IntN(20) == 0 {
				f.Decimals = decimal.MaxDecimals
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
			e, _ := Lookup(k)
			a, err1 := e.Finish(Parts{Records: 1, Amount: &got})
			b, err2 := e.Finish(Parts{Records: 1, Amount: &whole})
			if err1 != nil || err2 != nil || a.String() != b.String() {
				t.Fatalf("%s: %s, want %s (%v, %v)", k, a, b, err1, err2)
			}
		}
	}
}

// A median is the middle value, or exactly midway between two.
func TestMedianAgainstSorting(t *testing.T) {
	rng := rand.New(rand.NewPCG(8, 1))
	for range 500 {
		values := Multiset{}
		var list []int
		for range 1 + rng.IntN(12) {
			n := rng.IntN(9) - 4
			list = append(list, n)
			values[decimal.Key(apd.New(int64(n), 0))]++
		}
		slices.Sort(list)
		twice := list[(len(list)-1)/2] + list[len(list)/2]
		v, err := values.at(0.5)
		if err != nil {
			t.Fatal(err)
		}
		if want, _ := decimal.Midway(apd.New(int64(twice), 0), apd.New(0, 0)); v.String() != want.String() {
			t.Fatalf("the median of %v is %s", list, v)
		}
	}
	if v, _ := decimal.Midway(apd.New(150, 0), apd.New(250, 0)); v.String() != "200" {
		t.Errorf("midway between 150 and 250 is %s", v)
	}
}

// Every figure has one notation, and its place in the sorted values is where sorting puts it.
func TestFigures(t *testing.T) {
	for _, e := range All() {
		f := Figure{Kind: e.Kind}
		for _, column := range []string{"net fare", "fare per day", `"a"`, "a/b", " a"} {
			if e.OfColumn() {
				f.Column = column
			}
			if e.Pair {
				f.Over = "b/" + column
			}
			for _, d := range append(Derivations(), Derived{}) {
				f.Derived = d.Derivation
				back, err := ParseFigure(f.String())
				if err != nil || back != f {
					t.Errorf("%s is read back as %v, %v", f, back, err)
				}
			}
		}
		if e.Words == "" || e.Help == "" {
			t.Errorf("%s has no words", e.Kind)
		}
		if v := e.Empty(); v.Set() != e.Pure {
			t.Errorf("%s of no records is %q", e.Kind, v)
		}
	}
	for _, text := range []string{"", "sum", "count fare", "mode fare", "SUM fare", "ratio fare", "ratio fare/", "ratio /fare", "per day", `sum "fare" x`} {
		if f, err := ParseFigure(text); err == nil {
			t.Errorf("%q is read as %v", text, f)
		}
	}
	for _, c := range []struct {
		n            int64
		order        float64
		lower, upper int64
	}{{1, 0.5, 0, 0}, {2, 0.5, 0, 1}, {3, 0.5, 1, 1}, {4, 0.5, 1, 2}, {10, 0.9, 8, 9}, {11, 0.9, 9, 9}, {5, 1, 4, 4}, {5, 0, 0, 0}} {
		if lower, upper := Places(c.n, c.order); lower != c.lower || upper != c.upper {
			t.Errorf("%v of %d values lies between %d and %d, want %d and %d", c.order, c.n, lower, upper, c.lower, c.upper)
		}
	}
}
