package store

import (
	"context"
	"database/sql"
	"errors"
	"slices"
	"strconv"
	"sync/atomic"

	"gorm.io/gorm"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/measure"
	"vastspan/core/tally"
	"vastspan/internal/columns"
	"vastspan/internal/refused"
)

// Source returns a dataset to be totalled: from its rollup in memory where that can answer, else in one
// pass of SQL over the rollup, else over the records; see tally.Source. The segment of a record is found
// by width_bucket over the plan's cuts: SQL never sees a month.
func (s *Store) Source(d *Dataset) tally.Source {
	if d.Attached != nil {
		return counted{s.databases.Source(d.Attached, &d.Schema), &s.tallies.attached}
	}
	return &source{s, d, fromMemory}
}

// counted is a source whose totals are counted.
type counted struct {
	tally.Source
	n *atomic.Int64
}

// Partials implements tally.Source.
func (c counted) Partials(ctx context.Context, p *tally.Plan, into tally.Collector) (tally.Found, error) {
	c.n.Add(1)
	return c.Source.Partials(ctx, p, into)
}

// RollupSource is Source without the rollup in memory.
func (s *Store) RollupSource(d *Dataset) tally.Source { return &source{s, d, fromRollup} }

// FormSource is Source from the columnar form alone; false where there is none yet.
func (s *Store) FormSource(ctx context.Context, d *Dataset) (tally.Source, bool, error) {
	f, err := s.forms.current(ctx, d)
	if err != nil || f == nil {
		return nil, false, err
	}
	return f.Source(), true, nil
}

// RecordSource is Source over the records themselves, whatever rollup there is.
func (s *Store) RecordSource(d *Dataset) tally.Source { return &source{s, d, fromRecords} }

// level is what a source may read from, or what is below it.
type level int

const (
	fromRecords level = iota
	fromRollup
	fromMemory
)

type source struct {
	store   *Store
	dataset *Dataset
	from    level
}

// Partials reads partial results and coverage in one snapshot, so that a load that ends meanwhile is
// either wholly in them or not at all.
func (r *source) Partials(ctx context.Context, p *tally.Plan, into tally.Collector) (tally.Found, error) {
	if err := p.Check(r.dataset.Schema.With(p.Lengths)); err != nil {
		return tally.Found{}, err
	}
	if r.from == fromMemory {
		if found, answered, err := r.atHand(ctx, p, into); answered || err != nil {
			return found, err
		}
	}
	var found tally.Found
	d, err := r.store.with(ctx, r.dataset, p.Lengths)
	if err != nil {
		return found, err
	}
	r = &source{r.store, d, r.from}
	g := r.dataset.recordGrain(r.dataset.axis(p))
	tallied := &r.store.tallies.records
	if sums, ok := r.dataset.rollupFor(p); ok && r.from >= fromRollup {
		g, tallied = sums.grain(), &r.store.tallies.sums
	}
	tallied.Add(1)
	err = r.store.Snapshot(ctx, func(ctx context.Context) error {
		var err error
		found, err = r.snapshot(ctx, r.store.reader(ctx), g, p, into)
		return err
	})
	return found, err
}

// atHand answers from sums in memory, or from the columnar form; false where SQL has to.
func (r *source) atHand(ctx context.Context, p *tally.Plan, into tally.Collector) (found tally.Found, answered bool, err error) {
	if sums, ok := r.dataset.rollupFor(p); ok {
		if c, err := r.store.rollups.current(ctx, sums); err != nil {
			return found, false, err
		} else if c != nil && c.answers(p) {
			r.store.tallies.memory.Add(1)
			found, err = c.partials(ctx, p, into)
			return found, true, err
		}
	}
	answered, err = r.store.byForm(ctx, r.dataset, func(f *columns.Form) (err error) {
		found, err = f.Source().Partials(ctx, p, into)
		return err
	})
	if answered {
		r.store.tallies.form.Add(1)
	}
	return found, answered, err
}

