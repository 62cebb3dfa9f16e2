package e2e

import (
	"encoding/csv"
	"fmt"
	"io"
	"math/big"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

// demoFiles writes the demo's files and gives their folder.
func (s *running) demoFiles() string {
	s.t.Helper()
	folder := s.t.TempDir()
	s.must("demo", "--write", folder)
	return folder
}

// A plain is what adding up a CSV file by hand gives.
type plain struct {
	count int
	sum   *big.Rat
}

// addUp adds a column up over the rows that keep lets through.
func addUp(t *testing.T, file, column string, keep func(row map[string]string) bool) plain {
	t.Helper()
	f, err := os.Open(file)
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	rows, err := csv.NewReader(f).ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	p := plain{sum: new(big.Rat)}
	for _, cells := range rows[1:] {
		row := map[string]string{}
		for i, name := range rows[0] {
			row[name] = cells[i]
		}
		if !keep(row) {
			continue
		}
		p.count++
		if v := row[column]; v != "" {
			r, ok := new(big.Rat).SetString(v)
			if !ok {
				t.Fatalf("%q is no number", v)
			}
			p.sum.Add(p.sum, r)
		}
	}
	return p
}

func inMonth(month string) func(map[string]string) bool {
	return func(row map[string]string) bool { return strings.HasPrefix(row["sailed_on"], month) }
}

// csvRows reads CSV output into a map a row.
func csvRows(t *testing.T, text string) []map[string]string {
	t.Helper()
	all, err := csv.NewReader(strings.NewReader(text)).ReadAll()
	if err != nil || len(all) == 0 {
		t.Fatalf("%v in %q", err, text)
	}
	var rows []map[string]string
	for _, cells := range all[1:] {
		row := map[string]string{}
		for i, name := range all[0] {
			row[name] = cells[i]
		}
		rows = append(rows, row)
	}
	return rows
}

var loadCrossings = []string{
	"--date",
	"sailed_on",
	"--amount",
	"passengers",
	"--amount",
	"fare",
	"--category",
	"route",
	"--category",
	"fare_class",
	"--category",
	"channel",
	"--allow-undated",
}

func (s *running) loadCrossings(file string) {
	s.t.Helper()
	s.must(append([]string{"load", "crossings", file}, loadCrossings...)...)
}

func TestTheMainJob(t *testing.T) {
	t.Parallel()
	s := start(t)
	folder := s.demoFiles()
	file := filepath.Join(folder, "crossings.csv")

	preview := s.must("load", "crossings", file, "--date", "sailed_on", "--preview")
	if !strings.Contains(preview, "would be created") || !strings.Contains(preview, "category") ||
		strings.Contains(s.must("dataset", "list"), "crossings") {
		t.Errorf("the preview says %q", preview)
	}
	s.loadCrossings(file)
	s.must("span", "add", "closed-month", "last full month", "--about", "The month that is over")

	september := addUp(t, file, "fare", inMonth("2026-09"))
	check := func(what string, row map[string]string, count int, sum *big.Rat) {
		t.Helper()
		if row["count"] != fmt.Sprint(count) || row["sum_fare"] != sum.FloatString(2) {
			t.Errorf("%s: count %s, sum %s; by hand %d, %s", what, row["count"], row["sum_fare"], count, sum.FloatString(2))
		}
		if row["first_day"] != "2026-09-01" || row["last_day"] != "2026-09-30" || row["days"] != "30" {
			t.Errorf("%s: the days are %v", what, row)
		}
	}
	stored := csvRows(
		t,
		s.must("total", "crossings", "--over", "@closed-month", "--count", "--sum", "fare", "--as-of", "latest", "--output", "csv"),
	)
	check("stored", stored[0], september.count, september.sum)
	onTheSpot := csvRows(
		t,
		s.must(
			"total",
			file,
			"--date",
			"sailed_on",
			"--allow-undated",
			"--over",
			"last full month",
			"--count",
			"--sum",
			"fare",
			"--as-of",
			"latest",
			"--output",
			"csv",
		),
	)
	check("on the spot", onTheSpot[0], september.count, september.sum)

	for _, row := range csvRows(t, s.must("total", "crossings", "--over", "@closed-month", "--count", "--sum", "fare", "--by", "route", "--where", "channel=web", "--where", "channel=quay", "--as-of", "2026-10-19", "--output", "csv")) {
		want := addUp(t, file, "fare", func(r map[string]string) bool {
			return inMonth("2026-09")(r) && r["route"] == row["route"] && (r["channel"] == "web" || r["channel"] == "quay")
		})
		check(row["route"], row, want.count, want.sum)
	}

	dear := addUp(t, file, "fare", func(r map[string]string) bool {
		v, _ := new(big.Rat).SetString(r["fare"])
		return inMonth("2026-09")(r) && v.Cmp(big.NewRat(50, 1)) >= 0 && r["route"] != "Saltmarsh"
	})
	for _, source := range [][]string{{"crossings"}, {file, "--date", "sailed_on", "--allow-undated"}} {
		args := append(
			append([]string{"total"}, source...),
			"--over",
			"2026-09",
			"--count",
			"--sum",
			"fare",
			"--where",
			"fare>=50",
			"--where",
			"route!=Saltmarsh",
			"--as-of",
			"latest",
			"--output",
			"csv",
		)
		check("dear crossings", csvRows(t, s.must(args...))[0], dear.count, dear.sum)
	}
	if out := s.must("verify", "crossings"); !strings.Contains(out, "49,036 records, ") ||
		!strings.Contains(out, " compared, 0 wrong") {
		t.Errorf("verify says %s", out)
	}
	s.checkBreakdown(file)
	s.checkRecords(september)
	table := s.must("total", "crossings", "--over", "month to date", "--as-of", "2026-10-19")
	if !strings.Contains(table, "as of Mon 19 Oct 2026") || !strings.Contains(table, "14 excluded: no date in sailed_on") {
		t.Errorf("the table says\n%s", table)
	}
}

// checkBreakdown compares a year by month with the one before, from the dataset and from the file.
func (s *running) checkBreakdown(file string) {
	s.t.Helper()
	question := []string{
		"--over",
		"this year",
		"--sum",
		"fare",
		"--against",
		"year earlier",
		"--each",
		"month",
		"--running",
		"year",
		"--as-of",
		"latest",
		"--output",
		"csv",
	}
	stored := s.must(append([]string{"total", "crossings"}, question...)...)
	onTheSpot := s.must(append([]string{"total", file, "--date", "sailed_on", "--allow-undated"}, question...)...)
	if stored != onTheSpot {
		s.t.Errorf("stored\n%son the spot\n%s", stored, onTheSpot)
	}
	header, _, _ := strings.Cut(stored, "\n")
	if header != "span,first_day,last_day,days,covered_days,unit,sum_fare,sum_fare_1_year_earlier,sum_fare_1_year_earlier_difference,sum_fare_1_year_earlier_change,sum_fare_running,1_year_earlier_first_day,1_year_earlier_last_day,1_year_earlier_days,1_year_earlier_covered_days,flags,like_for_like" {
		s.t.Errorf("the columns are %s", header)
	}
	rows := csvRows(s.t, stored)
	running := new(big.Rat)
	for i, row := range rows {
		if i > 9 {
			if row["flags"] != "future" || row["sum_fare"] != "" || row["sum_fare_running"] != "" ||
				row["sum_fare_1_year_earlier_change"] != "" {
				s.t.Errorf("ahead: %v", row)
			}
			continue
		}
		now := addUp(s.t, file, "fare", inMonth(fmt.Sprintf("2026-%02d", i+1)))
		before := addUp(s.t, file, "fare", inMonth(fmt.Sprintf("2025-%02d", i+1)))
		running.Add(running, now.sum)
		difference := new(big.Rat).Sub(now.sum, before.sum)
		if row["sum_fare"] != now.sum.FloatString(2) || row["sum_fare_1_year_earlier"] != before.sum.FloatString(2) ||
			row["sum_fare_1_year_earlier_difference"] != difference.FloatString(2) || row["sum_fare_running"] != running.FloatString(2) {
			s.t.Errorf(
				"%v; by hand %s, %s, %s, %s",
				row,
				now.sum.FloatString(2),
				before.sum.FloatString(2),
				difference.FloatString(2),
				running.FloatString(2),
			)
		}
	}
	if len(rows) != 12 || rows[9]["flags"] != "in progress, not like-for-like" || rows[9]["like_for_like"] != "no" || rows[8]["like_for_like"] != "yes" {
		s.t.Errorf("%d rows; October is %v", len(rows), rows[9])
	}
}

// checkRecords pages through the records of the closed month and adds them up.
func (s *running) checkRecords(want plain) {
	s.t.Helper()
	sum, count, after := new(big.Rat), 0, ""
	last := "9999-99-99"
	for pages := 0; pages < 20; pages++ {
		args := []string{"records", "crossings", "--over", "@closed-month", "--as-of", "2026-10-19", "--limit", "400", "--output", "csv"}
		if after != "" {
			args = append(args, "--after", after)
		}
		r := s.run(args...)
		for _, row := range csvRows(s.t, r.out) {
			v, _ := new(big.Rat).SetString(row["fare"])
			sum.Add(sum, v)
			count++
			if row["sailed_on"] > last {
				s.t.Errorf("%s comes after %s", row["sailed_on"], last)
			}
			last = row["sailed_on"]
		}
		_, next, more := strings.Cut(r.err, "--after ")
		if !more {
			break
		}
		after = strings.TrimSpace(next)
	}
	if count != want.count || sum.Cmp(want.sum) != 0 {
		s.t.Errorf("the records are %d and sum to %s; by hand %d, %s", count, sum.FloatString(2), want.count, want.sum.FloatString(2))
	}
}

func TestRefusals(t *testing.T) {
	t.Parallel()
	s := start(t)
	s.refused(1, "did you mean  last 3 full months", "resolve", "last 3 months", "--as-of", "2026-10-19")
	s.refused(2, "expected an expression", "resolve")
	s.refused(2, "did you mean --as-of?", "resolve", "today", "--asof", "2026-10-19")
	s.refused(2, "there is no command", "reslove")
	s.refused(1, "2026-02 has no day 30", "resolve", "today", "--as-of", "2026-02-30")
	s.refused(1, "no dataset is named ferries", "total", "ferries", "--over", "today")
	s.refused(1, "no such file", "total", "ferries.csv", "--over", "today")

	s.must("span", "add", "closed-month", "last full month")
	s.refused(1, "already exists", "span", "add", "closed-month", "today")
	s.refused(1, "is not a name", "span", "add", "Größe", "today")
	s.refused(1, "no span is named @closed-mnth; did you mean @closed-month", "span", "add", "back", "@closed-mnth, 1 year earlier")
	s.must("span", "add", "back", "@closed-month, 1 year earlier")
	s.refused(1, "still in use by back", "span", "remove", "closed-month")
	s.refused(1, "in a circle: @closed-month → @back → @closed-month", "span", "change", "closed-month", "@back")
	s.must("span", "remove", "back")
	s.must("span", "remove", "closed-month")
	s.refused(1, "no span is named closed-month", "span", "show", "closed-month")
	s.refused(
		1,
		"listens only with --accounts",
		"serve",
		"--data",
		t.TempDir(),
		"--database",
		"postgres://nobody@127.0.0.1:1/none",
		"--address",
		"0.0.0.0:0",
	)
	for _, address := range []string{"postgres://n:secret@h/d", "host=h password=secret"} {
		s.refused(2, "a password on the command line can be read by others", "serve", "--database", address)
	}
}

func TestABadFileIsRefusedWhole(t *testing.T) {
	t.Parallel()
	s := start(t)
	load := func(text string, flags ...string) result {
		return s.runWith(strings.NewReader(text), append([]string{"load", "sales", "-"}, flags...)...)
	}
	r := load("sold_on,amount\n2026-03-05,1.50\n2026-02-30,2\n2026-03-06,two\n,4\n", "--date", "sold_on", "--amount", "amount")
	for _, want := range []string{
		`line 3, column sold_on: "2026-02-30": 2026-02 has no day 30`,
		`line 4, column amount: "two": expected a number`,
		`line 5, column sold_on: blank: expected a date`,
	} {
		if r.code != 1 || !strings.Contains(r.err, want) {
			t.Errorf("the file is refused with %d:\n%s\nwant %s", r.code, r.err, want)
		}
	}
	if r := load("sold_on,amount\n03/04/2026,1\n", "--date", "sold_on"); !strings.Contains(
		r.err,
		"or a date order: dmy, mdy or ymd",
	) {
		t.Errorf("an ambiguous date is not refused: %+v", r)
	}
	if r := load("", "--date", "sold_on"); !strings.Contains(r.err, "the file is empty") {
		t.Errorf("an empty file is not refused: %+v", r)
	}
	if list := s.must("dataset", "list"); strings.Contains(list, "sales") {
		t.Errorf("something of a refused file was kept:\n%s", list)
	}
	if r := load("\ufeffsold_on,amount,note\r\n03/04/2026,1.25,\"a \"\"quoted\"\"\nnote\"\r\n13/04/2026,,plain\\t\r\n", "--date", "sold_on", "--amount", "amount", "--date-order", "dmy"); r.code != 0 {
		t.Fatalf("a sound file is refused: %+v", r)
	}
	rows := csvRows(t, s.must("records", "sales", "--output", "csv"))
	if len(rows) != 2 || rows[1]["sold_on"] != "2026-04-03" || rows[1]["note"] != "a \"quoted\"\nnote" || rows[0]["note"] != `plain\t` ||
		rows[0]["amount"] != "" {
		t.Errorf("the records are %q", rows)
	}
	if r := load("sold_on,amount\n2026-04-20,3\n"); !strings.Contains(r.err, `the file has no column "note"`) {
		t.Errorf("a file of other columns is not refused: %+v", r)
	}
	loads := csvRows(t, s.must("loads", "sales", "--output", "csv"))
	s.must("loads", "undo", "sales", loads[0]["load"])
	s.refused(1, "undone already", "loads", "undo", "sales", loads[0]["load"])
	if rows := csvRows(t, s.must("total", "sales", "--over", "all dates", "--count", "--sum", "amount", "--output", "csv")); rows[0]["count"] != "0" ||
		rows[0]["sum_amount"] != "" {
		t.Errorf("after the load was taken back: %v", rows)
	}
}

// A service that is killed in the middle of a load leaves the dataset as it was, and the next one
// takes its database over.
func TestKilledInTheMiddleOfALoad(t *testing.T) {
	t.Parallel()
	s := startWhole(t)
	file := filepath.Join(s.demoFiles(), "crossings.csv")
	s.loadCrossings(file)
	before := s.must("total", "crossings", "--over", "all dates", "--count", "--sum", "fare", "--by", "route", "--output", "csv")

	in, out := io.Pipe()
	done := make(chan result)
	go func() { done <- s.runWith(in, "load", "crossings", "-") }()
	fmt.Fprintln(out, "sailed_on,booked_on,route,fare_class,channel,passengers,fare")
	for range 300_000 {
		fmt.Fprintln(out, "2026-09-15,2026-09-01,Gull Rock,foot,web,1,6.50")
	}
	s.awaitRowsOnTheirWay()
	s.kill()
	out.Close()
	if r := <-done; r.code == 0 {
		t.Fatalf("the load went through: %+v", r)
	}
	s.launch()
	if after := s.must("total", "crossings", "--over", "all dates", "--count", "--sum", "fare", "--by", "route", "--output", "csv"); after != before {
		t.Errorf("before the crash\n%safter it\n%s", before, after)
	}
	if loads := csvRows(t, s.must("loads", "crossings", "--output", "csv")); len(loads) != 1 {
		t.Errorf("the loads are %v", loads)
	}
}

// awaitRowsOnTheirWay waits until the table's file has grown: rows of the unfinished load have
// reached the database by then.
func (s *running) awaitRowsOnTheirWay() {
	s.t.Helper()
	size := func() int64 {
		var total int64
		_ = filepath.Walk(filepath.Join(s.folder, "serve", "data", "base"), func(_ string, info os.FileInfo, err error) error {
			if err == nil && info.Mode().IsRegular() {
				total += info.Size()
			}
			return nil
		})
		return total
	}
	first := size()
	for range 600 {
		if size() > first+1<<20 {
			return
		}
		time.Sleep(50 * time.Millisecond)
	}
	s.t.Fatal("no row of the load reached the database")
}
