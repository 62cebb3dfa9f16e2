package service

import (
	"context"
	"encoding/json"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"vastspan/core/book"
	"vastspan/core/civil"
	"vastspan/internal/deliver"
	"vastspan/internal/store"
)

// states writes down how far the deliveries are, the oldest first.
func (d *desk) states() string {
	d.t.Helper()
	page, err := d.Deliveries.List(context.Background(), Paging{Limit: 100})
	if err != nil {
		d.t.Fatal(err)
	}
	var list []string
	for i := range page.Items {
		one := &page.Items[len(page.Items)-1-i]
		list = append(list, strings.Fields(one.Target)[0]+" "+string(one.State))
	}
	return strings.Join(list, ", ")
}

func TestSchedulesDeliver(t *testing.T) {
	d := openAlone(t)
	ctx := context.Background()
	d.load("fares", "day,region,amount\n2026-09-01,North,10\n2026-09-30,South,4\n")
	brief := book.Brief{Name: "monday", Title: "Monday", Items: []book.Item{{Kind: book.FigureItem, Title: "one", Query: sumOf("fares", "last full month")}}}
	if _, err := d.Briefs.Put(ctx, brief, 0, "test", ""); err != nil {
		t.Fatal(err)
	}
	var mu sync.Mutex
	var came []map[string]any
	var keys []string
	failures := 2
	hook := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		mu.Lock()
		defer mu.Unlock()
		keys = append(keys, r.Header.Get("Idempotency-Key"))
		if failures--; failures >= 0 {
			http.Error(w, "the quay is closed", http.StatusServiceUnavailable)
			return
		}
		var message map[string]any
		if err := json.Unmarshal(body, &message); err != nil {
			t.Error(err)
		}
		came = append(came, message)
	}))
	defer hook.Close()
	folder, _ := deliver.ParseTarget("folder openings csv,markdown")
	webhook := deliver.Target{To: deliver.Webhook, Address: hook.URL}
	since := civil.Of(2026, 10, 17)
	sc := Schedule{Name: "daily", Brief: "monday", Days: "today", Author: "test", Deliver: []deliver.Target{folder, webhook}}
	if _, err := d.Schedules.Add(ctx, sc, &since); err == nil || !strings.Contains(err.Error(), "--deliver-into") {
		t.Errorf("without means: %v", err)
	}
	d.Deliveries.Means = deliver.Means{Into: t.TempDir(), Secret: []byte("a secret of the harbour"), Hosts: []string{"127.0.0.1"}}
	d.Deliveries.waits = []time.Duration{0, 0, time.Hour}
	made, err := d.Schedules.Add(ctx, sc, &since)
	if err != nil || len(made.Deliver) != 2 {
		t.Fatalf("the schedule is %+v, %v", made, err)
	}
	if n, err := d.Schedules.Run(ctx); err != nil || n != 3 {
		t.Fatalf("%d receipts were created, %v", n, err)
	}
	if got := d.states(); got != strings.TrimSuffix(strings.Repeat("folder waiting, webhook waiting, ", 3), ", ") {
		t.Errorf("the deliveries are %s", got)
	}
	// Two services deliver at once: nothing goes out twice.
	other := &Deliveries{store: d.st, Means: d.Deliveries.Means, waits: d.Deliveries.waits, due: make(chan struct{}, 1)}
	var both sync.WaitGroup
	for _, s := range []*Deliveries{d.Deliveries, other} {
		both.Go(func() {
			if _, err := s.Run(ctx); err != nil {
				t.Error(err)
			}
		})
	}
	both.Wait()
	if got := d.states(); strings.Contains(got, "waiting") || strings.Count(got, "delivered") != 6 {
		t.Errorf("the deliveries are %s", got)
	}
	if len(came) != 3 || len(keys) != 5 {
		t.Errorf("%d messages came in %d tries", len(came), len(keys))
	}
	figures := came[0]["figures"].([]any)
	if first := figures[0].(map[string]any); first["value"] != "14" || first["item"] != "one" || came[0]["schedule"] != "daily" {
		t.Errorf("the message is %v", came[0])
	}
	files, err := os.ReadDir(filepath.Join(d.Deliveries.Means.Into, "openings"))
	if err != nil || len(files) != 6 {
		t.Fatalf("there are %v, %v", files, err)
	}
	text, err := os.ReadFile(filepath.Join(d.Deliveries.Means.Into, "openings", "monday-2026-10-19-receipt-3.md"))
	if err != nil || !strings.Contains(string(text), "14.00") && !strings.Contains(string(text), "| 14 |") || !strings.Contains(string(text), "- receipt: 3") {
		t.Errorf("the page is %s, %v", text, err)
	}
	// Running again brings nothing again.
	if _, err := d.Schedules.Run(ctx); err != nil {
		t.Fatal(err)
	}
	if n, err := d.Deliveries.Run(ctx); err != nil || n != 0 || len(keys) != 5 {
		t.Errorf("%d arrived again, %d tries, %v", n, len(keys), err)
	}
}

