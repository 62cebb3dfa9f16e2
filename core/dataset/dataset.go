// Package dataset says what a dataset is: its columns with their types and roles, how its dates are
// read, and the filters that can be put to it, with the one notation in which filters are written.
// It reads no files and stores nothing.
package dataset

import (
	"fmt"
	"slices"
	"strings"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/naming"
)

// Type is what the values of a column are.
type Type string

// The types of columns.
const (
	Date      Type = "date"
	Timestamp Type = "timestamp"
	Number    Type = "number"
	Text      Type = "text"
)

// plural returns the name that the values of a type go by.
func (t Type) plural() string {
	if t == Text {
		return "text"
	}
	return string(t) + "s"
}

// IsTime reports whether values of the type are on a day.
func (t Type) IsTime() bool { return t == Date || t == Timestamp }

// Role is what a column is used for.
type Role string

// The roles. Exactly one column is the day; details are kept and listed, not totalled.
const (
	DayRole  Role = "day"
	Amount   Role = "amount"
	Category Role = "category"
	Detail   Role = "detail"
)

// A Column describes one column of a dataset.
type Column struct {
	Name string `json:"name"`
	Type Type   `json:"type"`
	Role Role   `json:"role"`
	// Decimals is how many digits after the point the values of a number column are shown with: the
	// most that were seen when it was described, until another number is stated; 0 to MaxDecimals.
	Decimals int `json:"decimals,omitempty"`
	// DecimalsStated reports that Decimals were stated: quotients of the column are shown with as many.
	DecimalsStated bool `json:"decimals_stated,omitempty"`
	// Unit is what an amount is counted in: EUR, kg, passengers.
	Unit string `json:"unit,omitempty"`
	// Better says whether a higher or a lower amount is better; empty for neither.
	Better Better `json:"better,omitempty"`
	// Length is what the cells are made by, where the column is a length and not one of the records.
	Length *LengthColumn `json:"-"`
}

// MaxDecimals is the most decimals that an amount can be shown with.
const MaxDecimals = 18

// Better says which values of an amount are better.
type Better string

// The directions.
const (
	Neither Better = ""
	Higher  Better = "higher"
	Lower   Better = "lower"
)

// A Schema describes a dataset and how the dates in its files are read.
type Schema struct {
	Columns []Column `json:"columns"`
	// Zone is the IANA time zone in which an instant becomes a day, and in which a time without an
	// offset is read.
	Zone string `json:"zone"`
	// DayStarts is the time at which a day of the dataset starts, such as 04:00; empty for midnight. It matters to
	// columns of timestamps alone.
	DayStarts string `json:"day_starts,omitempty"`
	// DateOrder says how dates such as 03/04/2026 are read; empty where none may occur.
	DateOrder DateOrder `json:"date_order,omitempty"`
	// Numbers says how numbers are written, by an example: 1,234.56; empty for plain digits.
	Numbers string `json:"numbers,omitempty"`
	// Ambiguous says which moment is meant where a clock shows a time twice; empty where that is refused.
	Ambiguous Ambiguous `json:"ambiguous,omitempty"`
	// Epoch says that times are written as a number since 1970-01-01T00:00:00Z; empty where they are not.
	Epoch Epoch `json:"epoch,omitempty"`
	// Century is the first of the hundred years that two-digit years mean: with 1970, 70 is 1970 and 69 is 2069. 0 refuses them.
	Century int `json:"century,omitempty"`
	// Blanks are words of files that mean blank, such as n/a.
	Blanks []string `json:"blanks,omitempty"`
	// Trim takes blanks off both ends of texts.
	Trim bool `json:"trim,omitempty"`
	// Grain is the unit that a record stands for, such as month in a plan by months; empty for the
	// day alone.
	Grain string `json:"grain,omitempty"`
	// NoRecords says what a sum without a record means.
	NoRecords NoRecords `json:"no_records,omitempty"`
	// NewestDay says whether the newest day of records without times is complete; empty for complete.
	NewestDay NewestDay `json:"newest_day,omitempty"`
	// Expected says on which days records are expected; empty where the records show it.
	Expected string `json:"expected,omitempty"`
}

// Ambiguous says which of two moments is meant.
type Ambiguous string

// The moments at which a clock shows a time twice.
const (
	TakeEarlier Ambiguous = "earlier"
	TakeLater   Ambiguous = "later"
)

// Epoch says what times that are numbers count.
type Epoch string

// What dates and times that are numbers count: seconds or milliseconds from 1970-01-01T00:00:00Z, or days as
// spreadsheets do, where 46000 is 2025-12-09 and the fraction is the time of day.
const (
	Seconds         Epoch = "seconds"
	Milliseconds    Epoch = "milliseconds"
	SpreadsheetDays Epoch = "spreadsheet-days"
)

// CheckTimes refuses what is no way to read times.
func (s *Schema) CheckTimes() error {
	switch {
	case s.Ambiguous != "" && s.Ambiguous != TakeEarlier && s.Ambiguous != TakeLater:
		return fmt.Errorf("ambiguous %q: expected earlier or later", s.Ambiguous)
	case s.Epoch != "" && s.Epoch != Seconds && s.Epoch != Milliseconds && s.Epoch != SpreadsheetDays:
		return fmt.Errorf("epoch %q: expected seconds, milliseconds or spreadsheet-days", s.Epoch)
	case s.Century != 0 && (s.Century < 1000 || s.Century > 9900):
		return fmt.Errorf("century %d: expected the first year that two digits mean, such as 1970", s.Century)
	}
	return nil
}

// NoRecords says what it means that there is no record.
type NoRecords string

// What no record means: that the sum is not known, as of readings, or that there was nothing, as of sales.
const (
	MeansBlank NoRecords = ""
	MeansZero  NoRecords = "zero"
)

