package service

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/span"
	"vastspan/core/tally"
)

// A layout collects the stretches of days that a question needs of each side, and where each is
// found in the results.
type layout struct {
	question Question
	scope    span.Scope
	against  []span.Against
	each     calendar.Unit
	reset    calendar.Unit
	sides    []*side // first the records asked about, then those beside them
	spans    []spanLayout
	kept     []tally.Label
	groups   [][]tally.Label
}

// A side is one set of records and what is asked of it, in one pass.
type side struct {
	Records
	request tally.Request
	result  *tally.Result
	plan    *tally.Plan
}

// A place is where the figures of a stretch are found.
type place struct{ side, stretch int }

// nowhere is the place of what has no stretch.
var nowhere = place{-1, -1}

type spanLayout struct {
	resolved     Resolved
	counterparts []Counterpart
	at           place
	against      []place
	rows         []rowLayout
}

type rowLayout struct {
	unit             tally.Unit
	at               place
	against          []place
	previous         place
	running, rolling place
	window           civil.Interval
	blank            bool // it has not happened yet: nothing runs on into it, nothing is compared
	uneven           bool
}

func newLayout(q Question, scope span.Scope, main Records, find func(string) (Records, error)) (*layout, error) {
	y := &layout{question: q, scope: scope}
	for _, text := range q.Against {
		a, err := span.ParseAgainst(text)
		if err != nil {
			return nil, invalid(fmt.Errorf("against %q: %w", text, err))
		}
		y.against = append(y.against, a)
	}
	y.sides = []*side{{Records: main, request: tally.Request{Figures: q.Figures, By: q.By, Where: q.Where, Date: q.Date, Top: q.Top}}}
	for _, b := range q.Beside {
		other, err := find(b.Dataset)
		if err != nil {
			return nil, err
		}
		r, err := b.request(q, other)
		if err != nil {
			return nil, invalid(err)
		}
		y.sides = append(y.sides, &side{Records: other, request: r})
	}
	return y, invalid(y.units())
}

// request asks the other records for the same figures, under their own names of columns.
func (b *Beside) request(q Question, other Records) (tally.Request, error) {
	named := func(column string) string {
		if own, ok := b.Columns[column]; ok {
			return own
		}
		return column
	}
	r := tally.Request{Date: b.Date, Where: q.Where}
	for _, f := range q.Figures {
		if f.Column != "" {
			f.Column = named(f.Column)
		}
		r.Figures = append(r.Figures, f)
	}
	for _, c := range q.By {
		r.By = append(r.By, named(c))
	}
	if b.Where != nil {
		r.Where = *b.Where
	} else {
		r.Where = slices.Clone(q.Where)
		for i := range r.Where {
			r.Where[i].Column = named(r.Where[i].Column)
		}
	}
	asked := slices.Collect(maps.Keys(b.Columns))
	slices.Sort(asked)
	for _, column := range asked {
		uses := func(f tally.Figure) bool { return f.Column == column }
		filters := func(f tally.Filter) bool { return f.Column == column }
		if !slices.ContainsFunc(q.Figures, uses) && !slices.Contains(q.By, column) && !slices.ContainsFunc(q.Where, filters) {
			return r, fmt.Errorf("beside %s: %s stands for no column of the question", b.Dataset, column)
		}
	}
	if err := b.check(r, other); err != nil {
		return r, fmt.Errorf("beside %s: %w", b.Dataset, err)
	}
	return r, nil
}

// check says which column the other records lack, and how to name another in its place.
func (b *Beside) check(r tally.Request, other Records) error {
	var asked []string
	for _, f := range r.Figures {
		asked = append(asked, f.Column)
	}
	asked = append(asked, r.By...)
	for _, f := range r.Where {
		asked = append(asked, f.Column)
	}
	for _, name := range asked {
		if _, ok := other.Schema.Column(name); name != "" && !ok {
			return fmt.Errorf("there is no column %q; its columns are %s: say which of them stands for it", name, strings.Join(other.Schema.Names(), ", "))
		}
	}
	return nil
}

// runningSpan asks for a running figure that starts over with the span alone.
const runningSpan = "span"

// maxRolling is how many units a rolling figure may cover.
const maxRolling = 1000

// units reads the units that rows are made of.
func (y *layout) units() error {
	q := &y.question
	if q.Share != "" && q.Share != ShareOfSpan && q.Share != ShareOfUnit {
		return fmt.Errorf("share %q: expected span or unit", q.Share)
	}
	if q.Each == "" {
		for what, asked := range map[string]bool{"a running figure": q.Running != "", "a rolling figure": q.Rolling != 0, "the unit before": q.Previous, "the share of a unit": q.Share == ShareOfUnit} {
			if asked {
				return fmt.Errorf("%s needs each: the unit of the rows", what)
			}
		}
		return nil
	}
	var ok bool
	if y.each, ok = calendar.ParseUnit(q.Each); !ok || y.each == calendar.BusinessDay {
		return fmt.Errorf("each %q: expected day, week, month, quarter, half or year", q.Each)
	}
	if q.Running != "" && q.Running != runningSpan {
		if y.reset, ok = calendar.ParseUnit(q.Running); !ok || y.reset <= y.each {
			return fmt.Errorf("running %q: expected span, or a unit longer than %s to start over with", q.Running, y.each)
		}
	}
	if q.Rolling != 0 && (q.Rolling < 2 || q.Rolling > maxRolling) {
		return fmt.Errorf("rolling %d: expected 2 to %d units", q.Rolling, maxRolling)
	}
	return nil
}

