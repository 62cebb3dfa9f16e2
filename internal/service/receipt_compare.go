package service

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"vastspan/core/civil"
	"vastspan/core/decimal"
	"vastspan/core/query"
	"vastspan/core/table"
	"vastspan/core/tally"
	"vastspan/internal/store"
)

// FigureState says what became of a figure.
type FigureState string

// The states.
const (
	FigureChanged FigureState = "changed"
	FigureGone    FigureState = "gone"
	FigureNew     FigureState = "new"
)

// A FigureChange is a figure that is not what it was.
type FigureChange struct {
	Cell       ReceiptCell // as it was
	Source     ReceiptSource
	Now        decimal.Value
	DaysNow    string        // where the days differ
	Difference decimal.Value // now less then
	State      FigureState
	Reasons    []Reason
}

// A Reason says what has changed a figure.
type Reason struct {
	Code string `json:"code"`
	Text string `json:"text"`
	Name string `json:"name,omitempty"` // of the definition or the dataset
}

// The codes of reasons.
const (
	definitionChanged = "definition_changed"
	definitionRemoved = "definition_removed"
	definitionAdded   = "definition_added"
	loaded            = "loaded"
	loadUndone        = "load_undone"
	lateRecords       = "late_records"
	otherRecords      = "other_records"
	sourceMoved       = "source_moved"
	unknownReason     = "unknown"
)

// A ReceiptComparison sets a receipt beside what the same query gives now.
type ReceiptComparison struct {
	Receipt  *Receipt
	Compared int // figures
	Changed  []FigureChange
	// Since is what has happened to definitions and records since, whether it changed a figure or not.
	Since   []Reason
	Missing []string // items that cannot be answered any more
}

// Compare asks the query of a receipt again, as of the same day, and lists what has changed and why.
func (s *Receipts) Compare(ctx context.Context, id int64) (*ReceiptComparison, error) {
	return inSnapshot(ctx, s.store, func(ctx context.Context) (*ReceiptComparison, error) { return s.compare(ctx, id) })
}

func (s *Receipts) compare(ctx context.Context, id int64) (*ReceiptComparison, error) {
	r, err := s.Get(ctx, id)
	if err != nil {
		return nil, err
	}
	then, err := s.renames.understood(ctx, &r.Body, r.CreatedAt)
	if err != nil {
		return nil, err
	}
	now, err := s.again(ctx, then)
	if err != nil {
		return nil, err
	}
	c := &ReceiptComparison{Receipt: r, Compared: len(then.Cells), Missing: now.Missing, Changed: pairCells(then, now)}
	definitions := changedDefinitions(then.Definitions, now.Definitions)
	for _, d := range definitions {
		c.Since = append(c.Since, d.Reason)
	}
	loads, err := s.changedLoads(ctx, r, then)
	if err != nil {
		return nil, err
	}
	for _, l := range loads {
		c.Since = append(c.Since, l.Reason)
	}
	for i := range c.Changed {
		if err := s.explain(ctx, &c.Changed[i], definitions, loads); err != nil {
			return nil, err
		}
	}
	return c, nil
}

// again answers the query of a receipt as of its day.
func (s *Receipts) again(ctx context.Context, b *ReceiptBody) (*ReceiptBody, error) {
	if b.Subject == "brief" {
		c := query.Context{AsOf: b.AsOf, AtClose: b.AtClose, Calendar: b.Calendar}
		return s.briefBody(ctx, b.Brief, ViewContext{c, b.Prompts})
	}
	return s.totalBody(ctx, *b.Query)
}

// identity returns what a figure is known by: its id, or in a body that has none what people see of it.
// Several may look alike; they are then told apart by their order.
func identity(b *ReceiptBody, c *ReceiptCell, byLook bool) string {
	if !byLook {
		return c.ID
	}
	figure := c.Figure
	for _, name := range []string{"_running", "_rolling"} {
		figure = strings.Replace(figure, name, " "+name[1:], 1)
	}
	if at := strings.Index(figure, " against "); at >= 0 {
		name := strings.TrimPrefix(figure[at+len(" against "):], "records of ")
		if name == "prior" {
			name = "prior period"
		}
		figure = figure[:at] + "_" + table.Suffix(name)
	}
	group := slices.Clone(c.Group)
	for i := range group {
		if strings.HasPrefix(group[i], "(the ") { // the rest, the other 5
			group[i] = "(the others)"
		}
	}
	return strings.Join([]string{c.Item, b.Sources[c.Source].Dataset, c.Expression, c.Unit, strings.Join(group, "\x01"), figure}, "\x00")
}

