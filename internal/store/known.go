package store

import (
	"context"
	"errors"
	"fmt"
	"time"

	"gorm.io/gorm"

	"vastspan/core/table"
	"vastspan/internal/refused"
)

// An Asked state is one of the past: after a load, when a receipt was made, or at a moment (semantics §13). The zero value is the
// newest one.
type Asked struct {
	Load, Receipt int64
	At            time.Time
	// Zone is the one in which moments are written.
	Zone *time.Location
}

// knownKey is the key of the state that is asked in its context.
type knownKey struct{}

// AsKnown returns a context with which datasets are found as they were known in a state of the past, or in the newest one.
func AsKnown(ctx context.Context, state Asked) context.Context {
	return context.WithValue(ctx, knownKey{}, state)
}

// InPast reports whether a context asks for a state of the past.
func InPast(ctx context.Context) bool {
	state, _ := ctx.Value(knownKey{}).(Asked)
	return state != Asked{}
}

// Known says which state of the past a dataset was found in; nil for the newest.
func (d *Dataset) Known() *table.Known { return d.known }

// asAsked sets a dataset back to the state that a context asks for.
func (s *Store) asAsked(ctx context.Context, d *Dataset) error {
	if !InPast(ctx) {
		return nil
	}
	return s.recall(ctx, d, ctx.Value(knownKey{}).(Asked))
}

// recall sets a dataset back to a state of the past. Errors: an attached table, a load that is not there or is undone, a moment before
// the history begins.
func (s *Store) recall(ctx context.Context, d *Dataset, state Asked) error {
	if err := d.Here("what was known of them earlier is not kept"); err != nil {
		return err
	}
	tx := s.reader(ctx)
	if state.Receipt > 0 {
		r, err := s.Receipt(ctx, state.Receipt)
		if err != nil {
			return err
		}
		state.At = r.MadeAt
	}
	c, err := d.changeOf(tx, state)
	if err != nil {
		return err
	}
	begins, why, err := d.historyBegins(tx)
	if err != nil {
		return err
	}
	if c == nil || c.Number < begins.Number {
		return refused.Because(refused.CodeBeforeHistory, "what was known of dataset %s can be asked from %s on%s",
			d.Name, begins.At.In(state.Zone).Format("2006-01-02T15:04:05"), why)
	}
	known := &table.Known{Dataset: d.Name, Later: []table.RecordChange{}}
	list, later, err := d.changesFrom(tx, c.Number, table.MostLater+1, state.Zone)
	if err != nil {
		return err
	}
	known.After, known.Later, known.LaterChanges = list[0], append(known.Later, list[1:]...), later
	d.known, d.Version, d.Content = known, c.Number, c.Content
	return nil
}

// changeOf finds the last change of a state; nil where the state is before the first one.
func (d *Dataset) changeOf(tx *gorm.DB, state Asked) (*RecordChange, error) {
	at := state.At
	if state.Load > 0 {
		var load Load
		err := tx.Where("id = ?", state.Load).Take(&load).Error
		if errors.Is(err, gorm.ErrRecordNotFound) {
			return nil, refused.Missing("load", fmt.Sprint(state.Load))
		}
		if err != nil {
			return nil, err
		}
		var c RecordChange
		err = tx.Where("load_id = ? AND kind = ?", state.Load, LoadChange).Take(&c).Error
		switch {
		case err != nil:
			return nil, err
		case load.DatasetID == d.ID && load.UndoneAt != nil:
			return nil, refused.Wrongf("load %d of dataset %s was undone on %s: ask by a moment before that, such as %s", load.ID, d.Name,
				load.UndoneAt.In(state.Zone).Format("2006-01-02 15:04"), c.At.Add(time.Second).In(state.Zone).Format("2006-01-02T15:04:05"))
		case load.DatasetID == d.ID:
			return &c, nil
		}
		at = c.At // as another dataset was known then
	} else if now := tx.NowFunc(); at.After(now) {
		return nil, refused.Wrongf("known at %s: that is after now, %s", at.In(state.Zone).Format("2006-01-02T15:04:05"),
			now.In(state.Zone).Format("2006-01-02T15:04:05"))
	}
	var c RecordChange
	err := tx.Where("dataset_id = ? AND at <= ?", d.ID, at).Order("number DESC").Take(&c).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return nil, nil
	}
	return &c, err
}

