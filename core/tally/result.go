package tally

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/measure"
)

// A Result holds the figures of every period and group.
type Result struct {
	Found
	// Top are the values of the first category that are kept apart; nil where all are.
	Top *Top
	// Groups are the values that the categories take in any period, in order; one, without labels,
	// where nothing is broken down. With a top the first category goes by rank, the others last.
	Groups [][]dataset.Label
	cells  []map[string][]decimal.Fraction // by period and group
	empty  []decimal.Fraction              // where no record is
	days   []map[string]civil.Interval     // by period and group, from the oldest to the newest record
	// records are those of each period.
	records []int64
	tied    []map[string]bool // by period and group, where a figure is one of several values at the same time

	hidden    []map[string]bool  // by period and group; nil where all may be shown
	hidesNone bool               // that there are no records is hidden, too
	blank     []decimal.Fraction // of what is hidden
	// HiddenTotals are how many totals are hidden, HiddenGroups how many groups are left out.
	HiddenTotals, HiddenGroups int
	// Quiet says that which records were found is not told.
	Quiet bool
}

// At returns the figures of a period and a group, in which All stands for all values of a category.
func (r *Result) At(period int, group []dataset.Label) []decimal.Fraction {
	if r.Hidden(period, group) {
		return r.blank
	}
	if values, ok := r.cells[period][dataset.GroupKey(group)]; ok {
		return values
	}
	return r.empty
}

// Has reports whether a period has a record of a group, or that is hidden.
func (r *Result) Has(period int, group []dataset.Label) bool {
	return r.Hidden(period, group) || r.has(period, group)
}

func (r *Result) has(period int, group []dataset.Label) bool {
	_, has := r.cells[period][dataset.GroupKey(group)]
	return has
}

// Tied reports whether a figure of a period and group is one of several values at the same time, of which the order of
// the records has chosen one.
func (r *Result) Tied(period int, group []dataset.Label) bool {
	return !r.Hidden(period, group) && r.tied[period][dataset.GroupKey(group)]
}

// Days returns the days from the oldest to the newest record of a period and group, where the request asks for them; empty
// where there is no record.
func (r *Result) Days(period int, group []dataset.Label) civil.Interval {
	return r.days[period][dataset.GroupKey(group)]
}

// None returns the figures of no record: a count of nothing, blank the others.
func (r *Result) None() []decimal.Fraction { return r.empty }

// RecordsIn returns how many records are in a period.
func (r *Result) RecordsIn(period int) int64 { return r.records[period] }

// Run asks a source for the partial results of a plan and puts them together. Of a plan with MinRecords small totals are hidden.
func Run(ctx context.Context, p *Plan, src Source) (*Result, error) {
	r, err := Answer(ctx, p, src)
	if err == nil && p.MinRecords > 0 {
		err = Disclose(ctx, src, p.MinRecords, []Answered{{p, r}})
	}
	return r, err
}

// Answer is Run before anything is hidden: what is shown together is to be put to Disclose together.
func Answer(ctx context.Context, p *Plan, src Source) (*Result, error) {
	if p.ranksByValues() {
		top, err := p.rankByValues(ctx, src)
		if err != nil {
			return nil, err
		}
		ranked := *p
		ranked.Keep = top
		p = &ranked
	}
	s, found, err := collect(ctx, p, src)
	if err != nil {
		return nil, err
	}
	return s.result(found)
}

// collect asks a source for the partial results of a plan.
func collect(ctx context.Context, p *Plan, src Source) (*summary, Found, error) {
	s := newSummary(p)
	found, err := src.Partials(ctx, p, s)
	if err == nil {
		_, err = s.Top()
	}
	return s, found, err
}

func newSummary(p *Plan) *summary {
	s := &summary{plan: p, index: map[string]int{}, cells: make([]map[string]*cell, len(p.Periods)), valued: map[int][]Partial{}}
	for i := range s.cells {
		s.cells[i] = map[string]*cell{}
	}
	if s.top = p.Keep; p.Top > 0 && s.top == nil {
		s.unranked = &Groups{}
	}
	return s
}

