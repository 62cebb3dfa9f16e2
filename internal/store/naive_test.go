package store

import (
	"cmp"
	"encoding/csv"
	"fmt"
	"math/big"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/cockroachdb/apd/v3"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/measure"
	"vastspan/core/tally"
)

// The slow and obvious way to total: all records in a list, looked at one by one for every period
// and group, with whole thousandths instead of decimals.

type naiveRecord struct {
	texts map[string]string
	line  int
}

type naiveList struct {
	schema  *dataset.Schema
	clock   civil.Clock
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

func naiveRecords(t *testing.T, text string, s *dataset.Schema) *naiveList {
	t.Helper()
	rows, err := csv.NewReader(strings.NewReader(text)).ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	clock, err := s.Clock()
	if err != nil {
		t.Fatal(err)
	}
	list := &naiveList{schema: s, clock: clock, moments: map[string]moment{}, numbers: map[string]int64{}}
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

// moment returns the place in time of a record's date, and its day.
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
		return at, l.clock.DayOf(civil.Moment(at.UnixMicro()))
	}
	at, err := time.Parse(time.DateOnly, text)
	if err != nil {
		panic(err)
	}
	return at, civil.OfTime(at, time.UTC)
}

// thousandths returns a number as whole thousandths; those of these tests have no more decimals.
func thousandths(text string) int64 {
	r, ok := new(big.Rat).SetString(text)
	if !ok || !r.Mul(r, big.NewRat(1000, 1)).IsInt() {
		panic(text)
	}
	return r.Num().Int64()
}

// passes puts one record to one filter.
func (l *naiveList) passes(r naiveRecord, f dataset.Filter) bool {
	return slices.ContainsFunc(f, func(c dataset.Condition) bool { return l.meets(r, &c) })
}

// part is a part of a record's date, as a number.
func (l *naiveList) datePart(words, text string) int {
	at, day := l.moment(text)
	date := day.Time()
	switch words {
	case "weekday":
		return int(date.Weekday()+6) % 7
	case "hour":
		return at.In(l.clock.Zone()).Hour()
	case "month of year":
		return int(date.Month())
	case "day of month":
		return date.Day()
	case "year":
		return date.Year()
	}
	panic(words)
}

// naivePart reads a value of a part of a date.
func naivePart(words, text string) int {
	if words == "weekday" {
		return slices.Index([]string{"Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"}, text[:3])
	}
	for m := time.January; m <= time.December; m++ {
		if words == "month of year" && text == m.String()[:3] {
			return int(m)
		}
	}
	n, err := strconv.Atoi(strings.TrimSuffix(text, ":00"))
	if err != nil {
		panic(text)
	}
	return n
}

// meets puts one record to one condition.
func (l *naiveList) meets(r naiveRecord, q *dataset.Condition) bool {
	opposite, negated := map[dataset.Op]dataset.Op{
		dataset.IsNot: dataset.Is, dataset.NotBlank: dataset.Blank, dataset.NotContains: dataset.Contains, dataset.NotIn: dataset.In,
	}[q.Op]
	if negated {
		positive := *q
		positive.Op = opposite
		return !l.meets(r, &positive)
	}
	c, _ := l.schema.Find(q.Column)
	text := r.texts[q.Column]
	if q.Op == dataset.Blank || text == "" {
		return q.Op == dataset.Blank && text == ""
	}
	if days, ok := q.Days(); ok {
		_, day := l.moment(text)
		return days.Contains(day)
	}
	compare := func(other string) int {
		if p := q.Part(); p != nil {
			return cmp.Compare(l.datePart(p.Words, text), naivePart(p.Words, other))
		}
		switch c.Type {
		case dataset.Number:
			return cmp.Compare(l.number(text), l.number(other))
		case dataset.Text:
			if q.IgnoringCase && strings.EqualFold(text, other) {
				return 0
			}
			return strings.Compare(text, other)
		}
		_, mine := l.moment(text)
		_, theirs := l.moment(other)
		return cmp.Compare(mine, theirs)
	}
	switch q.Op {
	case dataset.Is, dataset.In:
		return slices.ContainsFunc(q.Values, func(v string) bool { return compare(v) == 0 })
	case dataset.Contains:
		if q.IgnoringCase {
			return strings.Contains(strings.ToUpper(text), strings.ToUpper(q.Values[0]))
		}
		return strings.Contains(text, q.Values[0])
	case dataset.AtLeast:
		return compare(q.Values[0]) >= 0
	case dataset.AtMost:
		return compare(q.Values[0]) <= 0
	case dataset.Above:
		return compare(q.Values[0]) > 0
	case dataset.Below:
		return compare(q.Values[0]) < 0
	case dataset.Between:
		return compare(q.Values[0]) >= 0 && compare(q.Values[1]) <= 0
	}
	panic(q.Op)
}

