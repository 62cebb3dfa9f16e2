package attached

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"strconv"
	"strings"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/measure"
	"vastspan/core/tally"
	"vastspan/internal/refused"
)

// Source returns an attached table as a source of totals.
func (d *Databases) Source(t *Table, s *dataset.Schema) tally.WeighingSource { return &totals{d, t, s} }

type totals struct {
	databases *Databases
	table     *Table
	schema    *dataset.Schema
}

// Partials puts a plan to the database in one statement of sums, and where values are asked for at a point in time in one more;
// see tally.Source. What calendars have to do with it is done here: where parts of time or lengths are asked for, the statement
// groups by the dates themselves.
func (t *totals) Partials(ctx context.Context, p *tally.Plan, into tally.Collector) (tally.Found, error) {
	var found tally.Found
	s := t.schema.With(p.Lengths)
	if err := p.Check(s); err != nil {
		return found, err
	}
	src, err := t.databases.source(ctx, t.table, t.schema)
	if err != nil {
		return found, err
	}
	g, err := src.grouping(ctx, p, s)
	if err != nil {
		return found, err
	}
	if err := g.run(ctx); err != nil {
		return found, src.told(ctx, err)
	}
	if p.NeedsFirstLast() {
		if err := g.points(ctx); err != nil {
			return found, src.told(ctx, err)
		}
	}
	if found.Coverage, found.Whole, err = g.covered(ctx); err != nil {
		return found, src.told(ctx, err)
	}
	for partial := range g.groups.Partials {
		if err := into.Partial(*partial); err != nil {
			return found, err
		}
	}
	return found, nil
}

// A grouping is a statement of sums by what distinguishes its rows, and what becomes of them.
type grouping struct {
	*source
	schema   *dataset.Schema // with the lengths of the plan
	plan     *tally.Plan
	axis     axis
	where    []string // the filters
	selected []selected
	by       []int   // of each category, where it is selected
	amounts  []taken // of each amount
	values   []taken // of each value column
	lengths  []length
	pass     func([]dataset.Cell) bool // the filters that are put to the records here; nil for none
	here     []int                     // the selected columns that those look at
	groups   tally.Groups
	coverage tally.Coverage
	key      []byte
	entries  int
}

// A selected column tells the rows of the statement apart: by its values, or of moments by pieces of time.
type selected struct {
	*Column
	pieces string // the SQL of the pieces; empty for the values
}

// taken says where a value comes from: a sum of the statement, a column that is selected, or a length.
type taken struct {
	sum, selected, length int
}

// A length is made of two columns that are selected.
type length struct {
	*dataset.LengthColumn
	at       int // in the schema
	from, to int
}

// pieceSeconds is how long the pieces of time are that parts of time are found by.
const pieceSeconds = 900

func (s *source) grouping(ctx context.Context, p *tally.Plan, with *dataset.Schema) (*grouping, error) {
	g := &grouping{source: s, schema: with, plan: p, axis: axis{s, s.dateColumn(p.Date), p.Timed}}
	c := &conditioner{s, func(column string) ([]string, error) { return s.texts(ctx, column, maxFolded) }}
	var err error
	if g.where, err = c.conditions(p.Where); err != nil {
		return nil, err
	}
	if here := s.filteredHere(p.Where); len(here) > 0 {
		if g.pass, err = with.Predicate(here); err != nil {
			return nil, err
		}
		for _, name := range here.Columns() {
			if s.column(name) != nil {
				g.here = append(g.here, g.take(g.inPieces(s.column(name))))
			}
		}
	}
	for i, column := range p.Lengths {
		l := length{LengthColumn: column.Length, at: len(s.schema.Columns) + i}
		l.from, l.to = g.take(selected{Column: s.column(l.From)}), g.take(selected{Column: s.column(l.To)})
		g.lengths = append(g.lengths, l)
	}
	for i, name := range p.By {
		one := selected{Column: s.column(name)}
		if part := p.Part(i); part != nil {
			one = g.inPieces(s.dateColumn(p.DateOf(part)))
		}
		g.by = append(g.by, g.take(one))
	}
	sums := 0
	for _, a := range p.Amounts {
		if column := s.column(a.Column); column != nil && column.Form == Exact {
			g.amounts = append(g.amounts, taken{sum: sums, selected: -1, length: -1})
			sums++
			continue
		}
		g.amounts = append(g.amounts, g.value(a.Column))
	}
	for _, name := range p.ValueColumns {
		g.values = append(g.values, g.value(name))
	}
	return g, nil
}