const (
	// MaxGroups is how many groups a result may have.
	MaxGroups = 100_000
	// MaxHeld is how many groups are held before the values are ranked, or by a source.
	MaxHeld = 2_000_000
)

// TooMany is the error of a breakdown into more groups than can be held.
type TooMany struct {
	By    string
	Limit int
}

func (e *TooMany) Error() string {
	return fmt.Sprintf("by %s gives more than %d groups: keep the top ones, or filter", e.By, e.Limit)
}

// summary puts partial results together by period and group.
type summary struct {
	plan   *Plan
	index  map[string]int
	groups [][]dataset.Label
	cells  []map[string]*cell
	valued map[int][]Partial // those with values, by segment; put together last
	top    *Top              // the values that are kept apart
	// unranked are the partial results until it is known which values rank highest; nil where that is known.
	unranked *Groups
	// atoms are what is told by segment and group, where totals of few records are hidden; nil where they are not.
	atoms      map[atomKey]derivable
	atomGroups map[string][]dataset.Label
}

// An atomKey names the records of a segment and a group.
type atomKey struct {
	segment int
	group   string
}

// noteAtom adds a partial result to what is told of its segment and group.
func (s *summary) noteAtom(f *Partial) {
	key := atomKey{f.Segment, dataset.GroupKey(f.Group)}
	if len(s.plan.wanted[f.Segment]) == 0 {
		return
	}
	t := s.atoms[key]
	t.add(derivableOf(&f.Part), 1)
	s.atoms[key] = t
	s.atomGroups[key.group] = slices.Clone(f.Group)
}

// A cell is what is known of a period and a group.
type cell struct {
	group    []dataset.Label
	part     Part
	holistic []decimal.Fraction
}

func (s *summary) at(period int, key string, group []dataset.Label) *cell {
	c := s.cells[period][key]
	if c == nil {
		c = &cell{group: slices.Clone(group)}
		s.cells[period][key] = c
	}
	return c
}

