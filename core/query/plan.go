package query

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/measure"
	"vastspan/core/span"
	"vastspan/core/tally"
)

// Records are some records that can be totalled.
type Records struct {
	Name   string
	Schema *dataset.Schema
	Source tally.Source
}

// An Evaluator answers queries against a day and definitions.
type Evaluator struct {
	Scope span.Scope
	// Find returns other records by their name.
	Find func(ctx context.Context, name string) (Records, error)
	// Known leaves records after the as-of day out, unless they are planned.
	Known bool
}

// A plan collects the periods of days that a query needs of each set of records, and where each is
// found in the results.
type plan struct {
	Evaluator
	query   Query
	against []span.Against
	each    calendar.Unit
	reset   calendar.Unit
	inputs  []*input // first the records asked about, then those that they are compared with
	spans   []spanPlan
	top     *tally.Top
	groups  [][]dataset.Label
}

// An input is one set of records and what is asked of it, in one pass.
type input struct {
	Records
	request tally.Request
	result  *tally.Result
}

// A slot is where the figures of a period are found.
type slot struct{ input, period int }

// noSlot is the slot of what has no period.
var noSlot = slot{-1, -1}

// A spanPlan is one span with the slots of its figures.
type spanPlan struct {
	text        string
	node        span.Node
	days        civil.Set
	cautions    []span.Caution
	comparisons []comparison
	at          slot
	rows        []rowPlan // its units; nil where it is not broken down
}

// A comparison is what a span is compared with.
type comparison struct {
	name    string
	dataset string
	days    civil.Set
	at      slot
}

// A rowPlan is a unit of a span, or the span itself, with the slots of its figures.
type rowPlan struct {
	unit             tally.Unit
	days             civil.Set
	at               slot
	against          []slot
	againstDays      []civil.Set
	previous         slot
	running, rolling slot
	window           civil.Interval
	blank            bool // it has not happened yet: nothing runs on into it, nothing is compared
	unlike           bool
}

// newPlan reads a query and lays its spans out. Errors are *Error, or those of finding other records.
func newPlan(ctx context.Context, e Evaluator, q Query, main Records) (*plan, error) {
	p := &plan{Evaluator: e, query: q}
	if err := p.check(); err != nil {
		return nil, err
	}
	for i, text := range q.Against {
		a, err := span.ParseAgainst(text)
		if err != nil {
			return nil, errorAt(err, "/against/%d", i)
		}
		p.against = append(p.against, a)
		p.query.Against[i] = a.Text
	}
	request := tally.Request{Figures: q.Figures, By: q.By, Where: q.Where, Date: q.Date, Top: q.Top}
	p.inputs = []*input{{Records: main, request: request}}
	for i, o := range q.AgainstDataset {
		other, err := e.Find(ctx, o.Dataset)
		if err != nil {
			return nil, err
		}
		r, err := o.request(q, other)
		if err != nil {
			return nil, errorAt(fmt.Errorf("compared with %s: %w", o.Dataset, err), "/against_dataset/%d", i)
		}
		p.inputs = append(p.inputs, &input{Records: other, request: r})
	}
	for i, text := range q.Over {
		if err := p.add(i, text); err != nil {
			return nil, err
		}
		if p.listed() > span.MaxListed {
			return nil, errorAt(span.ErrTooLong, "/over/%d", i)
		}
		if p.periods() > maxPeriods {
			return nil, errorAt(
				fmt.Errorf(
					"the query asks about more than %d periods of days: take fewer spans, longer units or shorter spans",
					maxPeriods,
				),
				"/over/%d",
				i,
			)
		}
		if err := e.Scope.GoOn(ctx); err != nil {
			return nil, err
		}
	}
	return p, nil
}

