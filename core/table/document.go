package table

import (
	"fmt"
	"slices"
	"strings"

	"vastspan/core/civil"
	"vastspan/core/decimal"
)

// A Document is what is taken away of an answer: its sheets, and what they rest on.
type Document struct {
	Name  string // of the file, without its ending
	Title string
	// Titled says that the title is above the parts.
	Titled bool
	All    *Grid   // everything as one grid, as CSV has it
	Apart  []Sheet // the same in parts that are apart; none where it is one
	Shown  []Shown // as people read it; none where they read the grid
	// Show returns what people read where it is not made yet.
	Show  func() []Shown `json:"-"`
	About []Fact
}

// Readable returns the parts of a document as people read them.
func (d *Document) Readable() []Shown {
	switch {
	case len(d.Shown) > 0:
		return d.Shown
	case d.Show != nil:
		return d.Show()
	}
	var list []Shown
	for _, sheet := range d.Sheets() {
		shown := Shown{Grid: *sheet.Grid, Right: map[int]bool{}}
		if len(d.Apart) > 1 {
			shown.Title = sheet.Title
		}
		for i := range sheet.Header {
			shown.Right[i] = sheet.numbers(i)
		}
		list = append(list, shown)
	}
	return list
}

// IsNumber reports whether a cell is a number in plain digits, and no code that begins with a zero.
func IsNumber(cell string) bool {
	digits := strings.TrimPrefix(cell, "-")
	return decimal.IsPlain(cell) && cell[0] != '+' && (len(digits) == 1 || digits[0] != '0' || digits[1] == '.')
}

// numbers reports whether all cells of a column that are not empty are numbers.
func (g *Grid) numbers(column int) bool {
	filled := false
	for _, row := range g.Rows {
		if column < len(row) && row[column] != "" {
			if filled = IsNumber(row[column]); !filled {
				return false
			}
		}
	}
	return filled && !slices.Contains(g.Labels, g.Header[column])
}

// A Sheet is a part of a document.
type Sheet struct {
	Title string
	*Grid
}

// Sheets returns the parts of a document; the whole of it where it has none.
func (d *Document) Sheets() []Sheet {
	if len(d.Apart) == 0 {
		return []Sheet{{d.Title, d.All}}
	}
	return d.Apart
}

// A Fact is something that figures rest on: the as-of day, a span with its days, a filter.
type Fact struct {
	Name string
	Of   string // what it is a fact of, such as the expression of a span; empty for the whole
	Text string
}

// Plain returns a document of one grid that rests on nothing else.
func Plain(name string, g *Grid) *Document { return &Document{Name: name, Title: name, All: g} }

// Document returns the answer as it is taken away.
func (a *Answer) Document() *Document {
	return &Document{
		Name: a.Dataset + "-total", Title: a.Dataset, All: a.Grid(), About: a.About(), Show: func() []Shown { return a.Shown(false) },
	}
}

// About returns what an answer rests on: its records, as of when, its spans with their days and what they are compared
// with, and its notes.
func (a *Answer) About() []Fact {
	facts := []Fact{{"dataset", "", a.Dataset}, {"by", "", a.Date}}
	facts = append(facts, AsOfFacts(a.AsOf, a.AtClose, a.Calendar)...)
	if a.AsOfMoment != "" {
		facts = append(facts, Fact{"as-of moment", "", a.AsOfMoment})
	}
	for i := range a.Known {
		facts = append(facts, Fact{"known", a.Known[i].Dataset, a.Known[i].Short()})
	}
	if a.Zone != "" && a.Timed() {
		facts = append(facts, Fact{"zone", "", a.Zone})
	}
	for i := range a.Spans {
		sp := &a.Spans[i]
		facts = append(facts, Fact{"span", sp.Expression, sp.Text()})
		for j := range sp.Comparisons {
			c := &sp.Comparisons[j]
			name := c.Name
			if c.Dataset != "" && c.Dataset != c.Name {
				name += " (" + c.Dataset + ")"
			}
			text := c.Text()
			if c.Cause != nil {
				text += "; not like for like: " + c.Cause.Text
			}
			facts = append(facts, Fact{"compared with", name, text})
		}
	}
	return append(facts, NoteFacts(a.Notes)...)
}

// AsOfFacts say as of when something is, and in which calendar.
func AsOfFacts(asOf civil.Day, atClose bool, calendar string) []Fact {
	text := asOf.String()
	if atClose {
		text += ", at close"
	}
	return []Fact{{"as of", "", text}, {"calendar", "", calendar}}
}

// NoteFacts say what notes say.
func NoteFacts(notes []Note) (facts []Fact) {
	for _, n := range notes {
		name := "note"
		switch {
		case n.Code == Filtered:
			name = "filter"
		case n.Level != Info:
			name = string(n.Level)
		}
		facts = append(facts, Fact{name, "", n.Text})
	}
	return facts
}

// mostRuns is how many runs of days a text names.
const mostRuns = 20

// Text writes which days or moments an extent has: 2026-09-01 to 2026-09-30, 30 days.
func (e *Extent) Text() string {
	if e.Moments != nil {
		if e.Moments.Empty() {
			return "no moments"
		}
		text := e.Moments.FormatRun(e.Moments.Bounds())
		if n := e.Moments.Len(); n > 1 {
			text += fmt.Sprintf(", %d periods", n)
		}
		return text
	}
	return daysText(e.Intervals)
}

func daysText(s civil.Set) string {
	if s.Empty() {
		return "no days"
	}
	var parts []string
	for v := range s.Intervals() {
		switch {
		case len(parts) == mostRuns:
			return strings.Join(parts, "; ") + fmt.Sprintf("; and %d more periods", s.Len()-mostRuns)
		case v.First() == v.Last():
			parts = append(parts, v.First().String())
		default:
			parts = append(parts, v.First().String()+" to "+v.Last().String())
		}
	}
	text := strings.Join(parts, "; ")
	if n := Days(s); n != nil {
		text += ", " + DayCount(*n)
	}
	return text
}
