package tally

import (
	"context"
	"fmt"
	"slices"
	"strings"
)

// A Result holds the figures of every stretch and group.
type Result struct {
	Extent Extent
	// Groups are the values that the categories take in any stretch, in order; one, without labels,
	// where nothing is broken down. With a top the first category goes by rank, the rest last.
	Groups [][]Label
	plan   *Plan
	cells  []map[string][]Value // by stretch and group
	empty  []Value              // where no record is
}

// At gives the figures of a stretch and a group, in which All stands for all values of a category.
func (r *Result) At(stretch int, group []Label) []Value {
	if values, ok := r.cells[stretch][GroupKey(group)]; ok {
		return values
	}
	return r.empty
}

// Overall gives the figures of a stretch over all groups.
func (r *Result) Overall(stretch int) []Value { return r.At(stretch, everything[:len(r.plan.By)]) }

var everything = [MaxBy]Label{All, All}

// Folded gives the values of the first category that were kept apart, and how many went into the
// rest; nil where all were.
func (r *Result) Folded() ([]Label, int) { return r.plan.Kept, r.plan.Folded }

// Run asks a source for the facts of a plan and adds them up.
func Run(ctx context.Context, p *Plan, src Source) (*Result, error) {
	s := &summary{plan: p, index: map[string]int{}, cells: make([]map[string]*cell, len(p.Stretches)), bagged: map[int][]Fact{}}
	for i := range s.cells {
		s.cells[i] = map[string]*cell{}
	}
	extent, err := src.Facts(ctx, p, s)
	if err != nil {
		return nil, err
	}
	return s.result(extent)
}

// MaxGroups is how many groups a result may have.
const MaxGroups = 100_000

// TooMany is the error of a breakdown into more groups than can be held.
type TooMany struct {
	By    string
	Limit int
}

func (e *TooMany) Error() string {
	return fmt.Sprintf("by %s gives more than %d groups: keep the top ones, or filter", e.By, e.Limit)
}

// summary adds facts up by stretch and group.
type summary struct {
	plan   *Plan
	index  map[string]int
	groups [][]Label
	cells  []map[string]*cell
	bagged map[int][]Fact // those with bags, by segment; put together last
}

// A cell is what is known of a stretch and a group.
type cell struct {
	group []Label
	fact  Fact
	whole []Value
}

func (s *summary) at(stretch int, key string, group []Label) *cell {
	c := s.cells[stretch][key]
	if c == nil {
		c = &cell{group: slices.Clone(group)}
		s.cells[stretch][key] = c
	}
	return c
}

func (s *summary) note(labels []Label) error {
	key := GroupKey(labels)
	if _, ok := s.index[key]; ok {
		return nil
	}
	if len(s.groups) == MaxGroups {
		return &TooMany{strings.Join(s.plan.By, " and "), MaxGroups}
	}
	s.index[key] = len(s.groups)
	s.groups = append(s.groups, slices.Clone(labels))
	return nil
}

// margins gives a group and the groups that it is part of: each category may be put together.
func margins(group []Label, yield func([]Label) error) error {
	for mask := range 1 << len(group) {
		part := slices.Clone(group)
		for i := range part {
			if mask&(1<<i) != 0 {
				part[i] = All
			}
		}
		if err := yield(part); err != nil {
			return err
		}
	}
	return nil
}

// Fact adds a fact to every stretch and group that it belongs to.
func (s *summary) Fact(f Fact) error {
	if err := s.note(f.Group); err != nil {
		return err
	}
	if f.Bags != nil {
		s.bagged[f.Segment] = append(s.bagged[f.Segment], f)
	}
	return margins(f.Group, func(group []Label) error {
		key := GroupKey(group)
		for _, stretch := range s.plan.wanted[f.Segment] {
			if err := s.at(stretch, key, group).fact.merge(&f); err != nil {
				return err
			}
		}
		return nil
	})
}

// Whole keeps a source's own answer.
func (s *summary) Whole(w Whole) error {
	if !slices.Contains(w.Group, All) {
		if err := s.note(w.Group); err != nil {
			return err
		}
	}
	s.at(w.Stretch, GroupKey(w.Group), w.Group).whole = w.Values
	return nil
}

// merge adds a fact to one of the same group.
func (f *Fact) merge(g *Fact) error {
	f.Count += g.Count
	if f.Amounts == nil {
		f.Amounts = make([]Amount, len(g.Amounts))
	}
	for i := range g.Amounts {
		if err := f.Amounts[i].merge(&g.Amounts[i]); err != nil {
			return err
		}
	}
	return nil
}

func (s *summary) result(extent Extent) (*Result, error) {
	r := &Result{Extent: extent, plan: s.plan, Groups: s.groups}
	if len(s.plan.By) == 0 {
		r.Groups = [][]Label{nil}
	}
	SortGroups(r.Groups, s.plan.Kept)
	var err error
	if r.empty, err = s.plan.figures(&Fact{}, nil); err != nil {
		return nil, err
	}
	for stretch, cells := range s.cells {
		row := make(map[string][]Value, len(cells))
		for key, c := range cells {
			if len(s.bagged) > 0 {
				if err := s.fill(stretch, c); err != nil {
					return nil, err
				}
			}
			if row[key], err = s.plan.figures(&c.fact, c.whole); err != nil {
				return nil, err
			}
		}
		r.cells = append(r.cells, row)
	}
	return r, nil
}

// SortGroups puts groups in order: the first category's labels by their rank among those that are
// kept, if any are, everything else by its text, blanks last.
func SortGroups(groups [][]Label, kept []Label) {
	slices.SortFunc(groups, func(a, b []Label) int {
		for i := range a {
			if c := compareAt(i, a[i], b[i], kept); c != 0 {
				return c
			}
		}
		return 0
	})
}

// compareAt orders the labels of one category.
func compareAt(category int, a, b Label, kept []Label) int {
	if category > 0 || len(kept) == 0 {
		return compareLabel(a, b)
	}
	place := func(l Label) int {
		if i := slices.Index(kept, l); i >= 0 {
			return i
		}
		return len(kept)
	}
	return place(a) - place(b)
}

// LabelsOf lists the labels of one category among groups, each once and in order.
func LabelsOf(groups [][]Label, category int, kept []Label) []Label {
	var labels []Label
	seen := map[Label]bool{}
	for _, g := range groups {
		if !seen[g[category]] {
			seen[g[category]] = true
			labels = append(labels, g[category])
		}
	}
	slices.SortFunc(labels, func(a, b Label) int { return compareAt(category, a, b, kept) })
	return labels
}

// fill puts the bags of a cell together and makes its figures of them. One cell is done after the
// other: the bags of a stretch and of its parts are never all in memory at once.
func (s *summary) fill(stretch int, c *cell) error {
	bags := make([]Bag, len(s.plan.Bagged))
	for i := range bags {
		bags[i] = Bag{}
	}
	for segment, facts := range s.bagged {
		if !s.plan.In(segment, stretch) {
			continue
		}
		for _, f := range facts {
			if covers(c.group, f.Group) {
				for i, b := range f.Bags {
					bags[i].add(b)
				}
			}
		}
	}
	c.whole = make([]Value, len(s.plan.Wholes))
	for i, fig := range s.plan.Wholes {
		var err error
		if c.whole[i], err = bags[slices.Index(s.plan.Bagged, fig.Column)].whole(fig.Kind); err != nil {
			return err
		}
	}
	return nil
}

// covers tells whether a group, in which All stands for any value, holds another.
func covers(group, other []Label) bool {
	for i, l := range group {
		if l != All && l != other[i] {
			return false
		}
	}
	return true
}
