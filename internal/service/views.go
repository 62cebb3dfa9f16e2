package service

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"vastspan/core/ageing"
	"vastspan/core/book"
	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/drivers"
	"vastspan/core/query"
	"vastspan/core/span"
	"vastspan/core/table"
	"vastspan/core/tally"
	"vastspan/internal/refused"
)

// Views are briefs as of a day.
type Views struct {
	definitions *Definitions
	totals      *Totals
	ageing      *Ageing
	Clock
	// tops are the top values of items that are not to be found anew.
	tops map[string][]dataset.Label
}

// A BriefView is a brief as of a day. Records after that day are left out, planned ones excepted, so that
// the page shows what it would have shown then.
type BriefView struct {
	Brief    book.Brief
	AsOf     civil.Day
	Basis    string // how the as-of day was found, for people
	AtClose  bool
	Calendar string
	Prompts  map[string]string // what was given for each prompt
	Items    []ItemView
	library  *book.Library
	// Known is the state of the records that was asked for; empty is the newest.
	Known string
}

// An ItemView is an item with its answer, or why it has none.
type ItemView struct {
	Item   book.Item
	Err    error
	Answer *query.Answer
	Spark  *query.Answer // of a figure, by unit
	Lineup *query.Lineup
	Ageing *ageing.Answer
	// Drivers are what a change is made of; the answer is the comparison itself then.
	Drivers *drivers.View
}

// A ViewContext says as of what a brief is shown; what is not given is the brief's own.
type ViewContext struct {
	query.Context
	Prompts map[string]string
}

// View answers a brief from one state of the records and definitions.
func (s *Views) View(ctx context.Context, b *book.Brief, c ViewContext) (*BriefView, error) {
	return inState(ctx, s.totals.store, s.totals.Clock, c.Context, func(ctx context.Context) (*BriefView, error) { return s.view(ctx, b, c) })
}

func (s *Views) view(ctx context.Context, b *book.Brief, c ViewContext) (*BriefView, error) {
	l, err := s.definitions.Library(ctx)
	if err != nil {
		return nil, err
	}
	return s.viewWith(ctx, l, b, c)
}

// viewWith answers a brief with the definitions of a library.
func (s *Views) viewWith(ctx context.Context, l *book.Library, b *book.Brief, c ViewContext) (*BriefView, error) {
	if err := b.Check(); err != nil {
		return nil, refused.Wrong(err)
	}
	v := &BriefView{Brief: *b, Items: make([]ItemView, len(b.Items)), library: l, Known: c.Known}
	v.Brief.Items = slices.Clone(b.Items)
	v.Brief.Identify()
	var err error
	if v.Prompts, err = prompts(b, c.Prompts, l); err != nil {
		return nil, err
	}
	if c.AsOf == "" {
		c.AsOf = b.AsOf
	}
	if c.Calendar == "" {
		c.Calendar = b.Calendar
	}
	c.AtClose = c.AtClose || b.AtClose
	var asOf civil.AsOf
	if asOf, c.Context, v.Basis, err = s.asOf(ctx, v.library, b, c.Context); err != nil {
		return nil, err
	}
	v.AsOf, c.AsOf = asOf.Day, asOf.String()
	scope, err := v.library.Scope(asOf, c.Context)
	if err != nil {
		return nil, Refused(err)
	}
	v.Calendar, v.AtClose = scope.Calendar.Name(), c.AtClose
	for i := range v.Brief.Items {
		v.Items[i] = s.item(ctx, v.library, v.Brief.Items[i], c.Context, v.Prompts)
		if err := v.Items[i].Err; err != nil && !IsRefusal(err) {
			return nil, err
		}
	}
	return v, nil
}

// prompts returns what was given for the prompts of a brief, or their defaults.
func prompts(b *book.Brief, given map[string]string, names span.Source) (map[string]string, error) {
	filled := map[string]string{}
	for _, p := range b.Prompts {
		filled[p.Name] = p.Default
	}
	for name, text := range given {
		if _, ok := filled[name]; !ok {
			return nil, refused.Wrongf("brief %s has no prompt %s", b.Name, name)
		}
		n, err := span.ParseNamed(text, names)
		if err != nil {
			return nil, Refused(&query.Error{Pointer: "/prompts/" + name, Err: err})
		}
		filled[name] = n.String()
	}
	return filled, nil
}