func (s *summary) note(labels []dataset.Label) error {
	key := dataset.GroupKey(labels)
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

// subtotals yields a group and the groups that it is part of: each category may be put together.
func subtotals(group []dataset.Label, yield func([]dataset.Label) error) error {
	for mask := range 1 << len(group) {
		part := slices.Clone(group)
		for i := range part {
			if mask&(1<<i) != 0 {
				part[i] = dataset.All
			}
		}
		if err := yield(part); err != nil {
			return err
		}
	}
	return nil
}

// Partial implements Collector.
func (s *summary) Partial(f Partial) error {
	if s.unranked != nil {
		return s.hold(&f)
	}
	f.Group = s.top.GroupOf(f.Group)
	return s.add(f)
}

// hold keeps a partial result until it is known which values rank highest.
func (s *summary) hold(f *Partial) error {
	one := s.unranked.Group([]byte(dataset.GroupKey(f.Group)), len(s.plan.Cuts)+1, func() []dataset.Label { return slices.Clone(f.Group) })
	if len(s.unranked.List) > MaxHeld {
		return &TooMany{strings.Join(s.plan.By, " and "), MaxHeld}
	}
	if one.Parts[f.Segment] == nil {
		one.Parts[f.Segment] = &Part{}
	}
	return one.Parts[f.Segment].Merge(&f.Part)
}

// Top implements Collector: values are ranked by all partial results that there are.
func (s *summary) Top() (*Top, error) {
	if s.unranked == nil {
		return s.top, nil
	}
	groups := s.unranked
	s.unranked = nil
	var err error
	if s.top, err = s.plan.rankTop(groups.Partials); err != nil {
		return nil, err
	}
	for f := range groups.Partials {
		if err := s.Partial(*f); err != nil {
			return nil, err
		}
	}
	return s.top, nil
}

// add adds a partial result to every period and group that it belongs to.
func (s *summary) add(f Partial) error {
	if err := s.note(f.Group); err != nil {
		return err
	}
	if s.atoms != nil {
		s.noteAtom(&f)
	}
	if f.Values != nil {
		s.valued[f.Segment] = append(s.valued[f.Segment], f)
	}
	return subtotals(f.Group, func(group []dataset.Label) error {
		key := dataset.GroupKey(group)
		for _, period := range s.plan.wanted[f.Segment] {
			if err := s.at(period, key, group).part.mergeSums(&f.Part); err != nil {
				return err
			}
		}
		return nil
	})
}

// Holistic keeps a source's own answer.
func (s *summary) Holistic(h Holistic) error {
	if !slices.Contains(h.Group, dataset.All) {
		if err := s.note(h.Group); err != nil {
			return err
		}
	}
	s.at(h.Period, dataset.GroupKey(h.Group), h.Group).holistic = h.Values
	return nil
}

func (s *summary) result(found Found) (*Result, error) {
	r := &Result{Found: found, Top: s.top, Groups: s.groups}
	if len(s.plan.By) == 0 {
		r.Groups = [][]dataset.Label{nil}
	}
	SortGroups(r.Groups, s.top)
	everything := slices.Repeat([]dataset.Label{dataset.All}, len(s.plan.By))
	var err error
	if r.empty, err = s.plan.figures(&Part{}, nil); err != nil {
		return nil, err
	}
	for period, cells := range s.cells {
		days := map[string]civil.Interval{}
		row, tied := make(map[string][]decimal.Fraction, len(cells)), map[string]bool{}
		for key, c := range cells {
			if err := s.fill(period, c); err != nil {
				return nil, err
			}
			if row[key], err = s.plan.figures(&c.part, c.holistic); err != nil {
				return nil, err
			}
			switch one, err := s.plan.tied(&c.part); {
			case err != nil:
				return nil, err
			case one:
				tied[key] = true
			}
			if s.plan.Days && c.part.Count > 0 {
				days[key] = civil.Through(c.part.Oldest, c.part.Newest)
			}
			c.part.Values = nil
		}
		r.cells, r.tied, r.days = append(r.cells, row), append(r.tied, tied), append(r.days, days)
		records := int64(0)
		if c := cells[dataset.GroupKey(everything)]; c != nil {
			records = c.part.Count
		}
		r.records = append(r.records, records)
	}
	return r, nil
}

// fill puts the values of a cell together. One cell is done after the other: the values of a period
// and of its parts are never all in memory at once.
func (s *summary) fill(period int, c *cell) error {
	if len(s.valued) == 0 {
		return nil
	}
	c.part.Values = make([]measure.Multiset, len(s.plan.ValueColumns))
	for i := range c.part.Values {
		c.part.Values[i] = measure.Multiset{}
	}
	for segment, partials := range s.valued {
		if !s.plan.In(segment, period) {
			continue
		}
		for _, f := range partials {
			if holds(c.group, f.Group) {
				for i := range f.Values {
					c.part.Values[i].AddAll(f.Values[i])
				}
			}
		}
	}
	return nil
}

// holds reports whether a group, in which All stands for any value, holds another.
func holds(group, other []dataset.Label) bool {
	for i, l := range group {
		if !l.IsAll() && l != other[i] {
			return false
		}
	}
	return true
}

// SortGroups puts groups in order: the first category's labels by their rank where some are kept
// apart, everything else by its text, blanks last.
func SortGroups(groups [][]dataset.Label, top *Top) {
	slices.SortFunc(groups, func(a, b []dataset.Label) int {
		for i := range a {
			if c := compareAt(i, a[i], b[i], top); c != 0 {
				return c
			}
		}
		return 0
	})
}

// compareAt orders the labels of one category.
func compareAt(category int, a, b dataset.Label, top *Top) int {
	if category > 0 {
		top = nil
	}
	return top.Place(a, b)
}

// LabelsOf lists the labels of one category among groups, each once and in order.
func LabelsOf(groups [][]dataset.Label, category int, top *Top) []dataset.Label {
	var labels []dataset.Label
	seen := map[dataset.Label]bool{}
	for _, g := range groups {
		if !seen[g[category]] {
			seen[g[category]] = true
			labels = append(labels, g[category])
		}
	}
	slices.SortFunc(labels, func(a, b dataset.Label) int { return compareAt(category, a, b, top) })
	return labels
}

func (p *Plan) holistic(f measure.Figure) int { return slices.Index(p.Holistic, f) }

func (p *Plan) valueColumn(name string) int { return slices.Index(p.ValueColumns, name) }
