package store

import (
	"context"
	"database/sql"
	"errors"
	"slices"
	"time"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/tally"
	"vastspan/internal/columnstore"
	"vastspan/internal/listing"
)

// What is listed, and how it is asked for.
type (
	// Record is one record as text.
	Record = listing.Record
	// Listing asks for records.
	Listing = listing.Request
	// CategoryValue is one value of a category.
	CategoryValue = listing.CategoryValue
)

// errEnough ends a listing that is long enough.
var errEnough = errors.New("enough")

// maxListing is how long the records of one listing may be together, in bytes; one is always given.
const maxListing = 16 << 20

// Records lists a dataset's records with a day, at most as many as the listing's limit; more says that
// there are others after them.
func (s *Store) Records(ctx context.Context, d *Dataset, l Listing) (list []Record, more bool, err error) {
	size, limit := 0, l.Limit
	l.Limit++
	err = s.EachRecord(ctx, d, l, func(r Record) error {
		for _, c := range r.Cells {
			if c != nil {
				size += len(*c)
			}
		}
		if len(list) == limit || size > maxListing && len(list) > 0 {
			more = true
			return errEnough
		}
		list = append(list, r)
		return nil
	})
	if errors.Is(err, errEnough) {
		err = nil
	}
	return list, more, err
}

// EachRecord passes a dataset's records with a day on, one after the other; none is kept.
func (s *Store) EachRecord(ctx context.Context, d *Dataset, l Listing, take func(Record) error) error {
	if d.Attached != nil {
		return s.databases.Each(ctx, d.Attached, &d.Schema, l, take)
	}
	columns := d.Schema.Columns
	d, err := s.with(ctx, d, l.Lengths)
	if err != nil {
		return err
	}
	if err := d.Schema.CheckFilters(l.Where); err != nil {
		return err
	}
	l.Where, err = l.Where.OnDates(d.clock(), func(column string) (civil.Interval, error) {
		c, err := s.CoverageBy(ctx, d, column)
		if err != nil || c.Records == 0 {
			return civil.Interval{}, err
		}
		return civil.Through(c.Oldest, c.Newest), nil
	})
	if err != nil {
		return err
	}
	zone, order := d.clock().Zone(), d.order(l.Date)
	var selected []string
	for _, c := range columns {
		if c.Type == dataset.Timestamp {
			selected = append(selected, d.column(c.Name))
		} else {
			selected = append(selected, d.column(c.Name)+"::text")
		}
	}
	direction, beyond := " DESC", " < "
	if l.OldestFirst {
		direction, beyond = "", " > "
	}
	conditions := d.listed(l)
	if l.After != nil {
		conditions = append(conditions, order.after(beyond, l.After))
	}
	clauses, args := where(conditions)
	through := s.Snapshot
	if l.Limit == 0 {
		through = s.LongSnapshot
	}
	query := statement(
		"records",
		map[string]any{
			"Record":    quote(recordColumn),
			"Day":       order.day,
			"Moment":    order.moment,
			"Columns":   selected,
			"Table":     d.rows(),
			"Where":     clauses,
			"Direction": direction,
			"Limit":     l.Limit,
		},
	)
	return through(ctx, func(ctx context.Context) error {
		rows, err := s.reader(ctx).Raw(query, args...).Rows()
		if err != nil {
			return err
		}
		defer rows.Close()
		for rows.Next() {
			r, err := scanRecord(rows, columns, zone)
			if err != nil {
				return err
			}
			if err := take(r); err != nil {
				return err
			}
		}
		return rows.Err()
	})
}

// listed returns the conditions of a listing, but for where it begins.
func (d *Dataset) listed(l Listing) []condition {
	return append([]condition{d.axisOf(l.Period, l.Date).all(l.Period)}, d.conditions(l.Where)...)
}

// An order is the SQL of the day by which records are listed, and of the moment where there is one.
type order struct{ day, moment string }

func (d *Dataset) order(date string) order {
	c := d.dateColumn(date)
	o := order{day: d.dayOf(c)}
	if c.Type == dataset.Timestamp {
		o.moment = d.column(c.Name)
	}
	return o
}

