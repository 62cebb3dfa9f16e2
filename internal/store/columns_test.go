package store

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/tally"
	"vastspan/internal/ingest"
	"vastspan/internal/refused"
)

// files lists the files of a dataset's columns, those of ended rows left out.
func (c *columnCache) files(t *testing.T, d *Dataset) []string {
	t.Helper()
	entries, err := os.ReadDir(c.of(d.ID))
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		t.Fatal(err)
	}
	var names []string
	for _, e := range entries {
		names = append(names, e.Name())
	}
	return names
}

var formHints = ingest.ColumnHints{Date: "day", Amounts: []string{"x"}, Categories: []string{"c"}}

// median answers what only a form or a pass over the records can.
func (s *Store) median(t *testing.T, name string) string {
	t.Helper()
	d, err := s.Dataset(context.Background(), name)
	if err != nil {
		t.Fatal(err)
	}
	p, err := tally.NewPlan(tally.Request{
		Periods: tally.EachOfDays(civil.SetOf(civil.AllDays)), Figures: figuresOf("count", "median x", "distinct c"),
	})
	if err != nil {
		t.Fatal(err)
	}
	r, err := tally.Run(context.Background(), p, s.Source(d))
	if err != nil {
		t.Fatal(err)
	}
	return fmt.Sprint(r.At(0, nil))
}

// forget closes the columns of a dataset, as a restart does.
func (c *columnCache) forget(d *Dataset) {
	c.mu.Lock()
	defer c.mu.Unlock()
	delete(c.entries, d.ID)
}

// Columns answer for what their dataset holds and for nothing else: after loads, loads undone and loads refused, after their files
// were lost or spoiled, and when the service is started again.
func TestColumnsFollowTheRecords(t *testing.T) {
	s := open(t)
	ctx := context.Background()
	first := s.mustLoad(t, "formed", "day,c,x\n2026-01-01,a,1\n2026-01-03,b,2.5\n,b,7\n", formHints, true)
	d, err := s.Dataset(ctx, "formed")
	if err != nil {
		t.Fatal(err)
	}
	is := func(when, want string) {
		t.Helper()
		if got := s.median(t, "formed"); got != want {
			t.Errorf("%s: %s, want %s", when, got, want)
		}
	}
	is("at first", "[2 1.75 2]")
	second := s.mustLoad(t, "formed", "day,c,x\n2026-01-02,c,10\n2026-01-01,,0\n", formHints, true)
	is("after a second load", "[4 1.75 3]")
	files := s.columns.files(t, d)
	if _, err := s.load("formed", "day,c,x\n2026-01-02,c,20\nno day,,0\n", formHints, true); err == nil {
		t.Error("a file with a fault was loaded")
	}
	is("after a load was refused", "[4 1.75 3]")
	if now := s.columns.files(t, d); !slices.Equal(now, files) {
		t.Errorf("a refused load leaves %v, there were %v", now, files)
	}
	if _, err := s.UndoLoad(ctx, "formed", second.ID); err != nil {
		t.Fatal(err)
	}
	is("after the second was undone", "[2 1.75 2]")
	if _, err := s.RedoLoad(ctx, "formed", second.ID); err != nil {
		t.Fatal(err)
	}
	is("after that was undone", "[4 1.75 3]")
	if _, err := s.UndoLoad(ctx, "formed", second.ID); err != nil {
		t.Fatal(err)
	}
	for _, suffix := range []string{".rows", ".ended", ".state"} {
		for _, name := range s.columns.files(t, d) {
			if strings.HasSuffix(name, suffix) {
				spoil(t, filepath.Join(s.columns.of(d.ID), name))
			}
		}
		s.columns.forget(d)
		is("after "+suffix+" were spoiled", "[2 1.75 2]")
	}
	now, err := s.Dataset(ctx, "formed")
	if err != nil {
		t.Fatal(err)
	}
	for _, name := range s.columns.files(t, d) {
		if strings.HasSuffix(name, ".rows") {
			spoil(t, filepath.Join(s.columns.of(d.ID), name)) // it is open
		}
	}
	if v, err := s.Verify(ctx, now); err != nil || v.Wrong != 1 || v.Files == 0 {
		t.Errorf("with a spoiled file: %+v %v", v, err)
	}
	if v, err := s.Verify(ctx, now); err != nil || v.Wrong != 0 {
		t.Errorf("made again: %+v %v", v, err)
	}
	is("after it was found out", "[2 1.75 2]")
	if err := os.RemoveAll(s.columns.of(d.ID)); err != nil {
		t.Fatal(err)
	}
	s.columns.forget(d)
	is("after the files were lost", "[2 1.75 2]")
	stray := filepath.Join(s.columns.of(d.ID), "stray.rows")
	if err := os.WriteFile(stray, nil, 0o600); err != nil {
		t.Fatal(err)
	}
	if err := s.columns.sweep(ctx); err != nil {
		t.Fatal(err)
	}
	if left := s.columns.files(t, now); slices.Contains(left, "stray.rows") {
		t.Errorf("when the service starts again: %v", left)
	}
	s.columns.forget(d)
	is("when the service starts again", "[2 1.75 2]")
	if _, err := s.UndoLoad(ctx, "formed", first.ID); err != nil {
		t.Fatal(err)
	}
	is("without a record", "[0  0]")
	if err := s.RemoveDataset(ctx, "formed", func(*Dataset) error { return nil }); err != nil {
		t.Fatal(err)
	}
	if files := s.columns.files(t, d); files != nil {
		t.Errorf("of a dataset that is gone there are %v", files)
	}
	if _, err := s.RestoreDataset(ctx, "formed", func(*Dataset) error { return nil }); err != nil {
		t.Fatal(err)
	}
	if _, err := s.RedoLoad(ctx, "formed", first.ID); err != nil {
		t.Fatal(err)
	}
	is("when it is back", "[2 1.75 2]")
}

