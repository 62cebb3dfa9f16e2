package book

import (
	"fmt"
	"reflect"
	"slices"
	"strings"
	"testing"

	"vastspan/core/civil"
	"vastspan/core/query"
	"vastspan/core/span"
)

func TestReadIsStrict(t *testing.T) {
	for _, c := range []struct{ text, want string }{
		{"", "the book is empty"},
		{"spans: []\n", "book: 0: expected 1"},
		{"book: 2\n", "line 1: book: 2: expected 1"},
		{"book: 1\nspan: []\n", `line 2: unknown field "span"`},
		{"book: 1\nspans:\n  - {name: a, is: today, if: later}\n", `line 3: unknown field "if"`},
		{"book: 1\nspans:\n  - {name: a, is: today}\n  - {name: b, is: last month}\n", "line 4: span b: column 1: \"last month\" has two meanings"},
		{"book: 1\nspans:\n  - {name: a, is: today}\n  - {name: a, is: today}\n", "line 4: span a is defined twice"},
		{"book: 1\nspans:\n  - {name: Größe, is: today}\n", "line 3: \"Größe\" is not a name"},
		{"book: 1\nspans:\n  - {name: 'odd\u00a0blank', is: today}\n", "is not a name"},
		{"book: 1\nspans:\n  - {name: a, is: '@b'}\n  - {name: b, is: '@c'}\n  - {name: c, is: 'today or @a'}\n", "in a circle: @a → @b → @c → @a"},
		{"book: 1\nspans:\n  - {name: a, is: '@a'}\n", "in a circle: @a → @a"},
		{"book: 1\nspans:\n  - {name: closed, is: today}\n  - {name: b, is: '@clsoed'}\n", "no span is named @clsoed; did you mean @closed"},
		{"book: 1\nspans:\n  - {name: a, is: 'today, in civl'}\n", "no calendar is named civl; did you mean civil"},
		{"book: 1\nspans:\n  - {name: a, is: today, calendar: trade}\n", "line 3: span a: no calendar is named trade"},
		{"book: 1\ncalendars:\n  - {name: c, kind: months, holidays: nowhere}\n", "line 3: calendar c: holidays: no list is named nowhere"},
		{"book: 1\ncalendars:\n  - {name: c, kind: months}\n  - {name: c, kind: months}\n", "line 4: calendar c is defined twice"},
		{"book: 1\nholidays:\n  - {name: h, days: [2026-02-30]}\n", "line 3: holiday list h: 2026-02 has no day 30"},
		{"book: 1\nholidays:\n  - {name: h, days: [2026-02-20], covers: [2027]}\n", "covers: expected the first and the last year"},
		{"book: 1\nspans: [today\n", "line"},
	} {
		if _, err := Read([]byte(c.text)); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%q gives %v, want %s", c.text, err, c.want)
		}
	}
}

func TestWrittenBooksReadTheSame(t *testing.T) {
	before := library(t).Book()
	before.Spans = []Span{
		{Name: "a", Is: "last full month", About: "with: a colon, and a comma", Tags: []string{"x", "y z"}},
		{Name: "b", Is: "@a, 1 year earlier", Calendar: "trade-445"},
	}
	text, err := Write(before)
	if err != nil {
		t.Fatal(err)
	}
	l, err := Read(text)
	if err != nil {
		t.Fatalf("%v in\n%s", err, text)
	}
	if !reflect.DeepEqual(l.Book(), before) {
		t.Errorf("read again it is\n%+v, was\n%+v", l.Book(), before)
	}
}

func TestABookOfTenThousandSpans(t *testing.T) {
	b := Book{Version: 1}
	for i := range 10_000 {
		is := fmt.Sprintf("trailing %d days", i+1)
		if i > 0 && i%10 != 0 {
			is = fmt.Sprintf("@s%d or today", i-1) // chains of ten
		}
		b.Spans = append(b.Spans, Span{Name: fmt.Sprintf("s%d", i), Is: is})
	}
	text, err := Write(b)
	if err != nil {
		t.Fatal(err)
	}
	l, err := Read(text)
	if err != nil {
		t.Fatal(err)
	}
	set, err := span.Resolve(&span.Name{Name: "s9999"}, span.Scope{AsOf: civil.Of(2026, 10, 19), Names: l})
	if err != nil || set.Days() != 9991 {
		t.Errorf("the last span has %d days, %v", set.Days(), err)
	}
	if users := l.AllUsers()["s9998"]; len(users) != 1 || users[0] != "s9999" {
		t.Errorf("s9998 is used by %v", users)
	}
}

// Names that follow names many times over end in an error, not in a hang.
func TestReferencesThatMultiply(t *testing.T) {
	b := Book{Version: 1, Spans: []Span{{Name: "n0", Is: "today"}}}
	for i := 1; i < 60; i++ {
		b.Spans = append(b.Spans, Span{Name: fmt.Sprintf("n%d", i), Is: fmt.Sprintf("@n%d or (@n%[1]d, 1 day earlier)", i-1)})
	}
	l, err := Compile(b)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := span.Resolve(&span.Name{Name: "n59"}, span.Scope{AsOf: civil.Of(2026, 10, 19), Names: l}); err == nil ||
		!strings.Contains(err.Error(), "more than 10000 named spans") {
		t.Errorf("the error is %v", err)
	}
	if set, err := span.Resolve(&span.Name{Name: "n9"}, span.Scope{AsOf: civil.Of(2026, 10, 19), Names: l}); err != nil ||
		set.Days() != 10 {
		t.Errorf("ten levels give %s, %v", set, err)
	}
}