// after keeps the records on one side of another.
func (o order) after(beyond string, r *Record) condition {
	if o.moment == "" {
		return condition{"(" + o.day + ", " + quote(recordColumn) + ")" + beyond + "(?::date, ?)", []any{r.Day.String(), r.ID}}
	}
	return condition{
		"(" + o.day + ", " + o.moment + ", " + quote(recordColumn) + ")" + beyond + "(?::date, ?::timestamptz, ?)",
		[]any{r.Day.String(), civil.UTC.Format(r.Moment), r.ID},
	}
}

// SumThrough adds an amount up over the records of a listing through the one that the page before
// ended with.
func (s *Store) SumThrough(ctx context.Context, d *Dataset, l Listing, amount string) (decimal.Value, error) {
	if l.After == nil {
		return decimal.Value{}, nil
	}
	if d.Attached != nil {
		return s.sumFirst(ctx, d, l, amount)
	}
	d, err := s.with(ctx, d, l.Lengths)
	if err != nil {
		return decimal.Value{}, err
	}
	through := " >= "
	if l.OldestFirst {
		through = " <= "
	}
	clauses, args := where(append(d.listed(l), d.order(l.Date).after(through, l.After)))
	var sum sql.NullString
	query := "SELECT sum(" + d.column(amount) + ")::text FROM " + d.rows() + " " + clauses
	if err := s.reader(ctx).Raw(query, args...).Row().Scan(&sum); err != nil {
		return decimal.Value{}, err
	}
	return decimal.Parse(sum.String)
}

// Around returns the last records of one period and the first of another, both in time order.
func (s *Store) Around(ctx context.Context, d *Dataset, l Listing, past, future tally.Period) (before, from []Record, err error) {
	l.Period, l.OldestFirst = past, false
	if before, _, err = s.Records(ctx, d, l); err != nil {
		return nil, nil, err
	}
	slices.Reverse(before)
	l.Period, l.OldestFirst = future, true
	from, _, err = s.Records(ctx, d, l)
	return before, from, err
}

func scanRecord(rows *sql.Rows, columns []dataset.Column, zone *time.Location) (Record, error) {
	r := Record{Cells: make([]*string, len(columns))}
	var day time.Time
	var moment sql.NullTime
	moments := make([]sql.NullTime, len(columns))
	into := []any{&r.ID, &day, &moment}
	for i, c := range columns {
		if c.Type == dataset.Timestamp {
			into = append(into, &moments[i])
		} else {
			into = append(into, &r.Cells[i])
		}
	}
	if err := rows.Scan(into...); err != nil {
		return r, err
	}
	if r.Day = DayOf(day); moment.Valid {
		r.Moment = civil.Moment(moment.Time.UnixMicro())
	}
	for i, m := range moments {
		if m.Valid {
			text := m.Time.In(zone).Format(time.RFC3339Nano)
			r.Cells[i] = &text
		}
	}
	return r, nil
}

// Values lists the values of a category, the most frequent first.
func (s *Store) Values(ctx context.Context, d *Dataset, column string, limit int) ([]CategoryValue, error) {
	if d.Attached != nil {
		return s.databases.Texts(ctx, d.Attached, &d.Schema, column, limit)
	}
	var values []CategoryValue
	counted := false
	err := s.columns.ask(ctx, d, func(state *columnstore.State) error {
		list, ok, err := state.Values(ctx, column, limit)
		counted = ok
		for _, v := range list {
			one := CategoryValue{Records: v.Records}
			if v.Set {
				one.Value = &v.Text
			}
			values = append(values, one)
		}
		return err
	})
	if counted || err != nil {
		return values, err
	}
	c := d.labelText(column)
	err = s.reader(ctx).Raw(
		"SELECT "+c+" AS value, count(*) AS records FROM "+d.rows()+" GROUP BY 1 ORDER BY 2 DESC, 1 LIMIT ?",
		limit,
	).Scan(
		&values,
	).Error
	return values, err
}
