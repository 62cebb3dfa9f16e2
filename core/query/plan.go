package query

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/event"
	"vastspan/core/measure"
	"vastspan/core/span"
	"vastspan/core/table"
	"vastspan/core/tally"
)

// Records are some records that can be totalled.
type Records struct {
	Name   string
	Schema *dataset.Schema
	Source tally.Source
	// Covered finds the oldest and the newest day of all records by one of their dates, whatever the filters;
	// nil where that is known from the answer alone.
	Covered func(ctx context.Context, date string) (tally.Coverage, error)
	// Days returns the days on which there are records, by one of their dates; nil where that is not known.
	Days func(ctx context.Context, date string) (civil.Set, error)
	// Costly reports that each question reads the records anew: only what is asked for is looked at.
	Costly bool
	// Known says which state of the records this is, where it is not the newest.
	Known *table.Known
	// MinRecords is of how many records at least a total is shown; 0 shows all.
	MinRecords int64
	// TotalsBy is the unit that spans have to be made of where only totals are shown, such as month; empty for any.
	TotalsBy string
}

// An Evaluator answers queries against a day and definitions.
type Evaluator struct {
	Scope span.Scope
	// Find returns other records by their name.
	Find func(ctx context.Context, name string) (Records, error)
	// Keep are the top values where they are not to be found anew; nil where they are.
	Keep *tally.Top
	// Events are the event lists whose days comparisons look at.
	Events []*event.List
	// Today is the day it is; nil where that is not known. It changes no figure.
	Today *civil.Day
}

// A plan collects the periods of days that a query needs of each set of records, and where each is
// found in the results.
type plan struct {
	Evaluator
	query   Query
	against []span.Against
	each    calendar.Unit
	reset   calendar.Unit
	inputs  []*input // first the records asked about, then those that they are compared with
	spans   []spanPlan
	figures []planFigure
	pacings map[slot]pacing
	align   *event.List // the event that days are counted from; nil where they are not
	// alignedAt are the days that they are counted from, in words.
	alignedAt []string
	rankBy    int // the place of the figure by which values are ranked, among those that the records are asked for
	top       *tally.Top
	groups    [][]dataset.Label

	cutAny    bool // something was made to end at the same day
	halfDays  map[pair]*halfDay
	partDays  []partDay
	lifetimes *tally.Result // the days of each group's records; nil where they are not asked for
	gaps      []gap
	future    *future
	unknown   []unknownValue

	filterNodes    []span.Node
	filterCautions []span.Caution
}

// An input is one set of records and what is asked of it, in one pass.
type input struct {
	Records
	request tally.Request
	periods []tally.Period // before they are cut at the as-of day or moment
	plan    *tally.Plan
	result  *tally.Result
	covered *tally.Coverage // nil where it is not known yet
	newest  civil.Day       // the newest day of the records that are known as of the day, where records have a grain
}

// A slot is where the figures of a period are found.
type slot struct{ input, period int }

// noSlot is the slot of what has no period.
var noSlot = slot{-1, -1}

// A spanPlan is one span with the slots of its figures.
type spanPlan struct {
	text        string
	node        span.Node
	period      tally.Period
	whole       civil.Set // when its unit is over; where a pace is asked for
	cautions    []caution
	comparisons []comparison
	at          slot
	events      []eventPair
	later       slot      // what is after the as-of day, and is left out
	rows        []rowPlan // its units; nil where it is not broken down
}

// A comparison is what a span is compared with.
type comparison struct {
	name    string
	dataset string
	period  tally.Period
	at      slot
	whole   civil.Set // what a pace is compared with, and its slot
	paced   slot
	aligns  bool // it can be made to end at the same day
	end     edge // the last edge of the span, on the side of what it is compared with, where it aligns
}

// A rowPlan is a unit of a span, or the span itself, with the slots of its figures.
type rowPlan struct {
	index            int // among the rows of the span; wholeSpan for the span itself
	unit             tally.Unit
	period           tally.Period
	at               slot
	partners         []partner // what it is compared with, as many as the comparisons of the span
	previous         slot
	running, rolling slot
	window           tally.Period
	previousPeriod   tally.Period
	alone            bool // it is a row of the counterpart alone
	blank            bool // it has not happened yet: nothing runs on into it, nothing is compared
	unlike           bool
}

