package span

import (
	"fmt"

	"vastspan/core/calendar"
	"vastspan/core/civil"
)

// only reads what only keeps, from only on.
func (p *parser) only(x Node) Node {
	p.advance()
	switch {
	case p.tok.kind == timeText:
		return p.onlyTimes(x)
	case p.is(kMonth):
		return &OnlyDays{x, p.months()}
	case p.is(kFirst), p.is(kLast), p.is(kOrdinal):
		return &OnlyDays{x, p.recurring()}
	case p.is(kEvent):
		return &OnlyDays{x, DuringEvent(p.name("the name of an event"))}
	case p.is(kUnit), p.is(kBusiness), p.is(kWeekday):
		here := p.mark()
		if _, _, ok := p.counts(); ok && p.atCount() {
			p.back(here)
			return &OnlyDays{x, p.recurring()}
		}
		p.back(here)
	}
	if p.accept(kBusiness) {
		if !p.is(kUnit) || calendar.Unit(p.tok.n) != calendar.Day {
			p.refuseHere("days")
		}
		p.advance()
		return &OnlyDays{x, BusinessDays{}}
	}
	return &OnlyDays{x, p.weekdays()}
}

// weekdays reads Mon/Wed, Mon-Fri, weekends.
func (p *parser) weekdays() Part {
	var days civil.Weekdays
	for {
		switch {
		case p.is(kWeekday):
			days = days.With(civil.Weekday(p.tok.n))
			days |= p.weekdaysThrough()
		case p.is(kWeekends):
			days |= civil.Weekend
		case p.is(kWeekdays):
			p.refuse(p.tok.start, p.tok.end, "weekdays has two meanings: with holidays, or without",
				rewrite{{p.tok.start, p.tok.end, "Mon/Tue/Wed/Thu/Fri"}}, rewrite{{p.tok.start, p.tok.end, "business days"}})
		default:
			p.refuseHere("business days, weekends, days of the week, such as Sat/Sun, months, such as Oct/Nov/Dec, " +
				"times, such as 09:00-17:00, a part that recurs, such as day 1-15 of each month, or an event")
		}
		p.advance()
		if p.tok.kind != slash {
			return OnWeekdays(days)
		}
		p.advance()
	}
}

// weekdaysThrough reads the rest of Mon-Fri, whose hyphen counts as a blank; the token of its first day is
// still the next one.
func (p *parser) weekdaysThrough() civil.Weekdays {
	last, ok := p.through(kWeekday)
	if !ok {
		return 0
	}
	var days civil.Weekdays
	for day := civil.Weekday(p.prev.n); ; day = (day + 1) % 7 {
		days = days.With(day)
		if day == civil.Weekday(last) {
			return days
		}
	}
}

// months reads Oct/Nov/Dec, Nov-Feb.
func (p *parser) months() Part {
	var months InMonths
	for {
		if !p.is(kMonth) {
			p.refuseHere("a month, such as Oct")
		}
		months = months.with(p.tok.n)
		if last, ok := p.through(kMonth); ok {
			for month := p.prev.n; ; month = month%12 + 1 {
				if months = months.with(month); month == last {
					break
				}
			}
		}
		p.advance()
		if p.tok.kind != slash {
			return months
		}
		p.advance()
	}
}

// through reads the rest of a range such as Mon-Fri, whose hyphen counts as a blank: from the word that is next to another of its
// kind, which is next then, and the first one is the token before.
func (p *parser) through(k keyword) (last int, ok bool) {
	here := p.mark()
	p.advance()
	if !p.is(k) || p.src[p.prev.end:p.tok.start] != "-" {
		p.back(here)
		return 0, false
	}
	return p.tok.n, true
}

