package tally

import (
	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/measure"
)

// A Part is what some records come to: their number, and of each amount of a plan its sums. It is the
// one thing that is merged.
type Part struct {
	Count int64
	// Oldest and Newest are the days of the records, where the plan asks for them and there are any.
	Oldest, Newest civil.Day
	Sums           []measure.Sums     // as many as the plan's Amounts, or none
	First, Last    []measure.Point    // where they are asked for
	Values         []measure.Multiset // as many as the plan's ValueColumns, where the source gives them
}

// NewPart returns a part of no records, ready for what a plan needs of records that are read.
func (p *Plan) NewPart() *Part {
	t := &Part{Sums: make([]measure.Sums, len(p.Amounts))}
	if p.NeedsFirstLast() {
		t.First, t.Last = make([]measure.Point, len(p.Amounts)), make([]measure.Point, len(p.Amounts))
	}
	for range p.ValueColumns {
		t.Values = append(t.Values, measure.Multiset{})
	}
	return t
}

// Merge takes another part in.
func (t *Part) Merge(u *Part) error {
	if err := t.mergeSums(u); err != nil {
		return err
	}
	if t.Values == nil && u.Values != nil {
		t.Values = make([]measure.Multiset, len(u.Values))
		for i := range t.Values {
			t.Values[i] = measure.Multiset{}
		}
	}
	for i := range u.Values {
		t.Values[i].AddAll(u.Values[i])
	}
	return nil
}

// mergeSums takes another part in, but for its values.
func (t *Part) mergeSums(u *Part) error {
	t.AddDays(u.Count, u.Oldest, u.Newest)
	t.Count += u.Count
	if t.Sums == nil && u.Sums != nil {
		t.Sums = make([]measure.Sums, len(u.Sums))
	}
	for i := range u.Sums {
		if err := t.Sums[i].Merge(&u.Sums[i]); err != nil {
			return err
		}
	}
	if t.First == nil && u.First != nil {
		t.First, t.Last = make([]measure.Point, len(u.First)), make([]measure.Point, len(u.First))
	}
	for i := range u.First {
		t.First[i].TakeEarlier(&u.First[i])
		t.Last[i].TakeLater(&u.Last[i])
	}
	return nil
}

// AddDays takes the days of some more records in, before they are counted.
func (t *Part) AddDays(records int64, oldest, newest civil.Day) {
	switch {
	case records == 0:
	case t.Count == 0:
		t.Oldest, t.Newest = oldest, newest
	default:
		t.Oldest, t.Newest = min(t.Oldest, oldest), max(t.Newest, newest)
	}
}

// amount returns what one amount of the part comes to; nil where it has none.
func (t *Part) amount(i int) (*measure.Amount, error) {
	if t.Sums == nil {
		return nil, nil
	}
	a, err := t.Sums[i].Amount()
	if t.First != nil {
		a.First, a.Last = t.First[i], t.Last[i]
	}
	return &a, err
}

// figures makes the plan's figures of a part; holistic has the values of those that a source gave on
// their own.
func (p *Plan) figures(t *Part, holistic []decimal.Fraction) ([]decimal.Fraction, error) {
	values := make([]decimal.Fraction, len(p.Figures))
	for i, f := range p.Figures {
		e, _ := measure.Lookup(f.Kind)
		parts := measure.Parts{Records: t.Count}
		switch {
		case !e.OfColumn():
		case e.Holistic():
			if holistic != nil {
				values[i] = holistic[p.holistic(f)]
				continue
			}
			if t.Values != nil {
				parts.Values = t.Values[p.valueColumn(f.Column)]
			}
		default:
			var err error
			if parts.Amount, err = t.amount(p.amount(f.Column)); err != nil {
				return nil, err
			}
			if e.Pair {
				if parts.Over, err = t.amount(p.amount(f.Over)); err != nil {
					return nil, err
				}
			}
		}
		v, err := e.Finish(parts)
		if err != nil {
			return nil, err
		}
		values[i] = v
	}
	return values, nil
}

// tied reports whether any figure of a part is one of several values at the same time.
func (p *Plan) tied(t *Part) (bool, error) {
	for _, f := range p.Figures {
		e, _ := measure.Lookup(f.Kind)
		if e.Tied == nil {
			continue
		}
		a, err := t.amount(p.amount(f.Column))
		if err != nil {
			return false, err
		}
		if a != nil && e.Tied(a) {
			return true, nil
		}
	}
	return false, nil
}

// A Group is what the records of one group come to, by segment.
type Group struct {
	key    string
	Labels []dataset.Label
	Parts  []*Part // by segment; nil where there are none
}

// Groups are all groups that were found, in the order in which they were met. The zero value has none.
type Groups struct {
	index map[string]*Group
	List  []*Group
}

// Group returns the group of a key, which is made where there is none; labels gives its labels then.
func (g *Groups) Group(key []byte, segments int, labels func() []dataset.Label) *Group {
	if one := g.index[string(key)]; one != nil {
		return one
	}
	one := &Group{key: string(key), Labels: labels(), Parts: make([]*Part, segments)}
	g.add(one)
	return one
}

func (g *Groups) add(one *Group) {
	if g.index == nil {
		g.index = map[string]*Group{}
	}
	g.index[one.key] = one
	g.List = append(g.List, one)
}

// Merge takes the groups of another part of the records in.
func (g *Groups) Merge(other *Groups) error {
	for _, theirs := range other.List {
		mine := g.index[theirs.key]
		if mine == nil {
			g.add(theirs)
			continue
		}
		for i, p := range theirs.Parts {
			switch {
			case p == nil:
			case mine.Parts[i] == nil:
				mine.Parts[i] = p
			default:
				if err := mine.Parts[i].Merge(p); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// Partials yields the partial results of all groups.
func (g *Groups) Partials(yield func(*Partial) bool) {
	for _, one := range g.List {
		for segment, t := range one.Parts {
			if t != nil && !yield(&Partial{Segment: segment, Group: one.Labels, Part: *t}) {
				return
			}
		}
	}
}