// A partner is what a row is compared with.
type partner struct {
	period tally.Period
	at     slot
	paced  slot // of the whole unit, for a pace
}

// wholeSpan is the index of the row of a span itself.
const wholeSpan = -1

// newPlan reads a query and lays its spans out. Errors are *Error, or those of finding other records.
func newPlan(ctx context.Context, e Evaluator, q Query, main Records) (*plan, error) {
	q.Over, q.Against = slices.Clone(q.Over), slices.Clone(q.Against) // they are given their canonical text
	p := &plan{Evaluator: e, query: q}
	if err := p.check(); err != nil {
		return nil, err
	}
	if err := p.readAgainst(); err != nil {
		return nil, err
	}
	if err := p.readInputs(ctx, main); err != nil {
		return nil, err
	}
	timed := slices.ContainsFunc(p.inputs, (*input).timed)
	if q.LikeForLike || (e.Scope.HasNow || p.comparing()) && timed {
		if err := p.coverEarly(ctx); err != nil {
			return nil, err
		}
	}
	if q.Each != "" && p.each.OfClock() {
		if err := p.checkTimes(); err != nil {
			return nil, errorAt(err, "/each")
		}
	}
	for i, text := range q.Over {
		if err := p.add(ctx, i, text); err != nil {
			return nil, err
		}
		if err := p.checkSize(); err != nil {
			return nil, errorAt(err, "/over/%d", i)
		}
		if err := e.Scope.GoOn(ctx); err != nil {
			return nil, err
		}
	}
	return p, nil
}

// checkSize refuses a query that lists or asks too much.
func (p *plan) checkSize() error {
	if p.listed() > span.MaxListed {
		return span.ErrTooLong
	}
	if p.periods() > maxPeriods {
		return fmt.Errorf("the query asks about more than %d periods of days: take fewer spans, longer units or shorter spans", maxPeriods)
	}
	return nil
}

// readAgainst reads what spans are compared with.
func (p *plan) readAgainst() error {
	for i, text := range p.query.Against {
		a, err := span.ParseAgainst(text)
		if err != nil {
			return errorAt(err, "/against/%d", i)
		}
		p.against = append(p.against, a)
		p.query.Against[i] = a.Text
	}
	return nil
}

// readInputs reads what is asked of the records, and of others that they are compared with.
func (p *plan) readInputs(ctx context.Context, main Records) error {
	request, err := p.mainRequest(&main)
	if err != nil {
		return err
	}
	p.inputs = []*input{{Records: main, request: request}}
	if p.query.Top > 0 {
		p.top = p.Keep
	}
	for i, o := range p.query.AgainstDataset {
		other, err := p.Find(ctx, o.Dataset)
		if err != nil {
			return err
		}
		r, err := o.request(p.query, request, &other)
		if err == nil && o.Where != nil {
			err = p.resolveFilters(&r.Where, other.Schema)
		}
		if err != nil {
			return errorAt(fmt.Errorf("compared with %s: %w", o.Dataset, err), "/against_dataset/%d", i)
		}
		p.inputs = append(p.inputs, &input{Records: other, request: r})
	}
	return nil
}

// mainRequest is what is asked of the records of the query, whose schema gets columns of lengths.
func (p *plan) mainRequest(main *Records) (r tally.Request, err error) {
	lengths, err := p.lengths(main.Schema)
	if err != nil {
		return r, err
	}
	main.Schema = main.Schema.With(lengths)
	if err := p.resolveFilters(&p.query.Where, main.Schema); err != nil {
		return r, errorAt(err, "/where")
	}
	var parts []*tally.TimePart
	if p.query.By, parts, err = p.parts(p.query.By, main.Schema); err != nil {
		return r, err
	}
	if across := p.query.Across; across != "" {
		if names, _, err := p.parts([]string{across}, main.Schema); err == nil {
			p.query.Across = names[0]
		}
	}
	figures, err := p.lookUp()
	q := &p.query
	return tally.Request{
		Figures: figures, By: q.By, Parts: parts, Lengths: lengths, Where: q.Where, Date: q.Date,
		Top: q.Top, RankBy: p.rankBy, Clock: p.Scope.Clock,
	}, err
}

