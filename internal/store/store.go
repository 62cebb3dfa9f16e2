// Package store keeps definitions, datasets, loads and records in PostgreSQL through GORM. It knows
// tables and transactions; what the definitions mean and who may change them is decided above.
package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"log/slog"
	"strings"
	"time"

	"github.com/go-gormigrate/gormigrate/v2"
	lru "github.com/hashicorp/golang-lru/v2"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/stdlib"
	"gorm.io/driver/postgres"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"

	"vastspan/core/civil"
	"vastspan/internal/attached"
)

// A Store is open on one database and is safe for use at once by many.
type Store struct {
	db      *gorm.DB
	sql     *sql.DB
	long    *gorm.DB // for what callers send or take at their own speed: files and downloads
	columns *columnCache
	days    *lru.Cache[daysKey, civil.Set] // that have records
	// databases are where attached tables are.
	databases *attached.Databases
	tallies   tallies
	address   string
}

// The connections to the database. Those for files and downloads are apart, so that callers who stall
// keep nobody else waiting.
const (
	maxConnections     = 20
	maxLongConnections = 12
	connectTimeout     = 5 * time.Second
)

// Bounds that the database keeps, should the service fail to; in milliseconds.
const (
	lockTimeout      = "20000"
	statementTimeout = "900000"
)

// Options say what a store keeps next to the database.
type Options struct {
	// Columns is the folder for the columns of datasets, of this store alone; where it is empty, one is made and removed at the end.
	Columns string
	// Databases are those in which tables may be attached; nil for none.
	Databases *attached.Databases
}

// Open connects to a database and brings its tables up to date. An address without a password takes it
// from PGPASSWORD or the password file, as libpq does.
func Open(ctx context.Context, url string, o Options) (*Store, error) {
	config, err := pgx.ParseConfig(url)
	if err != nil {
		return nil, errors.New("the address of the database cannot be read: expected postgres://NAME@HOST/DATABASE") // it may hold a password
	}
	config.ConnectTimeout = connectTimeout
	config.RuntimeParams["application_name"] = "vastspan"
	long := config.Copy()
	config.RuntimeParams["lock_timeout"] = lockTimeout
	config.RuntimeParams["statement_timeout"] = statementTimeout
	s := &Store{address: url}
	if s.db, err = connect(config, maxConnections); err == nil {
		s.long, err = connect(long, maxLongConnections)
	}
	if err != nil {
		return nil, err
	}
	if s.sql, err = s.db.DB(); err != nil {
		return nil, err
	}
	if s.columns, err = newColumnCache(s, o.Columns); err != nil {
		return nil, fmt.Errorf("the folder of columns cannot be used: %w", err)
	}
	if s.days, err = lru.New[daysKey, civil.Set](keptDays); err != nil {
		return nil, err
	}
	if s.databases = o.Databases; s.databases == nil {
		if s.databases, err = attached.Configure(nil); err != nil {
			return nil, err
		}
	}
	if err := s.sql.PingContext(ctx); err != nil {
		return nil, errors.Join(fmt.Errorf("the database cannot be opened: %w", err), s.Close())
	}
	if err := migrate(s.db.WithContext(ctx)); err != nil {
		return nil, errors.Join(fmt.Errorf("the database cannot be brought up to date: %w", err), s.Close())
	}
	s.sweep(ctx)
	if err := s.columns.sweep(ctx); err != nil {
		return nil, errors.Join(fmt.Errorf("the folder of columns cannot be used: %w", err), s.Close())
	}
	s.columns.keep()
	return s, nil
}

// connect returns a pool of at most so many connections, which stay open.
func connect(config *pgx.ConnConfig, most int) (*gorm.DB, error) {
	pool := stdlib.OpenDB(*config)
	pool.SetMaxOpenConns(most)
	pool.SetMaxIdleConns(most)
	pool.SetConnMaxIdleTime(10 * time.Minute)
	return gorm.Open(postgres.New(postgres.Config{Conn: pool}), &gorm.Config{
		Logger:                 logger.Discard, // errors are told to the caller, who knows what they belong to
		SkipDefaultTransaction: true,
		TranslateError:         true,
		DisableAutomaticPing:   true,
		NowFunc:                func() time.Time { return time.Now().UTC() },
	})
}

