package span

import (
	"fmt"

	"vastspan/core/calendar"
	"vastspan/core/civil"
)

// form reads one term without its modifiers.
func (p *parser) form() Node {
	t := p.tok
	switch t.kind {
	case open:
		return p.brackets()
	case at:
		return &Name{p.name("the name of a span")}
	case unitText:
		l := t.literal
		p.advance()
		p.noInterval(t)
		return &l
	case dateText:
		return p.dates()
	case momentText:
		return p.moments()
	case number:
		return p.countOrYear()
	case word:
		return p.wordForm()
	}
	p.refuseHere("a span, such as last full month")
	return nil
}

func (p *parser) brackets() Node {
	at := p.tok
	p.deeper(at)
	p.advance()
	n := p.expression()
	if p.tok.kind != closing {
		if p.tok.kind == endOfText {
			p.refuse(at.start, at.end, "this bracket is never closed", rewrite{{len(p.src), len(p.src), ")"}})
		}
		p.stray()
	}
	p.advance()
	p.depth--
	return n
}

// dates reads a date, an ISO 8601 interval of dates, or a point that begins with a date.
func (p *parser) dates() Node {
	first := p.tok
	p.advance()
	if p.tok.kind != slash {
		return p.pointAlone(first, Point{Base: FixedDay, Day: first.day})
	}
	p.advance()
	last := p.tok
	if last.kind != dateText {
		p.refuseHere("the last date of the interval, in full, such as 2026-03-31")
	}
	p.advance()
	if last.day < first.day {
		p.refuse(first.start, last.end, "the interval ends before it starts",
			rewrite{{first.start, last.end, last.day.String() + "/" + first.day.String()}})
	}
	return &DateRange{first.day, last.day}
}

// moments reads an ISO 8601 interval of dates with times.
func (p *parser) moments() Node {
	from := p.tok
	p.advance()
	if p.tok.kind != slash {
		return p.pointAlone(from, Point{Base: FixedMoment, Day: from.day, Time: from.time})
	}
	p.advance()
	until := p.tok
	if until.kind != momentText {
		p.refuseHere("the date and the time at which it ends, in full, such as 2026-03-31T17:00")
	}
	p.advance()
	n := &MomentRange{WallTime{from.day, from.time}, WallTime{until.day, until.time}}
	if until.day < from.day || until.day == from.day && until.time < from.time {
		p.refuse(from.start, until.end, "the interval ends before it starts",
			rewrite{{from.start, until.end, n.Until.String() + "/" + n.From.String()}})
	}
	return n
}

// noInterval refuses a slash after a unit literal, which is the way to write an interval of dates.
func (p *parser) noInterval(from token) {
	if p.tok.kind != slash {
		return
	}
	p.advance()
	through := p.tok
	var rewrites []rewrite
	if through.kind == unitText || through.kind == number {
		rewrites = append(rewrites, rewrite{{from.start, from.start, "from start of "}, {from.end, through.start, " through end of "}})
	}
	p.refuse(from.start, through.end, "an interval is written with two dates, such as 2026-03-01/2026-03-31", rewrites...)
}

// countOrYear reads 2026, or the count of a to-date form.
func (p *parser) countOrYear() Node {
	t := p.tok
	if t.end-t.start == 4 && t.n > 0 {
		p.advance()
		if !p.is(kUnit) && !p.is(kBusiness) {
			p.noInterval(t)
			return &UnitLiteral{Year: t.n, Unit: calendar.Year}
		}
		p.back(mark{tok: t})
	}
	return p.countedToDate()
}

// countedToDate reads N Us to date.
func (p *parser) countedToDate() Node {
	at := p.tok
	n := p.count()
	if p.tok.kind == endOfText && at.kind == number {
		p.refuse(at.start, at.end, "a number alone is not a span: expected a year of four digits, or a unit after it")
	}
	u := p.unit()
	if p.is(kTo) {
		return p.toDate(at, n, u)
	}
	if pt, ok := p.fromToday(n, u); ok {
		return p.pointAlone(at, pt)
	}
	words := fmt.Sprintf("%d %s", n, u.Counted(n))
	p.refuse(at.start, p.prev.end, fmt.Sprintf("%q does not say where it ends: today, or with the last full %s", p.words(at), u),
		rewrite{{at.start, p.prev.end, "trailing " + words}},
		rewrite{{at.start, p.prev.end, fmt.Sprintf("last %d full %s", n, u.Counted(n))}})
	return nil
}

