package store

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"math/big"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/drivers"
	"vastspan/core/event"
	"vastspan/core/measure"
	"vastspan/core/query"
	"vastspan/core/span"
	"vastspan/core/tally"
	"vastspan/internal/ingest"
)

// Heaviest implements tally.Weigher.
func (f textSource) Heaviest(ctx context.Context, p *tally.Plan, column string, n int) ([]tally.Heavy, error) {
	reader, err := ingest.Open(ingest.Options{}, strings.NewReader(f.text))
	if err != nil {
		return nil, err
	}
	return (&ingest.Source{Reader: reader, Schema: f.schema, AllowUndated: true}).Heaviest(ctx, p, column, n)
}

// What a change is made of is the same in fractions by a loop over all records, wherever these are, and adds up.
func TestDriversAgree(t *testing.T) {
	rng := rand.New(rand.NewPCG(12, 27))
	text := randomCSV(rng, 400)
	var twins []twin
	if testing.Short() {
		twins = []twin{inPostgreSQL(t, "postgresql", tripsTable(), ""), inSQLite(t, tripsTable())}
	} else {
		twins = everyTwin(t, tripsTable)
	}
	s := openWith(t, twins)
	s.mustLoad(t, "explained", text, ingest.ColumnHints{
		Date: "day", Amounts: []string{"fare", "people"}, Categories: []string{"route", "channel"}, Zone: "Pacific/Auckland",
	}, true)
	kept, sets := s.attachAll(t, "explained", text, twins)
	sources := map[string]tally.Source{"kept": s.Source(kept), "file": fileOf(text, &kept.Schema)}
	for name, d := range sets {
		sources[name] = s.Source(d)
	}
	list := naiveRecords(t, text, &kept.Schema)
	changes := 3000
	if testing.Short() {
		changes = 10
	}
	found := 0
	for i := range changes {
		q, e := randomChange(rng, kept.clock())
		names := []string{"kept", "file"}
		if attached := slices.Sorted(maps.Keys(sets)); i%10 == 0 {
			names = append(names, attached[i/10%len(attached)])
		}
		for _, name := range names {
			r := query.Records{Name: name, Schema: &kept.Schema, Source: sources[name]}
			a, err := q.Answer(context.Background(), e, r)
			if wrong, ok := err.(*query.Error); ok && strings.Contains(wrong.Error(), "nothing to divide by") {
				continue
			}
			if err != nil {
				t.Fatalf("change %d, %+v, from %s: %v", i, q, name, err)
			}
			found++
			n := naiveChange{list, q.Figures[0], q.Where, a}
			if got, want := describeEffects(a), n.effects(); got != want {
				t.Fatalf("change %d, %s over %s against %s where %v as of %v, from %s:\n%s\nby a loop\n%s",
					i, q.Figures[0], q.Over[0], q.Against[0], q.Where.Texts(), e.Scope.AsOf, name, got, want)
			}
		}
	}
	if found < changes {
		t.Errorf("only %d of %d changes have drivers", found, changes)
	}
}

func randomChange(rng *rand.Rand, clock civil.Clock) (drivers.Question, query.Evaluator) {
	pick := func(texts ...string) string { return texts[rng.IntN(len(texts))] }
	figure, _ := measure.ParseFigure(pick("sum fare", "sum fare", "count", "mean fare", "ratio fare/people", "sum people"))
	q := drivers.Question{Query: query.Query{
		Over: []string{pick("last full month", "trailing 30 days", "month to date", "trailing 10 days, only Sat/Sun", "last 2 full months",
			"from 2026-01-05 through 2026-01-20", "last full week", "trailing 20 days excluding today")},
		Against: []string{pick("1 month earlier", "prior", "7 days earlier", "30 days earlier", "from 2025-12-10 through 2025-12-31")},
		Figures: []measure.Figure{figure}, LikeForLike: rng.IntN(4) == 0,
	}}
	if rng.IntN(2) == 0 {
		q.Where = randomFilters(rng)
	}
	if rng.IntN(5) == 0 {
		q.Date = "seen_at"
	}
	if rng.IntN(3) == 0 {
		q.By = []string{pick("route", "channel", "people")}
	}
	asOf := civil.Of(2026, 1, 10) + civil.Day(rng.IntN(60))
	first := asOf - civil.Day(rng.IntN(30))
	fair, err := event.New("fair", []event.Occurrence{{Days: civil.Through(first, first+2)}}, 0, 0, true)
	if err != nil {
		panic(err)
	}
	return q, query.Evaluator{Scope: span.Scope{AsOf: asOf, Calendar: calendar.Civil, Clock: clock}, Events: []*event.List{fair}}
}

