package measure_test

import (
	"fmt"

	"vastspan/core/decimal"
	"vastspan/core/measure"
)

// A figure has one notation everywhere.
func ExampleParseFigure() {
	f, err := measure.ParseFigure("sum fare")
	if err != nil {
		panic(err)
	}
	fmt.Println(f, "|", f.Name(), "|", f.Words())
	// Output: sum fare | sum_fare | sum of fare
}

// A change is the difference by the size of what it is from.
func ExampleCompare() {
	now, err := decimal.Parse("30695.02")
	if err != nil {
		panic(err)
	}
	before, err := decimal.Parse("32517.99")
	if err != nil {
		panic(err)
	}
	c, err := measure.Compare(decimal.FractionOf(now), decimal.FractionOf(before))
	if err != nil {
		panic(err)
	}
	fmt.Println(c.Difference, c.Change)
	// Output: -1822.97 -0.0560603530538
}
