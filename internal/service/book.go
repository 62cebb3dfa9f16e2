package service

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"vastspan/core/book"
	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/span"
	"vastspan/internal/store"
)

// A BookChange is what a book does to one definition.
type BookChange struct {
	Kind          store.DefinitionKind
	Name          string
	Change        string // added, changed or same
	Before, After string // as YAML on one line
}

// Book gives all definitions as the YAML of a span book.
func (s *Service) Book(ctx context.Context) ([]byte, error) {
	l, err := s.Library(ctx)
	if err != nil {
		return nil, err
	}
	return book.Write(l.Book())
}

// LoadBook puts every definition of a book in place, in one transaction; definitions that the book
// does not have stay as they are. It tells what that changes; with preview it changes nothing.
func (s *Service) LoadBook(ctx context.Context, data []byte, author, note string, preview bool) ([]BookChange, error) {
	b, err := book.Decode(data)
	if err != nil {
		return nil, invalid(err)
	}
	have, _, err := s.store.Definitions(ctx)
	if err != nil {
		return nil, err
	}
	var told []BookChange
	var changes []store.Change
	add := func(kind store.DefinitionKind, name string, def any) error {
		if slices.ContainsFunc(told, func(c BookChange) bool { return c.Kind == kind && c.Name == name }) {
			return invalidf("%s %s is defined twice", kind, name)
		}
		body, err := json.Marshal(def)
		if err != nil {
			return err
		}
		one := BookChange{Kind: kind, Name: name, Change: "added", After: oneLine(def)}
		from := int64(0)
		if i := slices.IndexFunc(have, func(d store.Definition) bool { return d.Kind == kind && d.Name == name }); i >= 0 {
			from = have[i].Version
			if one.Before, err = bodyLine(kind, have[i].Body); err != nil {
				return err
			}
			one.Change = "changed"
		}
		if one.Before == one.After {
			one.Change = "same"
		} else {
			changes = append(changes, store.Change{Kind: kind, Name: name, Body: body, From: from, Author: author, Note: note})
		}
		told = append(told, one)
		return nil
	}
	for _, h := range b.Holidays {
		if err := add(store.HolidaysDefinition, h.Name, h); err != nil {
			return nil, err
		}
	}
	for _, c := range b.Calendars {
		if err := add(store.CalendarDefinition, c.Name, c); err != nil {
			return nil, err
		}
	}
	for _, sp := range b.Spans {
		sp.Is = canonical(sp.Is)
		if err := add(store.SpanDefinition, sp.Name, sp); err != nil {
			return nil, err
		}
	}
	for _, brief := range b.Briefs {
		canonicalBrief(&brief)
		if err := add(store.BriefDefinition, brief.Name, brief); err != nil {
			return nil, err
		}
	}
	if preview {
		return told, s.try(ctx, changes)
	}
	return told, s.change(ctx, changes)
}

// try refuses changes that would be refused, and makes none.
func (s *Service) try(ctx context.Context, changes []store.Change) error {
	err := s.store.Change(ctx, changes, func(defs []store.Definition) error {
		if err := fits(defs); err != nil {
			return err
		}
		return errTried
	})
	if err == errTried {
		return nil
	}
	return err
}

var errTried = fmt.Errorf("only tried")

func oneLine(def any) string {
	text, err := book.Line(def)
	if err != nil {
		return err.Error()
	}
	return text
}

// bodyLine gives a stored definition as YAML on one line.
func bodyLine(kind store.DefinitionKind, body json.RawMessage) (string, error) {
	var def any
	switch kind {
	case store.SpanDefinition:
		def = &book.Span{}
	case store.CalendarDefinition:
		def = &calendar.Spec{}
	case store.BriefDefinition:
		def = &book.Brief{}
	default:
		def = &book.Holidays{}
	}
	if err := json.Unmarshal(body, def); err != nil {
		return "", err
	}
	return book.Line(def)
}

// A Version is a definition as it stood; Definition is empty where it was removed.
type Version struct {
	store.DefinitionVersion
	Definition string // as YAML on one line
	Is         string // of a span
}

// Versions lists how a definition stood, newest first.
func (s *Service) Versions(ctx context.Context, kind store.DefinitionKind, name string) ([]Version, error) {
	if kind == store.SpanDefinition {
		name = spanName(name)
	}
	stored, err := s.store.Versions(ctx, kind, name)
	if err != nil {
		return nil, err
	}
	versions := make([]Version, len(stored))
	for i, v := range stored {
		versions[i].DefinitionVersion = v
		if v.Body == nil {
			continue
		}
		if versions[i].Definition, err = bodyLine(kind, v.Body); err != nil {
			return nil, err
		}
		if kind == store.SpanDefinition {
			var def book.Span
			if err := json.Unmarshal(v.Body, &def); err != nil {
				return nil, err
			}
			versions[i].Is = def.Is
		}
	}
	return versions, nil
}