// describeEffects writes effects down in fractions, in an order of their own.
func describeEffects(a *drivers.Answer) string {
	var lines []string
	for _, e := range a.Effects() {
		name := fmt.Sprintf("%s %s %q %t", e.Part, e.Column, e.Value.Text, e.Value.Set)
		if e.Part == drivers.Record {
			name = fmt.Sprintf("record %t", e.Record.Second)
		}
		lines = append(lines, fmt.Sprint(name, " ", rat(e.Difference), " ", rat(e.Contribution), " ", rat(e.Mix), " ", rat(e.Rate)))
	}
	for _, c := range a.Columns {
		lines = append(lines, fmt.Sprint("uneven ", c.Name, " ", rat(c.Unevenness)))
	}
	slices.Sort(lines)
	return strings.Join(lines, "\n")
}

// comparedDecimals is to how many decimals fractions are compared.
const comparedDecimals = 24

// rat writes a fraction; a blank is blank.
func rat(f decimal.Fraction) string {
	if !f.Set() {
		return "-"
	}
	v, err := f.Decimals(comparedDecimals)
	if err != nil {
		panic(err)
	}
	r, ok := new(big.Rat).SetString(v.String())
	if !ok {
		panic(v.String())
	}
	return r.FloatString(comparedDecimals)
}

// A naiveChange finds effects by a loop over all records; from the answer it takes the days of both sides, which other tests look at.
type naiveChange struct {
	*naiveList
	figure measure.Figure
	where  dataset.Filters
	answer *drivers.Answer
}

// sums are what is added up of some records on both sides: the figure, and what a quotient is divided by.
type sums struct{ a, b, other, otherB big.Rat }