// historyBegins finds the first change after which the records can be asked, and why not before.
func (d *Dataset) historyBegins(tx *gorm.DB) (c RecordChange, why string, err error) {
	var first RecordChange
	err = tx.Raw(`SELECT * FROM changes WHERE dataset_id = ? AND number >=
		(SELECT coalesce(max(number), 0) FROM changes WHERE dataset_id = ? AND kind IN ?) ORDER BY number LIMIT 1`,
		d.ID, d.ID, []ChangeKind{RetypeChange, ForgetChange}).Scan(&first).Error
	switch first.Kind {
	case RetypeChange:
		why = ", when its columns were given other types"
	case ForgetChange:
		why = ", as its history before that was dropped"
	default:
		why = ", when its first records came"
	}
	return first, why, err
}

// changesFrom lists the changes of a dataset from one on, at most so many, and how many there are after it.
func (d *Dataset) changesFrom(tx *gorm.DB, number int64, most int, zone *time.Location) (list []table.RecordChange, later int, err error) {
	var rows []struct {
		RecordChange
		File     string
		Mode     Mode
		Records  int64
		Replaced int64
	}
	err = tx.Raw(`SELECT c.*, coalesce(l.file, '') AS file, coalesce(l.mode, '') AS mode, coalesce(l.records, 0) AS records,
			coalesce(l.replaced, 0) AS replaced
		FROM changes c LEFT JOIN loads l ON l.id = c.load_id WHERE c.dataset_id = ? AND c.number >= ? ORDER BY c.number LIMIT ?`,
		d.ID, number, most).Scan(&rows).Error
	if err != nil {
		return nil, 0, err
	}
	for i := range rows {
		r := &rows[i]
		one := table.RecordChange{Number: r.Number, Author: r.Author, At: r.At.In(zone), What: string(r.Kind)}
		if r.LoadID != nil {
			one.Load = *r.LoadID
		}
		switch load := fmt.Sprintf("load %d", one.Load); {
		case r.Kind == LoadChange && r.Replaced > 0:
			one.What = fmt.Sprintf("%s (%s, in place of %s)", load, r.File, table.CountedRecords(r.Replaced))
		case r.Kind == LoadChange:
			one.What = fmt.Sprintf("%s (%s)", load, r.File)
		case r.Kind == UndoChange:
			one.What = "the undoing of " + load
		case r.Kind == RedoChange:
			one.What = "the return of " + load
		case r.Kind == RetypeChange:
			one.What = "a change of column types"
		case r.Kind == RestoreChange:
			one.What = "the return of the dataset"
		case r.Kind == ForgetChange:
			one.What = "the dropping of history"
		}
		list = append(list, one)
	}
	var n int64
	err = tx.Raw("SELECT count(*) FROM changes WHERE dataset_id = ? AND number > ?", d.ID, number).Scan(&n).Error
	return list, int(n), err
}

// rows is the SQL of the records that a dataset is read from: its table, or in a state of the past what of it and of the past records
// was there.
func (d *Dataset) rows() string {
	if d.known == nil {
		return d.table()
	}
	return "(" + d.rowsAt(d.Version) + ") AS known"
}

// rowsAt selects the records that there were after a change.
func (d *Dataset) rowsAt(change int64) string {
	return fmt.Sprintf("SELECT %[1]s FROM %[2]s WHERE %[4]s <= %[6]d UNION ALL SELECT %[1]s FROM %[3]s WHERE %[4]s <= %[6]d AND %[5]s > %[6]d",
		d.columnList(), d.table(), d.pastTable(), quote(sinceColumn), quote(untilColumn), change)
}

// LastChange describes the last change that a dataset is known by.
func (s *Store) LastChange(ctx context.Context, d *Dataset, zone *time.Location) (c table.RecordChange, err error) {
	list, _, err := d.changesFrom(s.reader(ctx), d.Version, 1, zone)
	if err == nil && len(list) > 0 {
		c = list[0]
	}
	return c, err
}
