// Package tally turns resolved periods of days and dated records into figures. It cuts the time line
// into segments that overlap no others, so that one pass over the records serves every period at once,
// and puts the partial results of a segment together for all the periods that hold it. It knows
// intervals, never expressions, and reads no records itself: a Source does.
package tally

import (
	"cmp"
	"context"
	"fmt"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/measure"
)

// A Request asks for figures over periods of days or moments.
type Request struct {
	Periods []Period
	// Clock is the one by whose days periods of days are read next to periods of moments.
	Clock   civil.Clock
	Figures []measure.Figure
	By      []string // at most MaxBy category columns
	// Parts are the parts of time among By, nil for columns; none where all are columns.
	Parts []*TimePart
	// Lengths are columns that are no columns of the records, but may be what figures and filters are of.
	Lengths []dataset.Column
	Where   dataset.Filters
	// Date is the column that says on which day a record is; empty is the one that the records
	// are kept by.
	Date string
	// Top keeps that many values of the first category, those that rank highest over the first
	// period, and puts the others together; 0 keeps all.
	Top int
	// RankBy is the position of the figure that values are ranked by.
	RankBy int
	// RankAgainst, where it is not 0, is the position of a period: values are ranked by how far that figure over the first period is
	// from the one over this.
	RankAgainst int
	// Days asks for the oldest and the newest day of each segment and group; the periods are of days.
	Days bool
	// MinRecords hides totals of fewer records, and those by which one could be worked out; 0 hides none.
	MinRecords int64
	// Keep, where it is set, are the values that are kept instead of those that rank highest here.
	Keep *Top
}

const (
	// MaxBy is how many categories a request may be broken down by.
	MaxBy = 2
	// MaxTop is how many values of a category may be kept apart as the top ones.
	MaxTop = 1000
)

// Part returns the part of time that a category is; nil for a column.
func (r *Request) Part(category int) *TimePart {
	if category >= len(r.Parts) {
		return nil
	}
	return r.Parts[category]
}

// DateOf returns the column of the dates that a part of time is of; empty is the one that the records are kept by.
func (r *Request) DateOf(t *TimePart) string { return cmp.Or(t.Column, r.Date) }

func (r *Request) check() error {
	switch {
	case len(r.Periods) == 0:
		return fmt.Errorf("no spans are given to total over")
	case len(r.Figures) == 0:
		return fmt.Errorf("no figures are given, such as count or sum fare")
	case len(r.By) > MaxBy:
		return fmt.Errorf("%d categories are given; a total is broken down by at most %d", len(r.By), MaxBy)
	case len(r.By) == 2 && r.By[0] == r.By[1]:
		return fmt.Errorf("category %s is given twice", r.By[0])
	case r.Top < 0 || r.Top > MaxTop:
		return fmt.Errorf("top %d: expected 1 to %d", r.Top, MaxTop)
	case r.Top > 0 && len(r.By) == 0:
		return fmt.Errorf("top %d needs a category (by)", r.Top)
	case r.RankBy < 0 || r.RankBy >= len(r.Figures):
		return fmt.Errorf("values are ranked by one of the %d figures", len(r.Figures))
	}
	if e, _ := measure.Lookup(r.Figures[r.RankBy].Kind); r.RankAgainst > 0 && (len(r.Periods) <= r.RankAgainst || e.Holistic()) {
		return fmt.Errorf("values are ranked by a difference between two periods, of a figure whose partial results combine")
	}
	if r.Top > 0 && r.Part(0) != nil {
		return fmt.Errorf("top %d ranks the values of a column; %s is a part of time, which goes in its own order", r.Top, r.By[0])
	}
	for _, f := range r.Figures {
		if _, ok := measure.Lookup(f.Kind); !ok {
			return fmt.Errorf("%q is not a figure", f.Kind)
		}
	}
	return r.checkMin()
}

// A Partial is what a source knows of one segment and one group; partial results of the same segment
// and group may come more than once.
type Partial struct {
	Segment int
	Group   []dataset.Label // as many as the plan's By
	Part
}

// A Holistic is a source's own answer to the figures of which partial results do not combine, for one
// period and group.
type Holistic struct {
	Period int
	Group  []dataset.Label    // All in place of a label means every value of the category
	Values []decimal.Fraction // as many as the plan's Holistic
}

// A Collector takes what a source finds: first all partial results, of groups as the records have them, then, of a source that answers
// holistic figures itself, those answers.
type Collector interface {
	Partial(Partial) error
	// Top returns the values of the first category that are kept apart, nil for all. It ends the partial results. Groups of holistic
	// answers are to be those that Top.GroupOf returns.
	Top() (*Top, error)
	Holistic(Holistic) error
}

// A Source reads records once and returns partial results for the wanted segments, in any order. Figures that are holistic it returns
// either as multisets with its partial results, or on their own.
type Source interface {
	Partials(ctx context.Context, p *Plan, into Collector) (Found, error)
}

// Found says what a source looked at.
type Found struct {
	Coverage
	// Whole is the coverage of all records, whatever the filters; nil where they were not all looked at.
	Whole *Coverage
}

// A Coverage says which records a source looked at, after its filters.
type Coverage struct {
	Records        int64     // with a day, in a period or not
	Undated        int64     // excluded, as they have no day
	Oldest, Newest civil.Day // of the records with a day; not set where Records is 0
	// Last is the moment of the newest record, where a file of times was looked at for it.
	Last civil.Moment
}

// Add takes one more record's day in.
func (c *Coverage) Add(d civil.Day) { c.AddMany(1, d, d) }

// AddMany takes records in that are on days from oldest through newest.
func (c *Coverage) AddMany(records int64, oldest, newest civil.Day) {
	if records == 0 {
		return
	}
	if c.Records == 0 {
		c.Oldest, c.Newest = oldest, newest
	}
	c.Records += records
	c.Oldest, c.Newest = min(c.Oldest, oldest), max(c.Newest, newest)
}

// Merge takes another coverage in.
func (c *Coverage) Merge(other Coverage) {
	c.Undated, c.Last = c.Undated+other.Undated, max(c.Last, other.Last)
	c.AddMany(other.Records, other.Oldest, other.Newest)
}
