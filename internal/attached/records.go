package attached

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"vastspan/core/ageing"
	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/tally"
	"vastspan/internal/listing"
	"vastspan/internal/refused"
)

// ordered are the columns by which records are listed: their time, then the key, or all columns where there is none.
func (s *source) ordered(date *Column, oldestFirst bool) []string {
	direction := " DESC"
	if oldestFirst {
		direction = ""
	}
	names := []string{date.Name}
	if s.table.Key != "" {
		names = append(names, s.table.Key)
	} else {
		for _, c := range s.table.Columns {
			if c.Name != date.Name {
				names = append(names, c.Name)
			}
		}
	}
	list := make([]string, len(names))
	for i, name := range names {
		list[i] = s.sql(name) + direction
	}
	return list
}

// Each passes the records of a listing on, one after the other; none is kept. Their numbers are their places in the listing.
func (d *Databases) Each(ctx context.Context, t *Table, schema *dataset.Schema, l listing.Request, take func(listing.Record) error) error {
	s, err := d.source(ctx, t, schema)
	if err != nil {
		return err
	}
	date := s.dateColumn(l.Date)
	given := func(r listing.Record, _ []dataset.Cell) error { return take(r) }
	return s.told(ctx, s.each(ctx, l, l.Period.Timed(), l.Period.Stretches(), s.ordered(date, l.OldestFirst), given))
}

// each passes the records of a listing on that are in some stretches of time, in an order, with their cells.
func (s *source) each(
	ctx context.Context, l listing.Request, timed bool, runs []tally.Stretch, order []string, take func(listing.Record, []dataset.Cell) error,
) error {
	date := s.dateColumn(l.Date)
	c := &conditioner{s, func(column string) ([]string, error) { return s.texts(ctx, column, maxFolded) }}
	with := s.schema.With(l.Lengths)
	if err := with.CheckFilters(l.Where); err != nil {
		return err
	}
	where, err := c.conditions(l.Where)
	if err != nil {
		return err
	}
	pass, err := with.Predicate(l.Where)
	if err != nil {
		return err
	}
	here := len(l.Lengths) > 0 || len(s.filteredHere(l.Where)) > 0
	data := struct {
		Texts, Selected, Where, Order []string
		Table, Page                   string
	}{Table: s.dialect.table(s.table.Name), Order: order}
	data.Where = append((axis{s, date, timed}).within(runs), where...)
	for i, column := range s.table.Columns {
		name := fmt.Sprintf("%sc%d", alias, i)
		data.Selected = append(data.Selected, s.sql(column.Name)+" AS "+name)
		data.Texts = append(data.Texts, s.dialect.text(name, &column))
	}
	number, skip := int64(0), int64(0)
	if l.After != nil {
		skip = l.After.ID
	}
	if !here { // else the places are found here as well
		data.Page = s.dialect.page(int64(l.Limit), skip)
		number, skip = skip, 0
	}
	return s.stream(ctx, statement("records", data), func(row []sql.NullString) error {
		r, cells, err := s.record(row, date)
		if err != nil {
			return err
		}
		if here {
			met, err := s.meets(with, cells, l.Lengths, pass)
			if err != nil || !met {
				return err
			}
		}
		if number++; number <= skip {
			return nil
		}
		r.ID = number
		return take(r, cells)
	})
}

// meets puts a record to filters on lengths.
func (s *source) meets(
	with *dataset.Schema, cells []dataset.Cell, lengths []dataset.Column, pass func([]dataset.Cell) bool,
) (bool, error) {
	all := append(slices.Clone(cells), make([]dataset.Cell, len(lengths))...)
	for i, c := range lengths {
		from, to := &all[with.Index(c.Length.From)], &all[with.Index(c.Length.To)]
		if err := c.Length.Cell(from, to, &all[len(cells)+i]); err != nil {
			return false, err
		}
	}
	return pass(all), nil
}

