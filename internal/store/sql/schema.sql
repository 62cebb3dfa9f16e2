-- The tables of the service, as the first release makes them. It is not changed after that release: migrations follow it.

-- Definitions: the current version of each, and all versions. A body is null in the version that removed the definition.
CREATE TABLE definitions (
	kind text NOT NULL, name text NOT NULL, version bigint NOT NULL, body jsonb NOT NULL,
	author text NOT NULL, note text NOT NULL, changed_at timestamptz NOT NULL, position bigserial,
	PRIMARY KEY (kind, name)
);
CREATE TABLE definition_versions (
	kind text NOT NULL, name text NOT NULL, version bigint NOT NULL, body jsonb,
	author text NOT NULL, note text NOT NULL, changed_at timestamptz NOT NULL,
	PRIMARY KEY (kind, name, version)
);
-- One row: how many changes definitions have had.
CREATE TABLE revision (value bigint NOT NULL);
INSERT INTO revision VALUES (0);
CREATE TABLE renames (
	id bigserial PRIMARY KEY, kind text NOT NULL, was text NOT NULL, name text NOT NULL, renamed_at timestamptz NOT NULL
);
CREATE TABLE acknowledgements (
	id bigserial PRIMARY KEY, kind text NOT NULL, caution text NOT NULL, spans jsonb NOT NULL, basis text NOT NULL,
	author text NOT NULL, note text NOT NULL, at timestamptz NOT NULL,
	UNIQUE (kind, caution, spans)
);

-- Records: each dataset has two tables in stored, of its records and of past ones, and a view with its users' names in records.
CREATE SCHEMA stored;
CREATE SCHEMA records;
CREATE TABLE datasets (
	id bigserial PRIMARY KEY, name text NOT NULL UNIQUE, schema jsonb NOT NULL, version bigint NOT NULL,
	created_at timestamptz NOT NULL, next_record bigint NOT NULL DEFAULT 0, described bigint NOT NULL DEFAULT 1,
	content text NOT NULL DEFAULT gen_random_uuid()::text, attached jsonb, rules jsonb,
	removed_at timestamptz, removed_name text NOT NULL DEFAULT '', removed_by text NOT NULL DEFAULT ''
);
-- Rules of access of datasets that were removed: receipts about them still follow these.
CREATE TABLE past_rules (dataset text NOT NULL, rules jsonb NOT NULL, through timestamptz NOT NULL);
CREATE TABLE loads (
	id bigserial PRIMARY KEY, dataset_id bigint NOT NULL REFERENCES datasets ON DELETE CASCADE,
	file text NOT NULL, author text NOT NULL, records bigint NOT NULL, undated bigint NOT NULL, oldest date, newest date,
	loaded_at timestamptz NOT NULL, undone_at timestamptz, idempotency text, mode text NOT NULL DEFAULT 'append',
	replaced bigint NOT NULL DEFAULT 0, kept boolean NOT NULL DEFAULT false,
	first_record bigint NOT NULL DEFAULT 0, next_record bigint NOT NULL DEFAULT 0,
	change bigint NOT NULL DEFAULT 0, undone_by bigint NOT NULL DEFAULT 0,
	UNIQUE (dataset_id, idempotency)
);
CREATE INDEX ON loads (dataset_id);
CREATE TABLE load_files (
	load_id bigint NOT NULL REFERENCES loads ON DELETE CASCADE, position bigint NOT NULL, content text NOT NULL,
	PRIMARY KEY (load_id, position)
);
CREATE INDEX ON load_files (content);
-- The log of changes of records, numbered from 1 on within each dataset. A record has the number of the change that brought it,
-- a past record also that of the change that ended it.
CREATE TABLE changes (
	dataset_id bigint NOT NULL REFERENCES datasets ON DELETE CASCADE, number bigint NOT NULL, kind text NOT NULL,
	load_id bigint REFERENCES loads ON DELETE CASCADE, author text NOT NULL, at timestamptz NOT NULL, content text NOT NULL,
	PRIMARY KEY (dataset_id, number)
);

-- Receipts never change. Their datasets are wherever a body names one.
CREATE TABLE receipts (
	id bigserial PRIMARY KEY, title text NOT NULL, subject text NOT NULL, as_of date NOT NULL, body text NOT NULL,
	digest text NOT NULL, author text NOT NULL, made_at timestamptz NOT NULL, schedule text, due_day date,
	idempotency text UNIQUE,
	datasets jsonb GENERATED ALWAYS AS (jsonb_path_query_array(body::jsonb, 'strict $.**.dataset')) STORED,
	UNIQUE (schedule, due_day)
);
CREATE FUNCTION receipts_stay() RETURNS trigger LANGUAGE plpgsql
	AS $$ BEGIN RAISE EXCEPTION 'a receipt is never changed'; END $$;
