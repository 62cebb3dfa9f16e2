package book

import (
	"fmt"
	"slices"
	"strings"

	"vastspan/core/ageing"
	"vastspan/core/civil"
	"vastspan/core/naming"
	"vastspan/core/query"
	"vastspan/core/span"
)

// A Brief is a saved page of figures, tables and charts. It reads as of its own basis, so that
// nothing in it has to be edited next month.
type Brief struct {
	Name  string `json:"name"              yaml:"name"`
	Title string `json:"title"             yaml:"title"`
	About string `json:"about,omitempty"   yaml:"about,omitempty"`
	// Context is what its items are read against; latest is the newest day of the first dataset that
	// holds any.
	query.Context `                                  yaml:",inline"`
	Prompts       []Prompt `json:"prompts,omitempty" yaml:"prompts,omitempty"`
	Items         []Item   `json:"items"             yaml:"items"`
}

// A Prompt is a span that a brief asks for when it is opened. Items name it with a question mark.
type Prompt struct {
	Name    string `json:"name"    yaml:"name"`
	Label   string `json:"label"   yaml:"label"`
	Default string `json:"default" yaml:"default"`
}

// ItemKind is what an item of a brief is.
type ItemKind string

// The kinds of items.
const (
	FigureItem ItemKind = "figure" // one figure, its counterpart and a spark line
	TableItem  ItemKind = "table"  // a list or a cross-tab
	BarsItem   ItemKind = "bars"   // one figure by unit
	AgeingItem ItemKind = "ageing" // how long records last, in bands, and their backlog
	LinesItem  ItemKind = "lines"  // several lines, lined up by the position in the year
	// DriversItem is what the change of one figure is made of; its By are the columns that are tried.
	DriversItem ItemKind = "drivers"
)

// An Item is a part of a brief: a query and how its answer is shown. Its identity is its own, whatever
// its title says.
type Item struct {
	ID          string   `json:"id,omitempty"    yaml:"id,omitempty"`
	Kind        ItemKind `json:"kind"            yaml:"kind"`
	Title       string   `json:"title"           yaml:"title"`
	Width       int      `json:"width,omitempty" yaml:"width,omitempty"` // of 12 columns, 0 for the kind's own
	query.Query ` yaml:",inline"`
	Spark       string       `json:"spark,omitempty" yaml:"spark,omitempty"` // the unit of a figure's spark line
	Lines       []query.Line `json:"lines,omitempty" yaml:"lines,omitempty"`
	// Ageing is what an item of that kind asks of the dataset.
	Ageing *ageing.Question `json:"ageing,omitempty" yaml:"ageing,omitempty"`
}

const (
	maxTitle = 400
	maxItems = 60
)

// Expressions lists every expression of an item, prompts among them.
func (it *Item) Expressions() []string {
	list := slices.Clone(it.Over)
	for _, l := range it.Lines {
		list = append(list, l.Over...)
	}
	if it.Ageing != nil && it.Ageing.Over != "" {
		list = append(list, it.Ageing.Over)
	}
	return list
}

// FilterSpans lists what may be expressions in the filters of an item.
func (it *Item) FilterSpans() []string {
	list := it.Where.Spans()
	for _, l := range it.Lines {
		list = append(list, l.Where.Spans()...)
	}
	if it.Ageing != nil {
		list = append(list, it.Ageing.Where.Spans()...)
	}
	return list
}

// Identify sets the identity of every item that has none.
func (b *Brief) Identify() {
	taken := map[string]bool{}
	for i := range b.Items {
		taken[b.Items[i].ID] = true
	}
	next := 1
	for i := range b.Items {
		for b.Items[i].ID == "" {
			if id := fmt.Sprintf("i%d", next); !taken[id] {
				b.Items[i].ID = id
				taken[id] = true
			}
			next++
		}
	}
}

// Filled returns an item with what was given instead of the prompts that it names.
func (it *Item) Filled(given map[string]string) Item {
	fill := func(list []string) []string {
		list = slices.Clone(list)
		for i, text := range list {
			if name, ok := strings.CutPrefix(text, "?"); ok {
				list[i] = given[name]
			}
		}
		return list
	}
	filled := *it
	filled.Over = fill(it.Over)
	if it.Ageing != nil {
		question := *it.Ageing
		if question.Over != "" {
			question.Over = fill([]string{question.Over})[0]
		}
		filled.Ageing = &question
	}
	filled.Lines = slices.Clone(it.Lines)
	for i := range filled.Lines {
		filled.Lines[i].Over = fill(it.Lines[i].Over)
	}
	return filled
}

// LatestOf returns the dataset whose newest day an as-of basis names: latest of crossings.
func LatestOf(asOf string) (dataset string, ok bool) {
	dataset, ok = strings.CutPrefix(asOf, query.Latest+" of ")
	return dataset, ok && naming.Check(dataset) == nil
}