// record reads a row.
func (s *source) record(row []sql.NullString, date *Column) (listing.Record, []dataset.Cell, error) {
	r := listing.Record{Cells: make([]*string, len(row))}
	cells := make([]dataset.Cell, len(row))
	for i := range s.table.Columns {
		c := &s.table.Columns[i]
		cell, err := c.cell(row[i].String, !row[i].Valid, s.clock)
		if err != nil && c.Form.Type().IsTime() && c.Name != date.Name {
			cell, err = dataset.Cell{}, nil // a date outside the supported years counts as no date
		}
		if err != nil {
			return r, nil, err
		}
		cells[i] = cell
		if c.Name == date.Name {
			r.Day = cell.Day
			if c.Form != Day {
				r.Moment = civil.Moment(cell.Micros())
			}
		}
		if !cell.Set {
			continue
		}
		text := cell.Text
		switch c.Form.Type() {
		case dataset.Timestamp:
			text = cell.Moment.In(s.clock.Zone()).Format(time.RFC3339Nano)
		case dataset.Date:
			text = cell.Day.String()
		}
		r.Cells[i] = &text
	}
	return r, cells, nil
}

// Texts lists the different values of a category with how many records have each, the most frequent first.
func (d *Databases) Texts(
	ctx context.Context, t *Table, schema *dataset.Schema, column string, limit int,
) ([]listing.CategoryValue, error) {
	s, err := d.source(ctx, t, schema)
	if err != nil {
		return nil, err
	}
	c := s.column(column)
	each, err := s.ofEachPart(ctx, func(table string) string {
		return "SELECT " + s.sql(column) + " AS v, count(*) AS n FROM " + table + " GROUP BY " + s.sql(column)
	})
	if err != nil {
		return nil, s.told(ctx, err)
	}
	text := fmt.Sprintf("SELECT %s, n FROM (SELECT v, sum(n) AS n FROM (%s) AS vs_parts GROUP BY v ORDER BY n DESC, v LIMIT %d) AS vs",
		s.dialect.text("v", c), each, limit)
	var list []listing.CategoryValue
	err = s.ask(ctx, text, func(row []sql.NullString) error {
		cell, err := c.cell(row[0].String, !row[0].Valid, s.clock)
		if err != nil {
			return err
		}
		one := listing.CategoryValue{}
		if cell.Set {
			key, err := schema.Columns[schema.Index(column)].Key(&cell)
			if err != nil {
				return err
			}
			one.Value = &key
		}
		one.Records, err = strconv.ParseInt(row[1].String, 10, 64)
		list = append(list, one)
		return err
	})
	return list, s.told(ctx, err)
}

// texts lists the different texts of a column, and refuses more than so many.
func (s *source) texts(ctx context.Context, column string, most int) ([]string, error) {
	c, name := s.column(column), s.sql(column)
	each, err := s.ofEachPart(ctx, func(table string) string {
		return "SELECT " + name + " AS v FROM " + table + " WHERE " + name + " IS NOT NULL GROUP BY " + name
	})
	if err != nil {
		return nil, err
	}
	text := fmt.Sprintf("SELECT %s FROM (SELECT v FROM (%s) AS vs_parts GROUP BY v LIMIT %d) AS vs", s.dialect.text("v", c), each, most+1)
	var list []string
	err = s.ask(ctx, text, func(row []sql.NullString) error {
		list = append(list, row[0].String)
		return nil
	})
	if err == nil && len(list) > most {
		err = refused.Wrongf("%s has more than %d different values: ignoring case works on columns with fewer", column, most)
	}
	return list, err
}

// Coverage says how many records there are, with a day and without, and which days they span, by one of the dates.
func (d *Databases) Coverage(ctx context.Context, t *Table, schema *dataset.Schema, date string) (tally.Coverage, error) {
	var c tally.Coverage
	s, err := d.source(ctx, t, schema)
	if err != nil {
		return c, err
	}
	return d.remembered(coverKey{t.Database, t.Name, date, s.clock.String(), true}, func() (tally.Coverage, error) {
		c, err := s.coverage(ctx, date, true)
		return c, s.told(ctx, err)
	})
}

// A reach is how many records there are, how many of them have a date, and the first and the last date. What was not counted
// is 1 where there is any.
type reach struct {
	records, dated int64
	first, last    dataset.Cell
	strays         bool // there are dates outside the years that there are
}

// reachOf asks how far the records go by a date, and how many there are where they are to be counted or where that costs nothing. Where
// the first or the last date cannot be read, it is asked again for those within the years that there are.
func (s *source) reachOf(ctx context.Context, column *Column, counted bool) (reach, error) {
	e, err := s.reachBy(ctx, column, s.sql(column.Name), counted)
	if err == nil || !errors.Is(err, errDate) || !s.dialect.strays() {
		return e, err
	}
	within := strings.Join((axis{s, column, false}).bounds(true, true), " AND ")
	e, err = s.reachBy(ctx, column, "CASE WHEN "+within+" THEN "+s.sql(column.Name)+" END", counted)
	e.strays = true
	return e, err
}

