package ingest

import (
	"errors"
	"fmt"
	"math"
	"strconv"
	"strings"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/dataset"
)

// A timeReader reads dates with times as databases, programs and spreadsheets write them: ISO 8601 and its like, with T
// or a blank between date and time, with an offset or as the clock of the dataset shows it, with AM and PM. Fractions of
// seconds are kept to the microsecond; what is finer is cut off, so that no moment moves to the next day.
type timeReader struct {
	clock     *civil.WallReader
	dates     dateReader
	ambiguous dataset.Ambiguous
	epoch     dataset.Epoch
}

func newTimeReader(s *dataset.Schema) (timeReader, error) {
	clock, err := s.Clock()
	return timeReader{clock.Reader(), newDateReader(s, calendar.Day), s.Ambiguous, s.Epoch}, err
}

var errNoTime = errors.New("expected a time such as 2026-03-05T14:30 or 2026-03-05T14:30:00+01:00")

// read returns the moment of a text, in microseconds from 1970-01-01T00:00:00Z.
func (r *timeReader) read(s string) (civil.Moment, error) {
	if digits := strings.TrimPrefix(s, "-"); r.epoch != "" && len(digits) > 0 && strings.Trim(digits, "0123456789.") == "" {
		if r.epoch == dataset.SpreadsheetDays {
			return r.readSerial(s)
		}
		return r.readEpoch(s)
	}
	date, clock, ok := splitTime(s)
	if !ok {
		return 0, errNoTime
	}
	day, err := r.dates.read(date)
	if err != nil {
		return 0, err
	}
	t, ok := readTime(clock)
	if !ok {
		return 0, errNoTime
	}
	return r.at(day, t, s)
}

// at returns the moment of a time of day.
func (r *timeReader) at(day civil.Day, t wallTime, s string) (civil.Moment, error) {
	if t.zoned {
		return r.inRange(civil.UTC.MomentOf(day, t.within)-t.ahead, s)
	}
	m, shown := r.clock.Read(day, t.within)
	switch {
	case shown == civil.Skipped:
		return 0, fmt.Errorf("the clock of %s does not show %s: it is put forward", r.clock.Zone(), s)
	case shown == civil.Twice && r.ambiguous == "":
		return 0, fmt.Errorf("the clock of %s shows %s twice: expected an offset, or say which is meant (ambiguous: earlier or later)",
			r.clock.Zone(), s)
	case shown == civil.Twice && r.ambiguous == dataset.TakeLater:
		m = r.clock.Later(m)
	}
	return r.inRange(m, s)
}

// readSerial reads a spreadsheet's day number, whose fraction is the time of day, to the millisecond, by the clock of the dataset.
func (r *timeReader) readSerial(s string) (civil.Moment, error) {
	whole, fraction, _ := strings.Cut(s, ".")
	day, err := serialDay(whole)
	if err != nil {
		return 0, err
	}
	part, err := strconv.ParseFloat("0."+fraction+"0", 64)
	if err != nil {
		return 0, errNoTime
	}
	milliseconds := civil.Moment(math.Round(part * 86_400_000))
	if milliseconds == 86_400_000 {
		day, milliseconds = day+1, 0
	}
	return r.at(day, wallTime{within: milliseconds * civil.Second / 1000}, s)
}

// readEpoch reads seconds or milliseconds from 1970-01-01T00:00:00Z.
func (r *timeReader) readEpoch(s string) (civil.Moment, error) {
	whole, fraction, _ := strings.Cut(s, ".")
	n, err := strconv.ParseInt(whole, 10, 64)
	digits := 6
	if r.epoch == dataset.Milliseconds {
		digits = 3
	}
	unit := civil.Moment(1)
	for range digits {
		unit *= 10
	}
	m := civil.Moment(n)
	if err != nil || m > civil.EndOfTime/unit || m < civil.BeginningOfTime/unit {
		return 0, fmt.Errorf("expected %s since 1970, within the years 0001 to 9999", r.epoch)
	}
	m *= unit
	if fraction != "" {
		part, err := strconv.ParseUint((fraction + "000000")[:digits], 10, 32)
		if err != nil {
			return 0, fmt.Errorf("expected %s since 1970", r.epoch)
		}
		if strings.HasPrefix(whole, "-") {
			m -= civil.Moment(part)
		} else {
			m += civil.Moment(part)
		}
	}
	return r.inRange(m, s)
}

