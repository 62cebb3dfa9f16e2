// Package tally turns resolved stretches of days and dated records into figures. It cuts the time
// line into segments that overlap no others, so that one pass over the records serves every stretch
// at once; it compares figures and lays a span out in units of a calendar. It knows intervals, never
// expressions, and reads no records itself: a Source does.
package tally

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"vastspan/core/civil"
)

// A Kind is a way to put many amounts into one figure.
type Kind string

// The figures. Count counts records; the others look at one column, Distinct at one of any type.
const (
	Count    Kind = "count"
	Sum      Kind = "sum"
	Mean     Kind = "mean"
	Min      Kind = "min"
	Max      Kind = "max"
	Distinct Kind = "distinct" // how many different values, blanks left out
	Median   Kind = "median"   // the middle value, or midway between the two middle ones
	First    Kind = "first"    // the earliest value in time that is not blank
	Last     Kind = "last"     // the latest one
)

// Kinds lists the figures in the order in which they are shown.
var Kinds = []Kind{Count, Sum, Mean, Min, Max, Distinct, Median, First, Last}

// Whole tells whether a figure has to be made of all values at once: those of two stretches do not
// add up to that of both.
func (k Kind) Whole() bool { return k == Distinct || k == Median }

// ranks tells whether groups can be ranked by a figure.
func (k Kind) ranks() bool { return k == Count || k == Sum || k == Mean || k == Min || k == Max }

// A Figure is a kind and, for all but Count, the column it is taken of.
type Figure struct {
	Kind   Kind   `json:"kind"`
	Column string `json:"column,omitempty"`
}

// Name gives the figure's name in output: count, sum_fare.
func (f Figure) Name() string {
	if f.Kind == Count {
		return string(Count)
	}
	return string(f.Kind) + "_" + f.Column
}

// A Label is the value of a category; the zero value is blank, which is not the empty text.
type Label struct {
	Text string `json:"text"`
	Set  bool   `json:"set"`
	over over
}

// over tells of a label that stands for many values.
type over uint8

const (
	one over = iota
	rest
	all
)

var (
	// Rest stands for the values of a category that are not among the top ones.
	Rest = Label{over: rest}
	// All stands for all values of a category.
	All = Label{over: all}
)

// LabelOf gives the label of a text.
func LabelOf(text string) Label { return Label{Text: text, Set: true} }

// A Test is what a filter asks of a column.
type Test string

// The tests. Is and IsNot take one or several values, blank among them; Between takes two, both
// inside; the others take one. A blank passes none of the tests but Is and IsNot.
const (
	Is       Test = "is"
	IsNot    Test = "is-not"
	Contains Test = "contains" // of text
	AtLeast  Test = "at-least" // of numbers and days
	AtMost   Test = "at-most"
	Between  Test = "between"
)

// A Filter keeps the records whose column passes a test.
type Filter struct {
	Column string  `json:"column"`
	Test   Test    `json:"test"`
	Values []Label `json:"values"`
}

// A Request asks for figures over stretches of days.
type Request struct {
	Stretches []civil.Set
	Figures   []Figure
	By        []string // at most MaxBy category columns
	Where     []Filter
	// Date is the column that says on which day a record lies; empty is the one that the records
	// are kept by.
	Date string
	// Top keeps that many values of the first category, those that rank highest over the first
	// stretch, and puts the others together; 0 keeps all.
	Top int
}

// Ranking gives the figure that values are ranked by: the first one of a column that ranks anything,
// else the count.
func (r *Request) Ranking() (at int, ok bool) {
	count := slices.IndexFunc(r.Figures, func(f Figure) bool { return f.Kind == Count })
	for i, f := range r.Figures {
		if f.Kind != Count && f.Kind.ranks() {
			return i, true
		}
	}
	return count, count >= 0
}

// MaxBy is how many categories a request may be broken down by.
const MaxBy = 2

// A Fact is what a source knows of one segment and one group: facts of the same kind add up.
type Fact struct {
	Segment int
	Group   []Label // as many as the plan's By
	Count   int64
	Amounts []Amount // as many as the plan's Amounts
	Bags    []Bag    // as many as the plan's Bagged, or none where the source answers them whole
}

// A Whole is a source's own answer to the figures that do not add up, for one stretch and group.
type Whole struct {
	Stretch int
	Group   []Label // All in the place of a category stands for all of its values
	Values  []Value // as many as the plan's Wholes
}

// A Sink takes what a source finds.
type Sink interface {
	Fact(Fact) error
	Whole(Whole) error
}

// A Source reads records once and gives facts for the wanted segments, in any order; facts for the
// same segment and group may come more than once. Figures that do not add up it gives either as bags
// of values with its facts, or whole. Groups that a plan folds it gives folded.
type Source interface {
	Facts(ctx context.Context, p *Plan, into Sink) (Extent, error)
}

// Extent tells of the records that a source looked at, after its filter.
type Extent struct {
	Records        int64     // with a day, in a stretch or not
	Undated        int64     // left out for want of a day
	Oldest, Newest civil.Day // of the records with a day; not set where Records is 0
}

// Add takes one more record's day in.
func (e *Extent) Add(d civil.Day) { e.AddMany(1, d, d) }

// AddMany takes records in that lie on days from oldest through newest.
func (e *Extent) AddMany(records int64, oldest, newest civil.Day) {
	if records == 0 {
		return
	}
	if e.Records == 0 {
		e.Oldest, e.Newest = oldest, newest
	}
	e.Records += records
	e.Oldest, e.Newest = min(e.Oldest, oldest), max(e.Newest, newest)
}

// Merge takes another extent in.
func (e *Extent) Merge(f Extent) {
	e.Undated += f.Undated
	e.AddMany(f.Records, f.Oldest, f.Newest)
}

// GroupKey gives a text that is the same for the same labels only.
func GroupKey(labels []Label) string {
	var b strings.Builder
	for _, l := range labels {
		switch {
		case l.over == rest:
			b.WriteByte('+')
		case l.over == all:
			b.WriteByte('*')
		case !l.Set:
			b.WriteByte('-')
		default:
			fmt.Fprintf(&b, "%d:", len(l.Text))
			b.WriteString(l.Text)
		}
	}
	return b.String()
}

// compareLabel orders labels: texts, blank, the rest, all.
func compareLabel(a, b Label) int {
	rank := func(l Label) int {
		switch {
		case l.over != one:
			return 1 + int(l.over)
		case !l.Set:
			return 1
		}
		return 0
	}
	if c := rank(a) - rank(b); c != 0 {
		return c
	}
	return strings.Compare(a.Text, b.Text)
}

// IsRest tells whether a label stands for the values that are not among the top ones.
func (l Label) IsRest() bool { return l.over == rest }

// IsAll tells whether a label stands for all values of a category.
func (l Label) IsAll() bool { return l.over == all }
