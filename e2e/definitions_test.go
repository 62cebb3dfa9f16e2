package e2e

import (
	"bytes"
	"context"
	"encoding/csv"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
)

const vectors = "../core/book/testdata/"

// Every row of the conformance vectors comes out of the client's bulk resolution as it stands.
func TestBatchGivesTheVectors(t *testing.T) {
	t.Parallel()
	s := &running{t: t}
	file, err := os.ReadFile(vectors + "spans.csv")
	if err != nil {
		t.Fatal(err)
	}
	want, err := csv.NewReader(bytes.NewReader(file)).ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	var questions bytes.Buffer
	w := csv.NewWriter(&questions)
	for _, row := range want {
		if err := w.Write(row[:4]); err != nil {
			t.Fatal(err)
		}
	}
	w.Flush()
	r := s.runWith(&questions, "resolve", "--batch", "-", "--book", vectors+"calendars.yaml")
	if r.code != 0 {
		t.Fatal(r.err)
	}
	got, err := csv.NewReader(strings.NewReader(r.out)).ReadAll()
	if err != nil || len(got) != len(want) {
		t.Fatalf("%d rows come back of %d, %v", len(got), len(want), err)
	}
	for i := range want[1:] {
		if strings.Join(got[i+1], "|") != strings.Join(want[i+1], "|")+"||" { // no seconds, no error
			t.Errorf("%q comes back as %q", want[i+1], got[i+1])
		}
	}
	r = s.runWith(
		strings.NewReader("expression,as_of\nlast month,2026-10-19\ntoday,someday\ntoday,2026-10-19\n"),
		"resolve",
		"--batch",
		"-",
	)
	if r.code != 1 || !strings.Contains(r.err, "2 of 3 rows refused") {
		t.Errorf("rows that are refused end with %d: %s", r.code, r.err)
	}
	rows := csvRows(t, r.out)
	if len(rows) != 3 || !strings.Contains(rows[0]["error"], "two meanings") || !strings.Contains(rows[1]["error"], "someday") ||
		rows[2]["days"] != "1" {
		t.Errorf("rows that are refused come back as %v", rows)
	}
}

func TestWithoutAService(t *testing.T) {
	t.Parallel()
	s := &running{t: t, address: "http://127.0.0.1:1"}
	if out := s.must("rehearse", "month to date excluding today", "--as-of", "2026-10-19", "--days", "20", "--output", "csv"); !strings.Contains(
		out,
		"2026-11-01,2026-11-01,becomes empty,stays,,0",
	) {
		t.Errorf("the rehearsal is\n%s", out)
	}
	r := s.run("check", "last full month", "trailing 30 days", "--as-of", "2026-10-19")
	if r.code != 1 ||
		!strings.Contains(r.out, "overlap: last full month, trailing 30 days\n  they share 2026-09-20/2026-09-30, 11 days\n  → ") {
		t.Errorf("the check ends with %d and says\n%s", r.code, r.out)
	}
	if out := s.must("check", "last full month", "month to date", "--as-of", "2026-10-19"); !strings.Contains(out, "no problems found") {
		t.Errorf("the check says\n%s", out)
	}
	rows := csvRows(
		t,
		s.must("days", "this week", "--from", "2026-10-18", "--through", "2026-10-19", "--as-of", "2026-10-19", "--output", "csv"),
	)
	if len(rows) != 2 || rows[0]["this week"] != "out" || rows[1]["this week"] != "in" || rows[0]["week"] != "W42 2026" ||
		rows[1]["position"] != "as-of" {
		t.Errorf("the days are %v", rows)
	}
	s.refused(1, "built in, as no service answers at http://127.0.0.1:1", "resolve", "@closed-month", "--output", "csv")
	s.refused(1, "in a circle", "resolve", "@a", "--book", s.write("book: 1\nspans:\n  - {name: a, is: '@a'}\n"))
	s.refused(2, "--through", "days", "--from", "2026-10-18")
}