func (n *naiveChange) effects() string {
	sp := &n.answer.Compared.Spans[0]
	own, other := sp.Intervals, sp.Comparisons[0].Intervals
	coveredOwn, coveredOther := n.answer.Compared.Covered(0, 0)
	asOf := n.answer.Compared.AsOf
	whole, byKind := &sums{}, [7]big.Rat{}
	columns := map[string]map[string]*sums{}
	for _, c := range n.answer.Columns {
		columns[c.Name] = map[string]*sums{}
	}
	var fair [2]big.Rat
	var heavy []string
	var weights []*big.Rat
	var dates []civil.Day
	quotient := n.quotient()
	for _, r := range n.records {
		date := cmp.Or(n.answer.Compared.Date, "day")
		if r.texts[date] == "" || slices.ContainsFunc(n.where, func(f dataset.Filter) bool { return !n.passes(r, f) }) {
			continue
		}
		_, day := n.moment(r.texts[date])
		in, out := own.Contains(day) && day <= asOf, other.Contains(day) && day <= asOf
		a, b, set := n.parts(r)
		for _, into := range append(n.groups(r, columns, in || out), whole) {
			if in {
				into.a.Add(&into.a, a)
				into.b.Add(&into.b, b)
			}
			if out {
				into.other.Add(&into.other, a)
				into.otherB.Add(&into.otherB, b)
			}
		}
		if out {
			byKind[day.Weekday()].Add(&byKind[day.Weekday()], a)
		}
		for _, list := range n.events() {
			if in && list.Contains(day) {
				fair[0].Add(&fair[0], a)
			}
			if out && list.Contains(day) {
				fair[1].Add(&fair[1], a)
			}
		}
		if set && in != out && n.figure.Kind == measure.Sum {
			weights, dates = append(weights, new(big.Rat).Set(a)), append(dates, day)
			heavy = append(heavy, fmt.Sprint(out))
		}
	}
	var lines []string
	text := func(r *big.Rat) string {
		if r == nil {
			return "-"
		}
		return r.FloatString(comparedDecimals)
	}
	line := func(name string, difference, mix, rate *big.Rat) {
		c := n.counterpart(whole)
		contribution := "-"
		if c.Sign() != 0 {
			contribution = text(new(big.Rat).Quo(difference, new(big.Rat).Abs(c)))
		}
		lines = append(lines, fmt.Sprint(name, " ", text(difference), " ", contribution, " ", text(mix), " ", text(rate)))
	}
	d := n.difference(whole)
	line(`total  "" false`, d, nil, nil)
	for column, values := range columns {
		uneven := new(big.Rat)
		for value, v := range values {
			if n.figure.Kind == measure.Mean && v.b.Sign() == 0 && v.otherB.Sign() == 0 {
				continue
			}
			e, mix, rate := n.effect(v, whole)
			line(fmt.Sprintf("category %s %q %t", column, value, value != ""), e, mix, rate)
			of, all := &v.other, &whole.other
			if quotient {
				of, all = &v.otherB, &whole.otherB
			}
			due := new(big.Rat)
			if all.Sign() != 0 {
				due.Mul(d, new(big.Rat).Quo(of, all))
			}
			due.Sub(e, due)
			uneven.Add(uneven, due.Abs(due))
		}
		lines = append(lines, fmt.Sprint("uneven ", column, " ", text(uneven.Quo(uneven, big.NewRat(2, 1)))))
	}
	if n.figure.Kind == measure.Sum && whole.otherB.Sign() != 0 {
		count := new(big.Rat).Sub(&whole.b, &whole.otherB)
		count.Mul(count, new(big.Rat).Quo(&whole.other, &whole.otherB))
		line(`count  "" false`, count, nil, nil)
		line(`size  "" false`, new(big.Rat).Sub(d, count), nil, nil)
	}
	if !quotient && !coveredOwn.Empty() && !coveredOther.Empty() {
		mean := new(big.Rat).Quo(&whole.other, big.NewRat(int64(coveredOther.Days()), 1))
		days := new(big.Rat).Mul(mean, big.NewRat(int64(coveredOwn.Days()-coveredOther.Days()), 1))
		expected := new(big.Rat)
		for k := range byKind {
			only := func(d civil.Day) bool { return int(d.Weekday()) == k }
			mine, theirs := coveredOwn.Keep(only).Days(), coveredOther.Keep(only).Days()
			each := mean
			if theirs > 0 {
				each = new(big.Rat).Quo(&byKind[k], big.NewRat(int64(theirs), 1))
			}
			expected.Add(expected, new(big.Rat).Mul(each, big.NewRat(int64(mine), 1)))
		}
		of := new(big.Rat).Sub(expected, &whole.other)
		line(`days  "" false`, days, nil, nil)
		line(`kinds_of_days  "" false`, of.Sub(of, days), nil, nil)
		line(`rest  "" false`, new(big.Rat).Sub(&whole.a, expected), nil, nil)
		for _, list := range n.events() {
			if list.Intersect(coveredOwn).Days() != list.Intersect(coveredOther).Days() {
				line(`event  "fair" true`, new(big.Rat).Sub(&fair[0], &fair[1]), nil, nil)
			}
		}
	}
	order := make([]int, len(weights))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(i, j int) int {
		return cmp.Or(new(big.Rat).Abs(weights[j]).Cmp(new(big.Rat).Abs(weights[i])), cmp.Compare(dates[j], dates[i]))
	})
	for _, i := range order[:min(10, len(order))] {
		effect := weights[i]
		if heavy[i] == "true" {
			effect = new(big.Rat).Neg(effect)
		}
		line("record "+heavy[i], effect, nil, nil)
	}
	slices.Sort(lines)
	return strings.Join(lines, "\n")
}

