package service

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"testing"

	"vastspan/core/book"
	"vastspan/core/dataset"
	"vastspan/core/measure"
	"vastspan/core/query"
	"vastspan/internal/refused"
	"vastspan/internal/store"
)

// memory keeps definitions in memory, as the database does.
type memory struct {
	mu       sync.Mutex
	current  []store.Definition
	past     []store.DefinitionVersion
	revision int64
	read     int           // how often all of them were read
	hold     chan struct{} // where it is set, a reading waits for it
}

func (m *memory) Revision(context.Context) (int64, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	return m.revision, nil
}

func (m *memory) Definitions(context.Context) ([]store.Definition, int64, error) {
	if m.hold != nil {
		<-m.hold
	}
	m.mu.Lock()
	defer m.mu.Unlock()
	m.read++
	return slices.Clone(m.current), m.revision, nil
}

func (m *memory) Change(
	_ context.Context, changes []store.Change, check func([]store.Definition, int64) error,
) ([]store.Definition, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	next := slices.Clone(m.current)
	var made []store.Definition
	for _, c := range changes {
		at := slices.IndexFunc(next, func(d store.Definition) bool { return d.Kind == c.Kind && d.Name == c.Name })
		have := int64(0)
		if at >= 0 {
			have = next[at].Version
		}
		if c.From >= 0 && c.From != have {
			return nil, refused.Changed("%s %s has changed", c.Kind, c.Name)
		}
		d := store.Definition{Kind: c.Kind, Name: c.Name, Version: have + 1, Body: c.Body, Author: c.Author, Note: c.Note}
		switch {
		case c.Body == nil:
			next = slices.Delete(next, at, at+1)
		case at < 0:
			next, made = append(next, d), append(made, d)
		default:
			next[at], made = d, append(made, d)
		}
		m.past = append(m.past, store.DefinitionVersion{Kind: c.Kind, Name: c.Name, Version: d.Version, Body: c.Body, Note: c.Note})
	}
	if err := check(next, m.revision+1); err != nil {
		return nil, err
	}
	m.current = next
	m.revision++
	return made, nil
}

func (m *memory) Versions(_ context.Context, kind, name string) ([]store.DefinitionVersion, error) {
	var list []store.DefinitionVersion
	for _, v := range slices.Backward(m.past) {
		if v.Kind == kind && v.Name == name {
			list = append(list, v)
		}
	}
	return list, nil
}

// noSchedules is a store without schedules.
type noSchedules struct{}

func (noSchedules) Schedules(context.Context) ([]store.Schedule, error) { return nil, nil }

// nouns returns spans and definitions without a database.
func nouns() (*memory, *Definitions, *Noun[book.Span]) {
	m := &memory{}
	d := NewDefinitions(m)
	return m, d, &Noun[book.Span]{d, book.SpanKind, spanRules(noSchedules{})}
}