// A question about columns that are being made waits for as long as it has, and is then refused for the moment; once they are there, it
// is answered.
func TestQuestionsWaitForColumns(t *testing.T) {
	s := open(t)
	s.mustLoad(t, "missing", "day,c,x\n2026-01-01,a,1\n2026-01-03,b,3\n", formHints, true)
	d, err := s.Dataset(context.Background(), "missing")
	if err != nil {
		t.Fatal(err)
	}
	s.columns.heavy <- struct{}{} // another dataset has its turn
	if err := os.RemoveAll(s.columns.of(d.ID)); err != nil {
		t.Fatal(err)
	}
	s.columns.forget(d)
	ctx, stop := context.WithTimeout(context.Background(), 1200*time.Millisecond)
	defer stop()
	var refusal *refused.Error
	if _, err := s.Coverage(ctx, d); !errors.As(err, &refusal) || refusal.Code != refused.CodeUnavailable {
		t.Errorf("while they are made: %v", err)
	}
	answered := make(chan string)
	go func() { answered <- s.median(t, "missing") }()
	select {
	case got := <-answered:
		t.Errorf("it is answered by nothing: %s", got)
	case <-time.After(100 * time.Millisecond):
	}
	<-s.columns.heavy
	if got := <-answered; got != "[2 2 2]" {
		t.Errorf("after they were made: %s", got)
	}
}

