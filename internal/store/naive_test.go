package store

import (
	"cmp"
	"encoding/csv"
	"fmt"
	"math/big"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/cockroachdb/apd/v3"

	"vastspan/core/civil"
	"vastspan/core/tally"
	"vastspan/internal/tabular"
)

// The slow and obvious way to total: all records in a list, looked at one by one for every stretch
// and group, with whole thousandths in place of decimals.

type naiveRecord struct {
	texts map[string]string
	line  int
}

type naiveList struct {
	schema  *tabular.Schema
	zone    *time.Location
	records []naiveRecord
	moments map[string]moment
	numbers map[string]int64
}

func (l *naiveList) number(text string) int64 {
	n, ok := l.numbers[text]
	if !ok {
		n = thousandths(text)
		l.numbers[text] = n
	}
	return n
}

func naiveRecords(t *testing.T, text string, s *tabular.Schema) *naiveList {
	t.Helper()
	rows, err := csv.NewReader(strings.NewReader(text)).ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	zone, err := s.Location()
	if err != nil {
		t.Fatal(err)
	}
	list := &naiveList{schema: s, zone: zone, moments: map[string]moment{}, numbers: map[string]int64{}}
	for i, row := range rows[1:] {
		r := naiveRecord{texts: map[string]string{}, line: i}
		for j, name := range rows[0] {
			r.texts[name] = row[j]
		}
		list.records = append(list.records, r)
	}
	return list
}

type moment struct {
	at  time.Time
	day civil.Day
}

// moment gives the place in time of a record's date, and its day.
func (l *naiveList) moment(text string) (time.Time, civil.Day) {
	m, ok := l.moments[text]
	if !ok {
		m.at, m.day = l.parse(text)
		l.moments[text] = m
	}
	return m.at, m.day
}

func (l *naiveList) parse(text string) (time.Time, civil.Day) {
	if at, err := time.Parse(time.RFC3339, text); err == nil {
		return at, civil.OfTime(at, l.zone)
	}
	at, err := time.Parse(time.DateOnly, text)
	if err != nil {
		panic(err)
	}
	return at, civil.OfTime(at, time.UTC)
}

// thousandths gives a number as whole thousandths; those of these tests have no more decimals.
func thousandths(text string) int64 {
	r, ok := new(big.Rat).SetString(text)
	if !ok || !r.Mul(r, big.NewRat(1000, 1)).IsInt() {
		panic(text)
	}
	return r.Num().Int64()
}

// passes puts one record to one filter.
func (l *naiveList) passes(r naiveRecord, f tally.Filter) bool {
	c, _ := l.schema.Column(f.Column)
	text := r.texts[f.Column]
	compare := func(other string) int {
		switch c.Type {
		case tabular.Number:
			return cmp.Compare(l.number(text), l.number(other))
		case tabular.Text:
			return strings.Compare(text, other)
		}
		_, mine := l.moment(text)
		_, theirs := l.moment(other)
		return cmp.Compare(mine, theirs)
	}
	among := slices.ContainsFunc(f.Values, func(v tally.Label) bool {
		if !v.Set || text == "" {
			return !v.Set && text == ""
		}
		return compare(v.Text) == 0
	})
	switch f.Test {
	case tally.Is:
		return among
	case tally.IsNot:
		return !among
	case tally.Contains:
		return text != "" && strings.Contains(text, f.Values[0].Text)
	case tally.AtLeast:
		return text != "" && compare(f.Values[0].Text) >= 0
	case tally.AtMost:
		return text != "" && compare(f.Values[0].Text) <= 0
	case tally.Between:
		return text != "" && compare(f.Values[0].Text) >= 0 && compare(f.Values[1].Text) <= 0
	}
	panic(f.Test)
}

