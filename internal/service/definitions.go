package service

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"reflect"
	"slices"
	"strconv"
	"sync/atomic"

	"golang.org/x/sync/singleflight"

	"vastspan/core/book"
	"vastspan/core/calendar"
	"vastspan/core/query"
	"vastspan/core/span"
	"vastspan/internal/refused"
	"vastspan/internal/store"
)

// definitionStore is what definitions are kept in.
type definitionStore interface {
	Definitions(ctx context.Context) ([]store.Definition, int64, error)
	Revision(ctx context.Context) (int64, error)
	Change(ctx context.Context, changes []store.Change, check func([]store.Definition, int64) error) ([]store.Definition, error)
	Versions(ctx context.Context, kind, name string) ([]store.DefinitionVersion, error)
}

// Definitions are all definitions together: compiled, changed all or none, saved as a span book.
type Definitions struct {
	store   definitionStore
	current atomic.Pointer[compiled]
	reading singleflight.Group
	// changed is told after each change made here.
	changed chan struct{}
}

// compiled is what is stored, compiled, with the versions that it was made from.
type compiled struct {
	library *book.Library
	stored  []store.Definition
}

// NewDefinitions returns the definitions of a store.
func NewDefinitions(s definitionStore) *Definitions {
	return &Definitions{store: s, changed: make(chan struct{}, 1)}
}

// Library returns the current definitions, compiled; it is made anew only after a change. It carries the
// versions that it was made from.
func (d *Definitions) Library(ctx context.Context) (*book.Library, error) {
	c, err := d.compiled(ctx)
	if err != nil {
		return nil, err
	}
	return c.library, nil
}

func (d *Definitions) compiled(ctx context.Context) (*compiled, error) {
	revision, err := d.store.Revision(ctx)
	if err != nil {
		return nil, err
	}
	if c := d.current.Load(); c != nil && c.library.Revision() == revision {
		return c, nil
	}
	if store.InSnapshot(ctx) { // which must not wait for what others read: they may wait for its connection
		return d.read(ctx)
	}
	// Whoever asks at the same time waits for one reading; it must not end with the first who asked.
	v, err, _ := d.reading.Do(strconv.FormatInt(revision, 10), func() (any, error) { return d.read(context.WithoutCancel(ctx)) })
	if err != nil {
		return nil, err
	}
	return v.(*compiled), nil
}

// read reads what is stored, compiles it and keeps it, unless something newer is kept.
func (d *Definitions) read(ctx context.Context) (*compiled, error) {
	defs, revision, err := d.store.Definitions(ctx)
	if err != nil {
		return nil, err
	}
	l, err := compile(defs, revision)
	if err != nil {
		return nil, fmt.Errorf("the stored definitions do not fit together: %w", err)
	}
	c := &compiled{l, defs}
	if old := d.current.Load(); old == nil || old.library.Revision() < revision {
		d.current.Store(c)
	}
	return c, nil
}

// compile puts stored definitions together as a library.
func compile(defs []store.Definition, revision int64) (*book.Library, error) {
	var b book.Book
	var versions []query.Definition
	for _, d := range defs {
		if err := addTo(&b, d.Kind, d.Body); err != nil {
			return nil, err
		}
		versions = append(versions, query.Definition{Kind: d.Kind, Name: d.Name, Version: d.Version})
	}
	l, err := book.Compile(b)
	if err != nil {
		return nil, err
	}
	return l.WithVersions(versions, revision), nil
}

// addTo adds a stored definition to a book.
func addTo(b *book.Book, kind string, body []byte) error {
	switch kind {
	case book.SpanKind:
		return appendJSON(&b.Spans, body)
	case book.CalendarKind:
		return appendJSON(&b.Calendars, body)
	case book.HolidaysKind:
		return appendJSON(&b.Holidays, body)
	case book.EventsKind:
		return appendJSON(&b.Events, body)
	case book.BriefKind:
		return appendJSON(&b.Briefs, body)
	}
	return fmt.Errorf("%q is not a kind of definition", kind)
}

func appendJSON[T any](list *[]T, body []byte) error {
	var def T
	err := json.Unmarshal(body, &def)
	*list = append(*list, def)
	return err
}

// change makes changes, all or none, refuses those after which the definitions would not fit together,
// and returns what they made.
func (d *Definitions) change(ctx context.Context, changes ...store.Change) ([]store.Definition, error) {
	made, err := d.store.Change(ctx, changes, fits)
	if err != nil {
		return nil, err
	}
	d.told()
	return made, nil
}

// told says that definitions have changed.
func (d *Definitions) told() {
	select {
	case d.changed <- struct{}{}:
	default: // it has been told already
	}
}

