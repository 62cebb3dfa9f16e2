package span

import (
	"encoding/csv"
	"os"
	"strconv"
	"strings"
	"testing"
	"time"

	"vastspan/core/civil"
)

// clockOf returns the clock of a zone whose days start at a time.
func clockOf(t testing.TB, zone, starts string) civil.Clock {
	t.Helper()
	z, err := time.LoadLocation(zone)
	if err != nil {
		t.Fatal(err)
	}
	at, err := civil.ParseTimeOfDay(starts)
	if err != nil {
		t.Fatal(err)
	}
	c, err := civil.NewClock(z, at)
	if err != nil {
		t.Fatal(err)
	}
	return c
}

// momentScope reads an as-of day, or an as-of moment.
func momentScope(t testing.TB, clock civil.Clock, asOf string) Scope {
	t.Helper()
	s := Scope{Clock: clock}
	if d, err := civil.ParseDay(asOf); err == nil {
		s.AsOf = d
		return s
	}
	r, err := clock.Parse(asOf)
	if err != nil {
		t.Fatal(err)
	}
	s.AsOf, s.Now, s.HasNow = r.Day, r.Moment, true
	return s
}

func momentsText(c civil.Clock, set civil.MomentSet) string {
	if set.Empty() {
		return "none"
	}
	var runs []string
	for v := range set.Runs() {
		runs = append(runs, c.FormatRun(v))
	}
	return strings.Join(runs, ";")
}

func TestMomentVectors(t *testing.T) {
	f, err := os.Open("testdata/moments.csv")
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	rows, err := csv.NewReader(f).ReadAll()
	if err != nil || len(rows) != 501 {
		t.Fatalf("%d rows, %v", len(rows), err)
	}
	for _, row := range rows[1:] {
		clock := clockOf(t, row[1], row[2])
		n, err := Parse(row[0])
		if err != nil {
			t.Errorf("%q: %v", row[0], err)
			continue
		}
		set, err := ResolveMoments(n, momentScope(t, clock, row[3]))
		got, seconds := "error", ""
		if err == nil {
			got = momentsText(clock, set)
			if !set.Open() {
				seconds = strconv.FormatInt(int64(set.Length()/civil.Second), 10)
			}
		}
		if got != row[4] || seconds != row[5] {
			t.Errorf("%q, %s, as of %s:\n got %.300s\nwant %.300s (%v)", row[0], clock, row[3], got, row[4], err)
		}
	}
}
