package service

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"vastspan/core/tally"
)

// Filters, figures and other records as people write them: on the command line and in a brief.

// whereSigns are the tests as they are written, the longer ones first.
var whereSigns = []struct {
	sign string
	test tally.Test
}{{"!=", tally.IsNot}, {">=", tally.AtLeast}, {"<=", tally.AtMost}, {"~", tally.Contains}, {"=", tally.Is}}

// betweenPattern is COL between LOW and HIGH.
var betweenPattern = regexp.MustCompile(`^([^=<>~!]+?) between (.+) and (.+)$`)

// ReadWhere reads filters such as COL=VALUE; values of the same column and test are alternatives, and
// no value is blank.
func ReadWhere(texts []string) ([]tally.Filter, error) {
	var filters []tally.Filter
	for _, text := range texts {
		if m := betweenPattern.FindStringSubmatch(text); m != nil {
			filters = append(filters, tally.Filter{Column: m[1], Test: tally.Between, Values: []tally.Label{tally.LabelOf(m[2]), tally.LabelOf(m[3])}})
			continue
		}
		column, test, value, ok := cutSign(text)
		if !ok {
			return nil, fmt.Errorf("%q: expected COL=VALUE, COL!=VALUE, COL>=VALUE, COL<=VALUE, COL between LOW and HIGH or COL~TEXT", text)
		}
		several := test == tally.Is || test == tally.IsNot
		i := slices.IndexFunc(filters, func(f tally.Filter) bool { return several && f.Column == column && f.Test == test })
		if i < 0 {
			i = len(filters)
			filters = append(filters, tally.Filter{Column: column, Test: test})
		}
		var v tally.Label
		if value != "" {
			v = tally.LabelOf(value)
		}
		filters[i].Values = append(filters[i].Values, v)
	}
	return filters, nil
}

// cutSign takes a filter apart at the first sign in it.
func cutSign(text string) (column string, test tally.Test, value string, ok bool) {
	at := -1
	for _, s := range whereSigns {
		if i := strings.Index(text, s.sign); i > 0 && (at < 0 || i < at) {
			at, test = i, s.test
			column, value = text[:i], text[i+len(s.sign):]
		}
	}
	return column, test, value, at > 0
}

// ReadFigure reads a figure such as sum fare, or count.
func ReadFigure(text string) (tally.Figure, error) {
	kind, column, _ := strings.Cut(strings.TrimSpace(text), " ")
	f := tally.Figure{Kind: tally.Kind(kind), Column: strings.TrimSpace(column)}
	if !slices.Contains(tally.Kinds, f.Kind) || (f.Kind == tally.Count) != (f.Column == "") {
		return f, fmt.Errorf("%q is no figure: expected count, or one such as sum fare", text)
	}
	return f, nil
}

// ReadBeside reads a dataset and the columns that stand there for others: plan fare=planned_fare.
func ReadBeside(text string) (Beside, error) {
	words := strings.Fields(text)
	if len(words) == 0 {
		return Beside{}, fmt.Errorf("expected a dataset, then COL=ITS_COL where its columns have other names")
	}
	b := Beside{Dataset: words[0]}
	for _, pair := range words[1:] {
		mine, theirs, ok := strings.Cut(pair, "=")
		if !ok || mine == "" || theirs == "" {
			return b, fmt.Errorf("%q: expected COL=ITS_COL, such as fare=planned_fare", pair)
		}
		if b.Columns == nil {
			b.Columns = map[string]string{}
		}
		b.Columns[mine] = theirs
	}
	return b, nil
}
