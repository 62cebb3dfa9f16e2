// Package query is the question that records are asked: one type with one notation, and its answer. It
// brings spans, calendars and partial results together; flags, addresses, span books and JSON all say
// a Query, and what a brief, a line or a receipt holds is one.
package query

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"vastspan/core/calendar"
	"vastspan/core/dataset"
	"vastspan/core/measure"
)

// A Query asks for figures over spans. Its keys in JSON, in an address, in a span book and as flags are
// the same words.
type Query struct {
	Dataset string           `json:"dataset,omitempty"          yaml:"dataset,omitempty"`
	Over    []string         `json:"over,omitempty"             yaml:"over,flow,omitempty"` // expressions
	Figures []measure.Figure `json:"figures,omitempty"          yaml:"figures,flow,omitempty"`
	By      []string         `json:"by,omitempty"               yaml:"by,flow,omitempty"`
	// Across is the one of By whose values go across, as in a cross-tab.
	Across string `json:"across,omitempty"           yaml:"across,omitempty"`
	// Top keeps that many values of the first category and puts the others together; 0 keeps all.
	Top int `json:"top,omitempty"              yaml:"top,omitempty"`
	// RankBy is the figure by which the top values are found, over the first span; empty is the first figure.
	RankBy measure.Figure  `json:"rank_by,omitzero"           yaml:"rank-by,omitempty"`
	Where  dataset.Filters `json:"where,omitempty"            yaml:"where,flow,omitempty"`
	// Date is the column of the day; empty is the one that the records are kept by.
	Date string `json:"date,omitempty"             yaml:"date,omitempty"`
	// Against are other days of the same records: prior, a move, or an expression.
	Against []string `json:"against,omitempty"          yaml:"against,flow,omitempty"`
	// AgainstDataset are other records of the same days: a plan, say.
	AgainstDataset []Other `json:"against_dataset,omitempty"  yaml:"against-dataset,flow,omitempty"`
	// LikeForLike makes both sides end at the same day: the as-of day or the newest record, whichever comes first,
	// where the span reaches past it (semantics §7).
	LikeForLike bool `json:"like_for_like,omitempty"    yaml:"like-for-like,omitempty"`
	// Each is the unit that spans are broken down into.
	Each string `json:"each,omitempty"             yaml:"each,omitempty"`
	// Align is an event, such as event easter: days are counted from its first day, and so are those that they are compared with.
	Align string `json:"align,omitempty"            yaml:"align,omitempty"`
	// Running is the unit that a running figure starts over with, or span.
	Running string `json:"running,omitempty"          yaml:"running,omitempty"`
	// Rolling is the number of units of a rolling figure.
	Rolling Window `json:"rolling,omitzero"           yaml:"rolling,omitempty"`
	// BlankIncomplete leaves a rolling figure blank whose window begins before the records do.
	BlankIncomplete bool `json:"blank_incomplete,omitempty" yaml:"blank-incomplete,omitempty"`
	// Previous compares each unit with the one before it.
	Previous bool `json:"previous,omitempty"         yaml:"previous,omitempty"`
	// Share adds to figures that add up what share they are: of their span, or of their unit.
	Share string `json:"share,omitempty"            yaml:"share,omitempty"`
	// Planned says that the records are planned: units in the future count like the others.
	Planned bool `json:"planned,omitempty"          yaml:"planned,omitempty"`
	// Subtotals adds the totals over units and over each category as rows of their own.
	Subtotals bool `json:"subtotals,omitempty"        yaml:"subtotals,omitempty"`
	Context   ` yaml:",inline"`
}

// A Context says against what expressions are read.
type Context struct {
	// AsOf is a date, a date with a time, today, now, or latest: the newest day of the dataset. Empty is today.
	AsOf    string `json:"as_of,omitempty"    yaml:"as-of,omitempty"`
	AtClose bool   `json:"at_close,omitempty" yaml:"at-close,omitempty"`
	// Calendar is civil where it is empty.
	Calendar string `json:"calendar,omitempty" yaml:"calendar,omitempty"`
	// Known is the state of the records that is asked, as ParseState reads it; empty is the newest.
	Known string `json:"known,omitempty" yaml:"known,omitempty"`
}

// The as-of days that are not dates.
const (
	Today  = "today"
	Now    = "now"
	Latest = "latest"
)

// What a share may be of.
const (
	ShareOfSpan = "span"
	ShareOfUnit = "unit"
)

// runningSpan asks for a running figure that starts over with the span alone.
const runningSpan = "span"

// Limits of one query.
const (
	maxPeriods = 40_000
	maxRows    = 200_000
	maxCells   = 1_000_000
	maxRolling = 1000
)

// A Window is how many units a rolling figure covers, written 3, or 3 months with the unit of the rows.
type Window struct {
	Units int
	unit  string // as it was written; empty where it was not
}

// ParseWindow reads a window.
func ParseWindow(text string) (Window, error) {
	count, unit, _ := strings.Cut(strings.TrimSpace(text), " ")
	n, err := strconv.Atoi(count)
	if err != nil {
		return Window{}, fmt.Errorf("%q: expected a number of units, such as 3 or 3 months", text)
	}
	return Window{n, strings.TrimSpace(unit)}, nil
}

// check refuses a window of other units than those of the rows.
func (w Window) check(each calendar.Unit) error {
	if w.unit != "" {
		if unit, ok := calendar.ParseAnyUnit(w.unit); !ok || unit != each {
			return fmt.Errorf("rolling %d %s: expected a number of the unit of the rows, such as %d %s",
				w.Units, w.unit, w.Units, each.Counted(w.Units))
		}
	}
	if w.Units < 2 || w.Units > maxRolling {
		return fmt.Errorf("rolling %d: expected 2 to %d units", w.Units, maxRolling)
	}
	return nil
}

