package service

import (
	"context"
	"encoding/json"
	"slices"
	"strings"
	"time"

	"vastspan/core/book"
	"vastspan/core/naming"
	"vastspan/core/query"
	"vastspan/core/span"
	"vastspan/core/table"
	"vastspan/internal/access"
	"vastspan/internal/refused"
	"vastspan/internal/store"
)

// renameStore is where names are kept.
type renameStore interface {
	scheduleLister
	RenameDefinition(ctx context.Context, r store.Renaming, check func([]store.Definition, int64) error) (*store.Definition, error)
	RenameDataset(
		ctx context.Context, was, to string, checkSet func(*store.Dataset) error, others []store.Change,
		check func([]store.Definition, int64) error,
	) (*store.Dataset, error)
	Order(ctx context.Context, kind string, names []string) error
	Renames(ctx context.Context, after time.Time) ([]store.Rename, error)
}

// Renames renames spans, event lists and datasets, and carries what refers to them along.
type Renames struct {
	definitions *Definitions
	datasets    *Datasets
	store       renameStore
}

// A Carried is what a rename has changed besides the name: spans, briefs and schedules that refer to it.
type Carried []string

// Span renames a span, with its versions. The spans, briefs and schedules that refer to it do so by the new one.
func (s *Renames) Span(ctx context.Context, was, to string, from int64, author string) (*Stored[book.Span], Carried, error) {
	was, to = plainName(was), plainName(to)
	return renamed[book.Span](ctx, s, renaming{
		kind: book.SpanKind, noun: "span", was: was, to: to, from: from, author: author, note: "@" + was + " was renamed @" + to,
		reword: func(text string) string { return span.Renamed(text, was, to) },
	})
}

// Events renames an event list, with its versions. The spans, briefs and schedules that name it do so by the new one.
func (s *Renames) Events(ctx context.Context, was, to string, from int64, author string) (*Stored[book.Events], Carried, error) {
	was, to = plainName(was), plainName(to)
	return renamed[book.Events](ctx, s, renaming{
		kind: book.EventsKind, noun: eventList, was: was, to: to, from: from, author: author,
		note:   "event list " + was + " was renamed " + to,
		reword: func(text string) string { return span.EventRenamed(text, was, to) },
	})
}

// A renaming is another name for a definition.
type renaming struct {
	kind, noun, was, to string
	from                int64
	author, note        string
	// reword returns an expression with the new name in it.
	reword func(text string) string
}

// renamed renames a definition and rewords whatever refers to it.
func renamed[T any](ctx context.Context, s *Renames, n renaming) (*Stored[T], Carried, error) {
	if err := checkOther(n.was, n.to); err != nil {
		return nil, nil, err
	}
	c, err := s.definitions.compiled(ctx)
	if err != nil {
		return nil, nil, err
	}
	r := store.Renaming{Kind: n.kind, Was: n.was, Schedules: map[string]string{}}
	var carried Carried
	for i := range c.stored {
		d := &c.stored[i]
		change := store.Change{Kind: d.Kind, Name: d.Name, From: d.Version, Author: n.author, Note: n.note}
		if d.Kind == n.kind && d.Name == n.was {
			if change.Body, err = withName(d.Body, n.to); err != nil {
				return nil, nil, err
			}
			if change.Name = n.to; n.from != AnyVersion {
				change.From = n.from
			}
			r.Change = change
			continue
		}
		if change.Body, err = reworded(d, n.reword); err != nil {
			return nil, nil, err
		}
		if change.Body != nil {
			r.Others = append(r.Others, change)
			carried = append(carried, d.Kind+" "+d.Name)
		}
	}
	if r.Change.Name == "" {
		return nil, nil, refused.Missing(n.noun, n.was)
	}
	schedules, err := s.store.Schedules(ctx)
	if err != nil {
		return nil, nil, err
	}
	for _, sc := range schedules {
		if text := n.reword(sc.On); text != sc.On {
			r.Schedules[sc.Name] = text
			carried = append(carried, "schedule "+sc.Name)
		}
	}
	made, err := s.store.RenameDefinition(ctx, r, fits)
	if err != nil {
		return nil, nil, err
	}
	s.definitions.told()
	one, err := stored[T](made)
	return &one, carried, err
}

// withName returns the body of a definition under another name.
func withName(body json.RawMessage, name string) (json.RawMessage, error) {
	var fields map[string]any
	if err := json.Unmarshal(body, &fields); err != nil {
		return nil, err
	}
	fields["name"] = name
	return json.Marshal(fields)
}

func checkOther(was, to string) error {
	if was == to {
		return refused.Wrongf("%s is its name already", to)
	}
	return refused.Wrong(naming.Check(to))
}

// reworded returns a span or a brief with its expressions put in other words; nil where none of them is.
func reworded(d *store.Definition, words func(text string) string) (json.RawMessage, error) {
	switch d.Kind {
	case book.SpanKind:
		var sp book.Span
		if err := json.Unmarshal(d.Body, &sp); err != nil {
			return nil, err
		}
		is := words(sp.Is)
		if is == sp.Is {
			return nil, nil
		}
		sp.Is = is
		return json.Marshal(sp)
	case book.BriefKind:
		return briefBody(d, func(b *book.Brief) (*book.Brief, bool, error) { return b.Reworded(words) })
	}
	return nil, nil
}

func briefBody(d *store.Definition, change func(*book.Brief) (*book.Brief, bool, error)) (json.RawMessage, error) {
	var b book.Brief
	if err := json.Unmarshal(d.Body, &b); err != nil {
		return nil, err
	}
	renamed, changed, err := change(&b)
	if err != nil || !changed {
		return nil, err
	}
	return json.Marshal(renamed)
}

