package ingest

import (
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"vastspan/core/dataset"
)

func readerOf(t testing.TB, s dataset.Schema) *timeReader {
	t.Helper()
	r, err := newTimeReader(&s)
	if err != nil {
		t.Fatal(err)
	}
	return &r
}

// Times are read as databases, programs and spreadsheets write them; what does not exist, or twice, is refused.
func TestTimes(t *testing.T) {
	lisbon := dataset.Schema{Zone: "Europe/Lisbon"}
	with := func(change func(*dataset.Schema)) dataset.Schema {
		s := lisbon
		change(&s)
		return s
	}
	monthFirst := with(func(s *dataset.Schema) { s.DateOrder = dataset.MonthDayYear })
	dayFirst := with(func(s *dataset.Schema) { s.DateOrder = dataset.DayMonthYear })
	for _, c := range []struct {
		schema     dataset.Schema
		text, want string // a moment, or what the refusal says
	}{
		{lisbon, "2026-09-03T10:00", "2026-09-03T09:00:00Z"}, {lisbon, "2026-09-03 10:00:00+00", "2026-09-03T10:00:00Z"},
		{lisbon, "2026-09-03 10:00:00 +0200", "2026-09-03T08:00:00Z"}, {lisbon, "2026-09-03T10:00:00Z", "2026-09-03T10:00:00Z"},
		{lisbon, "2026-09-03 10:00 UTC", "2026-09-03T10:00:00Z"}, {lisbon, "2026/09/03 10:00", "2026-09-03T09:00:00Z"},
		{lisbon, "2026-09-03 10:00:00.25-03:30", "2026-09-03T13:30:00.25Z"}, {lisbon, "2026-09-03 10:00:00,1234569", "2026-09-03T09:00:00.123456Z"},
		{monthFirst, "9/3/2026 10:00 PM", "2026-09-03T21:00:00Z"}, {dayFirst, "9/3/2026 12:05 am", "2026-03-09T00:05:00Z"},
		{lisbon, "9/3/2026 10:00 PM", "or a date order: dmy, mdy or ymd"}, {monthFirst, "13/3/2026 10:00", "month"},
		{lisbon, "2026-09-03T24:00", "2026-09-03T23:00:00Z"}, {lisbon, "2026-09-03T24:01", "expected a time such as"},
		{lisbon, "2026-09-03 13:00 PM", "expected a time such as"}, {lisbon, "2026-09-03 10:00+99", "expected a time such as"},
		{lisbon, "2026-09-03", "expected a time such as"}, {lisbon, "2026-09-03 ten", "expected a time such as"}, {lisbon, "1788429600", "expected a time such as"},
		{lisbon, "2026-03-29T01:30", "does not show 2026-03-29T01:30"}, {lisbon, "2026-10-25 01:30", "shows 2026-10-25 01:30 twice"},
		{lisbon, "2026-10-25T01:30+01:00", "2026-10-25T00:30:00Z"},
		{with(func(s *dataset.Schema) { s.Ambiguous = dataset.TakeEarlier }), "2026-10-25 01:30", "2026-10-25T00:30:00Z"},
		{with(func(s *dataset.Schema) { s.Ambiguous = dataset.TakeLater }), "2026-10-25 01:30", "2026-10-25T01:30:00Z"},
		{with(func(s *dataset.Schema) { s.Epoch = dataset.Seconds }), "1788429600.5", "2026-09-03T10:00:00.5Z"},
		{with(func(s *dataset.Schema) { s.Epoch = dataset.Milliseconds }), "1788429600250", "2026-09-03T10:00:00.25Z"},
		{with(func(s *dataset.Schema) { s.Epoch = dataset.Seconds }), "-86400", "1969-12-31T00:00:00Z"},
		{with(func(s *dataset.Schema) { s.Epoch = dataset.Seconds }), "99999999999999999999", "within the years"},
		{with(func(s *dataset.Schema) { s.Epoch = dataset.Seconds }), "2026-09-03T10:00", "2026-09-03T09:00:00Z"},
	} {
		m, err := readerOf(t, c.schema).read(c.text)
		if err != nil {
			if !strings.Contains(err.Error(), c.want) {
				t.Errorf("%q is refused: %v; want %q", c.text, err, c.want)
			}
			continue
		}
		if got := time.UnixMicro(int64(m)).UTC().Format(time.RFC3339Nano); got != c.want {
			t.Errorf("%q is %s, want %s", c.text, got, c.want)
		}
	}
}

// One reader that remembers gives what a new one for each time gives, and what package time gives where it is sure.
func TestReadersRemember(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 12))
	for _, zone := range []string{"Europe/Lisbon", "America/Sao_Paulo", "Australia/Lord_Howe", "Pacific/Apia", "UTC"} {
		location, err := time.LoadLocation(zone)
		if err != nil {
			t.Fatal(err)
		}
		s := dataset.Schema{Zone: zone}
		remembers := readerOf(t, s)
		for range 3000 {
			at := time.Date(2010, 1, 1, 0, rng.IntN(17*365*24*60), 0, 0, time.UTC)
			text := at.Format("2006-01-02T15:04")
			m, err := remembers.read(text)
			fresh, freshErr := readerOf(t, s).read(text)
			if m != fresh || (err == nil) != (freshErr == nil) {
				t.Fatalf("%s in %s: %d, %v; by a new reader %d, %v", text, zone, m, err, fresh, freshErr)
			}
			there := time.UnixMicro(int64(m)).In(location)
			if err == nil && (there.Format("2006-01-02T15:04") != text || remembers.clock.DayOf(m) != remembers.clock.Clock.DayOf(m)) {
				t.Fatalf("%s in %s is read as %s", text, zone, there)
			}
		}
	}
}

func BenchmarkTimes(b *testing.B) {
	r := readerOf(b, dataset.Schema{Zone: "Europe/Lisbon"})
	for b.Loop() {
		if _, err := r.read("2026-09-03T10:15:30"); err != nil {
			b.Fatal(err)
		}
	}
}
