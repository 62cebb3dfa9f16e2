package span

import (
	"regexp"
	"slices"
)

// reference is what refers to a named span.
var reference = regexp.MustCompile(`@[a-z][a-z0-9-]*`)

// Renamed returns an expression with another name for one of the spans that it refers to, in its canonical text. What does
// not refer to it, or is no expression, stays as it is.
func Renamed(text, from, to string) string {
	n, err := Parse(text)
	if err != nil || !slices.Contains(Names(n), from) {
		return text
	}
	renamed := reference.ReplaceAllStringFunc(n.String(), func(name string) string {
		if name == "@"+from {
			return "@" + to
		}
		return name
	})
	if n, err = Parse(renamed); err != nil {
		return text // what was read is read again under any name
	}
	return n.String()
}
