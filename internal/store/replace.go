package store

import (
	"fmt"
	"strings"

	"gorm.io/gorm"

	"vastspan/core/civil"
	"vastspan/internal/refused"
)

// A Mode says what a load does to the records that are there.
type Mode string

// The modes of a load.
const (
	Append  Mode = "append"  // they stay
	Replace Mode = "replace" // all go, or those of some days
	Upsert  Mode = "upsert"  // those go whose key the file has
)

// Replaced records are kept in a table of their own, so that undoing the load brings them back. It has the columns of the
// table of records, and the load that replaced them.

// replacedColumn is the load that replaced a record.
const replacedColumn = "_replaced_by"

func (d *Dataset) replacedTable() string { return quote("stored", fmt.Sprintf("o_%d", d.ID)) }

// columnList is the columns of the table of records as SQL lists them.
func (d *Dataset) columnList() string { return strings.Join(d.recordColumns(), ", ") }

// recordColumns lists the columns of the table of records, those of the service first.
func (d *Dataset) recordColumns() []string {
	columns := []string{quote(recordColumn), quote(loadColumn)}
	if d.day() == quote(dayColumn) {
		columns = append(columns, quote(dayColumn))
	}
	for _, c := range d.Schema.Columns {
		columns = append(columns, d.column(c.Name))
	}
	return columns
}

// createReplaced makes the table of replaced records where there is none yet.
func (d *Dataset) createReplaced(tx *gorm.DB) error {
	return tx.Exec("CREATE TABLE IF NOT EXISTS " + d.replacedTable() +
		" (LIKE " + d.table() + ", " + quote(replacedColumn) + " bigint NOT NULL)").Error
}

func (d *Dataset) hasReplaced(tx *gorm.DB) (bool, error) {
	var has bool
	err := tx.Raw("SELECT to_regclass(?) IS NOT NULL", d.replacedTable()).Row().Scan(&has)
	return has, err
}

// replaceRecords puts the records away that meet a condition, and returns how many they are. Their days and hours are marked.
func (d *Dataset) replaceRecords(tx *gorm.DB, load int64, which condition) (int64, error) {
	if err := d.createReplaced(tx); err != nil {
		return 0, err
	}
	clauses, args := where([]condition{which})
	for _, t := range d.rollupTables() {
		if err := t.mark(tx, d.table()+" AS r "+clauses, args...); err != nil {
			return 0, err
		}
	}
	done := tx.Exec("WITH gone AS (DELETE FROM "+d.table()+" AS r "+clauses+" RETURNING "+d.columnList()+") INSERT INTO "+
		d.replacedTable()+" ("+d.columnList()+", "+quote(replacedColumn)+") SELECT *, "+fmt.Sprint(load)+" FROM gone", args...)
	return done.RowsAffected, done.Error
}

// loadedBefore keeps the records of other loads.
func loadedBefore(load int64) condition {
	return condition{"r." + quote(loadColumn) + " <> ?", []any{load}}
}

// within keeps the records of some days; nil is all records.
func (d *Dataset) within(days *civil.Set) condition {
	if days == nil {
		return condition{"true", nil}
	}
	return daysOf("r."+d.day(), *days)
}

// sameKey keeps the records whose key is that of a record of the load.
func (d *Dataset) sameKey(load int64, key []string) condition {
	var same []string
	for _, name := range key {
		same = append(same, fmt.Sprintf("n.%[1]s = r.%[1]s", d.column(name)))
	}
	before := loadedBefore(load)
	return condition{
		before.sql + " AND EXISTS (SELECT FROM " + d.table() + " AS n WHERE n." + quote(loadColumn) + " = ? AND " +
			strings.Join(same, " AND ") + ")", append(before.args, load),
	}
}

