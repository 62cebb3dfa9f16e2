package store

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"vastspan/core/civil"
)

// A Receipt is what was reported, frozen. Its body is never changed; the digest is of its bytes.
type Receipt struct {
	ID       int64
	Title    string
	Subject  string    // brief or total
	AsOf     time.Time `gorm:"type:date"`
	Body     string
	Digest   string
	Author   string
	MadeAt   time.Time
	Schedule *string    // the schedule that it was made by
	DueDay   *time.Time `gorm:"type:date"` // and for which day
}

// A Schedule makes a receipt of a brief on each day that a span holds when it is read as of it.
type Schedule struct {
	Name     string `gorm:"primaryKey"`
	Brief    string
	On       string `gorm:"column:days"` // an expression
	Calendar string
	Author   string
	Since    time.Time `gorm:"type:date"` // the first day that may be due
	RanUntil time.Time `gorm:"type:date"` // every day through this one is done
	MadeAt   time.Time
}

func createReceipts(tx *gorm.DB) error {
	for _, statement := range []string{
		`CREATE TABLE receipts (
			id bigserial PRIMARY KEY, title text NOT NULL, subject text NOT NULL, as_of date NOT NULL, body text NOT NULL, digest text NOT NULL,
			author text NOT NULL, made_at timestamptz NOT NULL, schedule text, due_day date, UNIQUE (schedule, due_day))`,
		// What was reported stays as it was, whoever asks.
		`CREATE FUNCTION receipts_stay() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN RAISE EXCEPTION 'a receipt is never changed'; END $$`,
		`CREATE TRIGGER receipts_stay BEFORE UPDATE OR DELETE ON receipts FOR EACH ROW EXECUTE FUNCTION receipts_stay()`,
		`CREATE TABLE schedules (
			name text PRIMARY KEY, brief text NOT NULL, days text NOT NULL, calendar text NOT NULL, author text NOT NULL,
			since date NOT NULL, ran_until date NOT NULL, made_at timestamptz NOT NULL)`,
	} {
		if err := tx.Exec(statement).Error; err != nil {
			return err
		}
	}
	return nil
}

// AddReceipt keeps a receipt; false where its schedule has made one for its day already.
func (s *Store) AddReceipt(ctx context.Context, r *Receipt) (bool, error) {
	r.MadeAt = s.db.NowFunc()
	result := s.db.WithContext(ctx).Clauses(unlessThere).Create(r)
	return result.RowsAffected > 0, result.Error
}

// unlessThere adds nothing where the key is taken.
var unlessThere = clause.OnConflict{DoNothing: true}

// Receipts lists the receipts, newest first, without their bodies.
func (s *Store) Receipts(ctx context.Context) ([]Receipt, error) {
	var list []Receipt
	err := s.db.WithContext(ctx).Omit("body").Order("id DESC").Find(&list).Error
	return list, err
}

// Receipt finds a receipt.
func (s *Store) Receipt(ctx context.Context, id int64) (*Receipt, error) {
	var r Receipt
	err := s.db.WithContext(ctx).Where("id = ?", id).Take(&r).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return nil, &NotFound{"receipt", fmt.Sprint(id)}
	}
	return &r, err
}

// Schedules lists the schedules by name.
func (s *Store) Schedules(ctx context.Context) ([]Schedule, error) {
	var list []Schedule
	err := s.db.WithContext(ctx).Order("name").Find(&list).Error
	return list, err
}

// AddSchedule keeps a schedule under a name that is not in use.
func (s *Store) AddSchedule(ctx context.Context, sc *Schedule) error {
	sc.MadeAt = s.db.NowFunc()
	result := s.db.WithContext(ctx).Clauses(unlessThere).Create(sc)
	if result.Error == nil && result.RowsAffected == 0 {
		return &Conflict{fmt.Sprintf("schedule %s is there already", sc.Name)}
	}
	return result.Error
}

// RemoveSchedule removes a schedule; its receipts stay.
func (s *Store) RemoveSchedule(ctx context.Context, name string) error {
	result := s.db.WithContext(ctx).Where("name = ?", name).Delete(&Schedule{})
	if result.Error == nil && result.RowsAffected == 0 {
		return &NotFound{"schedule", name}
	}
	return result.Error
}

// RanUntil notes that every day through one is done.
func (s *Store) RanUntil(ctx context.Context, name string, day civil.Day) error {
	return s.db.WithContext(ctx).Model(&Schedule{}).Where("name = ? AND ran_until < ?", name, day.Time()).Update("ran_until", day.Time()).Error
}

// NewestLoad gives the number of the newest load of a dataset; 0 where there is none.
func (s *Store) NewestLoad(ctx context.Context, d *Dataset) (int64, error) {
	var id int64
	err := s.db.WithContext(ctx).Model(&Load{}).Where("dataset_id = ?", d.ID).Select("coalesce(max(id), 0)").Scan(&id).Error
	return id, err
}

// RecordsByLoad counts the records on some days that came with loads after a given one.
func (s *Store) RecordsByLoad(ctx context.Context, d *Dataset, date string, days civil.Set, after int64) (map[int64]int64, error) {
	day := d.dayOf(d.dateColumn(date))
	conditions := append(within(day, days.Hull()), condition{quote(loadColumn) + " > ?", []any{after}})
	if days.Len() > 1 {
		conditions = append(conditions, inside(day, days))
	}
	clauses, args := where(conditions)
	rows, err := s.db.WithContext(ctx).Raw(strings.Join([]string{"SELECT ", quote(loadColumn), ", count(*) FROM ", d.table(), clauses, " GROUP BY 1"}, ""), args...).Rows()
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	counts := map[int64]int64{}
	for rows.Next() {
		var load, n int64
		if err := rows.Scan(&load, &n); err != nil {
			return nil, err
		}
		counts[load] = n
	}
	return counts, rows.Err()
}
