package e2e

import (
	"fmt"
	"math/big"
	"path/filepath"
	"strings"
	"testing"
)

// A finding, from the question to the records behind it: this quarter so far beside the plan, by
// route, month by month, checked down to the last record.
func TestTheWholeQuestion(t *testing.T) {
	t.Parallel()
	s := start(t)
	folder := s.demoFiles()
	file := filepath.Join(folder, "crossings.csv")
	s.must("book", "load", filepath.Join(folder, "book.yaml"))
	s.loadCrossings(file)
	s.must("load", "plan", filepath.Join(folder, "plan.csv"), "--date", "month", "--amount", "planned_fare", "--category", "route")
	s.must("dataset", "change", "crossings", "--column", "fare", "--unit", "EUR", "--better", "higher")
	s.must("dataset", "change", "plan", "--grain", "month")
	s.refused(
		1,
		"holds text; an amount needs numbers: passengers, fare",
		"dataset",
		"change",
		"crossings",
		"--column",
		"route",
		"--unit",
		"EUR",
	)
	s.refused(2, "expected higher, lower or neither", "dataset", "change", "crossings", "--column", "fare", "--better", "sideways")
	if shown := s.must("dataset", "show", "crossings"); !strings.Contains(shown, "EUR   higher") {
		t.Errorf("the dataset is shown as\n%s", shown)
	}

	beside := []string{
		"total",
		"crossings",
		"--over",
		"quarter to date",
		"--sum",
		"fare",
		"--against-dataset",
		"plan fare=planned_fare",
		"--as-of",
		"latest",
	}
	if table := s.must(beside...); !strings.Contains(
		table,
		"not like-for-like: quarter to date compared with plan: a record of plan stands for a whole month, and Oct 2026 is cut",
	) ||
		!strings.Contains(table, "fare in EUR") {
		t.Errorf("a part of a month beside a whole one:\n%s", table)
	}
	rows := csvRows(
		t,
		s.must(
			"total",
			"crossings",
			"--over",
			"last full quarter",
			"--sum",
			"fare",
			"--against-dataset",
			"plan fare=planned_fare",
			"--by",
			"route",
			"--each",
			"month",
			"--as-of",
			"latest",
			"--output",
			"csv",
		),
	)
	if len(rows) != 15 || rows[0]["like_for_like"] != "yes" {
		t.Errorf("%d rows; the first is %v", len(rows), rows[0])
	}
	for _, row := range rows {
		month := row["first_day"][:7]
		want := addUp(t, file, "fare", func(r map[string]string) bool { return inMonth(month)(r) && r["route"] == row["route"] })
		if row["sum_fare"] != want.sum.FloatString(2) {
			t.Errorf("%s %s is %s, by hand %s", month, row["route"], row["sum_fare"], want.sum.FloatString(2))
		}
	}

	s.checkCrossTab(rows)
	s.checkLines()
	s.checkCell(file)
	ranked := csvRows(t, s.must("total", "crossings", "--over", "2026-09", "--median", "fare", "--by", "route", "--top", "2", "--output", "csv"))
	if len(ranked) < 2 || ranked[0]["route"] == ranked[1]["route"] {
		t.Errorf("the two routes of the greatest median are %v", ranked)
	}
	s.refused(1, "column booked_on holds dates; sum needs numbers", "total", "crossings", "--over", "2026-09", "--sum", "booked_on")
	s.refused(
		1,
		`there is no column "fare"; its columns are month, route, planned_fare: say which`,
		"total",
		"crossings",
		"--over",
		"2026-09",
		"--sum",
		"fare",
		"--against-dataset",
		"plan",
	)
	s.refused(1, "no dataset is named moon", "total", "crossings", "--over", "2026-09", "--sum", "fare", "--against-dataset", "moon")
	s.refused(1, "all dates is open on its left", "total", "crossings", "--over", "all dates", "--count", "--against", "1 year earlier")
}

