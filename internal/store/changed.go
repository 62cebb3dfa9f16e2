package store

import (
	"context"
	"database/sql"
	"fmt"
	"strings"
	"time"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/tally"
)

// A ChangedListing asks for what changed between two states of a dataset: among the records of some days that meet filters.
type ChangedListing struct {
	Period  tally.Period
	Where   dataset.Filters
	Date    string
	Key     []string // columns by which a record that went and one that came are the same; none where none are
	Amounts []string
	Limit   int // at least 1
	Offset  int64
}

// A ChangedRecord is a record that came (no Before), went (no After) or changed. Effects are what that did to each amount.
type ChangedRecord struct {
	Day           civil.Day
	Before, After []*string
	Effects       []decimal.Value
}

// A ChangedSum is how many records came, went or changed, and what that did to each amount.
type ChangedSum struct {
	Records int64
	Effects []decimal.Value
}

// StateChanges are the changes between two states, and their sums.
type StateChanges struct {
	Came, Went, Altered ChangedSum
	Records             []ChangedRecord
	More                bool
}

// ChangesBetween lists what changed from an earlier state of a dataset to a later one, of the records that have a day, the newest day
// first.
func (s *Store) ChangesBetween(ctx context.Context, earlier, d *Dataset, l ChangedListing) (*StateChanges, error) {
	where, err := s.changedWhere(ctx, earlier, d, &l)
	if err != nil {
		return nil, err
	}
	clauses, args := where.clauses, where.args
	columns := d.recordColumns()
	alike := columns[sincePosition+1:] // all but the record and its change
	values := make([]string, len(d.Schema.Columns))
	for i := range values {
		values[i] = storedColumn(i)
	}
	with := statement("changed", map[string]any{
		"Columns": append([]string{columns[0]}, alike...), "Past": d.pastTable(), "Table": d.table(), "From": earlier.Version, "Until": d.Version,
		"Alike": alike, "Where": clauses, "Key": d.columns(l.Key), "Day": d.order(l.Date).day, "Values": values,
	})
	c := &StateChanges{}
	if err := s.changedSums(ctx, d, c, with, args, l.Amounts); err != nil {
		return nil, err
	}
	return c, s.changedRecords(ctx, d, c, with, args, &l)
}

type boundClauses struct {
	clauses string
	args    []any
}

func (s *Store) changedWhere(ctx context.Context, earlier, d *Dataset, l *ChangedListing) (b boundClauses, err error) {
	if err := d.Schema.CheckFilters(l.Where); err != nil {
		return b, err
	}
	l.Where, err = l.Where.OnDates(d.clock(), func(column string) (civil.Interval, error) {
		var both tally.Coverage
		for _, state := range []*Dataset{earlier, d} {
			c, err := s.CoverageBy(ctx, state, column)
			if err != nil {
				return civil.Interval{}, err
			}
			both.Merge(c)
		}
		if both.Records == 0 {
			return civil.Interval{}, nil
		}
		return civil.Through(both.Oldest, both.Newest), nil
	})
	if err != nil {
		return b, err
	}
	b.clauses, b.args = where(d.listed(Listing{Period: l.Period, Date: l.Date, Where: l.Where}))
	return b, nil
}

// effects is the SQL of what changes did to amounts.
func (d *Dataset) effects(amounts []string, of string) []string {
	list := make([]string, len(amounts))
	for i, name := range amounts {
		c := d.column(name)
		list[i] = fmt.Sprintf(of, fmt.Sprintf("coalesce(%[1]s_after, 0) - coalesce(%[1]s_before, 0)", c))
	}
	return list
}

func (s *Store) changedSums(ctx context.Context, d *Dataset, c *StateChanges, with string, args []any, amounts []string) error {
	selected := append([]string{"before", "after", "count(*)"}, d.effects(amounts, "coalesce(sum(%s), 0)::text")...)
	rows, err := s.reader(ctx).Raw(with+" SELECT "+strings.Join(selected, ", ")+" FROM changed GROUP BY 1, 2", args...).Rows()
	if err != nil {
		return err
	}
	defer rows.Close()
	for _, sum := range []*ChangedSum{&c.Came, &c.Went, &c.Altered} {
		sum.Effects = make([]decimal.Value, len(amounts))
		for i := range sum.Effects {
			sum.Effects[i] = decimal.Int(0)
		}
	}
	for rows.Next() {
		var before, after bool
		var n int64
		texts := make([]string, len(amounts))
		into := []any{&before, &after, &n}
		for i := range texts {
			into = append(into, &texts[i])
		}
		if err := rows.Scan(into...); err != nil {
			return err
		}
		sum := &c.Altered
		switch {
		case !before:
			sum = &c.Came
		case !after:
			sum = &c.Went
		}
		sum.Records = n
		for i, text := range texts {
			if sum.Effects[i], err = decimal.Parse(text); err != nil {
				return err
			}
		}
	}
	return rows.Err()
}

func (s *Store) changedRecords(ctx context.Context, d *Dataset, c *StateChanges, with string, args []any, l *ChangedListing) error {
	selected := []string{"before", "after", "day"}
	for i, column := range d.Schema.Columns {
		for _, side := range []string{"_before", "_after"} {
			text := storedColumn(i) + side
			if column.Type != dataset.Timestamp {
				text += "::text"
			}
			selected = append(selected, text)
		}
	}
	selected = append(selected, d.effects(l.Amounts, "(%s)::text")...)
	query := fmt.Sprintf("%s SELECT %s FROM changed ORDER BY day DESC, record DESC LIMIT %d OFFSET %d",
		with, strings.Join(selected, ", "), l.Limit+1, l.Offset)
	rows, err := s.reader(ctx).Raw(query, args...).Rows()
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		if len(c.Records) == l.Limit {
			c.More = true
			break
		}
		r, err := scanChanged(rows, d, len(l.Amounts))
		if err != nil {
			return err
		}
		c.Records = append(c.Records, r)
	}
	return rows.Err()
}

// scanChanged reads a row of changes.
func scanChanged(rows *sql.Rows, d *Dataset, amounts int) (r ChangedRecord, err error) {
	n := len(d.Schema.Columns)
	var before, after bool
	var day time.Time
	cells, moments, effects := make([]*string, 2*n), make([]sql.NullTime, 2*n), make([]string, amounts)
	into := []any{&before, &after, &day}
	for i := range cells {
		if d.Schema.Columns[i/2].Type == dataset.Timestamp {
			into = append(into, &moments[i])
		} else {
			into = append(into, &cells[i])
		}
	}
	for i := range effects {
		into = append(into, &effects[i])
	}
	if err := rows.Scan(into...); err != nil {
		return r, err
	}
	for i, m := range moments {
		if m.Valid {
			text := m.Time.In(d.clock().Zone()).Format(time.RFC3339Nano)
			cells[i] = &text
		}
	}
	r.Day = DayOf(day)
	for i := range n {
		if before {
			r.Before = append(r.Before, cells[2*i])
		}
		if after {
			r.After = append(r.After, cells[2*i+1])
		}
	}
	for _, text := range effects {
		v, err := decimal.Parse(text)
		if err != nil {
			return r, err
		}
		r.Effects = append(r.Effects, v)
	}
	return r, nil
}
