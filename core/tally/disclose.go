package tally

import (
	"context"
	"fmt"
	"math/bits"
	"math/rand/v2"
	"slices"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/measure"
)

// Callers who may see totals but not records never see a total of too few records, nor totals of one answer from which one could
// be worked out. All totals of an answer over one dataset are decided together: its periods, groups and subtotals, and what they
// are compared with under other filters. Each is the set of the records in it. Records that are in the same
// totals cannot be distinguished, and whatever sums and differences of the totals give is a union of such classes.
// Totals are therefore hidden until no class has
// few records. The total of all records, and what the same question gives without some of its filters, count as known: they are
// settled first, those with fewer filters before those with more, and each result after those before it.

// maxFilters is how many different filters the totals of one answer may have.
const maxFilters = 4

// checkMin refuses what would show the values of single records.
func (r *Request) checkMin() error {
	if r.MinRecords == 0 {
		return nil
	}
	for _, f := range r.Figures {
		e, _ := measure.Lookup(f.Kind)
		if e.Needs&(measure.NeedsBounds|measure.NeedsFirstLast) != 0 || e.Holistic() && !e.AnyType {
			return fmt.Errorf("%s may be the value of a single record: you see only totals of at least %d records", f, r.MinRecords)
		}
	}
	return nil
}

// derivable is what can be derived about some records: how many there are, and how many of them have a value of each amount.
type derivable []int64

func derivableOf(t *Part) derivable {
	list := derivable{t.Count}
	for i := range t.Sums {
		list = append(list, t.Sums[i].Count())
	}
	return list
}

func (t *derivable) add(u derivable, sign int64) {
	for len(*t) < len(u) {
		*t = append(*t, 0)
	}
	for i := range u {
		(*t)[i] += sign * u[i]
	}
}

// small reports whether it is known of few records.
func (t derivable) small(least int64) bool {
	return slices.ContainsFunc(t, func(n int64) bool { return n > 0 && n < least })
}

// A totalKey names a total: of an input, or, where that is known, of the filters in a mask.
type totalKey struct {
	input, period int
	known         uint
	group         string
}

// known is the input of what counts as known.
const known = -1

// A shown is a total that may be shown.
type shown struct {
	totalKey
	sums  derivable
	mark  uint64 // what it adds to the mark of its atoms; 0 once it is hidden
	atoms []int
}

// An atom is the records of a segment and a group that pass the same filters: no total holds a part of them only.
type atom struct {
	sums  derivable
	mark  uint64 // of the totals that hold it
	holds []int
}

// discloser decides which totals are shown.
type discloser struct {
	least  int64
	totals []shown
	index  map[totalKey]int
	atoms  []atom
	held   int
}

// maxHeld bounds how many pairs of an atom and a total are looked at.
const maxHeld = 20_000_000

// add adds an atom to a total.
func (d *discloser) add(at int, key totalKey) error {
	i, ok := d.index[key]
	if !ok {
		i = len(d.totals)
		d.index[key] = i
		d.totals = append(d.totals, shown{totalKey: key, mark: rand.Uint64() | 1})
	}
	t, a := &d.totals[i], &d.atoms[at]
	t.sums.add(a.sums, 1)
	t.atoms, a.holds = append(t.atoms, at), append(a.holds, i)
	if d.held++; d.held > maxHeld {
		return fmt.Errorf("too many totals are asked for at once where those of few records are hidden: take fewer spans, units or categories")
	}
	return nil
}

// show begins to count some totals as shown: those of inputs, or what is known. Those of few records are hidden at once.
func (d *discloser) show(which func(*shown) bool) {
	for i := range d.totals {
		t := &d.totals[i]
		switch {
		case !which(t):
		case t.sums.small(d.least):
			t.mark = 0
		default:
			for _, a := range t.atoms {
				d.atoms[a].mark ^= t.mark
			}
		}
	}
}

// hide hides a total.
func (d *discloser) hide(i int) {
	t := &d.totals[i]
	for _, a := range t.atoms {
		d.atoms[a].mark ^= t.mark
	}
	t.mark = 0
}

// A class are the atoms that are in the same totals.
type class struct {
	mark uint64
	sums derivable
	one  int // any of its atoms
}

// classes lists those that are in any total that is shown.
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
		list[n].sums.add(a.sums, 1)
	}
	return list
}

