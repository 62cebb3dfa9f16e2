package ingest

import (
	"context"
	"encoding/binary"
	"errors"
	"maps"
	"slices"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/measure"
	"vastspan/core/tally"
)

// Source is a file of records as a source of totals; it is read once, from start to end.
type Source struct {
	Reader       Reader
	Schema       *dataset.Schema
	AllowUndated bool
}

// Partials reads the file and gives the partial results of a plan; see tally.Source. Only the columns
// that the plan needs are looked at.
func (f *Source) Partials(ctx context.Context, p *tally.Plan, into tally.Collector) (tally.Found, error) {
	var found tally.Found
	l, err := f.layout(p)
	if err != nil {
		return found, err
	}
	whole := &gathering{}
	o := ScanOptions{Schema: f.Schema, Columns: l.columns, AllowUndated: f.AllowUndated || p.Date != ""}
	err = Scan(ctx, f.Reader, o, func(_ int, rows Rows) (*gathering, error) {
		g := &gathering{}
		return g, rows(func(line int, cells []dataset.Cell) error { return g.add(l, line, cells) })
	}, whole.merge)
	if err != nil {
		return found, err
	}
	found.Coverage, found.Whole = whole.coverage, &whole.all
	for partial := range whole.Partials {
		if err := into.Partial(*partial); err != nil {
			return found, err
		}
	}
	return found, nil
}

// layout is where a plan's columns are among the cells of a row.
type layout struct {
	plan                *tally.Plan
	schema              *dataset.Schema
	pass                func([]dataset.Cell) bool
	day                 int
	amounts, by, values []int
	columns             []int // all of them that are in the file
	lengths             []lengthCell
	clock               civil.Clock
}

func (f *Source) layout(p *tally.Plan) (*layout, error) {
	s := f.Schema.With(p.Lengths)
	if err := p.Check(s); err != nil {
		return nil, err
	}
	l := &layout{plan: p, schema: s, amounts: s.Indexes(p.AmountColumns()), values: s.Indexes(p.ValueColumns)}
	var err error
	if l.day, err = s.DateColumn(p.Date); err != nil {
		return nil, err
	}
	if l.pass, err = s.Predicate(p.Where); err != nil {
		return nil, err
	}
	if l.clock, err = s.Clock(); err != nil {
		return nil, err
	}
	for i, name := range p.By {
		at := s.Index(name)
		if part := p.Part(i); part != nil {
			if at, err = s.DateColumn(p.DateOf(part)); err != nil {
				return nil, err
			}
		}
		l.by = append(l.by, at)
	}
	l.columns = slices.Concat([]int{l.day}, l.amounts, l.by, l.values, s.Indexes(p.Where.Columns()))
	for i, c := range p.Lengths {
		one := lengthCell{c.Length, s.Index(c.Length.From), s.Index(c.Length.To), len(f.Schema.Columns) + i}
		l.lengths, l.columns = append(l.lengths, one), append(l.columns, one.from, one.to)
	}
	slices.Sort(l.columns)
	l.columns = slices.Compact(l.columns)
	l.columns = slices.DeleteFunc(l.columns, func(at int) bool { return at >= len(f.Schema.Columns) })
	return l, nil
}

// A lengthCell is where a length is among the cells of a row, and where its dates do.
type lengthCell struct {
	*dataset.LengthColumn
	from, to, into int
}

// at returns the place of a record in the time of the plan.
func (l *layout) at(day *dataset.Cell) int64 {
	if l.plan.Timed {
		return day.Micros()
	}
	return int64(day.Day)
}

// moment returns the place in time of a record.
func (l *layout) moment(day *dataset.Cell) int64 {
	if l.schema.Columns[l.day].Type == dataset.Timestamp {
		return day.Micros()
	}
	return int64(day.Day)
}

// gathering is what was found in a part of a file.
type gathering struct {
	tally.Groups
	coverage tally.Coverage
	all      tally.Coverage // of what the filters take out, too
	key      []byte
	parts    [tally.MaxBy]int // the places of the parts of time of the record at hand; -1 for none
	days     [tally.MaxBy]map[civil.Day]int
	cells    []dataset.Cell // with those of lengths
}

// add takes one more record in.
func (g *gathering) add(l *layout, line int, cells []dataset.Cell) error {
	cells, err := g.withLengths(l, cells)
	if err != nil {
		return err
	}
	day := &cells[l.day]
	if day.Set {
		g.all.Add(day.Day)
	}
	if !l.pass(cells) {
		return nil
	}
	if !day.Set {
		g.coverage.Undated++
		return nil
	}
	g.coverage.Add(day.Day)
	segment := l.plan.Segment(l.at(day))
	if !l.plan.Wanted(segment) {
		return nil
	}
	if err := g.find(l, cells); err != nil {
		return err
	}
	var wrong error
	one := g.Group(g.key, len(l.plan.Cuts)+1, func() (labels []dataset.Label) {
		for i, at := range l.by {
			switch part := l.plan.Part(i); {
			case part == nil:
				label, err := l.schema.Columns[at].Label(&cells[at])
				labels, wrong = append(labels, label), errors.Join(wrong, err)
			case g.parts[i] < 0:
				labels = append(labels, dataset.Label{})
			default:
				labels = append(labels, part.Values[g.parts[i]])
			}
		}
		return labels
	})
	if wrong != nil {
		return wrong
	}
	if one.Parts[segment] == nil {
		one.Parts[segment] = l.plan.NewPart()
	}
	return l.addTo(one.Parts[segment], line, cells)
}

