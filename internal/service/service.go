// Package service holds the use cases: what can be asked of and done to spans, datasets and records,
// each in one transaction. There is one small struct for each noun, behind the interfaces that it needs.
// It knows neither HTTP nor SQL.
package service

import (
	"context"
	"errors"
	"fmt"
	"time"

	"vastspan/core/book"
	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/naming"
	"vastspan/core/query"
	"vastspan/core/span"
	"vastspan/core/tally"
	"vastspan/internal/access"
	"vastspan/internal/attached"
	"vastspan/internal/ingest"
	"vastspan/internal/refused"
	"vastspan/internal/store"
)

// A Service holds all use cases over one store. It is safe for use at once by many.
type Service struct {
	Clock
	store       *store.Store
	Definitions *Definitions
	Spans       *Noun[book.Span]
	Calendars   *Noun[calendar.Spec]
	Holidays    *Noun[book.Holidays]
	Events      *Noun[book.Events]
	Briefs      *Briefs
	Expressions *Expressions
	Datasets    *Datasets
	Totals      *Totals
	Records     *Records
	Views       *Views
	Receipts    *Receipts
	Schedules   *Schedules
	Deliveries  *Deliveries
	DayTables   *DayTables
	Ageing      *Ageing
	Renames     *Renames
	Accounts    *Accounts
	Keys        *Keys
	Audit       *Audit
	// Trouble, where it is set, says why the database does not run; nil while it does.
	Trouble func() error
}

// What callers need of files and what is stored, so that they need not look further down.
type (
	// ColumnHints are what is stated about a file's columns.
	ColumnHints = ingest.ColumnHints
	// Faults is the error of a file with wrong values, each of which is a Fault.
	Faults = ingest.Faults
	Fault  = ingest.Fault
	// Suggestion is what to state about a file.
	Suggestion = ingest.Suggestion
	// FileOptions say how a file is written, and Written what was found out.
	FileOptions = ingest.Options
	Written     = ingest.Written
	// NamedFile is one of several files that are loaded as one.
	NamedFile = ingest.Named
	// ReadError is the error of a file that could not be read on.
	ReadError = ingest.ReadError
	// Load is one load of a dataset.
	Load = store.Load
	// Record is one record as text.
	Record = store.Record
	// CategoryValue is a value of a category with the number of its records.
	CategoryValue = store.CategoryValue
)

// DayOf returns the day that a stored date holds.
func DayOf(t time.Time) civil.Day { return store.DayOf(t) }

// New makes a service, which reads today from a clock.
func New(st *store.Store, clock Clock) *Service {
	defs := NewDefinitions(st)
	s := &Service{Clock: clock, store: st, Definitions: defs}
	s.Spans = &Noun[book.Span]{defs, book.SpanKind, spanRules(st)}
	s.Calendars = &Noun[calendar.Spec]{defs, book.CalendarKind, calendarRules(st)}
	s.Holidays = &Noun[book.Holidays]{defs, book.HolidaysKind, holidaysRules}
	s.Events = &Noun[book.Events]{defs, book.EventsKind, eventsRules(st)}
	s.Datasets = &Datasets{store: st, schedules: st, definitions: defs, clock: clock}
	s.Briefs = &Briefs{&Noun[book.Brief]{defs, book.BriefKind, briefRules(st)}, s.Datasets}
	s.Expressions = &Expressions{defs, s.Datasets, st, clock}
	s.Totals = &Totals{definitions: defs, store: st, Clock: clock}
	s.Records = &Records{s.Totals, st}
	s.Ageing = &Ageing{defs, st, clock}
	s.Views = &Views{definitions: defs, totals: s.Totals, ageing: s.Ageing, Clock: clock}
	s.Renames = &Renames{defs, s.Datasets, st}
	s.Receipts = &Receipts{st, defs, s.Briefs, s.Totals, s.Views, s.Renames}
	s.Deliveries = &Deliveries{store: st, waits: waits, due: make(chan struct{}, 1)}
	s.Schedules = &Schedules{st, defs, s.Briefs, s.Receipts, s.Deliveries, clock}
	s.DayTables = &DayTables{st, defs, clock}
	s.Accounts = &Accounts{store: st, tries: newTries()}
	s.Keys, s.Audit = &Keys{st}, &Audit{st}
	return s
}

// Open opens the database at an address and returns a service on it, which keeps the columns of datasets in a folder
// of its own, and knows databases in which tables may be attached; Close must follow.
func Open(ctx context.Context, url, columns string, databases map[string]DatabaseDefinition, clock Clock) (*Service, error) {
	known, err := attached.Configure(databases)
	if err != nil {
		return nil, err
	}
	st, err := store.Open(ctx, url, store.Options{Columns: columns, Databases: known})
	if err != nil {
		return nil, err
	}
	return New(st, clock), nil
}

// Close closes the database.
func (s *Service) Close() error { return s.store.Close() }

