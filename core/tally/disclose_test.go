package tally

import (
	"fmt"
	"math/big"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"vastspan/core/civil"
	"vastspan/core/dataset"
)

// days from a day on.
func daysFrom(first civil.Day, n int) Period {
	return OfDays(civil.SetOf(civil.Interval{Start: first, End: first + civil.Day(n)}))
}

// many returns so many records of a day and a group.
func many(n int, day civil.Day, group string) rows {
	var list rows
	for range n {
		list = append(list, rows{{day, dataset.LabelOf(group), "1"}}...)
	}
	return list
}

// Totals of few records are hidden, and of the others those by which they could be worked out.
func TestSmallTotalsAreHidden(t *testing.T) {
	const day = civil.Day(20_000)
	for _, c := range []struct {
		name    string
		records rows
		periods []Period
		by      []string
		want    string // by period and group: the count, or - for hidden
		left    string // the groups that are left
	}{
		{"enough", many(5, day, "A"), []Period{daysFrom(day, 1)}, nil, "5", ""},
		{"few", many(4, day, "A"), []Period{daysFrom(day, 1)}, nil, "-", ""},
		{"none", nil, []Period{daysFrom(day, 1)}, nil, "0", ""},
		{"one group of few: another goes with it, so that the total stays", slices.Concat(many(3, day, "A"), many(10, day, "B"), many(20, day, "C")),
			[]Period{daysFrom(day, 1)}, []string{"group"}, "A - B - C 20 all 33", "C"},
		{"two groups of few are enough together", slices.Concat(many(3, day, "A"), many(4, day, "B"), many(20, day, "C")),
			[]Period{daysFrom(day, 1)}, []string{"group"}, "A - B - C 20 all 27", "C"},
		{"a month to date with and without a day of few", slices.Concat(many(2, day, "A"), many(30, day-5, "A")),
			[]Period{daysFrom(day-10, 10), daysFrom(day-10, 11)}, nil, "- 32", ""},
		{"a day of few within a year", slices.Concat(many(2, day, "A"), many(30, day-5, "A"), many(40, day-1, "A")),
			[]Period{daysFrom(day-5, 1), daysFrom(day-1, 1), daysFrom(day, 1), daysFrom(day-5, 6)}, nil, "- 40 - 72", ""},
	} {
		r := Request{Periods: c.periods, Figures: figures("count"), By: c.by, MinRecords: 5}
		got := run(t, r, c.records)
		var parts []string
		for i := range c.periods {
			groups := [][]dataset.Label{nil}
			if c.by != nil {
				groups = nil
				for _, name := range []string{"A", "B", "C"} {
					groups = append(groups, []dataset.Label{dataset.LabelOf(name)})
				}
				groups = append(groups, []dataset.Label{dataset.All})
			}
			for _, g := range groups {
				if len(g) > 0 {
					name := g[0].Text
					if g[0].IsAll() {
						name = "all"
					}
					parts = append(parts, name)
				}
				text := "-"
				if v := got.At(i, g)[0]; v.Set() {
					text = v.String()
				} else if !got.Hidden(i, g) {
					t.Errorf("%s: a total is blank and not hidden", c.name)
				}
				parts = append(parts, text)
			}
		}
		var left []string
		for _, g := range got.Groups {
			for _, l := range g {
				left = append(left, l.Text)
			}
		}
		if text := strings.Join(parts, " "); text != c.want || strings.Join(left, " ") != c.left {
			t.Errorf("%s: %s with groups %s, want %s with %s", c.name, text, left, c.want, c.left)
		}
	}
}