// withLengths returns the cells of a row with those of the lengths of a plan after them.
func (g *gathering) withLengths(l *layout, cells []dataset.Cell) ([]dataset.Cell, error) {
	if len(l.lengths) == 0 {
		return cells, nil
	}
	g.cells = append(append(g.cells[:0], cells...), make([]dataset.Cell, len(l.lengths))...)
	for i := range l.lengths {
		one := &l.lengths[i]
		if err := one.Cell(&g.cells[one.from], &g.cells[one.to], &g.cells[one.into]); err != nil {
			return nil, err
		}
	}
	return g.cells, nil
}

// find makes the key of a record's group.
func (g *gathering) find(l *layout, cells []dataset.Cell) error {
	g.key = g.key[:0]
	for i, at := range l.by {
		part, c := l.plan.Part(i), &cells[at]
		var err error
		if part == nil {
			if g.key, err = l.schema.Columns[at].AppendGroupKey(c, g.key); err != nil {
				return err
			}
			continue
		}
		if g.parts[i], err = g.place(l, i, part, c); err != nil {
			return err
		}
		g.key = binary.AppendVarint(g.key, int64(g.parts[i]))
	}
	return nil
}

// place returns the place of a date or a time among the values of a part of time; -1 of a blank.
func (g *gathering) place(l *layout, category int, part *tally.TimePart, c *dataset.Cell) (int, error) {
	switch {
	case !c.Set:
		return -1, nil
	case part.Hours():
		return part.OfMoment(l.clock, civil.Moment(c.Micros())), nil
	}
	place, ok := g.days[category][c.Day]
	if !ok {
		var err error
		if place, err = part.OfDay(c.Day); err != nil {
			return 0, err
		}
		if g.days[category] == nil {
			g.days[category] = map[civil.Day]int{}
		}
		g.days[category][c.Day] = place
	}
	return place, nil
}

func (l *layout) addTo(t *tally.Part, line int, cells []dataset.Cell) error {
	if l.plan.Days {
		t.AddDays(1, cells[l.day].Day, cells[l.day].Day)
	}
	t.Count++
	for i, at := range l.amounts {
		c := &cells[at]
		if !c.Set {
			continue
		}
		if err := t.Sums[i].AddCell(c); err != nil {
			return err
		}
		if l.plan.Amounts[i].Needs&measure.NeedsFirstLast != 0 {
			if err := takePoint(t, i, measure.Point{Set: true, At: l.moment(&cells[l.day]), Sequence: int64(line)}, c); err != nil {
				return err
			}
		}
	}
	for i, at := range l.values {
		if c := &cells[at]; c.Set {
			key, err := l.schema.Columns[at].Key(c)
			if err != nil {
				return err
			}
			t.Values[i][key]++
		}
	}
	return nil
}

// takePoint takes a value in as the earliest or the latest in time, should it be.
func takePoint(t *tally.Part, i int, q measure.Point, c *dataset.Cell) error {
	first, last := &t.First[i], &t.Last[i]
	if first.Set && q.At > first.At && q.At < last.At {
		return nil
	}
	d, err := c.Decimal()
	if err != nil {
		return err
	}
	q.Value = *d
	first.TakeEarlier(&q)
	last.TakeLater(&q)
	return nil
}

// merge takes in what was found further on in the file.
func (g *gathering) merge(other *gathering) error {
	g.coverage.Merge(other.coverage)
	g.all.Merge(other.all)
	if err := g.Merge(&other.Groups); err != nil {
		return err
	}
	if len(g.List) > tally.MaxHeld {
		return &tally.TooMany{By: "the categories", Limit: tally.MaxHeld}
	}
	return nil
}

// covered is which days some records of a file are on.
type covered struct {
	tally.Coverage
	days map[civil.Day]bool
}

// Coverage reads the rest of a file and returns which days its records are on, by one of its dates; empty is
// the one that they are kept by.
func Coverage(ctx context.Context, r Reader, s *dataset.Schema, date string, allowUndated bool) (tally.Coverage, civil.Set, error) {
	whole := covered{tally.Coverage{Last: civil.BeginningOfTime}, map[civil.Day]bool{}}
	day, err := s.DateColumn(date)
	if err != nil {
		return whole.Coverage, civil.Set{}, err
	}
	timed := s.Columns[day].Type == dataset.Timestamp
	err = Scan(
		ctx,
		r,
		ScanOptions{Schema: s, Columns: []int{day}, AllowUndated: allowUndated || date != ""},
		func(_ int, rows Rows) (covered, error) {
			c := covered{tally.Coverage{Last: civil.BeginningOfTime}, map[civil.Day]bool{}}
			err := rows(func(_ int, cells []dataset.Cell) error {
				if !cells[day].Set {
					c.Undated++
					return nil
				}
				c.Add(cells[day].Day)
				c.days[cells[day].Day] = true
				if timed {
					c.Last = max(c.Last, civil.Moment(cells[day].Micros()))
				}
				return nil
			})
			return c, err
		},
		func(c covered) error {
			whole.Merge(c.Coverage)
			maps.Copy(whole.days, c.days)
			return nil
		},
	)
	return whole.Coverage, civil.SetOfDays(slices.Sorted(maps.Keys(whole.days))), err
}
