package store

import (
	"context"

	"vastspan/core/ageing"
	"vastspan/internal/columnstore"
)

// LifetimeSource returns the records of a dataset as they begin and end.
func (s *Store) LifetimeSource(d *Dataset) ageing.Source {
	if d.Attached != nil {
		return s.databases.Lifetimes(d.Attached, &d.Schema)
	}
	return &storedLifetimes{s, d}
}

type storedLifetimes stored

// Lifetimes implements ageing.Source.
func (r *storedLifetimes) Lifetimes(ctx context.Context, q *ageing.Request, take func(ageing.Lifetime) error) error {
	return r.store.columns.ask(ctx, r.dataset, func(s *columnstore.State) error { return s.Lifetimes().Lifetimes(ctx, q, take) })
}
