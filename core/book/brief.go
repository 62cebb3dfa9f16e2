package book

import (
	"fmt"
	"slices"
	"strings"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/span"
)

// A Brief is a saved page of figures, tables and charts. It reads as of its own basis, so that
// nothing in it has to be edited next month.
type Brief struct {
	Name  string `json:"name" yaml:"name"`
	Title string `json:"title" yaml:"title"`
	About string `json:"about,omitempty" yaml:"about,omitempty"`
	// AsOf is latest, the newest day of the first item's records, today, or a fixed day.
	AsOf     string `json:"as_of,omitempty" yaml:"as-of,omitempty"`
	AtClose  bool   `json:"at_close,omitempty" yaml:"at-close,omitempty"`
	Calendar string `json:"calendar,omitempty" yaml:"calendar,omitempty"`
	Asks     []Ask  `json:"asks,omitempty" yaml:"asks,omitempty"`
	Items    []Item `json:"items" yaml:"items"`
}

// An Ask is a span that a brief asks for when it is opened. Items name it with a question mark.
type Ask struct {
	Name    string `json:"name" yaml:"name"`
	Label   string `json:"label" yaml:"label"`
	Default string `json:"default" yaml:"default"`
}

// ItemKind is what an item of a brief is.
type ItemKind string

// The kinds of items.
const (
	FigureItem ItemKind = "figure" // one figure, its counterpart and a spark line
	TableItem  ItemKind = "table"  // a list or a cross-tab
	BarsItem   ItemKind = "bars"   // one figure by unit
	LinesItem  ItemKind = "lines"  // several lines, lined up by the position in the year
)

// An Item is a part of a brief: a question about records and how its answer is shown. Filters,
// figures and other records are written as on the command line: route=Gull Rock, sum fare,
// plan fare=planned_fare.
type Item struct {
	Kind     ItemKind    `json:"kind" yaml:"kind"`
	Title    string      `json:"title" yaml:"title"`
	Width    int         `json:"width,omitempty" yaml:"width,omitempty"` // of 12 columns, 0 for the kind's own
	Dataset  string      `json:"dataset,omitempty" yaml:"dataset,omitempty"`
	Over     []string    `json:"over,omitempty" yaml:"over,flow,omitempty"`
	Figures  []string    `json:"figures,omitempty" yaml:"figures,flow,omitempty"`
	By       []string    `json:"by,omitempty" yaml:"by,flow,omitempty"`
	Across   string      `json:"across,omitempty" yaml:"across,omitempty"`
	Top      int         `json:"top,omitempty" yaml:"top,omitempty"`
	Where    []string    `json:"where,omitempty" yaml:"where,flow,omitempty"`
	Date     string      `json:"date,omitempty" yaml:"date,omitempty"`
	Against  []string    `json:"against,omitempty" yaml:"against,flow,omitempty"`
	Beside   []string    `json:"beside,omitempty" yaml:"beside,flow,omitempty"`
	Even     bool        `json:"even,omitempty" yaml:"even,omitempty"`
	Each     string      `json:"each,omitempty" yaml:"each,omitempty"`
	Running  string      `json:"running,omitempty" yaml:"running,omitempty"`
	Rolling  int         `json:"rolling,omitempty" yaml:"rolling,omitempty"`
	Previous bool        `json:"previous,omitempty" yaml:"previous,omitempty"`
	Share    string      `json:"share,omitempty" yaml:"share,omitempty"`
	Planned  bool        `json:"planned,omitempty" yaml:"planned,omitempty"`
	Spark    string      `json:"spark,omitempty" yaml:"spark,omitempty"` // the unit of a figure's spark line
	Lines    []BriefLine `json:"lines,omitempty" yaml:"lines,omitempty"`
}

// A BriefLine is one line of a chart.
type BriefLine struct {
	Label   string   `json:"label" yaml:"label"`
	Dataset string   `json:"dataset" yaml:"dataset"`
	Over    string   `json:"over" yaml:"over"`
	Figure  string   `json:"figure" yaml:"figure"`
	Where   []string `json:"where,omitempty" yaml:"where,flow,omitempty"`
	Date    string   `json:"date,omitempty" yaml:"date,omitempty"`
	Planned bool     `json:"planned,omitempty" yaml:"planned,omitempty"`
}

const (
	maxTitle = 400
	maxItems = 60
	maxLines = 20
)

// Expressions lists every expression of an item, asks among them.
func (it *Item) Expressions() []string {
	list := slices.Clone(it.Over)
	for _, l := range it.Lines {
		list = append(list, l.Over)
	}
	return list
}

