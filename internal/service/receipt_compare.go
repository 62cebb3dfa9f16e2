package service

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"reflect"
	"slices"
	"strings"

	"vastspan/core/book"
	"vastspan/core/civil"
	"vastspan/core/dataset"
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
	Difference decimal.Value // now less then; blank where either is
	State      FigureState
	Reasons    []Reason
}

// A Reason says what has changed a figure, and by how much.
type Reason struct {
	Code   string        `json:"code"`
	Text   string        `json:"text"`
	Name   string        `json:"name,omitempty"` // of the definition or the dataset
	Effect decimal.Value `json:"effect"`         // what it does to the figure; effects add up to the difference
}

// Words returns the reason with its effect: +1,000: 1 late record of these days in load 2 of rc, r2.csv.
func (r *Reason) Words() string {
	if !r.Effect.Set {
		return r.Text
	}
	text := table.Thousands(r.Effect.String())
	if r.Effect.Sign() > 0 {
		text = "+" + text
	}
	return text + ": " + r.Text
}

// The codes of reasons.
const (
	definitionChanged = "definition_changed"
	definitionRemoved = "definition_removed"
	settingsChanged   = "settings_changed"
	loaded            = "loaded"
	loadUndone        = "load_undone"
	recordsChanged    = "records"
	topChanged        = "top_changed"
	sourceMoved       = "source_moved"
	unknownReason     = "unknown"
)

// A ReceiptComparison compares a receipt with what the same query gives now.
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
	c := &ReceiptComparison{Receipt: r, Compared: len(then.Cells), Changed: []FigureChange{}}
	loads, err := s.changedLoads(ctx, r, then)
	if err != nil {
		return nil, err
	}
	steps, err := s.steps(ctx, then)
	if err != nil {
		return nil, err
	}
	for _, step := range steps[1:] {
		c.Since = append(c.Since, step.Reason)
	}
	for _, l := range loads {
		c.Since = append(c.Since, l.Reason)
	}
	now := steps[len(steps)-1].body
	c.Missing = now.Missing
	free, err := s.again(ctx, then, steps[len(steps)-1].reading, false)
	if err != nil {
		return nil, err
	}
	c.Since = append(c.Since, changedTops(then, free)...)
	return c, s.changes(ctx, c, then, free, steps, loads)
}

// A reading is what the query of a receipt is answered with: definitions and settings of datasets.
type reading struct {
	library  *book.Library
	settings map[string]DatasetSettings
}

// A step is one thing that has changed since a receipt was created, with the figures that there are after it. The first
// has the definitions and settings of then, and the records of now; the last has all as it is now.
type step struct {
	reading
	Reason
	body *ReceiptBody
	of   func(ReceiptSource) bool // whether figures of a source depend on it
}

// again answers the query of a receipt as of its day. With its own top values it keeps those that were the top ones then.
func (s *Receipts) again(ctx context.Context, b *ReceiptBody, with reading, ownTops bool) (*ReceiptBody, error) {
	totals := *s.totals
	totals.settings = with.settings
	if b.Subject != "brief" {
		var keep *tally.Top
		if top, ok := b.Tops[""]; ok && ownTops {
			keep = tally.NewTop(top, 0)
		}
		a, err := totals.totalKeeping(ctx, with.library, *b.Query, keep)
		if err != nil {
			if IsRefusal(err) {
				return &ReceiptBody{Missing: []string{err.Error()}}, nil
			}
			return nil, err
		}
		return figuresOfTotal(with.library, a).body, nil
	}
	views := *s.views
	if views.totals = &totals; ownTops {
		views.tops = b.Tops
	}
	c := query.Context{AsOf: b.AsOf, AtClose: b.AtClose, Calendar: b.Calendar}
	v, err := views.viewWith(ctx, with.library, b.Brief, ViewContext{c, b.Prompts})
	if err != nil {
		return nil, err
	}
	return figuresOfView(v).body, nil
}

// maxSteps is how many changed definitions are examined one by one for their effect.
const maxSteps = 20

