package query

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/measure"
	"vastspan/core/span"
	"vastspan/core/table"
	"vastspan/core/tally"
)

// An Answer is what a query gives, with the query as it was understood.
type Answer struct {
	Query Query `json:"query"`
	table.Answer
	// Definitions are the named definitions that were used, with their versions, where the names have
	// any.
	Definitions []Definition `json:"definitions,omitempty"`
	// Nodes are the expressions of the spans, Counterparts those that they are compared with, nil where
	// that is a move.
	Nodes        []span.Node `json:"-"`
	Counterparts []span.Node `json:"-"`
	// Filters are the expressions of the filters.
	Filters []span.Node `json:"-"`
	// Lengths are the columns that figures and filters are of and the records have not.
	Lengths []dataset.Column `json:"-"`
	// Top are the values that are kept apart; none where all are.
	Top []dataset.Label `json:"-"`

	covered [][]coveredSides // of each span and each of its comparisons
}

// coveredSides are the days that records cover on both sides of a comparison.
type coveredSides struct{ own, other civil.Set }

// Covered returns the days that records cover of a span and of one of the things that it is compared with, by their places in the
// query; those of moments are the days that hold any.
func (a *Answer) Covered(span, comparison int) (own, other civil.Set) {
	c := a.covered[span][comparison]
	return c.own, c.other
}

// Expressions returns all expressions that an answer depends on.
func (a *Answer) Expressions() []span.Node {
	list := slices.Concat(a.Nodes, a.Counterparts, a.Filters)
	return slices.DeleteFunc(list, func(n span.Node) bool { return n == nil })
}

// Define states which definitions were used.
func (a *Answer) Define(used []Definition) {
	a.Definitions = used
	var texts []string
	for _, d := range used {
		if d.Kind == "span" {
			texts = append(texts, fmt.Sprintf("@%s version %d", d.Name, d.Version))
		}
	}
	if len(texts) > 0 {
		note := table.Note{Code: table.UsedVersions, Level: table.Info, Text: "by " + strings.Join(texts, ", ")}
		a.Notes = append(a.Notes, note)
	}
}

// A Definition is a definition and the version of it that was used.
type Definition struct {
	Kind    string `json:"kind"`
	Name    string `json:"name"`
	Version int64  `json:"version"`
}

// Answer resolves a query's spans, lays out one pass over the records for them, for what they are
// compared with and for their units, runs it and lays out the rows. Errors of the query are *Error.
func (e Evaluator) Answer(ctx context.Context, q Query, main Records) (*Answer, error) {
	p, err := e.ask(ctx, q, main)
	if err != nil {
		return nil, err
	}
	if err := disclose(ctx, p); err != nil {
		return nil, err
	}
	return p.finish(ctx)
}

// ask plans a query and asks its records.
func (e Evaluator) ask(ctx context.Context, q Query, main Records) (*plan, error) {
	p, err := newPlan(ctx, e, q, main)
	if err != nil {
		return nil, err
	}
	return p, p.run(ctx)
}

// finish lays out what was found.
func (p *plan) finish(ctx context.Context) (*Answer, error) {
	if err := p.settle(); err != nil {
		return nil, err
	}
	if err := p.cover(ctx); err != nil {
		return nil, err
	}
	for _, find := range []func(context.Context) error{
		p.findHalfDays, p.findPartDays, p.findLifetimes, p.findGaps, p.findUnknown, p.findFuture,
	} {
		if err := find(ctx); err != nil {
			return nil, err
		}
	}
	return p.answer()
}

// checkColumns refuses columns that the records cannot give, and says which part of the query asks for them.
func (p *plan) checkColumns(r *tally.Request, s *dataset.Schema) error {
	for i := range p.figures {
		f := r.Figures[p.figures[i].at]
		f.Derived = p.figures[i].Derived
		if err := f.Check(s); err != nil {
			return errorAt(err, "/figures/%d", i)
		}
	}
	if _, err := s.DateColumn(r.Date); err != nil {
		return errorAt(err, "/date")
	}
	for i, name := range r.By {
		err := r.CheckCategory(s, i, name)
		if err != nil && s.Index(name) < 0 && r.Part(i) == nil {
			err = fmt.Errorf("%w; parts of time are %s", err, PartForms)
		}
		if err != nil {
			return errorAt(err, "/by/%d", i)
		}
	}
	return errorAt(s.CheckFilters(r.Where), "/where")
}

