package store

import (
	"fmt"
	"slices"

	"gorm.io/gorm"
)

// storeNames sets stored names of their own for the tables of records and day sums and their columns, and
// puts a view with the users' names where the table was.
func storeNames(tx *gorm.DB) error {
	for _, schema := range []string{"CREATE SCHEMA stored", "CREATE SCHEMA IF NOT EXISTS sums"} {
		if err := tx.Exec(schema).Error; err != nil {
			return err
		}
	}
	sets, err := existing(tx)
	if err != nil {
		return err
	}
	for i := range sets {
		d := &sets[i]
		if err := d.renameColumns(tx, "records"); err != nil {
			return err
		}
		if err := d.renameColumns(tx, "sums"); err != nil {
			return err
		}
		for _, statement := range []string{
			"ALTER TABLE " + quote("records", d.Name) + " SET SCHEMA stored",
			"ALTER TABLE " + quote("stored", d.Name) + " RENAME TO " + d.stored(),
			"ALTER TABLE IF EXISTS " + quote("sums", d.Name) + " RENAME TO " + d.stored(),
		} {
			if err := tx.Exec(statement).Error; err != nil {
				return err
			}
		}
		if err := d.createView(tx); err != nil {
			return err
		}
	}
	return nil
}

// renameColumns sets the stored names of the columns of one of a dataset's tables, where it is there.
func (d *Dataset) renameColumns(tx *gorm.DB, schema string) error {
	var have []string
	err := tx.Raw("SELECT column_name FROM information_schema.columns WHERE table_schema = ? AND table_name = ?", schema, d.Name).
		Scan(&have).Error
	if err != nil {
		return err
	}
	// A user's column may bear another's stored name: all get out of the way first. No user's name begins
	// with an underscore.
	var steps [2][]string
	for i, c := range d.Schema.Columns {
		if !slices.Contains(have, c.Name) {
			continue
		}
		away, stored := fmt.Sprintf("_c%d", i+1), storedColumn(i)
		steps[0] = append(steps[0], quote(c.Name)+" TO "+away)
		steps[1] = append(steps[1], away+" TO "+stored)
	}
	for _, step := range slices.Concat(steps[0], steps[1]) {
		if err := tx.Exec("ALTER TABLE " + quote(schema, d.Name) + " RENAME COLUMN " + step).Error; err != nil {
			return err
		}
	}
	return nil
}