// byForm puts a question to the columnar form of a dataset; false where there is none, or where its files are not as they were
// written, which a question finds out before it answers. Where that comes out in the middle, the question is to be asked again.
func (s *Store) byForm(ctx context.Context, d *Dataset, ask func(*columns.Form) error) (answered bool, err error) {
	form, err := s.forms.current(ctx, d)
	if err != nil || form == nil {
		return false, err
	}
	switch err = form.Read(func() error { return ask(form) }); {
	case columns.Faulted(err):
		s.forms.broken(d, form, err)
		return true, refused.Unavailable("a file of columns was damaged while it was read, and is made again", err)
	case columns.Broken(err):
		s.forms.broken(d, form, err)
		return false, nil
	}
	return true, err
}

// snapshot asks for everything that a plan needs.
func (r *source) snapshot(
	ctx context.Context, tx *gorm.DB, g grain, p *tally.Plan, into tally.Collector,
) (found tally.Found, err error) {
	if found.Top = p.Keep; p.Top > 0 && found.Top == nil {
		if found.Top, err = r.rank(ctx, tx, g, p); err != nil {
			return found, err
		}
	}
	l, err := r.labels(ctx, g, p, found.Top)
	if err != nil {
		return found, err
	}
	if found.Coverage, err = r.combining(tx, g, p, l, into); err != nil {
		return found, err
	}
	if len(p.Holistic) > 0 {
		err = r.holistic(tx, p, l, into)
	}
	return found, err
}

// combining asks for the partial results that combine.
func (r *source) combining(tx *gorm.DB, g grain, p *tally.Plan, l labels, into tally.Collector) (tally.Coverage, error) {
	coverage, err := r.partials(tx, g, p, l, into)
	for i := range p.Amounts {
		if p.Amounts[i].Needs&measure.NeedsFirstLast != 0 && err == nil {
			err = errors.Join(r.points(tx, p, l, i, false, into), r.points(tx, p, l, i, true, into))
		}
	}
	return coverage, err
}

// rank finds the top values of the first category.
func (r *source) rank(ctx context.Context, tx *gorm.DB, g grain, p *tally.Plan) (*tally.Top, error) {
	l, err := r.labels(ctx, g, p, nil)
	if err != nil {
		return nil, err
	}
	var list partialList
	if _, err := r.combining(tx, g, p, l, &list); err != nil {
		return nil, err
	}
	return p.RankTop(list.each)
}

// A partialList collects partial results.
type partialList []tally.Partial

// Partial adds a partial result.
func (l *partialList) Partial(p tally.Partial) error {
	*l = append(*l, p)
	return nil
}

// Holistic is not called: only partial results that combine are asked for.
func (l *partialList) Holistic(tally.Holistic) error { return nil }

func (l *partialList) each(yield func(*tally.Partial) bool) {
	for i := range *l {
		if !yield(&(*l)[i]) {
			return
		}
	}
}

// Coverage returns how many records a dataset holds, with a day and without, and which days they span.
func (s *Store) Coverage(ctx context.Context, d *Dataset) (tally.Coverage, error) {
	if d.Attached != nil {
		return s.databases.Coverage(ctx, d.Attached, &d.Schema, "")
	}
	if c, err := s.rollups.current(ctx, d.daySums()); err != nil || c != nil {
		return c.whole(), err
	}
	return s.coverage(ctx, d.daySums().grain())
}

// CoverageBy is Coverage by one of a dataset's dates; empty is the one that its records are kept by.
func (s *Store) CoverageBy(ctx context.Context, d *Dataset, date string) (tally.Coverage, error) {
	if d.Attached != nil {
		return s.databases.Coverage(ctx, d.Attached, &d.Schema, date)
	}
	if d.dateColumn(date).Role == dataset.DayRole {
		return s.Coverage(ctx, d)
	}
	var coverage tally.Coverage
	answered, err := s.byForm(ctx, d, func(f *columns.Form) (err error) {
		coverage, err = f.CoverageBy(ctx, date)
		return err
	})
	if answered || err != nil {
		return coverage, err
	}
	return s.coverage(ctx, d.recordGrain(d.dayAxis(date)))
}

