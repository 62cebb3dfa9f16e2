package civil

import (
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"

	"vastspan/core/internal/floor"
)

// A Clock maps moments to days: a time zone, and the time at which its day starts, for nights that belong to the
// evening before (semantics §9). The zero value is UTC with days from midnight.
type Clock struct {
	zone    *time.Location
	starts  TimeOfDay
	periods *periods // nil for UTC
}

// NewClock returns the clock of a zone whose days start at a time from 00:00 to 23:59:59.
func NewClock(zone *time.Location, starts TimeOfDay) (Clock, error) {
	if starts < 0 || starts >= EndOfDay {
		return Clock{}, fmt.Errorf("a day starts at 00:00 to 23:59, not at %s", starts)
	}
	return Clock{zone, starts, periodsOf(zone)}, nil
}

// ReadClock returns the clock of an IANA zone and the time at which its days start, such as 04:00; empty is UTC and
// midnight.
func ReadClock(zone, dayStarts string) (Clock, error) {
	location, err := time.LoadLocation(zone)
	if err != nil || zone == "Local" {
		return Clock{}, fmt.Errorf("%q is not an IANA time zone: expected one such as Europe/Lisbon or UTC", zone)
	}
	var starts TimeOfDay
	if dayStarts != "" {
		if starts, err = ParseTimeOfDay(dayStarts); err != nil {
			return Clock{}, err
		}
	}
	return NewClock(location, starts)
}

// Zone returns the time zone.
func (c Clock) Zone() *time.Location {
	if c.zone == nil {
		return time.UTC
	}
	return c.zone
}

// DayStarts returns the time at which days start.
func (c Clock) DayStarts() TimeOfDay { return c.starts }

// String names the zone, and the time at which days start where it is not midnight.
func (c Clock) String() string {
	if c.starts == 0 {
		return c.Zone().String()
	}
	return fmt.Sprintf("%s, day starts %s", c.Zone(), c.starts)
}

// epoch is the day of 1970-01-01.
var epoch = Of(1970, 1, 1)

// wall is what a clock shows, in microseconds from 1970-01-01T00:00 as it shows it.
type wall = Moment

const dayLength = 24 * 60 * 60 * Second

func wallOf(date Day, t TimeOfDay) wall { return Moment(date-epoch)*dayLength + Moment(t)*Second }

func dateOf(w wall) Day { return epoch + Day(floor.Div(int(w), int(dayLength))) }

// offset returns how far what the clock shows is ahead of UTC.
func (c Clock) offset(m Moment) Moment { return c.periodAt(m).offset }

// Shown says how often a clock shows a time.
type Shown uint8

// A time is shown once, or skipped, or shown twice at a change of the clock.
const (
	Once Shown = iota
	Skipped
	Twice
)

// fromWall returns the moment at which the clock shows a time: the earlier of two, and the first one after a gap.
func (c Clock) fromWall(w wall) (Moment, Shown) {
	// Offsets are within a day of UTC: the periods around are the one a day before, and those after it.
	p := c.periodAt(w - dayLength)
	if w >= p.Start+p.offset+dayLength && w < p.End+p.offset-dayLength {
		return w - p.offset, Once
	}
	first, found, after := p, 0, EndOfTime
	var m Moment
	for {
		if at := w - p.offset; p.Contains(at) {
			if found++; found == 1 {
				m = at
			}
		}
		if p.End >= w+dayLength {
			break
		}
		next := c.periodAt(p.End)
		if after == EndOfTime && p.End+next.offset > w { // the first moment at which the clock shows more
			after = p.End
		}
		p = next
	}
	switch {
	case found > 1:
		return m, Twice
	case found == 1:
		return m, Once
	case after != EndOfTime:
		return after, Skipped
	}
	return w - first.offset, Once
}

// OfDate returns the moment at which the clock shows a time on a civil date, wherever its days start.
func (c Clock) OfDate(date Day, t TimeOfDay) (Moment, Shown) { return c.fromWall(wallOf(date, t)) }

// OfDay returns the moment at which the clock shows a time within a day of its own.
func (c Clock) OfDay(d Day, t TimeOfDay) (Moment, Shown) {
	if t < c.starts {
		d++
	}
	return c.OfDate(d, t)
}

// StartOf returns the moment at which a day starts.
func (c Clock) StartOf(d Day) Moment {
	m, _ := c.OfDate(d, c.starts)
	return m
}

// DateAndTime returns the civil date and the time that the clock shows; the time goes to the microsecond.
func (c Clock) DateAndTime(m Moment) (Day, Moment) {
	w := m + c.offset(m)
	date := dateOf(w)
	return date, w - wallOf(date, 0)
}

