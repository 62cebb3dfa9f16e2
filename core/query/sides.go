package query

import (
	"context"
	"errors"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/tally"
)

// A Breakdown asks for the figures of a query on both sides of its one comparison: by the categories of the query, and over sets of
// days.
type Breakdown struct {
	Query
	Days []civil.Set
}

// SideValues are the figures of a query on both sides, blank where a side has no record.
type SideValues struct{ Own, Other []decimal.Fraction }

// Sides are the figures of both sides of a comparison.
type Sides struct {
	Total  SideValues
	Groups [][]dataset.Label
	Values []SideValues // of each group
	Days   []SideValues // of each set of days
	// Others are how many groups have been put together, the ones that differ least; 0 where none have.
	Others int
	// Hidden reports that groups are left out, since they are of few records; TotalHidden that a side of the total is.
	Hidden, TotalHidden bool
}

// Sides answers a breakdown of one span and one comparison. Where a category has too many values, those apart from the maxTop that
// differ most are put together. Errors of the query are *Error.
func (e Evaluator) Sides(ctx context.Context, b Breakdown, main Records) (*Sides, error) {
	p, err := e.askSides(ctx, b, main, 0)
	var many *tally.TooMany
	if errors.As(err, &many) && many.Limit == tally.MaxGroups && len(b.By) == 1 {
		p, err = e.askSides(ctx, b, main, tally.MaxTop)
	}
	if err != nil {
		return nil, err
	}
	if err := disclose(ctx, p.plan); err != nil {
		return nil, err
	}
	if err := p.filtersFailed(); err != nil {
		return nil, err
	}
	if err := p.cover(ctx); err != nil {
		return nil, err
	}
	return p.read()
}

// sidesPlan is a plan with the slots of its sets of days.
type sidesPlan struct {
	*plan
	days [][2]slot
}

// askSides plans a breakdown and asks the records, keeping only so many values of the category apart where top is not 0.
func (e Evaluator) askSides(ctx context.Context, b Breakdown, main Records, top int) (*sidesPlan, error) {
	p, err := newPlan(ctx, e, b.Query, main)
	if err != nil {
		return nil, err
	}
	s := &sidesPlan{plan: p}
	sp := &p.spans[0]
	if top > 0 {
		r := &p.inputs[0].request
		r.Top, r.RankAgainst = top, sp.comparisons[0].at.period
	}
	other := sp.comparisons[0].period
	for _, days := range b.Days {
		s.days = append(s.days, [2]slot{p.on(0, onDays(sp.period, days)), p.on(0, onDays(other, days))})
	}
	return s, p.run(ctx)
}

// read reads what was found.
func (p *sidesPlan) read() (*Sides, error) {
	sp, found := &p.spans[0], p.inputs[0].result
	own, other := sp.at, sp.comparisons[0].at
	s := &Sides{Hidden: found.HiddenGroups > 0}
	if p.top != nil {
		s.Others = p.top.Others
	}
	var err error
	pair := func(a, b slot, group []dataset.Label) (v SideValues) {
		if err == nil {
			v.Own, err = p.values(a, group)
		}
		if err == nil {
			v.Other, err = p.values(b, group)
		}
		return v
	}
	s.Total = pair(own, other, p.everything())
	s.TotalHidden = p.hidden(own, p.everything()) || p.hidden(other, p.everything())
	for _, days := range p.days {
		s.Days = append(s.Days, pair(days[0], days[1], p.everything()))
	}
	if len(p.query.By) == 0 {
		return s, err
	}
	for _, g := range found.Groups {
		if p.hidden(own, g) || p.hidden(other, g) {
			s.Hidden = true
			continue
		}
		s.Groups, s.Values = append(s.Groups, g), append(s.Values, pair(own, other, g))
	}
	return s, err
}

// Heaviest finds the n records of a query with the largest values of a column, on one side of its comparison and not on both; none
// where the source does not weigh records.
func (e Evaluator) Heaviest(ctx context.Context, q Query, main Records, column string, n int) ([]tally.Heavy, error) {
	source, ok := main.Source.(tally.Weigher)
	if !ok {
		return nil, nil
	}
	p, err := newPlan(ctx, e, q, main)
	if err != nil {
		return nil, err
	}
	in, sp := p.inputs[0], &p.spans[0]
	r := in.request
	r.Periods = []tally.Period{r.Periods[sp.at.period], r.Periods[sp.comparisons[0].at.period]}
	plan, err := tally.NewPlan(r)
	if err == nil {
		err = p.checkColumns(&r, in.Schema)
	}
	if err != nil {
		return nil, err
	}
	list, err := source.Heaviest(ctx, plan, column, n)
	if err == nil {
		err = p.filtersFailed()
	}
	return list, err
}
