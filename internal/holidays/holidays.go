// Package holidays reads holiday lists and event lists from files: iCalendar (RFC 5545), with all-day events and
// their rules, plain lists of dates and CSV. What the days are used for is decided elsewhere.
package holidays

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
	"regexp"
	"slices"
	"strings"
	"time"

	ics "github.com/arran4/golang-ical"
	"github.com/teambition/rrule-go"

	"vastspan/core/civil"
)

// LeftOut counts what a file holds that gives no holiday.
type LeftOut struct {
	Timed     int // events at a time of day
	Cancelled int // events that are cancelled
	Outside   int // days outside the years
	// OtherLists counts rows of other lists than the one that is read.
	OtherLists int
}

const (
	// maxBytes is how long a file may be.
	maxBytes = 16 << 20
	// maxDays is how many days a list may have.
	maxDays = 200_000
)

// Read reads a file of either kind, distinguished by its first line. Rules of iCalendar are followed
// through the years given, both inside; days outside them are left out. A file without any day in them is
// refused.
func Read(r io.Reader, firstYear, lastYear int) ([]civil.Day, LeftOut, error) {
	var left LeftOut
	data, err := readAll(r)
	if err != nil {
		return nil, left, err
	}
	var days []civil.Day
	if isCalendar(data) {
		var entries []entry
		entries, left, err = readCalendar(data, lastYear)
		for _, e := range entries {
			for d := e.days.Start; d < e.days.End; d++ {
				days = append(days, d)
			}
		}
	} else {
		days, err = readList(data)
	}
	if err != nil {
		return nil, left, err
	}
	all := len(days)
	days = slices.DeleteFunc(days, func(d civil.Day) bool { return d.Year() < firstYear || d.Year() > lastYear })
	left.Outside = all - len(days)
	slices.Sort(days)
	days = slices.Compact(days)
	switch {
	case len(days) == 0:
		return nil, left, fmt.Errorf("no holiday from %d to %d is in it: expected all-day events, or a list with a date a line%s",
			firstYear, lastYear, left.within(firstYear, lastYear))
	case len(days) > maxDays:
		return nil, left, fmt.Errorf("it gives %d days from %d to %d: at most %d", len(days), firstYear, lastYear, maxDays)
	}
	return days, left, nil
}

// readAll reads a whole file, without the mark of its byte order.
func readAll(r io.Reader) ([]byte, error) {
	data, err := io.ReadAll(io.LimitReader(r, maxBytes+1))
	if err == nil && len(data) > maxBytes {
		err = fmt.Errorf("it has more than %d bytes", maxBytes)
	}
	return bytes.TrimPrefix(data, []byte("\ufeff")), err
}

func isCalendar(data []byte) bool {
	return bytes.HasPrefix(bytes.ToUpper(bytes.TrimSpace(data)), []byte("BEGIN:VCALENDAR"))
}

// within says what was left out of a list of some years, as the end of a sentence.
func (l LeftOut) within(firstYear, lastYear int) string {
	if told := l.Text(firstYear, lastYear); told != "" {
		return "; left out: " + told
	}
	return ""
}