func TestSpansWithoutADatabase(t *testing.T) {
	ctx := context.Background()
	_, definitions, spans := nouns()
	made, err := spans.Put(ctx, book.Span{Name: "closed", Is: "Last 1 FULL month"}, 0, "test", "first")
	if err != nil || made.Version != 1 || made.Definition.Is != "last full month" || made.Note != "first" {
		t.Fatalf("what was made is %+v, %v", made, err)
	}
	if _, err := spans.Put(ctx, book.Span{Name: "back", Is: "@closed, 1 year earlier"}, 0, "test", ""); err != nil {
		t.Fatal(err)
	}
	var refusal *refused.Error
	if err := spans.Remove(ctx, "closed", 1, "test"); !errors.As(err, &refusal) || refusal.Code != refused.CodeInUse ||
		!slices.Equal(refusal.Names, []string{"back"}) {
		t.Errorf("removing what is in use ends with %v", err)
	}
	if _, err := spans.Put(ctx, book.Span{Name: "closed", Is: "@back"}, 1, "test", ""); err == nil || !strings.Contains(err.Error(), "circle") {
		t.Errorf("a circle ends with %v", err)
	}
	if _, err := spans.Put(ctx, book.Span{Name: "closed", Is: "today"}, 7, "test", ""); !errors.As(err, &refusal) ||
		refusal.Code != refused.CodeHasChanged {
		t.Errorf("a change of another version ends with %v", err)
	}
	briefs := &Noun[book.Brief]{definitions, book.BriefKind, briefRules(noSchedules{})}
	table := book.Item{Kind: book.TableItem, Title: "By filter", Query: query.Query{
		Dataset: "d", Over: []string{"today"}, Figures: []measure.Figure{{Kind: "count"}},
		Where: dataset.Filters{{{Column: "day", Op: dataset.In, Values: []string{"@back, 1 month earlier"}}}},
	}}
	if _, err := briefs.Put(ctx, book.Brief{Name: "weekly", Title: "Weekly", Items: []book.Item{table}}, 0, "test", ""); err != nil {
		t.Fatal(err)
	}
	if err := spans.Remove(ctx, "back", AnyVersion, "test"); !errors.As(err, &refusal) || !slices.Equal(refusal.Names, []string{"brief weekly"}) {
		t.Errorf("removing what a brief uses ends with %v", err)
	}
	if err := briefs.Remove(ctx, "weekly", AnyVersion, "test"); err != nil {
		t.Fatal(err)
	}
	changed, err := spans.Put(ctx, book.Span{Name: "closed", Is: "last 2 full months"}, 1, "test", "")
	if err != nil || changed.Version != 2 {
		t.Fatalf("%+v, %v", changed, err)
	}
	restored, err := spans.Restore(ctx, "closed", 1, "test", "")
	if err != nil || restored.Version != 3 || restored.Definition.Is != "last full month" {
		t.Errorf("restored is %+v, %v", restored, err)
	}
	l, err := definitions.Library(ctx)
	if err != nil || l.Revision() != 6 {
		t.Errorf("the library is of revision %d, %v", l.Revision(), err)
	}
}

// Many who ask at the same time wait for one reading, and nobody who leaves ends it for the others.
func TestOneReadingForAll(t *testing.T) {
	m, definitions, spans := nouns()
	if _, err := spans.Put(context.Background(), book.Span{Name: "a", Is: "today"}, 0, "test", ""); err != nil {
		t.Fatal(err)
	}
	before := m.read
	m.hold = make(chan struct{})
	definitions.current.Store(nil)
	leaving, leave := context.WithCancel(context.Background())
	var wg sync.WaitGroup
	for i := range 20 {
		ctx := context.Background()
		if i == 0 {
			ctx = leaving
		}
		wg.Go(func() {
			l, err := definitions.Library(ctx)
			if err != nil || len(l.SpanNames()) != 1 {
				t.Errorf("%v", err)
			}
		})
	}
	leave()
	close(m.hold)
	wg.Wait()
	if n := m.read - before; n < 1 || n > 3 {
		t.Errorf("the definitions were read %d times for 20 who asked at once", n)
	}
}

// What was compiled is used again until something changes.
func TestNothingIsReadTwice(t *testing.T) {
	m, definitions, spans := nouns()
	ctx := context.Background()
	for i := range 3 {
		if _, err := spans.Put(ctx, book.Span{Name: fmt.Sprintf("s%d", i), Is: "today"}, 0, "test", ""); err != nil {
			t.Fatal(err)
		}
		before := m.read
		for range 5 {
			if _, err := definitions.Library(ctx); err != nil {
				t.Fatal(err)
			}
		}
		if m.read > before+1 {
			t.Errorf("after change %d the definitions were read %d times", i+1, m.read-before)
		}
	}
}

func TestStoredDefinitionsThatDoNotFit(t *testing.T) {
	m, definitions, _ := nouns()
	m.current = []store.Definition{{Kind: book.SpanKind, Name: "a", Version: 1, Body: json.RawMessage(`{"name":"a","is":"last month"}`)}}
	m.revision = 1
	if _, err := definitions.Library(context.Background()); err == nil || !strings.Contains(err.Error(), "do not fit together") {
		t.Errorf("they compile: %v", err)
	}
}
