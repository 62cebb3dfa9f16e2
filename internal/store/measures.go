package store

import (
	"context"
	"database/sql"
	"sync/atomic"
)

// tallies count what a store has done since it was opened.
type tallies struct {
	stored, attached     atomic.Int64 // totals, by where the records are
	loads, loadedRecords atomic.Int64
}

// Measures are what a store has done since it was opened, and what it holds now.
type Measures struct {
	// Totals are how many were answered, of stored datasets and of attached tables.
	Totals               map[string]int64
	Loads, LoadedRecords int64
	// RowBytes and SumBytes are how long the files of columns are that are open: of rows, and of sums.
	RowBytes, SumBytes int64
	// Pools are the connections to the database, for what is asked and for files.
	Pools map[string]sql.DBStats
}

// Measures measures the store.
func (s *Store) Measures() Measures {
	m := Measures{
		Totals: map[string]int64{
			"stored": s.tallies.stored.Load(), "attached": s.tallies.attached.Load(),
		},
		Loads: s.tallies.loads.Load(), LoadedRecords: s.tallies.loadedRecords.Load(),
		Pools: map[string]sql.DBStats{"asking": s.sql.Stats()},
	}
	m.RowBytes, m.SumBytes = s.columns.bytes()
	if pool, err := s.long.DB(); err == nil {
		m.Pools["files"] = pool.Stats()
	}
	return m
}

// Counts counts definitions, loads and receipts.
func (s *Store) Counts(ctx context.Context) (definitions, loads, receipts int64, err error) {
	err = s.reader(ctx).Raw(
		"SELECT (SELECT count(*) FROM definitions), (SELECT count(*) FROM loads), (SELECT count(*) FROM receipts)",
	).Row().Scan(&definitions, &loads, &receipts)
	return definitions, loads, receipts, err
}
