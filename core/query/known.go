package query

import (
	"errors"
	"fmt"
	"strconv"
	"strings"

	"vastspan/core/civil"
)

// A State names a state of the records of datasets: as they were known at a moment, or after a load (semantics §13).
type State struct {
	Load   int64 // 0 for a moment
	Moment civil.Moment
}

// ParseState reads a moment, such as 2026-10-05T09:00, by a clock where it has no offset; or load 12. Errors say what is expected; of
// a day alone they name both moments that could be meant.
func ParseState(text string, clock civil.Clock) (State, error) {
	text = strings.TrimSpace(text)
	if number, ok := strings.CutPrefix(text, "load "); ok {
		n, err := strconv.ParseInt(strings.TrimSpace(number), 10, 64)
		if err != nil || n < 1 {
			return State{}, fmt.Errorf("%q: expected load and its number, such as load 12", text)
		}
		return State{Load: n}, nil
	}
	if d, err := civil.ParseDay(text); err == nil {
		return State{}, fmt.Errorf("%q: expected a moment: %sT00:00 is before the day, %sT00:00 after it", text, d, d+1)
	}
	r, err := clock.Parse(text)
	if errors.Is(err, civil.ErrNoTime) {
		err = fmt.Errorf("%q: expected a moment, such as 2026-10-05T09:00, or a load, such as load 12", text)
	}
	return State{Moment: r.Moment}, err
}