// checkTimes refuses records without times, of the dataset or of those that it is compared with.
func (p *plan) checkTimes() error {
	for i, in := range p.inputs {
		at, err := in.Schema.DateColumn(in.request.Date)
		if err != nil {
			return nil // it is refused with the columns
		}
		if c := &in.Schema.Columns[at]; c.Type != dataset.Timestamp {
			err := tally.NoTimes(in.Schema, c.Name)
			if i > 0 {
				err = fmt.Errorf("compared with %s: %w", in.Name, err)
			}
			return err
		}
	}
	return nil
}

// resolveFilters resolves the spans of filters as of the day and in the calendar of the query.
func (p *plan) resolveFilters(filters *dataset.Filters, s *dataset.Schema) error {
	part := func(text string) (*dataset.DatePart, string, error) {
		return FilterPart(text, s, p.query.Date, &p.Scope)
	}
	resolved, err := filters.Resolved(s, dataset.Resolver{Part: part, Span: func(text string) (civil.Set, string, error) {
		n, err := p.Scope.Parse(text)
		if err != nil {
			return civil.Set{}, "", err
		}
		r, err := span.ResolveCautiously(n, p.Scope)
		if err != nil {
			return civil.Set{}, "", span.Located(err, text, n)
		}
		p.filterNodes = append(p.filterNodes, n)
		for _, c := range r.Cautions {
			c.Text = "the filter's " + n.String() + ": " + c.Text
			p.filterCautions = append(p.filterCautions, c)
		}
		return r.Days, n.String(), nil
	}})
	if err == nil && resolved != nil && len(*filters) > 0 {
		*filters = resolved
	}
	return err
}

// check reads the parts of a query that need no records.
func (p *plan) check() error {
	q := &p.query
	if q.Across != "" {
		if err := q.checkAcross(); err != nil {
			return errorAt(err, "/across")
		}
		q.Subtotals = true
	}
	for i, f := range q.Figures {
		if d, ok := measure.LookupDerived(f.Derived); ok && d.Pace && q.LikeForLike {
			return errorAt(fmt.Errorf("%s tells what the whole unit comes to; like for like cuts it: take one of them", f.Words()), "/figures/%d", i)
		}
	}
	if q.Align != "" && q.Each == "" {
		return errorAt(fmt.Errorf("align %s: days are counted from the event: expected each day", q.Align), "/align")
	}
	if q.Share != "" && q.Share != ShareOfSpan && q.Share != ShareOfUnit {
		return errorAt(fmt.Errorf("share %q: expected span or unit", q.Share), "/share")
	}
	if q.Each == "" {
		for _, needs := range []struct {
			what, key string
			asked     bool
		}{
			{"a running figure", "running", q.Running != ""}, {"a rolling figure", "rolling", !q.Rolling.IsZero()},
			{"the unit before", "previous", q.Previous}, {"the share of a unit", "share", q.Share == ShareOfUnit},
		} {
			if needs.asked {
				return errorAt(fmt.Errorf("%s needs each: the unit of the rows", needs.what), "/%s", needs.key)
			}
		}
		return nil
	}
	var ok bool
	if p.each, ok = calendar.ParseAnyUnit(q.Each); !ok || p.each == calendar.BusinessDay {
		return errorAt(fmt.Errorf("each %q: expected minute, hour, day, week, month, quarter, half or year", q.Each), "/each")
	}
	q.Each = p.each.String()
	if err := p.checkAlign(); err != nil {
		return errorAt(err, "/align")
	}
	if q.Running != "" && q.Running != runningSpan {
		if p.reset, ok = calendar.ParseAnyUnit(q.Running); !ok || p.reset <= p.each {
			return errorAt(
				fmt.Errorf("running %q: expected span, or a unit longer than %s to start over with", q.Running, p.each),
				"/running",
			)
		}
		q.Running = p.reset.String()
	}
	if !q.Rolling.IsZero() {
		if err := q.Rolling.check(p.each); err != nil {
			return errorAt(err, "/rolling")
		}
	}
	return nil
}

