package store

import (
	"errors"
	"net/url"
	"slices"
	"strings"
	"testing"

	"github.com/go-gormigrate/gormigrate/v2"
	"github.com/jackc/pgx/v5"
	"gorm.io/driver/postgres"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"

	"vastspan/core/daytable"
	"vastspan/internal/ingest"
	"vastspan/internal/postgres/pgtest"
)

// onDatabase runs work on a database, on a connection that is closed afterwards.
func onDatabase(t *testing.T, address string, work func(db *gorm.DB) error) {
	t.Helper()
	db, err := gorm.Open(postgres.Open(address), &gorm.Config{Logger: logger.Discard})
	if err == nil {
		err = work(db)
	}
	if err != nil {
		t.Fatal(err)
	}
	pool, err := db.DB()
	if err == nil {
		err = pool.Close()
	}
	if err != nil {
		t.Fatal(err)
	}
}

// migrateBy applies migrations as the store does.
func migrateBy(db *gorm.DB, list []*gormigrate.Migration) error {
	return gormigrate.New(db, &gormigrate.Options{TableName: "migrations", IDColumnName: "id", IDColumnSize: 40, UseTransaction: true}, list).Migrate()
}

// The day tables have the columns that are written into them.
func TestTheSchemaHasTheColumnsOfDayTables(t *testing.T) {
	s, err := Open(t.Context(), pgtest.Database(t, database), Options{})
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	var have []string
	err = s.db.Raw(`SELECT column_name || ' ' || data_type FROM information_schema.columns
		WHERE table_schema = 'days' AND table_name = 'calendar_days' ORDER BY ordinal_position OFFSET 6`).Scan(&have).Error
	if err != nil {
		t.Fatal(err)
	}
	var want []string
	for i, name := range daytable.Columns() {
		kind := " integer"
		if daytable.IsLabel(i) {
			kind = " text"
		}
		want = append(want, name+kind)
	}
	if !slices.Equal(have, want) {
		t.Errorf("the table has %v, want %v", have, want)
	}
}

// A database of a trial version is refused with what to do.
func TestADatabaseOfATrialVersion(t *testing.T) {
	for _, id := range []string{"2026-11-definitions-and-records", "0.1 schema"} {
		address := pgtest.Database(t, database)
		onDatabase(t, address, func(db *gorm.DB) error {
			return migrateBy(db, []*gormigrate.Migration{{ID: id, Migrate: func(*gorm.DB) error { return nil }}})
		})
		if s, err := Open(t.Context(), address, Options{}); err == nil || !strings.Contains(err.Error(), "trial version before 0.1") {
			t.Errorf("%s: %v, %v", id, s, err)
		}
	}
}

// A migration that fails leaves nothing of itself, and the next start tries it again.
func TestMigrationsAreWholeOrNotAtAll(t *testing.T) {
	address := pgtest.Database(t, database)
	broken := errors.New("in the middle")
	fails := append(steps(), &gormigrate.Migration{ID: "0.2 broken", Migrate: func(tx *gorm.DB) error {
		if err := tx.Exec("CREATE TABLE half (n bigint)").Error; err != nil {
			return err
		}
		if err := tx.Exec("ALTER TABLE accounts ADD COLUMN half text").Error; err != nil {
			return err
		}
		return broken
	}})
	onDatabase(t, address, func(db *gorm.DB) error {
		if err := migrateBy(db, fails); !errors.Is(err, broken) {
			t.Errorf("the migration that fails gives %v", err)
		}
		var left int64
		err := db.Raw("SELECT count(*) FROM information_schema.columns WHERE table_name = 'half' OR column_name = 'half'").Scan(&left).Error
		if err == nil && left != 0 {
			t.Errorf("%d columns are left of the migration that failed", left)
		}
		return err
	})
	s, err := Open(t.Context(), address, Options{})
	if err != nil {
		t.Fatal(err)
	}
	if err := s.Close(); err != nil {
		t.Error(err)
	}
}

// A role of its own that is no superuser is enough, in a database that is its own.
func TestNoSuperuserIsNeeded(t *testing.T) {
	ctx := t.Context()
	conn, err := pgx.Connect(ctx, database)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(ctx)
	for _, statement := range []string{
		"CREATE ROLE plain LOGIN PASSWORD 'plain' NOSUPERUSER NOCREATEDB NOCREATEROLE", "CREATE DATABASE plains OWNER plain",
	} {
		if _, err := conn.Exec(ctx, statement); err != nil {
			t.Fatal(err)
		}
	}
	u, err := url.Parse(database)
	if err != nil {
		t.Fatal(err)
	}
	u.Path, u.User = "/plains", url.UserPassword("plain", "plain")
	s, err := Open(ctx, u.String(), Options{Columns: t.TempDir()})
	if err != nil {
		t.Fatal(err)
	}
	defer func() {
		if err := s.Close(); err != nil {
			t.Error(err)
		}
	}()
	load := s.mustLoad(t, "trips", "day,route,fare\n2026-01-01,a,1\n2026-01-02,b,2\n", ingest.ColumnHints{Date: "day"}, false)
	d, err := s.Dataset(ctx, "trips")
	if err != nil {
		t.Fatal(err)
	}
	if v, err := s.Verify(ctx, d); err != nil || v.Wrong != 0 {
		t.Errorf("%+v, %v", v, err)
	}
	if _, err := s.UndoLoad(ctx, "trips", load.ID); err != nil {
		t.Error(err)
	}
	if err := s.AddAccount(ctx, &Account{Name: "ines", Role: "reader"}); err != nil {
		t.Error(err)
	}
	if err := s.db.Exec("DELETE FROM audit").Error; err == nil {
		t.Error("the audit can be emptied")
	}
	if err := s.RemoveDataset(ctx, "trips", func(*Dataset) error { return nil }); err != nil {
		t.Error(err)
	}
}

// A program does not start on the database of a later one.
func TestADatabaseOfALaterVersion(t *testing.T) {
	url := pgtest.Database(t, database)
	s, err := Open(t.Context(), url, Options{})
	if err != nil {
		t.Fatal(err)
	}
	if err := errors.Join(s.db.Exec("INSERT INTO migrations VALUES ('9.9 later')").Error, s.Close()); err != nil {
		t.Fatal(err)
	}
	if _, err := Open(t.Context(), url, Options{}); err == nil || !strings.Contains(err.Error(), "a later version of this program") {
		t.Errorf("%v", err)
	}
}
