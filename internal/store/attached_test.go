package store

import (
	"context"
	"fmt"
	"maps"
	"math/rand/v2"
	"os"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"vastspan/core/ageing"
	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/tally"
	"vastspan/internal/attached"
	"vastspan/internal/cluster"
	"vastspan/internal/ingest"
)

// sameFigures describes a result by what every source has to agree on: figures to the last digit, however many zeros follow it,
// and how many records have no day. Of an engine of floating numbers, means are worked out to fewer decimals.
func sameFigures(r *tally.Result, request tally.Request, floating bool) string {
	var top tally.Top
	if r.Top != nil {
		top = *r.Top
	}
	at := func(period int, group []dataset.Label) []decimal.Value {
		var values []decimal.Value
		for _, f := range r.At(period, group) {
			v, err := f.Bare().Value()
			if floating {
				v, err = f.Decimals(4)
			}
			if err != nil {
				panic(err)
			}
			v.Decimal.Reduce(&v.Decimal)
			values = append(values, v)
		}
		return values
	}
	return write(tally.Coverage{Undated: r.Undated}, r.Groups, top.Values, top.Others, request, at, r.Tied)
}

// Tables that are attached give what the same records give that were loaded, or are in a file, whatever is asked of them.
func TestAttachedTotalsAgree(t *testing.T) {
	rng := rand.New(rand.NewPCG(14, 10))
	text := randomCSV(rng, 300)
	if os.Getenv("TZ") == "" {
		t.Setenv("TZ", "America/New_York") // which is not to matter
	}
	twins := everyTwin(t, tripsTable)
	s := openWith(t, twins)
	s.mustLoad(t, "kept", text, ingest.ColumnHints{
		Date: "day", Amounts: []string{"fare", "people"}, Categories: []string{"route", "channel"}, Zone: "Pacific/Auckland",
	}, true)
	kept, sets := s.attachAll(t, "kept", text, twins)
	requests := 800
	if testing.Short() {
		requests = 6
	}
	for i := range requests {
		s.alike(t, fmt.Sprintf("request %d", i), text, randomRequest(rng), kept, sets)
	}
	for name, d := range sets {
		testListing(t, s, name, kept, d)
		testStays(t, rng, s, name, kept, d)
		testLook(t, s, name, d)
	}
}

// testLook checks that the table of a dataset is among those of its database, and that its columns and first values are shown.
func testLook(t *testing.T, s *Store, name string, d *Dataset) {
	t.Helper()
	db, err := s.Databases().Find(d.Attached.Database)
	if err != nil {
		t.Fatal(err)
	}
	tables, _, err := db.Tables(context.Background())
	if err != nil || !slices.ContainsFunc(tables, func(n attached.TableName) bool {
		return strings.TrimPrefix(n.Table, "public.") == d.Attached.Name && n.Kind != ""
	}) {
		t.Errorf("%s: table %s is not among %v: %v", name, d.Attached.Name, tables, err)
	}
	first, err := db.First(context.Background(), d.Attached.Name, d.Attached.Columns)
	if err != nil || len(first) != len(d.Attached.Columns) || !slices.ContainsFunc(first, func(v []string) bool { return len(v) == 3 }) {
		t.Errorf("%s: the first values are %v: %v", name, first, err)
	}
}

// attachAll puts the records of a stored dataset into all twins, and attaches them.
func (s *Store) attachAll(t *testing.T, name, text string, twins []twin) (kept *Dataset, sets map[string]*Dataset) {
	t.Helper()
	kept, err := s.Dataset(context.Background(), name)
	if err != nil {
		t.Fatal(err)
	}
	sets = map[string]*Dataset{}
	for _, w := range twins {
		w.insert(t, text)
		sets[w.name] = s.attach(t, w, kept)
	}
	return kept, sets
}

// alike puts a request to a stored dataset, to the file and to all twins.
func (s *Store) alike(t *testing.T, what, text string, request tally.Request, kept *Dataset, sets map[string]*Dataset) {
	t.Helper()
	ctx := context.Background()
	sources := map[string]tally.Source{"file": fileOf(text, &kept.Schema)}
	for name, d := range sets {
		sources[name] = s.Source(d)
	}
	p, err := tally.NewPlan(request)
	if err != nil {
		t.Fatal(err)
	}
	r, err := tally.Run(ctx, p, s.Source(kept))
	if err != nil {
		t.Fatal(err)
	}
	want := map[bool]string{false: sameFigures(r, request, false), true: sameFigures(r, request, true)}
	for name, source := range sources {
		r, err := tally.Run(ctx, p, source)
		if err != nil {
			t.Fatalf("%s, %+v, from %s: %v", what, request, name, err)
		}
		floating := name == "sqlite"
		if got := sameFigures(r, request, floating); got != want[floating] {
			t.Fatalf("%s, %+v:\nfrom %s\n%s\nby a loop\n%s", what, request, name, got, want[floating])
		}
	}
}