// fromToday reads the rest of 3 days ago and 2 weeks from now.
func (p *parser) fromToday(n int, u calendar.Unit) (Point, bool) {
	here := p.mark()
	base := TodayPoint
	if u.OfClock() {
		base = NowPoint
	}
	switch {
	case p.accept(kAgo):
		return Point{Base: base, Steps: []Step{{-n, u}}}, true
	case p.accept(kFrom) && (p.accept(kNow) || p.accept(kToday)):
		return Point{Base: base, Steps: []Step{{n, u}}}, true
	}
	p.back(here)
	return Point{}, false
}

// words returns the source from a token through the one read last.
func (p *parser) words(from token) string { return p.src[from.start:p.prev.end] }

func (p *parser) toDate(at token, n int, u calendar.Unit) Node {
	p.expect(kTo, "to date")
	p.expect(kDate, "date")
	if u == calendar.BusinessDay {
		p.refuse(at.start, p.prev.end, "a business day is a day: it is not counted to date")
	}
	return &ToDate{n, u}
}

func (p *parser) wordForm() Node {
	t := p.tok
	switch t.word {
	case kToday, kYesterday, kTomorrow, kStart, kEnd, kNow:
		return p.pointAlone(t, p.pointBase())
	case kThis, kCurrent:
		p.advance()
		if p.is(kEvent) {
			return &NearEvent{p.name("the name of an event"), 0}
		}
		p.notOneWeekday(t)
		return &This{p.unit()}
	case kLast:
		return p.last()
	case kPast, kPrevious:
		return p.past()
	case kNext:
		return p.nextFull()
	case kFirst:
		p.advance()
		return p.first(t)
	case kRest:
		return p.rest()
	case kTrailing:
		p.advance()
		n, u := p.counted("trailing")
		return &Trailing{n, u, !u.OfClock() && p.phrase(t, kExcluding)}
	case kComing:
		p.advance()
		n, u := p.counted("coming")
		return &Coming{n, u, !u.OfClock() && p.phrase(t, kIncluding)}
	case kFrom:
		return p.from()
	case kThrough, kUntil, kBefore:
		p.advance()
		to := p.point()
		if t.word == kThrough && to.IsMoment() {
			p.refuse(t.start, t.end, "through takes days only: its last one is inside, and a moment has no length",
				rewrite{{t.start, t.end, "until"}})
		}
		return &Through{to, t.word != kThrough}
	case kAll:
		p.advance()
		p.expect(kDates, "dates")
		return &AllDates{}
	case kSince:
		p.advance()
		p.point()
		p.refuse(t.start, t.end, "since does not say where it ends",
			rewrite{{t.start, t.end, "from"}, {p.prev.end, p.prev.end, " onward"}},
			rewrite{{t.start, t.end, "from"}, {p.prev.end, p.prev.end, " through today"}})
	case kAfter:
		p.advance()
		p.point()
		p.refuse(t.start, t.end, "after is written from the day after, onward",
			rewrite{{t.start, t.end, "from"}, {p.prev.end, p.prev.end, " + 1 day onward"}})
	case kBetween:
		p.between()
	case kRolling:
		p.advance()
		p.counted("rolling")
		p.refuse(t.start, t.end, "rolling is written trailing", rewrite{{t.start, t.end, "trailing"}})
	case kSame:
		p.same()
	case kMonth:
		p.advance()
		if p.tok.kind != number || p.tok.end-p.tok.start != 4 || p.tok.n < 1 {
			p.refuseHere("the year of the month, such as " + p.words(t) + " 2026")
		}
		n := &UnitLiteral{Year: p.tok.n, Unit: calendar.Month, Number: t.n, Civil: true}
		p.advance()
		return n
	case kUnit, kBusiness:
		return p.unitForm()
	case kWeekday:
		return p.weekdayForm()
	case kOrdinal:
		return p.ordinalForm()
	case kEvent:
		return p.eventForm()
	case kShort:
		p.advance()
		return &ToDate{1, calendar.Unit(t.n)}
	case kCount:
		return p.countedToDate()
	case kAnd, kOr, kExcept:
		p.refuse(t.start, t.end, fmt.Sprintf("%q joins two spans; one is missing before it", p.src[t.start:t.end]))
	}
	p.fiscalYear()
	p.refuseHere("a span, such as last full month")
	return nil
}

