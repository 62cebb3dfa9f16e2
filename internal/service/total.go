package service

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"vastspan/core/book"
	"vastspan/core/civil"
	"vastspan/core/span"
	"vastspan/core/tally"
	"vastspan/internal/tabular"
)

// Total answers a question from a stored dataset.
func (s *Service) Total(ctx context.Context, dataset string, q Question) (*Total, error) {
	main, err := s.records(ctx, dataset)
	if err != nil {
		return nil, err
	}
	l, err := s.Library(ctx)
	if err != nil {
		return nil, err
	}
	asOf, err := s.day(q.AsOf, func() (civil.Day, bool, error) { return s.newest(ctx, dataset, q.Date) })
	if err != nil {
		return nil, err
	}
	t, err := Answer(ctx, main, l, asOf, q, func(name string) (Records, error) { return s.records(ctx, name) })
	if err != nil {
		return nil, err
	}
	var nodes []span.Node
	for _, r := range t.Spans {
		n, err := span.Parse(r.Text)
		if err != nil {
			return nil, err
		}
		nodes = append(nodes, n)
	}
	t.Used, err = s.used(ctx, l, nodes)
	return t, err
}

// records gives a stored dataset to be totalled.
func (s *Service) records(ctx context.Context, name string) (Records, error) {
	d, err := s.store.Dataset(ctx, name)
	if err != nil {
		return Records{}, err
	}
	return Records{name, &d.Schema, s.store.Facts(d)}, nil
}

// maxStretches bounds how many stretches of days one question may ask about.
const maxStretches = 40_000

// maxRows bounds how many rows one answer may have.
const maxRows = 400_000

// Answer resolves a question's spans, lays out one pass over the records for them, their
// counterparts and their units, runs it and puts the rows together. find gives the records that are
// set beside them.
func Answer(ctx context.Context, main Records, l *book.Library, asOf civil.Day, q Question, find func(string) (Records, error)) (*Total, error) {
	scope, err := Scope(l, asOf, q.Reading)
	if err != nil {
		return nil, err
	}
	y, err := newLayout(q, scope, main, find)
	if err != nil {
		return nil, err
	}
	for _, text := range q.Over {
		if err := y.add(text); err != nil {
			return nil, invalid(fmt.Errorf("%q: %w", text, err))
		}
		if y.stretches() > maxStretches {
			return nil, invalidf("the question asks about more than %d stretches of days: take fewer spans, longer units or shorter spans", maxStretches)
		}
	}
	if err := y.run(ctx); err != nil {
		return nil, err
	}
	result := y.sides[0].result
	t := &Total{Question: q, Dataset: main.Name, Schema: main.Schema, AsOf: asOf, Calendar: scope.Calendar.Name(), Extent: result.Extent}
	at, err := main.Schema.DateColumn(q.Date)
	if err != nil {
		return nil, err
	}
	t.Date = main.Schema.Columns[at].Name
	_, t.Folded = result.Folded()
	for i := range y.spans {
		one, err := y.answer(&y.spans[i])
		if err != nil {
			return nil, err
		}
		t.Spans = append(t.Spans, one)
	}
	return t, nil
}

// run asks each side once. The values that are kept as the top ones are those of the first.
func (y *layout) run(ctx context.Context) error {
	var groups [][]tally.Label
	seen := map[string]bool{}
	for i, side := range y.sides {
		var err error
		if side.plan, err = tally.NewPlan(side.request); err == nil {
			err = side.Schema.CheckPlan(side.plan)
		}
		if err != nil {
			if i > 0 {
				err = fmt.Errorf("beside %s: %w", side.Name, err)
			}
			return invalid(err)
		}
		if i > 0 && y.question.Top > 0 {
			side.plan.Keep(y.kept, 0)
		}
		if side.result, err = tally.Run(ctx, side.plan, side.Source); err != nil {
			return runError(err)
		}
		if i == 0 {
			y.kept, _ = side.result.Folded()
		}
		for _, g := range side.result.Groups {
			if key := tally.GroupKey(g); !seen[key] {
				seen[key] = true
				groups = append(groups, g)
			}
		}
	}
	tally.SortGroups(groups, y.kept)
	y.groups = groups
	rows := 0
	for i := range y.spans {
		rows += max(1, len(y.spans[i].rows)) * len(groups)
	}
	if rows > maxRows {
		return invalidf("the answer has %d rows, more than %d: keep the top ones, or take fewer spans, longer units or a filter", rows, maxRows)
	}
	return nil
}