// steps answers the query of a receipt after each thing that has changed: first with everything but the records as it was
// then, last as it is now.
func (s *Receipts) steps(ctx context.Context, then *ReceiptBody) ([]step, error) {
	compiled, err := s.definitions.compiled(ctx)
	if err != nil {
		return nil, err
	}
	changed, err := s.changedDefinitions(ctx, then.Definitions, compiled.stored)
	if err != nil {
		return nil, err
	}
	stored := slices.Clone(compiled.stored)
	for _, d := range changed {
		stored = withDefinition(stored, d.kind, d.Name, d.before)
	}
	first := reading{library: compiled.library, settings: map[string]DatasetSettings{}}
	var together []string // what cannot be separated from the records, because it does not fit what there is now
	if len(changed) > 0 {
		if first.library, err = compile(stored, 0); err != nil {
			for _, d := range changed {
				together = append(together, d.Text)
			}
			first.library, changed = compiled.library, nil
		}
	}
	moved, err := s.changedSettings(ctx, then, first.settings)
	if err != nil {
		return nil, err
	}
	steps := []step{{reading: first, Reason: Reason{Text: strings.Join(together, "; ")}}}
	add := func(one step) {
		steps = append(steps, one)
	}
	settings := first.settings
	for _, d := range moved {
		settings = maps.Clone(settings)
		delete(settings, d.Name)
		add(step{reading: reading{first.library, settings}, Reason: d, of: func(source ReceiptSource) bool { return source.Dataset == d.Name }})
	}
	for i, d := range changed {
		stored = withDefinition(stored, d.kind, d.Name, d.now)
		one := step{Reason: d.Reason, reading: reading{compiled.library, settings}, of: func(source ReceiptSource) bool {
			return slices.ContainsFunc(source.Definitions, func(e query.Definition) bool { return e.Kind == d.kind && e.Name == d.Name })
		}}
		if i < len(changed)-1 && i < maxSteps {
			library, err := compile(stored, 0)
			if err != nil {
				continue // it goes together with what is changed next
			}
			one.library = library
		}
		if add(one); one.library == compiled.library {
			break
		}
	}
	for i := range steps {
		if steps[i].body, err = s.again(ctx, then, steps[i].reading, true); err != nil {
			return nil, err
		}
	}
	return steps, nil
}

// withDefinition returns stored definitions with one of them as it was or is; nil where there was none.
func withDefinition(stored []store.Definition, kind, name string, body json.RawMessage) []store.Definition {
	list := slices.DeleteFunc(slices.Clone(stored), func(d store.Definition) bool { return d.Kind == kind && d.Name == name })
	if body != nil {
		list = append(list, store.Definition{Kind: kind, Name: name, Body: body})
	}
	return list
}

// A changedDefinition is a definition that is not as it was.
type changedDefinition struct {
	kind        string
	before, now json.RawMessage
	Reason
}

// kindOrder is the order in which changes of definitions are looked at: what others are made of comes first.
var kindOrder = []string{book.HolidaysKind, book.CalendarKind, book.EventsKind, book.SpanKind}

// changedDefinitions lists the definitions of a receipt that say something else now, whatever their versions.
func (s *Receipts) changedDefinitions(
	ctx context.Context, then []query.Definition, stored []store.Definition,
) ([]changedDefinition, error) {
	var list []changedDefinition
	for _, d := range then {
		if !slices.Contains(kindOrder, d.Kind) {
			continue
		}
		var now *store.Definition
		if at := slices.IndexFunc(stored, func(e store.Definition) bool { return e.Kind == d.Kind && e.Name == d.Name }); at >= 0 {
			now = &stored[at]
		}
		if now != nil && now.Version == d.Version {
			continue
		}
		versions, err := s.definitions.store.Versions(ctx, d.Kind, d.Name)
		if err != nil {
			return nil, err
		}
		at := slices.IndexFunc(versions, func(v store.DefinitionVersion) bool { return v.Version == d.Version })
		if at < 0 || versions[at].Body == nil {
			continue // it was renamed meanwhile, with all of its versions
		}
		before, err := underName(versions[at].Body, d.Name)
		if err != nil {
			return nil, err
		}
		one := changedDefinition{kind: d.Kind, before: before, Reason: Reason{Code: definitionChanged, Name: d.Name}}
		switch {
		case now == nil:
			one.Code, one.Text = definitionRemoved, fmt.Sprintf("%s %s was removed", d.Kind, d.Name)
		case sameMeaning(d.Kind, one.before, now.Body):
			continue
		default:
			one.now = now.Body
			one.Text = fmt.Sprintf("%s %s was changed: version %d then, %d now", d.Kind, d.Name, d.Version, now.Version)
		}
		list = append(list, one)
	}
	slices.SortStableFunc(list, func(a, b changedDefinition) int {
		return slices.Index(kindOrder, a.kind) - slices.Index(kindOrder, b.kind)
	})
	return list, nil
}

