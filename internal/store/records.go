package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"strings"
	"time"

	"gorm.io/gorm"

	"vastspan/core/civil"
	"vastspan/core/tally"
	"vastspan/internal/tabular"
)

// Facts answers a plan from a dataset in one pass of SQL, over its day sums where they can answer,
// else over its records; see tally.Source. The segment of a record is found by width_bucket over the
// plan's edges: SQL never sees a month.
func (s *Store) Facts(d *Dataset) tally.Source { return &records{s, d, true} }

// RecordFacts is Facts over the records themselves, whatever day sums there are.
func (s *Store) RecordFacts(d *Dataset) tally.Source { return &records{s, d, false} }

type records struct {
	store   *Store
	dataset *Dataset
	sums    bool // day sums may answer
}

// A condition is SQL with its arguments.
type condition struct {
	sql  string
	args []any
}

func where(conditions []condition) (string, []any) {
	if len(conditions) == 0 {
		return "", nil
	}
	var parts []string
	var args []any
	for _, c := range conditions {
		parts = append(parts, c.sql)
		args = append(args, c.args...)
	}
	return " WHERE " + strings.Join(parts, " AND "), args
}

// filters turns filters into conditions. They have been checked against the schema.
func (d *Dataset) filters(where []tally.Filter) []condition {
	var conditions []condition
	for _, f := range where {
		conditions = append(conditions, d.filter(f))
	}
	return conditions
}

func (d *Dataset) filter(f tally.Filter) condition {
	c, _ := d.Schema.Column(f.Column)
	expression, cast := quote(f.Column), ""
	var values []string
	blank := false
	for _, l := range f.Values {
		blank = blank || !l.Set
		if l.Set {
			values = append(values, l.Text)
		}
	}
	switch c.Type {
	case tabular.Number:
		cast = "::numeric"
	case tabular.Timestamp:
		expression = "(" + expression + " AT TIME ZONE " + literal(d.Schema.Zone) + ")::date"
		fallthrough
	case tabular.Date:
		cast, values = "::date", d.Schema.FilterDays(f)
	}
	switch f.Test {
	case tally.Contains:
		return condition{"strpos(" + expression + ", ?) > 0", []any{values[0]}}
	case tally.AtLeast:
		return condition{expression + " >= ?" + cast, []any{values[0]}}
	case tally.AtMost:
		return condition{expression + " <= ?" + cast, []any{values[0]}}
	}
	among := condition{"false", nil}
	if len(values) > 0 {
		holders := make([]string, len(values))
		args := make([]any, len(values))
		for i, v := range values {
			holders[i], args[i] = "?"+cast, v
		}
		among = condition{expression + " IN (" + strings.Join(holders, ", ") + ")", args}
	}
	// A comparison with blank is neither true nor false; what blanks do is said in full.
	if f.Test == tally.IsNot {
		if blank {
			return condition{"(" + expression + " IS NOT NULL AND NOT (" + among.sql + "))", among.args}
		}
		return condition{"(" + expression + " IS NULL OR NOT (" + among.sql + "))", among.args}
	}
	if blank {
		return condition{"(" + expression + " IS NULL OR " + among.sql + ")", among.args}
	}
	return condition{"(" + among.sql + ")", among.args}
}

// literal writes a text as an SQL literal.
func literal(s string) string { return "'" + strings.ReplaceAll(s, "'", "''") + "'" }

// dateArray writes days as a date[] literal.
func dateArray(days []civil.Day) string {
	texts := make([]string, len(days))
	for i, d := range days {
		texts[i] = d.String()
	}
	return "{" + strings.Join(texts, ",") + "}"
}

// within keeps the days of an interval; day is the SQL of the day.
func within(day string, v civil.Interval) []condition {
	if v.Empty() {
		return []condition{{"false", nil}}
	}
	conditions := []condition{{day + " IS NOT NULL", nil}}
	if v.Start != civil.Since {
		conditions = append(conditions, condition{day + " >= ?::date", []any{v.Start.String()}})
	}
	if v.End != civil.Onward {
		conditions = append(conditions, condition{day + " < ?::date", []any{v.End.String()}})
	}
	return conditions
}

// Facts reads the facts and the extent in one statement, so that a load that lands meanwhile is either
// wholly in them or not at all.
func (r *records) Facts(ctx context.Context, p *tally.Plan, yield func(tally.Fact) error) (tally.Extent, error) {
	if err := r.dataset.Schema.CheckPlan(p); err != nil {
		return tally.Extent{}, err
	}
	g := r.dataset.recordGrain()
	if r.sums && r.dataset.summed(p) {
		g = r.dataset.sumGrain()
	}
	var extent tally.Extent
	err := r.store.transaction(ctx, func(tx *gorm.DB) error {
		var err error
		extent, err = r.facts(tx, g, p, yield)
		return err
	}, readOnly)
	return extent, err
}

