package tally

import (
	"fmt"

	"vastspan/core/calendar"
	"vastspan/core/civil"
)

// A Unit is one row of a span broken down: a unit of a calendar that meets it, or an hour or a minute (semantics §8, §9).
type Unit struct {
	Label  string
	Period Period         // what of the span is in it
	Whole  civil.Interval // all of its days; of an hour or a minute, the day that it is in
	Piece  civil.Moments  // all of an hour or a minute; empty for units of days
	// Partial says that it is only partly inside the span, Future that it begins after the as-of day or moment.
	Partial bool
	Future  bool
	// InProgress reports that the as-of day or moment is in it and some of the span in it is still to come.
	InProgress bool
}

// MaxUnits is how many units a span may be broken down into: the hours of a year are 8,784.
const MaxUnits = 9000

// Each lists every unit that meets a closed span, in time order, none skipped.
func Each(p Period, cal *calendar.Calendar, u calendar.Unit, asOf civil.AsOf) ([]Unit, error) {
	switch {
	case p.Empty():
		return nil, nil
	case p.Open():
		return nil, fmt.Errorf("each %s needs a span with both ends; this one is open: say from a day through a day", u)
	case u == calendar.BusinessDay:
		return nil, fmt.Errorf("each business day: break down by day, over a span with only business days")
	case u.OfClock():
		return eachPiece(p.By(asOf.Clock), u, asOf)
	}
	bounds := p.Touched().Bounds()
	i, err := cal.Index(u, bounds.First())
	if err != nil {
		return nil, err
	}
	last, err := cal.Index(u, bounds.Last())
	if err != nil {
		return nil, err
	}
	if n := last - i + 1; n > MaxUnits {
		return nil, tooManyUnits(u, n)
	}
	var units []Unit
	for ; i <= last; i++ {
		whole, err := cal.Unit(u, i)
		if err != nil {
			return nil, err
		}
		label, err := cal.Label(u, whole.Start)
		if err != nil {
			return nil, err
		}
		one := Unit{Label: label, Period: p.Within(whole), Whole: whole, Partial: true, Future: whole.Start > asOf.Day}
		if !one.Period.Empty() { // else it is between the periods of a span: no row is skipped, and none of its days count
			one.Partial = !one.Period.Equal(wholeOf(p, whole))
			one.InProgress = whole.Contains(asOf.Day) && one.Period.endsAfter(asOf)
		}
		units = append(units, one)
	}
	return units, nil
}

func tooManyUnits(u calendar.Unit, n int) error {
	return fmt.Errorf("each %s gives %d rows; at most %d: take a longer unit or a shorter span", u, n, MaxUnits)
}

// wholeOf returns all of some days as a period like another.
func wholeOf(like Period, v civil.Interval) Period {
	if like.Timed() {
		return OfDays(civil.SetOf(v)).By(like.Moments.Clock)
	}
	return OfDays(civil.SetOf(v))
}

// endsAfter reports whether some of a period is after the as-of day or moment.
func (p Period) endsAfter(asOf civil.AsOf) bool {
	if p.Timed() {
		return p.Moments.Bounds().End > Now(p.Moments.Clock, asOf)
	}
	return p.Days.Bounds().End > asOf.Day+1
}

// Now returns the as-of moment; of an as-of day, its end by a clock.
func Now(c civil.Clock, asOf civil.AsOf) civil.Moment {
	if asOf.Timed {
		return asOf.Moment
	}
	return c.StartOf(asOf.Day + 1)
}

// eachPiece lists the hours or the minutes that meet a span.
func eachPiece(p Period, u calendar.Unit, asOf civil.AsOf) ([]Unit, error) {
	clock, length := p.Moments.Clock, u.Length()
	bounds := p.Moments.Bounds()
	if n := int((bounds.End - bounds.Start) / length); n > MaxUnits {
		return nil, tooManyUnits(u, n)
	}
	now := Now(clock, asOf)
	var units []Unit
	for at := bounds.Start; at < bounds.End; {
		piece := clock.Piece(at, length)
		one := Unit{Label: clock.Name(piece.Start), Period: p.Of(piece), Piece: piece, Partial: true, Future: piece.Start >= now}
		day := clock.DayOf(piece.Start)
		one.Whole = civil.One(day)
		if !one.Period.Empty() {
			one.Partial = one.Period.Moments.At(0) != piece
			one.InProgress = asOf.Timed && piece.Contains(now) && one.Period.endsAfter(asOf)
		}
		units = append(units, one)
		at = piece.End
	}
	return units, nil
}

