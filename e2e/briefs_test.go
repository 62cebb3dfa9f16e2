package e2e

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math/big"
	"net/http"
	"path/filepath"
	"strings"
	"testing"

	"vastspan/api/types"
	"vastspan/core/book"
	"vastspan/core/measure"
	"vastspan/core/query"
)

// briefs starts a service with the demo's book, crossings and plan; gates and jobs are not there.
func briefs(t *testing.T) (s *running, file string) {
	t.Helper()
	s = start(t)
	folder := s.demoFiles()
	file = filepath.Join(folder, "crossings.csv")
	s.must("book", "load", filepath.Join(folder, "book.yaml"))
	s.loadCrossings(file)
	s.must("load", "plan", filepath.Join(folder, "plan.csv"), "--date", "month", "--amount", "planned_fare", "--category", "route")
	return s, file
}

// valueOf finds one figure of a brief in its CSV.
func valueOf(t *testing.T, rows []map[string]string, item, line, unit, figure string) string {
	t.Helper()
	for _, r := range rows {
		if r["item"] == item && r["line"] == line && r["unit"] == unit && r["figure"] == figure && r["row"] != "subtotal" {
			return r["value"]
		}
	}
	t.Errorf("%s %s %s %s is not on the brief", item, line, unit, figure)
	return ""
}

func TestABriefRollsOver(t *testing.T) {
	t.Parallel()
	s, file := briefs(t)
	show := func(asOf string) []map[string]string {
		return csvRows(t, s.must("brief", "show", "monday-crossings", "--as-of", asOf, "--output", "csv"))
	}
	between := func(first, last string) string {
		return addUp(
			t,
			file,
			"fare",
			func(r map[string]string) bool { return r["sailed_on"] >= first && r["sailed_on"] <= last },
		).sum.FloatString(
			2,
		)
	}
	now := show("latest")
	if got, want := valueOf(t, now, "Fares, month so far", "", "", "sum_fare"), between("2026-10-01", "2026-10-18"); got != want {
		t.Errorf("the month so far is %s, by hand %s", got, want)
	}
	if got, want := valueOf(t, now, "Fares, month so far", "", "", "sum_fare_1_year_earlier"), between("2025-10-01", "2025-10-18"); got != want {
		t.Errorf("a year earlier it is %s, by hand %s", got, want)
	}
	// On an earlier day the page is what it was: nothing of later records, all of the plan.
	then := show("2026-09-15")
	if got, want := valueOf(t, then, "Fares by month", "this year so far", "Sep 2026", "sum_fare"), between("2026-09-01", "2026-09-15"); got != want {
		t.Errorf("September was %s on its 15th, by hand %s", got, want)
	}
	if got := valueOf(t, then, "Fares by month", "plan", "Dec 2026", "sum_planned_fare"); got == "" {
		t.Error("the plan ends with the as-of day")
	}
	for _, r := range then {
		if r["item"] == "Gates this month" && !strings.Contains(r["error"], "no dataset is named gates") {
			t.Errorf("an item without its records says %q", r["error"])
		}
	}
	turns := csvRows(t, s.must("brief", "rehearse", "monday-crossings", "--from", "2026-09-28", "--days", "10", "--output", "csv"))
	if len(turns) != 2 || turns[0]["as_of"] != "2026-10-01" || turns[0]["changes"] != "becomes empty, rolls over" ||
		!strings.Contains(turns[0]["items"], "Passengers, closed month") {
		t.Errorf("the turns are %v", turns)
	}
	if board := s.must("brief", "show", "board-season", "--prompt", "window=2026-01-01/2026-03-31"); !strings.Contains(
		board,
		"window: 2026-01-01/2026-03-31",
	) ||
		!strings.Contains(board, "Feb 2026") {
		t.Errorf("with two dates given:\n%s", board)
	}
	s.refused(1, "has no prompt moon", "brief", "show", "board-season", "--prompt", "moon=2026")
	s.refused(1, "the interval ends before it starts", "brief", "show", "board-season", "--prompt", "window=2026-03-31/2026-01-01")
	s.refused(1, "still in use by brief monday-crossings", "span", "remove", "trailing-ninety")
	// A span that is not there is told where it stands; the rest of the page stands.
	s.must("book", "load", s.write(`book: 1
briefs:
  - name: half-page
    title: Half a page
    items:
      - {kind: figure, title: Gone, dataset: crossings, over: ["@gone"], figures: [count]}
      - {kind: figure, title: Here, dataset: crossings, over: [last full month], figures: [count]}
`))
	text := s.must("brief", "show", "half-page")
	if !strings.Contains(text, "Gone: cannot be shown") || !strings.Contains(text, "Here") {
		t.Errorf("without one of its spans:\n%s", text)
	}
}