// underName returns a definition under the name that it has now.
func underName(body json.RawMessage, name string) (json.RawMessage, error) {
	var fields map[string]json.RawMessage
	if err := json.Unmarshal(body, &fields); err != nil {
		return nil, err
	}
	var err error
	if fields["name"], err = json.Marshal(name); err != nil {
		return nil, err
	}
	return json.Marshal(fields)
}

// sameMeaning reports whether two versions of a definition are the same for figures: its name, and what is said about a span,
// change none.
func sameMeaning(kind string, before, now json.RawMessage) bool {
	var a, b map[string]any
	if json.Unmarshal(before, &a) != nil || json.Unmarshal(now, &b) != nil {
		return false
	}
	for _, m := range []map[string]any{a, b} {
		delete(m, "name")
		if kind == book.SpanKind {
			delete(m, "about")
			delete(m, "tags")
		}
	}
	return reflect.DeepEqual(a, b)
}

// changedSettings lists the datasets of which something else is said now, and puts what was said then into settings.
func (s *Receipts) changedSettings(ctx context.Context, then *ReceiptBody, settings map[string]DatasetSettings) ([]Reason, error) {
	var list []Reason
	for _, l := range then.Loads {
		if l.Settings == nil {
			continue
		}
		d, err := s.store.Dataset(ctx, l.Dataset)
		if err != nil {
			if IsRefusal(err) {
				continue
			}
			return nil, err
		}
		if now := settingsOf(&d.Schema); now != *l.Settings {
			settings[l.Dataset] = *l.Settings
			list = append(list, Reason{Code: settingsChanged, Name: l.Dataset, Text: fmt.Sprintf("settings of %s were changed: %s", l.Dataset,
				settingsText(*l.Settings, now))})
		}
	}
	return list, nil
}

func settingsText(then, now DatasetSettings) string {
	var parts []string
	for _, c := range []struct{ name, then, now, none string }{
		{"grain", then.Grain, now.Grain, "day"}, {"no records mean", string(then.NoRecords), string(now.NoRecords), "blank"},
		{"newest day", string(then.NewestDay), string(now.NewestDay), "complete"},
	} {
		if c.then != c.now {
			parts = append(parts, fmt.Sprintf("%s %s then, %s now", c.name, cmp.Or(c.then, c.none), cmp.Or(c.now, c.none)))
		}
	}
	return strings.Join(parts, ", ")
}

// changedTops says for which items other values are the top ones now.
func changedTops(then, now *ReceiptBody) []Reason {
	var list []Reason
	for _, item := range slices.Sorted(maps.Keys(then.Tops)) {
		was, is := then.Tops[item], now.Tops[item]
		missing := func(of, in []dataset.Label) []string {
			var names []string
			for _, l := range of {
				if !slices.Contains(in, l) {
					names = append(names, table.LabelText(l, 0))
				}
			}
			return names
		}
		out, in := missing(was, is), missing(is, was)
		if len(out)+len(in) == 0 {
			continue
		}
		title := ""
		for i := range then.Cells {
			if strings.HasPrefix(then.Cells[i].ID, item+"/") && then.Cells[i].Item != "" {
				title = then.Cells[i].Item + ": "
				break
			}
		}
		text := title + "the top values are others"
		if len(out) > 0 {
			text += "; no longer " + strings.Join(out, ", ")
		}
		if len(in) > 0 {
			text += "; now " + strings.Join(in, ", ")
		}
		list = append(list, Reason{Code: topChanged, Text: text})
	}
	return list
}