// counts reads what is counted: a unit or a day of the week.
func (p *parser) counts() (u calendar.Unit, day int, ok bool) {
	if p.is(kWeekday) {
		day = p.tok.n
		p.advance()
		return calendar.Day, day, true
	}
	if p.is(kBusiness) {
		p.advance()
		if !p.is(kUnit) || calendar.Unit(p.tok.n) != calendar.Day {
			return 0, -1, false
		}
		p.advance()
		return calendar.BusinessDay, -1, true
	}
	u, ok = p.acceptUnit()
	return u, -1, ok
}

// recurring reads first 5 business days of each month, day 1-15 of each month, Fri 3 of each month and 3rd Fri of each month.
func (p *parser) recurring() Part {
	at := p.tok
	r := Recurring{From: 1, Through: 1}
	switch {
	case p.is(kOrdinal):
		r.From, r.Through = p.tok.n, p.tok.n
		p.advance()
	case p.is(kFirst), p.is(kLast):
		r.Pick = FirstOnes
		if p.is(kLast) {
			r.Pick = LastOnes
		}
		p.advance()
		if p.atCount() {
			r.Through = p.count()
		}
	}
	counted := p.tok
	u, day, ok := p.counts()
	if !ok {
		p.refuseHere("a unit or a day of the week, such as business days or Mon")
	}
	if r.Unit = u; day >= 0 {
		r.Weekday, r.ByWeekday = civil.Weekday(day), true
	}
	if r.Pick == Numbered && at.word != kOrdinal {
		r.From = p.count()
		if r.Through = r.From; p.tok.kind == minus {
			p.advance()
			if !p.atCount() {
				p.refuseHere("the last number, such as day 1-15")
			}
			last := p.tok
			if r.Through = p.count(); r.Through < r.From {
				p.refuse(counted.start, last.end, fmt.Sprintf("from number %d through %d: the first one comes first", r.From, r.Through),
					rewrite{{counted.start, last.end, fmt.Sprintf("%s %d-%d", p.src[counted.start:counted.end], r.Through, r.From)}})
			}
		}
	}
	if r.Unit.OfClock() {
		p.refuse(at.start, p.prev.end, "hours and minutes that recur are written as times, such as only 09:00-17:00")
	}
	if !p.is(kOf) {
		p.ofEach(at, r)
	}
	p.advance()
	if !p.accept(kEach) {
		p.refuseHere("each and a unit, such as each month")
	}
	each := p.tok
	r.Each = p.unit()
	if r.Each < calendar.Week || r.Each.OfClock() || r.Each <= r.Unit {
		p.refuse(each.start, p.prev.end,
			fmt.Sprintf("a part that recurs is of each week, month, quarter, half or year, and shorter than it; %s is not", r.name(1)))
	}
	return r
}

// ofEach refuses a part that does not say of which unit it is.
func (p *parser) ofEach(at token, r Recurring) {
	var rewrites []rewrite
	for _, each := range []calendar.Unit{calendar.Month, calendar.Quarter, calendar.Year} {
		if each > r.Unit && len(rewrites) < 2 {
			rewrites = append(rewrites, rewrite{{p.prev.end, p.prev.end, " of each " + each.String()}})
		}
	}
	if p.tok.kind == unknown {
		p.refuseHere("of each and a unit, such as of each month", rewrites...)
	}
	p.refuse(at.start, p.prev.end,
		fmt.Sprintf("%q does not say of which unit it is: expected of each and a unit, such as of each month", p.words(at)), rewrites...)
}

// weekdayForm reads Fri 3 of X, from a day of the week on.
func (p *parser) weekdayForm() Node {
	at := p.tok
	day := civil.Weekday(at.n)
	p.advance()
	if p.atCount() {
		return &NthWeekday{day, p.count(), p.of()}
	}
	p.whichWeekday(at, day)
	return nil
}