// What fails is tried again, later and later, and then no more; what was being sent when the service ended is not sent again.
func TestDeliveriesThatFail(t *testing.T) {
	d := openAlone(t)
	ctx := context.Background()
	d.load("fares", "day,region,amount\n2026-09-01,North,10\n")
	brief := book.Brief{Name: "monday", Title: "Monday", Items: []book.Item{{Kind: book.FigureItem, Title: "one", Query: sumOf("fares", "2026-09")}}}
	if _, err := d.Briefs.Put(ctx, brief, 0, "test", ""); err != nil {
		t.Fatal(err)
	}
	d.Deliveries.Means.Secret, d.Deliveries.Means.Hosts = []byte("a secret of the harbour"), []string{"127.0.0.1"}
	d.Deliveries.waits = []time.Duration{0, 0}
	tries := 0
	hook := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		tries++
		http.Error(w, "no", http.StatusBadGateway)
	}))
	defer hook.Close()
	today := d.Today()
	if _, err := d.Schedules.Add(ctx, Schedule{Name: "daily", Brief: "monday", Days: "today",
		Deliver: []deliver.Target{{To: deliver.Webhook, Address: hook.URL}}}, &today); err != nil {
		t.Fatal(err)
	}
	if _, err := d.Schedules.Run(ctx); err != nil {
		t.Fatal(err)
	}
	if n, err := d.Deliveries.Run(ctx); err != nil || n != 0 || tries != 3 || d.states() != "webhook failed" {
		t.Errorf("%d arrived in %d tries, %v: %s", n, tries, err, d.states())
	}
	if _, err := d.Deliveries.Retry(ctx, 1); err != nil || d.states() != "webhook waiting" {
		t.Errorf("tried again: %v, %s", err, d.states())
	}
	taken, err := d.st.TakeDelivery(ctx)
	if err != nil || taken == nil || taken.State != store.Sending {
		t.Fatalf("taken is %+v, %v", taken, err)
	}
	if err := d.st.AbandonDeliveries(ctx); err != nil {
		t.Fatal(err)
	}
	if n, err := d.Deliveries.Run(ctx); err != nil || n != 0 || tries != 3 || d.states() != "webhook uncertain" {
		t.Errorf("%d arrived in %d tries, %v: %s", n, tries, err, d.states())
	}
	// Files that were being written are written again: that does no harm.
	d.Deliveries.Means.Into = t.TempDir()
	if _, err := d.Schedules.Add(ctx, Schedule{Name: "files", Brief: "monday", Days: "today",
		Deliver: []deliver.Target{{To: deliver.Folder, Address: "reports", Formats: []string{"csv"}}}}, &today); err != nil {
		t.Fatal(err)
	}
	if _, err := d.Schedules.Run(ctx); err != nil {
		t.Fatal(err)
	}
	if taken, err := d.st.TakeDelivery(ctx); err != nil || taken == nil || taken.Target != "folder reports csv" {
		t.Fatalf("taken is %+v, %v", taken, err)
	}
	if err := d.st.AbandonDeliveries(ctx); err != nil {
		t.Fatal(err)
	}
	if n, err := d.Deliveries.Run(ctx); err != nil || n != 1 {
		t.Errorf("%d arrived, %v: %s", n, err, d.states())
	}
}
