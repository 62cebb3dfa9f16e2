package main

import (
	"bufio"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"strings"

	"vastspan/bench/made"
	"vastspan/core/ageing"
	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/elapsed"
	"vastspan/core/measure"
	"vastspan/core/span"
	"vastspan/core/tally"
	"vastspan/internal/ingest"
)

// wideHints are of records with a second date and a detail of many values.
var wideHints = ingest.ColumnHints{
	Date: "day", Amounts: []string{"amount"}, Categories: []string{"product", "region"}, Details: []string{"customer", "paid"},
}

// customers is how many customers the records are of.
const customers = 100_000

// questions measures what sums by day cannot answer, next to the best single statement by hand: eight spans
// and their counterparts, by one category.
func (b *bench) questions() (err error) {
	if err := b.writeWide(); err != nil {
		return err
	}
	name := b.name
	defer func() { b.name = name }()
	b.name += "wide"
	if err := b.loadAs(wideHints); err != nil {
		return err
	}
	if err := b.settle(); err != nil {
		return err
	}
	source := b.store.Source(b.dataset)
	columnar, err := startColumnar(b.name, b.file,
		"{'day': 'DATE', 'paid': 'DATE', 'product': 'VARCHAR', 'region': 'VARCHAR', 'customer': 'VARCHAR', 'amount': 'DECIMAL(12,2)'}")
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, columnar.stop()) }()
	sum := measure.Figure{Kind: measure.Sum, Column: "amount"}
	days := dataset.Column{Name: "days from day to paid", Type: dataset.Number, Length: &dataset.LengthColumn{
		Length: dataset.Length{Unit: "days", From: "day", To: "paid"}, AsOf: made.AsOf + 1000,
		Count: func(from, to civil.Day) (int, error) { return int(to - from), nil }, Hours: elapsed.Hours,
	}}
	for _, q := range []struct {
		what    string
		request tally.Request
		figure  string // by hand, before FILTER
		where   string
		date    string
	}{
		{what: "sums", request: tally.Request{Figures: []measure.Figure{sum}}, figure: "sum(amount)"},
		{what: "median", request: tally.Request{Figures: []measure.Figure{{Kind: measure.Median, Column: "amount"}}},
			figure: "percentile_cont(0.5) WITHIN GROUP (ORDER BY amount)"},
		{what: "distinct values of 100,000", request: tally.Request{Figures: []measure.Figure{{Kind: measure.Distinct, Column: "customer"}}},
			figure: "count(DISTINCT customer)"},
		{what: "sums where a number is above another", request: tally.Request{Figures: []measure.Figure{sum},
			Where: dataset.Filters{{{Column: "amount", Op: dataset.Above, Values: []string{"400"}}}}}, figure: "sum(amount)", where: "amount > 400"},
		{what: "sums where a detail contains a text", request: tally.Request{Figures: []measure.Figure{sum},
			Where: dataset.Filters{{{Column: "customer", Op: dataset.Contains, Values: []string{"77"}}}}}, figure: "sum(amount)",
			where: "customer LIKE '%77%'"},
		{what: "sums by another date", request: tally.Request{Figures: []measure.Figure{sum}, Date: "paid"}, figure: "sum(amount)", date: "paid"},
		{what: "median by another date", request: tally.Request{Date: "paid",
			Figures: []measure.Figure{{Kind: measure.Median, Column: "amount"}}},
			figure: "percentile_cont(0.5) WITHIN GROUP (ORDER BY amount)", date: "paid"},
		{what: "latest values", request: tally.Request{Figures: []measure.Figure{{Kind: measure.Last, Column: "amount"}}},
			figure: "(array_agg(amount ORDER BY day DESC, _record DESC))[1]"},
		{what: "mean of a length", request: tally.Request{Figures: []measure.Figure{{Kind: measure.Mean, Column: days.Name}},
			Lengths: []dataset.Column{days}}, figure: "avg(paid - day)"},
	} {
		sets, err := made.Periods()
		if err != nil {
			return err
		}
		q.request.Periods, q.request.By = tally.EachOfDays(sets...), []string{"region"}
		plan, err := tally.NewPlan(q.request)
		if err != nil {
			return err
		}
		mine, err := made.Timed(5, func() error { _, err := tally.Run(b.ctx, plan, source); return err })
		if err != nil {
			return err
		}
		hand, err := made.Timed(2, func() error { return b.sql(byHand(b.name, sets, q.figure, q.where, q.date)) })
		if err != nil {
			return err
		}
		theirs, err := columnar.best(3, byHand(b.name, sets, q.figure, q.where, q.date))
		if err != nil {
			return err
		}
		b.put("questions", q.what, mine, hand, theirs)
	}
	return b.others(columnar)
}

