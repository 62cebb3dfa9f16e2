package span

import (
	"math/rand/v2"
	"reflect"
	"strings"
	"testing"

	"vastspan/core/calendar"
	"vastspan/core/civil"
)

// grower makes random trees of every shape that the parser can give.
type grower struct{ rng *rand.Rand }

func (g *grower) n() int { return [...]int{1, 1, 2, 3, 7, 90, 100000}[g.rng.IntN(7)] }

func (g *grower) unit() calendar.Unit {
	if g.rng.IntN(6) == 0 {
		return calendar.ClockUnits[g.rng.IntN(2)]
	}
	return calendar.Units[g.rng.IntN(len(calendar.Units))]
}

// seconds is a time of day.
func (g *grower) seconds() civil.TimeOfDay {
	t := civil.TimeOfDay(g.rng.IntN(25) * 3600)
	if t < civil.EndOfDay && g.yes() {
		t += civil.TimeOfDay(g.rng.IntN(3600))
	}
	return t
}

// longUnit is a unit that may be counted to date.
func (g *grower) longUnit() calendar.Unit {
	for {
		if u := g.unit(); u != calendar.BusinessDay {
			return u
		}
	}
}

func (g *grower) day() civil.Day { return civil.Day(g.rng.IntN(int(civil.MaxDay))) }

func (g *grower) yes() bool { return g.rng.IntN(2) == 0 }

func (g *grower) expression(depth int) Node {
	if depth > 0 && g.rng.IntN(3) == 0 {
		c := &SetOp{Op: Op(g.rng.IntN(3))}
		for range 2 + g.rng.IntN(3) {
			c.Terms = append(c.Terms, g.expression(depth-1))
		}
		if first, ok := c.Terms[0].(*SetOp); ok && first.Op == c.Op {
			c.Terms[0] = g.form(depth - 1)
		}
		return c
	}
	return g.term(depth)
}

func (g *grower) term(depth int) Node {
	n := g.form(depth)
	if depth > 0 && g.rng.IntN(8) == 0 {
		n = g.expression(depth - 1)
	}
	for g.rng.IntN(3) == 0 {
		switch g.rng.IntN(7) {
		case 6:
			if from, until := g.seconds(), g.seconds(); from != until && from != civil.EndOfDay && until != 0 {
				n = &OnlyTimes{n, from, until}
			}
		case 0:
			n = &ExcludingToday{n}
		case 1:
			n = &SoFar{n}
		case 2:
			n = &Move{n, g.n(), g.unit()}
		case 3:
			n = &Move{n, -g.n(), g.unit()}
		case 4:
			n = &OnlyDays{n, g.part()}
		case 5:
			n = &InCalendar{n, "trade-445"}
		}
	}
	return n
}

// part is what only keeps.
func (g *grower) part() Part {
	switch g.rng.IntN(5) {
	case 0:
		return BusinessDays{}
	case 1:
		return InMonths(1 + g.rng.IntN(1<<12-1))
	case 2:
		return DuringEvent("easter-2")
	case 3:
		return g.recurring()
	}
	return OnWeekdays(1 + g.rng.IntN(127))
}

func (g *grower) recurring() Part {
	r := Recurring{Pick: Pick(g.rng.IntN(3)), From: 1, Each: calendar.Units[g.rng.IntN(len(calendar.Units))]}
	for r.Each < calendar.Week {
		r.Each++
	}
	for r.Unit = r.Each; r.Unit >= r.Each; r.Unit = calendar.Units[g.rng.IntN(len(calendar.Units))] {
	}
	if r.ByWeekday = g.rng.IntN(3) == 0; r.ByWeekday {
		r.Unit, r.Weekday = calendar.Day, civil.Weekday(g.rng.IntN(7))
	}
	if r.Through = g.n(); r.Pick == Numbered {
		r.From = r.Through
		r.Through += g.rng.IntN(3)
		r.Through = min(r.Through, MaxCount)
	}
	return r
}

func (g *grower) point(depth int) Point {
	p := Point{Base: Base(g.rng.IntN(8))}
	if p.Base < NowPoint && g.rng.IntN(4) == 0 {
		p.Time, p.Timed = g.seconds(), true
	}
	switch p.Base {
	case FixedDay:
		p.Day = g.day()
	case FixedMoment:
		p.Day, p.Time = g.day(), g.seconds()
	case StartOf, EndOf:
		if depth <= 0 {
			p.Base = TodayPoint
		} else {
			p.Of = g.expression(depth - 1)
		}
	}
	for g.rng.IntN(3) == 0 {
		n := g.n()
		if g.yes() {
			n = -n
		}
		p.Steps = append(p.Steps, Step{n, g.unit()})
	}
	return p
}

