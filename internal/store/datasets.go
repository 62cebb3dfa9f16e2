package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/table"

	"vastspan/internal/access"
	"vastspan/internal/attached"
	"vastspan/internal/ingest"
	"vastspan/internal/refused"
)

// A Dataset is a named table of records. Version is the number of the last change of its records.
type Dataset struct {
	ID      int64
	Name    string
	Schema  dataset.Schema `gorm:"serializer:json;type:jsonb"`
	Version int64
	// Described grows with every change of what is said about its columns.
	Described int64
	// NextRecord is greater than the number of any record so far.
	NextRecord int64
	// Content names what the dataset holds: it changes with every change of its records.
	Content string
	// Attached is where its records are, should that be elsewhere; nil where they are kept here.
	Attached *attached.Table `gorm:"serializer:json;type:jsonb"`
	// Rules say who sees what of it; nil for everybody.
	Rules     *access.Rules `gorm:"serializer:json;type:jsonb"`
	CreatedAt time.Time
	// RemovedAt is when it was removed, nil where it was not; RemovedName is its name until then, RemovedBy who did it.
	RemovedAt              *time.Time
	RemovedName, RemovedBy string
	// lengths is the SQL of columns that are no columns of the table.
	lengths map[string]string
	// known is the state of the past in which it was found; nil for the newest. Version and Content are those of the state then.
	known *table.Known
}

// A Load is one file that was loaded into a dataset, whole.
type Load struct {
	ID        int64
	DatasetID int64
	File      string
	Author    string
	Records   int64 // with a day or without
	Undated   int64
	Oldest    *time.Time `gorm:"type:date"`
	Newest    *time.Time `gorm:"type:date"`
	LoadedAt  time.Time
	UndoneAt  *time.Time
	Mode      Mode
	Replaced  int64 // records of other loads that it replaced
	// Kept says of a load that was undone that its records can be brought back.
	Kept bool
	// Its records have numbers from FirstRecord on, up to NextRecord, which is 0 while the load goes on.
	FirstRecord, NextRecord int64
	// Change is the change by which its records came or, after it was undone, came back; UndoneBy the one that undid it, 0 for none.
	Change, UndoneBy int64
	// Idempotency is the key that was given with the load, nil where none was.
	Idempotency *string
	// Remarks are what may have been meant otherwise; they are known right after the load alone.
	Remarks []ingest.Remark `gorm:"-"`
	// Repeated says that it had been loaded before, by the same key: nothing was loaded.
	Repeated bool `gorm:"-"`
}

// Columns that the service keeps in every table of records. Names of users' columns never begin
// with an underscore.
const (
	recordColumn = "_record"
	sinceColumn  = "_since" // the change that brought the record
	dayColumn    = "_day"   // the day of a timestamp, in the dataset's zone
)

// stored returns the name of a dataset's tables. One that is removed and loaded again has others, so that
// who found the first never reads the second for it. No name that a user gives has an underscore.
func (d *Dataset) stored() string { return fmt.Sprintf("d_%d", d.ID) }

// table returns the table that holds a dataset's records, under names that no user chose.
func (d *Dataset) table() string { return quote("stored", d.stored()) }

// view returns the view that shows the records under their users' names, for other tools.
func (d *Dataset) view() string { return quote("records", d.Name) }

// column returns the stored name of a column: its number in the schema. Names of users may be any
// text, those that PostgreSQL keeps for itself among them.
func (d *Dataset) column(name string) string {
	if sql, ok := d.lengths[name]; ok {
		return sql
	}
	return storedColumn(d.Schema.Index(name))
}

func storedColumn(i int) string { return fmt.Sprintf("c%d", i+1) }

func (d *Dataset) columns(names []string) []string {
	list := make([]string, len(names))
	for i, name := range names {
		list[i] = d.column(name)
	}
	return list
}

// day returns the SQL of the column that holds a record's day.
func (d *Dataset) day() string {
	c := d.Schema.Columns[d.Schema.Day()]
	if c.Type == dataset.Timestamp {
		return quote(dayColumn)
	}
	return d.column(c.Name)
}

func sqlType(t dataset.Type) string {
	switch t {
	case dataset.Date:
		return "date"
	case dataset.Timestamp:
		return "timestamptz"
	case dataset.Number:
		return "numeric"
	}
	return "text"
}

