package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"strings"

	"gorm.io/gorm"

	"vastspan/core/civil"
	"vastspan/core/tally"
	"vastspan/internal/tabular"
)

// Facts answers a plan from a dataset: from the columns of its day sums in memory where they can
// answer, else in one pass of SQL over the day sums, else over the records; see tally.Source. The
// segment of a record is found by width_bucket over the plan's edges: SQL never sees a month.
func (s *Store) Facts(d *Dataset) tally.Source { return &records{s, d, fromColumns} }

// SumFacts is Facts without the columns in memory.
func (s *Store) SumFacts(d *Dataset) tally.Source { return &records{s, d, fromSums} }

// RecordFacts is Facts over the records themselves, whatever day sums there are.
func (s *Store) RecordFacts(d *Dataset) tally.Source { return &records{s, d, fromRecords} }

// nearest is the nearest place that facts may be read from.
type nearest int

const (
	fromRecords nearest = iota
	fromSums
	fromColumns
)

type records struct {
	store   *Store
	dataset *Dataset
	from    nearest
}

// Facts reads the facts and the extent in one snapshot, so that a load that lands meanwhile is either
// wholly in them or not at all.
func (r *records) Facts(ctx context.Context, p *tally.Plan, into tally.Sink) (tally.Extent, error) {
	if err := r.dataset.Schema.CheckPlan(p); err != nil {
		return tally.Extent{}, err
	}
	g := r.dataset.recordGrain(p.Date)
	if r.from >= fromSums && r.dataset.summed(p) {
		if r.from == fromColumns {
			if c, err := r.store.columns.current(ctx, r.dataset); err != nil {
				return tally.Extent{}, err
			} else if c != nil && c.holds(p) {
				return c.facts(p, into)
			}
		}
		g = r.dataset.sumGrain()
	}
	var extent tally.Extent
	err := r.store.transaction(ctx, func(tx *gorm.DB) error {
		var err error
		extent, err = r.snapshot(tx, g, p, into)
		return err
	}, readOnly)
	return extent, err
}

// snapshot asks for everything that a plan needs.
func (r *records) snapshot(tx *gorm.DB, g grain, p *tally.Plan, into tally.Sink) (tally.Extent, error) {
	if p.Top > 0 && p.Kept == nil {
		if err := r.rank(tx, g, p); err != nil {
			return tally.Extent{}, err
		}
	}
	extent, err := r.facts(tx, g, p, into)
	if err != nil {
		return extent, err
	}
	for i, name := range p.Amounts {
		if p.Moments[i] {
			if err := errors.Join(r.points(tx, p, i, name, false, into), r.points(tx, p, i, name, true, into)); err != nil {
				return extent, err
			}
		}
	}
	if len(p.Wholes) > 0 {
		err = r.wholes(tx, p, into)
	}
	return extent, err
}

// Extent tells how many records a dataset holds, with and without a day, and from when to when.
func (s *Store) Extent(ctx context.Context, d *Dataset) (tally.Extent, error) {
	if c, err := s.columns.current(ctx, d); err != nil || c != nil {
		return c.whole(), err
	}
	g := d.sumGrain()
	var extent tally.Extent
	rows, err := s.db.WithContext(ctx).Raw("SELECT " + g.day + " IS NULL, " + g.records + ", min(" + g.day + "), max(" + g.day + ") FROM " + g.table + " GROUP BY 1").Rows()
	if err != nil {
		return extent, err
	}
	defer rows.Close()
	for rows.Next() {
		var undated bool
		var part days
		if err := rows.Scan(&undated, &part.records, &part.oldest, &part.newest); err != nil {
			return extent, err
		}
		part.addTo(&extent)
	}
	return extent, rows.Err()
}

// days is how many records some rows stand for, and from when to when; no days where they have none.
type days struct {
	records        int64
	oldest, newest sql.NullTime
}

func (p *days) addTo(e *tally.Extent) {
	if !p.oldest.Valid {
		e.Undated += p.records
		return
	}
	oldest, newest := DayOf(p.oldest.Time), DayOf(p.newest.Time)
	if e.Records == 0 {
		e.Oldest, e.Newest = oldest, newest
	}
	e.Records += p.records
	e.Oldest, e.Newest = min(e.Oldest, oldest), max(e.Newest, newest)
}

