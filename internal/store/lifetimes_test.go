package store

import (
	"context"
	"fmt"
	"maps"
	"math/rand/v2"
	"strings"
	"testing"

	"vastspan/core/ageing"
	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/span"
	"vastspan/internal/ingest"
)

// gathered adds up the records of a source that are alike.
func gathered(t *testing.T, source ageing.Source, q *ageing.Request) map[string]string {
	t.Helper()
	records, sums := map[string]int64{}, map[string]decimal.Value{}
	err := source.Lifetimes(context.Background(), q, func(s ageing.Lifetime) error {
		key := fmt.Sprint(s.Begun, s.Begin, s.Ended, s.End, s.Label.Set, s.Label.Text)
		records[key] += s.Records
		have, ok := sums[key]
		if !ok || !have.Set {
			sums[key] = s.Sum
			return nil
		}
		if !s.Sum.Set {
			return nil
		}
		sum, err := have.Plus(s.Sum)
		sums[key] = sum
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	told := map[string]string{}
	for key, n := range records {
		told[key] = fmt.Sprint(n)
		if sum := sums[key]; sum.Set {
			told[key] += " " + decimal.Key(&sum.Decimal)
		}
	}
	return told
}

// Stored records begin and end as those of the file do, whatever the filter, in a zone of their own.
func TestLifetimesOfStoreAndFile(t *testing.T) {
	s := open(t)
	rng := rand.New(rand.NewPCG(4, 4))
	text := randomCSV(rng, 400)
	hints := ingest.ColumnHints{Date: "day", Zone: "America/New_York", Categories: []string{"route", "channel"}, Amounts: []string{"fare", "people"}}
	for _, part := range inParts(text, 3) {
		if _, err := s.load("stays", part, hints, true); err != nil {
			t.Fatal(err)
		}
	}
	d, err := s.Dataset(context.Background(), "stays")
	if err != nil {
		t.Fatal(err)
	}
	for round := range 60 {
		q := &ageing.Request{From: "day", To: "seen_at", By: []string{"", "channel", "route", "people"}[rng.IntN(4)], Amount: []string{"", "fare"}[rng.IntN(2)]}
		if rng.IntN(2) == 0 {
			q.From, q.To = q.To, q.From
		}
		if round > 0 {
			q.Where = randomFilters(rng)
		}
		reader, err := ingest.Open(ingest.Options{}, strings.NewReader(text))
		if err != nil {
			t.Fatal(err)
		}
		file := gathered(t, &ingest.LifetimeSource{Reader: reader, Schema: &d.Schema}, q)
		for from, source := range map[string]ageing.Source{
			"store": s.LifetimeSource(d),
		} {
			stored := gathered(t, source, q)
			if !maps.Equal(file, stored) || round == 0 && len(file) < 100 {
				t.Fatalf("%+v: from %s %v\nin the file %v", q, from, stored, file)
			}
		}
	}
}

// Between times, lengths are hours of elapsed time, of the store as of the file.
func TestLifetimesByTheHour(t *testing.T) {
	s := open(t)
	text := "arrived,left,berth\n2026-10-24 22:00,2026-10-25 06:00,A\n2026-10-24 10:00,2026-10-24 11:59:59.5,A\n" +
		"2026-10-25 09:00,,B\n2026-10-24 12:00,2026-10-24 11:00,B\n,2026-10-24 11:00,B\n2026-10-26 00:00,,B\n"
	hints := ingest.ColumnHints{Date: "arrived", Zone: "Europe/Lisbon", Categories: []string{"berth"}}
	if _, err := s.load("berths", text, hints, true); err != nil {
		t.Fatal(err)
	}
	d, err := s.Dataset(context.Background(), "berths")
	if err != nil {
		t.Fatal(err)
	}
	reader, err := ingest.Open(ingest.Options{}, strings.NewReader(text))
	if err != nil {
		t.Fatal(err)
	}
	for name, source := range map[string]ageing.Source{"store": s.LifetimeSource(d), "file": &ingest.LifetimeSource{Reader: reader, Schema: &d.Schema}} {
		q := ageing.Question{From: "arrived", To: "left", Unit: "hours", Bands: "0-7,8+"}
		a, err := q.Answer(context.Background(), ageing.Records{Name: "berths", Schema: &d.Schema, Source: source}, span.Scope{AsOf: civil.Of(2026, 10, 25)})
		if err != nil {
			t.Fatal(err)
		}
		// Nine hours across the change of the clock, one, and fifteen until the as-of day ends.
		got := fmt.Sprintf("%s mean %s median %s longest %s age %s bands %d %d faults %d undated %d later %d",
			name, a.Groups[0].ClosedLengths.Mean, a.Groups[0].ClosedLengths.Median, a.Groups[0].ClosedLengths.Longest, a.Groups[0].OpenAges.Mean, a.Groups[0].Bands[0].Records, a.Groups[0].Bands[1].Records,
			a.FaultRecords, a.Undated, a.NotBegun)
		if want := name + " mean 5 median 5 longest 9 age 15 bands 1 2 faults 1 undated 1 later 1"; got != want {
			t.Errorf("got %s\nwant %s", got, want)
		}
	}
	q := ageing.Question{From: "day", To: "seen_at", Unit: "hours"}
	schema := &dataset.Schema{Columns: []dataset.Column{{Name: "day", Type: dataset.Date, Role: dataset.DayRole}, {Name: "seen_at", Type: dataset.Timestamp}}}
	if _, err := q.Answer(context.Background(), ageing.Records{Schema: schema}, span.Scope{}); err == nil || !strings.Contains(err.Error(), "day holds days") {
		t.Errorf("hours between days: %v", err)
	}
}
