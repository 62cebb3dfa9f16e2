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

// columnList is the columns of the table of records as SQL lists them.
func (d *Dataset) columnList() string { return strings.Join(d.recordColumns(), ", ") }

// recordColumns lists the columns of the table of records, those of the service first.
func (d *Dataset) recordColumns() []string {
	columns := []string{quote(recordColumn), quote(sinceColumn)}
	if d.day() == quote(dayColumn) {
		columns = append(columns, quote(dayColumn))
	}
	for _, c := range d.Schema.Columns {
		if c.Length == nil { // lengths are no columns of the table
			columns = append(columns, d.column(c.Name))
		}
	}
	return columns
}

// of keeps the records that a load brought, by their numbers; while it goes on, all from its first one on.
func (l *Load) of(prefix string) condition {
	number := prefix + quote(recordColumn)
	if l.NextRecord == 0 {
		return condition{number + " >= ?", []any{l.FirstRecord}}
	}
	return condition{number + " >= ? AND " + number + " < ?", []any{l.FirstRecord, l.NextRecord}}
}

// within keeps the records of some days; nil is all records.
func (d *Dataset) within(days *civil.Set) condition {
	if days == nil {
		return condition{"true", nil}
	}
	return daysOf("r."+d.day(), *days)
}

// sameKey keeps the earlier records whose key is that of a record of the load.
func (d *Dataset) sameKey(load *Load, key []string) condition {
	var same []string
	for _, name := range key {
		same = append(same, fmt.Sprintf("n.%[1]s = r.%[1]s", d.column(name)))
	}
	own := load.of("n.")
	return condition{
		"r." + quote(recordColumn) + " < ? AND EXISTS (SELECT FROM " + d.table() + " AS n WHERE " + own.sql + " AND " +
			strings.Join(same, " AND ") + ")", append([]any{load.FirstRecord}, own.args...),
	}
}

// checkKey refuses a load in which a key is blank or repeated: which record is meant is not known.
func (d *Dataset) checkKey(tx *gorm.DB, load *Load, key []string) error {
	columns := d.columns(key)
	var shown []string
	for _, c := range columns {
		shown = append(shown, "coalesce("+c+"::text, '(blank)')")
	}
	own := load.of("")
	var found []struct {
		Key   string
		N     int64
		Blank bool
	}
	err := tx.Raw("SELECT "+strings.Join(shown, " || ', ' || ")+" AS key, count(*) AS n, bool_or("+strings.Join(columns, " IS NULL OR ")+
		" IS NULL) AS blank FROM "+d.table()+" WHERE "+own.sql+" GROUP BY "+strings.Join(columns, ", ")+
		" HAVING count(*) > 1 OR bool_or("+strings.Join(columns, " IS NULL OR ")+" IS NULL) ORDER BY 1 LIMIT 5", own.args...).Scan(&found).Error
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
