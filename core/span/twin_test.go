package span

import (
	"fmt"
	"slices"
	"testing"
	"time"

	"vastspan/core/calendar"
	"vastspan/core/civil"
)

// The twin knows a calendar by walking its days one by one: it marks where each unit begins and
// looks nothing up. Everything it answers, it finds by counting days and marks.
const (
	twinFrom = civil.Day(726468) // 1990-01-01
	twinTo   = civil.Day(749478) // 2052-12-31
)

type twin struct {
	cal   *calendar.Calendar
	ids   map[calendar.Unit][]int // the running number of the unit that holds each day
	first map[calendar.Unit][]civil.Day
	works []bool
}

// A layoutCase is a calendar, and the obvious way to tell from a day alone whether a year begins.
type layoutCase struct {
	spec       calendar.Spec
	yearBegins func(d civil.Day) bool
	weeks      []int // the weeks of each period, nil where periods are months
}

func closes(d civil.Day, w civil.Weekday, month int, nearest bool) bool {
	if d.Weekday() != w {
		return false
	}
	if !nearest {
		_, m, _ := d.Date()
		_, next, _ := (d + 7).Date()
		return m == month && next != month
	}
	for e := d - 3; e <= d+3; e++ {
		if _, m, _ := e.Date(); m == month && e.IsMonthEnd() {
			return true
		}
	}
	return false
}

var layoutCases = []layoutCase{
	{calendar.Spec{Name: "civil", Kind: "months"}, nil, nil},
	{calendar.Spec{Name: "fiscal-april", Kind: "months", YearStarts: "04-01", YearLabel: "starting", WeekStarts: "sunday"}, nil, nil},
	{calendar.Spec{Name: "tax", Kind: "months", YearStarts: "04-06", YearLabel: "starting"}, nil, nil},
	{
		calendar.Spec{
			Name:      "nearest-445",
			Kind:      "weeks",
			Pattern:   "4-4-5",
			YearEnds:  &calendar.YearEnds{Day: "saturday", Rule: "nearest", Month: "january"},
			YearLabel: "starting",
		},
		func(d civil.Day) bool { return closes(d-1, civil.Saturday, 1, true) },
		[]int{4, 4, 5, 4, 4, 5, 4, 4, 5, 4, 4, 5},
	},
	{
		calendar.Spec{
			Name:      "last-544",
			Kind:      "weeks",
			Pattern:   "5-4-4",
			YearEnds:  &calendar.YearEnds{Day: "sunday", Rule: "last", Month: "december"},
			YearLabel: "ending",
			ExtraWeek: 3,
		},
		func(d civil.Day) bool { return closes(d-1, civil.Sunday, 12, false) },
		[]int{5, 4, 4, 5, 4, 4, 5, 4, 4, 5, 4, 4},
	},
	{
		calendar.Spec{
			Name:      "thirteen",
			Kind:      "weeks",
			Pattern:   "13x4",
			YearEnds:  &calendar.YearEnds{Day: "friday", Rule: "nearest", Month: "june"},
			YearLabel: "ending",
		},
		func(d civil.Day) bool { return closes(d-1, civil.Friday, 6, true) },
		[]int{4, 4, 4, 4, 4, 4, 4, 4, 4, 4, 4, 4, 4},
	},
}

// listed is the calendar "nearest-445" with every year's first day written down.
func listed() layoutCase {
	c := layoutCases[3]
	c.spec.Name, c.spec.YearEnds, c.spec.YearLabel = "listed", nil, ""
	for d := twinFrom; d <= twinTo; d++ {
		if c.yearBegins(d) {
			c.spec.YearFirstDays = append(c.spec.YearFirstDays, d.String())
		}
	}
	return c
}

