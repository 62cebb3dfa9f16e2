package store

import (
	"context"
	"database/sql"
	"encoding/csv"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5"

	"vastspan/core/dataset"
	"vastspan/internal/attached"
	"vastspan/internal/cluster"
	"vastspan/internal/postgres/pgtest"
)

// A twin is a table elsewhere that holds the records of a file, numbered by their lines.
type twin struct {
	name   string
	url    string
	insert func(t *testing.T, text string)
}

// tripsTable describes the columns of randomCSV, with the numbers of the lines.
func tripsTable() *cluster.Table {
	return &cluster.Table{Name: "trips", By: "route", Values: []string{"Gull Rock", "Saltmarsh", "NULL", `a, "b"`}, Day: "day",
		Columns: []cluster.Column{
			{Name: "line", Kind: cluster.Whole}, {Name: "day", Kind: cluster.Day, Optional: true}, {Name: "route", Optional: true},
			{Name: "channel", Optional: true}, {Name: "fare", Kind: cluster.Decimal, Decimals: 2, Optional: true},
			{Name: "people", Kind: cluster.Decimal, Decimals: 1, Optional: true}, {Name: "seen_at", Kind: cluster.Moment, Optional: true},
		}}
}

// everyTwin holds a table in each engine, in one server and over several.
func everyTwin(t *testing.T, table func() *cluster.Table) []twin {
	t.Helper()
	partitions := fmt.Sprintf(" PARTITION BY RANGE (%q)", table().Day)
	return []twin{
		inPostgreSQL(t, "postgresql", table(), ""),
		inPostgreSQL(t, "partitioned", table(), partitions,
			"CREATE TABLE until2026 PARTITION OF public.trips FOR VALUES FROM (MINVALUE) TO ('2026-01-01')",
			"CREATE TABLE y2026 PARTITION OF public.trips FOR VALUES FROM ('2026-01-01') TO ('2027-01-01')",
			"CREATE TABLE others PARTITION OF public.trips DEFAULT"),
		inSQLite(t, table()),
		overServers(t, "servers", "postgresql", 3, table()),
		overServers(t, "clickhouse", "clickhouse", 1, table()),
		overServers(t, "distributed", "clickhouse", 3, table()),
	}
}

// numbered puts the numbers of its lines before the records of a file.
func numbered(t *testing.T, text string) [][]string {
	t.Helper()
	rows, err := csv.NewReader(strings.NewReader(text)).ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	for i := range rows {
		rows[i] = append([]string{strconv.Itoa(i)}, rows[i]...)
	}
	rows[0][0] = "line"
	return rows
}

// columnsAs writes the columns of a table, by the words of an engine for a whole number, a number, a day, a moment and a text.
func columnsAs(table *cluster.Table, words map[cluster.Kind]string) string {
	list := make([]string, len(table.Columns))
	for i, c := range table.Columns {
		list[i] = fmt.Sprintf("%q %s", c.Name, words[c.Kind])
	}
	return "(" + strings.Join(list, ", ") + ")"
}

// inPostgreSQL makes a table in a database of its own; more says how its rows are kept.
func inPostgreSQL(t *testing.T, name string, table *cluster.Table, kept string, more ...string) twin {
	t.Helper()
	address := pgtest.Database(t, database)
	return twin{name, address, func(t *testing.T, text string) {
		t.Helper()
		ctx := context.Background()
		conn, err := pgx.Connect(ctx, address)
		if err != nil {
			t.Fatal(err)
		}
		defer conn.Close(ctx)
		words := map[cluster.Kind]string{
			cluster.Text: "text", cluster.Day: "date", cluster.Moment: "timestamptz", cluster.Whole: "bigint", cluster.Decimal: "numeric",
		}
		for _, text := range append([]string{"CREATE TABLE public.trips " + columnsAs(table, words) + kept}, more...) {
			if _, err := conn.Exec(ctx, text); err != nil {
				t.Fatal(err)
			}
		}
		var lines strings.Builder
		if err := csv.NewWriter(&lines).WriteAll(numbered(t, text)); err != nil {
			t.Fatal(err)
		}
		_, err = conn.PgConn().CopyFrom(ctx, strings.NewReader(lines.String()), "COPY public.trips FROM STDIN (FORMAT csv, HEADER)")
		if err != nil {
			t.Fatal(err)
		}
	}}
}