CREATE TRIGGER receipts_stay BEFORE UPDATE OR DELETE ON receipts FOR EACH ROW EXECUTE FUNCTION receipts_stay();
CREATE TABLE schedules (
	name text PRIMARY KEY, brief text NOT NULL, days text NOT NULL, calendar text NOT NULL, author text NOT NULL,
	since date NOT NULL, up_to_date_through date NOT NULL, made_at timestamptz NOT NULL, deliver jsonb NOT NULL DEFAULT '[]'
);
CREATE TABLE deliveries (
	id bigserial PRIMARY KEY, receipt_id bigint NOT NULL REFERENCES receipts, schedule text NOT NULL, target text NOT NULL,
	parcel jsonb NOT NULL, state text NOT NULL, tries bigint NOT NULL, next_try timestamptz, reason text NOT NULL,
	changed_at timestamptz NOT NULL,
	UNIQUE (receipt_id, target)
);
CREATE INDEX ON deliveries (next_try) WHERE state = 'waiting';

-- Accounts, what they sign in with, and the audit, which is only added to.
CREATE TABLE accounts (
	id bigserial PRIMARY KEY, name text NOT NULL UNIQUE, role text NOT NULL, groups jsonb NOT NULL, password text NOT NULL,
	subject text UNIQUE, made_at timestamptz NOT NULL, disabled_at timestamptz, signed_in_at timestamptz,
	no_role_since timestamptz
);
CREATE TABLE sessions (
	id bigserial PRIMARY KEY, account_id bigint NOT NULL REFERENCES accounts, token bytea NOT NULL UNIQUE,
	address text NOT NULL, agent text NOT NULL, made_at timestamptz NOT NULL, seen_at timestamptz NOT NULL,
	expires_at timestamptz NOT NULL
);
CREATE INDEX ON sessions (account_id);
CREATE TABLE api_keys (
	id bigserial PRIMARY KEY, account_id bigint NOT NULL REFERENCES accounts, name text NOT NULL, role text NOT NULL,
	datasets jsonb NOT NULL, token bytea NOT NULL UNIQUE, hint text NOT NULL, made_at timestamptz NOT NULL,
	expires_at timestamptz, used_at timestamptz, revoked_at timestamptz
);
CREATE UNIQUE INDEX ON api_keys (account_id, name) WHERE revoked_at IS NULL;
CREATE TABLE links (
	token bytea PRIMARY KEY, account_id bigint REFERENCES accounts, made_at timestamptz NOT NULL,
	expires_at timestamptz NOT NULL
);
CREATE TABLE audit (
	id bigserial PRIMARY KEY, at timestamptz NOT NULL, account text NOT NULL, means text NOT NULL, address text NOT NULL,
	request text NOT NULL, action text NOT NULL, kind text NOT NULL, name text NOT NULL, detail jsonb NOT NULL
);
CREATE INDEX ON audit (account, id);
CREATE INDEX ON audit (kind, name, id);
CREATE FUNCTION audit_stays() RETURNS trigger LANGUAGE plpgsql
	AS $$ BEGIN RAISE EXCEPTION 'the audit is only added to'; END $$;
CREATE TRIGGER audit_stays BEFORE UPDATE OR DELETE OR TRUNCATE ON audit FOR EACH STATEMENT EXECUTE FUNCTION audit_stays();

-- Day tables, for other tools to join by the day. made notes as of when, and over which days, they were filled; asked the
-- days that vastspan days publish asked for.
CREATE SCHEMA days;
CREATE TABLE days.calendar_days (
	calendar text NOT NULL, day date NOT NULL, weekday text NOT NULL, position text NOT NULL, business_day boolean NOT NULL,
	holiday boolean NOT NULL, day_offset integer, business_day_offset integer,
	week text, week_offset integer, day_of_week integer, week_of_month integer, week_of_year integer,
	month text, month_offset integer, day_of_month integer, month_of_quarter integer, month_of_year integer,
	quarter text, quarter_offset integer, day_of_quarter integer, quarter_of_year integer,
	half text, half_offset integer, half_of_year integer,
	year text, year_offset integer, day_of_year integer,
	PRIMARY KEY (calendar, day)
);
CREATE TABLE days.span_days (span text NOT NULL, day date NOT NULL, PRIMARY KEY (span, day));
CREATE TABLE days.made (as_of date NOT NULL, revision bigint NOT NULL, made_at timestamptz NOT NULL, first_day date, last_day date);
CREATE TABLE days.asked (first_day date NOT NULL, last_day date NOT NULL);
