package span

import (
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"vastspan/core/calendar"
	"vastspan/core/civil"
)

type kind uint8

const (
	endOfText  kind = iota
	word            // a known word; its identity is in token.word
	unknown         // a run of letters that is no known word
	number          // digits; the value is in token.n, -1 when it is too large
	dateText        // 2026-03-05
	momentText      // 2026-03-05T14:30
	timeText        // 14:30
	unitText        // 2026-Q2, 2026-03
	slash
	plus
	minus
	comma
	open
	closing
	at
)

// A token is one piece of source; start and end are byte offsets.
type token struct {
	kind       kind
	word       keyword
	start, end int
	n          int
	day        civil.Day
	time       civil.TimeOfDay
	literal    UnitLiteral
}

type keyword uint8

const (
	_ keyword = iota
	kToday
	kYesterday
	kTomorrow
	kThis
	kTo
	kDate
	kLast
	kNext
	kFull
	kRest
	kOf
	kTrailing
	kComing
	kExcluding
	kIncluding
	kSo
	kFar
	kEarlier
	kLater
	kOnly
	kIn
	kFirst
	kFrom
	kThrough
	kOnward
	kAll
	kDates
	kStart
	kEnd
	kOr
	kAnd
	kExcept
	kBusiness
	kPast
	kPrevious
	kSince
	kUntil
	kUnit     // a unit's name; token.n is the unit
	kShort    // WTD and its like; token.n is the unit
	kCount    // a number word up to twenty, or a ten; token.n is its value
	kWeekday  // token.n is the weekday
	kWeekends // Sat/Sun
	kWeekdays
	kAgo
	kCurrent
	kNow
	kBefore
	kAfter
	kBetween
	kRolling
	kSame
	kMonth   // a month's name; token.n is its number
	kOrdinal // third, 3rd; token.n is its number
	kEach
	kEvent
)

type meaning struct {
	word keyword
	n    int
}

// words holds every known word; spellings is the same in a fixed order, for suggestions.
var words, spellings = vocabulary()

func vocabulary() (map[string]meaning, []string) {
	words := map[string]meaning{}
	var spellings []string
	add := func(k keyword, n int, texts ...string) {
		for _, text := range texts {
			words[text] = meaning{k, n}
			spellings = append(spellings, text)
		}
	}
	for text, k := range map[string]keyword{
		"today": kToday, "yesterday": kYesterday, "tomorrow": kTomorrow, "this": kThis, "to": kTo, "date": kDate,
		"last": kLast, "next": kNext, "full": kFull, "rest": kRest, "of": kOf, "trailing": kTrailing, "coming": kComing,
		"excluding": kExcluding, "including": kIncluding, "so": kSo, "far": kFar, "earlier": kEarlier, "later": kLater,
		"only": kOnly, "in": kIn, "first": kFirst, "from": kFrom, "through": kThrough, "onward": kOnward, "all": kAll,
		"dates": kDates, "start": kStart, "end": kEnd, "or": kOr, "and": kAnd, "except": kExcept, "business": kBusiness,
		"past": kPast, "previous": kPrevious, "since": kSince, "until": kUntil, "weekends": kWeekends, "weekend": kWeekends,
		"weekdays": kWeekdays, "ago": kAgo, "current": kCurrent, "now": kNow, "before": kBefore, "after": kAfter, "between": kBetween,
		"rolling": kRolling, "same": kSame, "each": kEach, "event": kEvent,
	} {
		add(k, 0, text)
	}
	for _, u := range calendar.Units {
		if u != calendar.BusinessDay {
			add(kUnit, int(u), u.String(), u.Plural())
		}
	}
	for _, u := range calendar.ClockUnits {
		add(kUnit, int(u), u.String(), u.Plural())
	}
	add(kUnit, int(calendar.Month), "period", "periods")
	add(kShort, int(calendar.Week), "wtd")
	add(kShort, int(calendar.Month), "mtd")
	add(kShort, int(calendar.Quarter), "qtd")
	add(kShort, int(calendar.Half), "htd")
	add(kShort, int(calendar.Year), "ytd")
	add(kCount, 1, "a", "an")
	for i, text := range []string{"one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven", "twelve",
		"thirteen", "fourteen", "fifteen", "sixteen", "seventeen", "eighteen", "nineteen"} {
		add(kCount, i+1, text)
	}
	for i, text := range []string{"second", "third", "fourth", "fifth", "sixth", "seventh", "eighth", "ninth", "tenth"} {
		add(kOrdinal, i+2, text)
	}
	for i, text := range []string{"twenty", "thirty", "forty", "fifty", "sixty", "seventy", "eighty", "ninety"} {
		add(kCount, 20+10*i, text)
	}
	for m := time.January; m <= time.December; m++ {
		full := lower(m.String())
		add(kMonth, int(m), full, full[:3])
	}
	for w := civil.Monday; w <= civil.Sunday; w++ {
		full := lower(w.String())
		add(kWeekday, int(w), full, full[:3], full+"s")
	}
	slices.Sort(spellings)
	return words, spellings
}

