package elapsed

import (
	"fmt"
	"math/big"
	"math/rand/v2"
	"regexp"
	"strconv"
	"testing"
	"time"

	"vastspan/core/calendar"
	"vastspan/core/civil"
)

// plusMonths is a day so many months on, the day of the month clamped, by package time.
func plusMonths(d civil.Day, n int) civil.Day {
	t := d.Time()
	first := time.Date(t.Year(), t.Month()+time.Month(n), 1, 0, 0, 0, 0, time.UTC)
	last := first.AddDate(0, 1, -1).Day()
	return civil.Of(first.Year(), int(first.Month()), min(t.Day(), last))
}

// naive counts what is between two days, the first not after the second, day by day and month by month.
func naive(from, to civil.Day) string {
	days, business, months, quarters := 0, 0, 0, 0
	for d := from; d < to; d++ {
		days++
		if w := d.Time().Weekday(); w != time.Saturday && w != time.Sunday {
			business++
		}
		if next := (d + 1).Time(); next.Day() == 1 {
			months++
			if next.Month()%3 == 1 {
				quarters++
			}
		}
	}
	whole := 0
	for plusMonths(from, whole+1) <= to {
		whole++
	}
	years := 0
	for plusMonths(from, 12*(years+1)) <= to {
		years++
	}
	last, next := plusMonths(from, 12*years), plusMonths(from, 12*years+12)
	share := new(big.Rat).Add(big.NewRat(int64(years), 1), big.NewRat(int64(to-last), int64(next-last)))
	return fmt.Sprintf("%d %d %d %d %d %d %s", days, business, whole, years, months, quarters, share.FloatString(6))
}

var isoPeriod = regexp.MustCompile(`^P(?:(\d+)Y)?(?:(\d+)M)?(?:(\d+)D)?$`)

// number reads digits; 0 where there are none.
func number(digits string) int {
	n, err := strconv.Atoi(digits)
	if err != nil {
		return 0
	}
	return n
}

func TestBetween(t *testing.T) {
	rng := rand.New(rand.NewPCG(10, 10))
	for range 5000 {
		from := civil.Of(2020, 1, 1) + civil.Day(rng.IntN(3000))
		to := from + civil.Day(rng.IntN(1800))
		f, err := Between(from, to, calendar.Civil, false)
		if err != nil {
			t.Fatal(err)
		}
		got := fmt.Sprintf("%d %d %d %d %d %d %s", f.Days, f.BusinessDays, f.Months, f.Years, f.CalendarMonths, f.CalendarQuarters, f.YearFraction)
		if want := naive(from, to); got != want {
			t.Fatalf("from %s to %s: %s, by hand %s", from, to, got, want)
		}
		parts := isoPeriod.FindStringSubmatch(f.Period)
		if parts == nil {
			t.Fatalf("%q is no period", f.Period)
		}
		y, m, d := number(parts[1]), number(parts[2]), number(parts[3])
		if plusMonths(from, 12*y+m)+civil.Day(d) != to || m > 11 || d > 31 {
			t.Fatalf("from %s to %s: %s does not lead there", from, to, f.Period)
		}
		back, err := Between(to, from, calendar.Civil, false)
		if err != nil || back.Days != -f.Days || back.Months != -f.Months || back.Years != -f.Years || f.Days > 0 && back.Period != "-"+f.Period {
			t.Fatalf("back from %s to %s: %+v, %v; there %+v", to, from, back, err, f)
		}
	}
}

func TestEnds(t *testing.T) {
	day := civil.Of
	for _, c := range []struct {
		from, to civil.Day
		bothEnds bool
		want     string
	}{
		{day(2026, 1, 31), day(2026, 2, 1), false, "1 days, 0 months, 1 calendar months, P1D, 0.002740 0.002740 0.002778"},
		{day(2026, 1, 1), day(2026, 1, 31), false, "30 days, 0 months, 0 calendar months, P30D, 0.082192 0.082192 0.083333"},
		{day(2026, 1, 1), day(2026, 1, 31), true, "31 days, 1 months, 1 calendar months, P1M, 0.084932 0.084932 0.083333"},
		{day(2026, 1, 31), day(2026, 1, 1), true, "-31 days, -1 months, -1 calendar months, -P1M, -0.084932 -0.084932 -0.083333"},
		{day(2026, 5, 5), day(2026, 5, 5), false, "0 days, 0 months, 0 calendar months, P0D, 0.000000 0.000000 0.000000"},
		{day(2024, 2, 29), day(2026, 10, 19), false, "963 days, 31 months, 32 calendar months, P2Y7M20D, 2.638356 2.638356 2.638889"},
	} {
		f, err := Between(c.from, c.to, calendar.Civil, c.bothEnds)
		if err != nil {
			t.Fatal(err)
		}
		got := fmt.Sprintf("%d days, %d months, %d calendar months, %s, %s %s %s",
			f.Days, f.Months, f.CalendarMonths, f.Period, f.YearFraction, f.Actual365, f.Thirty360)
		if got != c.want {
			t.Errorf("from %s to %s, both ends %v:\n got %s\nwant %s", c.from, c.to, c.bothEnds, got, c.want)
		}
	}
}
