package tally

import (
	"cmp"
	"slices"

	"vastspan/core/dataset"
	"vastspan/core/decimal"
)

// A Top is the values of the first category that are kept apart, in the order of their rank, and how
// many others there are, which are put together.
type Top struct {
	Values []dataset.Label
	Others int
	kept   map[dataset.Label]bool
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

// RankTop finds the values of the first category to keep among partial results that are not yet put
// together.
func (p *Plan) RankTop(partials func(yield func(*Partial) bool)) (*Top, error) {
	type ranked struct {
		label dataset.Label
		part  Part
		value decimal.Value
	}
	index := map[dataset.Label]int{}
	var list []ranked
	for f := range partials {
		i, ok := index[f.Group[0]]
		if !ok {
			i = len(list)
			index[f.Group[0]] = i
			list = append(list, ranked{label: f.Group[0]})
		}
		if p.In(f.Segment, 0) {
			if err := list[i].part.mergeSums(&f.Part); err != nil {
				return nil, err
			}
		}
	}
	by, _ := p.Ranking()
	for i := range list {
		values, err := p.figures(&list[i].part, make([]decimal.Value, len(p.Holistic)))
		if err != nil {
			return nil, err
		}
		list[i].value = values[by]
	}
	slices.SortFunc(list, func(a, b ranked) int {
		set := map[bool]int{true: 1}
		byValue := set[b.value.Set] - set[a.value.Set]
		if a.value.Set && b.value.Set {
			byValue = b.value.Decimal.Cmp(&a.value.Decimal)
		}
		return cmp.Or(byValue, a.label.Compare(b.label))
	})
	kept := []dataset.Label{}
	for i := range min(p.Top, len(list)) {
		kept = append(kept, list[i].label)
	}
	return NewTop(kept, len(list)-len(kept)), nil
}
