package web

import (
	"io"
	"net/http"
	"strings"
	"testing"

	"vastspan/internal/export"
	"vastspan/internal/ingest"
	"vastspan/internal/postgres/pgtest"
)

// take asks for an answer as a file.
func (s *site) take(method, path, body, accept string) (status int, header http.Header, data string) {
	s.t.Helper()
	q, err := http.NewRequest(method, s.url+prefix+path, strings.NewReader(body))
	if err != nil {
		s.t.Fatal(err)
	}
	q.Header.Set("Accept", accept)
	if body != "" {
		q.Header.Set("Content-Type", "application/json")
	}
	r, err := http.DefaultClient.Do(q)
	if err != nil {
		s.t.Fatal(err)
	}
	defer r.Body.Close()
	text, err := io.ReadAll(r.Body)
	if err != nil {
		s.t.Fatal(err)
	}
	return r.StatusCode, r.Header, string(text)
}

// Everything that can be taken away comes in every format, named, and can be read again.
func TestEverythingIsTakenAway(t *testing.T) {
	s := openOn(t, pgtest.Database(t, database))
	s.talk([]exchange{
		{"POST", "/api/v1/datasets/fares/loads?date=day&amount=amount&category=region", sales, 201, `"records":4`},
		{"POST", "/api/v1/briefs", `{"name":"monday","title":"Monday","items":[
			{"kind":"figure","title":"one","dataset":"fares","over":["2026"],"figures":["sum amount"]},
			{"kind":"lines","title":"two","each":"month","lines":[{"label":"l","dataset":"fares","over":["2026"],"figures":["count"]}]},
			{"kind":"table","title":"three","dataset":"moon","over":["today"],"figures":["count"]}]}`, 201, ""},
		{"POST", "/api/v1/receipts", `{"brief":"monday"}`, 201, `"id":1`},
	})
	const over = `"dataset":"fares","over":["2026"],"as_of":"2026-10-19"`
	line := `{"label":"a","dataset":"fares","over":["2026"],"figures":["count"]}`
	for _, c := range []struct{ method, path, body, name, has string }{
		{"POST", "/total", `{` + over + `,"figures":["sum amount"],"by":["region"]}`, "fares-total", "North"},
		{"POST", "/lines", `{"each":"month","as_of":"2026-10-19","lines":[` + line + `]}`, "lines", "Sep"},
		{"POST", "/records", `{"dataset":"fares","over":"2026"}`, "fares-records", "South"},
		{"POST", "/records/boundaries", `{"dataset":"fares","over":"2026"}`, "fares-boundaries", "begins"},
		{"POST", "/ageing", `{"dataset":"fares","from":"booked","to":"day","as_of":"2026-10-19"}`, "fares-ageing", "4"},
		{"POST", "/elapsed", `{"pairs":[{"from":"2024-02-29","to":"2026-10-19"}]}`, "elapsed", "P2Y7M20D"},
		{"POST", "/days", `{"from":"2026-10-01","through":"2026-10-02"}`, "days", "2026-10-02"},
		{"POST", "/briefs/monday/view", `{}`, "monday", "no dataset is named moon"},
		{"GET", "/receipts/1", "", "receipt-1", "two"},
		{"GET", "/receipts/1/comparison", "", "receipt-1-comparison", ""},
	} {
		for _, f := range export.Formats {
			status, header, data := s.take(c.method, c.path, c.body, f.Type)
			want := "attachment; filename=" + c.name + f.Ending()
			if status != 200 || header.Get("Content-Type") != f.Type || header.Get("Content-Disposition") != want {
				t.Errorf("%s as %s: %d, %v\n%s", c.path, f.Name, status, header, data)
				continue
			}
			if f.Name == export.Markdown.Name || c.has == "" {
				if !strings.Contains(data, c.has) {
					t.Errorf("%s as %s has no %s:\n%s", c.path, f.Name, c.has, data)
				}
				continue
			}
			if rows := readAgain(t, f, data); !strings.Contains(rows, c.has) && f.Name != export.XLSX.Name || rows == "" {
				t.Errorf("%s as %s has no %s:\n%s", c.path, f.Name, c.has, rows)
			}
		}
		status, header, data := s.take(c.method, c.path, strings.Replace(c.body, "2026", "the day of never", 1), export.XLSX.Type)
		if c.body != "" && strings.Contains(c.body, "2026") && (status < 400 || header.Get("Content-Disposition") != "" || !strings.Contains(data, `"detail"`)) {
			t.Errorf("%s that is refused: %d, %v\n%s", c.path, status, header, data)
		}
	}
}

// readAgain reads a file as one that is loaded, and returns its first rows.
func readAgain(t *testing.T, f export.Format, data string) string {
	t.Helper()
	r, err := ingest.Open(ingest.Options{}, strings.NewReader(data))
	if err != nil {
		t.Errorf("%s cannot be read again: %v\n%s", f.Name, err, data)
		return ""
	}
	defer r.Close()
	var b strings.Builder
	b.WriteString(strings.Join(r.Header(), ",") + "\n")
	for _, row := range r.Sample() {
		b.WriteString(strings.Join(row.Cells, ",") + "\n")
	}
	return b.String()
}
