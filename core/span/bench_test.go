package span

import (
	"fmt"
	"strings"
	"testing"

	"vastspan/core/civil"
)

var benchmarked = []string{
	"last full month", "month to date excluding today", "trailing 90 days excluding today", "year to date, 1 year earlier",
	"first 3 days of last full quarter", "from start of this year through end of last full month", "trailing 10 business days", "2026-Q2",
}

func BenchmarkParse(b *testing.B) {
	for _, text := range benchmarked {
		b.Run(text, func(b *testing.B) {
			b.ReportAllocs()
			for b.Loop() {
				if _, err := Parse(text); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}

func BenchmarkResolve(b *testing.B) {
	asOf := civil.Of(2026, 10, 19)
	for _, text := range benchmarked {
		n, err := Parse(text)
		if err != nil {
			b.Fatal(err)
		}
		b.Run(text, func(b *testing.B) {
			b.ReportAllocs()
			for b.Loop() {
				if _, err := Resolve(n, Scope{AsOf: asOf}); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}

// A parse takes time in proportion to the text, whatever it is: compare the times a byte.
func BenchmarkParseLength(b *testing.B) {
	for name, part := range map[string]string{"chain": "today or ", "mixed": "today or today and ", "brackets": "(", "of": "first day of ", "moves": "today, 1 day earlier, ", "misspelt": "todya or "} {
		for _, size := range []int{250, 500, 1000, 2000} {
			text := strings.Repeat(part, size/len(part)-1) + "today"
			b.Run(fmt.Sprintf("%s/%d", name, size), func(b *testing.B) {
				for b.Loop() {
					_, _ = Parse(text)
				}
				b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N)/float64(len(text)), "ns/byte")
			})
		}
	}
}

func BenchmarkResolveMoments(b *testing.B) {
	clock := clockOf(b, "Europe/Lisbon", "04:00")
	s := momentScope(b, clock, "2026-10-19T14:30")
	for _, text := range []string{
		"trailing 24 hours", "this hour", "last 24 full hours", "from yesterday 22:00 until today 06:00", "first 3 hours of this month",
		"yesterday, only 09:00-17:00",
	} {
		n, err := Parse(text)
		if err != nil {
			b.Fatal(err)
		}
		b.Run(text, func(b *testing.B) {
			b.ReportAllocs()
			for b.Loop() {
				if _, err := ResolveMoments(n, s); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}
