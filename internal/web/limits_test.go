package web

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"strings"
	"testing"
	"time"

	"vastspan/internal/postgres/pgtest"
)

// shortStall makes whoever stalls be cut off soon, for one test.
func shortStall(t *testing.T) {
	before := stall
	stall = 300 * time.Millisecond
	t.Cleanup(func() { stall = before })
}

// connect sends the beginning of a request and leaves the rest to the test.
func (s *site) connect(text string) net.Conn {
	s.t.Helper()
	conn, err := net.Dial("tcp", strings.TrimPrefix(s.url, "http://"))
	if err != nil {
		s.t.Fatal(err)
	}
	s.t.Cleanup(func() { conn.Close() })
	if err := conn.SetDeadline(time.Now().Add(time.Minute)); err != nil {
		s.t.Fatal(err)
	}
	head, body, _ := strings.Cut(text, "\n\n")
	if _, err := io.WriteString(conn, strings.ReplaceAll(head, "\n", "\r\n")+"\r\n\r\n"+body); err != nil {
		s.t.Fatal(err)
	}
	return conn
}

const host = " HTTP/1.1\nHost: localhost\n"

// Bodies are bounded by what is asked for, not by what they say they are.
func TestBodiesAreBounded(t *testing.T) {
	s := openOn(t, pgtest.Database(t, database))
	long := strings.Repeat("x", usualBody+1)
	for _, c := range []struct{ path, kind string }{
		{"/resolve", "application/json"}, {"/book", "application/yaml"}, {"/book", "text/csv"}, {"/book?preview=true", "text/csv"},
	} {
		r, err := http.Post(s.url+prefix+c.path, c.kind, strings.NewReader(long))
		if err != nil {
			continue // cut off while it was sent
		}
		text, err := io.ReadAll(r.Body)
		r.Body.Close()
		if err != nil || r.StatusCode != http.StatusRequestEntityTooLarge || !strings.Contains(string(text), "4194304 bytes") {
			t.Errorf("%s as %s: %d %s, %v", c.path, c.kind, r.StatusCode, text, err)
		}
	}
	for _, body := range []string{`{"expressions":["today"]} {}`, `{"expressions":["today"]}x`, "{\"expressions\":[\"today\"]}\x00"} {
		s.talk([]exchange{{"POST", "/api/v1/resolve", body, 400, "unreadable"}})
	}
}

// A body that stops coming is refused, whatever it is: nobody waits for ever.
func TestStalledBodies(t *testing.T) {
	shortStall(t)
	s := openOn(t, pgtest.Database(t, database))
	for _, begun := range []string{
		"POST /api/v1/resolve" + host + "Content-Type: application/json\nContent-Length: 100\n\n{\"expressions\":",
		"POST /api/v1/book" + host + "Content-Type: application/yaml\nContent-Length: 100\n\nbook: 1",
		"POST /api/v1/datasets/stalled/loads" + host + "Content-Type: text/csv\nContent-Length: 9000000\n\nday,v\n2026-01-01,1\n",
		"POST /api/v1/datasets/stalled/loads" + host + "Content-Type: text/csv\nTransfer-Encoding: chunked\n\n" +
			fmt.Sprintf("%x\r\n%s\r\n", 3<<20, "day,v\n"+strings.Repeat("2026-01-01,1\n", (3<<20-6)/13)+strings.Repeat("1", (3<<20-6)%13)),
	} {
		r, err := http.ReadResponse(bufio.NewReader(s.connect(begun)), nil)
		if err != nil {
			t.Errorf("%.60s: %v", begun, err)
			continue
		}
		text, _ := io.ReadAll(r.Body)
		if r.StatusCode != http.StatusRequestTimeout {
			t.Errorf("%.60s: %d %s", begun, r.StatusCode, text)
		}
	}
	s.talk([]exchange{{"GET", "/api/v1/datasets/stalled", "", 404, "no dataset is named stalled"}})
}

