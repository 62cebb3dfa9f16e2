package service

import (
	"context"
	"errors"
	"slices"
	"strings"

	"vastspan/core/book"
	"vastspan/core/civil"
	"vastspan/core/daytable"
	"vastspan/core/query"
	"vastspan/core/span"
	"vastspan/internal/refused"
	"vastspan/internal/store"
)

// Expressions are what can be asked of expressions alone.
type Expressions struct {
	definitions *Definitions
	datasets    *Datasets
	// acknowledgements are of findings that are expected.
	acknowledgements acknowledgementStore
	Clock
}

// Against says against what expressions are read: as of when, in which calendar, and by which clock; the service's where
// none is stated.
type Against struct {
	query.Context
	Zone, DayStarts string
}

// read returns the current definitions, and as of when a context is read; dataset is what latest refers to.
func (e *Expressions) read(ctx context.Context, c Against, dataset string) (*book.Library, civil.AsOf, error) {
	clock, err := e.ReadClock(c.Zone, c.DayStarts)
	if err != nil {
		return nil, civil.AsOf{}, Refused(err)
	}
	var newest Newest
	if dataset != "" {
		newest = func() (civil.AsOf, bool, error) { return newestOf(ctx, e.datasets.store, dataset, "") }
	}
	asOf, err := clock.AsOf(c.AsOf, newest)
	if err != nil {
		return nil, asOf, err
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
	c Against,
) (*book.Resolutions, error) {
	l, asOf, err := e.read(ctx, c, dataset)
	if err != nil {
		return nil, err
	}
	r, err := l.Resolve(ctx, expressions, asOf, c.Context, explain)
	return r, Refused(err)
}

// Timelines resolves expressions on each of a run of as-of days, from that of the context on.
func (e *Expressions) Timelines(
	ctx context.Context,
	expressions []string,
	through civil.Day,
	c Against,
) ([]span.Timeline, error) {
	l, from, err := e.read(ctx, c, "")
	if err != nil {
		return nil, err
	}
	list, err := l.Timelines(ctx, expressions, from, through, c.Context)
	return list, Refused(err)
}

// Rehearse reads a span on a run of as-of days; 0 asks for the default number.
func (e *Expressions) Rehearse(ctx context.Context, expression string, days int, c Against) (*book.Rehearsal, error) {
	l, asOf, err := e.read(ctx, c, "")
	if err != nil {
		return nil, err
	}
	r, err := l.Rehearse(ctx, expression, asOf, days, c.Context)
	return r, Refused(err)
}

// Check checks expressions that are meant to go together, or every named span by itself.
func (e *Expressions) Check(ctx context.Context, expressions []string, days int, c Against) (*book.CheckReport, error) {
	l, asOf, err := e.read(ctx, c, "")
	if err != nil {
		return nil, err
	}
	r, err := l.CheckSpans(ctx, expressions, asOf, days, c.Context)
	if err != nil {
		return nil, Refused(err)
	}
	known, err := e.acknowledgements.Acknowledgements(ctx)
	if err != nil {
		return nil, err
	}
	for i := range r.Findings {
		f := &r.Findings[i]
		for _, a := range known {
			if a.Kind == string(f.Kind) && a.Caution == string(f.Caution) && slices.Equal(a.Spans, f.Spans) && a.Basis == basisOf(l, f.Spans) {
				f.Acknowledged = &book.Acknowledged{Author: a.Author, At: a.At, Note: a.Note}
			}
		}
	}
	return r, nil
}

// acknowledgementStore is where acknowledgements of findings are kept.
type acknowledgementStore interface {
	Acknowledge(ctx context.Context, a *store.Acknowledgement) error
	Acknowledgements(ctx context.Context) ([]store.Acknowledgement, error)
	WithdrawAcknowledgement(ctx context.Context, kind, caution string, spans []string) error
}

// A FindingName names a finding of a check: its kind, that of its caution, and its spans as they are checked.
type FindingName struct {
	Kind, Caution string
	Spans         []string
}

// Acknowledge says that a finding is expected; it holds as long as its spans are what they are now.
func (e *Expressions) Acknowledge(ctx context.Context, f FindingName, author, note string) error {
	l, err := e.definitions.Library(ctx)
	if err != nil {
		return err
	}
	if !slices.Contains(span.FindingKinds, span.FindingKind(f.Kind)) {
		return refused.Wrongf("%q is not a kind of finding: expected one of %v", f.Kind, span.FindingKinds)
	}
	for _, text := range f.Spans {
		n, err := span.ParseNamed(text, l)
		if err == nil {
			err = l.Check(n)
		}
		if err != nil {
			return Refused(err)
		}
	}
	return e.acknowledgements.Acknowledge(ctx, &store.Acknowledgement{
		Kind: f.Kind, Caution: f.Caution, Spans: f.Spans, Basis: basisOf(l, f.Spans), Author: author, Note: note,
	})
}

// Withdraw withdraws the acknowledgement of a finding.
func (e *Expressions) Withdraw(ctx context.Context, f FindingName) error {
	return e.acknowledgements.WithdrawAcknowledgement(ctx, f.Kind, f.Caution, f.Spans)
}

// basisOf writes what spans are: their expressions, those of the spans that they name, and their calendars.
func basisOf(l *book.Library, spans []string) string {
	var parts []string
	for _, text := range spans {
		n, err := span.Parse(text)
		if err != nil {
			parts = append(parts, text)
			continue
		}
		parts = append(parts, n.String())
		for _, name := range l.Used([]span.Node{n}) {
			if target, cal, err := l.Span(name); err == nil {
				part := "@" + name + " = " + target.String()
				if cal != nil {
					part += " in " + cal.Name()
				}
				parts = append(parts, part)
			}
		}
	}
	return strings.Join(parts, "\n")
}

// A Pair is two days or moments, as they are written.
type Pair struct{ From, To string }

// Elapsed returns how long it is from the first to the second of each pair; bothEnds counts the last day, too.
func (e *Expressions) Elapsed(ctx context.Context, pairs []Pair, bothEnds bool, c Against) ([]book.Elapsed, error) {
	clock, err := e.ReadClock(c.Zone, c.DayStarts)
	if err != nil {
		return nil, Refused(err)
	}
	l, err := e.definitions.Library(ctx)
	if err != nil {
		return nil, err
	}
	list := make([]book.Elapsed, len(pairs))
	for i, pair := range pairs {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		at := "/pairs/" + itoa(i)
		from, err := clock.ReadAsOf(pair.From, nil)
		if err != nil {
			return nil, Refused(pointed(at+"/from", err))
		}
		to, err := clock.ReadAsOf(pair.To, nil)
		if err != nil {
			return nil, Refused(pointed(at+"/to", err))
		}
		one, err := l.Elapsed(from, to, c.Context, bothEnds)
		if err != nil {
			return nil, Refused(err)
		}
		list[i] = *one
	}
	return list, nil
}

// pointed puts an error of a statement where the statement is.
func pointed(pointer string, err error) error {
	if wrong := (*query.Error)(nil); errors.As(err, &wrong) {
		return &query.Error{Pointer: pointer, Err: wrong.Err}
	}
	return err
}

// Days lays days out in a calendar, with a column for each span: in or out.
func (e *Expressions) Days(ctx context.Context, from, through civil.Day, spans []string, c Against) (*daytable.Table, error) {
	l, asOf, err := e.read(ctx, c, "")
	if err != nil {
		return nil, err
	}
	return DaysIn(ctx, l, from, through, asOf, spans, c.Context)
}

// DaysIn lays days out with the definitions of a library.
func DaysIn(
	ctx context.Context,
	l *book.Library,
	from, through civil.Day,
	asOf civil.AsOf,
	spans []string,
	c query.Context,
) (*daytable.Table, error) {
	s, err := l.Scope(asOf, c)
	if err != nil {
		return nil, Refused(err)
	}
	t, at, err := daytable.Lay(ctx, from, through, spans, l.Events(), s)
	switch {
	case err == nil || ctx.Err() != nil:
		return t, err
	case at >= 0:
		return nil, Refused(&query.Error{Pointer: "/spans/" + itoa(at), Err: err})
	}
	return nil, refused.Wrong(err)
}
