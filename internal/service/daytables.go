package service

import (
	"context"
	"log/slog"
	"time"

	"vastspan/core/book"
	"vastspan/core/civil"
	"vastspan/core/daytable"
	"vastspan/core/span"
	"vastspan/core/tally"
	"vastspan/internal/refused"
	"vastspan/internal/store"
)

// dayStore is what the published day tables are kept in.
type dayStore interface {
	DaysMade(ctx context.Context) (store.DaysMade, error)
	Datasets(ctx context.Context) ([]store.Dataset, error)
	Coverage(ctx context.Context, d *store.Dataset) (tally.Coverage, error)
	ReplaceDays(ctx context.Context, t store.DayTables) error
	DaysAsked(ctx context.Context) (civil.Interval, error)
	AskDays(ctx context.Context, days civil.Interval) error
}

// DayTables are the day tables that other tools join by the day.
type DayTables struct {
	store       dayStore
	definitions *Definitions
	Clock
}

// The day tables reach from the start of a year this many years back to the end of one ahead, and over the
// records of every dataset and some years on.
const (
	yearsBack  = 10
	yearsAhead = 3
	yearsOn    = 2
	// maxReach is how many years the tables reach back or ahead at most, whatever records there are.
	maxReach = 150
	// maxAsked is how many years they reach at most where more is asked for.
	maxAsked = 400
)

// PublishedDays says which days the day tables hold.
type PublishedDays struct {
	AsOf  civil.Day      // the day that their offsets and spans count from
	Days  civil.Interval // the days that they hold
	Asked civil.Interval // the days that were asked for; empty where none were
}

// Published returns which days the day tables hold.
func (s *DayTables) Published(ctx context.Context) (PublishedDays, error) {
	made, err := s.store.DaysMade(ctx)
	if err != nil {
		return PublishedDays{}, err
	}
	asked, err := s.store.DaysAsked(ctx)
	return PublishedDays{AsOf: made.AsOf, Days: made.Reach, Asked: asked}, err
}

// Publish has the day tables hold the days from the first through the last from now on, next to those that they hold of
// themselves. It takes the place of what was asked for before.
func (s *DayTables) Publish(ctx context.Context, from, through civil.Day) (PublishedDays, error) {
	if from > through {
		return PublishedDays{}, refused.Wrongf("%s is after %s", from, through)
	}
	asked := civil.Through(from, through)
	own, err := s.own(ctx, s.Today())
	if err != nil {
		return PublishedDays{}, err
	}
	if reach := hull(own, asked); reach.Last().Year()-reach.First().Year() >= maxAsked {
		return PublishedDays{}, refused.Wrongf("the day tables would hold %s through %s; they hold at most %d years",
			reach.First(), reach.Last(), maxAsked)
	}
	if err := s.store.AskDays(ctx, asked); err != nil {
		return PublishedDays{}, err
	}
	if _, err := s.Refresh(ctx); err != nil {
		return PublishedDays{}, err
	}
	return s.Published(ctx)
}

// Refresh makes the day tables anew where they do not stand for today and the current definitions. It
// reports whether it did.
func (s *DayTables) Refresh(ctx context.Context) (bool, error) {
	today := s.Today()
	l, err := s.definitions.Library(ctx)
	if err != nil {
		return false, err
	}
	reach, err := s.reach(ctx, today)
	if err != nil {
		return false, err
	}
	made, err := s.store.DaysMade(ctx)
	now := store.DaysMade{AsOf: today, Revision: l.Revision(), Reach: reach}
	if err != nil || made == now {
		return false, err
	}
	t, err := dayTables(ctx, l, now)
	if err != nil {
		return false, err
	}
	return true, s.store.ReplaceDays(ctx, t)
}

// reach returns which days the tables hold: those they hold of themselves, those asked for and what is between.
func (s *DayTables) reach(ctx context.Context, today civil.Day) (civil.Interval, error) {
	own, err := s.own(ctx, today)
	if err != nil {
		return own, err
	}
	asked, err := s.store.DaysAsked(ctx)
	if err != nil || asked.Empty() {
		return own, err
	}
	return hull(own, asked), nil
}

func hull(a, b civil.Interval) civil.Interval {
	return civil.Interval{Start: min(a.Start, b.Start), End: max(a.End, b.End)}
}

// own returns which days the tables hold of themselves: whole years around today and around all records.
func (s *DayTables) own(ctx context.Context, today civil.Day) (civil.Interval, error) {
	first, last := today.Year()-yearsBack, today.Year()+yearsAhead
	sets, err := s.store.Datasets(ctx)
	if err != nil {
		return civil.Interval{}, err
	}
	for i := range sets {
		c, err := s.store.Coverage(ctx, &sets[i])
		if IsRefusal(err) { // what is elsewhere may not answer just now
			continue
		}
		if err != nil {
			return civil.Interval{}, err
		}
		if c.Records > 0 {
			first, last = min(first, c.Oldest.Year()), max(last, c.Newest.Year()+yearsOn)
		}
	}
	first, last = max(first, today.Year()-maxReach, 1), min(last, today.Year()+maxReach, 9999)
	return civil.Through(civil.Of(first, 1, 1), civil.Of(last, 12, 31)), nil
}

func dayTables(ctx context.Context, l *book.Library, made store.DaysMade) (store.DayTables, error) {
	reach, today := made.Reach, made.AsOf
	t := store.DayTables{DaysMade: made, Calendars: map[string]func(civil.Day) (daytable.Row, error){}, Spans: map[string]civil.Set{}}
	for _, name := range l.CalendarNames() {
		cal, err := l.Calendar(name)
		if err != nil {
			return t, err
		}
		t.Calendars[name] = func(d civil.Day) (daytable.Row, error) { return daytable.Of(cal, d, today) }
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
	t.Events = l.Events()
	return t, nil
}

// Keep keeps the day tables up to date until the context ends: after each change of a definition, and
// within a minute after each midnight in the service's zone, after a change made by another service, and after
// records that are outside them.
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
