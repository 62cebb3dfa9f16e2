package calendar

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"vastspan/core/civil"
	"vastspan/core/naming"
)

// Kind says what years are made of.
type Kind string

// The kinds of semantics §2. Years of whole weeks are either ruled (year-ends) or listed
// (year-first-days).
const (
	KindMonths Kind = "months"
	KindWeeks  Kind = "weeks"
)

// A Spec says in plain words how a calendar is laid out; it is what a span book holds.
type Spec struct {
	Name       string    `json:"name"                      yaml:"name"`
	Kind       Kind      `json:"kind"                      yaml:"kind"`
	YearStarts string    `json:"year_starts,omitempty"     yaml:"year-starts,omitempty"` // month-day, 01-01 when empty
	YearLabel  string    `json:"year_label,omitempty"      yaml:"year-label,omitempty"`  // starting or ending
	WeekStarts string    `json:"week_starts,omitempty"     yaml:"week-starts,omitempty"` // a weekday, monday when empty
	Pattern    string    `json:"pattern,omitempty"         yaml:"pattern,omitempty"`     // 4-4-5, 4-5-4, 5-4-4 or 13x4
	YearEnds   *YearEnds `json:"year_ends,omitempty"       yaml:"year-ends,omitempty"`
	// ExtraWeek is the period that takes a 53rd week, the last when 0.
	ExtraWeek     int      `json:"extra_week,omitempty"      yaml:"extra-week,omitempty"`
	YearFirstDays []string `json:"year_first_days,omitempty" yaml:"year-first-days,omitempty"`
	WorkingWeek   string   `json:"working_week,omitempty"    yaml:"working-week,omitempty"` // Mon/Tue/Wed/Thu/Fri when empty
	Holidays      string   `json:"holidays,omitempty"        yaml:"holidays,omitempty"`     // the name of a holiday list
	About         string   `json:"about,omitempty"           yaml:"about,omitempty"`
}

// YearEnds says on which weekday a week-based year ends, and near which month's end.
type YearEnds struct {
	Day   string `json:"day"   yaml:"day"`
	Rule  string `json:"rule"  yaml:"rule"` // last or nearest
	Month string `json:"month" yaml:"month"`
}

// Civil is the built-in calendar: months of the civil year, weeks from Monday, no holidays.
var Civil = mustBuild(Spec{Name: "civil", Kind: KindMonths})

func mustBuild(s Spec) *Calendar {
	c, err := Build(s, nil)
	if err != nil {
		panic(err)
	}
	return c
}

// Build makes a calendar. holidays is the list that the spec names, or nil where it names none.
// Errors name the key, what it holds and what was expected.
func Build(s Spec, holidays *Holidays) (*Calendar, error) {
	c, err := build(s, holidays)
	if err != nil {
		return nil, fmt.Errorf("calendar %s: %w", s.Name, err)
	}
	return c, nil
}

func build(s Spec, holidays *Holidays) (*Calendar, error) {
	if err := naming.Check(s.Name); err != nil {
		return nil, err
	}
	week, err := workingWeek(s.WorkingWeek)
	if err != nil {
		return nil, err
	}
	c := &Calendar{spec: s, business: newBusiness(week, holidays)}
	switch s.Kind {
	case KindMonths:
		err = c.buildMonths()
	case KindWeeks:
		if s.YearFirstDays != nil {
			err = c.buildListed()
		} else {
			err = c.buildWeeks()
		}
	default:
		err = fmt.Errorf("kind: %q: expected months or weeks", s.Kind)
	}
	return c, err
}

func (c *Calendar) buildMonths() error {
	s := c.spec
	if err := refuse("a month-based calendar", key{"pattern", s.Pattern != ""}, key{"year-ends", s.YearEnds != nil},
		key{"extra-week", s.ExtraWeek != 0}, key{"year-first-days", s.YearFirstDays != nil}); err != nil {
		return err
	}
	l := monthsLayout{firstMonth: 1, firstDay: 1}
	if s.YearStarts != "" {
		month, day, ok := strings.Cut(s.YearStarts, "-")
		m, err1 := strconv.Atoi(month)
		d, err2 := strconv.Atoi(day)
		if !ok || err1 != nil || err2 != nil || m < 1 || m > 12 || d < 1 || d > 28 {
			return fmt.Errorf("year-starts: %q: expected month-day, such as 04-01; the day from 01 to 28", s.YearStarts)
		}
		l.firstMonth, l.firstDay = m, d
	}
	january := l.firstMonth == 1 && l.firstDay == 1
	byStart, err := labelledByStart(s.YearLabel, january)
	if err != nil {
		return err
	}
	l.byEnd = !byStart
	if s.WeekStarts != "" {
		w, ok := civil.ParseWeekday(s.WeekStarts)
		if !ok {
			return fmt.Errorf("week-starts: %q: expected a weekday, such as monday", s.WeekStarts)
		}
		c.weekStart = w
	}
	c.layout = l
	return nil
}