// Close ends all connections.
func (s *Store) Close() error {
	if err := s.columns.close(); err != nil {
		slog.Warn("files of columns are left", "error", err)
	}
	if err := s.databases.Close(); err != nil {
		slog.Warn("connections to databases of attached tables are left", "error", err)
	}
	pool, err := s.long.DB()
	if err == nil {
		err = pool.Close()
	}
	return errors.Join(err, s.sql.Close())
}

// Address is that of the database, with the password where it holds one.
func (s *Store) Address() string { return s.address }

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
		err := gormigrate.New(
			tx,
			&gormigrate.Options{
				TableName: "migrations", IDColumnName: "id", IDColumnSize: 40, UseTransaction: true, ValidateUnknownMigrations: true,
			},
			steps(),
		).Migrate()
		if errors.Is(err, gormigrate.ErrUnknownPastMigration) {
			var trials int64
			if tx.Raw("SELECT count(*) FROM migrations WHERE id LIKE '2026-%' OR id = '0.1 schema'").Scan(&trials).Error == nil && trials > 0 {
				return errors.New("it was made by a trial version before 0.1, whose data no release reads: remove its folder, or name another one")
			}
			return errors.New("it belongs to a later version of this program: start that one, " +
				"or restore a backup of this version into an empty folder")
		}
		return err
	})
}

// steps are the migrations, in their order. Their names begin with the release that they are of.
func steps() []*gormigrate.Migration {
	return []*gormigrate.Migration{
		{ID: "0.1 tables", Migrate: func(tx *gorm.DB) error {
			for one := range strings.SplitSeq(strings.TrimSpace(statement("schema", nil)), ";\n") {
				if err := tx.Exec(one).Error; err != nil {
					return err
				}
			}
			return nil
		}},
		{ID: "0.1 event days", Migrate: func(tx *gorm.DB) error {
			return tx.Exec("CREATE TABLE days.event_days (event text NOT NULL, day date NOT NULL, label text, PRIMARY KEY (event, day))").Error
		}},
	}
}

// Migrations lists the migrations that this version knows, in their order.
func Migrations() []string {
	var ids []string
	for _, step := range steps() {
		ids = append(ids, step.ID)
	}
	return ids
}

// connection runs work on one connection of the pool. GORM hands out a session that carries state
// from one statement to the next; a new one on the same connection does not.
func connection(db *gorm.DB, work func(tx *gorm.DB) error) error {
	return db.Connection(func(tx *gorm.DB) error { return work(tx.Session(&gorm.Session{NewDB: true})) })
}

// transaction runs work in one transaction of the connection pool.
func (s *Store) transaction(ctx context.Context, work func(tx *gorm.DB) error, options ...*sql.TxOptions) error {
	return transact(ctx, s.db, work, options...)
}

// transact runs work in one transaction. Where the connection turns out to be lost before it begins, as
// after the database was started again, another is taken.
func transact(ctx context.Context, pool *gorm.DB, work func(tx *gorm.DB) error, options ...*sql.TxOptions) error {
	for attempt := 1; ; attempt++ {
		begun := false
		err := pool.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
			begun = true
			return work(tx)
		}, options...)
		if _, lost := Unavailable(err); begun || !lost || attempt == maxAttempts || ctx.Err() != nil {
			return err
		}
	}
}

// maxAttempts is how often a transaction is begun: all connections that are kept may be lost.
const maxAttempts = maxConnections + 1

// Snapshot runs work on one state of the database: all that is read with the context that work is given
// is read from one connection, as it was when the first of it was read. Such work reads one thing at a
// time and changes nothing; datasets that it asks about it has found with the same context.
func (s *Store) Snapshot(ctx context.Context, work func(context.Context) error) error {
	if InSnapshot(ctx) {
		return work(ctx)
	}
	return snapshot(ctx, s.db, work)
}

// LongSnapshot is Snapshot for what is handed on at the caller's speed.
func (s *Store) LongSnapshot(ctx context.Context, work func(context.Context) error) error {
	if InSnapshot(ctx) {
		return work(ctx)
	}
	return snapshot(ctx, s.long, work)
}

func snapshot(ctx context.Context, pool *gorm.DB, work func(context.Context) error) error {
	return transact(ctx, pool, func(tx *gorm.DB) error { return work(context.WithValue(ctx, snapshotKey{}, tx)) }, readOnly)
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

// isUnique reports whether an error is that a key, or the name of a table or view, is already taken.
func isUnique(err error) bool {
	var p *pgconn.PgError
	return errors.Is(err, gorm.ErrDuplicatedKey) || errors.As(err, &p) && (p.Code == "23505" || p.Code == "42P07")
}