func newTwin(t *testing.T, c layoutCase) *twin {
	t.Helper()
	c.spec.Holidays = "days"
	var days []civil.Day
	for y := 1990; y <= 2052; y++ {
		days = append(days, civil.Of(y, 1, 1), civil.Of(y, 5, 1), civil.Of(y, 12, 25), civil.Of(y, 12, 26))
	}
	holidays, err := calendar.NewHolidays("days", days, 0, 0)
	if err != nil {
		t.Fatal(err)
	}
	cal, err := calendar.Build(c.spec, holidays)
	if err != nil {
		t.Fatal(err)
	}
	w := &twin{cal: cal, ids: map[calendar.Unit][]int{}, first: map[calendar.Unit][]civil.Day{}}
	off := map[civil.Day]bool{}
	for _, d := range days {
		off[d] = true
	}
	period, week := -1, 0
	for d := twinFrom; d <= twinTo; d++ {
		w.works = append(w.works, d.Weekday() < civil.Saturday && !off[d])
		w.mark(calendar.Day, d, true)
		w.mark(calendar.Week, d, d.Weekday() == cal.WeekStart())
		var newMonth, newYear bool
		if c.weeks == nil {
			newMonth, newYear = monthBegins(c.spec, d)
			if newYear {
				period = 0
			} else if newMonth && period >= 0 {
				period++
			}
		} else {
			newYear = c.yearBegins(d)
			newMonth = w.periodBegins(c, d, newYear, &period, &week)
		}
		newQuarter := newMonth && period%3 == 0 && period < 12
		w.mark(calendar.Month, d, newMonth)
		w.mark(calendar.Quarter, d, newQuarter)
		w.mark(calendar.Half, d, newMonth && (period == 0 || period == 6))
		w.mark(calendar.Year, d, newYear)
	}
	return w
}

func monthBegins(s calendar.Spec, d civil.Day) (month, year bool) {
	startMonth, startDay := 1, 1
	if s.YearStarts != "" {
		fmt.Sscanf(s.YearStarts, "%d-%d", &startMonth, &startDay)
	}
	_, m, day := d.Date()
	return day == startDay, day == startDay && m == startMonth
}

// periodBegins counts weeks through the year; an extra week goes to the end of its period, which is
// known by the 53rd week still being in the year.
func (w *twin) periodBegins(c layoutCase, d civil.Day, newYear bool, period, week *int) bool {
	if newYear {
		*period, *week = 0, 0
		return true
	}
	if *period < 0 || d.Weekday() != w.cal.WeekStart() {
		return false
	}
	*week++
	length := c.weeks[*period]
	extra := c.spec.ExtraWeek
	if extra == 0 {
		extra = len(c.weeks)
	}
	if *period == extra-1 && w.longYear(c, d, *period, *week) {
		length++
	}
	if *week == length {
		*period, *week = *period+1, 0
		return true
	}
	return false
}

// longYear reports whether the year that holds d has 53 weeks, by walking to its next beginning.
func (w *twin) longYear(c layoutCase, d civil.Day, period, week int) bool {
	weeks := week
	for _, n := range c.weeks[:period] {
		weeks += n
	}
	for !c.yearBegins(d) {
		d += 7
		weeks++
	}
	return weeks == 53
}

func (w *twin) mark(u calendar.Unit, d civil.Day, begins bool) {
	if begins {
		w.first[u] = append(w.first[u], d)
	}
	w.ids[u] = append(w.ids[u], len(w.first[u]))
}

func (w *twin) id(u calendar.Unit, d civil.Day) int { return w.ids[u][d-twinFrom] }

// begin returns the first day of a unit by its running number.
func (w *twin) begin(u calendar.Unit, id int) civil.Day { return w.first[u][id-1] }

func (w *twin) business(d civil.Day) bool { return w.works[d-twinFrom] }

// walk steps from d by sign until it has passed n business days, and gives the last of them.
func (w *twin) walk(d civil.Day, sign, n int) civil.Day {
	for {
		if w.business(d) {
			if n--; n == 0 {
				return d
			}
		}
		d += civil.Day(sign)
	}
}

// move is semantics §3 in the slow way: civil months by package time, units by counting days in them.
func (w *twin) move(d civil.Day, n int, u calendar.Unit) civil.Day {
	switch {
	case u == calendar.Day:
		return d + civil.Day(n)
	case u == calendar.Week:
		return d + civil.Day(7*n)
	case u == calendar.BusinessDay && n > 0:
		return w.walk(d+1, 1, n)
	case u == calendar.BusinessDay:
		return w.walk(d-1, -1, -n)
	case w.cal.MonthBased():
		months := map[calendar.Unit]int{calendar.Month: 1, calendar.Quarter: 3, calendar.Half: 6, calendar.Year: 12}[u]
		y, m, day := d.Date()
		first := time.Date(y, time.Month(m+n*months), 1, 0, 0, 0, 0, time.UTC)
		length := first.AddDate(0, 1, -1).Day()
		return civil.Of(first.Year(), int(first.Month()), min(day, length))
	}
	start := w.begin(u, w.id(u, d))
	target := w.begin(u, w.id(u, d)+n)
	moved := target + d - start
	for w.id(u, moved) != w.id(u, target) {
		moved -= 7
	}
	return moved
}

