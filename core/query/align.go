package query

import (
	"fmt"
	"strconv"
	"strings"

	"vastspan/core/civil"
	"vastspan/core/event"
	"vastspan/core/table"
	"vastspan/core/tally"
)

// Days may be counted from the first day of an event, so that two Easters line up (semantics §11).

// checkAlign finds the event by whose first day days are counted.
func (p *plan) checkAlign() error {
	if p.query.Align == "" {
		return nil
	}
	name := strings.TrimSpace(p.query.Align)
	if rest, ok := strings.CutPrefix(strings.ToLower(name), "event "); ok {
		name = strings.TrimSpace(rest)
	}
	name = strings.ToLower(name)
	if p.Scope.Names == nil {
		return fmt.Errorf("event %s: no events are known here", name)
	}
	list, err := p.Scope.Names.Event(name)
	if err != nil {
		return err
	}
	p.query.Align = "event " + name
	switch {
	case p.query.Each != "day":
		return fmt.Errorf("align %s: days are counted from the event: expected each day", p.query.Align)
	case p.query.Previous, p.query.Running != "", !p.query.Rolling.IsZero():
		return fmt.Errorf("align %s: rows that are counted from an event take no previous, running or rolling figure", p.query.Align)
	}
	p.align = list
	return nil
}

// eventDay returns the first day of the one occurrence of an event that starts in a period.
func eventDay(list *event.List, period tally.Period) (civil.Day, error) {
	var found []civil.Day
	for _, o := range list.Occurrences {
		if period.Touched().Contains(o.Days.First()) {
			found = append(found, o.Days.First())
		}
	}
	switch len(found) {
	case 0:
		return 0, fmt.Errorf("no occurrence of event %s starts in it: there is none to count its days from", list.Name)
	case 1:
	default:
		return 0, fmt.Errorf("%d occurrences of event %s start in it: its days can be counted from one only", len(found), list.Name)
	}
	return found[0], nil
}

// alignDays puts the days of a span, and those of what it is compared with, in rows by how far they are from the event. alone says
// which rows are of the counterparts only.
func (p *plan) alignDays(sp *spanPlan, units []tally.Unit, counterparts []counterpart) (rows []tally.Unit, alone []bool, err error) {
	base, err := eventDay(p.align, sp.period)
	if err != nil {
		return nil, nil, err
	}
	p.alignedAt = append(p.alignedAt, base.Long())
	first, last := int(units[0].Whole.Start-base), int(units[len(units)-1].Whole.Start-base)
	bases := make([]civil.Day, len(counterparts))
	for i, c := range counterparts {
		if bases[i], err = eventDay(p.align, sp.comparisons[i].period); err != nil {
			return nil, nil, fmt.Errorf("compared with %s: %w", sp.comparisons[i].name, err)
		}
		p.alignedAt = append(p.alignedAt, fmt.Sprintf("compared with %s %s", sp.comparisons[i].name, bases[i].Long()))
		first = min(first, int(c.units[0].Whole.Start-bases[i]))
		last = max(last, int(c.units[len(c.units)-1].Whole.Start-bases[i]))
	}
	if last-first >= maxRows {
		return nil, nil, fmt.Errorf("it would have %d rows; at most %d", last-first+1, maxRows)
	}
	rows, alone = make([]tally.Unit, last-first+1), make([]bool, last-first+1)
	for i := range rows {
		day := base + civil.Day(first+i)
		rows[i], alone[i] = tally.Unit{Label: offsetText(first + i), Whole: civil.One(day)}, true
	}
	for _, u := range units {
		at := int(u.Whole.Start-base) - first
		u.Label = rows[at].Label
		rows[at], alone[at] = u, false
	}
	for i := range counterparts {
		placed := make([]tally.Unit, len(rows))
		for _, u := range counterparts[i].units {
			placed[int(u.Whole.Start-bases[i])-first] = u
		}
		counterparts[i].units, counterparts[i].whole = placed, nil
	}
	return rows, alone, nil
}

// offsetText writes how many days a day is from another: -14, 0, +7.
func offsetText(days int) string {
	if days > 0 {
		return "+" + strconv.Itoa(days)
	}
	return strconv.Itoa(days)
}

// alignNotes says from which days the rows are counted.
func (p *plan) alignNotes(add func(table.Code, table.Level, string, ...any)) {
	if p.align != nil {
		add(table.Counted, table.Info, "days are counted from the first day of %s: %s", p.query.Align, strings.Join(p.alignedAt, ", "))
	}
}
