package service

import (
	"vastspan/core/civil"
	"vastspan/core/tally"
	"vastspan/internal/tabular"
)

// A Question asks for figures over spans. Receipts keep it under these keys: they stay.
type Question struct {
	Over    []string       `json:"over"`
	Figures []tally.Figure `json:"figures"`
	By      []string       `json:"by,omitempty"`
	Top     int            `json:"top,omitempty"` // keep that many values of the first category, 0 for all
	Where   []tally.Filter `json:"where,omitempty"`
	Date    string         `json:"date,omitempty"`    // the column of the day; empty is the one that the records are kept by
	Against []string       `json:"against,omitempty"` // what to compare with: other days of the same records
	Beside  []Beside       `json:"beside,omitempty"`  // what to compare with: other records of the same days
	Even    bool           `json:"even,omitempty"`    // cut each span at the as-of day before it is moved
	Each    string         `json:"each,omitempty"`    // the unit to break down into, "" for none
	Running string         `json:"running,omitempty"` // the unit that a running figure starts over with, or span; "" for none
	Rolling int            `json:"rolling,omitempty"` // the number of units of a rolling figure, 0 for none
	// BlankIncomplete leaves a rolling figure blank whose window begins before the records do.
	BlankIncomplete bool `json:"blank_incomplete,omitempty"`
	Previous        bool `json:"previous,omitempty"` // compare each unit with the one before it
	// Share gives each figure that adds up as a share: of its span, or of its unit.
	Share   string `json:"share,omitempty"`
	Planned bool   `json:"planned,omitempty"` // the records are planned: units that are ahead count like the others
	Known   bool   `json:"known,omitempty"`   // leave records after the as-of day out, unless they are planned
	Edges   bool   `json:"edges,omitempty"`   // give the totals over units and over each category as well
	Reading `json:"reading"`
}

// What a share may be of.
const (
	ShareOfSpan = "span"
	ShareOfUnit = "unit"
)

// Beside names other records to compare with, a plan say, over the same days.
type Beside struct {
	Dataset string            `json:"dataset"`
	Columns map[string]string `json:"columns,omitempty"` // the columns that stand there for those of the figures and categories
	Date    string            `json:"date,omitempty"`
	Where   *[]tally.Filter   `json:"where,omitempty"` // their own filters; nil takes those of the question
}

// Records are some records that can be totalled.
type Records struct {
	Name   string
	Schema *tabular.Schema
	Source tally.Source
}

// A Row is the figures of a span, or of a unit of it, for one group.
type Row struct {
	Unit       *tally.Unit // nil for the span itself
	Incomplete bool        // the rolling window begins before the oldest day of the records
	// Uneven tells that a counterpart's records stand for whole units that the row cuts.
	Uneven   bool
	Group    []tally.Label
	Values   []tally.Value
	Against  [][]tally.Comparison // by what it is compared with, and figure
	Previous []tally.Comparison   // with the unit before
	Share    []tally.Value
	Running  []tally.Value
	Rolling  []tally.Value
}

// A Counterpart is what a span is compared with.
type Counterpart struct {
	Against string
	Dataset string // where it is other records
	Days    civil.Set
	Uneven  string // why the two should not stand side by side without a word, or ""
	// EvenHelps tells that cutting the span at the as-of day takes the cause away.
	EvenHelps bool
}

// A SpanTotal is the answer for one span: its total over all groups, its rows, and where they are
// asked for the totals at the edges of its table.
type SpanTotal struct {
	Resolved
	Counterparts []Counterpart
	Total        Row
	Rows         []Row
	Edges        []Row
}

// A Total is the answer to a Question.
type Total struct {
	Question Question
	Dataset  string
	Schema   *tabular.Schema
	Date     string // the column of the day
	AsOf     civil.Day
	Calendar string
	Spans    []SpanTotal
	Used     []UsedVersion
	Extent   tally.Extent
	Folded   int // how many values of the first category were put together
}
