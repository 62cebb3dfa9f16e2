package service

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"time"

	"vastspan/core/book"
	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/naming"
	"vastspan/core/query"
	"vastspan/core/span"
	"vastspan/internal/deliver"
	"vastspan/internal/refused"
	"vastspan/internal/store"
)

// scheduleStore is what schedules are kept in.
type scheduleStore interface {
	Schedules(ctx context.Context) ([]store.Schedule, error)
	Schedule(ctx context.Context, name string) (*store.Schedule, error)
	AddSchedule(ctx context.Context, sc *store.Schedule) error
	RemoveSchedule(ctx context.Context, name string) error
	DoneThrough(ctx context.Context, name string, day civil.Day) error
	AddDelivered(ctx context.Context, r *store.Receipt, targets []string, parcel func() (json.RawMessage, error)) (bool, error)
}

// Schedules create receipts by themselves.
type Schedules struct {
	store       scheduleStore
	definitions *Definitions
	briefs      *Briefs
	receipts    *Receipts
	deliveries  *Deliveries
	Clock
}

// A Schedule creates a receipt of a brief on each day that a span holds when it is read as of that day:
// first business day of this month.
type Schedule struct {
	Name, Brief, Days, Calendar string
	Author                      string
	Since                       civil.Day
	UpToDate                    civil.Day  // every day through this one is done
	Next                        *civil.Day // the next day that is due, nil where none comes within two years
	Deliver                     []deliver.Target
}

// List lists the schedules by name.
func (s *Schedules) List(ctx context.Context, p Paging) (Page[Schedule], error) {
	out := Page[Schedule]{Items: []Schedule{}}
	stored, err := s.store.Schedules(ctx)
	if err != nil {
		return out, err
	}
	page, err := pageOf(stored, p, func(sc store.Schedule) string { return sc.Name })
	if err != nil {
		return out, err
	}
	l, err := s.definitions.Library(ctx)
	if err != nil {
		return out, err
	}
	out.Next = page.Next
	for i := range page.Items {
		if err := ctx.Err(); err != nil {
			return out, err
		}
		out.Items = append(out.Items, s.described(ctx, l, &page.Items[i]))
	}
	return out, nil
}

// Get finds a schedule.
func (s *Schedules) Get(ctx context.Context, name string) (*Schedule, error) {
	stored, err := s.store.Schedule(ctx, name)
	if err != nil {
		return nil, err
	}
	l, err := s.definitions.Library(ctx)
	if err != nil {
		return nil, err
	}
	sc := s.described(ctx, l, stored)
	return &sc, nil
}

// lookAhead is how many days the next day that is due is looked for.
const lookAhead = 732

// described says when a schedule is due next.
func (s *Schedules) described(ctx context.Context, l *book.Library, stored *store.Schedule) Schedule {
	sc := Schedule{Name: stored.Name, Brief: stored.Brief, Days: stored.On, Calendar: stored.Calendar, Author: stored.Author,
		Since: store.DayOf(stored.Since), UpToDate: store.DayOf(stored.UpToDate), Deliver: []deliver.Target{}}
	for _, text := range stored.Deliver {
		if t, err := deliver.ParseTarget(text); err == nil { // it was checked when it was stored
			sc.Deliver = append(sc.Deliver, t)
		}
	}
	due, err := dueOf(l, stored)
	if err != nil {
		return sc // what it names is gone: it is never due
	}
	for d := max(s.Today(), sc.UpToDate) + 1; d < s.Today()+lookAhead; d++ {
		is, err := due.on(ctx, d)
		if err != nil {
			break
		}
		if is {
			sc.Next = &d
			break
		}
	}
	return sc
}

// dueDays are those on which a schedule is due: its span, read as of the day, holds it.
type dueDays struct {
	span  span.Node
	scope span.Scope
}

func dueOf(l *book.Library, sc *store.Schedule) (*dueDays, error) {
	scope, err := l.Scope(civil.AsOf{}, query.Context{Calendar: sc.Calendar})
	if err != nil {
		return nil, err
	}
	n, err := span.Parse(sc.On)
	return &dueDays{n, scope}, err
}

func (due *dueDays) on(ctx context.Context, d civil.Day) (bool, error) {
	if err := due.scope.GoOn(ctx); err != nil {
		return false, err
	}
	due.scope.AsOf = d
	days, err := span.Resolve(due.span, due.scope)
	return err == nil && days.Contains(d), err
}

// boundPast refuses a schedule that makes too many days due at once.
func (s *Schedules) boundPast(ctx context.Context, due *dueDays, since civil.Day) error {
	if since < s.Today()-maxBack {
		return Refused(&query.Error{Pointer: "/since", Err: fmt.Errorf("since %s is more than %d days back: state a later day", since, maxBack)})
	}
	count := 0
	for d := since; d <= s.Today(); d++ {
		is, err := due.on(ctx, d)
		switch {
		case ctx.Err() != nil || errors.Is(err, span.ErrTooMuch):
			return Refused(err)
		case err != nil || !is:
			continue // a day that gives an error is looked at again when it is due
		}
		if count++; count > maxCaughtUp {
			return Refused(&query.Error{Pointer: "/since", Err: fmt.Errorf("since %s makes more than %d past days due at once: say a later day",
				since, maxCaughtUp)})
		}
	}
	return nil
}

// maxBack is how many days back a new schedule may begin.
const maxBack = 20 * 366

