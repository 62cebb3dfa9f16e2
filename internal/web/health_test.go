package web

import (
	"bytes"
	"context"
	"encoding/json"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"vastspan/core/civil"
	"vastspan/internal/postgres/pgtest"
	"vastspan/internal/service"
	"vastspan/internal/store"
)

// Whether the service is alive, whether it can serve, and what it measures of itself; every request has a name, which the log and
// a problem know.
func TestHealthAndLog(t *testing.T) {
	var log bytes.Buffer
	before := slog.Default()
	slog.SetDefault(slog.New(slog.NewJSONHandler(&log, nil)))
	defer slog.SetDefault(before)
	st, err := store.Open(context.Background(), pgtest.Database(t, database), store.Options{Columns: t.TempDir()})
	if err != nil {
		t.Fatal(err)
	}
	svc := service.New(st, service.NewClock(civil.Clock{}, func() time.Time { return time.Date(2026, 10, 19, 12, 0, 0, 0, time.UTC) }))
	handler, err := Handler(svc, Settings{Version: "test", LogRequests: true})
	if err != nil {
		t.Fatal(err)
	}
	server := httptest.NewServer(handler)
	defer server.Close()
	s := &site{t: t, url: server.URL}
	s.talk([]exchange{
		{"GET", "/livez", "", 200, `"alive"`}, {"GET", "/readyz", "", 200, `"ready"`},
		{"POST", "/api/v1/datasets/desk/loads?file=a.csv&date=day", sales, 201, ""},
		{"POST", "/api/v1/total", `{"dataset":"desk","over":["last full month"],"figures":["sum amount"]}`, 200, ""},
		{"POST", "/api/v1/total", `{"dataset":"desk","over":["last full month"],"figures":["median amount"]}`, 200, ""},
		{"GET", "/api/v1/spans/nobody", "", 404, `"request":"asked"`},
	})
	_, _, metrics := s.ask("GET", "/metrics", "")
	for _, want := range []string{
		"vastspan_loads_total 1", "vastspan_loaded_records_total 4", `vastspan_totals_total{source="stored"} 3`, `vastspan_columns_bytes{kind="rows"} `,
		`vastspan_database_connections{pool="asking",state="idle"}`, `vastspan_columns_bytes{kind="sums"} `,
	} {
		if !strings.Contains(metrics, want) {
			t.Errorf("the metrics do not say %s", want)
		}
	}
	r, err := http.Get(s.url + "/api/v1/spans/nobody")
	if err != nil {
		t.Fatal(err)
	}
	r.Body.Close()
	name := r.Header.Get(requestHeader)
	if len(name) != nameLength {
		t.Errorf("the request is named %q", name)
	}
	for header, want := range map[string]string{
		"Content-Security-Policy": "frame-ancestors 'none'", "Referrer-Policy": "same-origin", "X-Content-Type-Options": "nosniff",
	} {
		if got := r.Header.Get(header); !strings.Contains(got, want) || strings.Contains(got, "unsafe") {
			t.Errorf("%s is %q", header, got)
		}
	}
	lines := 0
	for line := range strings.Lines(log.String()) {
		var entry map[string]any
		if err := json.Unmarshal([]byte(line), &entry); err != nil {
			t.Fatalf("%s: %v", line, err)
		}
		if entry["request"] == name && (entry["status"] != 404.0 || entry["path"] != "/api/v1/spans/nobody" || entry["from"] != "127.0.0.1") {
			t.Errorf("%v", entry)
		}
		if entry["request"] == name {
			lines++
		}
		if entry["path"] == "/readyz" {
			t.Error("asking for readiness is logged")
		}
	}
	if lines != 1 {
		t.Errorf("the request is logged %d times:\n%s", lines, log.String())
	}
	if err := st.Close(); err != nil {
		t.Fatal(err)
	}
	s.talk([]exchange{{"GET", "/livez", "", 200, "alive"}})
	if status, _, text := s.ask("GET", "/readyz", ""); status != http.StatusServiceUnavailable || !strings.Contains(text, "reason") {
		t.Errorf("without a database: %d %s", status, text)
	}
}
