package query

import (
	"context"
	"fmt"
	"slices"

	"vastspan/core/civil"
	"vastspan/core/table"
	"vastspan/core/tally"
)

// The newest day may be only half there (semantics §7): where records have times, a side whose last covered day is that of
// the newest record is covered up to that record's moment.

// A halfDay says how much of a counterpart came after the time of day up to which the newest day is there.
type halfDay struct {
	until        edge  // up to where the newest day is there
	later        int64 // records of the counterpart's day after the same time of day
	ofDay, ofAll int64 // records of that day, and of the counterpart
}

// A pair names two sides that are compared: of a span (row wholeSpan) or of one of its rows.
type pair struct{ span, row, comparison int }

// unlike reports whether more than one part in fifty of the counterpart's records came later.
func (h *halfDay) unlike() bool { return h != nil && h.later*50 > h.ofAll }

// text says why.
func (h *halfDay) text(hidden bool) string {
	if hidden {
		return fmt.Sprintf("the newest record is of %s; some of the counterpart's last day came later", h.until.timeText())
	}
	return fmt.Sprintf("the newest record is of %s; %d%% of the counterpart's last day came later", h.until.timeText(), h.percent())
}

// percent returns how much of the counterpart's day came later.
func (h *halfDay) percent() int64 { return (h.later*100 + h.ofDay/2) / h.ofDay }

// timeText writes the time of day before the edge: that of the last second that is there.
func (e edge) timeText() string {
	_, within := e.clock.DateAndTime(e.moment - civil.Second)
	return civil.TimeOfDay(within / (60 * civil.Second) * 60).String()
}

// through is the edge up to which the records of an input are there, where that is within a day.
func (p *plan) through(input int) (edge, bool) {
	in := p.inputs[input]
	if p.query.Planned || p.Scope.AtClose || !in.timed() || in.covered == nil || in.covered.Records == 0 {
		return edge{}, false
	}
	e := p.newest(input)
	if now := p.now(); p.Scope.HasNow && now.moment < e.moment {
		e = at(in.request.Clock, now.day, now.moment)
	}
	return e, e.within
}

// findHalfDays counts what came later on the counterparts' last days, for all sides that end on a day that is half there.
func (p *plan) findHalfDays(ctx context.Context) error {
	p.halfDays = map[pair]*halfDay{}
	until, within := p.through(0)
	if !p.comparing() || p.query.LikeForLike || !within {
		return nil
	}
	asked := make([][]*halfDay, len(p.inputs))
	periods := make([][]tally.Period, len(p.inputs))
	note := func(of pair, own, other side, end edge) {
		if own.period.Timed() || other.period.Timed() || own.covered.Empty() || other.covered.Empty() || !end.within ||
			own.covered.Days.Bounds().Last() != until.day || !other.covered.Days.Contains(end.day) {
			return
		}
		h := &halfDay{until: until}
		p.halfDays[of] = h
		day := tally.OfDays(civil.SetOf(civil.One(end.day)))
		asked[other.input] = append(asked[other.input], h)
		periods[other.input] = append(periods[other.input], end.after(day), day, other.covered)
	}
	for i := range p.spans {
		sp := &p.spans[i]
		for j := range sp.comparisons {
			own, other := p.sides(sp, j)
			if sp.comparisons[j].aligns {
				note(pair{i, wholeSpan, j}, own, other, sp.comparisons[j].end)
			}
		}
		for k := range sp.rows {
			if err := p.noteRow(sp, i, k, until, note); err != nil {
				return err
			}
		}
	}
	for i, list := range asked {
		if len(list) == 0 {
			continue
		}
		in := p.inputs[i]
		r, err := p.look(ctx, in, tally.Request{Periods: periods[i], Where: in.request.Where})
		if err != nil {
			return err
		}
		for j, h := range list {
			h.later, h.ofDay, h.ofAll = r.RecordsIn(3*j), r.RecordsIn(3*j+1), r.RecordsIn(3*j+2)
		}
	}
	return nil
}

// noteRow notes the sides of a row that end on a day that is half there.
func (p *plan) noteRow(sp *spanPlan, i, k int, until edge, note func(pair, side, side, edge)) error {
	r := &sp.rows[k]
	if r.blank || r.alone {
		return nil
	}
	for j := range r.partners {
		if own, other := p.rowSides(sp, r, j); sp.comparisons[j].aligns {
			note(pair{i, k, j}, own, other, sp.comparisons[j].end)
		}
	}
	if !p.query.Previous || !until.inside(&r.unit) {
		return nil
	}
	end, err := until.unitBefore(&r.unit, p.Scope.Calendar, p.each)
	if err != nil {
		return err
	}
	own, other := p.rowSides(sp, r, len(r.partners))
	note(pair{i, k, len(r.partners)}, own, other, end)
	return nil
}

// A partDay is a span whose figures per day, or paces, count a newest day whole that is only half there. Its counterpart is the
// day a week before.
type partDay struct {
	span int
	halfDay
}

// findPartDays finds the newest days that figures per day and paces count whole, though more than one part in fifty of the
// span's records is still to come if the day goes on like the one a week before.
func (p *plan) findPartDays(ctx context.Context) error {
	until, within := p.through(0)
	perDay := slices.ContainsFunc(p.figures, func(f planFigure) bool { return f.derived != nil })
	if !within || !perDay {
		return nil
	}
	before := until.moved(until.day - 7)
	day := tally.OfDays(civil.SetOf(civil.One(before.day)))
	in := p.inputs[0]
	for i := range p.spans {
		covered := p.side(p.spans[i].period, 0).covered
		if days := covered.Touched(); days.Open() || !days.Contains(until.day) {
			continue
		}
		r, err := p.look(ctx, in, tally.Request{Periods: []tally.Period{before.after(day), day, covered}, Where: in.request.Where})
		if err != nil {
			return err
		}
		h := halfDay{until: until, later: r.RecordsIn(0), ofDay: r.RecordsIn(1), ofAll: r.RecordsIn(2)}
		if h.unlike() {
			p.partDays = append(p.partDays, partDay{i, h})
		}
	}
	return nil
}

// partDayNotes reports the newest days that are counted whole.
func (p *plan) partDayNotes(add func(table.Code, table.Level, string, ...any)) {
	for i := range p.partDays {
		d := &p.partDays[i]
		text := fmt.Sprintf("%s: figures per day and paces count %s as a whole day, but its newest record is of %s",
			p.spans[d.span].text, d.until.day.Long(), d.until.timeText())
		if p.inputs[0].MinRecords == 0 {
			text += fmt.Sprintf("; a week earlier %d%% of the day came later", d.percent())
		}
		add(table.HalfDay, table.Caution, "%s", text)
	}
}
