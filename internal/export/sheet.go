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
		s.Columns[i] = Column{own, kindOf(g, i)}
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

// shownSheet returns what people read as a sheet; what stands to the right counts as numbers.
func shownSheet(shown *table.Shown) Sheet {
	s := SheetOf(shown.Title, &shown.Grid)
	s.Head, s.Foot = shown.Head, shown.Foot
	for i := range s.Columns {
		s.Columns[i] = Column{strings.ReplaceAll(shown.Header[i], "_", " "), Text}
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
