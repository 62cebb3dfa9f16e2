package tally

import (
	"fmt"
	"slices"
	"strings"

	"vastspan/core/dataset"
	"vastspan/core/measure"
)

// A Plan is a request made ready for one pass over the records. It is never changed once it is made.
type Plan struct {
	Request
	// Timed says that the time of the plan is in moments, microseconds from 1970-01-01T00:00:00Z, and not in days.
	Timed bool
	// Cuts cut the time line, in order. Segment 0 is before the first cut, segment i from cut i-1
	// up to cut i, the last one from the last cut on.
	Cuts []int64
	// Stretches are those of each period.
	Stretches [][]Stretch
	// Amounts are the columns that figures are made of whose partial results combine, each once.
	Amounts []Amount
	// Holistic are the figures of which partial results do not combine, ValueColumns the columns
	// whose values they need, each once.
	Holistic     []measure.Figure
	ValueColumns []string
	// wanted are the periods that each segment belongs to.
	wanted [][]int
	// segments are those of the days from the first cut on, where they are few enough.
	segments []int32
}

// An Amount is a column and what is needed of it.
type Amount struct {
	Column string
	Needs  measure.Needs
}

// maxSegmentDays is how many days a plan's list of segments may span.
const maxSegmentDays = 40_000

// NewPlan checks a request and cuts the time line at every edge of its periods.
func NewPlan(r Request) (*Plan, error) {
	if err := r.check(); err != nil {
		return nil, err
	}
	p := &Plan{Request: r}
	for _, f := range r.Figures {
		p.need(f)
	}
	p.Timed = slices.ContainsFunc(r.Periods, Period.Timed) || slices.ContainsFunc(r.Parts, func(t *TimePart) bool {
		return t != nil && t.hours && r.DateOf(t) == r.Date
	})
	for _, period := range r.Periods {
		if p.Timed {
			period = period.By(r.Clock)
		}
		list := period.Stretches()
		p.Stretches = append(p.Stretches, list)
		for _, v := range list {
			for _, at := range []int64{v.Start, v.End} {
				if at != Past && at != Future {
					p.Cuts = append(p.Cuts, at)
				}
			}
		}
	}
	slices.Sort(p.Cuts)
	p.Cuts = slices.Compact(p.Cuts)
	p.listSegments()
	p.wanted = make([][]int, len(p.Cuts)+1)
	work := 0
	for i, list := range p.Stretches {
		for _, v := range list {
			for seg := p.Segment(v.Start); seg < len(p.wanted) && p.Start(seg) < v.End; seg++ {
				p.wanted[seg] = append(p.wanted[seg], i)
				if work++; work > maxWork {
					return nil, fmt.Errorf("the spans and units are put together of more than %d parts: take fewer, or longer units", maxWork)
				}
			}
		}
	}
	return p, nil
}

// maxWork bounds of how many segments all periods of a plan consist.
const maxWork = 5_000_000

// Check refuses columns that a plan asks for and a dataset cannot give.
func (p *Plan) Check(s *dataset.Schema) error {
	for _, f := range p.Figures {
		if err := f.Check(s); err != nil {
			return err
		}
	}
	at, err := s.DateColumn(p.Date)
	if err != nil {
		return err
	}
	if c := &s.Columns[at]; p.Timed && c.Type != dataset.Timestamp {
		return NoTimes(s, c.Name)
	}
	for i, name := range p.By {
		if err := p.CheckCategory(s, i, name); err != nil {
			return err
		}
	}
	return s.CheckFilters(p.Where)
}

// need notes what a figure has to be made of.
func (p *Plan) need(f measure.Figure) {
	e, _ := measure.Lookup(f.Kind)
	switch {
	case !e.OfColumn():
	case e.Holistic():
		if !slices.Contains(p.Holistic, f) {
			p.Holistic = append(p.Holistic, f)
		}
		if !slices.Contains(p.ValueColumns, f.Column) {
			p.ValueColumns = append(p.ValueColumns, f.Column)
		}
	default:
		for _, name := range f.Columns() {
			i := p.amount(name)
			if i < 0 {
				i = len(p.Amounts)
				p.Amounts = append(p.Amounts, Amount{Column: name})
			}
			p.Amounts[i].Needs |= e.Needs
		}
	}
}

