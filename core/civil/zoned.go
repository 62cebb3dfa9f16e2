package civil

import (
	"encoding/json"
	"fmt"
	"strings"
)

// Zoned is moments as a clock shows them.
type Zoned struct {
	Clock
	MomentSet
}

// MarshalJSON writes a list of runs with start and end (RFC 3339); null for an open side.
func (z Zoned) MarshalJSON() ([]byte, error) {
	type run struct {
		Start *string `json:"start"`
		End   *string `json:"end"`
	}
	list := []run{}
	for v := range z.Runs() {
		var r run
		if v.Start != BeginningOfTime {
			text := z.Format(v.Start)
			r.Start = &text
		}
		if v.End != EndOfTime {
			text := z.Format(v.End)
			r.End = &text
		}
		list = append(list, r)
	}
	return json.Marshal(list)
}

// UnmarshalJSON reads what MarshalJSON writes; the clock stays as it is.
func (z *Zoned) UnmarshalJSON(data []byte) error {
	var list []struct{ Start, End *string }
	if err := json.Unmarshal(data, &list); err != nil {
		return err
	}
	runs := make([]Moments, len(list))
	for i, r := range list {
		runs[i] = Moments{BeginningOfTime, EndOfTime}
		for _, side := range []struct {
			text *string
			to   *Moment
		}{{r.Start, &runs[i].Start}, {r.End, &runs[i].End}} {
			if side.text == nil {
				continue
			}
			at, err := z.Parse(*side.text)
			if err != nil {
				return err
			}
			*side.to = at.Moment
		}
	}
	z.MomentSet = MomentsOf(runs...)
	return nil
}

// Text returns the runs as start/end, joined by semicolons.
func (z Zoned) Text() string {
	var runs []string
	for v := range z.Runs() {
		runs = append(runs, z.FormatRun(v))
	}
	return strings.Join(runs, ";")
}

// ParseMoments reads runs as Text writes them, whose moments have offsets.
func ParseMoments(text string) (MomentSet, error) {
	var runs []Moments
	for _, part := range strings.Split(text, ";") {
		start, end, ok := strings.Cut(part, "/")
		if !ok {
			return MomentSet{}, fmt.Errorf("%q: expected START/END", part)
		}
		run := Moments{BeginningOfTime, EndOfTime}
		for _, side := range []struct {
			text string
			to   *Moment
		}{{start, &run.Start}, {end, &run.End}} {
			if side.text == ".." {
				continue
			}
			at, err := UTC.Parse(side.text)
			if err != nil {
				return MomentSet{}, err
			}
			*side.to = at.Moment
		}
		runs = append(runs, run)
	}
	return MomentsOf(runs...), nil
}