// NewestDay says whether the newest day of a dataset is complete.
type NewestDay string

// What the newest day may be.
const (
	NewestComplete NewestDay = ""
	NewestPartial  NewestDay = "partial"
)

// SetNewestDay states whether the newest day is complete or partial: still arriving.
func (s *Schema) SetNewestDay(is string) error {
	switch is {
	case "complete":
		s.NewestDay = NewestComplete
	case string(NewestPartial):
		s.NewestDay = NewestPartial
	default:
		return fmt.Errorf("newest day %q: expected complete or partial", is)
	}
	return nil
}

// SetNoRecords states what no record means: blank or zero.
func (s *Schema) SetNoRecords(means string) error {
	switch means {
	case "blank":
		s.NoRecords = MeansBlank
	case string(MeansZero):
		s.NoRecords = MeansZero
	default:
		return fmt.Errorf("no records %q: expected zero or blank", means)
	}
	return nil
}

// DateOrder is the order of day, month and year in dates that are not ISO 8601.
type DateOrder string

// The orders of dates.
const (
	Unstated     DateOrder = ""
	DayMonthYear DateOrder = "dmy"
	MonthDayYear DateOrder = "mdy"
	YearMonthDay DateOrder = "ymd"
)

// Clock returns the clock by which times become days (semantics §9).
func (s *Schema) Clock() (civil.Clock, error) { return civil.ReadClock(s.Zone, s.DayStarts) }

// SetDayStarts states the time at which a day starts, from 00:00 to 23:59; empty is midnight.
func (s *Schema) SetDayStarts(text string) error {
	c, err := civil.ReadClock("UTC", text)
	if err != nil {
		return fmt.Errorf("day starts: %w", err)
	}
	if s.DayStarts = c.DayStarts().String(); c.DayStarts() == 0 {
		s.DayStarts = ""
	}
	return nil
}

// GrainUnit returns the unit that each record stands for; false for the day alone.
func (s *Schema) GrainUnit() (calendar.Unit, bool) {
	u, ok := calendar.ParseUnit(s.Grain)
	return u, ok && u != calendar.Day
}

// SetGrain states the unit that each record stands for.
func (s *Schema) SetGrain(unit string) error {
	u, ok := calendar.ParseUnit(unit)
	if !ok || u == calendar.BusinessDay {
		return fmt.Errorf("grain %q: expected day, week, month, quarter, half or year", unit)
	}
	s.Grain = u.String()
	if u == calendar.Day {
		s.Grain = ""
	}
	return nil
}

// Day returns the position of the column that holds the day.
func (s *Schema) Day() int {
	return slices.IndexFunc(s.Columns, func(c Column) bool { return c.Role == DayRole })
}

// Index returns the position of a column; -1 where there is none of that name.
func (s *Schema) Index(name string) int {
	return slices.IndexFunc(s.Columns, func(c Column) bool { return c.Name == name })
}

// Indexes returns the positions of columns.
func (s *Schema) Indexes(names []string) []int {
	at := make([]int, len(names))
	for i, name := range names {
		at[i] = s.Index(name)
	}
	return at
}

// Find returns a column, or an error that lists those there are.
func (s *Schema) Find(name string) (*Column, error) {
	if i := s.Index(name); i >= 0 {
		return &s.Columns[i], nil
	}
	if near := naming.Nearest(name, s.Names()); near != "" {
		return nil, fmt.Errorf("there is no column %q: did you mean %s", name, near)
	}
	return nil, fmt.Errorf("there is no column %q; the columns are %s", name, strings.Join(s.Names(), ", "))
}

// Names lists the columns with any of some roles, or all where none is given.
func (s *Schema) Names(roles ...Role) []string {
	var names []string
	for _, c := range s.Columns {
		if len(roles) == 0 || slices.Contains(roles, c.Role) {
			names = append(names, c.Name)
		}
	}
	return names
}

// Number finds a column of numbers; what names what needs it.
func (s *Schema) Number(name, what string) (*Column, error) {
	c, err := s.Find(name)
	if err != nil {
		return nil, err
	}
	if c.Type != Number {
		return nil, fmt.Errorf("column %s holds %s; %s needs numbers: %s", name, c.Type.plural(), what, orNone(s.Names(Amount)))
	}
	return c, nil
}

// DateColumn returns the position of a column of dates or times; empty is the one that the records
// are kept by.
func (s *Schema) DateColumn(name string) (int, error) {
	if name == "" {
		return s.Day(), nil
	}
	c, err := s.Find(name)
	if err != nil {
		return 0, err
	}
	if !c.Type.IsTime() {
		return 0, fmt.Errorf("column %s holds %s and no days; the columns of dates are %s", name, c.Type.plural(), orNone(s.Dates()))
	}
	return s.Index(name), nil
}

// Dates lists the columns of dates and times, the one that the records are kept by first.
func (s *Schema) Dates() []string {
	names := s.Names(DayRole)
	for _, c := range s.Columns {
		if c.Role != DayRole && c.Type.IsTime() {
			names = append(names, c.Name)
		}
	}
	return names
}

// CheckCategory refuses a column that records cannot be broken down by: any of text or numbers will do, whatever its role.
func (s *Schema) CheckCategory(name string) error {
	c, err := s.Find(name)
	if err != nil {
		return err
	}
	if c.Type.IsTime() || c.Length != nil {
		return fmt.Errorf("column %s holds %s and is not a category; the categories are %s", name, c.Type.plural(), orNone(s.Names(Category)))
	}
	return nil
}

func orNone(names []string) string {
	if len(names) == 0 {
		return "there are none"
	}
	return strings.Join(names, ", ")
}