// errDate is that a date cannot be read.
var errDate = errors.New("a date cannot be read")

func (s *source) reachBy(ctx context.Context, column *Column, name string, counted bool) (reach, error) {
	var e reach
	all, dated := "1", "1"
	if counted = counted || s.dialect.counts(); counted {
		all, dated = "count(*)", "count("+name+")"
	}
	each, err := s.ofEachPart(ctx, func(table string) string {
		return fmt.Sprintf("SELECT %s AS n, %s AS d, min(%s) AS lo, max(%s) AS hi FROM %s", all, dated, name, name, table)
	})
	if err != nil {
		return e, err
	}
	text := fmt.Sprintf("SELECT n, d, %s, %s FROM (%s) AS vs", s.dialect.text("lo", column), s.dialect.text("hi", column), each)
	err = s.ask(ctx, text, func(row []sql.NullString) error {
		n, err1 := strconv.ParseInt(row[0].String, 10, 64)
		with, err2 := strconv.ParseInt(row[1].String, 10, 64)
		if e.records += n; with == 0 || !row[2].Valid {
			return errors.Join(err1, err2)
		}
		first, err3 := column.cell(row[2].String, false, s.clock)
		last, err4 := column.cell(row[3].String, false, s.clock)
		if read := errors.Join(err3, err4); read != nil {
			return errors.Join(errDate, read)
		}
		if e.dated += with; !e.first.Set || column.earlier(&first, &e.first) {
			e.first = first
		}
		if !e.last.Set || column.earlier(&e.last, &last) {
			e.last = last
		}
		return errors.Join(err1, err2)
	})
	return e, err
}

// coverage asks which days the records span, and how many there are where they are to be counted.
func (s *source) coverage(ctx context.Context, date string, counted bool) (tally.Coverage, error) {
	var c tally.Coverage
	e, err := s.reachOf(ctx, s.dateColumn(date), counted)
	s.databases.noteStrays(coverKey{database: s.table.Database, table: s.table.Name, date: date}, e.strays)
	if e.first.Set {
		c.AddMany(e.dated, e.first.Day, e.last.Day)
	}
	if counted {
		c.Undated = e.records - e.dated
	}
	return c, err
}

// Newest returns the newest day by one of the dates, and where they are times the first whole second after the newest of them;
// false where no record has any.
func (d *Databases) Newest(ctx context.Context, t *Table, schema *dataset.Schema, date string) (civil.AsOf, bool, error) {
	s, err := d.source(ctx, t, schema)
	if err != nil {
		return civil.AsOf{}, false, err
	}
	column := s.dateColumn(date)
	asOf, found := civil.AsOf{Clock: s.clock}, false
	e, err := s.reachOf(ctx, column, false)
	if found = e.last.Set; err == nil && found {
		if asOf.Day = e.last.Day; column.Form != Day {
			asOf.Timed, asOf.Moment = true, civil.SecondAfter(civil.Moment(e.last.Micros()))
		}
	}
	return asOf, found, s.told(ctx, err)
}

// A State is what a source can tell of itself.
type State struct {
	Records int64
	Newest  string // day or moment by which the records are kept; empty where there are none
}

// State asks how many records a table holds now, and which is the newest.
func (d *Databases) State(ctx context.Context, t *Table, schema *dataset.Schema) (State, error) {
	s, err := d.source(ctx, t, schema)
	if err != nil {
		return State{}, err
	}
	column := s.dateColumn("")
	e, err := s.reachOf(ctx, column, true)
	state := State{Records: e.records}
	if e.last.Set {
		if state.Newest = e.last.Day.String(); column.Form != Day {
			state.Newest = s.clock.Format(civil.Moment(e.last.Micros()))
		}
	}
	return state, s.told(ctx, err)
}