// pairCells sets the figures of two bodies beside each other and returns those that differ.
func pairCells(then, now *ReceiptBody) []FigureChange {
	byLook := then.Version == 0
	current := map[string][]*ReceiptCell{}
	for i := range now.Cells {
		key := identity(now, &now.Cells[i], byLook)
		current[key] = append(current[key], &now.Cells[i])
	}
	changed := []FigureChange{}
	matched := map[*ReceiptCell]bool{}
	for i := range then.Cells {
		cell := &then.Cells[i]
		key := identity(then, cell, byLook)
		m := FigureChange{Cell: *cell, Source: then.Sources[cell.Source], State: FigureChanged}
		if list := current[key]; len(list) == 0 {
			m.State = FigureGone
		} else {
			n := list[0]
			current[key], matched[n] = list[1:], true
			if m.Now = n.Value; !byLook {
				m.Source = joined(m.Source, now.Sources[n.Source])
			}
			// The days of what a figure is compared with were not kept without ids.
			if n.Days != cell.Days && !(byLook && strings.Contains(cell.Figure, " against ")) {
				m.DaysNow = n.Days
			} else if same(cell.Value, n.Value) {
				continue
			}
		}
		changed = append(changed, m)
	}
	for i := range now.Cells {
		// Cross-tabs had no totals in bodies without ids.
		if cell := now.Cells[i]; !matched[&now.Cells[i]] && !byLook {
			m := FigureChange{Cell: cell, Source: now.Sources[cell.Source], Now: cell.Value, State: FigureNew}
			m.Cell.Value = decimal.Value{}
			changed = append(changed, m)
		}
	}
	return changed
}

func same(a, b decimal.Value) bool { return a.Set == b.Set && a.Decimal.Cmp(&b.Decimal) == 0 }

// joined returns a source with the definitions that were used then or are used now.
func joined(then, now ReceiptSource) ReceiptSource {
	for _, d := range now.Definitions {
		if !slices.ContainsFunc(then.Definitions, func(e query.Definition) bool { return e.Kind == d.Kind && e.Name == d.Name }) {
			then.Definitions = append(slices.Clone(then.Definitions), d)
		}
	}
	return then
}

// A changedDefinition is a definition that is not at the version that it was at.
type changedDefinition struct {
	kind string
	Reason
}

func changedDefinitions(then, now []query.Definition) []changedDefinition {
	var list []changedDefinition
	add := func(d query.Definition, code, format string, args ...any) {
		text := fmt.Sprintf("%s %s "+format, append([]any{d.Kind, d.Name}, args...)...)
		list = append(list, changedDefinition{d.Kind, Reason{code, text, d.Name}})
	}
	find := func(in []query.Definition, d query.Definition) int {
		return slices.IndexFunc(in, func(e query.Definition) bool { return e.Kind == d.Kind && e.Name == d.Name })
	}
	for _, d := range then {
		switch i := find(now, d); {
		case i < 0:
			add(d, definitionRemoved, "was removed or is not used any more")
		case now[i].Version != d.Version:
			add(d, definitionChanged, "was changed: version %d then, %d now", d.Version, now[i].Version)
		}
	}
	for _, d := range now {
		if find(then, d) < 0 {
			add(d, definitionAdded, "is used now and was not")
		}
	}
	return list
}

// A changedLoad is a load that was made or undone since a receipt was created.
type changedLoad struct {
	dataset        *store.Dataset
	load           store.Load
	undone, moved  bool
	oldest, newest *civil.Day
	Reason
}

// loadsLookedAt is how many of the newest loads of a dataset are looked at.
const loadsLookedAt = 100_000

func (s *Receipts) changedLoads(ctx context.Context, r *Receipt, body *ReceiptBody) ([]changedLoad, error) {
	var list []changedLoad
	for _, then := range body.Loads {
		d, err := s.store.Dataset(ctx, then.Dataset)
		if err != nil {
			if IsRefusal(err) {
				continue // the dataset was removed: the items say so
			}
			return nil, err
		}
		if d.Attached != nil {
			c, err := s.moved(ctx, d, then.Elsewhere)
			if err != nil {
				return nil, err
			}
			list = append(list, c)
			continue
		}
		loads, err := s.store.Loads(ctx, d, 0, loadsLookedAt)
		if err != nil {
			return nil, err
		}
		for _, l := range loads {
			c := changedLoad{dataset: d, load: l, oldest: dayOrNil(l.Oldest), newest: dayOrNil(l.Newest)}
			days := ""
			if c.oldest != nil {
				days = fmt.Sprintf(", %s to %s", c.oldest, c.newest)
			}
			switch {
			case l.ID > then.Newest && l.UndoneAt == nil:
				c.Reason = Reason{
					loaded,
					fmt.Sprintf("load %d of %s was made since: %s, %s%s", l.ID, d.Name, l.File, counted(l.Records, "record"), days),
					d.Name,
				}
			case l.ID <= then.Newest && l.UndoneAt != nil && l.UndoneAt.After(r.CreatedAt):
				c.undone = true
				c.Reason = Reason{
					loadUndone,
					fmt.Sprintf("load %d of %s was undone since: %s, %s%s", l.ID, d.Name, l.File, counted(l.Records, "record"), days),
					d.Name,
				}
			default:
				continue
			}
			list = append(list, c)
		}
	}
	return list, nil
}