func TestReceipts(t *testing.T) {
	t.Parallel()
	s, _ := briefs(t)
	s.must("receipt", "create", "monday-crossings", "--as-of", "latest", "--title", "as reported")
	s.must("total", "crossings", "--over", "@closed-month", "--sum", "fare", "--by", "route", "--as-of", "latest", "--receipt", "September")
	before := s.must("receipt", "show", "2", "--output", "csv")
	if out := s.must("receipt", "compare", "1"); !strings.Contains(out, "0 of ") {
		t.Errorf("at once there is\n%s", out)
	}
	header := "sailed_on,booked_on,route,fare_class,channel,passengers,fare\n"
	if r := s.runWith(strings.NewReader(header+"2026-09-29,2026-09-28,Gull Rock,car,web,2,100.00\n"), "load", "crossings", "-"); r.code != 0 {
		t.Fatal(r.err)
	}
	moved := csvRows(t, s.must("receipt", "compare", "2", "--output", "csv"))
	if len(moved) != 2 || moved[0]["difference"] != "100.00" ||
		!strings.Contains(moved[0]["reasons"], "1 late record of these days in load 3 of crossings") {
		t.Errorf("a late record moved %v", moved)
	}
	if after := s.must("receipt", "show", "2", "--output", "csv"); after != before {
		t.Errorf("the receipt was\n%s, now\n%s", before, after)
	}
	s.must("loads", "undo", "crossings", "3")
	if out := s.must("receipt", "compare", "2"); !strings.Contains(out, "0 of 6 figures changed") {
		t.Errorf("after the load was taken back:\n%s", out)
	}
	s.must("loads", "undo", "crossings", "1")
	if out := s.must("receipt", "compare", "2"); !strings.Contains(out, "load 1 of crossings was undone since") ||
		!strings.Contains(out, "1 of 6 figures changed, 5 gone") {
		t.Errorf("after the first load was taken back:\n%s", out)
	}
	s.must("span", "change", "closed-month", "last 2 full months")
	if out := s.must("receipt", "compare", "2"); !strings.Contains(out, "span closed-month was changed: version 1 then, 2 now") {
		t.Errorf("after a span was changed:\n%s", out)
	}
	s.refused(1, "no receipt is named 99", "receipt", "show", "99")
	s.refused(2, "expected the number of a receipt", "receipt", "show", "one")
	s.refused(1, "no brief is named moon", "receipt", "create", "moon")
}

func TestSchedulesMakeUpWhatTheyMissed(t *testing.T) {
	t.Parallel()
	s, _ := briefs(t)
	s.refused(1, "no brief is named moon", "schedule", "add", "x", "--brief", "moon", "--days", "today")
	s.refused(1, "two meanings", "schedule", "add", "x", "--brief", "monday-crossings", "--days", "last month")
	s.must(
		"schedule",
		"add",
		"openings",
		"--brief",
		"monday-crossings",
		"--days",
		"first business day of this month",
		"--since",
		"2026-08-01",
	)
	s.refused(1, "already exists", "schedule", "add", "openings", "--brief", "monday-crossings", "--days", "today")
	due := []string{"2026-10-01", "2026-09-01", "2026-08-03"} // since then months have gone by on the real clock
	// The service was down: at its start it makes up what it missed, and no more when it starts again.
	for range 2 {
		s.kill()
		s.launch()
		s.must("schedule", "run")
		days := map[string]int{}
		for _, r := range csvRows(t, s.must("receipt", "list", "--output", "csv")) {
			days[r["as_of"]]++
		}
		for _, day := range due {
			if days[day] != 1 {
				t.Errorf("%d receipts were made for %s: %v", days[day], day, days)
			}
		}
	}
	s.must("schedule", "remove", "openings")
	left := s.must("receipt", "list", "--output", "csv")
	for _, day := range due {
		if !strings.Contains(left, day) {
			t.Errorf("the receipt of %s went with its schedule", day)
		}
	}
}

