package store

import (
	"context"
	"errors"
	"fmt"
	"time"

	"gorm.io/gorm"

	"vastspan/internal/refused"
)

// What is removed can be brought back for a while: a dataset keeps its tables under a name that nobody can give, and a load that is
// undone keeps its records together with those that were replaced.

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
		d.Name, d.RemovedName, d.RemovedBy, d.RemovedAt, d.Version, d.Content = name, "", "", nil, d.Version+1, newContent()
		err = tx.Model(&d).Select("name", "removed_name", "removed_by", "removed_at", "version", "content").Updates(&d).Error
		if isUnique(err) {
			return refused.Because(refused.CodeAlreadyExists, "a dataset %s exists by now: rename it first", name)
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

// purge forgets what can be brought back no longer.
func (s *Store) purge(ctx context.Context) error {
	before := s.db.NowFunc().AddDate(0, 0, -RestorableDays)
	err := s.db.WithContext(ctx).Where("removed_at < ?", before).Delete(&Dataset{}).Error
	var old []Load
	err = errors.Join(err, s.db.WithContext(ctx).Where("kept AND undone_at < ?", before).Find(&old).Error)
	for i := range old {
		err = errors.Join(err, s.transaction(ctx, func(tx *gorm.DB) error { return old[i].forget(tx) }))
	}
	return err
}

// forget drops the records that are kept of a load that was undone.
func (l *Load) forget(tx *gorm.DB) error {
	d := &Dataset{ID: l.DatasetID}
	if has, err := d.hasReplaced(tx); err != nil {
		return err
	} else if has {
		if err := tx.Exec("DELETE FROM "+d.replacedTable()+" WHERE "+quote(replacedColumn)+" = ?", -l.ID).Error; err != nil {
			return err
		}
	}
	if err := tx.Exec("DELETE FROM came_back WHERE load_id = ?", l.ID).Error; err != nil {
		return err
	}
	return tx.Model(l).Update("kept", false).Error
}

// putAside keeps the records of a load that is undone, and which records came back for them.
func (d *Dataset) putAside(tx *gorm.DB, load *Load) error {
	if err := d.createReplaced(tx); err != nil {
		return err
	}
	moved := tx.Exec("WITH gone AS (DELETE FROM "+d.table()+" WHERE "+quote(loadColumn)+" = ? RETURNING "+d.columnList()+") INSERT INTO "+
		d.replacedTable()+" ("+d.columnList()+", "+quote(replacedColumn)+") SELECT *, "+fmt.Sprint(-load.ID)+" FROM gone", load.ID)
	if moved.Error != nil {
		return moved.Error
	}
	load.Kept = moved.RowsAffected == load.Records // some may have been replaced since
	return tx.Exec("INSERT INTO came_back SELECT ?, "+quote(recordColumn)+" FROM "+d.replacedTable()+" WHERE "+quote(replacedColumn)+" = ?",
		load.ID, load.ID).Error
}

// RedoLoad brings the records of a load back that was undone, and takes away those that came back for them. Errors: where it was not
// undone, longer ago than its records are kept, or where what came back is not there as it was.
func (s *Store) RedoLoad(ctx context.Context, name string, id int64) (*Load, error) {
	var load *Load
	err := s.transaction(ctx, func(tx *gorm.DB) error {
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
		came := "r." + quote(recordColumn) + " IN (SELECT record FROM came_back WHERE load_id = ?)"
		var want, have int64
		if err := tx.Raw("SELECT count(*) FROM came_back WHERE load_id = ?", id).Scan(&want).Error; err != nil {
			return err
		}
		if err := tx.Raw("SELECT count(*) FROM "+d.table()+" AS r WHERE "+came, id).Scan(&have).Error; err != nil {
			return err
		}
		if have != want {
			return refused.Because(refused.CodeReplacedSince,
				"load %d of dataset %s replaced records that were replaced or undone since: load the file again", id, name)
		}
		if want > 0 {
			if _, err := d.replaceRecords(tx, id, condition{came, []any{id}}); err != nil {
				return err
			}
		}
		aside := " WHERE " + quote(replacedColumn) + " = ?"
		if err := tx.Exec("WITH back AS (DELETE FROM "+d.replacedTable()+aside+" RETURNING "+d.columnList()+") INSERT INTO "+
			d.table()+" ("+d.columnList()+") SELECT * FROM back", -id).Error; err != nil {
			return err
		}
		if err := tx.Exec("DELETE FROM came_back WHERE load_id = ?", id).Error; err != nil {
			return err
		}
		for _, t := range d.rollupTables() {
			if err := errors.Join(t.markLoad(tx, id), t.rebuild(tx)); err != nil {
				return err
			}
		}
		load.UndoneAt, load.Kept = nil, false
		if err := tx.Save(load).Error; err != nil {
			return err
		}
		// Later loads that replaced records found others than there are now: they are brought back no more.
		var others []Load
		err = tx.Where("dataset_id = ? AND id > ? AND kept AND mode <> ?", d.ID, id, Append).Find(&others).Error
		for i := range others {
			err = errors.Join(err, others[i].forget(tx))
		}
		if err != nil {
			return err
		}
		if err := tx.Model(d).Updates(map[string]any{"version": d.Version + 1, "content": newContent()}).Error; err != nil {
			return err
		}
		return note(tx, Entry{Action: Restored, Kind: "load", Name: itoa(id), Detail: map[string]any{"dataset": name, "records": load.Records}})
	})
	return load, err
}

// Until is the last moment at which something that was removed at a time can be brought back.
func Until(removed time.Time) time.Time { return removed.AddDate(0, 0, RestorableDays) }
