package span_test

import (
	"context"
	"errors"
	"fmt"

	"vastspan/core/civil"
	"vastspan/core/span"
)

var asOf = civil.Of(2026, 10, 19)

// An expression is parsed once and resolved as of any day.
func ExampleResolve() {
	n, err := span.Parse("Month to date excluding today, 1 YEAR earlier")
	if err != nil {
		panic(err)
	}
	days, err := span.Resolve(n, span.Scope{AsOf: asOf})
	if err != nil {
		panic(err)
	}
	fmt.Println(n)
	fmt.Println(days)
	// Output:
	// month to date excluding today, 1 year earlier
	// 2025-10-01/2025-10-18
}

// What has two meanings is refused with both.
func ExampleParse() {
	_, err := span.Parse("last 3 months")
	var refused *span.Error
	if errors.As(err, &refused) {
		fmt.Println(refused.Offers)
	}
	// Output: [last 3 full months trailing 3 months]
}

// Each step says which words it comes from and which days it leaves.
func ExampleExplain() {
	n, err := span.Parse("this month so far, only weekends")
	if err != nil {
		panic(err)
	}
	r, err := span.Explain(n, span.Scope{AsOf: civil.Of(2026, 10, 9)})
	if err != nil {
		panic(err)
	}
	for _, s := range r.Steps {
		fmt.Println(s.Words, s.Days)
	}
	// Output:
	// this month 2026-10-01/2026-10-31
	// so far 2026-10-01/2026-10-09
	// only Sat/Sun 2026-10-03/2026-10-04
}

// A rehearsal lists the as-of days on which a span behaves otherwise than before.
func ExampleRehearse() {
	n, err := span.Parse("last full month")
	if err != nil {
		panic(err)
	}
	turns, err := span.Rehearse(context.Background(), n, span.Scope{AsOf: asOf}, 30)
	if err != nil {
		panic(err)
	}
	for _, t := range turns {
		fmt.Println(t.First, t.Change, t.From)
	}
	// Output:
	// 2026-10-19 begins 2026-09-01/2026-09-30
	// 2026-11-01 rolls over 2026-10-01/2026-10-31
}
