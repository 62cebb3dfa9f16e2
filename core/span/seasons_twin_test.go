package span

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/event"
)

// eventsOfTwin are the events that the twin knows, each as the days of its occurrences.
var eventsOfTwin = map[string][]civil.Interval{}

func init() {
	rng := rand.New(rand.NewPCG(3, 4))
	for y := 1995; y <= 2045; y++ {
		spring := civil.Of(y, 3, 20) + civil.Day(rng.IntN(35))
		eventsOfTwin["spring"] = append(eventsOfTwin["spring"], civil.One(spring))
		winter := civil.Of(y, 12, 15) + civil.Day(rng.IntN(10))
		eventsOfTwin["winter"] = append(eventsOfTwin["winter"], civil.Interval{Start: winter, End: winter + civil.Day(5+rng.IntN(20))})
		for m := 1; m <= 12; m += 1 + rng.IntN(5) {
			storm := civil.Of(y, m, 2+rng.IntN(20))
			eventsOfTwin["storm"] = append(eventsOfTwin["storm"], civil.Interval{Start: storm, End: storm + civil.Day(1+rng.IntN(4))})
		}
	}
}

type twinNames struct{}

func (twinNames) Span(string) (Node, *calendar.Calendar, error) { return nil, nil, fmt.Errorf("none") }
func (twinNames) Calendar(string) (*calendar.Calendar, error)   { return calendar.Civil, nil }

func (twinNames) Event(name string) (*event.List, error) {
	var list []event.Occurrence
	for _, v := range eventsOfTwin[name] {
		list = append(list, event.Occurrence{Days: v})
	}
	return event.New(name, list, 0, 0, true)
}

// inPart reports whether a day is in a part, from marks alone.
func (w *twin) inPart(part Part) func(civil.Day) bool {
	switch p := part.(type) {
	case BusinessDays:
		return w.business
	case OnWeekdays:
		return func(d civil.Day) bool { return civil.Weekdays(p).Has(d.Weekday()) }
	case InMonths:
		return func(d civil.Day) bool {
			month := 0
			fmt.Sscanf(d.String()[5:7], "%d", &month)
			return p.has(month)
		}
	case DuringEvent:
		return func(d civil.Day) bool { return occurrenceAt(string(p), d) >= 0 }
	case Recurring:
		return func(d civil.Day) bool { return w.recurs(p, d) }
	}
	panic("a part that the twin does not know")
}

// occurrenceAt looks through every occurrence of an event for a day; -1 where none holds it.
func occurrenceAt(name string, d civil.Day) int {
	for i, v := range eventsOfTwin[name] {
		if v.Contains(d) {
			return i
		}
	}
	return -1
}

// recurs finds the unit that a day is in, counts those of the longer unit in which it starts by walking through it, and sees
// which number it has from either end.
func (w *twin) recurs(p Recurring, d civil.Day) bool {
	starts := func(d civil.Day) bool {
		switch {
		case p.ByWeekday:
			return d.Weekday() == p.Weekday
		case p.Unit == calendar.BusinessDay:
			return w.business(d)
		}
		return w.begin(p.Unit, w.id(p.Unit, d)) == d
	}
	start := d
	if !p.ByWeekday && p.Unit != calendar.BusinessDay {
		start = w.begin(p.Unit, w.id(p.Unit, d))
	}
	if !starts(start) {
		return false
	}
	each := w.id(p.Each, start)
	before, after := 0, 0
	for e := start - 1; w.id(p.Each, e) == each; e-- {
		if starts(e) {
			before++
		}
	}
	for e := start + 1; w.id(p.Each, e) == each; e++ {
		if starts(e) {
			after++
		}
	}
	switch p.Pick {
	case FirstOnes:
		return before < p.Through
	case LastOnes:
		return after < p.Through
	}
	return before+1 >= p.From && before+1 <= p.Through
}

