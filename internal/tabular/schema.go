// Package tabular reads tables of dated records. It finds out what the columns hold, says so before
// anything is done with it, and turns each row into typed values or into a fault that names line,
// column, value and what was expected. It stores nothing.
package tabular

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"vastspan/core/civil"
	"vastspan/core/tally"
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

// Role is what a column is used for.
type Role string

// The roles. Exactly one column is the day; details are kept and listed, not totalled.
const (
	DayRole  Role = "day"
	Amount   Role = "amount"
	Category Role = "category"
	Detail   Role = "detail"
)

// A Column describes one column of a table.
type Column struct {
	Name string `json:"name"`
	Type Type   `json:"type"`
	Role Role   `json:"role"`
	// Decimals is how many digits after the point the values of a number column are shown with: the
	// most that were seen when it was described, until another number is stated.
	Decimals int `json:"decimals,omitempty"`
	// Unit is what an amount is counted in: EUR, kg, passengers.
	Unit string `json:"unit,omitempty"`
	// Better tells whether it is good when an amount goes up, or down; empty for neither.
	Better Better `json:"better,omitempty"`
}

// Better is the direction in which an amount is good.
type Better string

// The directions.
const (
	Neither  Better = ""
	Upward   Better = "up"
	Downward Better = "down"
)