// inPieces selects a column by its values, or by pieces of time where days and hours are all that is asked of it.
func (g *grouping) inPieces(c *Column) selected {
	one := selected{Column: c}
	if c.Form.Type() == dataset.Timestamp && g.clock.Aligned(pieceSeconds*civil.Second) {
		one.pieces, _ = g.dialect.pieces(c, pieceSeconds)
	}
	return one
}

// take selects a column, once.
func (g *grouping) take(one selected) int {
	for i, had := range g.selected {
		if had.Name == one.Name && had.pieces == one.pieces {
			return i
		}
	}
	g.selected = append(g.selected, one)
	return len(g.selected) - 1
}

// value says where the values of a column come from.
func (g *grouping) value(name string) taken {
	t := taken{-1, -1, -1}
	for i, l := range g.lengths {
		if g.schema.Columns[l.at].Name == name {
			t.length = i
			return t
		}
	}
	t.selected = g.take(selected{Column: g.column(name)})
	return t
}

// The names of what a statement selects; no column of people begins so.
const alias = "vs_"

// statement writes the SQL of the sums.
func (g *grouping) statement(ctx context.Context) (string, error) {
	runs := wantedRuns(g.plan)
	tables, err := g.parts(ctx)
	if err != nil {
		return "", err
	}
	data := struct {
		Texts, Tables, Selected, Where, Keys []string
	}{Tables: tables, Where: append(g.axis.within(runs), g.where...)}
	add := func(name, expression, text string) {
		data.Selected = append(data.Selected, expression+" AS "+alias+name)
		data.Texts = append(data.Texts, text)
	}
	add("segment", g.axis.segment(g.plan.Cuts, 0), alias+"segment")
	data.Keys = append(data.Keys, alias+"segment")
	for i, one := range g.selected {
		name := fmt.Sprintf("k%d", i)
		if one.pieces != "" {
			add(name, one.pieces, alias+name)
		} else {
			add(name, g.sql(one.Name), g.dialect.text(alias+name, one.Column))
		}
		data.Keys = append(data.Keys, alias+name)
	}
	add("n", "count(*)", alias+"n")
	day := g.axis.Column
	add("oldest", "min("+g.sql(day.Name)+")", g.dialect.text(alias+"oldest", day))
	add("newest", "max("+g.sql(day.Name)+")", g.dialect.text(alias+"newest", day))
	for i, a := range g.plan.Amounts {
		t := g.amounts[i]
		if t.sum < 0 {
			continue
		}
		column := g.column(a.Column)
		name := g.sql(a.Column)
		add(fmt.Sprintf("c%d", t.sum), "count("+name+")", fmt.Sprintf("%sc%d", alias, t.sum))
		for _, f := range []struct{ short, sql string }{
			{"s", g.dialect.sum(name, column)}, {"l", "min(" + name + ")"}, {"m", "max(" + name + ")"},
		} {
			if f.short != "s" && a.Needs&measure.NeedsBounds == 0 {
				f.sql = "NULL"
				add(fmt.Sprintf("%s%d", f.short, t.sum), f.sql, fmt.Sprintf("%s%s%d", alias, f.short, t.sum))
				continue
			}
			add(fmt.Sprintf("%s%d", f.short, t.sum), f.sql, g.dialect.text(fmt.Sprintf("%s%s%d", alias, f.short, t.sum), column))
		}
	}
	return statement("groups", data), nil
}

