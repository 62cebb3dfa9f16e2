package columns

import (
	"context"
	"runtime"
	"sync/atomic"

	"golang.org/x/sync/errgroup"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/tally"
)

// Source returns the form as a source of totals.
func (f *Form) Source() tally.Source { return source{f} }

type source struct{ *Form }

// Partials runs over the pieces of the form; see tally.Source.
func (f source) Partials(ctx context.Context, p *tally.Plan, into tally.Collector) (tally.Found, error) {
	defer runtime.KeepAlive(f.Form)
	var found tally.Found
	s := f.schema.With(p.Lengths)
	if err := p.Check(s); err != nil {
		return found, err
	}
	clock, err := s.Clock()
	if err != nil {
		return found, err
	}
	q := &question{form: f.Form, plan: p, schema: s, clock: clock}
	for _, piece := range f.pieces {
		v, err := f.view(piece, p, s, clock)
		if err != nil {
			return found, err
		}
		q.views = append(q.views, v)
	}
	if q.multisets, err = q.needsMultisets(); err != nil {
		return found, err
	}
	ranked := p.Top > 0 && p.Keep == nil
	var groups tally.Groups
	take := func(t tally.Partial) error {
		t.Group = p.Keep.GroupOf(t.Group)
		return into.Partial(t)
	}
	if ranked {
		take = func(t tally.Partial) error { return gather(&groups, p, t) }
	}
	if found.Coverage, err = q.partials(ctx, take); err != nil {
		return found, err
	}
	whole := f.Coverage()
	if p.Date == "" {
		found.Whole = &whole
	}
	if found.Top = p.Keep; ranked {
		if found.Top, err = p.RankTop(groups.Partials); err != nil {
			return found, err
		}
		for t := range groups.Partials {
			t.Group = found.Top.GroupOf(t.Group)
			if err := into.Partial(*t); err != nil {
				return found, err
			}
		}
	}
	if len(p.Holistic) > 0 && !q.multisets {
		err = q.holistic(ctx, found.Top, into)
	}
	return found, err
}

// gather keeps a partial result until it is known which values rank highest.
func gather(groups *tally.Groups, p *tally.Plan, t tally.Partial) error {
	one := groups.Group([]byte(dataset.GroupKey(t.Group)), len(p.Cuts)+1, func() []dataset.Label { return t.Group })
	if one.Parts[t.Segment] == nil {
		one.Parts[t.Segment] = &t.Part
		return nil
	}
	return one.Parts[t.Segment].Merge(&t.Part)
}

// A question is a plan put to all pieces of a form.
type question struct {
	form      *Form
	plan      *tally.Plan
	schema    *dataset.Schema
	clock     civil.Clock
	views     []*view
	multisets bool             // values are kept as such, since they have no order in machine words
	found     []map[int64]bool // the groups of each piece
	spaces    []*space
}

// partials adds up and returns what records there are.
func (q *question) partials(ctx context.Context, take func(tally.Partial) error) (tally.Coverage, error) {
	var coverage tally.Coverage
	all := len(q.plan.Where) > 0
	wanted := q.segments(q.plan.Wanted)
	for _, v := range q.views {
		list := v.stretches(wanted, all)
		workers := make([]*worker, min(runtime.GOMAXPROCS(0), max(1, len(list))))
		err := inTurns(ctx, len(list), len(workers), func(ctx context.Context, number, at int) error {
			w := workers[number]
			if w == nil {
				w = v.worker(wanted)
				w.sums = v.newSums()
				workers[number] = w
			}
			s := list[at]
			return w.each(ctx, s, func() error { return w.sums.add(w, s.segment, q.multisets) })
		})
		if err != nil {
			return coverage, err
		}
		found := map[int64]bool{}
		for _, w := range workers {
			if w == nil {
				continue
			}
			coverage.Merge(w.coverage)
			for _, of := range w.sums.taken {
				found[of%v.groups] = true
			}
			if err := w.sums.each(q.multisets, take); err != nil {
				return coverage, err
			}
		}
		q.found = append(q.found, found)
		if v.own && !all {
			coverage.Merge(v.coverage())
		}
	}
	return coverage, nil
}

// segments lists which segments of the plan are wanted.
func (q *question) segments(wanted func(segment int) bool) []bool {
	list := make([]bool, len(q.plan.Cuts)+1)
	for segment := range list {
		list[segment] = wanted(segment)
	}
	return list
}

// inTurns lets some workers take numbers below n, one after the other.
func inTurns(ctx context.Context, n, workers int, work func(ctx context.Context, worker, at int) error) error {
	var next atomic.Int64
	g, ctx := errgroup.WithContext(ctx)
	for number := range workers {
		g.Go(func() error {
			return guarded(func() error {
				for {
					at := int(next.Add(1)) - 1
					if at >= n {
						return nil
					}
					if err := work(ctx, number, at); err != nil {
						return err
					}
				}
			})
		})
	}
	return g.Wait()
}