// A Remark is something about a file that is read as it is, and may have been meant otherwise.
type Remark = ingest.Remark

// Measures are what the service has done since it was started, and what it holds.
type Measures = store.Measures

// Measures measures the service.
func (s *Service) Measures() Measures { return s.store.Measures() }

// Ping reports whether the database answers.
func (s *Service) Ping(ctx context.Context) error { return s.store.Ping(ctx) }

// Offering adds to the refusal of a name that is not there the one that is nearest to it, among those that the caller may see.
func (s *Service) Offering(ctx context.Context, err error) error {
	var refusal *refused.Error
	var unknown *refused.Unknown
	if !errors.As(err, &refusal) || !errors.As(err, &unknown) || refusal.Kind != refused.NotFound {
		return err
	}
	known, wrong := s.namesOf(ctx, unknown.Kind)
	near := naming.Nearest(unknown.Name, known)
	if wrong != nil || near == "" || near == unknown.Name {
		return err
	}
	with := *refusal
	with.Err = fmt.Errorf("%w; did you mean %s?", refusal.Err, near)
	return &with
}

// namesOf lists the names of one kind that the caller may see.
func (s *Service) namesOf(ctx context.Context, kind string) (names []string, err error) {
	switch kind {
	case "dataset":
		sets, err := s.store.Datasets(ctx)
		for i := range sets {
			if levelOf(ctx, &sets[i]) > access.Nothing {
				names = append(names, sets[i].Name)
			}
		}
		return names, err
	case "schedule":
		list, err := s.store.Schedules(ctx)
		for _, one := range list {
			names = append(names, one.Name)
		}
		return names, err
	case "database":
		for _, one := range s.Datasets.Databases() {
			names = append(names, one.Name)
		}
		return names, nil
	}
	l, err := s.Definitions.Library(ctx)
	if err != nil {
		return nil, err
	}
	b := l.Book()
	switch kind {
	case "span":
		return l.SpanNames(), nil
	case "calendar":
		return l.CalendarNames(), nil
	case "holiday list":
		for _, one := range b.Holidays {
			names = append(names, one.Name)
		}
	case eventList:
		return l.EventNames(), nil
	case "brief":
		for _, one := range b.Briefs {
			names = append(names, one.Name)
		}
	}
	return names, nil
}

// Understood turns errors of the machine that say something to the caller into refusals: what cannot be
// served just now, and why, or what was removed meanwhile. Others stay as they are.
func (s *Service) Understood(err error) error {
	if err == nil || IsRefusal(err) {
		return err
	}
	if store.Gone(err) {
		return &refused.Error{Kind: refused.NotFound, Code: refused.CodeNotFound, Err: errors.New("the dataset was removed meanwhile")}
	}
	reason, ok := store.Unavailable(err)
	if !ok {
		return err
	}
	if s.Trouble != nil {
		if trouble := s.Trouble(); trouble != nil {
			reason = trouble.Error()
		}
	}
	return refused.Unavailable(reason, err)
}

// Refused turns the errors of the core and of files into refusals; those of the machine stay as they are.
func Refused(err error) error {
	var already *refused.Error
	var wrong *query.Error
	var expression *span.Error
	var faults *ingest.Faults
	var header *ingest.HeaderError
	var many *tally.TooMany
	var fault *book.Fault
	switch {
	case err == nil || errors.As(err, &already):
		return err
	case errors.As(err, &wrong):
		return &refused.Error{Kind: refused.Invalid, Code: refused.CodeInvalid, Pointer: wrong.Pointer, Err: err}
	case errors.As(err, &fault):
		return refused.Wrong(fault.Err)
	case errors.Is(err, span.ErrTooMuch), errors.Is(err, span.ErrTooLong):
		return refused.Wrong(err)
	case errors.As(err, &expression), errors.As(err, &faults), errors.As(err, &header), errors.As(err, &many):
		return refused.Wrong(err)
	}
	return err
}

// IsRefusal reports whether an error says what is wrong with a request, as against one of the machine.
func IsRefusal(err error) bool {
	var e *refused.Error
	return errors.As(err, &e)
}

// A Page is a part of a list. Next is what to go on after; empty on the last one.
type Page[T any] struct {
	Items []T
	Next  string
}

// Paging says which part of a list is wanted.
type Paging struct {
	Limit int // at least 1
	After string
}

// pageOf cuts a list that is in memory. key names an item.
func pageOf[T any](list []T, p Paging, key func(T) string) (Page[T], error) {
	start := 0
	if p.After != "" {
		for start < len(list) && key(list[start]) != p.After {
			start++
		}
		if start == len(list) {
			return Page[T]{}, refused.Wrongf("after: %q is not the next of another page", p.After)
		}
		start++
	}
	rest := list[start:]
	if len(rest) <= p.Limit {
		return Page[T]{Items: rest}, nil
	}
	return Page[T]{rest[:p.Limit], key(rest[p.Limit-1])}, nil
}