// asOf finds the day or moment that a brief reads as of, and says how: latest is the earliest of the newest days of its
// datasets, so that no figure is read as of a day that its records do not reach.
func (s *Views) asOf(ctx context.Context, l *book.Library, b *book.Brief, c query.Context) (civil.AsOf, query.Context, string, error) {
	if dataset, ok := book.LatestOf(c.AsOf); ok {
		newest, has, err := newestOf(ctx, s.totals.store, dataset, "")
		if err == nil && !has {
			err = refused.Wrongf("as of latest of %s: the dataset holds no record with a day", dataset)
		}
		if err != nil {
			return civil.AsOf{}, c, "", err
		}
		asOf, c, err := s.settle(l, newest, c)
		return asOf, c, "the newest day of " + dataset, err
	}
	if c.AsOf != "" && c.AsOf != query.Latest {
		asOf, err := s.AsOf(c.AsOf, nil)
		basis := "a stated day"
		if c.AsOf == query.Today || c.AsOf == query.Now {
			basis = c.AsOf
		}
		return asOf, c, basis, err
	}
	type newest struct {
		dataset string
		asOf    civil.AsOf
		context query.Context
	}
	var found []newest
	for _, q := range datedQueries(b) {
		day, has, err := newestOf(ctx, s.totals.store, q.Dataset, q.Date)
		if err != nil && !IsRefusal(err) {
			return civil.AsOf{}, c, "", err
		}
		if err != nil || !has || slices.ContainsFunc(found, func(n newest) bool { return n.dataset == q.Dataset }) {
			continue
		}
		settled, at, err := s.settle(l, day, c)
		if err != nil {
			return civil.AsOf{}, c, "", err
		}
		found = append(found, newest{q.Dataset, settled, at})
	}
	if len(found) == 0 {
		return civil.AsOf{Clock: s.by, Day: s.Today()}, c, "today, as no dataset has records", nil
	}
	slices.SortStableFunc(found, func(a, b newest) int { return int(a.asOf.Day - b.asOf.Day) })
	basis := "the newest day of " + found[0].dataset
	if len(found) > 1 {
		basis = "the earliest of the newest days of its datasets, that of " + found[0].dataset
		if last := found[len(found)-1]; last.asOf.Day > found[0].asOf.Day {
			basis += fmt.Sprintf("; %s reaches %s", last.dataset, last.asOf.Day.Long())
		}
	}
	return found[0].asOf, found[0].context, basis, nil
}

// settle returns the day that a newest day stands for, by the service's clock.
func (s *Views) settle(l *book.Library, newest civil.AsOf, c query.Context) (civil.AsOf, query.Context, error) {
	asOf, c, err := l.Settle(civil.AsOf{Clock: s.by, Day: newest.Day, Grain: newest.Grain}, c)
	return asOf, c, Refused(err)
}

// datedQueries lists the datasets of a brief, each with the date by which it is asked.
func datedQueries(b *book.Brief) []query.Query {
	var list []query.Query
	for i := range b.Items {
		it := &b.Items[i]
		switch it.Kind {
		case book.LinesItem:
			for j := range it.Lines {
				list = append(list, it.Lines[j].Query)
			}
		case book.AgeingItem:
			list = append(list, query.Query{Dataset: it.Dataset, Date: it.Ageing.From})
		default:
			list = append(list, it.Query)
		}
	}
	return slices.DeleteFunc(list, func(q query.Query) bool { return q.Planned })
}

// sparkUnits is how many units a spark line shows.
const sparkUnits = 13

