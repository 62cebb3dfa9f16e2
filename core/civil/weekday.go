package civil

import (
	"fmt"
	"strings"
)

// A Weekday is a day of the week, Monday being 0.
type Weekday uint8

// The days of the week.
const (
	Monday Weekday = iota
	Tuesday
	Wednesday
	Thursday
	Friday
	Saturday
	Sunday
)

var weekdayNames = [7]string{"Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"}

// String returns the English name in full.
func (w Weekday) String() string { return weekdayNames[w] }

// Short returns the first three letters of the English name.
func (w Weekday) Short() string { return weekdayNames[w][:3] }

// ParseWeekday reads an English weekday, in full or by its first three letters, in any case.
func ParseWeekday(s string) (Weekday, bool) {
	for i, name := range weekdayNames {
		if strings.EqualFold(s, name) || strings.EqualFold(s, name[:3]) {
			return Weekday(i), true
		}
	}
	return 0, false
}

// Weekdays is a set of days of the week, one bit each, Monday being the lowest.
type Weekdays uint8

// WorkingWeek is Monday to Friday.
const WorkingWeek Weekdays = 0b0011111

// Weekend is Saturday and Sunday.
const Weekend Weekdays = 0b1100000

// EveryWeekday is Monday to Sunday.
const EveryWeekday Weekdays = 0b1111111

// ParseWeekdays reads days of the week: a range such as Mon-Sat, which may run over Sunday, or names with slashes between
// them.
func ParseWeekdays(text string) (Weekdays, error) {
	var set Weekdays
	wrong := fmt.Errorf("%q: expected days of the week, such as Mon-Sat or Mon/Wed/Fri", text)
	for _, part := range strings.Split(text, "/") {
		first, last, ranged := strings.Cut(part, "-")
		from, ok := ParseWeekday(strings.TrimSpace(first))
		through := from
		if ok && ranged {
			through, ok = ParseWeekday(strings.TrimSpace(last))
		}
		if !ok {
			return 0, wrong
		}
		for w := from; ; w = (w + 1) % 7 {
			set = set.With(w)
			if w == through {
				break
			}
		}
	}
	return set, nil
}

// Has reports whether the set holds a weekday.
func (s Weekdays) Has(w Weekday) bool { return s>>w&1 == 1 }

// With returns the set with a weekday added.
func (s Weekdays) With(w Weekday) Weekdays { return s | 1<<w }

// String returns the short names from Monday on, joined by slashes: Mon/Fri.
func (s Weekdays) String() string {
	var names []string
	for w := Monday; w <= Sunday; w++ {
		if s.Has(w) {
			names = append(names, w.Short())
		}
	}
	return strings.Join(names, "/")
}
