package tabular

import (
	"fmt"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/cockroachdb/apd/v3"

	"vastspan/core/civil"
	"vastspan/core/tally"
)

// timeLayouts are the forms of ISO 8601 in which instants are read; those without an offset are
// read in the schema's zone.
var timeLayouts = []struct {
	layout string
	zoned  bool
}{
	{"2006-01-02T15:04:05Z07:00", true},
	{"2006-01-02 15:04:05Z07:00", true},
	{"2006-01-02T15:04Z07:00", true},
	{"2006-01-02T15:04:05", false},
	{"2006-01-02 15:04:05", false},
	{"2006-01-02T15:04", false},
	{"2006-01-02 15:04", false},
}

func parseMoment(s string, zone *time.Location) (time.Time, error) {
	for _, l := range timeLayouts {
		if t, err := time.ParseInLocation(l.layout, s, zone); err == nil {
			if t.Year() < 1 || t.Year() > 9999 {
				break
			}
			return t, nil
		}
	}
	return time.Time{}, fmt.Errorf("expected a time such as 2026-03-05T14:30 or 2026-03-05T14:30:00+01:00")
}

func looksLikeTime(s string) bool {
	_, err := parseMoment(s, time.UTC)
	return err == nil
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

func looksLikeDate(s string) bool {
	_, ok := splitDate(s)
	return ok
}

// parseDate reads ISO 8601, or a date in the stated order. One whose order is not stated is never
// guessed.
func parseDate(s string, order DateOrder) (civil.Day, error) {
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
		return 0, fmt.Errorf("the order of day and month is not stated: expected a date such as 2026-03-05, or say dmy, mdy or ymd (date order)")
	}
	if len(year) != 4 || len(month) > 2 || len(day) > 2 {
		return 0, fmt.Errorf("expected a date in the order %s with a year of four digits", order)
	}
	y, _ := strconv.Atoi(year)
	m, _ := strconv.Atoi(month)
	d, _ := strconv.Atoi(day)
	return civil.NewDay(y, m, d)
}

// maxDigits is how many digits a number may have.
const maxDigits = 60

// isPlainNumber tells whether a text is a number in plain digits: 12, -3.50.
func isPlainNumber(s string) bool {
	digits := strings.TrimPrefix(strings.TrimPrefix(s, "-"), "+")
	if len(s)-len(digits) > 1 || len(digits) > maxDigits {
		return false
	}
	whole, fraction, point := strings.Cut(digits, ".")
	return allDigits(whole) && (!point || allDigits(fraction))
}

func allDigits(s string) bool {
	for i := range len(s) {
		if s[i] < '0' || s[i] > '9' {
			return false
		}
	}
	return s != ""
}

// parse reads one value of a column. A cell is always of the same column: what its type does not use
// is never set.
func (p *parser) parse(c *Column, s string, into *Cell) error {
	trimmed := trim(s)
	if into.Set = false; trimmed == "" {
		return nil
	}
	var err error
	switch c.Type {
	case Date:
		into.Day, err = parseDate(trimmed, p.schema.DateOrder)
	case Timestamp:
		into.Moment, err = parseMoment(trimmed, p.zone)
		into.Day = civil.OfTime(into.Moment, p.zone)
	case Number:
		return p.number(trimmed, into)
	default:
		if strings.IndexByte(s, 0) >= 0 {
			return fmt.Errorf("expected text without NUL characters")
		}
		into.Text = s
	}
	into.Set = err == nil
	return err
}

func (p *parser) number(s string, into *Cell) error {
	s, ok := p.numbers.plain(s)
	if !ok {
		return fmt.Errorf("expected a number such as %s", p.numbers.example())
	}
	if into.Number, into.Fixed = tally.ParseFixed(s); !into.Fixed && !isPlainNumber(s) {
		return fmt.Errorf("expected a number in plain digits, such as 12.50, of at most %d; marks between thousands and decimal commas have to be stated (numbers)", maxDigits)
	}
	into.Text, into.Set = strings.TrimPrefix(s, "+"), true
	return nil
}

// trim takes blanks off both ends; most values have none.
func trim(s string) string {
	if n := len(s); n > 0 && s[0] > ' ' && s[n-1] > ' ' && s[0] < utf8.RuneSelf && s[n-1] < utf8.RuneSelf {
		return s
	}
	return strings.TrimSpace(s)
}

// Decimal gives the number of a cell.
func (c *Cell) Decimal() (*apd.Decimal, error) {
	if c.Fixed {
		return c.Number.Decimal(), nil
	}
	d, _, err := apd.NewFromString(c.Text)
	return d, err
}

// AddTo adds the number of a cell that is set to sums.
func (c *Cell) AddTo(s *tally.Sums) error {
	if c.Fixed {
		return s.Add(c.Number)
	}
	d, err := c.Decimal()
	if err != nil {
		return err
	}
	return s.AddDecimal(d)
}
