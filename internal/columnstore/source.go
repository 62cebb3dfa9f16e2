package columnstore

import (
	"context"
	"runtime"
	"slices"
	"sync/atomic"

	"golang.org/x/sync/errgroup"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/tally"
)

// Source returns the state as a source of totals.
func (f *State) Source() tally.WeighingSource { return source{f} }

type source struct{ *State }

// Partials runs over the chunks of the state; see tally.Source.
func (f source) Partials(ctx context.Context, p *tally.Plan, into tally.Collector) (tally.Found, error) {
	defer runtime.KeepAlive(f.State)
	var found tally.Found
	s := f.schema.With(p.Lengths)
	if err := p.Check(s); err != nil {
		return found, err
	}
	clock, err := s.Clock()
	if err != nil {
		return found, err
	}
	q := &question{state: f.State, plan: p, schema: s, clock: clock}
	if err := q.scanAll(); err != nil {
		return found, err
	}
	if q.multisets, err = q.needsMultisets(ctx); err != nil {
		return found, err
	}
	if found.Coverage, err = q.partials(ctx, into.Partial); err != nil {
		return found, err
	}
	if p.Date == "" {
		whole := f.Coverage()
		found.Whole = &whole
	}
	if len(p.Holistic) > 0 && !q.multisets {
		err = q.holistic(ctx, into)
	}
	return found, err
}

// Summed reports whether sums answer a plan, for every part of which any row counts.
func (s *State) Summed(p *tally.Plan) bool {
	if !summable(p, s.schema) {
		return false
	}
	for _, part := range s.parts {
		if _, _, _, ok := part.source(p, s.Change); !ok && slices.ContainsFunc(part.chunks, func(h *held) bool { return h.count() > 0 }) {
			return false
		}
	}
	return true
}

// A question is a plan put to all chunks of a state.
type question struct {
	state     *State
	plan      *tally.Plan
	schema    *dataset.Schema
	clock     civil.Clock
	scans     []*scan
	multisets bool             // values are kept as such, since they have no order in machine words
	found     []map[int64]bool // the groups of each chunk
	spaces    []*space
}

// scanAll makes the plan ready for every chunk: where sums can answer it, for them, and for the rows that are not in them.
func (q *question) scanAll() error {
	add := func(chunks []*held, s *dataset.Schema, m *summary) error {
		for _, h := range chunks {
			v, err := q.state.scan(h, q.plan, s, q.clock, m)
			if err != nil {
				return err
			}
			q.scans = append(q.scans, v)
		}
		return nil
	}
	if !summable(q.plan, q.state.schema) {
		return add(q.state.chunks, q.schema, nil)
	}
	for _, p := range q.state.parts {
		sums, of, rows, ok := p.source(q.plan, q.state.Change)
		if ok {
			if err := add(of, sums.rows, sums); err != nil {
				return err
			}
		} else {
			rows = p.chunks
		}
		rows = slices.DeleteFunc(slices.Clone(rows), func(h *held) bool { return h.count() == 0 })
		if err := add(rows, q.schema, nil); err != nil {
			return err
		}
	}
	return nil
}

// partials adds up and returns what records there are.
func (q *question) partials(ctx context.Context, take func(tally.Partial) error) (tally.Coverage, error) {
	var coverage tally.Coverage
	all := len(q.plan.Where) > 0
	if !all {
		var err error
		if coverage, err = q.state.CoverageBy(ctx, q.plan.Date); err != nil {
			return coverage, err
		}
	}
	wanted := q.segments(q.plan.Wanted)
	for _, v := range q.scans {
		list := v.stretches(wanted, all)
		workers := make([]*worker, min(runtime.GOMAXPROCS(0), max(1, len(list))))
		err := inTurns(ctx, len(list), len(workers), func(ctx context.Context, number, at int) error {
			w := workers[number]
			if w == nil {
				w = v.worker(wanted)
				w.sums, w.counting = v.newSums(), all
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