// covered says which records a plan's statement has looked at: those within its days. Those without a day are counted apart,
// and where a filter is put, it is looked whether any record is before.
func (g *grouping) covered(ctx context.Context) (tally.Coverage, *tally.Coverage, error) {
	whole, err := g.whole(ctx, g.plan.Date)
	if err != nil {
		return g.coverage, nil, err
	}
	c := g.coverage
	strays := g.databases.hasStrays(coverKey{database: g.table.Database, table: g.table.Name, date: g.plan.Date})
	if (g.axis.Nullable || strays) && len(g.lengths) == 0 {
		if c.Undated, err = g.undated(ctx, strays); err != nil {
			return c, &whole, err
		}
	}
	if c.Records > 0 && whole.Records > 0 && c.Oldest > whole.Oldest {
		before := len(g.plan.Where) == 0
		if !before {
			if before, err = g.before(ctx, c.Oldest); err != nil {
				return c, &whole, err
			}
		}
		if before {
			c.Oldest = whole.Oldest
		}
	}
	return c, &whole, nil
}

// whole is the coverage of all records, asked once in a while.
func (s *source) whole(ctx context.Context, date string) (tally.Coverage, error) {
	return s.databases.remembered(coverKey{s.table.Database, s.table.Name, date, s.clock.String(), false},
		func() (tally.Coverage, error) { return s.coverage(ctx, date, false) })
}

func (g *grouping) undated(ctx context.Context, strays bool) (int64, error) {
	none := g.sql(g.axis.Name) + " IS NULL"
	if strays {
		none = "(" + none + " OR NOT (" + strings.Join(g.axis.bounds(true, true), " AND ") + "))"
	}
	return g.count(ctx, append([]string{none}, g.where...))
}

// count counts the records that meet some conditions and the filters that are put to the records here.
func (g *grouping) count(ctx context.Context, where []string) (int64, error) {
	data := struct{ Texts, Tables, Selected, Where, Keys []string }{Where: where}
	var err error
	if data.Tables, err = g.parts(ctx); err != nil {
		return 0, err
	}
	for _, at := range g.here {
		one, name := g.selected[at], fmt.Sprintf("%sk%d", alias, at)
		expression, text := g.sql(one.Name), g.dialect.text(name, one.Column)
		if one.pieces != "" {
			expression, text = one.pieces, name
		}
		data.Selected, data.Keys = append(data.Selected, expression+" AS "+name), append(data.Keys, name)
		data.Texts = append(data.Texts, text)
	}
	data.Selected, data.Texts = append(data.Selected, "count(*) AS "+alias+"n"), append(data.Texts, alias+"n")
	n := int64(0)
	err = g.ask(ctx, statement("groups", data), func(row []sql.NullString) error {
		if g.pass != nil {
			all := make([]sql.NullString, len(g.selected))
			for i, at := range g.here {
				all[at] = row[i]
			}
			cells, err := g.cells(all)
			if err != nil || !g.pass(cells.all) {
				return err
			}
		}
		some, err := strconv.ParseInt(row[len(row)-1].String, 10, 64)
		n += some
		return err
	})
	return n, err
}

// before reports whether any record that passes the filters is before a day.
func (g *grouping) before(ctx context.Context, day civil.Day) (bool, error) {
	days := axis{g.source, g.axis.Column, false}
	where := append(days.run(tally.Stretch{Start: tally.Past, End: int64(day)}), g.where...)
	if g.pass != nil {
		n, err := g.count(ctx, where)
		return n > 0, err
	}
	any := false
	text, err := g.ofEachPart(ctx, func(table string) string {
		return fmt.Sprintf("SELECT * FROM (SELECT %s FROM %s WHERE %s LIMIT 1) AS vs", g.sql(g.axis.Name), table, strings.Join(where, " AND "))
	})
	if err != nil {
		return false, err
	}
	err = g.ask(ctx, text, func([]sql.NullString) error { any = true; return nil })
	return any, err
}