// A Schema describes a table and how its dates are to be read.
type Schema struct {
	Columns []Column `json:"columns"`
	// Zone is the IANA time zone in which an instant becomes a day, and in which a time without an
	// offset is read.
	Zone string `json:"zone"`
	// DateOrder says how dates such as 03/04/2026 are read; empty where none may occur.
	DateOrder DateOrder `json:"date_order,omitempty"`
	// Numbers says how numbers are written, by an example: 1,234.56; empty for plain digits.
	Numbers string `json:"numbers,omitempty"`
	// Covers is the unit that a record stands for, such as month in a plan by months; empty for the
	// day alone.
	Covers string `json:"covers,omitempty"`
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

// Location gives the schema's time zone.
func (s *Schema) Location() (*time.Location, error) {
	if s.Zone == "" {
		return time.UTC, nil
	}
	loc, err := time.LoadLocation(s.Zone)
	if err != nil || s.Zone == "Local" {
		return nil, fmt.Errorf("%q is not an IANA time zone: expected one such as Europe/Lisbon or UTC", s.Zone)
	}
	return loc, nil
}

// Day gives the position of the column that holds the day.
func (s *Schema) Day() int {
	return slices.IndexFunc(s.Columns, func(c Column) bool { return c.Role == DayRole })
}

// Column finds a column by its name.
func (s *Schema) Column(name string) (Column, bool) {
	i := slices.IndexFunc(s.Columns, func(c Column) bool { return c.Name == name })
	if i < 0 {
		return Column{}, false
	}
	return s.Columns[i], true
}

// AmountColumn finds a column of numbers that is an amount.
func (s *Schema) AmountColumn(name string) (*Column, error) {
	i := slices.IndexFunc(s.Columns, func(c Column) bool { return c.Name == name })
	if i < 0 {
		return nil, s.noColumn(name)
	}
	if c := &s.Columns[i]; c.Type == Number {
		return c, nil
	}
	return nil, fmt.Errorf("column %s holds %s and is no amount; the amounts are %s", name, plural(s.Columns[i].Type), orNone(s.Names(Amount)))
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

// Wishes are what the caller states about a table; the rest is inferred.
type Wishes struct {
	Date       string
	Amounts    []string
	Categories []string
	Details    []string
	Zone       string
	DateOrder  DateOrder
	Numbers    string
}

// maxColumnName is the longest name a column may have, in bytes.
const maxColumnName = 60

// maxColumns is how many columns a table may have.
const maxColumns = 1500

// checkHeader refuses a header in which columns cannot be told apart.
func checkHeader(header []string) error {
	if len(header) > maxColumns {
		return fmt.Errorf("the header names %d columns: at most %d", len(header), maxColumns)
	}
	seen := map[string]int{}
	for i, name := range header {
		switch {
		case strings.TrimSpace(name) == "":
			return fmt.Errorf("the header names no column %d: every column needs a name", i+1)
		case len(name) > maxColumnName:
			return fmt.Errorf("the name of column %d is %d bytes long: at most %d", i+1, len(name), maxColumnName)
		case strings.HasPrefix(name, "_"):
			return fmt.Errorf("column %q: names that begin with _ are kept for the service", name)
		case seen[name] > 0:
			return fmt.Errorf("the header names %q twice, as column %d and column %d", name, seen[name], i+1)
		}
		seen[name] = i + 1
	}
	return nil
}

// maxCategories is how many different values a text column of the sample may have and still be
// taken for a category.
const maxCategories = 200

// Infer describes a table from its header and a sample of its rows. What is wished is taken as
// stated; a column that cannot hold it is an error. Exactly one column of dates or times is taken
// for the day where none is stated.
func Infer(header []string, sample [][]string, w Wishes) (*Schema, error) {
	if err := checkHeader(header); err != nil {
		return nil, err
	}
	s := &Schema{Zone: w.Zone, DateOrder: w.DateOrder, Numbers: w.Numbers}
	if s.Zone == "" {
		s.Zone = "UTC"
	}
	if _, err := s.Location(); err != nil {
		return nil, err
	}
	style, err := ParseNumberStyle(w.Numbers)
	if err != nil {
		return nil, err
	}
	for i, name := range header {
		c := describe(name, i, sample, style)
		s.Columns = append(s.Columns, c)
	}
	if err := s.wish(w, sample, style); err != nil {
		return nil, err
	}
	return s, s.chooseDay(w.Date, sample)
}

// anyValue tells whether a column of the sample has a value of some kind.
func anyValue(sample [][]string, column int, is func(string) bool) bool {
	return slices.ContainsFunc(sample, func(row []string) bool {
		return column < len(row) && is(strings.TrimSpace(row[column]))
	})
}

// describe finds a column's type and its likely role from the sample.
func describe(name string, i int, sample [][]string, style NumberStyle) Column {
	c := Column{Name: name, Type: Text}
	isDate, isTime, isNumber, isWhole, filled := true, true, true, true, 0
	distinct := map[string]bool{}
	for _, row := range sample {
		if i >= len(row) {
			continue
		}
		v := strings.TrimSpace(row[i])
		if v == "" {
			continue
		}
		filled++
		distinct[v] = true
		isDate = isDate && looksLikeDate(v)
		isTime = isTime && looksLikeTime(v)
		if v, isNumber = style.reads(v, isNumber); isNumber {
			if _, fraction, ok := strings.Cut(v, "."); ok {
				c.Decimals = max(c.Decimals, len(fraction))
				isWhole = false
			}
		}
	}
	switch {
	case filled == 0:
		c.Role = Detail
	case isDate:
		c.Type, c.Role = Date, Detail
	case isTime:
		c.Type, c.Role = Timestamp, Detail
	case isNumber:
		c.Type, c.Role = Number, Amount
		if isWhole && filled > 20 && len(distinct) == filled {
			c.Role = Detail // a running number
		}
	case len(distinct) <= maxCategories && (filled < 20 || len(distinct) <= filled/2):
		c.Role = Category
	default:
		c.Role = Detail
	}
	if c.Type != Number {
		c.Decimals = 0
	}
	return c
}

// wish applies what the caller states about columns other than the day. Values that do not fit are
// left to be found row by row; a column with no fitting value at all is an error.
func (s *Schema) wish(w Wishes, sample [][]string, style NumberStyle) error {
	isNumber := func(v string) bool { _, ok := style.reads(v, true); return ok }
	set := func(names []string, role Role) error {
		for _, name := range names {
			i := slices.IndexFunc(s.Columns, func(c Column) bool { return c.Name == name })
			if i < 0 {
				return s.noColumn(name)
			}
			c := &s.Columns[i]
			if role == Amount {
				if c.Type != Number && len(sample) > 0 && !anyValue(sample, i, isNumber) {
					return fmt.Errorf("column %s holds %s, not numbers; an amount needs numbers", name, plural(c.Type))
				}
				c.Type = Number
			}
			if role == Category {
				c.Type, c.Decimals = Text, 0
			}
			c.Role = role
		}
		return nil
	}
	return errors.Join(set(w.Amounts, Amount), set(w.Categories, Category), set(w.Details, Detail))
}

func plural(t Type) string {
	if t == Text {
		return "text"
	}
	return string(t) + "s"
}

func (s *Schema) noColumn(name string) error {
	return fmt.Errorf("there is no column %q; the columns are %s", name, strings.Join(s.Names(), ", "))
}

func (s *Schema) chooseDay(wished string, sample [][]string) error {
	var candidates []int
	for i, c := range s.Columns {
		if wished == "" && (c.Type == Date || c.Type == Timestamp) || c.Name == wished && wished != "" {
			candidates = append(candidates, i)
		}
	}
	switch {
	case wished != "" && len(candidates) == 0:
		return s.noColumn(wished)
	case len(candidates) == 0:
		return fmt.Errorf("no column holds dates; state which one does (date); the columns are %s", strings.Join(s.Names(), ", "))
	case len(candidates) > 1:
		var names []string
		for _, i := range candidates {
			names = append(names, s.Columns[i].Name)
		}
		return fmt.Errorf("%d columns hold dates: state which one is the day (date): %s", len(candidates), strings.Join(names, ", "))
	}
	c := &s.Columns[candidates[0]]
	c.Role = DayRole
	if c.Type == Text && anyValue(sample, candidates[0], looksLikeTime) {
		c.Type = Timestamp
	} else if c.Type != Timestamp {
		c.Type = Date
	}
	return nil
}

// HeaderError is the error of a file whose columns are not those of its dataset.
type HeaderError struct{ Reason string }

func (e *HeaderError) Error() string { return e.Reason }

// Match finds where each column of the schema stands in a header; both must have the same columns,
// in any order.
func (s *Schema) Match(header []string) ([]int, error) {
	if err := checkHeader(header); err != nil {
		return nil, &HeaderError{err.Error()}
	}
	at := make([]int, len(s.Columns))
	for i, c := range s.Columns {
		if at[i] = slices.Index(header, c.Name); at[i] < 0 {
			return nil, &HeaderError{fmt.Sprintf("the file has no column %q, which the dataset has; the file's columns are %s", c.Name, strings.Join(header, ", "))}
		}
	}
	for _, name := range header {
		if _, ok := s.Column(name); !ok {
			return nil, &HeaderError{fmt.Sprintf("the file has a column %q, which the dataset has not; the dataset's columns are %s", name, strings.Join(s.Names(), ", "))}
		}
	}
	return at, nil
}

// A Cell is one typed value; the zero value is blank. What a cell that is not Set holds means nothing.
type Cell struct {
	Set    bool
	Text   string // text and numbers, a number in plain digits
	Fixed  bool   // the number fits into Number
	Number tally.Fixed
	Day    civil.Day // dates, and the day of a timestamp in the schema's zone
	Moment time.Time // timestamps
}
