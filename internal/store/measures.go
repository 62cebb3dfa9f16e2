package store

import (
	"context"
	"database/sql"
	"sync/atomic"
)

// tallies count what a store has done since it was opened.
type tallies struct {
	memory, form, sums, records, attached atomic.Int64 // totals, by what answered them
	loads, loadedRecords                  atomic.Int64
}

// Measures are what a store has done since it was opened, and what it holds now.
type Measures struct {
	// Totals are how many were answered, by source: sums in memory, the columnar form, sums and records by SQL, attached tables.
	Totals               map[string]int64
	Loads, LoadedRecords int64
	// RollupBytes is how much memory sums take, FormBytes how long the files of columnar forms are that are open.
	RollupBytes, FormBytes int64
	// Pools are the connections to the database, for what is asked and for files.
	Pools map[string]sql.DBStats
}

// Measures measures the store.
func (s *Store) Measures() Measures {
	m := Measures{
		Totals: map[string]int64{
			"memory": s.tallies.memory.Load(), "form": s.tallies.form.Load(), "sums": s.tallies.sums.Load(),
			"records": s.tallies.records.Load(), "attached": s.tallies.attached.Load(),
		},
		Loads: s.tallies.loads.Load(), LoadedRecords: s.tallies.loadedRecords.Load(),
		RollupBytes: s.rollups.bytes(), FormBytes: s.forms.bytes(),
		Pools: map[string]sql.DBStats{"asking": s.sql.Stats()},
	}
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
