// Package service holds the use cases: what can be asked of and done to spans, datasets and records,
// each in one transaction. It knows neither HTTP nor SQL.
package service

import (
	"context"
	"fmt"
	"strings"
	"sync"
	"time"

	"vastspan/core/book"
	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/span"
	"vastspan/internal/store"
)

// A Service answers from one store. It is safe for use at once by many.
type Service struct {
	store *store.Store
	zone  *time.Location
	clock func() time.Time
	// changed is told after each change of a definition made here.
	changed chan struct{}

	mu       sync.Mutex
	library  *book.Library
	versions []UsedVersion // of all definitions, in the order in which they were made
	revision int64
}

// A UsedVersion is a definition and the version of it that an answer used.
type UsedVersion struct {
	Kind    store.DefinitionKind `json:"kind"`
	Name    string               `json:"name"`
	Version int64                `json:"version"`
}

// New makes a service. zone is where it reads today from the clock.
func New(st *store.Store, zone *time.Location, clock func() time.Time) *Service {
	return &Service{store: st, zone: zone, clock: clock, changed: make(chan struct{}, 1), revision: -1}
}

// Zone gives the time zone in which the service reads today.
func (s *Service) Zone() *time.Location { return s.zone }

// Today gives the day it is now in the service's zone.
func (s *Service) Today() civil.Day { return civil.OfTime(s.clock(), s.zone) }

// Ping tells whether the database answers.
func (s *Service) Ping(ctx context.Context) error { return s.store.Ping(ctx) }

// Library gives the definitions in force, compiled; it is made anew only after a change.
func (s *Service) Library(ctx context.Context) (*book.Library, error) {
	revision, err := s.store.Revision(ctx)
	if err != nil {
		return nil, err
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.library != nil && s.revision == revision {
		return s.library, nil
	}
	defs, revision, err := s.store.Definitions(ctx)
	if err != nil {
		return nil, err
	}
	l, err := compile(defs)
	if err != nil {
		return nil, fmt.Errorf("the stored definitions do not fit together: %w", err)
	}
	s.library, s.revision, s.versions = l, revision, nil
	for _, d := range defs {
		s.versions = append(s.versions, UsedVersion{d.Kind, d.Name, d.Version})
	}
	return l, nil
}

// inPlace gives the versions that went into a library. Where another is in force by now, they are
// read anew.
func (s *Service) inPlace(ctx context.Context, l *book.Library) ([]UsedVersion, error) {
	s.mu.Lock()
	if s.library == l {
		defer s.mu.Unlock()
		return s.versions, nil
	}
	s.mu.Unlock()
	defs, _, err := s.store.Definitions(ctx)
	var versions []UsedVersion
	for _, d := range defs {
		versions = append(versions, UsedVersion{d.Kind, d.Name, d.Version})
	}
	return versions, err
}

// Invalid is the error of a request whose content cannot be carried out.
type Invalid struct{ Err error }

func (e *Invalid) Error() string { return e.Err.Error() }
func (e *Invalid) Unwrap() error { return e.Err }

func invalid(err error) error {
	if err == nil {
		return nil
	}
	return &Invalid{err}
}

func invalidf(format string, args ...any) error { return Invalidf(format, args...) }

// Invalidf words an error of a request.
func Invalidf(format string, args ...any) error { return &Invalid{fmt.Errorf(format, args...)} }

// InUse is the error of removing what others refer to.
type InUse struct {
	What  string
	Users []string
}

func (e *InUse) Error() string {
	return fmt.Sprintf("%s is still in use by %s", e.What, strings.Join(e.Users, ", "))
}

// AsOf is how a request states its as-of day: a date, today or latest; empty is today.
type AsOf string

// The as-of days that are no dates.
const (
	Today  AsOf = "today"
	Latest AsOf = "latest"
)

// day finds the as-of day. newest gives the newest day of the dataset that is asked about; false
// where it holds none.
func (s *Service) day(a AsOf, newest func() (civil.Day, bool, error)) (civil.Day, error) {
	return ReadAsOf(a, s.Today, newest)
}

// ReadAsOf finds the day that an as-of states.
func ReadAsOf(a AsOf, today func() civil.Day, newest func() (civil.Day, bool, error)) (civil.Day, error) {
	switch a {
	case "", Today:
		return today(), nil
	case Latest:
		if newest == nil {
			return 0, invalidf("as of latest needs a dataset: it is the newest day that the dataset holds")
		}
		d, ok, err := newest()
		if err == nil && !ok {
			err = invalidf("as of latest: the dataset holds no record with a day")
		}
		return d, err
	}
	d, err := civil.ParseDay(string(a))
	if err != nil {
		return 0, invalidf("as of: %w, today or latest", err)
	}
	return d, nil
}

// A Reading says against what expressions are read.
type Reading struct {
	AsOf     AsOf   `json:"as_of"`
	AtClose  bool   `json:"at_close,omitempty"`
	Calendar string `json:"calendar,omitempty"` // civil when empty
	Dataset  string `json:"dataset,omitempty"`  // what latest refers to
	Explain  bool   `json:"-"`
}

// A Resolved is one expression with its answer, or its error.
type Resolved struct {
	Text string // canonical, or as given where it is refused
	span.Resolution
	Err *span.Error
}

// A Resolution is the answer to Resolve.
type Resolution struct {
	AsOf     civil.Day
	AtClose  bool
	Calendar string
	Resolved []Resolved
}

// Resolve resolves expressions, each by itself: one that is refused does not touch the others.
func (s *Service) Resolve(ctx context.Context, expressions []string, r Reading) (*Resolution, error) {
	l, err := s.Library(ctx)
	if err != nil {
		return nil, err
	}
	var newest func() (civil.Day, bool, error)
	if r.Dataset != "" {
		newest = func() (civil.Day, bool, error) { return s.newest(ctx, r.Dataset, "") }
	}
	asOf, err := s.day(r.AsOf, newest)
	if err != nil {
		return nil, err
	}
	scope, err := Scope(l, asOf, r)
	if err != nil {
		return nil, err
	}
	answer := &Resolution{AsOf: asOf, AtClose: r.AtClose, Calendar: scope.Calendar.Name()}
	for _, text := range expressions {
		answer.Resolved = append(answer.Resolved, ResolveOne(text, scope, r.Explain))
	}
	return answer, nil
}

// Scope puts together what expressions are read against.
func Scope(l *book.Library, asOf civil.Day, r Reading) (span.Scope, error) {
	name := r.Calendar
	if name == "" {
		name = calendar.Civil.Name()
	}
	cal, err := l.Calendar(name)
	return span.Scope{AsOf: asOf, AtClose: r.AtClose, Calendar: cal, Names: l}, invalid(err)
}

// ResolveOne resolves one expression; explain asks for steps and cautions.
func ResolveOne(text string, scope span.Scope, explain bool) Resolved {
	r := Resolved{Text: text}
	n, err := span.Parse(text)
	if err == nil {
		r.Text = n.String()
		if explain {
			r.Resolution, err = span.Explain(n, scope)
		} else {
			r.Days, err = span.Resolve(n, scope)
		}
	}
	if err != nil {
		r.Err = err.(*span.Error) // Parse, Resolve and Explain give no other
	}
	return r
}
