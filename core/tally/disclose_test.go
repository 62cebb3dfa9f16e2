package tally

import (
	"context"
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
	for _, text := range []string{"min amount", "max amount", "first amount", "last amount", "median amount"} {
		_, err := NewPlan(Request{Periods: []Period{daysFrom(day, 1)}, Figures: figures(text), MinRecords: 5})
		if err == nil || !strings.Contains(err.Error(), "value of a single record") {
			t.Errorf("%s: %v", text, err)
		}
	}
	records := many(10, day, "A")
	for i := range records[:7] {
		records[i].amount = "" // three values are left
	}
	for _, text := range []string{"sum amount", "mean amount"} {
		got := run(t, Request{Periods: []Period{daysFrom(day, 1)}, Figures: figures(text), MinRecords: 5}, records)
		if v := got.At(0, nil)[0]; v.Set() {
			t.Errorf("%s of three values among ten records is shown: %s", text, v)
		}
	}
	if got := run(t, Request{Periods: []Period{daysFrom(day, 1)}, Figures: figures("count"), MinRecords: 5}, records); got.Hidden(0, nil) {
		t.Error("the count of ten records is hidden")
	}
}

// people are records with a group and a person, some of them without a day.
type people []struct {
	day           civil.Day
	group, person string
}

var peopleSchema = &dataset.Schema{Zone: "UTC", Columns: []dataset.Column{
	{Name: "day", Type: dataset.Date, Role: dataset.DayRole}, {Name: "group", Type: dataset.Text, Role: dataset.Category},
	{Name: "person", Type: dataset.Text, Role: dataset.Category},
}}

const noDay = civil.Day(-1)

// Partials implements Source.
func (list people) Partials(_ context.Context, p *Plan, into Collector) (Found, error) {
	var found Found
	pass, err := peopleSchema.Predicate(p.Where)
	if err != nil {
		return found, err
	}
	for _, one := range list {
		cells := []dataset.Cell{{Set: true, Day: one.day}, {Set: true, Text: one.group}, {Set: true, Text: one.person}}
		if !pass(cells) {
			continue
		}
		if one.day == noDay {
			found.Undated++
			continue
		}
		found.Add(one.day)
		if segment := p.Segment(int64(one.day)); p.Wanted(segment) {
			part := p.NewPart()
			part.Count = 1
			if err := into.Partial(Partial{Segment: segment, Group: []dataset.Label{dataset.LabelOf(one.group)}[:len(p.By)], Part: *part}); err != nil {
				return found, err
			}
		}
	}
	return found, nil
}

// passing reports whether a record passes filters.
func passing(t *testing.T, where dataset.Filters, group, person string) bool {
	t.Helper()
	pass, err := peopleSchema.Predicate(where)
	if err != nil {
		t.Fatal(err)
	}
	return pass([]dataset.Cell{{}, {Set: true, Text: group}, {Set: true, Text: person}})
}

