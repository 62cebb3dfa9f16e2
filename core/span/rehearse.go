package span

import (
	"context"

	"vastspan/core/civil"
)

// Motion says how a span's days go along with the as-of day while nothing special happens.
type Motion string

// The motions.
const (
	Stays   Motion = "stays"    // the same days on each
	Grows   Motion = "grows"    // the first day stays, the last goes along
	Shrinks Motion = "shrinks"  // the last day stays, the first goes along
	Slides  Motion = "slides"   // both go along
	MovesOn Motion = "moves on" // some of these by turns
)

// Change says what happens to a span on an as-of day that is unlike the day before.
type Change string

// The changes.
const (
	Begins    Change = "begins"            // the rehearsal's first day
	RollsOver Change = "rolls over"        // it lets a unit go and takes the next
	Jumps     Change = "jumps"             // it goes back, or changes otherwise
	Empties   Change = "becomes empty"     // it has no days from here on
	Fills     Change = "becomes non-empty" // it has days again
	Fails     Change = "fails"             // it gives an error from here on
	Recovers  Change = "recovers"          // it gives days again after an error
)

// A Turn is a run of as-of days over which a span behaves in one way, and the change it begins with.
type Turn struct {
	First  civil.Day `json:"first_as_of"`
	Last   civil.Day `json:"last_as_of"`
	Change Change    `json:"change"`
	Motion Motion    `json:"then"`
	// From and To are the days that the span gives on the first and on the last as-of day.
	From civil.Set `json:"from"`
	To   civil.Set `json:"to"`
	// Err is the error that it gives instead; nil otherwise.
	Err *Error `json:"error,omitempty"`
}

// DefaultRehearsal is how many as-of days a rehearsal covers unless more or fewer are asked for.
const DefaultRehearsal = 400

// Rehearse reads a span on a run of as-of days, from the scope's own on, and squeezes them to the
// days on which it changes kind: rolls over, becomes empty, fills again, jumps. The run ends early
// at the last day there is. The error is that of the context, or ErrTooLong.
func Rehearse(ctx context.Context, n Node, s Scope, days int) ([]Turn, error) {
	turns := []Turn{}
	last := min(s.AsOf+civil.Day(days)-1, civil.MaxDay)
	for ; s.AsOf <= last; s.next() {
		if err := s.GoOn(ctx); err != nil {
			return nil, err
		}
		set, err := resolved(n, s)
		if 2*(len(turns)+1)*set.Len() > MaxListed {
			return nil, ErrTooLong
		}
		if len(turns) == 0 {
			turns = append(turns, Turn{First: s.AsOf, Last: s.AsOf, Change: Begins, Motion: Stays, From: set, To: set, Err: err})
			continue
		}
		t := &turns[len(turns)-1]
		change, motion := compareTurns(t.To, t.Err, set, err)
		if change != "" {
			turns = append(turns, Turn{First: s.AsOf, Last: s.AsOf, Change: change, Motion: Stays, From: set, To: set, Err: err})
			continue
		}
		switch {
		case t.First == t.Last:
			t.Motion = motion
		case t.Motion != motion:
			t.Motion = MovesOn
		}
		t.Last, t.To = s.AsOf, set
	}
	return turns, nil
}

// resolved is Resolve with the error as what it is; of a span of moments, the days that hold any of them.
func resolved(n Node, s Scope) (civil.Set, *Error) {
	set, err := Resolve(n, s)
	if refused, ok := err.(*Error); ok && refused.Timed {
		var moments civil.MomentSet
		if moments, err = ResolveMoments(n, s); err == nil {
			set = s.Clock.Days(moments)
		}
	}
	if err != nil {
		return set, asError(err)
	}
	return set, nil
}

// next goes to the next as-of day; an as-of moment keeps its time.
func (s *Scope) next() {
	s.AsOf++
	if s.HasNow {
		s.Now, _ = s.Clock.Shift(s.Now, 1)
	}
}

// step is the farthest that an edge goes along from one as-of day to the next; a whole week is a
// unit let go.
const step = 6

// compareTurns returns what became of a span from one as-of day to the next: a change, or else a motion.
func compareTurns(before civil.Set, beforeErr *Error, after civil.Set, afterErr *Error) (Change, Motion) {
	switch {
	case beforeErr != nil && afterErr != nil:
		return "", Stays
	case afterErr != nil:
		return Fails, ""
	case beforeErr != nil:
		return Recovers, ""
	case before.Equal(after):
		return "", Stays
	case after.Empty():
		return Empties, ""
	case before.Empty():
		return Fills, ""
	}
	b, a := before.Bounds(), after.Bounds()
	start, end := a.Start-b.Start, a.End-b.End
	switch {
	case start < 0 || end < 0 && start == 0:
		return Jumps, ""
	case start > step || end > step || end < 0:
		return RollsOver, ""
	case start == 0 && end > 0:
		return "", Grows
	case start > 0 && end == 0:
		return "", Shrinks
	case start > 0:
		return "", Slides
	}
	return "", MovesOn // the outer days are the same, those inside are not
}