// moved says what the source of an attached table told then, and what it tells now.
func (s *Receipts) moved(ctx context.Context, d *store.Dataset, then *ReceiptElsewhere) (changedLoad, error) {
	c := changedLoad{dataset: d, moved: true, Reason: Reason{Code: sourceMoved, Name: d.Name}}
	where := fmt.Sprintf("%s is table %s of database %s, which may move", d.Name, d.Attached.Name, d.Attached.Database)
	state, err := s.store.State(ctx, d)
	switch {
	case err != nil && !IsRefusal(err):
		return c, err
	case err != nil:
		c.Text = where + "; it does not answer now"
	case then == nil:
		c.Text = where + "; its records were kept here then"
	case state.Records == then.Records && state.Newest == then.Newest:
		c.Text = fmt.Sprintf("%s: as then it holds %s, the newest of %s; they may have been changed", where,
			counted(state.Records, "record"), state.Newest)
	default:
		c.Text = fmt.Sprintf("%s: it held %s then, the newest of %s; it holds %s now, the newest of %s", where,
			counted(then.Records, "record"), then.Newest, counted(state.Records, "record"), state.Newest)
	}
	return c, nil
}

// explain finds what has changed a figure: only what it depends on can have.
func (s *Receipts) explain(ctx context.Context, m *FigureChange, definitions []changedDefinition, loads []changedLoad) error {
	var err error
	if m.State == FigureChanged {
		if m.Difference, err = m.Now.Minus(m.Cell.Value); err != nil {
			return err
		}
	}
	for _, d := range definitions {
		if slices.ContainsFunc(m.Source.Definitions, func(e query.Definition) bool { return e.Kind == d.kind && e.Name == d.Name }) {
			m.Reasons = append(m.Reasons, d.Reason)
		}
	}
	period, err := parsePeriod(m.Cell.Days)
	if err != nil {
		return err
	}
	if m.Source.Since {
		period = period.Since()
	}
	if m.DaysNow != "" || m.State != FigureChanged && len(m.Reasons) > 0 {
		loads = nil // the days themselves are others
	}
	for _, l := range loads {
		if l.moved && l.dataset.Name == m.Source.Dataset {
			m.Reasons = append(m.Reasons, Reason{sourceMoved, fmt.Sprintf("table %s of database %s has moved", l.dataset.Attached.Name,
				l.dataset.Attached.Database), l.Name})
		}
		if l.dataset.Name != m.Source.Dataset || l.oldest == nil ||
			period.Near(civil.Through(*l.oldest, *l.newest)).Empty() {
			continue
		}
		if l.undone {
			m.Reasons = append(m.Reasons, l.Reason)
			continue
		}
		counts, err := s.store.RecordsByLoad(ctx, l.dataset, m.Source.Date, period, l.load.ID-1)
		if err != nil {
			return err
		}
		if n := counts[l.load.ID]; n > 0 {
			text := fmt.Sprintf("%s of these days in load %d of %s, %s", counted(n, "late record"), l.load.ID, l.dataset.Name, l.load.File)
			m.Reasons = append(m.Reasons, Reason{lateRecords, text, l.dataset.Name})
		}
	}
	switch {
	case len(m.Reasons) > 0:
	case m.Source.Ranked:
		m.Reasons = append(m.Reasons, Reason{otherRecords, "other records have changed which values are the top ones", m.Source.Dataset})
	default:
		m.Reasons = append(m.Reasons, Reason{unknownReason, "nothing that the figure depends on is known to have changed", ""})
	}
	return nil
}

// parsePeriod reads what daysText writes.
func parsePeriod(text string) (tally.Period, error) {
	if !strings.Contains(text, "T") {
		days, err := civil.ParseSet(text)
		return tally.OfDays(days), err
	}
	moments, err := civil.ParseMoments(text)
	return tally.OfMoments(civil.UTC, moments), err
}

func counted(n int64, what string) string {
	if n != 1 {
		what += "s"
	}
	return fmt.Sprintf("%d %s", n, what)
}

// Grid returns the figures that have changed, as CSV has them.
func (c *ReceiptComparison) Grid() *table.Grid {
	g := &table.Grid{Header: []string{"item", "span", "unit", "group", "figure", "then", "now", "difference", "state", "reasons"}}
	for i := range c.Changed {
		m := &c.Changed[i]
		var reasons []string
		for _, r := range m.Reasons {
			reasons = append(reasons, r.Text)
		}
		g.Rows = append(
			g.Rows,
			[]string{
				m.Cell.Item,
				m.Cell.Expression,
				m.Cell.Unit,
				strings.Join(m.Cell.Group, "; "),
				m.Cell.Figure,
				m.Cell.Value.String(),
				m.Now.String(),
				m.Difference.String(),
				string(m.State),
				strings.Join(reasons, "; "),
			},
		)
	}
	return g
}

// Document returns a comparison as it is taken away.
func (c *ReceiptComparison) Document() *table.Document {
	d := c.Receipt.Document()
	since := d.About
	for _, reason := range c.Since {
		since = append(since, table.Fact{Name: "since then", Text: reason.Text})
	}
	return &table.Document{Name: d.Name + "-comparison", Title: d.Title, All: c.Grid(), About: since}
}