// Datasets lists the datasets by name.
func (s *Store) Datasets(ctx context.Context) ([]Dataset, error) {
	var sets []Dataset
	err := s.reader(ctx).Where("removed_at IS NULL").Order("name").Find(&sets).Error
	return sets, err
}

// Dataset finds a dataset.
func (s *Store) Dataset(ctx context.Context, name string) (*Dataset, error) {
	d, err := findDataset(s.reader(ctx), name)
	if err != nil {
		return nil, err
	}
	if err := s.asAsked(ctx, d); err != nil {
		return nil, err
	}
	return d, nil
}

func findDataset(tx *gorm.DB, name string) (*Dataset, error) {
	var d Dataset
	err := tx.Where("name = ?", name).Take(&d).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return nil, refused.Missing("dataset", name)
	}
	return &d, err
}

// Loads lists a dataset's loads before a number, newest first, those undone as well; 0 is from the newest
// on.
func (s *Store) Loads(ctx context.Context, d *Dataset, before int64, limit int) ([]Load, error) {
	if err := d.Here("there are no loads"); err != nil {
		return nil, err
	}
	var loads []Load
	tx := s.reader(ctx).Where("dataset_id = ?", d.ID).Order("id DESC").Limit(limit)
	if before > 0 {
		tx = tx.Where("id < ?", before)
	}
	err := tx.Find(&loads).Error
	return loads, err
}

// Load finds a load of a dataset.
func (s *Store) Load(ctx context.Context, d *Dataset, id int64) (*Load, error) {
	if err := d.Here("there are no loads"); err != nil {
		return nil, err
	}
	return findLoad(s.reader(ctx), d, id)
}

func findLoad(tx *gorm.DB, d *Dataset, id int64) (*Load, error) {
	var load Load
	err := tx.Where("dataset_id = ? AND id = ?", d.ID, id).Take(&load).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return nil, refused.Missing("load of dataset "+d.Name, fmt.Sprint(id))
	}
	return &load, err
}

// RemoveDataset drops a dataset with all its records and loads; check may refuse it.
func (s *Store) RemoveDataset(ctx context.Context, name string, check func(*Dataset) error) error {
	var d *Dataset
	err := s.transaction(ctx, func(tx *gorm.DB) error {
		var err error
		if d, err = findDataset(tx.Clauses(forUpdate), name); err != nil {
			return err
		}
		if err := check(d); err != nil {
			return err
		}
		if err := tx.Exec("DROP VIEW IF EXISTS " + d.view()).Error; err != nil {
			return err
		}
		if err := d.keepRules(tx); err != nil {
			return err
		}
		if err := d.setAside(tx, access.Author(ctx)); err != nil {
			return err
		}
		if err := d.logChange(ctx, tx, RemoveChange, nil, newContent()); err != nil {
			return err
		}
		return note(tx, Entry{Action: Removed, Kind: DatasetKind, Name: name})
	})
	if err != nil {
		return err
	}
	s.columns.evict(d.ID)
	s.sweep(context.WithoutCancel(ctx))
	return nil
}

// sweep drops the tables of datasets that are gone, one at a time: who still reads one is waited for, and
// who waits holds nothing that they could wait for in turn. What cannot be dropped is left to the next
// sweep.
func (s *Store) sweep(ctx context.Context) {
	var tables []string
	if err := s.purge(ctx); err != nil {
		slog.Warn("what was removed long ago is left", "error", err)
	}
	err := s.db.WithContext(ctx).Raw(`
		SELECT quote_ident(schemaname) || '.' || quote_ident(tablename) FROM pg_tables
		WHERE schemaname = 'stored' AND NOT EXISTS (SELECT FROM datasets WHERE tablename = 'd_' || id OR tablename = 'p_' || id)`).
		Scan(&tables).Error
	for _, table := range tables {
		err = errors.Join(err, s.db.WithContext(ctx).Exec("DROP TABLE IF EXISTS "+table).Error)
	}
	if err != nil {
		slog.Warn("tables of removed datasets are left", "error", err)
	}
}