// A stand is the day that spans are read from, and the moves by months and longer that what is counted from it
// is moved by, the outermost first.
type stand struct {
	base  civil.Day
	moves []Move
}

// day counts days from where the analyst is, and moves the day that is found.
func (w *twin) day(s stand, offset int) civil.Day {
	d := s.base + civil.Day(offset)
	for _, m := range s.moves {
		d = w.move(d, m.N, m.Unit)
	}
	return d
}

// stand is where a move by business days, months or longer leads.
func (w *twin) stand(s stand, m *Move) stand {
	if m.Unit == calendar.BusinessDay {
		return stand{base: w.move(w.day(s, 0), m.N, m.Unit)}
	}
	return stand{s.base, append(slices.Clone(s.moves), *m)}
}

// resolve answers the forms of the test; ok is false where the form has no such answer.
func (w *twin) resolve(n Node, s stand, atClose bool) (civil.Interval, bool) {
	a, after := w.day(s, 0), max(w.day(s, 1), w.day(s, 0)+1)
	span := func(start, end civil.Day) (civil.Interval, bool) { return civil.Interval{Start: start, End: end}, true }
	switch n := n.(type) {
	case *This:
		if n.Unit == calendar.BusinessDay {
			if w.business(a) {
				return span(a, a+1)
			}
			return span(0, 0)
		}
		id := w.id(n.Unit, a)
		return span(w.begin(n.Unit, id), w.begin(n.Unit, id+1))
	case *ToDate:
		return span(w.begin(n.Unit, w.id(n.Unit, a)-n.N+1), a+1)
	case *LastFull:
		over := a - 1
		if atClose {
			over = a
		}
		if n.Unit == calendar.Day { // counted from today, then moved
			if over = w.day(s, -1); atClose {
				over = a
			}
			return span(over-civil.Day(n.N)+1, over+1)
		}
		if n.Unit == calendar.BusinessDay {
			newest := w.walk(over, -1, 1)
			return span(w.walk(newest, -1, n.N), newest+1)
		}
		for w.id(n.Unit, over) == w.id(n.Unit, over+1) { // the newest last day of a unit
			over--
		}
		return span(w.begin(n.Unit, w.id(n.Unit, over)-n.N+1), over+1)
	case *NextFull:
		if n.Unit == calendar.BusinessDay {
			return span(w.walk(a+1, 1, 1), w.walk(a+1, 1, n.N)+1)
		}
		if n.Unit == calendar.Day {
			return span(after, after+civil.Day(n.N))
		}
		id := w.id(n.Unit, a)
		return span(w.begin(n.Unit, id+1), w.begin(n.Unit, id+1+n.N))
	case *RestOf:
		return span(after, max(after, w.begin(n.Unit, w.id(n.Unit, a)+1)))
	case *Trailing:
		end := a + 1
		if n.ExcludingToday {
			end = w.day(s, -1) + 1
		}
		if n.Unit == calendar.BusinessDay {
			return span(w.walk(end-1, -1, n.N), end)
		}
		return span(w.move(end, -n.N, n.Unit), end)
	case *Coming:
		start := after
		if n.IncludingToday {
			start = a
		}
		if n.Unit == calendar.BusinessDay {
			return span(start, w.walk(start, 1, n.N)+1)
		}
		return span(start, w.move(start, n.N, n.Unit))
	case *SetOp: // of one period, as "of" needs it
		set, ok := w.days(n, s, atClose)
		return set.Bounds(), ok && set.Len() == 1
	case *Nth:
		return w.starting(n.Unit, n.Of, s, atClose, n.N-1, n.N-1)
	case *FirstLast:
		if n.Last {
			return w.starting(n.Unit, n.Of, s, atClose, -n.N, -1)
		}
		return w.starting(n.Unit, n.Of, s, atClose, 0, n.N-1)
	case *Move:
		if n.Unit == calendar.Day || n.Unit == calendar.Week {
			v, ok := w.resolve(n.X, s, atClose)
			return civil.Interval{Start: w.move(v.Start, n.N, n.Unit), End: w.move(v.End, n.N, n.Unit)}, ok
		}
		return w.resolve(n.X, w.stand(s, n), atClose)
	}
	return civil.Interval{}, false
}

