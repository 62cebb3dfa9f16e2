package span

import (
	"context"
	"crypto/sha256"
	"encoding/binary"
	"fmt"
	"slices"

	"vastspan/core/civil"
)

// A Finding is one problem found among spans, and what to do about it.
type Finding struct {
	Kind   FindingKind `json:"kind"`
	Spans  []string    `json:"spans"` // as they were given
	Text   string      `json:"text"`
	Advice string      `json:"advice"`
	// Caution is the kind of a caution.
	Caution CautionKind `json:"caution,omitempty"`
	// AsOf are the as-of days it was found on, in order.
	AsOf []civil.Day `json:"as_of"`
}

// FindingKind identifies findings for programs.
type FindingKind string

// The findings.
const (
	Refused    FindingKind = "refused"     // it gives an error
	FoundEmpty FindingKind = "no-days"     // it has no days
	SameDays   FindingKind = "same-days"   // two have the same days
	Overlap    FindingKind = "overlap"     // two share some days
	Gap        FindingKind = "gap"         // days between neighbours are in none
	Cautioned  FindingKind = "caution"     // it carries a caution
	UnlikePair FindingKind = "unlike-pair" // a span and the one it is a move of differ in length
)

// FindingKinds lists the kinds of findings.
var FindingKinds = []FindingKind{Refused, FoundEmpty, SameDays, Overlap, Gap, Cautioned, UnlikePair}

// A Member is one of the spans that are checked together.
type Member struct {
	Name string // how findings name it
	Node Node
	Err  error // why it has no Node
}

// Check looks at spans that are meant to go together, as of one day: which give errors or no days,
// share days or leave gaps, carry cautions, or are compared with a period of another length.
func Check(ctx context.Context, members []Member, s Scope) ([]Finding, error) {
	c := checker{scope: s, findings: []Finding{}}
	sets := make([]civil.Set, len(members))
	moments := make([]civil.MomentSet, len(members))
	timed := false
	for i, m := range members {
		if err := s.GoOn(ctx); err != nil {
			return nil, err
		}
		if r := c.member(m); r.Moments != nil {
			moments[i], timed = r.Moments.MomentSet, true
		} else {
			sets[i], moments[i] = r.Days, s.Clock.Moments(r.Days)
		}
	}
	if timed { // days are compared with moments as those of the clock
		return c.findings, c.moments(ctx, members, moments)
	}
	for i := range members {
		if err := s.GoOn(ctx); err != nil {
			return nil, err
		}
		for j := range i {
			s.Meter.Spend(sets[j].Len() + sets[i].Len())
			c.pair(members[j], sets[j], members[i], sets[i])
		}
	}
	c.gaps(members, sets)
	return c.findings, nil
}

type checker struct {
	scope    Scope
	findings []Finding
}

func (c *checker) add(k FindingKind, advice, text string, spans ...string) {
	c.findings = append(c.findings, Finding{Kind: k, Spans: spans, Text: text, Advice: advice, AsOf: []civil.Day{c.scope.AsOf}})
}

const (
	refusedAdvice = "change the expression, or the calendar or span that it names"
	tooMuchAdvice = "check it by itself, or over fewer days"
	emptyAdvice   = "it will contain no records; if that is not intended, remove modifiers one at a time to find the cause"
	overlapAdvice = "where figures of both are added up, these days count twice: cut one with except, or total over the union (or)"
	gapAdvice     = "extend one of the two to the other, if the days between are meant to count"
	clockAdvice   = "say which moments are meant: by a time that the clock shows once, or from one day until the next"
	sameAdvice    = "keep one of the names, or find out which of them does not say what is meant"
)

// moments looks at spans of moments in pairs, and at what is between neighbours.
func (c *checker) moments(ctx context.Context, members []Member, sets []civil.MomentSet) error {
	text := func(v civil.Moments) string { return c.scope.Clock.FormatRun(v) }
	for i := range members {
		if err := c.scope.GoOn(ctx); err != nil {
			return err
		}
		for j := range i {
			c.scope.Meter.Spend(sets[j].Len() + sets[i].Len())
			both, any := sets[i].Shared(sets[j])
			switch {
			case !any:
			case sets[i].Equal(sets[j]):
				c.add(SameDays, sameAdvice, "both have the same moments: "+text(both), members[j].Name, members[i].Name)
			default:
				c.add(Overlap, overlapAdvice, "they share "+text(both), members[j].Name, members[i].Name)
			}
		}
	}
	all := civil.UnionOf(sets...)
	for i := 1; i < all.Len(); i++ {
		gap := civil.Moments{Start: all.At(i - 1).End, End: all.At(i).Start}
		within := func(s civil.MomentSet) bool {
			h := s.Bounds()
			return !s.Empty() && h.Start < gap.Start && h.End > gap.End
		}
		if slices.ContainsFunc(sets, within) {
			continue
		}
		before := slices.IndexFunc(sets, func(s civil.MomentSet) bool { return s.Contains(gap.Start - 1) })
		after := slices.IndexFunc(sets, func(s civil.MomentSet) bool { return s.Contains(gap.End) })
		c.add(Gap, gapAdvice, text(gap)+" between them is in none", members[before].Name, members[after].Name)
	}
	return nil
}