// checkAcross refuses a cross-tab with nothing to go down, or two things.
func (q *Query) checkAcross() error {
	if !slices.Contains(q.By, q.Across) {
		return fmt.Errorf("across %s: expected one of the categories that the total is broken down by", q.Across)
	}
	if len(q.By) == 1 && q.Each == "" {
		return fmt.Errorf("across %s: say what goes down: a unit (each), or another category (by)", q.Across)
	}
	if len(q.By) == 2 && q.Each != "" {
		return fmt.Errorf("across %s: either a unit (each) or another category (by) goes down, not both", q.Across)
	}
	return nil
}

// request asks other records for the same figures, under their own names of columns.
func (o *Other) request(q Query, own tally.Request, other *Records) (tally.Request, error) {
	named := func(column string) string {
		if own, ok := o.Columns[column]; ok {
			return own
		}
		return column
	}
	clock, err := other.Schema.Clock()
	if err != nil {
		return tally.Request{}, err
	}
	r := tally.Request{Date: o.Date, Where: o.Where, Clock: clock}
	for _, c := range own.Lengths {
		renamed := *c.Length
		renamed.From, renamed.To = named(renamed.From), named(renamed.To)
		for _, name := range []string{renamed.From, renamed.To} {
			if _, err := other.Schema.DateColumn(name); err != nil {
				return r, err
			}
		}
		c.Length = &renamed
		r.Lengths = append(r.Lengths, c)
	}
	other.Schema = other.Schema.With(r.Lengths)
	var asked []string
	for _, f := range own.Figures {
		asked = append(asked, f.Columns()...)
		if f.Column != "" {
			f.Column = named(f.Column)
		}
		if f.Over != "" {
			f.Over = named(f.Over)
		}
		r.Figures = append(r.Figures, f)
	}
	for i, c := range q.By {
		part := own.Part(i)
		if part == nil {
			asked = append(asked, c)
			r.By, r.Parts = append(r.By, named(c)), append(r.Parts, nil)
			continue
		}
		r.By, r.Parts = append(r.By, c), append(r.Parts, part)
		if part.Column != "" {
			asked = append(asked, part.Column)
			r.Parts[i] = part.By(named(part.Column))
		}
	}
	if o.Where == nil {
		asked = append(asked, q.Where.Columns()...)
		r.Where = q.Where.Renamed(named)
	}
	for _, column := range slices.Sorted(maps.Keys(o.Columns)) {
		if !slices.Contains(asked, column) {
			return r, fmt.Errorf("%s stands for no column of the query", column)
		}
	}
	for _, column := range asked {
		if other.Schema.Index(named(column)) < 0 {
			return r, fmt.Errorf(
				"there is no column %q; its columns are %s: say which of them stands for it",
				named(column),
				strings.Join(other.Schema.Names(), ", "),
			)
		}
	}
	for _, f := range r.Figures {
		if err := f.Check(other.Schema); err != nil {
			return r, err
		}
	}
	return r, nil
}

// on asks an input for a period.
func (p *plan) on(at int, period tally.Period) slot {
	known := period
	if !p.query.Planned { // as it was known to be then (semantics §7)
		known = p.known(at).cut(period)
	}
	return p.ask(at, period, known)
}

// ask asks an input for some of a period.
func (p *plan) ask(at int, period, some tally.Period) slot {
	in := p.inputs[at]
	in.request.Periods, in.periods = append(in.request.Periods, some), append(in.periods, period)
	return slot{at, len(in.periods) - 1}
}

func (p *plan) periods() int {
	n := 0
	for _, in := range p.inputs {
		n += len(in.request.Periods)
	}
	return n
}