func (g *grower) form(depth int) Node {
	switch g.rng.IntN(22) {
	case 19:
		return []Node{&Event{"storm"}, &NearEvent{"storm", g.rng.IntN(3) - 1}}[g.rng.IntN(2)]
	case 20:
		if depth > 0 {
			return &EventOf{"easter-2", g.expression(depth - 1)}
		}
	case 21:
		day := civil.Weekday(g.rng.IntN(7))
		if depth > 0 && g.yes() {
			return &NthWeekday{day, g.n(), g.expression(depth - 1)}
		}
		if depth > 0 {
			return &FirstLastWeekday{g.yes(), day, g.expression(depth - 1)}
		}
	case 18:
		from := WallTime{g.day(), g.seconds()}
		return &MomentRange{from, WallTime{from.Day + 1, g.seconds()}}
	case 0:
		return &Relative{g.rng.IntN(3) - 1}
	case 1:
		return &This{g.unit()}
	case 2:
		return &ToDate{g.n(), g.longUnit()}
	case 3:
		return &LastFull{g.n(), g.unit()}
	case 4:
		return &NextFull{g.n(), g.unit()}
	case 5:
		return &RestOf{g.longUnit()}
	case 6, 7:
		u := g.unit()
		return &Trailing{g.n(), u, g.yes() && !u.OfClock()}
	case 8:
		u := g.unit()
		return &Coming{g.n(), u, g.yes() && !u.OfClock()}
	case 9:
		first := g.day()
		return &DateRange{first, first + civil.Day(g.rng.IntN(3))}
	case 10:
		return g.literal()
	case 11:
		return &Name{"closed-month2"}
	case 12:
		return &AllDates{}
	case 13:
		if depth > 0 {
			return &Nth{g.unit(), g.n(), g.expression(depth - 1)}
		}
	case 14:
		if depth > 0 {
			return &FirstLast{g.yes(), g.n(), g.unit(), g.expression(depth - 1)}
		}
	case 15:
		if p := g.point(depth); !p.IsMoment() { // a moment has no length
			return plainPoint(p)
		}
	case 16:
		from, to := g.point(depth), g.point(depth)
		return &FromThrough{from, to, g.yes() || from.IsMoment() || to.IsMoment()}
	case 17:
		if g.yes() {
			return &FromOnward{g.point(depth)}
		}
		p := g.point(depth)
		return &Through{p, g.yes() || p.IsMoment()}
	}
	return &Relative{0}
}

func (g *grower) literal() Node {
	year := 1 + g.rng.IntN(9999)
	switch g.rng.IntN(6) {
	case 0:
		return &UnitLiteral{Year: year, Unit: calendar.Year}
	case 1:
		return &UnitLiteral{Year: year, Unit: calendar.Half, Number: 1 + g.rng.IntN(2)}
	case 2:
		return &UnitLiteral{Year: year, Unit: calendar.Quarter, Number: 1 + g.rng.IntN(4)}
	case 3:
		return &UnitLiteral{Year: year, Unit: calendar.Month, Number: 1 + g.rng.IntN(13)}
	case 4:
		return &UnitLiteral{Year: year, Unit: calendar.Week, Number: 1 + g.rng.IntN(53)}
	}
	return &UnitLiteral{Year: year, Unit: calendar.Month, Number: 1 + g.rng.IntN(12), Civil: true}
}

// Parsing what a tree prints gives the same tree; and neither case nor blanks matter.
func TestPrintedTreesParseToThemselves(t *testing.T) {
	g := &grower{rand.New(rand.NewPCG(5, 6))}
	longest, tried := "", 0
	for tried < 60000 {
		n := g.expression(3)
		text := n.String()
		if len(text) > MaxLength {
			continue
		}
		tried++
		back, err := Parse(text)
		if err != nil {
			t.Fatalf("%s: %v", text, err)
		}
		if !reflect.DeepEqual(back, n) {
			t.Fatalf("%s\nis read as\n%s", text, back)
		}
		spaced := strings.ToUpper(strings.ReplaceAll(text, " ", " \t "))
		if len(spaced) <= MaxLength {
			if back, err := Parse(spaced); err != nil || back.String() != text {
				t.Fatalf("%s\nis read as\n%v, %v", spaced, back, err)
			}
		}
		if len(text) > len(longest) {
			longest = text
		}
	}
	t.Logf("the longest of %d: %d bytes", tried, len(longest))
}

