package columnstore

import (
	"context"
	"fmt"
	"math/rand/v2"
	"testing"

	"vastspan/core/ageing"
	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/measure"
	"vastspan/core/tally"
)

var broad = dataset.Schema{Zone: "UTC", Columns: []dataset.Column{
	{Name: "day", Type: dataset.Date, Role: dataset.DayRole}, {Name: "paid", Type: dataset.Date, Role: dataset.Detail},
	{Name: "region", Type: dataset.Text, Role: dataset.Category}, {Name: "customer", Type: dataset.Text, Role: dataset.Detail},
	{Name: "amount", Type: dataset.Number, Role: dataset.Amount, Decimals: 2},
}}

// BenchmarkQuestions asks about three million records of five years: eight spans and their counterparts by a category.
func BenchmarkQuestions(b *testing.B) {
	first, days := civil.Of(2022, 1, 1), 1750
	last := first + civil.Day(days)
	state := broadState(b, first, days)
	var sets []civil.Set
	for _, length := range []civil.Day{30, 19, 92, 19, 292, 90, 365, 365} {
		for _, end := range []civil.Day{last, last - 365} {
			sets = append(sets, civil.SetOf(civil.Interval{Start: end - length, End: end}))
		}
	}
	above := dataset.Filters{{{Column: "amount", Op: dataset.Above, Values: []string{"400"}}}}
	text := dataset.Filters{{{Column: "customer", Op: dataset.Contains, Values: []string{"77"}}}}
	length := dataset.Column{Name: "length", Type: dataset.Number, Length: &dataset.LengthColumn{
		Length: dataset.Length{Unit: "days", From: "day", To: "paid"}, AsOf: last + 1000,
		Count: func(from, to civil.Day) (int, error) { return int(to - from), nil },
	}}
	for _, q := range []struct {
		name string
		tally.Request
	}{
		{"sum", tally.Request{Figures: figuresOf("sum amount")}},
		{"median", tally.Request{Figures: figuresOf("median amount")}},
		{"distinct", tally.Request{Figures: figuresOf("distinct customer")}},
		{"above", tally.Request{Figures: figuresOf("sum amount"), Where: above}},
		{"contains", tally.Request{Figures: figuresOf("sum amount"), Where: text}},
		{"paid", tally.Request{Figures: figuresOf("sum amount"), Date: "paid"}},
		{"median-paid", tally.Request{Figures: figuresOf("median amount"), Date: "paid"}},
		{"last", tally.Request{Figures: figuresOf("last amount")}},
		{"length", tally.Request{Figures: figuresOf("mean length"), Lengths: []dataset.Column{length}}},
	} {
		q.Periods, q.By = tally.EachOfDays(sets...), []string{"region"}
		plan, err := tally.NewPlan(q.Request)
		if err != nil {
			b.Fatal(err)
		}
		b.Run(q.name, func(b *testing.B) {
			for b.Loop() {
				if _, err := tally.Run(context.Background(), plan, state.Source()); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
	b.Run("lifetimes", func(b *testing.B) {
		for b.Loop() {
			err := state.Lifetimes().Lifetimes(context.Background(), &ageing.Request{From: "day", To: "paid", By: "region"},
				func(ageing.Lifetime) error { return nil })
			if err != nil {
				b.Fatal(err)
			}
		}
	})
}

// broadState writes three million records in one change.
func broadState(b *testing.B, first civil.Day, days int) *State {
	b.Helper()
	folder, rng := b.TempDir(), rand.New(rand.NewPCG(25, 1))
	e, err := Begin(folder, &broad, 1, 1)
	if err != nil {
		b.Fatal(err)
	}
	cells := make([]dataset.Cell, 5)
	for i := range 3_000_000 {
		day := first + civil.Day(rng.IntN(days))
		cells[0], cells[1] = dataset.Cell{Set: true, Day: day}, dataset.Cell{Set: true, Day: day + civil.Day(rng.IntN(60))}
		cells[2] = dataset.Cell{Set: true, Text: fmt.Sprint("region ", rng.IntN(8))}
		cells[3] = dataset.Cell{Set: true, Text: fmt.Sprintf("customer %05d", rng.IntN(100_000))}
		cells[4] = fixedCell(decimal.Fixed{Digits: int64(rng.IntN(50_000)), Decimals: 2})
		if err := e.Worker(0).Add(RecordKey{int64(i), 1}, cells); err != nil {
			b.Fatal(err)
		}
		if i%20_000 == 19_999 {
			if err := e.Append(e.Worker(0).Take()); err != nil {
				b.Fatal(err)
			}
		}
	}
	if err := e.Publish(nil, "broad"); err != nil {
		b.Fatal(err)
	}
	state, err := Open(folder, "broad", &broad)
	if err != nil {
		b.Fatal(err)
	}
	return state
}

func figuresOf(names ...string) (list []measure.Figure) {
	for _, name := range names {
		f, err := measure.ParseFigure(name)
		if err != nil {
			panic(err)
		}
		list = append(list, f)
	}
	return list
}
