package tally

import (
	"cmp"
	"context"
	"slices"

	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/measure"
)

// A Top is the values of the first category that are kept apart, in the order of their rank, and how
// many others there are, which are put together.
type Top struct {
	Values []dataset.Label
	Others int
	// Tied is how many of the others have the same figure as the last value that is kept.
	Tied int
	kept map[dataset.Label]bool
}

// NewTop states which values are kept apart.
func NewTop(values []dataset.Label, others int) *Top {
	t := &Top{Values: values, Others: others, kept: make(map[dataset.Label]bool, len(values))}
	for _, l := range values {
		t.kept[l] = true
	}
	return t
}

// GroupOf returns the group that records with some labels belong to. Without a top it is the labels.
func (t *Top) GroupOf(labels []dataset.Label) []dataset.Label {
	if t == nil || t.kept[labels[0]] {
		return labels
	}
	labels = slices.Clone(labels)
	labels[0] = dataset.Other
	return labels
}

// Place orders the values of a category; Other comes after those that are kept. Without a top the
// order is that of their texts.
func (t *Top) Place(a, b dataset.Label) int {
	if t == nil {
		return a.Compare(b)
	}
	place := func(l dataset.Label) int {
		if i := slices.Index(t.Values, l); i >= 0 {
			return i
		}
		return len(t.Values)
	}
	return place(a) - place(b)
}

// A ranked is a value of a category with the figure that it is ranked by.
type ranked struct {
	label dataset.Label
	by    decimal.Fraction
}

// top keeps the values that rank highest; blanks come last, and equal figures go by their labels.
func (p *Plan) top(list []ranked) *Top {
	slices.SortFunc(list, func(a, b ranked) int { return cmp.Or(b.by.Cmp(a.by), a.label.Compare(b.label)) })
	kept := []dataset.Label{}
	for i := range min(p.Top, len(list)) {
		kept = append(kept, list[i].label)
	}
	t := NewTop(kept, len(list)-len(kept))
	for i := len(kept); i < len(list) && list[i].by.Cmp(list[len(kept)-1].by) == 0; i++ {
		t.Tied++
	}
	return t
}

// rankTop finds the values of the first category to keep among partial results that are not yet merged.
func (p *Plan) rankTop(partials func(yield func(*Partial) bool)) (*Top, error) {
	index := map[dataset.Label]int{}
	var list []ranked
	var parts [][2]Part // over the first period, and over the one that it is compared with
	periods := []int{0}
	if p.RankAgainst > 0 {
		periods = append(periods, p.RankAgainst)
	}
	for f := range partials {
		i, ok := index[f.Group[0]]
		if !ok {
			i = len(list)
			index[f.Group[0]] = i
			list, parts = append(list, ranked{label: f.Group[0]}), append(parts, [2]Part{})
		}
		for side, period := range periods {
			if !p.In(f.Segment, period) {
				continue
			}
			if err := parts[i][side].mergeSums(&f.Part); err != nil {
				return nil, err
			}
		}
	}
	for i := range list {
		var err error
		if list[i].by, err = p.rank(&parts[i]); err != nil {
			return nil, err
		}
	}
	return p.top(list), nil
}

// rank is the figure that a value is ranked by; a blank side of a difference counts as nothing.
func (p *Plan) rank(parts *[2]Part) (decimal.Fraction, error) {
	figure := func(of *Part) (decimal.Fraction, error) {
		values, err := p.figures(of, make([]decimal.Fraction, len(p.Holistic)))
		if err != nil {
			return decimal.Fraction{}, err
		}
		return values[p.RankBy], nil
	}
	own, err := figure(&parts[0])
	if err != nil || p.RankAgainst == 0 {
		return own, err
	}
	other, err := figure(&parts[1])
	if err != nil {
		return own, err
	}
	nothing := decimal.FractionOf(decimal.Int(0))
	if !own.Set() {
		own = nothing
	}
	if !other.Set() {
		other = nothing
	}
	c, err := measure.Compare(own, other)
	return c.Difference.Abs(), err
}

// ranksByValues reports whether values are ranked by a figure that partial results do not combine for.
func (p *Plan) ranksByValues() bool {
	e, _ := measure.Lookup(p.Figures[p.RankBy].Kind)
	return p.Top > 0 && p.Keep == nil && e.Holistic()
}

// rankByValues finds the values to keep by a pass of its own.
func (p *Plan) rankByValues(ctx context.Context, src Source) (*Top, error) {
	r := p.Request
	r.Figures, r.RankBy, r.By, r.Parts, r.Top, r.MinRecords = []measure.Figure{p.Figures[p.RankBy]}, 0, p.By[:1], nil, 0, 0
	pass, err := NewPlan(r)
	if err != nil {
		return nil, err
	}
	s, found, err := collect(ctx, pass, src)
	if err != nil {
		return nil, err
	}
	result, err := s.result(found)
	if err != nil {
		return nil, err
	}
	list := make([]ranked, len(result.Groups))
	for i, g := range result.Groups {
		list[i] = ranked{label: g[0]}
		if result.has(0, g) {
			list[i].by = result.At(0, g)[0]
		}
	}
	return p.top(list), nil
}
