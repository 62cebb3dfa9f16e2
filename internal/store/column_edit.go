package store

import (
	"context"
	"database/sql"
	"fmt"
	"log/slog"

	"gorm.io/gorm"

	"vastspan/core/dataset"
	"vastspan/internal/columnstore"
	"vastspan/internal/ingest"
)

// A columnEdit makes the columns of a change of a dataset. They are on the disk before the change is committed, under the name that
// it gives to what the dataset then holds; where the change comes to nothing, nobody asks for that name.
type columnEdit struct {
	cache   *columnCache
	entry   *columnEntry
	dataset *Dataset
	edit    *columnstore.Edit
	content string
	before  *columnstore.State // nil of a dataset without records
	locked  bool
	written bool
}

// edit begins the columns of the change that a dataset is about to have.
func (c *columnCache) edit(d *Dataset) (*columnEdit, error) {
	e, err := columnstore.Begin(c.of(d.ID), &d.Schema, d.nextChange(), ingest.Workers())
	if err != nil {
		return nil, fmt.Errorf("the folder of columns cannot be used: %w", err)
	}
	return &columnEdit{cache: c, entry: c.entry(d.ID), dataset: d, edit: e, content: newContent()}, nil
}

// publish writes the columns, of a dataset that is locked by the transaction: records that ended are read from it. Where the columns
// before the change are missing, those after it are made when they are asked for.
func (e *columnEdit) publish(ctx context.Context, conn *sql.Conn, ended int64) error {
	d := e.dataset
	e.entry.writing.Lock()
	e.locked = true
	before := e.find()
	if e.before = before; before == nil && d.Version > 0 {
		return nil
	}
	switch {
	case ended == 0:
	case before != nil && ended == before.Rows():
		e.edit.EndAll()
	default:
		which := fmt.Sprintf("%s = %d", quote(untilColumn), d.nextChange())
		if err := d.readEnded(ctx, conn, which, func(key columnstore.RecordKey, _ int64) { e.edit.End(key) }); err != nil {
			return err
		}
	}
	err := e.edit.Publish(before, e.content)
	if columnstore.Broken(err) || columnstore.Faulted(err) {
		slog.Warn("the columns of a dataset are made again", "dataset", d.Name, "error", err)
		return nil
	}
	e.written = err == nil
	return err
}

// find returns the state that the change is of; nil where it is missing or damaged.
func (e *columnEdit) find() *columnstore.State {
	if e.dataset.Version == 0 {
		return nil
	}
	if s := e.entry.current(); s != nil && s.Content == e.dataset.Content && len(s.Damaged()) == 0 {
		return s
	}
	s, err := columnstore.Open(e.entry.folder, e.dataset.Content, &e.dataset.Schema)
	if err != nil || len(s.Damaged()) > 0 {
		return nil
	}
	e.cache.adopt(e.entry, s, e.dataset.Described)
	return s
}

// end opens the columns of a change that was committed, or removes what was made of it.
func (e *columnEdit) end(failed error) {
	if e == nil {
		return
	}
	if e.locked {
		defer e.entry.writing.Unlock()
	}
	if failed == nil && e.written {
		s, err := e.open()
		if err == nil {
			e.cache.adopt(e.entry, s, e.dataset.Described)
			return
		}
		slog.Warn("the columns of a dataset are made again", "dataset", e.dataset.Name, "error", err)
	}
	if err := e.edit.Abandon(); err != nil {
		slog.Warn("files of columns are left", "error", err)
	}
}

// open opens the state after the change.
func (e *columnEdit) open() (*columnstore.State, error) {
	if e.before != nil {
		return e.before.OpenAfter(e.content, &e.dataset.Schema)
	}
	return columnstore.Open(e.entry.folder, e.content, &e.dataset.Schema)
}

