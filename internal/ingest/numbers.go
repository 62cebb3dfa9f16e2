package ingest

import (
	"fmt"
	"strings"
	"unicode"

	"vastspan/core/decimal"
)

// A NumberStyle is how a file writes numbers: the mark before decimals and the one between groups of
// three digits, if any; and the signs next to the digits. The zero value is plain digits with a point. It is stated, never
// guessed: 1,234 is a thousand and more in one file and a little over one in another.
type NumberStyle struct {
	decimal, group string
	// currency is a sign before or after the number, such as $ or EUR.
	currency string
	// negative is how numbers below zero are written, where that is not with a hyphen before them.
	negative negative
}

// negative is a way to write numbers below zero.
type negative int

const (
	hyphen        negative = iota // -5
	trailingMinus                 // 5-
	inBrackets                    // (5)
	minusSign                     // the character of Unicode before the number
)

// numberStyles are the styles by the example that names each.
var numberStyles = []struct {
	example string
	style   NumberStyle
}{
	{"1234.56", NumberStyle{}},
	{"1,234.56", NumberStyle{decimal: ".", group: ","}},
	{"1.234,56", NumberStyle{decimal: ",", group: "."}},
	{"1234,56", NumberStyle{decimal: ","}},
	{"1 234,56", NumberStyle{decimal: ",", group: " "}},
	{"1 234.56", NumberStyle{decimal: ".", group: " "}},
	{"1'234.56", NumberStyle{decimal: ".", group: "'"}},
}

// ParseNumberStyle finds the style that an example shows; empty is plain digits. Signs next to the digits belong to the
// example: $1,234.56, 1.234,56 €, (1,234.56), 1234.56-.
func ParseNumberStyle(example string) (NumberStyle, error) {
	if example == "" {
		return NumberStyle{}, nil
	}
	core, currency, negative := undecorated(example)
	if plainExample(core) {
		core = "1234.56"
	}
	var examples []string
	for _, s := range numberStyles {
		if core == s.example {
			style := s.style
			style.currency, style.negative = currency, negative
			return style, nil
		}
		examples = append(examples, s.example)
	}
	return NumberStyle{}, fmt.Errorf("numbers %q: expected how the file writes them, as one of %s; with signs next to the digits such as "+
		"$1,234.56, 1.234,56 €, (1234.56) or 1234.56-", example, strings.Join(examples, "  "))
}

// plainExample reports whether an example is a number of plain digits, below a thousand, which shows no marks.
func plainExample(s string) bool {
	whole, fraction, point := strings.Cut(s, ".")
	return len(whole) < 4 && decimal.AllDigits(whole) && (!point || decimal.AllDigits(fraction))
}

// undecorated takes the signs next to the digits off a number: a currency before or after it, and how it is written below
// zero.
func undecorated(s string) (core, currency string, n negative) {
	isDigit := func(r rune) bool { return r >= '0' && r <= '9' }
	first, last := strings.IndexFunc(s, isDigit), strings.LastIndexFunc(s, isDigit)
	if first < 0 {
		return s, "", hyphen
	}
	before, behind := s[:first], s[last+1:]
	for _, mark := range []struct {
		before, behind string
		negative
	}{{"(", ")", inBrackets}, {"", "-", trailingMinus}, {"\u2212", "", minusSign}, {"", "\u2212", trailingMinus}, {"-", "", hyphen}} {
		if strings.Contains(before, mark.before) && strings.Contains(behind, mark.behind) {
			before, behind = strings.Replace(before, mark.before, "", 1), strings.Replace(behind, mark.behind, "", 1)
			n = mark.negative
			break
		}
	}
	currency = strings.TrimSpace(blanks.Replace(before + behind))
	if currency != "" && !isCurrency(currency) {
		return s, "", hyphen
	}
	return s[first : last+1], currency, n
}

// isCurrency reports whether a text is the sign of a currency, or its three letters.
func isCurrency(s string) bool {
	if r := []rune(s); len(r) == 1 {
		return unicode.Is(unicode.Sc, r[0])
	}
	return len(s) == 3 && strings.Trim(s, "ABCDEFGHIJKLMNOPQRSTUVWXYZ") == ""
}

func (n NumberStyle) example() string {
	text := "1234.56"
	for _, s := range numberStyles {
		if s.style.decimal == n.decimal && s.style.group == n.group {
			text = s.example
		}
	}
	text = n.currency + text
	switch n.negative {
	case trailingMinus:
		return text + "-"
	case inBrackets:
		return "(" + text + ")"
	case minusSign:
		return "\u2212" + text
	}
	return text
}

// undecorate takes off a number the signs that belong to the style, and returns its sign; false where it has others.
func (n NumberStyle) undecorate(s string) (sign, core string, ok bool) {
	core, currency, written := undecorated(s)
	if currency != "" && currency != n.currency || written != hyphen && written != n.negative {
		return "", "", false
	}
	if written != hyphen || strings.HasPrefix(s, "-") || n.currency != "" && strings.Contains(s, "-") {
		sign = "-"
	}
	return sign, core, true
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
	if n.currency != "" || n.negative != hyphen {
		var ok bool
		if sign, s, ok = n.undecorate(s); !ok {
			return "", false
		}
	} else if s != "" && (s[0] == '-' || s[0] == '+') {
		sign, s = s[:1], s[1:]
	}
	if n.decimal == "" {
		n.decimal = "."
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
