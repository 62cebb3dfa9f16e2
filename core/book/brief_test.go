package book

import (
	"strings"
	"testing"

	"vastspan/core/measure"
	"vastspan/core/query"
)

var (
	counted = []measure.Figure{{Kind: measure.Count}}
	summed  = []measure.Figure{{Kind: measure.Sum, Column: "x"}}
)

func sound() Brief {
	return Brief{Name: "monday", Title: "Monday", Prompts: []Prompt{{"window", "Days", "last full month"}}, Items: []Item{
		{Kind: FigureItem, Title: "one", Query: query.Query{Dataset: "d", Over: []string{"?window"}, Figures: summed}},
		{Kind: BarsItem, Title: "two", Query: query.Query{Dataset: "d", Over: []string{"this year"}, Figures: counted, Each: "month"}},
		{
			Kind:  TableItem,
			Title: "three",
			Query: query.Query{Dataset: "d", Over: []string{"@gone", "today"}, Figures: counted, By: []string{"a"}},
		},
		{
			Kind:  LinesItem,
			Title: "four",
			Query: query.Query{Each: "month"},
			Lines: []query.Line{{Label: "l", Query: query.Query{Dataset: "d", Over: []string{"this year"}, Figures: counted}}},
		},
	}}
}

func TestBriefsAreChecked(t *testing.T) {
	b := sound()
	if err := b.Check(); err != nil { // that a span is gone is found out when the page is shown
		t.Fatal(err)
	}
	for want, spoil := range map[string]func(*Brief){
		"is not a name":    func(b *Brief) { b.Name = "Monday" },
		"expected a title": func(b *Brief) { b.Title = "  " },
		"at most 400":      func(b *Brief) { b.Title = strings.Repeat("x", 401) },
		"expected latest, latest of a dataset, today, now or a date": func(b *Brief) { b.AsOf = "noon" },
		"two prompts window":                 func(b *Brief) { b.Prompts = append(b.Prompts, b.Prompts[0]) },
		"prompt window: expected a label":    func(b *Brief) { b.Prompts[0].Label = "" },
		"has 61 items":                       func(b *Brief) { b.Items = make([]Item, 61) },
		"item 1, one: figure takes one span": func(b *Brief) { b.Items[0].Over = append(b.Items[0].Over, "today") },
		"by and each belong to a table":      func(b *Brief) { b.Items[0].Each = "month" },
		"has no prompt moon":                 func(b *Brief) { b.Items[0].Over[0] = "?moon" },
		"expected a dataset":                 func(b *Brief) { b.Items[0].Dataset = "" },
		"width 13":                           func(b *Brief) { b.Items[0].Width = 13 },
		"bars takes each":                    func(b *Brief) { b.Items[1].Each = "" },
		"table takes at least":               func(b *Brief) { b.Items[2].Figures = nil },
		"lines takes 1 to 20":                func(b *Brief) { b.Items[3].Lines = nil },
		`"last month" has two meanings`:      func(b *Brief) { b.Items[3].Lines[0].Over = []string{"last month"} },
		`"pie" is not a kind of item`:        func(b *Brief) { b.Items[0].Kind = "pie" },
		"another item has the id i1":         func(b *Brief) { b.Items[0].ID, b.Items[2].ID = "i1", "i1" },
		"belong to the brief":                func(b *Brief) { b.Items[0].AsOf = "today" },
		"line l: expected a dataset":         func(b *Brief) { b.Items[3].Lines[0].Dataset = "" },
		"item 1, (untitled): expected a":     func(b *Brief) { b.Items[0].Title = "" },
	} {
		b := sound()
		spoil(&b)
		err := b.Check()
		if want == `"last month" has two meanings` {
			want = "two meanings"
		}
		if err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%v, want %s", err, want)
		}
	}
}

func TestBriefsInABook(t *testing.T) {
	text := `book: 1
briefs:
  - name: monday
    title: Monday
    items:
      - {kind: figure, title: Fares, dataset: crossings, over: [last full month], figures: [sum fare], against: [1 year earlier], spark: month}
`
	l, err := Read([]byte(text))
	if err != nil {
		t.Fatal(err)
	}
	written, err := Write(l.Book())
	if err != nil {
		t.Fatal(err)
	}
	again, err := Read(written)
	if err != nil || len(again.Book().Briefs) != 1 || again.Book().Briefs[0].Items[0].Spark != "month" {
		t.Errorf("%v: written as\n%s", err, written)
	}
	for want, spoilt := range map[string]string{
		"line 3: brief monday: item 1, Fares":       strings.Replace(text, "figures: [sum fare]", "figures: []", 1),
		"line 6: ":                                  strings.Replace(text, "kind: figure", "shape: round, kind: figure", 1),
		"line 7: brief monday is defined twice":     text + "  - {name: monday, title: Monday, items: []}\n",
		`line 3: brief monday: item 1, Fares: "mon`: strings.Replace(text, "last full month", "mon", 1),
	} {
		if _, err := Read([]byte(spoilt)); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%v, want %s", err, want)
		}
	}
}

// Items of one title are distinguished, and keep their identity when a book is written and read again.
func TestItemsHaveAnIdentity(t *testing.T) {
	b := sound()
	b.Items[1].Title, b.Items[2].ID = b.Items[0].Title, "i1"
	l, err := Compile(Book{Briefs: []Brief{b}})
	if err != nil {
		t.Fatal(err)
	}
	ids := func(l *Library) (list []string) {
		for _, it := range l.Book().Briefs[0].Items {
			list = append(list, it.ID)
		}
		return list
	}
	written, err := Write(l.Book())
	if err != nil {
		t.Fatal(err)
	}
	again, err := Read(written)
	if err != nil {
		t.Fatalf("%v\n%s", err, written)
	}
	if got := strings.Join(ids(l), " "); got != "i2 i3 i1 i4" || strings.Join(ids(again), " ") != got {
		t.Errorf("the ids are %v, then %v", ids(l), ids(again))
	}
	if it := b.Items[0].Filled(map[string]string{"window": "today"}); it.Over[0] != "today" || b.Items[0].Over[0] != "?window" {
		t.Errorf("filled it is over %v, before %v", it.Over, b.Items[0].Over)
	}
}
