package span

import (
	"fmt"
	"unicode"
	"unicode/utf8"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/naming"
)

const (
	// MaxLength is the longest expression that is read, in bytes.
	MaxLength = 2000
	// MaxDepth is how many brackets and "of"s may be inside one another.
	MaxDepth = 100
	// MaxCount is the largest count.
	MaxCount = 100_000
)

// Parse reads an expression. The error, if any, is an *Error.
func Parse(src string) (Node, error) {
	n, fault := parse(src)
	if fault != nil {
		return nil, fault.asError(src, 3)
	}
	return n, nil
}

// parser reads one expression by recursive descent, one token ahead. A refusal travels up as a
// panic and is caught in parse.
type parser struct {
	src   string
	tok   token
	prev  token // the token before tok
	depth int
	// excluded is the "excluding today" that was read last, and where the term that it is on begins.
	excluded struct{ term, start, end int }
	// places are where the forms and modifiers are, in bytes of the source; nil where nobody asks.
	places map[Node]extent
}

// An extent is a part of a source, in bytes.
type extent struct{ start, end int }

// note remembers where a form or a modifier is, through the token that was read last.
func (p *parser) note(n Node, start int) {
	if p.places == nil {
		return
	}
	if _, known := p.places[n]; !known { // brackets add nothing
		p.places[n] = extent{start, p.prev.end}
	}
}

func parse(src string) (Node, *refusal) { return (&parser{src: src}).parse() }

func (p *parser) parse() (n Node, fault *refusal) {
	src := p.src
	if len(src) > MaxLength {
		return nil, &refusal{message: fmt.Sprintf("an expression has at most %d bytes; this one has %d", MaxLength, len(src))}
	}
	defer func() {
		if r := recover(); r != nil {
			var ok bool
			if fault, ok = r.(*refusal); !ok {
				panic(r)
			}
			n = nil
		}
	}()
	p.tok = p.scan(0)
	if p.tok.kind == endOfText {
		p.refuse(0, 0, "expected a span, such as last full month")
	}
	n = p.expression()
	if p.tok.kind != endOfText {
		p.stray()
	}
	return n, nil
}

func (p *parser) refuse(start, end int, message string, rewrites ...rewrite) {
	panic(&refusal{start, end, message, rewrites})
}

// refuseHere refuses the token that is next: misspelt where it is an unknown word, else with
// what was expected.
func (p *parser) refuseHere(expected string, rewrites ...rewrite) {
	t := p.tok
	switch t.kind {
	case endOfText:
		p.refuse(t.start, t.end, "the expression ends here; expected "+expected, rewrites...)
	case unknown:
		for _, w := range naming.Near(lower(p.src[t.start:t.end]), spellings) {
			rewrites = append(rewrites, rewrite{{t.start, t.end, w}})
		}
		p.refuse(
			t.start,
			t.end,
			fmt.Sprintf("%q is not a word of the span language; expected %s", shorten(p.src[t.start:t.end]), expected),
			rewrites...)
	}
	if p.src[t.start:t.end] == "/" && p.prev.kind == number { // 01/10/2026
		p.refuse(t.start, t.end, `"/" is unexpected here; dates are written with the year first, such as 2026-10-01`, rewrites...)
	}
	p.refuse(t.start, t.end, fmt.Sprintf("%q is unexpected here; expected %s", p.src[t.start:t.end], expected), rewrites...)
}

func shorten(s string) string {
	if r := []rune(s); len(r) > 30 {
		return string(r[:30]) + "…"
	}
	return s
}

func (p *parser) advance() {
	p.prev = p.tok
	p.tok = p.scan(p.tok.end)
}

func (p *parser) is(k keyword) bool { return p.tok.kind == word && p.tok.word == k }

func (p *parser) accept(k keyword) bool {
	if p.is(k) {
		p.advance()
		return true
	}
	return false
}

func (p *parser) expect(k keyword, spelling string) {
	if !p.accept(k) {
		p.refuseHere(spelling)
	}
}

// mark and back let the parser look further than one token.
type mark struct{ tok, prev token }

func (p *parser) mark() mark  { return mark{p.tok, p.prev} }
func (p *parser) back(m mark) { p.tok, p.prev = m.tok, m.prev }
func (p *parser) deeper(at token) {
	if p.depth++; p.depth > MaxDepth {
		p.refuse(at.start, at.end, fmt.Sprintf("brackets and \"of\"s go at most %d deep", MaxDepth))
	}
}

// stray refuses what follows a complete expression.
func (p *parser) stray() {
	switch {
	case p.tok.kind == closing:
		p.refuse(p.tok.start, p.tok.end, "this bracket closes nothing", rewrite{{p.tok.start, p.tok.end, ""}})
	case p.tok.kind == plus || p.tok.kind == minus:
		p.refuse(
			p.tok.start,
			p.tok.end,
			"only a point can be moved by + or -: a date, today, yesterday, tomorrow, start of or end of a span",
		)
	case p.is(kIncluding):
		p.refuse(p.tok.start, p.tok.end, "including today belongs to coming alone; every other form says by itself where it ends")
	}
	p.refuseHere("or, and, except, a modifier, or the end")
}

