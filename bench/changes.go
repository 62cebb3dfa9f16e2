package main

import (
	"fmt"
	"io"
	"strings"
	"time"

	"vastspan/bench/made"
	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/drivers"
	"vastspan/core/measure"
	"vastspan/core/query"
	"vastspan/core/span"
	"vastspan/core/tally"
	"vastspan/internal/ingest"
	"vastspan/internal/store"
)

// changes measures what a change is made of, next to one total of both sides and to a statement by hand, and questions about an
// earlier state, next to the same question about the newest.
func (b *bench) changes() error {
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
	if err := b.drivers(); err != nil {
		return err
	}
	return b.past()
}

// ofBothSides totals the last full quarter and the same a year earlier.
func ofBothSides(by string) (query.Query, error) {
	f, err := measure.ParseFigure("sum amount")
	return query.Query{
		Over: []string{"last full quarter"}, Against: []string{"1 year earlier"}, Figures: []measure.Figure{f}, By: []string{by},
	}, err
}

func (b *bench) drivers() error {
	q, err := ofBothSides("customer")
	if err != nil {
		return err
	}
	e := query.Evaluator{Scope: span.Scope{AsOf: made.AsOf, Calendar: calendar.Civil, Clock: civil.UTC}}
	records := query.Records{Name: b.name, Schema: &b.dataset.Schema, Source: b.store.Source(b.dataset)}
	one, err := made.Timed(3, func() error { _, err := e.Answer(b.ctx, q, records); return err })
	if err != nil {
		return err
	}
	all := q
	all.By = []string{"product", "region", "customer"}
	mine, err := made.Timed(3, func() error { _, err := (drivers.Question{Query: all}).Answer(b.ctx, e, records); return err })
	if err != nil {
		return err
	}
	answer, err := e.Answer(b.ctx, q, records)
	if err != nil {
		return err
	}
	sides := []civil.Interval{answer.Spans[0].Intervals.Bounds(), answer.Spans[0].Comparisons[0].Intervals.Bounds()}
	var figures []string
	for _, v := range sides {
		figures = append(figures, fmt.Sprintf("sum(amount) FILTER (WHERE day >= '%s' AND day < '%s')", v.Start, v.End))
	}
	hand, err := made.Timed(2, func() error {
		return b.sql("SELECT product, region, customer, " + strings.Join(figures, ", ") + " FROM records." + b.name +
			" GROUP BY GROUPING SETS ((product), (region), (customer), ())")
	})
	if err != nil {
		return err
	}
	b.put("changes", "drivers over three columns, one of 100,000 values; compared with one total by that column, and by hand", mine, one, hand)
	return nil
}

// past replaces a month, and asks about the state before that.
func (b *bench) past() error {
	first := made.AsOf - 60
	days := civil.SetOf(civil.Through(first, first+29))
	r, err := ingest.Open(ingest.Options{}, b.month(first))
	if err != nil {
		return err
	}
	before := b.dataset.Version
	if _, err := b.store.LoadFile(b.ctx, store.LoadInput{
		Dataset: b.name, File: "month.csv", Author: "bench", Reader: r, Mode: store.Replace, Days: &days,
	}); err != nil {
		return err
	}
	if err := b.settle(); err != nil {
		return err
	}
	loads, err := b.store.Loads(b.ctx, b.dataset, 0, 10)
	if err != nil {
		return err
	}
	earlier, err := b.store.Dataset(store.AsKnown(b.ctx, store.Asked{Load: loads[len(loads)-1].ID, Zone: time.UTC}), b.name)
	if err != nil {
		return err
	}
	if earlier.Version != before {
		return fmt.Errorf("the state after change %d is asked, not after %d", earlier.Version, before)
	}
	sets, err := made.Periods()
	if err != nil {
		return err
	}
	for _, figure := range []string{"sum amount", "median amount", "distinct customer"} {
		f, err := measure.ParseFigure(figure)
		if err != nil {
			return err
		}
		plan, err := tally.NewPlan(tally.Request{Periods: tally.EachOfDays(sets...), By: []string{"region"}, Figures: []measure.Figure{f}})
		if err != nil {
			return err
		}
		var times [2]time.Duration
		for i, d := range []*store.Dataset{earlier, b.dataset} {
			if times[i], err = made.Timed(5, func() error { _, err := tally.Run(b.ctx, plan, b.store.Source(d)); return err }); err != nil {
				return err
			}
		}
		b.put("changes", figure+" as known before a month was replaced; compared with the same question now", times[0], times[1])
	}
	return nil
}

// month returns some records of 30 days as a file.
func (b *bench) month(first civil.Day) io.Reader {
	var text strings.Builder
	text.WriteString("day,paid,product,region,customer,amount\n")
	for i := range 100_000 {
		day := first + civil.Day(i%30)
		fmt.Fprintf(&text, "%s,%s,product %02d,region %d,customer %05d,%d.50\n", day, day+20, i%20, i%8, i%customers, i%500)
	}
	return strings.NewReader(text.String())
}
