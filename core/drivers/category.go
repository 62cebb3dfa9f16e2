package drivers

import (
	"context"

	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/measure"
	"vastspan/core/query"
)

// column finds the effect of each value of a category, and how unevenly the change is spread over them. What has been put together is
// one value more, the others.
func (f *finder) column(ctx context.Context, name string, whole pair, total *Effect) (Column, error) {
	q := f.base
	q.By = []string{name}
	s, err := f.Sides(ctx, query.Breakdown{Query: q}, f.records)
	if err != nil {
		return Column{}, err
	}
	c := Column{Name: name, Unevenness: zero, Others: s.Others, Hidden: s.Hidden}
	left := whole
	for i, g := range s.Groups {
		p := pairOf(&s.Values[i])
		if left, err = left.less(p); err == nil {
			err = f.add(&c, g[0], p, whole, total)
		}
		if err != nil {
			return c, err
		}
	}
	if s.Hidden && !left.isZero() {
		if err := f.add(&c, dataset.Other, left, whole, total); err != nil {
			return c, err
		}
	}
	c.Unevenness, err = c.Unevenness.Over(two)
	return c, err
}

// add adds the effect of a value to a category; of a mean only where the value has anything that it is the mean of.
func (f *finder) add(c *Column, label dataset.Label, p, whole pair, total *Effect) error {
	if f.figure.Kind == measure.Mean && p.own[1].Sign() == 0 && p.other[1].Sign() == 0 {
		return nil
	}
	e, err := f.effect(c.Name, label, p, whole, total)
	if err != nil {
		return err
	}
	c.Effects = append(c.Effects, e)
	beyond, err := f.beyondShare(&e, p, whole, total)
	if err == nil {
		c.Unevenness, err = c.Unevenness.Plus(beyond)
	}
	return err
}

var two = decimal.FractionOf(decimal.Int(2))

// effect is that of one value.
func (f *finder) effect(column string, label dataset.Label, p, whole pair, total *Effect) (e Effect, err error) {
	e = Effect{Part: Category, Column: column, Value: label}
	if e.Figure, e.Counterpart, err = f.values(p); err != nil {
		return e, err
	}
	if !f.quotient() {
		e.New, e.Gone = p.other[0].Sign() == 0 && p.own[0].Sign() != 0, p.own[0].Sign() == 0 && p.other[0].Sign() != 0
		return contributed(e, p.own[0], p.other[0], total.Counterpart)
	}
	w, err := over(p.own[1], whole.own[1])
	if err != nil {
		return e, err
	}
	v, err := over(p.other[1], whole.other[1])
	if err != nil {
		return e, err
	}
	e.Rate = zero
	switch {
	case !e.Figure.Set() && !e.Counterpart.Set(): // it has nothing to divide by on either side
		e.Mix = zero
	case !e.Counterpart.Set():
		e.New = true
		e.Mix, err = weighed(w, e.Figure, total.Counterpart)
	case !e.Figure.Set():
		e.Gone = true
		e.Mix, err = weighed(v, total.Counterpart, e.Counterpart)
	default:
		if e.Rate, err = weighed(w, e.Figure, e.Counterpart); err != nil {
			return e, err
		}
		if w, err = w.Minus(v); err == nil {
			e.Mix, err = weighed(w, e.Counterpart, total.Counterpart)
		}
	}
	if err != nil {
		return e, err
	}
	if e.Difference, err = e.Mix.Plus(e.Rate); err != nil {
		return e, err
	}
	e.Contribution, err = over(e.Difference, total.Counterpart.Abs())
	return e, err
}

// weighed is a weight times the difference of two rates.
func weighed(weight, a, b decimal.Fraction) (decimal.Fraction, error) {
	d, err := a.Minus(b)
	if err != nil {
		return d, err
	}
	return weight.Times(d)
}

// beyondShare is by how much a value changed beyond its share of the whole: of sums by its share of the counterpart's figure, of
// quotients by its weight there.
func (f *finder) beyondShare(e *Effect, p, whole pair, total *Effect) (decimal.Fraction, error) {
	part, all := p.other[0], whole.other[0]
	if f.quotient() {
		part, all = p.other[1], whole.other[1]
	}
	share, err := over(part, all)
	if err != nil || !share.Set() {
		return e.Difference.Abs(), err
	}
	due, err := total.Difference.Times(share)
	if err != nil {
		return due, err
	}
	beyond, err := e.Difference.Minus(due)
	return beyond.Abs(), err
}