// expression reads a chain of terms joined by one operator.
func (p *parser) expression() Node {
	start := p.tok
	first := p.term(nil)
	op, ok := p.operator()
	if !ok {
		return first
	}
	terms := make([]Node, 0, 4)
	if c, ok := first.(*SetOp); ok && c.Op == op {
		terms = append(terms, c.Terms...) // its brackets can be spared: chains go from left to right
	} else {
		terms = append(terms, first)
	}
	for {
		opToken := p.tok
		next, ok := p.operator()
		if !ok {
			n := &SetOp{op, terms}
			p.note(n, start.start)
			return n
		}
		if next != op {
			p.mixed(start, op, opToken)
		}
		p.advance()
		if op == And {
			p.bothExcluded(opToken)
		}
		terms = append(terms, p.term(&start))
	}
}

// bothExcluded refuses "excluding today and yesterday", which reads as though both were left out.
func (p *parser) bothExcluded(and token) {
	x := p.excluded
	if x.end == 0 || x.end > and.start || p.blanks(x.end) != and.start || !p.is(kToday) && !p.is(kYesterday) && !p.is(kTomorrow) {
		return
	}
	other := p.src[p.tok.start:p.tok.end]
	p.refuse(x.start, p.tok.end, fmt.Sprintf("this reads as though today and %s were left out; it has two meanings", other),
		rewrite{{x.start, p.tok.end, "except (" + other + " or today)"}},
		rewrite{{x.term, x.term, "("}, {x.end, x.end, ")"}})
}

func (p *parser) operator() (Op, bool) {
	if p.tok.kind == word {
		switch p.tok.word {
		case kOr:
			return Or, true
		case kAnd:
			return And, true
		case kExcept:
			return Except, true
		}
	}
	return 0, false
}

// mixed refuses a second operator in a chain and offers both readings. The new operator is
// next; the term before it began at the token after the last operator of the old kind.
func (p *parser) mixed(start token, op Op, opToken token) {
	lastTerm := p.lastTermStart(start, op)
	chainEnd := p.prev.end
	next, _ := p.operator()
	for {
		if again, ok := p.operator(); !ok || again != next {
			break
		}
		p.advance()
		p.term(nil)
	}
	p.refuse(opToken.start, opToken.end,
		fmt.Sprintf("%q after %q has two meanings: put brackets round the part that comes first", next, op),
		rewrite{{start.start, start.start, "("}, {chainEnd, chainEnd, ")"}},
		rewrite{{lastTerm, lastTerm, "("}, {p.prev.end, p.prev.end, ")"}})
}

// lastTermStart finds where the last term of the chain that ends before the next token begins, by
// reading the chain again.
func (p *parser) lastTermStart(start token, op Op) int {
	here := p.mark()
	defer p.back(here)
	p.back(mark{tok: start})
	for {
		at := p.tok.start
		p.term(nil)
		if again, ok := p.operator(); !ok || again != op || p.tok.start >= here.tok.start {
			return at
		}
		p.advance()
	}
}

// term reads a form and its modifiers. chain is where the unbracketed chain began of which the
// term is a later part, nil where it is the first: after such a chain a move, only or in is
// refused, as it could mean the last term or the whole.
func (p *parser) term(chain *token) Node {
	at := p.tok
	n := p.form()
	p.note(n, at.start)
	closed := false
	for {
		before := p.prev.end
		here := p.mark()
		comma := p.tok.kind == comma
		if comma {
			p.advance()
		}
		modifier := p.tok
		loose := true
		switch {
		case p.is(kExcluding):
			start := p.tok.start
			p.advance()
			p.expect(kToday, "today")
			p.excluded.term, p.excluded.start, p.excluded.end = at.start, start, p.prev.end
			n, loose = &ExcludingToday{n}, false
		case p.is(kSo):
			p.advance()
			p.expect(kFar, "far")
			n, loose = &SoFar{n}, false
		case p.is(kOnly):
			n = p.only(n)
		case p.is(kIn):
			n = p.in(n)
		case p.atCount():
			n = p.move(n)
		case comma:
			p.refuseHere("a modifier after the comma: " +
				"excluding today, so far, 1 year earlier, only business days, only Oct/Nov/Dec or in a calendar")
		default:
			return n
		}
		p.note(n, modifier.start)
		if closed {
			p.refuse(here.tok.start, p.prev.end, "a calendar given with in comes last in its term")
		}
		if _, ok := n.(*InCalendar); ok {
			closed = true
		}
		if loose && chain != nil {
			p.afterChain(*chain, at, before)
		}
	}
}

