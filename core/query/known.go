package query

import (
	"errors"
	"fmt"
	"strconv"
	"strings"

	"vastspan/core/civil"
)

// A State names a state of the records of datasets: as they were known at a moment, after a load, or when a receipt was made
// (semantics §13).
type State struct {
	Load, Receipt int64 // at most one of them; none for a moment
	Moment        civil.Moment
}

// ParseState reads a moment, such as 2026-10-05T09:00, by a clock where it has no offset; load 12; or receipt 4. Errors say what is
// expected; of a day alone they name both moments that could be meant.
func ParseState(text string, clock civil.Clock) (State, error) {
	text = strings.TrimSpace(text)
	if kind, number, ok := strings.Cut(text, " "); ok && (kind == "load" || kind == "receipt") {
		n, err := strconv.ParseInt(strings.TrimSpace(number), 10, 64)
		switch {
		case err != nil || n < 1:
			return State{}, fmt.Errorf("%q: expected %s and its number, such as %s 12", text, kind, kind)
		case kind == "load":
			return State{Load: n}, nil
		}
		return State{Receipt: n}, nil
	}
	if text == "" || text[0] < '0' || text[0] > '9' {
		return State{}, fmt.Errorf("%q: expected a moment, such as 2026-10-05T09:00, or load 12, or receipt 4", text)
	}
	if d, err := civil.ParseDay(text); err == nil {
		return State{}, fmt.Errorf("%q: expected a moment: %sT00:00 is before the day, %sT00:00 after it", text, d, d+1)
	}
	r, err := clock.Parse(text)
	if errors.Is(err, civil.ErrNoTime) {
		err = fmt.Errorf("%q: expected a moment, such as 2026-10-05T09:00, or load 12, or receipt 4", text)
	}
	return State{Moment: r.Moment}, err
}