// checkCrossTab compares the edges of a cross-tab with the sums of its cells.
func (s *running) checkCrossTab(cells []map[string]string) {
	s.t.Helper()
	rows := csvRows(
		s.t,
		s.must(
			"total",
			"crossings",
			"--over",
			"last full quarter",
			"--sum",
			"fare",
			"--each",
			"month",
			"--across",
			"route",
			"--as-of",
			"latest",
			"--output",
			"csv",
		),
	)
	add := func(into map[string]*big.Rat, key, amount string) {
		v, ok := new(big.Rat).SetString(amount)
		if !ok {
			return
		}
		if into[key] == nil {
			into[key] = new(big.Rat)
		}
		into[key].Add(into[key], v)
	}
	byUnit, byRoute := map[string]*big.Rat{}, map[string]*big.Rat{}
	for _, c := range cells {
		add(byUnit, c["unit"], c["sum_fare"])
		add(byRoute, c["route"], c["sum_fare"])
		add(byUnit, "", c["sum_fare"])
		add(byRoute, "total", c["sum_fare"])
	}
	if len(rows) != 4 {
		s.t.Fatalf("the cross-tab has %d rows", len(rows))
	}
	for _, row := range rows {
		if row["total"] != byUnit[row["unit"]].FloatString(2) {
			s.t.Errorf("%s adds up to %s, want %s", row["unit"], row["total"], byUnit[row["unit"]].FloatString(2))
		}
	}
	for route, want := range byRoute {
		if rows[3][route] != want.FloatString(2) {
			s.t.Errorf("%s adds up to %s, want %s", route, rows[3][route], want.FloatString(2))
		}
	}
}

// checkLines sets this year so far beside last year and the plan, which goes on into months ahead.
func (s *running) checkLines() {
	s.t.Helper()
	rows := csvRows(s.t, s.must("lines", "--each", "month", "--as-of", "latest", "--output", "csv",
		"--line", "so far: dataset=crossings; over=year to date; figures=sum fare; against=1 year earlier",
		"--line", "last year: dataset=crossings; over=last full year; figures=sum fare",
		"--line", "plan: dataset=plan; over=this year; figures=sum planned_fare; planned"))
	count := map[string]int{}
	for _, row := range rows {
		count[row["line"]]++
		if row["position"] == "10" && row["line"] == "so far" && (row["flags"] != "partial" || row["value_change"] == "") {
			s.t.Errorf("October so far is %v", row)
		}
		if row["position"] == "12" && row["line"] == "plan" && (row["flags"] != "future" || row["value"] == "") {
			s.t.Errorf("December's plan is %v", row)
		}
	}
	if fmt.Sprint(count) != "map[last year:12 plan:12 so far:10]" {
		s.t.Errorf("the lines have %v rows", count)
	}
	s.refused(
		1,
		`two lines have the label "a"`,
		"lines",
		"--line",
		"a: dataset=plan; over=2026; figures=count",
		"--line",
		"a: dataset=plan; over=2025; figures=count",
	)
	s.refused(1, "line a: no dataset is named moon", "lines", "--line", "a: dataset=moon; over=2026; figures=count")
}

// checkCell follows one figure down: the running sum of its records, all of them as CSV, its edges,
// and the same by another date.
func (s *running) checkCell(file string) {
	s.t.Helper()
	filter := []string{"--over", "last full month", "--where", "route=Winter Isle", "--as-of", "latest"}
	figure := csvRows(s.t, s.must(append([]string{"total", "crossings", "--sum", "fare", "--output", "csv"}, filter...)...))[0]["sum_fare"]
	list := append([]string{"records", "crossings", "--running", "fare", "--oldest", "--limit", "30", "--output", "csv"}, filter...)
	last, after, pages := "", "", 0
	for ; pages < 10; pages++ {
		args := list
		if after != "" {
			args = append(append([]string{}, list...), "--after", after)
		}
		r := s.run(args...)
		rows := csvRows(s.t, r.out)
		last = rows[len(rows)-1]["fare_running"]
		_, next, more := strings.Cut(r.err, "--after ")
		if !more {
			break
		}
		after = strings.TrimSpace(next)
	}
	if last != figure || pages != 2 {
		s.t.Errorf("the running sum ends in %s on page %d, the figure is %s", last, pages+1, figure)
	}
	sum := new(big.Rat)
	for _, row := range csvRows(s.t, s.must(append([]string{"records", "crossings", "--all"}, filter...)...)) {
		if v, ok := new(big.Rat).SetString(row["fare"]); ok {
			sum.Add(sum, v)
		}
	}
	if sum.FloatString(2) != figure {
		s.t.Errorf("all records as CSV sum to %s, the figure is %s", sum.FloatString(2), figure)
	}
	for _, row := range csvRows(s.t, s.must(append([]string{"records", "crossings", "--boundary", "3", "--output", "csv"}, filter...)...)) {
		if (row["side"] == "in") != strings.HasPrefix(row["sailed_on"], "2026-09") {
			s.t.Errorf("at the edge: %v", row)
		}
	}
	booked := addUp(s.t, file, "fare", func(r map[string]string) bool { return strings.HasPrefix(r["booked_on"], "2026-09") })
	row := csvRows(s.t, s.must("total", "crossings", "--date", "booked_on", "--over", "last full month", "--sum", "fare", "--as-of", "latest", "--output", "csv"))[0]
	if row["sum_fare"] != booked.sum.FloatString(2) {
		s.t.Errorf("by the day of booking %s, by hand %s", row["sum_fare"], booked.sum.FloatString(2))
	}
	s.refused(1, "holds text and no days; the columns of dates are sailed_on, booked_on", "records", "crossings", "--date", "route")
	s.refused(1, "a running sum needs numbers", "records", "crossings", "--running", "route")
}

