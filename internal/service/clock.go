package service

import (
	"errors"
	"fmt"
	"time"
	_ "time/tzdata" // the same zones on every machine

	"vastspan/core/civil"
	"vastspan/core/query"
)

// A Clock says when it is, in a zone whose days start at a stated time.
type Clock struct {
	by  civil.Clock
	now func() time.Time
	// today is stated where another service says which day it is; nil is that of now.
	today func() civil.Day
}

// NewClock returns a clock that reads the time from now.
func NewClock(by civil.Clock, now func() time.Time) Clock { return Clock{by: by, now: now} }

// WithToday returns the clock of another service, which says which day it is.
func (c Clock) WithToday(today civil.Day) Clock {
	c.today = func() civil.Day { return today }
	return c
}

// ReadClock reads a zone and the time at which days start; what is empty stays as it is in the clock at hand.
func (c Clock) ReadClock(zone, dayStarts string) (Clock, error) {
	if zone == "" && dayStarts == "" {
		return c, nil
	}
	location, starts := c.by.Zone(), c.by.DayStarts()
	if zone != "" {
		var err error
		if location, err = time.LoadLocation(zone); err != nil || zone == "Local" {
			return c, &query.Error{Pointer: "/zone", Err: fmt.Errorf("%q is not an IANA time zone: expected one such as Europe/Lisbon", zone)}
		}
	}
	if dayStarts != "" {
		var err error
		if starts, err = civil.ParseTimeOfDay(dayStarts); err != nil {
			return c, &query.Error{Pointer: "/day_starts", Err: err}
		}
	}
	by, err := civil.NewClock(location, starts)
	if err != nil {
		return c, &query.Error{Pointer: "/day_starts", Err: err}
	}
	return Clock{by: by, now: c.now}, nil
}

// Zone returns the time zone in which today is read.
func (c Clock) Zone() *time.Location { return c.by.Zone() }

// DayStarts returns the time at which days start.
func (c Clock) DayStarts() civil.TimeOfDay { return c.by.DayStarts() }

// String names the zone, and the time at which days start where it is not midnight.
func (c Clock) String() string { return c.by.String() }

// DayBegins returns the moment at which a day begins.
func (c Clock) DayBegins(day civil.Day) time.Time {
	return time.UnixMicro(int64(c.by.StartOf(day))).UTC()
}

// Today returns the day it is now.
func (c Clock) Today() civil.Day {
	if c.today != nil {
		return c.today()
	}
	return c.by.DayOf(civil.Moment(c.now().UnixMicro()))
}

// By returns the clock with another zone and start of days: that of a dataset whose times are asked about.
func (c Clock) By(by civil.Clock) Clock { return Clock{by: by, now: c.now} }

// Newest finds the newest day of what is asked about, and where it has times the first whole second after its newest
// record (semantics §9); false where it holds none.
type Newest func() (newest civil.AsOf, ok bool, err error)

// AsOf finds the as-of day or moment that a context states; empty is today. newest is nil where there is no dataset.
// Errors of the statement are refusals.
func (c Clock) AsOf(stated string, newest Newest) (civil.AsOf, error) {
	asOf, err := c.ReadAsOf(stated, newest)
	if wrong := (*query.Error)(nil); errors.As(err, &wrong) {
		return asOf, Refused(err)
	}
	return asOf, err
}

// DayAsOf is AsOf of what is read as of days alone: a moment is refused.
func (c Clock) DayAsOf(stated string, newest Newest) (civil.AsOf, error) {
	asOf, err := c.AsOf(stated, newest)
	if err == nil && asOf.Timed {
		return asOf, Refused(&query.Error{
			Pointer: "/as_of", Err: fmt.Errorf("as of %s: this is read as of a day, such as %s", asOf, asOf.Day),
		})
	}
	return asOf, err
}

// ReadAsOf is AsOf where there is no service: errors of the statement are *query.Error.
func (c Clock) ReadAsOf(stated string, newest Newest) (civil.AsOf, error) {
	asOf := civil.AsOf{Clock: c.by}
	wrong := func(err error) error { return &query.Error{Pointer: "/as_of", Err: err} }
	switch stated {
	case "", query.Today:
		asOf.Day = c.Today()
		return asOf, nil
	case query.Now:
		asOf.Moment, asOf.Timed = civil.Moment(c.now().Unix())*civil.Second, true
		asOf.Day = c.by.DayOf(asOf.Moment)
		return asOf, nil
	case query.Latest:
		if newest == nil {
			return asOf, wrong(errors.New("as of latest needs a dataset: it is the newest day that the dataset holds"))
		}
		found, ok, err := newest()
		if err == nil && !ok {
			err = wrong(errors.New("as of latest: the dataset holds no record with a day"))
		}
		found.Clock = c.by
		return found, err
	}
	var err error
	if asOf.Day, err = civil.ParseDay(stated); err == nil {
		return asOf, nil
	}
	r, timeErr := c.by.Parse(stated)
	if timeErr == nil {
		asOf.Day, asOf.Moment, asOf.Timed = r.Day, r.Moment, true
		return asOf, nil
	}
	if !errors.Is(timeErr, civil.ErrNoTime) {
		err = timeErr
	}
	if stated[0] >= '0' && stated[0] <= '9' { // a date, but not one that there is
		return asOf, wrong(fmt.Errorf("as of %q: %w", stated, err))
	}
	return asOf, wrong(fmt.Errorf("as of: %q is not a date: expected one such as %s, a date with a time, today, now or latest",
		stated, c.Today()-1))
}