// Check refuses a brief that could never be shown. That its spans, records and columns are there is
// found out when it is: one that was removed leaves the rest of the page standing.
func (b *Brief) Check() error {
	if err := calendar.CheckName(b.Name); err != nil {
		return err
	}
	if err := checkTitle("title", b.Title); err != nil {
		return fmt.Errorf("brief %s: %w", b.Name, err)
	}
	if n := len(b.Items); n > maxItems {
		return fmt.Errorf("brief %s has %d items; at most %d", b.Name, n, maxItems)
	}
	if _, err := civil.ParseDay(b.AsOf); err != nil && b.AsOf != "" && b.AsOf != "today" && b.AsOf != "latest" {
		return fmt.Errorf("brief %s: as-of: %q: expected latest, today or a date", b.Name, b.AsOf)
	}
	asks := map[string]bool{}
	for _, a := range b.Asks {
		if err := a.check(); err != nil {
			return fmt.Errorf("brief %s: ask %s: %w", b.Name, a.Name, err)
		}
		if asks[a.Name] {
			return fmt.Errorf("brief %s asks for %s twice", b.Name, a.Name)
		}
		asks[a.Name] = true
	}
	for i := range b.Items {
		if err := b.Items[i].check(asks); err != nil {
			return fmt.Errorf("brief %s: item %d, %s: %w", b.Name, i+1, shown(b.Items[i].Title), err)
		}
	}
	return nil
}

func shown(title string) string {
	if title == "" {
		return "(untitled)"
	}
	return title
}

func checkTitle(what, text string) error {
	switch {
	case strings.TrimSpace(text) == "":
		return fmt.Errorf("expected a %s", what)
	case len(text) > maxTitle:
		return fmt.Errorf("the %s is %d bytes long; at most %d", what, len(text), maxTitle)
	}
	return nil
}

func (a *Ask) check() error {
	if err := calendar.CheckName(a.Name); err != nil {
		return err
	}
	if err := checkTitle("label", a.Label); err != nil {
		return err
	}
	_, err := span.Parse(a.Default)
	return err
}

func (it *Item) check(asks map[string]bool) error {
	if err := checkTitle("title", it.Title); err != nil {
		return err
	}
	if it.Width < 0 || it.Width > 12 {
		return fmt.Errorf("width %d: expected 1 to 12 columns", it.Width)
	}
	if err := it.checkKind(); err != nil {
		return err
	}
	for _, text := range it.Expressions() {
		if name, ok := strings.CutPrefix(text, "?"); ok {
			if !asks[name] {
				return fmt.Errorf("%s: the brief asks for no %s", text, name)
			}
			continue
		}
		if _, err := span.Parse(text); err != nil {
			return fmt.Errorf("%q: %w", text, err)
		}
	}
	return nil
}

// checkKind refuses what an item of its kind cannot show.
func (it *Item) checkKind() error {
	one := func() error {
		if len(it.Over) != 1 || len(it.Figures) != 1 {
			return fmt.Errorf("%s takes one span (over) and one figure (figures)", it.Kind)
		}
		return nil
	}
	if it.Kind != LinesItem && it.Dataset == "" {
		return fmt.Errorf("expected a dataset")
	}
	switch it.Kind {
	case FigureItem:
		if len(it.By) > 0 || it.Each != "" {
			return fmt.Errorf("figure is one number: by and each belong to a table")
		}
		return one()
	case BarsItem:
		if it.Each == "" || len(it.By) > 0 {
			return fmt.Errorf("bars takes each, the unit of its bars, and no categories")
		}
		return one()
	case TableItem:
		if len(it.Over) == 0 || len(it.Figures) == 0 {
			return fmt.Errorf("table takes at least one span (over) and one figure (figures)")
		}
		return nil
	case LinesItem:
		if n := len(it.Lines); n < 1 || n > maxLines || it.Each == "" {
			return fmt.Errorf("lines takes 1 to %d lines and each, the unit that they are lined up by", maxLines)
		}
		return nil
	}
	return fmt.Errorf("%q is no kind of item: expected figure, table, bars or lines", it.Kind)
}

// compileBriefs checks briefs.
func compileBriefs(briefs []Brief) error {
	seen := map[string]bool{}
	for i := range briefs {
		err := briefs[i].Check()
		if err == nil && seen[briefs[i].Name] {
			err = fmt.Errorf("brief %s is defined twice", briefs[i].Name)
		}
		if err != nil {
			return &Fault{"briefs", i, err}
		}
		seen[briefs[i].Name] = true
	}
	return nil
}