// listed counts the intervals that the answer lists.
func (p *plan) listed() int {
	n := 0
	for i := range p.spans {
		sp := &p.spans[i]
		n += sp.period.Len()
		for _, c := range sp.comparisons {
			n += c.period.Len()
		}
		for j := range sp.rows {
			n += sp.rows[j].period.Len()
			for _, other := range sp.rows[j].partners {
				n += other.period.Len()
			}
		}
	}
	return n
}

// add lays one span out.
func (p *plan) add(ctx context.Context, i int, text string) error {
	n, err := p.Scope.Parse(text)
	if err != nil {
		return errorAt(err, "/over/%d", i)
	}
	p.query.Over[i] = n.String()
	resolution, err := span.ResolveEither(n, p.Scope)
	if err != nil {
		return errorAt(span.Located(err, text, n), "/over/%d", i)
	}
	resolved := periodOf(resolution)
	if resolved.Timed() {
		if err := p.checkTimes(); err != nil {
			return errorAt(err, "/over/%d", i)
		}
	}
	sp := spanPlan{text: n.String(), node: n, period: resolved, later: noSlot}
	sp.caution("", resolution.Cautions...)
	if err := p.close(ctx, &sp); err != nil {
		return errorAt(err, "/over/%d", i)
	}
	compared := n
	if resolved.OpenRight() { // it is cut at the as-of day before it is compared
		compared = &span.SoFar{X: n}
	}
	last := p.last()
	cut := p.query.LikeForLike && last.cuts(sp.period) && p.aligns()
	if cut {
		sp.period, p.cutAny = last.cut(sp.period), true
	}
	if cut := p.cutsUnit(0, sp.period); cut != "" {
		sp.caution("", span.Caution{Kind: cautionCutsUnit, Text: cut})
	}
	sp.at = p.on(0, sp.period)
	if now := p.known(0); !p.query.Planned && now.cuts(resolved) {
		later := now.after(resolved)
		sp.later = p.ask(0, later, later)
	}
	if err := p.paceSpan(ctx, &sp); err != nil {
		return errorAt(err, "/over/%d", i)
	}
	if err := p.compareSpan(&sp, compared, cut, resolved.Timed()); err != nil {
		return err
	}
	p.pairEvents(&sp)
	for j, o := range p.query.AgainstDataset {
		c := comparison{name: o.Dataset, dataset: o.Dataset, period: sp.period, at: p.on(1+j, sp.period), paced: noSlot, aligns: true, end: last}
		if p.derives(paces) {
			c.whole, c.paced = sp.whole, p.pacedAgainst(1+j, sp.whole)
		}
		sp.comparisons = append(sp.comparisons, c)
	}
	if p.query.Each != "" {
		if err := p.breakDown(&sp); err != nil {
			return errorAt(err, "/over/%d", i)
		}
	}
	p.spans = append(p.spans, sp)
	return nil
}

// compareSpan lays the counterparts of a span out. Where the span is cut, those that align with it are cut as well.
func (p *plan) compareSpan(sp *spanPlan, compared span.Node, cut, timed bool) error {
	for j, a := range p.against {
		c, err := p.compareWith(sp, a, compared, cut, timed)
		if err != nil {
			return errorAt(err, "/against/%d", j)
		}
		sp.comparisons = append(sp.comparisons, c)
	}
	return nil
}

// compareWith lays one counterpart out.
func (p *plan) compareWith(sp *spanPlan, a span.Against, compared span.Node, cut, timed bool) (c comparison, err error) {
	defer func() {
		if err != nil {
			err = fmt.Errorf("compared with %s: %w", a.Name(), err)
		}
	}()
	other, err := a.Explain(compared, p.Scope)
	if err != nil {
		return c, err
	}
	end, aligns, err := p.moveEdge(a, compared, p.last(), timed)
	if err != nil {
		return c, err
	}
	counterpart := periodOf(other)
	if counterpart.Timed() {
		if err := p.checkTimes(); err != nil {
			return c, err
		}
	}
	if cut && aligns {
		counterpart = end.cut(counterpart)
	}
	sp.caution("compared with "+a.Name(), other.Cautions...)
	c = comparison{name: a.Name(), period: counterpart, at: p.on(0, counterpart), paced: noSlot, aligns: aligns, end: end}
	if p.derives(paces) {
		err = p.paceAgainst(&c, a, sp)
	}
	return c, err
}

