// Package book keeps definitions together: named spans, calendars, holiday lists, event lists and briefs, as a YAML file
// that can be kept in version control, and as a compiled Library that expressions are read against.
// It does not store anything itself.
package book

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/event"
	"vastspan/core/naming"
	"vastspan/core/query"
	"vastspan/core/span"
)

// A Book is a set of definitions, as its file has them. They refer to one another by name.
type Book struct {
	Version   int             `yaml:"book"`
	Holidays  []Holidays      `yaml:"holidays,omitempty"`
	Calendars []calendar.Spec `yaml:"calendars,omitempty"`
	Events    []Events        `yaml:"events,omitempty"`
	Spans     []Span          `yaml:"spans,omitempty"`
	Briefs    []Brief         `yaml:"briefs,omitempty"`
}

// Holidays is a named list of days. Covers gives the first and the last civil year that the list is
// complete for; left out, those of its first and last day.
type Holidays struct {
	Name   string   `json:"name"             yaml:"name"`
	Days   []string `json:"days"             yaml:"days,flow"`
	Covers []int    `json:"covers,omitempty" yaml:"covers,flow,omitempty"`
}

// A Span is a named expression, read in its own calendar if it names one.
type Span struct {
	Name     string   `json:"name"               yaml:"name"`
	Is       string   `json:"is"                 yaml:"is"`
	Calendar string   `json:"calendar,omitempty" yaml:"calendar,omitempty"`
	About    string   `json:"about,omitempty"    yaml:"about,omitempty"`
	Tags     []string `json:"tags,omitempty"     yaml:"tags,flow,omitempty"`
}

// A Library is a compiled book. It answers for every name in it and is safe for use at once by many.
type Library struct {
	spans     map[string]entry
	calendars map[string]*calendar.Calendar
	events    map[string]*event.List
	order     []string // span names as the book has them
	book      Book
	versions  []query.Definition
	revision  int64
}

type entry struct {
	node     span.Node
	calendar *calendar.Calendar
}

// A Fault is one thing wrong in a book: where (holidays, calendars, events, spans or briefs, and the position in
// that list) and what.
type Fault struct {
	List  string
	Index int
	Err   error
}

func (f *Fault) Error() string { return f.Err.Error() }
func (f *Fault) Unwrap() error { return f.Err }

// Kinds of definitions, as versions name them.
const (
	SpanKind     = "span"
	CalendarKind = "calendar"
	HolidaysKind = "holidays"
	BriefKind    = "brief"
	EventsKind   = "events"
)

// WithVersions states the versions that a library was compiled from, and the revision of all of them:
// a number that grows with every change. What is made with the library names these, whatever is changed
// meanwhile.
func (l *Library) WithVersions(versions []query.Definition, revision int64) *Library {
	with := *l
	with.versions, with.revision = versions, revision
	return &with
}

// Revision returns the number that grows with every change of any definition; 0 where there is none.
func (l *Library) Revision() int64 { return l.revision }

// Compile checks every definition and the names between them. The civil calendar is always there;
// a book may restate it. Errors are *Fault.
func Compile(b Book) (*Library, error) {
	l := &Library{
		spans:     make(map[string]entry, len(b.Spans)),
		calendars: map[string]*calendar.Calendar{calendar.Civil.Name(): calendar.Civil},
		events:    make(map[string]*event.List, len(b.Events)),
		book:      b,
	}
	lists, err := compileHolidays(b.Holidays)
	if err != nil {
		return nil, err
	}
	if err := l.compileCalendars(b.Calendars, lists); err != nil {
		return nil, err
	}
	if err := l.compileEvents(b.Events); err != nil {
		return nil, err
	}
	if err := l.compileSpans(b.Spans); err != nil {
		return nil, err
	}
	if err := compileBriefs(b.Briefs); err != nil {
		return nil, err
	}
	return l, nil
}

func compileHolidays(defs []Holidays) (map[string]*calendar.Holidays, error) {
	lists := make(map[string]*calendar.Holidays, len(defs))
	for i, def := range defs {
		list, err := def.compile()
		if err == nil && lists[def.Name] != nil {
			err = fmt.Errorf("holiday list %s is defined twice", def.Name)
		}
		if err != nil {
			return nil, &Fault{"holidays", i, err}
		}
		lists[def.Name] = list
	}
	return lists, nil
}

func (h Holidays) compile() (*calendar.Holidays, error) {
	if err := naming.Check(h.Name); err != nil {
		return nil, err
	}
	days := make([]civil.Day, len(h.Days))
	for i, text := range h.Days {
		d, err := civil.ParseDay(text)
		if err != nil {
			return nil, fmt.Errorf("holiday list %s: %w", h.Name, err)
		}
		days[i] = d
	}
	switch len(h.Covers) {
	case 0:
		return calendar.NewHolidays(h.Name, days, 0, 0)
	case 2:
		return calendar.NewHolidays(h.Name, days, h.Covers[0], h.Covers[1])
	}
	return nil, fmt.Errorf("holiday list %s: covers: expected the first and the last year, such as [2024, 2027]", h.Name)
}

