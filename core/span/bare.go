package span

import "fmt"

// ParseNamed is Parse where the names of a source are known: a span's name is read without its @ where the text can be nothing else,
// and where a name is nearly one, that is offered. The canonical text has the @. Errors are those of Parse.
func ParseNamed(src string, source Source) (Node, error) {
	n, err := Parse(src)
	if err == nil || source == nil {
		return n, err
	}
	for text := src; ; {
		n, fault := parse(text)
		if fault == nil {
			return n, nil
		}
		start, end := nameAround(text, fault.start)
		if start == end {
			return nil, err
		}
		name := lower(text[start:end])
		_, _, missing := source.Span(name)
		if missing != nil {
			return nil, withName(withEvent(err, source, name, text[:start], text[end:]), missing, text[:start], text[end:])
		}
		text = text[:start] + "@" + name + text[end:]
	}
}

// Parse is ParseNamed with the names that the scope knows.
func (s *Scope) Parse(src string) (Node, error) { return ParseNamed(src, s.Names) }

// nameAround returns the name at an offset that has no sign before it, or nothing.
func nameAround(src string, at int) (start, end int) {
	part := func(c byte) bool { return isLetter(c) || isDigit(c) || c == '-' }
	start, end = at, at
	for start > 0 && part(src[start-1]) {
		start--
	}
	for end < len(src) && part(src[end]) {
		end++
	}
	if start == end || !isLetter(src[start]) || start > 0 && src[start-1] == '@' {
		return at, at
	}
	return start, end
}

// withEvent adds to a refusal the event that is named where the language has none.
func withEvent(err error, source Source, name, before, after string) error {
	e, ok := err.(*Error)
	if _, missing := source.Event(name); !ok || missing != nil {
		return err
	}
	n, wrong := Parse(before + "event " + name + after)
	if wrong != nil {
		return err
	}
	with := *e
	with.Message = fmt.Sprintf("%q is an event, which is written event %s", name, name)
	with.Offers = []string{n.String()}
	return &with
}

// withName adds to a refusal the named span that is much like what was written.
func withName(err, missing error, before, after string) error {
	e, ok := err.(*Error)
	near, found := missing.(*Error)
	if !ok || !found || near.Near == "" {
		return err
	}
	n, wrong := Parse(before + "@" + near.Near + after)
	if wrong != nil {
		return err
	}
	with := *e
	with.Offers = append([]string{n.String()}, e.Offers[:min(len(e.Offers), maxOffers-1)]...)
	return &with
}