// changes lists the figures that have changed, with what each thing that has changed did to them.
func (s *Receipts) changes(ctx context.Context, c *ReceiptComparison, then, free *ReceiptBody, steps []step, loads []changedLoad) error {
	byLook := then.Version == 0
	chains := make([]map[string]*ReceiptCell, len(steps))
	for i := range steps {
		chains[i] = cellsByIdentity(steps[i].body, byLook)
	}
	now := steps[len(steps)-1].body
	seen := map[string]bool{}
	for i := range then.Cells {
		cell := &then.Cells[i]
		key := uniqueIdentity(then, cell, byLook, seen)
		m := FigureChange{Cell: *cell, Source: then.Sources[cell.Source], State: FigureGone}
		if n := chains[len(chains)-1][key]; n != nil {
			if m.State, m.Now = FigureChanged, n.Value; same(cell.Value, n.Value) {
				continue
			}
			if m.Source = joined(m.Source, now.Sources[n.Source]); n.Days != cell.Days {
				m.DaysNow = n.Days
			}
		}
		if err := s.explain(ctx, &m, key, steps, chains, loads); err != nil {
			return err
		}
		c.Changed = append(c.Changed, m)
	}
	if byLook {
		return nil // such bodies did not hold all that there is now
	}
	for i := range free.Cells {
		cell := free.Cells[i]
		if seen[cell.ID] {
			continue
		}
		m := FigureChange{Cell: cell, Source: free.Sources[cell.Source], Now: cell.Value, State: FigureNew}
		m.Cell.Value = decimal.Value{}
		if err := s.explain(ctx, &m, cell.ID, steps, chains, loads); err != nil {
			return err
		}
		c.Changed = append(c.Changed, m)
	}
	return nil
}

// cellsByIdentity returns the figures of a body by what they are known by.
func cellsByIdentity(b *ReceiptBody, byLook bool) map[string]*ReceiptCell {
	cells, seen := map[string]*ReceiptCell{}, map[string]bool{}
	for i := range b.Cells {
		cells[uniqueIdentity(b, &b.Cells[i], byLook, seen)] = &b.Cells[i]
	}
	return cells
}

// uniqueIdentity returns what a figure is known by, with a number after what another is known by.
func uniqueIdentity(b *ReceiptBody, c *ReceiptCell, byLook bool, seen map[string]bool) string {
	key := identity(b, c, byLook)
	own := key
	for n := 2; seen[own]; n++ {
		own = fmt.Sprintf("%s\x00%d", key, n)
	}
	seen[own] = true
	return own
}

// identity returns what a figure is known by: its id, or in a body that has none what people see of it.
// Several may look alike; they are then distinguished by their order.
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
				c.Reason = Reason{Code: loaded, Name: d.Name,
					Text: fmt.Sprintf("load %d of %s was made since: %s, %s%s", l.ID, d.Name, l.File, counted(l.Records, "record"), days),
				}
			case l.ID <= then.Newest && l.UndoneAt != nil && l.UndoneAt.After(r.CreatedAt):
				c.undone = true
				c.Reason = Reason{Code: loadUndone, Name: d.Name,
					Text: fmt.Sprintf("load %d of %s was undone since: %s, %s%s", l.ID, d.Name, l.File, counted(l.Records, "record"), days),
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
	where := fmt.Sprintf("%s is table %s of database %s", d.Name, d.Attached.Name, d.Attached.Database)
	state, err := s.store.State(ctx, d)
	switch {
	case err != nil && !IsRefusal(err):
		return c, err
	case err != nil:
		c.Text = where + "; it does not answer now"
	case then == nil:
		c.Text = where + "; its records were kept here then"
	case state.Records == then.Records && state.Newest == then.Newest:
		c.Text = fmt.Sprintf("%s: it has %s, the newest of %s, the same as then, but values may differ", where,
			counted(state.Records, "record"), state.Newest)
	default:
		c.Text = fmt.Sprintf("%s: it held %s then, the newest of %s; it holds %s now, the newest of %s", where,
			counted(then.Records, "record"), then.Newest, counted(state.Records, "record"), state.Newest)
	}
	return c, nil
}

