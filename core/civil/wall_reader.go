package civil

// A WallReader reads many times that a clock shows: it remembers the offset that it found last. It is for one goroutine.
type WallReader struct {
	Clock
	period period  // found last
	safe   Moments // what the clock shows that can only be of that period
}

// Reader returns a reader of times that the clock shows.
func (c Clock) Reader() *WallReader { return &WallReader{Clock: c} }

// Clone returns a reader for another goroutine.
func (r *WallReader) Clone() *WallReader { return &WallReader{Clock: r.Clock} }

// Read returns the moment at which the clock shows a time on a civil date, in microseconds from midnight: the earlier of two,
// and the first one after a gap.
func (r *WallReader) Read(date Day, within Moment) (Moment, Shown) {
	w := wallOf(date, 0) + within
	if r.safe.Contains(w) {
		return w - r.period.offset, Once
	}
	m, shown := r.fromWall(w)
	r.find(m)
	return m, shown
}

func (r *WallReader) find(m Moment) {
	if !r.period.Contains(m) {
		p := r.periodAt(m)
		// Offsets are within a day of one another: so far from a change nothing else shows the time.
		r.period, r.safe = p, Moments{p.Start + p.offset + dayLength, p.End + p.offset - dayLength}
	}
}

// DayOf returns the day of the clock that holds a moment.
func (r *WallReader) DayOf(m Moment) Day {
	r.find(m)
	if m < r.period.Start+2*dayLength || m >= r.period.End-2*dayLength { // a day may start late, or twice
		return r.Clock.DayOf(m)
	}
	return dateOf(m + r.period.offset - Moment(r.starts)*Second)
}

// Ahead returns how far what the clock shows at a moment is ahead of UTC.
func (r *WallReader) Ahead(m Moment) Moment {
	r.find(m)
	return r.period.offset
}

// DateAndTime returns the civil date and the time that the clock shows.
func (r *WallReader) DateAndTime(m Moment) (Day, Moment) {
	r.find(m)
	w := m + r.period.offset
	date := dateOf(w)
	return date, w - wallOf(date, 0)
}
