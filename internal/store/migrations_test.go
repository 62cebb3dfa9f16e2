package store

import (
	"context"
	"errors"
	"fmt"
	"net/url"
	"slices"
	"strings"
	"testing"

	"github.com/go-gormigrate/gormigrate/v2"
	"github.com/jackc/pgx/v5"
	"gorm.io/driver/postgres"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"

	"vastspan/core/dataset"
	"vastspan/core/tally"
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

// copied makes a copy of a database that nobody is connected to, and returns its address.
func copied(t *testing.T, address string, n int) string {
	t.Helper()
	u, err := url.Parse(address)
	if err != nil {
		t.Fatal(err)
	}
	ctx := context.Background()
	conn, err := pgx.Connect(ctx, database)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(ctx)
	of := strings.TrimPrefix(u.Path, "/")
	u.Path = fmt.Sprintf("/%s_at_%d", of, n)
	if _, err := conn.Exec(ctx, fmt.Sprintf("CREATE DATABASE %s_at_%d TEMPLATE %s", of, n, of)); err != nil {
		t.Fatal(err)
	}
	return u.String()
}

// shape describes the tables that are the service's own, whatever the datasets.
func shape(t *testing.T, s *Store) []string {
	t.Helper()
	var lines []string
	err := s.db.Raw(`
		SELECT table_schema || '.' || table_name || ' ' || column_name || ' ' || data_type || ' ' || is_nullable || ' ' || coalesce(column_default, '') || ' '
			|| coalesce(generation_expression, '')
		FROM information_schema.columns WHERE table_schema IN ('public', 'days')
		UNION ALL SELECT indexdef FROM pg_indexes WHERE schemaname IN ('public', 'days')
		UNION ALL SELECT event_object_table || ' ' || trigger_name || ' ' || event_manipulation FROM information_schema.triggers
		UNION ALL SELECT conrelid::regclass || ' ' || pg_get_constraintdef(oid) FROM pg_constraint WHERE connamespace = 'public'::regnamespace
		ORDER BY 1`).Scan(&lines).Error
	if err != nil {
		t.Fatal(err)
	}
	return lines
}

// From the schema of every release the database comes to that of today, and what it held is there.
func TestEveryReleaseIsBroughtUpToDate(t *testing.T) {
	fresh, err := Open(t.Context(), pgtest.Database(t, database), Options{})
	if err != nil {
		t.Fatal(err)
	}
	want := shape(t, fresh)
	if err := fresh.Close(); err != nil {
		t.Fatal(err)
	}
	if len(want) < 100 {
		t.Fatalf("the shape of a database has only %d lines", len(want))
	}
	list := steps()
	old := pgtest.Database(t, database)
	for n := range list {
		onDatabase(t, old, func(db *gorm.DB) error {
			if err := migrateBy(db, list[:n+1]); err != nil {
				return fmt.Errorf("%s: %w", list[n].ID, err)
			}
			return fillFirst(db, list[n].ID)
		})
		if testing.Short() && n%4 != 0 && n != len(list)-1 {
			continue
		}
		address := copied(t, old, n)
		s, err := Open(t.Context(), address, Options{Columns: t.TempDir()})
		if err != nil {
			t.Fatalf("from %s: %v", list[n].ID, err)
		}
		if got := shape(t, s); !slices.Equal(got, want) {
			for _, line := range got {
				if !slices.Contains(want, line) {
					t.Errorf("from %s: %s is not of today", list[n].ID, line)
				}
			}
			for _, line := range want {
				if !slices.Contains(got, line) {
					t.Errorf("from %s: %s is missing", list[n].ID, line)
				}
			}
		}
		checkFirst(t, s, list[n].ID)
		if err := s.Close(); err != nil {
			t.Error(err)
		}
	}
}

// fillFirst puts in what the service of a migration's time would have kept: once, after the migration that made its table.
func fillFirst(db *gorm.DB, id string) error {
	statements := map[string][]string{
		"2026-11-definitions-and-records": {
			`INSERT INTO definitions (kind, name, version, body, author, note, changed_at)
				VALUES ('span', 'closed', 1, '{"name":"closed","is":"last full month"}', 'local', '', now())`,
			`INSERT INTO definition_versions VALUES ('span', 'closed', 1, '{"name":"closed","is":"last full month"}', 'local', '', now())`,
			`INSERT INTO datasets (name, schema, version, created_at) VALUES ('trips', '{"columns":[{"name":"day","type":"date","role":"day"},
				{"name":"route","type":"text","role":"category"},{"name":"fare","type":"number","role":"amount"}],"zone":"UTC"}', 1, now())`,
			`INSERT INTO loads (dataset_id, file, author, records, undated, first_day, last_day, landed_at)
				VALUES (1, 'trips.csv', 'local', 40, 0, '2026-01-01', '2026-02-09', now())`,
			`CREATE TABLE records.trips (_record bigint NOT NULL, _load bigint NOT NULL, day date, route text, fare numeric)`,
			`INSERT INTO records.trips SELECT n, 1, '2026-01-01'::date + n, (ARRAY['a', 'b'])[1 + n % 2], round(n / 4.0, 2) FROM generate_series(0, 39) AS s(n)`,
		},
		"2026-11-receipts": {
			`INSERT INTO receipts (title, subject, as_of, body, digest, author, made_at) VALUES ('Then', 'total', '2026-03-01',
				'{"subject":"total","dataset":"trips","as_of":"2026-03-01","loads":[{"dataset":"trips","newest":1}]}', 'x', 'local', now())`,
		},
	}
	for _, statement := range statements[id] {
		if err := db.Exec(statement).Error; err != nil {
			return err
		}
	}
	return nil
}

// checkFirst checks that what was put in is there.
func checkFirst(t *testing.T, s *Store, from string) {
	t.Helper()
	ctx := t.Context()
	defs, _, err := s.Definitions(ctx)
	if err != nil || len(defs) != 1 || defs[0].Name != "closed" {
		t.Errorf("from %s: the definitions are %v, %v", from, defs, err)
	}
	d, err := s.Dataset(ctx, "trips")
	if err != nil {
		t.Fatalf("from %s: %v", from, err)
	}
	if v, err := s.Verify(ctx, d); err != nil || v.Records != 40 || v.Wrong != 0 || v.DaySums == 0 {
		t.Errorf("from %s: verified %+v, %v", from, v, err)
	}
	q := tally.Request{Periods: tally.EachOfDays(allDays), Figures: figuresOf("sum fare", "count"), By: []string{"route"}}
	if r := s.run(t, d, q); fmt.Sprint(r.At(0, []dataset.Label{dataset.LabelOf("b")})) != "[100.00 20]" {
		t.Errorf("from %s: b comes to %v", from, r.At(0, []dataset.Label{dataset.LabelOf("b")}))
	}
	if loads, err := s.Loads(ctx, d, 0, 9); err != nil || len(loads) != 1 || loads[0].File != "trips.csv" || loads[0].Author != "local" {
		t.Errorf("from %s: loads %v, %v", from, loads, err)
	}
	receipts, err := s.Receipts(ctx, 0, 9)
	if err != nil || len(receipts) > 1 {
		t.Fatalf("from %s: receipts %v, %v", from, receipts, err)
	}
	for _, r := range receipts {
		if !slices.Contains(r.Datasets, "trips") {
			t.Errorf("from %s: the receipt is about %v", from, r.Datasets)
		}
	}
}

// A migration that fails leaves nothing of itself, and the next start tries it again.
func TestMigrationsAreWholeOrNotAtAll(t *testing.T) {
	address := pgtest.Database(t, database)
	broken := errors.New("in the middle")
	fails := append(steps(), &gormigrate.Migration{ID: "2027-01-broken", Migrate: func(tx *gorm.DB) error {
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
	if err := errors.Join(s.db.Exec("INSERT INTO migrations VALUES ('2099-01-later')").Error, s.Close()); err != nil {
		t.Fatal(err)
	}
	if _, err := Open(t.Context(), url, Options{}); err == nil || !strings.Contains(err.Error(), "a later version of this program") {
		t.Errorf("%v", err)
	}
}
