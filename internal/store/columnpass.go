package store

import (
	"errors"
	"slices"
	"sort"

	"vastspan/core/civil"
	"vastspan/core/tally"
)

// pass is one plan's way over the columns.
type pass struct {
	*columns
	plan    *tally.Plan
	by      []*categoryColumn
	amounts []*amountColumn
	allowed [][]bool // by filter and code
	filters []*categoryColumn
	groups  int
	counts  []int64 // by group
	cells   []sumCell
	touched []int
	seen    []bool
}

// sumCell is what one amount of one group adds up to.
type sumCell struct {
	count, sum, min, max int64
	mixed                tally.Sums
}

// facts answers a plan; see tally.Source.
func (c *columns) facts(p *tally.Plan, into tally.Sink) (tally.Extent, error) {
	w := &pass{columns: c, plan: p, groups: 1}
	for _, name := range p.By {
		column := c.category(name)
		w.by = append(w.by, column)
		w.groups *= len(column.labels)
	}
	for _, name := range p.Amounts {
		w.amounts = append(w.amounts, &c.amounts[slices.IndexFunc(c.amounts, func(a amountColumn) bool { return a.name == name })])
	}
	if err := w.filter(); err != nil {
		return tally.Extent{}, err
	}
	w.counts, w.seen, w.cells = make([]int64, w.groups), make([]bool, w.groups), make([]sumCell, w.groups*len(p.Amounts))
	if p.Top > 0 && p.Kept == nil {
		var failed error
		err := p.Rank(func(yield func(*tally.Fact) bool) {
			failed = w.each(func(f tally.Fact) error {
				if !yield(&f) {
					return errEnough
				}
				return nil
			})
		})
		if failed != nil && !errors.Is(failed, errEnough) {
			err = failed
		}
		if err != nil {
			return tally.Extent{}, err
		}
	}
	return w.extent(), w.each(func(f tally.Fact) error {
		f.Group = p.Fold(f.Group)
		return into.Fact(f)
	})
}

var errEnough = errors.New("enough")

func (c *columns) category(name string) *categoryColumn {
	return &c.categories[slices.IndexFunc(c.categories, func(column categoryColumn) bool { return column.name == name })]
}

// filter finds out which values of each category pass.
func (w *pass) filter() error {
	for _, f := range w.plan.Where {
		column := w.category(f.Column)
		pass, err := w.schema.LabelTest(f)
		if err != nil {
			return err
		}
		allowed := make([]bool, len(column.labels))
		for i, l := range column.labels {
			allowed[i] = pass(l)
		}
		w.filters, w.allowed = append(w.filters, column), append(w.allowed, allowed)
	}
	return nil
}

func (w *pass) passes(row int) bool {
	for i, f := range w.filters {
		if !w.allowed[i][f.codes[row]] {
			return false
		}
	}
	return true
}

// extent tells of the records that pass.
func (w *pass) extent() tally.Extent {
	if len(w.filters) == 0 {
		return w.columns.extent
	}
	var e tally.Extent
	dated := len(w.days) - len(w.undated)
	for row := range w.records {
		switch {
		case !w.passes(row):
		case row >= dated:
			e.Undated += w.records[row]
		default:
			e.AddMany(w.records[row], w.days[row], w.days[row])
		}
	}
	return e
}

// each gives the facts of all segments that are wanted.
func (w *pass) each(yield func(tally.Fact) error) error {
	dated := w.days[:len(w.days)-len(w.undated)]
	from := func(d civil.Day) int { return sort.Search(len(dated), func(i int) bool { return dated[i] >= d }) }
	for segment := range len(w.plan.Edges) + 1 {
		if !w.plan.Wanted(segment) {
			continue
		}
		start, end := from(w.plan.Start(segment)), len(dated)
		if segment < len(w.plan.Edges) {
			end = from(w.plan.Edges[segment])
		}
		if err := w.add(start, end); err != nil {
			return err
		}
		for _, g := range w.touched {
			f, err := w.fact(segment, g)
			if err != nil {
				return err
			}
			if err := yield(f); err != nil {
				return err
			}
		}
		w.touched = w.touched[:0]
	}
	return nil
}

// add adds rows up by group.
func (w *pass) add(start, end int) error {
	for row := start; row < end; row++ {
		if len(w.filters) > 0 && !w.passes(row) {
			continue
		}
		g := 0
		for _, column := range w.by {
			g = g*len(column.labels) + int(column.codes[row])
		}
		if !w.seen[g] {
			w.seen[g] = true
			w.touched = append(w.touched, g)
		}
		w.counts[g] += w.records[row]
		for i, a := range w.amounts {
			n := a.counts[row]
			if n == 0 {
				continue
			}
			cell := &w.cells[g*len(w.amounts)+i]
			if a.mixed {
				d := a.each[row]
				if err := cell.mixed.AddMany(n, tally.Fixed{Digits: a.sums[row], Decimals: d}, tally.Fixed{Digits: a.mins[row], Decimals: d}, tally.Fixed{Digits: a.maxs[row], Decimals: d}); err != nil {
					return err
				}
				continue
			}
			if cell.count == 0 {
				cell.min, cell.max = a.mins[row], a.maxs[row]
			}
			cell.count += n
			cell.sum += a.sums[row]
			cell.min, cell.max = min(cell.min, a.mins[row]), max(cell.max, a.maxs[row])
		}
	}
	return nil
}

// fact gives what a group adds up to, and clears it.
func (w *pass) fact(segment, g int) (tally.Fact, error) {
	f := tally.Fact{Segment: segment, Count: w.counts[g], Amounts: make([]tally.Amount, len(w.amounts)), Group: make([]tally.Label, len(w.by))}
	for i, code := len(w.by)-1, g; i >= 0; i-- {
		n := len(w.by[i].labels)
		f.Group[i] = w.by[i].labels[code%n]
		code /= n
	}
	for i, a := range w.amounts {
		cell := &w.cells[g*len(w.amounts)+i]
		if a.mixed {
			var err error
			if f.Amounts[i], err = cell.mixed.Amount(); err != nil {
				return f, err
			}
		} else if d := a.decimals; cell.count > 0 {
			f.Amounts[i] = tally.FixedAmount(cell.count, tally.Fixed{Digits: cell.sum, Decimals: d}, tally.Fixed{Digits: cell.min, Decimals: d}, tally.Fixed{Digits: cell.max, Decimals: d})
		}
		*cell = sumCell{}
	}
	w.counts[g], w.seen[g] = 0, false
	return f, nil
}
