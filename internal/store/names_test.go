package store

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"sync"
	"testing"
	"unicode/utf8"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/measure"
	"vastspan/core/tally"
	"vastspan/internal/ingest"
	"vastspan/internal/refused"
)

var allDays = civil.SetOf(civil.Interval{Start: civil.OpenStart, End: civil.OpenEnd})

func (s *Store) run(t *testing.T, d *Dataset, q tally.Request) *tally.Result {
	t.Helper()
	p, err := tally.NewPlan(q)
	if err != nil {
		t.Fatal(err)
	}
	r, err := tally.Run(context.Background(), p, s.Source(d))
	if err != nil {
		t.Fatal(err)
	}
	return r
}

// Columns may have names that the database keeps for itself or reads as something else, and each
// other's stored names.
func TestOddColumnNames(t *testing.T) {
	s := open(t)
	ctx := context.Background()
	odd := []string{
		"ctid", "xmin", "cmin", "cmax", "xmax", "tableoid", "paid?", "a@b", "@name", `"`, `a"b`, "'", "c1", "c2", "c3", "$1", "select",
		"%s", "{{.Day}}", "a;b", `\`, "größe", "day(s)",
	}
	for i, name := range odd {
		for role := range 3 {
			header := []string{"day", "x", "v"}
			header[role] = name
			hints := ingest.ColumnHints{Date: header[0], Categories: []string{header[1]}, Amounts: []string{header[2]}}
			line := strings.ReplaceAll(strings.Join(header, `","`), `"`, `""`)
			line = `"` + strings.ReplaceAll(line, `"",""`, `","`) + `"`
			set := fmt.Sprintf("odd-%d-%d", i, role)
			s.mustLoad(t, set, line+"\n2026-01-01,a,1\n2026-01-02,b,2\n2026-01-02,b,4\n", hints, false)
			d, err := s.Dataset(ctx, set)
			if err != nil {
				t.Fatal(err)
			}
			filters := dataset.Filters{
				{{Column: header[0], Op: dataset.AtLeast, Values: []string{"2026-01-02"}}},
				{{Column: header[1], Op: dataset.Is, Values: []string{"b"}}, {Column: header[1], Op: dataset.Is, Values: []string{"c"}}},
				{{Column: header[2], Op: dataset.Above, Values: []string{"3"}}, {Column: header[2], Op: dataset.Blank}},
			}
			records, _, err := s.Records(ctx, d, Listing{Period: tally.OfDays(allDays), Where: filters, Limit: 9})
			if err != nil || len(records) != 1 || *records[0].Cells[2] != "4" {
				t.Errorf("%q as %d: records %v, %v", name, role, records, err)
			}
			values, err := s.Values(ctx, d, header[1], 9)
			if err != nil || len(values) != 2 || *values[0].Value != "b" {
				t.Errorf("%q as %d: values %v, %v", name, role, values, err)
			}
			q := tally.Request{
				Periods: tally.EachOfDays(allDays), By: header[1:2], Where: filters[:2], Top: 1,
				Figures: []measure.Figure{
					{Kind: measure.Sum, Column: header[2]}, {Kind: measure.Median, Column: header[2]},
					{Kind: measure.First, Column: header[2]}, {Kind: measure.Distinct, Column: header[0]},
				},
			}
			if got := fmt.Sprint(s.run(t, d, q).At(0, []dataset.Label{dataset.LabelOf("b")})); got != "[6 3 2 1]" {
				t.Errorf("%q as %d: totals %s", name, role, got)
			}
			if v, err := s.Verify(ctx, d); err != nil || v.Wrong != 0 || v.Records != 3 {
				t.Errorf("%q as %d: verified %v, %v", name, role, v, err)
			}
			var shown float64
			err = s.db.Raw("SELECT sum(" + quote(header[2]) + ") FROM " + d.view()).Scan(&shown).Error
			if err != nil || shown != 7 {
				t.Errorf("%q as %d: the view shows %v, %v", name, role, shown, err)
			}
			if err := s.RemoveDataset(ctx, set, func(*Dataset) error { return nil }); err != nil {
				t.Errorf("%q as %d is not removed: %v", name, role, err)
			}
		}
	}
}