// Text says what was left out of a list of some years; empty where nothing was.
func (l LeftOut) Text(firstYear, lastYear int) string {
	var parts []string
	count := func(n int, what, where string) {
		switch {
		case n == 1:
			parts = append(parts, "1 "+what+where)
		case n > 1:
			parts = append(parts, fmt.Sprintf("%d %ss%s", n, what, where))
		}
	}
	count(l.Timed, "event", " at a time of day")
	count(l.Cancelled, "cancelled event", "")
	count(l.Outside, "day", fmt.Sprintf(" outside %d to %d", firstYear, lastYear))
	count(l.OtherLists, "row", " of other lists")
	return strings.Join(parts, ", ")
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

// An entry is one time that an event of a file takes place.
type entry struct {
	days    civil.Interval
	summary string
}

// readCalendar takes all-day events. Events at a time of day are no holidays and are
// left out, and so are those that are cancelled. An event that stands for one day of a rule (RECURRENCE-ID)
// takes that day's place.
func readCalendar(data []byte, lastYear int) (entries []entry, left LeftOut, err error) {
	cal, err := ics.ParseCalendar(bytes.NewReader(data))
	if err != nil {
		return nil, left, fmt.Errorf("the iCalendar file cannot be read: %w", err)
	}
	replaced := map[string][]civil.Day{} // by event
	for _, event := range cal.Events() {
		if at := event.GetProperty(ics.ComponentPropertyRecurrenceId); at != nil {
			d, err := compactDay(dateOf(at.Value))
			if err == nil && len(at.ICalParameters["RANGE"]) > 0 {
				err = fmt.Errorf("it changes %s and all days after it: expected the rule to end there, and another one", d)
			}
			if err != nil {
				return nil, left, fmt.Errorf("event %q: %w", summary(event), err)
			}
			replaced[event.Id()] = append(replaced[event.Id()], d)
		}
	}
	walked := 0
	for _, event := range cal.Events() {
		status := event.GetProperty(ics.ComponentPropertyStatus)
		start := event.GetProperty(ics.ComponentPropertyDtStart)
		switch {
		case status != nil && strings.EqualFold(status.Value, "CANCELLED"):
			left.Cancelled++
			continue
		case start != nil && strings.Contains(start.Value, "T"):
			left.Timed++
			continue
		}
		gone := replaced[event.Id()]
		if event.GetProperty(ics.ComponentPropertyRecurrenceId) != nil {
			gone = nil
		}
		starts, length, err := eventStarts(event, gone, lastYear)
		if err != nil {
			return nil, left, fmt.Errorf("event %q: %w", summary(event), err)
		}
		if walked += len(starts) * length; walked > maxWalked {
			return nil, left, fmt.Errorf("its events give more than %d days", maxWalked)
		}
		for _, d := range starts {
			entries = append(entries, entry{civil.Interval{Start: d, End: d + civil.Day(length)}, summary(event)})
		}
	}
	return entries, left, nil
}

// maxWalked is how many days all events of a file may give, those outside the years among them.
const maxWalked = 4_000_000

// dateOf returns the date of a moment as iCalendar writes it.
func dateOf(s string) string {
	date, _, _ := strings.Cut(s, "T")
	return date
}

func summary(event *ics.VEvent) string {
	if p := event.GetProperty(ics.ComponentPropertySummary); p != nil {
		return p.Value
	}
	return event.Id()
}

// zeroInterval matches a rule that recurs every no years.
var zeroInterval = regexp.MustCompile(`(?i)(^|;)INTERVAL=[+-]?0*(;|$)`)

// eventStarts returns the days on which an event starts, but for those that other entries replace, and how many days it lasts.
func eventStarts(event *ics.VEvent, gone []civil.Day, lastYear int) (starts []civil.Day, length int, err error) {
	start := event.GetProperty(ics.ComponentPropertyDtStart)
	if start == nil {
		return nil, 0, errors.New("it has no start")
	}
	first, err := compactDay(start.Value)
	if err != nil {
		return nil, 0, err
	}
	length, err = eventLength(event, first)
	if err == nil && length > maxEvent {
		err = fmt.Errorf("it is %d days long: expected at most %d", length, maxEvent)
	}
	if err != nil {
		return nil, 0, err
	}
	if rule := event.GetProperty(ics.ComponentPropertyRrule); rule != nil && zeroInterval.MatchString(rule.Value) {
		return nil, 0, fmt.Errorf("its rule %s: an interval is at least 1", rule.Value)
	}
	starts, err = occurrences(event, first, lastYear)
	if err != nil {
		return nil, 0, err
	}
	return slices.DeleteFunc(starts, func(d civil.Day) bool { return slices.Contains(gone, d) }), length, nil
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

// occurrences follows an event's rules, if it has any, through the end of a year, with the dates that
// are added to them and taken from them.
func occurrences(event *ics.VEvent, first civil.Day, lastYear int) ([]civil.Day, error) {
	rules := event.GetProperties(ics.ComponentPropertyRrule)
	days := []civil.Day{}
	if len(rules) == 0 {
		days = append(days, first)
	}
	for _, p := range rules {
		more, err := follow(p.Value, first, lastYear)
		if err != nil {
			return nil, fmt.Errorf("its rule %q: %w", p.Value, err)
		}
		days = append(days, more...)
	}
	added, err := dates(event, ics.ComponentPropertyRdate)
	if err != nil {
		return nil, err
	}
	gone, err := dates(event, ics.ComponentPropertyExdate)
	if err != nil {
		return nil, err
	}
	days = append(days, added...)
	slices.Sort(days) // a day that several rules give is one
	return slices.DeleteFunc(slices.Compact(days), func(d civil.Day) bool { return slices.Contains(gone, d) }), nil
}

// follow follows a rule from its first day through the end of a year.
func follow(text string, first civil.Day, lastYear int) ([]civil.Day, error) {
	option, err := rrule.StrToROption(text)
	if err != nil {
		return nil, err
	}
	if option.Freq > rrule.DAILY {
		return nil, errors.New("it repeats within a day: expected one that repeats by days or longer")
	}
	if option.Dtstart = first.Time(); option.Dtstart.IsZero() {
		return nil, fmt.Errorf("it begins on %s: expected a later day", first) // the package takes that for none
	}
	// Without an end the package follows a rule for 292 years only.
	if end := civil.Of(lastYear, 12, 31).Time(); option.Until.IsZero() || option.Until.After(end) {
		option.Until = end
	}
	rule, err := rrule.NewRRule(*option)
	if err != nil {
		return nil, err
	}
	var days []civil.Day
	next := rule.Iterator()
	for {
		t, ok := next()
		if !ok {
			return days, nil
		}
		days = append(days, civil.OfTime(t, time.UTC))
	}
}

// dates reads the dates of all properties of a kind.
func dates(event *ics.VEvent, kind ics.ComponentProperty) ([]civil.Day, error) {
	var days []civil.Day
	for _, p := range event.GetProperties(kind) {
		for text := range strings.SplitSeq(p.Value, ",") {
			d, err := compactDay(dateOf(text))
			if err != nil {
				return nil, err
			}
			days = append(days, d)
		}
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
