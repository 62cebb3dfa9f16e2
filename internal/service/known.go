package service

import (
	"context"
	"errors"
	"time"

	"vastspan/core/query"
	"vastspan/internal/store"
)

// knowing returns a context in which datasets are found as they were known in the state that a question asks for; none is the newest.
func (c Clock) knowing(ctx context.Context, asked query.Context) (context.Context, error) {
	if asked.Known == "" {
		return ctx, nil
	}
	state, err := query.ParseState(asked.Known, c.by)
	if err != nil {
		return ctx, Refused(&query.Error{Pointer: "/known", Err: err})
	}
	past := store.Asked{Load: state.Load, Receipt: state.Receipt, Zone: c.by.Zone()}
	if state.Load == 0 && state.Receipt == 0 {
		past.At = time.UnixMicro(int64(state.Moment))
	}
	return store.AsKnown(ctx, past), nil
}

// inState is inSnapshot of records as a question says that they were known.
func inState[T any](
	ctx context.Context, s snapshots, c Clock, asked query.Context, work func(context.Context) (T, error),
) (made T, err error) {
	if ctx, err = c.knowing(ctx, asked); err != nil {
		return made, err
	}
	return inSnapshot(ctx, s, work)
}

// errKnown is the error of a receipt that is asked for as records were known earlier.
var errKnown = errors.New("a receipt keeps what is known when it is made: leave known out")
