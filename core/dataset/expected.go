package dataset

import (
	"fmt"
	"strings"

	"vastspan/core/civil"
)

// Expected says on which days records are expected (semantics §7).
type Expected struct {
	Auto         bool // the records show it
	Never        bool
	BusinessDays bool
	Days         civil.Weekdays // where not BusinessDays
	Each         string         // the column of whose values each is expected; empty for records as a whole
}

// ExpectedForms says how expectations are written.
const ExpectedForms = "every day, business days, Mon-Sat, none, or each COLUMN every day"

// ParseExpected reads an expectation: every day, business days, weekdays such as Mon-Sat or Mon/Wed, none; each COLUMN before
// any of them expects records of every value of the column. Empty leaves it to the records.
func ParseExpected(text string) (Expected, error) {
	text = strings.TrimSpace(text)
	if text == "" {
		return Expected{Auto: true}, nil
	}
	wrong := fmt.Errorf("expected %q: expected %s", text, ExpectedForms)
	if rest, ok := strings.CutPrefix(text, "each "); ok {
		rest = strings.TrimPrefix(rest, "value of ")
		column, days, ok := cutExpectedColumn(rest)
		if !ok {
			return Expected{}, wrong
		}
		e, err := parseExpectedDays(days)
		if e.Each = column; err != nil || e.Never {
			return Expected{}, wrong
		}
		return e, nil
	}
	e, err := parseExpectedDays(text)
	if err != nil {
		return Expected{}, wrong
	}
	return e, nil
}

// cutExpectedColumn takes the column off an expectation of its values.
func cutExpectedColumn(text string) (column, days string, ok bool) {
	if strings.HasPrefix(text, `"`) {
		column, days, err := CutQuoted(text)
		return column, strings.TrimSpace(days), err == nil && column != ""
	}
	for _, mark := range []string{" every ", " on "} {
		if column, days, ok := strings.Cut(text, mark); ok && column != "" {
			return column, strings.TrimSpace(strings.TrimPrefix(mark, " on") + days), true
		}
	}
	return "", "", false
}

func parseExpectedDays(text string) (Expected, error) {
	text = strings.TrimPrefix(strings.TrimPrefix(strings.ToLower(text), "every "), "on ")
	switch text {
	case "none":
		return Expected{Never: true}, nil
	case "day":
		return Expected{Days: civil.EveryWeekday}, nil
	case "business day", "business days":
		return Expected{BusinessDays: true}, nil
	}
	days, err := civil.ParseWeekdays(text)
	return Expected{Days: days}, err
}

// String writes an expectation in its canonical form.
func (e Expected) String() string {
	var text string
	switch {
	case e.Auto:
		return ""
	case e.Never:
		return "none"
	case e.BusinessDays:
		text = "business days"
	case e.Days == civil.EveryWeekday:
		text = "every day"
	default:
		text = e.Days.String()
	}
	if e.Each != "" {
		text = "each " + quotedColumn(e.Each) + " every " + strings.TrimSuffix(strings.TrimPrefix(text, "every "), "s")
	}
	return text
}

// SetExpected states on which days records are expected; automatic leaves it to the records.
func (s *Schema) SetExpected(text string) error {
	if text == "automatic" {
		s.Expected = ""
		return nil
	}
	e, err := ParseExpected(text)
	if err != nil {
		return err
	}
	if e.Each != "" {
		if err := s.CheckCategory(e.Each); err != nil {
			return err
		}
	}
	s.Expected = e.String()
	return nil
}
