// Package holidays reads holiday lists from files: iCalendar (RFC 5545), with all-day events and
// yearly rules, and plain lists of dates. What the days are used for is decided elsewhere.
package holidays

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	ics "github.com/arran4/golang-ical"
	"github.com/teambition/rrule-go"

	"vastspan/core/civil"
)

// Read reads a file of either kind, told apart by its first line. Rules of iCalendar are followed
// through the years given, both inside; days outside them are left out.
func Read(r io.Reader, firstYear, lastYear int) ([]civil.Day, error) {
	data, err := io.ReadAll(r)
	if err != nil {
		return nil, err
	}
	data = bytes.TrimPrefix(data, []byte("\ufeff"))
	var days []civil.Day
	if bytes.HasPrefix(bytes.ToUpper(bytes.TrimSpace(data)), []byte("BEGIN:VCALENDAR")) {
		days, err = readCalendar(data, lastYear)
	} else {
		days, err = readList(data)
	}
	if err != nil {
		return nil, err
	}
	days = slices.DeleteFunc(days, func(d civil.Day) bool { return d.Year() < firstYear || d.Year() > lastYear })
	if len(days) == 0 {
		return nil, fmt.Errorf("no holiday from %d to %d is in it: expected all-day events, or a list with a date a line", firstYear, lastYear)
	}
	slices.Sort(days)
	return slices.Compact(days), nil
}

// readList reads a date a line; what follows it on the line is a remark, and so is a line that
// begins with #.
func readList(data []byte) ([]civil.Day, error) {
	var days []civil.Day
	lines := bufio.NewScanner(bytes.NewReader(data))
	for n := 1; lines.Scan(); n++ {
		text := strings.TrimSpace(lines.Text())
		if text == "" || strings.HasPrefix(text, "#") {
			continue
		}
		date := text
		if i := strings.IndexAny(text, " \t,;"); i > 0 {
			date = text[:i]
		}
		d, err := civil.ParseDay(date)
		if err != nil {
			return nil, fmt.Errorf("line %d: %w", n, err)
		}
		days = append(days, d)
	}
	return days, lines.Err()
}

// readCalendar takes the days of all-day events. Events at a time of day are no holidays and are
// left out, and so are those that are cancelled.
func readCalendar(data []byte, lastYear int) ([]civil.Day, error) {
	cal, err := ics.ParseCalendar(bytes.NewReader(data))
	if err != nil {
		return nil, fmt.Errorf("the iCalendar file cannot be read: %w", err)
	}
	var days []civil.Day
	for _, event := range cal.Events() {
		more, err := eventDays(event, lastYear)
		if err != nil {
			return nil, fmt.Errorf("event %q: %w", summary(event), err)
		}
		days = append(days, more...)
	}
	return days, nil
}

func summary(event *ics.VEvent) string {
	if p := event.GetProperty(ics.ComponentPropertySummary); p != nil {
		return p.Value
	}
	return event.Id()
}

func eventDays(event *ics.VEvent, lastYear int) ([]civil.Day, error) {
	start := event.GetProperty(ics.ComponentPropertyDtStart)
	if start == nil {
		return nil, errors.New("it has no start")
	}
	if status := event.GetProperty(ics.ComponentPropertyStatus); status != nil && strings.EqualFold(status.Value, "CANCELLED") {
		return nil, nil
	}
	first, err := compactDay(start.Value)
	if err != nil {
		return nil, nil // at a time of day
	}
	length, err := eventLength(event, first)
	if err == nil && length > maxEvent {
		err = fmt.Errorf("it is %d days long: expected at most %d", length, maxEvent)
	}
	if err != nil {
		return nil, err
	}
	starts, err := occurrences(event, first, lastYear)
	if err != nil {
		return nil, err
	}
	var days []civil.Day
	for _, d := range starts {
		for i := range length {
			days = append(days, d+civil.Day(i))
		}
	}
	return days, nil
}

// maxEvent is how many days one event may last.
const maxEvent = 366

// eventLength returns an event's length in days: DTEND is the day after the last, DURATION whole days
// or weeks, and neither means one day.
func eventLength(event *ics.VEvent, first civil.Day) (int, error) {
	if end := event.GetProperty(ics.ComponentPropertyDtEnd); end != nil {
		d, err := compactDay(end.Value)
		if err != nil {
			return 0, fmt.Errorf("it starts on a day and ends at %q", end.Value)
		}
		return max(1, int(d-first)), nil
	}
	if p := event.GetProperty(ics.ComponentPropertyDuration); p != nil {
		var n int
		var unit byte
		if _, err := fmt.Sscanf(p.Value, "P%d%c", &n, &unit); err != nil || n < 1 || unit != 'D' && unit != 'W' {
			return 0, fmt.Errorf("its duration %q is not one of whole days or weeks", p.Value)
		}
		if unit == 'W' {
			n *= 7
		}
		return n, nil
	}
	return 1, nil
}

// occurrences follows an event's rule, if it has one, through the end of a year, with the dates that
// are added to it and taken from it.
func occurrences(event *ics.VEvent, first civil.Day, lastYear int) ([]civil.Day, error) {
	set := rrule.Set{}
	set.DTStart(first.Time())
	if p := event.GetProperty(ics.ComponentPropertyRrule); p != nil {
		option, err := rrule.StrToROption(p.Value)
		if err != nil {
			return nil, fmt.Errorf("its rule %q: %w", p.Value, err)
		}
		if option.Freq > rrule.DAILY {
			return nil, fmt.Errorf("its rule %q repeats within a day: expected one that repeats by days or longer", p.Value)
		}
		option.Dtstart = first.Time()
		rule, err := rrule.NewRRule(*option)
		if err != nil {
			return nil, fmt.Errorf("its rule %q: %w", p.Value, err)
		}
		set.RRule(rule)
	} else {
		set.RDate(first.Time())
	}
	for _, more := range []struct {
		property ics.ComponentProperty
		take     func(time.Time)
	}{{ics.ComponentPropertyRdate, set.RDate}, {ics.ComponentPropertyExdate, set.ExDate}} {
		for _, p := range event.GetProperties(more.property) {
			for text := range strings.SplitSeq(p.Value, ",") {
				d, err := compactDay(text)
				if err != nil {
					return nil, err
				}
				more.take(d.Time())
			}
		}
	}
	var days []civil.Day
	for _, t := range set.Between(first.Time(), civil.Of(lastYear, 12, 31).Time(), true) {
		days = append(days, civil.OfTime(t, time.UTC))
	}
	return days, nil
}

// compactDay reads a date as iCalendar writes it: 20261225.
func compactDay(s string) (civil.Day, error) {
	if len(s) != 8 {
		return 0, fmt.Errorf("%q is not a date: expected one such as 20261225", s)
	}
	return civil.ParseDay(s[:4] + "-" + s[4:6] + "-" + s[6:])
}
