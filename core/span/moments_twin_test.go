package span

import (
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"vastspan/core/civil"
)

// A walk is every quarter of an hour around a change of a clock, in order: the twin of the resolver looks at each by
// itself, through package time.
type walk struct {
	zone   *time.Location
	starts time.Duration
	from   time.Time
	now    int // the as-of moment, as the number of a quarter
	shown  []time.Time
	offset []int
	hour   []int // the running number of the hour that a quarter is in
	day    []int // the running number of its day, from the first one that begins in the walk
}

const quarters = 24 * 4 * 24 // 24 days

func newWalk(zone *time.Location, starts time.Duration, around time.Time, now int) *walk {
	w := &walk{zone: zone, starts: starts, from: around.UTC().Truncate(24*time.Hour).AddDate(0, 0, -12), now: now}
	hour := 0
	for i := range quarters {
		t := w.at(i).In(zone)
		_, offset := t.Zone()
		// What is shown, as though it were UTC: it can be compared.
		shown := time.Date(t.Year(), t.Month(), t.Day(), t.Hour(), t.Minute(), t.Second(), 0, time.UTC)
		if i > 0 && (t.Minute() == 0 || offset != w.offset[i-1]) {
			hour++
		}
		w.shown, w.offset, w.hour = append(w.shown, shown), append(w.offset, offset), append(w.hour, hour)
	}
	day := 0
	next := w.shown[0].Truncate(24 * time.Hour).Add(starts)
	for i := range quarters { // a day starts at the first moment that shows its starting time or later
		for !w.shown[i].Before(next) {
			next = next.AddDate(0, 0, 1)
			day++
		}
		w.day = append(w.day, day)
	}
	return w
}

func (w *walk) at(i int) time.Time { return w.from.Add(time.Duration(i) * 15 * time.Minute) }

// weekday returns the weekday of the day that a quarter is in.
func (w *walk) weekday(i int) time.Weekday {
	return w.shown[0].Truncate(24*time.Hour).AddDate(0, 0, w.day[i]-1).Weekday()
}

// timeAt returns the first quarter at which the clock shows a time on a day, so many days after the as-of day.
func (w *walk) timeAt(days int, t time.Duration) int {
	date := w.shown[0].Truncate(24*time.Hour).AddDate(0, 0, w.day[w.now]-1+days)
	if t < w.starts {
		date = date.AddDate(0, 0, 1)
	}
	for i := range quarters {
		if !w.shown[i].Before(date.Add(t)) {
			return i
		}
	}
	return quarters
}

// A membership says of each quarter whether it is inside.
type membership func(i int) bool

func inHours(w *walk, from, through int) membership {
	return func(i int) bool { d := w.hour[i] - w.hour[w.now]; return d >= from && d <= through }
}

func inDays(w *walk, from, through int) membership {
	return func(i int) bool { d := w.day[i] - w.day[w.now]; return d >= from && d <= through }
}

// form returns a random form with its membership.
func (w *walk) form(rng *rand.Rand) (string, membership) {
	n := 1 + rng.IntN(40)
	hour := func() time.Duration { return time.Duration(rng.IntN(96)) * 15 * time.Minute }
	clock := func(t time.Duration) string { return fmt.Sprintf("%02d:%02d", int(t.Hours()), int(t.Minutes())%60) }
	switch rng.IntN(9) {
	case 0:
		return fmt.Sprintf("trailing %d hours", n), func(i int) bool { return i < w.now && i >= w.now-4*n }
	case 1:
		return fmt.Sprintf("coming %d hours", n), func(i int) bool { return i >= w.now && i < w.now+4*n }
	case 2:
		return fmt.Sprintf("last %d full hours", n), inHours(w, -n, -1)
	case 3:
		return fmt.Sprintf("next %d full hours", n), inHours(w, 1, n)
	case 4:
		in := inHours(w, 1-n, 0)
		return fmt.Sprintf("%d hours to date", n), func(i int) bool { return in(i) && i < w.now }
	case 5:
		in := inHours(w, 0, 0)
		return "rest of this hour", func(i int) bool { return in(i) && i >= w.now }
	case 6:
		from, until := hour(), hour()
		a, b := w.timeAt(-1, from), w.timeAt(1, until)
		return fmt.Sprintf("from yesterday %s until tomorrow %s", clock(from), clock(until)), func(i int) bool { return i >= a && i < b }
	case 7:
		k := rng.IntN(3)
		a := w.timeAt(k-1, w.starts)
		for a > 0 && w.hour[a] == w.hour[a-1] {
			a++ // an hour that began before the day does not start in it
		}
		n, in := min(n, 20), membership(nil)
		begins := 0
		for i := 1; i < quarters; i++ {
			if w.day[i] == w.day[w.now]+k-1 && w.hour[i] != w.hour[i-1] {
				begins++
			}
		}
		if begins >= n { // the clock may skip a day, or most of it
			in = inHours(w, w.hour[a]-w.hour[w.now], w.hour[a]-w.hour[w.now]+n-1)
		}
		return fmt.Sprintf("first %d hours of %s", n, []string{"yesterday", "today", "tomorrow"}[k]), in
	}
	k := rng.IntN(6)
	in := inDays(w, -k, 0)
	from, until := hour(), hour()
	for from == until {
		until = hour()
	}
	if until == 0 {
		until = 24 * time.Hour
	}
	return fmt.Sprintf("trailing %d days, only %s-%s", k+1, clock(from), clock(until)), func(i int) bool {
		t := w.shown[i].Sub(w.shown[i].Truncate(24 * time.Hour))
		if from < until {
			return in(i) && t >= from && t < until
		}
		return in(i) && (t >= from || t < until)
	}
}

