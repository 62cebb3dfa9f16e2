package store

import (
	"context"
	"fmt"
	"strconv"
	"strings"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/tally"
)

// The SQL of a part of time looks its place up in an array: by the day, or by the offset of the clock. SQL never sees a month
// nor a zone.

// partSQL returns the SQL of the place of a record, from 1 on, among the values of a part of time; null of a blank.
func (r *source) partSQL(ctx context.Context, g grain, p *tally.Plan, category int) (string, error) {
	d, part := r.dataset, p.Part(category)
	own := p.DateOf(part) == p.Date
	at := g.axis
	if !own {
		if at = d.dayAxis(part.Column); part.Hours() {
			at = d.momentAxis(part.Column)
		}
	}
	if part.Hours() {
		return hourSQL(at), nil
	}
	days, err := r.partDays(ctx, p, part, own)
	if err != nil || days.Empty() {
		return "NULL::int", err
	}
	places := make([]string, 0, days.Days())
	for day := days.Start; day < days.End; day++ {
		place, err := part.OfDay(day)
		if err != nil {
			return "", err
		}
		places = append(places, strconv.Itoa(place+1))
	}
	day := at.At
	switch {
	case at.timed && at.day != "":
		day = at.day
	case at.timed:
		day = dayOfMoment(at.At, at.clock)
	}
	return fmt.Sprintf("('{%s}'::int[])[%s - date '%s' + 1]", strings.Join(places, ","), day, days.Start), nil
}

// partDays are the days that a part of time is asked of: those of the plan, as far as records lie on them.
func (r *source) partDays(ctx context.Context, p *tally.Plan, part *tally.TimePart, own bool) (civil.Interval, error) {
	c, err := r.store.CoverageBy(ctx, r.dataset, p.DateOf(part))
	if err != nil || c.Records == 0 {
		return civil.Interval{}, err
	}
	days := civil.Through(c.Oldest, c.Newest)
	if bounds, wanted := p.Bounds(); own && wanted {
		clock := r.dataset.clock()
		edge := func(at int64) civil.Day {
			if p.Timed {
				return clock.DayOf(civil.Moment(at))
			}
			return civil.Day(at)
		}
		if bounds.Start != tally.Past {
			days.Start = max(days.Start, edge(bounds.Start))
		}
		if bounds.End != tally.Future {
			days.End = min(days.End, edge(bounds.End)+1)
		}
	}
	if n := int(days.End - days.Start); n > tally.MaxPartDays {
		return days, fmt.Errorf("the records lie on %d days, more than %d: take a shorter span", n, tally.MaxPartDays)
	}
	return days, nil
}

// hourSQL is the place of the hour that a clock shows: by its offset, which is looked up.
func hourSQL(a axis) string {
	var changes, offsets []string
	for i, v := range a.clock.Offsets() {
		if i > 0 {
			changes = append(changes, strconv.Quote(civil.UTC.Format(v.From)))
		}
		offsets = append(offsets, strconv.FormatInt(int64(v.Ahead/civil.Second), 10))
	}
	offset := offsets[0]
	if len(changes) > 0 {
		offset = fmt.Sprintf("('{%s}'::int[])[width_bucket(%s, '{%s}'::timestamptz[]) + 1]",
			strings.Join(offsets, ","), a.At, strings.Join(changes, ","))
	}
	return fmt.Sprintf("mod(mod(floor(extract(epoch FROM %s))::bigint + %s, 86400) + 86400, 86400) / 3600 + 1", a.At, offset)
}

// partColumn makes the column of a part of time for the rows of a copy in memory.
func (c *rollup) partColumn(part *tally.TimePart) *categoryColumn {
	column := &categoryColumn{codes: make([]uint32, len(c.at)), labels: append([]dataset.Label{}, part.Values...)}
	blank := uint32(len(part.Values))
	column.labels = append(column.labels, dataset.Label{})
	dated := len(c.at) - len(c.undated)
	var before civil.Day
	var code uint32
	for row, at := range c.at {
		switch {
		case row >= dated:
			code = blank
		case part.Hours():
			code = uint32(part.OfMoment(c.axis.clock, civil.Moment(at)))
		default:
			day := c.dayOf(at)
			if row > 0 && day == before {
				break
			}
			place, err := part.OfDay(day)
			if err != nil { // only what is asked for matters
				place = int(blank)
			}
			before, code = day, uint32(place)
		}
		column.codes[row] = code
	}
	return column
}