// A request that states its length twice is read in one way by a proxy and in another here: it is refused, and nothing that follows it
// on the connection is answered.
func TestOneLengthIsStated(t *testing.T) {
	svc := openService(t, database, nil)
	requests, err := newValidator()
	if err != nil {
		t.Fatal(err)
	}
	h, err := handler(svc, Settings{}, requests)
	if err != nil {
		t.Fatal(err)
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	ctx, stop := context.WithCancel(t.Context())
	ended := make(chan error, 1)
	go func() { ended <- Serve(ctx, l, h, Serving{StopWithin: time.Second}) }()
	defer func() {
		stop()
		if err := <-ended; err != nil {
			t.Error(err)
		}
	}()
	s := &site{t: t, url: "http://" + l.Addr().String()}
	const fine = "GET /livez" + host + "\n"
	const both = "POST /api/v1/resolve" + host + "Content-Type: application/json\nContent-Length: 6\nTransfer-Encoding: chunked\n\n0\r\n\r\n"
	for _, text := range []string{both + "GET /readyz HTTP/1.1\r\nHost: localhost\r\n\r\n", strings.ReplaceAll(fine, "\n", "\r\n") + strings.Replace(both, "\n\n", "\r\n\r\n", 1)} {
		conn := s.connect(text)
		answers, err := io.ReadAll(conn)
		if err != nil {
			t.Error(err)
		}
		if n := strings.Count(string(answers), "HTTP/1.1 "); strings.Count(string(answers), "HTTP/1.1 400") != 1 || n > 2 || strings.Contains(string(answers), "ready") {
			t.Errorf("%q", answers)
		}
	}
	chunked := "POST /api/v1/resolve" + host + "Content-Type: application/json\nTransfer-Encoding: chunked\nConnection: close\n\n1b\r\n{\"expressions\":[\"today\"]}  \r\n0\r\n\r\n"
	if answer, err := io.ReadAll(s.connect(chunked)); err != nil || !strings.HasPrefix(string(answer), "HTTP/1.1 200") {
		t.Errorf("%q %v", answer, err)
	}
}

// A file that drips is refused like one that has stopped; one that comes slowly, but comes, is not.
func TestDrippingBodies(t *testing.T) {
	shortStall(t)
	s := openOn(t, pgtest.Database(t, database))
	const chunk = "\r\nc\r\n2026-01-01,1"
	head := "POST /api/v1/datasets/dripping/loads?date=day" + host + "Content-Type: text/csv\nTransfer-Encoding: chunked\n\n6\r\nday,v\n"
	conn := s.connect(head)
	answered := make(chan int, 1)
	go func() {
		r, err := http.ReadResponse(bufio.NewReader(conn), nil)
		if err != nil {
			answered <- 0
			return
		}
		r.Body.Close()
		answered <- r.StatusCode
	}()
	for until := time.Now().Add(time.Minute); ; time.Sleep(stall / 10) {
		_, _ = io.WriteString(conn, chunk)
		select {
		case status := <-answered:
			if status != http.StatusRequestTimeout {
				t.Errorf("%d", status)
			}
			return
		default:
		}
		if time.Now().After(until) {
			t.Fatal("it goes on")
		}
	}
}

// The name of a file is kept and listed: it is as long as names are.
func TestNamesOfFilesAreBounded(t *testing.T) {
	s := openOn(t, pgtest.Database(t, database))
	body := "--x\r\nContent-Disposition: form-data; name=\"f\"; filename=\"" + strings.Repeat("n", 5000) + ".csv\"\r\n\r\n" + sales + "\r\n--x--\r\n"
	q, err := http.NewRequest("POST", s.url+prefix+"/datasets/named/loads?date=day", strings.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	q.Header.Set("Content-Type", "multipart/form-data; boundary=x")
	r, err := http.DefaultClient.Do(q)
	if err != nil {
		t.Fatal(err)
	}
	defer r.Body.Close()
	if text, err := io.ReadAll(r.Body); err != nil || r.StatusCode != http.StatusUnprocessableEntity || !strings.Contains(string(text), "at most 400") {
		t.Errorf("%d %.300s %v", r.StatusCode, text, err)
	}
}

// An answer that nobody takes is cut off, and what it held is free again.
func TestAnswersThatAreNotTaken(t *testing.T) {
	s := openOn(t, pgtest.Database(t, database))
	row := "2026-01-01," + strings.Repeat("x", 2000) + "\n"
	s.ask("POST", prefix+"/datasets/untaken/loads?date=day", "day,v\n"+strings.Repeat(row, 20_000))
	shortStall(t)
	body := `{"dataset":"untaken"}`
	conn := s.connect("POST /api/v1/records" + host + fmt.Sprintf("Accept: text/csv\nContent-Type: application/json\nContent-Length: %d\n\n", len(body)))
	if err := conn.(*net.TCPConn).SetReadBuffer(64 << 10); err != nil {
		t.Fatal(err)
	}
	if _, err := io.WriteString(conn, body); err != nil {
		t.Fatal(err)
	}
	time.Sleep(10 * stall)
	n, err := io.Copy(io.Discard, conn)
	if n >= 40_000_000 || n == 0 {
		t.Errorf("%d bytes came, %v: it was not cut off", n, err)
	}
	s.talk([]exchange{{"DELETE *", "/api/v1/datasets/untaken", "", 204, ""}})
}

// What is saved as a file has a name, and its cells are marked on request.
func TestFilesHaveNames(t *testing.T) {
	s := openOn(t, pgtest.Database(t, database))
	s.ask("POST", prefix+"/datasets/risky/loads?date=day&amount=v", "day,text,v\n2026-01-01,=1+1,-2.50\n")
	for _, c := range []struct{ path, body, accept, name, want string }{
		{"/records", `{"dataset":"risky"}`, "text/csv", "risky-records.csv", "day,text,v\n2026-01-01,=1+1,-2.50\n"},
		{"/records", `{"dataset":"risky"}`, "text/csv; cells=safe", "risky-records.csv", "day,text,v\n2026-01-01,'=1+1,-2.50\n"},
		{"/total", `{"dataset":"risky","over":["2026-01"],"figures":["sum v"],"by":["text"]}`, "text/csv; cells=safe", "risky-total.csv", "'=1+1,,-2.50"},
	} {
		q, err := http.NewRequest("POST", s.url+prefix+c.path, strings.NewReader(c.body))
		if err != nil {
			t.Fatal(err)
		}
		q.Header.Set("Accept", c.accept)
		q.Header.Set("Content-Type", "application/json")
		r, err := http.DefaultClient.Do(q)
		if err != nil {
			t.Fatal(err)
		}
		text, err := io.ReadAll(r.Body)
		r.Body.Close()
		if err != nil || !strings.Contains(string(text), c.want) || r.Header.Get("Content-Disposition") != "attachment; filename="+c.name {
			t.Errorf("%s as %s: %v, %s", c.path, c.accept, r.Header, text)
		}
		if r.Header.Get("X-Content-Type-Options") != "nosniff" || r.Header.Get("Cache-Control") != "no-store" {
			t.Errorf("%s: %v", c.path, r.Header)
		}
	}
}
