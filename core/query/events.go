package query

import (
	"fmt"
	"strings"

	"vastspan/core/civil"
	"vastspan/core/event"
	"vastspan/core/table"
	"vastspan/core/tally"
)

// A comparison is made of days, and an event on one side of it only is a reason for a difference (semantics §11).

// An eventPair is the days of an event list on both sides of a comparison.
type eventPair struct {
	list       *event.List
	comparison int
	own, other slot // what those days took; noSlot where that is not asked for
}

// pairEvents asks for what the days of each event list took, where one side of a comparison may hold more of them than the other.
func (p *plan) pairEvents(sp *spanPlan) {
	in := p.inputs[0]
	for j := range p.against {
		c := &sp.comparisons[j]
		if sp.period.Open() || c.period.Open() {
			continue
		}
		for _, list := range p.Events {
			own, other := list.Days().Intersect(sp.period.Touched()), list.Days().Intersect(c.period.Touched())
			if !list.Compared || own.Empty() && other.Empty() {
				continue
			}
			pair := eventPair{list, j, noSlot, noSlot}
			if in.MinRecords == 0 && in.TotalsBy == "" && p.anyAddsUp() {
				pair.own, pair.other = p.on(0, onDays(sp.period, own)), p.on(0, onDays(c.period, other))
			}
			sp.events = append(sp.events, pair)
		}
	}
}

func (p *plan) anyAddsUp() bool {
	for i := range p.figures {
		if p.figures[i].addsUp() {
			return true
		}
	}
	return false
}

// eventDays returns the days of a list that a side covers.
func eventDays(list *event.List, s side) civil.Set { return list.Days().Intersect(s.covered.Touched()) }

// eventNotes says of which events one side of a comparison covers more days than the other, and what those days took.
func (p *plan) eventNotes(add func(table.Code, table.Level, string, ...any)) error {
	for i := range p.spans {
		sp := &p.spans[i]
		for _, e := range sp.events {
			own, other := p.sides(sp, e.comparison)
			days, otherDays := eventDays(e.list, own), eventDays(e.list, other)
			if days.Days() == otherDays.Days() {
				continue
			}
			text := fmt.Sprintf("%s: %s", e.list.Name, eventSides(days, otherDays))
			if len(p.spans) > 1 || len(sp.comparisons) > 1 {
				text = fmt.Sprintf("%s compared with %s: %s", sp.text, sp.comparisons[e.comparison].name, text)
			}
			took, err := p.eventTook(&e, days, otherDays)
			if err != nil {
				return err
			}
			add(table.EventsDiffer, table.Info, "%s%s", text, took)
		}
	}
	return nil
}

// eventSides says which days of an event are on either side.
func eventSides(own, other civil.Set) string {
	are := func(s civil.Set) string {
		if s.Days() == 1 {
			return table.ShortDays(s) + " is"
		}
		return table.ShortDays(s) + " are"
	}
	switch {
	case other.Empty():
		return are(own) + " in the span, none of it in the counterpart"
	case own.Empty():
		return are(other) + " in the counterpart, none of it in the span"
	}
	return fmt.Sprintf("%s in the span (%s), %s in the counterpart (%s)", are(own), table.DayCount(own.Days()),
		table.ShortDays(other), table.DayCount(other.Days()))
}

// eventTook says what figures that add up come to on the days of an event, of either side that has any.
func (p *plan) eventTook(e *eventPair, own, other civil.Set) (string, error) {
	if e.own == noSlot {
		return "", nil
	}
	all := p.everything()
	took, err := p.values(e.own, all)
	if err != nil {
		return "", err
	}
	otherTook, err := p.values(e.other, all)
	if err != nil {
		return "", err
	}
	var parts []string
	for f := range p.figures {
		if !p.figures[f].addsUp() {
			continue
		}
		text := p.figures[f].Words() + " "
		switch {
		case other.Empty():
			text += shownFraction(took[f])
		case own.Empty():
			text += shownFraction(otherTook[f])
		default:
			text += shownFraction(took[f]) + " against " + shownFraction(otherTook[f])
		}
		parts = append(parts, text)
	}
	return "; on these days " + strings.Join(parts, ", "), nil
}

// eventsInRow reports whether the two sides of a row differ in the days of an event that makes up more than a tenth of either.
func (p *plan) eventsInRow(sp *spanPlan, r *rowPlan) bool {
	if r.blank || len(p.Events) == 0 {
		return false
	}
	for i := range p.rowComparisons(r) {
		own, other := p.rowSides(sp, r, i)
		if i < len(r.partners) && sp.comparisons[i].dataset != "" {
			continue
		}
		for _, list := range p.Events {
			days, otherDays := eventDays(list, own).Days(), eventDays(list, other).Days()
			if list.Compared && days != otherDays && (days*10 > own.coveredDays() || otherDays*10 > other.coveredDays()) {
				return true
			}
		}
	}
	return false
}

// onDays returns the part of a period on some days.
func onDays(p tally.Period, days civil.Set) tally.Period {
	if !p.Timed() {
		return tally.OfDays(p.Days.Intersect(days))
	}
	clock := p.Moments.Clock
	return tally.OfMoments(clock, p.Moments.Intersect(clock.Moments(days)))
}