// on asks a side for a stretch.
func (y *layout) on(side int, s civil.Set) place {
	if side == 0 && y.question.Known && !y.question.Planned {
		s = s.Intersect(civil.SetOf(civil.Interval{Start: civil.Since, End: y.scope.AsOf + 1}))
	}
	r := &y.sides[side].request
	r.Stretches = append(r.Stretches, s)
	return place{side, len(r.Stretches) - 1}
}

func (y *layout) stretch(s civil.Set) place { return y.on(0, s) }

func (y *layout) stretches() int {
	n := 0
	for _, s := range y.sides {
		n += len(s.request.Stretches)
	}
	return n
}

// add lays one span out.
func (y *layout) add(text string) error {
	n, err := span.Parse(text)
	if err != nil {
		return err
	}
	if y.question.Even {
		n = &span.SoFar{X: n}
	}
	resolution, err := span.Explain(n, y.scope)
	if err != nil {
		return err
	}
	if cut := y.cuts(0, resolution.Days); cut != "" {
		resolution.Cautions = append(resolution.Cautions, span.Caution{Kind: cutsUnit, Text: cut})
	}
	sp := spanLayout{resolved: Resolved{Text: n.String(), Resolution: resolution}, at: y.stretch(resolution.Days)}
	for _, a := range y.against {
		days, err := a.Resolve(n, y.scope)
		if err != nil {
			return fmt.Errorf("against %s: %w", a.Text, err)
		}
		sp.counterparts = append(sp.counterparts, Counterpart{Against: a.Text, Days: days})
		sp.against = append(sp.against, y.stretch(days))
	}
	for i, b := range y.question.Beside {
		sp.counterparts = append(sp.counterparts, Counterpart{Against: "records of " + b.Dataset, Dataset: b.Dataset, Days: resolution.Days})
		sp.against = append(sp.against, y.on(1+i, resolution.Days))
	}
	if y.question.Each != "" {
		if err := y.breakDown(&sp); err != nil {
			return err
		}
	}
	y.spans = append(y.spans, sp)
	return nil
}

// cutsUnit is the caution that a span cuts a unit which the records stand for as a whole.
const cutsUnit span.CautionKind = "cuts-unit"

// cuts says which unit a span cuts that the records of a side stand for as a whole, "" for none.
func (y *layout) cuts(side int, days civil.Set) string {
	covers, ok := parseCovers(y.sides[side].Schema)
	if !ok {
		return ""
	}
	for v := range days.Intervals() {
		for _, d := range []civil.Day{v.Start, v.End} {
			if d == civil.Since || d == civil.Onward {
				continue
			}
			whole, err := y.scope.Calendar.Holding(covers, d)
			if err != nil || whole.Start == d {
				continue
			}
			label, err := y.scope.Calendar.Label(covers, whole.Start)
			if err == nil {
				return fmt.Sprintf("a record of %s stands for a whole %s, and %s is cut", y.sides[side].Name, covers, label)
			}
		}
	}
	return ""
}

// breakDown lays the units of a span out. A unit is set beside the one in the same place of the
// counterpart.
func (y *layout) breakDown(sp *spanLayout) error {
	cal := y.scope.Calendar
	set := sp.resolved.Days
	units, err := tally.Each(set, cal, y.each, y.scope.AsOf)
	if err != nil {
		return err
	}
	others := make([][]tally.Unit, len(y.against))
	for i := range y.against {
		c := &sp.counterparts[i]
		if others[i], err = tally.Each(c.Days, cal, y.each, y.scope.AsOf); err != nil {
			return fmt.Errorf("against %s: %w", c.Against, err)
		}
	}
	for i, u := range units {
		row := rowLayout{unit: u, at: y.stretch(u.Days), previous: nowhere, running: nowhere, rolling: nowhere, blank: u.Ahead && !y.question.Planned}
		if y.question.Planned {
			u.Ahead = false
		}
		for _, other := range others {
			at := nowhere
			if i < len(other) {
				at = y.stretch(other[i].Days)
			}
			row.against = append(row.against, at)
		}
		for j := range y.question.Beside {
			row.against = append(row.against, y.on(1+j, u.Days))
			row.uneven = row.uneven || y.cuts(1+j, u.Days) != ""
		}
		if row.previous, err = y.previous(sp, i, u); err != nil {
			return err
		}
		if row.running, err = y.running(set, u); err != nil {
			return err
		}
		if y.question.Rolling > 0 {
			if row.window, err = tally.Rolling(u, cal, y.each, y.question.Rolling); err != nil {
				return err
			}
			row.rolling = y.stretch(civil.SetOf(row.window))
		}
		sp.rows = append(sp.rows, row)
	}
	return nil
}

// previous gives the place of the unit before a row: the row before it, or for the first one the
// whole unit before the span.
func (y *layout) previous(sp *spanLayout, i int, u tally.Unit) (place, error) {
	switch {
	case !y.question.Previous:
		return nowhere, nil
	case i > 0:
		return sp.rows[i-1].at, nil
	}
	index, err := y.scope.Calendar.Index(y.each, u.Whole.Start)
	if err != nil {
		return nowhere, err
	}
	before, err := y.scope.Calendar.Unit(y.each, index-1)
	return y.stretch(civil.SetOf(before)), err
}

func (y *layout) running(set civil.Set, u tally.Unit) (place, error) {
	switch y.question.Running {
	case "":
		return nowhere, nil
	case runningSpan:
		return y.stretch(tally.RunningSpan(set, u)), nil
	}
	days, err := tally.Running(set, u, y.scope.Calendar, y.reset)
	return y.stretch(days), err
}
