package dataset

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
)

// signs are the operations that are written as signs, the longer ones first.
var signs = []struct {
	sign string
	op   Op
}{{"!=", IsNot}, {"!~", NotContains}, {">=", AtLeast}, {"<=", AtMost}, {"~", Contains}, {"=", Is}, {"<", Below}, {">", Above}}

// signOf returns the sign of an operation.
func signOf(op Op) string {
	for _, s := range signs {
		if s.op == op {
			return s.sign
		}
	}
	return ""
}

// words are the operations that are written as words.
var words = map[string]Op{
	"blank": Blank, "not blank": NotBlank, "contains": Contains, "not contains": NotContains,
	"in": In, "not in": NotIn, "after": After, "before": Before, "between": Between,
}

// opOf returns the operation of a sign or word.
func opOf(text string) Op {
	for _, s := range signs {
		if s.sign == text {
			return s.op
		}
	}
	return words[text]
}

// ignoringCase follows a condition that does not distinguish upper and lower case.
const ignoringCase = " ignoring case"

// partForm is a part of a date before its column: hour of, month of year of.
const partForm = `(?:hour|weekday|year|[a-z]+ of [a-z]+) of |[a-z]+ of `

// operationForm is an operation as it follows a column.
const operationForm = `(?:!=|!~|>=|<=|~|=|<|>| (?:(?:not )?(?:in|contains|blank)|between|after|before)(?: |$))`

var (
	// operation is an operation, after a column.
	operation = regexp.MustCompile(operationForm)
	// conditionStart is how a condition begins after or.
	conditionStart = regexp.MustCompile(`^(?:` + partForm + `)?(?:"(?:[^"]|"")*"|[^ "=<>!~]+) *` + operationForm)
)

// ParseFilters reads filters. Several texts of values of one column, COL=VALUE, are alternatives; of others each has
// to hold. A column whose name has a sign or the word of an operation in it is in double quotes, and so does a
// value that would be misread.
func ParseFilters(texts []string) (Filters, error) {
	var filters Filters
	for _, text := range texts {
		f, err := parseFilter(text)
		if err != nil {
			return nil, err
		}
		if f.isOneOf() {
			same := func(g Filter) bool { return g.isOneOf() && g[0].Column == f[0].Column }
			if i := slices.IndexFunc(filters, same); i >= 0 {
				filters[i] = append(filters[i], f...)
				continue
			}
		}
		filters = append(filters, f)
	}
	return filters, nil
}

// filterReader reads one filter from its start.
type filterReader struct{ text, rest string }

func parseFilter(text string) (Filter, error) {
	r := &filterReader{text, text}
	var f Filter
	for {
		c, err := r.condition()
		if err != nil {
			return nil, err
		}
		if f = append(f, c); r.rest == "" {
			return f, nil
		}
	}
}

func (r *filterReader) refuse(format string, args ...any) error {
	return fmt.Errorf("%q: %s", r.text, fmt.Sprintf(format, args...))
}

// condition reads a condition and the or after it.
func (r *filterReader) condition() (Condition, error) {
	column, err := r.column()
	if err != nil {
		return Condition{}, err
	}
	c := Condition{Column: column}
	at := operation.FindStringIndex(r.rest)
	if column == "" || at == nil || strings.TrimSpace(r.rest[:at[0]]) != "" {
		return c, r.refuse("expected %s", FilterForms)
	}
	c.Op = opOf(strings.TrimSpace(r.rest[at[0]:at[1]]))
	r.rest = strings.TrimLeft(r.rest[at[1]:], " ")
	switch c.Op {
	case Blank, NotBlank:
		return c, r.end()
	case In, NotIn, After, Before:
		return c, r.spanOrList(&c)
	case Between:
		return c, r.between(&c)
	}
	if or, found := strings.CutPrefix(r.rest, "or "); (c.Op == Is || c.Op == IsNot) &&
		(r.rest == "" || found && conditionStart.MatchString(or)) {
		c.Op = map[Op]Op{Is: Blank, IsNot: NotBlank}[c.Op]
		return c, r.end()
	}
	value, err := r.value()
	if err != nil {
		return c, err
	}
	c.Values = []string{value}
	return c, r.fold(&c)
}

// column reads a column: all up to the operation, or what is in double quotes.
func (r *filterReader) column() (column string, err error) {
	r.rest = strings.TrimLeft(r.rest, " ")
	if strings.HasPrefix(r.rest, `"`) {
		column, r.rest, err = CutQuoted(r.rest)
		return column, err
	}
	at := operation.FindStringIndex(r.rest)
	if at == nil {
		return "", nil
	}
	column = strings.TrimRight(r.rest[:at[0]], " ")
	r.rest = r.rest[at[0]:]
	return column, nil
}

// end reads what follows a condition: nothing, or or and another.
func (r *filterReader) end() error {
	r.rest = strings.Trim(r.rest, " ")
	switch another, found := strings.CutPrefix(r.rest, "or "); {
	case r.rest == "":
		return nil
	case found:
		r.rest = another
		return nil
	}
	return r.refuse("%q is unexpected: expected the end, or or and another condition", r.rest)
}