// What shows the value of a single record is refused, and blanks count for nothing.
func TestSingleValuesAreRefused(t *testing.T) {
	const day = civil.Day(20_000)
	for _, text := range []string{"min amount", "max amount", "first amount", "last amount"} {
		_, err := NewPlan(Request{Periods: []Period{daysFrom(day, 1)}, Figures: figures(text), MinRecords: 5})
		if err == nil || !strings.Contains(err.Error(), "value of a single record") {
			t.Errorf("%s: %v", text, err)
		}
	}
	records := many(10, day, "A")
	for i := range records[:7] {
		records[i].amount = "" // three values are left
	}
	for _, text := range []string{"sum amount", "mean amount", "median amount"} {
		got := run(t, Request{Periods: []Period{daysFrom(day, 1)}, Figures: figures(text), MinRecords: 5}, records)
		if v := got.At(0, nil)[0]; v.Set() {
			t.Errorf("%s of three values among ten records is shown: %s", text, v)
		}
	}
	if got := run(t, Request{Periods: []Period{daysFrom(day, 1)}, Figures: figures("count"), MinRecords: 5}, records); got.Hidden(0, nil) {
		t.Error("the count of ten records is hidden")
	}
}

// Of random records over random days no number of few can be worked out of what is shown: not by any sums and differences.
func TestNothingSmallCanBeWorkedOut(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 7))
	const first, least = civil.Day(20_000), 4
	shownSome := 0
	for round := range 300 {
		var records rows
		for range 1 + rng.IntN(40) {
			records = append(records, many(1, first+civil.Day(rng.IntN(4)), string(rune('A'+rng.IntN(3))))...)
		}
		var periods []Period
		for range 1 + rng.IntN(4) {
			periods = append(periods, daysFrom(first+civil.Day(rng.IntN(3)), 1+rng.IntN(4)))
		}
		by := []string{"group"}[:rng.IntN(2)]
		r := Request{Periods: periods, Figures: figures("count"), By: by, MinRecords: least}
		got := run(t, r, records)
		// The atoms: a day and a group each.
		type cell struct {
			day   civil.Day
			group string
		}
		count := map[cell]int{}
		for _, rec := range records {
			count[cell{rec.day, rec.group.Text}]++
		}
		var atoms []cell
		for c := range count {
			atoms = append(atoms, c)
		}
		slices.SortFunc(atoms, func(a, b cell) int { return strings.Compare(fmt.Sprint(a), fmt.Sprint(b)) })
		var shown [][]int64
		for i, p := range periods {
			groups := [][]dataset.Label{nil}
			if len(by) > 0 {
				groups = [][]dataset.Label{{dataset.LabelOf("A")}, {dataset.LabelOf("B")}, {dataset.LabelOf("C")}, {dataset.All}}
			}
			for _, g := range groups {
				if got.Hidden(i, g) || !got.Has(i, g) {
					continue
				}
				row := make([]int64, len(atoms))
				for j, a := range atoms {
					if p.Days.Contains(a.day) && (len(g) == 0 || g[0].IsAll() || g[0].Text == a.group) {
						row[j] = 1
					}
				}
				shown = append(shown, row)
			}
		}
		shownSome += len(shown)
		have := rank(shown)
		for set := 1; set < 1<<len(atoms); set++ {
			row, n := make([]int64, len(atoms)), 0
			for j, a := range atoms {
				if set&(1<<j) != 0 {
					row[j] = 1
					n += count[a]
				}
			}
			if n < least && rank(append(slices.Clone(shown), row)) == have {
				t.Fatalf("round %d: %d records %v can be worked out of %v over %v", round, n, row, shown, atoms)
			}
		}
	}
	if shownSome < 300 {
		t.Errorf("only %d totals are shown at all", shownSome)
	}
}

// rank is that of a matrix.
func rank(rows [][]int64) int {
	var m [][]*big.Rat
	for _, r := range rows {
		var line []*big.Rat
		for _, v := range r {
			line = append(line, big.NewRat(v, 1))
		}
		m = append(m, line)
	}
	n := 0
	for column := 0; n < len(m) && column < len(m[0]); column++ {
		at := slices.IndexFunc(m[n:], func(line []*big.Rat) bool { return line[column].Sign() != 0 })
		if at < 0 {
			continue
		}
		m[n], m[n+at] = m[n+at], m[n]
		for i := n + 1; i < len(m); i++ {
			f := new(big.Rat).Quo(m[i][column], m[n][column])
			for j := column; j < len(m[i]); j++ {
				m[i][j].Sub(m[i][j], new(big.Rat).Mul(f, m[n][j]))
			}
		}
		n++
	}
	return n
}
