package store

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"vastspan/core/tally"

	"vastspan/internal/refused"
)

// A Receipt is what was reported, frozen. Its body is never changed; the checksum is of its bytes.
type Receipt struct {
	ID       int64
	Title    string
	Subject  string    // brief or total
	AsOf     time.Time `gorm:"type:date"`
	Body     string
	Checksum string `gorm:"column:digest"`
	Author   string
	MadeAt   time.Time
	Schedule *string    // the schedule that it was created by
	DueDay   *time.Time `gorm:"type:date"` // and for which day
	// Idempotency is the key that its creator gave, nil where none was given.
	Idempotency *string
	// Datasets are those that its body names, by the names that they had.
	Datasets []string `gorm:"->;serializer:json;type:jsonb"`
}

// AddReceipt keeps a receipt; false where its schedule has created one for its day already, or its key
// was used before.
func (s *Store) AddReceipt(ctx context.Context, r *Receipt) (made bool, err error) {
	err = s.transaction(ctx, func(tx *gorm.DB) error {
		r.MadeAt = tx.NowFunc()
		result := tx.Clauses(unlessThere).Create(r)
		if made = result.RowsAffected > 0; result.Error != nil || !made {
			return result.Error
		}
		return note(tx, r.entry())
	})
	return made, err
}

// entry is what the audit keeps of the receipt.
func (r *Receipt) entry() Entry {
	e := Entry{Action: Created, Kind: "receipt", Name: itoa(r.ID), Detail: map[string]any{"title": r.Title, "checksum": r.Checksum}}
	if r.Schedule != nil {
		e.Detail["schedule"] = *r.Schedule
	}
	return e
}

// unlessThere adds nothing where the key is taken.
var unlessThere = clause.OnConflict{DoNothing: true}

// Receipts lists receipts before a number, newest first, without their bodies; 0 is from the newest on.
func (s *Store) Receipts(ctx context.Context, before int64, limit int) ([]Receipt, error) {
	var list []Receipt
	tx := s.reader(ctx).Omit("body").Order("id DESC").Limit(limit)
	if before > 0 {
		tx = tx.Where("id < ?", before)
	}
	err := tx.Find(&list).Error
	return list, err
}

// ReceiptByKey finds the receipt that was created with a key.
func (s *Store) ReceiptByKey(ctx context.Context, key string) (*Receipt, error) {
	var r Receipt
	err := s.reader(ctx).Where("idempotency = ?", key).Take(&r).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return nil, refused.Missing("receipt with the key", key)
	}
	return &r, err
}

// Receipt finds a receipt.
func (s *Store) Receipt(ctx context.Context, id int64) (*Receipt, error) {
	var r Receipt
	err := s.reader(ctx).Where("id = ?", id).Take(&r).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return nil, refused.Missing("receipt", fmt.Sprint(id))
	}
	return &r, err
}

// NewestLoad returns the number of the newest load of a dataset; 0 where there is none.
func (s *Store) NewestLoad(ctx context.Context, d *Dataset) (int64, error) {
	var id int64
	err := s.reader(ctx).Model(&Load{}).Where("dataset_id = ?", d.ID).Select("coalesce(max(id), 0)").Scan(&id).Error
	return id, err
}

// RecordsByLoad counts the records of a period that came with loads after a given one.
func (s *Store) RecordsByLoad(ctx context.Context, d *Dataset, date string, p tally.Period, after int64) (map[int64]int64, error) {
	if d.Attached != nil {
		return nil, nil
	}
	conditions := []condition{d.axisOf(p, date).all(p), {"l.dataset_id = ? AND l.id > ?", []any{d.ID, after}}}
	clauses, args := where(conditions)
	rows, err := s.reader(ctx).Raw(
		strings.Join([]string{"SELECT l.id, count(*) FROM ", d.table(), " JOIN loads AS l ON ", quote(recordColumn),
			" >= l.first_record AND ", quote(recordColumn), " < l.next_record ", clauses, " GROUP BY 1"}, ""),
		args...).Rows()
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
