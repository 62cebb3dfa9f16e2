package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"gorm.io/gorm"

	"vastspan/core/civil"
	"vastspan/internal/tabular"
)

// A Dataset is a named table of records. Version grows with every load and every load taken back.
type Dataset struct {
	ID      int64
	Name    string
	Schema  tabular.Schema `gorm:"serializer:json;type:jsonb"`
	Version int64
	// NextRecord is greater than the number of any record so far.
	NextRecord int64
	CreatedAt  time.Time
}

// A Load is one file that landed in a dataset, whole.
type Load struct {
	ID          int64
	DatasetID   int64
	File        string
	Author      string
	Records     int64 // with a day or without
	Undated     int64
	FirstDay    *time.Time `gorm:"type:date"`
	LastDay     *time.Time `gorm:"type:date"`
	LandedAt    time.Time
	TakenBackAt *time.Time
}

// Columns that the service keeps in every table of records. Names of users' columns never begin
// with an underscore.
const (
	recordColumn = "_record"
	loadColumn   = "_load"
	dayColumn    = "_day" // the day of a timestamp, in the dataset's zone
)

func quote(names ...string) string { return pgx.Identifier(names).Sanitize() }

func (d *Dataset) table() string { return quote("records", d.Name) }

// day gives the SQL of the column that holds a record's day.
func (d *Dataset) day() string {
	c := d.Schema.Columns[d.Schema.Day()]
	if c.Type == tabular.Timestamp {
		return quote(dayColumn)
	}
	return quote(c.Name)
}

func sqlType(t tabular.Type) string {
	switch t {
	case tabular.Date:
		return "date"
	case tabular.Timestamp:
		return "timestamptz"
	case tabular.Number:
		return "numeric"
	}
	return "text"
}

// Datasets lists the datasets by name.
func (s *Store) Datasets(ctx context.Context) ([]Dataset, error) {
	var sets []Dataset
	err := s.db.WithContext(ctx).Order("name").Find(&sets).Error
	return sets, err
}

// Dataset finds a dataset.
func (s *Store) Dataset(ctx context.Context, name string) (*Dataset, error) {
	return findDataset(s.db.WithContext(ctx), name)
}

func findDataset(tx *gorm.DB, name string) (*Dataset, error) {
	var d Dataset
	err := tx.Where("name = ?", name).Take(&d).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return nil, &NotFound{"dataset", name}
	}
	return &d, err
}

// Loads lists a dataset's loads, newest first, those taken back as well.
func (s *Store) Loads(ctx context.Context, d *Dataset) ([]Load, error) {
	var loads []Load
	err := s.db.WithContext(ctx).Where("dataset_id = ?", d.ID).Order("id DESC").Find(&loads).Error
	return loads, err
}

// RemoveDataset drops a dataset with all its records and loads.
func (s *Store) RemoveDataset(ctx context.Context, name string) error {
	var id int64
	err := s.transaction(ctx, func(tx *gorm.DB) error {
		d, err := findDataset(tx.Clauses(forUpdate), name)
		if err != nil {
			return err
		}
		id = d.ID
		if err := tx.Delete(d).Error; err != nil {
			return err
		}
		return tx.Exec("DROP TABLE " + d.table() + ", " + d.sums()).Error
	})
	if err == nil {
		s.columns.forget(id)
	}
	return err
}

// TakeBack takes a load's records out of its dataset; the load stays listed.
func (s *Store) TakeBack(ctx context.Context, name string, id int64) (*Load, error) {
	var load Load
	err := s.transaction(ctx, func(tx *gorm.DB) error {
		d, err := findDataset(tx.Clauses(forUpdate), name)
		if err != nil {
			return err
		}
		err = tx.Where("dataset_id = ? AND id = ?", d.ID, id).Take(&load).Error
		switch {
		case errors.Is(err, gorm.ErrRecordNotFound):
			return &NotFound{"load of dataset " + name, fmt.Sprint(id)}
		case err != nil:
			return err
		case load.TakenBackAt != nil:
			return &Conflict{fmt.Sprintf("load %d of dataset %s was taken back already, on %s", id, name, load.TakenBackAt.Format(time.DateOnly))}
		}
		if err := d.touch(tx, id); err != nil {
			return err
		}
		if err := tx.Exec("DELETE FROM "+d.table()+" WHERE "+quote(loadColumn)+" = ?", id).Error; err != nil {
			return err
		}
		if err := d.renewSums(tx); err != nil {
			return err
		}
		now := tx.NowFunc()
		load.TakenBackAt = &now
		if err := tx.Save(&load).Error; err != nil {
			return err
		}
		return tx.Model(d).Update("version", d.Version+1).Error
	})
	return &load, err
}

// create makes a dataset's row and table.
func (d *Dataset) create(tx *gorm.DB) error {
	if err := tx.Create(d).Error; err != nil {
		if isUnique(err) {
			return &Conflict{fmt.Sprintf("dataset %s was made meanwhile by another load", d.Name)}
		}
		return err
	}
	columns := []string{
		quote(recordColumn) + " bigint NOT NULL",
		quote(loadColumn) + " bigint NOT NULL",
	}
	if d.day() == quote(dayColumn) {
		columns = append(columns, quote(dayColumn)+" date")
	}
	for _, c := range d.Schema.Columns {
		columns = append(columns, quote(c.Name)+" "+sqlType(c.Type))
	}
	if err := d.createSums(tx); err != nil {
		return err
	}
	return tx.Exec("CREATE TABLE " + d.table() + " (" + strings.Join(columns, ", ") + ")").Error
}

// createIndexes makes the table's index, once its first records are there: that is several times as
// fast as keeping it while the records come.
func (d *Dataset) createIndexes(tx *gorm.DB) error {
	return tx.Exec("CREATE INDEX ON " + d.table() + " (" + d.day() + ")").Error
}

// DayOf gives the civil day of a date that the database gave.
func DayOf(t time.Time) civil.Day { return civil.OfTime(t, time.UTC) }

var readOnly = &sql.TxOptions{Isolation: sql.LevelRepeatableRead, ReadOnly: true}

// Describe changes what is said about a dataset's columns; change is given the schema as it is, and
// may not change what the table is made of.
func (s *Store) Describe(ctx context.Context, name string, change func(*tabular.Schema) error) (*Dataset, error) {
	var d *Dataset
	err := s.transaction(ctx, func(tx *gorm.DB) error {
		var err error
		if d, err = findDataset(tx.Clauses(forUpdate), name); err != nil {
			return err
		}
		if err := change(&d.Schema); err != nil {
			return err
		}
		return tx.Model(d).Select("schema").Updates(d).Error
	})
	return d, err
}