// run asks each input once. The values that are kept as the top ones are those of the first.
func (p *plan) run(ctx context.Context) error {
	for i, in := range p.inputs {
		in.request.Keep, in.request.MinRecords = p.top, in.MinRecords
		plan, err := tally.NewPlan(in.request)
		if err != nil {
			return errorAt(err, "")
		}
		if err := p.checkColumns(&in.request, in.Schema); err != nil {
			return err
		}
		if err := p.checkTotalsOnly(in); err != nil {
			return err
		}
		in.plan = plan
		if in.result, err = tally.Answer(ctx, plan, in.Source); err != nil {
			return err
		}
		if i == 0 {
			p.top = in.result.Top
		}
	}
	return nil
}

// settle gathers the groups of all inputs, and refuses answers that are too large.
func (p *plan) settle() error {
	seen := map[string]bool{}
	for _, in := range p.inputs {
		for _, g := range in.result.Groups {
			if key := dataset.GroupKey(g); !seen[key] {
				seen[key] = true
				p.groups = append(p.groups, g)
			}
		}
	}
	tally.SortGroups(p.groups, p.top)
	if err := p.filtersFailed(); err != nil {
		return err
	}
	p.fillParts()
	rows := 0
	for i := range p.spans {
		rows += max(1, len(p.spans[i].rows)) * len(p.groups)
	}
	if rows > maxRows {
		return errorAt(
			fmt.Errorf(
				"the answer has %d rows, more than %d: keep the top ones, or take fewer spans, longer units or a filter",
				rows,
				maxRows,
			),
			"",
		)
	}
	if cells := rows * len(p.columns()); cells > maxCells {
		return errorAt(
			fmt.Errorf("the answer has %d rows of %d columns, more than %d cells: take fewer figures or comparisons, longer units or a filter",
				rows, len(p.columns()), maxCells), "",
		)
	}
	return nil
}

// answer lays the results out.
func (p *plan) answer() (*Answer, error) {
	main := p.inputs[0]
	date, err := main.Schema.DateColumn(p.query.Date)
	if err != nil {
		return nil, err
	}
	a := &Answer{Query: p.query, Filters: p.filterNodes, Lengths: main.request.Lengths, Answer: table.Answer{
		Dataset: main.Name, Date: main.Schema.Columns[date].Name, AsOf: p.Scope.AsOf, AtClose: p.Scope.AtClose, Calendar: p.Scope.Calendar.Name(),
		Records: main.result.Records, Undated: main.result.Undated, Subtotals: p.query.Subtotals && p.query.Across == "",
	}}
	if main.result.Quiet {
		a.Records = 0
	} else if a.Records > 0 {
		a.Oldest, a.Newest = &main.result.Oldest, &main.result.Newest
	}
	if p.top != nil {
		a.Others, a.Top = p.top.Others, p.top.Values
	}
	t := table.Table{By: p.query.By, Each: p.query.Each, Columns: p.columns(), Rows: []table.Row{}}
	if t.By == nil {
		t.By = []string{}
	}
	for _, c := range p.against {
		a.Counterparts = append(a.Counterparts, c.Node())
	}
	for i := range p.spans {
		sp := &p.spans[i]
		a.Nodes = append(a.Nodes, sp.node)
		a.Spans = append(a.Spans, p.span(i))
		var covered []coveredSides
		for j := range sp.comparisons {
			own, other := p.sides(sp, j)
			covered = append(covered, coveredSides{own.covered.Touched(), other.covered.Touched()})
		}
		a.covered = append(a.covered, covered)
		if err := p.rows(&t, i); err != nil {
			return nil, err
		}
	}
	for i := range p.spans {
		if at := p.spans[i].later; at != noSlot {
			a.LeftOut += main.result.RecordsIn(at.period)
		}
	}
	t.SetDecimals()
	a.Tables = []table.Table{t}
	if p.query.Across != "" {
		if a.Tables, err = p.pivots(&t, a); err != nil {
			return nil, err
		}
	}
	if p.Scope.HasNow {
		a.AsOfMoment = p.Scope.Clock.Format(p.Scope.Now)
	}
	if a.Timed() || p.Scope.HasNow {
		a.SetClock(p.Scope.Clock)
	}
	a.Notes, err = p.notes(&t, a)
	return a, err
}

