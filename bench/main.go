// Command bench measures side by side, in one run, what the service does and what one would write by
// hand for it, on made-up records of 5 years and 20 × 8 × 3 categories. It prints tables, and writes docs/performance.md with them
// where -keep is set; times are of this machine, ratios are what counts.
package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"log"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"github.com/dustin/go-humanize"
	"github.com/jackc/pgx/v5"

	"vastspan/bench/made"
	"vastspan/bench/report"
	"vastspan/core/dataset"
	"vastspan/core/measure"
	"vastspan/core/tally"
	"vastspan/internal/attached"
	"vastspan/internal/ingest"
	"vastspan/internal/postgres"
	"vastspan/internal/store"
)

func main() {
	log.SetFlags(0)
	sizes := flag.String("records", "1000000,3000000,10000000", "numbers of records, by commas")
	part := flag.String("part", "", "totals, questions, changes or hours alone; all of them where it is empty")
	keep := flag.Bool("keep", false, "keep the tables in bench/results, and write docs/performance.md")
	total := flag.String("total", "", "a file to total once, and no benchmark")
	flag.Parse()
	work := func() error { return run(*sizes, *part, *keep) }
	if *total != "" {
		work = func() error { return totalAlone(*total) }
	}
	if err := work(); err != nil {
		log.Fatal(err)
	}
}

func run(sizes, part string, keep bool) (err error) {
	folder, err := os.MkdirTemp("", "vastspan-bench-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(folder)
	if err := os.Chmod(folder, 0o755); err != nil {
		return err
	}
	ctx := context.Background()
	pg, err := postgres.Start(ctx, filepath.Join(folder, "pg"), postgres.Settings{})
	if err != nil {
		return err
	}
	defer func() { _ = pg.Stop() }()
	st, err := store.Open(ctx, pg.URL, store.Options{Columns: filepath.Join(folder, "columns")})
	if err != nil {
		return err
	}
	defer st.Close()
	tables := map[string]*report.Table{
		"totals": report.New("totals", "what, compared with what"), "questions": report.New("questions", "question"),
		"hours": report.New("hours", "question"), "changes": report.New("changes", "question, compared with what"),
		"files": report.New("files", "what, compared with what"),
	}
	defer func() {
		err = errors.Join(err, report.Write(keep && err == nil,
			tables["totals"], tables["files"], tables["questions"], tables["changes"], tables["hours"]))
	}()
	for text := range strings.SplitSeq(sizes, ",") {
		n, err := strconv.Atoi(text)
		if err != nil {
			return err
		}
		b := &bench{ctx: ctx, url: pg.URL, store: st, records: n, file: filepath.Join(folder, "records.csv"), name: "b" + text, tables: tables}
		if err := b.run(part); err != nil {
			return err
		}
	}
	return nil
}

type bench struct {
	ctx     context.Context
	url     string
	store   *store.Store
	records int
	file    string
	name    string
	dataset *store.Dataset
	tables  map[string]*report.Table
}

// put notes how long something took, and what it is compared with.
func (b *bench) put(table, what string, mine time.Duration, others ...time.Duration) {
	b.tables[table].Ratios(what, humanize.Comma(int64(b.records))+" records", mine, others...)
	fmt.Printf("%9d  %-70s %v %v\n", b.records, what, mine, others)
}

func (b *bench) run(part string) error {
	for _, one := range []struct {
		name string
		work func() error
	}{{"totals", b.totals}, {"questions", b.questions}, {"changes", b.changes}, {"hours", b.hours}} {
		if part != "" && part != one.name {
			continue
		}
		if err := one.work(); err != nil {
			return err
		}
		if err := b.drop(); err != nil {
			return err
		}
	}
	return nil
}

// totals measures loads and totals that sums answer, of files and of an attached table.
func (b *bench) totals() (err error) {
	if err := made.Trips(b.file, b.records); err != nil {
		return err
	}
	load, err := made.Timed(1, b.load)
	if err != nil {
		return err
	}
	bare, err := made.Timed(1, b.copyBare)
	if err != nil {
		return err
	}
	b.put("totals", "a load with columns, sums and index : a bare `\\copy` and its index", load, bare)
	if err := b.settle(); err != nil {
		return err
	}
	columnar, err := startColumnar(b.name, b.file,
		"{'day': 'DATE', 'product': 'VARCHAR', 'region': 'VARCHAR', 'channel': 'VARCHAR', 'amount': 'DECIMAL(12,2)'}")
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, columnar.stop()) }()
	for _, filter := range []bool{false, true} {
		with := ""
		if filter {
			with = ", filtered"
		}
		plan, err := b.plan(filter)
		if err != nil {
			return err
		}
		hand, err := made.Timed(3, func() error { return b.byHand(filter) })
		if err != nil {
			return err
		}
		mine, err := made.Timed(5, func() error { _, err := tally.Run(b.ctx, plan, b.store.Source(b.dataset)); return err })
		if err != nil {
			return err
		}
		theirs, err := columnar.best(3, b.byHandText(filter))
		if err != nil {
			return err
		}
		b.put("totals", "sums"+with, mine, hand, theirs)
	}
	plan, err := b.plan(false)
	if err != nil {
		return err
	}
	if err := b.attached(plan); err != nil {
		return err
	}
	stream, err := made.Timed(1, func() error { return b.stream(plan, b.file) })
	if err != nil {
		return err
	}
	awk, err := made.Timed(1, func() error {
		return exec.Command("awk", "-F,", `$1 >= "2026-09-01" && $1 <= "2026-09-30" { s += $5 } END { printf "%.2f\n", s }`, b.file).Run()
	})
	if err != nil {
		return err
	}
	b.put("files", "16 periods by a category of a CSV file : one figure by `awk`", stream, awk)
	return b.files()
}

