package main

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/dustin/go-humanize"

	"vastspan/bench/report"
)

// A kind of question about the records that are loaded, each time another one.
type kind struct {
	name  string
	share int // of a hundred
	body  func(rng *rand.Rand) string
}

var spans = []string{
	"last full month", "month to date", "last full quarter", "quarter to date", "year to date", "trailing 90 days", "trailing 12 months",
	"last full year", "last full week", "trailing 30 days excluding today",
}

// question writes one of a random span as of a random day.
func question(rng *rand.Rand, figures, more string) string {
	asOf := time.Date(2026, 10, 19, 0, 0, 0, 0, time.UTC).AddDate(0, 0, -rng.IntN(700)).Format(time.DateOnly)
	return fmt.Sprintf(`{"dataset":"wide","over":[%q],"figures":[%s],"by":[%q],"against":["1 year earlier"],"as_of":%q%s}`,
		spans[rng.IntN(len(spans))], figures, []string{"region", "product"}[rng.IntN(2)], asOf, more)
}

var kinds = []kind{
	{"sums by a category", 70, func(rng *rand.Rand) string { return question(rng, `"sum amount","count"`, "") }},
	{"sums by another date", 10, func(rng *rand.Rand) string { return question(rng, `"sum amount"`, `,"date":"paid"`) }},
	{"sums of customers by a text", 10, func(rng *rand.Rand) string {
		return question(rng, `"sum amount"`, fmt.Sprintf(`,"where":["customer contains %03d"]`, rng.IntN(1000)))
	}},
	{"medians", 5, func(rng *rand.Rand) string { return question(rng, `"median amount"`, "") }},
	{"distinct customers", 5, func(rng *rand.Rand) string { return question(rng, `"distinct customer"`, "") }},
}

// fair loads records, and has many callers ask different questions about them at once.
func (s *service) fair(ctx context.Context, folder string, records, callers int, during time.Duration) error {
	file := filepath.Join(folder, "wide.csv")
	if err := writeWide(file, records); err != nil {
		return err
	}
	begun := time.Now()
	if err := s.load(ctx, file); err != nil {
		return err
	}
	fmt.Printf("%d records were loaded in %.1f s.\n", records, time.Since(begun).Seconds())
	m := s.mixed(ctx, callers, during)
	mixed := report.New("mixed", fmt.Sprintf("%s records, %d callers", humanize.Comma(int64(records)), callers))
	all := measurement{took: m[0].took}
	for i, k := range kinds {
		m[i].put(mixed, k.name)
		all.waits, all.failed = append(all.waits, m[i].waits...), all.failed+m[i].failed
	}
	slices.Sort(all.waits)
	all.put(mixed, "all")
	cancelled, err := s.cancelled(ctx)
	if err != nil {
		return err
	}
	return report.Write(*keep, mixed, cancelled)
}

// mixed has callers ask questions of all kinds for a time.
func (s *service) mixed(ctx context.Context, callers int, during time.Duration) []measurement {
	client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: callers}}
	defer client.CloseIdleConnections()
	of := make([]measurement, len(kinds))
	var mu sync.Mutex
	var together sync.WaitGroup
	begin := time.Now()
	for i := range callers {
		together.Go(func() {
			rng := rand.New(rand.NewPCG(14, uint64(i)))
			for time.Since(begin) < during && ctx.Err() == nil {
				at, place := 0, rng.IntN(100)
				for place >= kinds[at].share {
					place -= kinds[at].share
					at++
				}
				since := time.Now()
				err := s.post(ctx, client, "/total", "application/json", strings.NewReader(kinds[at].body(rng)))
				mu.Lock()
				if err != nil {
					of[at].failed++
				} else {
					of[at].waits = append(of[at].waits, time.Since(since))
				}
				mu.Unlock()
			}
		})
	}
	together.Wait()
	for i := range of {
		of[i].took = time.Since(begin)
		slices.Sort(of[i].waits)
	}
	return of
}

// cancelled has callers go away in the middle of their questions, and looks how long others then wait.
func (s *service) cancelled(ctx context.Context) (*report.Table, error) {
	client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: 1}}
	defer client.CloseIdleConnections()
	rng := rand.New(rand.NewPCG(14, 99))
	alone := func() (time.Duration, error) {
		since := time.Now()
		err := s.post(ctx, client, "/total", "application/json", strings.NewReader(question(rng, `"distinct customer"`, "")))
		return time.Since(since), err
	}
	before, err := alone()
	if err != nil {
		return nil, err
	}
	var gone atomic.Int64
	var together sync.WaitGroup
	for i := range 200 {
		body := kinds[len(kinds)-1].body(rng)
		together.Go(func() {
			short, stop := context.WithTimeout(ctx, time.Duration(20+i%5*10)*time.Millisecond)
			defer stop()
			if err := s.post(short, http.DefaultClient, "/total", "application/json", strings.NewReader(body)); err != nil {
				gone.Add(1)
			}
		})
	}
	together.Wait()
	after, err := alone()
	t := report.New("cancelled", "a question")
	t.Put("alone", "ms", fmt.Sprintf("%.0f", float64(before.Microseconds())/1000))
	t.Put(fmt.Sprintf("right after %d of 200 callers went away in the middle of theirs", gone.Load()), "ms",
		fmt.Sprintf("%.0f", float64(after.Microseconds())/1000))
	return t, err
}

// post sends a request and reads its answer.
func (s *service) post(ctx context.Context, client *http.Client, path, kind string, body io.Reader) error {
	request, err := http.NewRequestWithContext(ctx, http.MethodPost, s.address+"/api/v1"+path, body)
	if err != nil {
		return err
	}
	request.Header.Set("Content-Type", kind)
	r, err := client.Do(request)
	if err != nil {
		return err
	}
	defer r.Body.Close()
	if _, err = io.Copy(io.Discard, r.Body); err == nil && r.StatusCode >= http.StatusMultipleChoices {
		err = errors.New(r.Status)
	}
	return err
}

func (s *service) load(ctx context.Context, file string) error {
	f, err := os.Open(file)
	if err != nil {
		return err
	}
	defer f.Close()
	return s.post(ctx, http.DefaultClient,
		"/datasets/wide/loads?file=wide.csv&date=day&amount=amount&category=product&category=region&detail=customer&detail=paid", "text/csv", f)
}

// writeWide writes records with a second date and a detail of many values.
func writeWide(file string, records int) error {
	f, err := os.Create(file)
	if err != nil {
		return err
	}
	w := bufio.NewWriterSize(f, 1<<20)
	rng := rand.New(rand.NewPCG(5, 22))
	start := time.Date(2022, 1, 1, 0, 0, 0, 0, time.UTC)
	texts := make([]string, 1813)
	for i := range texts {
		texts[i] = start.AddDate(0, 0, i).Format(time.DateOnly)
	}
	fmt.Fprintln(w, "day,paid,product,region,customer,amount")
	for range records {
		day := rng.IntN(len(texts) - 60)
		fmt.Fprintf(w, "%s,%s,product %02d,region %d,customer %05d,%d.%02d\n", texts[day], texts[day+rng.IntN(60)],
			rng.IntN(20), rng.IntN(8), rng.IntN(100_000), rng.IntN(500), rng.IntN(100))
	}
	return errors.Join(w.Flush(), f.Close())
}