// span describes a span and what it is compared with.
func (p *plan) span(at int) table.Span {
	sp := &p.spans[at]
	own := p.side(sp.period, 0)
	s := table.Span{Expression: sp.text, Extent: extentOf(sp.period), CoveredDays: own.coveredOrNil()}
	for i, c := range sp.comparisons {
		cause := p.cause(at, i)
		_, other := p.sides(sp, i)
		s.Comparisons = append(s.Comparisons, table.Comparison{
			Name: c.name, Dataset: c.dataset, Extent: extentOf(c.period), CoveredDays: other.coveredDays(),
			LikeForLike: cause == nil, Cause: cause,
		})
	}
	return s
}

// previousName is the name of the comparison with the unit before.
const previousName = "previous"

// columns describes the columns of the figures.
func (p *plan) columns() []table.Column {
	var c table.Columns
	for i, f := range p.query.Figures {
		c.Figure(i, f, p.inputs[0].Schema)
		if len(p.spans) > 0 {
			for _, other := range p.spans[0].comparisons {
				c.Compared(other.name, table.Suffix(other.name), other.name)
			}
		}
		if p.query.Previous {
			c.Compared(previousName, previousName, "the "+p.query.Each+" before")
		}
		if p.query.Share != "" {
			c.Also(table.Share, "share of the "+p.query.Share)
		}
		if p.query.Running != "" {
			c.Also(table.Running, "running by "+p.query.Running)
		}
		if n := p.query.Rolling.Units; n > 0 {
			c.Also(table.Rolling, fmt.Sprintf("rolling %d %s", n, p.each.Counted(n)))
		}
	}
	return c.List
}

// pivots lays each span and figure out as a cross-tab, and each change of the figure as another.
func (p *plan) pivots(t *table.Table, a *Answer) ([]table.Table, error) {
	var tabs []table.Table
	var err error
	for i := range a.Spans {
		figure := ""
		for j, c := range t.Columns {
			what, none := "", decimal.Value{}
			switch c.Role {
			case table.Figure:
				figure, what = c.Title, c.Title
				if none, err = p.none(c.Figure); err != nil {
					return nil, err
				}
			case table.Change:
				what = fmt.Sprintf("%s, change from %s", figure, c.Comparison)
			default:
				continue
			}
			title := fmt.Sprintf("%s, %s, by %s", what, a.Spans[i].Expression, p.query.Across)
			tabs = append(tabs, t.Pivot(p.query.Across, i, j, title, a.Others, none))
		}
	}
	return tabs, nil
}

// rows adds the rows of a span: its groups, by unit where it is broken down, then subtotals where they
// are asked for, and last its total.
func (p *plan) rows(t *table.Table, i int) error {
	sp := &p.spans[i]
	whole := rowPlan{index: wholeSpan, period: sp.period, at: sp.at, previous: noSlot, running: noSlot, rolling: noSlot}
	for _, c := range sp.comparisons {
		whole.partners = append(whole.partners, partner{c.period, c.at, c.paced})
	}
	var err error
	add := func(kind table.Kind, r *rowPlan, unit bool, groups [][]dataset.Label) {
		for _, g := range groups {
			if err == nil {
				err = p.row(t, i, kind, r, unit, g)
			}
		}
	}
	everything := [][]dataset.Label{p.everything()}
	subtotals := p.subtotals()
	if p.query.Each == "" {
		if len(p.query.By) > 0 {
			add(table.Group, &whole, false, p.groups)
		} else {
			add(table.Group, &whole, false, everything)
			return err
		}
	}
	for j := range sp.rows {
		add(table.Group, &sp.rows[j], true, p.groups)
	}
	if p.query.Subtotals {
		for j := range sp.rows {
			add(table.Subtotal, &sp.rows[j], true, subtotals)
			if len(p.query.By) > 0 {
				add(table.Subtotal, &sp.rows[j], true, everything)
			}
		}
		if sp.rows != nil && len(p.query.By) > 0 {
			add(table.Subtotal, &whole, false, p.groups)
		}
		add(table.Subtotal, &whole, false, subtotals)
	}
	add(table.Total, &whole, false, everything)
	return err
}

// everything is the group over all values of all categories.
func (p *plan) everything() []dataset.Label {
	group := make([]dataset.Label, len(p.query.By))
	for i := range group {
		group[i] = dataset.All
	}
	return group
}

// subtotals lists the groups over all values of one category of two.
func (p *plan) subtotals() [][]dataset.Label {
	var groups [][]dataset.Label
	if len(p.query.By) > 1 {
		for i := range p.query.By {
			for _, l := range tally.LabelsOf(p.groups, i, p.top) {
				g := p.everything()
				g[i] = l
				groups = append(groups, g)
			}
		}
	}
	return groups
}