// Dataset renames a dataset. Briefs that use it are updated.
func (s *Renames) Dataset(ctx context.Context, was, to string, from int64, author string) (*Dataset, Carried, error) {
	if err := checkOther(was, to); err != nil {
		return nil, nil, err
	}
	if _, err := visible(ctx, s.datasets.store, was, access.Records); err != nil {
		return nil, nil, err
	}
	first, second := min(was, to), max(was, to) // both wait for their turn in the same order, whoever asks
	for _, name := range []string{first, second} {
		done, err := s.datasets.turns.take(ctx, name)
		if err != nil {
			return nil, nil, err
		}
		defer done()
	}
	c, err := s.definitions.compiled(ctx)
	if err != nil {
		return nil, nil, err
	}
	var others []store.Change
	var carried Carried
	for i := range c.stored {
		d := &c.stored[i]
		if d.Kind != book.BriefKind {
			continue
		}
		body, err := briefBody(d, func(b *book.Brief) (*book.Brief, bool, error) { return b.DatasetRenamed(was, to) })
		if err != nil {
			return nil, nil, err
		}
		if body != nil {
			note := "dataset " + was + " was renamed " + to
			others = append(others, store.Change{Kind: d.Kind, Name: d.Name, Body: body, From: d.Version, Author: author, Note: note})
			carried = append(carried, d.Kind+" "+d.Name)
		}
	}
	d, err := s.store.RenameDataset(ctx, was, to, func(d *store.Dataset) error { return checkDescribed(d, from) }, others, fits)
	if err != nil {
		return nil, nil, err
	}
	s.definitions.told()
	held, err := s.datasets.holding(ctx, d)
	return held, carried, err
}

// MoveSpan puts a span before another one in the order in which they are listed; at the end where before is empty.
func (s *Renames) MoveSpan(ctx context.Context, name, before string) error {
	name, before = plainName(name), plainName(before)
	l, err := s.definitions.Library(ctx)
	if err != nil {
		return err
	}
	names := slices.Clone(l.SpanNames())
	at := slices.Index(names, name)
	if at < 0 {
		return refused.Missing("span", name)
	}
	names = slices.Delete(names, at, at+1)
	to := len(names)
	if before != "" {
		if to = slices.Index(names, before); to < 0 {
			return refused.Missing("span", before)
		}
	}
	if err := s.store.Order(ctx, book.SpanKind, slices.Insert(names, to, name)); err != nil {
		return err
	}
	s.definitions.told()
	return nil
}

// understood returns the body of a receipt under the names that hold now, for what was renamed since it was created.
func (s *Renames) understood(ctx context.Context, b *ReceiptBody, since time.Time) (*ReceiptBody, error) {
	renames, err := s.store.Renames(ctx, since)
	if err != nil || len(renames) == 0 {
		return b, err
	}
	body, err := json.Marshal(b)
	if err != nil {
		return nil, err
	}
	var now ReceiptBody
	if err := json.Unmarshal(body, &now); err != nil {
		return nil, err
	}
	for _, r := range renames {
		if err := now.rename(&r); err != nil {
			return nil, err
		}
	}
	return &now, nil
}

// rename replaces an old name with a new one.
func (b *ReceiptBody) rename(r *store.Rename) (err error) {
	columns := map[string]string{} // the parts of the ids of figures that are made of what they are compared with
	names := func(list []query.Definition) {
		for i := range list {
			if list[i].Kind == r.Kind && list[i].Name == r.Was {
				list[i].Name = r.Name
			}
		}
	}
	if r.Kind == store.DatasetKind {
		dataset := func(name *string) {
			if *name == r.Was {
				*name = r.Name
			}
		}
		if b.Query != nil {
			b.Query.EachDataset(dataset)
		}
		if b.Brief != nil {
			b.Brief, _, err = b.Brief.DatasetRenamed(r.Was, r.Name)
		}
		b.renameColumns(map[string]string{r.Was: r.Name})
		for i := range b.Sources {
			dataset(&b.Sources[i].Dataset)
		}
		for i := range b.Loads {
			dataset(&b.Loads[i].Dataset)
		}
		return err
	}
	rename := span.Renamed
	if r.Kind == book.EventsKind {
		rename = span.EventRenamed
	}
	expression := func(text *string) {
		if renamed := rename(*text, r.Was, r.Name); renamed != *text {
			columns[*text], *text = renamed, renamed
		}
	}
	if b.Query != nil {
		b.Query.EachExpression(expression)
	}
	if b.Brief != nil {
		b.Brief.EachExpression(expression) // it is the body's own
	}
	b.renameColumns(columns)
	for i := range b.Cells {
		expression(&b.Cells[i].Expression)
	}
	for name, text := range b.Prompts {
		expression(&text)
		b.Prompts[name] = text
	}
	names(b.Definitions)
	for i := range b.Sources {
		names(b.Sources[i].Definitions)
	}
	return err
}

// renameColumns puts the names of columns anew that are made of what figures are compared with.
func (b *ReceiptBody) renameColumns(names map[string]string) {
	for was, name := range names {
		suffix, to := "_"+table.Suffix(was), "_"+table.Suffix(name)
		for i := range b.Cells {
			c := &b.Cells[i]
			if at := strings.LastIndex(c.ID, suffix); at >= 0 && strings.Contains(c.Figure, suffix) {
				c.ID = c.ID[:at] + to + c.ID[at+len(suffix):]
				c.Figure = strings.Replace(c.Figure, suffix, to, 1)
			}
		}
	}
}
