package service

import (
	"context"
	"log/slog"
	"time"

	"vastspan/core/book"
	"vastspan/core/civil"
	"vastspan/core/daytable"
	"vastspan/core/span"
	"vastspan/internal/store"
)

// The day tables reach from the start of a year this many years back to the end of one ahead.
const (
	yearsBack  = 10
	yearsAhead = 3
)

// RefreshDays makes the day tables anew where they do not stand for today and the definitions in
// force. It tells whether it did.
func (s *Service) RefreshDays(ctx context.Context) (bool, error) {
	today := s.Today()
	revision, err := s.store.Revision(ctx)
	if err != nil {
		return false, err
	}
	asOf, of, made, err := s.store.DaysMade(ctx)
	if err != nil || made && asOf == today && of == revision {
		return false, err
	}
	l, err := s.Library(ctx)
	if err != nil {
		return false, err
	}
	t, err := dayTables(l, today)
	if err != nil {
		return false, err
	}
	t.Revision = revision
	return true, s.store.ReplaceDays(ctx, t)
}

func dayTables(l *book.Library, today civil.Day) (store.DayTables, error) {
	reach := civil.Interval{Start: civil.Of(max(1, today.Year()-yearsBack), 1, 1), End: min(civil.Of(today.Year()+yearsAhead+1, 1, 1), civil.EndOfDays)}
	t := store.DayTables{AsOf: today, Calendars: map[string][]daytable.Row{}, Spans: map[string]civil.Set{}}
	for _, name := range l.CalendarNames() {
		cal, err := l.Calendar(name)
		if err != nil {
			return t, err
		}
		for d := reach.Start; d < reach.End; d++ {
			row, err := daytable.Of(cal, d, today)
			if err != nil {
				return t, err
			}
			t.Calendars[name] = append(t.Calendars[name], row)
		}
	}
	for _, name := range l.SpanNames() {
		// A span that gives an error today has no days in the table; asked for, it says why.
		if set, err := span.Resolve(&span.Name{Name: name}, span.Scope{AsOf: today, Names: l}); err == nil {
			t.Spans[name] = set.Intersect(civil.SetOf(reach))
		}
	}
	return t, nil
}

// KeepDays keeps the day tables up to date until the context ends: after each change of a definition,
// and within a minute after each midnight in the service's zone or a change made by another service.
func (s *Service) KeepDays(ctx context.Context) {
	tick := time.NewTicker(time.Minute)
	defer tick.Stop()
	for {
		if _, err := s.RefreshDays(ctx); err != nil && ctx.Err() == nil {
			slog.Error("the day tables cannot be brought up to date", "error", err)
		}
		select {
		case <-tick.C:
		case <-s.changed:
		case <-ctx.Done():
			return
		}
	}
}