// amount returns the position of a column among the plan's amounts; -1 where it is none.
func (p *Plan) amount(column string) int {
	return slices.IndexFunc(p.Amounts, func(a Amount) bool { return a.Column == column })
}

// AmountColumns lists the columns of the plan's amounts.
func (p *Plan) AmountColumns() []string {
	names := make([]string, len(p.Amounts))
	for i, a := range p.Amounts {
		names[i] = a.Column
	}
	return names
}

// NeedsFirstLast reports whether any figure is an earliest or latest value.
func (p *Plan) NeedsFirstLast() bool {
	return slices.ContainsFunc(p.Amounts, func(a Amount) bool { return a.Needs&measure.NeedsFirstLast != 0 })
}

// CheckCategory refuses a category that records cannot be broken down by.
func (r *Request) CheckCategory(s *dataset.Schema, i int, name string) error {
	part := r.Part(i)
	if part == nil {
		return s.CheckCategory(name)
	}
	at, err := s.DateColumn(r.DateOf(part))
	if err != nil {
		return err
	}
	if c := &s.Columns[at]; part.hours && c.Type != dataset.Timestamp {
		return NoTimes(s, c.Name)
	}
	return nil
}

// NoTimes is the error of hours that are asked of a column of dates.
func NoTimes(s *dataset.Schema, column string) error {
	var timed []string
	for _, c := range s.Columns {
		if c.Type == dataset.Timestamp {
			timed = append(timed, c.Name)
		}
	}
	if len(timed) > 0 {
		return fmt.Errorf("column %s holds days without times, and hours need times: total by %s", column, strings.Join(timed, " or "))
	}
	return fmt.Errorf("column %s holds days without times: hours and times of day need a column of times", column)
}

// Start returns where a segment begins, Past where it has no beginning.
func (p *Plan) Start(segment int) int64 {
	if segment == 0 {
		return Past
	}
	return p.Cuts[segment-1]
}

// listSegments lists the segments by day.
func (p *Plan) listSegments() {
	n := len(p.Cuts)
	if n == 0 || p.Timed || p.Cuts[n-1]-p.Cuts[0] > maxSegmentDays {
		return
	}
	p.segments = make([]int32, p.Cuts[n-1]-p.Cuts[0]+1)
	for i := range p.segments {
		p.segments[i] = int32(p.search(p.Cuts[0] + int64(i)))
	}
}

// Segment returns the segment that holds a point in the time of the plan.
func (p *Plan) Segment(at int64) int {
	if n := len(p.segments); n > 0 {
		switch {
		case at < p.Cuts[0]:
			return 0
		case at >= p.Cuts[0]+int64(n):
			return len(p.Cuts)
		}
		return int(p.segments[at-p.Cuts[0]])
	}
	return p.search(at)
}

func (p *Plan) search(at int64) int {
	i, found := slices.BinarySearch(p.Cuts, at)
	if found {
		i++
	}
	return i
}

// Wanted reports whether any period asks for a segment.
func (p *Plan) Wanted(segment int) bool { return len(p.wanted[segment]) > 0 }

// In reports whether a period asks for a segment.
func (p *Plan) In(segment, period int) bool {
	_, in := slices.BinarySearch(p.wanted[segment], period)
	return in
}

// Bounds returns the stretch from the first day or moment that is wanted to the last; false where none is.
func (p *Plan) Bounds() (bounds Stretch, any bool) {
	for _, list := range p.Stretches {
		for _, v := range list {
			if !any {
				bounds, any = v, true
			}
			bounds = Stretch{min(bounds.Start, v.Start), max(bounds.End, v.End)}
		}
	}
	return bounds, any
}
