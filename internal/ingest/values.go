package ingest

import (
	"fmt"
	"strings"
	"time"
	"unicode/utf8"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
)

// timeLayouts are the forms of ISO 8601 in which instants are read; those without an offset are
// read in the schema's zone. Seconds may have fractions, which are kept to the microsecond; what is finer is
// cut off, so that no moment moves to the next day.
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
			for _, at := range []time.Time{t, t.UTC(), t.In(zone)} {
				if at.Year() < 1 || at.Year() > 9999 {
					return t, fmt.Errorf("expected a time from 0001-01-01 to 9999-12-31; it is %s in %s", at.Format(time.RFC3339), at.Location())
				}
			}
			return t.Truncate(time.Microsecond), nil
		}
	}
	return time.Time{}, fmt.Errorf("expected a time such as 2026-03-05T14:30 or 2026-03-05T14:30:00+01:00")
}

func looksLikeTime(s string) bool {
	t, err := parseMoment(s, time.UTC)
	return err == nil || !t.IsZero() // it is one, if none that can be kept
}

// parse reads one value of a column into its cell.
func (p *parser) parse(c *dataset.Column, s string, into *dataset.Cell) error {
	trimmed := trim(s)
	if into.Set = false; trimmed == "" {
		return nil
	}
	var err error
	switch c.Type {
	case dataset.Date:
		into.Day, err = dataset.ParseDate(trimmed, p.schema.DateOrder)
	case dataset.Timestamp:
		into.Moment, err = parseMoment(trimmed, p.zone)
		into.Day = civil.OfTime(into.Moment, p.zone)
	case dataset.Number:
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

func (p *parser) number(s string, into *dataset.Cell) error {
	s, ok := p.numbers.plain(s)
	if !ok {
		return fmt.Errorf("expected a number such as %s", p.numbers.example())
	}
	if into.Number, into.Fixed = decimal.ParseFixed(s); !into.Fixed && !decimal.IsPlain(s) {
		return fmt.Errorf(
			"expected a number in plain digits, such as 12.50, of at most %d; "+
				"marks between thousands and decimal commas have to be stated (numbers)",
			decimal.MaxDigits,
		)
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
