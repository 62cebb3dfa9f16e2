package store

import "gorm.io/gorm"

// createAccounts makes the tables of who may call, of what was done, and of who sees which dataset.
func createAccounts(tx *gorm.DB) error {
	for _, statement := range []string{
		`CREATE TABLE accounts (
			id bigserial PRIMARY KEY, name text NOT NULL UNIQUE, role text NOT NULL, groups jsonb NOT NULL, password text NOT NULL,
			subject text UNIQUE, made_at timestamptz NOT NULL, disabled_at timestamptz, signed_in_at timestamptz)`,
		`CREATE TABLE sessions (
			id bigserial PRIMARY KEY, account_id bigint NOT NULL REFERENCES accounts, token bytea NOT NULL UNIQUE, address text NOT NULL,
			agent text NOT NULL, made_at timestamptz NOT NULL, seen_at timestamptz NOT NULL, expires_at timestamptz NOT NULL)`,
		`CREATE INDEX ON sessions (account_id)`,
		`CREATE TABLE api_keys (
			id bigserial PRIMARY KEY, account_id bigint NOT NULL REFERENCES accounts, name text NOT NULL, role text NOT NULL,
			datasets jsonb NOT NULL, token bytea NOT NULL UNIQUE, hint text NOT NULL, made_at timestamptz NOT NULL,
			expires_at timestamptz, used_at timestamptz, revoked_at timestamptz)`,
		`CREATE UNIQUE INDEX ON api_keys (account_id, name) WHERE revoked_at IS NULL`,
		`CREATE TABLE links (
			token bytea PRIMARY KEY, account_id bigint REFERENCES accounts, made_at timestamptz NOT NULL, expires_at timestamptz NOT NULL)`,
		`CREATE TABLE audit (
			id bigserial PRIMARY KEY, at timestamptz NOT NULL, account text NOT NULL, means text NOT NULL, address text NOT NULL,
			request text NOT NULL, action text NOT NULL, kind text NOT NULL, name text NOT NULL, detail jsonb NOT NULL)`,
		`CREATE INDEX ON audit (account, id)`,
		`CREATE INDEX ON audit (kind, name, id)`,
		// What was done stays done, whoever asks.
		`CREATE FUNCTION audit_stays() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN RAISE EXCEPTION 'the audit is only added to'; END $$`,
		`CREATE TRIGGER audit_stays BEFORE UPDATE OR DELETE OR TRUNCATE ON audit FOR EACH STATEMENT EXECUTE FUNCTION audit_stays()`,
		`ALTER TABLE datasets ADD COLUMN rules jsonb`,
		// The rules of datasets that were removed: what was reported of them stays under them.
		`CREATE TABLE past_rules (dataset text NOT NULL, rules jsonb NOT NULL, through timestamptz NOT NULL)`,
		// The datasets of a receipt are wherever its body names one, in any of its versions.
		`ALTER TABLE receipts ADD COLUMN datasets jsonb GENERATED ALWAYS AS (jsonb_path_query_array(body::jsonb, 'strict $.**.dataset')) STORED`,
	} {
		if err := tx.Exec(statement).Error; err != nil {
			return err
		}
	}
	return nil
}

// addLostRoles notes since when an account has had no role at its provider of sign-on.
func addLostRoles(tx *gorm.DB) error {
	return tx.Exec("ALTER TABLE accounts ADD COLUMN no_role_since timestamptz").Error
}