// Tables may be as wide as is promised; what does not fit is said.
func TestWideTables(t *testing.T) {
	s := open(t)
	header, ones, long := []string{"day"}, []string{"2026-01-01"}, []string{"2026-01-02"}
	for i := 1; i < 1400; i++ {
		header = append(header, fmt.Sprintf("n%d", i))
		ones = append(ones, fmt.Sprint(i))
		long = append(long, "1"+strings.Repeat("7", 59))
	}
	rows := []string{strings.Join(header, ","), strings.Join(ones, ","), strings.Join(long, ",")}
	s.mustLoad(t, "wide", strings.Join(rows[:2], "\n"), ingest.ColumnHints{}, false)
	d, err := s.Dataset(context.Background(), "wide")
	if err != nil {
		t.Fatal(err)
	}
	q := tally.Request{Periods: tally.EachOfDays(allDays)}
	for _, name := range header[1:] {
		q.Figures = append(q.Figures, figuresOf("sum "+name)...)
	}
	q.Figures = append(q.Figures, figuresOf("count")...)
	for i, v := range s.run(t, d, q).At(0, nil) {
		want := fmt.Sprint(i + 1)
		if i == len(q.Figures)-1 {
			want = "1"
		}
		if v.String() != want {
			t.Fatalf("figure %d is %s", i, v)
		}
	}
	_, err = s.load("wide", rows[0]+"\n"+rows[2], ingest.ColumnHints{}, false)
	e := (*refused.Error)(nil)
	if !errors.As(err, &e) || !strings.Contains(err.Error(), "record 1 of the file is too long: the values of its 1400 columns") {
		t.Errorf("a record that is too long: %v", err)
	}
}

// A dataset that is removed while it is read leaves nothing behind, and nobody waits for ever.
func TestRemovedWhileItIsRead(t *testing.T) {
	s := open(t)
	ctx := context.Background()
	hints := ingest.ColumnHints{Date: "day", Categories: []string{"route"}, Amounts: []string{"fare"}}
	q := tally.Request{Periods: tally.EachOfDays(allDays), Figures: figuresOf("sum fare")}
	p, err := tally.NewPlan(q)
	if err != nil {
		t.Fatal(err)
	}
	var reading, removing sync.WaitGroup
	done := make(chan struct{})
	for range 2 {
		reading.Go(func() {
			for {
				select {
				case <-done:
					return
				default:
				}
				err := s.Snapshot(ctx, func(ctx context.Context) error {
					d, err := s.Dataset(ctx, "fleeting")
					if err == nil {
						_, err = tally.Run(ctx, p, s.Source(d))
					}
					return err
				})
				if err != nil && !Gone(err) && !refused.IsMissing(err) {
					t.Error(err)
				}
			}
		})
	}
	removing.Go(func() {
		for range 40 {
			s.mustLoad(t, "fleeting", "day,route,fare\n2026-01-01,a,1\n", hints, false)
			if err := s.RemoveDataset(ctx, "fleeting", func(*Dataset) error { return nil }); err != nil {
				t.Error(err)
			}
		}
		close(done)
	})
	removing.Wait()
	reading.Wait()
	s.monthLater(t)
	var left []string
	if err := s.db.Raw("SELECT tablename FROM pg_tables WHERE schemaname IN ('stored', 'sums') AND " +
		"NOT EXISTS (SELECT FROM datasets WHERE split_part(tablename, '_', 2) = id::text)").Scan(&left).Error; err != nil || len(left) > 0 {
		t.Errorf("tables are left: %v, %v", left, err)
	}
}

// The database and the core ignore case alike, whatever the letter.
func TestCaseIsIgnoredAlike(t *testing.T) {
	var letters strings.Builder
	for r := rune(1); r < 0x1f000; r++ {
		if utf8.ValidRune(r) {
			letters.WriteRune(r)
		}
	}
	var lower string
	s := open(t)
	if err := s.db.Raw(`SELECT lower(? COLLATE "C.utf8")`, letters.String()).Row().Scan(&lower); err != nil {
		t.Fatal(err)
	}
	if lower != dataset.Fold(letters.String()) {
		t.Error("lower and Fold differ")
	}
}

// A dataset is not given a name that a load makes one of at the same time: who comes second is told that it is taken.
func TestOneTakesAName(t *testing.T) {
	s := open(t)
	ctx := context.Background()
	hints := ingest.ColumnHints{Date: "day"}
	check := func([]Definition, int64) error { return nil }
	told := 0
	for turn := range 40 {
		was, name := fmt.Sprintf("taker-%d", turn), fmt.Sprintf("taken-%d", turn)
		s.mustLoad(t, was, "day\n2026-01-01\n", hints, true)
		var loaded sync.WaitGroup
		loaded.Go(func() {
			if _, err := s.load(name, "day\n2026-01-02\n", hints, true); err != nil && !strings.Contains(err.Error(), "at the same time") {
				t.Errorf("the load: %v", err)
			}
		})
		_, err := s.RenameDataset(ctx, was, name, func(*Dataset) error { return nil }, nil, check)
		loaded.Wait()
		var r *refused.Error
		switch {
		case err == nil:
		case errors.As(err, &r) && r.Code == refused.CodeAlreadyExists:
			told++
		default:
			t.Fatalf("the rename: %v", err)
		}
	}
	t.Logf("%d were told", told)
}
