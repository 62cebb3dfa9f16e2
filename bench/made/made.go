// Package made holds what the benchmarks share: made-up records, the periods that are asked about, and how work is timed.
package made

import (
	"bufio"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"time"

	"vastspan/core/civil"
	"vastspan/core/span"
)

// The records are of the days from First to AsOf, as of which questions are asked, and of so many products.
var (
	First = civil.Of(2022, 1, 1)
	AsOf  = civil.Of(2026, 10, 19)
)

// Products is how many products the records are of.
const Products = 20

// spans are the eight periods of each question; each has its counterpart a year earlier.
var spans = []string{
	"last full month", "month to date", "last full quarter", "quarter to date", "year to date", "trailing 90 days", "trailing 12 months",
	"last full year",
}

// Periods returns the days of the spans and of their counterparts.
func Periods() ([]civil.Set, error) {
	var sets []civil.Set
	for _, text := range spans {
		for _, moved := range []string{text, text + ", 1 year earlier"} {
			n, err := span.Parse(moved)
			if err != nil {
				return nil, err
			}
			set, err := span.Resolve(n, span.Scope{AsOf: AsOf})
			if err != nil {
				return nil, err
			}
			sets = append(sets, set)
		}
	}
	return sets, nil
}

// Trips writes a CSV file of records: a day, three categories and an amount.
func Trips(path string, records int) error {
	f, err := os.Create(path)
	if err != nil {
		return err
	}
	w := bufio.NewWriterSize(f, 1<<20)
	rng := rand.New(rand.NewPCG(5, 20))
	texts := make([]string, AsOf-First+1)
	for i := range texts {
		texts[i] = (First + civil.Day(i)).String()
	}
	fmt.Fprintln(w, "day,product,region,channel,amount")
	for range records {
		fmt.Fprintf(w, "%s,product %02d,region %d,channel %d,%d.%02d\n",
			texts[rng.IntN(len(texts))], rng.IntN(Products), rng.IntN(8), rng.IntN(3), rng.IntN(500), rng.IntN(100))
	}
	return errors.Join(w.Flush(), f.Close())
}

// enough is how long work takes that is timed once.
const enough = 20 * time.Second

// Timed runs work and returns the shortest of some times; what takes long is not repeated.
func Timed(times int, work func() error) (time.Duration, error) {
	best := time.Duration(0)
	for i := range times {
		start := time.Now()
		if err := work(); err != nil {
			return 0, err
		}
		spent := time.Since(start)
		if i == 0 || spent < best {
			best = spent
		}
		if spent > enough {
			break
		}
	}
	return best, nil
}
