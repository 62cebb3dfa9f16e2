package store

import (
	"context"
	"encoding/json"
	"strings"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"vastspan/internal/refused"
)

// An Acknowledgement says that a finding of a check is expected. It holds as long as the spans are what they were.
type Acknowledgement struct {
	ID      int64
	Kind    string
	Caution string
	Spans   []string `gorm:"serializer:json;type:jsonb"`
	// Basis is what the spans were, by which a change of them is noticed.
	Basis  string
	Author string
	Note   string
	At     time.Time
}

// Acknowledge keeps an acknowledgement, instead of one of the same finding.
func (s *Store) Acknowledge(ctx context.Context, a *Acknowledgement) error {
	return s.transaction(ctx, func(tx *gorm.DB) error {
		a.At = tx.NowFunc()
		err := tx.Clauses(clause.OnConflict{
			Columns:   []clause.Column{{Name: "kind"}, {Name: "caution"}, {Name: "spans"}},
			DoUpdates: clause.AssignmentColumns([]string{"basis", "author", "note", "at"}),
		}).Create(a).Error
		if err != nil {
			return err
		}
		return note(tx, Entry{Action: Created, Kind: "acknowledgement", Name: strings.Join(a.Spans, ", "), Detail: map[string]any{
			"finding": a.Kind, "caution": a.Caution, "note": a.Note,
		}})
	})
}

// Acknowledgements lists all of them, oldest first.
func (s *Store) Acknowledgements(ctx context.Context) ([]Acknowledgement, error) {
	var list []Acknowledgement
	err := s.reader(ctx).Order("id").Find(&list).Error
	return list, err
}

// WithdrawAcknowledgement removes the acknowledgement of a finding.
func (s *Store) WithdrawAcknowledgement(ctx context.Context, kind, caution string, spans []string) error {
	return s.transaction(ctx, func(tx *gorm.DB) error {
		text, err := json.Marshal(spans)
		if err != nil {
			return err
		}
		result := tx.Where("kind = ? AND caution = ? AND spans = ?::jsonb", kind, caution, string(text)).Delete(&Acknowledgement{})
		if result.Error != nil {
			return result.Error
		}
		if result.RowsAffected == 0 {
			return refused.Missing("acknowledgement", kind+" "+strings.Join(spans, ", "))
		}
		return note(tx, Entry{Action: Removed, Kind: "acknowledgement", Name: strings.Join(spans, ", "), Detail: map[string]any{"finding": kind}})
	})
}