func (s *Store) coverage(ctx context.Context, g grain) (tally.Coverage, error) {
	var coverage tally.Coverage
	rows, err := s.reader(ctx).Raw(statement("coverage", g)).Rows()
	if err != nil {
		return coverage, err
	}
	defer rows.Close()
	for rows.Next() {
		var undated bool
		var part extent
		if err := rows.Scan(&undated, &part.records, &part.oldest, &part.newest); err != nil {
			return coverage, err
		}
		part.addTo(&coverage, g.axis)
	}
	return coverage, rows.Err()
}

// labels is the SQL that tells the groups of a plan apart: of each category its value, and behind that
// of the first one whether it is among the others.
type labels struct {
	columns []string
	args    []any
	plan    *tally.Plan
	numbers []bool // of each category: its values are numbers
	top     bool
}

func (r *source) labels(ctx context.Context, g grain, p *tally.Plan, top *tally.Top) (labels, error) {
	l := labels{plan: p, top: top != nil}
	for i, name := range p.By {
		l.numbers = append(l.numbers, p.Part(i) == nil && r.dataset.isNumber(name))
		if p.Part(i) != nil {
			place, err := r.partSQL(ctx, g, p, i)
			if err != nil {
				return l, err
			}
			l.columns = append(l.columns, "("+place+")::text")
			continue
		}
		c := r.dataset.labelText(name)
		if i > 0 || top == nil {
			l.columns = append(l.columns, c)
			continue
		}
		kept := condition{"false", nil}
		if len(top.Values) > 0 {
			kept = r.dataset.isLabel(name, top.Values)
		}
		l.columns = append(l.columns, "CASE WHEN "+kept.sql+" THEN "+c+" END", "("+kept.sql+") IS NOT TRUE")
		l.args = append(append(l.args, kept.args...), kept.args...)
	}
	return l, nil
}

// scan returns where to scan what the labels select, and how to read it.
func (l *labels) scan() (into []any, read func() []dataset.Label) {
	texts := make([]sql.NullString, len(l.plan.By))
	isOther := new(sql.NullBool)
	for i := range texts {
		into = append(into, &texts[i])
		if i == 0 && l.top {
			into = append(into, isOther)
		}
	}
	return into, func() []dataset.Label {
		var group []dataset.Label
		for i, t := range texts {
			part := l.plan.Part(i)
			switch place, err := strconv.Atoi(t.String); {
			case i == 0 && isOther.Bool:
				group = append(group, dataset.Other)
			case part != nil && t.Valid && err == nil:
				group = append(group, part.Values[place-1])
			default:
				group = append(group, labelOf(t, l.numbers[i]))
			}
		}
		return group
	}
}

// maxAmounts is how many amounts one statement asks for: PostgreSQL answers with 1664 columns at most.
const maxAmounts = 400

// partials asks for partial results, of some amounts at a time where there are many.
func (r *source) partials(tx *gorm.DB, g grain, p *tally.Plan, l labels, into tally.Collector) (tally.Coverage, error) {
	coverage, err := r.partialsOf(tx, g, p, l, 0, into)
	for from := maxAmounts; from < len(p.Amounts) && err == nil; from += maxAmounts {
		_, err = r.partialsOf(tx, g, p, l, from, into)
	}
	return coverage, err
}

// partialsOf asks for partial results of the amounts from one on, and with the first of them for how
// many records there are.
func (r *source) partialsOf(
	tx *gorm.DB, g grain, p *tally.Plan, l labels, from int, into tally.Collector,
) (tally.Coverage, error) {
	var coverage tally.Coverage
	type amount struct {
		Count, Sum, Min, Max string
		Bounds               bool
	}
	asked := p.Amounts[from:min(from+maxAmounts, len(p.Amounts))]
	amounts := make([]amount, len(asked))
	for i, a := range asked {
		parts := g.amount(a.Column)
		amounts[i] = amount{parts[0], parts[1], parts[2], parts[3], a.Needs&measure.NeedsBounds != 0}
	}
	where, args := where(r.dataset.conditions(p.Where))
	query := statement(
		"partials",
		map[string]any{
			"Axis":    g.axis,
			"Labels":  l.columns,
			"Records": g.Records,
			"Amounts": amounts,
			"Table":   g.Table,
			"Where":   where,
			"Keys":    1 + len(l.columns),
		},
	)
	rows, err := tx.Raw(query, slices.Concat([]any{g.cuts(p.Cuts)}, l.args, args)...).Rows()
	if err != nil {
		return coverage, err
	}
	defer rows.Close()
	for rows.Next() {
		partial, part, err := scanPartial(rows, p, l, from, len(asked))
		if err != nil {
			return coverage, err
		}
		part.addTo(&coverage, g.axis)
		if from > 0 {
			partial.Count = 0 // they came with the first amounts
		}
		if part.oldest.Valid {
			partial.Oldest, partial.Newest = g.dayAt(part.oldest.Time), g.dayAt(part.newest.Time)
		}
		if part.oldest.Valid && p.Wanted(partial.Segment) {
			if err := into.Partial(partial); err != nil {
				return coverage, err
			}
		}
	}
	return coverage, rows.Err()
}