// write leaves a text in a file of the test's own and gives its path.
func (s *running) write(text string) string {
	s.t.Helper()
	path := filepath.Join(s.t.TempDir(), "file")
	if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
		s.t.Fatal(err)
	}
	return path
}

func TestDefinitions(t *testing.T) {
	t.Parallel()
	s := startWhole(t)
	folder := s.demoFiles()
	demoBook := filepath.Join(folder, "book.yaml")
	if out := s.must("book", "load", demoBook, "--preview"); !strings.Contains(out, "28 to add or change, 0 the same") ||
		strings.Count(out, "the built-in civil calendar") != 1 ||
		strings.Contains(s.must("span", "list"), "closed-month") {
		t.Errorf("the preview says\n%s", out)
	}
	s.must("book", "load", demoBook, "--note", "the first")
	if out := s.must("book", "load", demoBook, "--preview"); !strings.Contains(out, "0 to add or change, 28 the same") ||
		strings.Contains(out, "built-in") {
		t.Errorf("loading it again would change\n%s", out)
	}
	saved := filepath.Join(s.t.TempDir(), "saved.yaml")
	s.must("book", "save", saved)
	for _, source := range [][]string{{"--book", saved}, nil} {
		args := append(
			[]string{"resolve", "@closed-month-last-year", "@trade-period", "--as-of", "2026-10-19", "--output", "csv"},
			source...)
		rows := csvRows(t, s.must(args...))
		if rows[0]["intervals"] != "2025-09-01/2025-09-30" || rows[1]["intervals"] != "2026-09-27/2026-10-19" {
			t.Errorf("%v gives %v", source, rows)
		}
	}
	// All or none: the second definition is refused, so the first is not kept.
	s.refused(1, "two meanings", "book", "load", s.write("book: 1\nspans:\n  - {name: fine, is: today}\n  - {name: bad, is: last month}\n"))
	s.refused(1, "no span is named fine", "span", "show", "fine")

	s.must("span", "change", "closed-month", "last full month, only business days", "--note", "no weekends")
	if out := s.must("span", "versions", "closed-month", "--output", "csv"); !strings.Contains(out, "no weekends") ||
		!strings.Contains(out, "the first") {
		t.Errorf("the versions are\n%s", out)
	}
	s.must("span", "restore", "closed-month", "1")
	s.refused(1, "is the current version", "span", "restore", "closed-month", "3")
	s.refused(1, "no version of span @closed-month is named 9", "span", "restore", "closed-month", "9")
	s.must("span", "remove", "weekends-this-month")
	s.must("span", "restore", "weekends-this-month", "1")

	s.refused(1, "still in use by civil, fiscal-april, trade-445", "holidays", "remove", "harbour-days")
	s.refused(1, "still in use by trade-period", "calendar", "remove", "trade-445")
	ics := "BEGIN:VCALENDAR\nBEGIN:VEVENT\nSUMMARY:Regatta\nDTSTART;VALUE=DATE:20201019\nRRULE:FREQ=YEARLY\nEND:VEVENT\nEND:VCALENDAR\n"
	s.must("holidays", "import", "harbour-days", s.write(ics), "--years", "2024/2028")
	if rows := csvRows(t, s.must("resolve", "this business day", "--offline", "--as-of", "2026-10-19", "--output", "csv")); rows[0]["days"] != "1" {
		t.Errorf("the built-in calendar has no holidays: %v", rows)
	}
	if out := s.must("resolve", "today"); !strings.Contains(out, "with a civil calendar of its own") {
		t.Errorf("whose civil calendar it is, is not said:\n%s", out)
	}
	if rows := csvRows(t, s.must("resolve", "this business day", "@closed-month", "--as-of", "2026-10-19", "--output", "csv")); rows[0]["days"] != "0" {
		t.Errorf("the service's civil calendar has the regatta: %v", rows)
	}
	if out := s.must("calendar", "show", "trade-445", "--year", "2028", "--as-of", "2026-10-19"); !strings.Contains(
		out,
		"371 days, 53 weeks",
	) {
		t.Errorf("the 53-week year is\n%s", out)
	}
	s.checkDayTables()
	if out := s.must("days", "publish", "--from", "1901-01-01", "--through", "1901-12-31"); !strings.Contains(out, "hold 1901-01-01 through ") {
		t.Errorf("days asked for: %s", out)
	}
	if out := s.must("days", "publish"); !strings.Contains(out, "Asked for: 1901-01-01 through 1901-12-31.") {
		t.Errorf("days published: %s", out)
	}
	s.refused(1, "at most 400 years", "days", "publish", "--from", "0901-01-01", "--through", "1901-12-31")
	s.refused(2, "through", "days", "publish", "--from", "1901-01-01")
	s.checkBadRequests()
}