// between refuses between P and Q, with both readings of its last day.
func (p *parser) between() {
	at := p.tok
	p.advance()
	p.point()
	and := p.tok
	p.expect(kAnd, "and")
	p.point()
	p.refuse(at.start, p.prev.end, "between leaves open whether the last day is inside",
		rewrite{{at.start, at.end, "from"}, {and.start, and.end, "through"}},
		rewrite{{at.start, at.end, "from"}, {and.start, and.end, "until"}})
}

// same refuses same day last year and its like.
func (p *parser) same() {
	at := p.tok
	p.advance()
	if p.is(kUnit) && calendar.Unit(p.tok.n) == calendar.Day {
		p.advance()
		if p.is(kLast) || p.is(kPrevious) || p.is(kPast) {
			p.advance()
			u := p.unit()
			p.refuse(at.start, p.prev.end, fmt.Sprintf("the same day of another %s is today, moved", u),
				rewrite{{at.start, p.prev.end, "today, 1 " + u.String() + " earlier"}})
		}
	}
	p.refuse(at.start, at.end, "same says nothing by itself: expected a span and a move, such as today, 1 year earlier",
		rewrite{{at.start, p.prev.end, "today, 1 year earlier"}})
}

// fiscalYear refuses FY26, which each calendar labels in its own way.
func (p *parser) fiscalYear() {
	t := p.tok
	if t.kind != unknown || lower(p.src[t.start:t.end]) != "fy" {
		return
	}
	p.advance()
	if p.tok.kind != number || p.prev.end != p.tok.start && p.src[p.prev.end:p.tok.start] != " " {
		p.back(mark{tok: t})
		return
	}
	year := p.tok.n
	switch digits := p.tok.end - p.tok.start; {
	case digits == 2:
		year += 2000
	case digits != 4:
		p.back(mark{tok: t})
		return
	}
	p.advance()
	p.refuse(t.start, p.prev.end, "a year is written by the number that its calendar labels it with",
		rewrite{{t.start, p.prev.end, fmt.Sprintf("%04d", year)}})
}

// first reads the rest of first [N] U of X and first Mon of X.
func (p *parser) first(at token) Node {
	n, counted := 1, p.atCount()
	if counted {
		n = p.count()
	}
	if p.is(kWeekday) {
		return p.outerWeekday(at, false, counted, n)
	}
	return p.outer(false, n, p.unit())
}

// notOneWeekday refuses this Friday and its like, which do not say of what.
func (p *parser) notOneWeekday(at token) {
	if p.is(kWeekday) {
		day := civil.Weekday(p.tok.n)
		p.advance()
		p.whichWeekday(at, day)
	}
}

// phrase reads "excluding today" or "including today" where it belongs to trailing or coming: right
// after the form, comma or not.
func (p *parser) phrase(form token, k keyword) bool {
	here := p.mark()
	if p.tok.kind == comma {
		p.advance()
	}
	start := p.tok.start
	if !p.accept(k) {
		p.back(here)
		return false
	}
	p.expect(kToday, "today")
	if k == kExcluding {
		p.excluded.term, p.excluded.start, p.excluded.end = form.start, start, p.prev.end
	}
	return true
}

// last reads last [N] full U and last [N] U of X.
func (p *parser) last() Node {
	at := p.tok
	p.advance()
	n := 1
	counted := p.atCount()
	if counted {
		n = p.count()
	}
	if p.is(kFull) {
		p.advance()
		if count := p.tok; !counted && p.atCount() {
			n = p.count()
			u := p.unit()
			p.refuse(count.start, count.end, "the count goes before full",
				rewrite{{at.start, p.prev.end, fmt.Sprintf("last %d full %s", n, u.Counted(n))}})
		}
		return &LastFull{n, p.unit()}
	}
	switch {
	case p.tok.kind == unknown:
		p.refuseHere("full or a unit")
	case p.is(kEvent) && !counted:
		return &NearEvent{p.name("the name of an event"), -1}
	case p.is(kWeekday):
		return p.outerWeekday(at, true, counted, n)
	}
	u := p.unit()
	if p.is(kOf) {
		return p.outer(true, n, u)
	}
	p.ambiguousLast(at, n, u)
	return nil
}

