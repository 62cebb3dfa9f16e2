package service

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	"vastspan/core/book"
	"vastspan/core/calendar"
	"vastspan/core/span"
	"vastspan/internal/store"
)

// compile puts stored definitions together as a library.
func compile(defs []store.Definition) (*book.Library, error) {
	var b book.Book
	for _, d := range defs {
		var err error
		switch d.Kind {
		case store.SpanDefinition:
			var def book.Span
			err = json.Unmarshal(d.Body, &def)
			b.Spans = append(b.Spans, def)
		case store.CalendarDefinition:
			var def calendar.Spec
			err = json.Unmarshal(d.Body, &def)
			b.Calendars = append(b.Calendars, def)
		case store.HolidaysDefinition:
			var def book.Holidays
			err = json.Unmarshal(d.Body, &def)
			b.Holidays = append(b.Holidays, def)
		case store.BriefDefinition:
			var def book.Brief
			err = json.Unmarshal(d.Body, &def)
			b.Briefs = append(b.Briefs, def)
		default:
			err = fmt.Errorf("%s %s is of an unknown kind", d.Kind, d.Name)
		}
		if err != nil {
			return nil, err
		}
	}
	return book.Compile(b)
}

// A Span is a named span as it stands.
type Span struct {
	book.Span
	Version   int64
	Author    string
	Note      string
	ChangedAt time.Time
	Users     []string
}

// Spans lists the named spans in the order in which they were made.
func (s *Service) Spans(ctx context.Context) ([]Span, error) {
	l, err := s.Library(ctx)
	if err != nil {
		return nil, err
	}
	defs, _, err := s.store.Definitions(ctx)
	if err != nil {
		return nil, err
	}
	users := l.AllUsers()
	spans := []Span{}
	for _, d := range defs {
		if d.Kind != store.SpanDefinition {
			continue
		}
		sp := Span{Version: d.Version, Author: d.Author, Note: d.Note, ChangedAt: d.ChangedAt, Users: users[d.Name]}
		if err := json.Unmarshal(d.Body, &sp.Span); err != nil {
			return nil, err
		}
		spans = append(spans, sp)
	}
	return spans, nil
}

// Span finds a named span.
func (s *Service) Span(ctx context.Context, name string) (*Span, error) {
	name = spanName(name)
	spans, err := s.Spans(ctx)
	if err != nil {
		return nil, err
	}
	for _, sp := range spans {
		if sp.Name == name {
			return &sp, nil
		}
	}
	return nil, &store.NotFound{Kind: "span", Name: name}
}

// spanName lets names be given in any case and with the sign that refers to them.
func spanName(name string) string { return strings.ToLower(strings.TrimPrefix(name, "@")) }

// AddSpan names a span.
func (s *Service) AddSpan(ctx context.Context, def book.Span, author, note string) (*Span, error) {
	return s.putSpan(ctx, def, 0, author, note)
}

// ChangeSpan puts a definition in place of the version that it was made from.
func (s *Service) ChangeSpan(ctx context.Context, def book.Span, from int64, author, note string) (*Span, error) {
	return s.putSpan(ctx, def, from, author, note)
}

func (s *Service) putSpan(ctx context.Context, def book.Span, from int64, author, note string) (*Span, error) {
	def.Name = spanName(def.Name)
	def.Is = canonical(def.Is)
	body, err := json.Marshal(def)
	if err != nil {
		return nil, err
	}
	change := store.Change{Kind: store.SpanDefinition, Name: def.Name, Body: body, From: from, Author: author, Note: note}
	if err := s.change(ctx, []store.Change{change}); err != nil {
		return nil, err
	}
	return s.Span(ctx, def.Name)
}

// canonical gives an expression's canonical text; one that is refused stays as it is, to be refused
// when the definitions are put together.
func canonical(text string) string {
	if n, err := span.Parse(text); err == nil {
		return n.String()
	}
	return text
}

// RemoveSpan removes a named span; it is refused while others refer to it.
func (s *Service) RemoveSpan(ctx context.Context, name, author string) error {
	name = spanName(name)
	l, err := s.Library(ctx)
	if err != nil {
		return err
	}
	if users := l.AllUsers()[name]; len(users) > 0 {
		return &InUse{"span @" + name, users}
	}
	return s.change(ctx, []store.Change{{Kind: store.SpanDefinition, Name: name, From: -1, Author: author}})
}

// change makes changes, all or none, and refuses those after which the definitions would not fit
// together.
func (s *Service) change(ctx context.Context, changes []store.Change) error {
	if err := s.store.Change(ctx, changes, fits); err != nil {
		return err
	}
	select {
	case s.changed <- struct{}{}:
	default: // it has been told already
	}
	return nil
}

// fits refuses definitions that do not go together.
func fits(defs []store.Definition) error {
	_, err := compile(defs)
	var fault *book.Fault
	if errors.As(err, &fault) {
		return invalid(fault.Err)
	}
	return err
}

// Calendars lists the calendars, civil first.
func (s *Service) Calendars(ctx context.Context) ([]*calendar.Calendar, error) {
	l, err := s.Library(ctx)
	if err != nil {
		return nil, err
	}
	var cals []*calendar.Calendar
	for _, name := range l.CalendarNames() {
		cal, err := l.Calendar(name)
		if err != nil {
			return nil, err
		}
		cals = append(cals, cal)
	}
	return cals, nil
}
