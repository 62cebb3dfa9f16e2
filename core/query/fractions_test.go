package query

import (
	"fmt"
	"math/big"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/measure"
	"vastspan/core/table"
)

// Quotients, and what two of them differ by, are those of fractions, rounded once (semantics §7).
func TestQuotientsAgree(t *testing.T) {
	rng := rand.New(rand.NewPCG(23, 1))
	rounds := 2000
	if testing.Short() {
		rounds = 200
	}
	compared := 0
	for i := range rounds {
		asOf := civil.Of(2025, 3, 1) + civil.Day(rng.IntN(300))
		list := randomSales(rng, 20+rng.IntN(120))
		if rng.IntN(4) == 0 { // figures that nearly cancel out
			for j := range list {
				list[j].cents = 1_000_000 + int64(rng.IntN(3))
			}
		}
		over := []string{"trailing 90 days", "last full quarter", "year to date", "last 5 full weeks"}[rng.IntN(4)]
		a, err := ask(t, list, asOf, Query{Over: []string{over}, Against: []string{"prior"}, Figures: []measure.Figure{
			{Kind: measure.Mean, Column: "amount"}, {Kind: measure.Sum, Column: "amount", Derived: measure.PerDay},
		}})
		if err != nil {
			t.Fatal(err)
		}
		total := a.Tables[0].Rows[0]
		sides := []civil.Set{a.Spans[0].Intervals, a.Spans[0].Comparisons[0].Intervals}
		for f := range 2 {
			var values []*big.Rat
			for _, s := range sides {
				values = append(values, quotient(list, s, asOf, f == 1))
			}
			for role, want := range map[table.Role]*big.Rat{
				table.Figure: values[0], table.Counterpart: values[1], table.Difference: ratDifference(values), table.Change: ratChange(values),
			} {
				at := slices.IndexFunc(a.Tables[0].Columns, func(c table.Column) bool { return c.Figure == f && c.Role == role })
				if at < 0 {
					t.Fatalf("there is no %s", role)
				}
				if got := total.Cells[at].String(); !rounds12(got, want) {
					t.Fatalf("round %d, %s as of %s, %s of figure %d: %q, want %v", i, over, asOf, role, f, got, want)
				}
				if want != nil {
					compared++
				}
			}
		}
	}
	if compared < rounds*4 {
		t.Errorf("only %d figures were compared", compared)
	}
}

// Ratios between 10⁻⁹ and 10⁹, their differences, changes and contributions are those of fractions, in files to 12
// significant digits and for people to the last digit that is shown (semantics §7).
func TestRatiosOverEighteenDecades(t *testing.T) {
	rng := rand.New(rand.NewPCG(23, 4))
	rounds := 2000
	if testing.Short() {
		rounds = 300
	}
	schema := &dataset.Schema{Columns: []dataset.Column{
		{Name: "day", Type: dataset.Date, Role: dataset.DayRole}, {Name: "region", Type: dataset.Text, Role: dataset.Category},
		{Name: "clicks", Type: dataset.Number, Role: dataset.Amount}, {Name: "shown", Type: dataset.Number, Role: dataset.Amount},
	}}
	smallest, largest := 0, 0
	for i := range rounds {
		tens := rng.IntN(19) - 9 // the size of the ratio
		m := memory{schema: schema}
		var sums [2][2]*big.Rat // of September and August: clicks, shown
		for side := range sums {
			sums[side] = [2]*big.Rat{new(big.Rat), new(big.Rat)}
			for range 1 + rng.IntN(4) {
				r := record{civil.Of(2026, 9-side, 1+rng.IntN(28)), []string{"North"}, []string{
					power(1+rng.Int64N(999), max(tens, 0)), power(1000+rng.Int64N(9000), max(-tens, 0)-1),
				}}
				m.records = append(m.records, r)
				for j, text := range r.amounts {
					v, _ := new(big.Rat).SetString(text)
					sums[side][j].Add(sums[side][j], v)
				}
			}
		}
		q := Query{Over: []string{"2026-09"}, Against: []string{"1 month earlier"}, Figures: []measure.Figure{{Kind: measure.Ratio, Column: "clicks", Over: "shown"}}}
		a, err := evaluator(t, civil.Of(2026, 10, 1), &q).Answer(t.Context(), q, m.as("adverts"))
		if err != nil {
			t.Fatal(err)
		}
		values := []*big.Rat{new(big.Rat).Quo(sums[0][0], sums[0][1]), new(big.Rat).Quo(sums[1][0], sums[1][1])}
		if values[0].Cmp(big.NewRat(1, 1_000_000)) < 0 {
			smallest++
		} else if values[0].Cmp(big.NewRat(1_000_000, 1)) > 0 {
			largest++
		}
		total := a.Tables[0].Rows[0]
		for role, want := range map[table.Role]*big.Rat{
			table.Figure: values[0], table.Counterpart: values[1], table.Difference: ratDifference(values), table.Change: ratChange(values),
		} {
			at := slices.IndexFunc(a.Tables[0].Columns, func(c table.Column) bool { return c.Role == role })
			if at < 0 {
				t.Fatalf("there is no %s", role)
			}
			column, cell := &a.Tables[0].Columns[at], total.Cells[at]
			if got := cell.String(); !rounds12(got, want) {
				t.Fatalf("round %d, %s: %q, want %v", i, role, got, want)
			}
			if shown := column.Format(cell); !showsRounded(shown, want) {
				t.Fatalf("round %d, %s: %q is shown for %s", i, role, shown, want.FloatString(15))
			}
		}
	}
	if smallest < rounds/20 || largest < rounds/20 {
		t.Errorf("only %d ratios are small and %d large", smallest, largest)
	}
}

