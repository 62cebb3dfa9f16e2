package civil_test

import (
	"fmt"

	"vastspan/core/civil"
)

// Two months that do not touch are a set of two intervals.
func ExampleUnion() {
	set := civil.Union(
		civil.Through(civil.Of(2026, 9, 1), civil.Of(2026, 9, 30)),
		civil.Through(civil.Of(2026, 11, 1), civil.Of(2026, 11, 30)),
	)
	fmt.Println(set, set.Len(), set.Contains(civil.Of(2026, 10, 1)))
	// Output: 2026-09-01/2026-09-30;2026-11-01/2026-11-30 2 false
}
