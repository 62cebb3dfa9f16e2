package store

import (
	"context"
	"strings"
	"testing"
	"time"

	"vastspan/internal/ingest"
	"vastspan/internal/refused"
)

// monthLater lets everything that was removed have been so for longer than it is kept, and sweeps.
func (s *Store) monthLater(t *testing.T) {
	t.Helper()
	for _, statement := range []string{
		"UPDATE datasets SET removed_at = removed_at - interval '31 days' WHERE removed_at IS NOT NULL",
		"UPDATE loads SET undone_at = undone_at - interval '31 days' WHERE undone_at IS NOT NULL",
	} {
		if err := s.db.Exec(statement).Error; err != nil {
			t.Fatal(err)
		}
	}
	s.sweep(t.Context())
}

// A dataset that was removed comes back with everything that it had, for as long as it is kept; its name is free meanwhile.
func TestRemovedDatasetsComeBack(t *testing.T) {
	s := open(t)
	ctx := context.Background()
	hints := ingest.ColumnHints{Date: "day", Amounts: []string{"fee"}}
	fine := func(*Dataset) error { return nil }
	load := s.mustLoad(t, "gone", "day,fee\n2026-03-01,1\n2026-03-02,2\n", hints, false)
	sum := func(name string) string {
		t.Helper()
		d, err := s.Dataset(ctx, name)
		if err != nil {
			t.Fatal(err)
		}
		v, err := s.Verify(ctx, d)
		if err != nil || v.Wrong > 0 {
			t.Errorf("%s: %+v %v", name, v, err)
		}
		r, err := s.sumOf(d, "fee")
		if err != nil {
			t.Fatal(err)
		}
		return r
	}
	if err := s.RemoveDataset(ctx, "gone", fine); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Dataset(ctx, "gone"); !refused.IsMissing(err) {
		t.Errorf("it is still there: %v", err)
	}
	if _, err := s.RestoreDataset(ctx, "never", fine); !refused.IsMissing(err) {
		t.Errorf("what was never there comes back: %v", err)
	}
	s.mustLoad(t, "gone", "day,fee\n2026-03-01,10\n", hints, false)
	if _, err := s.RestoreDataset(ctx, "gone", fine); err == nil || !strings.Contains(err.Error(), "exists by now") {
		t.Errorf("two of one name: %v", err)
	}
	if err := s.RemoveDataset(ctx, "gone", fine); err != nil {
		t.Fatal(err)
	}
	if list, err := s.RemovedDatasets(ctx); err != nil || len(list) < 2 || list[0].RemovedName != "gone" || Until(*list[0].RemovedAt).Before(time.Now().AddDate(0, 0, 29)) {
		t.Errorf("%+v %v", list, err)
	}
	for _, want := range []string{"10", "3"} { // the last one first
		if _, err := s.RestoreDataset(ctx, "gone", fine); err != nil {
			t.Fatal(err)
		}
		if got := sum("gone"); got != want {
			t.Errorf("it holds %s, want %s", got, want)
		}
		if want == "10" {
			if err := s.db.Exec("DROP VIEW records.gone; UPDATE datasets SET name = 'gone-second' WHERE name = 'gone'").Error; err != nil {
				t.Fatal(err)
			}
		}
	}
	// An undo is undone once, and its records are kept as long as a dataset is.
	if _, err := s.RedoLoad(ctx, "gone", load.ID); err == nil || !strings.Contains(err.Error(), "is not undone") {
		t.Errorf("%v", err)
	}
	if _, err := s.UndoLoad(ctx, "gone", load.ID); err != nil {
		t.Fatal(err)
	}
	if _, err := s.RedoLoad(ctx, "gone", load.ID); err != nil {
		t.Fatal(err)
	}
	if got := sum("gone"); got != "3" {
		t.Errorf("it holds %s", got)
	}
	if _, err := s.UndoLoad(ctx, "gone", load.ID); err != nil {
		t.Fatal(err)
	}
	s.monthLater(t)
	if _, err := s.RedoLoad(ctx, "gone", load.ID); err == nil || !strings.Contains(err.Error(), "not kept any more") {
		t.Errorf("%v", err)
	}
	if err := s.RemoveDataset(ctx, "gone", fine); err != nil {
		t.Fatal(err)
	}
	s.monthLater(t)
	if _, err := s.RestoreDataset(ctx, "gone", fine); !refused.IsMissing(err) {
		t.Errorf("it comes back after a month: %v", err)
	}
}

// sumOf adds a column up.
func (s *Store) sumOf(d *Dataset, column string) (sum string, err error) {
	err = s.db.Raw("SELECT coalesce(sum(" + d.column(column) + "), 0)::text FROM " + d.table()).Scan(&sum).Error
	return sum, err
}