// UndoLoad takes a load's records out of its dataset; the load stays listed.
func (s *Store) UndoLoad(ctx context.Context, name string, id int64) (*Load, error) {
	var load *Load
	var edit *columnEdit
	err := s.copyTransaction(ctx, func(tx *gorm.DB, conn *sql.Conn) error {
		d, err := findDataset(tx.Clauses(forUpdate), name)
		if err != nil {
			return err
		}
		if err := d.Here("no load is undone"); err != nil {
			return err
		}
		if load, err = findLoad(tx, d, id); err != nil {
			return err
		}
		if load.UndoneAt != nil {
			return refused.Because(
				refused.CodeAlreadyUndone,
				"load %d of dataset %s was undone already, on %s",
				id,
				name,
				load.UndoneAt.Format(time.DateOnly),
			)
		}
		if err := d.restorable(tx, load); err != nil {
			return err
		}
		if err := d.undo(tx, load); err != nil {
			return err
		}
		if edit, err = s.changeColumns(ctx, tx, conn, d); err != nil {
			return err
		}
		now := tx.NowFunc()
		load.UndoneAt, load.UndoneBy = &now, d.nextChange()
		if err := tx.Save(load).Error; err != nil {
			return err
		}
		if err := d.logChange(ctx, tx, UndoChange, load, edit.content); err != nil {
			return err
		}
		return note(tx, Entry{Action: Undone, Kind: "load", Name: itoa(id), Detail: map[string]any{"dataset": name, "records": load.Records}})
	})
	edit.end(err)
	return load, err
}

// create makes a dataset's row and table.
func (d *Dataset) create(tx *gorm.DB) error {
	if err := tx.Create(d).Error; err != nil {
		if isUnique(err) {
			return refused.Because(refused.CodeAlreadyExists, "dataset %s was created by another load at the same time", d.Name)
		}
		return err
	}
	columns := []string{
		quote(recordColumn) + " bigint NOT NULL",
		quote(sinceColumn) + " bigint NOT NULL",
	}
	if d.day() == quote(dayColumn) {
		columns = append(columns, quote(dayColumn)+" date")
	}
	for _, c := range d.Schema.Columns {
		columns = append(columns, d.column(c.Name)+" "+sqlType(c.Type))
	}
	if err := tx.Exec("CREATE TABLE " + d.table() + " (" + strings.Join(columns, ", ") + ")").Error; err != nil {
		return err
	}
	if err := d.createPast(tx); err != nil {
		return err
	}
	return d.createView(tx)
}

// createView shows the table's columns under their users' names.
func (d *Dataset) createView(tx *gorm.DB) error {
	columns := []string{quote(recordColumn), quote(sinceColumn)}
	if d.day() == quote(dayColumn) {
		columns = append(columns, quote(dayColumn))
	}
	for i, c := range d.Schema.Columns {
		columns = append(columns, storedColumn(i)+" AS "+quote(c.Name))
	}
	return tx.Exec("CREATE VIEW " + d.view() + " AS SELECT " + strings.Join(columns, ", ") + " FROM " + d.table()).Error
}

// createIndexes makes the table's index, once its first records are there: that is several times as
// fast as keeping it while the records come.
func (d *Dataset) createIndexes(tx *gorm.DB) error {
	return tx.Exec("CREATE INDEX ON " + d.table() + " (" + d.day() + ")").Error
}

// DayOf returns the civil day of a date that the database gave.
func DayOf(t time.Time) civil.Day { return civil.OfTime(t, time.UTC) }

var readOnly = &sql.TxOptions{Isolation: sql.LevelRepeatableRead, ReadOnly: true}

// Describe changes what is said about a dataset's columns; change is given it as it is. Types and roles change the tables,
// too; the columns, their names and the day stay.
func (s *Store) Describe(ctx context.Context, name string, change func(*Dataset) error) (*Dataset, error) {
	var d *Dataset
	err := s.transaction(ctx, func(tx *gorm.DB) error {
		var err error
		if d, err = findDataset(tx.Clauses(forUpdate), name); err != nil {
			return err
		}
		before := d.Schema
		before.Columns = slices.Clone(before.Columns)
		if err := change(d); err != nil {
			return err
		}
		if err := d.retype(ctx, tx, &before); err != nil {
			return err
		}
		d.Described++
		if err := tx.Model(d).Select("schema", "described").Updates(d).Error; err != nil {
			return err
		}
		return note(tx, Entry{Action: Changed, Kind: DatasetKind, Name: name, Detail: map[string]any{"version": d.Described}})
	})
	return d, err
}