// ordinalForm reads 3rd Fri of X.
func (p *parser) ordinalForm() Node {
	at := p.tok
	p.advance()
	u, day, ok := p.counts()
	switch {
	case !ok:
		p.refuseHere("a day of the week, such as " + p.words(at) + " Fri")
	case day >= 0 && p.is(kOf):
		return &NthWeekday{civil.Weekday(day), at.n, p.of()}
	case day >= 0:
		p.whichWeekday(at, civil.Weekday(day))
	}
	p.refuse(at.start, p.prev.end, fmt.Sprintf("%q is written with the number after the unit", p.words(at)),
		rewrite{{at.start, p.prev.end, fmt.Sprintf("%s %d", u, at.n)}})
	return nil
}

// whichWeekday refuses a day of the week that does not say which one it is.
func (p *parser) whichWeekday(at token, day civil.Weekday) {
	written := p.words(at)
	if at.word == kOrdinal {
		p.refuse(at.start, p.prev.end, fmt.Sprintf("%q does not say of what: expected of and a span", written),
			rewrite{{p.prev.end, p.prev.end, " of this month"}}, rewrite{{p.prev.end, p.prev.end, " of last full month"}})
	}
	reading := func(text string) rewrite { return rewrite{{at.start, p.prev.end, fmt.Sprintf(text, day.Short())}} }
	readings := []rewrite{
		reading("first %s of this week"), reading("last %s of trailing 7 days excluding today"), reading("first %s of coming 7 days"),
	}
	switch at.word {
	case kLast, kPast, kPrevious:
		readings = []rewrite{
			reading("last %s of trailing 7 days excluding today"), reading("first %s of last full week"), reading("last %s of this month"),
		}
	case kNext:
		readings = []rewrite{reading("first %s of coming 7 days"), reading("first %s of next full week")}
	case kThis, kCurrent:
		readings = []rewrite{reading("first %s of this week")}
	case kFirst:
		readings = []rewrite{reading("first %s of this month"), reading("first %s of last full month")}
	}
	p.refuse(at.start, p.prev.end, fmt.Sprintf("%q does not say which one: expected of and a span", written), readings...)
}

// outerWeekday reads the rest of first Mon of X and last Mon of X: the day of the week is next.
func (p *parser) outerWeekday(at token, last bool, counted bool, n int) Node {
	day := civil.Weekday(p.tok.n)
	p.advance()
	if !p.is(kOf) {
		p.whichWeekday(at, day)
	}
	if !counted {
		return &FirstLastWeekday{last, day, p.of()}
	}
	end := p.prev.end
	x := p.of()
	words := x.String()
	which := func(n int) string { return fmt.Sprintf("%s %d of %s", day.Short(), n, words) }
	first, through := "first "+day.Short()+" of "+words, which(n)
	part := fmt.Sprintf("only %s %d %s of each %s", firstOrLast(last), n, day.Short(), eachOf(x))
	readings := []rewrite{{{at.start, p.prev.end, words + ", " + part}}}
	if !last {
		readings = append(readings, rewrite{{at.start, p.prev.end, "from " + first + " through " + through}})
	}
	p.refuse(at.start, end,
		fmt.Sprintf("%q has two meanings: these days alone, or all from the first of them through the last", p.src[at.start:end]), readings...)
	return nil
}

// eachOf returns the unit that a part of a span may recur in: its own where it is long enough, else the month.
func eachOf(x Node) calendar.Unit {
	if u := x.unit(); u >= calendar.Week && !u.OfClock() {
		return u
	}
	return calendar.Month
}

// eventForm reads event NAME and event NAME of X.
func (p *parser) eventForm() Node {
	name := p.name("the name of an event")
	if p.is(kOf) {
		return &EventOf{name, p.of()}
	}
	return &Event{name}
}

// weekdayPoint reads a day of the week of a span where a point is needed: it is one day.
func (p *parser) weekdayPoint() (Point, bool) {
	here := p.mark()
	switch {
	case p.is(kFirst), p.is(kLast), p.is(kOrdinal):
		p.advance()
		if !p.is(kWeekday) {
			p.back(here)
			return Point{}, false
		}
		p.back(here)
	case !p.is(kWeekday):
		return Point{}, false
	}
	return Point{Base: StartOf, Of: p.form()}, true
}
