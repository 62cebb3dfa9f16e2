package tally

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"

	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/measure"
)

// Who may see totals and not records is shown no total of few records, nor totals of the same answer by whose difference one could
// be worked out. What is shown is treated as sets of records that lie in them; two records that lie in the same
// ones cannot be told apart. Totals are hidden until every such class has none or enough records.

// maxConditions is how many conditions a request may have of which small totals are hidden: it is counted without each of them.
const maxConditions = 8

// checkMin refuses what would show single records.
func (r *Request) checkMin() error {
	if r.MinRecords == 0 {
		return nil
	}
	for _, f := range r.Figures {
		if e, _ := measure.Lookup(f.Kind); e.Needs&(measure.NeedsBounds|measure.NeedsFirstLast) != 0 {
			return fmt.Errorf("%s is the value of a single record: here only totals of at least %d records are shown", f, r.MinRecords)
		}
	}
	if len(r.Where) > maxConditions {
		return fmt.Errorf("%d conditions are given; at most %d are taken where totals of few records are hidden", len(r.Where), maxConditions)
	}
	return nil
}

// A tell is what can be worked out of some records: how many there are, and how many of them have a value of each amount.
type tell []int64

func tellOf(t *Part) tell {
	list := tell{t.Count}
	for i := range t.Sums {
		list = append(list, t.Sums[i].Count())
	}
	return list
}

func (t *tell) add(u tell, sign int64) {
	for len(*t) < len(u) {
		*t = append(*t, 0)
	}
	for i := range u {
		(*t)[i] += sign * u[i]
	}
}

// small reports whether it tells of few records.
func (t tell) small(least int64) bool {
	return slices.ContainsFunc(t, func(n int64) bool { return n > 0 && n < least })
}

// A shown is a total that may be shown.
type shown struct {
	period int
	key    string
	tell   tell
	mark   uint64 // what it adds to the mark of its atoms; 0 once it is hidden
	atoms  []int
}

// An atom is the records of a segment and a group: no total holds a part of them only.
type atom struct {
	tell  tell
	mark  uint64 // of the totals that hold it
	holds []int
}

// discloser decides which totals are shown.
type discloser struct {
	least  int64
	totals []shown
	atoms  []atom
}

// newDiscloser lists the totals and the atoms of a summary.
func newDiscloser(s *summary, least int64) (*discloser, error) {
	d := &discloser{least: least}
	at := make([]map[string]int, len(s.cells))
	for period, cells := range s.cells {
		at[period] = make(map[string]int, len(cells))
		for key, c := range cells {
			at[period][key] = len(d.totals)
			d.totals = append(d.totals, shown{period: period, key: key, tell: tellOf(&c.part), mark: rand.Uint64() | 1})
		}
	}
	for key, t := range s.atoms {
		a := atom{tell: t}
		err := subtotals(s.atomGroups[key.group], func(group []dataset.Label) error {
			text := dataset.GroupKey(group)
			for _, period := range s.plan.wanted[key.segment] {
				total := at[period][text]
				a.holds = append(a.holds, total)
				a.mark ^= d.totals[total].mark
				d.totals[total].atoms = append(d.totals[total].atoms, len(d.atoms))
			}
			return nil
		})
		if err != nil {
			return nil, err
		}
		d.atoms = append(d.atoms, a)
	}
	return d, nil
}

// hide hides a total.
func (d *discloser) hide(i int) {
	t := &d.totals[i]
	for _, a := range t.atoms {
		d.atoms[a].mark ^= t.mark
	}
	t.mark = 0
}

// A class are the atoms that lie in the same totals.
type class struct {
	mark uint64
	tell tell
	one  int // any of its atoms
}

// classes lists those that lie in any total that is shown.
func (d *discloser) classes() (list []class) {
	at := map[uint64]int{}
	for i := range d.atoms {
		a := &d.atoms[i]
		if a.mark == 0 {
			continue
		}
		n, ok := at[a.mark]
		if !ok {
			n = len(list)
			at[a.mark] = n
			list = append(list, class{mark: a.mark, one: i})
		}
		list[n].tell.add(a.tell, 1)
	}
	return list
}

