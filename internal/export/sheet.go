package export

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"vastspan/core/table"
)

// A Kind is what all cells of a column hold that are not empty.
type Kind int

// The kinds.
const (
	Text Kind = iota
	Number
	Day
)

// A Column of a sheet.
type Column struct {
	Name string
	Kind Kind
	// Form is the number format in which a workbook shows the cells; empty for its own.
	Form string
}

// A Sheet is a table that comes row by row.
type Sheet struct {
	Title   string
	Head    []string // lines above it, for people
	Foot    []string // and below
	Columns []Column
	// Rows yields the rows, with a cell for each column; it may be asked several times. An error of yield ends it. A row
	// is good until the next one.
	Rows func(yield func(row []string) error) error
}

// SheetOf returns a grid as a sheet; its cells tell what its columns hold. A name that another column has gets a number.
func SheetOf(title string, g *table.Grid) Sheet {
	s := Sheet{Title: title, Columns: make([]Column, len(g.Header))}
	taken := map[string]bool{}
	for i, name := range g.Header {
		own := name
		for n := 2; taken[own]; n++ {
			own = fmt.Sprintf("%s_%d", name, n)
		}
		taken[own] = true
		s.Columns[i] = Column{Name: own, Kind: kindOf(g, i)}
	}
	s.Rows = func(yield func([]string) error) error {
		for _, row := range g.Rows {
			for len(row) < len(g.Header) {
				row = append(slices.Clip(row), "")
			}
			if err := yield(row); err != nil {
				return err
			}
		}
		return nil
	}
	return s
}

// workbookSheet returns a grid as a sheet of a workbook: its columns have titles and number formats for people.
func workbookSheet(title string, g *table.Grid) Sheet {
	s := SheetOf(title, g)
	taken := map[string]bool{}
	for i, name := range g.Header {
		c := &s.Columns[i]
		look, ok := g.Looks[name]
		if !ok {
			taken[c.Name] = true
			continue
		}
		c.Name = look.Title
		for n := 2; taken[c.Name]; n++ {
			c.Name = fmt.Sprintf("%s %d", look.Title, n)
		}
		taken[c.Name] = true
		if c.Kind == Number {
			c.Form = numberForm(g, i, look)
		}
	}
	return s
}

// mostFormDecimals is how many decimals of numbers a workbook shows at most.
const mostFormDecimals = 12

// numberForm returns the number format of a column.
func numberForm(g *table.Grid, column int, look table.Look) string {
	decimals := 0
	if look.Decimals != nil {
		decimals = *look.Decimals
	} else {
		for _, row := range g.Rows {
			if column < len(row) {
				_, fraction, _ := strings.Cut(row[column], ".")
				decimals = max(decimals, len(fraction))
			}
		}
	}
	form := "#,##0"
	if look.Percent {
		form = "0"
	}
	if decimals > 0 {
		form += "." + strings.Repeat("0", min(decimals, mostFormDecimals))
	}
	if look.Percent {
		form += "%"
	}
	return form
}

// shownSheet returns what people read as a sheet; what is to the right counts as numbers.
func shownSheet(shown *table.Shown) Sheet {
	s := SheetOf(shown.Title, &shown.Grid)
	s.Head, s.Foot = shown.Head, shown.Foot
	for i := range s.Columns {
		s.Columns[i] = Column{Name: strings.ReplaceAll(shown.Header[i], "_", " "), Kind: Text}
		if shown.Right[i] {
			s.Columns[i].Kind = Number
		}
	}
	return s
}

// kindOf returns what a column of a grid holds; one of labels holds texts.
func kindOf(g *table.Grid, column int) Kind {
	if slices.Contains(g.Labels, g.Header[column]) {
		return Text
	}
	numbers, days, filled := true, true, false
	for _, row := range g.Rows {
		if column < len(row) && row[column] != "" {
			filled = true
			numbers = numbers && table.IsNumber(row[column])
			days = days && isDay(row[column])
		}
	}
	switch {
	case filled && numbers:
		return Number
	case filled && days:
		return Day
	}
	return Text
}

func isDay(s string) bool {
	_, err := time.Parse(time.DateOnly, s)
	return err == nil
}

// names are the header of a sheet.
func (s Sheet) names() []string {
	list := make([]string, len(s.Columns))
	for i, c := range s.Columns {
		list[i] = c.Name
	}
	return list
}

// safe returns the sheet with its cells as table.SafeCell has them.
func (s Sheet) safe() Sheet {
	columns := slices.Clone(s.Columns)
	for i := range columns {
		columns[i].Name = table.SafeCell(columns[i].Name)
	}
	return Sheet{s.Title, s.Head, s.Foot, columns, func(yield func([]string) error) error {
		safe := make([]string, len(columns))
		return s.Rows(func(row []string) error {
			for i, c := range row {
				safe[i] = table.SafeCell(c)
			}
			return yield(safe)
		})
	}}
}
