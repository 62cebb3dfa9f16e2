package store

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"vastspan/core/book"
	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/measure"
	"vastspan/core/query"
	"vastspan/core/span"
	"vastspan/core/tally"
	"vastspan/internal/columnstore"
	"vastspan/internal/ingest"
	"vastspan/internal/postgres/pgtest"
	"vastspan/internal/refused"
)

var database string // its address

func TestMain(m *testing.M) { pgtest.Main(m, &database) }

func open(t *testing.T) *Store {
	t.Helper()
	s, err := Open(context.Background(), database, Options{Columns: t.TempDir()})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := s.Close(); err != nil {
			t.Error(err)
		}
	})
	return s
}

func figuresOf(texts ...string) []measure.Figure {
	list := make([]measure.Figure, len(texts))
	for i, text := range texts {
		var err error
		if list[i], err = measure.ParseFigure(text); err != nil {
			panic(err)
		}
	}
	return list
}

// mustHaveColumns returns the columns of a dataset.
func (s *Store) mustHaveColumns(t *testing.T, d *Dataset) *columnstore.State {
	t.Helper()
	state, err := s.columns.state(context.Background(), d)
	if err != nil {
		t.Fatal(err)
	}
	return state
}

// tripled has each record of a file three times, so that sums of them are worth keeping.
func tripled(text string) string {
	lines := strings.SplitAfter(strings.TrimSuffix(text, "\n"), "\n")
	lines[len(lines)-1] += "\n"
	var b strings.Builder
	b.WriteString(lines[0])
	for _, line := range lines[1:] {
		b.WriteString(strings.Repeat(line, 3))
	}
	return b.String()
}

func (s *Store) mustLoad(t *testing.T, name, text string, w ingest.ColumnHints, allowUndated bool) *Load {
	t.Helper()
	l, err := s.load(name, text, w, allowUndated)
	if err != nil {
		t.Fatal(err)
	}
	return l
}

func (s *Store) load(name, text string, w ingest.ColumnHints, allowUndated bool) (*Load, error) {
	r, err := ingest.Open(ingest.Options{}, strings.NewReader(text))
	if err != nil {
		return nil, err
	}
	return s.LoadFile(
		context.Background(),
		LoadInput{Dataset: name, File: "test.csv", Author: "test", AllowUndated: allowUndated, Reader: r,
			Describe: func() (*dataset.Schema, error) { return ingest.Infer(r.Header(), r.Sample(), w) }},
	)
}

// inParts cuts a file of records into several, each with the header.
func inParts(text string, n int) []string {
	lines := strings.SplitAfter(strings.TrimSuffix(text, "\n"), "\n")
	var parts []string
	for i := range n {
		from, to := 1+i*(len(lines)-1)/n, 1+(i+1)*(len(lines)-1)/n
		parts = append(parts, lines[0]+strings.Join(lines[from:to], ""))
	}
	return parts
}

// randomCSV makes records with blanks, refunds, odd texts and days around a year's end.
func randomCSV(rng *rand.Rand, rows int) string {
	var b strings.Builder
	b.WriteString("day,route,channel,fare,people,seen_at\n")
	pick := func(values ...string) string { return values[rng.IntN(len(values))] }
	for range rows {
		day := (civil.Of(2025, 12, 1) + civil.Day(rng.IntN(90))).String()
		if rng.IntN(20) == 0 {
			day = ""
		}
		fare := fmt.Sprintf("%d.%02d", rng.IntN(4000)-400, rng.IntN(100))
		seen := ""
		if rng.IntN(4) > 0 {
			seen = time.Date(2025, 12, 1, rng.IntN(90*24), rng.IntN(60), 0, 0, time.UTC).Format(time.RFC3339)
		}
		fmt.Fprintf(
			&b,
			"%s,%s,%s,%s,%s,%s\n",
			day,
			pick("Gull Rock", "Saltmarsh", `"a, ""b"""`, `back\slash`, "", "NULL"),
			pick("web", "quay", ""),
			pick(fare, fare, fare, ""),
			pick("1", "1.0", "2", "10", "-0", "0.00", "3.5", ""),
			seen,
		)
	}
	return b.String()
}

