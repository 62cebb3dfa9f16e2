package service

import (
	"context"
	"errors"

	"vastspan/core/ageing"
	"vastspan/core/book"
	"vastspan/core/civil"
	"vastspan/core/span"
	"vastspan/internal/access"
	"vastspan/internal/ingest"
	"vastspan/internal/refused"
	"vastspan/internal/store"
)

// Ageing answers how long the records of datasets last.
type Ageing struct {
	definitions *Definitions
	store       *store.Store
	Clock
}

// Answer answers a question from one state of the records.
func (s *Ageing) Answer(ctx context.Context, q ageing.Question) (*ageing.Answer, error) {
	return inState(ctx, s.store, s.Clock, q.Context, func(ctx context.Context) (*ageing.Answer, error) {
		l, err := s.definitions.Library(ctx)
		if err != nil {
			return nil, err
		}
		return s.answerWith(ctx, l, q)
	})
}

// answerWith answers a question with the definitions of a library.
func (s *Ageing) answerWith(ctx context.Context, l *book.Library, q ageing.Question) (*ageing.Answer, error) {
	if q.Dataset == "" {
		return nil, &refused.Error{Kind: refused.Invalid, Code: refused.CodeInvalid, Pointer: "/dataset", Err: errors.New("expected a dataset")}
	}
	d, err := visible(ctx, s.store, q.Dataset, access.Records)
	if err != nil {
		return nil, err
	}
	asOf, err := s.DayAsOf(q.AsOf, func() (civil.AsOf, bool, error) { return newestOf(ctx, s.store, q.Dataset, q.From) })
	if err != nil {
		return nil, err
	}
	scope, err := l.Scope(asOf, q.Context)
	if err != nil {
		return nil, Refused(err)
	}
	a, err := q.Answer(ctx, ageing.Records{Name: d.Name, Schema: &d.Schema, Source: s.store.LifetimeSource(d), Known: d.Known()}, scope)
	return a, Refused(err)
}

// Ageing answers a question about the file's records.
func (l *Local) Ageing(ctx context.Context, q ageing.Question, scope span.Scope) (*ageing.Answer, error) {
	if err := l.start(); err != nil {
		return nil, err
	}
	source := &ingest.LifetimeSource{Reader: l.reader, Schema: l.schema}
	return q.Answer(ctx, ageing.Records{Name: l.file.Name, Schema: l.schema, Source: source}, scope)
}
