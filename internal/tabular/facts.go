package tabular

import (
	"cmp"
	"context"
	"slices"
	"strconv"
	"strings"
	"time"

	"vastspan/core/tally"
)

// Facts reads the file and gives the facts of a plan; see tally.Source. Only the columns that the
// plan needs are looked at.
func (f *Source) Facts(ctx context.Context, p *tally.Plan, into tally.Sink) (tally.Extent, error) {
	l, err := f.layout(p)
	if err != nil {
		return tally.Extent{}, err
	}
	whole := newGathering()
	sc := Scanning{Schema: f.Schema, Columns: l.columns, AllowUndated: f.AllowUndated || p.Date != ""}
	err = Scan(ctx, f.Reader, sc, func(_ int, rows Rows) (*gathering, error) {
		g := newGathering()
		return g, rows(func(line int, cells []Cell) error { return g.record(l, line, cells) })
	}, whole.merge)
	if err != nil {
		return whole.extent, err
	}
	return whole.extent, whole.give(p, into)
}

// layout is where a plan's columns stand among the cells of a row.
type layout struct {
	plan                *tally.Plan
	schema              *Schema
	keep                func([]Cell) bool
	day                 int
	amounts, by, bagged []int
	columns             []int // all of them
}

func (f *Source) layout(p *tally.Plan) (*layout, error) {
	s := f.Schema
	if err := s.CheckPlan(p); err != nil {
		return nil, err
	}
	l := &layout{plan: p, schema: s, amounts: s.positions(p.Amounts), by: s.positions(p.By), bagged: s.positions(p.Bagged)}
	var err error
	if l.day, err = s.DateColumn(p.Date); err != nil {
		return nil, err
	}
	if l.keep, err = s.keeper(p.Where); err != nil {
		return nil, err
	}
	l.columns = slices.Concat([]int{l.day}, l.amounts, l.by, l.bagged)
	for _, w := range p.Where {
		l.columns = append(l.columns, s.positions([]string{w.Column})...)
	}
	slices.Sort(l.columns)
	l.columns = slices.Compact(l.columns)
	return l, nil
}

// moment gives the place in time of a record.
func (l *layout) moment(day *Cell) int64 {
	if l.schema.Columns[l.day].Type == Timestamp {
		return day.Moment.Round(time.Microsecond).UnixMicro()
	}
	return int64(day.Day)
}

// gathering is what was found in a part of a file.
type gathering struct {
	extent tally.Extent
	groups map[string]*group
	order  []*group
	key    []byte
}

func newGathering() *gathering { return &gathering{groups: map[string]*group{}} }

// group is what the records of one group add up to, by segment.
type group struct {
	key    string
	labels []tally.Label
	parts  []*part
}

// part is what the records of one segment and group add up to.
type part struct {
	count       int64
	sums        []tally.Sums
	first, last []tally.Point // where they are asked for
	bags        []tally.Bag
}

func (g *gathering) record(l *layout, line int, cells []Cell) error {
	if !l.keep(cells) {
		return nil
	}
	day := &cells[l.day]
	if !day.Set {
		g.extent.Undated++
		return nil
	}
	g.extent.Add(day.Day)
	segment := l.plan.Segment(day.Day)
	if !l.plan.Wanted(segment) {
		return nil
	}
	g.key = g.key[:0]
	for _, i := range l.by {
		g.key = cells[i].AppendKey(g.key)
	}
	one := g.groups[string(g.key)]
	if one == nil {
		one = &group{key: string(g.key), parts: make([]*part, len(l.plan.Edges)+1)}
		for _, i := range l.by {
			one.labels = append(one.labels, cells[i].Label())
		}
		g.add(one)
	}
	if one.parts[segment] == nil {
		one.parts[segment] = newPart(l.plan)
	}
	return one.parts[segment].add(l, line, cells)
}

func (g *gathering) add(one *group) {
	g.groups[one.key] = one
	g.order = append(g.order, one)
}

func newPart(p *tally.Plan) *part {
	t := &part{sums: make([]tally.Sums, len(p.Amounts))}
	if p.Timed() {
		t.first, t.last = make([]tally.Point, len(p.Amounts)), make([]tally.Point, len(p.Amounts))
	}
	for range p.Bagged {
		t.bags = append(t.bags, tally.Bag{})
	}
	return t
}

func (t *part) add(l *layout, line int, cells []Cell) error {
	t.count++
	for i, at := range l.amounts {
		c := &cells[at]
		if !c.Set {
			continue
		}
		if err := c.AddTo(&t.sums[i]); err != nil {
			return err
		}
		if l.plan.Moments[i] {
			if err := t.point(i, l.moment(&cells[l.day]), line, c); err != nil {
				return err
			}
		}
	}
	for i, at := range l.bagged {
		if c := &cells[at]; c.Set {
			key, err := l.schema.Columns[at].key(c)
			if err != nil {
				return err
			}
			t.bags[i][key]++
		}
	}
	return nil
}