// starting lists the units that start inside another span and gives those from one position through
// another; positions below 0 count from the end.
func (w *twin) starting(u calendar.Unit, of Node, s stand, atClose bool, from, through int) (civil.Interval, bool) {
	x, ok := w.resolve(of, s, atClose)
	if !ok {
		return x, false
	}
	var found []civil.Interval
	for d := x.Start; d < x.End; d++ {
		switch {
		case u == calendar.BusinessDay && w.business(d):
			found = append(found, civil.One(d))
		case u != calendar.BusinessDay && w.begin(u, w.id(u, d)) == d:
			found = append(found, civil.Interval{Start: d, End: w.begin(u, w.id(u, d)+1)})
		}
	}
	if from < 0 {
		from, through = len(found)+from, len(found)+through
	}
	if from < 0 || through >= len(found) {
		return civil.Interval{}, false
	}
	return civil.Interval{Start: found[from].Start, End: found[through].End}, true
}

// days answers forms that may be several periods, by asking of every day whether it is inside.
func (w *twin) days(n Node, s stand, atClose bool) (civil.Set, bool) {
	a := w.day(s, 0)
	keep := func(x Node, inside func(civil.Day) bool) (civil.Set, bool) {
		set, ok := w.days(x, s, atClose)
		if !ok {
			return set, false
		}
		var kept []civil.Interval
		for v := range set.Intervals() {
			for d := v.Start; d < v.End; d++ {
				if inside(d) {
					kept = append(kept, civil.One(d))
				}
			}
		}
		return civil.Union(kept...), ok
	}
	switch n := n.(type) {
	case *Relative:
		return civil.SetOf(civil.One(w.day(s, n.Offset))), true
	case *ExcludingToday:
		return keep(n.X, func(d civil.Day) bool { return d <= w.day(s, -1) || d > a })
	case *SoFar:
		return keep(n.X, func(d civil.Day) bool { return d <= a })
	case *OnlyDays:
		return keep(n.X, w.inPart(n.Part))
	case *Move:
		if n.Unit == calendar.Day || n.Unit == calendar.Week {
			set, ok := w.days(n.X, s, atClose)
			var moved []civil.Interval
			for v := range set.Intervals() {
				moved = append(moved, civil.Interval{Start: w.move(v.Start, n.N, n.Unit), End: w.move(v.End, n.N, n.Unit)})
			}
			return civil.Union(moved...), ok
		}
		return w.days(n.X, w.stand(s, n), atClose)
	case *SetOp:
		first, ok1 := w.days(n.Terms[0], s, atClose)
		second, ok2 := w.days(n.Terms[1], s, atClose)
		if n.Op == Or {
			return civil.Union(append(collect(first), collect(second)...)...), ok1 && ok2
		}
		set, _ := keep(n.Terms[0], func(d civil.Day) bool { return second.Contains(d) == (n.Op == And) })
		return set, ok1 && ok2
	case *PointDay:
		d, ok := w.point(n.Point, s, atClose)
		return civil.SetOf(civil.One(d)), ok
	case *FromThrough:
		from, ok1 := w.point(n.From, s, atClose)
		through, ok2 := w.point(n.Through, s, atClose)
		return civil.SetOf(civil.Through(from, through)), ok1 && ok2 && through >= from-1
	}
	if set, ok, known := w.season(n, s, atClose); known {
		return set, ok
	}
	v, ok := w.resolve(n, s, atClose)
	return civil.SetOf(v), ok
}

func collect(s civil.Set) []civil.Interval {
	var vs []civil.Interval
	for v := range s.Intervals() {
		vs = append(vs, v)
	}
	return vs
}

func (w *twin) point(p Point, s stand, atClose bool) (civil.Day, bool) {
	offset, steps := map[Base]int{YesterdayPoint: -1, TomorrowPoint: 1}[p.Base], p.Steps
	for p.Of == nil && len(steps) > 0 && steps[0].Unit <= calendar.Week && steps[0].Unit != calendar.BusinessDay {
		offset += map[calendar.Unit]int{calendar.Day: 1, calendar.Week: 7}[steps[0].Unit] * steps[0].N
		steps = steps[1:]
	}
	d := w.day(s, offset)
	if p.Of != nil {
		set, ok := w.days(p.Of, s, atClose)
		if !ok || set.Empty() {
			return 0, false
		}
		if d = set.Bounds().First(); p.Base == EndOf {
			d = set.Bounds().Last()
		}
	}
	for _, step := range steps {
		d = w.move(d, step.N, step.Unit)
	}
	return d, true
}

