package store

import (
	"context"
	"database/sql"
	"encoding/csv"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/cockroachdb/apd/v3"
	"github.com/jackc/pgx/v5"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/tally"
	"vastspan/internal/attached"
	"vastspan/internal/ingest"
	"vastspan/internal/postgres/pgtest"
)

// A twin is a table elsewhere that holds the records of a file, numbered by their lines.
type twin struct {
	name   string
	url    string
	table  string
	create string
	insert func(t *testing.T, rows [][]string)
}

// rowsOf reads a file of records; a blank is nil.
func rowsOf(t *testing.T, text string) [][]string {
	t.Helper()
	rows, err := csv.NewReader(strings.NewReader(text)).ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	return rows[1:]
}

const (
	twinTable = "(line bigint, day date, route text, channel text, fare numeric, people numeric, seen_at timestamptz)"
	liteTable = "(line integer, day date, route text, channel text, fare numeric, people numeric, seen_at datetime)"
)

// inPostgreSQL makes a table in a database of its own; parts says how its rows are kept.
func inPostgreSQL(t *testing.T, name string, statements ...string) twin {
	t.Helper()
	address := pgtest.Database(t, database)
	return twin{name, address, "public.trips", "", func(t *testing.T, rows [][]string) {
		t.Helper()
		ctx := context.Background()
		conn, err := pgx.Connect(ctx, address)
		if err != nil {
			t.Fatal(err)
		}
		defer conn.Close(ctx)
		for _, text := range statements {
			if _, err := conn.Exec(ctx, text); err != nil {
				t.Fatal(err)
			}
		}
		for i, row := range rows {
			args := []any{i + 1}
			for _, cell := range row {
				if cell == "" {
					args = append(args, nil)
				} else {
					args = append(args, cell)
				}
			}
			_, err := conn.Exec(ctx, "INSERT INTO public.trips VALUES ($1, $2::text::date, $3, $4, $5::text::numeric, $6::text::numeric, $7::text::timestamptz)",
				args...)
			if err != nil {
				t.Fatal(err)
			}
		}
	}}
}

func inSQLite(t *testing.T) twin {
	t.Helper()
	path := filepath.Join(t.TempDir(), "trips of a quay.db")
	return twin{"SQLite", "sqlite:" + path, "trips", "", func(t *testing.T, rows [][]string) {
		t.Helper()
		db, err := sql.Open("sqlite", path)
		if err != nil {
			t.Fatal(err)
		}
		defer db.Close()
		if _, err := db.Exec("CREATE TABLE trips " + liteTable); err != nil {
			t.Fatal(err)
		}
		for i, row := range rows {
			args := []any{i + 1}
			for _, cell := range row {
				args = append(args, sql.NullString{String: cell, Valid: cell != ""})
			}
			if _, err := db.Exec("INSERT INTO trips VALUES (?, ?, ?, ?, ?, ?, ?)", args...); err != nil {
				t.Fatal(err)
			}
		}
	}}
}