// describe answers a request and writes everything down as the other describe does.
func (l *naiveList) describe(t *testing.T, q tally.Request) string {
	date := q.Date
	if date == "" {
		date = l.schema.Columns[l.schema.Day()].Name
	}
	var extent tally.Extent
	var kept []naiveRecord
	days := map[int]civil.Day{}
	for _, r := range l.records {
		if slices.ContainsFunc(q.Where, func(f tally.Filter) bool { return !l.passes(r, f) }) {
			continue
		}
		if r.texts[date] == "" {
			extent.Undated++
			continue
		}
		_, days[r.line] = l.moment(r.texts[date])
		extent.Add(days[r.line])
		kept = append(kept, r)
	}
	slices.SortStableFunc(kept, func(a, b naiveRecord) int {
		x, _ := l.moment(a.texts[date])
		y, _ := l.moment(b.texts[date])
		return x.Compare(y)
	})
	label := func(r naiveRecord, i int) tally.Label {
		text := r.texts[q.By[i]]
		return tally.Label{Text: text, Set: text != ""}
	}
	in := func(r naiveRecord, stretch int) bool { return q.Stretches[stretch].Contains(days[r.line]) }
	anywhere := func(r naiveRecord) bool {
		return slices.ContainsFunc(q.Stretches, func(s civil.Set) bool { return s.Contains(days[r.line]) })
	}
	pick := func(stretch int, group []tally.Label, of func(naiveRecord, int) tally.Label) []naiveRecord {
		var list []naiveRecord
		for _, r := range kept {
			fits := in(r, stretch)
			for i, g := range group {
				fits = fits && (g == tally.All || g == of(r, i))
			}
			if fits {
				list = append(list, r)
			}
		}
		return list
	}
	// The top values of the first category.
	var top []tally.Label
	folded := 0
	if q.Top > 0 {
		rank := slices.IndexFunc(q.Figures, func(f tally.Figure) bool {
			return slices.Contains([]tally.Kind{tally.Sum, tally.Mean, tally.Min, tally.Max}, f.Kind)
		})
		value := map[tally.Label]tally.Value{}
		for _, r := range kept {
			if anywhere(r) {
				value[label(r, 0)] = l.figure(t, pick(0, []tally.Label{label(r, 0)}, label), q.Figures[rank])
			}
		}
		for g := range value {
			top = append(top, g)
		}
		slices.SortFunc(top, func(a, b tally.Label) int {
			x, y := value[a], value[b]
			if x.Set != y.Set {
				return map[bool]int{true: -1, false: 1}[x.Set]
			}
			if c := y.Decimal.Cmp(&x.Decimal); c != 0 {
				return c
			}
			return compareNaive(a, b)
		})
		folded = max(0, len(top)-q.Top)
		top = top[:len(top)-folded]
	}
	of := func(r naiveRecord, i int) tally.Label {
		g := label(r, i)
		if i == 0 && q.Top > 0 && !slices.Contains(top, g) {
			return tally.Rest
		}
		return g
	}
	var groups [][]tally.Label
	for _, r := range kept {
		var g []tally.Label
		for i := range q.By {
			g = append(g, of(r, i))
		}
		if anywhere(r) && !slices.ContainsFunc(groups, func(h []tally.Label) bool { return slices.Equal(g, h) }) {
			groups = append(groups, g)
		}
	}
	slices.SortFunc(groups, func(a, b []tally.Label) int {
		for i := range a {
			c := compareNaive(a[i], b[i])
			if i == 0 && q.Top > 0 {
				place := func(l tally.Label) int { return (slices.Index(top, l) + len(top) + 1) % (len(top) + 1) }
				c = place(a[0]) - place(b[0])
			}
			if c != 0 {
				return c
			}
		}
		return 0
	})
	if len(q.By) == 0 {
		groups = [][]tally.Label{nil}
	}
	return write(extent, groups, top, folded, q, func(stretch int, group []tally.Label) []tally.Value {
		list := pick(stretch, group, of)
		var values []tally.Value
		for _, f := range q.Figures {
			values = append(values, l.figure(t, list, f))
		}
		return values
	})
}

func compareNaive(a, b tally.Label) int {
	if a.Set != b.Set {
		return map[bool]int{true: -1, false: 1}[a.Set]
	}
	return strings.Compare(a.Text, b.Text)
}

// figure takes one figure of a list of records, which are in time order.
func (l *naiveList) figure(t *testing.T, list []naiveRecord, f tally.Figure) tally.Value {
	t.Helper()
	number := func(n int) tally.Value {
		v := tally.Value{Set: true}
		v.Decimal.SetInt64(int64(n))
		return v
	}
	if f.Kind == tally.Count {
		return number(len(list))
	}
	var numbers []int64
	decimals := 0
	distinct := map[string]bool{}
	c, _ := l.schema.Column(f.Column)
	for _, r := range list {
		text := r.texts[f.Column]
		if text == "" {
			continue
		}
		if c.Type != tabular.Number {
			distinct[text] = true
			continue
		}
		if _, digits, ok := strings.Cut(text, "."); ok {
			decimals = max(decimals, len(digits))
		}
		numbers = append(numbers, l.number(text))
		distinct[fmt.Sprint(l.number(text))] = true
	}
	if f.Kind == tally.Distinct {
		return number(len(distinct))
	}
	if len(numbers) == 0 {
		return tally.Value{}
	}
	sorted := slices.Sorted(slices.Values(numbers))
	sum := int64(0)
	for _, n := range numbers {
		sum += n
	}
	of := sum
	switch f.Kind {
	case tally.Min:
		of = sorted[0]
	case tally.Max:
		of = sorted[len(sorted)-1]
	case tally.First:
		of = numbers[0]
	case tally.Last:
		of = numbers[len(numbers)-1]
	case tally.Mean:
		return roundedEven(t, big.NewRat(sum, 1000*int64(len(numbers))), decimals+4)
	case tally.Median:
		text := big.NewRat(sorted[(len(sorted)-1)/2]+sorted[len(sorted)/2], 2000).FloatString(20)
		return decimal(t, strings.TrimSuffix(strings.TrimRight(text, "0"), "."))
	}
	return decimal(t, big.NewRat(of, 1000).FloatString(decimals))
}

// roundedEven rounds half to even.
func roundedEven(t *testing.T, r *big.Rat, decimals int) tally.Value {
	scale := new(big.Int).Exp(big.NewInt(10), big.NewInt(int64(decimals)), nil)
	n := new(big.Int).Mul(r.Num(), scale)
	whole, rest := new(big.Int).QuoRem(new(big.Int).Abs(n), r.Denom(), new(big.Int))
	if c := rest.Lsh(rest, 1).Cmp(r.Denom()); c > 0 || c == 0 && whole.Bit(0) == 1 {
		whole.Add(whole, big.NewInt(1))
	}
	if r.Sign() < 0 {
		whole.Neg(whole)
	}
	return decimal(t, new(big.Rat).SetFrac(whole, scale).FloatString(decimals))
}

func decimal(t *testing.T, text string) tally.Value {
	t.Helper()
	d, _, err := apd.NewFromString(text)
	if err != nil {
		t.Fatal(err)
	}
	return tally.Value{Decimal: *d, Set: true}
}