// parts are the tables, as they are written in SQL, that are added up each by itself.
func (s *source) parts(ctx context.Context) ([]string, error) {
	tables, err := s.dialect.parts(ctx, s.table.Name)
	if len(tables) == 0 {
		tables = []string{s.dialect.table(s.table.Name)}
	}
	return tables, err
}

// ofEachPart writes a statement for each part, and puts them together.
func (s *source) ofEachPart(ctx context.Context, of func(table string) string) (string, error) {
	tables, err := s.parts(ctx)
	for i, name := range tables {
		tables[i] = of(name)
	}
	return strings.Join(tables, " UNION ALL "), err
}

// run puts the statement to the database and adds its rows up.
func (g *grouping) run(ctx context.Context) error {
	if len(wantedRuns(g.plan)) == 0 {
		return nil
	}
	text, err := g.statement(ctx)
	if err != nil {
		return err
	}
	return g.ask(ctx, text, g.add)
}

// add takes a row of the statement in.
func (g *grouping) add(row []sql.NullString) error {
	segment, err := strconv.Atoi(row[0].String)
	if err != nil || !g.plan.Wanted(segment) {
		return err
	}
	cells, err := g.cells(row[1 : 1+len(g.selected)])
	if err != nil {
		return err
	}
	if g.pass != nil && !g.pass(cells.all) {
		return nil
	}
	rest := row[1+len(g.selected):]
	n, err := strconv.ParseInt(rest[0].String, 10, 64)
	if err != nil {
		return err
	}
	if err := g.cover(n, rest[1], rest[2]); err != nil {
		return err
	}
	one, err := g.group(cells)
	if err != nil {
		return err
	}
	if one.Parts[segment] == nil {
		one.Parts[segment] = g.plan.NewPart()
	}
	if g.plan.Days {
		if err := g.addDays(one.Parts[segment], n, rest[1], rest[2]); err != nil {
			return err
		}
	}
	return g.addTo(one.Parts[segment], n, cells, rest[3:])
}

func (g *grouping) addDays(t *tally.Part, n int64, oldest, newest sql.NullString) error {
	first, err1 := g.axis.cell(oldest.String, !oldest.Valid, g.clock)
	last, err2 := g.axis.cell(newest.String, !newest.Valid, g.clock)
	t.AddDays(n, first.Day, last.Day)
	return errors.Join(err1, err2)
}

func (g *grouping) cover(n int64, oldest, newest sql.NullString) error {
	first, err1 := g.axis.cell(oldest.String, !oldest.Valid, g.clock)
	last, err2 := g.axis.cell(newest.String, !newest.Valid, g.clock)
	g.coverage.AddMany(n, first.Day, last.Day)
	return errors.Join(err1, err2)
}

// A rowCells are the cells of a row: those that are selected, and all of the schema where lengths are asked for.
type rowCells struct {
	selected, all []dataset.Cell
}

// cells reads what a row was distinguished by.
func (g *grouping) cells(row []sql.NullString) (rowCells, error) {
	c := rowCells{selected: make([]dataset.Cell, len(row))}
	for i, one := range g.selected {
		var err error
		if one.pieces != "" {
			one.Column = &Column{Name: one.Name, Form: Instant}
		}
		if c.selected[i], err = one.cell(row[i].String, !row[i].Valid, g.clock); err != nil {
			return c, err
		}
	}
	if len(g.lengths) == 0 && g.pass == nil {
		return c, nil
	}
	c.all = make([]dataset.Cell, len(g.schema.Columns))
	for i, one := range g.selected {
		if at := g.schema.Index(one.Name); c.selected[i].Set && (one.pieces == "" || !c.all[at].Set) {
			c.all[at] = c.selected[i]
		}
	}
	for _, l := range g.lengths {
		if err := l.Cell(&c.selected[l.from], &c.selected[l.to], &c.all[l.at]); err != nil {
			return c, err
		}
	}
	return c, nil
}