// A second service on the same database adds what the first has changed to the columns that it has, and makes nothing else again.
func TestColumnsFollowAnotherService(t *testing.T) {
	a, b := open(t), open(t)
	ctx := context.Background()
	a.mustLoad(t, "shared", "day,c,x\n2026-01-01,a,1\n2026-01-03,b,3\n", formHints, true)
	is := func(want string) {
		t.Helper()
		for i, s := range []*Store{a, b} {
			if got := s.median(t, "shared"); got != want {
				t.Errorf("service %d: %s, want %s", i+1, got, want)
			}
		}
	}
	is("[2 2 2]")
	d, err := a.Dataset(ctx, "shared")
	if err != nil {
		t.Fatal(err)
	}
	first := b.columns.files(t, d)
	second := a.mustLoad(t, "shared", "day,c,x\n2026-01-02,c,10\n", formHints, true)
	if _, err := a.UndoLoad(ctx, "shared", second.ID); err != nil {
		t.Fatal(err)
	}
	a.mustLoad(t, "shared", "day,c,x\n2026-01-05,c,20\n", formHints, true)
	is("[3 3 3]")
	a.replace(t, "shared", "day,c,x\n2026-01-02,d,7\n")
	is("[1 7 1]")
	now := b.columns.files(t, d)
	for _, name := range first {
		if strings.HasSuffix(name, ".rows") && !slices.Contains(now, name) {
			t.Errorf("%s was made again: %v", name, now)
		}
	}
	b.mustLoad(t, "shared", "day,c,x\n2026-01-06,e,9\n", formHints, true)
	is("[2 8 2]")
	for _, s := range []*Store{a, b} {
		now, err := s.Dataset(ctx, "shared")
		if err != nil {
			t.Fatal(err)
		}
		if v, err := s.Verify(ctx, now); err != nil || v.Wrong > 0 {
			t.Errorf("%+v, %v", v, err)
		}
	}
}

// A dataset whose columns are made keeps no other waiting.
func TestColumnsOfOneDatasetAlone(t *testing.T) {
	s := open(t)
	s.mustLoad(t, "held", "day,c,x\n2026-01-01,a,1\n", formHints, true)
	s.mustLoad(t, "other", "day,c,x\n2026-01-01,a,5\n", formHints, true)
	d, err := s.Dataset(context.Background(), "held")
	if err != nil {
		t.Fatal(err)
	}
	e := s.columns.entry(d.ID)
	e.writing.Lock()
	defer e.writing.Unlock()
	if got := s.median(t, "other"); got != "[1 5 1]" {
		t.Errorf("the other dataset: %s", got)
	}
	if got := s.median(t, "held"); got != "[1 1 1]" { // what is open answers while a change is written
		t.Errorf("the dataset itself: %s", got)
	}
}

