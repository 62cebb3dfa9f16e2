package book_test

import (
	"context"
	"fmt"

	"vastspan/core/book"
	"vastspan/core/civil"
	"vastspan/core/query"
)

// A span book names spans and calendars; its library resolves them.
func ExampleRead() {
	l, err := book.Read([]byte(`
book: 1
calendars:
  - {name: april, kind: months, year-starts: 04-01, year-label: starting}
spans:
  - {name: season, is: "year to date, in april"}
`))
	if err != nil {
		panic(err)
	}
	r, err := l.Resolve(context.Background(), []string{"@season", "@seasn"}, civil.AsOf{Day: civil.Of(2026, 10, 19)}, query.Context{}, false)
	if err != nil {
		panic(err)
	}
	for _, one := range r.Resolutions {
		fmt.Println(one.Expression, one.Intervals, one.Error)
	}
	// Output:
	// @season 2026-04-01/2026-10-19 <nil>
	// @seasn  column 1: no span is named @seasn; did you mean @season
}
