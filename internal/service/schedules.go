package service

import (
	"context"
	"fmt"
	"log/slog"
	"time"

	"vastspan/core/book"
	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/span"
	"vastspan/internal/store"
)

// A Schedule makes a receipt of a brief on each day that a span holds when it is read as of that
// day: first business day of this month.
type Schedule struct {
	Name, Brief, On, Calendar string
	Author                    string
	Since                     civil.Day
	RanUntil                  civil.Day
	Next                      *civil.Day // the next day that is due, nil where none comes within two years
}

// Schedules lists the schedules by name.
func (s *Service) Schedules(ctx context.Context) ([]Schedule, error) {
	stored, err := s.store.Schedules(ctx)
	if err != nil {
		return nil, err
	}
	l, err := s.Library(ctx)
	if err != nil {
		return nil, err
	}
	list := []Schedule{}
	for i := range stored {
		sc := schedule(&stored[i])
		for d := max(s.Today(), sc.RanUntil) + 1; d < s.Today()+732; d++ {
			due, err := due(l, &stored[i], d)
			if err != nil {
				break // what it names is gone: it is never due
			}
			if due {
				sc.Next = &d
				break
			}
		}
		list = append(list, sc)
	}
	return list, nil
}

func schedule(sc *store.Schedule) Schedule {
	return Schedule{Name: sc.Name, Brief: sc.Brief, On: sc.On, Calendar: sc.Calendar, Author: sc.Author, Since: store.DayOf(sc.Since), RanUntil: store.DayOf(sc.RanUntil)}
}

// due tells whether a schedule is due on a day: its span, read as of the day, holds it.
func due(l *book.Library, sc *store.Schedule, d civil.Day) (bool, error) {
	scope, err := Scope(l, d, Reading{Calendar: sc.Calendar})
	if err != nil {
		return false, err
	}
	n, err := span.Parse(sc.On)
	if err != nil {
		return false, err
	}
	days, err := span.Resolve(n, scope)
	return err == nil && days.Contains(d), err
}

// AddSchedule keeps a schedule. Days from since on are due, those that are past already too; the zero
// day is tomorrow.
func (s *Service) AddSchedule(ctx context.Context, sc Schedule) error {
	if err := calendar.CheckName(sc.Name); err != nil {
		return invalid(err)
	}
	if _, err := s.Brief(ctx, sc.Brief); err != nil {
		return err
	}
	if sc.Calendar == "" {
		sc.Calendar = calendar.Civil.Name()
	}
	n, err := span.Parse(sc.On)
	if err != nil {
		return invalid(fmt.Errorf("%q: %w", sc.On, err))
	}
	if sc.Since == 0 {
		sc.Since = s.Today() + 1
	}
	stored := &store.Schedule{Name: sc.Name, Brief: sc.Brief, On: n.String(), Calendar: sc.Calendar, Author: sc.Author, Since: sc.Since.Time(), RanUntil: (sc.Since - 1).Time()}
	l, err := s.Library(ctx)
	if err != nil {
		return err
	}
	if _, err := due(l, stored, sc.Since); err != nil {
		return invalid(err)
	}
	return s.store.AddSchedule(ctx, stored)
}

// RemoveSchedule removes a schedule; its receipts stay.
func (s *Service) RemoveSchedule(ctx context.Context, name string) error {
	return s.store.RemoveSchedule(ctx, name)
}

// RunSchedules makes the receipts of all days that are due by today and not yet done, those that were
// missed as well, once each. It gives how many it made.
func (s *Service) RunSchedules(ctx context.Context) (int, error) {
	stored, err := s.store.Schedules(ctx)
	if err != nil {
		return 0, err
	}
	made := 0
	for i := range stored {
		n, err := s.runSchedule(ctx, &stored[i])
		made += n
		if err != nil {
			if !Refusal(err) {
				return made, err
			}
			slog.Warn("a schedule could not run", "schedule", stored[i].Name, "error", err)
		}
	}
	return made, nil
}

func (s *Service) runSchedule(ctx context.Context, sc *store.Schedule) (int, error) {
	l, err := s.Library(ctx)
	if err != nil {
		return 0, err
	}
	made := 0
	for d := store.DayOf(sc.RanUntil) + 1; d <= s.Today(); d++ {
		due, err := due(l, sc, d)
		if err != nil {
			return made, invalid(err)
		}
		if due {
			b, err := s.Brief(ctx, sc.Brief)
			if err != nil {
				return made, err
			}
			body, err := s.briefBody(ctx, &b.Brief, Reading{AsOf: AsOf(d.String())}, nil)
			if err != nil {
				return made, err
			}
			day := d.Time()
			r, err := s.keep(ctx, body, &store.Receipt{Title: fmt.Sprintf("%s, %s", b.Title, d), Author: sc.Author, Schedule: &sc.Name, DueDay: &day})
			if err != nil {
				return made, err
			}
			if r != nil {
				made++
			}
		}
		if err := s.store.RanUntil(ctx, sc.Name, d); err != nil {
			return made, err
		}
	}
	return made, nil
}

// scheduleInterval is how often schedules are looked at.
const scheduleInterval = 10 * time.Minute

// KeepSchedules runs schedules at once and then again and again, until the context ends.
func (s *Service) KeepSchedules(ctx context.Context) {
	tick := time.NewTicker(scheduleInterval)
	defer tick.Stop()
	for {
		made, err := s.RunSchedules(ctx)
		switch {
		case err != nil && ctx.Err() == nil:
			slog.Error("schedules could not run", "error", err)
		case made > 0:
			slog.Info("schedules ran", "receipts", made)
		}
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}
