package dataset

import (
	"fmt"
	"strconv"
	"strings"

	"vastspan/core/civil"
)

// ParseDate reads ISO 8601, or a date in the stated order. One whose order is not stated is never
// guessed.
func ParseDate(s string, order DateOrder) (civil.Day, error) {
	if d, err := civil.ParseDay(s); err == nil {
		return d, nil
	} else if len(s) == 10 && s[4] == '-' && s[7] == '-' && order != YearMonthDay {
		return 0, err
	}
	parts, ok := splitDate(s)
	if !ok {
		return 0, fmt.Errorf("expected a date such as 2026-03-05")
	}
	var year, month, day string
	switch order {
	case DayMonthYear:
		day, month, year = parts[0], parts[1], parts[2]
	case MonthDayYear:
		month, day, year = parts[0], parts[1], parts[2]
	case YearMonthDay:
		year, month, day = parts[0], parts[1], parts[2]
	default:
		return 0, fmt.Errorf("expected a date such as 2026-03-05, or a date order: dmy, mdy or ymd")
	}
	if len(year) != 4 || len(month) > 2 || len(day) > 2 {
		return 0, fmt.Errorf("expected a date in the order %s with a year of four digits", order)
	}
	y, _ := strconv.Atoi(year)
	m, _ := strconv.Atoi(month)
	d, _ := strconv.Atoi(day)
	return civil.NewDay(y, m, d)
}

// LooksLikeDate reports whether a text is three numbers with separators, as a date is.
func LooksLikeDate(s string) bool {
	_, ok := splitDate(s)
	return ok
}

// splitDate takes a date apart at its separators: three numbers, or none.
func splitDate(s string) (parts [3]string, ok bool) {
	sep := strings.IndexAny(s, "/.-")
	if sep < 0 {
		return parts, false
	}
	pieces := strings.Split(s, s[sep:sep+1])
	if len(pieces) != 3 {
		return parts, false
	}
	for i, p := range pieces {
		if len(p) == 0 || len(p) > 4 || strings.Trim(p, "0123456789") != "" {
			return parts, false
		}
		parts[i] = p
	}
	return parts, true
}
