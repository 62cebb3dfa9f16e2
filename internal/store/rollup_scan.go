package store

import (
	"context"
	"errors"
	"slices"
	"sort"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/measure"
	"vastspan/core/tally"
)

// pass is one plan's way over the columns.
type pass struct {
	*rollup
	plan    *tally.Plan
	by      []*categoryColumn
	amounts []*amountColumn
	filters [][]allowedCodes // each of alternatives
	groups  int
	counts  []int64          // by group
	days    []civil.Interval // by group, where they are asked for
	cells   []sumCell
	touched []int
	seen    []bool
}

// sumCell is what one amount of one group adds up to.
type sumCell struct {
	count, sum, min, max int64
	mixed                measure.Sums
}

// partials answers a plan; see tally.Source.
func (c *rollup) partials(ctx context.Context, p *tally.Plan, into tally.Collector) (tally.Found, error) {
	var found tally.Found
	w := &pass{rollup: c, plan: p, groups: 1}
	for i, name := range p.By {
		var column *categoryColumn
		if part := p.Part(i); part != nil {
			column = c.partColumn(part)
		} else {
			column = c.category(name)
		}
		w.by = append(w.by, column)
		w.groups *= len(column.labels)
	}
	for _, name := range p.AmountColumns() {
		w.amounts = append(w.amounts, &c.amounts[slices.IndexFunc(c.amounts, func(a amountColumn) bool { return a.name == name })])
	}
	if err := w.filter(); err != nil {
		return found, err
	}
	if p.Days {
		w.days = make([]civil.Interval, w.groups) // from the oldest through the newest
	}
	w.counts, w.seen, w.cells = make([]int64, w.groups), make([]bool, w.groups), make([]sumCell, w.groups*len(p.Amounts))
	if found.Top = p.Keep; p.Top > 0 && found.Top == nil {
		var failed, err error
		found.Top, err = p.RankTop(func(yield func(*tally.Partial) bool) {
			failed = w.each(ctx, func(f tally.Partial) error {
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
			return found, err
		}
	}
	found.Coverage = w.coverage()
	return found, w.each(ctx, func(f tally.Partial) error {
		f.Group = found.Top.GroupOf(f.Group)
		return into.Partial(f)
	})
}

var errEnough = errors.New("enough")

func (c *rollup) category(name string) *categoryColumn {
	return &c.categories[slices.IndexFunc(c.categories, func(column categoryColumn) bool { return column.name == name })]
}

// allowedCodes are the values of a category that meet a condition, by their code.
type allowedCodes struct {
	column *categoryColumn
	codes  []bool
}

// filter finds out which values of each category pass.
func (w *pass) filter() error {
	for _, f := range w.plan.Where {
		var alternatives []allowedCodes
		merged := f.Merged()
		for i := range merged {
			column := w.category(merged[i].Column)
			pass, err := w.schema.LabelPredicate(&merged[i])
			if err != nil {
				return err
			}
			codes := make([]bool, len(column.labels))
			for code, l := range column.labels {
				codes[code] = pass(l)
			}
			alternatives = append(alternatives, allowedCodes{column, codes})
		}
		w.filters = append(w.filters, alternatives)
	}
	return nil
}

func (w *pass) passes(row int) bool {
	for _, alternatives := range w.filters {
		met := false
		for i := 0; i < len(alternatives) && !met; i++ {
			a := &alternatives[i]
			met = a.codes[a.column.codes[row]]
		}
		if !met {
			return false
		}
	}
	return true
}

// coverage returns the coverage of the records that pass.
func (w *pass) coverage() tally.Coverage {
	if len(w.filters) == 0 {
		return w.rollup.coverage
	}
	var e tally.Coverage
	dated := len(w.at) - len(w.undated)
	first, last, records := 0, 0, int64(0)
	for row := range w.records {
		switch {
		case !w.passes(row):
		case row >= dated:
			e.Undated += w.records[row]
		default:
			if records == 0 {
				first = row
			}
			last = row // they are sorted
			records += w.records[row]
		}
	}
	if records > 0 {
		e.AddMany(records, w.dayOf(w.at[first]), w.dayOf(w.at[last]))
	}
	return e
}

// each yields the partial results of all segments that are wanted.
func (w *pass) each(ctx context.Context, yield func(tally.Partial) error) error {
	dated := w.at[:len(w.at)-len(w.undated)]
	from := func(at int64) int { return sort.Search(len(dated), func(i int) bool { return dated[i] >= at }) }
	for segment := range len(w.plan.Cuts) + 1 {
		if err := ctx.Err(); err != nil {
			return err
		}
		if !w.plan.Wanted(segment) {
			continue
		}
		start, end := from(w.plan.Start(segment)), len(dated)
		if segment < len(w.plan.Cuts) {
			end = from(w.plan.Cuts[segment])
		}
		if err := w.add(start, end); err != nil {
			return err
		}
		for _, g := range w.touched {
			f, err := w.partial(segment, g)
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
		if w.days != nil {
			if w.counts[g] == 0 {
				w.days[g].Start = w.dayOf(w.at[row])
			}
			w.days[g].End = w.dayOf(w.at[row]) // rows are sorted
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
				if err := cell.mixed.AddMany(n, fixed(a.sums[row], d), fixed(a.mins[row], d), fixed(a.maxs[row], d)); err != nil {
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

// partial returns what a group adds up to, and clears it.
func (w *pass) partial(segment, g int) (tally.Partial, error) {
	f := tally.Partial{Segment: segment, Group: make([]dataset.Label, len(w.by))}
	if w.days != nil {
		f.Oldest, f.Newest = w.days[g].Start, w.days[g].End
	}
	f.Count, f.Sums = w.counts[g], make([]measure.Sums, len(w.amounts))
	for i, code := len(w.by)-1, g; i >= 0; i-- {
		n := len(w.by[i].labels)
		f.Group[i] = w.by[i].labels[code%n]
		code /= n
	}
	for i, a := range w.amounts {
		cell := &w.cells[g*len(w.amounts)+i]
		if a.mixed {
			f.Sums[i] = cell.mixed
		} else if d := a.decimals; cell.count > 0 {
			err := f.Sums[i].AddMany(cell.count, fixed(cell.sum, d), fixed(cell.min, d), fixed(cell.max, d))
			if err != nil {
				return f, err
			}
		}
		*cell = sumCell{}
	}
	w.counts[g], w.seen[g] = 0, false
	return f, nil
}

func fixed(digits int64, decimals uint8) decimal.Fixed {
	return decimal.Fixed{Digits: digits, Decimals: decimals}
}