// labels gives the SQL that tells the groups of a plan apart: of each category its value, and before
// them whether the first one is folded into the rest.
func (r *records) labels(p *tally.Plan) (columns []string, args []any) {
	for i, name := range p.By {
		c := quote(name)
		if i > 0 || p.Kept == nil {
			columns = append(columns, c)
			continue
		}
		kept := r.dataset.filter(tally.Filter{Column: name, Test: tally.Is, Values: p.Kept})
		if len(p.Kept) == 0 {
			kept = condition{"false", nil}
		}
		columns = append(columns, "CASE WHEN "+kept.sql+" THEN "+c+" END", "("+kept.sql+") IS NOT TRUE")
		args = append(append(args, kept.args...), kept.args...)
	}
	return columns, args
}

// scanLabels gives where to scan what labels selects, and how to read it.
func scanLabels(p *tally.Plan) (into []any, read func() []tally.Label) {
	texts := make([]sql.NullString, len(p.By))
	folded := new(sql.NullBool)
	for i := range texts {
		into = append(into, &texts[i])
		if i == 0 && p.Kept != nil {
			into = append(into, folded)
		}
	}
	return into, func() []tally.Label {
		var labels []tally.Label
		for i, t := range texts {
			if i == 0 && folded.Bool {
				labels = append(labels, tally.Rest)
			} else {
				labels = append(labels, tally.Label{Text: t.String, Set: t.Valid})
			}
		}
		return labels
	}
}

// places lists the numbers 1 to n, for GROUP BY.
func places(n int) string {
	list := make([]string, n)
	for i := range list {
		list[i] = fmt.Sprint(i + 1)
	}
	return strings.Join(list, ", ")
}

func (r *records) facts(tx *gorm.DB, g grain, p *tally.Plan, into tally.Sink) (tally.Extent, error) {
	var extent tally.Extent
	labels, labelArgs := r.labels(p)
	selects := append([]string{bucket(g.day)}, labels...)
	groups := places(len(selects))
	selects = append(selects, "min("+g.day+")", "max("+g.day+")", g.records)
	for i, name := range p.Amounts {
		parts := g.amount(name)
		if !p.Bounds[i] {
			parts[2], parts[3] = "NULL", "NULL"
		}
		selects = append(selects, parts[0], parts[1]+"::text", parts[2]+"::text", parts[3]+"::text")
	}
	conditions, args := where(r.dataset.filters(p.Where))
	statement := "SELECT " + strings.Join(selects, ", ") + " FROM " + g.table + conditions + " GROUP BY " + groups
	rows, err := tx.Raw(statement, slices.Concat([]any{edgeArray(p.Edges)}, labelArgs, args)...).Rows()
	if err != nil {
		return extent, err
	}
	defer rows.Close()
	for rows.Next() {
		fact, part, err := scanFact(rows, p)
		if err != nil {
			return extent, err
		}
		part.addTo(&extent)
		if part.oldest.Valid && p.Wanted(fact.Segment) {
			if err := into.Fact(fact); err != nil {
				return extent, err
			}
		}
	}
	return extent, rows.Err()
}

func scanFact(rows *sql.Rows, p *tally.Plan) (tally.Fact, days, error) {
	var part days
	var segment sql.NullInt64 // of a record without a day there is none
	f := tally.Fact{Amounts: make([]tally.Amount, len(p.Amounts))}
	figures := make([][3]sql.NullString, len(p.Amounts))
	labels, read := scanLabels(p)
	into := append([]any{&segment}, labels...)
	into = append(into, &part.oldest, &part.newest, &f.Count)
	for i := range f.Amounts {
		into = append(into, &f.Amounts[i].Count, &figures[i][0], &figures[i][1], &figures[i][2])
	}
	if err := rows.Scan(into...); err != nil {
		return f, part, err
	}
	f.Segment, part.records, f.Group = int(segment.Int64), f.Count, read()
	for i := range f.Amounts {
		a := &f.Amounts[i]
		if a.Count == 0 {
			continue
		}
		if err := scanAmount(a, figures[i], p.Bounds[i]); err != nil {
			return f, part, err
		}
	}
	return f, part, nil
}

