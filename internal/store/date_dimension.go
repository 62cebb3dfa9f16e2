package store

import (
	"context"
	"database/sql"
	"iter"
	"strconv"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/stdlib"
	"gorm.io/gorm"

	"vastspan/core/civil"
	"vastspan/core/daytable"
	"vastspan/core/event"
)

// DaysAsked returns the days that the day tables were asked to hold; none where nothing was asked.
func (s *Store) DaysAsked(ctx context.Context) (civil.Interval, error) {
	var rows []struct{ FirstDay, LastDay time.Time }
	err := s.db.WithContext(ctx).Raw("SELECT first_day, last_day FROM days.asked").Scan(&rows).Error
	if err != nil || len(rows) == 0 {
		return civil.Interval{}, err
	}
	return civil.Through(DayOf(rows[0].FirstDay), DayOf(rows[0].LastDay)), nil
}

// AskDays notes the days that the day tables are to hold, instead of those noted before.
func (s *Store) AskDays(ctx context.Context, days civil.Interval) error {
	return s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		for _, statement := range []string{"LOCK TABLE days.asked IN EXCLUSIVE MODE", "DELETE FROM days.asked"} {
			if err := tx.Exec(statement).Error; err != nil {
				return err
			}
		}
		first, last := days.First().String(), days.Last().String()
		if err := tx.Exec("INSERT INTO days.asked VALUES (?::date, ?::date)", first, last).Error; err != nil {
			return err
		}
		return note(tx, Entry{Action: Changed, Kind: "published days", Detail: map[string]any{"first_day": first, "last_day": last}})
	})
}

// DaysMade says what the day tables were made for.
type DaysMade struct {
	AsOf     civil.Day
	Revision int64 // of the definitions
	Reach    civil.Interval
}

// DayTables is the content of the day tables. The rows of calendars are made when they are written: they are many.
type DayTables struct {
	DaysMade
	Calendars map[string]func(civil.Day) (daytable.Row, error)
	Spans     map[string]civil.Set // closed sets, cut to the days of the table
	Events    []*event.List
}

// DaysMade returns what the day tables were made for; nothing where they were never made.
func (s *Store) DaysMade(ctx context.Context) (DaysMade, error) {
	var rows []struct {
		AsOf              time.Time
		Revision          int64
		FirstDay, LastDay sql.NullTime
	}
	err := s.db.WithContext(ctx).Raw("SELECT as_of, revision, first_day, last_day FROM days.made").Scan(&rows).Error
	if err != nil || len(rows) == 0 || !rows[0].FirstDay.Valid {
		return DaysMade{}, err
	}
	r := rows[0]
	return DaysMade{DayOf(r.AsOf), r.Revision, civil.Through(DayOf(r.FirstDay.Time), DayOf(r.LastDay.Time))}, nil
}

// ReplaceDays puts new content in the day tables, in one transaction: who reads them meanwhile sees
// the old.
func (s *Store) ReplaceDays(ctx context.Context, t DayTables) error {
	return s.copyTransaction(ctx, func(tx *gorm.DB, conn *sql.Conn) error {
		// Two services that make them at the same time wait for one another.
		for _, statement := range []string{
			"LOCK TABLE days.made IN EXCLUSIVE MODE", "DELETE FROM days.made", "DELETE FROM days.calendar_days", "DELETE FROM days.span_days",
			"DELETE FROM days.event_days",
		} {
			if err := tx.Exec(statement).Error; err != nil {
				return err
			}
		}
		if err := tx.Exec("INSERT INTO days.made VALUES (?::date, ?, now(), ?::date, ?::date)",
			t.AsOf.String(), t.Revision, t.Reach.First().String(), t.Reach.Last().String()).Error; err != nil {
			return err
		}
		columns := append([]string{"calendar", "day", "weekday", "position", "business_day", "holiday"}, daytable.Columns()...)
		if err := copyRows(ctx, conn, "calendar_days", columns, t.calendarRows); err != nil {
			return err
		}
		if err := copyRows(ctx, conn, "span_days", []string{"span", "day"}, t.spanRows); err != nil {
			return err
		}
		return copyRows(ctx, conn, "event_days", []string{"event", "day", "label"}, t.eventRows)
	})
}

func (t *DayTables) calendarRows(yield func([]any, error) bool) {
	for name, of := range t.Calendars {
		for d := t.Reach.Start; d < t.Reach.End; d++ {
			r, err := of(d)
			row := []any{name, r.Day.Time(), r.Weekday.Short(), string(r.Position), r.BusinessDay, r.Holiday}
			for i, cell := range r.Cells {
				row = append(row, cellValue(cell, daytable.IsLabel(i)))
			}
			if !yield(row, err) || err != nil {
				return
			}
		}
	}
}

func cellValue(cell string, label bool) any {
	switch {
	case cell == "":
		return nil
	case label:
		return cell
	}
	n, err := strconv.Atoi(cell)
	if err != nil {
		return nil
	}
	return n
}

func (t *DayTables) spanRows(yield func([]any, error) bool) {
	for name, set := range t.Spans {
		for v := range set.Intervals() {
			for d := v.Start; d < v.End; d++ {
				if !yield([]any{name, d.Time()}, nil) {
					return
				}
			}
		}
	}
}

func (t *DayTables) eventRows(yield func([]any, error) bool) {
	for _, list := range t.Events {
		for _, o := range list.Occurrences {
			var label any
			if o.Label != "" {
				label = o.Label
			}
			days := o.Days.Intersect(t.Reach)
			for d := days.Start; d < days.End; d++ {
				if !yield([]any{list.Name, d.Time(), label}, nil) {
					return
				}
			}
		}
	}
}

func copyRows(ctx context.Context, conn *sql.Conn, table string, columns []string, rows iter.Seq2[[]any, error]) error {
	next, stop := iter.Pull2(rows)
	defer stop()
	source := pgx.CopyFromFunc(func() ([]any, error) {
		row, err, _ := next() // no row ends it
		if err == nil {
			err = ctx.Err()
		}
		return row, err
	})
	return conn.Raw(func(driver any) error {
		_, err := driver.(*stdlib.Conn).Conn().CopyFrom(ctx, pgx.Identifier{"days", table}, columns, source)
		return err
	})
}