// clockedTable describes the columns of clockedCSV, with the numbers of the lines.
func clockedTable() *cluster.Table {
	return &cluster.Table{Name: "trips", By: "gate", Values: []string{"east", "west"}, Day: "at", Columns: []cluster.Column{
		{Name: "line", Kind: cluster.Whole}, {Name: "at", Kind: cluster.Moment, Optional: true}, {Name: "gate", Optional: true},
		{Name: "people", Kind: cluster.Decimal, Decimals: 1, Optional: true}, {Name: "seen_at", Kind: cluster.Moment, Optional: true},
	}}
}

// Totals of moments are alike, too, across changes of the clock.
func TestAttachedTimesAgree(t *testing.T) {
	rng := rand.New(rand.NewPCG(14, 11))
	clock, err := civil.ReadClock("Australia/Lord_Howe", "04:00")
	if err != nil {
		t.Fatal(err)
	}
	change := time.Date(2026, 4, 4, 15, 0, 0, 0, time.UTC)
	// Not all engines keep parts of seconds.
	text := regexp.MustCompile(`\.\d+Z`).ReplaceAllString(clockedCSV(rng, clock, change, 300), "Z")
	twins := everyTwin(t, clockedTable)
	s := openWith(t, twins)
	s.mustLoad(t, "clocked", text, ingest.ColumnHints{
		Date: "at", Amounts: []string{"people"}, Categories: []string{"gate"}, Zone: "Australia/Lord_Howe", DayStarts: "04:00",
	}, true)
	kept, sets := s.attachAll(t, "clocked", text, twins)
	requests := 200
	if testing.Short() {
		requests = 3
	}
	for i := range requests {
		request := randomRequest(rng)
		request.Figures = figuresOf("count", "sum people", "min people", "max people", "median people", "distinct seen_at", "first people")
		request.By, request.Top, request.RankBy, request.Where = nil, 0, 0, nil
		randomParts(rng, &request)
		request.Where = randomPartFilters(rng, clock)
		request.Clock, request.Periods = clock, randomPeriods(rng, clock, change)
		s.alike(t, fmt.Sprintf("request %d", i), text, request, kept, sets)
	}
}

// testStays compares records that begin and end.
func testStays(t *testing.T, rng *rand.Rand, s *Store, name string, kept, d *Dataset) {
	t.Helper()
	for round := range 20 {
		q := &ageing.Request{From: "day", To: "seen_at", By: []string{"", "channel", "people"}[rng.IntN(3)], Amount: []string{"", "fare"}[rng.IntN(2)]}
		if rng.IntN(2) == 0 {
			q.From, q.To = q.To, q.From
		}
		if round > 0 {
			q.Where = randomFilters(rng)
		}
		want, got := gathered(t, s.LifetimeSource(kept), q), gathered(t, s.LifetimeSource(d), q)
		if !maps.Equal(want, got) {
			t.Fatalf("%s, %+v: %v\nstored %v", name, q, got, want)
		}
	}
}

// testListing compares pages of records.
func testListing(t *testing.T, s *Store, name string, kept, d *Dataset) {
	t.Helper()
	ctx := context.Background()
	l := Listing{Period: tally.OfDays(civil.SetOf(civil.AllDays)), Where: parsedFilters("channel!=web"), OldestFirst: true, Limit: 70}
	theirs := l
	for page := 0; ; page++ {
		want, more, err := s.Records(ctx, kept, l)
		if err != nil {
			t.Fatal(err)
		}
		got, alsoMore, err := s.Records(ctx, d, theirs)
		if err != nil || len(got) != len(want) || more != alsoMore {
			t.Fatalf("%s, page %d: %d records, want %d: %v", name, page, len(got), len(want), err)
		}
		for i := range want {
			for j := range kept.Schema.Columns {
				if a, b := shown(kept, j, want[i].Cells[j]), shown(kept, j, got[i].Cells[j]); a != b {
					t.Errorf("%s, page %d, record %d: %s is %s, want %s", name, page, i, kept.Schema.Columns[j].Name, b, a)
				}
			}
		}
		if !more {
			break
		}
		l.After, theirs.After = &want[len(want)-1], &got[len(got)-1]
		one, err := s.SumThrough(ctx, kept, l, "fare")
		if err != nil {
			t.Fatal(err)
		}
		other, err := s.SumThrough(ctx, d, theirs, "fare")
		if err != nil || one.Decimal.Cmp(&other.Decimal) != 0 {
			t.Errorf("%s, page %d: %s through it, want %s: %v", name, page, other, one, err)
		}
	}
}

// shown is a cell with numbers in the form that equal ones share.
func shown(d *Dataset, column int, cell *string) string {
	if cell == nil {
		return "blank"
	}
	if d.Schema.Columns[column].Type == dataset.Number {
		if v, err := decimal.Parse(*cell); err == nil {
			return decimal.Key(&v.Decimal)
		}
	}
	return strconv.Quote(fmt.Sprint(*cell))
}
