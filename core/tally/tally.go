// Package tally turns resolved stretches of days and dated records into figures. It cuts the time
// line into segments that overlap no others, so that one pass over the records serves every stretch
// at once; it compares figures and lays a span out in units of a calendar. It knows intervals, never
// expressions, and reads no records itself: a Source does.
package tally

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/cockroachdb/apd/v3"

	"vastspan/core/civil"
)

// A Kind is a way to put many amounts into one figure.
type Kind string

// The figures. Count counts records; the others look at one amount column.
const (
	Count Kind = "count"
	Sum   Kind = "sum"
	Mean  Kind = "mean"
	Min   Kind = "min"
	Max   Kind = "max"
)

// A Figure is a kind and, for all but Count, the column it is taken of.
type Figure struct {
	Kind   Kind
	Column string
}

// Name gives the figure's name in output: count, sum_fare.
func (f Figure) Name() string {
	if f.Kind == Count {
		return string(Count)
	}
	return string(f.Kind) + "_" + f.Column
}

// A Label is the value of a category; the zero value is blank, which is not the empty text.
type Label struct {
	Text string
	Set  bool
}

// LabelOf gives the label of a text.
func LabelOf(text string) Label { return Label{text, true} }

// A Test is what a filter asks of a column.
type Test string

// The tests. Is and IsNot take one or several values, blank among them; the others take one, and a
// blank passes none of them.
const (
	Is       Test = "is"
	IsNot    Test = "is-not"
	Contains Test = "contains" // of text
	AtLeast  Test = "at-least" // of numbers and days
	AtMost   Test = "at-most"
)

// A Filter keeps the records whose column passes a test.
type Filter struct {
	Column string
	Test   Test
	Values []Label
}

// A Request asks for figures over stretches of days.
type Request struct {
	Stretches []civil.Set
	Figures   []Figure
	By        []string // at most MaxBy category columns
	Where     []Filter
}

// MaxBy is how many categories a request may be broken down by.
const MaxBy = 2

// A Plan is a request made ready for one pass over the records.
type Plan struct {
	Request
	// Edges cut the time line, in order. Segment 0 lies before the first edge, segment i from edge
	// i-1 up to edge i, the last one from the last edge on.
	Edges []civil.Day
	// Amounts are the columns that any figure needs, each once.
	Amounts []string
	// wanted are the stretches that each segment belongs to.
	wanted [][]int
}