func lower(s string) string {
	b := []byte(s)
	for i, c := range b {
		if c >= 'A' && c <= 'Z' {
			b[i] = c + 'a' - 'A'
		}
	}
	return string(b)
}

// blanks returns the offset of the first character at or after pos that is no blank.
func (p *parser) blanks(pos int) int {
	for pos < len(p.src) {
		switch c := p.src[pos]; {
		case c == ' ' || c == '\t' || c == '\n' || c == '\r':
			pos++
		case c >= utf8.RuneSelf:
			r, size := utf8.DecodeRuneInString(p.src[pos:])
			if !unicode.IsSpace(r) {
				return pos
			}
			pos += size
		default:
			return pos
		}
	}
	return pos
}

// scan reads the token that begins at or after an offset.
func (p *parser) scan(pos int) token {
	src := p.src
	pos = p.blanks(pos)
	if pos > 0 && pos+1 < len(src) && src[pos] == '-' && isLetter(src[pos-1]) && isLetter(src[pos+1]) {
		pos++ // a hyphen between two letters counts as a blank
	}
	if pos == len(src) {
		return token{kind: endOfText, start: pos, end: pos}
	}
	t := token{start: pos, end: pos + 1}
	switch c := src[pos]; {
	case c == '/':
		t.kind = slash
	case c == '+':
		t.kind = plus
	case c == '-':
		t.kind = minus
	case c == ',':
		t.kind = comma
	case c == '(':
		t.kind = open
	case c == ')':
		t.kind = closing
	case c == '@':
		t.kind = at
	case isDigit(c):
		return p.scanNumber(pos)
	case isLetter(c):
		if t, ok := p.scanUnitBeforeYear(pos); ok {
			return t
		}
		return p.scanWord(pos)
	default:
		if r, _ := utf8.DecodeRuneInString(src[pos:]); unicode.IsLetter(r) {
			return p.scanWord(pos)
		}
		p.refuseStranger(pos)
	}
	return t
}