// A snapshot goes on reading the state that it began with, whatever is loaded and replaced meanwhile.
func TestColumnsOfASnapshot(t *testing.T) {
	s := open(t)
	ctx := context.Background()
	s.mustLoad(t, "pinned", "day,c,x\n2026-01-01,a,1\n2026-01-03,b,3\n", formHints, true)
	err := s.Snapshot(ctx, func(inside context.Context) error {
		d, err := s.Dataset(inside, "pinned")
		if err != nil {
			return err
		}
		for i := range 40 { // enough for parts to be merged
			s.mustLoad(t, "pinned", fmt.Sprintf("day,c,x\n2026-01-02,c,%d\n", i), formHints, true)
		}
		s.replace(t, "pinned", "day,c,x\n2026-01-02,c,10\n")
		c, err := s.Coverage(inside, d)
		if err != nil || c.Records != 2 {
			t.Errorf("the snapshot covers %+v, %v", c, err)
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	if got := s.median(t, "pinned"); got != "[1 10 1]" {
		t.Errorf("after it: %s", got)
	}
}

func (s *Store) replace(t *testing.T, name, text string) *Load {
	t.Helper()
	r, err := ingest.Open(ingest.Options{}, strings.NewReader(text))
	if err != nil {
		t.Fatal(err)
	}
	load, err := s.LoadFile(context.Background(), LoadInput{Dataset: name, File: "new.csv", Author: "test", Reader: r, Mode: Replace,
		Describe: func() (*dataset.Schema, error) { return nil, nil }})
	if err != nil {
		t.Fatal(err)
	}
	return load
}

// spoil changes the first bytes of a file.
func spoil(t *testing.T, path string) {
	t.Helper()
	text, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	for i := range len(text) / 3 {
		text[i] ^= 1
	}
	if err := os.WriteFile(path, text, 0o600); err != nil {
		t.Fatal(err)
	}
}

// Records that a load replaces are in no columns any more.
func TestColumnsOfReplacedRecords(t *testing.T) {
	s := open(t)
	s.mustLoad(t, "reformed", "day,c,x\n2026-01-01,a,1\n2026-01-03,b,3\n", formHints, true)
	if load := s.replace(t, "reformed", "day,c,x\n2026-01-02,c,10\n"); load.Replaced != 2 {
		t.Fatalf("%+v", load)
	}
	if got := s.median(t, "reformed"); got != "[1 10 1]" {
		t.Errorf("after all were replaced: %s", got)
	}
}

// Numbers that do not fit a machine word, mixed decimals and texts that many pieces share are as exact as from a file.
func TestColumnsStayExact(t *testing.T) {
	s := open(t)
	ctx := context.Background()
	whole := ""
	for i, part := range []string{
		"day,c,x,y\n2026-01-01,é,99999999999999999999,9000000000000000000\n2026-01-02,b,1.50,-9000000000000000000\n",
		"day,c,x,y\n2026-01-03,b,1.5,\n2026-01-03,a,0.01,5\n,a,1,1\n",
		"day,c,x,y\n2026-01-03,zz,,9000000000000000000\n2026-01-05,,-3,0.000000000000000001\n",
	} {
		if whole += part; i > 0 {
			whole = strings.TrimSuffix(whole, part) + strings.SplitAfterN(part, "\n", 2)[1]
		}
		s.mustLoad(t, "exactly", part, ingest.ColumnHints{
			Date: "day", Amounts: []string{"x", "y"}, Categories: []string{"c"}, Types: []string{"x=number", "y=number"},
		}, true)
		d, err := s.Dataset(ctx, "exactly")
		if err != nil {
			t.Fatal(err)
		}
		for _, where := range []dataset.Filters{nil, parsedFilters("x > 1"), parsedFilters("c contains b"), parsedFilters("y <= 5"),
			parsedFilters("c in (a, zz)"), parsedFilters("c!=b"), parsedFilters("c contains É ignoring case"), parsedFilters("x between 0.01 and 1.5")} {
			p, err := tally.NewPlan(tally.Request{
				Periods: tally.EachOfDays(civil.SetOf(civil.AllDays), civil.SetOf(civil.Through(civil.Of(2026, 1, 2), civil.Of(2026, 1, 3)))),
				Figures: figuresOf("count", "sum x", "min x", "max y", "sum y", "median x", "median y", "distinct x", "distinct c",
					"first x", "last y"),
				By: []string{"c"}, Where: where,
			})
			if err != nil {
				t.Fatal(err)
			}
			var texts []string
			for _, source := range []tally.Source{s.Source(d), fileOf(whole, &d.Schema)} {
				r, err := tally.Run(ctx, p, source)
				if err != nil {
					t.Fatal(err)
				}
				texts = append(texts, describe(r, p.Request))
			}
			if texts[0] != texts[1] {
				t.Errorf("after load %d, where %v: from the columns\n%s\nfrom the file\n%s", i, where, texts[0], texts[1])
			}
		}
	}
}

// What a dataset covers by each of its dates, and the values of its columns, are those of the records.
func TestExtentsOfColumns(t *testing.T) {
	s := open(t)
	ctx := context.Background()
	rng := rand.New(rand.NewPCG(14, 30))
	hints := ingest.ColumnHints{Date: "day", Zone: "Asia/Kathmandu", Categories: []string{"route", "people"}, Amounts: []string{"fare"}}
	var loads []*Load
	for _, text := range append(inParts(randomCSV(rng, 500), 4), "day,route,channel,fare,people,seen_at\n,x,,,,\n") {
		loads = append(loads, s.mustLoad(t, "extents", text, hints, true))
	}
	for _, undone := range []*Load{nil, loads[1]} {
		if undone != nil {
			if _, err := s.UndoLoad(ctx, "extents", undone.ID); err != nil {
				t.Fatal(err)
			}
		}
		d, err := s.Dataset(ctx, "extents")
		if err != nil {
			t.Fatal(err)
		}
		for _, date := range []string{"", "day", "seen_at"} {
			column, day := d.dateColumn(date), d.dayOf(d.dateColumn(date))
			var want struct {
				Records, Undated int64
				Oldest, Newest   time.Time
				Moment           *time.Time
			}
			text := "SELECT count(" + day + ") AS records, count(*) - count(" + day + ") AS undated, min(" + day + ") AS oldest, max(" + day +
				") AS newest, max(" + d.column(column.Name) + ") AS moment FROM " + d.table()
			if err := s.db.Raw(text).Scan(&want).Error; err != nil {
				t.Fatal(err)
			}
			c, err := s.CoverageBy(ctx, d, date)
			if err != nil || c.Records != want.Records || c.Undated != want.Undated || c.Oldest != DayOf(want.Oldest) || c.Newest != DayOf(want.Newest) {
				t.Errorf("%q: %+v, by SQL %+v: %v", date, c, want, err)
			}
			asOf, ok, err := s.Newest(ctx, d, date)
			if err != nil || !ok || asOf.Day != DayOf(want.Newest) ||
				column.Type == dataset.Timestamp && asOf.Moment != civil.SecondAfter(civil.Moment(want.Moment.UnixMicro())) {
				t.Errorf("%q: the newest is %v, by SQL %+v: %v", date, asOf, want, err)
			}
		}
		for _, column := range []string{"route", "channel", "people", "fare", "day"} {
			var want []CategoryValue
			label := d.labelText(column)
			text := "SELECT " + label + " AS value, count(*) AS records FROM " + d.table() + " GROUP BY 1 ORDER BY 2 DESC, 1"
			if err := s.db.Raw(text).Scan(&want).Error; err != nil {
				t.Fatal(err)
			}
			for _, limit := range []int{3, 1000} {
				got, err := s.Values(ctx, d, column, limit)
				if err != nil || len(got) != min(limit, len(want)) {
					t.Fatalf("%s: %d values, by SQL %d: %v", column, len(got), len(want), err)
				}
				for i, v := range got {
					if v.Records != want[i].Records || (v.Value == nil) != (want[i].Value == nil) || v.Value != nil && *v.Value != *want[i].Value {
						t.Errorf("%s, value %d: %+v, by SQL %+v", column, i, v, want[i])
					}
				}
			}
		}
	}
}

// The parts of many loads are merged, and answer all the while.
func TestColumnsInFewerParts(t *testing.T) {
	s := open(t)
	ctx := context.Background()
	hints := ingest.ColumnHints{Date: "day", Categories: []string{"gate"}, Amounts: []string{"people"}}
	for i := range 40 {
		s.mustLoad(t, "scattered", fmt.Sprintf("day,gate,people\n%s,east,%d\n", civil.Of(2026, 1, 1)+civil.Day(i), i), hints, true)
	}
	d, err := s.Dataset(ctx, "scattered")
	if err != nil {
		t.Fatal(err)
	}
	for until := time.Now().Add(time.Minute); ; time.Sleep(10 * time.Millisecond) {
		p, err := tally.NewPlan(tally.Request{Periods: tally.EachOfDays(allDays), Figures: figuresOf("count", "sum people", "median people")})
		if err != nil {
			t.Fatal(err)
		}
		r, err := tally.Run(ctx, p, s.Source(d))
		if err != nil || fmt.Sprint(r.At(0, nil)) != "[40 780 19.5]" {
			t.Fatalf("%v: %v", r.At(0, nil), err)
		}
		if state := s.mustHaveColumns(t, d); len(state.Files()) < 40 && !state.Fragmented() {
			break
		}
		if time.Now().After(until) {
			t.Fatal("the parts are not merged")
		}
	}
}
