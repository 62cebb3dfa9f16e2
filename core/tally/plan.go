package tally

import (
	"fmt"
	"slices"

	"vastspan/core/civil"
)

// A Plan is a request made ready for one pass over the records.
type Plan struct {
	Request
	// Edges cut the time line, in order. Segment 0 lies before the first edge, segment i from edge
	// i-1 up to edge i, the last one from the last edge on.
	Edges []civil.Day
	// Amounts are the columns of which any figure needs count, sum, least and greatest, each once.
	Amounts []string
	// Bounds tells of each amount whether its least and greatest value are asked for.
	Bounds []bool
	// Moments tells of each amount whether its first and last value in time are asked for.
	Moments []bool
	// Wholes are the figures that do not add up, Bagged the columns that they need, each once.
	Wholes []Figure
	Bagged []string
	// Kept are the values of the first category that are kept apart; others fold into Rest. It is
	// nil where all are kept, or the source has to rank them first.
	Kept []Label
	// Folded is how many values of the first category went into the rest.
	Folded int
	// wanted are the stretches that each segment belongs to.
	wanted [][]int
	kept   map[Label]bool
	// table gives the segments of the days from the first edge on, where they are few enough.
	table []int32
}

// maxTable is how many days a plan's table of segments may span.
const maxTable = 40_000

// NewPlan checks a request and cuts the time line at every edge of its stretches.
func NewPlan(r Request) (*Plan, error) {
	if err := r.check(); err != nil {
		return nil, err
	}
	p := &Plan{Request: r}
	for _, f := range r.Figures {
		p.need(f)
	}
	for _, s := range r.Stretches {
		for v := range s.Intervals() {
			for _, d := range []civil.Day{v.Start, v.End} {
				if d != civil.Since && d != civil.Onward {
					p.Edges = append(p.Edges, d)
				}
			}
		}
	}
	slices.Sort(p.Edges)
	p.Edges = slices.Compact(p.Edges)
	p.tabulate()
	p.wanted = make([][]int, len(p.Edges)+1)
	for i, s := range r.Stretches {
		for v := range s.Intervals() {
			for seg := p.Segment(v.Start); seg < len(p.wanted) && p.Start(seg) < v.End; seg++ {
				p.wanted[seg] = append(p.wanted[seg], i)
			}
		}
	}
	return p, nil
}

func (r *Request) check() error {
	switch {
	case len(r.Stretches) == 0:
		return fmt.Errorf("no spans are given to total over")
	case len(r.Figures) == 0:
		return fmt.Errorf("no figures are asked for: count, sum, mean, min, max, distinct, median, first or last")
	case len(r.By) > MaxBy:
		return fmt.Errorf("%d categories are given; a total is broken down by at most %d", len(r.By), MaxBy)
	case len(r.By) == 2 && r.By[0] == r.By[1]:
		return fmt.Errorf("category %s is given twice", r.By[0])
	case r.Top < 0 || r.Top > MaxTop:
		return fmt.Errorf("top %d: expected 1 to %d", r.Top, MaxTop)
	case r.Top > 0 && len(r.By) == 0:
		return fmt.Errorf("top %d needs a category (by)", r.Top)
	}
	if _, ok := r.Ranking(); r.Top > 0 && !ok {
		return fmt.Errorf("top %d ranks by a count, sum, mean, min or max: ask for one of them", r.Top)
	}
	for _, f := range r.Figures {
		if !slices.Contains(Kinds, f.Kind) {
			return fmt.Errorf("%q is not a figure: expected count, sum, mean, min, max, distinct, median, first or last", f.Kind)
		}
	}
	return nil
}

// MaxTop is how many values of a category may be kept apart as the top ones.
const MaxTop = 1000

// need notes what a figure has to be made of.
func (p *Plan) need(f Figure) {
	switch {
	case f.Kind == Count:
		return
	case f.Kind.Whole():
		if !slices.Contains(p.Wholes, f) {
			p.Wholes = append(p.Wholes, f)
		}
		if !slices.Contains(p.Bagged, f.Column) {
			p.Bagged = append(p.Bagged, f.Column)
		}
		return
	}
	i := slices.Index(p.Amounts, f.Column)
	if i < 0 {
		i = len(p.Amounts)
		p.Amounts, p.Bounds, p.Moments = append(p.Amounts, f.Column), append(p.Bounds, false), append(p.Moments, false)
	}
	p.Bounds[i] = p.Bounds[i] || f.Kind == Min || f.Kind == Max
	p.Moments[i] = p.Moments[i] || f.Kind == First || f.Kind == Last
}