// events are the days of the events that the answer names.
func (n *naiveChange) events() (list []civil.Set) {
	for _, e := range n.answer.Others {
		if e.Part == drivers.Event {
			list = append(list, e.Own.Union(e.Other))
		}
	}
	return list
}

// parts are what a record adds to a figure: itself, and what a quotient is divided by; of a sum how many values there are.
func (n *naiveChange) parts(r naiveRecord) (a, b *big.Rat, set bool) {
	number := func(column string) (*big.Rat, bool) {
		if r.texts[column] == "" {
			return new(big.Rat), false
		}
		return big.NewRat(n.number(r.texts[column]), 1000), true
	}
	switch n.figure.Kind {
	case measure.Count:
		return big.NewRat(1, 1), new(big.Rat), true
	case measure.Ratio:
		a, _ = number(n.figure.Column)
		b, _ = number(n.figure.Over)
		return a, b, true
	}
	a, set = number(n.figure.Column)
	if b = new(big.Rat); set {
		b.SetInt64(1)
	}
	return a, b, set
}

// groups are those of a record in each column; a value is there where any record of it is on either side.
func (n *naiveChange) groups(r naiveRecord, columns map[string]map[string]*sums, within bool) (list []*sums) {
	if !within {
		return nil
	}
	for column, values := range columns {
		value := r.texts[column]
		if column == "people" && value != "" {
			value = strings.TrimSuffix(fmt.Sprintf("%.1f", float64(n.number(value))/1000), ".0")
		}
		if values[value] == nil {
			values[value] = &sums{}
		}
		list = append(list, values[value])
	}
	return list
}

func (n *naiveChange) quotient() bool {
	return n.figure.Kind == measure.Mean || n.figure.Kind == measure.Ratio
}

func (n *naiveChange) counterpart(s *sums) *big.Rat {
	if n.quotient() {
		return new(big.Rat).Quo(&s.other, &s.otherB)
	}
	return &s.other
}

func (n *naiveChange) difference(s *sums) *big.Rat {
	if n.quotient() {
		return new(big.Rat).Sub(new(big.Rat).Quo(&s.a, &s.b), n.counterpart(s))
	}
	return new(big.Rat).Sub(&s.a, &s.other)
}

// effect is that of one value, as semantics §12 has it.
func (n *naiveChange) effect(v, whole *sums) (effect, mix, rate *big.Rat) {
	if !n.quotient() {
		return n.difference(v), nil, nil
	}
	r := n.counterpart(whole)
	w, w2 := new(big.Rat).Quo(&v.b, &whole.b), new(big.Rat).Quo(&v.otherB, &whole.otherB)
	mix, rate = new(big.Rat), new(big.Rat)
	switch {
	case v.b.Sign() == 0 && v.otherB.Sign() == 0:
	case v.otherB.Sign() == 0:
		mix.Mul(w, mix.Sub(new(big.Rat).Quo(&v.a, &v.b), r))
	case v.b.Sign() == 0:
		mix.Mul(w2, mix.Sub(r, new(big.Rat).Quo(&v.other, &v.otherB)))
	default:
		before := new(big.Rat).Quo(&v.other, &v.otherB)
		rate.Mul(w, rate.Sub(new(big.Rat).Quo(&v.a, &v.b), before))
		mix.Mul(new(big.Rat).Sub(w, w2), new(big.Rat).Sub(before, r))
	}
	return new(big.Rat).Add(mix, rate), mix, rate
}