// close cuts a span that is open where it is compared or broken down: on its right at the as-of day, on its left
// where the records begin. What is open on its left has no counterpart.
func (p *plan) close(ctx context.Context, sp *spanPlan) error {
	if len(p.against) > 0 && sp.period.OpenLeft() {
		return fmt.Errorf("%s is open on its left: there is nothing that it could be compared with", sp.text)
	}
	if sp.period.OpenRight() && (p.comparing() || p.query.Each != "") {
		sp.period = p.known(0).cut(sp.period)
	}
	if p.query.Each != "" && sp.period.OpenLeft() {
		if err := p.coverEarly(ctx); err != nil {
			return err
		}
		if v := p.reach(0); p.inputs[0].covered != nil {
			sp.period = sp.period.Within(v)
		}
	}
	return nil
}

// aligns reports whether anything that is compared can be made to end at the same day.
func (p *plan) aligns() bool {
	return len(p.query.AgainstDataset) > 0 || p.query.Previous ||
		slices.ContainsFunc(p.against, func(a span.Against) bool { return a.Node() == nil })
}

// coverEarly finds out which days the records cover before they are asked.
func (p *plan) coverEarly(ctx context.Context) error {
	for _, in := range p.inputs {
		if in.Covered == nil || in.covered != nil {
			continue
		}
		if _, err := in.Schema.DateColumn(in.request.Date); err != nil {
			return errorAt(err, "/date")
		}
		c, err := in.Covered(ctx, in.request.Date)
		if err != nil {
			return err
		}
		in.covered = &c
		if err := p.coverGrain(ctx, in); err != nil {
			return err
		}
	}
	return nil
}

// A caution is what to look out for in a span, or in what it is compared with.
type caution struct {
	span.Caution
	of string // such as compared with prior; empty where it is of the span itself
}

func (sp *spanPlan) caution(of string, list ...span.Caution) {
	for _, c := range list {
		sp.cautions = append(sp.cautions, caution{c, of})
	}
}

// about returns the text of a caution, with the span that it is of where there are several.
func (sp *spanPlan) about(c *caution, several bool) string {
	var of []string
	if several {
		of = append(of, sp.text)
	}
	if c.of != "" {
		of = append(of, c.of)
	}
	if len(of) == 0 {
		return c.Text
	}
	return strings.Join(of, " ") + ": " + c.Text
}

// cautionCutsUnit is the caution that a span cuts a unit which the records stand for as a whole.
const cautionCutsUnit span.CautionKind = "cuts-unit"

// breakDown lays the units of a span out. A unit is compared with the one in the same place of the counterpart.
func (p *plan) breakDown(sp *spanPlan) error {
	units, err := tally.Each(sp.period, p.Scope.Calendar, p.each, p.asOf())
	if err != nil {
		return err
	}
	counterparts := make([]counterpart, len(p.against))
	for i := range counterparts {
		if counterparts[i], err = p.counterpart(&sp.comparisons[i]); err != nil {
			return fmt.Errorf("compared with %s: %w", sp.comparisons[i].name, err)
		}
	}
	alone := make([]bool, len(units))
	if p.align != nil {
		if units, alone, err = p.alignDays(sp, units, counterparts); err != nil {
			return err
		}
	}
	for _, c := range counterparts { // what has no partner gets a row of its own (semantics §7)
		for len(units) < len(c.units) {
			u := c.units[len(units)]
			u.Period, u.Partial, u.InProgress, u.Future = tally.Period{}, false, false, false
			units, alone = append(units, u), append(alone, true)
		}
	}
	for i, u := range units {
		row := rowPlan{
			index: i, unit: u, period: u.Period, at: p.on(0, u.Period), alone: alone[i],
			previous: noSlot, running: noSlot, rolling: noSlot, blank: u.Future && !p.query.Planned,
		}
		if p.query.Planned {
			u.Future = false
		}
		p.compareRow(sp, &row, &u, counterparts)
		if row.alone {
			row.at = noSlot
		} else if err := p.referRow(sp, &row, u); err != nil {
			return err
		}
		sp.rows = append(sp.rows, row)
	}
	return nil
}

