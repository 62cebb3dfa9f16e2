package store

import (
	"context"
	"fmt"
	"maps"
	"math/rand/v2"
	"strings"
	"testing"

	"vastspan/core/ageing"
	"vastspan/core/decimal"
	"vastspan/internal/ingest"
)

// gathered adds up the records of a source that are alike.
func gathered(t *testing.T, source ageing.Source, q *ageing.Request) map[string]string {
	t.Helper()
	records, sums := map[string]int64{}, map[string]decimal.Value{}
	err := source.Stays(context.Background(), q, func(s ageing.Stay) error {
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
		told[key] = fmt.Sprintf("%d %s", n, sums[key])
	}
	return told
}

// Stored records begin and end as those of the file do, whatever the filter, in a zone of their own.
func TestStaysOfStoreAndFile(t *testing.T) {
	s := open(t)
	rng := rand.New(rand.NewPCG(4, 4))
	text := randomCSV(rng, 400)
	hints := ingest.ColumnHints{Date: "day", Zone: "America/New_York", Categories: []string{"route", "channel"}, Amounts: []string{"fare", "people"}}
	if _, err := s.load("stays", text, hints, true); err != nil {
		t.Fatal(err)
	}
	d, err := s.Dataset(context.Background(), "stays")
	if err != nil {
		t.Fatal(err)
	}
	for round := range 60 {
		q := &ageing.Request{From: "day", To: "seen_at", By: []string{"", "channel", "route"}[rng.IntN(3)], Amount: []string{"", "fare"}[rng.IntN(2)]}
		if rng.IntN(2) == 0 {
			q.From, q.To = q.To, q.From
		}
		if round > 0 {
			q.Where = randomFilters(rng)
		}
		reader, err := ingest.Open("", strings.NewReader(text))
		if err != nil {
			t.Fatal(err)
		}
		file := gathered(t, &ingest.StaySource{Reader: reader, Schema: &d.Schema}, q)
		stored := gathered(t, s.StaySource(d), q)
		if !maps.Equal(file, stored) || round == 0 && len(file) < 100 {
			t.Fatalf("%+v: stored %v\nin the file %v", q, stored, file)
		}
	}
}
