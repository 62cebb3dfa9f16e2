package calendar_test

import (
	"fmt"

	"vastspan/core/calendar"
	"vastspan/core/civil"
)

// A fiscal year that starts in April.
func ExampleBuild() {
	april, err := calendar.Build(calendar.Spec{Name: "april", Kind: calendar.KindMonths, YearStarts: "04-01", YearLabel: "starting"}, nil)
	if err != nil {
		panic(err)
	}
	day := civil.Of(2026, 10, 19)
	quarter, err := april.Containing(calendar.Quarter, day)
	if err != nil {
		panic(err)
	}
	label, err := april.Label(calendar.Quarter, day)
	if err != nil {
		panic(err)
	}
	fmt.Println(label, quarter)
	// Output: Q3 FY2026/27 2026-10-01/2026-12-31
}

// A month later than 31 January is the last day of February, and that is reported.
func ExampleCalendar_Move() {
	day, clamped, err := calendar.Civil.Move(civil.Of(2026, 1, 31), 1, calendar.Month)
	fmt.Println(day, clamped, err)
	// Output: 2026-02-28 true <nil>
}
