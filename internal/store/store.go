// Package store keeps definitions, datasets, loads and records in PostgreSQL through GORM. It knows
// tables and transactions; what the definitions mean and who may change them is decided above.
package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"log/slog"
	"time"

	"github.com/go-gormigrate/gormigrate/v2"
	"github.com/jackc/pgx/v5/pgconn"
	"gorm.io/driver/postgres"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"
)

// A Store is open on one database and is safe for use at once by many.
type Store struct {
	db      *gorm.DB
	sql     *sql.DB
	rollups *rollupCache
}

// Open connects to a database and brings its tables up to date.
func Open(ctx context.Context, url string) (*Store, error) {
	db, err := gorm.Open(postgres.Open(url), &gorm.Config{
		Logger: logger.NewSlogLogger(
			slog.Default(),
			logger.Config{LogLevel: logger.Error, IgnoreRecordNotFoundError: true},
		),
		SkipDefaultTransaction: true,
		TranslateError:         true,
		NowFunc:                func() time.Time { return time.Now().UTC() },
	})
	if err != nil {
		return nil, fmt.Errorf("the database cannot be opened: %w", err)
	}
	pool, err := db.DB()
	if err != nil {
		return nil, err
	}
	pool.SetMaxOpenConns(20)
	if err := migrate(db.WithContext(ctx)); err != nil {
		return nil, errors.Join(fmt.Errorf("the database cannot be brought up to date: %w", err), pool.Close())
	}
	s := &Store{db: db, sql: pool}
	s.rollups = newRollupCache(s)
	return s, nil
}

// Close ends all connections.
func (s *Store) Close() error {
	s.rollups.close()
	return s.sql.Close()
}

// Ping reports whether the database answers.
func (s *Store) Ping(ctx context.Context) error { return s.sql.PingContext(ctx) }

// migrationLock is the advisory lock that keeps two services from migrating at once.
const migrationLock = 7_420_001

// migrate brings the tables up to date. Steps are never changed once they are released; new ones
// are added below.
func migrate(db *gorm.DB) error {
	return connection(db, func(tx *gorm.DB) error {
		if err := tx.Exec("SELECT pg_advisory_lock(?)", migrationLock).Error; err != nil {
			return err
		}
		defer tx.Exec("SELECT pg_advisory_unlock(?)", migrationLock)
		return gormigrate.New(
			tx,
			&gormigrate.Options{TableName: "migrations", IDColumnName: "id", IDColumnSize: 40, UseTransaction: true},
			[]*gormigrate.Migration{
				{ID: "2026-11-definitions-and-records", Migrate: func(tx *gorm.DB) error {
					for _, statement := range []string{
						`CREATE SCHEMA IF NOT EXISTS records`,
						`CREATE TABLE definitions (
						kind text NOT NULL, name text NOT NULL, version bigint NOT NULL, body jsonb NOT NULL,
						author text NOT NULL, note text NOT NULL, changed_at timestamptz NOT NULL, position bigserial,
						PRIMARY KEY (kind, name))`,
						`CREATE TABLE definition_versions (
						kind text NOT NULL, name text NOT NULL, version bigint NOT NULL, body jsonb,
						author text NOT NULL, note text NOT NULL, changed_at timestamptz NOT NULL,
						PRIMARY KEY (kind, name, version))`,
						`CREATE TABLE datasets (
						id bigserial PRIMARY KEY, name text NOT NULL UNIQUE, schema jsonb NOT NULL, version bigint NOT NULL,
						created_at timestamptz NOT NULL)`,
						`CREATE TABLE loads (
						id bigserial PRIMARY KEY, dataset_id bigint NOT NULL REFERENCES datasets ON DELETE CASCADE,
						file text NOT NULL, author text NOT NULL, records bigint NOT NULL, undated bigint NOT NULL,
						first_day date, last_day date, landed_at timestamptz NOT NULL, taken_back_at timestamptz)`,
						`CREATE INDEX ON loads (dataset_id)`,
					} {
						if err := tx.Exec(statement).Error; err != nil {
							return err
						}
					}
					return nil
				}},
				// Tables of the first form have their columns under their users' names; what comes after is
				// made for stored names.
				{ID: "2026-11-stored-names", Migrate: storeNames},
				{ID: "2026-11-day-tables", Migrate: createDayTables},
				{ID: "2026-11-day-sums", Migrate: func(tx *gorm.DB) error {
					sets, err := existing(tx)
					if err != nil {
						return err
					}
					for i := range sets {
						if err := errors.Join(sets[i].createRollup(tx), sets[i].fillRollup(tx), sets[i].indexRollup(tx)); err != nil {
							return err
						}
					}
					return nil
				}},
				{ID: "2026-11-record-numbers", Migrate: func(tx *gorm.DB) error {
					if err := tx.Exec("ALTER TABLE datasets ADD COLUMN next_record bigint NOT NULL DEFAULT 0").Error; err != nil {
						return err
					}
					sets, err := existing(tx)
					if err != nil {
						return err
					}
					for i := range sets {
						err := tx.Exec(
							"UPDATE datasets SET next_record = (SELECT coalesce(max("+quote(
								recordColumn,
							)+"), 0) + 1 FROM "+sets[i].table()+") WHERE id = ?",
							sets[i].ID,
						).Error
						if err != nil {
							return err
						}
					}
					return nil
				}},
				{ID: "2026-11-receipts", Migrate: createReceipts},
				{ID: "2026-11-plain-words", Migrate: plainWords},
			},
		).Migrate()
	})
}