// run hides totals until nothing is known of few records.
func (d *discloser) run(ctx context.Context, mine func(*shown) bool) error {
	for {
		list := d.classes()
		marks := map[uint64]int{}
		for i := range d.totals {
			if d.totals[i].mark != 0 && mine(&d.totals[i]) {
				marks[d.totals[i].mark] = i
			}
		}
		done := true
		for i := range list {
			c := &list[i]
			if d.atoms[c.one].mark != c.mark || !c.sums.small(d.least) {
				continue // it was put together with another in this round
			}
			best := d.cheapest(c, list, marks, mine)
			if best < 0 {
				continue // nothing of this answer shows it
			}
			done = false
			d.hide(best)
			if err := ctx.Err(); err != nil {
				return err
			}
		}
		if done {
			return nil
		}
	}
}

// cheapest returns the total of the fewest records that had best be hidden so that less is known of a class: one without which it
// cannot be told from another class, or from what is not shown; else one that holds it; else any; -1 where none is left.
func (d *discloser) cheapest(c *class, list []class, marks map[uint64]int, mine func(*shown) bool) int {
	best := -1
	better := func(i int) {
		if d.totals[i].mark != 0 && mine(&d.totals[i]) && (best < 0 || d.less(i, best)) {
			best = i
		}
	}
	if one, ok := marks[c.mark]; ok {
		better(one)
	}
	for i := range list {
		if one, ok := marks[c.mark^list[i].mark]; ok && list[i].mark != c.mark {
			better(one)
		}
	}
	if best < 0 {
		for _, i := range d.atoms[c.one].holds {
			better(i)
		}
	}
	if best < 0 { // several totals together identify it
		for _, i := range marks {
			better(i)
		}
	}
	return best
}

// less orders totals by their records, so that the same ones are hidden every time.
func (d *discloser) less(i, j int) bool {
	a, b := &d.totals[i], &d.totals[j]
	switch {
	case a.sums[0] != b.sums[0]:
		return a.sums[0] < b.sums[0]
	case a.input != b.input:
		return a.input > b.input // what others are compared with goes first
	case a.period != b.period:
		return a.period < b.period
	case a.known != b.known:
		return a.known < b.known
	}
	return a.group < b.group
}

// An Answered is a plan with its result, some totals of which may have to be hidden.
type Answered struct {
	Plan   *Plan
	Result *Result
}

// Disclose hides what may not be shown of results over one dataset that are shown together. They are broken down alike. The source
// is asked once more for each set of their filters. Errors: too many filters, and those of the source.
func Disclose(ctx context.Context, src Source, least int64, list []Answered) error {
	t := &together{least: least, list: list, of: make([]uint, len(list))}
	if err := t.layOut(); err != nil {
		return err
	}
	atoms, err := t.atoms(ctx, src)
	if err != nil {
		return err
	}
	d := &discloser{least: least, index: map[totalKey]int{}}
	for _, a := range atoms {
		if err := t.place(d, a); err != nil {
			return err
		}
	}
	everything := len(t.request.Periods) - 1
	rankOf := func(s *shown) int { // what is settled first stays
		switch {
		case s.input != known:
			return 2 + len(t.filters) + s.input
		case s.period == everything:
			return 0
		}
		return 1 + bits.OnesCount(s.known)
	}
	for rank := range 2 + len(t.filters) + len(list) {
		mine := func(s *shown) bool { return rankOf(s) == rank }
		d.show(mine)
		if err := d.run(ctx, mine); err != nil {
			return err
		}
	}
	for i := range list {
		list[i].Result.keep(list[i].Plan, d, i)
	}
	return nil
}

// together are results that are shown together.
type together struct {
	least   int64
	list    []Answered
	filters dataset.Filters // each once
	of      []uint          // which of them each result has, as a mask
	first   []int           // of each result, where its periods begin
	request Request
	plan    *Plan // over all periods, and all days as the last one
}

// layOut finds the filters, and puts all periods together.
func (t *together) layOut() error {
	keys := map[string]int{}
	for i, one := range t.list {
		for _, f := range one.Plan.Where {
			key := ""
			for _, c := range f {
				key += fmt.Sprintf("%q %q %q %t;", c.String(), c.Op, c.Values, c.IgnoringCase)
			}
			at, have := keys[key]
			if !have {
				at = len(t.filters)
				keys[key] = at
				t.filters = append(t.filters, f)
			}
			t.of[i] |= 1 << at
		}
		t.first = append(t.first, len(t.request.Periods))
		t.request.Periods = append(t.request.Periods, one.Plan.Periods...)
		for _, name := range one.Plan.AmountColumns() {
			f := measure.Figure{Kind: measure.Sum, Column: name}
			if !slices.Contains(t.request.Figures, f) {
				t.request.Figures = append(t.request.Figures, f)
			}
		}
	}
	if len(t.filters) > maxFilters {
		return fmt.Errorf("%d different filters are used at once: at most %d are accepted where totals of few records are hidden",
			len(t.filters), maxFilters)
	}
	main := t.list[0].Plan
	r := &t.request
	r.Periods = append(r.Periods, OfDays(civil.SetOf(civil.AllDays)))
	r.Figures = append(r.Figures, measure.Figure{Kind: measure.Count})
	r.Clock, r.By, r.Parts, r.Date = main.Clock, main.By, main.Parts, main.Date
	if r.Keep = t.list[0].Result.Top; r.Keep != nil {
		r.Top = main.Top
	}
	return nil
}

