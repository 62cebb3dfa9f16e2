package span

import (
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
