// Package table is the answer to a query, laid out: columns that say what they hold, rows with a key
// of their own, and notes. Clients draw it and add nothing; CSV and cross-tabs are made here. It
// computes no figures.
package table

import (
	"fmt"
	"slices"
	"strings"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
)

// An Answer is what a query gives: its spans with their days, one table or a cross-tab for each span
// and figure, and notes on them.
type Answer struct {
	Dataset string    `json:"dataset"`
	Date    string    `json:"date"` // the column of the day
	AsOf    civil.Day `json:"as_of"`
	// AsOfMoment is the as-of moment where one was given, with its offset (RFC 3339). Zone and DayStarts are the clock of
	// an answer that has times.
	AsOfMoment string `json:"as_of_moment,omitempty"`
	Zone       string `json:"zone,omitempty"`
	DayStarts  string `json:"day_starts,omitempty"`
	AtClose    bool   `json:"at_close"`
	Calendar   string `json:"calendar"`
	// Records is how many records with a day pass the filters, Undated how many have none; Oldest and
	// Newest are the days of the former, absent where there are none.
	Records int64      `json:"records"`
	Undated int64      `json:"undated"`
	Oldest  *civil.Day `json:"oldest,omitempty"`
	Newest  *civil.Day `json:"newest,omitempty"`
	// Others is how many values of the first category were put together.
	Others int `json:"others,omitempty"`
	// LeftOut is how many records of the spans are after the as-of day, and are left out.
	LeftOut int64   `json:"left_out,omitempty"`
	Spans   []Span  `json:"spans"`
	Tables  []Table `json:"tables"`
	Notes   []Note  `json:"notes"`
	// Known says by which states of records the answer was made, where these are not the newest.
	Known []Known `json:"known,omitempty"`
	// Subtotals says that files have rows of subtotals and of the total, too.
	Subtotals bool `json:"subtotals,omitempty"`
	// Beside holds the other columns of a list of spans, for the rows of each.
	Beside *Beside `json:"-"`
}

// A Beside is columns of a list of spans, with a row for each span.
type Beside struct {
	Header []string
	Rows   [][]string
}

// Names are those columns; none where there is no list.
func (b *Beside) Names() []string {
	if b == nil {
		return nil
	}
	return b.Header
}

// Cells are those of a span; none where there is no list.
func (b *Beside) Cells(span int) []string {
	if b == nil {
		return nil
	}
	return b.Rows[span]
}

// A Span is one of the spans that were asked for.
type Span struct {
	Expression string `json:"expression"`
	Extent
	// CoveredDays is how many of the days records cover, by their ends and the as-of day; null where the span
	// is open on its left.
	CoveredDays *int         `json:"covered_days"`
	Comparisons []Comparison `json:"comparisons,omitempty"`
}

// An Extent is which days something is of, or which moments where it has times.
type Extent struct {
	// Intervals are the days; of moments, those that they touch.
	Intervals civil.Set `json:"intervals"`
	Days      *int      `json:"days"` // null where a side is open
	// Moments are set for what has times, and Seconds is how long they are; absent where a side is open.
	Moments *civil.Zoned `json:"moments,omitempty"`
	Seconds *int64       `json:"seconds,omitempty"`
}

// A Comparison is what a span is compared with (semantics §7).
type Comparison struct {
	// Name is what people call it: 1 year earlier, prior period, plan.
	Name    string `json:"name"`
	Dataset string `json:"dataset,omitempty"` // where it is other records
	Extent
	CoveredDays int `json:"covered_days"`
	// PerDay are the changes of counts and sums per covered day, where the sides cover different numbers of days.
	PerDay      []PerDay `json:"per_day,omitempty"`
	LikeForLike bool     `json:"like_for_like"`
	Cause       *Cause   `json:"cause,omitempty"` // why it is not like for like
}