// checkDayTables waits for the service's day tables and joins one, as another tool would.
func (s *running) checkDayTables() {
	s.t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), 3*time.Minute)
	defer cancel()
	password, err := os.ReadFile(filepath.Join(s.folder, "serve", "password"))
	if err != nil {
		s.t.Fatal(err)
	}
	pid, err := os.ReadFile(filepath.Join(s.folder, "serve", "data", "postmaster.pid"))
	if err != nil {
		s.t.Fatal(err)
	}
	conn, err := pgx.Connect(
		ctx,
		fmt.Sprintf(
			"postgres://vastspan:%s@127.0.0.1:%s/postgres",
			strings.TrimSpace(string(password)),
			strings.Split(string(pid), "\n")[3],
		),
	)
	if err != nil {
		s.t.Fatal(err)
	}
	defer conn.Close(ctx)
	for {
		var calendars, days int
		err := conn.QueryRow(ctx, `SELECT count(DISTINCT c.calendar), count(DISTINCT s.day) FROM days.calendar_days c
			LEFT JOIN days.span_days s ON s.day = c.day AND s.span = 'trailing-ninety'`).Scan(&calendars, &days)
		if err != nil {
			s.t.Fatal(err)
		}
		if calendars == 3 && days == 90 {
			break
		}
		select {
		case <-ctx.Done():
			s.t.Fatalf("the day tables have %d calendars and %d days of the span", calendars, days)
		case <-time.After(300 * time.Millisecond):
		}
	}
	var position, today string
	if err := conn.QueryRow(ctx, "SELECT c.position, m.as_of::text FROM days.calendar_days c JOIN days.made m ON m.as_of = c.day WHERE c.calendar = 'civil'").Scan(&position, &today); err != nil ||
		position != "as-of" {
		s.t.Errorf("the as-of day's row says %s of %s, %v", position, today, err)
	}
}