// A signed is the records of a segment and a group that pass some filters and no others.
type signed struct {
	segment int
	group   []dataset.Label
	passes  uint
	sums    derivable
}

// atoms counts the records by segment, group, and which filters they pass. How many pass some filters and no others follows from
// how many pass each set of them.
func (t *together) atoms(ctx context.Context, src Source) ([]signed, error) {
	sets := 1 << len(t.filters)
	counts, groups := make([]map[atomKey]derivable, sets), map[string][]dataset.Label{}
	for set := range sets {
		r := t.request
		for i, f := range t.filters {
			if set&(1<<i) != 0 {
				r.Where = append(slices.Clone(r.Where), f)
			}
		}
		plan, err := NewPlan(r)
		if err != nil {
			return nil, err
		}
		s := newSummary(plan)
		s.atoms, s.atomGroups = map[atomKey]derivable{}, groups
		if _, err := src.Partials(ctx, plan, s); err != nil {
			return nil, err
		}
		t.plan, counts[set] = plan, s.atoms
	}
	var list []signed
	for key := range counts[0] { // whatever passes a filter is there without it
		for passes := range uint(sets) {
			one := signed{key.segment, groups[key.group], passes, nil}
			for set := range uint(sets) {
				if set&passes == passes {
					one.sums.add(counts[set][key], 1-2*int64(bits.OnesCount(set&^passes)%2))
				}
			}
			if slices.ContainsFunc(one.sums, func(n int64) bool { return n != 0 }) {
				list = append(list, one)
			}
		}
	}
	slices.SortFunc(list, func(a, b signed) int {
		if c := a.segment - b.segment; c != 0 {
			return c
		}
		if c := slices.CompareFunc(a.group, b.group, func(x, y dataset.Label) int { return compareAt(1, x, y, nil) }); c != 0 {
			return c
		}
		return int(a.passes) - int(b.passes)
	})
	return list, nil
}

// place adds an atom to the totals that hold it: those of the results, what the same questions give without some of their filters,
// and all records.
func (t *together) place(d *discloser, a signed) error {
	at := len(d.atoms)
	d.atoms = append(d.atoms, atom{sums: a.sums})
	everything := len(t.request.Periods) - 1
	err := d.add(at, totalKey{known, everything, 0, ""})
	if err != nil {
		return err
	}
	return subtotals(a.group, func(group []dataset.Label) error {
		text := dataset.GroupKey(group)
		for i, one := range t.list {
			for period := range one.Plan.Periods {
				if !t.plan.In(a.segment, t.first[i]+period) {
					continue
				}
				if a.passes&t.of[i] == t.of[i] {
					if err := d.add(at, totalKey{i, period, 0, text}); err != nil {
						return err
					}
				}
				for set := range t.of[i] { // each proper part of its filters is less
					if set&t.of[i] != set || a.passes&set != set {
						continue
					}
					if err := d.add(at, totalKey{known, t.first[i] + period, set, text}); err != nil {
						return err
					}
				}
			}
		}
		return nil
	})
}

// keep hides totals of a result, and leaves out of what was found whatever would say something of few records.
func (r *Result) keep(p *Plan, d *discloser, input int) {
	r.hidden, r.hidesNone = make([]map[string]bool, len(r.cells)), len(p.Where) > 0
	seen := map[string]bool{}
	for period, cells := range r.cells {
		for key := range cells {
			if i, ok := d.index[totalKey{input, period, 0, key}]; ok && d.totals[i].mark != 0 {
				seen[key] = true
				continue
			}
			if r.hidden[period] == nil {
				r.hidden[period] = map[string]bool{}
			}
			r.hidden[period][key] = true
			r.HiddenTotals++
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
	r.Quiet, r.Undated, r.Whole = true, 0, nil
	clear(r.records)
}

// Hidden reports whether the total of a period and group may not be shown. Where there are conditions that is so of no records, too:
// conditions may single somebody out, and whether there is such a record is not told.
func (r *Result) Hidden(period int, group []dataset.Label) bool {
	return r.hidden != nil && (r.hidden[period][dataset.GroupKey(group)] || r.hidesNone && !r.has(period, group))
}
