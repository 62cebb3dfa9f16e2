package backup

import (
	"archive/zip"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"vastspan/internal/postgres/pgtest"
)

var database string // its address

func TestMain(m *testing.M) { pgtest.Main(m, &database) }

// in runs statements in a database, and returns what the last one gives, a line each.
func in(t *testing.T, address string, statements ...string) []string {
	t.Helper()
	ctx := context.Background()
	conn, err := pgx.Connect(ctx, address)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(ctx)
	var lines []string
	for _, text := range statements {
		rows, err := conn.Query(ctx, text, pgx.QueryExecModeSimpleProtocol)
		if err != nil {
			t.Fatal(err)
		}
		lines, err = pgx.CollectRows(rows, func(row pgx.CollectableRow) (string, error) {
			values, err := row.Values()
			return fmt.Sprint(values), err
		})
		if err != nil {
			t.Fatalf("%s: %v", text, err)
		}
	}
	return lines
}

// filled makes a database with migrations and records.
func filled(t *testing.T) string {
	t.Helper()
	address := pgtest.Database(t, database)
	in(t, address,
		"CREATE TABLE migrations (id text PRIMARY KEY)", "INSERT INTO migrations VALUES ('2026-02-second'), ('2026-01-first')",
		"CREATE TABLE records (id bigserial PRIMARY KEY, day date, fare numeric, note text)",
		"INSERT INTO records (day, fare, note) SELECT date '2026-01-01' + n % 90, n / 7.0, repeat(chr(65 + n % 57), n % 30) FROM generate_series(1, 3000) n",
		"CREATE VIEW fares AS SELECT day, sum(fare) AS fare FROM records GROUP BY day")
	return address
}

func kept(t *testing.T, address string) string {
	t.Helper()
	return strings.Join(in(t, address, "SELECT count(*), sum(fare), md5(string_agg(note, ',' ORDER BY id)), max(id) FROM records"), "") +
		strings.Join(in(t, address, "SELECT count(*), max(fare) FROM fares"), "") +
		strings.Join(in(t, address, "SELECT nextval('records_id_seq')"), "")
}

// written writes a backup into a file.
func written(t *testing.T, address string) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), "kept.zip")
	file, err := os.Create(path)
	if err != nil {
		t.Fatal(err)
	}
	if err := errors.Join(Write(context.Background(), file, address, "v9.9"), file.Close()); err != nil {
		t.Fatal(err)
	}
	return path
}

var known = []string{"2026-01-first", "2026-02-second", "2026-03-third"}

// What was written is restored as it was, into a database where nothing is; its file says what is in it.
func TestWhatWasWrittenIsRestored(t *testing.T) {
	ctx := context.Background()
	address := filled(t)
	path := written(t, address)
	m, err := Check(path)
	if err != nil {
		t.Fatal(err)
	}
	if m.Version != "v9.9" || strings.Join(m.Migrations, " ") != "2026-01-first 2026-02-second" || time.Since(m.MadeAt) > time.Hour ||
		m.Bytes == 0 || len(m.SHA256) != 64 {
		t.Errorf("the file says %+v", m)
	}
	want := kept(t, address)
	other := pgtest.Database(t, database)
	if err := Restore(ctx, path, other, known[:1]); err == nil || !strings.Contains(err.Error(), "later version, v9.9") {
		t.Errorf("by an earlier version: %v", err)
	}
	if err := Restore(ctx, path, other, known); err != nil {
		t.Fatal(err)
	}
	if got := kept(t, other); got != want {
		t.Errorf("restored %s, want %s", got, want)
	}
	if err := Restore(ctx, path, other, known); !errors.Is(err, ErrNotEmpty) {
		t.Errorf("into what is not empty: %v", err)
	}
	in(t, other, "DROP VIEW fares", "DROP TABLE records, migrations", "CREATE VIEW left_over AS SELECT 1")
	if err := Restore(ctx, path, other, known); !errors.Is(err, ErrNotEmpty) {
		t.Errorf("into what holds a view: %v", err)
	}
}