// past reads what last [N] full U or trailing may have been meant by.
func (p *parser) past() Node {
	at := p.tok
	p.advance()
	n := 1
	if p.atCount() {
		n = p.count()
	}
	if full := p.tok; p.accept(kFull) {
		u := p.unit()
		p.refuse(at.start, full.end, fmt.Sprintf("%q is written last", p.src[at.start:at.end]),
			rewrite{{at.start, p.prev.end, fmt.Sprintf("last %d full %s", n, u.Counted(n))}})
	}
	p.notOneWeekday(at)
	p.ambiguousLast(at, n, p.unit())
	return nil
}

func (p *parser) ambiguousLast(at token, n int, u calendar.Unit) {
	p.refuse(at.start, p.prev.end,
		fmt.Sprintf("%q has two meanings: whole %s that are over, or a period that ends today", p.words(at), u.Plural()),
		rewrite{{at.start, p.prev.end, fmt.Sprintf("last %d full %s", n, u.Counted(n))}},
		rewrite{{at.start, p.prev.end, fmt.Sprintf("trailing %d %s", n, u.Counted(n))}})
}

func (p *parser) nextFull() Node {
	at := p.tok
	p.advance()
	n := 1
	if p.atCount() {
		n = p.count()
	}
	switch {
	case p.accept(kFull):
		return &NextFull{n, p.unit()}
	case p.tok.kind == unknown:
		p.refuseHere("full or a unit")
	case p.is(kEvent):
		return &NearEvent{p.name("the name of an event"), 1}
	}
	p.notOneWeekday(at)
	u := p.unit()
	p.refuse(at.start, p.prev.end,
		fmt.Sprintf("%q has two meanings: whole %s after this one, or a period that starts tomorrow", p.words(at), u.Plural()),
		rewrite{{at.start, p.prev.end, fmt.Sprintf("next %d full %s", n, u.Counted(n))}},
		rewrite{{at.start, p.prev.end, fmt.Sprintf("coming %d %s", n, u.Counted(n))}})
	return nil
}

func (p *parser) rest() Node {
	at := p.tok
	p.advance()
	p.expect(kOf, "of this and a unit")
	p.expect(kThis, "this and a unit")
	u := p.unit()
	if u == calendar.BusinessDay {
		p.refuse(at.start, p.prev.end, "a business day is a day: it has no rest")
	}
	return &RestOf{u}
}

// unitForm reads U to date and U n of X.
func (p *parser) unitForm() Node {
	at := p.tok
	u := p.unit()
	switch {
	case p.is(kTo):
		return p.toDate(at, 1, u)
	case p.atCount():
		n := p.count()
		return &Nth{u, n, p.of()}
	case p.tok.kind == unknown:
		p.refuseHere("to date, or a number and of")
	}
	p.refuse(at.start, p.prev.end, fmt.Sprintf("%q alone does not say which one", p.words(at)),
		rewrite{{at.start, p.prev.end, "this " + u.String()}},
		rewrite{{at.start, p.prev.end, "last full " + u.String()}},
		rewrite{{at.start, p.prev.end, u.String() + " to date"}})
	return nil
}

func (p *parser) outer(last bool, n int, u calendar.Unit) Node { return &FirstLast{last, n, u, p.of()} }

// of reads "of X": a plain form with the phrase of its own, or a bracketed expression. What follows
// belongs to the whole (semantics §4).
func (p *parser) of() Node {
	at := p.tok
	p.expect(kOf, "of and a span")
	p.deeper(at)
	var n Node
	switch p.tok.kind {
	case dateText:
		first := p.mark()
		p.advance()
		isRange := p.tok.kind == slash
		day := p.prev.day
		if isRange {
			p.back(first)
			n = p.dates()
		} else {
			n = &PointDay{Point{Base: FixedDay, Day: day}}
		}
	default:
		switch {
		case p.is(kToday), p.is(kYesterday), p.is(kTomorrow), p.is(kStart), p.is(kEnd):
			n = plainPoint(p.pointBase())
		default:
			start := p.tok.start
			n = p.form()
			p.note(n, start)
		}
	}
	p.depth--
	return n
}

