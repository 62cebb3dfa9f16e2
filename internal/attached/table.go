// Package attached totals records where they live: in tables and views of other databases, of which nothing is imported and
// nothing is changed. A dialect, one file each, says how an engine writes a few expressions; which records are wanted, into
// which segments and groups they fall and what figures come of them is said once, for all engines.
package attached

import (
	"fmt"
	"slices"

	"vastspan/core/civil"
	"vastspan/core/dataset"
)

// A Table is where the records of a dataset are.
type Table struct {
	Database string `json:"database"`
	Name     string `json:"table"` // with its schema, as in public.trips
	// Key is a column that distinguishes the records and puts those of one time into an order; empty where there is none.
	Key     string   `json:"key,omitempty"`
	Columns []Column `json:"columns"` // those of the schema, in its order
}

// A Column says how an engine keeps a column of a dataset.
type Column struct {
	Name     string `json:"name"`
	Declared string `json:"declared"` // the type that the engine gives it
	Form     Form   `json:"form"`
	Nullable bool   `json:"nullable,omitempty"`
	// Layout says how moments are written where they are kept as text: the mark between date and time, and Z behind where
	// they are of UTC.
	Layout string `json:"layout,omitempty"`
}

// A Form is a way to keep values.
type Form string

// The forms.
const (
	Day          Form = "day"
	Instant      Form = "instant"      // a moment
	Wall         Form = "wall"         // what a clock shows, in the zone of the dataset
	Stamp        Form = "stamp"        // what a clock shows in UTC, as text
	Seconds      Form = "seconds"      // since 1970-01-01T00:00:00Z
	Milliseconds Form = "milliseconds" // since 1970-01-01T00:00:00Z
	Exact        Form = "exact"        // numbers that the engine adds up without loss
	Floating     Form = "floating"     // numbers that are added up here, by their shortest digits
	Text         Form = "text"
)

// Type is the type of a column of a dataset that is kept in the form.
func (f Form) Type() dataset.Type {
	switch f {
	case Day:
		return dataset.Date
	case Instant, Wall, Stamp, Seconds, Milliseconds:
		return dataset.Timestamp
	case Exact, Floating:
		return dataset.Number
	}
	return dataset.Text
}

// column finds how a column is kept.
func (t *Table) column(name string) *Column {
	i := slices.IndexFunc(t.Columns, func(c Column) bool { return c.Name == name })
	if i < 0 {
		return nil
	}
	return &t.Columns[i]
}

// Inexact lists the columns of numbers that the engine keeps as floating point numbers.
func (t *Table) Inexact() []string {
	var names []string
	for _, c := range t.Columns {
		if c.Form == Floating {
			names = append(names, c.Name)
		}
	}
	return names
}

// Drift says in what a table differs from what it was when it was attached; nil where it does not. Columns that have been
// added are none of the dataset's.
func (t *Table) Drift(now []Column) error {
	for _, c := range t.Columns {
		i := slices.IndexFunc(now, func(n Column) bool { return n.Name == c.Name })
		if i < 0 {
			return changed("column %s of %s is gone", c.Name, t.Name)
		}
		if now[i].Declared != c.Declared {
			return changed("column %s of %s holds %s now, and held %s when it was attached", c.Name, t.Name, now[i].Declared, c.Declared)
		}
	}
	return nil
}

// cell reads a value as an engine gives it as text.
func (c *Column) cell(text string, null bool, clock civil.Clock) (dataset.Cell, error) {
	cell := dataset.Cell{Set: !null, Text: text}
	if null {
		return cell, nil
	}
	var err error
	switch c.Form {
	case Day:
		cell.Day, err = civil.ParseDay(text)
	case Instant, Wall, Stamp, Seconds, Milliseconds:
		var m civil.Moment
		if m, err = c.moment(text, clock); err == nil {
			cell.Moment, cell.Day = timeOf(m), clock.DayOf(m)
		}
	case Exact, Floating:
		cell, err = numberCell(text)
	}
	if err != nil {
		err = fmt.Errorf("column %s gave %q: %w", c.Name, text, err)
	}
	return cell, err
}
