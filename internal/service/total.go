package service

import (
	"context"
	"errors"
	"fmt"

	"vastspan/core/book"
	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/span"
	"vastspan/core/tally"
	"vastspan/internal/tabular"
)

// A Question asks for figures over spans.
type Question struct {
	Over    []string
	Figures []tally.Figure
	By      []string
	Where   []tally.Filter
	Against []string // what to compare with
	Even    bool     // cut each span at the as-of day before it is moved
	Each    string   // the unit to break down into, "" for none
	Running string   // the unit that a running figure starts over with, or span; "" for none
	Rolling int      // the number of units of a rolling figure, 0 for none
	Planned bool     // the records are planned: units that are ahead count like the others
	Reading
}

// A Row is the figures of a span, or of a unit of it, for one group.
type Row struct {
	Unit       *tally.Unit // nil for the span itself
	Incomplete bool        // the rolling window begins before the oldest day of the records
	Group      []tally.Label
	Values     []tally.Value
	Against    [][]tally.Comparison // by what it is compared with, and figure
	Running    []tally.Value
	Rolling    []tally.Value
}

// A Counterpart is what a span is compared with.
type Counterpart struct {
	Against string
	Days    civil.Set
	Uneven  string // why the two should not stand side by side without a word, or ""
}

// A SpanTotal is the answer for one span: its total over all groups, and its rows.
type SpanTotal struct {
	Resolved
	Counterparts []Counterpart
	Total        Row
	Rows         []Row
}

// A Total is the answer to a Question.
type Total struct {
	Question Question
	Dataset  string
	AsOf     civil.Day
	Calendar string
	Spans    []SpanTotal
	Used     []UsedDefinition
	Extent   tally.Extent
}

// Total answers a question from a stored dataset.
func (s *Service) Total(ctx context.Context, dataset string, q Question) (*Total, error) {
	d, err := s.Dataset(ctx, dataset)
	if err != nil {
		return nil, err
	}
	l, err := s.Library(ctx)
	if err != nil {
		return nil, err
	}
	asOf, err := s.day(q.AsOf, func() (civil.Day, bool, error) { return d.Newest, d.Records > 0, nil })
	if err != nil {
		return nil, err
	}
	t, err := Answer(ctx, dataset, &d.Schema, l, asOf, q, s.store.Facts(&d.Dataset))
	if err != nil {
		return nil, err
	}
	var nodes []span.Node
	for _, r := range t.Spans {
		n, err := span.Parse(r.Text)
		if err != nil {
			return nil, err
		}
		nodes = append(nodes, n)
	}
	t.Used, err = s.used(ctx, l, nodes)
	return t, err
}

// maxStretches bounds how many stretches of days one question may ask about.
const maxStretches = 20_000

// Answer resolves a question's spans, lays out one pass over a source for them, their counterparts
// and their units, runs it and puts the rows together.
func Answer(ctx context.Context, dataset string, schema *tabular.Schema, l *book.Library, asOf civil.Day, q Question, src tally.Source) (*Total, error) {
	scope, err := Scope(l, asOf, q.Reading)
	if err != nil {
		return nil, err
	}
	y, err := newLayout(q, scope)
	if err != nil {
		return nil, err
	}
	for _, text := range q.Over {
		if err := y.add(text); err != nil {
			return nil, invalid(fmt.Errorf("%q: %w", text, err))
		}
		if n := len(y.stretches); n > maxStretches {
			return nil, invalidf("the question asks about more than %d stretches of days: take fewer spans, longer units or shorter spans", maxStretches)
		}
	}
	plan, err := tally.NewPlan(tally.Request{Stretches: y.stretches, Figures: q.Figures, By: q.By, Where: q.Where})
	if err == nil {
		err = schema.CheckPlan(plan)
	}
	if err != nil {
		return nil, invalid(err)
	}
	result, err := tally.Run(ctx, plan, src)
	if err != nil {
		var faults *tabular.Faults
		if errors.As(err, &faults) {
			err = invalid(err)
		}
		return nil, err
	}
	t := &Total{Question: q, Dataset: dataset, AsOf: asOf, Calendar: scope.Calendar.Name(), Extent: result.Extent}
	for _, sp := range y.spans {
		one, err := sp.answer(result, asOf)
		if err != nil {
			return nil, err
		}
		t.Spans = append(t.Spans, one)
	}
	return t, nil
}

// A layout collects the stretches of days that a question needs, and where each is found in the
// result.
type layout struct {
	question  Question
	scope     span.Scope
	against   []span.Against
	each      calendar.Unit
	reset     calendar.Unit
	stretches []civil.Set
	spans     []spanLayout
}

// none marks a place in a layout that has no stretch.
const none = -1

type spanLayout struct {
	resolved     Resolved
	counterparts []Counterpart
	at           int
	against      []int
	rows         []rowLayout
}

type rowLayout struct {
	unit             tally.Unit
	at               int
	against          []int
	running, rolling int
	window           civil.Interval
	blank            bool // it has not happened yet: nothing runs on into it, nothing is compared
}