func (s *Views) item(ctx context.Context, l *book.Library, it book.Item, c query.Context, given map[string]string) ItemView {
	v := ItemView{Item: it}
	it = it.Filled(given)
	it.Context = c
	if it.Kind == book.AgeingItem {
		question := *it.Ageing
		question.Dataset, question.Context = it.Dataset, c
		v.Ageing, v.Err = s.ageing.answerWith(ctx, l, question)
		return v
	}
	if it.Kind == book.LinesItem {
		v.Lineup, v.Err = s.totals.linesWith(ctx, l, *it.LinesQuery())
		return v
	}
	if it.Kind == book.DriversItem {
		v.drivers(s.totals.driversWith(ctx, l, it.Query))
		return v
	}
	var keep *tally.Top
	if top, ok := s.tops[it.ID]; ok {
		keep = tally.NewTop(top, 0)
	}
	if v.Answer, v.Err = s.totals.totalKeeping(ctx, l, it.Query, keep); v.Err != nil || it.Spark == "" {
		return v
	}
	// The trend ends where the span does.
	if days := v.Answer.Spans[0].Intervals; !days.Empty() && !days.Open() && days.Bounds().Last() < v.Answer.AsOf {
		c.AsOf, c.AtClose = days.Bounds().Last().String(), true
	}
	v.Spark, v.Err = s.totals.totalWith(ctx, l, query.Query{
		Dataset: it.Dataset, Over: []string{fmt.Sprintf("%d %s to date", sparkUnits, it.Spark)}, Figures: it.Figures,
		Where: it.Where, Date: it.Date, Each: it.Spark, Context: c,
	})
	return v
}

// drivers shows what a change is made of, or why that is not known.
func (v *ItemView) drivers(a *drivers.Answer, err error) {
	if err == nil {
		v.Drivers, err = a.View(v.Item.Top)
	}
	if v.Err = err; err == nil {
		v.Answer = a.Compared
	}
}

// Grid returns a row for each figure of each item, unit and group, as CSV has them.
func (v *BriefView) Grid() *table.Grid {
	g := &table.Grid{
		Header: []string{
			"as_of",
			"item",
			"line",
			"span",
			"first_day",
			"last_day",
			"days",
			"covered_days",
			"unit",
			"group",
			"figure",
			"value",
			"flags",
			"error",
		},
	}
	for i := range v.Items {
		it := &v.Items[i]
		row := func(cells ...string) {
			g.Rows = append(g.Rows, append([]string{v.AsOf.String(), it.Item.Title}, cells...))
		}
		switch {
		case it.Err != nil:
			row("", "", "", "", "", "", "", "", "", "", "", it.Err.Error())
		case it.Lineup != nil:
			for j := range it.Lineup.Lines {
				l := &it.Lineup.Lines[j]
				l.Answer.Answer.Cells(func(c table.CellText) {
					row(append([]string{l.Label}, c.Texts()...)...)
				})
			}
		case it.Ageing != nil:
			days := table.DayCells(it.Ageing.OverDays)
			it.Ageing.Cells(func(c ageing.Cell) {
				row("", it.Ageing.Title(), days[0], days[1], days[2], "", c.Unit, it.Ageing.GroupText(c.Group), c.Figure, c.Value.String(), "", "")
			})
		default:
			it.Answer.Answer.Cells(func(c table.CellText) { row(append([]string{""}, c.Texts()...)...) })
		}
	}
	return g
}

