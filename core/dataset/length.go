package dataset

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/decimal"
)

// A Length is how long it is from one date of a record to another, as a column of numbers that is found for each question:
// days from opened_on to closed_on (semantics §10).
type Length struct {
	Unit     string // as people write it: days, business days, hours
	From, To string // columns of dates or times
}

var lengthForm = regexp.MustCompile(`(?i)^\s*([a-z]+(?:[ -][a-z]+)?) from ("(?:[^"]|"")+"|.+?) to ("(?:[^"]|"")+"|.+?)\s*$`)

// ParseLength reads UNIT from COL to COL; false where a text is none. Whether there is such a unit is not looked at.
func ParseLength(text string) (Length, bool) {
	parts := lengthForm.FindStringSubmatch(text)
	if parts == nil {
		return Length{}, false
	}
	return Length{parts[1], unquoted(parts[2]), unquoted(parts[3])}, true
}

// String writes a length as ParseLength reads it.
func (l Length) String() string {
	name := func(column string) string {
		if strings.Contains(column, " to ") || strings.Contains(column, `"`) {
			return Quote(column)
		}
		return column
	}
	return l.Unit + " from " + name(l.From) + " to " + name(l.To)
}

func unquoted(text string) string {
	if name, rest, err := CutQuoted(text); text[0] == '"' && err == nil && rest == "" {
		return name
	}
	return text
}

// A LengthColumn is what the cells of a length are made by, as of a day: what is open counts up to it, what begins later or
// ends before it begins is blank.
type LengthColumn struct {
	Length
	Calendar *calendar.Calendar // whose units are counted
	// Count counts from one day, inside, to another, outside; nil for hours, which are between moments.
	Count func(from, to civil.Day) (int, error)
	// Hours counts from one moment to another.
	Hours func(from, to civil.Moment) int
	AsOf  civil.Day
	End   civil.Moment // of the as-of day
}

// Cell makes the cell of a record.
func (l *LengthColumn) Cell(from, to, into *Cell) error {
	*into = Cell{}
	if !from.Set {
		return nil
	}
	var n int
	if l.Count == nil {
		begin, end := civil.Moment(from.Micros()), l.End
		if to.Set {
			end = min(civil.Moment(to.Micros()), end)
		}
		if begin > end || begin == l.End {
			return nil
		}
		n = l.Hours(begin, end)
	} else {
		end := l.AsOf
		if to.Set {
			end = min(to.Day, end)
		}
		if from.Day > end {
			return nil
		}
		var err error
		if n, err = l.Count(from.Day, end); err != nil {
			return fmt.Errorf("%s: %w", l.Unit, err)
		}
	}
	*into = Cell{Set: true, Fixed: true, Number: decimal.Fixed{Digits: int64(n)}}
	return nil
}

// With returns the schema with columns of lengths after its own.
func (s *Schema) With(lengths []Column) *Schema {
	if len(lengths) == 0 {
		return s
	}
	more := *s
	more.Columns = slices.Concat(s.Columns, lengths)
	return &more
}