// hidden reports whether a total may not be shown.
func (p *plan) hidden(s slot, group []dataset.Label) bool {
	return s != noSlot && p.inputs[s.input].result.Hidden(s.period, group)
}

// none returns the figure of an empty group; blank if groups are hidden.
func (p *plan) none(figure int) (decimal.Value, error) {
	if in := p.inputs[0]; in.result.HiddenTotals > 0 || in.MinRecords > 0 && len(in.request.Where) > 0 {
		return decimal.Value{}, nil
	}
	f := &p.figures[figure]
	if f.derived == nil && f.entry.ZeroWithout && p.inputs[0].Schema.NoRecords == dataset.MeansZero {
		return decimal.Int(0), nil
	}
	return p.inputs[0].result.None()[f.at].Value()
}

// row lays one row out: the figures of a period and group, and what they are compared with.
func (p *plan) row(t *table.Table, i int, kind table.Kind, r *rowPlan, unit bool, group []dataset.Label) error {
	sp := &p.spans[i]
	if group == nil {
		group = []dataset.Label{}
	}
	row := table.Row{
		Kind:   kind,
		Span:   i,
		Extent: extentOf(r.period),
		Group:  group,
		Cells:  make([]decimal.Value, 0, len(t.Columns)),

		CoveredDays: p.side(r.period, 0).coveredOrNil(),
	}
	incomplete := unit && p.incomplete(r)
	if unit {
		row.Unit = &table.Unit{Label: r.unit.Label, FirstDay: r.unit.Whole.Start}
		if !r.unit.Piece.Empty() {
			row.Unit.Start = p.Scope.Clock.Format(r.unit.Piece.Start)
		}
		row.Flags = r.flags(incomplete, p.unlikeRow(i, r))
		for j, other := range r.partners {
			row.Comparisons = append(row.Comparisons, extentOf(other.period))
			_, side := p.rowSides(sp, r, j)
			row.ComparisonsCovered = append(row.ComparisonsCovered, side.coveredDays())
		}
	}
	if row.Key = table.Key(i, row.Unit, group); r.alone { // its unit may be another row's, too
		start := table.Key(i, nil, nil)
		row.Key = table.AgainstKey(start) + strings.TrimPrefix(row.Key, start)
	}
	row.Flags = append(row.Flags, p.lifetimeFlags(sp, r, group)...)
	sameDays := r.index == wholeSpan && kind == table.Group && len(p.query.By) > 0 // each value has the days of the span
	if !sameDays && p.eventsInRow(sp, r) {
		row.Flags = append(row.Flags, table.OtherEvents)
	}
	if r.at != noSlot && p.inputs[r.at.input].result.Tied(r.at.period, group) {
		row.Flags = append(row.Flags, table.Tie)
	}
	if p.hidden(r.at, group) {
		row.Flags = append(row.Flags, table.Hidden)
	}
	figures, err := p.rowFigures(sp, r, group, incomplete)
	if err != nil {
		return err
	}
	for f := range p.figures {
		cells, err := p.cells(sp, r, figures, f, unit, group)
		if err != nil {
			return err
		}
		for _, c := range cells {
			v, err := c.Value()
			if err != nil {
				return err
			}
			row.Cells = append(row.Cells, v)
		}
	}
	t.Rows = append(t.Rows, row)
	return nil
}

// incomplete reports whether a rolling window of a row begins before the records do.
func (p *plan) incomplete(r *rowPlan) bool {
	found := p.inputs[0].result
	return !found.Quiet && !r.window.Empty() && (found.Coverage.Records == 0 || r.window.Touched().Bounds().Start < found.Coverage.Oldest)
}

// rowFigures are the figures of a row and group, and those of the periods that they refer to.
type rowFigures struct {
	own, mine        []decimal.Fraction // mine are blank where the row has not happened yet
	counterparts     [][]decimal.Fraction
	of               []decimal.Fraction // what shares are of
	running, rolling []decimal.Fraction
}

func (p *plan) rowFigures(sp *spanPlan, r *rowPlan, group []dataset.Label, incomplete bool) (v rowFigures, err error) {
	at := func(s slot, group []dataset.Label) (values []decimal.Fraction) {
		if err == nil {
			values, err = p.values(s, group)
		}
		return values
	}
	v.own = at(r.at, group)
	for _, one := range r.partners {
		counterpart := at(one.at, group)
		p.comparePaces(counterpart, at, one.paced, group)
		v.counterparts = append(v.counterparts, counterpart)
	}
	if p.query.Previous {
		v.counterparts = append(v.counterparts, at(r.previous, group))
	}
	whole := sp.at
	if p.query.Share == ShareOfUnit {
		whole = r.at
	}
	v.of, v.running, v.rolling = at(whole, p.everything()), at(r.running, group), at(r.rolling, group)
	v.mine, v.running = blankIf(r.blank, v.own), blankIf(r.blank, v.running)
	v.rolling = blankIf(r.blank || incomplete && p.query.BlankIncomplete, v.rolling)
	return v, err
}