// check reads the parts of a query that need no records.
func (p *plan) check() error {
	q := &p.query
	if q.Across != "" {
		if err := q.checkAcross(); err != nil {
			return errorAt(err, "/across")
		}
		q.Subtotals = true
	}
	if q.Share != "" && q.Share != ShareOfSpan && q.Share != ShareOfUnit {
		return errorAt(fmt.Errorf("share %q: expected span or unit", q.Share), "/share")
	}
	if q.Each == "" {
		for _, needs := range []struct {
			what, key string
			asked     bool
		}{
			{"a running figure", "running", q.Running != ""}, {"a rolling figure", "rolling", q.Rolling != 0},
			{"the unit before", "previous", q.Previous}, {"the share of a unit", "share", q.Share == ShareOfUnit},
		} {
			if needs.asked {
				return errorAt(fmt.Errorf("%s needs each: the unit of the rows", needs.what), "/%s", needs.key)
			}
		}
		return nil
	}
	var ok bool
	if p.each, ok = calendar.ParseUnit(q.Each); !ok || p.each == calendar.BusinessDay {
		return errorAt(fmt.Errorf("each %q: expected day, week, month, quarter, half or year", q.Each), "/each")
	}
	q.Each = p.each.String()
	if q.Running != "" && q.Running != runningSpan {
		if p.reset, ok = calendar.ParseUnit(q.Running); !ok || p.reset <= p.each {
			return errorAt(
				fmt.Errorf("running %q: expected span, or a unit longer than %s to start over with", q.Running, p.each),
				"/running",
			)
		}
		q.Running = p.reset.String()
	}
	if q.Rolling != 0 && (q.Rolling < 2 || q.Rolling > maxRolling) {
		return errorAt(fmt.Errorf("rolling %d: expected 2 to %d units", q.Rolling, maxRolling), "/rolling")
	}
	return nil
}

// checkAcross refuses a cross-tab with nothing to go down.
func (q *Query) checkAcross() error {
	if !slices.Contains(q.By, q.Across) {
		return fmt.Errorf("across %s: expected one of the categories that the total is broken down by", q.Across)
	}
	if len(q.By) == 1 && q.Each == "" {
		return fmt.Errorf("across %s: say what goes down: a unit (each), or another category (by)", q.Across)
	}
	return nil
}

// request asks other records for the same figures, under their own names of columns.
func (o *Other) request(q Query, other Records) (tally.Request, error) {
	named := func(column string) string {
		if own, ok := o.Columns[column]; ok {
			return own
		}
		return column
	}
	r := tally.Request{Date: o.Date, Where: o.Where}
	asked := slices.Clone(q.By)
	for _, f := range q.Figures {
		if f.Column != "" {
			asked = append(asked, f.Column)
			f.Column = named(f.Column)
		}
		r.Figures = append(r.Figures, f)
	}
	for _, c := range q.By {
		r.By = append(r.By, named(c))
	}
	if o.Where == nil {
		r.Where = slices.Clone(q.Where)
		for i := range r.Where {
			asked = append(asked, r.Where[i].Column)
			r.Where[i].Column = named(r.Where[i].Column)
		}
	}
	for _, column := range slices.Sorted(maps.Keys(o.Columns)) {
		if !slices.Contains(asked, column) {
			return r, fmt.Errorf("%s stands for no column of the query", column)
		}
	}
	for _, column := range asked {
		if other.Schema.Index(named(column)) < 0 {
			return r, fmt.Errorf(
				"there is no column %q; its columns are %s: say which of them stands for it",
				named(column),
				strings.Join(other.Schema.Names(), ", "),
			)
		}
	}
	for _, f := range r.Figures {
		if err := f.Check(other.Schema); err != nil {
			return r, err
		}
	}
	return r, nil
}

// on asks an input for a period.
func (p *plan) on(at int, s civil.Set) slot {
	if at == 0 && p.Known && !p.query.Planned {
		s = s.Intersect(civil.SetOf(civil.Interval{Start: civil.OpenStart, End: p.Scope.AsOf + 1}))
	}
	r := &p.inputs[at].request
	r.Periods = append(r.Periods, s)
	return slot{at, len(r.Periods) - 1}
}

func (p *plan) periods() int {
	n := 0
	for _, in := range p.inputs {
		n += len(in.request.Periods)
	}
	return n
}

// listed counts the intervals that the answer lists.
func (p *plan) listed() int {
	n := 0
	for i := range p.spans {
		sp := &p.spans[i]
		n += sp.days.Len()
		for _, c := range sp.comparisons {
			n += c.days.Len()
		}
		for j := range sp.rows {
			n += sp.rows[j].days.Len()
			for _, days := range sp.rows[j].againstDays {
				n += days.Len()
			}
		}
	}
	return n
}

