package query

import (
	"strings"
	"testing"

	"vastspan/core/civil"
)

func TestParseState(t *testing.T) {
	clock, err := civil.ReadClock("Europe/Lisbon", "")
	if err != nil {
		t.Fatal(err)
	}
	nine, err := civil.UTC.Parse("2026-07-05T08:00")
	if err != nil {
		t.Fatal(err)
	}
	for text, want := range map[string]State{
		"load 12": {Load: 12}, " receipt 4 ": {Receipt: 4}, "2026-07-05T09:00": {Moment: nine.Moment}, "2026-07-05T08:00Z": {Moment: nine.Moment},
	} {
		if got, err := ParseState(text, clock); err != nil || got != want {
			t.Errorf("%q is %+v, %v, want %+v", text, got, err, want)
		}
	}
	for text, want := range map[string]string{
		"2026-07-05": "2026-07-05T00:00 is before the day, 2026-07-06T00:00 after it", "load x": "such as load 12", "receipt 0": "such as receipt 12",
		"yesterday": "or load 12, or receipt 4", "": "or load 12", "2026-02-30T09:00": "2026-02 has no day 30", "2026": "or load 12",
	} {
		if got, err := ParseState(text, clock); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q is %+v, %v, want %q", text, got, err, want)
		}
	}
}
