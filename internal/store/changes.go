package store

import (
	"context"
	"fmt"
	"strings"
	"time"

	"gorm.io/gorm"

	"vastspan/internal/access"
)

// A ChangeKind says what a change did to the records of a dataset.
type ChangeKind string

// The kinds of changes.
const (
	LoadChange    ChangeKind = "load" // append, replace or upsert: the load says which
	UndoChange    ChangeKind = "undo"
	RedoChange    ChangeKind = "restore load"
	RetypeChange  ChangeKind = "retype"
	RemoveChange  ChangeKind = "remove"
	RestoreChange ChangeKind = "restore"
	ForgetChange  ChangeKind = "forget" // of history
)

// A RecordChange is one entry of the log of a dataset. Every record carries the number of the change that brought it; a past
// record also carries the number of the change that ended it. So the records of any state of the past can be read.
type RecordChange struct {
	DatasetID int64
	Number    int64 // from 1 on, without gaps
	Kind      ChangeKind
	LoadID    *int64 // of a load that was made, undone or restored
	Author    string
	At        time.Time
	Content   string // what the dataset holds after the change
}

// TableName names the table.
func (RecordChange) TableName() string { return "changes" }

// nextChange is the number of the change that is being made; the dataset is locked by it.
func (d *Dataset) nextChange() int64 { return d.Version + 1 }

// logChange ends a change of records: the dataset has the next version, and the content that was made for it.
func (d *Dataset) logChange(ctx context.Context, tx *gorm.DB, kind ChangeKind, load *Load, content string) error {
	c := RecordChange{DatasetID: d.ID, Number: d.nextChange(), Kind: kind, Author: access.Author(ctx), At: tx.NowFunc(), Content: content}
	if load != nil {
		c.LoadID = &load.ID
	}
	if err := tx.Create(&c).Error; err != nil {
		return err
	}
	d.Version, d.Content = c.Number, content
	return tx.Model(d).Updates(map[string]any{"version": d.Version, "content": d.Content}).Error
}

// Past records of a dataset have a table of their own, with the columns of the table of records and the change that ended each.

// untilColumn is the change that ended a past record.
const untilColumn = "_until"

// sincePosition is the position of the change among the columns of a record.
const sincePosition = 1

func (d *Dataset) pastTable() string { return quote("stored", fmt.Sprintf("p_%d", d.ID)) }

func (d *Dataset) createPast(tx *gorm.DB) error {
	return tx.Exec("CREATE TABLE " + d.pastTable() + " (LIKE " + d.table() + ", " + quote(untilColumn) + " bigint NOT NULL)").Error
}

// end moves the records that meet a condition to the past, and returns how many they are.
func (d *Dataset) end(tx *gorm.DB, which condition) (int64, error) {
	clauses, args := where([]condition{which})
	done := tx.Exec("WITH gone AS (DELETE FROM "+d.table()+" AS r "+clauses+" RETURNING "+d.columnList()+") INSERT INTO "+
		d.pastTable()+" ("+d.columnList()+", "+quote(untilColumn)+") SELECT *, "+fmt.Sprint(d.nextChange())+" FROM gone", args...)
	return done.RowsAffected, done.Error
}

// bringBack makes past records that meet a condition current again; what they were before stays in the past.
func (d *Dataset) bringBack(tx *gorm.DB, which condition) error {
	clauses, args := where([]condition{which})
	columns := d.recordColumns()
	columns[sincePosition] = fmt.Sprint(d.nextChange())
	return tx.Exec("INSERT INTO "+d.table()+" ("+d.columnList()+") SELECT "+strings.Join(columns, ", ")+
		" FROM "+d.pastTable()+" AS r "+clauses, args...).Error
}