// DayOf returns the day of the clock that holds a moment.
func (c Clock) DayOf(m Moment) Day {
	d := dateOf(m + c.offset(m) - Moment(c.starts)*Second)
	// At a change of the clock a day may start earlier or later than what is shown says.
	for c.StartOf(d) > m {
		d--
	}
	for c.StartOf(d+1) <= m {
		d++
	}
	return d
}

// Moments returns the moments of days.
func (c Clock) Moments(s Set) MomentSet {
	runs := make([]Moments, 0, s.Len())
	for v := range s.Intervals() {
		runs = append(runs, c.Run(v))
	}
	return MomentsOf(runs...)
}

// Run returns the moments of an interval of days.
func (c Clock) Run(v Interval) Moments {
	run := Moments{BeginningOfTime, EndOfTime}
	if v.Start != OpenStart {
		run.Start = c.StartOf(v.Start)
	}
	if v.End != OpenEnd {
		run.End = c.StartOf(v.End)
	}
	return run
}

// Valid reports whether a run is within the days that there are, but for its open sides.
func (c Clock) Valid(v Moments) bool {
	const near = 2 * dayLength // of the edges, where it depends on the zone
	low, high := wallOf(MinDay, 0), wallOf(EndOfDays, 0)
	after := v.Start == BeginningOfTime || v.Start >= low+near || v.Start >= c.StartOf(MinDay)
	before := v.End == EndOfTime || v.End <= high-near || v.End <= c.StartOf(EndOfDays)
	return v.Empty() || after && before
}

// Cover returns the days that hold any of a closed run of moments.
func (c Clock) Cover(v Moments) Interval {
	if v.Empty() {
		return Interval{}
	}
	return Through(c.DayOf(v.Start), c.DayOf(v.End-1))
}

// Days returns the days that hold any of the moments.
func (c Clock) Days(s MomentSet) Set {
	list := make([]Interval, 0, s.Len())
	for v := range s.Runs() {
		days := Interval{OpenStart, OpenEnd}
		if v.Start != BeginningOfTime {
			days.Start = c.DayOf(v.Start)
		}
		if v.End != EndOfTime {
			days.End = c.DayOf(v.End-1) + 1
		}
		list = append(list, days)
	}
	return Union(list...)
}

// UTC is the clock of Universal Time.
var UTC = Clock{}

// MomentOf returns the moment of a date and a time of Universal Time, in microseconds from midnight. Of another clock it is
// what Read of its Reader gives.
func (c Clock) MomentOf(date Day, within Moment) Moment {
	m, _ := c.fromWall(wallOf(date, 0) + within)
	return m
}

// Later returns the later moment that shows what an earlier one does, where the clock shows it twice.
func (c Clock) Later(m Moment) Moment {
	p := c.periodAt(m)
	next := c.periodAt(p.End)
	return m + p.offset - next.offset
}

// Shift returns a moment on another day: what the clock shows stays as it is, so many days later.
func (c Clock) Shift(m Moment, days Day) (Moment, Shown) {
	return c.fromWall(m + c.offset(m) + Moment(days)*dayLength)
}

// Piece returns the hour or the minute, of a length in microseconds, that holds a moment: cut where the clock shows a full
// one, and at a change of its offset.
func (c Clock) Piece(m, length Moment) Moments {
	p := c.periodAt(m)
	start := m - floorMod(m+p.offset, length)
	return Moments{max(start, p.Start), min(start+length, p.End)}
}

// Pieces returns the edge that is n hours or minutes, of a length in microseconds, after an edge between two; before it
// where n is below 0.
func (c Clock) Pieces(edge, length Moment, n int) Moment {
	for n > 0 {
		p := c.periodAt(edge)
		next := edge - floorMod(edge+p.offset, length) + length
		whole := int((p.End - next + length - 1) / length) // edges from next on that are before the period's end
		if p.End == EndOfTime || n <= whole {
			return next + Moment(n-1)*length
		}
		edge = p.End
		n -= whole + 1
	}
	for n < 0 {
		p := c.periodAt(edge - 1)
		before := edge - 1 - floorMod(edge-1+p.offset, length)
		whole := int((before - p.Start + length - 1) / length) // edges down from before that are after the period's start
		if p.Start == BeginningOfTime || -n <= whole {
			return before + Moment(n+1)*length
		}
		edge = p.Start
		n += whole + 1
	}
	return edge
}

func floorMod(a, b Moment) Moment { return Moment(floor.Mod(int(a), int(b))) }

// Only returns the moments of a closed run at which the clock shows a time in [from, until), which may be across
// midnight.
func (c Clock) Only(v Moments, from, until TimeOfDay) MomentSet {
	var out MomentSet
	for at := v.Start; at < v.End; {
		p := c.periodAt(at)
		run := Moments{at, min(v.End, p.End)}
		for d := dateOf(run.Start + p.offset); wallOf(d, 0) < run.End+p.offset; d++ {
			within := func(from, until TimeOfDay) {
				out.add(Moments{wallOf(d, from) - p.offset, wallOf(d, until) - p.offset}.Intersect(run))
			}
			if from < until {
				within(from, until)
			} else {
				within(0, until)
				within(from, EndOfDay)
			}
		}
		at = run.End
	}
	return out
}