func (l *Library) compileCalendars(specs []calendar.Spec, lists map[string]*calendar.Holidays) error {
	seen := map[string]bool{}
	for i, s := range specs {
		list, known := lists[s.Holidays]
		var cal *calendar.Calendar
		var err error
		switch {
		case seen[s.Name]:
			err = fmt.Errorf("calendar %s is defined twice", s.Name)
		case s.Holidays != "" && !known:
			err = fmt.Errorf("calendar %s: holidays: no list is named %s", s.Name, s.Holidays)
		default:
			cal, err = calendar.Build(s, list)
		}
		if err != nil {
			return &Fault{"calendars", i, err}
		}
		seen[s.Name] = true
		l.calendars[s.Name] = cal
	}
	return nil
}

func (l *Library) compileSpans(spans []Span) error {
	for i, s := range spans {
		e, err := l.compileSpan(s)
		if err != nil {
			return &Fault{"spans", i, err}
		}
		l.spans[s.Name] = e
		l.order = append(l.order, s.Name)
	}
	checked := make(map[string]bool, len(spans))
	for i, s := range spans {
		if err := l.checkReferences(s.Name, nil, checked); err != nil {
			return &Fault{"spans", i, fmt.Errorf("span %s: %w", s.Name, err)}
		}
	}
	return nil
}

func (l *Library) compileSpan(s Span) (entry, error) {
	if err := naming.Check(s.Name); err != nil {
		return entry{}, err
	}
	if _, ok := l.spans[s.Name]; ok {
		return entry{}, fmt.Errorf("span %s is defined twice", s.Name)
	}
	n, err := span.Parse(s.Is)
	if err != nil {
		return entry{}, fmt.Errorf("span %s: %w", s.Name, err)
	}
	e := entry{node: n}
	if s.Calendar != "" {
		if e.calendar, err = l.Calendar(s.Calendar); err != nil {
			return entry{}, fmt.Errorf("span %s: %w", s.Name, err)
		}
	}
	return e, nil
}

// checkReferences refuses names that are not there and circles, below one span.
func (l *Library) checkReferences(name string, path []string, checked map[string]bool) error {
	if i := slices.Index(path, name); i >= 0 {
		return fmt.Errorf("the spans refer to one another in a circle: @%s", strings.Join(append(path[i:], name), " → @"))
	}
	if checked[name] {
		return nil
	}
	e, ok := l.spans[name]
	if !ok {
		_, _, err := l.Span(name)
		return err
	}
	path = append(path, name)
	for _, cal := range span.Calendars(e.node) {
		if _, err := l.Calendar(cal); err != nil {
			return err
		}
	}
	for _, name := range span.Events(e.node) {
		if _, err := l.Event(name); err != nil {
			return err
		}
	}
	for _, ref := range span.Names(e.node) {
		if err := l.checkReferences(ref, path, checked); err != nil {
			return err
		}
	}
	checked[name] = true
	return nil
}

// Check refuses an expression that names a span, a calendar or an event which is not in the library.
func (l *Library) Check(n span.Node) error {
	for _, name := range span.Names(n) {
		if _, _, err := l.Span(name); err != nil {
			return err
		}
	}
	for _, name := range span.Calendars(n) {
		if _, err := l.Calendar(name); err != nil {
			return err
		}
	}
	for _, name := range span.Events(n) {
		if _, err := l.Event(name); err != nil {
			return err
		}
	}
	return nil
}

// Span finds a named span; see span.Source.
func (l *Library) Span(name string) (span.Node, *calendar.Calendar, error) {
	if e, ok := l.spans[name]; ok {
		return e.node, e.calendar, nil
	}
	return nil, nil, unknown("span", "@", name, l.order)
}

// Calendar finds a calendar by its name; see span.Source.
func (l *Library) Calendar(name string) (*calendar.Calendar, error) {
	if c, ok := l.calendars[name]; ok {
		return c, nil
	}
	return nil, unknown("calendar", "", name, l.CalendarNames())
}

// OwnCivil returns the layout in words of the civil calendar that the book has instead of the built-in one; empty where
// it has none, or one laid out alike.
func (l *Library) OwnCivil() string {
	own := l.calendars[calendar.Civil.Name()].Layout()
	if own == calendar.Civil.Layout() {
		return ""
	}
	return own
}

func unknown(kind, sign, name string, known []string) error {
	e := &span.Error{Message: fmt.Sprintf("no %s is named %s%s", kind, sign, name)}
	switch near := naming.Nearest(name, known); {
	case near == "":
	case kind == SpanKind:
		e.Unknown, e.Near = name, near
	default:
		e.Message += "; did you mean " + near
	}
	return e
}

// CalendarNames lists the calendars, civil first, the others in the order of the alphabet.
func (l *Library) CalendarNames() []string {
	names := make([]string, 0, len(l.calendars))
	for name := range l.calendars {
		names = append(names, name)
	}
	slices.SortFunc(names, func(a, b string) int {
		if a == calendar.Civil.Name() || b == calendar.Civil.Name() {
			return cmp.Compare(boolToInt(b == calendar.Civil.Name()), boolToInt(a == calendar.Civil.Name()))
		}
		return cmp.Compare(a, b)
	})
	return names
}

func boolToInt(b bool) int {
	if b {
		return 1
	}
	return 0
}

// SpanNames lists the named spans as the book has them.
func (l *Library) SpanNames() []string { return l.order }

// Book returns the definitions that the library was compiled from.
func (l *Library) Book() Book { return l.book }
