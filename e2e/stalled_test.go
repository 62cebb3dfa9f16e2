package e2e

import (
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"
)

// dial sends the beginning of a request and leaves the connection open.
func (s *running) dial(head, body string) net.Conn {
	s.t.Helper()
	conn, err := net.Dial("tcp", strings.TrimPrefix(s.address, "http://"))
	if err != nil {
		s.t.Fatal(err)
	}
	s.t.Cleanup(func() { conn.Close() })
	if _, err := io.WriteString(conn, strings.ReplaceAll(head+"\nHost: localhost\n\n", "\n", "\r\n")+body); err != nil {
		s.t.Fatal(err)
	}
	return conn
}

// post asks within a time and returns the status and the answer.
func (s *running) post(method, path, body string, within time.Duration) (int, http.Header, string) {
	s.t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), within)
	defer cancel()
	q, err := http.NewRequestWithContext(ctx, method, s.address+"/api/v1"+path, strings.NewReader(body))
	if err != nil {
		s.t.Fatal(err)
	}
	if body != "" {
		q.Header.Set("Content-Type", "application/json")
	}
	r, err := http.DefaultClient.Do(q)
	if err != nil {
		s.t.Fatalf("%s %s is not answered: %v", method, path, err)
	}
	defer r.Body.Close()
	text, err := io.ReadAll(r.Body)
	if err != nil {
		s.t.Fatal(err)
	}
	return r.StatusCode, r.Header, string(text)
}

const (
	resolveToday = `{"expressions":["today"]}`
	totalMedian  = `{"dataset":"long","over":["all dates"],"figures":["count","median v"]}`
)

// Twenty files that stop coming and twenty downloads that nobody reads keep nobody else waiting, other
// loads of other datasets aside, which wait for theirs.
func TestStalledCallersKeepNobodyWaiting(t *testing.T) {
	t.Parallel()
	s := start(t)
	row := "2026-01-01,1," + strings.Repeat("x", 500) + "\n"
	if r := s.runWith(strings.NewReader("day,v,text\n"+strings.Repeat(row, 20_000)), "load", "long", "-", "--date", "day", "--amount", "v"); r.code != 0 {
		t.Fatalf("%+v", r)
	}
	part := "day,v\n" + strings.Repeat("2026-01-01,1\n", 140_000)
	for i := range 20 {
		s.dial(fmt.Sprintf("POST /api/v1/datasets/stalled-%d/loads?date=day HTTP/1.1\nContent-Type: text/csv\nTransfer-Encoding: chunked", i),
			fmt.Sprintf("%x\r\n%s\r\n", len(part), part))
		body := `{"dataset":"long"}`
		s.dial(fmt.Sprintf("POST /api/v1/records HTTP/1.1\nAccept: text/csv\nContent-Type: application/json\nContent-Length: %d", len(body)), body)
	}
	time.Sleep(2 * time.Second) // until they stall
	const within = 15 * time.Second
	for range 20 {
		for _, c := range [][3]string{
			{"GET", "/status", ""}, {"POST", "/resolve", resolveToday}, {"POST", "/total", totalMedian}, {"GET", "/datasets/long", ""},
			{"GET", "/spans", ""},
		} {
			if status, _, text := s.post(c[0], c[1], c[2], within); status != http.StatusOK {
				t.Fatalf("%s: %d %s", c[1], status, text)
			}
		}
	}
}

// postmaster is the number of the service's own database server.
func (s *running) postmaster() int {
	s.t.Helper()
	for until := time.Now().Add(time.Minute); ; time.Sleep(10 * time.Millisecond) { // one that starts writes it anew
		text, err := os.ReadFile(filepath.Join(s.folder, "serve", "data", "postmaster.pid"))
		if err == nil {
			if pid, err := strconv.Atoi(strings.SplitN(string(text), "\n", 2)[0]); err == nil && pid != s.process.Process.Pid {
				return pid
			}
		}
		if time.Now().After(until) {
			s.t.Fatal("no database server runs")
		}
	}
}

// A database that has gone or hangs is answered with 503 and why; the service goes on, and all is well once
// the database is back.
func TestADatabaseThatGoesAway(t *testing.T) {
	t.Parallel()
	s := startWhole(t)
	s.must("span", "add", "kept", "last full month")
	await := func() {
		t.Helper()
		for until := time.Now().Add(time.Minute); ; time.Sleep(50 * time.Millisecond) {
			status, header, text := s.post("POST", "/resolve", `{"expressions":["@kept"]}`, time.Minute)
			if status == http.StatusOK {
				return
			}
			if status != http.StatusServiceUnavailable || header.Get("Retry-After") == "" || !strings.Contains(text, "cannot be served just now: ") {
				t.Errorf("while it is away: %d %s", status, text)
			}
			if time.Now().After(until) {
				t.Fatalf("it does not come back: %s\n%s", text, s.log)
			}
		}
	}
	old := s.postmaster()
	if err := syscall.Kill(old, syscall.SIGKILL); err != nil {
		t.Fatal(err)
	}
	await()
	for until := time.Now().Add(time.Minute); s.postmaster() == old; time.Sleep(10 * time.Millisecond) { // its processes live on for a moment
		if time.Now().After(until) {
			t.Fatalf("no other server is started:\n%s", s.log)
		}
	}
	await()

	pids := serverProcesses(t, s.postmaster())
	for _, pid := range pids {
		if err := syscall.Kill(pid, syscall.SIGSTOP); err != nil {
			t.Fatal(err)
		}
	}
	var asked sync.WaitGroup
	for range 30 {
		asked.Go(func() {
			status, header, text := s.post("GET", "/status", "", time.Minute)
			if status != http.StatusServiceUnavailable || header.Get("Retry-After") == "" || !strings.Contains(text, "cannot be served just now: ") {
				t.Errorf("while it hangs: %d %s", status, text)
			}
		})
	}
	asked.Wait()
	for _, pid := range pids {
		_ = syscall.Kill(pid, syscall.SIGCONT) // some may have ended
	}
	await()
}

// serverProcesses lists the processes of a database server.
func serverProcesses(t *testing.T, postmaster int) []int {
	t.Helper()
	pids := []int{postmaster}
	list, err := filepath.Glob("/proc/[0-9]*/stat")
	if err != nil {
		t.Fatal(err)
	}
	for _, path := range list {
		text, err := os.ReadFile(path)
		if err != nil {
			continue // it has ended
		}
		fields := strings.Fields(string(text[strings.LastIndexByte(string(text), ')')+1:]))
		if len(fields) > 1 && fields[1] == strconv.Itoa(postmaster) {
			pid, err := strconv.Atoi(strings.Split(path, "/")[2])
			if err != nil {
				t.Fatal(err)
			}
			pids = append(pids, pid)
		}
	}
	return pids
}
