package store

import (
	"context"
	"database/sql"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/cockroachdb/apd/v3"
	"gorm.io/gorm"

	"vastspan/core/civil"
	"vastspan/core/tally"
	"vastspan/internal/tabular"
)

// A Record is one record as text, in the order of the schema's columns.
type Record struct {
	ID    int64
	Day   civil.Day
	Cells []sql.NullString
}

// A Listing asks for records of some days, by one of the dataset's dates; empty is its own.
type Listing struct {
	Days        civil.Set
	Where       []tally.Filter
	Date        string
	OldestFirst bool
	Limit       int     // 0 for all
	After       *Record // the record that the page before ended with
}

// Records lists a dataset's records with a day.
func (s *Store) Records(ctx context.Context, d *Dataset, l Listing) ([]Record, error) {
	var list []Record
	err := s.EachRecord(ctx, d, l, func(r Record) error { list = append(list, r); return nil })
	return list, err
}

// EachRecord gives a dataset's records with a day one after the other; none is kept.
func (s *Store) EachRecord(ctx context.Context, d *Dataset, l Listing, take func(Record) error) error {
	if err := d.Schema.CheckFilters(l.Where); err != nil {
		return err
	}
	zone, err := d.Schema.Location()
	if err != nil {
		return err
	}
	day := d.dayOf(d.dateColumn(l.Date))
	selects := []string{quote(recordColumn), day}
	for _, c := range d.Schema.Columns {
		if c.Type == tabular.Timestamp {
			selects = append(selects, quote(c.Name))
		} else {
			selects = append(selects, quote(c.Name)+"::text")
		}
	}
	direction, beyond := " DESC", " < "
	if l.OldestFirst {
		direction, beyond = "", " > "
	}
	conditions := d.listed(l)
	if l.After != nil {
		conditions = append(conditions, condition{"(" + day + ", " + quote(recordColumn) + ")" + beyond + "(?::date, ?)", []any{l.After.Day.String(), l.After.ID}})
	}
	clauses, args := where(conditions)
	statement := "SELECT " + strings.Join(selects, ", ") + " FROM " + d.table() + clauses + " ORDER BY 2" + direction + ", 1" + direction
	if l.Limit > 0 {
		statement += fmt.Sprintf(" LIMIT %d", l.Limit)
	}
	return s.transaction(ctx, func(tx *gorm.DB) error {
		rows, err := tx.Raw(statement, args...).Rows()
		if err != nil {
			return err
		}
		defer rows.Close()
		for rows.Next() {
			r, err := d.scanRecord(rows, zone)
			if err != nil {
				return err
			}
			if err := take(r); err != nil {
				return err
			}
		}
		return rows.Err()
	}, readOnly)
}

// listed gives the conditions of a listing, but for where it begins.
func (d *Dataset) listed(l Listing) []condition {
	day := d.dayOf(d.dateColumn(l.Date))
	conditions := append(within(day, l.Days.Hull()), d.filters(l.Where)...)
	if l.Days.Len() > 1 {
		conditions = append(conditions, inside(day, l.Days))
	}
	return conditions
}

// SumThrough adds an amount up over the records of a listing through the one that the page before
// ended with.
func (s *Store) SumThrough(ctx context.Context, d *Dataset, l Listing, amount string) (tally.Value, error) {
	var v tally.Value
	if l.After == nil {
		return v, nil
	}
	through := " >= "
	if l.OldestFirst {
		through = " <= "
	}
	day := d.dayOf(d.dateColumn(l.Date))
	conditions := append(d.listed(l), condition{"(" + day + ", " + quote(recordColumn) + ")" + through + "(?::date, ?)", []any{l.After.Day.String(), l.After.ID}})
	clauses, args := where(conditions)
	var sum sql.NullString
	err := s.db.WithContext(ctx).Raw("SELECT sum("+quote(amount)+")::text FROM "+d.table()+clauses, args...).Row().Scan(&sum)
	if err != nil || !sum.Valid {
		return v, err
	}
	decimal, _, err := apd.NewFromString(sum.String)
	if err != nil {
		return v, err
	}
	return tally.Value{Decimal: *decimal, Set: true}, nil
}

// Around gives the last records before a day and the first from it on, both in time order.
func (s *Store) Around(ctx context.Context, d *Dataset, l Listing, day civil.Day) (before, from []Record, err error) {
	l.Days, l.OldestFirst = civil.SetOf(civil.Interval{Start: civil.Since, End: day}), false
	if before, err = s.Records(ctx, d, l); err != nil {
		return nil, nil, err
	}
	slices.Reverse(before)
	l.Days, l.OldestFirst = civil.SetOf(civil.Interval{Start: day, End: civil.Onward}), true
	from, err = s.Records(ctx, d, l)
	return before, from, err
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