func scanAmount(a *tally.Amount, figures [3]sql.NullString, bounds bool) error {
	_, _, err := a.Sum.SetString(figures[0].String)
	if err != nil || !bounds {
		return err
	}
	_, _, err1 := a.Min.SetString(figures[1].String)
	_, _, err2 := a.Max.SetString(figures[2].String)
	return errors.Join(err1, err2)
}

// segments lists those that a stretch asks for, or any stretch where it is -1, as an SQL array.
func segments(p *tally.Plan, stretch int) string {
	var list []string
	for seg := range len(p.Edges) + 1 {
		if stretch < 0 && p.Wanted(seg) || stretch >= 0 && p.In(seg, stretch) {
			list = append(list, fmt.Sprint(seg))
		}
	}
	return "ARRAY[" + strings.Join(list, ",") + "]::int[]"
}

// rank finds the top values of the first category, by the figure that ranks them, over the first stretch.
func (r *records) rank(tx *gorm.DB, g grain, p *tally.Plan) error {
	value := "count(*) FILTER (WHERE inside)"
	by, _ := p.Ranking()
	f := p.Figures[by]
	inner := []string{quote(p.By[0]) + " AS label", bucket(g.day) + " = ANY(" + segments(p, 0) + ") AS inside"}
	if g.summed {
		value = "coalesce(sum(" + quote(sumRecords) + ") FILTER (WHERE inside), 0)"
		inner = append(inner, quote(sumRecords))
	}
	if f.Kind != tally.Count {
		of := g.parts(f.Column)
		inner = append(inner, of[0]+" AS n", of[1]+" AS s", of[2]+" AS least", of[3]+" AS most")
		total, number := "sum(s) FILTER (WHERE inside)", "sum(n) FILTER (WHERE inside)"
		switch f.Kind {
		case tally.Sum:
			value = total
		case tally.Mean:
			value = "round(" + total + " / nullif(" + number + ", 0), scale(" + total + ") + 4)"
		case tally.Min:
			value = "min(least) FILTER (WHERE inside)"
		case tally.Max:
			value = "max(most) FILTER (WHERE inside)"
		}
	}
	conditions, args := where(append(r.dataset.filters(p.Where), condition{bucket(g.day) + " = ANY(" + segments(p, -1) + ")", []any{edgeArray(p.Edges)}}))
	statement := "SELECT label, count(*) OVER () FROM (SELECT " + strings.Join(inner, ", ") + " FROM " + g.table + conditions + ") AS looked GROUP BY label ORDER BY " +
		value + " DESC NULLS LAST, label COLLATE \"C\" NULLS LAST LIMIT " + fmt.Sprint(p.Top)
	rows, err := tx.Raw(statement, append([]any{edgeArray(p.Edges)}, args...)...).Rows()
	if err != nil {
		return err
	}
	defer rows.Close()
	kept, total := []tally.Label{}, 0
	for rows.Next() {
		var label sql.NullString
		if err := rows.Scan(&label, &total); err != nil {
			return err
		}
		kept = append(kept, tally.Label{Text: label.String, Set: label.Valid})
	}
	p.Keep(kept, total-len(kept))
	return rows.Err()
}

// Newest gives the newest day of a dataset by one of its dates; false where no record has any.
func (s *Store) Newest(ctx context.Context, d *Dataset, date string) (civil.Day, bool, error) {
	g := d.recordGrain(date)
	if d.dateColumn(date).Role == tabular.DayRole {
		g = d.sumGrain()
	}
	var newest sql.NullTime
	err := s.db.WithContext(ctx).Raw("SELECT max(" + g.day + ") FROM " + g.table).Row().Scan(&newest)
	if err != nil || !newest.Valid {
		return 0, false, err
	}
	return DayOf(newest.Time), true, nil
}