// maxCaughtUp is how many days that are past already a new schedule may make due.
const maxCaughtUp = 400

// Add creates a schedule. Days from since on are due, those that are past already too; nil is tomorrow.
func (s *Schedules) Add(ctx context.Context, sc Schedule, since *civil.Day) (*Schedule, error) {
	if err := naming.Check(sc.Name); err != nil {
		return nil, refused.Wrong(err)
	}
	if _, err := s.briefs.Get(ctx, sc.Brief); err != nil {
		return nil, err
	}
	if sc.Calendar == "" {
		sc.Calendar = calendar.Civil.Name()
	}
	l, err := s.definitions.Library(ctx)
	if err != nil {
		return nil, err
	}
	n, err := span.ParseNamed(sc.Days, l)
	if err != nil {
		return nil, Refused(&query.Error{Pointer: "/days", Err: err})
	}
	if sc.Since = s.Today() + 1; since != nil {
		sc.Since = *since
	}
	stored := &store.Schedule{
		Name:     sc.Name,
		Brief:    sc.Brief,
		On:       n.String(),
		Calendar: sc.Calendar,
		Author:   sc.Author,
		Since:    sc.Since.Time(),
		UpToDate: (sc.Since - 1).Time(),
		Deliver:  []string{},
	}
	for i, t := range sc.Deliver {
		if err := s.deliveries.Means.Check(t); err != nil {
			return nil, Refused(&query.Error{Pointer: fmt.Sprintf("/deliver/%d", i), Err: err})
		}
		if slices.Contains(stored.Deliver, t.String()) {
			return nil, Refused(&query.Error{Pointer: fmt.Sprintf("/deliver/%d", i), Err: fmt.Errorf("%s is stated twice", t)})
		}
		stored.Deliver = append(stored.Deliver, t.String())
	}
	due, err := dueOf(l, stored)
	if err == nil {
		_, err = due.on(ctx, sc.Since)
	}
	if err != nil {
		return nil, Refused(&query.Error{Pointer: "/days", Err: err})
	}
	if err := s.boundPast(ctx, due, sc.Since); err != nil {
		return nil, err
	}
	if err := s.store.AddSchedule(ctx, stored); err != nil {
		return nil, err
	}
	made := s.described(ctx, l, stored)
	return &made, nil
}

// Remove removes a schedule; its receipts stay.
func (s *Schedules) Remove(ctx context.Context, name string) error {
	return s.store.RemoveSchedule(ctx, name)
}

// Run creates the receipts of all days that are due by today and not yet done, those that were missed as
// well, once each. It returns how many it created.
func (s *Schedules) Run(ctx context.Context) (int, error) {
	stored, err := s.store.Schedules(ctx)
	if err != nil {
		return 0, err
	}
	created := 0
	for i := range stored {
		n, err := s.run(ctx, &stored[i])
		created += n
		if err != nil {
			if !IsRefusal(Refused(err)) {
				return created, err
			}
			slog.Warn("a schedule could not run", "schedule", stored[i].Name, "error", err)
		}
	}
	return created, nil
}

func (s *Schedules) run(ctx context.Context, sc *store.Schedule) (int, error) {
	l, err := s.definitions.Library(ctx)
	if err != nil {
		return 0, err
	}
	created := 0
	for d := store.DayOf(sc.UpToDate) + 1; d <= s.Today(); d++ {
		due, err := dueOf(l, sc)
		if err != nil {
			return created, err
		}
		isDue, err := due.on(ctx, d)
		if err != nil {
			return created, err
		}
		if isDue {
			made, err := s.create(ctx, sc, d)
			if err != nil {
				return created, err
			}
			created += made
		}
		if err := s.store.DoneThrough(ctx, sc.Name, d); err != nil {
			return created, err
		}
	}
	return created, nil
}

// create creates the receipt of a day; 0 where it exists already.
func (s *Schedules) create(ctx context.Context, sc *store.Schedule, d civil.Day) (int, error) {
	body, v, err := s.receipts.viewed(ctx, sc.Brief, ViewContext{Context: query.Context{AsOf: d.String()}})
	if err != nil {
		return 0, err
	}
	day := d.Time()
	stored := &store.Receipt{Title: fmt.Sprintf("%s, %s", body.Brief.Title, d), Author: sc.Author, Schedule: &sc.Name, DueDay: &day}
	if err := fillReceipt(stored, body); err != nil {
		return 0, err
	}
	made, err := s.store.AddDelivered(ctx, stored, sc.Deliver, func() (json.RawMessage, error) {
		r, err := read(stored)
		if err != nil {
			return nil, err
		}
		return parcelOf(r, v.Document())
	})
	if err != nil || !made {
		return 0, err
	}
	if len(sc.Deliver) > 0 {
		s.deliveries.told()
	}
	return 1, nil
}

// scheduleInterval is how often schedules are looked at.
const scheduleInterval = 10 * time.Minute

// Keep runs schedules at once and then again and again, until the context ends.
func (s *Schedules) Keep(ctx context.Context) {
	tick := time.NewTicker(scheduleInterval)
	defer tick.Stop()
	for {
		created, err := s.Run(ctx)
		switch {
		case err != nil && ctx.Err() == nil:
			slog.Error("schedules could not run", "error", err)
		case created > 0:
			slog.Info("schedules ran", "receipts", created)
		}
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}