// run hides totals until nothing can be told of few records.
func (d *discloser) run(ctx context.Context) error {
	for i := range d.totals {
		if d.totals[i].mark != 0 && d.totals[i].tell.small(d.least) {
			d.hide(i)
		}
	}
	for {
		list := d.classes()
		marks := map[uint64]int{}
		for i := range d.totals {
			if d.totals[i].mark != 0 {
				marks[d.totals[i].mark] = i
			}
		}
		done := true
		for i := range list {
			c := &list[i]
			if d.atoms[c.one].mark != c.mark || !c.tell.small(d.least) {
				continue // it was put together with another in this round
			}
			done = false
			d.hide(d.cheapest(c, list, marks))
			if err := ctx.Err(); err != nil {
				return err
			}
		}
		if done {
			return nil
		}
	}
}

// cheapest returns the total of the fewest records without which a class is told no more: one that holds it, or the one that
// tells another class from it.
func (d *discloser) cheapest(c *class, list []class, marks map[uint64]int) int {
	best := -1
	better := func(i int) {
		if d.totals[i].mark != 0 && (best < 0 || d.less(i, best)) {
			best = i
		}
	}
	for _, i := range d.atoms[c.one].holds {
		better(i)
	}
	for i := range list {
		if one, ok := marks[c.mark^list[i].mark]; ok && list[i].mark != c.mark {
			better(one)
		}
	}
	return best
}

// less orders totals by their records, so that the same ones are hidden every time.
func (d *discloser) less(i, j int) bool {
	a, b := &d.totals[i], &d.totals[j]
	switch {
	case a.tell[0] != b.tell[0]:
		return a.tell[0] < b.tell[0]
	case a.period != b.period:
		return a.period < b.period
	}
	return a.key < b.key
}

// disclose hides what may not be shown of a result. The source is asked once more for each condition, without it: what one
// leaves out is not to be few records either.
func (s *summary) disclose(ctx context.Context, src Source, r *Result) error {
	p := s.plan
	d, err := newDiscloser(s, p.MinRecords)
	if err != nil {
		return err
	}
	for i := range p.Where {
		without := p.Request
		without.MinRecords, without.Figures = 0, []measure.Figure{{Kind: measure.Count}}
		without.Where = slices.Delete(slices.Clone(p.Where), i, i+1)
		if without.Top > 0 {
			without.Keep = r.Top
		}
		plan, err := NewPlan(without)
		if err != nil {
			return err
		}
		whole, _, err := collect(ctx, plan, src)
		if err != nil {
			return err
		}
		for j := range d.totals {
			t := &d.totals[j]
			if all := whole.cells[t.period][t.key]; t.mark != 0 && all != nil && (tell{all.part.Count - t.tell[0]}).small(p.MinRecords) {
				d.hide(j)
			}
		}
	}
	if err := d.run(ctx); err != nil {
		return err
	}
	r.hidden, r.hidesNone = make([]map[string]bool, len(s.cells)), len(p.Where) > 0
	seen := map[string]bool{}
	for i := range d.totals {
		t := &d.totals[i]
		if t.mark != 0 {
			seen[t.key] = true
			continue
		}
		if r.hidden[t.period] == nil {
			r.hidden[t.period] = map[string]bool{}
		}
		r.hidden[t.period][t.key] = true
		r.HiddenTotals++
		if t.tell.small(p.MinRecords) {
			r.SmallTotals++
		}
	}
	r.blank = make([]decimal.Fraction, len(r.empty))
	kept := r.Groups[:0]
	for _, g := range r.Groups {
		if len(g) == 0 || seen[dataset.GroupKey(g)] {
			kept = append(kept, g)
		} else {
			r.HiddenGroups++
		}
	}
	r.Groups = kept
	r.keepQuiet(p)
	return nil
}

// keepQuiet leaves out of what was found what tells of few records.
func (r *Result) keepQuiet(p *Plan) {
	few := func(n int64) bool { return n > 0 && n < p.MinRecords }
	r.Quiet = len(p.Where) > 0 || few(r.Records)
	if few(r.Undated) {
		r.Undated = 0
	}
	for i, n := range r.records {
		if few(n) || r.Hidden(i, slices.Repeat([]dataset.Label{dataset.All}, len(p.By))) {
			r.records[i] = 0
		}
	}
}

// Hidden reports whether the total of a period and group may not be shown. Where there are conditions that is so of no records, too:
// conditions may single somebody out, and whether there is such a record is not told.
func (r *Result) Hidden(period int, group []dataset.Label) bool {
	return r.hidden != nil && (r.hidden[period][dataset.GroupKey(group)] || r.hidesNone && !r.has(period, group))
}
