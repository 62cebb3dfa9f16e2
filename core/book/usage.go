package book

import (
	"slices"

	"vastspan/core/query"
	"vastspan/core/span"
)

// AllUsers lists, for each named span that others refer to, those that do so directly, as the book
// has them.
func (l *Library) AllUsers() map[string][]string {
	users := map[string][]string{}
	for _, user := range l.order {
		for _, name := range span.Names(l.spans[user].node) {
			users[name] = append(users[name], user)
		}
	}
	return users
}

// BriefsWithSpan lists the briefs that name a span, in an item, a filter or a prompt.
func (l *Library) BriefsWithSpan(name string) []string {
	return l.briefsWith(func(_ *Brief, n span.Node) bool { return n != nil && slices.Contains(span.Names(n), name) })
}

// BriefsWithCalendar lists the briefs that are read in a calendar, or name it in an expression.
func (l *Library) BriefsWithCalendar(name string) []string {
	return l.briefsWith(func(b *Brief, n span.Node) bool {
		return n == nil && b.Calendar == name || n != nil && slices.Contains(span.Calendars(n), name)
	})
}

// briefsWith lists the briefs for which something holds, of themselves or of one of their expressions.
func (l *Library) briefsWith(holds func(*Brief, span.Node) bool) []string {
	var users []string
	for i := range l.book.Briefs {
		b := &l.book.Briefs[i]
		var texts []string
		b.EachExpression(func(text *string) { texts = append(texts, *text) })
		if holds(b, nil) || slices.ContainsFunc(texts, func(text string) bool {
			n, err := span.Parse(text)
			return err == nil && holds(b, n) // a prompt is no expression, nor is every value of a filter
		}) {
			users = append(users, b.Name)
		}
	}
	return users
}

// CalendarUsers lists the spans that name a calendar, as theirs or with in.
func (l *Library) CalendarUsers(name string) []string {
	var users []string
	for i, user := range l.order {
		if l.book.Spans[i].Calendar == name || slices.Contains(span.Calendars(l.spans[user].node), name) {
			users = append(users, user)
		}
	}
	return users
}

// HolidaysUsers lists the calendars that name a holiday list.
func (l *Library) HolidaysUsers(name string) []string {
	var users []string
	for _, c := range l.book.Calendars {
		if c.Holidays == name {
			users = append(users, c.Name)
		}
	}
	return users
}

// Used lists the named spans that expressions use, directly or through others.
func (l *Library) Used(nodes []span.Node) []string {
	var used []string
	for len(nodes) > 0 {
		n := nodes[0]
		nodes = nodes[1:]
		for _, name := range span.Names(n) {
			if e, ok := l.spans[name]; ok && !slices.Contains(used, name) {
				used = append(used, name)
				nodes = append(nodes, e.node)
			}
		}
	}
	return used
}

// CalendarsUsed lists the calendars that expressions are read in, directly or by the spans that they
// use.
func (l *Library) CalendarsUsed(nodes []span.Node) []string {
	var used []string
	add := func(names ...string) {
		for _, name := range names {
			if !slices.Contains(used, name) {
				used = append(used, name)
			}
		}
	}
	for _, n := range nodes {
		add(span.Calendars(n)...)
	}
	for _, name := range l.Used(nodes) {
		e := l.spans[name]
		add(span.Calendars(e.node)...)
		if e.calendar != nil {
			add(e.calendar.Name())
		}
	}
	return used
}

// HolidaysOf lists the holiday lists of calendars.
func (l *Library) HolidaysOf(calendars []string) []string {
	var names []string
	for _, c := range l.book.Calendars {
		if c.Holidays != "" && slices.Contains(calendars, c.Name) && !slices.Contains(names, c.Holidays) {
			names = append(names, c.Holidays)
		}
	}
	return names
}

// Definitions lists the definitions that expressions use, directly or through others, and those of the
// calendar that they are read in, with the versions that the library was compiled from.
func (l *Library) Definitions(nodes []span.Node, calendar string) []query.Definition {
	calendars := append(l.CalendarsUsed(nodes), calendar)
	used := map[string][]string{
		SpanKind: l.Used(nodes), CalendarKind: calendars, HolidaysKind: l.HolidaysOf(calendars),
		EventsKind: l.EventsUsed(nodes)}
	list := []query.Definition{}
	for _, d := range l.versions {
		if slices.Contains(used[d.Kind], d.Name) {
			list = append(list, d)
		}
	}
	return list
}

// Version returns the version of a definition that the library was compiled from; 0 where it has none.
func (l *Library) Version(kind, name string) int64 {
	for _, d := range l.versions {
		if d.Kind == kind && d.Name == name {
			return d.Version
		}
	}
	return 0
}