// Extent tells how many records a dataset holds, with and without a day, and from when to when.
func (s *Store) Extent(ctx context.Context, d *Dataset) (tally.Extent, error) {
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

func (r *records) facts(tx *gorm.DB, g grain, p *tally.Plan, yield func(tally.Fact) error) (tally.Extent, error) {
	var extent tally.Extent
	selects := []string{"width_bucket(" + g.day + ", ?::date[])", "min(" + g.day + ")", "max(" + g.day + ")"}
	groups := []string{"1"}
	for i, name := range p.By {
		selects = append(selects, quote(name))
		groups = append(groups, fmt.Sprint(i+4))
	}
	selects = append(selects, g.records)
	for _, name := range p.Amounts {
		parts := g.amount(name)
		selects = append(selects, parts[0], parts[1]+"::text", parts[2]+"::text", parts[3]+"::text")
	}
	conditions, args := where(r.dataset.filters(p.Where))
	statement := "SELECT " + strings.Join(selects, ", ") + " FROM " + g.table + conditions + " GROUP BY " + strings.Join(groups, ", ")
	rows, err := tx.Raw(statement, append([]any{dateArray(p.Edges)}, args...)...).Rows()
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
			if err := yield(fact); err != nil {
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
	labels := make([]sql.NullString, len(p.By))
	figures := make([][3]sql.NullString, len(p.Amounts))
	into := []any{&segment, &part.oldest, &part.newest}
	for i := range labels {
		into = append(into, &labels[i])
	}
	into = append(into, &f.Count)
	for i := range f.Amounts {
		into = append(into, &f.Amounts[i].Count, &figures[i][0], &figures[i][1], &figures[i][2])
	}
	if err := rows.Scan(into...); err != nil {
		return f, part, err
	}
	f.Segment, part.records = int(segment.Int64), f.Count
	for _, l := range labels {
		f.Group = append(f.Group, tally.Label{Text: l.String, Set: l.Valid})
	}
	for i := range f.Amounts {
		a := &f.Amounts[i]
		if a.Count == 0 {
			continue
		}
		_, _, err1 := a.Sum.SetString(figures[i][0].String)
		_, _, err2 := a.Min.SetString(figures[i][1].String)
		_, _, err3 := a.Max.SetString(figures[i][2].String)
		if err := errors.Join(err1, err2, err3); err != nil {
			return f, part, err
		}
	}
	return f, part, nil
}

// A Record is one record as text, in the order of the schema's columns.
type Record struct {
	ID    int64
	Day   civil.Day
	Cells []sql.NullString
}

// A Listing asks for records, newest first. After is the record that the page before ended with.
type Listing struct {
	Days  civil.Set
	Where []tally.Filter
	Limit int
	After *Record
}

// Records lists a dataset's records with a day.
func (s *Store) Records(ctx context.Context, d *Dataset, l Listing) ([]Record, error) {
	if err := d.Schema.CheckFilters(l.Where); err != nil {
		return nil, err
	}
	zone, err := d.Schema.Location()
	if err != nil {
		return nil, err
	}
	selects := []string{quote(recordColumn), d.day()}
	for _, c := range d.Schema.Columns {
		if c.Type == tabular.Timestamp {
			selects = append(selects, quote(c.Name))
		} else {
			selects = append(selects, quote(c.Name)+"::text")
		}
	}
	conditions := append(within(d.day(), l.Days.Hull()), d.filters(l.Where)...)
	if l.Days.Len() > 1 {
		conditions = append(conditions, d.inside(l.Days))
	}
	if l.After != nil {
		conditions = append(conditions, condition{"(" + d.day() + ", " + quote(recordColumn) + ") < (?::date, ?)", []any{l.After.Day.String(), l.After.ID}})
	}
	clauses, args := where(conditions)
	statement := "SELECT " + strings.Join(selects, ", ") + " FROM " + d.table() + clauses +
		" ORDER BY 2 DESC, 1 DESC LIMIT ?"
	rows, err := s.db.WithContext(ctx).Raw(statement, append(args, l.Limit)...).Rows()
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var list []Record
	for rows.Next() {
		r, err := d.scanRecord(rows, zone)
		if err != nil {
			return nil, err
		}
		list = append(list, r)
	}
	return list, rows.Err()
}

// inside keeps the days of a set of several intervals: those in every other segment.
func (d *Dataset) inside(set civil.Set) condition {
	var edges []civil.Day
	odd := 1
	for v := range set.Intervals() {
		if v.Start == civil.Since {
			odd = 0
		} else {
			edges = append(edges, v.Start)
		}
		if v.End != civil.Onward {
			edges = append(edges, v.End)
		}
	}
	return condition{"width_bucket(" + d.day() + ", ?::date[]) % 2 = ?", []any{dateArray(edges), odd}}
}

func (d *Dataset) scanRecord(rows *sql.Rows, zone *time.Location) (Record, error) {
	r := Record{Cells: make([]sql.NullString, len(d.Schema.Columns))}
	var day time.Time
	moments := make([]sql.NullTime, len(d.Schema.Columns))
	into := []any{&r.ID, &day}
	for i, c := range d.Schema.Columns {
		if c.Type == tabular.Timestamp {
			into = append(into, &moments[i])
		} else {
			into = append(into, &r.Cells[i])
		}
	}
	if err := rows.Scan(into...); err != nil {
		return r, err
	}
	r.Day = DayOf(day)
	for i, m := range moments {
		if m.Valid {
			r.Cells[i] = sql.NullString{String: m.Time.In(zone).Format(time.RFC3339), Valid: true}
		}
	}
	return r, nil
}

// A CategoryValue is one value of a category; Value is not set for blank.
type CategoryValue struct {
	Value   sql.NullString
	Records int64
}

// Values lists the values of a category, the most frequent first.
func (s *Store) Values(ctx context.Context, d *Dataset, column string, limit int) ([]CategoryValue, error) {
	c := quote(column)
	var values []CategoryValue
	err := s.db.WithContext(ctx).Raw("SELECT "+c+" AS value, count(*) AS records FROM "+d.table()+" GROUP BY 1 ORDER BY 2 DESC, 1 LIMIT ?", limit).Scan(&values).Error
	return values, err
}