// power writes a whole number times a power of ten.
func power(n int64, tens int) string {
	text := fmt.Sprint(n)
	if tens >= 0 {
		return text + strings.Repeat("0", tens)
	}
	return text[:len(text)+tens] + "." + text[len(text)+tens:]
}

// showsRounded reports whether a text for people is a number, or a percentage with an arrow, rounded at its last digit, and whether
// a number has at least three significant digits or twelve decimals.
func showsRounded(text string, want *big.Rat) bool {
	got, percent := strings.CutSuffix(strings.ReplaceAll(text, ",", ""), "%")
	want = new(big.Rat).Set(want)
	if percent {
		want.Mul(want, big.NewRat(100, 1))
	}
	if number, down := strings.CutPrefix(got, "▼ "); down {
		got = "-" + number
	}
	got = strings.TrimPrefix(got, "▲ ")
	if got == "unchanged" {
		return want.Sign() == 0
	}
	if _, below, small := strings.Cut(got, "<"); small {
		limit, ok := new(big.Rat).SetString(below)
		return ok && want.Sign() != 0 && new(big.Rat).Abs(want).Cmp(limit) < 0
	}
	value, ok := new(big.Rat).SetString(got)
	if !ok {
		return false
	}
	_, decimals, _ := strings.Cut(got, ".")
	half := big.NewRat(1, 2)
	for range decimals {
		half.Quo(half, big.NewRat(10, 1))
	}
	off := new(big.Rat).Sub(value, want)
	digits := len(strings.TrimLeft(strings.NewReplacer(".", "", "-", "").Replace(got), "0"))
	return off.Abs(off).Cmp(half) <= 0 && (percent || digits >= 3 || len(decimals) == 12 || off.Sign() == 0)
}

// quotient is the mean amount of the records of some days, or their sum per covered day; nil where it is blank.
func quotient(list []sale, days civil.Set, asOf civil.Day, perDay bool) *big.Rat {
	sum, n := new(big.Rat), int64(0)
	first, last := list[0].day, list[0].day
	for _, s := range list {
		first, last = min(first, s.day), max(last, s.day)
		if days.Contains(s.day) && s.day <= asOf && !s.blank {
			sum.Add(sum, big.NewRat(s.cents, 100))
			n++
		}
	}
	by := n
	if perDay {
		by = 0
		for d := first; d <= min(last, asOf); d++ {
			if days.Contains(d) {
				by++
			}
		}
	}
	if n == 0 || by == 0 {
		return nil
	}
	return sum.Quo(sum, big.NewRat(by, 1))
}

func ratDifference(v []*big.Rat) *big.Rat {
	if v[0] == nil || v[1] == nil {
		return nil
	}
	return new(big.Rat).Sub(v[0], v[1])
}

func ratChange(v []*big.Rat) *big.Rat {
	if v[0] == nil || v[1] == nil || v[1].Sign() == 0 {
		return nil
	}
	return new(big.Rat).Quo(ratDifference(v), new(big.Rat).Abs(v[1]))
}

