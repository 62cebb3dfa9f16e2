package book

import (
	"errors"

	"vastspan/core/civil"
	"vastspan/core/elapsed"
	"vastspan/core/query"
)

// Elapsed is what lies between two days or moments.
type Elapsed struct {
	From     civil.AsOf `json:"from"`
	To       civil.AsOf `json:"to"`
	Calendar string     `json:"calendar"`
	elapsed.Figures
}

// Elapsed returns what lies between two days in a calendar; between moments also the elapsed time, where a day is its
// start. bothEnds counts the last day, too.
func (l *Library) Elapsed(from, to civil.AsOf, c query.Context, bothEnds bool) (*Elapsed, error) {
	s, err := l.Scope(from, c)
	if err != nil {
		return nil, err
	}
	f, err := elapsed.Between(from.Day, to.Day, s.Calendar, bothEnds)
	if err != nil {
		return nil, &query.Error{Pointer: "/to", Err: err}
	}
	if from.Timed || to.Timed {
		if bothEnds {
			return nil, &query.Error{Pointer: "/both_ends", Err: errors.New("both ends are counted between days: a moment has no length")}
		}
		seconds := int64((to.Reach() - from.Reach()) / civil.Second)
		f.Seconds = &seconds
	}
	return &Elapsed{from, to, s.Calendar.Name(), f}, nil
}
