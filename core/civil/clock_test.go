package civil

import (
	"math/rand/v2"
	"testing"
	"time"
)

var zones = []string{
	"Europe/Berlin", "Europe/Lisbon", "America/New_York", "America/Sao_Paulo", "America/St_Johns", "Australia/Lord_Howe", "Pacific/Apia",
	"Africa/Cairo", "Africa/Casablanca", "Asia/Kolkata", "Asia/Tokyo", "UTC",
}

func clockOf(t *testing.T, zone string, starts TimeOfDay) Clock {
	t.Helper()
	z, err := time.LoadLocation(zone)
	if err != nil {
		t.Fatal(err)
	}
	c, err := NewClock(z, starts)
	if err != nil {
		t.Fatal(err)
	}
	return c
}

// The periods of a zone have the offsets that package time has, follow one another, and each differs from the next.
func TestPeriods(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	for _, zone := range zones {
		c := clockOf(t, zone, 0)
		for range 3000 {
			at := time.Date(1800, 1, 1, 0, 0, rng.IntN(800*365*24*3600), 0, time.UTC)
			if rng.IntN(4) == 0 { // the last days of years
				at = time.Date(at.Year(), 12, 31, rng.IntN(24), 0, 0, 0, time.UTC)
			}
			m := Moment(at.UnixMicro())
			p := c.periodAt(m)
			_, offset := at.In(c.Zone()).Zone()
			if !p.Contains(m) || p.offset != Moment(offset)*Second {
				t.Fatalf("%s at %s: %+v, the offset is %d", zone, at, p, offset)
			}
			if p.End != EndOfTime {
				if next := c.periodAt(p.End); next.Start != p.End || next.offset == p.offset {
					t.Fatalf("%s at %s: %+v, then %+v", zone, at, p, next)
				}
			}
		}
	}
}

// Every moment is in one day of its clock, which shows times in order but for what it skips or shows twice.
func TestDaysOfClocks(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 3))
	for _, zone := range zones {
		for _, starts := range []TimeOfDay{0, 4 * 3600, 5400} {
			c := clockOf(t, zone, starts)
			for range 500 {
				m := Moment(time.Date(1900, 1, 1, 0, 0, rng.IntN(300*365*24*3600), 0, time.UTC).UnixMicro())
				d := c.DayOf(m)
				if v := c.Run(One(d)); !v.Contains(m) {
					t.Fatalf("%s: %s is said to lie on %s, which is %s", c, c.Format(m), d, c.FormatRun(v))
				}
				at := TimeOfDay(rng.IntN(int(EndOfDay)))
				shown, how := c.OfDay(d, at)
				date, within := c.DateAndTime(shown)
				wanted := d
				if at < starts {
					wanted++
				}
				if how != Skipped && (date != wanted || within != Moment(at)*Second) {
					t.Fatalf("%s: %s of %s is %s", c, at, d, c.Format(shown))
				}
				if r, err := c.Parse(c.Format(m)); err != nil || r.Moment != m || r.Day != d {
					t.Fatalf("%s: %s is read as %s of %s, %v", c, c.Format(m), c.Format(r.Moment), r.Day, err)
				}
			}
		}
	}
}

func TestWhatIsNoMoment(t *testing.T) {
	for _, text := range []string{
		"", "2026-10-19", "2026-10-19T", "2026-10-19T1", "2026-10-19T10:60", "2026-10-19T24:01", "2026-02-30T10:00", "2026-10-19T10:00+99:00",
		"2026-10-19T10:00:00.", "2026-10-19T10:00.5", "2026-10-19T10:00:00.1x", "T10:00", "2026-10-19T10:00Zulu",
	} {
		if r, err := UTC.Parse(text); err == nil {
			t.Errorf("%q is read as %s", text, UTC.Format(r.Moment))
		}
	}
}

func TestSetsOfMoments(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 4))
	random := func() (MomentSet, [64]bool) {
		var runs []Moments
		var in [64]bool
		for range rng.IntN(5) {
			start := rng.IntN(60)
			v := Moments{Moment(start), Moment(start + rng.IntN(12))}
			runs = append(runs, v)
			for i := range in {
				in[i] = in[i] || v.Contains(Moment(i))
			}
		}
		return MomentsOf(runs...), in
	}
	for range 5000 {
		a, inA := random()
		b, inB := random()
		for name, c := range map[string]struct {
			set  MomentSet
			keep func(x, y bool) bool
		}{
			"union": {a.Union(b), func(x, y bool) bool { return x || y }}, "both": {a.Intersect(b), func(x, y bool) bool { return x && y }},
			"except": {a.Except(b), func(x, y bool) bool { return x && !y }},
		} {
			length := 0
			for i := range inA {
				want := c.keep(inA[i], inB[i])
				if c.set.Contains(Moment(i)) != want {
					t.Fatalf("%s of %v and %v at %d: %v", name, a, b, i, c.set)
				}
				if want {
					length++
				}
			}
			for i := 1; i < c.set.Len(); i++ {
				if c.set.At(i).Start <= c.set.At(i-1).End {
					t.Fatalf("%s: %v touch", name, c.set)
				}
			}
			if int(c.set.Length()) < length {
				t.Fatalf("%s: %v is %d long", name, c.set, length)
			}
		}
	}
}

// Unions of many sets, and what two share, are those that taking them two by two gives.
func TestSharedMoments(t *testing.T) {
	rng := rand.New(rand.NewPCG(15, 2))
	random := func() MomentSet {
		var runs []Moments
		for range rng.IntN(6) {
			start := Moment(rng.IntN(60))
			runs = append(runs, Moments{start, start + Moment(rng.IntN(8))})
		}
		switch rng.IntN(8) {
		case 0:
			runs = append(runs, Moments{BeginningOfTime, Moment(rng.IntN(20))})
		case 1:
			runs = append(runs, Moments{Moment(rng.IntN(60)), EndOfTime})
		}
		return MomentsOf(runs...)
	}
	for range 20000 {
		a, b, c := random(), random(), random()
		if got, want := UnionOf(a, b, c), a.Union(b).Union(c); !got.Equal(want) {
			t.Fatalf("%v, %v and %v: %v, want %v", a, b, c, got, want)
		}
		both := a.Intersect(b)
		got, any := a.Shared(b)
		if any == both.Empty() || any && got != both.Bounds() {
			t.Fatalf("%v and %v share %v, %v, want %v", a, b, got, any, both)
		}
	}
}