// rounds12 reports whether a text is a number to 12 significant digits, or to the two decimals of the amounts where those reach
// further.
func rounds12(text string, want *big.Rat) bool {
	if want == nil || text == "" {
		return want == nil && text == ""
	}
	got, ok := new(big.Rat).SetString(text)
	if !ok {
		return false
	}
	off := new(big.Rat).Sub(got, want)
	if off.Sign() == 0 {
		return true
	}
	// Half of the twelfth digit: 5 × 10^(magnitude - 13).
	size, magnitude := new(big.Rat).Abs(want), 0
	for ten := big.NewRat(10, 1); size.Cmp(big.NewRat(1, 1)) >= 0; magnitude++ {
		size.Quo(size, ten)
	}
	for ten := big.NewRat(10, 1); size.Cmp(big.NewRat(1, 10)) < 0; magnitude-- {
		size.Mul(size, ten)
	}
	unit := big.NewRat(1, 2)
	for range max(12-magnitude, 2) {
		unit.Quo(unit, big.NewRat(10, 1))
	}
	_, decimals, _ := strings.Cut(text, ".")
	return off.Abs(off).Cmp(unit) <= 0 && (len(decimals) <= max(12-magnitude, 2) || endsInFive(want, max(12-magnitude, 2)))
}

// endsInFive reports whether a number, rounded, ends in a 5, and perhaps zeros: it is written with more digits then.
func endsInFive(number *big.Rat, decimals int) bool {
	return strings.HasSuffix(strings.TrimRight(number.FloatString(decimals), "0"), "5")
}

// Notes on days without records appear where records are expected, and nowhere else, by a loop over the days.
func TestGapsAreFound(t *testing.T) {
	rng := rand.New(rand.NewPCG(23, 2))
	rounds := 300
	if testing.Short() {
		rounds = 100
	}
	sidesWithGaps := 0
	for i := range rounds {
		expected := []string{"", "every day", "business days", "Mon-Sat", "none"}[rng.IntN(5)]
		first := civil.Of(2025, 1, 1)
		last := first + 120 + civil.Day(rng.IntN(200))
		var list []sale
		holes := []int{0, 1, 3, 30}[rng.IntN(4)] // in a hundred days
		for d := first; d <= last; d++ {
			if weekend := date(d).Weekday()%6 == 0; weekend && rng.IntN(2) == 0 || d > first && d < last && rng.IntN(100) < holes {
				continue
			}
			list = append(list, sale{d, "North", 100, false})
		}
		asOf := last + civil.Day(rng.IntN(20)) - 10
		q := Query{Over: []string{"trailing 30 days"}, Against: []string{"prior"}, Figures: countAndSum}
		records := sales(list)
		records.Schema.Expected = expected
		a, err := evaluator(t, asOf, &q).Answer(t.Context(), q, records)
		if err != nil {
			t.Fatal(err)
		}
		var got []string
		for _, n := range a.Notes {
			if n.Code == table.MissingDays {
				text, _, _ := strings.Cut(n.Text, ": no records on ")
				_, count, _ := strings.Cut(n.Text, ": no records on ")
				got = append(got, text+" "+strings.Fields(count)[0])
			}
		}
		var want []string
		n := &naiveDerived{list: list, first: list[0].day, last: list[len(list)-1].day, asOf: asOf}
		for j, side := range []civil.Set{a.Spans[0].Intervals, a.Spans[0].Comparisons[0].Intervals} {
			if missing := n.missing(side, n.rule(expected)); missing > 0 {
				want = append(want, []string{"trailing 30 days", "trailing 30 days compared with prior period"}[j]+" "+big.NewInt(int64(missing)).String())
				sidesWithGaps++
			}
		}
		if !slices.Equal(got, want) {
			t.Fatalf("round %d, %q as of %s: %q, want %q; %+v", i, expected, asOf, got, want, a.Notes)
		}
	}
	t.Logf("%d sides miss days", sidesWithGaps)
}

func (n *naiveDerived) has(d civil.Day) bool {
	if n.days == nil {
		n.days = map[civil.Day]bool{}
		for _, s := range n.list {
			n.days[s.day] = true
		}
	}
	return n.days[d]
}

// rule returns on which days records are expected.
func (n *naiveDerived) rule(expected string) func(civil.Day) bool {
	business := func(d civil.Day) bool { return date(d).Weekday()%6 != 0 }
	all := func(civil.Day) bool { return true }
	none := func(civil.Day) bool { return false }
	switch expected {
	case "every day":
		return all
	case "business days":
		return business
	case "Mon-Sat":
		return func(d civil.Day) bool { return date(d).Weekday() != 0 }
	case "none":
		return none
	}
	for _, rule := range []func(civil.Day) bool{all, business} {
		due, there := 0, 0
		for d := n.first; d <= n.last; d++ {
			if rule(d) {
				due++
				if n.has(d) {
					there++
				}
			}
		}
		if there*100 >= 95*due {
			return rule
		}
	}
	return none
}