func scanPartial(rows *sql.Rows, p *tally.Plan, l labels, from, asked int) (tally.Partial, extent, error) {
	var part extent
	var segment sql.NullInt64 // of a record without a day there is none
	var f tally.Partial
	f.Sums = make([]measure.Sums, len(p.Amounts))
	counts := make([]int64, asked)
	texts := make([][3]sql.NullString, asked)
	into, read := l.scan()
	into = append(append([]any{&segment}, into...), &part.oldest, &part.newest, &f.Count)
	for i := range counts {
		into = append(into, &counts[i], &texts[i][0], &texts[i][1], &texts[i][2])
	}
	if err := rows.Scan(into...); err != nil {
		return f, part, err
	}
	f.Segment, part.records, f.Group = int(segment.Int64), f.Count, read()
	for i, n := range counts {
		if n == 0 {
			continue
		}
		a := measure.Amount{Count: n}
		if err := scanAmount(&a, texts[i]); err != nil {
			return f, part, err
		}
		if err := f.Sums[from+i].AddAmount(&a); err != nil {
			return f, part, err
		}
	}
	return f, part, nil
}

func scanAmount(a *measure.Amount, texts [3]sql.NullString) error {
	_, _, err := a.Sum.SetString(texts[0].String)
	if err != nil || !texts[1].Valid {
		return err
	}
	_, _, err1 := a.Min.SetString(texts[1].String)
	_, _, err2 := a.Max.SetString(texts[2].String)
	return errors.Join(err1, err2)
}

// Newest returns the newest day of a dataset by one of its dates, and where they are times the first whole second after
// the newest of them; false where no record has any.
func (s *Store) Newest(ctx context.Context, d *Dataset, date string) (civil.AsOf, bool, error) {
	if d.Attached != nil {
		return s.databases.Newest(ctx, d.Attached, &d.Schema, date)
	}
	g := d.recordGrain(d.dayAxis(date))
	column := d.dateColumn(date)
	if column.Role == dataset.DayRole {
		g = d.daySums().grain()
	}
	asOf := civil.AsOf{Clock: d.clock()}
	var cell dataset.Cell
	answered, err := s.byForm(ctx, d, func(f *columns.Form) (err error) {
		cell, err = f.Newest(date)
		return err
	})
	if answered || err != nil {
		asOf.Day = cell.Day
		if asOf.Timed = cell.Set && column.Type == dataset.Timestamp; asOf.Timed {
			asOf.Moment = civil.SecondAfter(civil.Moment(cell.Micros()))
		}
		return asOf, cell.Set, err
	}
	var newest sql.NullTime
	err = s.reader(ctx).Raw("SELECT max(" + g.At + ") FROM " + g.Table).Row().Scan(&newest)
	if err != nil || !newest.Valid {
		return asOf, false, err
	}
	asOf.Day = DayOf(newest.Time)
	if column.Type != dataset.Timestamp {
		return asOf, true, nil
	}
	a := d.momentAxis(date)
	clauses, args := where([]condition{daysOf(d.dayOf(column), civil.SetOf(civil.One(asOf.Day)))})
	if err := s.reader(ctx).Raw("SELECT max("+a.At+") FROM "+d.table()+" "+clauses, args...).Row().Scan(&newest); err != nil {
		return asOf, false, err
	}
	asOf.Timed = true
	asOf.Moment = civil.SecondAfter(civil.Moment(newest.Time.UnixMicro()))
	return asOf, true, nil
}
