package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"gorm.io/gorm"

	"vastspan/internal/refused"
)

// A DeliveryState says how far a delivery is.
type DeliveryState string

// The states of a delivery.
const (
	Waiting   DeliveryState = "waiting" // for its first or its next try
	Sending   DeliveryState = "sending"
	Delivered DeliveryState = "delivered"
	Failed    DeliveryState = "failed"    // and is not tried again
	Uncertain DeliveryState = "uncertain" // it may have arrived, and is not tried again
)

// Well reports whether a delivery has arrived, or may still.
func (s DeliveryState) Well() bool { return s != Failed && s != Uncertain }

// A Delivery is what a receipt of a schedule brings to one target; there is one for each.
type Delivery struct {
	ID        int64
	ReceiptID int64
	Schedule  string
	Target    string          // its notation
	Parcel    json.RawMessage `gorm:"type:jsonb"` // what is brought, the same at every try
	State     DeliveryState
	Tries     int
	NextTry   *time.Time
	Reason    string // why the last try failed
	ChangedAt time.Time
}

// AddDelivered keeps a receipt with what it is to bring, in one transaction; false where its schedule has created one for its
// day already. parcel gives what is brought, once the number of the receipt is known.
func (s *Store) AddDelivered(
	ctx context.Context,
	r *Receipt,
	targets []string,
	parcel func() (json.RawMessage, error),
) (made bool, err error) {
	err = s.transaction(ctx, func(tx *gorm.DB) error {
		r.MadeAt = tx.NowFunc()
		result := tx.Clauses(unlessThere).Create(r)
		if made = result.RowsAffected > 0; result.Error != nil || !made {
			return result.Error
		}
		if len(targets) == 0 {
			return note(tx, r.entry())
		}
		body, err := parcel()
		if err != nil {
			return err
		}
		now := tx.NowFunc()
		for _, target := range targets {
			d := Delivery{ReceiptID: r.ID, Schedule: *r.Schedule, Target: target, Parcel: body, State: Waiting, NextTry: &now, ChangedAt: now}
			if err := tx.Create(&d).Error; err != nil {
				return err
			}
		}
		return note(tx, r.entry())
	})
	return made, err
}

// TakeDelivery takes a delivery that is due, which nobody else takes meanwhile; nil where none is.
func (s *Store) TakeDelivery(ctx context.Context) (*Delivery, error) {
	var list []Delivery
	err := s.db.WithContext(ctx).Raw(`
		UPDATE deliveries SET state = 'sending', tries = tries + 1, changed_at = now() WHERE id = (
			SELECT id FROM deliveries WHERE state = 'waiting' AND next_try <= now() ORDER BY next_try, id LIMIT 1 FOR UPDATE SKIP LOCKED)
		RETURNING *`).Scan(&list).Error
	if err != nil || len(list) == 0 {
		return nil, err
	}
	return &list[0], nil
}

// SettleDelivery keeps what a try came to.
func (s *Store) SettleDelivery(ctx context.Context, d *Delivery) error {
	d.ChangedAt = s.db.NowFunc()
	return s.db.WithContext(ctx).Model(d).Select("state", "next_try", "reason", "changed_at").Updates(d).Error
}

// NextDelivery returns when the next delivery is due; nil where none waits.
func (s *Store) NextDelivery(ctx context.Context) (*time.Time, error) {
	var next *time.Time
	err := s.db.WithContext(ctx).Raw("SELECT min(next_try) FROM deliveries WHERE state = 'waiting'").Row().Scan(&next)
	return next, err
}

// AbandonDeliveries looks at what was being sent when the service ended. Files are written again, which does no harm; whether a
// message or a mail has arrived is not known.
func (s *Store) AbandonDeliveries(ctx context.Context) error {
	now := s.db.NowFunc()
	settle := func(where string, state DeliveryState, next *time.Time) error {
		return s.db.WithContext(ctx).Model(&Delivery{}).Where("state = ? AND "+where, Sending).Updates(map[string]any{
			"state": state, "next_try": next, "reason": "the service ended while it was sent", "changed_at": now,
		}).Error
	}
	return errors.Join(settle("target LIKE 'folder %'", Waiting, &now), settle("target NOT LIKE 'folder %'", Uncertain, nil))
}

// Deliveries lists deliveries before a number, newest first, without what they bring; 0 is from the newest on.
func (s *Store) Deliveries(ctx context.Context, before int64, limit int) ([]Delivery, error) {
	var list []Delivery
	tx := s.reader(ctx).Omit("parcel").Order("id DESC").Limit(limit)
	if before > 0 {
		tx = tx.Where("id < ?", before)
	}
	return list, tx.Find(&list).Error
}

// RetryDelivery has a delivery tried again that failed, or of which it is not known whether it arrived.
func (s *Store) RetryDelivery(ctx context.Context, id int64) (*Delivery, error) {
	var d Delivery
	err := s.transaction(ctx, func(tx *gorm.DB) error {
		err := tx.Clauses(forUpdate).Omit("parcel").Where("id = ?", id).Take(&d).Error
		switch {
		case errors.Is(err, gorm.ErrRecordNotFound):
			return refused.Missing("delivery", fmt.Sprint(id))
		case err != nil:
			return err
		case d.State == Delivered || d.State == Sending:
			return refused.Because(refused.CodeIsCurrent, "delivery %d is %s: it is not sent twice", id, d.State)
		}
		now := tx.NowFunc()
		d.State, d.NextTry, d.ChangedAt = Waiting, &now, now
		if err := tx.Model(&d).Select("state", "next_try", "changed_at").Updates(&d).Error; err != nil {
			return err
		}
		return note(tx, Entry{Action: Retried, Kind: "delivery", Name: itoa(id), Detail: map[string]any{"target": d.Target}})
	})
	return &d, err
}