// existing lists the datasets by what every version of their table has. Columns are named, as a plan
// for all of them would not outlive the next migration.
func existing(tx *gorm.DB) ([]Dataset, error) {
	var sets []Dataset
	err := tx.Select("id", "name", "schema").Find(&sets).Error
	return sets, err
}

// connection runs work on one connection of the pool. GORM hands out a session that carries state
// from one statement to the next; a new one on the same connection does not.
func connection(db *gorm.DB, work func(tx *gorm.DB) error) error {
	return db.Connection(func(tx *gorm.DB) error { return work(tx.Session(&gorm.Session{NewDB: true})) })
}

// transaction runs work in one transaction of the connection pool.
func (s *Store) transaction(ctx context.Context, work func(tx *gorm.DB) error, options ...*sql.TxOptions) error {
	return s.db.WithContext(ctx).Transaction(work, options...)
}

// Snapshot runs work on one state of the database: all that is read with the context that work is given
// is read from one connection, as it was when the first of it was read. Such work reads one thing at a
// time and changes nothing.
func (s *Store) Snapshot(ctx context.Context, work func(context.Context) error) error {
	if InSnapshot(ctx) {
		return work(ctx)
	}
	return s.transaction(ctx, func(tx *gorm.DB) error { return work(context.WithValue(ctx, snapshotKey{}, tx)) }, readOnly)
}

// snapshotKey is the key of the transaction of a snapshot in its context.
type snapshotKey struct{}

// InSnapshot reports whether a context is that of a snapshot.
func InSnapshot(ctx context.Context) bool { return ctx.Value(snapshotKey{}) != nil }

// reader returns what is read from: the snapshot of the context, where it is in one.
func (s *Store) reader(ctx context.Context) *gorm.DB {
	if tx, ok := ctx.Value(snapshotKey{}).(*gorm.DB); ok {
		return tx.WithContext(ctx)
	}
	return s.db.WithContext(ctx)
}

// reading runs work that reads one state of the database.
func (s *Store) reading(ctx context.Context, work func(tx *gorm.DB) error) error {
	return s.Snapshot(ctx, func(ctx context.Context) error { return work(s.reader(ctx)) })
}

// isUnique reports whether an error is that a key is already taken.
func isUnique(err error) bool {
	var p *pgconn.PgError
	return errors.Is(err, gorm.ErrDuplicatedKey) || errors.As(err, &p) && p.Code == "23505"
}
