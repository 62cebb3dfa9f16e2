package book

import (
	"fmt"
	"slices"
	"strings"

	"vastspan/core/civil"
	"vastspan/core/event"
	"vastspan/core/naming"
	"vastspan/core/span"
)

// Events is a named list of dated occurrences, as its file has it (semantics §11).
type Events struct {
	Name string `json:"name" yaml:"name"`
	// Days are the occurrences: a day, or the first and the last day with a slash between them.
	Days []string `json:"days" yaml:"days,flow"`
	// Labels are what single occurrences are called, by their first day.
	Labels map[string]string `json:"labels,omitempty" yaml:"labels,omitempty"`
	// Covers is the first and the last civil year that the list is complete for; left out, those of its occurrences.
	Covers []int `json:"covers,omitempty" yaml:"covers,flow,omitempty"`
	// Compare is no where comparisons are not to note these days; empty is yes.
	Compare string `json:"compare,omitempty" yaml:"compare,omitempty"`
	About   string `json:"about,omitempty"   yaml:"about,omitempty"`
}

// Compile checks the list. Errors say which of its occurrences is wrong, and why.
func (e *Events) Compile() (*event.List, error) {
	if err := naming.Check(e.Name); err != nil {
		return nil, err
	}
	if e.Compare != "" && e.Compare != "yes" && e.Compare != "no" {
		return nil, fmt.Errorf("event list %s: compare: %q: expected yes or no", e.Name, e.Compare)
	}
	occurrences := make([]event.Occurrence, len(e.Days))
	labelled := 0
	for i, text := range e.Days {
		days, err := parseOccurrence(text)
		if err != nil {
			return nil, fmt.Errorf("event list %s: %w", e.Name, err)
		}
		label, ok := e.Labels[days.First().String()]
		if ok {
			labelled++
		}
		occurrences[i] = event.Occurrence{Days: days, Label: label}
	}
	if labelled < len(e.Labels) {
		for day := range e.Labels {
			if !slices.ContainsFunc(occurrences, func(o event.Occurrence) bool { return o.Days.First().String() == day }) {
				return nil, fmt.Errorf("event list %s: labels: no occurrence starts on %s", e.Name, day)
			}
		}
	}
	first, last, err := e.covered()
	if err != nil {
		return nil, err
	}
	return event.New(e.Name, occurrences, first, last, e.Compare != "no")
}

// parseOccurrence reads a day, or the first and the last day with a slash between them.
func parseOccurrence(text string) (civil.Interval, error) {
	first, last, several := strings.Cut(text, "/")
	from, err := civil.ParseDay(first)
	if err != nil || !several {
		return civil.One(from), err
	}
	through, err := civil.ParseDay(last)
	if err == nil && through < from {
		err = fmt.Errorf("%s: its last day is before its first", text)
	}
	return civil.Through(from, through), err
}

func (e *Events) covered() (first, last int, err error) {
	switch len(e.Covers) {
	case 0:
		return 0, 0, nil
	case 2:
		return e.Covers[0], e.Covers[1], nil
	}
	return 0, 0, fmt.Errorf("event list %s: covers: expected the first and the last year, such as [2024, 2027]", e.Name)
}

func (l *Library) compileEvents(defs []Events) error {
	for i := range defs {
		list, err := defs[i].Compile()
		if err == nil && l.events[defs[i].Name] != nil {
			err = fmt.Errorf("event list %s is defined twice", defs[i].Name)
		}
		if err != nil {
			return &Fault{"events", i, err}
		}
		l.events[defs[i].Name] = list
	}
	return nil
}

// Event finds an event list by its name; see span.Source.
func (l *Library) Event(name string) (*event.List, error) {
	if list, ok := l.events[name]; ok {
		return list, nil
	}
	return nil, unknown("event list", "", name, l.EventNames())
}

// Events returns the event lists as the book has them.
func (l *Library) Events() []*event.List {
	lists := make([]*event.List, len(l.book.Events))
	for i := range l.book.Events {
		lists[i] = l.events[l.book.Events[i].Name]
	}
	return lists
}

// ComparedEvents lists the event lists whose days comparisons look at.
func (l *Library) ComparedEvents() []*event.List {
	var lists []*event.List
	for _, list := range l.Events() {
		if list.Compared {
			lists = append(lists, list)
		}
	}
	return lists
}

// EventNames lists the event lists as the book has them.
func (l *Library) EventNames() []string {
	names := make([]string, len(l.book.Events))
	for i := range l.book.Events {
		names[i] = l.book.Events[i].Name
	}
	return names
}

// EventUsers lists the spans that name an event.
func (l *Library) EventUsers(name string) []string {
	var users []string
	for _, user := range l.order {
		if slices.Contains(span.Events(l.spans[user].node), name) {
			users = append(users, user)
		}
	}
	return users
}

// BriefsWithEvent lists the briefs that name an event in an expression.
func (l *Library) BriefsWithEvent(name string) []string {
	return l.briefsWith(func(_ *Brief, n span.Node) bool { return n != nil && slices.Contains(span.Events(n), name) })
}

// EventsUsed lists the events that expressions name, directly or by the spans that they use.
func (l *Library) EventsUsed(nodes []span.Node) []string {
	var used []string
	add := func(n span.Node) {
		for _, name := range span.Events(n) {
			if !slices.Contains(used, name) {
				used = append(used, name)
			}
		}
	}
	for _, n := range nodes {
		add(n)
	}
	for _, name := range l.Used(nodes) {
		add(l.spans[name].node)
	}
	return used
}