// member looks at one span by itself and gives what it denotes.
func (c *checker) member(m Member) Resolution {
	if m.Err != nil {
		c.add(Refused, refusedAdvice, m.Err.Error(), m.Name)
		return Resolution{}
	}
	r, err := Explain(m.Node, c.scope)
	if err != nil {
		c.add(Refused, refusedAdvice, err.Error(), m.Name)
		return Resolution{}
	}
	for _, caution := range r.Cautions {
		if caution.Kind == NoDays {
			c.add(FoundEmpty, emptyAdvice, caution.Text, m.Name)
			continue
		}
		c.add(Cautioned, cautionAdvice(caution.Kind), caution.Text, m.Name)
		c.findings[len(c.findings)-1].Caution = caution.Kind
	}
	return r
}

// cautionAdvice says what to do about a caution.
func cautionAdvice(k CautionKind) string {
	switch k {
	case Idle:
		return "leave the modifier out, or put it where it cuts"
	case ShortMove:
		return "move by the unit itself or a longer one"
	case OtherDays:
		return "add only business days where the other days are not to count"
	case ClockChange, TwoPieces:
		return clockAdvice
	case HolidaysUnknown:
		return "add the missing years to the holiday list"
	}
	return "compare by weeks (52 weeks earlier) where the weekday matters more than the date"
}

// pair looks at two spans together.
func (c *checker) pair(a Member, as civil.Set, b Member, bs civil.Set) {
	if as.Empty() || bs.Empty() {
		return
	}
	for _, moved := range []struct {
		of, m  Member
		ofs, s civil.Set
	}{{a, b, as, bs}, {b, a, bs, as}} {
		if isMoveOf(moved.m.Node, moved.of) {
			c.lengths(moved.of, moved.ofs, moved.m, moved.s)
		}
	}
	if as.Equal(bs) {
		c.add(SameDays, sameAdvice, fmt.Sprintf("both have the same days: %s", short(as)), a.Name, b.Name)
		return
	}
	if both := as.Intersect(bs); !both.Empty() {
		c.add(Overlap, overlapAdvice,
			fmt.Sprintf("they share %s", short(both)), a.Name, b.Name)
	}
}

// isMoveOf reports whether a span is a move of another, by name or by its expression.
func isMoveOf(n Node, of Member) bool {
	m, ok := n.(*Move)
	if !ok {
		return false
	}
	for ok {
		n = m.X
		m, ok = n.(*Move)
	}
	return n.String() == of.Name || of.Node != nil && n.String() == of.Node.String()
}

// lengths looks at a span and the one that it is a move of.
func (c *checker) lengths(of Member, ofs civil.Set, m Member, ms civil.Set) {
	if ofs.Open() || ms.Open() {
		return
	}
	a, b := ofs.Days(), ms.Days()
	if UnlikeLengths(a, b) {
		c.add(UnlikePair, "compare means instead of sums, or move by a unit that keeps the length",
			fmt.Sprintf("%d days compared with %d", a, b), of.Name, m.Name)
	}
}

// gaps looks for days between neighbouring spans that are in none of them.
func (c *checker) gaps(members []Member, sets []civil.Set) {
	var all civil.Set
	for _, s := range sets {
		all = all.Union(s)
	}
	for i := 1; i < all.Len(); i++ {
		gap := civil.Interval{Start: all.At(i - 1).End, End: all.At(i).Start}
		if insideOne(sets, gap) {
			continue
		}
		before, after := members[endingAt(sets, gap.Start)].Name, members[startingAt(sets, gap.End)].Name
		c.add(Gap, gapAdvice,
			fmt.Sprintf("%s between them is in none", short(civil.SetOf(gap))), before, after)
	}
}

