package ingest

import (
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
)

// parse reads one value of a column into its cell.
func (p *parser) parse(c *dataset.Column, s string, into *dataset.Cell) error {
	trimmed := trim(s)
	if into.Set = false; trimmed == "" || len(p.schema.Blanks) > 0 && slices.Contains(p.schema.Blanks, trimmed) {
		return nil
	}
	var err error
	switch c.Type {
	case dataset.Date:
		into.Day, err = p.date(trimmed)
	case dataset.Timestamp:
		var m civil.Moment
		m, err = p.times.read(trimmed)
		into.Moment = time.UnixMicro(int64(m)).UTC()
		into.Day = p.times.clock.DayOf(m)
	case dataset.Number:
		return p.number(trimmed, into)
	default:
		if strings.IndexByte(s, 0) >= 0 {
			return fmt.Errorf("expected text without NUL characters")
		}
		if p.schema.Trim {
			s = trimmed
		}
		into.Text = norm.NFC.String(s) // texts that look the same are the same
	}
	into.Set = err == nil
	return err
}

// date reads a date; most are in ISO 8601.
func (p *parser) date(s string) (civil.Day, error) {
	if day, err := civil.ParseDay(s); err == nil {
		return day, nil
	}
	return p.dates.read(s)
}

func (p *parser) number(s string, into *dataset.Cell) error {
	s, ok := p.numbers.plain(s)
	if !ok {
		return fmt.Errorf("expected a number such as %s", p.numbers.example())
	}
	if into.Number, into.Fixed = decimal.ParseFixed(s); !into.Fixed && !decimal.IsPlain(s) {
		return fmt.Errorf(
			"expected a number in plain digits, such as 12.50, of at most %d; with thousands separators or decimal commas, "+
				"show how numbers are written",
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
