package service

import (
	"context"
	"errors"
	"fmt"
	"io"

	"vastspan/internal/backup"
	"vastspan/internal/store"
)

// Backup writes everything that the service keeps as one file, while it is in use: definitions, records, loads, receipts,
// schedules, accounts, the audit. Tables that are attached stay where they are.
func (s *Service) Backup(ctx context.Context, w io.Writer, version string) error {
	if err := s.store.Note(ctx, store.Entry{Action: store.Taken, Kind: "backup"}); err != nil {
		return err
	}
	return backup.Write(ctx, w, s.store.Address(), version)
}

// Restored is what a backup held.
type Restored struct {
	Manifest                               *backup.Manifest
	Datasets, Definitions, Loads, Receipts int64
	Records                                int64
}

// Restore puts a backup into an empty database, brings it up to this version and verifies the sums of every dataset. Errors:
// backup.ErrNotEmpty, and why the file is not whole or not of this version.
func Restore(ctx context.Context, path, address, columns string) (*Restored, error) {
	m, err := backup.Check(path)
	if err != nil {
		return nil, err
	}
	if err := backup.Restore(ctx, path, address, store.Migrations()); err != nil {
		return nil, err
	}
	st, err := store.Open(ctx, address, store.Options{Columns: columns})
	if err != nil {
		return nil, err
	}
	r := &Restored{Manifest: m}
	err = r.verify(ctx, st)
	return r, errors.Join(err, st.Close())
}

// verify recounts the sums of all datasets, and counts what there is.
func (r *Restored) verify(ctx context.Context, st *store.Store) error {
	sets, err := st.Datasets(ctx)
	if err != nil {
		return err
	}
	for i := range sets {
		d := &sets[i]
		r.Datasets++
		if d.Attached != nil {
			continue
		}
		v, err := st.Verify(ctx, d)
		if err != nil {
			return fmt.Errorf("dataset %s: %w", d.Name, err)
		}
		if v.Wrong > 0 {
			return fmt.Errorf("dataset %s: %d of its sums are not those of its records", d.Name, v.Wrong)
		}
		c, err := st.Coverage(ctx, d)
		if err != nil {
			return err
		}
		r.Records += c.Records + c.Undated
	}
	r.Definitions, r.Loads, r.Receipts, err = st.Counts(ctx)
	return err
}