// readEnded reads past records that meet a condition, and the changes that ended them.
func (d *Dataset) readEnded(ctx context.Context, conn *sql.Conn, which string, take func(key columnstore.RecordKey, change int64)) error {
	rows, err := conn.QueryContext(ctx, "SELECT "+quote(recordColumn)+", "+quote(sinceColumn)+", "+quote(untilColumn)+
		" FROM "+d.pastTable()+" WHERE "+which)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var key columnstore.RecordKey
		var change int64
		if err := rows.Scan(&key.Record, &key.Since, &change); err != nil {
			return err
		}
		take(key, change)
	}
	return rows.Err()
}

// changeColumns makes the columns of a change that moves records between the past and the present, before it is logged.
func (s *Store) changeColumns(ctx context.Context, tx *gorm.DB, conn *sql.Conn, d *Dataset) (*columnEdit, error) {
	e, err := s.columns.edit(d)
	if err != nil {
		return nil, err
	}
	current, err := d.countSince(tx, d.table(), d.nextChange())
	if err == nil && current > 0 {
		from := d.table() + " WHERE " + quote(sinceColumn) + " = " + fmt.Sprint(d.nextChange())
		err = d.readRows(ctx, conn, from, nil,
			func(worker int, key columnstore.RecordKey, _ int64, cells []dataset.Cell) error {
				return e.edit.Worker(worker).Add(key, cells)
			},
			func(worker int) *columnstore.Block { return e.edit.Worker(worker).Take() }, e.edit.Append)
	}
	var ended int64
	if err == nil {
		err = tx.Raw("SELECT count(*) FROM "+d.pastTable()+" WHERE "+quote(untilColumn)+" = ?", d.nextChange()).Scan(&ended).Error
	}
	if err == nil {
		err = e.publish(ctx, conn, ended)
	}
	return e, err
}

// A Verification is what comparing a dataset's columns with its records found.
type Verification struct {
	Records int64 `json:"records"` // records that were compared
	Sums    int64 `json:"sums"`    // sums by day and hour that were made again and compared
	Files   int64 `json:"files"`   // files of columns whose checksums were compared
	Wrong   int64 `json:"wrong"`   // files and sums that differ; they are made again
}

// Verify compares a dataset's columns with its records in the database, their checksums, and their sums with the rows.
func (s *Store) Verify(ctx context.Context, d *Dataset) (*Verification, error) {
	if err := d.Here("there are no columns to be verified"); err != nil {
		return nil, err
	}
	var v Verification
	entry := s.columns.entry(d.ID)
	if open := entry.current(); open != nil {
		files, err := open.Verify(ctx)
		if v.Files = int64(files); columnstore.Broken(err) {
			s.columns.repair(entry, open, err)
			v.Wrong++
		} else if err != nil {
			return nil, err
		}
	}
	err := s.copyTransaction(ctx, func(tx *gorm.DB, conn *sql.Conn) error {
		if err := tx.Exec("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ READ ONLY").Error; err != nil {
			return err
		}
		d, err := findDataset(tx, d.Name)
		if err != nil {
			return err
		}
		want, err := d.digest(ctx, conn)
		if err != nil {
			return err
		}
		return s.columns.ask(context.WithValue(ctx, snapshotKey{}, tx), d, func(state *columnstore.State) error {
			have, err := state.Digest(ctx)
			if err != nil {
				return err
			}
			if v.Records = want.Records; have != want {
				v.Wrong++
			}
			sums, wrong, err := state.CheckSums(ctx)
			v.Sums, v.Wrong = sums, v.Wrong+wrong
			return err
		})
	})
	return &v, err
}

// digest identifies the records of a dataset in the database.
func (d *Dataset) digest(ctx context.Context, conn *sql.Conn) (whole columnstore.Digest, err error) {
	parts := make([]columnstore.Digest, ingest.Workers())
	err = d.readRows(ctx, conn, d.table(), nil,
		func(worker int, key columnstore.RecordKey, _ int64, cells []dataset.Cell) error {
			parts[worker].Add(&d.Schema, key, cells)
			return nil
		},
		func(int) *columnstore.Block { return nil },
		func(*columnstore.Block) error { return nil })
	for _, part := range parts {
		whole.Merge(part)
	}
	return whole, err
}
