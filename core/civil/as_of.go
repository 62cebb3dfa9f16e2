package civil

import (
	"encoding/json"
	"time"
)

// An AsOf is the point in time that spans are read from: a day, or a moment of it where Timed, by a clock.
type AsOf struct {
	Clock
	Day    Day
	Moment Moment
	Timed  bool
	// Grain is the unit that the newest record stands for, where the day is that of a record that stands for more than its
	// day: the day is to become the last one of that unit, at close (semantics §1).
	Grain string
}

// String writes the day, or the moment with its offset.
func (a AsOf) String() string {
	if a.Timed {
		return a.Format(a.Moment)
	}
	return a.Day.String()
}

// Long writes it for people: Mon 19 Oct 2026, or Mon 19 Oct 2026, 14:30 +02:00.
func (a AsOf) Long() string {
	if !a.Timed {
		return a.Day.Long()
	}
	date, _ := a.DateAndTime(a.Moment)
	layout := "15:04 -07:00"
	if a.Moment%(60*Second) != 0 {
		layout = "15:04:05 -07:00"
	}
	return date.Long() + ", " + time.UnixMicro(int64(a.Moment)).In(a.Zone()).Format(layout)
}

// Reach returns the moment; of a day, its start.
func (a AsOf) Reach() Moment {
	if a.Timed {
		return a.Moment
	}
	return a.StartOf(a.Day)
}

// MarshalJSON writes the day, or the moment with its offset.
func (a AsOf) MarshalJSON() ([]byte, error) { return json.Marshal(a.String()) }

// UnmarshalJSON reads what MarshalJSON writes.
func (a *AsOf) UnmarshalJSON(data []byte) error {
	var text string
	if err := json.Unmarshal(data, &text); err != nil {
		return err
	}
	if d, err := ParseDay(text); err == nil {
		*a = AsOf{Clock: a.Clock, Day: d}
		return nil
	}
	r, err := a.Parse(text)
	*a = AsOf{Clock: a.Clock, Day: r.Day, Moment: r.Moment, Timed: true}
	return err
}
