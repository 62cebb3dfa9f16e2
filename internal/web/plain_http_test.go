package web

import (
	"compress/gzip"
	"io"
	"net/http"
	"strings"
	"testing"

	"vastspan/internal/postgres/pgtest"
)

// send sends a request with some headers, given in pairs, and reads the answer.
func (s *site) send(method, path, body string, headers ...string) (*http.Response, string) {
	s.t.Helper()
	q, err := http.NewRequest(method, s.url+path, strings.NewReader(body))
	if err != nil {
		s.t.Fatal(err)
	}
	q.Header.Set("Accept-Encoding", "identity")
	for i := 0; i < len(headers); i += 2 {
		q.Header.Set(headers[i], headers[i+1])
	}
	r, err := http.DefaultTransport.RoundTrip(q)
	if err != nil {
		s.t.Fatal(err)
	}
	defer r.Body.Close()
	text, err := io.ReadAll(r.Body)
	if err != nil {
		s.t.Fatal(err)
	}
	return r, string(text)
}

// What HTTP asks of every server: HEAD, methods that are not allowed, types that are not offered, conditional requests, compression,
// and a page about the interface.
func TestPlainHTTP(t *testing.T) {
	s := openOn(t, pgtest.Database(t, database))
	s.talk([]exchange{{"POST", "/api/v1/datasets/plain/loads?date=day&amount=amount", sales, 201, ""}})
	get, text := s.send("GET", prefix+"/datasets/plain", "")
	head, nothing := s.send("HEAD", prefix+"/datasets/plain", "")
	if get.StatusCode != 200 || head.StatusCode != 200 || nothing != "" || text == "" || head.Header.Get("ETag") != get.Header.Get("ETag") ||
		head.Header.Get("ETag") == "" {
		t.Errorf("HEAD: %d %q %v", head.StatusCode, nothing, head.Header)
	}
	tag := get.Header.Get("ETag")
	for _, c := range []struct {
		tag  string
		want int
	}{{tag, 304}, {`"none", W/` + tag, 304}, {"*", 304}, {`"none"`, 200}} {
		r, body := s.send("GET", prefix+"/datasets/plain", "", "If-None-Match", c.tag)
		if r.StatusCode != c.want || (body == "") != (c.want == 304) || r.Header.Get("ETag") != tag {
			t.Errorf("If-None-Match %s: %d %q", c.tag, r.StatusCode, body)
		}
	}
	for _, c := range []struct {
		method, path, accept string
		status               int
		allow                string
	}{
		{"PATCH", "/total", "", 405, "POST"},
		{"POST", "/status", "", 405, "GET"},
		{"GET", "/nowhere", "", 404, ""},
		{"GET", "/spans", "application/pdf", 406, ""},
		{"GET", "/spans", "text/html, */*", 200, ""},
		{"GET", "/spans", "application/*", 200, ""},
		{"GET", "/book", "application/yaml", 200, ""},
		{"GET", "/", "text/html", 200, ""},
		{"GET", "/openapi.json", "", 200, ""},
		{"GET", "/openapi.yaml", "", 200, ""},
	} {
		r, text := s.send(c.method, prefix+c.path, "", "Accept", c.accept)
		if r.StatusCode != c.status || !strings.Contains(r.Header.Get("Allow"), c.allow) {
			t.Errorf("%s %s as %q: %d %s, Allow %q", c.method, c.path, c.accept, r.StatusCode, text, r.Header.Get("Allow"))
		}
	}
	if _, page := s.send("GET", prefix+"/", ""); !strings.Contains(page, "/api/v1/total") || !strings.Contains(page, "Vast Span test") {
		t.Errorf("the page about the interface: %.400s", page)
	}
	if _, doc := s.send("GET", prefix+"/openapi.yaml", ""); !strings.Contains(doc, "\n  version: test\n") {
		t.Errorf("the description has another version: %.200s", doc)
	}
	// What is read can be sent back.
	s.talk([]exchange{{"POST", "/api/v1/spans", `{"name":"closed","is":"last full month"}`, 201, ""}})
	if get, span := s.send("GET", prefix+"/spans/closed", ""); get.StatusCode != 200 {
		t.Errorf("%d %s", get.StatusCode, span)
	} else if put, text := s.send("PUT", prefix+"/spans/closed", strings.Replace(span, "last full month", "last full week", 1),
		"Content-Type", "application/json", "If-Match", get.Header.Get("ETag")); put.StatusCode != 200 || !strings.Contains(text, "last full week") {
		t.Errorf("sent back: %d %s", put.StatusCode, text)
	}
	s.talk([]exchange{{"POST", "/api/v1/spans", `{"definition":{"name":"other","is":"last full month"}}`, 201, "other"},
		{"POST", "/api/v1/spans", `{"definition":"closed"}`, 422, "definition"}})
	// What is wrong is said in words, not in those of a parser.
	for _, c := range []exchange{
		{"GET", "/api/v1/receipts/one", "", 422, `id: \"one\" is not of the type integer`},
		{"GET", "/api/v1/spans?limit=x", "", 422, `limit: \"x\" is not of the type integer`},
		{"POST", "/api/v1/total", `{"dataset": }`, 400, "the body is not JSON: invalid character '}'"},
		{"POST", "/api/v1/total", `{"dataset":"plain","over":["today"],"by":["a","b","c"]}`, 422, "by: at most 2 may be given"},
	} {
		s.talk([]exchange{c})
	}
	r, packed := s.send("GET", prefix+"/openapi.json", "", "Accept-Encoding", "gzip")
	if r.Header.Get("Content-Encoding") != "gzip" || !strings.Contains(r.Header.Get("Vary"), "Accept-Encoding") {
		t.Fatalf("it is not compressed: %v", r.Header)
	}
	z, err := gzip.NewReader(strings.NewReader(packed))
	if err != nil {
		t.Fatal(err)
	}
	if plain, err := io.ReadAll(z); err != nil || len(plain) < 3*len(packed) {
		t.Errorf("%d bytes are sent for %d: %v", len(packed), len(plain), err)
	}
}