// runError tells errors of the records from those of the machine.
func runError(err error) error {
	var faults *tabular.Faults
	var many *tally.TooMany
	if errors.As(err, &faults) || errors.As(err, &many) {
		return invalid(err)
	}
	return err
}

// at gives the figures of a place and a group.
func (y *layout) at(p place, group []tally.Label) []tally.Value {
	if p == nowhere {
		return make([]tally.Value, len(y.question.Figures))
	}
	return y.sides[p.side].result.At(p.stretch, group)
}

// everything is the group over all values of all categories.
func (y *layout) everything() []tally.Label {
	group := make([]tally.Label, len(y.question.By))
	for i := range group {
		group[i] = tally.All
	}
	return group
}

// answer puts the rows of a span together from the results.
func (y *layout) answer(sp *spanLayout) (SpanTotal, error) {
	t := SpanTotal{Resolved: sp.resolved, Counterparts: sp.counterparts}
	for i := range t.Counterparts {
		c := &t.Counterparts[i]
		c.Uneven = y.uneven(sp, i)
		c.EvenHelps = c.Uneven != "" && !y.question.Even && sp.resolved.Days.Hull().End > y.scope.AsOf+1
	}
	whole := rowLayout{at: sp.at, against: sp.against, previous: nowhere, running: nowhere, rolling: nowhere}
	var err error
	if t.Total, err = y.row(sp, &whole, false, y.everything()); err != nil {
		return t, err
	}
	rows, units := sp.rows, sp.rows != nil
	if !units && y.question.Each == "" {
		rows = []rowLayout{whole}
	}
	for i := range rows {
		for _, group := range y.groups {
			line, err := y.row(sp, &rows[i], units, group)
			if err != nil {
				return t, err
			}
			t.Rows = append(t.Rows, line)
		}
	}
	if y.question.Edges {
		t.Edges, err = y.edges(sp, &whole)
	}
	return t, err
}

// edges gives what rows add up to: each unit over the groups, each group over the span, and both over
// one category of two.
func (y *layout) edges(sp *spanLayout, whole *rowLayout) ([]Row, error) {
	var edges []Row
	add := func(row *rowLayout, unit bool, groups [][]tally.Label) error {
		for _, g := range groups {
			line, err := y.row(sp, row, unit, g)
			if err != nil {
				return err
			}
			edges = append(edges, line)
		}
		return nil
	}
	var margins [][]tally.Label
	for i := range y.question.By {
		if len(y.question.By) > 1 {
			for _, l := range tally.LabelsOf(y.groups, i, y.kept) {
				g := y.everything()
				g[i] = l
				margins = append(margins, g)
			}
		}
	}
	for i := range sp.rows {
		groups := margins
		if len(y.question.By) > 0 {
			groups = append(slices.Clone(margins), y.everything())
		}
		if err := add(&sp.rows[i], true, groups); err != nil {
			return nil, err
		}
	}
	if sp.rows != nil && len(y.question.By) > 0 {
		margins = slices.Concat(y.groups, margins)
	}
	return edges, add(whole, false, margins)
}

// uneven tells why a span and one of its counterparts should not stand side by side without a word.
func (y *layout) uneven(sp *spanLayout, i int) string {
	c := &sp.counterparts[i]
	side := y.sides[max(0, sp.against[i].side)]
	e := side.result.Extent
	if why := span.Uneven(sp.resolved.Days, c.Days, y.scope.AsOf, e.Oldest, e.Records > 0); why != "" {
		return why
	}
	if c.Dataset == "" {
		return ""
	}
	return y.unevenRecords(sp, sp.against[i].side)
}