// No bracket that is printed can be spared: without any one pair the text means something else or
// nothing.
func TestNoBracketCanBeSpared(t *testing.T) {
	g := &grower{rand.New(rand.NewPCG(7, 8))}
	for range 4000 {
		n := g.expression(2)
		text := n.String()
		if len(text) > MaxLength {
			continue
		}
		var open []int
		for i := range len(text) {
			switch text[i] {
			case '(':
				open = append(open, i)
			case ')':
				from := open[len(open)-1]
				open = open[:len(open)-1]
				spared := text[:from] + text[from+1:i] + text[i+1:]
				if back, err := Parse(spared); err == nil && reflect.DeepEqual(back, n) {
					// The first term of a chain that has been moved keeps its brackets by rule.
					if inner, err := Parse(text[from+1 : i]); err != nil || !isLoose(inner) {
						t.Fatalf("%s\nmeans the same as\n%s", text, spared)
					}
				}
			}
		}
	}
}

func TestDeepAndLongInput(t *testing.T) {
	deep := func(n int) string { return strings.Repeat("(", n) + "today" + strings.Repeat(")", n) }
	if n, err := Parse(deep(MaxDepth)); err != nil || n.String() != "today" {
		t.Errorf("%d brackets: %v", MaxDepth, err)
	}
	for _, text := range []string{deep(MaxDepth + 1), strings.Repeat("start of ", MaxDepth+1) + "today", strings.Repeat("(", 1990)} {
		if _, err := Parse(text); err == nil || !strings.Contains(err.Error(), "at most 100 deep") {
			t.Errorf("%.40s… gives %v", text, err)
		}
	}
	if _, err := Parse(strings.Repeat("today or ", 120_000) + "today"); err == nil || !strings.Contains(err.Error(), "at most 2000 bytes") {
		t.Errorf("a megabyte gives %v", err)
	}
	longest := strings.Repeat("a ", MaxLength/2-6) + "trailing"
	if _, err := Parse(longest); err == nil {
		t.Errorf("a row of words is read")
	}
}

func TestStrangeInput(t *testing.T) {
	for text, want := range map[string]string{
		"this month":                      "this month", // a no-break space
		"  last full month  ":             "last full month",
		"today\n-\n3\tdays":               "today - 3 days",
		"from today-ten days onward":      "",
		"today – 3 days":                  `column 7: '–' is not the hyphen of the keyboard; did you mean "today - 3 days"`,
		"today\u200b":                     `column 6: the invisible character U+200B is unexpected here; did you mean "today"`,
		"diesen Monat":                    `"diesen" is not a word`,
		"今月":                              `column 1: "今月" is not a word`,
		"@Größe":                          `column 4: 'ö' cannot be in a name`,
		"today; drop table":               `';' has no meaning here`,
		"\xff":                            "not UTF-8",
		"2026-3-5":                        `did you mean "2026-03-05"`,
		"2026-Q1/2026-Q3":                 `did you mean "from start of 2026-Q1 through end of 2026-Q3"`,
		"from this month onward":          `did you mean "from start of this month onward" or "from end of this month onward"`,
		"this month, only weekdays":       `did you mean "this month, only Mon/Tue/Wed/Thu/Fri" or "this month, only business days"`,
		"last full monht or todya":        `did you mean "last full month or today"`,
		"this month in civil so far":      "comes last in its term",
		"first day of today + 1 day":      "only a point can be moved",
		"trailing 3 days including today": "including today belongs to coming alone",
	} {
		n, err := Parse(text)
		got := ""
		if err != nil {
			got = err.Error()
		} else {
			got = n.String()
		}
		if !strings.Contains(got, want) || want == "" && err == nil {
			t.Errorf("%q gives %q, want %q", text, got, want)
		}
	}
}

func FuzzParse(f *testing.F) {
	g := &grower{rand.New(rand.NewPCG(1, 1))}
	for range 200 {
		f.Add(g.expression(2).String())
	}
	for _, text := range []string{"", "last 3 months", "today or yesterday and tomorrow", "((((", "2026-", "@", "a a a a", "in in in", "first first", "– –"} {
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		n, err := Parse(text)
		if err != nil {
			e := err.(*Error)
			if e.Message == "" || e.Column < 0 || e.Column > 0 && e.Width < 1 {
				t.Fatalf("%q: %+v", text, e)
			}
			for _, offer := range e.Offers {
				if _, err := Parse(offer); err != nil {
					t.Fatalf("%q offers %q, which is refused: %v", text, offer, err)
				}
			}
			return
		}
		canonical := n.String()
		if len(canonical) > MaxLength {
			return
		}
		back, err := Parse(canonical)
		if err != nil || !reflect.DeepEqual(back, n) {
			t.Fatalf("%q is written %q, which is read as %v, %v", text, canonical, back, err)
		}
		// Whatever it denotes, resolving it ends with an answer or an error.
		_, _ = Resolve(n, Scope{AsOf: civil.Of(2026, 10, 19)})
		_, _ = Explain(n, Scope{AsOf: civil.MaxDay, AtClose: true})
	})
}
