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
	"vastspan/internal/columns"
	"vastspan/internal/ingest"
)

// settle waits until the forms that were begun are made.
func (fc *formCache) settle() { fc.wait.Wait() }

// files lists the files of a dataset's form.
func (fc *formCache) files(t *testing.T, d *Dataset) []string {
	t.Helper()
	entries, err := os.ReadDir(fc.of(d.ID))
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

// A form answers for what its dataset holds and for nothing else: after loads, loads undone and loads refused, after its files
// were lost or spoiled, and when the service is started again.
func TestFormsFollowTheRecords(t *testing.T) {
	s := open(t)
	ctx := context.Background()
	first := s.mustLoad(t, "formed", "day,c,x\n2026-01-01,a,1\n2026-01-03,b,2.5\n,b,7\n", formHints, true)
	d, err := s.Dataset(ctx, "formed")
	if err != nil {
		t.Fatal(err)
	}
	is := func(when, want string) {
		t.Helper()
		for range 3 { // by SQL, or from the form that was begun
			if got := s.median(t, "formed"); got != want {
				t.Errorf("%s: %s, want %s", when, got, want)
			}
			s.forms.settle()
		}
		if now, err := s.Dataset(ctx, "formed"); err != nil {
			t.Fatal(err)
		} else if f := s.forms.have(now); f == nil {
			t.Errorf("%s: there is no form", when)
		}
	}
	is("at first", "[2 1.75 2]")
	second := s.mustLoad(t, "formed", "day,c,x\n2026-01-02,c,10\n2026-01-01,,0\n", formHints, true)
	is("after a second load", "[4 1.75 3]")
	if n := len(s.forms.files(t, d)); n != 3 {
		t.Errorf("two pieces and what says so are %d files", n)
	}
	if _, err := s.load("formed", "day,c,x\n2026-01-02,c,20\nno day,,0\n", formHints, true); err == nil {
		t.Error("a file with a fault was loaded")
	}
	is("after a load was refused", "[4 1.75 3]")
	if n := len(s.forms.files(t, d)); n != 3 {
		t.Errorf("a refused load leaves %d files", n)
	}
	if _, err := s.UndoLoad(ctx, "formed", second.ID); err != nil {
		t.Fatal(err)
	}
	is("after the second was undone", "[2 1.75 2]")
	for _, name := range s.forms.files(t, d) {
		if strings.HasSuffix(name, ".piece") {
			spoil(t, filepath.Join(s.forms.of(d.ID), name))
		}
	}
	s.forms.open = map[int64]*columns.Form{}
	is("after a file was spoiled", "[2 1.75 2]")
	now, err := s.Dataset(ctx, "formed")
	if err != nil {
		t.Fatal(err)
	}
	for _, name := range s.forms.files(t, d) {
		if strings.HasSuffix(name, ".piece") {
			spoil(t, filepath.Join(s.forms.of(d.ID), name)) // it is open
		}
	}
	if v, err := s.Verify(ctx, now); err != nil || v.Wrong != 1 || v.ColumnFiles == 0 {
		t.Errorf("with a spoiled file: %+v %v", v, err)
	}
	s.forms.settle()
	if v, err := s.Verify(ctx, now); err != nil || v.Wrong != 0 {
		t.Errorf("made again: %+v %v", v, err)
	}
	is("after it was found out", "[2 1.75 2]")
	if err := os.RemoveAll(s.forms.of(d.ID)); err != nil {
		t.Fatal(err)
	}
	s.forms.open = map[int64]*columns.Form{}
	is("after the files were lost", "[2 1.75 2]")
	stray := filepath.Join(s.forms.of(d.ID), "stray.piece")
	if err := os.WriteFile(stray, nil, 0o600); err != nil {
		t.Fatal(err)
	}
	again := newFormCache(s, s.forms.folder)
	if err := again.sweep(ctx); err != nil {
		t.Fatal(err)
	}
	if now, err := s.Dataset(ctx, "formed"); err != nil {
		t.Fatal(err)
	} else if again.have(now) == nil || slices.Contains(again.files(t, now), "stray.piece") {
		t.Errorf("when the service starts again: %v", again.files(t, now))
	}
	if _, err := s.UndoLoad(ctx, "formed", first.ID); err != nil {
		t.Fatal(err)
	}
	is("without a record", "[0  0]")
	if err := s.RemoveDataset(ctx, "formed", func(*Dataset) error { return nil }); err != nil {
		t.Fatal(err)
	}
	if files := s.forms.files(t, d); files != nil {
		t.Errorf("of a dataset that is gone there are %v", files)
	}
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

// Records that a load replaces are in no form any more.
func TestFormsOfReplacedRecords(t *testing.T) {
	s := open(t)
	ctx := context.Background()
	s.mustLoad(t, "reformed", "day,c,x\n2026-01-01,a,1\n2026-01-03,b,3\n", formHints, true)
	r, err := ingest.Open(ingest.Options{}, strings.NewReader("day,c,x\n2026-01-02,c,10\n"))
	if err != nil {
		t.Fatal(err)
	}
	load, err := s.LoadFile(ctx, LoadInput{Dataset: "reformed", File: "new.csv", Author: "test", Reader: r, Mode: Replace,
		Describe: func() (*dataset.Schema, error) { return nil, nil }})
	if err != nil || load.Replaced != 2 {
		t.Fatalf("%+v, %v", load, err)
	}
	for range 2 {
		if got := s.median(t, "reformed"); got != "[1 10 1]" {
			t.Errorf("after all were replaced: %s", got)
		}
		s.forms.settle()
	}
}

// Numbers that do not fit a machine word, mixed decimals and texts that many pieces share are as exact as from the records.
func TestFormsStayExact(t *testing.T) {
	s := open(t)
	ctx := context.Background()
	for i, part := range []string{
		"day,c,x,y\n2026-01-01,é,99999999999999999999,9000000000000000000\n2026-01-02,b,1.50,-9000000000000000000\n",
		"day,c,x,y\n2026-01-03,b,1.5,\n2026-01-03,a,0.01,5\n,a,1,1\n",
		"day,c,x,y\n2026-01-03,zz,,9000000000000000000\n2026-01-05,,-3,0.000000000000000001\n",
	} {
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
			for _, source := range []tally.Source{s.mustForm(t, d), s.RecordSource(d)} {
				r, err := tally.Run(ctx, p, source)
				if err != nil {
					t.Fatal(err)
				}
				texts = append(texts, describe(r, p.Request))
			}
			if texts[0] != texts[1] {
				t.Errorf("after load %d, where %v: from the form\n%s\nfrom the records\n%s", i, where, texts[0], texts[1])
			}
		}
	}
}

// What a dataset holds by each of its dates, and the values of its columns, are the same of the columnar form as of the records.
func TestExtentsOfForms(t *testing.T) {
	with, without := open(t), openWithout(t)
	ctx := context.Background()
	rng := rand.New(rand.NewPCG(14, 30))
	hints := ingest.ColumnHints{Date: "day", Zone: "Asia/Kathmandu", Categories: []string{"route", "people"}, Amounts: []string{"fare"}}
	for _, text := range append(inParts(randomCSV(rng, 500), 3), "day,route,channel,fare,people,seen_at\n,x,,,,\n") {
		with.mustLoad(t, "extents", text, hints, true)
	}
	d, err := with.Dataset(ctx, "extents")
	if err != nil {
		t.Fatal(err)
	}
	with.mustHaveForm(t, d)
	for _, date := range []string{"", "day", "seen_at"} {
		a, err1 := with.CoverageBy(ctx, d, date)
		b, err2 := without.CoverageBy(ctx, d, date)
		if err := errors.Join(err1, err2); err != nil || a != b {
			t.Errorf("%q: %+v, by SQL %+v: %v", date, a, b, err)
		}
		one, ok1, err1 := with.Newest(ctx, d, date)
		two, ok2, err2 := without.Newest(ctx, d, date)
		if err := errors.Join(err1, err2); err != nil || one.String() != two.String() || !ok1 || !ok2 {
			t.Errorf("%q: the newest is %v, by SQL %v: %v", date, one, two, err)
		}
	}
	for _, column := range []string{"route", "channel", "people", "fare", "day"} {
		for _, limit := range []int{3, 1000} {
			a, err1 := with.Values(ctx, d, column, limit)
			b, err2 := without.Values(ctx, d, column, limit)
			if err := errors.Join(err1, err2); err != nil || len(a) != len(b) {
				t.Fatalf("%s: %d values, by SQL %d: %v", column, len(a), len(b), err)
			}
			for i := range a {
				if a[i].Records != b[i].Records || (a[i].Value == nil) != (b[i].Value == nil) || a[i].Value != nil && *a[i].Value != *b[i].Value {
					t.Errorf("%s, value %d: %+v, by SQL %+v", column, i, a[i], b[i])
				}
			}
		}
	}
}

// openWithout opens a store that has no columnar forms.
func openWithout(t *testing.T) *Store {
	t.Helper()
	s, err := Open(context.Background(), database, Options{})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = s.Close() })
	return s
}

// A form that many loads have made is made again in fewer pieces, and answers all the while.
func TestFormsInFewerPieces(t *testing.T) {
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
		f := s.mustHaveForm(t, d)
		p, err := tally.NewPlan(tally.Request{Periods: tally.EachOfDays(allDays), Figures: figuresOf("count", "sum people", "median people")})
		if err != nil {
			t.Fatal(err)
		}
		r, err := tally.Run(ctx, p, f.Source())
		if err != nil || fmt.Sprint(r.At(0, nil)) != "[40 780 19.5]" {
			t.Fatalf("%v: %v", r.At(0, nil), err)
		}
		if len(f.Pieces()) == 1 {
			break
		}
		if time.Now().After(until) {
			t.Fatalf("the form is in %d pieces", len(f.Pieces()))
		}
	}
	left, err := filepath.Glob(filepath.Join(s.forms.of(d.ID), "*.piece"))
	if err != nil || len(left) != 1 {
		t.Errorf("%d files are there: %v", len(left), err)
	}
}
