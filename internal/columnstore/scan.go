package columnstore

import (
	"math"
	"slices"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/tally"
)

// A scan is one plan's way over one chunk.
type scan struct {
	*held
	state   *State
	plan    *tally.Plan
	schema  *dataset.Schema // with the lengths of the plan
	clock   civil.Clock
	inputs  []input
	filters [][]predicate
	date    int // the input of the date by which records are distinguished
	own     bool
	keys    []key
	groups  int64 // how many there may be, by the keys' codes
	amounts []int
	values  []int
	record  int // the input of the record numbers; -1 where they are not needed
	summary *summary
	weight  int // the input of how many records a row represents; -1 where it is one
	place   *placing
}

// An input is a column of the chunk that is read, or a length that is made of two of them.
type input struct {
	*column // nil of a length
	of      *dataset.Column
	length  *lengthInput
	top     int64 // the highest code
}

// A lengthInput makes the codes of a length: code 1 is a length of nothing.
type lengthInput struct {
	*dataset.LengthColumn
	from, to int
	days     bool // between two dates, in days
}

// cell is that of a code.
func (in *input) cell(code int64, clock *civil.WallReader) dataset.Cell {
	if in.length == nil {
		return in.column.cell(code, in.of.Type, clock)
	}
	cell := dataset.Cell{Set: code > 0, Fixed: true}
	cell.Number.Digits = code - 1
	return cell
}

// value is what a code of whole numbers stands for.
func (in *input) value(code int64) int64 {
	if in.length != nil {
		return code - 1
	}
	return in.column.value(code)
}

// decimals are those of the values.
func (in *input) decimals() uint8 {
	if in.length != nil {
		return 0
	}
	return in.Decimals
}

const dayMicros = 24 * 3600 * int64(civil.Second)

// days is over how many days moments are spread, at most.
func (in *input) days() int64 { return (in.value(in.top)-in.value(1))/dayMicros + 3 }

// input finds the input of a column, which is added where there is none.
func (v *scan) input(name string) (int, error) {
	for i := range v.inputs {
		if v.inputs[i].of.Name == name {
			return i, nil
		}
	}
	at := v.schema.Index(name)
	of := &v.schema.Columns[at]
	if of.Length != nil {
		return v.lengthInput(of)
	}
	c := v.of(at)
	v.inputs = append(v.inputs, input{column: c, of: of, top: c.Top})
	return len(v.inputs) - 1, c.use()
}

// lengthInput adds a length. None is longer than from the first of its dates to the as-of day.
func (v *scan) lengthInput(of *dataset.Column) (int, error) {
	l := &lengthInput{LengthColumn: of.Length}
	var err error
	if l.from, err = v.input(of.Length.From); err != nil {
		return 0, err
	}
	if l.to, err = v.input(of.Length.To); err != nil {
		return 0, err
	}
	l.days = of.Length.Unit == "days" && l.Count != nil && v.inputs[l.from].of.Type == dataset.Date && v.inputs[l.to].of.Type == dataset.Date
	top := int64(0)
	if from := &v.inputs[l.from]; from.top > 0 {
		cell := from.cell(1, v.clock.Reader())
		if top = int64(l.AsOf - cell.Day); l.Count == nil {
			top = (int64(l.End) - cell.Micros()) / (3600 * int64(civil.Second))
		}
		top = max(top, 0) + 2
	}
	v.inputs = append(v.inputs, input{of: of, length: l, top: top})
	return len(v.inputs) - 1, nil
}

// A key tells the groups of one category apart: by the codes of a column, or by places of a part of time, 0 for blank.
type key struct {
	input  int
	part   *tally.TimePart
	codes  int64
	places []int32 // of a part of days: by code, or of moments by day from first on; -1 where there is none
	first  int64
}

// scan makes a plan ready for a chunk whose rows are of a schema; they are those of a summary, or records where it is nil.
func (f *State) scan(p *held, plan *tally.Plan, s *dataset.Schema, clock civil.Clock, m *summary) (*scan, error) {
	v := &scan{held: p, summary: m, state: f, plan: plan, schema: s, clock: clock, groups: 1, record: -1, weight: -1}
	at, err := s.DateColumn(plan.Date)
	if err != nil {
		return nil, err
	}
	if v.date, err = v.input(s.Columns[at].Name); err != nil {
		return nil, err
	}
	v.own = s.Columns[at].Role == dataset.DayRole && (!plan.Timed || p.Ordered)
	if v.filters, err = v.predicates(); err != nil {
		return nil, err
	}
	for i := range plan.By {
		k, err := v.key(i)
		if err != nil {
			return nil, err
		}
		v.keys = append(v.keys, k)
		if v.groups > math.MaxInt64/2/k.codes {
			return nil, &tally.TooMany{By: "the categories", Limit: tally.MaxHeld}
		}
		v.groups *= k.codes
	}
	if m != nil {
		if v.weight, err = v.input(weightColumn); err == nil {
			err = v.sumInputs(plan)
		}
	} else {
		v.amounts, err = v.several(plan.AmountColumns())
	}
	if err != nil {
		return nil, err
	}
	if v.values, err = v.several(plan.ValueColumns); err != nil {
		return nil, err
	}
	if plan.NeedsFirstLast() {
		v.record = len(v.inputs)
		c := &p.columns[recordAt]
		v.inputs = append(v.inputs, input{column: c, of: &dataset.Column{Type: dataset.Number}, top: c.Top})
		if err := c.use(); err != nil {
			return nil, err
		}
	}
	v.place = v.placing()
	return v, nil
}

