package store

import (
	"encoding/json"

	"gorm.io/gorm"

	"vastspan/internal/legacy"
)

// plainWords brings names and stored forms to the words that are used everywhere, and adds what changes
// are identified by.
func plainWords(tx *gorm.DB) error {
	for _, statement := range []string{
		"ALTER TABLE loads RENAME COLUMN landed_at TO loaded_at",
		"ALTER TABLE loads RENAME COLUMN taken_back_at TO undone_at",
		"ALTER TABLE loads RENAME COLUMN first_day TO oldest",
		"ALTER TABLE loads RENAME COLUMN last_day TO newest",
		"ALTER TABLE loads ADD COLUMN idempotency text, ADD UNIQUE (dataset_id, idempotency)",
		"ALTER TABLE schedules RENAME COLUMN ran_until TO up_to_date_through",
		"ALTER TABLE receipts ADD COLUMN idempotency text UNIQUE",
		"ALTER TABLE datasets ADD COLUMN described bigint NOT NULL DEFAULT 1",
		"CREATE TABLE revision (value bigint NOT NULL)",
		"INSERT INTO revision SELECT count(*) FROM definition_versions",
	} {
		if err := tx.Exec(statement).Error; err != nil {
			return err
		}
	}
	if err := rewrite(
		tx, "SELECT id::text, schema FROM datasets",
		"UPDATE datasets SET schema = ? WHERE id = ?::bigint", legacy.Schema); err != nil {
		return err
	}
	return rewriteBriefs(tx, legacy.Brief)
}

// rewriteBriefs changes all versions of all briefs.
func rewriteBriefs(tx *gorm.DB, change func([]byte) ([]byte, error)) error {
	if err := rewrite(tx, "SELECT name, body FROM definitions WHERE kind = 'brief'",
		"UPDATE definitions SET body = ? WHERE kind = 'brief' AND name = ?", change); err != nil {
		return err
	}
	return rewrite(tx, "SELECT name || ' ' || version, body FROM definition_versions WHERE kind = 'brief' AND body IS NOT NULL",
		"UPDATE definition_versions SET body = ? WHERE kind = 'brief' AND name || ' ' || version = ?", change)
}

// rewrite changes stored JSON row by row.
func rewrite(tx *gorm.DB, query, update string, change func([]byte) ([]byte, error)) error {
	var rows []struct {
		ID   string
		Body json.RawMessage
	}
	result, err := tx.Raw(query).Rows()
	if err != nil {
		return err
	}
	for result.Next() {
		var id string
		var body []byte
		if err := result.Scan(&id, &body); err != nil {
			return err
		}
		rows = append(rows, struct {
			ID   string
			Body json.RawMessage
		}{id, body})
	}
	if err := result.Err(); err != nil {
		return err
	}
	if err := result.Close(); err != nil {
		return err
	}
	for _, r := range rows {
		body, err := change(r.Body)
		if err != nil {
			return err
		}
		if err := tx.Exec(update, string(body), r.ID).Error; err != nil {
			return err
		}
	}
	return nil
}