// point takes a value in as the first or the last in time, should it be.
func (t *part) point(i int, at int64, line int, c *Cell) error {
	q := tally.Point{Set: true, At: at, Sequence: int64(line)}
	first, last := &t.first[i], &t.last[i]
	isFirst := !first.Set || q.Before(first)
	isLast := !last.Set || last.Before(&q)
	if !isFirst && !isLast {
		return nil
	}
	d, err := c.Decimal()
	if err != nil {
		return err
	}
	q.Value = *d
	if isFirst {
		*first = q
	}
	if isLast {
		*last = q
	}
	return nil
}

// merge takes in what was found further on in the file.
func (g *gathering) merge(other *gathering) error {
	g.extent.Merge(other.extent)
	for _, theirs := range other.order {
		mine := g.groups[theirs.key]
		if mine == nil {
			g.add(theirs)
			continue
		}
		for i, p := range theirs.parts {
			switch {
			case p == nil:
			case mine.parts[i] == nil:
				mine.parts[i] = p
			default:
				if err := mine.parts[i].merge(p); err != nil {
					return err
				}
			}
		}
	}
	if len(g.order) > maxFileGroups {
		return &tally.TooMany{By: "the categories", Limit: maxFileGroups}
	}
	return nil
}

// maxFileGroups is how many groups of a file are held in memory.
const maxFileGroups = 2_000_000

func (t *part) merge(u *part) error {
	t.count += u.count
	for i := range t.sums {
		if err := t.sums[i].Merge(&u.sums[i]); err != nil {
			return err
		}
	}
	for i := range t.first {
		if q := &u.first[i]; q.Set && (!t.first[i].Set || q.Before(&t.first[i])) {
			t.first[i] = *q
		}
		if q := &u.last[i]; q.Set && (!t.last[i].Set || t.last[i].Before(q)) {
			t.last[i] = *q
		}
	}
	for i, bag := range u.bags {
		for v, n := range bag {
			t.bags[i][v] += n
		}
	}
	return nil
}

// give hands the facts on, ranked and folded first where the plan keeps the top groups only.
func (g *gathering) give(p *tally.Plan, into tally.Sink) error {
	facts := func(yield func(*tally.Fact, error) bool) {
		for _, one := range g.order {
			for segment, t := range one.parts {
				if t == nil {
					continue
				}
				f, err := t.fact(segment, one.labels)
				if !yield(&f, err) || err != nil {
					return
				}
			}
		}
	}
	if p.Top > 0 && p.Kept == nil {
		var failed error
		err := p.Rank(func(yield func(*tally.Fact) bool) {
			for f, err := range facts {
				if failed = err; err != nil || !yield(f) {
					return
				}
			}
		})
		if err != nil || failed != nil {
			return cmp.Or(err, failed)
		}
	}
	for f, err := range facts {
		if err != nil {
			return err
		}
		f.Group = p.Fold(slices.Clone(f.Group))
		if err := into.Fact(*f); err != nil {
			return err
		}
	}
	return nil
}

func (t *part) fact(segment int, labels []tally.Label) (tally.Fact, error) {
	f := tally.Fact{Segment: segment, Group: labels, Count: t.count, Amounts: make([]tally.Amount, len(t.sums)), Bags: t.bags}
	for i := range t.sums {
		a, err := t.sums[i].Amount()
		if err != nil {
			return f, err
		}
		if t.first != nil {
			a.First, a.Last = t.first[i], t.last[i]
		}
		f.Amounts[i] = a
	}
	return f, nil
}

// AppendKey makes the texts of cells into a key that is the same for the same values only.
func (c *Cell) AppendKey(key []byte) []byte {
	if !c.Set {
		return append(key, 0)
	}
	key = append(key, 1)
	key = append(key, c.Text...)
	return append(key, 0)
}

// Label gives the text of a cell as a label, to be kept.
func (c *Cell) Label() tally.Label {
	if !c.Set {
		return tally.Label{}
	}
	return tally.LabelOf(strings.Clone(c.Text))
}

// key gives a value of a column as a text that is the same for equal values only.
func (c *Column) key(cell *Cell) (string, error) {
	switch c.Type {
	case Timestamp:
		return strconv.FormatInt(cell.Moment.Round(time.Microsecond).UnixMicro(), 10), nil
	case Date:
		return cell.Day.String(), nil
	case Number:
		d, err := cell.Decimal()
		if err != nil {
			return "", err
		}
		return tally.NumberKey(d), nil
	}
	return cell.Text, nil
}
