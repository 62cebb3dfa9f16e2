package web

import (
	"net/http"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/getkin/kin-openapi/openapi3"

	"vastspan/api"
)

// Heavy questions wait in their turn, and are refused with 429 and after how long to ask again where that would take too long.
func TestTooMuchAtATime(t *testing.T) {
	svc := openService(t, database, nil)
	usual, err := newValidator()
	if err != nil {
		t.Fatal(err)
	}
	s := serve(t, svc, usual)
	s.talk([]exchange{{"POST", "/api/v1/datasets/crowd/loads?file=a.csv&date=day", sales, 201, ""}})
	const question = `{"dataset":"crowd","over":["last full month"],"figures":["sum amount"]}`
	requests, err := newValidator()
	if err != nil {
		t.Fatal(err)
	}
	requests.questions = newGate(1, 1, 1, 50*time.Millisecond)
	leave, err := requests.questions.enter(t.Context(), "127.0.0.1")
	if err != nil {
		t.Fatal(err)
	}
	busy := serve(t, svc, requests)
	status, _, text := busy.ask("POST", "/api/v1/total", question)
	if status != http.StatusTooManyRequests || !strings.Contains(text, `"busy"`) {
		t.Errorf("%d: %s", status, text)
	}
	if status, _, text := busy.ask("POST", "/api/v1/resolve", `{"expressions":["today"]}`); status != http.StatusOK {
		t.Errorf("what is not heavy waits, too: %d %s", status, text)
	}
	leave()
	var all sync.WaitGroup
	for range 20 {
		all.Go(func() {
			if status, _, text := s.ask("POST", "/api/v1/total", question); status != http.StatusOK {
				t.Errorf("%d: %s", status, text)
			}
		})
	}
	all.Wait()
}

// Files of one caller that are sent slowly take the places of that caller: a caller who waits too long gets a Retry-After, and
// the places of others stay free.
func TestUploadsAreShared(t *testing.T) {
	svc := openService(t, database, nil)
	requests, err := newValidator()
	if err != nil {
		t.Fatal(err)
	}
	requests.uploads = newGate(3, 2, 1, 50*time.Millisecond)
	s := serve(t, svc, requests)
	for i := range 2 {
		s.connect("POST /api/v1/datasets/slow-" + string(rune('a'+i)) + "/loads?date=day" + host + "Content-Type: text/csv\nContent-Length: 1000\n\nday,v\n")
	}
	for until := time.Now().Add(time.Minute); ; time.Sleep(5 * time.Millisecond) {
		if inside, _ := requests.uploads.state(); inside == 2 {
			break
		}
		if time.Now().After(until) {
			t.Fatal("the files are not read")
		}
	}
	for _, path := range []string{"loads", "preview"} {
		status, header, text := s.take("POST", "/datasets/slow-c/"+path+"?date=day", sales, "")
		if status != http.StatusTooManyRequests || header.Get("Retry-After") == "" || !strings.Contains(text, `"busy"`) {
			t.Errorf("%d: %s", status, text)
		}
	}
	leave, err := requests.uploads.enter(t.Context(), "another")
	if err != nil {
		t.Fatalf("another caller finds no place: %v", err)
	}
	leave()
	if uploadSlots >= 12 || uploadsEach >= uploadSlots {
		t.Error("files of records may take every connection that there is for them")
	}
}

// What takes long by its nature is declared as heavy.
func TestHeavyOperations(t *testing.T) {
	doc, err := openapi3.NewLoader().LoadFromData(api.Document)
	if err != nil {
		t.Fatal(err)
	}
	for path, item := range doc.Paths.Map() {
		for method, o := range item.Operations() {
			l, err := limitsOf(o)
			if err != nil {
				t.Fatal(err)
			}
			// Loads go one after the other anyway, and so does what removes a dataset.
			loads := strings.Contains(path, "loads") || strings.Contains(path, "preview") || strings.Contains(path, "attach")
			if l.time > 100*time.Second && !l.heavy && !loads && method != http.MethodDelete {
				t.Errorf("%s %s may take %s and is not heavy", method, path, l.time)
			}
		}
	}
	for _, b := range Bounds() {
		if b.What == "" || b.Bound == "" {
			t.Errorf("%+v", b)
		}
	}
}