// season answers the forms of weekdays and events; known is false for any other.
func (w *twin) season(n Node, s stand, atClose bool) (set civil.Set, ok, known bool) {
	a := w.day(s, 0)
	one := func(x Node) (civil.Interval, bool) {
		set, ok := w.days(x, s, atClose)
		return set.Bounds(), ok && set.Len() == 1
	}
	weekday := func(of Node, day civil.Weekday, number int) (civil.Set, bool, bool) {
		v, ok := one(of)
		var found []civil.Day
		for d := v.Start; ok && d < v.End; d++ {
			if d.Weekday() == day {
				found = append(found, d)
			}
		}
		if number < 0 {
			number = len(found)
		}
		if !ok || number > len(found) || number == 0 {
			return civil.Set{}, false, true
		}
		return civil.SetOf(civil.One(found[number-1])), true, true
	}
	switch n := n.(type) {
	case *NthWeekday:
		return weekday(n.Of, n.Weekday, n.N)
	case *FirstLastWeekday:
		return weekday(n.Of, n.Weekday, map[bool]int{false: 1, true: -1}[n.Last])
	case *Event:
		return civil.Union(eventsOfTwin[n.Name]...), true, true
	case *EventOf:
		v, ok := one(n.Of)
		var found []civil.Interval
		for _, o := range eventsOfTwin[n.Name] {
			if v.Contains(o.Start) {
				found = append(found, o)
			}
		}
		return civil.Union(found...), ok, true
	case *NearEvent:
		var found []civil.Interval
		for _, o := range eventsOfTwin[n.Name] {
			over := o.Last() < a || atClose && o.Last() == a
			if n.Offset < 0 && over || n.Offset == 0 && o.Contains(a) || n.Offset > 0 && o.Start > a {
				found = append(found, o)
			}
		}
		switch {
		case len(found) == 0:
			return civil.Set{}, n.Offset == 0, true
		case n.Offset < 0:
			found = found[len(found)-1:]
		}
		return civil.SetOf(found[0]), true, true
	}
	return civil.Set{}, false, false
}

// season makes a random expression in which weekdays, recurring parts or events are.
func (g *grower) season(depth int) Node {
	base := []string{
		"this month", "this quarter", "this year", "last full month", "last 2 full quarters", "last full year", "year to date", "quarter to date",
		"trailing 12 months", "trailing 365 days excluding today", "next full half", "coming 100 days", "last 3 full weeks", "this week",
	}
	n, _ := Parse(base[g.rng.IntN(len(base))])
	names := []string{"spring", "winter", "storm"}
	name := names[g.rng.IntN(len(names))]
	if depth == 0 {
		return n
	}
	x := g.season(depth - 1)
	switch g.rng.IntN(12) {
	case 0, 1, 2, 3:
		part := g.part()
		if _, ok := part.(DuringEvent); ok {
			part = DuringEvent(name)
		}
		if r, ok := part.(Recurring); ok && r.Through > 90 {
			r.From, r.Through = 1, 3
			part = r
		}
		return &OnlyDays{x, part}
	case 4:
		return &NthWeekday{civil.Weekday(g.rng.IntN(7)), 1 + g.rng.IntN(5), n}
	case 5:
		return &FirstLastWeekday{g.yes(), civil.Weekday(g.rng.IntN(7)), x}
	case 6:
		return &EventOf{name, n}
	case 7:
		return &NearEvent{name, g.rng.IntN(3) - 1}
	case 8:
		if isChain(x) {
			return x // a chain of three is read as one
		}
		return &SetOp{Op(g.rng.IntN(3)), []Node{x, &Event{name}}}
	case 9:
		from, through := Point{Base: StartOf, Of: &EventOf{name, n}}, Point{Base: EndOf, Of: x}
		from.Steps = []Step{{-1 - g.rng.IntN(30), calendar.Day}}
		return &FromThrough{from, through, false}
	}
	units := []calendar.Unit{calendar.Day, calendar.Week, calendar.Month, calendar.Quarter, calendar.Year, calendar.BusinessDay}
	return &Move{x, []int{-2, -1, 1}[g.rng.IntN(3)], units[g.rng.IntN(len(units))]}
}

// Weekdays, recurring parts and events agree with a walk over days, over random expressions in every calendar.
func TestSeasonsAgainstTheTwin(t *testing.T) {
	cases := 20_000
	if testing.Short() {
		cases = 2_000
	}
	layouts := append(layoutCases, listed())
	twins := make([]*twin, len(layouts))
	for i, c := range layouts {
		twins[i] = newTwin(t, c)
	}
	g := &grower{rand.New(rand.NewPCG(11, 12))}
	answered := 0
	for range cases {
		w := twins[g.rng.IntN(len(twins))]
		n := g.season(1 + g.rng.IntN(3))
		asOf, atClose := civil.Of(2002, 1, 1)+civil.Day(g.rng.IntN(12_000)), g.yes()
		if back, err := Parse(n.String()); err != nil || back.String() != n.String() {
			t.Fatalf("%s is read as %v, %v", n, back, err)
		}
		want, ok := w.days(n, stand{base: asOf}, atClose)
		got, err := Resolve(n, Scope{AsOf: asOf, AtClose: atClose, Calendar: w.cal, Names: twinNames{}})
		if ok != (err == nil) || ok && !got.Equal(want) {
			t.Fatalf("%s in %s as of %s, at close %v: %v, %v; the twin finds %v, %v", n, w.cal.Name(), asOf, atClose, got, err, want, ok)
		}
		if ok {
			answered++
		}
	}
	if answered < cases*2/3 {
		t.Errorf("%d of %d have an answer: too few to show anything", answered, cases)
	}
}