// sumInputs adds the four inputs of each amount, and notes the first of them.
func (v *scan) sumInputs(plan *tally.Plan) error {
	for _, name := range plan.AmountColumns() {
		amount := slices.Index(v.summary.Amounts, name)
		v.amounts = append(v.amounts, len(v.inputs))
		for _, part := range sumParts {
			if _, err := v.input(sumColumn(amount, part)); err != nil {
				return err
			}
		}
	}
	return nil
}

// fitSums reports whether sums of an amount can be added in machine words: its first input is given.
func (v *scan) fitSums(at int) bool {
	for part := range sumParts {
		in := &v.inputs[at+part]
		if in.Kind != whole || part == 1 && !in.column.fits(v.Rows) || part > 1 && in.Decimals != v.inputs[at+1].Decimals {
			return false
		}
	}
	return true
}

func (v *scan) several(names []string) ([]int, error) {
	list := make([]int, len(names))
	for i, name := range names {
		var err error
		if list[i], err = v.input(name); err != nil {
			return nil, err
		}
	}
	return list, nil
}

func (v *scan) key(category int) (key, error) {
	k := key{part: v.plan.Part(category)}
	name := v.plan.By[category]
	if k.part != nil {
		at, err := v.schema.DateColumn(v.plan.DateOf(k.part))
		if err != nil {
			return k, err
		}
		name = v.schema.Columns[at].Name
	}
	var err error
	if k.input, err = v.input(name); err != nil {
		return k, err
	}
	in := &v.inputs[k.input]
	if k.codes = in.top + 1; k.part == nil {
		return k, nil
	}
	k.codes = int64(len(k.part.Values)) + 1
	if k.part.Hours() || in.top == 0 {
		return k, nil
	}
	listed := in.top
	if in.of.Type == dataset.Timestamp {
		k.first, listed = int64(v.clock.DayOf(civil.Moment(in.value(1))))-1, in.days()
	}
	k.places = make([]int32, listed+1)
	for code := int64(1); code <= listed; code++ {
		day := civil.Day(k.first + code)
		if in.of.Type != dataset.Timestamp {
			day = civil.Day(in.value(code))
		}
		place, err := k.part.OfDay(day)
		if err != nil { // only what is asked for matters
			place = -2
		}
		k.places[code] = int32(place + 1)
	}
	return k, nil
}

// label is the label of a group's code.
func (v *scan) label(category int, code int64) (dataset.Label, error) {
	k := &v.keys[category]
	switch {
	case k.part == nil:
		in := &v.inputs[k.input]
		return in.column.label(code, in.of)
	case code == 0:
		return dataset.Label{}, nil
	}
	return k.part.Values[code-1], nil
}

// labels are those of a group.
func (v *scan) labels(group int64) ([]dataset.Label, error) {
	labels := make([]dataset.Label, len(v.keys))
	for i := len(v.keys) - 1; i >= 0; i-- {
		var err error
		if labels[i], err = v.label(i, group%v.keys[i].codes); err != nil {
			return nil, err
		}
		group /= v.keys[i].codes
	}
	return labels, nil
}

// placing finds the segments of rows that are not sorted by the date of the plan.
type placing struct {
	segments []int32 // of days, by code; -1 for the segment of a blank
	byDay    bool    // of moments, by day from first on
	first    int64
}

// only returns the segments that are wanted, -1 instead of others.
func (p *placing) only(wanted []bool) []int32 {
	list := slices.Clone(p.segments)
	for i, segment := range list {
		if segment >= 0 && !wanted[segment] {
			list[i] = -1
		}
	}
	return list
}

func (v *scan) placing() *placing {
	in := &v.inputs[v.date]
	if v.own || v.plan.Timed {
		return nil
	}
	p := &placing{}
	listed := in.top
	if p.byDay = in.of.Type == dataset.Timestamp; p.byDay && in.top > 0 {
		p.first, listed = int64(v.clock.DayOf(civil.Moment(in.value(1))))-1, in.days()
	}
	p.segments = make([]int32, listed+1)
	p.segments[0] = -1
	for code := int64(1); code <= listed; code++ {
		day := p.first + code
		if !p.byDay {
			day = in.value(code)
		}
		p.segments[code] = int32(v.plan.Segment(day))
	}
	return p
}