// IsZero reports whether no window is asked for.
func (w Window) IsZero() bool { return w.Units == 0 && w.unit == "" }

// String writes the number of units.
func (w Window) String() string { return strconv.Itoa(w.Units) }

// MarshalJSON writes the number of units.
func (w Window) MarshalJSON() ([]byte, error) { return strconv.AppendInt(nil, int64(w.Units), 10), nil }

// UnmarshalJSON reads a number, or a text as ParseWindow reads it.
func (w *Window) UnmarshalJSON(data []byte) (err error) {
	*w, err = ParseWindow(strings.Trim(string(data), `"`))
	return err
}

// MarshalYAML writes the number of units.
func (w Window) MarshalYAML() (any, error) { return w.Units, nil }

// UnmarshalYAML reads a number, or a text as ParseWindow reads it.
func (w *Window) UnmarshalYAML(decode func(any) error) error {
	var text string
	if err := decode(&text); err != nil {
		return err
	}
	return w.UnmarshalText([]byte(text))
}

// UnmarshalText reads what ParseWindow reads.
func (w *Window) UnmarshalText(text []byte) (err error) {
	*w, err = ParseWindow(string(text))
	return err
}

// An Other names other records to compare with, over the same days. Its notation is the dataset, then
// COL=ITS_COL where its columns have other names, then by and the column of its day, then where and
// filters of its own: plan fare=planned_fare.
type Other struct {
	Dataset string
	Columns map[string]string // its columns that stand for those of the figures, categories and filters
	Date    string            // the column of its day; empty is the one that its records are kept by
	Where   dataset.Filters   // instead of the query's, where there are any
}

// ParseOther reads an Other.
func ParseOther(text string) (Other, error) {
	var o Other
	words, err := quotedFields(text)
	if err != nil {
		return o, err
	}
	if len(words) == 0 {
		return o, fmt.Errorf("expected a dataset, then COL=ITS_COL where its columns have other names")
	}
	o.Dataset = words[0].text
	var filters []string
	for i := 1; i < len(words); i++ {
		w := words[i]
		switch {
		case w.plain("by") && i+1 < len(words):
			i++
			o.Date = words[i].text
		case w.plain("where") && i+1 < len(words):
			i++
			filters = append(filters, words[i].raw)
		case w.key == "" || w.text == "":
			return o, fmt.Errorf("%q: expected COL=ITS_COL, such as fare=planned_fare", w.text)
		default:
			if o.Columns == nil {
				o.Columns = map[string]string{}
			}
			o.Columns[w.key] = w.text
		}
	}
	o.Where, err = dataset.ParseFilters(filters)
	return o, err
}

// String writes an Other as ParseOther reads it.
func (o Other) String() string {
	words := []string{o.Dataset}
	for _, own := range slices.Sorted(maps.Keys(o.Columns)) {
		words = append(words, quoteField(own)+"="+quoteField(o.Columns[own]))
	}
	if o.Date != "" {
		words = append(words, "by", quoteField(o.Date))
	}
	for _, text := range o.Where.Texts() {
		words = append(words, "where", dataset.Quote(text))
	}
	return strings.Join(words, " ")
}

// MarshalText writes the notation.
func (o Other) MarshalText() ([]byte, error) { return []byte(o.String()), nil }

// UnmarshalText reads the notation.
func (o *Other) UnmarshalText(text []byte) (err error) {
	*o, err = ParseOther(string(text))
	return err
}

// A field is a word of a notation, KEY=VALUE or VALUE alone, each of which may be in double quotes.
type field struct {
	key, text string
	raw       string // as it is, but for the quotes of a word without a key
	quoted    bool
}

func (f field) plain(word string) bool { return f.key == "" && !f.quoted && f.text == word }

// quotedFields takes a notation apart at its blanks.
func quotedFields(text string) ([]field, error) {
	var list []field
	for text = strings.TrimLeft(text, " \t"); text != ""; text = strings.TrimLeft(text, " \t") {
		var f field
		var err error
		whole := text
		if f.text, f.quoted, text, err = cutField(text, " \t="); err != nil {
			return nil, err
		}
		if rest, ok := strings.CutPrefix(text, "="); ok {
			f.key = f.text
			if f.text, f.quoted, text, err = cutField(rest, " \t"); err != nil {
				return nil, err
			}
		}
		if f.raw = f.text; f.key != "" {
			f.raw = whole[:len(whole)-len(text)]
		}
		list = append(list, f)
	}
	return list, nil
}

// cutField takes one word off a text: what is in double quotes, or all up to one of some characters.
func cutField(text, until string) (word string, quoted bool, rest string, err error) {
	if strings.HasPrefix(text, `"`) {
		word, rest, err = dataset.CutQuoted(text)
		return word, true, rest, err
	}
	end := strings.IndexAny(text, until)
	if end < 0 {
		end = len(text)
	}
	return text[:end], false, text[end:], nil
}

// quoteField writes a word of a notation, in double quotes where it would be misread without.
func quoteField(word string) string {
	if word == "" || word == "by" || word == "where" || strings.ContainsAny(word, " \t=\"") {
		return dataset.Quote(word)
	}
	return word
}

// An Error is the error of a query that cannot be answered. Pointer says which part of it is wrong, as
// in RFC 6901: /over/1.
type Error struct {
	Pointer string
	Err     error
}

func (e *Error) Error() string { return e.Err.Error() }

// Unwrap returns what is wrong.
func (e *Error) Unwrap() error { return e.Err }

func errorAt(err error, format string, args ...any) error {
	if err == nil {
		return nil
	}
	return &Error{fmt.Sprintf(format, args...), err}
}