func inSQLite(t *testing.T, table *cluster.Table) twin {
	t.Helper()
	path := filepath.Join(t.TempDir(), "trips of a quay.db")
	return twin{"sqlite", "sqlite:" + path, func(t *testing.T, text string) {
		t.Helper()
		db, err := sql.Open("sqlite", path)
		if err != nil {
			t.Fatal(err)
		}
		defer db.Close()
		words := map[cluster.Kind]string{
			cluster.Text: "text", cluster.Day: "date", cluster.Moment: "datetime", cluster.Whole: "integer", cluster.Decimal: "numeric",
		}
		if _, err := db.Exec("CREATE TABLE trips " + columnsAs(table, words)); err != nil {
			t.Fatal(err)
		}
		tx, err := db.Begin()
		if err != nil {
			t.Fatal(err)
		}
		for _, row := range numbered(t, text)[1:] {
			args := make([]any, len(row))
			for i, cell := range row {
				args[i] = sql.NullString{String: cell, Valid: cell != ""}
			}
			if _, err := tx.Exec("INSERT INTO trips VALUES (?"+strings.Repeat(", ?", len(row)-1)+")", args...); err != nil {
				t.Fatal(err)
			}
		}
		if err := tx.Commit(); err != nil {
			t.Fatal(err)
		}
	}}
}

// startCluster starts servers that hold a table together.
func startCluster(t *testing.T, engine string, n int, table *cluster.Table) *cluster.Cluster {
	t.Helper()
	folder, err := os.MkdirTemp("", "vastspan-cluster-")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = os.RemoveAll(folder) })
	if err := os.Chmod(folder, 0o755); err != nil { // the servers may run as another account
		t.Fatal(err)
	}
	c, err := cluster.Engines[engine](context.Background(), folder, n, table)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := c.Stop(); err != nil {
			t.Error(err)
		}
	})
	return c
}

// fill puts the records of a file into the table of a cluster.
func fill(t *testing.T, c *cluster.Cluster, table *cluster.Table, text string) {
	t.Helper()
	var lines strings.Builder
	if err := csv.NewWriter(&lines).WriteAll(numbered(t, text)); err != nil {
		t.Fatal(err)
	}
	err := c.Fill(context.Background(), table, func() (io.ReadCloser, error) { return io.NopCloser(strings.NewReader(lines.String())), nil })
	if err != nil {
		t.Fatal(err)
	}
}

// overServers is the table of a cluster.
func overServers(t *testing.T, name, engine string, n int, table *cluster.Table) twin {
	t.Helper()
	c := startCluster(t, engine, n, table)
	return twin{name, c.URL, func(t *testing.T, text string) { t.Helper(); fill(t, c, table, text) }}
}

// attach makes a dataset of a twin, described as another one is.
func (s *Store) attach(t *testing.T, w twin, like *Dataset) *Dataset {
	t.Helper()
	ctx := context.Background()
	db, err := s.databases.Find(w.name)
	if err != nil {
		t.Fatal(err)
	}
	columns, err := db.Describe(ctx, "trips")
	if err != nil {
		t.Fatal(err)
	}
	schema := like.Schema
	kept := make([]attached.Column, len(schema.Columns))
	for i, c := range schema.Columns {
		at := slices.IndexFunc(columns, func(k attached.Column) bool { return k.Name == c.Name })
		if kept[i] = columns[at]; kept[i].Form.Type() != c.Type {
			t.Fatalf("%s: %s is kept as %s", w.name, c.Name, kept[i].Form)
		}
	}
	schema.Columns = append(slices.Clone(schema.Columns), dataset.Column{Name: "line", Type: dataset.Number, Role: dataset.Detail})
	kept = append(kept, columns[slices.IndexFunc(columns, func(k attached.Column) bool { return k.Name == "line" })])
	name := "attached-" + w.name + "-" + like.Name
	d, err := s.Attach(ctx, name, &attached.Table{Database: w.name, Name: "trips", Key: "line", Columns: kept}, &schema)
	if err != nil {
		t.Fatal(err)
	}
	return d
}

// openWith opens a store that knows the databases of some twins.
func openWith(t *testing.T, twins []twin) *Store {
	t.Helper()
	definitions := map[string]attached.Definition{}
	for _, w := range twins {
		definitions[w.name] = attached.Definition{URL: w.url}
	}
	databases, err := attached.Configure(definitions)
	if err != nil {
		t.Fatal(err)
	}
	s, err := Open(context.Background(), database, Options{Columns: t.TempDir(), Databases: databases})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := s.Close(); err != nil {
			t.Error(err)
		}
	})
	return s
}
