package store

import (
	"context"
	"errors"
	"strings"
	"testing"
	"time"

	"vastspan/core/civil"
	"vastspan/core/tally"
	"vastspan/internal/ingest"
	"vastspan/internal/refused"
)

// What was reported stays as it was: not even the database's own hand changes it.
func TestReceiptsNeverChange(t *testing.T) {
	s := open(t)
	ctx := context.Background()
	day, schedule := civil.Of(2026, 10, 1).Time(), "openings"
	r := &Receipt{Title: "a", Subject: "brief", AsOf: day, Body: "{}", Checksum: "d", Author: "test"}
	if made, err := s.AddReceipt(ctx, r); err != nil || !made || r.ID == 0 {
		t.Fatalf("%v, %v: %+v", made, err, r)
	}
	for _, statement := range []string{"UPDATE receipts SET body = '[]'", "DELETE FROM receipts"} {
		if err := s.db.Exec(statement).Error; err == nil || !strings.Contains(err.Error(), "never changed") {
			t.Errorf("%s: %v", statement, err)
		}
	}
	// A schedule makes one receipt a day, however often it is asked to.
	for i, want := range []bool{true, false} {
		due := &Receipt{Title: "b", Subject: "brief", AsOf: day, Body: "{}", Checksum: "d", Author: "test", Schedule: &schedule, DueDay: &day}
		if made, err := s.AddReceipt(ctx, due); err != nil || made != want {
			t.Errorf("time %d: %v, %v", i+1, made, err)
		}
	}
	list, err := s.Receipts(ctx, 0, 100)
	if err != nil || len(list) != 2 || list[0].Title != "b" || list[0].Body != "" {
		t.Errorf("%v: %+v", err, list)
	}
	if _, err := s.Receipt(ctx, 999); !refused.IsMissing(err) {
		t.Errorf("a receipt that is not there: %v", err)
	}
}

func TestSchedulesAreKept(t *testing.T) {
	s := open(t)
	ctx := context.Background()
	since := civil.Of(2026, 10, 1)
	sc := &Schedule{
		Name:     "kept",
		Brief:    "b",
		On:       "today",
		Calendar: "civil",
		Author:   "test",
		Since:    since.Time(),
		UpToDate: (since - 1).Time(),
	}
	if err := s.AddSchedule(ctx, sc); err != nil {
		t.Fatal(err)
	}
	if err := s.AddSchedule(ctx, &Schedule{Name: "kept", Since: time.Now(), UpToDate: time.Now()}); !isCode(
		err,
		refused.CodeAlreadyExists,
	) {
		t.Errorf("a name twice: %v", err)
	}
	for _, d := range []civil.Day{since + 3, since} { // it never goes back
		if err := s.DoneThrough(ctx, "kept", d); err != nil {
			t.Fatal(err)
		}
	}
	list, err := s.Schedules(ctx)
	if err != nil || len(list) != 1 || DayOf(list[0].UpToDate) != since+3 {
		t.Errorf("%v: %+v", err, list)
	}
	if err := errors.Join(s.RemoveSchedule(ctx, "kept")); err != nil {
		t.Error(err)
	}
	if err := s.RemoveSchedule(ctx, "kept"); !refused.IsMissing(err) {
		t.Errorf("one that is gone: %v", err)
	}
}

func TestRecordsByLoadAndSums(t *testing.T) {
	s := open(t)
	ctx := context.Background()
	w := ingest.ColumnHints{Date: "day", Amounts: []string{"fare"}}
	first := s.mustLoad(t, "late", "day,fare\n2026-09-01,1\n2026-09-02,2\n2026-10-01,4\n", w, false)
	second := s.mustLoad(t, "late", "day,fare\n2026-09-02,8.5\n2026-11-01,16\n", w, false)
	d, err := s.Dataset(ctx, "late")
	if err != nil {
		t.Fatal(err)
	}
	september := tally.OfDays(civil.SetOf(civil.Through(civil.Of(2026, 9, 1), civil.Of(2026, 9, 30))))
	counts, err := s.RecordsByLoad(ctx, d, "", september, first.ID)
	if err != nil || len(counts) != 1 || counts[second.ID] != 1 {
		t.Errorf("%v: %v", err, counts)
	}
	if newest, err := s.NewestLoad(ctx, d); err != nil || newest != second.ID {
		t.Errorf("the newest load is %d, %v", newest, err)
	}
	l := Listing{Period: september, OldestFirst: true, Limit: 2}
	page, _, err := s.Records(ctx, d, l)
	if err != nil || len(page) != 2 {
		t.Fatalf("%v: %v", err, page)
	}
	l.After = &page[1]
	if sum, err := s.SumThrough(ctx, d, l, "fare"); err != nil || sum.String() != "3" {
		t.Errorf("through the second record %s, %v", sum, err)
	}
	boundary := civil.Of(2026, 9, 2)
	past, future := civil.Interval{Start: civil.OpenStart, End: boundary}, civil.Interval{Start: boundary, End: civil.OpenEnd}
	before, from, err := s.Around(ctx, d, Listing{Limit: 2}, tally.OfDays(civil.SetOf(past)), tally.OfDays(civil.SetOf(future)))
	if err != nil || len(before) != 1 || len(from) != 2 || *from[0].Cells[1] != "2" {
		t.Errorf("%v: %v | %v", err, before, from)
	}
	if err := s.EachRecord(ctx, d, Listing{Period: september}, func(Record) error { return errEnough }); !errors.Is(err, errEnough) {
		t.Errorf("breaking off: %v", err)
	}
}

func isCode(err error, code string) bool {
	var e *refused.Error
	return errors.As(err, &e) && e.Code == code
}