func isLetter(c byte) bool { return c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' }
func isDigit(c byte) bool  { return c >= '0' && c <= '9' }

// refuseStranger refuses a character that no expression has.
func (p *parser) refuseStranger(pos int) {
	r, size := utf8.DecodeRuneInString(p.src[pos:])
	end := pos + size
	switch {
	case r == utf8.RuneError && size == 1:
		p.refuse(pos, end, "the text is not UTF-8 here")
	case r == '–' || r == '—' || r == '−' || r == '‐' || r == '‑':
		p.refuse(pos, end, fmt.Sprintf("%q is not the hyphen of the keyboard", r), rewrite{{pos, end, "-"}})
	case !unicode.IsPrint(r):
		p.refuse(pos, end, fmt.Sprintf("the invisible character U+%04X is unexpected here", r), rewrite{{pos, end, ""}})
	}
	p.refuse(pos, end, fmt.Sprintf("%q has no meaning here", r))
}

// scanWord reads a run of letters. Letters of other scripts make the word unknown.
func (p *parser) scanWord(pos int) token {
	t := token{kind: word, start: pos}
	var buf [12]byte
	n := 0
	for pos < len(p.src) {
		if c := p.src[pos]; isLetter(c) {
			if n < len(buf) {
				buf[n] = c | 0x20
			}
			n++
			pos++
			continue
		}
		r, size := utf8.DecodeRuneInString(p.src[pos:])
		if r < utf8.RuneSelf || !unicode.IsLetter(r) && !unicode.IsMark(r) {
			break
		}
		n = len(buf) + 1
		pos += size
	}
	t.end = pos
	if n <= len(buf) {
		m := words[string(buf[:n])]
		t.word, t.n = m.word, m.n
	}
	if t.word == 0 {
		t.kind = unknown
	}
	return t
}

// scanNumber reads digits, a date or a unit literal.
func (p *parser) scanNumber(pos int) token {
	src := p.src
	t := token{kind: number, start: pos}
	run := digitsAt(src, pos)
	t.n, t.end = value(src[pos:pos+run]), pos+run
	if p.atTime(t.end) {
		return p.scanTime(pos)
	}
	if end := t.end + 2; end <= len(src) && (end == len(src) || !isLetter(src[end])) && ordinalEnding(src[t.end:end]) {
		t.kind, t.word, t.end = word, kOrdinal, end
		return t
	}
	if run == 4 && t.end+1 < len(src) && src[t.end] == '-' {
		switch c := src[t.end+1]; {
		case isDigit(c):
			return p.scanDate(t)
		case isLetter(c) && t.end+2 < len(src) && isDigit(src[t.end+2]):
			return p.scanUnitLiteral(t, t.end+1, "")
		}
	}
	if t.end+1 < len(src) && (src[t.end] == '.' || src[t.end] == ',') && isDigit(src[t.end+1]) {
		end := t.end + 1 + digitsAt(src, t.end+1)
		p.refuse(pos, end, fmt.Sprintf("%s is not a whole number: a count is 1 to 100,000, in digits alone", src[pos:end]))
	}
	return t
}

// atTime reports whether the minutes of a time are at an offset.
func (p *parser) atTime(pos int) bool {
	return pos+1 < len(p.src) && p.src[pos] == ':' && isDigit(p.src[pos+1])
}

// scanTime reads a time of day.
func (p *parser) scanTime(pos int) token {
	end := pos + digitsAt(p.src, pos)
	for p.atTime(end) {
		end += 1 + digitsAt(p.src, end+1)
	}
	t, err := civil.ParseTimeOfDay(p.src[pos:end])
	if err != nil {
		p.refuse(pos, end, err.Error())
	}
	if end < len(p.src) && (p.src[end] == '.' && end+1 < len(p.src) && isDigit(p.src[end+1]) || p.src[end]|0x20 == 'z') {
		p.refuse(pos, end+1, "a time in an expression goes to the second, and is what the clock shows: it has no offset")
	}
	return token{kind: timeText, start: pos, end: end, time: t}
}

// scanDate reads year-month-day, or year-month for a civil month; t holds the year.
func (p *parser) scanDate(t token) token {
	src, year := p.src, t.n
	at := t.end + 1
	run := digitsAt(src, at)
	month, end := value(src[at:at+run]), at+run
	if end+1 < len(src) && src[end] == '-' && isDigit(src[end+1]) {
		dayRun := digitsAt(src, end+1)
		day := value(src[end+1 : end+1+dayRun])
		end += 1 + dayRun
		d, err := civil.NewDay(year, month, day)
		if err != nil {
			p.refuse(t.start, end, err.Error())
		}
		if run != 2 || dayRun != 2 {
			p.refuse(t.start, end, "a date has two digits each for month and day", rewrite{{t.start, end, d.String()}})
		}
		if end+1 < len(src) && src[end]|0x20 == 't' && isDigit(src[end+1]) {
			moment := p.scanTime(end + 1)
			moment.kind, moment.start, moment.day = momentText, t.start, d
			return moment
		}
		return token{kind: dateText, start: t.start, end: end, day: d}
	}
	if run > 2 || month < 1 || month > 12 || year < 1 {
		p.refuse(t.start, end, fmt.Sprintf("%s is not a civil month: expected 0001-01 to 9999-12", src[t.start:end]))
	}
	return token{
		kind:    unitText,
		start:   t.start,
		end:     end,
		literal: UnitLiteral{Year: year, Unit: calendar.Month, Number: month, Civil: true},
	}
}

// scanUnitLiteral reads the Q2 of 2026-Q2 and its like, at an offset; t holds the year. What is written
// otherwise is refused as a whole.
func (p *parser) scanUnitLiteral(t token, at int, whole string) token {
	src := p.src
	run := digitsAt(src, at+1)
	n, end := value(src[at+1:at+1+run]), at+1+run
	l := UnitLiteral{Year: t.n, Number: n}
	most := 0
	if whole == "" {
		whole = src[t.start:end]
	}
	switch src[at] | 0x20 {
	case 'h':
		l.Unit, most = calendar.Half, 2
	case 'q':
		l.Unit, most = calendar.Quarter, 4
	case 'p':
		l.Unit, most = calendar.Month, 13
	case 'w':
		l.Unit, most = calendar.Week, 53
	default:
		p.refuse(
			t.start,
			end,
			fmt.Sprintf("%s is not a unit of a year: expected H, Q, P or W and a number, such as %04d-Q2", whole, t.n),
		)
	}
	if n < 1 || n > most || t.n < 1 {
		p.refuse(t.start, end, fmt.Sprintf("%s does not exist: a year has %s 1 to %d", whole, l.Unit.Plural(), most))
	}
	return token{kind: unitText, start: t.start, end: end, literal: l}
}

// scanUnitBeforeYear reads Q3 2026 and its like: a unit of a year, then the year.
func (p *parser) scanUnitBeforeYear(pos int) (token, bool) {
	src := p.src
	run := digitsAt(src, pos+1)
	if run == 0 || run > 2 || !strings.ContainsRune("hqpw", rune(src[pos]|0x20)) {
		return token{}, false
	}
	end := pos + 1 + run
	year := p.blanks(end)
	if digits := digitsAt(src, year); year > end && digits == 4 {
		t := p.scanUnitLiteral(token{start: pos, n: value(src[year : year+4])}, pos, src[pos:year+4])
		t.end = year + 4
		return t, true
	}
	units := map[byte]calendar.Unit{'h': calendar.Half, 'q': calendar.Quarter, 'p': calendar.Month, 'w': calendar.Week}
	p.refuse(pos, end, fmt.Sprintf("%s does not say of which year", src[pos:end]),
		rewrite{{pos, end, fmt.Sprintf("%s %s of this year", units[src[pos]|0x20], src[pos+1:end])}})
	return token{}, false
}

// ordinalEnding reports whether two letters make a number an ordinal: 1st, 2nd, 3rd, 4th.
func ordinalEnding(s string) bool {
	switch lower(s) {
	case "st", "nd", "rd", "th":
		return true
	}
	return false
}

func digitsAt(s string, pos int) int {
	n := 0
	for pos+n < len(s) && isDigit(s[pos+n]) {
		n++
	}
	return n
}

// value reads digits; -1 when there are too many for any count or year.
func value(s string) int {
	if len(s) > 9 {
		return -1
	}
	n := 0
	for i := range len(s) {
		n = n*10 + int(s[i]-'0')
	}
	return n
}
