package service

import (
	"context"
	"encoding/json"
	"slices"
	"strconv"
	"strings"
	"time"

	"vastspan/core/book"
	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/span"
	"vastspan/internal/access"
	"vastspan/internal/refused"
	"vastspan/internal/store"
)

// A Stored is a definition as it is, with the version that it has.
type Stored[T any] struct {
	Definition T
	Version    int64
	Author     string
	Note       string
	ChangedAt  time.Time
}

// A Noun is one kind of definitions: spans, calendars, holiday lists, briefs.
type Noun[T any] struct {
	definitions *Definitions
	kind        string
	rules       rules[T]
}

func stored[T any](d *store.Definition) (Stored[T], error) {
	s := Stored[T]{Version: d.Version, Author: d.Author, Note: d.Note, ChangedAt: d.ChangedAt}
	return s, json.Unmarshal(d.Body, &s.Definition)
}

// All lists the definitions in the order in which they were created.
func (n *Noun[T]) All(ctx context.Context) ([]Stored[T], error) {
	c, err := n.definitions.compiled(ctx)
	if err != nil {
		return nil, err
	}
	list := []Stored[T]{}
	for i := range c.stored {
		if c.stored[i].Kind == n.kind {
			one, err := stored[T](&c.stored[i])
			if err != nil {
				return nil, err
			}
			list = append(list, one)
		}
	}
	return list, nil
}

// List lists a part of the definitions.
func (n *Noun[T]) List(ctx context.Context, p Paging) (Page[Stored[T]], error) {
	c, err := n.definitions.compiled(ctx)
	if err != nil {
		return Page[Stored[T]]{}, err
	}
	var kept []store.Definition
	for i := range c.stored {
		if c.stored[i].Kind == n.kind {
			kept = append(kept, c.stored[i])
		}
	}
	part, err := pageOf(kept, p, func(d store.Definition) string { return d.Name })
	if err != nil {
		return Page[Stored[T]]{}, err
	}
	page := Page[Stored[T]]{Items: []Stored[T]{}, Next: part.Next}
	for i := range part.Items {
		one, err := stored[T](&part.Items[i])
		if err != nil {
			return page, err
		}
		page.Items = append(page.Items, one)
	}
	return page, nil
}

// Get finds a definition by its name, in any case.
func (n *Noun[T]) Get(ctx context.Context, name string) (*Stored[T], error) {
	name = plainName(name)
	c, err := n.definitions.compiled(ctx)
	if err != nil {
		return nil, err
	}
	i := slices.IndexFunc(c.stored, func(d store.Definition) bool { return d.Kind == n.kind && d.Name == name })
	if i < 0 {
		return nil, refused.Missing(n.noun(), name)
	}
	one, err := stored[T](&c.stored[i])
	return &one, err
}

func (n *Noun[T]) noun() string {
	switch n.kind {
	case book.HolidaysKind:
		return "holiday list"
	case book.EventsKind:
		return eventList
	}
	return n.kind
}

// plainName lets names be given in any case and with the sign that refers to them.
func plainName(name string) string { return strings.ToLower(strings.TrimPrefix(name, "@")) }

// AnyVersion replaces a definition whatever its version is.
const AnyVersion = -1

// Put replaces the version of a definition that it was made from: 0 for a new one.
func (n *Noun[T]) Put(ctx context.Context, def T, from int64, author, note string) (*Stored[T], error) {
	name := n.rules.name(&def)
	*name = plainName(*name)
	l, err := n.definitions.Library(ctx)
	if err != nil {
		return nil, err
	}
	n.rules.canonical(&def, l)
	body, err := json.Marshal(def)
	if err != nil {
		return nil, err
	}
	return n.put(ctx, *name, body, from, author, note)
}

func (n *Noun[T]) put(ctx context.Context, name string, body []byte, from int64, author, note string) (*Stored[T], error) {
	made, err := n.definitions.change(ctx, store.Change{Kind: n.kind, Name: name, Body: body, From: from, Author: author, Note: note})
	if err != nil {
		return nil, err
	}
	one, err := stored[T](&made[0])
	return &one, err
}

