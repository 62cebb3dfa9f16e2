package attached

import (
	"cmp"
	"fmt"
	"strconv"
	"strings"
	"time"

	"github.com/cockroachdb/apd/v3"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/measure"
)

// timeOf is a moment as cells hold it.
func timeOf(m civil.Moment) time.Time { return time.UnixMicro(int64(m)).UTC() }

// numberCell reads a number as engines write it, be it with an exponent.
func numberCell(text string) (dataset.Cell, error) {
	if number, ok := decimal.ParseFixed(text); ok {
		return dataset.Cell{Set: true, Fixed: true, Number: number, Text: text}, nil
	}
	d, _, err := apd.NewFromString(text)
	if err != nil {
		return dataset.Cell{}, err
	}
	if d.Form != apd.Finite {
		return dataset.Cell{}, fmt.Errorf("it is not a number")
	}
	plain := d.Text('f')
	if number, ok := decimal.ParseFixed(plain); ok {
		return dataset.Cell{Set: true, Fixed: true, Number: number, Text: plain}, nil
	}
	return dataset.Cell{Set: true, Text: plain}, nil
}

// moment reads a moment: a number for what is counted since 1970, else a date and a time. Engines give instants in
// microseconds. What is outside the years that there are is an error.
func (c *Column) moment(text string, clock civil.Clock) (civil.Moment, error) {
	m, err := c.anyMoment(text, clock)
	if err == nil && !clock.Valid(civil.Moments{Start: m, End: m + 1}) {
		err = calendar.ErrRange
	}
	return m, err
}

func (c *Column) anyMoment(text string, clock civil.Clock) (civil.Moment, error) {
	unit := civil.Moment(1)
	switch c.Form {
	case Wall, Stamp:
		day, within, err := wall(text)
		if c.Form == Stamp {
			clock = civil.UTC
		}
		m, _ := clock.Reader().Read(day, within)
		return m, err
	case Seconds:
		unit = civil.Second
	case Milliseconds:
		unit = civil.Second / 1000
	}
	n, err := strconv.ParseInt(text, 10, 64)
	if far := int64(civil.EndOfTime / unit); n >= far || n <= -far {
		err = cmp.Or(err, calendar.ErrRange)
	}
	return civil.Moment(n) * unit, err
}

// wall reads a date and a time without an offset.
func wall(text string) (civil.Day, civil.Moment, error) {
	date, clock, _ := strings.Cut(strings.Replace(text, "T", " ", 1), " ")
	day, err := civil.ParseDay(date)
	if err != nil || clock == "" {
		return day, 0, err
	}
	for _, layout := range []string{"15:04:05.999999999", "15:04"} {
		if at, err := time.Parse(layout, strings.TrimSuffix(clock, "Z")); err == nil {
			within := time.Duration(at.Hour())*time.Hour + time.Duration(at.Minute())*time.Minute +
				time.Duration(at.Second())*time.Second + time.Duration(at.Nanosecond())
			return day, civil.Moment(within / time.Microsecond), nil
		}
	}
	return 0, 0, fmt.Errorf("expected a date and a time")
}

// showWall writes what a clock shows at a moment, with a mark between date and time.
func showWall(clock civil.Clock, m civil.Moment, between string) string {
	day, within := clock.DateAndTime(m)
	at := time.UnixMicro(int64(within)).UTC()
	text := day.String() + between + at.Format("15:04:05")
	if micros := within % civil.Second; micros != 0 {
		text += fmt.Sprintf(".%06d", micros)
	}
	return text
}

// pointOf is a value at its place in time.
func pointOf(place, sequence int64, value *apd.Decimal) measure.Point {
	return measure.Point{Set: true, At: place, Sequence: sequence, Value: *value}
}

// earlier reports whether a date or moment of the column is before another.
func (c *Column) earlier(one, other *dataset.Cell) bool {
	if c.Form == Day {
		return one.Day < other.Day
	}
	return one.Micros() < other.Micros()
}