// add lays one span out.
func (p *plan) add(i int, text string) error {
	n, err := span.Parse(text)
	if err != nil {
		return errorAt(err, "/over/%d", i)
	}
	p.query.Over[i] = n.String()
	resolution, err := span.Explain(n, p.Scope)
	if err == nil && p.query.LikeForLike && resolution.Days.Bounds().End > p.Scope.AsOf+1 {
		n = &span.SoFar{X: n} // it is cut where it reaches past the as-of day, and only there
		resolution, err = span.Explain(n, p.Scope)
	}
	if err != nil {
		return errorAt(err, "/over/%d", i)
	}
	sp := spanPlan{text: n.String(), node: n, days: resolution.Days, cautions: resolution.Cautions}
	if cut := p.cutsUnit(0, sp.days); cut != "" {
		sp.cautions = append(sp.cautions, span.Caution{Kind: cautionCutsUnit, Text: cut})
	}
	sp.at = p.on(0, sp.days)
	for j, a := range p.against {
		days, err := a.Resolve(n, p.Scope)
		if err != nil {
			return errorAt(fmt.Errorf("compared with %s: %w", a.Name(), err), "/against/%d", j)
		}
		sp.comparisons = append(sp.comparisons, comparison{name: a.Name(), days: days, at: p.on(0, days)})
	}
	for j, o := range p.query.AgainstDataset {
		sp.comparisons = append(sp.comparisons, comparison{name: o.Dataset, dataset: o.Dataset, days: sp.days, at: p.on(1+j, sp.days)})
	}
	if p.query.Each != "" {
		if err := p.breakDown(&sp); err != nil {
			return errorAt(err, "/over/%d", i)
		}
	}
	p.spans = append(p.spans, sp)
	return nil
}

// cautionCutsUnit is the caution that a span cuts a unit which the records stand for as a whole.
const cautionCutsUnit span.CautionKind = "cuts-unit"

// breakDown lays the units of a span out. A unit is compared with the one in the same place of the
// counterpart.
func (p *plan) breakDown(sp *spanPlan) error {
	cal := p.Scope.Calendar
	units, err := tally.Each(sp.days, cal, p.each, p.Scope.AsOf)
	if err != nil {
		return err
	}
	others := make([][]tally.Unit, len(p.against))
	for i := range p.against {
		c := &sp.comparisons[i]
		if others[i], err = tally.Each(c.days, cal, p.each, p.Scope.AsOf); err != nil {
			return fmt.Errorf("compared with %s: %w", c.name, err)
		}
	}
	for i, u := range units {
		row := rowPlan{
			unit:     u,
			days:     u.Days,
			at:       p.on(0, u.Days),
			previous: noSlot,
			running:  noSlot,
			rolling:  noSlot,
			blank:    u.Future && !p.query.Planned,
		}
		if p.query.Planned {
			u.Future = false
		}
		for _, other := range others {
			at, days := noSlot, civil.Set{}
			if i < len(other) {
				days = other[i].Days
				at = p.on(0, days)
			}
			row.against, row.againstDays = append(row.against, at), append(row.againstDays, days)
		}
		for j := range p.query.AgainstDataset {
			row.against, row.againstDays = append(row.against, p.on(1+j, u.Days)), append(row.againstDays, u.Days)
			row.unlike = row.unlike || p.cutsUnit(1+j, u.Days) != ""
		}
		if row.previous, err = p.previous(sp, i, u); err != nil {
			return err
		}
		if row.running, err = p.running(sp.days, u); err != nil {
			return err
		}
		if p.query.Rolling > 0 {
			if row.window, err = tally.Rolling(u, cal, p.each, p.query.Rolling); err != nil {
				return err
			}
			row.rolling = p.on(0, civil.SetOf(row.window))
		}
		sp.rows = append(sp.rows, row)
	}
	return nil
}

// previous returns the slot of the unit before a row: the row before it, or for the first one the whole
// unit before the span.
func (p *plan) previous(sp *spanPlan, i int, u tally.Unit) (slot, error) {
	switch {
	case !p.query.Previous:
		return noSlot, nil
	case i > 0:
		return sp.rows[i-1].at, nil
	}
	index, err := p.Scope.Calendar.Index(p.each, u.Whole.Start)
	if err != nil {
		return noSlot, err
	}
	before, err := p.Scope.Calendar.Unit(p.each, index-1)
	return p.on(0, civil.SetOf(before)), err
}

func (p *plan) running(set civil.Set, u tally.Unit) (slot, error) {
	switch p.query.Running {
	case "":
		return noSlot, nil
	case runningSpan:
		return p.on(0, tally.RunningSpan(set, u)), nil
	}
	days, err := tally.Running(set, u, p.Scope.Calendar, p.reset)
	return p.on(0, days), err
}

// measures returns the entries of the query's figures.
func (p *plan) measures() []*measure.Entry {
	list := make([]*measure.Entry, len(p.query.Figures))
	for i, f := range p.query.Figures {
		list[i], _ = measure.Lookup(f.Kind)
	}
	return list
}