// A PerDay is the change of a figure per covered day.
type PerDay struct {
	Figure int           `json:"figure"` // its position among those that were asked for
	Words  string        `json:"-"`
	Change decimal.Value `json:"change"` // a fraction
}

// Text writes the change for people, with the figure where several are.
func (p *PerDay) Text(named bool) string {
	text := (&Column{Role: Change}).Format(p.Change)
	if named {
		text = p.Words + " " + text
	}
	return text
}

// A Cause says why two sides are not like for like.
type Cause struct {
	Code Code   `json:"code"`
	Text string `json:"text"`
	// Aligns reports that making both sides like for like takes the cause away.
	Aligns bool `json:"aligns"`
}

// A Code names a cause or a note for programs.
type Code string

// The causes.
const (
	Lengths           Code = "lengths"             // the sides differ in length
	CutOff            Code = "cut_off"             // the as-of day cuts the span off
	CounterpartCutOff Code = "counterpart_cut_off" // the as-of day cuts the counterpart off
	RecordsBegin      Code = "records_begin"       // the records begin after the counterpart does
	RecordsEnd        Code = "records_end"         // the other records end before the span does
	NoRecords         Code = "no_records"          // there are no other records
	CutsUnit          Code = "cuts_unit"           // a unit is cut that a record stands for as a whole
	HalfDay           Code = "half_day"            // the newest day is only half there
	OtherWeeks        Code = "weeks"               // the sides are whole units of different numbers of weeks
)

// The other notes.
const (
	Filtered       Code = "filter"
	Covered        Code = "coverage"
	Excluded       Code = "excluded"
	Units          Code = "units"
	LeftOut        Code = "left_out"
	Aligned        Code = "aligned"
	Counted        Code = "counted_from" // the days that rows are counted from
	UsedVersions   Code = "definitions"
	ComparedWith   Code = "comparison"
	NotLikeForLike Code = "not_like_for_like"
	Legend         Code = "legend"
	Lengthened     Code = "lengths_of_open" // up to when the lengths of what is open are counted
	Clocks         Code = "clocks"          // two sides become days by different clocks
	EventsDiffer   Code = "events_differ"   // one side of a comparison covers more days of an event than the other
	LengthsDiffer  Code = "lengths_differ"  // the sides of a comparison cover different numbers of days
	NewOrGone      Code = "new_or_gone"     // how much of a difference is that of rows that are new or gone
	Ranked         Code = "ranked"          // by what the top values are found
	TiedAtCut      Code = "tied_at_cut"     // others come level with the last of the top values
	SignChanged    Code = "sign_changed"    // a figure and its counterpart are on both sides of zero
	MixedSigns     Code = "mixed_signs"     // shares are of values on both sides of zero
	AfterToday     Code = "after_today"     // the newest record is after today
	MissingDays    Code = "missing_days"    // expected days have no records
	UnknownValue   Code = "unknown_value"   // no record has a value of a filter
	Withheld       Code = "withheld"        // totals are hidden that are of few records, or tell of some
	AsKnown        Code = "as_known"        // the records are as they were known earlier
	Derived        Code = "derived"         // how a figure comes about that is derived of another
)

// A Note says what shaped the figures, or what to be careful with.
type Note struct {
	Code  Code   `json:"code"`
	Level Level  `json:"level"`
	Text  string `json:"text"`
	// Aligns reports that making both sides like for like takes the cause of a warning away.
	Aligns bool `json:"aligns,omitempty"`
}

// Telling returns the notes that are not to be missed where the figures are shown without all of them: cautions, warnings, where
// the records end, and sides that cover different numbers of days, or other days of an event.
func Telling(notes []Note) []Note {
	return slices.DeleteFunc(slices.Clone(notes), func(n Note) bool {
		return n.Level == Info && n.Code != RecordsEnd && n.Code != LengthsDiffer && n.Code != EventsDiffer
	})
}