func newLayout(q Question, scope span.Scope) (*layout, error) {
	y := &layout{question: q, scope: scope}
	for _, text := range q.Against {
		a, err := span.ParseAgainst(text)
		if err != nil {
			return nil, invalid(fmt.Errorf("against %q: %w", text, err))
		}
		y.against = append(y.against, a)
	}
	var ok bool
	if q.Each == "" {
		if q.Running != "" || q.Rolling != 0 {
			return nil, invalidf("a running or rolling figure needs each: the unit of its rows")
		}
		return y, nil
	}
	if y.each, ok = calendar.ParseUnit(q.Each); !ok || y.each == calendar.BusinessDay {
		return nil, invalidf("each %q: expected day, week, month, quarter, half or year", q.Each)
	}
	if q.Running != "" && q.Running != runningSpan {
		if y.reset, ok = calendar.ParseUnit(q.Running); !ok || y.reset <= y.each {
			return nil, invalidf("running %q: expected span, or a unit longer than %s to start over with", q.Running, y.each)
		}
	}
	if q.Rolling != 0 && (q.Rolling < 2 || q.Rolling > maxRolling) {
		return nil, invalidf("rolling %d: expected 2 to %d units", q.Rolling, maxRolling)
	}
	return y, nil
}

// runningSpan asks for a running figure that starts over with the span alone.
const runningSpan = "span"

// maxRolling is how many units a rolling figure may cover.
const maxRolling = 1000

func (y *layout) stretch(s civil.Set) int {
	y.stretches = append(y.stretches, s)
	return len(y.stretches) - 1
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
	sp := spanLayout{resolved: Resolved{Text: n.String(), Resolution: resolution}, at: y.stretch(resolution.Days)}
	for _, a := range y.against {
		days, err := a.Resolve(n, y.scope)
		if err != nil {
			return fmt.Errorf("against %s: %w", a.Text, err)
		}
		sp.counterparts = append(sp.counterparts, Counterpart{Against: a.Text, Days: days})
		sp.against = append(sp.against, y.stretch(days))
	}
	if y.question.Each != "" {
		if err := y.breakDown(&sp); err != nil {
			return err
		}
	}
	y.spans = append(y.spans, sp)
	return nil
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
	others := make([][]tally.Unit, len(sp.counterparts))
	for i, c := range sp.counterparts {
		if others[i], err = tally.Each(c.Days, cal, y.each, y.scope.AsOf); err != nil {
			return fmt.Errorf("against %s: %w", c.Against, err)
		}
	}
	for i, u := range units {
		row := rowLayout{unit: u, at: y.stretch(u.Days), running: none, rolling: none, blank: u.Ahead && !y.question.Planned}
		if y.question.Planned {
			u.Ahead = false
		}
		for _, other := range others {
			at := none
			if i < len(other) {
				at = y.stretch(other[i].Days)
			}
			row.against = append(row.against, at)
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

func (y *layout) running(set civil.Set, u tally.Unit) (int, error) {
	switch y.question.Running {
	case "":
		return none, nil
	case runningSpan:
		return y.stretch(tally.RunningSpan(set, u)), nil
	}
	days, err := tally.Running(set, u, y.scope.Calendar, y.reset)
	return y.stretch(days), err
}

// answer puts the rows of a span together from the result.
func (sp *spanLayout) answer(r *tally.Result, asOf civil.Day) (SpanTotal, error) {
	t := SpanTotal{Resolved: sp.resolved, Counterparts: sp.counterparts}
	for i := range t.Counterparts {
		c := &t.Counterparts[i]
		c.Uneven = span.Uneven(sp.resolved.Days, c.Days, asOf, r.Extent.Oldest, r.Extent.Records > 0)
	}
	overAll := func(at int) []tally.Value { return r.Totals[at] }
	var err error
	if t.Total, err = row(sp.at, sp.against, false, overAll); err != nil {
		return t, err
	}
	rows := sp.rows
	if rows == nil {
		rows = []rowLayout{{at: sp.at, against: sp.against, running: none, rolling: none}}
	}
	for _, one := range rows {
		for g, labels := range r.Groups {
			ofGroup := func(at int) []tally.Value { return r.Cells[at][g] }
			line, err := row(one.at, one.against, one.blank, ofGroup)
			if err != nil {
				return t, err
			}
			line.Group = labels
			if sp.rows != nil {
				line.Unit = &one.unit
				line.Incomplete = !one.window.Empty() && (r.Extent.Records == 0 || one.window.Start < r.Extent.Oldest)
			}
			if one.running != none {
				line.Running = blankAhead(ofGroup(one.running), one.blank)
			}
			if one.rolling != none {
				line.Rolling = blankAhead(ofGroup(one.rolling), one.blank)
			}
			t.Rows = append(t.Rows, line)
		}
	}
	return t, nil
}

// blankAhead blanks every figure of a row that is ahead, counts as well: a running total does not
// repeat itself into months that have not happened (semantics §8).
func blankAhead(values []tally.Value, blank bool) []tally.Value {
	if blank {
		return make([]tally.Value, len(values))
	}
	return values
}

// row compares a stretch with its counterparts; values gives the figures of a stretch. In a row that
// has not happened yet the counterpart is shown and nothing compared: no records there is no fall.
func row(at int, against []int, blank bool, values func(int) []tally.Value) (Row, error) {
	r := Row{Values: values(at)}
	mine := blankAhead(r.Values, blank)
	for _, other := range against {
		comparisons := make([]tally.Comparison, len(r.Values))
		for i, v := range mine {
			var theirs tally.Value
			if other != none {
				theirs = values(other)[i]
			}
			var err error
			if comparisons[i], err = tally.Compare(v, theirs); err != nil {
				return r, err
			}
		}
		r.Against = append(r.Against, comparisons)
	}
	return r, nil
}