// explain finds what has changed a figure, and what each cause did: the figure is followed through the steps, so that the
// effects add up to the difference.
func (s *Receipts) explain(
	ctx context.Context, m *FigureChange, key string, steps []step, chains []map[string]*ReceiptCell, loads []changedLoad,
) error {
	var err error
	if m.State == FigureChanged {
		if m.Difference, err = m.Now.Minus(m.Cell.Value); err != nil {
			return err
		}
	}
	before, had := m.Cell.Value, m.State != FigureNew
	for i := range steps {
		var after decimal.Value
		cell := chains[i][key]
		has := cell != nil
		if has {
			after = cell.Value
		}
		if had == has && same(before, after) {
			continue
		}
		reason := steps[i].Reason
		if i == 0 {
			if reason, err = s.recordsReason(ctx, m, loads); err != nil {
				return err
			}
			if together := steps[0].Text; together != "" {
				if reason.Code == unknownReason {
					reason.Code, reason.Text = definitionChanged, together
				} else {
					reason.Text += "; " + together
				}
			}
		}
		if had && has {
			if reason.Effect, err = oneSided(before, after); err != nil {
				return err
			}
		}
		if i > 0 && m.DaysNow != "" {
			reason.Text += ", " + daysDiffer(m.Cell.Days, m.DaysNow)
		}
		m.Reasons = append(m.Reasons, reason)
		before, had = after, has
	}
	if len(m.Reasons) == 0 {
		m.Reasons = append(m.Reasons, Reason{Code: topChanged, Text: "the top values are others", Name: m.Source.Dataset})
	}
	return nil
}

// oneSided returns what a change of a figure adds; blank counts as nothing.
func oneSided(before, after decimal.Value) (decimal.Value, error) {
	if !before.Set {
		before = decimal.Int(0)
	}
	if !after.Set {
		after = decimal.Int(0)
	}
	return after.Minus(before)
}

// daysDiffer says which days came and which went.
func daysDiffer(then, now string) string {
	was, err1 := parsePeriod(then)
	is, err2 := parsePeriod(now)
	if err1 != nil || err2 != nil || was.Timed() || is.Timed() {
		return then + " then, " + now + " now"
	}
	var parts []string
	for _, side := range []struct {
		verb string
		days civil.Set
	}{{"came", is.Days.Except(was.Days)}, {"went", was.Days.Except(is.Days)}} {
		if side.days.Empty() {
			continue
		}
		text := table.ShortDays(side.days)
		if !side.days.Open() {
			text = fmt.Sprintf("%s (%s)", table.DayCount(side.days.Days()), text)
		}
		parts = append(parts, text+" "+side.verb)
	}
	return strings.Join(parts, ", ")
}

// recordsReason says which records came or went since.
func (s *Receipts) recordsReason(ctx context.Context, m *FigureChange, loads []changedLoad) (Reason, error) {
	reason := Reason{Code: recordsChanged, Name: m.Source.Dataset}
	period, err := parsePeriod(m.Cell.Days)
	if err != nil {
		return reason, err
	}
	if m.Source.Since {
		period = period.Since()
	}
	var parts []string
	for _, l := range loads {
		switch {
		case l.dataset.Name != m.Source.Dataset:
		case l.moved:
			reason.Code = sourceMoved
			parts = append(parts, fmt.Sprintf("table %s of database %s has moved", l.dataset.Attached.Name, l.dataset.Attached.Database))
		case l.oldest == nil || period.Near(civil.Through(*l.oldest, *l.newest)).Empty():
		case l.undone:
			parts = append(parts, l.Text)
		default:
			counts, err := s.store.RecordsByLoad(ctx, l.dataset, m.Source.Date, period, l.load.ID-1)
			if err != nil {
				return reason, err
			}
			if n := counts[l.load.ID]; n > 0 {
				parts = append(parts, fmt.Sprintf("%s of these days in load %d of %s, %s",
					counted(n, "late record"), l.load.ID, l.dataset.Name, l.load.File))
			}
		}
	}
	switch {
	case len(parts) > 0:
		reason.Text = strings.Join(parts, "; ")
	case len(loads) > 0:
		reason.Text = "other records of " + m.Source.Dataset
	default:
		reason.Code, reason.Text = unknownReason, "nothing that the figure depends on is known to have changed"
	}
	return reason, nil
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
			reasons = append(reasons, r.Words())
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