// BringBack puts an older version in place again, as a new version.
func (s *Service) BringBack(ctx context.Context, kind store.DefinitionKind, name string, version int64, author, note string) (*Version, error) {
	versions, err := s.Versions(ctx, kind, name)
	if err != nil {
		return nil, err
	}
	i := slices.IndexFunc(versions, func(v Version) bool { return v.Version == version })
	switch {
	case i < 0:
		return nil, &store.NotFound{Kind: fmt.Sprintf("version of %s %s", kind, name), Name: fmt.Sprint(version)}
	case versions[i].Body == nil:
		return nil, invalidf("version %d of %s %s is its removal; there is nothing in it to bring back", version, kind, name)
	case i == 0:
		return nil, &store.Conflict{Reason: fmt.Sprintf("version %d of %s %s is the one in place", version, kind, name)}
	}
	from := versions[0].Version
	if versions[0].Body == nil {
		from = 0 // it was removed
	}
	if note == "" {
		note = fmt.Sprintf("version %d brought back", version)
	}
	change := store.Change{Kind: kind, Name: versions[i].Name, Body: versions[i].Body, From: from, Author: author, Note: note}
	if err := s.change(ctx, []store.Change{change}); err != nil {
		return nil, err
	}
	versions, err = s.Versions(ctx, kind, name)
	if err != nil {
		return nil, err
	}
	return &versions[0], nil
}

// Remove removes a definition; it is refused while others refer to it.
func (s *Service) Remove(ctx context.Context, kind store.DefinitionKind, name, author string) error {
	if kind == store.SpanDefinition {
		return s.RemoveSpan(ctx, name, author)
	}
	l, err := s.Library(ctx)
	if err != nil {
		return err
	}
	var users []string
	switch kind {
	case store.CalendarDefinition:
		users = l.CalendarUsers(name)
	case store.HolidaysDefinition:
		users = l.HolidaysUsers(name)
	}
	if len(users) > 0 {
		return &InUse{fmt.Sprintf("%s %s", kind, name), users}
	}
	return s.change(ctx, []store.Change{{Kind: kind, Name: name, From: -1, Author: author}})
}

// Holidays lists the holiday lists.
func (s *Service) Holidays(ctx context.Context) ([]book.Holidays, error) {
	l, err := s.Library(ctx)
	if err != nil {
		return nil, err
	}
	return l.Book().Holidays, nil
}

// PutHolidays puts a holiday list in place of the one of its name, if there is one.
func (s *Service) PutHolidays(ctx context.Context, h book.Holidays, author string) error {
	body, err := json.Marshal(h)
	if err != nil {
		return err
	}
	return s.change(ctx, []store.Change{{Kind: store.HolidaysDefinition, Name: h.Name, Body: body, From: -1, Author: author}})
}

// used lists the named spans that expressions use, directly or through others, with their versions.
func (s *Service) used(ctx context.Context, l *book.Library, nodes []span.Node) ([]UsedVersion, error) {
	names := l.Used(nodes)
	if len(names) == 0 {
		return nil, nil
	}
	versions, err := s.inPlace(ctx, l)
	if err != nil {
		return nil, err
	}
	var list []UsedVersion
	for _, d := range versions {
		if d.Kind == store.SpanDefinition && slices.Contains(names, d.Name) {
			list = append(list, d)
		}
	}
	return list, nil
}

// CalendarYear finds a calendar and a year of it, by the number that names the year.
func (s *Service) CalendarYear(ctx context.Context, name string, year int, asOf AsOf) (*calendar.Calendar, civil.Interval, civil.Day, error) {
	l, err := s.Library(ctx)
	if err != nil {
		return nil, civil.Interval{}, 0, err
	}
	day, err := s.day(asOf, nil)
	if err != nil {
		return nil, civil.Interval{}, 0, err
	}
	cal, err := l.Calendar(name)
	if err != nil {
		return nil, civil.Interval{}, 0, &store.NotFound{Kind: "calendar", Name: name}
	}
	v, err := cal.Literal(calendar.Year, year, 0)
	return cal, v, day, invalid(err)
}