// Check refuses a brief that could never be shown. That its spans, records and columns are there is
// found out when it is: one that was removed leaves the rest of the page standing.
func (b *Brief) Check() error {
	if err := naming.Check(b.Name); err != nil {
		return err
	}
	if err := checkTitle("title", b.Title); err != nil {
		return fmt.Errorf("brief %s: %w", b.Name, err)
	}
	if n := len(b.Items); n > maxItems {
		return fmt.Errorf("brief %s has %d items; at most %d", b.Name, n, maxItems)
	}
	_, ofDataset := LatestOf(b.AsOf)
	named := []string{"", query.Today, query.Now, query.Latest}
	if _, err := civil.ParseDay(b.AsOf); err != nil && !ofDataset && !slices.Contains(named, b.AsOf) {
		return fmt.Errorf("brief %s: as-of: %q: expected latest, latest of a dataset, today, now or a date", b.Name, b.AsOf)
	}
	if b.Known != "" {
		return fmt.Errorf("brief %s: known: a brief is about what is known when it is shown; ask for an earlier state when you show it", b.Name)
	}
	prompts := map[string]bool{}
	for _, p := range b.Prompts {
		if err := p.check(); err != nil {
			return fmt.Errorf("brief %s: prompt %s: %w", b.Name, p.Name, err)
		}
		if prompts[p.Name] {
			return fmt.Errorf("brief %s has two prompts %s", b.Name, p.Name)
		}
		prompts[p.Name] = true
	}
	ids := map[string]bool{}
	for i := range b.Items {
		it := &b.Items[i]
		err := it.check(prompts)
		if err == nil && it.ID != "" && ids[it.ID] {
			err = fmt.Errorf("another item has the id %s", it.ID)
		}
		if err != nil {
			return fmt.Errorf("brief %s: item %d, %s: %w", b.Name, i+1, shown(it.Title), err)
		}
		ids[it.ID] = true
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

func (p *Prompt) check() error {
	if err := naming.Check(p.Name); err != nil {
		return err
	}
	if err := checkTitle("label", p.Label); err != nil {
		return err
	}
	_, err := span.Parse(p.Default)
	return err
}

func (it *Item) check(prompts map[string]bool) error {
	if err := checkTitle("title", it.Title); err != nil {
		return err
	}
	if it.Width < 0 || it.Width > 12 {
		return fmt.Errorf("width %d: expected 1 to 12 columns", it.Width)
	}
	if it.ID != "" {
		if err := naming.Check(it.ID); err != nil {
			return err
		}
	}
	if it.Context != (query.Context{}) {
		return fmt.Errorf("an item is read against what its brief says: as-of, at-close and calendar belong to the brief")
	}
	if err := it.checkKind(); err != nil {
		return err
	}
	for _, text := range it.Expressions() {
		if name, ok := strings.CutPrefix(text, "?"); ok {
			if !prompts[name] {
				return fmt.Errorf("%s: the brief has no prompt %s", text, name)
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
	if (it.Kind == AgeingItem) != (it.Ageing != nil) {
		return fmt.Errorf("an item of kind ageing has what it asks under ageing, and no other has")
	}
	switch it.Kind {
	case AgeingItem:
		if it.Ageing.Dataset != "" || it.Ageing.Context != (query.Context{}) {
			return fmt.Errorf("the dataset belongs to the item, and as-of, at-close and calendar on the brief: leave them out of ageing")
		}
		if len(it.Over)+len(it.Figures)+len(it.By)+len(it.Where) > 0 {
			return fmt.Errorf("an item of kind ageing has its span, categories and filters under ageing")
		}
		return it.Ageing.Check()
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
	case DriversItem:
		if len(it.Against) != 1 || len(it.AgainstDataset) > 0 || it.Each != "" {
			return fmt.Errorf("drivers takes one comparison of the same records (against), such as 1 year earlier, and no unit (each)")
		}
		return one()
	case TableItem:
		if len(it.Over) == 0 || len(it.Figures) == 0 {
			return fmt.Errorf("table takes at least one span (over) and one figure (figures)")
		}
		return nil
	case LinesItem:
		if n := len(it.Lines); n < 1 || n > query.MaxLines || it.Each == "" {
			return fmt.Errorf("lines takes 1 to %d lines and each, the unit that they are lined up by", query.MaxLines)
		}
		_, err := it.LinesQuery().Queries()
		return err
	}
	return fmt.Errorf("%q is not a kind of item: expected figure, table, bars, lines, ageing or drivers", it.Kind)
}

// LinesQuery returns what an item of lines asks.
func (it *Item) LinesQuery() *query.Lines {
	return &query.Lines{Lines: slices.Clone(it.Lines), Each: it.Each, Running: it.Running, Context: it.Context}
}

// compileBriefs checks briefs, and gives their items an identity.
func compileBriefs(briefs []Brief) error {
	seen := map[string]bool{}
	for i := range briefs {
		briefs[i].Identify()
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