// points asks for the records at the earliest and the latest time of each group, and takes their values in.
func (g *grouping) points(ctx context.Context) error {
	data := struct {
		Texts, Selected, Where, Order []string
		Table, Page                   string
	}{Table: g.dialect.table(g.table.Name)}
	data.Where = append(g.axis.within(wantedRuns(g.plan)), g.where...)
	date := g.take(selected{Column: g.axis.Column})
	key := -1
	if c := g.column(g.table.Key); c != nil {
		key = g.take(selected{Column: c})
	}
	var amounts []int
	for i, a := range g.plan.Amounts {
		from := g.amounts[i]
		if from.sum >= 0 {
			from = taken{-1, g.take(selected{Column: g.column(a.Column)}), -1}
		}
		g.amounts[i] = from
		amounts = append(amounts, i)
	}
	for i, one := range g.selected {
		expression, text := g.sql(one.Name), g.dialect.text(fmt.Sprintf("%sk%d", alias, i), one.Column)
		if one.pieces != "" {
			expression, text = one.pieces, fmt.Sprintf("%sk%d", alias, i)
		}
		data.Selected, data.Texts = append(data.Selected, fmt.Sprintf("%s AS %sk%d", expression, alias, i)), append(data.Texts, text)
	}
	return g.stream(ctx, statement("records", data), func(row []sql.NullString) error {
		cells, err := g.cells(row)
		if err != nil {
			return err
		}
		if g.pass != nil && !g.pass(cells.all) {
			return nil
		}
		at := &cells.selected[date]
		place := int64(at.Day)
		if g.axis.Form != Day {
			place = at.Micros()
		}
		own := int64(at.Day)
		if g.plan.Timed {
			own = place
		}
		segment := g.plan.Segment(own)
		if !at.Set || !g.plan.Wanted(segment) {
			return nil
		}
		one, err := g.group(cells)
		if err != nil || one.Parts[segment] == nil {
			return err
		}
		sequence := int64(0)
		if key >= 0 && cells.selected[key].Fixed {
			sequence = cells.selected[key].Number.Digits
		}
		return g.takePoints(one.Parts[segment], amounts, cells, place, sequence)
	})
}

func (g *grouping) takePoints(t *tally.Part, amounts []int, cells rowCells, place, sequence int64) error {
	for _, i := range amounts {
		cell := g.cellOf(g.amounts[i], cells)
		first, last := &t.First[i], &t.Last[i]
		if !cell.Set || first.Set && place > first.At && place < last.At {
			continue
		}
		value, err := cell.Decimal()
		if err != nil {
			return err
		}
		q := pointOf(place, sequence, value)
		first.TakeEarlier(&q)
		last.TakeLater(&q)
	}
	return nil
}

// Lifetimes returns an attached table as records that begin and end.
func (d *Databases) Lifetimes(t *Table, schema *dataset.Schema) ageing.Source {
	return &lifetimes{d, t, schema}
}

type lifetimes struct {
	databases *Databases
	table     *Table
	schema    *dataset.Schema
}

// Lifetimes implements ageing.Source: records with the same two dates and label come together.
func (r *lifetimes) Lifetimes(ctx context.Context, q *ageing.Request, take func(ageing.Lifetime) error) error {
	s, err := r.databases.source(ctx, r.table, r.schema)
	if err != nil {
		return err
	}
	c := &conditioner{s, func(column string) ([]string, error) { return s.texts(ctx, column, maxFolded) }}
	where, err := c.conditions(q.Where)
	if err != nil {
		return s.told(ctx, err)
	}
	here := s.filteredHere(q.Where)
	pass, err := r.schema.Predicate(here)
	if err != nil {
		return err
	}
	names := []string{q.From, q.To}
	if q.By != "" {
		names = append(names, q.By)
	}
	names = append(names, here.Columns()...)
	amount := s.column(q.Amount)
	if amount != nil && amount.Form != Exact {
		names = append(names, q.Amount)
	}
	data := struct{ Texts, Tables, Selected, Where, Keys []string }{Where: where}
	if data.Tables, err = s.parts(ctx); err != nil {
		return s.told(ctx, err)
	}
	for i, name := range names {
		key := fmt.Sprintf("%sk%d", alias, i)
		data.Selected, data.Keys = append(data.Selected, s.sql(name)+" AS "+key), append(data.Keys, key)
		data.Texts = append(data.Texts, s.dialect.text(key, s.column(name)))
	}
	data.Selected, data.Texts = append(data.Selected, "count(*) AS "+alias+"n"), append(data.Texts, alias+"n")
	if amount != nil && amount.Form == Exact {
		data.Selected = append(data.Selected, s.dialect.sum(s.sql(q.Amount), amount)+" AS "+alias+"s")
		data.Texts = append(data.Texts, s.dialect.text(alias+"s", amount))
	}
	return s.told(ctx, s.ask(ctx, statement("groups", data), func(row []sql.NullString) error {
		cells := make([]dataset.Cell, len(names))
		all := make([]dataset.Cell, len(r.schema.Columns))
		for i, name := range names {
			var err error
			if cells[i], err = s.column(name).cell(row[i].String, !row[i].Valid, s.clock); err != nil {
				return err
			}
			all[r.schema.Index(name)] = cells[i]
		}
		if !pass(all) {
			return nil
		}
		lifetime, err := s.lifetime(q, cells, row[len(names):])
		if err != nil {
			return err
		}
		return take(lifetime)
	}))
}

