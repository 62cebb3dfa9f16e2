package store

import (
	"context"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/internal/ingest"
	"vastspan/internal/refused"
)

// A madeLoad is a load as a list of its records keeps it.
type madeLoad struct {
	id      int64
	mode    Mode
	days    *civil.Set
	records []madeRecord
	undone  bool
}

type madeRecord struct {
	day      civil.Day
	key, fee int
}

// replayed is what the loads that are not undone leave, one after the other.
func replayed(loads []*madeLoad) []string {
	var kept []madeRecord
	for _, l := range loads {
		if l.undone {
			continue
		}
		kept = slices.DeleteFunc(kept, func(r madeRecord) bool {
			return l.mode == Replace && (l.days == nil || l.days.Contains(r.day)) ||
				l.mode == Upsert && slices.ContainsFunc(l.records, func(n madeRecord) bool { return n.key == r.key })
		})
		kept = append(kept, l.records...)
	}
	var texts []string
	for _, r := range kept {
		texts = append(texts, fmt.Sprintf("%s %d %d", r.day, r.key, r.fee))
	}
	slices.Sort(texts)
	return texts
}

// Whatever is loaded in whatever mode, and undone, the dataset holds what the loads that count leave, and its sums are right.
func TestModesOfLoading(t *testing.T) {
	s := open(t)
	ctx := context.Background()
	for name, clock := range map[string]string{"modes-by-day": "", "modes-by-hour": "T10:30:00Z"} {
		rng := rand.New(rand.NewPCG(7, uint64(len(name))))
		var loads []*madeLoad
		refusals, restored, redone := 0, 0, 0
		states := map[int64][]string{} // by change
		for round := range 90 {
			if undone := slices.DeleteFunc(slices.Clone(loads), func(l *madeLoad) bool { return !l.undone }); len(undone) > 0 && rng.IntN(3) == 0 {
				l := undone[max(0, len(undone)-1-rng.IntN(2))]
				switch _, err := s.RedoLoad(ctx, name, l.id); {
				case err == nil:
					l.undone = false
					redone++
				case !strings.Contains(err.Error(), "load the file again"):
					t.Fatalf("%s, round %d: %v", name, round, err)
				}
			} else if len(loads) > 2 && rng.IntN(3) == 0 {
				l := loads[max(0, len(loads)-1-rng.IntN(5))]
				undone, err := s.UndoLoad(ctx, name, l.id)
				switch {
				case err == nil:
					l.undone = true
					restored += int(undone.Replaced)
				case refused.IsMissing(err), l.undone != strings.Contains(err.Error(), "was undone already"):
					t.Fatalf("%s, round %d: %v", name, round, err)
				case !l.undone:
					refusals++
					if !strings.Contains(err.Error(), "undo that one first") {
						t.Fatal(err)
					}
				}
			} else {
				l := &madeLoad{mode: []Mode{Append, Replace, Upsert, Replace}[rng.IntN(4)]}
				if round == 0 {
					l.mode = Append
				}
				whole := civil.SetOf(civil.Interval{Start: civil.Of(2026, 3, 1), End: civil.Of(2026, 4, 1)})
				if from := civil.Of(2026, 3, 1+rng.IntN(25)); l.mode == Replace && rng.IntN(3) > 0 {
					set := civil.SetOf(civil.Interval{Start: from, End: from + civil.Day(1+rng.IntN(5))})
					l.days, whole = &set, set
				}
				b := whole.Bounds()
				for _, key := range rng.Perm(40)[:rng.IntN(20)] {
					day := b.Start + civil.Day(rng.IntN(int(b.End-b.Start)))
					l.records = append(l.records, madeRecord{day, key, rng.IntN(1000)})
				}
				if len(l.records) == 0 && round == 0 {
					l.records = []madeRecord{{civil.Of(2026, 3, 1), 1, 1}}
				}
				var b2 strings.Builder
				b2.WriteString("day,ticket,fee\n")
				for _, r := range l.records {
					fmt.Fprintf(&b2, "%s%s,k%d,%d\n", r.day, clock, r.key, r.fee)
				}
				r, err := ingest.Open(ingest.Options{}, strings.NewReader(b2.String()))
				if err != nil {
					t.Fatal(err)
				}
				got, err := s.LoadFile(ctx, LoadInput{
					Dataset: name, File: "made.csv", Author: "test", Reader: r, Mode: l.mode, Days: l.days, Columns: []string{"ticket"},
					Describe: func() (*dataset.Schema, error) {
						return ingest.Infer(r.Header(), r.Sample(), ingest.ColumnHints{Amounts: []string{"fee"}, Categories: []string{"ticket"}})
					},
				})
				if err != nil {
					t.Fatalf("%s, round %d: %v", name, round, err)
				}
				l.id = got.ID
				loads = append(loads, l)
			}
			d, err := s.Dataset(ctx, name)
			if err != nil {
				t.Fatal(err)
			}
			v, err := s.Verify(ctx, d)
			if err != nil || v.Wrong > 0 {
				t.Fatalf("%s, round %d: %+v, %v", name, round, v, err)
			}
			want := replayed(loads)
			if held := s.heldAt(t, d, d.Version); !slices.Equal(held, want) {
				t.Fatalf("%s, round %d: held %v, want %v", name, round, held, want)
			}
			states[d.Version] = want
		}
		d, err := s.Dataset(ctx, name)
		if err != nil {
			t.Fatal(err)
		}
		for version, want := range states {
			if held := s.heldAt(t, d, version); !slices.Equal(held, want) {
				t.Errorf("%s, as it was after change %d: held %v, want %v", name, version, held, want)
			}
		}
		list, err := s.changes(ctx, d, 1000)
		if err != nil || int64(len(list)) != d.Version || list[0].Number != d.Version || list[0].Content != d.Content {
			t.Errorf("%s: %d changes up to %+v, and its version is %d; %v", name, len(list), list[0], d.Version, err)
		}
		if refusals == 0 || restored == 0 || redone == 0 {
			t.Errorf("%s: %d undos refused, %d records brought back, %d undos undone", name, refusals, restored, redone)
		}
		// What was replaced goes with the dataset.
		if err := s.RemoveDataset(ctx, name, func(*Dataset) error { return nil }); err != nil {
			t.Fatal(err)
		}
		s.monthLater(t)
		var left bool
		if err := s.db.Raw("SELECT to_regclass(?) IS NOT NULL", d.pastTable()).Scan(&left).Error; err != nil || left {
			t.Errorf("%s: its past records are left, %v", name, err)
		}
	}
}