// others measures what is not a total.
func (b *bench) others(columnar *columnar) error {
	for _, q := range []struct {
		what string
		work func() error
		hand string
	}{
		{"how old records of all days are, by a category", func() error {
			q := ageing.Question{From: "day", To: "paid", Unit: "days", By: "region", Bands: "0-7,8-30,31+"}
			records := ageing.Records{Name: b.name, Schema: &b.dataset.Schema, Source: b.store.LifetimeSource(b.dataset)}
			_, err := q.Answer(b.ctx, records, span.Scope{AsOf: made.AsOf})
			return err
		}, "SELECT region, count(*), count(*) FILTER (WHERE age <= 7), count(*) FILTER (WHERE age BETWEEN 8 AND 30), " +
			"count(*) FILTER (WHERE age > 30), avg(age), max(age), percentile_cont(0.5) WITHIN GROUP (ORDER BY age) " +
			"FROM (SELECT region, least(paid, '" + made.AsOf.String() + "') - day AS age FROM records." + b.name + ") AS r GROUP BY region"},
		{"the most frequent of 100,000 values", func() error {
			_, err := b.store.Values(b.ctx, b.dataset, "customer", 100)
			return err
		}, "SELECT customer, count(*) FROM records." + b.name + " GROUP BY 1 ORDER BY 2 DESC, 1 LIMIT 100"},
		{"which days another date covers", func() error {
			_, err := b.store.CoverageBy(b.ctx, b.dataset, "paid")
			return err
		}, "SELECT count(*), count(paid), min(paid), max(paid) FROM records." + b.name},
	} {
		mine, err := made.Timed(3, q.work)
		if err != nil {
			return err
		}
		hand, err := made.Timed(2, func() error { return b.read(q.hand) })
		if err != nil {
			return err
		}
		theirs, err := columnar.best(3, q.hand)
		if err != nil {
			return err
		}
		b.put("questions", q.what, mine, hand, theirs)
	}
	return nil
}

// byHand is one statement for a figure over periods, each of one run of days.
func byHand(table string, sets []civil.Set, figure, where, date string) string {
	if date == "" {
		date = "day"
	}
	if where != "" {
		where = " WHERE " + where
	}
	var figures []string
	for _, s := range sets {
		v := s.At(0)
		filter := fmt.Sprintf(" FILTER (WHERE %s >= '%s' AND %s < '%s')", date, v.Start, date, v.End)
		if inner, ok := strings.CutSuffix(figure, ")[1]"); ok {
			figures = append(figures, inner+filter+")[1]")
		} else {
			figures = append(figures, figure+filter)
		}
	}
	return "SELECT region, " + strings.Join(figures, ", ") + " FROM records." + table + where + " GROUP BY region"
}

func (b *bench) writeWide() error {
	f, err := os.Create(b.file)
	if err != nil {
		return err
	}
	w := bufio.NewWriterSize(f, 1<<20)
	rng := rand.New(rand.NewPCG(5, 22))
	days := int(made.AsOf-made.First) + 1
	texts := make([]string, days+60)
	for i := range texts {
		texts[i] = (made.First + civil.Day(i)).String()
	}
	fmt.Fprintln(w, "day,paid,product,region,customer,amount")
	for range b.records {
		day := rng.IntN(days)
		fmt.Fprintf(w, "%s,%s,product %02d,region %d,customer %05d,%d.%02d\n", texts[day], texts[day+rng.IntN(60)],
			rng.IntN(20), rng.IntN(8), rng.IntN(customers), rng.IntN(500), rng.IntN(100))
	}
	if err := w.Flush(); err != nil {
		return err
	}
	return f.Close()
}