// Remove removes a definition; it is refused while others refer to it, or where the version that it is
// removed from is not the current one.
func (n *Noun[T]) Remove(ctx context.Context, name string, from int64, author string) error {
	name = plainName(name)
	l, err := n.definitions.Library(ctx)
	if err != nil {
		return err
	}
	users, err := n.rules.users(ctx, l, name)
	if err != nil {
		return err
	}
	if len(users) > 0 {
		return refused.InUse(n.rules.what(name), users)
	}
	if err := n.mayRemove(ctx, name); err != nil {
		return err
	}
	_, err = n.definitions.change(ctx, store.Change{Kind: n.kind, Name: name, From: from, Author: author})
	return err
}

// mayRemove refuses the removal of a definition that somebody else created, but for administrators.
func (n *Noun[T]) mayRemove(ctx context.Context, name string) error {
	if access.Need(ctx, access.Administrator) == nil {
		return nil
	}
	versions, err := n.definitions.store.Versions(ctx, n.kind, name)
	if err != nil {
		return err
	}
	creator := ""
	for _, v := range versions {
		if v.Body == nil {
			break // it was removed before, and created again
		}
		creator = v.Author
	}
	return ownOrAdministrator(ctx, creator, n.rules.what(name))
}

// A Version is a definition as it stood; Definition is nil where it was removed.
type Version struct {
	Version    int64
	Author     string
	Note       string
	ChangedAt  time.Time
	Definition json.RawMessage
}

// Versions lists how a definition stood, newest first.
func (n *Noun[T]) Versions(ctx context.Context, name string, p Paging) (Page[Version], error) {
	stored, err := n.definitions.store.Versions(ctx, n.kind, plainName(name))
	if err != nil {
		return Page[Version]{}, err
	}
	list := make([]Version, len(stored))
	for i, v := range stored {
		list[i] = Version{v.Version, v.Author, v.Note, v.ChangedAt, v.Body}
	}
	return pageOf(list, p, func(v Version) string { return strconv.FormatInt(v.Version, 10) })
}

// Restore puts an earlier version in place again, as a new version.
func (n *Noun[T]) Restore(ctx context.Context, name string, version int64, author, note string) (*Stored[T], error) {
	name = plainName(name)
	versions, err := n.definitions.store.Versions(ctx, n.kind, name)
	if err != nil {
		return nil, err
	}
	what := n.rules.what(name)
	i := slices.IndexFunc(versions, func(v store.DefinitionVersion) bool { return v.Version == version })
	switch {
	case i < 0:
		return nil, refused.Missing("version of "+what, strconv.FormatInt(version, 10))
	case versions[i].Body == nil:
		return nil, refused.Wrongf("version %d of %s is its removal; there is nothing in it to restore", version, what)
	case i == 0:
		return nil, refused.Because(refused.CodeIsCurrent, "version %d of %s is the current version", version, what)
	}
	from := versions[0].Version
	if versions[0].Body == nil {
		from = 0 // it was removed
	}
	if note == "" {
		note = "version " + strconv.FormatInt(version, 10) + " restored"
	}
	return n.put(ctx, name, versions[i].Body, from, author, note)
}

// canonicalSpan puts the expression of a span in its canonical text.
func canonicalSpan(d *book.Span, names span.Source) { d.Is = canonical(d.Is, names) }

// canonicalBrief puts the expressions of a brief in their canonical text, and gives every item an identity.
func canonicalBrief(b *book.Brief, names span.Source) {
	b.Identify()
	for i := range b.Items {
		it := &b.Items[i]
		it.Over = canonicalList(it.Over, names)
		for j := range it.Lines {
			it.Lines[j].Over = canonicalList(it.Lines[j].Over, names)
		}
	}
}

func canonicalList(texts []string, names span.Source) []string {
	list := slices.Clone(texts)
	for i := range list {
		list[i] = canonical(list[i], names)
	}
	return list
}