// describe answers a request and writes everything down as the other describe does.
func (l *naiveList) describe(t *testing.T, q tally.Request) string {
	date := q.Date
	if date == "" {
		date = l.schema.Columns[l.schema.Day()].Name
	}
	var coverage tally.Coverage
	var kept []naiveRecord
	days := map[int]civil.Day{}
	for _, r := range l.records {
		if slices.ContainsFunc(q.Where, func(f dataset.Filter) bool { return !l.passes(r, f) }) {
			continue
		}
		if r.texts[date] == "" {
			coverage.Undated++
			continue
		}
		_, days[r.line] = l.moment(r.texts[date])
		coverage.Add(days[r.line])
		kept = append(kept, r)
	}
	slices.SortStableFunc(kept, func(a, b naiveRecord) int {
		x, _ := l.moment(a.texts[date])
		y, _ := l.moment(b.texts[date])
		return x.Compare(y)
	})
	label := func(r naiveRecord, i int) dataset.Label {
		if part := q.Part(i); part != nil {
			return l.part(q.By[i], r.texts[cmp.Or(part.Column, date)])
		}
		text := r.texts[q.By[i]]
		if c, err := l.schema.Find(q.By[i]); err == nil && c.Type == dataset.Number && text != "" {
			return dataset.NumberLabel(strings.TrimSuffix(fmt.Sprintf("%.1f", float64(l.number(text))/1000), ".0"))
		}
		return dataset.Label{Text: text, Set: text != ""}
	}
	holds := func(p tally.Period, r naiveRecord) bool {
		if p.Timed() {
			at, _ := l.moment(r.texts[date])
			return p.Moments.Contains(civil.Moment(at.UnixMicro()))
		}
		return p.Days.Contains(days[r.line])
	}
	in := func(r naiveRecord, period int) bool { return holds(q.Periods[period], r) }
	anywhere := func(r naiveRecord) bool {
		return slices.ContainsFunc(q.Periods, func(p tally.Period) bool { return holds(p, r) })
	}
	pick := func(period int, group []dataset.Label, of func(naiveRecord, int) dataset.Label) []naiveRecord {
		var list []naiveRecord
		for _, r := range kept {
			fits := in(r, period)
			for i, g := range group {
				fits = fits && (g == dataset.All || g == of(r, i))
			}
			if fits {
				list = append(list, r)
			}
		}
		return list
	}
	// The top values of the first category.
	var top []dataset.Label
	folded := 0
	if q.Top > 0 {
		value := map[dataset.Label]decimal.Value{}
		for _, r := range kept {
			if anywhere(r) {
				value[label(r, 0)] = l.figure(t, pick(0, []dataset.Label{label(r, 0)}, label), q.Figures[q.RankBy])
			}
		}
		for g := range value {
			top = append(top, g)
		}
		slices.SortFunc(top, func(a, b dataset.Label) int {
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
	of := func(r naiveRecord, i int) dataset.Label {
		g := label(r, i)
		if i == 0 && q.Top > 0 && !slices.Contains(top, g) {
			return dataset.Other
		}
		return g
	}
	var groups [][]dataset.Label
	for _, r := range kept {
		var g []dataset.Label
		for i := range q.By {
			g = append(g, of(r, i))
		}
		if anywhere(r) && !slices.ContainsFunc(groups, func(h []dataset.Label) bool { return slices.Equal(g, h) }) {
			groups = append(groups, g)
		}
	}
	slices.SortFunc(groups, func(a, b []dataset.Label) int {
		for i := range a {
			c := compareNaive(a[i], b[i])
			if q.Part(i) != nil {
				c = naivePlace(a[i]) - naivePlace(b[i])
			}
			if i == 0 && q.Top > 0 {
				place := func(l dataset.Label) int { return (slices.Index(top, l) + len(top) + 1) % (len(top) + 1) }
				c = place(a[0]) - place(b[0])
			}
			if c != 0 {
				return c
			}
		}
		return 0
	})
	if len(q.By) == 0 {
		groups = [][]dataset.Label{nil}
	}
	return write(coverage, groups, top, folded, q, func(period int, group []dataset.Label) []decimal.Value {
		list := pick(period, group, of)
		var values []decimal.Value
		for _, f := range q.Figures {
			values = append(values, l.figure(t, list, f))
		}
		return values
	}, func(period int, group []dataset.Label) bool {
		list := pick(period, group, of)
		return slices.ContainsFunc(q.Figures, func(f measure.Figure) bool { return l.tied(list, f, date) })
	})
}

// tied reports whether the earliest or latest value of a list of records, which are in time order, has others next to it.
func (l *naiveList) tied(list []naiveRecord, f measure.Figure, date string) bool {
	if f.Kind != "first" && f.Kind != "last" {
		return false
	}
	list = slices.DeleteFunc(slices.Clone(list), func(r naiveRecord) bool { return r.texts[f.Column] == "" })
	if len(list) == 0 {
		return false
	}
	one := list[0]
	if f.Kind == "last" {
		one = list[len(list)-1]
	}
	at, _ := l.moment(one.texts[date])
	return slices.ContainsFunc(list, func(r naiveRecord) bool {
		other, _ := l.moment(r.texts[date])
		return other.Equal(at) && l.number(r.texts[f.Column]) != l.number(one.texts[f.Column])
	})
}

func compareNaive(a, b dataset.Label) int {
	if a.Set != b.Set {
		return map[bool]int{true: -1, false: 1}[a.Set]
	}
	x, errX := strconv.ParseFloat(a.Text, 64)
	y, errY := strconv.ParseFloat(b.Text, 64)
	if errX == nil && errY == nil {
		return cmp.Compare(x, y)
	}
	return strings.Compare(a.Text, b.Text)
}

// part returns a part of the time of a text, by its name.
func (l *naiveList) part(name, text string) dataset.Label {
	if text == "" {
		return dataset.Label{}
	}
	at, day := l.moment(text)
	year, month, date := day.Date()
	switch {
	case strings.HasPrefix(name, "hour"):
		hour := at.In(l.clock.Zone()).Hour()
		return dataset.PlacedLabel(fmt.Sprintf("%02d:00", hour), hour+1)
	case strings.HasPrefix(name, "weekday"):
		weekday := time.Date(year, time.Month(month), date, 0, 0, 0, 0, time.UTC).Weekday()
		return dataset.PlacedLabel(weekday.String()[:3], (int(weekday)+6)%7+1)
	case strings.HasPrefix(name, "month of year"):
		return dataset.PlacedLabel(time.Month(month).String()[:3], month)
	}
	return dataset.PlacedLabel(strconv.Itoa(date), date)
}

// naivePlace is where a part of time goes among its like, blanks last.
func naivePlace(l dataset.Label) int {
	if !l.Set {
		return 1000
	}
	if at := strings.Index("JanFebMarAprMayJunJulAugSepOctNovDec MonTueWedThuFriSatSun", l.Text); at >= 0 && len(l.Text) == 3 {
		return at
	}
	n, _ := strconv.Atoi(strings.TrimSuffix(l.Text, ":00"))
	return n
}

// figure takes one figure of a list of records, which are in time order.
func (l *naiveList) figure(t *testing.T, list []naiveRecord, f measure.Figure) decimal.Value {
	t.Helper()
	number := func(n int) decimal.Value {
		v := decimal.Value{Set: true}
		v.Decimal.SetInt64(int64(n))
		return v
	}
	if f.Kind == "count" {
		return number(len(list))
	}
	var numbers []int64
	decimals := 0
	distinct := map[string]bool{}
	c, _ := l.schema.Find(f.Column)
	for _, r := range list {
		text := r.texts[f.Column]
		if text == "" {
			continue
		}
		if c.Type != dataset.Number {
			distinct[text] = true
			continue
		}
		if _, digits, ok := strings.Cut(text, "."); ok {
			decimals = max(decimals, len(digits))
		}
		numbers = append(numbers, l.number(text))
		distinct[fmt.Sprint(l.number(text))] = true
	}
	if f.Kind == "distinct" {
		return number(len(distinct))
	}
	if len(numbers) == 0 {
		return decimal.Value{}
	}
	sorted := slices.Sorted(slices.Values(numbers))
	sum := int64(0)
	for _, n := range numbers {
		sum += n
	}
	of := sum
	switch f.Kind {
	case "min":
		of = sorted[0]
	case "max":
		of = sorted[len(sorted)-1]
	case "first":
		of = numbers[0]
	case "last":
		of = numbers[len(numbers)-1]
	case "ratio":
		over, any := int64(0), false
		for _, r := range list {
			if text := r.texts[f.Over]; text != "" {
				over, any = over+thousandths(text), true
			}
		}
		if !any || over == 0 {
			return decimal.Value{}
		}
		return significant(t, big.NewRat(sum, over), decimals)
	case "mean":
		return significant(t, big.NewRat(sum, 1000*int64(len(numbers))), decimals)
	case "median":
		text := big.NewRat(sorted[(len(sorted)-1)/2]+sorted[len(sorted)/2], 2000).FloatString(20)
		return decimalOf(t, strings.TrimSuffix(strings.TrimRight(text, "0"), "."))
	}
	return decimalOf(t, big.NewRat(of, 1000).FloatString(decimals))
}

// significant rounds half to even to 12 significant digits, and not to fewer decimals than some; where they end in a 5 that is not
// exact, to three more and so on until they do not.
func significant(t *testing.T, r *big.Rat, decimals int) decimal.Value {
	more := 12
	for size := new(big.Rat).Abs(r); size.Cmp(big.NewRat(1, 1)) >= 0; more-- {
		size.Quo(size, big.NewRat(10, 1))
	}
	for size := new(big.Rat).Abs(r); size.Sign() > 0 && size.Cmp(big.NewRat(1, 10)) < 0; more++ {
		size.Mul(size, big.NewRat(10, 1))
	}
	more = max(decimals, more)
	text := roundedEven(t, r, more).String()
	exact := func(s string) *big.Rat {
		v, _ := new(big.Rat).SetString(s)
		return v
	}
	if short := exact(text); strings.HasSuffix(strings.TrimRight(strings.Replace(text, ".", "", 1), "0"), "5") && short.Cmp(r) != 0 {
		for exact(text).Cmp(short) == 0 {
			more += 3
			text = roundedEven(t, r, more).String()
		}
	}
	for strings.HasSuffix(text, "0") && len(text)-strings.IndexByte(text, '.')-1 > decimals {
		text = strings.TrimSuffix(text, "0")
	}
	return decimalOf(t, strings.TrimSuffix(text, "."))
}

// roundedEven rounds half to even.
func roundedEven(t *testing.T, r *big.Rat, decimals int) decimal.Value {
	scale := new(big.Int).Exp(big.NewInt(10), big.NewInt(int64(decimals)), nil)
	n := new(big.Int).Mul(r.Num(), scale)
	whole, rest := new(big.Int).QuoRem(new(big.Int).Abs(n), r.Denom(), new(big.Int))
	if c := rest.Lsh(rest, 1).Cmp(r.Denom()); c > 0 || c == 0 && whole.Bit(0) == 1 {
		whole.Add(whole, big.NewInt(1))
	}
	if r.Sign() < 0 {
		whole.Neg(whole)
	}
	return decimalOf(t, new(big.Rat).SetFrac(whole, scale).FloatString(decimals))
}

func decimalOf(t *testing.T, text string) decimal.Value {
	t.Helper()
	d, _, err := apd.NewFromString(text)
	if err != nil {
		t.Fatal(err)
	}
	return decimal.Value{Decimal: *d, Set: true}
}