func TestNamesMoveInTheirOwnCalendar(t *testing.T) {
	text := `book: 1
calendars:
  - {name: april, kind: months, year-starts: 04-01, year-label: starting}
spans:
  - {name: year-so-far, is: year to date, calendar: april}
  - {name: before, is: "@year-so-far, 1 year earlier"}
  - {name: other, is: "year to date, in april"}
  - {name: fixed, is: "2026-Q1", calendar: april}
  - {name: fixed-before, is: "@fixed, 1 year earlier"}
`
	l, err := Read([]byte(text))
	if err != nil {
		t.Fatal(err)
	}
	for name, want := range map[string]string{
		"year-so-far": "2026-04-01/2026-10-19", "other": "2026-04-01/2026-10-19", "before": "2025-04-01/2025-10-19",
		"fixed": "2026-04-01/2026-06-30", "fixed-before": "2025-04-01/2025-06-30",
	} {
		set, err := span.Resolve(&span.Name{Name: name}, span.Scope{AsOf: civil.Of(2026, 10, 19), Names: l})
		if err != nil || set.String() != want {
			t.Errorf("@%s is %s, %v; want %s", name, set, err, want)
		}
	}
	if got := l.CalendarUsers("april"); !reflect.DeepEqual(got, []string{"year-so-far", "other", "fixed"}) {
		t.Errorf("april is used by %v", got)
	}
	if got := l.Used([]span.Node{&span.Name{Name: "fixed-before"}}); !reflect.DeepEqual(got, []string{"fixed-before", "fixed"}) {
		t.Errorf("fixed-before uses %v", got)
	}
}

func TestASecondDocumentIsRefused(t *testing.T) {
	for text, fine := range map[string]bool{
		"book: 1\n": true, "---\nbook: 1\n": true, "book: 1\n---\n": true, "book: 1\n...\n": true,
		"book: 1\n---\nbook: 1\nspans:\n  - {name: a, is: today}\n": false, "book: 1\n---\nx: [\n": false,
	} {
		if _, err := Read([]byte(text)); (err == nil) != fine {
			t.Errorf("%q gives %v", text, err)
		}
	}
}

// Books that would take the parser for ever, or all memory, are refused at once.
func TestBooksAreBounded(t *testing.T) {
	for _, text := range []string{
		strings.Repeat("[", 100_000), strings.Repeat("{a: ", 50_000), strings.Repeat("- ", 50_000), strings.Repeat("? ", 50_000),
		strings.Repeat("a: ", 50_000), "book: 1\nspans: " + strings.Repeat("[", 100) + strings.Repeat("]", 100), deep(2000),
	} {
		if _, err := Decode([]byte(text)); err == nil || !strings.Contains(err.Error(), "nested more than 30 deep") {
			t.Errorf("%.20s…: %v", text, err)
		}
	}
	for text, want := range map[string]string{
		"book: 1\nspans:\n  - &a {name: x, is: today}\n  - *a\n":                              "line 3: a book has no anchors",
		"book: 1\nspans:\n  - {name: x, is: today, about: " + strings.Repeat("ä", 2001) + "}": "span x: about has 2001 characters",
		"book: 1\nspans:\n  - {name: x, is: today}\n" + "#" + strings.Repeat("x", MaxBytes):   "at most 4194304",
	} {
		if _, err := Decode([]byte(text)); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%.60s…: %v", text, err)
		}
	}
}

// deep nests blocks.
func deep(n int) string {
	var b strings.Builder
	for i := range n {
		b.WriteString(strings.Repeat(" ", i) + "a:\n")
	}
	return b.String()
}

// A name that is nearly right is offered in the whole expression.
func TestNamesThatAreNearlyRight(t *testing.T) {
	l, err := Compile(Book{Spans: []Span{{Name: "closed-month", Is: "last full month"}}})
	if err != nil {
		t.Fatal(err)
	}
	s, err := l.Scope(civil.AsOf{Day: civil.Of(2026, 10, 19)}, query.Context{})
	if err != nil {
		t.Fatal(err)
	}
	r := span.ResolveText("@closd-month, 1 year earlier", s, false)
	if r.Error == nil || !slices.Equal(r.Error.Offers, []string{"@closed-month, 1 year earlier"}) ||
		r.Error.Error() != "column 1: no span is named @closd-month; did you mean @closed-month" {
		t.Errorf("it is refused with %+v", r.Error)
	}
	if r := span.ResolveText("@nothing-like-it", s, false); r.Error == nil || r.Error.Offers != nil {
		t.Errorf("it is refused with %+v", r.Error)
	}
}
