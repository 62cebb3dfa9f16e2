package dataset_test

import (
	"fmt"

	"vastspan/core/dataset"
)

// Several values of one column and sign are alternatives.
func ExampleParseFilters() {
	filters, err := dataset.ParseFilters([]string{"route=Gull Rock", "route=", "fare between 10 and 20"})
	if err != nil {
		panic(err)
	}
	for _, f := range filters {
		fmt.Println(f)
	}
	// Output:
	// route is Gull Rock or (blank)
	// fare between 10 and 20
}