// Format writes a moment with its offset (RFC 3339), fractions of a second where there are any. The offset of a time before
// there were zones may have seconds.
func (c Clock) Format(m Moment) string {
	layout := "2006-01-02T15:04:05.999999-07:00"
	if c.offset(m)%(60*Second) != 0 {
		layout += ":00"
	}
	return time.UnixMicro(int64(m)).In(c.Zone()).Format(layout)
}

// Long writes a moment for people, with its offset: Mon 19 Oct 2026 14:30 +02:00; an open side as two dots.
func (c Clock) Long(m Moment) string {
	if m == BeginningOfTime || m == EndOfTime {
		return ".."
	}
	date, within := c.DateAndTime(m)
	layout := "15:04 -07:00"
	if within%(60*Second) != 0 {
		layout = "15:04:05.999999 -07:00"
	}
	return date.Long() + " " + time.UnixMicro(int64(m)).In(c.Zone()).Format(layout)
}

// Name names the hour or the minute that begins at a moment, as the clock shows it: 2026-10-25 01:00, with its offset where
// that is shown twice.
func (c Clock) Name(m Moment) string {
	w := m + c.offset(m)
	at := time.UnixMicro(int64(m)).In(c.Zone())
	if _, shown := c.fromWall(w); shown == Twice {
		return at.Format("2006-01-02 15:04 -07:00")
	}
	return at.Format("2006-01-02 15:04")
}

// FormatRun writes a run as its start and its end; an open side is two dots.
func (c Clock) FormatRun(v Moments) string {
	side := func(m Moment) string {
		if m == BeginningOfTime || m == EndOfTime {
			return ".."
		}
		return c.Format(m)
	}
	return side(v.Start) + "/" + side(v.End)
}

// ErrNoTime says that a text holds no time of day.
var ErrNoTime = errors.New("expected a date and a time, such as 2026-10-19T14:30")

// A Reading is a moment as it was written.
type Reading struct {
	Moment
	// Day is the day of the clock that holds the moment; of 24:00, the day that it ends.
	Day   Day
	Shown Shown
}

// Parse reads a date and a time, with seconds, fractions and an offset if wished (ISO 8601): without an offset, as the
// clock shows it.
func (c Clock) Parse(text string) (Reading, error) {
	date, rest, ok := strings.Cut(strings.ToUpper(strings.TrimSpace(text)), "T")
	if !ok {
		return Reading{}, fmt.Errorf("%q: %w", text, ErrNoTime)
	}
	d, err := ParseDay(date)
	if err != nil {
		return Reading{}, err
	}
	clock, offset, hasOffset := cutOffset(rest)
	clock, fraction, hasFraction := strings.Cut(clock, ".")
	t, err := ParseTimeOfDay(clock)
	if err != nil {
		return Reading{}, err
	}
	w := wallOf(d, t)
	if hasFraction {
		digits, err := strconv.ParseUint((fraction + "000000")[:6], 10, 32)
		if err != nil || len(fraction) == 0 || len(fraction) > 9 || t == EndOfDay || strings.Count(clock, ":") < 2 {
			return Reading{}, fmt.Errorf("%q: expected a fraction of a second of up to nine digits", text)
		}
		w += Moment(digits)
	}
	r := Reading{Moment: w}
	if hasOffset {
		ahead, err := ParseOffset(offset)
		if err != nil {
			return Reading{}, fmt.Errorf("%q: %w", text, err)
		}
		r.Moment -= ahead
	} else {
		r.Moment, r.Shown = c.fromWall(w)
	}
	if r.Day = c.DayOf(r.Moment); t == EndOfDay {
		r.Day = c.DayOf(r.Moment - 1)
	}
	return r, nil
}

// cutOffset takes the offset off the end of a time.
func cutOffset(text string) (clock, offset string, ok bool) {
	if i := strings.IndexAny(text, "Z+-"); i >= 0 {
		return text[:i], text[i:], true
	}
	return text, "", false
}

// ParseOffset reads Z, +02:00, +0200 or +02, and seconds where there are any: how far a clock is ahead of UTC.
func ParseOffset(text string) (Moment, error) {
	layout := "Z07:00"
	switch len(text) {
	case 3:
		layout = "Z07"
	case 5:
		layout = "Z0700"
	case 9:
		layout = "Z07:00:00"
	}
	t, err := time.Parse(layout, text)
	_, seconds := t.Zone()
	if err != nil || seconds > 18*3600 || seconds < -18*3600 {
		return 0, errors.New("expected an offset from UTC, such as +02:00 or Z")
	}
	return Moment(seconds) * Second, nil
}
