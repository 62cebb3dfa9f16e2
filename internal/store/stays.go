package store

import (
	"context"
	"database/sql"

	"vastspan/core/ageing"
	"vastspan/core/civil"
	"vastspan/core/decimal"
	"vastspan/internal/columns"
)

// StaySource returns the records of a dataset as they begin and end.
func (s *Store) StaySource(d *Dataset) ageing.Source {
	if d.Attached != nil {
		return s.databases.Stays(d.Attached, &d.Schema)
	}
	return &staySource{s, d, fromMemory}
}

type staySource struct {
	store   *Store
	dataset *Dataset
	from    level
}

// Stays implements ageing.Source: records with the same two days and label come together.
func (r *staySource) Stays(ctx context.Context, q *ageing.Request, take func(ageing.Stay) error) error {
	d := r.dataset
	if r.from == fromMemory {
		answered, err := r.store.byForm(ctx, d, func(f *columns.Form) error { return f.Stays().Stays(ctx, q, take) })
		if answered || err != nil {
			return err
		}
	}
	label, sum, begin, end := "NULL::text", "NULL::text", "NULL::bigint", "NULL::bigint"
	if q.Moments {
		micros := func(name string) string { return "(extract(epoch FROM " + d.column(name) + ") * 1000000)::bigint" }
		begin, end = micros(q.From), micros(q.To)
	}
	number := q.By != "" && d.isNumber(q.By)
	if q.By != "" {
		label = d.labelText(q.By)
	}
	if q.Amount != "" {
		sum = "sum(" + d.column(q.Amount) + ")::text"
	}
	keep, args := where(d.conditions(q.Where))
	text := "SELECT " + d.dayOf(d.dateColumn(q.From)) + ", " + d.dayOf(d.dateColumn(q.To)) + ", " + label + ", " + begin + ", " + end +
		", count(*), " + sum + " FROM " + d.table() + " " + keep + " GROUP BY 1, 2, 3, 4, 5"
	return r.store.Snapshot(ctx, func(ctx context.Context) error {
		rows, err := r.store.reader(ctx).Raw(text, args...).Rows()
		if err != nil {
			return err
		}
		defer rows.Close()
		for rows.Next() {
			stay, err := scanStay(rows, number)
			if err != nil {
				return err
			}
			if err := take(stay); err != nil {
				return err
			}
		}
		return rows.Err()
	})
}

func scanStay(rows *sql.Rows, number bool) (ageing.Stay, error) {
	var from, to sql.NullTime
	var label, sum sql.NullString
	var begin, end sql.NullInt64
	var s ageing.Stay
	if err := rows.Scan(&from, &to, &label, &begin, &end, &s.Records, &sum); err != nil {
		return s, err
	}
	if s.From = civil.Moment(begin.Int64); end.Valid {
		s.To = civil.Moment(end.Int64)
	}
	if s.Begun = from.Valid; s.Begun {
		s.Begin = DayOf(from.Time)
	}
	if s.Ended = to.Valid; s.Ended {
		s.End = DayOf(to.Time)
	}
	s.Label = labelOf(label, number)
	if !sum.Valid {
		return s, nil
	}
	var err error
	s.Sum, err = decimal.Parse(sum.String)
	return s, err
}