// attach makes a dataset of a twin, described as another one is.
func (s *Store) attach(t *testing.T, w twin, like *Dataset) *Dataset {
	t.Helper()
	ctx := context.Background()
	db, err := s.databases.Find(w.name)
	if err != nil {
		t.Fatal(err)
	}
	columns, err := db.Describe(ctx, w.table)
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
	d, err := s.Attach(ctx, "attached-"+w.name, &attached.Table{Database: w.name, Name: w.table, Key: "line", Columns: kept}, &schema)
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

// sameFigures describes a result by what every source has to agree on: figures, whatever decimals the engine gives them, and
// how many records have no day.
func sameFigures(r *tally.Result, request tally.Request) string {
	var top tally.Top
	if r.Top != nil {
		top = *r.Top
	}
	at := func(period int, group []dataset.Label) []decimal.Value {
		values := slices.Clone(r.At(period, group))
		for i := range values {
			if !values[i].Set {
				continue
			}
			// How far a mean or a ratio is worked out depends on how many decimals the engine gives.
			if err := decimal.Divide(&values[i].Decimal, &values[i].Decimal, apd.New(1, 0), 4); err != nil {
				panic(err)
			}
		}
		return values
	}
	return write(tally.Coverage{Undated: r.Undated}, r.Groups, top.Values, top.Others, request, at, r.Tied)
}

// Tables that are attached give what the same records give that were loaded, whatever is asked of them.
func TestAttachedTotalsAgree(t *testing.T) {
	rng := rand.New(rand.NewPCG(14, 10))
	text := randomCSV(rng, 300)
	rows := rowsOf(t, text)
	if os.Getenv("TZ") == "" {
		t.Setenv("TZ", "America/New_York") // which is not to matter
	}
	twins := []twin{
		inPostgreSQL(t, "postgresql", "CREATE TABLE public.trips "+twinTable),
		inPostgreSQL(t, "partitioned", "CREATE TABLE public.trips "+twinTable+" PARTITION BY RANGE (day)",
			"CREATE TABLE y2025 PARTITION OF public.trips FOR VALUES FROM ('2025-01-01') TO ('2026-01-01')",
			"CREATE TABLE y2026 PARTITION OF public.trips FOR VALUES FROM ('2026-01-01') TO ('2027-01-01')",
			"CREATE TABLE others PARTITION OF public.trips DEFAULT"),
		inSQLite(t),
	}
	s := openWith(t, twins)
	ctx := context.Background()
	s.mustLoad(t, "kept", text, ingest.ColumnHints{
		Date: "day", Amounts: []string{"fare", "people"}, Categories: []string{"route", "channel"}, Zone: "Pacific/Auckland",
	}, true)
	kept, err := s.Dataset(ctx, "kept")
	if err != nil {
		t.Fatal(err)
	}
	sets := map[string]*Dataset{}
	for _, w := range twins {
		w.insert(t, rows)
		sets[w.name] = s.attach(t, w, kept)
	}
	requests := 800
	if testing.Short() {
		requests = 120
	}
	for i := range requests {
		request := randomRequest(rng)
		p, err := tally.NewPlan(request)
		if err != nil {
			t.Fatal(err)
		}
		r, err := tally.Run(ctx, p, s.Source(kept))
		if err != nil {
			t.Fatal(err)
		}
		want := sameFigures(r, request)
		for name, d := range sets {
			r, err := tally.Run(ctx, p, s.Source(d))
			if err != nil {
				t.Fatalf("request %d, %+v, from %s: %v", i, request, name, err)
			}
			if got := sameFigures(r, request); got != want {
				t.Fatalf("request %d, %+v:\nfrom %s\n%s\nby a loop\n%s", i, request, name, got, want)
			}
		}
	}
	for name, d := range sets {
		testListing(t, s, name, kept, d)
	}
}

// testListing compares pages of records.
func testListing(t *testing.T, s *Store, name string, kept, d *Dataset) {
	t.Helper()
	ctx := context.Background()
	l := Listing{Period: tally.OfDays(civil.SetOf(civil.AllDays)), Where: parsedFilters("channel!=web"), OldestFirst: true, Limit: 70}
	theirs := l
	for page := 0; ; page++ {
		want, more, err := s.Records(ctx, kept, l)
		if err != nil {
			t.Fatal(err)
		}
		got, alsoMore, err := s.Records(ctx, d, theirs)
		if err != nil || len(got) != len(want) || more != alsoMore {
			t.Fatalf("%s, page %d: %d records, want %d: %v", name, page, len(got), len(want), err)
		}
		for i := range want {
			for j := range kept.Schema.Columns {
				if a, b := shown(kept, j, want[i].Cells[j]), shown(kept, j, got[i].Cells[j]); a != b {
					t.Errorf("%s, page %d, record %d: %s is %s, want %s", name, page, i, kept.Schema.Columns[j].Name, b, a)
				}
			}
		}
		if !more {
			break
		}
		l.After, theirs.After = &want[len(want)-1], &got[len(got)-1]
		one, err := s.SumThrough(ctx, kept, l, "fare")
		if err != nil {
			t.Fatal(err)
		}
		other, err := s.SumThrough(ctx, d, theirs, "fare")
		if err != nil || one.Decimal.Cmp(&other.Decimal) != 0 {
			t.Errorf("%s, page %d: %s through it, want %s: %v", name, page, other, one, err)
		}
	}
}

// shown is a cell with numbers in the form that equal ones share.
func shown(d *Dataset, column int, cell *string) string {
	if cell == nil {
		return "blank"
	}
	if d.Schema.Columns[column].Type == dataset.Number {
		if v, err := decimal.Parse(*cell); err == nil {
			return decimal.Key(&v.Decimal)
		}
	}
	return strconv.Quote(fmt.Sprint(*cell))
}
