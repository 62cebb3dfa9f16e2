package calendar

import (
	"fmt"
	"strings"
)

// Layout returns the calendar's layout in words.
func (c *Calendar) Layout() string {
	var b strings.Builder
	s := c.spec
	switch l := c.layout.(type) {
	case monthsLayout:
		if l.firstMonth == 1 && l.firstDay == 1 {
			b.WriteString("civil years")
		} else {
			fmt.Fprintf(&b, "years from %d %s, named by the year in which they %s", l.firstDay, title(monthNames[l.firstMonth-1]),
				map[bool]string{false: "start", true: "end"}[l.byEnd])
		}
		fmt.Fprintf(&b, "; weeks from %s", c.weekStart)
	case weeksLayout:
		if y, ok := l.years.(ruledYears); ok {
			rule := "the last %s of %s"
			if y.nearest {
				rule = "the %s nearest to the end of %s"
			}
			fmt.Fprintf(&b, "years of whole weeks, %s, ending on "+rule+", named by the year in which they %s", s.Pattern,
				y.weekday, title(monthNames[y.month-1]), map[bool]string{false: "end", true: "start"}[y.byStart])
		} else {
			fmt.Fprintf(&b, "years of whole weeks, %s, listed from %s on", s.Pattern, s.YearFirstDays[0])
		}
	}
	if s.WorkingWeek != "" {
		fmt.Fprintf(&b, "; business days %s", s.WorkingWeek)
	}
	if list := c.business.list; list != nil {
		fmt.Fprintf(&b, "; holidays %s, %d to %d", list.Name, list.FirstYear, list.LastYear)
	}
	return b.String()
}

func title(s string) string { return strings.ToUpper(s[:1]) + s[1:] }