// changes lists the log of a dataset, the newest first, at most limit entries.
func (s *Store) changes(ctx context.Context, d *Dataset, limit int) (list []RecordChange, err error) {
	err = s.reader(ctx).Where("dataset_id = ?", d.ID).Order("number DESC").Limit(limit).Find(&list).Error
	return list, err
}

// heldAt lists what a dataset held after a change, from its records and its past ones.
func (s *Store) heldAt(t *testing.T, d *Dataset, version int64) (held []string) {
	t.Helper()
	line := d.day() + "::text || ' ' || ltrim(" + d.column("ticket") + ", 'k') || ' ' || " + d.column("fee")
	if err := s.db.Raw("SELECT "+line+" FROM "+d.table()+" WHERE _since <= ? UNION ALL SELECT "+line+" FROM "+d.pastTable()+
		" WHERE _since <= ? AND _until > ?", version, version, version).Scan(&held).Error; err != nil {
		t.Fatal(err)
	}
	slices.Sort(held)
	return held
}

func TestLoadsThatAreRefused(t *testing.T) {
	s := open(t)
	ctx := context.Background()
	w := ingest.ColumnHints{Date: "day", Amounts: []string{"n"}, Categories: []string{"id"}}
	s.mustLoad(t, "strict", "day,id,n\n2026-03-01,a,1\n2026-04-02,b,2\n", w, false)
	march := civil.SetOf(civil.Interval{Start: civil.Of(2026, 3, 1), End: civil.Of(2026, 4, 1)})
	for _, c := range []struct {
		file, want string
		in         LoadInput
	}{
		{"2026-03-05,c,1\n2026-04-05,d,2\n", "expected a day of those that are replaced", LoadInput{Mode: Replace, Days: &march}},
		{"2026-03-05,c,1\n2026-04-05,c,2\n", "the key id does not tell the records of the file apart: c stands 2 times",
			LoadInput{Mode: Upsert, Columns: []string{"id"}}},
		{"2026-03-05,,1\n", "(blank) in 1 records", LoadInput{Mode: Upsert, Columns: []string{"id"}}},
		{"2026-03-05,a,1\n2026-03-06,,1\n2026-03-06,,1\n", "(blank), 1 in 2 records", LoadInput{Mode: Upsert, Columns: []string{"id", "n"}}},
		{"2026-03-05,c,1\n", "two of the files have the same content",
			LoadInput{Contents: func() []string { return []string{"one", "two", "one"} }}},
		{",c,1\n", "expected a date; records without one are accepted only on request", LoadInput{Mode: Replace}},
	} {
		r, err := ingest.Open(ingest.Options{}, strings.NewReader("day,id,n\n"+c.file))
		if err != nil {
			t.Fatal(err)
		}
		c.in.Dataset, c.in.File, c.in.Reader = "strict", "strict.csv", r
		if _, err := s.LoadFile(ctx, c.in); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%q gives %v, want %s", c.file, err, c.want)
		}
	}
	d, err := s.Dataset(ctx, "strict")
	if err != nil {
		t.Fatal(err)
	}
	c, err := s.Coverage(ctx, d)
	if err != nil || c.Records != 2 {
		t.Errorf("there are %d records, %v: a refused file left something", c.Records, err)
	}
}

// The same content is loaded once, unless the load is undone or it may be loaded again.
func TestTheSameContentIsRefused(t *testing.T) {
	s := open(t)
	ctx := context.Background()
	load := func(again bool, contents ...string) (*Load, error) {
		r, err := ingest.Open(ingest.Options{}, io.MultiReader(strings.NewReader("day,n\n2026-03-01,1\n")))
		if err != nil {
			t.Fatal(err)
		}
		return s.LoadFile(ctx, LoadInput{
			Dataset: "once", File: "once.csv", Reader: r, Again: again, Contents: func() []string { return contents },
			Describe: func() (*dataset.Schema, error) { return ingest.Infer(r.Header(), r.Sample(), ingest.ColumnHints{}) },
		})
	}
	first, err := load(false, "a", "b")
	if err != nil {
		t.Fatal(err)
	}
	var refusal *refused.Error
	if _, err := load(false, "c", "b"); !errors.As(err, &refusal) || refusal.Code != refused.CodeAlreadyLoaded ||
		!strings.Contains(err.Error(), fmt.Sprintf("as load %d (once.csv)", first.ID)) {
		t.Errorf("the second load gives %v", err)
	}
	if _, err := load(true, "b"); err != nil {
		t.Errorf("again: %v", err)
	}
	if _, err := load(false, "c"); err != nil {
		t.Errorf("another: %v", err)
	}
	if _, err := s.UndoLoad(ctx, "once", first.ID); err != nil {
		t.Fatal(err)
	}
	if _, err := load(false, "a"); err != nil {
		t.Errorf("after it was undone: %v", err)
	}
}