// group finds the group of a row.
func (g *grouping) group(c rowCells) (*tally.Group, error) {
	labels := make([]dataset.Label, len(g.by))
	for i, at := range g.by {
		var err error
		if labels[i], err = g.label(i, &c.selected[at]); err != nil {
			return nil, err
		}
	}
	g.key = append(g.key[:0], dataset.GroupKey(labels)...)
	one := g.groups.Group(g.key, len(g.plan.Cuts)+1, func() []dataset.Label { return labels })
	if len(g.groups.List) > tally.MaxHeld {
		return nil, &tally.TooMany{By: "the categories", Limit: tally.MaxHeld}
	}
	return one, nil
}

func (g *grouping) label(category int, c *dataset.Cell) (dataset.Label, error) {
	part := g.plan.Part(category)
	switch {
	case part == nil:
		return g.schema.Columns[g.schema.Index(g.plan.By[category])].Label(c)
	case !c.Set:
		return dataset.Label{}, nil
	case part.Hours():
		return part.Values[part.OfMoment(g.clock, civil.Moment(c.Micros()))], nil
	}
	place, err := part.OfDay(c.Day)
	if err != nil {
		return dataset.Label{}, err
	}
	return part.Values[place], nil
}

// maxEntries is how many different values are held.
const maxEntries = 10_000_000

func (g *grouping) addTo(t *tally.Part, n int64, c rowCells, sums []sql.NullString) error {
	t.Count += n
	for i, from := range g.amounts {
		if from.sum >= 0 {
			a, err := amountOf(sums[4*from.sum : 4*from.sum+4])
			if err != nil {
				return err
			}
			if a.Count > 0 {
				err = t.Sums[i].AddAmount(&a)
			}
			if err != nil {
				return err
			}
			continue
		}
		if cell := g.cellOf(from, c); cell.Set {
			if err := addTimes(&t.Sums[i], cell, n); err != nil {
				return err
			}
		}
	}
	for i, from := range g.values {
		cell := g.cellOf(from, c)
		if !cell.Set {
			continue
		}
		key, err := g.schema.Columns[g.schema.Index(g.plan.ValueColumns[i])].Key(cell)
		if err != nil {
			return err
		}
		before := len(t.Values[i])
		t.Values[i][key] += n
		if g.entries += len(t.Values[i]) - before; g.entries > maxEntries {
			return refused.Wrongf("%s takes more than %d different values in all groups: take a shorter span, fewer groups, or a filter",
				g.plan.ValueColumns[i], maxEntries)
		}
	}
	return nil
}

func (g *grouping) cellOf(from taken, c rowCells) *dataset.Cell {
	if from.length >= 0 {
		return &c.all[g.lengths[from.length].at]
	}
	return &c.selected[from.selected]
}

// amountOf reads a count, a sum, a minimum and a maximum.
func amountOf(texts []sql.NullString) (measure.Amount, error) {
	var a measure.Amount
	n, err := strconv.ParseInt(texts[0].String, 10, 64)
	if err != nil || n == 0 {
		return a, err
	}
	a.Count = n
	for i, into := range []func(string) error{
		func(text string) error { _, _, err := a.Sum.SetString(text); return err },
		func(text string) error { _, _, err := a.Min.SetString(text); return err },
		func(text string) error { _, _, err := a.Max.SetString(text); return err },
	} {
		if texts[1+i].Valid {
			err = errors.Join(err, into(texts[1+i].String))
		}
	}
	return a, err
}

// addTimes adds a value up that so many records have.
func addTimes(s *measure.Sums, c *dataset.Cell, n int64) error {
	if n == 1 {
		return s.AddCell(c)
	}
	d, err := c.Decimal()
	if err != nil {
		return err
	}
	a := measure.Amount{Count: n, Min: *d, Max: *d}
	many := decimal.Int(n)
	if _, err := decimal.Exact.Mul(&a.Sum, d, &many.Decimal); err != nil {
		return err
	}
	return s.AddAmount(&a)
}
