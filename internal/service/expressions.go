package service

import (
	"context"

	"vastspan/core/book"
	"vastspan/core/civil"
	"vastspan/core/daytable"
	"vastspan/core/query"
	"vastspan/core/span"
	"vastspan/internal/refused"
)

// Expressions are what can be asked of expressions alone.
type Expressions struct {
	definitions *Definitions
	datasets    *Datasets
	Clock
}

// read returns the current definitions and the as-of day of a context; dataset is what latest refers to.
func (e *Expressions) read(ctx context.Context, c query.Context, dataset string) (*book.Library, civil.Day, error) {
	var newest Newest
	if dataset != "" {
		newest = func() (civil.Day, bool, error) { return e.datasets.newest(ctx, dataset, "") }
	}
	asOf, err := e.AsOf(c.AsOf, newest)
	if err != nil {
		return nil, 0, err
	}
	l, err := e.definitions.Library(ctx)
	return l, asOf, err
}

// Resolve resolves expressions, each by itself: one that is refused does not touch the others.
func (e *Expressions) Resolve(
	ctx context.Context,
	expressions []string,
	dataset string,
	explain bool,
	c query.Context,
) (*book.Resolutions, error) {
	l, asOf, err := e.read(ctx, c, dataset)
	if err != nil {
		return nil, err
	}
	r, err := l.Resolve(ctx, expressions, asOf, c, explain)
	return r, Refused(err)
}

// Timelines resolves expressions on each of a run of as-of days.
func (e *Expressions) Timelines(
	ctx context.Context,
	expressions []string,
	from, through civil.Day,
	c query.Context,
) ([]span.Timeline, error) {
	l, err := e.definitions.Library(ctx)
	if err != nil {
		return nil, err
	}
	list, err := l.Timelines(ctx, expressions, from, through, c)
	return list, Refused(err)
}

// Rehearse reads a span on a run of as-of days; 0 asks for the default number.
func (e *Expressions) Rehearse(ctx context.Context, expression string, days int, c query.Context) (*book.Rehearsal, error) {
	l, asOf, err := e.read(ctx, c, "")
	if err != nil {
		return nil, err
	}
	r, err := l.Rehearse(ctx, expression, asOf, days, c)
	return r, Refused(err)
}

// Check checks expressions that are meant to go together, or every named span by itself.
func (e *Expressions) Check(ctx context.Context, expressions []string, days int, c query.Context) (*book.CheckReport, error) {
	l, asOf, err := e.read(ctx, c, "")
	if err != nil {
		return nil, err
	}
	r, err := l.CheckSpans(ctx, expressions, asOf, days, c)
	return r, Refused(err)
}

// Days lays days out in a calendar, with a column for each span: in or out.
func (e *Expressions) Days(ctx context.Context, from, through civil.Day, spans []string, c query.Context) (*daytable.Table, error) {
	l, asOf, err := e.read(ctx, c, "")
	if err != nil {
		return nil, err
	}
	return DaysIn(ctx, l, from, through, asOf, spans, c)
}

// DaysIn lays days out with the definitions of a library.
func DaysIn(ctx context.Context, l *book.Library, from, through, asOf civil.Day, spans []string, c query.Context) (*daytable.Table, error) {
	s, err := l.Scope(asOf, c)
	if err != nil {
		return nil, Refused(err)
	}
	t, at, err := daytable.Lay(ctx, from, through, spans, s)
	switch {
	case err == nil || ctx.Err() != nil:
		return t, err
	case at >= 0:
		return nil, Refused(&query.Error{Pointer: "/spans/" + itoa(at), Err: err})
	}
	return nil, refused.Wrong(err)
}