// randomFilters puts every operation to columns of every type, blanks among the values.
func randomFilters(rng *rand.Rand) dataset.Filters {
	all := []string{
		"channel=web or channel=", "channel!=web", "channel not in (quay, x)", "channel!=", "channel in (QUAY, wEb) ignoring case",
		`route=NULL or route="back\slash"`, `route~"""b"""`, `route~\`, "route not contains u", "route contains NU ignoring case",
		"fare>=100.50", "fare<=2000", "fare>100.5", "fare<2000 or channel=web", "fare=", "people=1.00 or people=3.5", "people not in (2, 3.5)",
		"people between 1 and 2", "day>=2025-12-15", "day not in (2026-01-01, 2026-01-02)", "day<2026-01-05", "day>2026-01-05",
		"seen_at<=2026-01-20", "seen_at= or seen_at=2025-12-31", "seen_at in (2025-12-01/2025-12-20, 2026-01-05/2026-01-06)",
		"seen_at not in 2025-12-01/2025-12-31", "day after 2025-12-30/2025-12-31", "seen_at blank or seen_at before 2026-01-02", "day in 2026-01-01/2026-02-01",
		"weekday of day in (Sat, Sunday)", "month of year of day=1 or channel=web", "day of month of seen_at<=10", "year of day!=2026", "month of year of seen_at not in (Dec, 2)", "weekday of seen_at blank",
	}
	var chosen []string
	for range 1 + rng.IntN(2) {
		chosen = append(chosen, all[rng.IntN(len(all))])
	}
	return parsedFilters(chosen...)
}

// parsedFilters reads filters on the columns of randomCSV; their spans are dates or intervals of dates.
func parsedFilters(texts ...string) dataset.Filters { return clockedFilters(civil.UTC, texts...) }

// clockedFilters are parsedFilters where a clock shows hours.
func clockedFilters(clock civil.Clock, texts ...string) dataset.Filters {
	filters, err := dataset.ParseFilters(texts)
	if err != nil {
		panic(err)
	}
	schema := &dataset.Schema{Zone: clock.Zone().String(), DayStarts: clock.DayStarts().String()}
	for _, name := range append(filters.Columns(), "day", "seen_at", "at") {
		kind := dataset.Text
		if name == "day" || name == "seen_at" || name == "at" {
			kind = dataset.Date
		}
		if query.IsPart(name) || schema.Index(name) >= 0 {
			continue
		}
		schema.Columns = append(schema.Columns, dataset.Column{Name: name, Type: kind})
	}
	scope := span.Scope{AsOf: civil.Of(2026, 1, 1)}
	part := func(text string) (*dataset.DatePart, string, error) {
		return query.FilterPart(text, schema, "", &scope)
	}
	filters, err = filters.Resolved(schema, dataset.Resolver{Part: part, Span: func(text string) (civil.Set, string, error) {
		first, last, interval := strings.Cut(text, "/")
		if !interval {
			last = first
		}
		from, err := civil.ParseDay(first)
		if err != nil {
			return civil.Set{}, "", err
		}
		through, err := civil.ParseDay(last)
		return civil.SetOf(civil.Through(from, through)), text, err
	}})
	if err != nil {
		panic(err)
	}
	return filters
}

func randomRequest(rng *rand.Rand) tally.Request {
	figures := figuresOf("count", "sum fare", "mean fare", "min people", "max fare", "ratio fare/people")
	if rng.IntN(2) == 0 {
		figures = append(
			figures,
			figuresOf(
				"distinct "+[]string{"people", "route", "seen_at", "day"}[rng.IntN(4)],
				"median fare",
				"first fare",
				"last people",
			)...)
	}
	r := tally.Request{Figures: figures}
	for range 1 + rng.IntN(5) {
		var vs []civil.Interval
		for range rng.IntN(3) {
			start := civil.Of(2025, 11, 20) + civil.Day(rng.IntN(100))
			vs = append(vs, civil.Interval{Start: start, End: start + civil.Day(rng.IntN(40))})
		}
		set := civil.Union(vs...)
		if rng.IntN(6) == 0 {
			set = civil.SetOf(civil.Interval{Start: civil.OpenStart, End: civil.Of(2026, 1, 10)})
		}
		r.Periods = append(r.Periods, tally.OfDays(set))
	}
	switch rng.IntN(5) {
	case 3:
		r.By = []string{"people"}
	case 4:
		r.By = []string{"people", "channel"}
	case 1:
		r.By = []string{"route"}
	case 2:
		r.By = []string{"channel", "route"}
	}
	if rng.IntN(2) == 0 {
		r.Where = randomFilters(rng)
	}
	if rng.IntN(4) == 0 {
		r.Date = "seen_at"
	}
	if len(r.By) > 0 && rng.IntN(3) == 0 {
		r.Top = 1 + rng.IntN(3)
		r.RankBy = rng.IntN(len(r.Figures))
	}
	return r
}

// The columns and one pass over the file return what a loop over all records does, to the last digit.
func TestTotalsAgree(t *testing.T) {
	s := open(t)
	ctx := context.Background()
	rng := rand.New(rand.NewPCG(3, 4))
	text := tripled(randomCSV(rng, 120))
	hints := ingest.ColumnHints{
		Date: "day", Amounts: []string{"fare", "people"}, Categories: []string{"route", "channel"}, Zone: "Pacific/Auckland",
	}
	for _, part := range inParts(text, 3) {
		s.mustLoad(t, "agree", part, hints, true)
	}
	d, err := s.Dataset(ctx, "agree")
	if err != nil {
		t.Fatal(err)
	}
	list := naiveRecords(t, text, &d.Schema)
	requests := 800
	if testing.Short() {
		requests = 80
	}
	for i := range requests {
		request := randomRequest(rng)
		want := list.describe(t, request)
		for name, source := range map[string]tally.Source{
			"the columns": s.Source(d), "the file": fileOf(text, &d.Schema),
		} {
			p, err := tally.NewPlan(request)
			if err != nil {
				t.Fatal(err)
			}
			r, err := tally.Run(ctx, p, source)
			if err != nil {
				t.Fatalf("request %d, %+v, from %s: %v", i, request, name, err)
			}
			if got := describe(r, request); got != want {
				t.Fatalf("request %d, %+v:\nfrom %s\n%s\nby a loop\n%s", i, request, name, got, want)
			}
		}
	}
}

// Columns and their sums stay right through loads and loads undone, also when a minimum or maximum leaves.
func TestColumnsFollowLoads(t *testing.T) {
	s := open(t)
	ctx := context.Background()
	rng := rand.New(rand.NewPCG(8, 3))
	w := ingest.ColumnHints{Date: "day", Amounts: []string{"fare", "people"}, Categories: []string{"route", "channel"}}
	s.mustLoad(t, "followed", tripled(randomCSV(rng, 50)), w, true)
	d, err := s.Dataset(ctx, "followed")
	if err != nil {
		t.Fatal(err)
	}
	kept := 150
	sizes := map[int64]int{}
	for range 25 {
		if len(sizes) > 0 && rng.IntN(3) == 0 {
			for id, n := range sizes {
				if _, err := s.UndoLoad(ctx, "followed", id); err != nil {
					t.Fatal(err)
				}
				delete(sizes, id)
				kept -= n
				break
			}
		} else {
			n := 3 * (1 + rng.IntN(100))
			sizes[s.mustLoad(t, "followed", tripled(randomCSV(rng, n/3)), w, true).ID] = n
			kept += n
		}
		v, err := s.Verify(ctx, d)
		if err != nil || v.Wrong != 0 || v.Records != int64(kept) || v.Sums == 0 {
			t.Fatalf("with %d records kept: %+v, %v", kept, v, err)
		}
		e, err := s.Coverage(ctx, d)
		if err != nil || e.Records+e.Undated != int64(kept) {
			t.Fatalf("with %d records kept the coverage is %+v, %v", kept, e, err)
		}
	}
	// What is wrong is found.
	text := "UPDATE " + d.table() + " SET " + d.column("fare") + " = 1.23 WHERE ctid = (SELECT min(ctid) FROM " + d.table() + ")"
	if err := s.db.Exec(text).Error; err != nil {
		t.Fatal(err)
	}
	if v, err := s.Verify(ctx, d); err != nil || v.Wrong != 1 {
		t.Errorf("one record is another in the database: %+v, %v", v, err)
	}
}

// fileOf returns a file as a source of totals, which is read anew for each pass.
func fileOf(text string, s *dataset.Schema) tally.Source { return textSource{text, s} }

type textSource struct {
	text   string
	schema *dataset.Schema
}

func (f textSource) Partials(ctx context.Context, p *tally.Plan, into tally.Collector) (tally.Found, error) {
	reader, err := ingest.Open(ingest.Options{}, strings.NewReader(f.text))
	if err != nil {
		return tally.Found{}, err
	}
	return (&ingest.Source{Reader: reader, Schema: f.schema, AllowUndated: true}).Partials(ctx, p, into)
}

// describe writes down everything that a result says.
func describe(r *tally.Result, request tally.Request) string {
	var top tally.Top
	if r.Top != nil {
		top = *r.Top
	}
	return write(r.Coverage, r.Groups, top.Values, top.Others, request, r.At, r.Tied)
}

func write[Number fmt.Stringer](
	coverage tally.Coverage,
	groups [][]dataset.Label,
	kept []dataset.Label,
	folded int,
	request tally.Request,
	at func(int, []dataset.Label) []Number,
	tied func(int, []dataset.Label) bool,
) string {
	var b strings.Builder
	if coverage.Records == 0 {
		coverage.Oldest, coverage.Newest = 0, 0
	}
	fmt.Fprintln(&b, coverage, kept, folded)
	for i := range request.Periods {
		for _, g := range groups {
			for mask := range 1 << len(g) {
				part := slices.Clone(g)
				for j := range part {
					if mask&(1<<j) != 0 {
						part[j] = dataset.All
					}
				}
				fmt.Fprintln(&b, i, part, at(i, part), tied(i, part))
			}
		}
	}
	return b.String()
}

func TestARefusedFileLeavesNothing(t *testing.T) {
	s := open(t)
	ctx := context.Background()
	w := ingest.ColumnHints{Date: "day", Amounts: []string{"fare"}}
	_, err := s.load("partly", "day,fare\n2026-01-01,1\n2026-01-02,x\n2026-01-99,2\n", w, false)
	var faults *ingest.Faults
	if !errors.As(err, &faults) || len(faults.Kinds) != 2 {
		t.Fatalf("the error is %v", err)
	}
	if _, err := s.Dataset(ctx, "partly"); !refused.IsMissing(err) {
		t.Fatalf("the dataset is there: %v", err)
	}
	s.mustLoad(t, "partly", "day,fare\n2026-01-01,1\n", w, false)
	if _, err := s.load("partly", "day,fare\n2026-01-02,1\n2026-01-03,oops\n", w, false); err == nil {
		t.Fatal("the second file is not refused")
	}
	if _, err := s.load("partly", "day,price\n2026-01-02,1\n", w, false); err == nil || !strings.Contains(err.Error(), `no column "fare"`) {
		t.Fatalf("a file of other columns: %v", err)
	}
	d, _ := s.Dataset(ctx, "partly")
	if e, err := s.Coverage(ctx, d); err != nil || e.Records != 1 || d.Version != 1 {
		t.Fatalf("after refused files the dataset is %+v at version %d, %v", e, d.Version, err)
	}
}

func TestTimestampsFallOnTheirDayInTheZone(t *testing.T) {
	s := open(t)
	ctx := context.Background()
	// 23:30 UTC on 30 June is 1 July in Lisbon, in January it is still the same day.
	s.mustLoad(t, "gates", "at,people\n2026-06-30T23:30:00Z,5\n2026-01-31T23:30:00Z,7\n2026-03-29T02:30,1\n",
		ingest.ColumnHints{Date: "at", Amounts: []string{"people"}, Zone: "Europe/Lisbon"}, false)
	d, _ := s.Dataset(ctx, "gates")
	list, _, err := s.Records(ctx, d, Listing{Period: tally.OfDays(civil.SetOf(civil.AllDays)), Limit: 10})
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, r := range list {
		got = append(got, r.Day.String()+" "+*r.Cells[0])
	}
	want := "2026-07-01 2026-07-01T00:30:00+01:00|2026-03-29 2026-03-29T02:30:00+01:00|2026-01-31 2026-01-31T23:30:00Z"
	if strings.Join(got, "|") != want {
		t.Errorf("the records are\n%s, want\n%s", strings.Join(got, "|"), want)
	}
}

func TestPagesHoldEveryRecordOnce(t *testing.T) {
	s := open(t)
	ctx := context.Background()
	text := randomCSV(rand.New(rand.NewPCG(9, 9)), 500)
	s.mustLoad(t, "pages", text, ingest.ColumnHints{Date: "day", Categories: []string{"route", "channel"}}, true)
	d, _ := s.Dataset(ctx, "pages")
	days := civil.Union(
		civil.Through(civil.Of(2025, 12, 5), civil.Of(2025, 12, 20)),
		civil.Through(civil.Of(2026, 1, 10), civil.Of(2026, 2, 1)),
	)
	all, _, err := s.Records(ctx, d, Listing{Period: tally.OfDays(days), Limit: 1000})
	if err != nil {
		t.Fatal(err)
	}
	want := 0
	for line := range strings.Lines(text) {
		if day, err := civil.ParseDay(strings.Split(line, ",")[0]); err == nil && days.Contains(day) {
			want++
		}
	}
	seen := map[int64]bool{}
	var after *Record
	for {
		page, _, err := s.Records(ctx, d, Listing{Period: tally.OfDays(days), Limit: 37, After: after})
		if err != nil {
			t.Fatal(err)
		}
		for _, r := range page {
			if seen[r.ID] || !days.Contains(r.Day) || after != nil && r.Day > after.Day {
				t.Fatalf("record %d of %s does not belong after %+v", r.ID, r.Day, after)
			}
			seen[r.ID] = true
		}
		if len(page) < 37 {
			break
		}
		after = &page[36]
	}
	if len(all) != want || len(seen) != want {
		t.Errorf("in one page %d, in several %d; by hand %d", len(all), len(seen), want)
	}
}

// Loads of one dataset at once come one after the other; totals meanwhile see whole loads only.
func TestLoadsAtOnce(t *testing.T) {
	s := open(t)
	ctx := context.Background()
	w := ingest.ColumnHints{Date: "day", Amounts: []string{"fare"}}
	batch := "day,fare\n" + strings.Repeat("2026-01-01,1\n", 500)
	s.mustLoad(t, "busy", batch, w, false)
	d, _ := s.Dataset(ctx, "busy")
	p, err := tally.NewPlan(tally.Request{Periods: tally.EachOfDays(civil.SetOf(civil.AllDays)), Figures: figuresOf("count", "sum fare")})
	if err != nil {
		t.Fatal(err)
	}
	var wg sync.WaitGroup
	for range 4 {
		wg.Go(func() {
			for range 5 {
				if _, err := s.load("busy", batch, w, false); err != nil {
					t.Error(err)
				}
			}
		})
		wg.Go(func() {
			for range 30 {
				r, err := tally.Run(ctx, p, s.Source(d))
				if err != nil {
					t.Error(err)
					return
				}
				n, _ := strconv.ParseInt(r.At(0, nil)[0].String(), 10, 64)
				if n%500 != 0 || r.Coverage.Records != n || r.At(0, nil)[1].String() != fmt.Sprint(n) {
					t.Errorf("half a load is seen: %v of %+v", r.At(0, nil), r.Coverage)
				}
			}
		})
	}
	wg.Wait()
	loads, err := s.Loads(ctx, d, 0, 1000)
	if err != nil || len(loads) != 21 {
		t.Fatalf("%d loads landed, %v", len(loads), err)
	}
	if _, err := s.UndoLoad(ctx, "busy", loads[3].ID); err != nil {
		t.Fatal(err)
	}
	if e, err := s.Coverage(ctx, d); err != nil || e.Records != 20*500 {
		t.Errorf("after one was undone there are %d records, %v", e.Records, err)
	}
}

func TestDefinitionsKeepTheirVersions(t *testing.T) {
	s := open(t)
	ctx := context.Background()
	fine := func([]Definition, int64) error { return nil }
	change := func(body string, from int64) error {
		c := Change{Kind: book.SpanKind, Name: "kept", From: from, Author: "test", Note: "because"}
		if body != "" {
			c.Body = []byte(body)
		}
		made, err := s.Change(ctx, []Change{c}, fine)
		if err == nil && body != "" && (len(made) != 1 || made[0].Version != from+1 && from > 0) {
			t.Errorf("after %s from version %d there is %+v", body, from, made)
		}
		return err
	}
	isThere := func(err error) bool { return isCode(err, refused.CodeAlreadyExists) }
	isStale := func(err error) bool { return isCode(err, refused.CodeHasChanged) }
	for i, step := range []struct {
		body string
		from int64
		want func(error) bool
	}{
		{`{"is":"today"}`, 0, nil}, {`{"is":"tomorrow"}`, 0, isThere}, {`{"is":"tomorrow"}`, 1, nil}, {`{"is":"yesterday"}`, 1, isStale},
		{"", -1, nil}, {"", -1, refused.IsMissing}, {`{"is":"today"}`, 0, nil},
	} {
		err := change(step.body, step.from)
		if step.want == nil && err != nil || step.want != nil && !step.want(err) {
			t.Fatalf("step %d ends with %v", i, err)
		}
	}
	versions, err := s.Versions(ctx, book.SpanKind, "kept")
	if err != nil || len(versions) != 4 || versions[0].Version != 4 || versions[1].Body != nil {
		t.Errorf("the versions are %+v, %v", versions, err)
	}
	unfit := errors.New("they do not fit")
	other := []Change{{Kind: book.SpanKind, Name: "other", Body: []byte("{}")}}
	if _, err := s.Change(ctx, other, func([]Definition, int64) error { return unfit }); !errors.Is(err, unfit) {
		t.Errorf("a change that does not fit ends with %v", err)
	}
	if _, err := s.Versions(ctx, book.SpanKind, "other"); !refused.IsMissing(err) {
		t.Errorf("a refused change was kept: %v", err)
	}
}

// Changes by the thousand are what each of them would be alone: in order, with a version and an entry each, all or none.
func TestManyDefinitionsAtOnce(t *testing.T) {
	s := openAlone(t)
	ctx := context.Background()
	const n = 2*definitionsAtOnce + 300
	fine := func([]Definition, int64) error { return nil }
	changes := make([]Change, n)
	for i := range changes {
		changes[i] = Change{Kind: book.SpanKind, Name: fmt.Sprintf("s%04d", n-i), Body: []byte(`{"is": "today"}`), Author: "test"}
	}
	if _, err := s.Change(ctx, changes, fine); err != nil {
		t.Fatal(err)
	}
	for i := range changes {
		changes[i].From, changes[i].Note = 1, "again"
		if i%7 == 0 {
			changes[i].Body = nil
		}
	}
	last := changes[n-1].From
	changes[n-1].From = 2
	if _, err := s.Change(ctx, changes, fine); !isCode(err, refused.CodeHasChanged) {
		t.Fatalf("one of many that is stale ends with %v", err)
	}
	changes[n-1].From = last
	made, err := s.Change(ctx, changes, fine)
	if err != nil || len(made) != n {
		t.Fatalf("%d were made, %v", len(made), err)
	}
	defs, revision, err := s.Definitions(ctx)
	if err != nil || revision != 2*n {
		t.Fatalf("revision %d, %v", revision, err)
	}
	for i, c := range changes {
		switch {
		case c.Body == nil && made[i].Name != "":
			t.Fatalf("the removal of %s made %+v", c.Name, made[i])
		case c.Body == nil:
			continue
		case len(defs) == 0 || defs[0].Name != c.Name || defs[0].Version != 2 || made[i].Version != 2:
			t.Fatalf("in the place of %s stands %+v", c.Name, defs[:min(1, len(defs))])
		}
		defs = defs[1:]
	}
	entries, err := s.Audit(ctx, Search{Limit: 3 * n})
	if err != nil {
		t.Fatal(err)
	}
	done := map[Action]int{}
	for _, e := range entries {
		if e.Kind == book.SpanKind {
			done[e.Action]++
		}
	}
	if removed := (n + 6) / 7; len(defs) > 0 || done[Created] != n || done[Removed] != removed || done[Changed] != n-removed {
		t.Errorf("%d definitions are left over; the audit has %v", len(defs), done)
	}
}

// Listings give the fractions of moments back, on the day on which they count.
func TestFractionsAreGivenBack(t *testing.T) {
	s := open(t)
	s.mustLoad(t, "fractions", "at,v\n2026-03-05T14:30:00.123456Z,1\n2026-03-05T23:59:59.9999999Z,2\n", ingest.ColumnHints{Date: "at"}, false)
	d, err := s.Dataset(context.Background(), "fractions")
	if err != nil {
		t.Fatal(err)
	}
	list, _, err := s.Records(context.Background(), d, Listing{Period: tally.OfDays(civil.SetOf(civil.AllDays)), Limit: 9, OldestFirst: true})
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, r := range list {
		got = append(got, r.Day.String()+" "+*r.Cells[0])
	}
	if strings.Join(got, " ") != "2026-03-05 2026-03-05T14:30:00.123456Z 2026-03-05 2026-03-05T23:59:59.999999Z" {
		t.Errorf("the records are %s", got)
	}
}