// canonical returns an expression's canonical text; one that is refused stays as it is, to be refused
// when the definitions are put together.
func canonical(text string, names span.Source) string {
	if n, err := span.ParseNamed(text, names); err == nil {
		return n.String()
	}
	return text
}

// Users lists, for each named span, the spans that refer to it.
func (d *Definitions) Users(ctx context.Context) (map[string][]string, error) {
	l, err := d.Library(ctx)
	if err != nil {
		return nil, err
	}
	return l.AllUsers(), nil
}

// A CalendarView is a calendar with its layout in words. The built-in one has version 0.
type CalendarView struct {
	Stored[calendar.Spec]
	Layout string
}

// AllCalendars lists the calendars, civil first.
func (d *Definitions) AllCalendars(ctx context.Context, p Paging) (Page[CalendarView], error) {
	c, err := d.compiled(ctx)
	if err != nil {
		return Page[CalendarView]{}, err
	}
	var list []CalendarView
	for _, name := range c.library.CalendarNames() {
		view, err := c.calendar(name)
		if err != nil {
			return Page[CalendarView]{}, err
		}
		list = append(list, *view)
	}
	return pageOf(list, p, func(v CalendarView) string { return v.Definition.Name })
}

// Calendar finds a calendar.
func (d *Definitions) Calendar(ctx context.Context, name string) (*CalendarView, error) {
	c, err := d.compiled(ctx)
	if err != nil {
		return nil, err
	}
	return c.calendar(plainName(name))
}

func (c *compiled) calendar(name string) (*CalendarView, error) {
	cal, err := c.library.Calendar(name)
	if err != nil {
		return nil, refused.Missing("calendar", name)
	}
	view := &CalendarView{Stored[calendar.Spec]{Definition: cal.Spec()}, cal.Layout()}
	i := slices.IndexFunc(c.stored, func(d store.Definition) bool { return d.Kind == book.CalendarKind && d.Name == name })
	if i >= 0 {
		if view.Stored, err = stored[calendar.Spec](&c.stored[i]); err != nil {
			return nil, err
		}
	}
	return view, nil
}

// Year lays a year of a calendar out, by the number that names it.
func (e *Expressions) Year(ctx context.Context, name string, year int, asOf string) (*calendar.YearLayout, error) {
	l, err := e.definitions.Library(ctx)
	if err != nil {
		return nil, err
	}
	day, err := e.AsOf(asOf, nil)
	if err != nil {
		return nil, err
	}
	cal, err := l.Calendar(name)
	if err != nil {
		return nil, refused.Missing("calendar", name)
	}
	layout, err := cal.LayOut(year, day.Day)
	return layout, refused.Wrong(err)
}

// LayOut lays a year of a calendar out that is not kept, and gives its layout in words. A holiday list that is given is
// instead of the one of its name.
func (e *Expressions) LayOut(
	ctx context.Context,
	spec calendar.Spec,
	list *book.Holidays,
	year int,
	asOf string,
) (*calendar.YearLayout, string, error) {
	l, err := e.definitions.Library(ctx)
	if err != nil {
		return nil, "", err
	}
	day, err := e.AsOf(asOf, nil)
	if err != nil {
		return nil, "", err
	}
	lists := slices.Clone(l.Book().Holidays)
	if list != nil {
		lists = slices.DeleteFunc(lists, func(h book.Holidays) bool { return h.Name == list.Name })
		lists = append(lists, *list)
	}
	alone, err := book.Compile(book.Book{Holidays: lists, Calendars: []calendar.Spec{spec}})
	if err != nil {
		return nil, "", Refused(err)
	}
	cal, err := alone.Calendar(spec.Name)
	if err != nil {
		return nil, "", Refused(err)
	}
	layout, err := cal.LayOut(year, day.Day)
	return layout, cal.Layout(), refused.Wrong(err)
}

var _ span.Source = (*book.Library)(nil)

// dayOrNil returns a stored day.
func dayOrNil(t *time.Time) *civil.Day {
	if t == nil {
		return nil
	}
	d := store.DayOf(*t)
	return &d
}
