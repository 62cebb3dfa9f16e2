package store

import (
	"context"

	"gorm.io/gorm"

	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/internal/attached"
	"vastspan/internal/refused"
)

// Databases are those in which tables may be attached.
func (s *Store) Databases() *attached.Databases { return s.databases }

// Attach makes a dataset of a table that is elsewhere: nothing is brought in.
func (s *Store) Attach(ctx context.Context, name string, t *attached.Table, schema *dataset.Schema) (*Dataset, error) {
	d := &Dataset{Name: name, Schema: *schema, Described: 1, Content: newContent(), Attached: t}
	err := s.transaction(ctx, func(tx *gorm.DB) error {
		if _, err := findDataset(tx, name); !refused.IsMissing(err) {
			if err == nil {
				err = refused.Because(refused.CodeAlreadyExists, "dataset %s already exists", name)
			}
			return err
		}
		err := tx.Create(d).Error
		if isUnique(err) {
			return refused.Because(refused.CodeAlreadyExists, "dataset %s was created at the same time", name)
		}
		if err != nil {
			return err
		}
		return note(tx, Entry{Action: Attached, Kind: DatasetKind, Name: name, Detail: map[string]any{"database": t.Database, "table": t.Name}})
	})
	return d, err
}

// State asks what the source of an attached table can tell of itself now.
func (s *Store) State(ctx context.Context, d *Dataset) (attached.State, error) {
	return s.databases.State(ctx, d.Attached, &d.Schema)
}

// Here refuses what can only be done with records that are kept here.
func (d *Dataset) Here(what string) error {
	if d.Attached == nil {
		return nil
	}
	return refused.Because(refused.CodeElsewhere, "dataset %s is table %s of database %s, and its records stay there: %s",
		d.Name, d.Attached.Name, d.Attached.Database, what)
}

// sumFirst adds an amount up over the records of a listing of an attached table through the one that the page before ended with.
func (s *Store) sumFirst(ctx context.Context, d *Dataset, l Listing, amount string) (decimal.Value, error) {
	l.Limit, l.After = int(l.After.ID), nil
	at := d.Schema.Index(amount)
	var so decimal.Value
	err := s.EachRecord(ctx, d, l, func(r Record) error {
		if r.Cells[at] == nil || r.ID > int64(l.Limit) {
			return nil
		}
		v, err := decimal.Parse(*r.Cells[at])
		if err == nil {
			so, err = so.Plus(v)
		}
		return err
	})
	return so, err
}
