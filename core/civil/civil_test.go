package civil

import (
	"math/rand/v2"
	"testing"
	"time"
)

func TestEveryDayAgreesWithTime(t *testing.T) {
	want := time.Date(1, 1, 1, 0, 0, 0, 0, time.UTC)
	for d := MinDay; d <= MaxDay; d++ {
		y, m, day := d.Date()
		wy, wm, wd := want.Date()
		if y != wy || m != int(wm) || day != wd || Of(y, m, day) != d {
			t.Fatalf("day %d is %04d-%02d-%02d, want %v", d, y, m, day, want)
		}
		if (int(d.Weekday())+1)%7 != int(want.Weekday()) {
			t.Fatalf("%v is a %v, want %v", d, d.Weekday(), want.Weekday())
		}
		want = want.AddDate(0, 0, 1)
	}
	if want.Year() != 10000 {
		t.Fatalf("MaxDay is not the last day of 9999")
	}
}

func TestParseDay(t *testing.T) {
	for _, s := range []string{"0001-01-01", "2024-02-29", "9999-12-31"} {
		if d, err := ParseDay(s); err != nil || d.String() != s {
			t.Errorf("ParseDay(%q) = %v, %v", s, d, err)
		}
	}
	for _, s := range []string{"", "2026-2-3", "2026-02-30", "2023-02-29", "2026-13-01", "0000-01-01", "2026-00-10", "26-01-01", "2026/01/01", "２０２６-01-01"} {
		if d, err := ParseDay(s); err == nil {
			t.Errorf("ParseDay(%q) = %v, want an error", s, d)
		}
	}
}

func TestAddMonthsClamps(t *testing.T) {
	for _, c := range []struct {
		day     string
		n       int
		want    string
		clamped bool
	}{
		{"2026-03-31", -1, "2026-02-28", true},
		{"2024-03-31", -1, "2024-02-29", true},
		{"2024-02-29", -12, "2023-02-28", true},
		{"2026-01-15", -1, "2025-12-15", false},
		{"2026-12-31", 2, "2027-02-28", true},
		{"2026-10-31", 12, "2027-10-31", false},
	} {
		d, _ := ParseDay(c.day)
		got, clamped := d.AddMonths(c.n)
		if got.String() != c.want || clamped != c.clamped {
			t.Errorf("%s moved %d months = %v, %v; want %s, %v", c.day, c.n, got, clamped, c.want, c.clamped)
		}
	}
}

// The obvious slow way: a set as one bool a day.
func TestSetLawsAgainstBools(t *testing.T) {
	const days = 40
	rng := rand.New(rand.NewPCG(1, 2))
	random := func() (Set, [days]bool) {
		var vs []Interval
		var in [days]bool
		for range rng.IntN(6) {
			start := Day(rng.IntN(days))
			v := Interval{start, min(days, start+Day(rng.IntN(9)))}
			vs = append(vs, v)
			for d := v.Start; d < v.End; d++ {
				in[d] = true
			}
		}
		return Union(vs...), in
	}
	for range 20000 {
		a, ina := random()
		b, inb := random()
		union, both, except := a.Union(b), a.Intersect(b), a.Except(b)
		n := 0
		for _, v := range []Interval{b.Bounds(), {3, 3}, {OpenStart, 9}} {
			if got, want := a.Within(v), a.Intersect(SetOf(v)); !got.Equal(want) {
				t.Fatalf("%v within %v is %v, want %v", a, v, got, want)
			}
		}
		for d := Day(0); d < days; d++ {
			if a.Contains(d) != ina[d] || union.Contains(d) != (ina[d] || inb[d]) || both.Contains(d) != (ina[d] && inb[d]) ||
				except.Contains(d) != (ina[d] && !inb[d]) {
				t.Fatalf("day %d of %v and %v: union %v, both %v, except %v", d, a, b, union, both, except)
			}
			if ina[d] || inb[d] {
				n++
			}
		}
		if union.Days() != n || union.Days()+both.Days() != a.Days()+b.Days() {
			t.Fatalf("%v or %v counts %d days, want %d", a, b, union.Days(), n)
		}
		for _, s := range []Set{a, union, both, except} {
			for i := 1; i < s.Len(); i++ {
				if s.At(i).Start <= s.At(i-1).End {
					t.Fatalf("%v touches itself", s)
				}
			}
		}
		if got := a.Keep(func(d Day) bool { return inb[d] }); !got.Equal(both) {
			t.Fatalf("Keep gives %v, want %v", got, both)
		}
	}
}

func TestOpenSets(t *testing.T) {
	day, _ := ParseDay("2026-10-19")
	all := SetOf(AllDays)
	rest := all.Except(SetOf(One(day)))
	if got := rest.String(); got != "../2026-10-18;2026-10-20/.." {
		t.Errorf("all days but one are %s", got)
	}
	if !rest.Union(SetOf(One(day))).Equal(all) {
		t.Errorf("putting the day back does not give all days")
	}
	if !rest.Open() || SetOf(One(day)).Open() || !rest.Contains(MinDay) || rest.Contains(day) {
		t.Errorf("open sides are lost")
	}
}

func TestWeekdays(t *testing.T) {
	for _, s := range []string{"mon", "Monday", "MON"} {
		if w, ok := ParseWeekday(s); !ok || w != Monday {
			t.Errorf("ParseWeekday(%q) = %v, %v", s, w, ok)
		}
	}
	if got := Weekend.String(); got != "Sat/Sun" {
		t.Errorf("the weekend is %s", got)
	}
	if _, ok := ParseWeekday("Mo"); ok {
		t.Errorf("Mo is taken for a weekday")
	}
}

func TestParseSet(t *testing.T) {
	for _, s := range []Set{{}, SetOf(One(5)), Union(Through(1, 9), Through(20, 30)), SetOf(AllDays), SetOf(Interval{OpenStart, 7}), Union(Through(2, 3), Interval{90, OpenEnd})} {
		if got, err := ParseSet(s.String()); err != nil || !got.Equal(s) {
			t.Errorf("%s is read as %s, %v", s, got, err)
		}
	}
	for _, bad := range []string{"2026-01-01", "2026-01-01/2026-02-30", "x/..", ";"} {
		if got, err := ParseSet(bad); err == nil {
			t.Errorf("%q is read as %s", bad, got)
		}
	}
}
