package store

import (
	"context"
	"database/sql"
	"time"
)

// A Size is how much a dataset takes.
type Size struct {
	Loads            int64
	Bytes, PastBytes int64 // of records, and of past ones
	ColumnsBytes     int64 // of files of columns
	LoadedAt         *time.Time
}

// Sizes measures the datasets, by their numbers, and the whole database, in bytes.
func (s *Store) Sizes(ctx context.Context) (sizes map[int64]Size, database int64, err error) {
	rows, err := s.reader(ctx).Raw(`
		SELECT d.id, count(l.id), max(l.loaded_at),
			coalesce(pg_total_relation_size(to_regclass('stored.d_' || d.id)), 0),
			coalesce(pg_total_relation_size(to_regclass('stored.p_' || d.id)), 0)
		FROM datasets d LEFT JOIN loads l ON l.dataset_id = d.id AND l.undone_at IS NULL
		WHERE d.removed_at IS NULL GROUP BY d.id`).Rows()
	if err != nil {
		return nil, 0, err
	}
	defer rows.Close()
	sizes = map[int64]Size{}
	for rows.Next() {
		var id int64
		var one Size
		var at sql.NullTime
		if err := rows.Scan(&id, &one.Loads, &at, &one.Bytes, &one.PastBytes); err != nil {
			return nil, 0, err
		}
		if at.Valid {
			one.LoadedAt = &at.Time
		}
		one.ColumnsBytes = s.columns.size(id)
		sizes[id] = one
	}
	if err := rows.Err(); err != nil {
		return nil, 0, err
	}
	err = s.reader(ctx).Raw("SELECT pg_database_size(current_database())").Scan(&database).Error
	return sizes, database, err
}

// LastRun is the newest receipt of a schedule, with what became of what it brought.
type LastRun struct {
	Receipt   int64
	CreatedAt time.Time
	States    []DeliveryState
}

// LastRuns lists the newest receipts of schedules by their names.
func (s *Store) LastRuns(ctx context.Context) (map[string]LastRun, error) {
	rows, err := s.reader(ctx).Raw(`
		SELECT r.schedule, r.id, r.made_at, coalesce(d.state, '') FROM receipts r LEFT JOIN deliveries d ON d.receipt_id = r.id
		WHERE r.id IN (SELECT max(id) FROM receipts WHERE schedule IS NOT NULL GROUP BY schedule) ORDER BY d.id`).Rows()
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	runs := map[string]LastRun{}
	for rows.Next() {
		var schedule string
		var run LastRun
		var state DeliveryState
		if err := rows.Scan(&schedule, &run.Receipt, &run.CreatedAt, &state); err != nil {
			return nil, err
		}
		run.States = runs[schedule].States
		if state != "" {
			run.States = append(run.States, state)
		}
		runs[schedule] = run
	}
	return runs, rows.Err()
}