// Document returns the brief as it is taken away: a sheet for each item.
func (v *BriefView) Document() *table.Document {
	d := &table.Document{Name: v.Brief.Name, Title: v.Brief.Title, Titled: true, All: v.Grid()}
	d.About = []table.Fact{{Name: "brief", Text: v.Brief.Title}, {Name: "as-of basis", Text: v.Basis}}
	d.About = append(d.About, table.AsOfFacts(v.AsOf, v.AtClose, v.Calendar)...)
	if v.Known != "" {
		d.About = append(d.About, table.Fact{Name: "known", Text: v.Known})
	}
	for _, p := range v.Brief.Prompts {
		d.About = append(d.About, table.Fact{Name: "prompt", Of: p.Name, Text: v.Prompts[p.Name]})
	}
	type titled struct {
		title string
		foot  []string
		*table.Document
	}
	var parts []titled
	d.Show = func() (list []table.Shown) {
		for _, p := range parts {
			for j, shown := range p.Readable() {
				if j == 0 {
					shown.Title = p.title
				}
				list = append(list, shown)
			}
			if n := len(list); n > 0 {
				list[n-1].Foot = p.foot
			}
		}
		return list
	}
	for i := range v.Items {
		it := &v.Items[i]
		var part *table.Document
		switch {
		case it.Err != nil:
			part = table.Plain("", &table.Grid{Header: []string{"error"}, Rows: [][]string{{it.Err.Error()}}})
		case it.Lineup != nil:
			part = it.Lineup.Document()
		case it.Ageing != nil:
			part = it.Ageing.Document()
		case it.Drivers != nil:
			part = it.Drivers.Document()
		default:
			part = it.Answer.Document()
		}
		for _, sheet := range part.Sheets() {
			title := it.Item.Title
			if len(part.Apart) > 1 {
				title += ", " + sheet.Title
			}
			d.Apart = append(d.Apart, table.Sheet{Title: title, Grid: sheet.Grid})
		}
		foot := it.foot()
		if it.Drivers != nil {
			foot = append([]string{it.Drivers.Sentence}, foot...)
		}
		parts = append(parts, titled{it.Item.Title, foot, part})
		d.About = append(d.About, table.Fact{Name: "item", Text: it.Item.Title})
		d.About = append(d.About, part.About...)
	}
	return d
}

// foot returns what is not to be missed about an item.
func (it *ItemView) foot() []string {
	var lines []string
	add := func(lead string, notes []table.Note) {
		for _, n := range table.Telling(notes) {
			lines = append(lines, lead+n.Sentence())
		}
	}
	switch {
	case it.Err != nil:
	case it.Lineup != nil:
		for i := range it.Lineup.Lines {
			add(it.Lineup.Lines[i].Label+": ", it.Lineup.Lines[i].Notes)
		}
	case it.Answer != nil:
		add("", it.Answer.Notes)
	}
	return lines
}

// A BriefTurn is an as-of day on which items of a brief change: roll over, become empty.
type BriefTurn struct {
	Day     civil.Day
	Changes []string // what happens, each once
	Items   []string // the ids of the items
}

// Turns finds the days of a run on which any item of a brief changes.
func (s *Views) Turns(ctx context.Context, b *book.Brief, from civil.Day, days int, c query.Context) ([]BriefTurn, error) {
	l, err := s.definitions.Library(ctx)
	if err != nil {
		return nil, err
	}
	if c.Calendar == "" {
		c.Calendar = b.Calendar
	}
	found := map[civil.Day]*BriefTurn{}
	for i := range b.Items {
		for _, text := range slices.Concat(b.Items[i].Expressions(), b.Items[i].FilterSpans()) {
			if strings.HasPrefix(text, "?") {
				continue
			}
			rehearsal, err := l.Rehearse(ctx, text, civil.AsOf{Day: from}, days, c)
			if err != nil {
				if IsRefusal(Refused(err)) {
					continue // the item itself says what is wrong
				}
				return nil, err
			}
			for _, turn := range rehearsal.Turns {
				if turn.Change == span.Begins {
					continue
				}
				t := found[turn.First]
				if t == nil {
					t = &BriefTurn{Day: turn.First}
					found[turn.First] = t
				}
				t.Changes = appendNew(t.Changes, string(turn.Change))
				t.Items = appendNew(t.Items, b.Items[i].ID)
			}
		}
	}
	turns := []BriefTurn{}
	for _, t := range found {
		turns = append(turns, *t)
	}
	slices.SortFunc(turns, func(a, b BriefTurn) int { return int(a.Day - b.Day) })
	return turns, nil
}

// appendNew appends a text that is not there yet.
func appendNew(list []string, text string) []string {
	if slices.Contains(list, text) {
		return list
	}
	return append(list, text)
}