// attached measures the same records in a table that is attached.
func (b *bench) attached(plan *tally.Plan) error {
	databases, err := attached.Configure(map[string]attached.Definition{"same": {URL: b.url, Timeout: time.Hour}})
	if err != nil {
		return err
	}
	defer databases.Close()
	db, err := databases.Find("same")
	if err != nil {
		return err
	}
	table := attached.Table{Database: "same", Name: "bare_" + b.name}
	described, err := db.Describe(b.ctx, table.Name)
	if err != nil {
		return err
	}
	for _, c := range described {
		if b.dataset.Schema.Index(c.Name) >= 0 {
			table.Columns = append(table.Columns, c)
		}
	}
	source := databases.Source(&table, &b.dataset.Schema)
	mine, err := made.Timed(3, func() error { _, err := tally.Run(b.ctx, plan, source); return err })
	if err != nil {
		return err
	}
	hand, err := made.Timed(3, func() error { return b.byHand(false) })
	if err != nil {
		return err
	}
	b.put("totals", "sums of the same records in an attached table : hand-written SQL", mine, hand)
	return nil
}

// drop removes the dataset and its twin: at many records there is not room for all of them.
func (b *bench) drop() error {
	if err := b.store.RemoveDataset(b.ctx, b.dataset.Name, func(*store.Dataset) error { return nil }); err != nil {
		return err
	}
	return b.sql("DROP TABLE IF EXISTS bare_" + b.dataset.Name)
}

var hints = ingest.ColumnHints{Date: "day", Amounts: []string{"amount"}, Categories: []string{"product", "region", "channel"}}

func (b *bench) load() error { return b.loadAs(hints) }

// settle lets the database put its statistics in order, as it does by itself after a while.
func (b *bench) settle() error {
	if err := b.sql("VACUUM ANALYZE"); err != nil {
		return err
	}
	var err error
	b.dataset, err = b.store.Dataset(b.ctx, b.name)
	return err
}

func (b *bench) sql(statement string) error {
	conn, err := pgx.Connect(b.ctx, b.url)
	if err != nil {
		return err
	}
	defer conn.Close(b.ctx)
	_, err = conn.Exec(b.ctx, statement)
	return err
}

func (b *bench) copyBare() error {
	conn, err := pgx.Connect(b.ctx, b.url)
	if err != nil {
		return err
	}
	defer conn.Close(b.ctx)
	// The same table as the service makes, its two columns of bookkeeping filled by constants.
	table := "bare_" + b.name
	if _, err := conn.Exec(b.ctx, "CREATE TABLE "+table+" (_record bigint NOT NULL DEFAULT 1, _since bigint NOT NULL DEFAULT 1, "+
		"day date, product text, region text, channel text, amount numeric)"); err != nil {
		return err
	}
	f, err := os.Open(b.file)
	if err != nil {
		return err
	}
	defer f.Close()
	copying := "COPY " + table + " (day, product, region, channel, amount) FROM STDIN (FORMAT csv, HEADER)"
	if _, err = conn.PgConn().CopyFrom(b.ctx, f, copying); err != nil {
		return err
	}
	_, err = conn.Exec(b.ctx, "CREATE INDEX ON bare_"+b.name+" (day)")
	return err
}

func (b *bench) plan(filter bool) (*tally.Plan, error) {
	sets, err := made.Periods()
	if err != nil {
		return nil, err
	}
	r := tally.Request{Periods: tally.EachOfDays(sets...), Figures: []measure.Figure{{Kind: "sum", Column: "amount"}}, By: []string{"region"}}
	if filter {
		r.Where = dataset.Filters{{{Column: "channel", Op: dataset.Is, Values: []string{"channel 1"}}}}
	}
	return tally.NewPlan(r)
}

func (b *bench) byHand(filter bool) error { return b.sql(b.byHandText(filter)) }

// byHandText is the statement that one would write by hand.
func (b *bench) byHandText(filter bool) string {
	sets, err := made.Periods()
	if err != nil {
		return err.Error() // no statement
	}
	var sums []string
	for _, s := range sets {
		v := s.At(0)
		sums = append(sums, fmt.Sprintf("sum(amount) FILTER (WHERE day >= '%s' AND day < '%s')", v.Start, v.End))
	}
	where := ""
	if filter {
		where = " WHERE channel = 'channel 1'"
	}
	return "SELECT region, " + strings.Join(sums, ", ") + " FROM records." + b.name + where + " GROUP BY region"
}