// Timed tells whether any figure is a first or last value in time.
func (p *Plan) Timed() bool { return slices.Contains(p.Moments, true) }

// Start gives the first day of a segment, civil.Since where it has none.
func (p *Plan) Start(segment int) civil.Day {
	if segment == 0 {
		return civil.Since
	}
	return p.Edges[segment-1]
}

// tabulate makes the table of segments.
func (p *Plan) tabulate() {
	n := len(p.Edges)
	if n == 0 || p.Edges[n-1]-p.Edges[0] > maxTable {
		return
	}
	p.table = make([]int32, p.Edges[n-1]-p.Edges[0]+1)
	for i := range p.table {
		p.table[i] = int32(p.search(p.Edges[0] + civil.Day(i)))
	}
}

// Segment gives the segment that holds a day.
func (p *Plan) Segment(d civil.Day) int {
	if n := len(p.table); n > 0 {
		i := int(d - p.Edges[0])
		switch {
		case i < 0:
			return 0
		case i >= n:
			return len(p.Edges)
		}
		return int(p.table[i])
	}
	return p.search(d)
}

func (p *Plan) search(d civil.Day) int {
	i, found := slices.BinarySearch(p.Edges, d)
	if found {
		i++
	}
	return i
}

// Wanted tells whether any stretch asks for a segment.
func (p *Plan) Wanted(segment int) bool { return len(p.wanted[segment]) > 0 }

// In tells whether a stretch asks for a segment.
func (p *Plan) In(segment, stretch int) bool {
	_, in := slices.BinarySearch(p.wanted[segment], stretch)
	return in
}

// Keep states which values of the first category are kept apart, in the order of their rank, and how
// many others there are.
func (p *Plan) Keep(kept []Label, folded int) {
	p.Kept, p.Folded = kept, folded
	p.kept = make(map[Label]bool, len(kept))
	for _, l := range kept {
		p.kept[l] = true
	}
}

// Fold gives the group that a record's labels belong to, in place.
func (p *Plan) Fold(labels []Label) []Label {
	if p.kept != nil && !p.kept[labels[0]] {
		labels[0] = Rest
	}
	return labels
}

// Rank finds the values of the first category to keep among facts, and states them in the plan. What
// falls beyond the top ones is folded together.
func (p *Plan) Rank(facts func(yield func(*Fact) bool)) error {
	type ranked struct {
		label Label
		fact  Fact
		value Value
	}
	index := map[Label]int{}
	var list []ranked
	for f := range facts {
		i, ok := index[f.Group[0]]
		if !ok {
			i = len(list)
			index[f.Group[0]] = i
			list = append(list, ranked{label: f.Group[0]})
		}
		if p.In(f.Segment, 0) {
			if err := list[i].fact.merge(f); err != nil {
				return err
			}
		}
	}
	by, _ := p.Ranking()
	for i := range list {
		values, err := p.figures(&list[i].fact, nil)
		if err != nil {
			return err
		}
		list[i].value = values[by]
	}
	slices.SortFunc(list, func(a, b ranked) int {
		switch {
		case a.value.Set != b.value.Set && a.value.Set:
			return -1
		case a.value.Set != b.value.Set:
			return 1
		case a.value.Set:
			if c := b.value.Decimal.Cmp(&a.value.Decimal); c != 0 {
				return c
			}
		}
		return compareLabel(a.label, b.label)
	})
	var kept []Label
	for i := range min(p.Top, len(list)) {
		kept = append(kept, list[i].label)
	}
	p.Keep(kept, len(list)-len(kept))
	return nil
}

// Hull gives the stretch of days from the first that is wanted to the last.
func (p *Plan) Hull() civil.Interval {
	var hull civil.Interval
	for _, s := range p.Stretches {
		v := s.Hull()
		switch {
		case v.Empty():
		case hull.Empty():
			hull = v
		default:
			hull = civil.Interval{Start: min(hull.Start, v.Start), End: max(hull.End, v.End)}
		}
	}
	return hull
}