// A backup is of one state, that of its beginning, whatever is written meanwhile.
func TestABackupIsOfOneState(t *testing.T) {
	address := filled(t)
	stop, done := make(chan struct{}), make(chan error)
	go func() { // fares move between records: their sum stays
		ctx := context.Background()
		conn, err := pgx.Connect(ctx, address)
		if err != nil {
			done <- err
			return
		}
		defer conn.Close(ctx)
		for n := 1; ; n++ {
			select {
			case <-stop:
				done <- nil
				return
			default:
			}
			if _, err := conn.Exec(ctx, "UPDATE records SET fare = fare + CASE id WHEN $1 THEN 5 ELSE -5 END WHERE id IN ($1, $2)",
				1+n%3000, 1+(n+17)%3000); err != nil {
				done <- err
				return
			}
		}
	}()
	sums := map[string]bool{in(t, address, "SELECT sum(fare) FROM records")[0]: true}
	for range 3 {
		other := pgtest.Database(t, database)
		if err := Restore(context.Background(), written(t, address), other, known); err != nil {
			t.Fatal(err)
		}
		sums[in(t, other, "SELECT sum(fare) FROM records")[0]] = true
	}
	close(stop)
	if err := <-done; err != nil {
		t.Fatal(err)
	}
	if len(sums) != 1 {
		t.Errorf("sums of what was restored: %v", sums)
	}
}

// Whatever byte of a backup is another, and wherever it ends, it is found out, or it makes no difference to what is restored.
func TestNoByteOfABackupGoesUnnoticed(t *testing.T) {
	path := written(t, filled(t))
	whole, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	want, err := Check(path)
	if err != nil {
		t.Fatal(err)
	}
	spoiled := filepath.Join(t.TempDir(), "spoiled.zip")
	found, same := 0, 0
	try := func(what string, content []byte) {
		t.Helper()
		if err := os.WriteFile(spoiled, content, 0o600); err != nil {
			t.Fatal(err)
		}
		m, err := Check(spoiled)
		switch {
		case err == nil && m.SHA256 != want.SHA256:
			t.Fatalf("%s: it is taken for a backup of something else", what)
		case err == nil:
			same++
		case !strings.Contains(err.Error(), "spoiled.zip is not a whole backup"):
			t.Fatalf("%s: %v", what, err)
		default:
			found++
		}
	}
	step := max(1, len(whole)/200)
	for at := 0; at < len(whole); at += step {
		other := bytes.Clone(whole)
		other[at] ^= 1 << (at % 8)
		try(fmt.Sprintf("byte %d of %d", at, len(whole)), other)
		try(fmt.Sprintf("cut at %d of %d", at, len(whole)), whole[:at])
	}
	for at := len(whole) - 900; at < len(whole); at++ { // the manifest, and what lists both
		other := bytes.Clone(whole)
		other[at] ^= 1 << (at % 8)
		try(fmt.Sprintf("byte %d of %d", at, len(whole)), other)
	}
	if found < 600 || same > found/2 {
		t.Errorf("%d were found out, %d were not", found, same)
	}
}

