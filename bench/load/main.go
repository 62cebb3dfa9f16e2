// Command load measures how many answers a second a service of the demo gives to many callers at once, how
// long they wait, and whether anything of it grows with the number of requests. It starts the built binary
// on a folder of its own and prints Markdown.
package main

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"os/signal"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/dustin/go-humanize"

	"vastspan/bench/report"
)

var (
	binary   = flag.String("binary", "bin/vastspan", "the binary to start")
	seconds  = flag.Int("seconds", 10, "how long each measurement takes")
	records  = flag.Int("records", 0, "how many records many callers ask different questions about; 0 for none")
	callers  = flag.Int("callers", 50, "how many callers do")
	keep     = flag.Bool("keep", false, "keep the tables in bench/results, and write docs/performance.md")
	requests = flag.Int("requests", 500_000, "how many requests are sent before growth is looked at")
)

func main() {
	flag.Parse()
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	defer stop()
	if err := run(ctx); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

// questions are what is asked.
var questions = []struct{ name, path, body string }{
	{"resolve", "/resolve", `{"expressions":["last full month","month to date excluding today, 1 year earlier"],"as_of":"2026-10-19"}`},
	{
		"total", "/total",
		`{"dataset":"crossings","over":["last full month"],"figures":["count","sum fare"],"by":["route"],` +
			`"against":["1 year earlier"],"as_of":"2026-10-19"}`,
	},
	{"median", "/total", `{"dataset":"crossings","over":["last full month"],"figures":["median fare"],"as_of":"2026-10-19"}`},
}

func run(ctx context.Context) (err error) {
	folder, err := os.MkdirTemp("", "vastspan-load-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(folder)
	if err := os.Chmod(folder, 0o755); err != nil { // the database account must reach it
		return err
	}
	s, err := start(folder)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, s.stop()) }()
	if *records > 0 {
		return s.fair(ctx, folder, *records, *callers, time.Duration(*seconds)*time.Second)
	}
	asked, growth := report.New("callers", "question, connections"), report.New("growth", "after requests")
	for _, q := range questions {
		s.ask(ctx, q.path, q.body, 10, time.Second, 0) // until everything is warm
		for _, connections := range []int{1, 10, 50, 500} {
			m := s.ask(ctx, q.path, q.body, connections, time.Duration(*seconds)*time.Second, 0)
			if ctx.Err() != nil {
				return ctx.Err()
			}
			m.put(asked, fmt.Sprintf("%s, %d", q.name, connections))
		}
	}
	sent := 0
	for part := 0; part <= 5; part++ {
		size, err := s.size()
		if err != nil {
			return err
		}
		for i, value := range strings.Split(size, " | ") {
			growth.Put(humanize.Comma(int64(sent)), []string{"memory MB", "descriptors", "threads", "goroutines"}[i], value)
		}
		if part < 5 {
			for _, q := range questions[:2] {
				n := *requests / 10
				s.ask(ctx, q.path, q.body, 50, time.Hour, n)
				sent += n
			}
		}
		if ctx.Err() != nil {
			return ctx.Err()
		}
	}
	return report.Write(*keep, asked, growth)
}

// put notes a measurement.
func (m *measurement) put(t *report.Table, row string) {
	t.Put(row, "answers a second", fmt.Sprintf("%.1f", m.rate()))
	t.Put(row, "p50 ms", fmt.Sprintf("%.1f", m.at(50)))
	t.Put(row, "p99 ms", fmt.Sprintf("%.1f", m.at(99)))
	t.Put(row, "refused or failed", fmt.Sprint(m.failed))
}

// service is a running one.
type service struct {
	process *exec.Cmd
	address string
}

func start(folder string) (*service, error) {
	s := &service{process: exec.Command(*binary, "demo", "--data", folder, "--address", "127.0.0.1:0", "--zone", "UTC")}
	s.process.Stderr = os.Stderr
	out, err := s.process.StdoutPipe()
	if err != nil {
		return nil, err
	}
	if err := s.process.Start(); err != nil {
		return nil, err
	}
	line, err := bufio.NewReader(out).ReadString('\n')
	if err != nil {
		return nil, errors.Join(fmt.Errorf("the service did not start: %w", err), s.process.Wait())
	}
	go func() { _, _ = io.Copy(io.Discard, out) }()
	s.address = strings.TrimSpace(strings.TrimPrefix(line, "Vast Span is at "))
	return s, nil
}

func (s *service) stop() error {
	return errors.Join(s.process.Process.Signal(os.Interrupt), s.process.Wait())
}

// measurement is what came of one run.
type measurement struct {
	took   time.Duration
	waits  []time.Duration
	failed int64
}

func (m *measurement) rate() float64 { return float64(len(m.waits)) / m.took.Seconds() }

// at returns a percentile of the waits, in milliseconds.
func (m *measurement) at(percent int) float64 {
	if len(m.waits) == 0 {
		return 0
	}
	return float64(m.waits[(len(m.waits)-1)*percent/100].Microseconds()) / 1000
}

// ask asks over so many connections for a time, or until so many requests were sent.
func (s *service) ask(ctx context.Context, path, body string, connections int, during time.Duration, most int) *measurement {
	client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: connections, MaxConnsPerHost: connections}}
	defer client.CloseIdleConnections()
	var sent, failed atomic.Int64
	waits := make([][]time.Duration, connections)
	begin := time.Now()
	until := begin.Add(during)
	var callers sync.WaitGroup
	for i := range connections {
		callers.Go(func() {
			for time.Now().Before(until) && ctx.Err() == nil && (most == 0 || sent.Add(1) <= int64(most)) {
				since := time.Now()
				r, err := client.Post(s.address+"/api/v1"+path, "application/json", strings.NewReader(body))
				if err != nil {
					failed.Add(1)
					continue
				}
				_, err = io.Copy(io.Discard, r.Body)
				r.Body.Close()
				if err != nil || r.StatusCode != http.StatusOK {
					failed.Add(1)
					continue
				}
				waits[i] = append(waits[i], time.Since(since))
			}
		})
	}
	callers.Wait()
	m := &measurement{took: time.Since(begin), waits: slices.Concat(waits...), failed: failed.Load()}
	slices.Sort(m.waits)
	return m
}

// size is what the service takes: memory, descriptors, threads and goroutines, as cells of a table.
func (s *service) size() (string, error) {
	time.Sleep(2 * time.Second) // connections of callers that have gone are closed
	process := filepath.Join("/proc", strconv.Itoa(s.process.Process.Pid))
	status, err := os.ReadFile(filepath.Join(process, "status"))
	if err != nil {
		return "", err
	}
	files, err := os.ReadDir(filepath.Join(process, "fd"))
	if err != nil {
		return "", err
	}
	r, err := http.Get(s.address + "/metrics")
	if err != nil {
		return "", err
	}
	defer r.Body.Close()
	metrics, err := io.ReadAll(r.Body)
	if err != nil {
		return "", err
	}
	field := func(text []byte, name string) string {
		_, after, _ := bytes.Cut(text, []byte("\n"+name))
		fields := strings.Fields(string(after))
		if len(fields) == 0 {
			return "?"
		}
		return fields[0]
	}
	kilobytes, err := strconv.Atoi(field(status, "VmRSS:"))
	return fmt.Sprintf("%d | %d | %s | %s", kilobytes>>10, len(files), field(status, "Threads:"), field(metrics, "go_goroutines ")), err
}