// value reads a value: in double quotes, or all up to the end or to or and another condition.
func (r *filterReader) value() (value string, err error) {
	if strings.HasPrefix(r.rest, `"`) {
		value, r.rest, err = CutQuoted(r.rest)
		return value, err
	}
	value = r.plain()
	if value == "" {
		return "", r.refuse("expected a value; one that is blank is written COL blank")
	}
	if strings.HasSuffix(value, " or") {
		return "", r.refuse("expected another condition after or")
	}
	if either, or, found := strings.Cut(value, " or "); found {
		return "", r.refuse("no condition follows or: write in (%s, %s) for either of them, or %s for the one value",
			either, or, Quote(value))
	}
	if at := joined(value); at >= 0 {
		return "", r.refuse("one filter takes no and: give %q as a filter of its own, both have to hold", value[at:])
	}
	return value, nil
}

// plain reads a text without quotes, up to ignoring case, to or and another condition, or to the end.
func (r *filterReader) plain() string {
	text, rest := cutAtOr(r.rest)
	if before, found := strings.CutSuffix(text, ignoringCase); found {
		text, rest = strings.TrimRight(before, " "), ignoringCase+" "+rest
	}
	r.rest = rest
	return text
}

// joined returns where a condition that follows an "and" begins; -1 for none.
func joined(value string) int {
	for at := 0; ; {
		i := strings.Index(value[at:], " and ")
		if i < 0 {
			return -1
		}
		if at += i + len(" and "); conditionStart.MatchString(value[at:]) {
			return at
		}
	}
}

// cutAtOr cuts a text before the or that another condition follows; rest begins with that or.
func cutAtOr(text string) (before, rest string) {
	for at := 0; ; {
		i := strings.Index(text[at:], " or ")
		if i < 0 {
			return strings.TrimRight(text, " "), ""
		}
		if at += i; conditionStart.MatchString(text[at+len(" or "):]) {
			return strings.TrimRight(text[:at], " "), text[at+1:]
		}
		at += len(" or ")
	}
}

// fold reads ignoring case and the end of a condition.
func (r *filterReader) fold(c *Condition) error {
	if rest, found := strings.CutPrefix(r.rest, ignoringCase); found {
		if r.rest, c.IgnoringCase = rest, true; !c.Op.folds() {
			return r.refuse("ignoring case goes with =, !=, in and contains")
		}
	}
	return r.end()
}

// between reads LOW and HIGH.
func (r *filterReader) between(c *Condition) error {
	c.Op = Between
	low, err := "", error(nil)
	if strings.HasPrefix(r.rest, `"`) {
		if low, r.rest, err = CutQuoted(r.rest); err != nil {
			return err
		}
	} else if at := strings.Index(r.rest, " and "); at >= 0 {
		low, r.rest = strings.TrimSpace(r.rest[:at]), r.rest[at:]
	}
	high, found := strings.CutPrefix(r.rest, " and ")
	if !found || low == "" {
		return r.refuse("expected COL between LOW and HIGH")
	}
	r.rest = strings.TrimLeft(high, " ")
	high, err = r.value()
	if err != nil {
		return err
	}
	c.Values = []string{low, high}
	return r.fold(c)
}

// spanOrList reads a span or a value, or a list of them in brackets.
func (r *filterReader) spanOrList(c *Condition) error {
	if c.Op != After && c.Op != Before && strings.HasPrefix(r.rest, "(") {
		list, rest, ok := cutList(r.rest)
		behind := &filterReader{r.text, rest}
		if ok && behind.fold(c) == nil {
			if slices.Contains(list, "") {
				return r.refuse("expected values between the brackets, with commas between them; one that is blank is written COL blank")
			}
			*r, c.Values = *behind, list
			return nil
		}
		c.IgnoringCase = false // it is a span that begins with a bracket
	}
	value := ""
	if strings.HasPrefix(r.rest, `"`) {
		var err error
		if value, r.rest, err = CutQuoted(r.rest); err != nil {
			return err
		}
	} else {
		value = r.plain()
	}
	if value == "" {
		return r.refuse("expected a span or a value after %s", c.Op)
	}
	c.Values = []string{value}
	return r.fold(c)
}

// cutList takes a list in brackets off the start of a text. Values that have commas or brackets without a partner
// are in double quotes.
func cutList(text string) (list []string, rest string, ok bool) {
	depth, start := 1, 1
	take := func(end int) {
		value := strings.TrimSpace(text[start:end])
		if strings.HasPrefix(value, `"`) {
			if quoted, after, err := CutQuoted(value); err == nil && after == "" {
				value = quoted
			}
		}
		list = append(list, value)
	}
	for i := 1; i < len(text); i++ {
		switch text[i] {
		case '"':
			if strings.TrimSpace(text[start:i]) != "" {
				continue
			}
			_, after, err := CutQuoted(text[i:])
			if err != nil {
				return nil, "", false
			}
			i = len(text) - len(after) - 1
		case '(':
			depth++
		case ',':
			if depth == 1 {
				take(i)
				start = i + 1
			}
		case ')':
			if depth--; depth == 0 {
				take(i)
				return list, text[i+1:], true
			}
		}
	}
	return nil, "", false
}
