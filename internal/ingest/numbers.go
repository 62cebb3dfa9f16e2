package ingest

import (
	"fmt"
	"strings"

	"vastspan/core/decimal"
)

// A NumberStyle is how a file writes numbers: the mark before decimals and the one between groups of
// three digits, if any. The zero value is plain digits with a point. It is stated, never guessed:
// 1,234 is a thousand and more in one file and a little over one in another.
type NumberStyle struct {
	decimal, group string
}

// numberStyles are the styles by the example that names each.
var numberStyles = []struct {
	example string
	style   NumberStyle
}{
	{"1234.56", NumberStyle{}},
	{"1,234.56", NumberStyle{".", ","}},
	{"1.234,56", NumberStyle{",", "."}},
	{"1234,56", NumberStyle{",", ""}},
	{"1 234,56", NumberStyle{",", " "}},
	{"1 234.56", NumberStyle{".", " "}},
	{"1'234.56", NumberStyle{".", "'"}},
}

// ParseNumberStyle finds the style that an example shows; empty is plain digits.
func ParseNumberStyle(example string) (NumberStyle, error) {
	var examples []string
	for _, s := range numberStyles {
		if example == s.example || example == "" {
			return s.style, nil
		}
		examples = append(examples, s.example)
	}
	return NumberStyle{}, fmt.Errorf("numbers %q: expected how the file writes them, as one of %s", example, strings.Join(examples, "  "))
}

func (n NumberStyle) example() string {
	for _, s := range numberStyles {
		if s.style == n {
			return s.example
		}
	}
	return ""
}

// blanks are the characters that stand for the blank between groups.
var blanks = strings.NewReplacer("\u00a0", " ", "\u202f", " ", "\u2019", "'")

// plain turns a number of the style into plain digits; false where its marks are out of place.
// Whether the rest are digits is left to be checked.
func (n NumberStyle) plain(s string) (string, bool) {
	if n == (NumberStyle{}) {
		return s, true
	}
	s = blanks.Replace(s)
	sign := ""
	if s != "" && (s[0] == '-' || s[0] == '+') {
		sign, s = s[:1], s[1:]
	}
	whole, fraction, point := strings.Cut(s, n.decimal)
	if n.group != "" && strings.Contains(whole, n.group) {
		groups := strings.Split(whole, n.group)
		if len(groups[0]) > 3 {
			return "", false
		}
		for _, g := range groups[1:] {
			if len(g) != 3 {
				return "", false
			}
		}
		whole = strings.Join(groups, "")
	}
	if !decimal.AllDigits(whole) || point && !decimal.AllDigits(fraction) {
		return "", false
	}
	if point {
		whole += "." + fraction
	}
	return sign + whole, true
}

// reads returns a number of the style as plain digits; false where it is none, or was not asked to be.
func (n NumberStyle) reads(s string, asked bool) (string, bool) {
	plain, ok := n.plain(s)
	if !asked || !ok || !decimal.IsPlain(plain) {
		return s, false
	}
	return plain, true
}