// cells are those of one figure: the figure, its comparisons, its share, what runs and what rolls.
func (p *plan) cells(sp *spanPlan, r *rowPlan, v rowFigures, f int, unit bool, group []dataset.Label) ([]decimal.Fraction, error) {
	cells := []decimal.Fraction{v.own[f]}
	addsUp := p.figures[f].addsUp()
	for j, c := range v.counterparts {
		value, against := v.mine[f], c[f]
		counterpart := r.previous
		if j < len(r.partners) {
			counterpart = r.partners[j].at
		}
		unknown := p.hidden(r.at, group) || p.hidden(counterpart, group)
		if unit && addsUp && !r.blank && !unknown { // a side without a record counts as nothing where records were due
			value, against = p.asDue(sp, r, j, value, against)
		}
		compared, err := measure.Compare(value, against)
		if err != nil {
			return nil, err
		}
		if !c[f].Set() {
			compared.Counterpart, compared.Change = c[f], decimal.Fraction{}
		}
		cells = append(cells, compared.Counterpart, compared.Difference, compared.Change)
	}
	if p.query.Share != "" {
		var share decimal.Fraction
		var err error
		if addsUp {
			share, err = measure.Share(v.mine[f], v.of[f])
		}
		if err != nil {
			return nil, err
		}
		cells = append(cells, share)
	}
	if p.query.Running != "" {
		cells = append(cells, v.running[f])
	}
	if p.query.Rolling.Units > 0 {
		cells = append(cells, v.rolling[f])
	}
	return cells, nil
}

// flags says what is special about a unit.
func (r *rowPlan) flags(incomplete, unlike bool) []table.Flag {
	var flags []table.Flag
	for _, f := range []struct {
		flag table.Flag
		set  bool
	}{
		{table.Partial, r.unit.Partial}, {table.InProgress, r.unit.InProgress}, {table.Future, r.unit.Future},
		{table.Incomplete, incomplete}, {table.Unlike, unlike || r.unlike},
	} {
		if f.set {
			flags = append(flags, f.flag)
		}
	}
	return flags
}

// blankIf blanks every figure of a row that is in the future, counts as well: a running total does not
// repeat itself into months that have not happened (semantics §8).
func blankIf(blank bool, values []decimal.Fraction) []decimal.Fraction {
	if blank {
		return make([]decimal.Fraction, len(values))
	}
	return values
}

// extentOf describes which days or moments a period is.
func extentOf(p tally.Period) table.Extent {
	e := table.Extent{Intervals: p.Touched(), Moments: p.Moments}
	if e.Days = table.Days(e.Intervals); p.Timed() && !p.Open() {
		seconds := int64(p.Length()) / int64(civil.Second)
		e.Seconds = &seconds
	}
	return e
}

// shownPeriod returns the outer days or moments of a period for people.
func shownPeriod(days civil.Set, moments *civil.Zoned) string {
	if moments == nil {
		return shown(days)
	}
	if moments.Empty() {
		return "no moments"
	}
	b := moments.Bounds()
	text := moments.Long(b.Start) + " to " + moments.Long(b.End)
	if n := moments.Len(); n > 1 {
		text += fmt.Sprintf(", %d periods", n)
	}
	if !b.Open() {
		text += ", " + table.Length(int64(moments.Length()/civil.Second)) + " hours"
	}
	return text
}

// shown returns the outer days of a set for people.
func shown(s civil.Set) string {
	if s.Empty() {
		return "no days"
	}
	b := s.Bounds()
	text := b.First().Long()
	switch {
	case s.Open() && b.Start != civil.OpenStart:
		text = "from " + b.First().Long() + " on"
	case s.Open() && b.End != civil.OpenEnd:
		text = "through " + b.Last().Long()
	case s.Open():
		text = "all dates"
	case b.Last() != b.First():
		text += " to " + b.Last().Long()
	}
	if n := table.Days(s); n != nil {
		text += ", " + table.DayCount(*n)
	}
	return text
}
