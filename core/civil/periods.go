package civil

import (
	"slices"
	"strings"
	"sync"
	"time"
)

// A period is a run of moments over which a clock keeps one offset.
type period struct {
	Moments
	offset Moment
}

// periods are those of a zone in order, through one that holds the last moment that is listed.
type periods struct {
	starts  []Moment
	offsets []Moment
	end     Moment // of the last one that is listed
}

// listedYears is through which year the periods of a zone are listed; those after are asked of the zone.
const listedYears = 2200

// known holds the periods of zones by their names.
var known sync.Map

// periodsOf lists the periods of a zone; nil for Universal Time.
func periodsOf(zone *time.Location) *periods {
	if zone == nil || zone == time.UTC {
		return nil
	}
	named := strings.Contains(zone.String(), "/") // others may be made up anew under the same name
	if named {
		if list, ok := known.Load(zone.String()); ok {
			return list.(*periods)
		}
	}
	list := &periods{}
	last := Moment(time.Date(listedYears, 1, 1, 0, 0, 0, 0, time.UTC).UnixMicro())
	for at := Moment(BeginningOfTime); ; at = list.end {
		p := askPeriod(zone, max(at, Moment(time.Date(1, 1, 1, 0, 0, 0, 0, time.UTC).UnixMicro())))
		list.starts, list.offsets, list.end = append(list.starts, p.Start), append(list.offsets, p.offset), p.End
		if p.End == EndOfTime || p.End > last {
			break
		}
	}
	if named {
		known.Store(zone.String(), list)
	}
	return list
}

// periodAt returns the period that holds a moment.
func (c Clock) periodAt(m Moment) period {
	list := c.periods
	switch {
	case list == nil:
		return period{Moments{BeginningOfTime, EndOfTime}, 0}
	case m >= list.end && list.end != EndOfTime:
		return askPeriod(c.zone, m)
	}
	i, found := slices.BinarySearch(list.starts, m)
	if !found {
		i = max(i-1, 0)
	}
	end := list.end
	if i+1 < len(list.starts) {
		end = list.starts[i+1]
	}
	return period{Moments{list.starts[i], end}, list.offsets[i]}
}

// askPeriod asks a zone for the period that holds a moment.
func askPeriod(zone *time.Location, m Moment) period {
	t := time.UnixMicro(int64(m)).In(zone)
	_, seconds := t.Zone()
	p := period{Moments{BeginningOfTime, EndOfTime}, Moment(seconds) * Second}
	for at := t; ; { // names of zones change without their offset
		start, _ := at.ZoneBounds()
		if start.IsZero() {
			break
		}
		at = start.Add(-time.Microsecond)
		if _, before := at.Zone(); before != seconds {
			p.Start = Moment(start.UnixMicro())
			break
		}
	}
	for at := t; ; {
		_, end := at.ZoneBounds()
		if end.IsZero() {
			break
		}
		if !end.After(at) { // on the last day of a leap year the bounds end where that day begins
			end = at.Add(24 * time.Hour)
		}
		if _, after := end.Zone(); after != seconds {
			p.End = Moment(end.UnixMicro())
			break
		}
		at = end
	}
	return p
}
