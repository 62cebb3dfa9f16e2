package store

import (
	"context"
	"errors"
	"time"

	"gorm.io/gorm"

	"vastspan/core/civil"
	"vastspan/internal/refused"
)

// A Schedule makes a receipt of a brief on each day that a span holds when it is read as of it.
type Schedule struct {
	Name     string `gorm:"primaryKey"`
	Brief    string
	On       string `gorm:"column:days"` // an expression
	Calendar string
	Author   string
	Since    time.Time `gorm:"type:date"`                           // the first day that may be due
	UpToDate time.Time `gorm:"column:up_to_date_through;type:date"` // every day through this one is done
	MadeAt   time.Time
	Deliver  []string `gorm:"serializer:json;type:jsonb"` // the notations of targets
}

// Schedules lists the schedules by name.
func (s *Store) Schedules(ctx context.Context) ([]Schedule, error) {
	var list []Schedule
	err := s.reader(ctx).Order("name").Find(&list).Error
	return list, err
}

// AddSchedule creates a schedule under a name that is not in use.
func (s *Store) AddSchedule(ctx context.Context, sc *Schedule) error {
	sc.MadeAt = s.db.NowFunc()
	if sc.Deliver == nil {
		sc.Deliver = []string{}
	}
	return s.transaction(ctx, func(tx *gorm.DB) error {
		result := tx.Clauses(unlessThere).Create(sc)
		if result.Error == nil && result.RowsAffected == 0 {
			return refused.Because(refused.CodeAlreadyExists, "schedule %s already exists", sc.Name)
		}
		if result.Error != nil {
			return result.Error
		}
		return note(tx, Entry{Action: Created, Kind: "schedule", Name: sc.Name, Detail: map[string]any{"brief": sc.Brief, "deliver": sc.Deliver}})
	})
}

// Schedule finds a schedule.
func (s *Store) Schedule(ctx context.Context, name string) (*Schedule, error) {
	var sc Schedule
	err := s.reader(ctx).Where("name = ?", name).Take(&sc).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return nil, refused.Missing("schedule", name)
	}
	return &sc, err
}

// RemoveSchedule removes a schedule; its receipts stay.
func (s *Store) RemoveSchedule(ctx context.Context, name string) error {
	return s.transaction(ctx, func(tx *gorm.DB) error {
		result := tx.Where("name = ?", name).Delete(&Schedule{})
		if result.Error == nil && result.RowsAffected == 0 {
			return refused.Missing("schedule", name)
		}
		if result.Error != nil {
			return result.Error
		}
		return note(tx, Entry{Action: Removed, Kind: "schedule", Name: name})
	})
}

// DoneThrough notes that every day through one is done.
func (s *Store) DoneThrough(ctx context.Context, name string, day civil.Day) error {
	return s.db.WithContext(
		ctx,
	).Model(
		&Schedule{},
	).Where(
		"name = ? AND up_to_date_through < ?",
		name,
		day.Time(),
	).Update(
		"up_to_date_through",
		day.Time(),
	).Error
}