// missing counts the expected days of a side that are covered and have no record.
func (n *naiveDerived) missing(side civil.Set, rule func(civil.Day) bool) int {
	count := 0
	for d := n.first; d <= n.last; d++ {
		if side.Contains(d) && n.covers(d) && rule(d) && !n.has(d) {
			count++
		}
	}
	return count
}

// Records of a grain cover their whole unit, up to the as-of day, by a loop over the days.
func TestGrainsAgree(t *testing.T) {
	rng := rand.New(rand.NewPCG(23, 3))
	rounds := 300
	if testing.Short() {
		rounds = 100
	}
	for i := range rounds {
		grain := []string{"month", "quarter", "year"}[rng.IntN(3)]
		months := map[string]int{"month": 1, "quarter": 3, "year": 12}[grain]
		var list []sale
		year := 2022 + rng.IntN(2)
		asOf := civil.Of(2022, 6, 1) + civil.Day(rng.IntN(1500))
		end := civil.Of(year, 1, 1) - 1 // of the newest unit that has a record as of the day
		for m := 0; m < 12*(2+rng.IntN(2)); m += months {
			if m > 0 && rng.IntN(8) == 0 {
				continue
			}
			start := civil.Of(year+m/12, 1+m%12, 1)
			list = append(list, sale{start, "North", int64(rng.IntN(90_000)), false})
			if start <= asOf {
				end = civil.Of(year+(m+months)/12, 1+(m+months)%12, 1) - 1
			}
		}
		over := []string{"last full year", "year to date", "this quarter", "last 2 full quarters", "trailing 400 days", "last full month", "this month"}[rng.IntN(7)]
		q := Query{Over: []string{over}, Against: []string{"1 year earlier"}, Figures: []measure.Figure{
			{Kind: measure.Sum, Column: "amount"}, {Kind: measure.Sum, Column: "amount", Derived: measure.PerDay},
		}}
		records := sales(list)
		records.Schema.Grain = grain
		a, err := evaluator(t, asOf, &q).Answer(t.Context(), q, records)
		if err != nil {
			t.Fatal(err)
		}
		n := &naiveDerived{list: list, first: list[0].day, last: end, asOf: end} // a known record covers all of its unit
		what := grain + ": " + over + " as of " + asOf.String()
		for j, side := range []civil.Set{a.Spans[0].Intervals, a.Spans[0].Comparisons[0].Intervals} {
			bounds := side.Bounds()
			days, _ := n.count(bounds.Start, bounds.Last(), func(d civil.Day) bool { return side.Contains(d) && n.covers(d) })
			covered := *a.Spans[0].CoveredDays
			if j == 1 {
				covered = a.Spans[0].Comparisons[0].CoveredDays
			}
			if int64(covered) != days {
				t.Fatalf("round %d, %s: side %d covers %d days, want %d", i, what, j, covered, days)
			}
			role := []table.Role{table.Figure, table.Counterpart}[j]
			sum := n.sum(bounds.Start, bounds.Last())
			perDay := sum
			if sum != nil && days > 0 {
				perDay = new(big.Rat).Quo(sum, big.NewRat(days, 1))
			}
			for f, want := range []*big.Rat{sum, perDay} {
				if f == 1 && days == 0 {
					continue
				}
				at := slices.IndexFunc(a.Tables[0].Columns, func(c table.Column) bool { return c.Figure == f && c.Role == role })
				if got := a.Tables[0].Rows[0].Cells[at].String(); !rounds12(got, want) {
					t.Fatalf("round %d, %s: figure %d of side %d is %q, want %v", i, what, f, j, got, want)
				}
			}
		}
	}
}