// A counterpart is the units of what a span is compared with, and whole ones for a pace.
type counterpart struct{ units, whole []tally.Unit }

func (p *plan) counterpart(c *comparison) (found counterpart, err error) {
	if found.units, err = tally.Each(c.period, p.Scope.Calendar, p.each, p.asOf()); err != nil || c.paced == noSlot {
		return found, err
	}
	found.whole, err = tally.Each(tally.OfDays(c.whole), p.Scope.Calendar, p.each, p.asOf())
	return found, err
}

// compareRow lays out what a row is compared with.
func (p *plan) compareRow(sp *spanPlan, row *rowPlan, u *tally.Unit, counterparts []counterpart) {
	i := row.index
	for _, c := range counterparts {
		one := partner{at: noSlot, paced: noSlot}
		if i < len(c.units) && c.units[i].Label != "" {
			one.period = c.units[i].Period
			one.at = p.on(0, one.period)
			if i < len(c.whole) && c.whole[i].Label == c.units[i].Label {
				one.paced = p.pacedAgainst(0, c.whole[i].Period.Days)
			}
		}
		row.partners = append(row.partners, one)
	}
	for j := range p.query.AgainstDataset {
		one := partner{period: u.Period, at: p.on(1+j, u.Period), paced: noSlot}
		if sp.comparisons[len(counterparts)+j].paced != noSlot {
			one.paced = p.pacedAgainst(1+j, sp.whole.Within(u.Whole))
		}
		row.partners = append(row.partners, one)
		row.unlike = row.unlike || p.cutsUnit(1+j, u.Period) != ""
	}
}

// referRow lays out the other periods that the figures of a row refer to: its pace, the unit before, what runs and what rolls.
func (p *plan) referRow(sp *spanPlan, row *rowPlan, u tally.Unit) (err error) {
	if err := p.paceUnit(sp, row.at, &u); err != nil {
		return err
	}
	if row.previous, row.previousPeriod, err = p.previous(sp, row.index, u); err != nil {
		return err
	}
	if last := p.last(); p.query.Previous && p.query.LikeForLike && last.inside(&u) {
		end, err := last.unitBefore(&u, p.Scope.Calendar, p.each)
		if err != nil {
			return err
		}
		row.previousPeriod, p.cutAny = end.cut(row.previousPeriod), true
		row.previous = p.on(0, row.previousPeriod)
	}
	if row.running, err = p.running(sp.period, u); err != nil {
		return err
	}
	if p.query.Rolling.Units > 0 {
		if row.window, err = tally.Rolling(u, p.Scope.Calendar, p.each, p.query.Rolling.Units); err != nil {
			return err
		}
		row.rolling = p.on(0, row.window)
	}
	return nil
}

// previous returns the slot of the unit before a row: the row before it, or for the first one the whole
// unit before the span.
func (p *plan) previous(sp *spanPlan, i int, u tally.Unit) (slot, tally.Period, error) {
	switch {
	case !p.query.Previous:
		return noSlot, tally.Period{}, nil
	case i > 0:
		return sp.rows[i-1].at, sp.rows[i-1].period, nil
	}
	before, err := tally.Before(u, p.Scope.Calendar, p.each)
	return p.on(0, before), before, err
}

func (p *plan) running(of tally.Period, u tally.Unit) (slot, error) {
	switch p.query.Running {
	case "":
		return noSlot, nil
	case runningSpan:
		return p.on(0, tally.RunningSpan(of, u)), nil
	}
	run, err := tally.Running(of, u, p.Scope.Calendar, p.each, p.reset)
	return p.on(0, run), err
}