// Of random records, no number of few can be worked out of what is shown together: not by any sums and differences of totals over
// several spans, by groups, with filters and next to the same under others, and of the number of all records.
func TestNothingSmallCanBeWorkedOut(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 7))
	const first, least = civil.Day(20_000), 4
	texts := []string{"group=A", "group!=A", "person=p", "person!=p", "person not in (p)", "person!=q", "group=B or person=q", "person in (p, q)"}
	shownSome, shownFiltered := 0, 0
	for round := range 600 {
		var records people
		for range 1 + rng.IntN(40) {
			day := first + civil.Day(rng.IntN(3))
			if rng.IntN(12) == 0 {
				day = noDay
			}
			records = append(records, people{{day, string(rune('A' + rng.IntN(2))), string("pqrrrr"[rng.IntN(6)])}}...)
		}
		by := []string{"group"}[:rng.IntN(2)]
		var list []Answered
		for range 1 + rng.IntN(3) {
			var periods []Period
			for range 1 + rng.IntN(3) {
				periods = append(periods, daysFrom(first+civil.Day(rng.IntN(3)), 1+rng.IntN(4)))
			}
			var chosen []string
			for range rng.IntN(3) {
				chosen = append(chosen, texts[rng.IntN(len(texts))])
			}
			where, err := dataset.ParseFilters(chosen)
			if err != nil {
				t.Fatal(err)
			}
			p, err := NewPlan(Request{Periods: periods, Figures: figures("count"), By: by, Where: where, MinRecords: least})
			if err != nil {
				t.Fatal(err)
			}
			r, err := Answer(t.Context(), p, records)
			if err != nil {
				t.Fatal(err)
			}
			list = append(list, Answered{p, r})
		}
		if err := Disclose(t.Context(), records, least, list); err != nil {
			if strings.Contains(err.Error(), "different filters") {
				continue
			}
			t.Fatal(err)
		}
		// The atoms: a day, a group and a person each.
		type cell struct {
			day           civil.Day
			group, person string
		}
		count, dated := map[cell]int{}, 0
		for _, rec := range records {
			if rec.day != noDay {
				count[cell{rec.day, rec.group, rec.person}]++
				dated++
			}
		}
		var atoms []cell
		for c := range count {
			atoms = append(atoms, c)
		}
		slices.SortFunc(atoms, func(a, b cell) int { return strings.Compare(fmt.Sprint(a), fmt.Sprint(b)) })
		var shown [][]int64
		if dated >= least {
			shown = append(shown, slices.Repeat([]int64{1}, len(atoms)))
		}
		for _, one := range list {
			got := one.Result
			if !got.Quiet || got.Undated != 0 || got.RecordsIn(0) != 0 {
				t.Fatalf("round %d: records are told of: %+v", round, got.Found)
			}
			for i, p := range one.Plan.Periods {
				groups := [][]dataset.Label{nil}
				if len(by) > 0 {
					groups = [][]dataset.Label{{dataset.LabelOf("A")}, {dataset.LabelOf("B")}, {dataset.All}}
				}
				for _, g := range groups {
					if got.Hidden(i, g) || !got.Has(i, g) {
						continue
					}
					row := make([]int64, len(atoms))
					for j, a := range atoms {
						if p.Days.Contains(a.day) && (len(g) == 0 || g[0].IsAll() || g[0].Text == a.group) && passing(t, one.Plan.Where, a.group, a.person) {
							row[j] = 1
						}
					}
					shown = append(shown, row)
					if shownSome++; len(one.Plan.Where) > 0 {
						shownFiltered++
					}
				}
			}
		}
		if len(atoms) > 14 {
			atoms = atoms[:14]
		}
		have := rank(shown)
		for set := 1; set < 1<<len(atoms); set++ {
			row, n := make([]int64, len(count)), 0
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
	if shownSome < 800 || shownFiltered < 150 {
		t.Errorf("only %d totals are shown at all, %d of them with filters", shownSome, shownFiltered)
	}
}

// Anything in one answer that would reveal one person's values is hidden.
func TestOnePersonIsNotTold(t *testing.T) {
	const day, least = civil.Day(20_000), 5
	var records people
	for i := range 60 {
		records = append(records, people{{day + civil.Day(i%10), []string{"law", "sales", "yard"}[i%3], fmt.Sprintf("p%02d", i)}}...)
	}
	all := []Period{daysFrom(day, 10)}
	for _, c := range []struct {
		name    string
		filters [][]string
		periods []Period
		by      []string
		want    string // of each input, whether its total is shown
	}{
		{"nothing left out", [][]string{nil}, all, nil, "shown"},
		{"enough left out", [][]string{{"group!=law"}}, all, nil, "shown"},
		{"one left out", [][]string{{"person!=p03"}}, all, nil, "hidden"},
		{"one left out, twice", [][]string{{"person!=p03", "person not in (p03)"}}, all, nil, "hidden"},
		{"one left out of a group", [][]string{{"group=law", "person!=p03"}}, all, nil, "hidden"},
		{"beside the same without one", [][]string{nil, {"person!=p03"}}, all, nil, "shown hidden"},
		{"two that differ by one", [][]string{{"person in (p01, p02, p03, p04, p05, p06)"}, {"person in (p01, p02, p03, p04, p05, p06, p07)"}}, all, nil, "shown hidden"},
		{"all days but one of few", [][]string{nil}, []Period{daysFrom(day+1, 9)}, nil, "shown"},
	} {
		var list []Answered
		for _, texts := range c.filters {
			where, err := dataset.ParseFilters(texts)
			if err != nil {
				t.Fatal(err)
			}
			p, err := NewPlan(Request{Periods: c.periods, Figures: figures("count"), By: c.by, Where: where, MinRecords: least})
			if err != nil {
				t.Fatal(err)
			}
			r, err := Answer(t.Context(), p, records)
			if err != nil {
				t.Fatal(err)
			}
			list = append(list, Answered{p, r})
		}
		if err := Disclose(t.Context(), records, least, list); err != nil {
			t.Fatal(err)
		}
		var got []string
		for _, one := range list {
			got = append(got, map[bool]string{true: "hidden", false: "shown"}[one.Result.Hidden(0, nil)])
		}
		if text := strings.Join(got, " "); text != c.want {
			t.Errorf("%s: %s, want %s", c.name, text, c.want)
		}
	}
	lone := append(slices.Clone(records), people{{day + 20, "law", "p99"}}...) // a day of one record next to all the others
	p, err := NewPlan(Request{Periods: all, Figures: figures("count"), MinRecords: least})
	if err != nil {
		t.Fatal(err)
	}
	if r, err := Run(t.Context(), p, lone); err != nil || !r.Hidden(0, nil) {
		t.Errorf("all records but one are shown, and how many there are is known: %v", err)
	}
}

// So many filters are accepted, and no more.
func TestFiltersOfHiddenTotals(t *testing.T) {
	records := people{{20_000, "A", "p"}}
	for n := maxFilters; n <= maxFilters+1; n++ {
		var texts []string
		for i := range n {
			texts = append(texts, fmt.Sprintf("person!=x%d", i))
		}
		where, err := dataset.ParseFilters(texts)
		if err != nil {
			t.Fatal(err)
		}
		p, err := NewPlan(Request{Periods: []Period{daysFrom(20_000, 1)}, Figures: figures("count"), Where: where, MinRecords: 5})
		if err != nil {
			t.Fatal(err)
		}
		if _, err := Run(t.Context(), p, records); (err == nil) != (n == maxFilters) {
			t.Errorf("%d filters: %v", n, err)
		}
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