// Sentence returns the note as people read it. Cautions, days without records and unknown filter values begin with "caution: ".
func (n Note) Sentence() string {
	if n.Level == Caution || n.Code == MissingDays || n.Code == UnknownValue {
		return "caution: " + n.Text
	}
	return n.Text
}

// Level says how much a note matters.
type Level string

// The levels.
const (
	Info    Level = "info"
	Caution Level = "caution"
	Warning Level = "warning"
)

// A Table is columns of figures and rows. A cross-tab is of one span and one figure.
type Table struct {
	Title  string   `json:"title,omitempty"` // of a cross-tab
	Figure string   `json:"figure,omitempty"`
	By     []string `json:"by"`             // the categories that go down
	Each   string   `json:"each,omitempty"` // the unit of the rows
	// Across is the category whose values go across.
	Across  string   `json:"across,omitempty"`
	Columns []Column `json:"columns"`
	Rows    []Row    `json:"rows"`
}

// A Column holds one figure, or what it is compared with, for every row.
type Column struct {
	// ID names the column in CSV; no two of a table are the same.
	ID    string `json:"id"`
	Title string `json:"title"`
	Role  Role   `json:"role"`
	// Figure is the position of the figure among those that were asked for.
	Figure int `json:"figure"`
	// Comparison is the name of what the figure is compared with, previous for the unit before.
	Comparison string `json:"comparison,omitempty"`
	Unit       string `json:"unit,omitempty"`
	// Decimals is how many digits after the point are shown at least, of changes and shares in per cent; absent where
	// nothing is known.
	Decimals *int `json:"decimals,omitempty"`
	// Rounded reports that no more digits than these are shown.
	Rounded bool           `json:"rounded,omitempty"`
	stated  bool           // the decimals are those that the dataset states
	Better  dataset.Better `json:"better,omitempty"`
	// Group is the value that a column of a cross-tab is of.
	Group *dataset.Label `json:"group,omitempty"`
}

// Role says what a column holds.
type Role string

// The roles of columns.
const (
	Figure      Role = "figure"
	Counterpart Role = "counterpart"
	Difference  Role = "difference"
	Change      Role = "change" // a fraction
	Share       Role = "share"  // a fraction
	Running     Role = "running"
	Rolling     Role = "rolling"
)

// A Row is the figures of a span, or of a unit of it, for one group.
type Row struct {
	Key  string `json:"key"`
	Kind Kind   `json:"kind"`
	Span int    `json:"span"` // its position
	Unit *Unit  `json:"unit,omitempty"`
	Extent
	// CoveredDays is how many of them records cover; null where the side is open on its left.
	CoveredDays *int            `json:"covered_days"`
	Group       []dataset.Label `json:"group"`
	Flags       []Flag          `json:"flags,omitempty"`
	Cells       []decimal.Value `json:"cells"`
	// CellFlags are those of single cells, where rows put spans next to each other.
	CellFlags [][]Flag `json:"cell_flags,omitempty"`
	// Comparisons are what the row is compared with, where that is not what the span is.
	Comparisons []Extent `json:"comparisons,omitempty"`
	// ComparisonsCovered is how many of those days records cover.
	ComparisonsCovered []int `json:"comparisons_covered,omitempty"`
}

// Kind says what a row is the sum of.
type Kind string

// The kinds of rows.
const (
	Group    Kind = "group"
	Subtotal Kind = "subtotal" // over some category or over the units
	Total    Kind = "total"    // over all of both
)

// A Unit is the unit of a calendar that a row is of.
type Unit struct {
	Label    string    `json:"label"`
	FirstDay civil.Day `json:"first_day"` // of the whole unit, whatever part of it lies in the span
	// Start is the moment at which an hour or a minute begins (RFC 3339); empty for units of days.
	Start string `json:"start,omitempty"`
}

// A Flag says what is special about a row.
type Flag string