// afterChain refuses a move, only or in after an unbracketed chain, with both readings. The first
// such modifier has been read; it began after the offset before.
func (p *parser) afterChain(chain, lastTerm token, before int) {
	first := p.prev
	for p.tok.kind == comma || p.is(kOnly) || p.is(kIn) || p.is(kExcluding) || p.is(kSo) || p.atCount() {
		if p.tok.kind == comma {
			p.advance()
		}
		switch {
		case p.accept(kExcluding), p.accept(kSo):
			p.advance()
		case p.is(kOnly):
			p.only(nil)
		case p.is(kIn):
			p.in(nil)
		default:
			p.move(nil)
		}
	}
	p.refuse(before, first.end, "after a chain of spans this has two meanings: the last of them, or all",
		rewrite{{chain.start, chain.start, "("}, {before, before, ")"}},
		rewrite{{lastTerm.start, lastTerm.start, "("}, {p.prev.end, p.prev.end, ")"}})
}

// onlyTimes reads 09:00-17:00; midnight at the end is 24:00.
func (p *parser) onlyTimes(x Node) Node {
	from := p.tok
	p.advance()
	if p.tok.kind != minus {
		p.refuseHere("- and the time at which it ends, such as 09:00-17:00")
	}
	p.advance()
	until := p.tok
	if until.kind != timeText {
		p.refuseHere("the time at which it ends, such as 09:00-17:00")
	}
	p.advance()
	n := &OnlyTimes{x, from.time, until.time}
	if n.Until == 0 {
		n.Until = civil.EndOfDay
	}
	if n.From == civil.EndOfDay || n.From == n.Until {
		p.refuse(from.start, until.end, "times from the first until the second, which must differ: 09:00-17:00, or 22:00-06:00 across midnight")
	}
	return n
}

func (p *parser) in(x Node) Node {
	name := p.name("the name of a calendar")
	return &InCalendar{x, name}
}

// name reads a name after the token that is next, where hyphens and digits belong to it.
func (p *parser) name(expected string) string {
	start := p.tok.end
	if p.tok.kind != at {
		start = p.blanks(start)
	}
	end := start
	for end < len(p.src) && (isLetter(p.src[end]) || isDigit(p.src[end]) || p.src[end] == '-') {
		end++
	}
	if r, size := utf8.DecodeRuneInString(p.src[end:]); r >= utf8.RuneSelf && unicode.IsLetter(r) {
		p.refuse(end, end+size, fmt.Sprintf("%q cannot be in a name: names are the letters a to z, digits and hyphens", r))
	}
	name := lower(p.src[start:end])
	if name == "" || !isLetter(name[0]) {
		p.refuse(start, end, "expected "+expected+": letters, digits and hyphens, beginning with a letter")
	}
	p.prev = token{kind: word, start: start, end: end}
	p.tok = p.scan(end)
	return name
}

// atCount reports whether a count is next.
func (p *parser) atCount() bool { return p.tok.kind == number || p.is(kCount) }

// count reads a count, in digits or in words.
func (p *parser) count() int {
	t := p.tok
	n := t.n
	p.advance()
	if t.kind == word && n >= 20 && n%10 == 0 && p.is(kCount) && p.tok.n < 10 && p.src[p.tok.start]|0x20 != 'a' {
		n += p.tok.n
		p.advance()
	}
	if n < 1 || n > MaxCount {
		p.refuse(t.start, p.prev.end, "a count is a whole number from 1 to 100,000")
	}
	return n
}

// unit reads a unit's name.
func (p *parser) unit() calendar.Unit {
	u, ok := p.acceptUnit()
	if !ok {
		p.refuseHere("a unit: minutes, hours, days, business days, weeks, months, quarters, halves or years")
	}
	return u
}

func (p *parser) acceptUnit() (calendar.Unit, bool) {
	if p.is(kUnit) {
		u := calendar.Unit(p.tok.n)
		p.advance()
		return u, true
	}
	if p.is(kBusiness) {
		p.advance()
		if !p.is(kUnit) || calendar.Unit(p.tok.n) != calendar.Day {
			p.refuseHere("days after business")
		}
		p.advance()
		return calendar.BusinessDay, true
	}
	return 0, false
}

// counted reads N Us.
func (p *parser) counted(form string) (int, calendar.Unit) {
	if !p.atCount() {
		if p.tok.kind == minus {
			p.refuse(p.tok.start, p.tok.end, "a count is a whole number from 1 to 100,000; it has no sign")
		}
		p.refuseHere("a count after " + form + ", such as " + form + " 3 months")
	}
	n := p.count()
	return n, p.unit()
}

func (p *parser) move(x Node) Node {
	at := p.tok
	n := p.count()
	u, ok := p.acceptUnit()
	if !ok {
		p.refuseHere("a unit and earlier or later, such as 1 year earlier")
	}
	switch {
	case p.accept(kEarlier):
		n = -n
	case p.accept(kLater):
	default:
		if p.tok.kind == unknown {
			p.refuseHere("earlier or later")
		}
		p.refuse(at.start, p.prev.end, "expected earlier or later after this",
			rewrite{{p.prev.end, p.prev.end, " earlier"}}, rewrite{{p.prev.end, p.prev.end, " later"}})
	}
	return &Move{x, n, u}
}