// A dump that cannot be carried out leaves the database as empty as it was.
func TestARestoreIsWholeOrNotAtAll(t *testing.T) {
	ctx := context.Background()
	path := written(t, filled(t))
	archive, err := zip.OpenReader(path)
	if err != nil {
		t.Fatal(err)
	}
	defer archive.Close()
	var half bytes.Buffer
	w := zip.NewWriter(&half)
	for _, f := range archive.File {
		r, err := f.Open()
		if err != nil {
			t.Fatal(err)
		}
		text, err := io.ReadAll(r)
		if err != nil {
			t.Fatal(err)
		}
		if f.Name == dumpName {
			text = text[:len(text)-len(text)/4]
		}
		entry, err := w.Create(f.Name)
		if err == nil {
			_, err = entry.Write(text)
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	cut := filepath.Join(t.TempDir(), "cut.zip")
	if err := os.WriteFile(cut, half.Bytes(), 0o600); err != nil {
		t.Fatal(err)
	}
	if _, err := Check(cut); err == nil || !strings.Contains(err.Error(), "checksum") {
		t.Errorf("a dump that is cut: %v", err)
	}
	other := pgtest.Database(t, database)
	if err := Restore(ctx, cut, other, known); err == nil {
		t.Error("a dump that is cut is restored")
	}
	if err := empty(ctx, other); err != nil {
		t.Errorf("after it: %v", err)
	}
	if err := Restore(ctx, path, other, known); err != nil {
		t.Errorf("the whole one after it: %v", err)
	}
}

// What is asked of the wrong place is reported, and no password is shown or handed over where others can read it.
func TestWhereABackupComesFrom(t *testing.T) {
	ctx := context.Background()
	if err := Write(ctx, io.Discard, pgtest.Database(t, database), "v1"); err == nil || !strings.Contains(err.Error(), "migrations") {
		t.Errorf("a database of something else: %v", err)
	}
	stopped, stop := context.WithCancel(ctx)
	stop()
	if err := Write(stopped, io.Discard, filled(t), "v1"); !errors.Is(err, context.Canceled) {
		t.Errorf("of who has gone: %v", err)
	}
	if _, err := Check(filepath.Join(t.TempDir(), "nowhere.zip")); !errors.Is(err, os.ErrNotExist) {
		t.Errorf("a file that is not there: %v", err)
	}
	for address, want := range map[string]string{
		"postgres://clerk:salt-and-tar@h:5432/d?sslmode=disable": "postgres://clerk@h:5432/d?sslmode=disable",
		"postgresql://h/d?password=salt-and-tar&user=clerk":      "postgresql://h/d?user=clerk",
		"postgres://clerk@h/d?password=salt%2Dand%2Dtar":         "postgres://clerk@h/d",
		"host=h user=clerk password=salt-and-tar":                "",
		"mysql://clerk:salt-and-tar@h/d":                         "",
		"postgres://clerk:salt-and-tar@[::1/d":                   "",
	} {
		got, err := withoutPassword(address)
		if got != want || (err == nil) != (want != "") || err != nil && strings.Contains(err.Error(), "salt") {
			t.Errorf("%s: %q, %v", address, got, err)
		}
	}
}

// A backup that holds what no service has is refused before anything of it is run, however right its checksum is.
func TestManipulatedBackupsAreRefused(t *testing.T) {
	for name, statement := range map[string]string{
		"a function":        "CREATE FUNCTION run() RETURNS int LANGUAGE sql IMMUTABLE AS 'SELECT 1'",
		"an event trigger":  "CREATE FUNCTION seen() RETURNS event_trigger LANGUAGE plpgsql AS $$ BEGIN END $$",
		"a rule":            "CREATE RULE quiet AS ON INSERT TO records DO INSTEAD NOTHING",
		"an extension":      "CREATE EXTENSION postgres_fdw",
		"a type":            "CREATE TYPE mood AS ENUM ('calm')",
		"an operator class": "CREATE AGGREGATE total(int) (SFUNC = int4pl, STYPE = int)",
	} {
		address := filled(t)
		in(t, address, statement)
		other := pgtest.Database(t, database)
		if err := Restore(context.Background(), written(t, address), other, known); err == nil || !strings.Contains(err.Error(), "what no service has") {
			t.Errorf("%s: %v", name, err)
		}
		if left := in(t, other, "SELECT count(*) FROM pg_class WHERE relname = 'records'"); strings.Join(left, "") != "[0]" {
			t.Errorf("%s: something was restored", name)
		}
	}
}