// from reads from P through P and from P onward.
func (p *parser) from() Node {
	at := p.tok
	p.advance()
	from := p.point()
	through := p.tok
	switch {
	case p.accept(kThrough):
		to := p.point()
		if from.IsMoment() || to.IsMoment() {
			p.refuse(through.start, through.end, "through takes days only: its last one is inside, and a moment has no length",
				rewrite{{through.start, through.end, "until"}})
		}
		return &FromThrough{from, to, false}
	case p.accept(kUntil):
		return &FromThrough{from, p.point(), true}
	case p.accept(kOnward):
		return &FromOnward{from}
	case p.is(kTo):
		p.refuse(p.tok.start, p.tok.end, "to leaves open whether the last day is inside",
			rewrite{{p.tok.start, p.tok.end, "through"}}, rewrite{{p.tok.start, p.tok.end, "until"}})
	case p.tok.kind == endOfText:
		p.refuse(at.start, p.prev.end, "the period has no end: expected through and a point, or onward",
			rewrite{{p.prev.end, p.prev.end, " onward"}}, rewrite{{p.prev.end, p.prev.end, " through today"}})
	}
	p.refuseHere("through and a point, or onward")
	return nil
}

// pointAlone reads the time and the steps after a point's base and gives it as a span. A moment is none.
func (p *parser) pointAlone(at token, base Point) Node {
	p.finish(&base)
	if base.IsMoment() {
		p.refuse(at.start, p.prev.end, "a moment has no length: expected from it until another, or onward",
			rewrite{{at.start, at.start, "from "}, {p.prev.end, p.prev.end, " onward"}}, rewrite{{at.start, at.start, "until "}})
	}
	return plainPoint(base)
}

// finish reads the time and the steps after a point's base.
func (p *parser) finish(pt *Point) {
	if p.tok.kind == timeText && pt.Base < NowPoint && len(pt.Steps) == 0 {
		pt.Time, pt.Timed = p.tok.time, true
		p.advance()
	}
	pt.Steps = append(pt.Steps, p.steps()...)
}

// plainPoint returns a point as a span; the three relative days have a form of their own.
func plainPoint(pt Point) Node {
	if len(pt.Steps) == 0 {
		switch pt.Base {
		case TodayPoint:
			return &Relative{0}
		case YesterdayPoint:
			return &Relative{-1}
		case TomorrowPoint:
			return &Relative{1}
		}
	}
	return &PointDay{pt}
}

// point reads a point with its steps.
func (p *parser) point() Point {
	pt := p.pointBase()
	p.finish(&pt)
	return pt
}

func (p *parser) pointBase() Point {
	t := p.tok
	if t.kind == dateText {
		p.advance()
		return Point{Base: FixedDay, Day: t.day}
	}
	if t.kind == momentText {
		p.advance()
		return Point{Base: FixedMoment, Day: t.day, Time: t.time}
	}
	if here := p.mark(); p.atCount() {
		n := p.count()
		if u, ok := p.acceptUnit(); ok {
			if pt, ok := p.fromToday(n, u); ok {
				return pt
			}
		}
		p.back(here)
	}
	if pt, ok := p.weekdayPoint(); ok {
		return pt
	}
	if t.kind == word {
		switch t.word {
		case kToday, kYesterday, kTomorrow:
			p.advance()
			return Point{Base: Base(t.word - kToday)}
		case kNow:
			p.advance()
			return Point{Base: NowPoint}
		case kStart, kEnd:
			p.advance()
			base := StartOf
			if t.word == kEnd {
				base = EndOf
			}
			return Point{Base: base, Of: p.of()}
		}
	}
	p.notAPoint(t)
	return Point{}
}

// notAPoint refuses a span where a single day is needed and offers its first and its last day.
func (p *parser) notAPoint(t token) {
	const expected = "a point: a date, today, yesterday, tomorrow, now, start of or end of a span"
	if t.kind == endOfText || t.kind == unknown {
		p.refuseHere(expected)
	}
	p.form()
	p.refuse(t.start, p.prev.end, fmt.Sprintf("%q is not one day; expected %s", p.words(t), expected),
		rewrite{{t.start, t.start, "start of "}}, rewrite{{t.start, t.start, "end of "}})
}

func (p *parser) steps() []Step {
	var steps []Step
	for p.tok.kind == plus || p.tok.kind == minus {
		sign := 1
		if p.tok.kind == minus {
			sign = -1
		}
		p.advance()
		if !p.atCount() {
			p.refuseHere("a count and a unit, such as 3 days")
		}
		n := p.count()
		steps = append(steps, Step{sign * n, p.unit()})
	}
	return steps
}