func (c *Calendar) buildWeeks() error {
	s := c.spec
	if err := refuse("a week-based calendar", key{"year-starts", s.YearStarts != ""}, key{"week-starts", s.WeekStarts != ""}); err != nil {
		return err
	}
	p, err := readPattern(s.Pattern, s.ExtraWeek)
	if err != nil {
		return err
	}
	if s.YearEnds == nil {
		return fmt.Errorf("year-ends: missing: expected day, rule and month, or else year-first-days")
	}
	day, ok := civil.ParseWeekday(s.YearEnds.Day)
	if !ok {
		return fmt.Errorf("year-ends: day: %q: expected a weekday, such as saturday", s.YearEnds.Day)
	}
	if s.YearEnds.Rule != "last" && s.YearEnds.Rule != "nearest" {
		return fmt.Errorf("year-ends: rule: %q: expected last or nearest", s.YearEnds.Rule)
	}
	month := slices.Index(monthNames[:], strings.ToLower(s.YearEnds.Month)) + 1
	if month == 0 {
		return fmt.Errorf("year-ends: month: %q: expected a month, such as january", s.YearEnds.Month)
	}
	byStart, err := labelledByStart(s.YearLabel, false)
	if err != nil {
		return err
	}
	c.weekStart = (day + 1) % 7
	c.layout = weeksLayout{
		years:   ruledYears{weekday: day, month: month, nearest: s.YearEnds.Rule == "nearest", byStart: byStart},
		pattern: p,
	}
	return nil
}

func (c *Calendar) buildListed() error {
	s := c.spec
	if err := refuse("a listed calendar", key{"year-starts", s.YearStarts != ""}, key{"week-starts", s.WeekStarts != ""},
		key{"year-ends", s.YearEnds != nil}, key{"year-label", s.YearLabel != ""}); err != nil {
		return err
	}
	p, err := readPattern(s.Pattern, s.ExtraWeek)
	if err != nil {
		return err
	}
	if len(s.YearFirstDays) < 2 {
		return fmt.Errorf("year-first-days: expected at least two days; the last one closes the year before it")
	}
	l := listedYears{calendar: s.Name}
	for i, text := range s.YearFirstDays {
		d, err := civil.ParseDay(text)
		if err != nil {
			return fmt.Errorf("year-first-days: %w", err)
		}
		if i > 0 {
			if n := d - l.days[i-1]; n != 52*7 && n != 53*7 {
				return fmt.Errorf("year-first-days: from %s to %s are %d days: expected 364 or 371", l.days[i-1], d, n)
			}
		}
		l.days = append(l.days, d)
	}
	c.weekStart = l.days[0].Weekday()
	c.layout = weeksLayout{years: l, pattern: p}
	return nil
}

type key struct {
	name  string
	given bool
}

func refuse(kind string, keys ...key) error {
	for _, k := range keys {
		if k.given {
			return fmt.Errorf("%s: %s has no such key", k.name, kind)
		}
	}
	return nil
}

var monthNames = [12]string{
	"january",
	"february",
	"march",
	"april",
	"may",
	"june",
	"july",
	"august",
	"september",
	"october",
	"november",
	"december",
}

func labelledByStart(label string, optional bool) (bool, error) {
	switch {
	case label == "starting" || label == "" && optional:
		return true, nil
	case label == "ending":
		return false, nil
	}
	return false, fmt.Errorf("year-label: %q: expected starting or ending, the civil year that names the year", label)
}

func readPattern(s string, extra int) (pattern, error) {
	var weeks []int
	switch s {
	case "4-4-5":
		weeks = slices.Repeat([]int{4, 4, 5}, 4)
	case "4-5-4":
		weeks = slices.Repeat([]int{4, 5, 4}, 4)
	case "5-4-4":
		weeks = slices.Repeat([]int{5, 4, 4}, 4)
	case "13x4":
		weeks = slices.Repeat([]int{4}, 13)
	default:
		return pattern{}, fmt.Errorf("pattern: %q: expected 4-4-5, 4-5-4, 5-4-4 or 13x4", s)
	}
	if extra == 0 {
		extra = len(weeks)
	}
	if extra < 1 || extra > len(weeks) {
		return pattern{}, fmt.Errorf("extra-week: %d: expected a period from 1 to %d", extra, len(weeks))
	}
	return newPattern(weeks, extra), nil
}

func workingWeek(s string) (civil.Weekdays, error) {
	if s == "" {
		return civil.WorkingWeek, nil
	}
	var week civil.Weekdays
	for name := range strings.SplitSeq(s, "/") {
		w, ok := civil.ParseWeekday(strings.TrimSpace(name))
		if !ok {
			return 0, fmt.Errorf("working-week: %q: expected weekdays joined by slashes, such as Mon/Tue/Wed/Thu/Fri", s)
		}
		week = week.With(w)
	}
	return week, nil
}
