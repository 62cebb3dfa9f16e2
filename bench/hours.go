package main

import (
	"bufio"
	"fmt"
	"math/rand/v2"
	"os"
	"time"

	"github.com/jackc/pgx/v5"

	"vastspan/bench/made"
	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/measure"
	"vastspan/core/tally"
	"vastspan/internal/ingest"
	"vastspan/internal/store"
)

// hourHints are of records with times over one year, of 8 × 3 categories.
var hourHints = ingest.ColumnHints{
	Date: "at", Amounts: []string{"amount"}, Categories: []string{"region", "channel"}, Zone: "Europe/Lisbon",
}

var yearOfHours = civil.Through(civil.Of(2025, 1, 1), civil.Of(2025, 12, 31))

// hours measures questions by the hour on records of one year.
func (b *bench) hours() error {
	if err := b.writeHours(); err != nil {
		return err
	}
	b.name += "hours"
	load, err := made.Timed(1, func() error { return b.loadAs(hourHints) })
	if err != nil {
		return err
	}
	bare, err := made.Timed(1, b.copyBareHours)
	if err != nil {
		return err
	}
	b.put("hours", "a load of records with times : a bare `\\copy` and its index", load, bare)
	if err := b.settle(); err != nil {
		return err
	}
	clock, err := b.dataset.Schema.Clock()
	if err != nil {
		return err
	}
	year := tally.OfDays(civil.SetOf(yearOfHours)).By(clock)
	units, err := tally.Each(year, calendar.Civil, calendar.Hour, civil.AsOf{Clock: clock, Day: made.AsOf})
	if err != nil {
		return err
	}
	each := tally.Request{Clock: clock, Figures: []measure.Figure{{Kind: "sum", Column: "amount"}}, Periods: []tally.Period{year}}
	for _, u := range units {
		each.Periods = append(each.Periods, u.Period)
	}
	parts := tally.Request{
		Clock: clock, Figures: each.Figures, Periods: []tally.Period{year}, By: []string{"weekday", "hour"},
		Parts: []*tally.TimePart{tally.Weekday("", calendar.Civil), tally.HourOfDay("")},
	}
	const inYear = "WHERE at >= '2025-01-01T00:00:00Z' AND at < '2026-01-01T00:00:00Z'"
	for _, q := range []struct {
		what    string
		request tally.Request
		hand    string
	}{
		{"a year by the hour", each, "SELECT date_trunc('hour', at), sum(amount) FROM bare_%s " + inYear + " GROUP BY 1"},
		{"a year by weekday and hour", parts,
			"SELECT extract(isodow FROM at AT TIME ZONE 'Europe/Lisbon'), extract(hour FROM at AT TIME ZONE 'Europe/Lisbon'), sum(amount) " +
				"FROM bare_%s " + inYear + " GROUP BY 1, 2"},
	} {
		plan, err := tally.NewPlan(q.request)
		if err != nil {
			return err
		}
		hand, err := made.Timed(3, func() error { return b.read(fmt.Sprintf(q.hand, b.name)) })
		if err != nil {
			return err
		}
		mine, err := made.Timed(3, func() error { _, err := tally.Run(b.ctx, plan, b.store.Source(b.dataset)); return err })
		if err != nil {
			return err
		}
		b.put("hours", q.what, mine, hand)
	}
	return nil
}

func (b *bench) writeHours() error {
	f, err := os.Create(b.file)
	if err != nil {
		return err
	}
	w := bufio.NewWriterSize(f, 1<<20)
	rng := rand.New(rand.NewPCG(5, 21))
	start := yearOfHours.Start.Time()
	fmt.Fprintln(w, "at,region,channel,amount")
	for range b.records {
		at := start.Add(time.Duration(rng.IntN(365*24*3600)) * time.Second)
		fmt.Fprintf(w, "%s,region %d,channel %d,%d.%02d\n",
			at.Format("2006-01-02T15:04:05Z"), rng.IntN(8), rng.IntN(3), rng.IntN(500), rng.IntN(100))
	}
	if err := w.Flush(); err != nil {
		return err
	}
	return f.Close()
}

// loadAs loads the file as a dataset.
func (b *bench) loadAs(h ingest.ColumnHints) error {
	f, err := os.Open(b.file)
	if err != nil {
		return err
	}
	defer f.Close()
	r, err := ingest.Open(ingest.Options{}, f)
	if err != nil {
		return err
	}
	_, err = b.store.LoadFile(b.ctx, store.LoadInput{Dataset: b.name, File: "bench", Author: "bench", Reader: r,
		Describe: func() (*dataset.Schema, error) { return ingest.Infer(r.Header(), r.Sample(), h) }})
	return err
}

func (b *bench) copyBareHours() error {
	conn, err := pgx.Connect(b.ctx, b.url)
	if err != nil {
		return err
	}
	defer conn.Close(b.ctx)
	table := "bare_" + b.name
	if _, err := conn.Exec(b.ctx, "CREATE TABLE "+table+" (_record bigint NOT NULL DEFAULT 1, _since bigint NOT NULL DEFAULT 1, "+
		"at timestamptz, region text, channel text, amount numeric)"); err != nil {
		return err
	}
	f, err := os.Open(b.file)
	if err != nil {
		return err
	}
	defer f.Close()
	if _, err := conn.PgConn().CopyFrom(b.ctx, f, "COPY "+table+" (at, region, channel, amount) FROM STDIN (FORMAT csv, HEADER)"); err != nil {
		return err
	}
	_, err = conn.Exec(b.ctx, "CREATE INDEX ON "+table+" (at)")
	return err
}

// read runs a statement and reads its answer.
func (b *bench) read(statement string) error {
	conn, err := pgx.Connect(b.ctx, b.url)
	if err != nil {
		return err
	}
	defer conn.Close(b.ctx)
	rows, err := conn.Query(b.ctx, statement)
	if err != nil {
		return err
	}
	for rows.Next() {
	}
	return rows.Err()
}