// inRange refuses a moment that is not of the years 1 to 9999 in Universal Time and in the zone.
func (r *timeReader) inRange(m civil.Moment, s string) (civil.Moment, error) {
	utc, _ := civil.UTC.DateAndTime(m)
	if !utc.Valid() || !r.clock.DayOf(m).Valid() {
		return 0, fmt.Errorf("expected a time from 0001-01-01 to 9999-12-31 in UTC and in %s; %s is outside", r.clock.Zone(), s)
	}
	return m, nil
}

// splitTime takes a text apart where the time begins: behind a T or a blank, with the digits before its first colon.
func splitTime(s string) (date, clock string, ok bool) {
	at := strings.IndexByte(s, ':')
	for at > 0 && s[at-1] >= '0' && s[at-1] <= '9' {
		at--
	}
	if at < 2 || s[at-1] != 'T' && s[at-1] != 't' && s[at-1] != ' ' {
		return "", "", false
	}
	return strings.TrimRight(s[:at-1], " ,"), s[at:], true
}

// looksLikeTime reports whether a text is a date and a time, if not one that can be kept.
func looksLikeTime(s string) bool {
	date, clock, ok := splitTime(s)
	if form := formOf(date); !ok || form != ordered && form != named && form != compact {
		return false
	}
	_, ok = readTime(clock)
	return ok
}

// wallTime is a time of day, in microseconds from midnight, with its offset where it has one.
type wallTime struct {
	within, ahead civil.Moment
	zoned         bool
}

// readTime reads 14:30, 14:30:05.25, 2:30 PM, with Z, +02:00, +0200, +02, UTC or GMT after it.
func readTime(s string) (t wallTime, ok bool) {
	hours, s, ok := digits(s, 1, 2)
	if !ok || !strings.HasPrefix(s, ":") {
		return t, false
	}
	minutes, s, ok := digits(s[1:], 2, 2)
	if !ok || minutes > 59 {
		return t, false
	}
	seconds := 0
	if strings.HasPrefix(s, ":") {
		if seconds, s, ok = digits(s[1:], 2, 2); !ok || seconds > 59 {
			return t, false
		}
		if s != "" && (s[0] == '.' || s[0] == ',') && len(s) > 1 {
			end := 1
			for end < len(s) && s[end] >= '0' && s[end] <= '9' {
				end++
			}
			if end == 1 {
				return t, false
			}
			fraction, err := strconv.ParseUint((s[1:end] + "000000")[:6], 10, 32)
			if err != nil {
				return t, false
			}
			t.within, s = civil.Moment(fraction), s[end:]
		}
	}
	s = strings.TrimLeft(s, " ")
	if half, rest, found := cutHalf(s); found {
		if hours < 1 || hours > 12 {
			return t, false
		}
		hours, s = hours%12+half, strings.TrimLeft(rest, " ")
	}
	if hours > 24 || hours == 24 && (minutes > 0 || seconds > 0 || t.within > 0) {
		return t, false
	}
	t.within += civil.Moment(hours*3600+minutes*60+seconds) * civil.Second
	if s == "" {
		return t, true
	}
	if t.zoned = true; strings.EqualFold(s, "UTC") || strings.EqualFold(s, "GMT") {
		return t, true
	}
	ahead, err := civil.ParseOffset(strings.ToUpper(s))
	t.ahead = ahead
	return t, err == nil
}

// cutHalf takes AM or PM off the start of a text: hours to add.
func cutHalf(s string) (half int, rest string, found bool) {
	if len(s) < 2 || s[1]|0x20 != 'm' {
		return 0, s, false
	}
	switch s[0] | 0x20 {
	case 'a':
		return 0, s[2:], true
	case 'p':
		return 12, s[2:], true
	}
	return 0, s, false
}

// digits reads a number of so many digits off the start of a text.
func digits(s string, least, most int) (n int, rest string, ok bool) {
	i := 0
	for i < len(s) && i < most && s[i] >= '0' && s[i] <= '9' {
		n = 10*n + int(s[i]-'0')
		i++
	}
	return n, s[i:], i >= least
}