// weekLead is how many days of a week come before the one that says where it belongs.
const weekLead = 3

// Running returns the part of a span that a running figure of a row adds up: from the start of the unit of reset
// that holds the row, through the row. A week belongs to the one that holds its fourth day, with all its days
// (semantics §8). A span of several periods keeps to its own days; one period reaches back to the start of the
// unit, before the span if need be.
func Running(span Period, row Unit, cal *calendar.Calendar, each, reset calendar.Unit) (Period, error) {
	if row.Future || row.Period.Empty() {
		return Period{}, nil
	}
	by := row.Period.Touched().Bounds().First()
	if each == calendar.Week {
		by = row.Whole.Start + weekLead
	}
	if reset.OfClock() { // minutes that run on through their hour
		clock := row.Period.Moments.Clock
		hour := clock.Piece(row.Piece.Start, reset.Length())
		return keepTo(span, row.Period.reachBack(hour.Start)), nil
	}
	holding, err := cal.Containing(reset, by)
	if err != nil {
		return Period{}, err
	}
	start := holding.Start
	if each == calendar.Week {
		week, err := cal.Containing(calendar.Week, start)
		if err != nil {
			return Period{}, err
		}
		if start = week.Start; start+weekLead < holding.Start { // it belongs to the unit before
			start = week.End
		}
	}
	if row.Period.Timed() {
		return keepTo(span, row.Period.reachBack(row.Period.Moments.StartOf(start))), nil
	}
	return keepTo(span, OfDays(civil.SetOf(civil.Interval{Start: start, End: row.Period.Days.Bounds().End}))), nil
}

// reachBack returns the one run from a moment through the end of a period.
func (p Period) reachBack(start civil.Moment) Period {
	return OfMoments(p.Moments.Clock, civil.MomentsOf(civil.Moments{Start: start, End: p.Moments.Bounds().End}))
}

// keepTo keeps to a span that consists of several periods.
func keepTo(span, through Period) Period {
	switch {
	case span.Len() <= 1:
		return through
	case through.Timed():
		span = span.By(through.Moments.Clock)
		return OfMoments(through.Moments.Clock, span.Moments.Intersect(through.Moments.MomentSet))
	}
	return OfDays(span.Days.Intersect(through.Days))
}

// RunningSpan is Running with the span's own start instead of a unit's.
func RunningSpan(span Period, row Unit) Period {
	switch {
	case row.Future || row.Period.Empty():
		return Period{}
	case row.Period.Timed():
		v := civil.Moments{Start: civil.BeginningOfTime, End: row.Period.Moments.Bounds().End}
		return span.By(row.Period.Moments.Clock).Of(v)
	}
	return OfDays(span.Days.Within(civil.Interval{Start: civil.OpenStart, End: row.Period.Days.Bounds().End}))
}

// Rolling returns a row's unit and the n-1 units before it, reaching outside the span. It is incomplete where it
// begins before the oldest day of the records.
func Rolling(row Unit, cal *calendar.Calendar, u calendar.Unit, n int) (Period, error) {
	if row.Future || row.Period.Empty() {
		return Period{}, nil
	}
	if u.OfClock() {
		return row.Period.reachBack(row.Period.Moments.Pieces(row.Piece.Start, u.Length(), 1-n)), nil
	}
	i, err := cal.Index(u, row.Whole.Start)
	if err != nil {
		return Period{}, err
	}
	start, err := cal.Start(u, i-n+1)
	if err != nil {
		return Period{}, err
	}
	if row.Period.Timed() {
		return row.Period.reachBack(row.Period.Moments.StartOf(start)), nil
	}
	return OfDays(civil.SetOf(civil.Interval{Start: start, End: row.Period.Days.Bounds().End})), nil
}

// Before returns all of the unit before a row's.
func Before(row Unit, cal *calendar.Calendar, u calendar.Unit) (Period, error) {
	if u.OfClock() {
		start := row.Period.Moments.Pieces(row.Piece.Start, u.Length(), -1)
		return OfMoments(row.Period.Moments.Clock, civil.MomentsOf(civil.Moments{Start: start, End: row.Piece.Start})), nil
	}
	i, err := cal.Index(u, row.Whole.Start)
	if err != nil {
		return Period{}, err
	}
	before, err := cal.Unit(u, i-1)
	return wholeOf(row.Period, before), err
}