// fits refuses definitions that do not go together.
func fits(defs []store.Definition, revision int64) error {
	_, err := compile(defs, revision)
	return Refused(err)
}

// dryRun refuses changes that would be refused, and makes none.
func (d *Definitions) dryRun(ctx context.Context, changes []store.Change) error {
	_, err := d.store.Change(ctx, changes, func(defs []store.Definition, revision int64) error {
		if err := fits(defs, revision); err != nil {
			return err
		}
		return errDryRun
	})
	if errors.Is(err, errDryRun) {
		return nil
	}
	return err
}

var errDryRun = errors.New("a dry run")

// Save returns all definitions as the YAML of a span book.
func (d *Definitions) Save(ctx context.Context) ([]byte, error) {
	l, err := d.Library(ctx)
	if err != nil {
		return nil, err
	}
	return book.Write(l.Book())
}

// A BookChange is what a book does to one definition. Before and After are the definition as JSON, nil
// where there is none.
type BookChange struct {
	Kind, Name    string
	Change        string // added, changed or same
	Before, After json.RawMessage
	Note          string // what is to be known of it; mostly empty
}

// Load puts every definition of a book in place, in one transaction; definitions that the book does not
// have stay as they are. It returns what that changes; with preview it changes nothing.
func (d *Definitions) Load(ctx context.Context, data []byte, author, note string, preview bool) ([]BookChange, error) {
	b, err := book.Decode(data)
	if err != nil {
		return nil, refused.Wrong(err)
	}
	have, _, err := d.store.Definitions(ctx)
	if err != nil {
		return nil, err
	}
	l := loading{author: author, note: note, told: []BookChange{}, have: map[store.DefinitionName]store.Definition{}}
	l.seen = map[store.DefinitionName]bool{}
	for _, d := range have {
		l.have[store.DefinitionName{Kind: d.Kind, Name: d.Name}] = d
	}
	for _, h := range b.Holidays {
		l.add(book.HolidaysKind, h.Name, h)
	}
	for _, c := range b.Calendars {
		l.add(book.CalendarKind, c.Name, c)
		if last := len(l.told) - 1; last >= 0 && l.told[last].Change != "same" {
			l.told[last].Note = ownCivil(c)
		}
	}
	for _, e := range b.Events {
		l.add(book.EventsKind, e.Name, e)
	}
	for _, sp := range b.Spans {
		canonicalSpan(&sp, nil)
		l.add(book.SpanKind, sp.Name, sp)
	}
	for _, brief := range b.Briefs {
		canonicalBrief(&brief, nil)
		l.add(book.BriefKind, brief.Name, brief)
	}
	switch {
	case l.err != nil:
		return nil, l.err
	case preview:
		return l.told, d.dryRun(ctx, l.changes)
	}
	_, err = d.change(ctx, l.changes...)
	return l.told, err
}

// ownCivil says what it means that a book has a civil calendar of its own; it says nothing of one that is as the built-in.
func ownCivil(c calendar.Spec) string {
	c.About = ""
	if c.Name != calendar.Civil.Name() || reflect.DeepEqual(c, calendar.Spec{Name: c.Name, Kind: calendar.KindMonths}) {
		return ""
	}
	return "it takes the place of the built-in civil calendar: whatever names no calendar is read in it"
}

// loading collects what a book changes.
type loading struct {
	have         map[store.DefinitionName]store.Definition
	seen         map[store.DefinitionName]bool // in the book
	author, note string
	told         []BookChange
	changes      []store.Change
	err          error
}

func (l *loading) add(kind, name string, def any) {
	if l.err != nil {
		return
	}
	key := store.DefinitionName{Kind: kind, Name: name}
	if l.seen[key] {
		l.err = refused.Wrongf("%s %s is defined twice", kind, name)
		return
	}
	l.seen[key] = true
	body, err := json.Marshal(def)
	if err != nil {
		l.err = err
		return
	}
	if !refused.IsTextJSON(body) {
		l.err = refused.Wrongf("%s %s holds characters that are not text: NUL, or bytes that are not UTF-8", kind, name)
		return
	}
	one := BookChange{Kind: kind, Name: name, Change: "added", After: body}
	from := int64(0)
	if d, there := l.have[key]; there {
		from, one.Before, one.Change = d.Version, d.Body, "changed"
	}
	if one.Before != nil && sameDefinition(kind, one.Before, one.After) {
		one.Change = "same"
	} else {
		l.changes = append(l.changes, store.Change{Kind: kind, Name: name, Body: body, From: from, Author: l.author, Note: l.note})
	}
	l.told = append(l.told, one)
}