// unevenRecords is uneven for other records of the same days.
func (y *layout) unevenRecords(sp *spanLayout, at int) string {
	other := y.sides[at]
	days, e := sp.resolved.Days, other.result.Extent
	if days.Empty() {
		return ""
	}
	switch {
	case e.Records == 0:
		return fmt.Sprintf("there are no records of %s", other.Name)
	case days.Hull().End > y.scope.AsOf+1 && !y.question.Planned:
		return fmt.Sprintf("cut off by the as-of day, %s, while the records of %s go on", y.scope.AsOf, other.Name)
	}
	if cut := y.cuts(at, days); cut != "" {
		return cut
	}
	if last := y.lastCovered(other, e.Newest); !days.Open() && days.Hull().Last() > last {
		return fmt.Sprintf("the records of %s end on %s, before the span does", other.Name, last)
	}
	return ""
}

// lastCovered gives the last day that records stand for.
func (y *layout) lastCovered(side *side, newest civil.Day) civil.Day {
	unit, ok := parseCovers(side.Schema)
	if !ok {
		return newest
	}
	whole, err := y.scope.Calendar.Holding(unit, newest)
	if err != nil {
		return newest
	}
	return whole.Last()
}

// row gives the figures of one stretch and group, and sets them beside others.
func (y *layout) row(sp *spanLayout, r *rowLayout, unit bool, group []tally.Label) (Row, error) {
	own := y.at(r.at, group)
	line := Row{Group: group, Values: own, Uneven: r.uneven}
	extent := y.sides[0].result.Extent
	if unit {
		line.Unit = &r.unit
		line.Incomplete = !r.window.Empty() && (extent.Records == 0 || r.window.Start < extent.Oldest)
	}
	mine := blankAhead(own, r.blank)
	for _, other := range r.against {
		comparisons, err := compareAll(mine, y.at(other, group))
		if err != nil {
			return line, err
		}
		line.Against = append(line.Against, comparisons)
	}
	var err error
	if unit && y.question.Previous {
		if line.Previous, err = compareAll(mine, y.at(r.previous, group)); err != nil {
			return line, err
		}
	}
	if unit && y.question.Running != "" {
		line.Running = blankAhead(y.at(r.running, group), r.blank)
	}
	if unit && y.question.Rolling > 0 {
		line.Rolling = blankAhead(y.at(r.rolling, group), r.blank || line.Incomplete && y.question.BlankIncomplete)
	}
	switch y.question.Share {
	case ShareOfSpan:
		line.Share, err = y.shares(mine, y.at(sp.at, y.everything()))
	case ShareOfUnit:
		line.Share, err = y.shares(mine, y.at(r.at, y.everything()))
	}
	return line, err
}

func compareAll(mine, theirs []tally.Value) ([]tally.Comparison, error) {
	list := make([]tally.Comparison, len(mine))
	for i := range mine {
		var err error
		if list[i], err = tally.Compare(mine[i], theirs[i]); err != nil {
			return nil, err
		}
	}
	return list, nil
}

// shares gives each figure that adds up as a share of the whole.
func (y *layout) shares(parts, whole []tally.Value) ([]tally.Value, error) {
	list := make([]tally.Value, len(parts))
	for i, f := range y.question.Figures {
		if !f.Kind.Shares() {
			continue
		}
		var err error
		if list[i], err = tally.Share(parts[i], whole[i]); err != nil {
			return nil, err
		}
	}
	return list, nil
}

// blankAhead blanks every figure of a row that is ahead, counts as well: a running total does not
// repeat itself into months that have not happened (semantics §8).
func blankAhead(values []tally.Value, blank bool) []tally.Value {
	if blank {
		return make([]tally.Value, len(values))
	}
	return values
}