// modified puts a random modifier behind a form.
func (w *walk) modified(rng *rand.Rand, text string, in membership) (string, membership) {
	switch rng.IntN(7) {
	case 0:
		return text + " excluding today", func(i int) bool { return in(i) && w.day[i] != w.day[w.now] }
	case 1:
		return text + " so far", func(i int) bool { return in(i) && i < w.now }
	case 2:
		return text + ", only Sat/Sun", func(i int) bool {
			d := w.weekday(i)
			return in(i) && (d == time.Saturday || d == time.Sunday)
		}
	case 3:
		n := 1 + rng.IntN(30)
		return fmt.Sprintf("%s, %d hours earlier", text, n), func(i int) bool { return i+4*n < quarters && in(i+4*n) }
	case 4:
		k := rng.IntN(4)
		days := inDays(w, -k, 0)
		return fmt.Sprintf("(%s) except trailing %d days", text, k+1), func(i int) bool { return in(i) && !days(i) }
	}
	return text, in
}

// Around changes of the clock, forms of hours and times give what walking every quarter of an hour gives.
func TestMomentsAgainstAWalk(t *testing.T) {
	changes := []struct{ zone, around string }{
		{"Europe/Berlin", "2026-03-29"}, {"Europe/Berlin", "2026-10-25"}, {"America/New_York", "2026-03-08"}, {"America/New_York", "2026-11-01"},
		{"Australia/Lord_Howe", "2026-04-05"}, {"Australia/Lord_Howe", "2026-10-04"}, {"America/Sao_Paulo", "2018-11-04"},
		{"America/Sao_Paulo", "2018-02-18"}, {"Pacific/Apia", "2011-12-30"}, {"Africa/Cairo", "2024-04-26"}, {"Asia/Kolkata", "2026-05-05"},
	}
	rng := rand.New(rand.NewPCG(12, 9))
	rounds, filled := 4000, 0
	if testing.Short() {
		rounds = 1000
	}
	for range rounds {
		c := changes[rng.IntN(len(changes))]
		starts := []string{"00:00", "04:00", "01:30", "02:00"}[rng.IntN(4)]
		clock := clockOf(t, c.zone, starts)
		around, err := time.Parse(time.DateOnly, c.around)
		if err != nil {
			t.Fatal(err)
		}
		w := newWalk(clock.Zone(), time.Duration(clock.DayStarts())*time.Second, around, quarters/2+rng.IntN(400)-200)
		text, in := w.form(rng)
		refused := in == nil
		text, in = w.modified(rng, text, in)
		n, err := Parse(text)
		if err != nil {
			t.Fatalf("%q: %v", text, err)
		}
		now := civil.Moment(w.at(w.now).UnixMicro())
		set, err := ResolveMoments(n, Scope{Clock: clock, AsOf: clock.DayOf(now), Now: now, HasNow: true})
		if refused && err != nil {
			continue
		}
		if err != nil || refused {
			t.Fatalf("%q: %v", text, err)
		}
		if !set.Empty() {
			filled++
		}
		for i := range quarters {
			if m := civil.Moment(w.at(i).UnixMicro()); set.Contains(m) != in(i) {
				t.Fatalf("%q by %s as of %s: %s inside is %v; the resolver gives %s",
					text, clock, clock.Format(now), clock.Format(m), in(i), momentsText(clock, set))
			}
		}
	}
	if filled < rounds/2 {
		t.Errorf("only %d of %d have any moments", filled, rounds)
	}
}