// sameDefinition reports whether two stored definitions say the same.
func sameDefinition(kind string, a, b []byte) bool {
	var one, other book.Book
	if addTo(&one, kind, a) != nil || addTo(&other, kind, b) != nil {
		return false
	}
	x, err1 := json.Marshal(one)
	y, err2 := json.Marshal(other)
	return err1 == nil && err2 == nil && bytes.Equal(x, y)
}

// Rules say how the definitions of one kind are treated.
type rules[T any] struct {
	name      func(*T) *string
	canonical func(*T, span.Source)
	// users lists what refers to one of them.
	users func(ctx context.Context, l *book.Library, name string) ([]string, error)
	// what names one in messages.
	what func(name string) string
}

// spanRules are those of named spans, which spans, briefs and schedules refer to.
func spanRules(st scheduleLister) rules[book.Span] {
	return rules[book.Span]{
		name:      func(d *book.Span) *string { return &d.Name },
		canonical: canonicalSpan,
		users: func(ctx context.Context, l *book.Library, name string) ([]string, error) {
			schedules, err := schedulesWith(ctx, st, func(sc *store.Schedule) bool {
				n, err := span.Parse(sc.On)
				return err == nil && slices.Contains(span.Names(n), name)
			})
			return slices.Concat(l.AllUsers()[name], named("brief ", l.BriefsWithSpan(name)), schedules), err
		},
		what: func(name string) string { return "span @" + name },
	}
}

// calendarRules are those of calendars, which spans, briefs and schedules refer to.
func calendarRules(st scheduleLister) rules[calendar.Spec] {
	return rules[calendar.Spec]{
		name:      func(d *calendar.Spec) *string { return &d.Name },
		canonical: func(*calendar.Spec, span.Source) {},
		users: func(ctx context.Context, l *book.Library, name string) ([]string, error) {
			schedules, err := schedulesWith(ctx, st, func(sc *store.Schedule) bool {
				n, err := span.Parse(sc.On)
				return sc.Calendar == name || err == nil && slices.Contains(span.Calendars(n), name)
			})
			return slices.Concat(l.CalendarUsers(name), named("brief ", l.BriefsWithCalendar(name)), schedules), err
		},
		what: func(name string) string { return "calendar " + name },
	}
}

// A scheduleLister lists the schedules that there are.
type scheduleLister interface {
	Schedules(ctx context.Context) ([]store.Schedule, error)
}

// schedulesWith lists the schedules for which something holds.
func schedulesWith(ctx context.Context, st scheduleLister, holds func(*store.Schedule) bool) ([]string, error) {
	list, err := st.Schedules(ctx)
	var names []string
	for i := range list {
		if holds(&list[i]) {
			names = append(names, list[i].Name)
		}
	}
	return named("schedule ", names), err
}

// named says of what kind names are.
func named(kind string, names []string) []string {
	list := make([]string, len(names))
	for i, name := range names {
		list[i] = kind + name
	}
	return list
}

var holidaysRules = rules[book.Holidays]{
	name:      func(d *book.Holidays) *string { return &d.Name },
	canonical: func(*book.Holidays, span.Source) {},
	users: func(_ context.Context, l *book.Library, name string) ([]string, error) {
		return l.HolidaysUsers(name), nil
	},
	what: func(name string) string { return "holiday list " + name },
}

// eventList is what an event list is called in messages.
const eventList = "event list"

// eventsRules are those of event lists, which spans, briefs and schedules name.
func eventsRules(st scheduleLister) rules[book.Events] {
	return rules[book.Events]{
		name:      func(d *book.Events) *string { return &d.Name },
		canonical: func(d *book.Events, _ span.Source) { d.Days = slices.Sorted(slices.Values(d.Days)) },
		users: func(ctx context.Context, l *book.Library, name string) ([]string, error) {
			schedules, err := schedulesWith(ctx, st, func(sc *store.Schedule) bool {
				n, err := span.Parse(sc.On)
				return err == nil && slices.Contains(span.Events(n), name)
			})
			return slices.Concat(l.EventUsers(name), named("brief ", l.BriefsWithEvent(name)), schedules), err
		},
		what: func(name string) string { return "event list " + name },
	}
}

// briefRules are those of briefs, which schedules refer to.
func briefRules(st scheduleLister) rules[book.Brief] {
	return rules[book.Brief]{
		name:      func(d *book.Brief) *string { return &d.Name },
		canonical: canonicalBrief,
		users: func(ctx context.Context, _ *book.Library, name string) ([]string, error) {
			return schedulesWith(ctx, st, func(sc *store.Schedule) bool { return sc.Brief == name })
		},
		what: func(name string) string { return "brief " + name },
	}
}
