package service

import (
	"context"
	"encoding/json"
	"slices"

	"vastspan/core/book"
	"vastspan/internal/access"
	"vastspan/internal/refused"
)

// Briefs are the briefs. Of datasets that a caller may see nothing of, he sees no items either, and he changes no brief that has
// some.
type Briefs struct {
	*Noun[book.Brief]
	datasets *Datasets
}

// hidden returns the names of the datasets that the caller may see nothing of.
func (s *Datasets) hidden(ctx context.Context) (map[string]bool, error) {
	if access.From(ctx) == nil {
		return nil, nil
	}
	sets, err := s.store.Datasets(ctx)
	hidden := map[string]bool{}
	for i := range sets {
		if levelOf(ctx, &sets[i]) == access.Nothing {
			hidden[sets[i].Name] = true
		}
	}
	return hidden, err
}

// seenItems leaves out of a brief what is about hidden datasets.
func seenItems(b *book.Brief, hidden map[string]bool) (left int) {
	if len(hidden) == 0 {
		return 0
	}
	before := len(b.Items)
	b.Items = slices.DeleteFunc(slices.Clone(b.Items), func(it book.Item) bool {
		about := false
		one := book.Brief{Items: []book.Item{it}}
		one.EachDataset(func(name *string) { about = about || hidden[*name] })
		return about
	})
	return before - len(b.Items)
}

// List lists a part of the briefs.
func (s *Briefs) List(ctx context.Context, p Paging) (Page[Stored[book.Brief]], error) {
	page, err := s.Noun.List(ctx, p)
	if err != nil {
		return page, err
	}
	hidden, err := s.datasets.hidden(ctx)
	for i := range page.Items {
		seenItems(&page.Items[i].Definition, hidden)
	}
	return page, err
}

// Get finds a brief.
func (s *Briefs) Get(ctx context.Context, name string) (*Stored[book.Brief], error) {
	b, err := s.Noun.Get(ctx, name)
	if err != nil {
		return nil, err
	}
	hidden, err := s.datasets.hidden(ctx)
	seenItems(&b.Definition, hidden)
	return b, err
}

// Versions lists how a brief stood, newest first.
func (s *Briefs) Versions(ctx context.Context, name string, p Paging) (Page[Version], error) {
	page, err := s.Noun.Versions(ctx, name, p)
	if err != nil {
		return page, err
	}
	hidden, err := s.datasets.hidden(ctx)
	if err != nil || len(hidden) == 0 {
		return page, err
	}
	for i := range page.Items {
		v := &page.Items[i]
		if v.Definition == nil {
			continue
		}
		var b book.Brief
		if err := json.Unmarshal(v.Definition, &b); err != nil {
			return page, err
		}
		if seenItems(&b, hidden) > 0 {
			if v.Definition, err = json.Marshal(b); err != nil {
				return page, err
			}
		}
	}
	return page, nil
}

// Put replaces the version of a brief that it was made from.
func (s *Briefs) Put(ctx context.Context, b book.Brief, from int64, author, note string) (*Stored[book.Brief], error) {
	if err := s.mayChange(ctx, b.Name); err != nil {
		return nil, err
	}
	return s.Noun.Put(ctx, b, from, author, note)
}

// Restore puts an earlier version in place again.
func (s *Briefs) Restore(ctx context.Context, name string, version int64, author, note string) (*Stored[book.Brief], error) {
	if err := s.mayChange(ctx, name); err != nil {
		return nil, err
	}
	return s.Noun.Restore(ctx, name, version, author, note)
}

// mayChange refuses changes of a brief that has items about datasets that the caller may see nothing of.
func (s *Briefs) mayChange(ctx context.Context, name string) error {
	b, err := s.Noun.Get(ctx, name)
	if refused.IsMissing(err) {
		return nil
	}
	if err != nil {
		return err
	}
	hidden, err := s.datasets.hidden(ctx)
	if err == nil && seenItems(&b.Definition, hidden) > 0 {
		err = access.Refusedf("brief %s has items that you may not see: ask somebody who sees all of it to change it", b.Definition.Name)
	}
	return err
}

// Book returns the book of all definitions as YAML, without the briefs of which the caller does not see every item.
func (s *Briefs) Book(ctx context.Context) ([]byte, error) {
	l, err := s.definitions.Library(ctx)
	if err != nil {
		return nil, err
	}
	hidden, err := s.datasets.hidden(ctx)
	if err != nil {
		return nil, err
	}
	b := l.Book()
	b.Briefs = slices.DeleteFunc(slices.Clone(b.Briefs), func(brief book.Brief) bool { return seenItems(&brief, hidden) > 0 })
	return book.Write(b)
}

// LoadBook is Definitions.Load for the caller: a book that changes a brief that he does not see all of is refused.
func (s *Briefs) LoadBook(ctx context.Context, data []byte, author, note string, preview bool) ([]BookChange, error) {
	b, err := book.Decode(data)
	if err != nil {
		return nil, refused.Wrong(err)
	}
	for i := range b.Briefs {
		if err := s.mayChange(ctx, b.Briefs[i].Name); err != nil {
			return nil, err
		}
	}
	return s.definitions.Load(ctx, data, author, note, preview)
}
