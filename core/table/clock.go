package table

import "vastspan/core/civil"

// SetClock states the clock of an answer that has times.
func (a *Answer) SetClock(c civil.Clock) {
	if a.Zone = c.Zone().String(); c.DayStarts() > 0 {
		a.DayStarts = c.DayStarts().String()
	}
}

// ReadClock sets the clock of the moments of an answer that was read from JSON.
func (a *Answer) ReadClock() error {
	if a.Zone == "" {
		return nil
	}
	clock, err := civil.ReadClock(a.Zone, a.DayStarts)
	if err != nil {
		return err
	}
	a.extents(func(e *Extent) {
		if e.Moments != nil {
			e.Moments.Clock = clock
		}
	})
	return nil
}

// extents yields every extent of the answer.
func (a *Answer) extents(yield func(*Extent)) {
	for i := range a.Spans {
		sp := &a.Spans[i]
		yield(&sp.Extent)
		for j := range sp.Comparisons {
			yield(&sp.Comparisons[j].Extent)
		}
	}
	for i := range a.Tables {
		for j := range a.Tables[i].Rows {
			r := &a.Tables[i].Rows[j]
			yield(&r.Extent)
			for k := range r.Comparisons {
				yield(&r.Comparisons[k])
			}
		}
	}
}
