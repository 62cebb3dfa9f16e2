package span

import (
	"fmt"
	"strings"
	"unicode/utf8"
)

// An Error refuses an expression: where, why, and what may be written instead (semantics §5).
type Error struct {
	// Column is the place in the expression, counted in characters from 1; 0 where the whole
	// expression is meant.
	Column int `json:"column"`
	// Width is the number of characters that are wrong, at least 1 where Column is set.
	Width int `json:"width"`
	// Message says what is wrong and what was expected.
	Message string `json:"message"`
	// Offers are whole expressions that may have been meant, each one valid on its own.
	Offers []string `json:"offers,omitempty"`
	// Unknown is a name of a span that is not there, and Near one that is, and much like it; empty for none.
	Unknown, Near string `json:"-"`
	// at is the form that could not be resolved; nil where the parser refuses.
	at Node
	// Timed says that the expression denotes moments, where days are needed.
	Timed bool `json:"-"`
}

func timedError(what fmt.Stringer) error {
	return &Error{Message: fmt.Sprintf("%s has times: it is read over records with times, and days are needed here", what), Timed: true}
}

// Error returns the place, the message and the offers in one line.
func (e *Error) Error() string {
	var b strings.Builder
	if e.Column > 0 {
		fmt.Fprintf(&b, "column %d: ", e.Column)
	}
	b.WriteString(e.Message)
	if e.Near != "" {
		return b.String() + "; did you mean @" + e.Near
	}
	for i, offer := range e.Offers {
		switch {
		case i == 0:
			b.WriteString("; did you mean ")
		case i == len(e.Offers)-1:
			b.WriteString(" or ")
		default:
			b.WriteString(", ")
		}
		fmt.Fprintf(&b, "%q", offer)
	}
	return b.String()
}

// offering adds the nearest names to an error about an unknown name.
func offering(n Node, err error) error {
	e, ok := err.(*Error)
	if !ok || e.Near == "" || e.Offers != nil {
		return err
	}
	with := *e
	with.Offers = []string{Renamed(n.String(), e.Unknown, e.Near)}
	return &with
}

// Located returns the error of resolving an expression with its place in the text that was parsed to it. An error that has one
// already, and one of a text that is read in another way, stays as it is.
func Located(err error, text string, n Node) error {
	e, ok := err.(*Error)
	if !ok || e.Column > 0 || e.at == nil || n == nil {
		return err
	}
	p := &parser{src: text, places: map[Node]extent{}}
	again, fault := p.parse()
	if fault != nil {
		return err
	}
	number, found, nth := 0, -1, 0
	Walk(n, func(n Node) bool {
		if n == e.at && found < 0 {
			found = number
		}
		number++
		return true
	})
	with := *e
	Walk(again, func(n Node) bool {
		if place, known := p.places[n]; nth == found && known {
			with.Column = utf8.RuneCountInString(text[:place.start]) + 1
			with.Width = max(1, utf8.RuneCountInString(text[place.start:place.end]))
		}
		nth++
		return true
	})
	return &with
}

// refusal is an Error on its way out of the parser: byte offsets and replacements, not yet columns
// and whole expressions.
type refusal struct {
	start, end int
	message    string
	rewrites   []rewrite
}

// A rewrite is one reading that is offered: the source with some periods replaced.
type rewrite []edit

type edit struct {
	start, end int
	text       string
}

func (w rewrite) apply(src string) string {
	var b strings.Builder
	at := 0
	for _, e := range w {
		b.WriteString(src[at:e.start])
		b.WriteString(e.text)
		at = e.end
	}
	b.WriteString(src[at:])
	return b.String()
}

// asError places a refusal in its source and tries every reading that it offers. Readings that
// parse are offered in canonical form; one that fails for a further fault is offered with that
// fault's own readings, up to depth.
func (r *refusal) asError(src string, depth int) *Error {
	e := &Error{
		Column:  utf8.RuneCountInString(src[:r.start]) + 1,
		Width:   max(1, utf8.RuneCountInString(src[r.start:r.end])),
		Message: r.message,
	}
	if depth == 0 {
		return e
	}
	for _, w := range r.rewrites {
		text := w.apply(src)
		if n, fault := parse(text); fault == nil {
			e.offer(n.String())
		} else {
			for _, further := range fault.asError(text, depth-1).Offers {
				e.offer(further)
			}
		}
	}
	return e
}

// maxOffers bounds how many readings one refusal shows.
const maxOffers = 6

func (e *Error) offer(text string) {
	if len(e.Offers) == maxOffers {
		return
	}
	for _, have := range e.Offers {
		if have == text {
			return
		}
	}
	e.Offers = append(e.Offers, text)
}
