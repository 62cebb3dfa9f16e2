package query_test

import (
	"fmt"

	"vastspan/core/query"
)

// A query reads the same from flags, an address, a span book and a line.
func ExampleParse() {
	q, err := query.Parse("dataset=crossings; over=last full month; figures=sum fare; by=route; where=channel=web; against=1 year earlier")
	if err != nil {
		panic(err)
	}
	for _, p := range q.Pairs() {
		fmt.Println(p.Key, "is", p.Value)
	}
	// Output:
	// dataset is crossings
	// over is last full month
	// figures is sum fare
	// by is route
	// where is channel=web
	// against is 1 year earlier
}

// Other records are named with the columns that stand for those of the query.
func ExampleParseOther() {
	o, err := query.ParseOther("plan fare=planned_fare by month")
	if err != nil {
		panic(err)
	}
	fmt.Println(o.Dataset, o.Columns["fare"], o.Date)
	// Output: plan planned_fare month
}
