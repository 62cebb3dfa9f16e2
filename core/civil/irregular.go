package civil

import (
	"slices"

	"vastspan/core/internal/floor"
)

// An Irregular is a run of moments whose day is not the date that the clock shows, less the time at which days start.
type Irregular struct {
	Moments
	Day Day
}

// Irregulars lists the moments near changes of the clock, through the year 2200, at which a day is not what the clock shows
// less the time at which days start: where a day starts within an hour that is shown twice, or skipped. Most clocks have
// none.
func (c Clock) Irregulars() []Irregular {
	var list []Irregular
	if c.periods == nil {
		return nil
	}
	for i := 1; i < len(c.periods.starts); i++ {
		change := c.periods.starts[i]
		list = append(list, c.irregularAt(change)...)
	}
	return list
}

// plainDay is the day of a moment by what the clock shows.
func (c Clock) plainDay(m Moment) Day { return dateOf(m + c.offset(m) - Moment(c.starts)*Second) }

func (c Clock) irregularAt(change Moment) []Irregular {
	edges := []Moment{change}
	around := c.plainDay(change)
	for d := around - 2; d <= around+2; d++ {
		edges = append(edges, c.StartOf(d))
		for _, offset := range []Moment{c.offset(change - 1), c.offset(change)} {
			edges = append(edges, wallOf(d, c.starts)-offset)
		}
	}
	slices.Sort(edges)
	var list []Irregular
	for i := 1; i < len(edges); i++ {
		v := Moments{edges[i-1], edges[i]}
		if d := c.DayOf(v.Start); !v.Empty() && d != c.plainDay(v.Start) {
			list = append(list, Irregular{v, d})
		}
	}
	return list
}

// Aligned reports whether the hours of a clock, and its days, begin at whole multiples of a step from 1970-01-01T00:00:00Z,
// whatever it showed before that year.
func (c Clock) Aligned(step Moment) bool {
	whole := func(m Moment) bool { return floor.Mod(int(m), int(step)) == 0 }
	if !whole(Moment(c.starts) * Second) {
		return false
	}
	if c.periods == nil {
		return true
	}
	for i, offset := range c.periods.offsets {
		if last := i+1 == len(c.periods.offsets); (last || c.periods.starts[i+1] > 0) && !whole(offset) {
			return false
		}
	}
	return true
}

// An Offset is how far what a clock shows is ahead of UTC, from a moment on.
type Offset struct{ From, Ahead Moment }

// Offsets lists the offsets of a clock in order, through the year 2200; the first is from the beginning of time.
func (c Clock) Offsets() []Offset {
	if c.periods == nil {
		return []Offset{{BeginningOfTime, 0}}
	}
	list := make([]Offset, len(c.periods.starts))
	for i, at := range c.periods.starts {
		list[i] = Offset{at, c.periods.offsets[i]}
	}
	return list
}