func (s *running) checkBadRequests() {
	s.t.Helper()
	for _, c := range []struct {
		method, path, body string
		status             int
		says               string
	}{
		{"POST", "/resolve", `{"expressions": ["` + strings.Repeat("today or ", 120_000) + `today"]}`, 422, "/expressions/0"},
		{"POST", "/resolve", `{"expressions": []}`, 422, "at least 1 has to be given"},
		{"POST", "/resolve", `{"expressions": ["today"], "as_of": "latest"}`, 422, "needs a dataset"},
		{"POST", "/resolve", `{"expressions": ["today"], "calendar": "moon"}`, 422, "no calendar is named moon"},
		{"POST", "/resolve", `{"expression": "today"}`, 422, "unsupported"},
		{"POST", "/resolve", `{`, 400, "unexpected EOF"},
		{"POST", "/rehearse", `{"expression": "last month"}`, 422, "two meanings"},
		{"POST", "/rehearse", `{"expression": "today", "days": 9999}`, 422, "at most 4000"},
		{"POST", "/resolve/timeline", `{"expressions": ["today"], "from": "2026-10-19", "through": "2026-10-18"}`, 422, "expected 1 to 800 days"},
		{"POST", "/days", `{"from": "2026-10-19", "through": "2026-13-18"}`, 422, "through"},
		{"YAML", "/book", "book: 1\nspans:\n  - {name: a, is: today, x: 1}\n", 422, "line 3: unknown field"},
		{"POST", "/holidays", `{"name": "h", "days": []}`, 422, "has no days"},
		{"GET", "/calendars/moon/years/2026", "", 404, "no calendar is named moon"},
		{"GET", "/spans/nobody/versions", "", 404, "no span is named nobody"},
		{"DELETE", "/holidays/harbour-days", "", 409, "still in use"},
		{"GET", "/nowhere", "", 404, "There is no GET"},
	} {
		method, kind := c.method, "application/json"
		if method == "YAML" {
			method, kind = "POST", "application/yaml"
		}
		request, err := http.NewRequest(method, s.address+"/api/v1"+c.path, strings.NewReader(c.body))
		if err != nil {
			s.t.Fatal(err)
		}
		if c.body != "" {
			request.Header.Set("Content-Type", kind)
		}
		if method == "DELETE" {
			request.Header.Set("If-Match", "*")
		}
		response, err := http.DefaultClient.Do(request)
		if err != nil {
			s.t.Fatal(err)
		}
		body, err := io.ReadAll(response.Body)
		response.Body.Close()
		if err != nil || response.StatusCode != c.status || !strings.Contains(string(body), c.says) {
			s.t.Errorf(
				"%s %s %.60s is answered %d %.300s, %v; want %d and %q",
				c.method,
				c.path,
				c.body,
				response.StatusCode,
				body,
				err,
				c.status,
				c.says,
			)
		}
		if kind := response.Header.Get("Content-Type"); response.StatusCode >= 400 && kind != "application/problem+json" {
			s.t.Errorf("%s %s is refused as %s", c.method, c.path, kind)
		}
	}
	days := make([]string, 100_000)
	for d := range days {
		days[d] = time.Date(1900, 1, 1+d, 0, 0, 0, 0, time.UTC).Format(time.DateOnly)
	}
	huge := "book: 1\nholidays:\n  - name: every-day\n    days: [" + strings.Join(days, ", ") + "]\n"
	if out := s.must("book", "load", s.write(huge), "--preview"); !strings.Contains(out, "1 to add or change") {
		s.t.Errorf("a holiday list of 100,000 days: %.200s", out)
	}
}

// Batches of moments and of pairs of days come back with what the vectors say, as columns of the same names.
func TestBatchesOfMomentsAndPairs(t *testing.T) {
	t.Parallel()
	s := &running{t: t}
	for _, c := range []struct {
		file  string
		given int
		args  []string
	}{
		{"../core/span/testdata/moments.csv", 4, []string{"resolve", "--batch", "-", "--offline"}},
		{"../core/book/testdata/elapsed.csv", 2, []string{"elapsed", "--batch", "-", "--book", "../core/book/testdata/calendars.yaml"}},
	} {
		text, err := os.ReadFile(c.file)
		if err != nil {
			t.Fatal(err)
		}
		all, err := csv.NewReader(bytes.NewReader(text)).ReadAll()
		if err != nil {
			t.Fatal(err)
		}
		var questions bytes.Buffer
		w := csv.NewWriter(&questions)
		for _, row := range all {
			if err := w.Write(row[:c.given]); err != nil {
				t.Fatal(err)
			}
		}
		w.Flush()
		got := csvRows(t, s.runWith(&questions, c.args...).out)
		if want := csvRows(t, string(text)); len(got) != len(want) || len(want) < 100 {
			t.Fatalf("%s: %d rows come back of %d", c.file, len(got), len(want))
		}
		for i, want := range csvRows(t, string(text)) {
			for name, cell := range want {
				if got[i][name] != cell {
					t.Errorf("%s, row %d: %s is %q, want %q", c.file, i+1, name, got[i][name], cell)
				}
			}
		}
	}
}