// checkKey refuses a load in which a key is blank, or stands twice: which record is meant is not known.
func (d *Dataset) checkKey(tx *gorm.DB, load int64, key []string) error {
	columns := d.columns(key)
	var shown []string
	for _, c := range columns {
		shown = append(shown, "coalesce("+c+"::text, '(blank)')")
	}
	var found []struct {
		Key   string
		N     int64
		Blank bool
	}
	err := tx.Raw("SELECT "+strings.Join(shown, " || ', ' || ")+" AS key, count(*) AS n, bool_or("+strings.Join(columns, " IS NULL OR ")+
		" IS NULL) AS blank FROM "+d.table()+" WHERE "+quote(loadColumn)+" = ? GROUP BY "+strings.Join(columns, ", ")+
		" HAVING count(*) > 1 OR bool_or("+strings.Join(columns, " IS NULL OR ")+" IS NULL) ORDER BY 1 LIMIT 5", load).Scan(&found).Error
	if err != nil || len(found) == 0 {
		return err
	}
	var told []string
	for _, f := range found {
		if f.Blank {
			told = append(told, fmt.Sprintf("%s in %d records", f.Key, f.N))
		} else {
			told = append(told, fmt.Sprintf("%s stands %d times", f.Key, f.N))
		}
	}
	return refused.Wrongf("the key %s does not tell the records of the file apart: %s", strings.Join(key, ", "), strings.Join(told, "; "))
}

// restore brings back the records that a load replaced, and forgets those of its own that were replaced since. A load that
// replaced records can be undone only after all later ones that replace any, which would have found what comes back.
func (d *Dataset) restore(tx *gorm.DB, load *Load) error {
	has, err := d.hasReplaced(tx)
	if err != nil || !has {
		return err
	}
	own := " WHERE " + quote(loadColumn) + " = ? AND " + quote(replacedColumn) + " <> ?"
	if err := tx.Exec("DELETE FROM "+d.replacedTable()+own, load.ID, -load.ID).Error; err != nil {
		return err
	}
	which := " WHERE r." + quote(replacedColumn) + " = ?"
	for _, t := range d.rollupTables() {
		if err := t.mark(tx, d.replacedTable()+" AS r"+which, load.ID); err != nil {
			return err
		}
	}
	return tx.Exec("WITH back AS (DELETE FROM "+d.replacedTable()+" AS r"+which+" RETURNING "+d.columnList()+") INSERT INTO "+
		d.table()+" ("+d.columnList()+") SELECT * FROM back", load.ID).Error
}

// replacingAfter lists the loads after one that replace records and are not undone, the newest first.
func (d *Dataset) replacingAfter(tx *gorm.DB, load int64) (later []int64, err error) {
	err = tx.Raw("SELECT id FROM loads WHERE dataset_id = ? AND id > ? AND undone_at IS NULL AND mode <> ? ORDER BY id DESC",
		d.ID, load, Append).Scan(&later).Error
	return later, err
}

// restorable refuses a load whose undoing has to wait for that of others.
func (d *Dataset) restorable(tx *gorm.DB, load *Load) error {
	if load.Replaced > 0 {
		later, err := d.replacingAfter(tx, load.ID)
		if err != nil {
			return err
		}
		if len(later) > 0 {
			return refused.Because(refused.CodeReplacedSince,
				"load %d of dataset %s replaced records, and load %d replaces records since: undo that one first", load.ID, d.Name, later[0])
		}
	}
	return nil
}

// A loadFile is the content of one file of a load, by its checksum.
type loadFile struct {
	LoadID   int64
	Position int
	Content  string
}

// keepContents notes the checksums of a load's files, and refuses those that were loaded before unless they may be again.
func (d *Dataset) keepContents(tx *gorm.DB, load *Load, contents []string, again bool) error {
	if len(contents) == 0 {
		return nil
	}
	if !again {
		for i, content := range contents {
			for _, other := range contents[:i] {
				if other == content {
					return refused.Because(refused.CodeAlreadyLoaded, "two of the files have the same content: leave one out, or allow it with again")
				}
			}
		}
		var before Load
		err := tx.Raw(`SELECT l.* FROM loads l JOIN load_files f ON f.load_id = l.id
			WHERE l.dataset_id = ? AND l.undone_at IS NULL AND l.id <> ? AND f.content IN ? ORDER BY l.id DESC LIMIT 1`,
			d.ID, load.ID, contents).Scan(&before).Error
		if err != nil {
			return err
		}
		if before.ID != 0 {
			return refused.Because(refused.CodeAlreadyLoaded,
				"the same content was loaded into dataset %s before, as load %d (%s) on %s: undo that load, or allow it with again",
				d.Name, before.ID, before.File, before.LoadedAt.UTC().Format("2006-01-02"))
		}
	}
	var files []loadFile
	for i, content := range contents {
		files = append(files, loadFile{load.ID, i, content})
	}
	return tx.Table("load_files").Create(&files).Error
}
