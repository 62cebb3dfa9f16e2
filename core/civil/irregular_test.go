package civil

import (
	"math/rand/v2"
	"testing"
	"time"
)

// A day is the date that the clock shows less the time at which days start, but in the runs that are listed: tried at every
// quarter of an hour around every change of the clock since 1950, in zones with changes at midnight, by half an hour and by a
// whole day.
func TestIrregulars(t *testing.T) {
	listed := 0
	for _, zone := range []string{
		"Europe/Lisbon", "America/New_York", "Australia/Lord_Howe", "America/Sao_Paulo", "Pacific/Apia", "America/St_Johns", "UTC",
	} {
		for _, starts := range []string{"", "02:30", "04:00", "23:30"} {
			c, err := ReadClock(zone, starts)
			if err != nil {
				t.Fatal(err)
			}
			irregular := c.Irregulars()
			listed += len(irregular)
			reader := c.Reader()
			for _, o := range c.Offsets()[1:] {
				if o.From < Moment(time.Date(1950, 1, 1, 0, 0, 0, 0, time.UTC).UnixMicro()) || o.From > Moment(4102444800)*Second {
					continue
				}
				for m := o.From - dayLength - 1; m < o.From+dayLength+dayLength/2; m += 15 * 60 * Second {
					want := c.plainDay(m)
					for _, v := range irregular {
						if v.Contains(m) {
							want = v.Day
						}
					}
					if got := c.DayOf(m); got != want || reader.DayOf(m) != got {
						t.Fatalf("%s at %s: %s, by the list %s, by a reader %s", c, c.Format(m), got, want, reader.DayOf(m))
					}
				}
			}
		}
	}
	if listed < 50 {
		t.Errorf("%d runs are listed", listed)
	}
}

// Sums by a step serve a clock whose hours and days begin at whole steps.
func TestAligned(t *testing.T) {
	for _, c := range []struct {
		zone, starts string
		minutes      Moment
		want         bool
	}{
		{"UTC", "", 60, true}, {"UTC", "04:30", 60, false}, {"UTC", "04:30", 30, true}, {"Europe/Lisbon", "04:00", 60, true},
		{"Asia/Kolkata", "", 60, false}, {"Asia/Kolkata", "", 30, true}, {"Asia/Kathmandu", "", 30, false}, {"Asia/Kathmandu", "", 15, true},
		{"Australia/Lord_Howe", "", 60, false}, {"Australia/Lord_Howe", "", 30, true}, {"Europe/Berlin", "04:10", 15, false},
	} {
		clock, err := ReadClock(c.zone, c.starts)
		if err != nil {
			t.Fatal(err)
		}
		step := c.minutes * 60 * Second
		if got := clock.Aligned(step); got != c.want {
			t.Errorf("%s by %d minutes: %v", clock, c.minutes, got)
		}
		rng := rand.New(rand.NewPCG(1, 1))
		for range 200 {
			m := Moment(rng.Int64N(2_000_000_000)) * Second
			if start := clock.Piece(m, 3600*Second).Start; c.want && floorMod(start, step) != 0 {
				t.Fatalf("%s: the hour of %s begins at %s", clock, clock.Format(m), clock.Format(start))
			}
		}
	}
	for _, zone := range []string{"Nowhere/Else", "Local"} {
		if _, err := ReadClock(zone, ""); err == nil {
			t.Errorf("%s is a zone", zone)
		}
	}
	for _, starts := range []string{"24:00", "4", "04:60"} {
		if _, err := ReadClock("UTC", starts); err == nil {
			t.Errorf("days start at %s", starts)
		}
	}
}

// What is written of moments is read again, and an hour that comes twice is told by its offset.
func TestMomentsAsText(t *testing.T) {
	c, err := ReadClock("Europe/Lisbon", "")
	if err != nil {
		t.Fatal(err)
	}
	first := Moment(time.Date(2026, 10, 25, 0, 0, 0, 0, time.UTC).UnixMicro())
	s := MomentsOf(Moments{BeginningOfTime, first - dayLength}, Moments{first, first + 2*3600*Second}, Moments{first + dayLength, EndOfTime})
	text := Zoned{c, s}.Text()
	if want := "../2026-10-24T01:00:00+01:00;2026-10-25T01:00:00+01:00/2026-10-25T02:00:00+00:00;2026-10-26T00:00:00+00:00/.."; text != want {
		t.Errorf("%s, want %s", text, want)
	}
	if again, err := ParseMoments(text); err != nil || !again.Equal(s) {
		t.Errorf("%s is read as %v, %v", text, again, err)
	}
	for _, wrong := range []string{"", "2026-10-25", "a/b", "2026-10-25T01:00Z"} {
		if _, err := ParseMoments(wrong); err == nil {
			t.Errorf("%q is read", wrong)
		}
	}
	if got := c.Name(first) + ", " + c.Name(first+3600*Second) + ", " + c.Name(first+2*3600*Second); got !=
		"2026-10-25 01:00 +01:00, 2026-10-25 01:00 +00:00, 2026-10-25 02:00" {
		t.Error(got)
	}
	if got := c.Long(first+Second/2) + ", " + c.Long(EndOfTime); got != "Sun 25 Oct 2026 01:00:00.5 +01:00, .." {
		t.Error(got)
	}
}