// Files and questions at the far end of what may come.
func TestTheFarEnd(t *testing.T) {
	t.Parallel()
	s := start(t)
	var wide, row strings.Builder
	wide.WriteString("day")
	row.WriteString("2026-09-01")
	for i := range 499 {
		fmt.Fprintf(&wide, ",c%d", i)
		fmt.Fprintf(&row, ",%d.5", i)
	}
	r := s.runWith(strings.NewReader(wide.String()+"\n"+row.String()+"\n"), "load", "wide", "-")
	if r.code != 0 {
		t.Fatalf("500 columns: %+v", r)
	}
	if rows := csvRows(t, s.must("total", "wide", "--over", "2026-09", "--sum", "c498", "--sum", "c0", "--output", "csv")); rows[0]["sum_c498"] != "498.5" ||
		rows[0]["sum_c0"] != "0.5" {
		t.Errorf("of 500 columns: %v", rows[0])
	}

	var many strings.Builder
	many.WriteString("day,customer,amount\n")
	for i := range 150_000 {
		fmt.Fprintf(&many, "2026-09-%02d,customer %06d,%d.25\n", 1+i%30, i, i%100)
	}
	many.WriteString("2026-09-30,customer 000007,12345678901234567890123456789012345678.00\n2026-09-30,customer 000008,-3\n")
	if r := s.runWith(strings.NewReader(many.String()), "load", "many", "-", "--date", "day", "--amount", "amount", "--category", "customer"); r.code != 0 {
		t.Fatalf("a category of many values: %+v", r)
	}
	s.refused(1, "keep the top ones, or filter", "total", "many", "--over", "2026-09", "--sum", "amount", "--by", "customer")
	top := []string{
		"--over",
		"2026-09",
		"--sum",
		"amount",
		"--count",
		"--by",
		"customer",
		"--top",
		"2",
		"--as-of",
		"2026-10-01",
		"--output",
		"csv",
	}
	stored := s.must(append([]string{"total", "many"}, top...)...)
	rows := csvRows(t, stored)
	if len(rows) != 3 || rows[2]["customer"] != "(the other 149998)" || rows[1]["customer"] != "customer 000099" ||
		rows[2]["count"] != "149999" {
		t.Errorf("the top ones are %v", rows)
	}
	path := s.write(many.String())
	if onTheSpot := s.must(append([]string{"total", path, "--date", "day"}, top...)...); onTheSpot != stored {
		t.Errorf("on the spot\n%s, stored\n%s", onTheSpot, stored)
	}

	s.refused(1, "the file is empty", "total", s.write(""), "--over", "2026", "--count")
	if rows := csvRows(t, s.must("total", s.write("day,amount\n"), "--date", "day", "--over", "2026", "--count", "--sum", "amount", "--output", "csv")); rows[0]["count"] != "0" ||
		rows[0]["sum_amount"] != "" {
		t.Errorf("of a header alone: %v", rows[0])
	}
	s.refused(1, "NaN", "total", s.write("day,amount\n2026-01-01,1\n2026-01-02,NaN\n"), "--over", "2026", "--sum", "amount")
	var over []string
	for i := range 3000 {
		over = append(over, "--over", fmt.Sprintf("trailing %d days", 1+i))
	}
	if rows := csvRows(t, s.must(append([]string{"total", "many", "--count", "--as-of", "2026-10-01", "--output", "csv"}, over...)...)); len(
		rows,
	) != 3000 ||
		rows[29]["count"] != "145002" {
		t.Errorf("of 3000 spans %d come back; the thirtieth is %v", len(rows), rows[29])
	}
}