// Over every as-of day of four years, by a loop over the records: rows are new or gone, days are missed and lengths differ exactly
// where the rules say so (semantics §7).
func TestFlagsOnEveryAsOfDay(t *testing.T) {
	rng := rand.New(rand.NewPCG(23, 4))
	first, last := civil.Of(2024, 1, 15), civil.Of(2026, 10, 19)
	lives := map[string]civil.Interval{
		"North": {Start: first, End: last + 1}, "South": {Start: civil.Of(2025, 8, 20), End: last + 1}, "West": {Start: first, End: civil.Of(2025, 10, 3)},
	}
	var list []sale
	for d := first; d <= last; d++ {
		for i, region := range []string{"North", "South", "West"} {
			if life := lives[region]; d == life.Start || d == life.Last() || life.Contains(d) && (int(d)+i)%3 == 0 && rng.IntN(40) > 0 {
				list = append(list, sale{d, region, 100 + rng.Int64N(5000), false})
			}
		}
	}
	list = slices.DeleteFunc(list, func(s sale) bool { return s.day > first && s.day < last && s.day%37 == 0 }) // days that nobody has
	records := sales(list)
	records.Schema.Expected = "every day"
	step := civil.Day(1)
	if testing.Short() {
		step = 29
	}
	days := map[civil.Day]bool{}
	for _, s := range list {
		days[s.day] = true
	}
	flags, gaps, lengths := 0, 0, 0
	for _, c := range walked {
		for asOf := civil.Of(2023, 6, 1); asOf <= civil.Of(2027, 5, 31); asOf += step {
			q := Query{Over: []string{c.over}, Against: []string{c.against}, By: []string{"region"}, Figures: countAndSum}
			a, err := evaluator(t, asOf, &q).Answer(t.Context(), q, records)
			if err != nil {
				t.Fatal(err)
			}
			what := c.over + " against " + c.against + " as of " + asOf.String()
			n := &naiveDerived{list: list, days: days, first: first, last: last, asOf: asOf}
			own, other := a.Spans[0].Intervals, a.Spans[0].Comparisons[0].Intervals
			for _, r := range rowsOf(a, table.Group) {
				got := slices.DeleteFunc(slices.Clone(r.Flags), func(f table.Flag) bool { return !f.OfLifetime() })
				want := n.lifetime(r.Group[0].Text, own, other)
				if want != "" {
					flags++
				}
				if len(got) > 1 || len(got) == 1 && got[0] != want || len(got) == 0 && want != "" {
					t.Fatalf("%s: %s is flagged %q, want %q", what, r.Group[0].Text, got, want)
				}
			}
			missing := 0
			for _, side := range []civil.Set{own, other} {
				if n.missing(side, func(civil.Day) bool { return true }) > 0 {
					missing++
				}
			}
			w := &walker{t: t, asOf: asOf, first: first, last: last}
			_, covered := w.days(own)
			_, otherCovered := w.days(other)
			differ := 0
			if covered != otherCovered && covered > 0 && otherCovered > 0 {
				differ = 1
			}
			counted := map[table.Code]int{}
			for _, note := range a.Notes {
				counted[note.Code]++
			}
			if counted[table.MissingDays] != missing || counted[table.LengthsDiffer] != differ {
				t.Fatalf("%s: %d notes of missing days, want %d; %d of lengths (%d and %d days), want %d; %+v", what,
					counted[table.MissingDays], missing, counted[table.LengthsDiffer], covered, otherCovered, differ, a.Notes)
			}
			gaps, lengths = gaps+missing, lengths+differ
		}
	}
	if flags == 0 || gaps == 0 || lengths == 0 {
		t.Errorf("%d rows are new or gone, %d sides miss days, %d differ in length", flags, gaps, lengths)
	}
	t.Logf("%d rows are new or gone, %d sides miss days, %d differ in length", flags, gaps, lengths)
}

// lifetime says whether a region's records are new or gone for a span and its counterpart.
func (n *naiveDerived) lifetime(region string, own, other civil.Set) table.Flag {
	var days, all []civil.Day
	for _, s := range n.list {
		if s.day <= n.asOf {
			all = append(all, s.day)
			if s.region == region {
				days = append(days, s.day)
			}
		}
	}
	if len(days) == 0 || own.Empty() || other.Empty() || own.Open() || other.Open() || other.Bounds().Start >= own.Bounds().Start {
		return ""
	}
	from, through := days[0], days[len(days)-1]
	start, end := other.Bounds().Start, other.Bounds().End
	switch {
	case from >= end && all[0] < end:
		return table.New
	case from < end && from > start && (all[0] < start || int(from-max(start, all[0]))*50 > int(end-start)):
		return table.NewSince(from)
	case through < own.Bounds().Start && min(n.last, n.asOf) >= own.Bounds().Start:
		return table.Gone
	}
	return ""
}