// severalForms are modifiers, chains and points around other forms.
var severalForms = []string{
	"yesterday", "this month excluding today", "this quarter so far", "this half, only business days", "last full month, only Sat/Sun",
	"month to date excluding today, 1 year earlier, only Mon/Wed/Fri", "this month or last full week", "this quarter and trailing 40 days",
	"this year except (this month or last 2 full weeks)", "(year to date except week to date), 1 quarter earlier",
	"from start of this month through yesterday", "from start of last full quarter + 10 days through end of this week", "start of this year - 2 business days",
	"end of last full month + 1 month", "from today - 3 weeks through today", "from start of this quarter - 1 month through end of this month + 1 quarter",
	"month to date excluding today, 1 month earlier", "yesterday, 1 year earlier", "today - 3 days, 1 quarter earlier, 2 weeks earlier",
	"coming 3 days, 1 month earlier", "rest of this week, 1 year earlier", "last 5 full days, 1 month earlier, 3 business days earlier",
	"this month excluding today, 5 weeks earlier", "trailing 2 months excluding today, 1 month later, 1 year earlier",
	"first 2 weeks of (this quarter or next full quarter)", "today, 1 business day later", "trailing 20 business days excluding today, only business days",
}

// everyForm lists each form with each unit and a few counts.
func everyForm() []Node {
	var forms []Node
	for _, u := range calendar.Units {
		forms = append(forms, &This{u})
		if u != calendar.BusinessDay {
			forms = append(forms, &ToDate{1, u}, &ToDate{3, u}, &RestOf{u})
		}
		for _, n := range []int{1, 2, 5} {
			forms = append(
				forms,
				&LastFull{n, u},
				&NextFull{n, u},
				&Trailing{n, u, false},
				&Trailing{n, u, true},
				&Coming{n, u, false},
				&Coming{n, u, true},
			)
		}
		forms = append(
			forms,
			&Nth{u, 1, &This{calendar.Month}},
			&Nth{u, 2, &LastFull{1, calendar.Year}},
			&FirstLast{false, 2, u, &LastFull{1, calendar.Quarter}},
			&FirstLast{true, 1, u, &This{calendar.Half}},
			&FirstLast{true, 3, u, &Trailing{40, calendar.Day, false}},
			&Move{
				&ToDate{1, calendar.Month},
				-1,
				u,
			},
			&Move{&Move{&LastFull{2, calendar.Week}, -3, u}, 1, calendar.Year},
			&Move{&Trailing{1, u, true}, 2, u},
		)
	}
	return forms
}

func TestResolverAgainstItsTwin(t *testing.T) {
	from, to := civil.Of(2000, 1, 1), civil.Of(2040, 12, 31)
	if testing.Short() {
		to = civil.Of(2000, 12, 31)
	}
	forms := everyForm()
	var several []Node
	for _, text := range severalForms {
		several = append(several, parse1(t, text))
	}
	for _, c := range append(layoutCases, listed()) {
		t.Run(c.spec.Name, func(t *testing.T) {
			t.Parallel()
			w := newTwin(t, c)
			for a := from; a <= to; a++ {
				for i, n := range forms {
					atClose := (int(a)+i)%2 == 0
					want, ok := w.resolve(n, stand{base: a}, atClose)
					got, err := Resolve(n, Scope{AsOf: a, AtClose: atClose, Calendar: w.cal})
					if ok != (err == nil) || ok && !got.Equal(civil.SetOf(want)) {
						t.Fatalf(
							"%s in %s as of %s, at close %v: %v, %v; the twin finds %v, %v",
							n,
							c.spec.Name,
							a,
							atClose,
							got,
							err,
							want,
							ok,
						)
					}
				}
				for _, n := range several {
					want, ok := w.days(n, stand{base: a}, false)
					got, err := Resolve(n, Scope{AsOf: a, Calendar: w.cal})
					if ok != (err == nil) || ok && !got.Equal(want) {
						t.Fatalf("%s in %s as of %s: %v, %v; the twin finds %v, %v", n, c.spec.Name, a, got, err, want, ok)
					}
				}
			}
		})
	}
}
