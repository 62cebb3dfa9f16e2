// Package listing says what is asked for where records are listed, and how they come: wherever they are kept.
package listing

import (
	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/tally"
)

// A Record is one record as text, in the order of the schema's columns; nil is blank.
type Record struct {
	// ID is its number: the order in which records were loaded, or, of a table that is elsewhere, its place in the listing.
	ID     int64
	Day    civil.Day
	Moment civil.Moment // where the column that it is listed by holds times
	Cells  []*string
}

// A Request asks for records of some days or moments, by one of the dataset's dates; empty is its own. They go by their
// time, and by their number where that is the same.
type Request struct {
	Period      tally.Period
	Where       dataset.Filters
	Lengths     []dataset.Column // that filters are on
	Date        string
	OldestFirst bool
	Limit       int     // 0 for all
	After       *Record // the record that the page before ended with
}

// A CategoryValue is one value of a category; nil is blank.
type CategoryValue struct {
	Value   *string `json:"value"`
	Records int64   `json:"records"`
}