// The flags.
const (
	Partial    Flag = "partial"
	InProgress Flag = "in progress"
	Future     Flag = "future"
	Incomplete Flag = "incomplete"
	Unlike     Flag = "not like-for-like"
	Tie        Flag = "tied"
	// OtherEvents says that an event's days make up more than a tenth of a side, and are not as many as on the other.
	OtherEvents Flag = "events differ"
	Hidden      Flag = "hidden" // it is of few records, or tells of some
	New         Flag = "new"    // it has no record before the days that it is compared with are over
	Gone        Flag = "gone"   // it has no record from the first day of its days on
)

// newSince is what the flag begins with of a row whose first record is inside the days that it is compared with.
const newSince = "new since "

// NewSince returns the flag of a row whose first record is on a day inside the days that it is compared with.
func NewSince(d civil.Day) Flag { return Flag(newSince + d.String()) }

// OfLifetime reports whether the flag says that the records of a row are new or gone.
func (f Flag) OfLifetime() bool {
	return f == New || f == Gone || strings.HasPrefix(string(f), newSince)
}

// kind returns the flag without what it says of its row.
func (f Flag) kind() Flag {
	if strings.HasPrefix(string(f), newSince) {
		return newSince
	}
	return f
}

// flagMeanings explains the flags, in the order in which they are reported.
var flagMeanings = []struct {
	Flag    Flag
	Meaning string
}{
	{Partial, "only a part of the unit is in the span"},
	{InProgress, "the as-of day is in the unit, and days of it are still to come"},
	{Future, "the unit begins after the as-of day"},
	{Incomplete, "the rolling window begins before the first record"},
	{Unlike, "the row is compared with days of another kind or length"},
	{OtherEvents, "an event makes up more than a tenth of the row's days, or of those it is compared with, and has other days there"},
	{New, "there is no record before the last day that the row is compared with"},
	{newSince, "the first record is inside the days that the row is compared with"},
	{Gone, "there is no record from the first day of the row on"},
	{Tie, "several records at that time have different values; of the earliest the first that was loaded counts, of the latest the last"},
	{Hidden, "it is of few records, or tells of some by its difference from others"},
}

// Key returns the key of a row: its span, the first day of its unit and its group, whatever people see
// of them. It is the same for the same row only.
func Key(span int, unit *Unit, group []dataset.Label) string {
	key := fmt.Sprintf("s%d", span)
	switch {
	case unit != nil && unit.Start != "":
		key += ".u" + unit.Start
	case unit != nil:
		key += ".u" + unit.FirstDay.String()
	}
	if len(group) > 0 {
		key += "." + dataset.GroupKey(group)
	}
	return key
}

// AgainstKey is what the keys of rows begin with that the counterpart of a span has alone, given what those of the
// span begin with.
func AgainstKey(span string) string { return span + ".against" }

// Days returns how many days a set has; nil where a side is open.
func Days(s civil.Set) *int {
	if s.Open() {
		return nil
	}
	n := s.Days()
	return &n
}

// LabelText writes a label for people. Others is how many values Other stands for, 0 where that is
// not known.
func LabelText(l dataset.Label, others int) string {
	switch {
	case l.IsAll():
		return "all"
	case l.IsOther() && others > 0:
		return fmt.Sprintf("(the other %d)", others)
	case l.IsOther():
		return "(the others)"
	case !l.Set:
		return "(blank)"
	}
	return l.Text
}

// Legends explains the flags that occur in tables.
func Legends(tables []Table) []Note {
	found := map[Flag]bool{}
	for i := range tables {
		for j := range tables[i].Rows {
			r := &tables[i].Rows[j]
			for _, flags := range append(r.CellFlags, r.Flags) {
				for _, f := range flags {
					found[f.kind()] = true
				}
			}
		}
	}
	var notes []Note
	for _, m := range flagMeanings {
		if found[m.Flag] {
			notes = append(notes, Note{Code: Legend, Level: Info, Text: strings.TrimSpace(string(m.Flag)) + ": " + m.Meaning})
		}
	}
	return notes
}