// NewPlan checks a request and cuts the time line at every edge of its stretches.
func NewPlan(r Request) (*Plan, error) {
	if len(r.Stretches) == 0 {
		return nil, fmt.Errorf("no spans are given to total over")
	}
	if len(r.Figures) == 0 {
		return nil, fmt.Errorf("no figures are asked for: count, sum, mean, min or max")
	}
	if len(r.By) > MaxBy {
		return nil, fmt.Errorf("%d categories are given; a total is broken down by at most %d", len(r.By), MaxBy)
	}
	p := &Plan{Request: r}
	for _, f := range r.Figures {
		if f.Kind != Count && !slices.Contains(p.Amounts, f.Column) {
			p.Amounts = append(p.Amounts, f.Column)
		}
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
	p.wanted = make([][]int, len(p.Edges)+1)
	for i, s := range r.Stretches {
		for v := range s.Intervals() {
			for seg := p.Segment(v.Start); seg < len(p.wanted) && p.segmentStart(seg) < v.End; seg++ {
				p.wanted[seg] = append(p.wanted[seg], i)
			}
		}
	}
	return p, nil
}

func (p *Plan) segmentStart(seg int) civil.Day {
	if seg == 0 {
		return civil.Since
	}
	return p.Edges[seg-1]
}

// Segment gives the segment that holds a day.
func (p *Plan) Segment(d civil.Day) int {
	i, found := slices.BinarySearch(p.Edges, d)
	if found {
		i++
	}
	return i
}

// Wanted tells whether any stretch asks for a segment.
func (p *Plan) Wanted(seg int) bool { return len(p.wanted[seg]) > 0 }

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

// A Fact is what a source knows of one segment and one group: facts of the same kind add up.
type Fact struct {
	Segment int
	Group   []Label // as many as the plan's By
	Count   int64
	Amounts []Amount // as many as the plan's Amounts
}

// An Amount sums up the values of one column. With Count 0 there was none: blank is not zero.
type Amount struct {
	Count         int64
	Sum, Min, Max apd.Decimal
}

// Extent tells of the records that a source looked at, after its filter.
type Extent struct {
	Records        int64     // with a day, in a stretch or not
	Undated        int64     // left out for want of a day
	Oldest, Newest civil.Day // of the records with a day; not set where Records is 0
}

// Add takes one more record's day in.
func (e *Extent) Add(d civil.Day) {
	if e.Records == 0 {
		e.Oldest, e.Newest = d, d
	}
	e.Records++
	e.Oldest, e.Newest = min(e.Oldest, d), max(e.Newest, d)
}

// A Source reads records once and yields facts for the wanted segments, in any order; facts for the
// same segment and group may come more than once.
type Source interface {
	Facts(ctx context.Context, p *Plan, yield func(Fact) error) (Extent, error)
}

// A Value is a figure's value, or blank.
type Value struct {
	Decimal apd.Decimal
	Set     bool
}

// String gives the number in plain digits, "" where it is blank.
func (v Value) String() string {
	if !v.Set {
		return ""
	}
	return v.Decimal.Text('f')
}

// A Result holds the figures of every stretch and group.
type Result struct {
	Extent Extent
	// Groups are the values that the categories take in any stretch, in order; one, without labels,
	// where nothing is broken down.
	Groups [][]Label
	// Cells has a row for each stretch and in it one for each group: the figures in their order.
	Cells [][][]Value
	// Totals has the figures of each stretch over all its groups.
	Totals [][]Value
}

// Run asks a source for the facts of a plan and adds them up.
func Run(ctx context.Context, p *Plan, src Source) (*Result, error) {
	sums := newSummary(p)
	extent, err := src.Facts(ctx, p, sums.add)
	if err != nil {
		return nil, err
	}
	return sums.result(extent)
}

// summary adds facts up by stretch and group.
type summary struct {
	plan   *Plan
	index  map[string]int
	groups [][]Label
	cells  [][]Fact // by stretch and group
	totals []Fact   // by stretch
}

func newSummary(p *Plan) *summary {
	s := &summary{plan: p, index: map[string]int{}, cells: make([][]Fact, len(p.Stretches)), totals: make([]Fact, len(p.Stretches))}
	if len(p.By) == 0 {
		s.group(nil)
	}
	return s
}

func (s *summary) group(labels []Label) int {
	key := groupKey(labels)
	i, ok := s.index[key]
	if !ok {
		i = len(s.groups)
		s.index[key] = i
		s.groups = append(s.groups, slices.Clone(labels))
	}
	return i
}

// groupKey gives a text that is the same for the same labels only.
func groupKey(labels []Label) string {
	var b strings.Builder
	for _, l := range labels {
		if l.Set {
			fmt.Fprintf(&b, "%d:", len(l.Text))
			b.WriteString(l.Text)
		} else {
			b.WriteByte('-')
		}
	}
	return b.String()
}

func (s *summary) add(f Fact) error {
	g := s.group(f.Group)
	for _, stretch := range s.plan.wanted[f.Segment] {
		for len(s.cells[stretch]) <= g {
			s.cells[stretch] = append(s.cells[stretch], Fact{})
		}
		if err := s.cells[stretch][g].merge(f); err != nil {
			return err
		}
		if err := s.totals[stretch].merge(f); err != nil {
			return err
		}
	}
	return nil
}

// merge adds a fact to one of the same group.
func (f *Fact) merge(g Fact) error {
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

// exact adds and compares without rounding: amounts of any size keep their last digit.
var exact = apd.BaseContext

func (a *Amount) merge(b *Amount) error {
	if b.Count == 0 {
		return nil
	}
	if a.Count == 0 {
		a.Count = b.Count
		a.Sum.Set(&b.Sum)
		a.Min.Set(&b.Min)
		a.Max.Set(&b.Max)
		return nil
	}
	a.Count += b.Count
	if _, err := exact.Add(&a.Sum, &a.Sum, &b.Sum); err != nil {
		return err
	}
	if b.Min.Cmp(&a.Min) < 0 {
		a.Min.Set(&b.Min)
	}
	if b.Max.Cmp(&a.Max) > 0 {
		a.Max.Set(&b.Max)
	}
	return nil
}

// Add takes one more value in.
func (a *Amount) Add(v *apd.Decimal) error {
	one := Amount{Count: 1}
	one.Sum.Set(v)
	one.Min.Set(v)
	one.Max.Set(v)
	return a.merge(&one)
}

func (s *summary) result(extent Extent) (*Result, error) {
	order := make([]int, len(s.groups))
	for i := range order {
		order[i] = i
	}
	slices.SortFunc(order, func(a, b int) int { return compareLabels(s.groups[a], s.groups[b]) })
	r := &Result{Extent: extent}
	for _, g := range order {
		r.Groups = append(r.Groups, s.groups[g])
	}
	for i := range s.plan.Stretches {
		row := make([][]Value, len(order))
		for j, g := range order {
			var f Fact
			if g < len(s.cells[i]) {
				f = s.cells[i][g]
			}
			values, err := s.plan.figures(f)
			if err != nil {
				return nil, err
			}
			row[j] = values
		}
		total, err := s.plan.figures(s.totals[i])
		if err != nil {
			return nil, err
		}
		r.Cells = append(r.Cells, row)
		r.Totals = append(r.Totals, total)
	}
	return r, nil
}

// compareLabels orders groups by their labels, blanks last.
func compareLabels(a, b []Label) int {
	for i := range a {
		switch {
		case a[i].Set != b[i].Set && a[i].Set:
			return -1
		case a[i].Set != b[i].Set:
			return 1
		}
		if c := strings.Compare(a[i].Text, b[i].Text); c != 0 {
			return c
		}
	}
	return 0
}

// figures turns an added-up fact into the values asked for (semantics §7: blank is not zero).
func (p *Plan) figures(f Fact) ([]Value, error) {
	values := make([]Value, len(p.Figures))
	for i, fig := range p.Figures {
		if fig.Kind == Count {
			values[i].Set = true
			values[i].Decimal.SetInt64(f.Count)
			continue
		}
		if f.Amounts == nil {
			continue
		}
		a := &f.Amounts[slices.Index(p.Amounts, fig.Column)]
		if a.Count == 0 {
			continue
		}
		v, err := a.figure(fig.Kind)
		if err != nil {
			return nil, err
		}
		values[i] = v
	}
	return values, nil
}

// meanDigits is how many decimals a mean has beyond those of its sum.
const meanDigits = 4

func (a *Amount) figure(k Kind) (Value, error) {
	v := Value{Set: true}
	switch k {
	case Sum:
		v.Decimal.Set(&a.Sum)
	case Min:
		v.Decimal.Set(&a.Min)
	case Max:
		v.Decimal.Set(&a.Max)
	case Mean:
		return v, quotient(&v.Decimal, &a.Sum, apd.New(a.Count, 0), max(-a.Sum.Exponent, 0)+meanDigits)
	default:
		return v, fmt.Errorf("%q is not a figure: expected count, sum, mean, min or max", k)
	}
	return v, nil
}
