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

// dayStore is what the published day tables are kept in.
type dayStore interface {
	DaysMade(ctx context.Context) (asOf civil.Day, revision int64, made bool, err error)
	ReplaceDays(ctx context.Context, t store.DayTables) error
}

// DayTables are the day tables that other tools join by the day.
type DayTables struct {
	store       dayStore
	definitions *Definitions
	Clock
}

// The day tables reach from the start of a year this many years back to the end of one ahead.
const (
	yearsBack  = 10
	yearsAhead = 3
)

// Refresh makes the day tables anew where they do not stand for today and the current definitions. It
// reports whether it did.
func (s *DayTables) Refresh(ctx context.Context) (bool, error) {
	today := s.Today()
	l, err := s.definitions.Library(ctx)
	if err != nil {
		return false, err
	}
	asOf, of, made, err := s.store.DaysMade(ctx)
	if err != nil || made && asOf == today && of == l.Revision() {
		return false, err
	}
	t, err := dayTables(ctx, l, today)
	if err != nil {
		return false, err
	}
	return true, s.store.ReplaceDays(ctx, t)
}

func dayTables(ctx context.Context, l *book.Library, today civil.Day) (store.DayTables, error) {
	reach := civil.Interval{
		Start: civil.Of(max(1, today.Year()-yearsBack), 1, 1),
		End:   min(civil.Of(today.Year()+yearsAhead+1, 1, 1), civil.EndOfDays),
	}
	t := store.DayTables{AsOf: today, Revision: l.Revision(), Calendars: map[string][]daytable.Row{}, Spans: map[string]civil.Set{}}
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
		if err := ctx.Err(); err != nil {
			return t, err
		}
	}
	for _, name := range l.SpanNames() {
		if err := ctx.Err(); err != nil {
			return t, err
		}
		// A span that gives an error today has no days in the table; asked for, it says why.
		if set, err := span.Resolve(&span.Name{Name: name}, span.Scope{AsOf: today, Names: l}); err == nil {
			t.Spans[name] = set.Intersect(civil.SetOf(reach))
		}
	}
	return t, nil
}

// Keep keeps the day tables up to date until the context ends: after each change of a definition, and
// within a minute after each midnight in the service's zone or a change made by another service.
func (s *DayTables) Keep(ctx context.Context) {
	tick := time.NewTicker(time.Minute)
	defer tick.Stop()
	for {
		if _, err := s.Refresh(ctx); err != nil && ctx.Err() == nil {
			slog.Error("the day tables cannot be brought up to date", "error", err)
		}
		select {
		case <-tick.C:
		case <-s.definitions.changed:
		case <-ctx.Done():
			return
		}
	}
}
