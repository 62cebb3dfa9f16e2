// Package naming holds the one rule for the names that people give: of spans, calendars, holiday
// lists, datasets, briefs and schedules.
package naming

import (
	"fmt"
	"regexp"
)

// MaxLength is the longest that a name may be, in characters.
const MaxLength = 60

var form = regexp.MustCompile(`^[a-z][a-z0-9-]*$`)

// Check refuses a name that is not lower-case letters, digits and hyphens, beginning with a letter
// (semantics §4).
func Check(name string) error {
	switch {
	case len(name) > MaxLength:
		return fmt.Errorf("a name has at most %d characters; this one has %d", MaxLength, len(name))
	case !form.MatchString(name):
		return fmt.Errorf("%q is not a name: expected lower-case letters, digits and hyphens, beginning with a letter", name)
	}
	return nil
}
