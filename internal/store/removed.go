package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"time"

	"gorm.io/gorm"

	"vastspan/internal/refused"
)

// What is removed can be brought back for a while: a dataset keeps its tables under a name that nobody can give, and the records
// of a load that is undone are among the past ones.

// RestorableDays is for how many days what was removed can be brought back.
const RestorableDays = 30

// RemovedDatasets lists the datasets that were removed and can be brought back, the one that was removed last first.
func (s *Store) RemovedDatasets(ctx context.Context) ([]Dataset, error) {
	var sets []Dataset
	err := s.reader(ctx).Where("removed_at IS NOT NULL").Order("removed_at DESC, id DESC").Find(&sets).Error
	return sets, err
}

// RestoreDataset brings back the dataset that was removed last under a name; check may refuse that. Errors: missing where none was, and
// where there is one of the name by now.
func (s *Store) RestoreDataset(ctx context.Context, name string, check func(*Dataset) error) (*Dataset, error) {
	var d Dataset
	err := s.transaction(ctx, func(tx *gorm.DB) error {
		err := tx.Clauses(forUpdate).Where("removed_name = ? AND removed_at IS NOT NULL", name).Order("removed_at DESC").Take(&d).Error
		if errors.Is(err, gorm.ErrRecordNotFound) {
			return refused.Missing("removed dataset", name)
		}
		if err == nil {
			err = check(&d)
		}
		if err != nil {
			return err
		}
		d.Name, d.RemovedName, d.RemovedBy, d.RemovedAt = name, "", "", nil
		err = tx.Model(&d).Select("name", "removed_name", "removed_by", "removed_at").Updates(&d).Error
		if isUnique(err) {
			return refused.Because(refused.CodeAlreadyExists, "a dataset %s exists by now: rename it first", name)
		}
		if err == nil {
			err = d.logChange(ctx, tx, RestoreChange, nil, newContent())
		}
		if err == nil && d.Attached == nil {
			err = d.createView(tx)
		}
		if err != nil {
			return err
		}
		return note(tx, Entry{Action: Restored, Kind: DatasetKind, Name: name})
	})
	return &d, err
}

// setAside takes a dataset out of sight: it has another name until it is brought back or purged.
func (d *Dataset) setAside(tx *gorm.DB, by string) error {
	now := tx.NowFunc()
	d.RemovedName, d.RemovedBy, d.RemovedAt, d.Name = d.Name, by, &now, fmt.Sprintf("removed %d", d.ID)
	return tx.Model(d).Select("name", "removed_name", "removed_by", "removed_at").Updates(d).Error
}

// purge drops datasets that can be brought back no longer, and marks loads that cannot.
func (s *Store) purge(ctx context.Context) error {
	before := s.db.NowFunc().AddDate(0, 0, -RestorableDays)
	err := s.db.WithContext(ctx).Where("removed_at < ?", before).Delete(&Dataset{}).Error
	return errors.Join(err, s.db.WithContext(ctx).Model(&Load{}).Where("kept AND undone_at < ?", before).Update("kept", false).Error)
}

// undo moves the records of a load to the past, and brings back those that it replaced, but for what other loads brought that were
// undone since. A load that replaced records can be undone only after all later ones that replace any, which would have found what
// comes back.
func (d *Dataset) undo(tx *gorm.DB, load *Load) error {
	moved, err := d.end(tx, load.of("r."))
	if err != nil {
		return err
	}
	load.Kept = moved == load.Records // some may have been replaced since
	number := "r." + quote(recordColumn)
	return d.bringBack(tx, condition{
		"r." + quote(untilColumn) + " = ? AND NOT EXISTS (SELECT FROM loads AS l WHERE l.dataset_id = ? AND l.undone_at IS NOT NULL AND " +
			number + " >= l.first_record AND " + number + " < l.next_record)", []any{load.Change, d.ID},
	})
}

// countSince counts the records of a table that a change brought.
func (d *Dataset) countSince(tx *gorm.DB, table string, change int64) (n int64, err error) {
	err = tx.Raw("SELECT count(*) FROM "+table+" WHERE "+quote(sinceColumn)+" = ?", change).Scan(&n).Error
	return n, err
}

// RedoLoad brings the records of a load back that was undone, and takes away those that came back for them. Errors: where it was not
// undone, longer ago than its records are kept, or where what came back is not there as it was.
func (s *Store) RedoLoad(ctx context.Context, name string, id int64) (*Load, error) {
	var load *Load
	var edit *columnEdit
	err := s.copyTransaction(ctx, func(tx *gorm.DB, conn *sql.Conn) error {
		d, err := findDataset(tx.Clauses(forUpdate), name)
		if err != nil {
			return err
		}
		if load, err = findLoad(tx, d, id); err != nil {
			return err
		}
		switch {
		case load.UndoneAt == nil:
			return refused.Because(refused.CodeIsCurrent, "load %d of dataset %s is not undone", id, name)
		case !load.Kept:
			return refused.Because(refused.CodeReplacedSince,
				"the records of load %d of dataset %s are not kept any more: load the file again", id, name)
		}
		later, err := d.replacingAfter(tx, id)
		if err != nil {
			return err
		}
		if len(later) > 0 {
			return refused.Because(refused.CodeReplacedSince,
				"load %d of dataset %s replaces records since load %d: undo that one first, or load the file again", later[0], name, id)
		}
		came := condition{"r." + quote(sinceColumn) + " = ?", []any{load.UndoneBy}}
		want, err := d.countSince(tx, d.table(), load.UndoneBy)
		if err != nil {
			return err
		}
		gone, err := d.countSince(tx, d.pastTable(), load.UndoneBy)
		if err != nil {
			return err
		}
		if gone > 0 {
			return refused.Because(refused.CodeReplacedSince,
				"load %d of dataset %s replaced records that were replaced or undone since: load the file again", id, name)
		}
		if want > 0 {
			if _, err := d.end(tx, came); err != nil {
				return err
			}
		}
		if err := d.bringBack(tx, condition{"r." + quote(untilColumn) + " = ?", []any{load.UndoneBy}}); err != nil {
			return err
		}
		if edit, err = s.changeColumns(ctx, tx, conn, d); err != nil {
			return err
		}
		load.UndoneAt, load.Kept, load.Change, load.UndoneBy = nil, false, d.nextChange(), 0
		if err := tx.Save(load).Error; err != nil {
			return err
		}
		// Later loads that replaced records found others than there are now: they are brought back no more.
		err = tx.Model(&Load{}).Where("dataset_id = ? AND id > ? AND kept AND mode <> ?", d.ID, id, Append).Update("kept", false).Error
		if err != nil {
			return err
		}
		if err := d.logChange(ctx, tx, RedoChange, load, edit.content); err != nil {
			return err
		}
		return note(tx, Entry{Action: Restored, Kind: "load", Name: itoa(id), Detail: map[string]any{"dataset": name, "records": load.Records}})
	})
	edit.end(err)
	return load, err
}

// Until is the last moment at which something that was removed at a time can be brought back.
func Until(removed time.Time) time.Time { return removed.AddDate(0, 0, RestorableDays) }