// lifetime makes a lifetime of its cells, an amount being the last of them, and of the sums of a row.
func (s *source) lifetime(q *ageing.Request, cells []dataset.Cell, sums []sql.NullString) (ageing.Lifetime, error) {
	var lifetime ageing.Lifetime
	from, to := &cells[0], &cells[1]
	lifetime.Begun, lifetime.Begin, lifetime.Ended, lifetime.End = from.Set, from.Day, to.Set, to.Day
	if q.Moments && from.Set {
		lifetime.From = civil.Moment(from.Micros())
	}
	if q.Moments && to.Set {
		lifetime.To = civil.Moment(to.Micros())
	}
	var err error
	if q.By != "" {
		if lifetime.Label, err = s.schema.Columns[s.schema.Index(q.By)].Label(&cells[2]); err != nil {
			return lifetime, err
		}
	}
	if lifetime.Records, err = strconv.ParseInt(sums[0].String, 10, 64); err != nil || q.Amount == "" {
		return lifetime, err
	}
	if len(sums) > 1 {
		lifetime.Sum, err = decimal.Parse(sums[1].String)
		return lifetime, err
	}
	if last := &cells[len(cells)-1]; last.Set {
		d, err := last.Decimal()
		if err != nil {
			return lifetime, err
		}
		many := decimal.Int(lifetime.Records)
		lifetime.Sum.Set = true
		_, err = decimal.Exact.Mul(&lifetime.Sum.Decimal, d, &many.Decimal)
		return lifetime, err
	}
	return lifetime, nil
}

// shownRecords is how many records a look at a table shows.
const shownRecords = 3

// First returns the values of the first records of a table, column by column; instants in UTC. Blanks are left out.
func (d *Database) First(ctx context.Context, table string, columns []Column) ([][]string, error) {
	values := make([][]string, len(columns))
	err := d.peek(ctx, table, columns, shownRecords, func(i int, cell sql.NullString) error {
		if !cell.Valid {
			return nil
		}
		text := cell.String
		if c, err := columns[i].cell(text, false, civil.UTC); err == nil && !c.Moment.IsZero() {
			layout := time.RFC3339Nano
			if columns[i].Form == Wall {
				layout = "2006-01-02 15:04:05.999999"
			}
			text = c.Moment.Format(layout)
		}
		values[i] = append(values[i], text)
		return nil
	})
	return values, err
}

// sampledNumbers is how many records are looked at to find out with how many decimals numbers are shown.
const sampledNumbers = 1000

// Decimals says with how many decimals the numbers of columns of a table are written, as far as the first records show.
func (d *Database) Decimals(ctx context.Context, table string, columns []Column) ([]int, error) {
	decimals := make([]int, len(columns))
	err := d.peek(ctx, table, columns, sampledNumbers, func(i int, cell sql.NullString) error {
		number, err := numberCell(cell.String)
		if !cell.Valid || err != nil {
			return nil
		}
		value, err := number.Decimal()
		if err != nil {
			return err
		}
		decimals[i] = min(max(decimals[i], int(-value.Exponent)), dataset.MaxDecimals)
		return nil
	})
	return decimals, err
}

// peek gives take the cells of the first records of a table, each with the place of its column.
func (d *Database) peek(ctx context.Context, table string, columns []Column, records int64, take func(int, sql.NullString) error) error {
	if len(columns) == 0 {
		return nil
	}
	data := struct {
		Texts, Selected, Where, Order []string
		Table, Page                   string
	}{Table: d.dialect.table(table), Page: d.dialect.page(records, 0)}
	for i := range columns {
		name := fmt.Sprintf("%sc%d", alias, i)
		data.Selected = append(data.Selected, d.dialect.name(columns[i].Name)+" AS "+name)
		data.Texts = append(data.Texts, d.dialect.text(name, &columns[i]))
	}
	err := d.stream(ctx, statement("records", data), func(row []sql.NullString) error {
		for i, cell := range row {
			if err := take(i, cell); err != nil {
				return err
			}
		}
		return nil
	})
	return d.plainly(ctx, err)
}
