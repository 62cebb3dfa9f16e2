package e2e

import (
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

// A service is stopped while requests are open: those that end in time are answered, a load that does not leaves nothing, and
// service and database are gone afterwards.
func TestStoppedWithOpenRequests(t *testing.T) {
	t.Parallel()
	s := startWhole(t)
	s.must("load", "small", s.write("day,v\n2026-01-01,1\n"), "--date", "day")
	begin := func() (in *io.PipeWriter, done chan result) {
		read, write := io.Pipe()
		done = make(chan result, 1)
		go func() { done <- s.runWith(read, "load", "small", "-") }()
		fmt.Fprint(write, "day,v\n"+strings.Repeat("2026-01-02,1\n", 200_000))
		return write, done
	}
	quick, quickDone := begin() // loads of one dataset take turns: the second one waits for the first
	stalled, stalledDone := begin()
	s.awaitRowsOnTheirWay()

	stopped := make(chan result, 1)
	go func() { stopped <- s.run("stop", "--data", s.folder) }()
	time.Sleep(time.Second) // the service takes no more requests, and waits for those that are open
	fmt.Fprint(quick, "2026-01-03,1\n")
	quick.Close()
	first := <-quickDone
	r := <-stopped
	if r.code != 0 || !strings.Contains(r.out, "Stopped the service") {
		t.Errorf("stop ended with %d: %s%s", r.code, r.out, r.err)
	}
	stalled.Close()
	second := <-stalledDone
	if second.code == 0 && first.code == 0 {
		t.Errorf("both loads went through, though one of them stalled: %+v, %+v", first, second)
	}
	if err := s.process.Wait(); err != nil {
		t.Errorf("the service ended with %v\n%s", err, s.log)
	}
	s.process = nil
	if _, err := os.Stat(filepath.Join(s.folder, "serve", "data", "postmaster.pid")); !os.IsNotExist(err) {
		t.Errorf("the database runs on: %v", err)
	}
	s.launch()
	want := 1
	for _, load := range []result{first, second} {
		if load.code == 0 {
			want += 200_000
		}
	}
	rows := csvRows(t, s.must("total", "small", "--over", "all dates", "--count", "--output", "csv"))
	if first.code == 0 {
		want++ // its last record came while the service was being stopped
	}
	if got := rows[0]["count"]; got != fmt.Sprint(want) {
		t.Errorf("%s records are there, want %d: %+v, %+v", got, want, first, second)
	}
}