// Two people change one brief: the second is told, and nothing of either is lost.
func TestTwoChangeOneBrief(t *testing.T) {
	t.Parallel()
	s, _ := briefs(t)
	put := func(version int, b book.Brief) (int, string) { return putAt(t, s, b.Name, version, b) }
	item := func(title string) book.Item {
		return figureItem(title, "@closed-month")
	}
	b := book.Brief{Name: "shared", Title: "Shared", Items: []book.Item{item("one")}}
	if code, why := put(0, b); code != http.StatusCreated {
		t.Fatalf("a new brief: %d %s", code, why)
	}
	b.Items = append(b.Items, item("two"))
	if code, why := put(1, b); code != http.StatusOK {
		t.Fatalf("the first change: %d %s", code, why)
	}
	b.Items[1] = item("mine")
	if code, why := put(1, b); code != http.StatusPreconditionFailed || !strings.Contains(why, "has changed") {
		t.Errorf("the second change: %d %s", code, why)
	}
	for want, change := range map[string]func(*book.Brief){
		"a definition is not renamed":                                func(b *book.Brief) { b.Name = "Shared" },
		"at most 400 characters are allowed":                         func(b *book.Brief) { b.Title = strings.Repeat("x", 401) },
		"not one of the allowed values":                              func(b *book.Brief) { b.Items[0].Kind = "pie" },
		"two meanings":                                               func(b *book.Brief) { b.Items[0].Over = []string{"last month"} },
		"takes one span":                                             func(b *book.Brief) { b.Items[0].Over = nil },
		"the brief has no prompt window":                             func(b *book.Brief) { b.Items[0].Over = []string{"?window"} },
		"expected latest, latest of a dataset, today, now or a date": func(b *book.Brief) { b.AsOf = "noon" },
	} {
		bad := book.Brief{Name: "shared", Title: "Shared", Items: []book.Item{item("one")}}
		change(&bad)
		if bad.Name != "shared" {
			bad.Name = "other"
			if code, why := putAt(t, s, "shared", 2, bad); code < 400 || !strings.Contains(why, want) {
				t.Errorf("%d %s, want %s", code, why, want)
			}
			continue
		}
		if code, why := put(2, bad); code < 400 || !strings.Contains(why, want) {
			t.Errorf("%d %s, want %s", code, why, want)
		}
	}
	// A title of 400 characters, and figures of many digits.
	b.Title = strings.Repeat("Long ", 80)
	if code, why := put(2, b); code != http.StatusOK {
		t.Errorf("a title of 400 characters: %d %s", code, why)
	}
	header := "sailed_on,booked_on,route,fare_class,channel,passengers,fare\n"
	if r := s.runWith(strings.NewReader(header+"2026-09-29,2026-09-28,Gull Rock,car,web,2,123456789012345.67\n"), "load", "crossings", "-"); r.code != 0 {
		t.Fatal(r.err)
	}
	rows := csvRows(t, s.must("brief", "show", "shared", "--as-of", "2026-10-19", "--output", "csv"))
	if v, _ := new(big.Rat).SetString(rows[0]["value"]); v == nil || v.FloatString(2) != "123456789043040.69" {
		t.Errorf("a figure of 15 digits is %v", rows[0])
	}
}

func figureItem(title, over string) book.Item {
	return book.Item{
		Kind:  "figure",
		Title: title,
		Query: query.Query{Dataset: "crossings", Over: []string{over}, Figures: []measure.Figure{{Kind: "sum", Column: "fare"}}},
	}
}

// putAt puts a brief in the place of a version, 0 for a new one, and returns the status and what is said
// against it.
func putAt(t *testing.T, s *running, name string, version int, b book.Brief) (int, string) {
	t.Helper()
	body, err := json.Marshal(b)
	if err != nil {
		t.Fatal(err)
	}
	method, path := http.MethodPut, "/api/v1/briefs/"+name
	if version == 0 {
		method, path = http.MethodPost, "/api/v1/briefs"
	}
	q, err := http.NewRequest(method, s.address+path, bytes.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	if version != 0 {
		q.Header.Set("If-Match", fmt.Sprintf("%q", fmt.Sprint(version)))
	}
	q.Header.Set("Content-Type", "application/json")
	r, err := http.DefaultClient.Do(q)
	if err != nil {
		t.Fatal(err)
	}
	defer r.Body.Close()
	var p types.Problem
	_ = json.NewDecoder(r.Body).Decode(&p)
	return r.StatusCode, p.Detail
}

// brief returns a brief as it stands.
func (s *running) brief(name string) book.Brief {
	s.t.Helper()
	r, err := http.Get(s.address + "/api/v1/briefs/" + name)
	if err != nil {
		s.t.Fatal(err)
	}
	defer r.Body.Close()
	var b types.Brief
	if err := json.NewDecoder(r.Body).Decode(&b); err != nil {
		s.t.Fatal(err)
	}
	return b.Definition
}