// insideOne reports whether a gap is within a single span, between intervals of its own.
func insideOne(sets []civil.Set, gap civil.Interval) bool {
	return slices.ContainsFunc(sets, func(s civil.Set) bool {
		h := s.Bounds()
		return !s.Empty() && h.Start < gap.Start && h.End > gap.End
	})
}

func endingAt(sets []civil.Set, d civil.Day) int {
	return slices.IndexFunc(sets, func(s civil.Set) bool {
		for v := range s.Intervals() {
			if v.End == d {
				return true
			}
		}
		return false
	})
}

func startingAt(sets []civil.Set, d civil.Day) int {
	return slices.IndexFunc(sets, func(s civil.Set) bool {
		for v := range s.Intervals() {
			if v.Start == d {
				return true
			}
		}
		return false
	})
}

// short writes a set's outer days and its number of days.
func short(s civil.Set) string {
	if s.Open() {
		return s.Bounds().String()
	}
	unit := "days"
	if s.Days() == 1 {
		unit = "day"
	}
	return fmt.Sprintf("%s, %d %s", s.Bounds(), s.Days(), unit)
}

// CheckYear looks at each span by itself over a run of as-of days, and at those that have the same
// days on every one of them. Findings of the same kind and span are put together.
func CheckYear(ctx context.Context, members []Member, s Scope, days int) ([]Finding, error) {
	c := checker{scope: s, findings: []Finding{}}
	last := min(s.AsOf+civil.Day(days)-1, civil.MaxDay)
	twins := map[[sha256.Size]byte][]string{}
	for _, m := range members {
		if err := s.GoOn(ctx); err != nil {
			return nil, err
		}
		if m.Err != nil {
			c.add(Refused, refusedAdvice, m.Err.Error(), m.Name)
			continue
		}
		own := s.Meter.part(len(members)) // one that takes too long does not keep the others from being checked
		var failed, empty []civil.Day
		var firstErr error
		course, edges := sha256.New(), []byte(nil)
		scope := s
		for ; scope.AsOf <= last; scope.next() {
			if scope.Meter = own; own.over() {
				break
			}
			if err := scope.GoOn(ctx); err != nil {
				return nil, err
			}
			set, err := Resolve(m.Node, scope)
			edges = edges[:0]
			if refused, ok := err.(*Error); ok && refused.Timed {
				var moments civil.MomentSet
				if moments, err = ResolveMoments(m.Node, scope); err == nil {
					set = scope.Clock.Days(moments)
				}
				for v := range moments.Runs() {
					edges = binary.LittleEndian.AppendUint64(edges, uint64(v.Start))
					edges = binary.LittleEndian.AppendUint64(edges, uint64(v.End))
				}
			}
			switch {
			case err != nil:
				failed = append(failed, scope.AsOf)
				if firstErr == nil {
					firstErr = err
				}
			case set.Empty():
				empty = append(empty, scope.AsOf)
			}
			s.Meter.Spend(set.Len())
			edges = binary.LittleEndian.AppendUint64(edges, uint64(set.Len()))
			for v := range set.Intervals() {
				edges = binary.LittleEndian.AppendUint32(edges, uint32(v.Start))
				edges = binary.LittleEndian.AppendUint32(edges, uint32(v.End))
			}
			_, _ = course.Write(edges) // a hash takes everything
		}
		if own.over() {
			c.add(Refused, tooMuchAdvice, fmt.Sprintf("it goes through more than %d days and periods: too many to be checked over %d as-of days",
				own.limit, days), m.Name)
			continue
		}
		if len(failed) > 0 {
			c.findings = append(c.findings, Finding{
				Kind: Refused, Spans: []string{m.Name}, Text: firstErr.Error(), Advice: refusedAdvice, AsOf: failed,
			})
		}
		if len(empty) > 0 {
			c.findings = append(
				c.findings,
				Finding{
					Kind: FoundEmpty, Spans: []string{m.Name}, Advice: emptyAdvice, AsOf: empty,
					Text: fmt.Sprintf("no days on %d of %d as-of days", len(empty), days),
				},
			)
		}
		if len(failed)+len(empty) < days {
			sum := [sha256.Size]byte(course.Sum(nil))
			twins[sum] = append(twins[sum], m.Name)
		}
	}
	for _, m := range members { // in the order of the members
		for course, names := range twins {
			if len(names) > 1 && names[0] == m.Name {
				c.add(SameDays, sameAdvice, fmt.Sprintf("the same days on each of %d as-of days", days), names...)
				delete(twins, course)
			}
		}
	}
	return c.findings, nil
}
