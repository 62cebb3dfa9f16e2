package civil

import "encoding/json"

// An interval in JSON has its first and its last day, both inside; null on a side that is open.
type intervalJSON struct {
	FirstDay *Day `json:"first_day"`
	LastDay  *Day `json:"last_day"`
}

// MarshalJSON writes the first and the last day.
func (v Interval) MarshalJSON() ([]byte, error) {
	var j intervalJSON
	if v.Start != OpenStart {
		first := v.First()
		j.FirstDay = &first
	}
	if v.End != OpenEnd {
		last := v.Last()
		j.LastDay = &last
	}
	return json.Marshal(j)
}

// UnmarshalJSON reads what MarshalJSON writes.
func (v *Interval) UnmarshalJSON(data []byte) error {
	var j intervalJSON
	if err := json.Unmarshal(data, &j); err != nil {
		return err
	}
	*v = AllDays
	if j.FirstDay != nil {
		v.Start = *j.FirstDay
	}
	if j.LastDay != nil {
		v.End = *j.LastDay + 1
	}
	return nil
}

// MarshalJSON writes the set's intervals as a list.
func (s Set) MarshalJSON() ([]byte, error) {
	list := make([]Interval, 0, s.Len())
	for v := range s.Intervals() {
		list = append(list, v)
	}
	return json.Marshal(list)
}

// UnmarshalJSON reads a list of intervals.
func (s *Set) UnmarshalJSON(data []byte) error {
	var list []Interval
	if err := json.Unmarshal(data, &list); err != nil {
		return err
	}
	*s = Union(list...)
	return nil
}
