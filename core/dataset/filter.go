package dataset

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"vastspan/core/civil"
)

// An Op is what a condition asks of a column.
type Op string

// The operations. In, NotIn, After and Before take spans where the column holds days; In and NotIn take values
// elsewhere. A negation keeps what its opposite leaves out, blanks included; blanks pass nothing else but Blank.
const (
	Is          Op = "is"
	IsNot       Op = "is not"
	Blank       Op = "is blank"
	NotBlank    Op = "is not blank"
	Contains    Op = "contains" // of text
	NotContains Op = "does not contain"
	AtLeast     Op = "at least" // of numbers and days, like the next three
	AtMost      Op = "at most"
	Above       Op = "above"
	Below       Op = "below"
	Between     Op = "between" // of numbers and days, both ends inside
	In          Op = "in"
	NotIn       Op = "not in"
	After       Op = "after" // of days: later than the last day of a span
	Before      Op = "before"
)

// TakesSpans reports whether an operation takes spans where the column holds days.
func (o Op) TakesSpans() bool { return slices.Contains([]Op{In, NotIn, After, Before}, o) }

// folds reports whether an operation can ignore case.
func (o Op) folds() bool {
	return slices.Contains([]Op{Is, IsNot, Contains, NotContains, In, NotIn}, o)
}

// A Condition is what one column has to be like.
type Condition struct {
	Column       string
	Op           Op
	Values       []string
	IgnoringCase bool
	days         *civil.Set // what spans come to, once they are resolved
	moments      *civil.MomentSet
	part         *partTest // the part of the column that is meant, once it is resolved; nil for the column itself
}

// A Filter keeps the records that meet any of its conditions.
type Filter []Condition

// Filters are kept records' conditions: a record has to pass all of them. As text each is one or several
// conditions with or between them; in JSON and YAML they are a list of such texts.
type Filters []Filter

// FilterForms says how conditions are written.
const FilterForms = "COL=VALUE, COL!=VALUE, COL<VALUE, COL<=VALUE, COL>VALUE, COL>=VALUE, COL between LOW and HIGH, " +
	"COL in (A, B), COL contains TEXT, COL blank, COL in SPAN, COL after SPAN or COL before SPAN"

// isOneOf reports whether a filter only lists values of one column, blank perhaps among them.
func (f Filter) isOneOf() bool {
	return len(f) > 0 && !slices.ContainsFunc(f, func(c Condition) bool {
		return c.name() != f[0].name() || c.Op != Is && c.Op != Blank || c.IgnoringCase
	})
}

// Merged returns a filter with one condition for all values of a column that it lists.
func (f Filter) Merged() Filter {
	var merged Filter
	for _, c := range f {
		i := slices.IndexFunc(merged, func(m Condition) bool {
			return c.Op == Is && m.Op == Is && m.Column == c.Column && m.IgnoringCase == c.IgnoringCase && m.part == nil && c.part == nil
		})
		if i < 0 {
			merged = append(merged, c)
			continue
		}
		merged[i].Values = slices.Concat(merged[i].Values, c.Values)
	}
	return merged
}

// Columns lists the columns of a filter, each once.
func (f Filter) Columns() []string {
	var names []string
	for _, c := range f {
		if !slices.Contains(names, c.Column) {
			names = append(names, c.Column)
		}
	}
	return names
}

// Columns lists the columns of all filters, each once.
func (list Filters) Columns() []string {
	var names []string
	for _, f := range list {
		for _, name := range f.Columns() {
			if !slices.Contains(names, name) {
				names = append(names, name)
			}
		}
	}
	return names
}

// Spans lists what may be expressions among the values of filters: what an operation that takes spans is given.
func (list Filters) Spans() []string {
	var texts []string
	for _, f := range list {
		for _, c := range f {
			if c.Op.TakesSpans() {
				texts = append(texts, c.Values...)
			}
		}
	}
	return texts
}

// Renamed returns filters on columns of other names.
func (list Filters) Renamed(name func(string) string) Filters {
	renamed := make(Filters, len(list))
	for i, f := range list {
		renamed[i] = slices.Clone(f)
		for j := range renamed[i] {
			renamed[i][j].Column = name(f[j].Column)
		}
	}
	return renamed
}

// A Resolver finds what filters name besides columns and values.
type Resolver struct {
	// Span returns the days of an expression and its canonical text.
	Span func(expression string) (days civil.Set, canonical string, err error)
	// Part returns the part of a date that a text names, and its column; nil where the text names none.
	Part func(text string) (part *DatePart, column string, err error)
}

// Resolved returns filters with their spans and their parts of time resolved; s says which columns there are, and which of them hold
// days. Each other condition is left as it is.
func (list Filters) Resolved(s *Schema, resolver Resolver) (Filters, error) {
	resolved := make(Filters, len(list))
	for i, f := range list {
		resolved[i] = slices.Clone(f)
		for j := range resolved[i] {
			c := &resolved[i][j]
			if c.part != nil {
				continue
			}
			if s.Index(c.Column) < 0 && resolver.Part != nil {
				part, of, err := resolver.Part(c.Column)
				if err == nil && part != nil {
					if err = c.resolvePart(part, of); err == nil {
						continue
					}
				}
				if err != nil {
					return nil, fmt.Errorf("the filter on %s: %w", c.Column, err)
				}
			}
			column, err := s.Find(c.Column)
			if err != nil {
				return nil, err
			}
			if !c.Op.TakesSpans() || !column.Type.IsTime() {
				continue
			}
			if err := c.resolve(s.DateOrder, resolver.Span); err != nil {
				return nil, fmt.Errorf("the filter on %s: %w", c.Column, err)
			}
		}
	}
	return resolved, nil
}

// resolve resolves the spans of a condition. What is no expression may be a date in the dataset's own order.
func (c *Condition) resolve(order DateOrder, resolve func(string) (civil.Set, string, error)) error {
	c.Values = slices.Clone(c.Values)
	var days civil.Set
	for i, text := range c.Values {
		one, canonical, err := resolve(text)
		if err != nil {
			d, wrong := ParseDate(strings.TrimSpace(text), order)
			if wrong != nil && len(c.Values) > 1 {
				return fmt.Errorf("%w; in brackets, an expression with a comma has to be in double quotes", err)
			}
			if wrong != nil {
				return err
			}
			one, canonical = civil.SetOf(civil.One(d)), d.String()
		}
		days, c.Values[i] = days.Union(one), canonical
	}
	if (c.Op == After || c.Op == Before) && days.Empty() {
		return fmt.Errorf("%s has no days: nothing is %s it", c.Values[0], c.Op)
	}
	bounds := days.Bounds()
	switch c.Op {
	case After:
		days = civil.SetOf(civil.Interval{Start: bounds.End, End: civil.OpenEnd})
	case Before:
		days = civil.SetOf(civil.Interval{Start: civil.OpenStart, End: bounds.Start})
	}
	c.days = &days
	return nil
}

// Days returns the days on which a condition's spans allow for a record, before it is negated; false where it has none.
func (c *Condition) Days() (civil.Set, bool) {
	if c.days == nil {
		return civil.Set{}, false
	}
	return *c.days, true
}

// Negated reports whether a condition keeps what its operation without not leaves out.
func (c *Condition) Negated() bool {
	return slices.Contains([]Op{IsNot, NotBlank, NotContains, NotIn}, c.Op)
}

// Texts writes filters as ParseFilters reads them. Values of one column are a text each.
func (list Filters) Texts() []string {
	texts := []string{}
	for _, f := range list {
		parts := make([]string, len(f))
		for i := range f {
			parts[i] = f[i].text()
		}
		if f.isOneOf() {
			texts = append(texts, parts...)
			continue
		}
		texts = append(texts, strings.Join(parts, " or "))
	}
	return texts
}

// text writes a condition in its canonical form.
func (c *Condition) text() string {
	column, text := quotedColumn(c.Column), ""
	if c.part != nil {
		column = c.part.written
	}
	switch c.Op {
	case Blank:
		text = column + "="
	case NotBlank:
		text = column + "!="
	case Between:
		text = column + " between " + quotedLow(c.Values[0]) + " and " + quotedValue(c.Values[1])
	case In, NotIn:
		text = column + " " + string(c.Op) + " " + listText(c.Values)
	case After, Before:
		text = column + " " + string(c.Op) + " " + quotedSpan(c.Values[0])
	default:
		text = column + signOf(c.Op) + quotedValue(c.Values[0])
	}
	if c.IgnoringCase {
		text += ignoringCase
	}
	return text
}

// Quote writes a text in double quotes.
func Quote(text string) string { return `"` + strings.ReplaceAll(text, `"`, `""`) + `"` }

// CutQuoted takes a text in double quotes off the start of another; two quotes stand for one.
func CutQuoted(text string) (quoted, rest string, err error) {
	var b strings.Builder
	for i := 1; i < len(text); i++ {
		switch {
		case text[i] != '"':
			b.WriteByte(text[i])
		case i+1 < len(text) && text[i+1] == '"':
			b.WriteByte('"')
			i++
		default:
			return b.String(), text[i+1:], nil
		}
	}
	return "", "", fmt.Errorf("%s: expected a second double quote", text)
}

// quotedColumn writes a column, in double quotes where it would be misread without.
func quotedColumn(name string) string {
	if name == "" || strings.ContainsAny(name, ` =<>~!"`) {
		return Quote(name)
	}
	return name
}

// quotedValue writes a value, in double quotes where it would be misread without.
func quotedValue(value string) string {
	if value == "" || strings.TrimSpace(value) != value || strings.ContainsAny(value[:1], `"=`) || strings.HasPrefix(value, "or ") ||
		strings.HasSuffix(value, ignoringCase) || strings.Contains(value+" ", " or ") || strings.Contains(value, " and ") {
		return Quote(value)
	}
	return value
}

// quotedLow writes the lower of two values.
func quotedLow(value string) string {
	if strings.Contains(value+" ", " and ") {
		return Quote(value)
	}
	return quotedValue(value)
}

// quotedSpan writes a span that is alone.
func quotedSpan(expression string) string {
	if expression != strings.TrimSpace(expression) || strings.ContainsAny(expression[:1], `("`) || strings.Contains(expression, " or ") ||
		strings.HasSuffix(expression, ignoringCase) {
		return Quote(expression)
	}
	return expression
}

// listText writes the values of In: one that is plain is alone.
func listText(values []string) string {
	if len(values) == 1 && values[0] != "" && quotedSpan(values[0]) == values[0] {
		return values[0]
	}
	texts := make([]string, len(values))
	for i, v := range values {
		if texts[i] = quotedValue(v); strings.ContainsAny(v, `,()"`) {
			texts[i] = Quote(v)
		}
	}
	return "(" + strings.Join(texts, ", ") + ")"
}

// String says in words what a filter keeps: route is Gull Rock or North.
func (f Filter) String() string {
	if f.isOneOf() {
		values := make([]string, len(f))
		for i, c := range f {
			if values[i] = "(blank)"; c.Op == Is {
				values[i] = c.Values[0]
			}
		}
		return f[0].name() + " is " + strings.Join(values, " or ")
	}
	words := make([]string, len(f))
	for i := range f {
		words[i] = f[i].String()
	}
	return strings.Join(words, " or ")
}

// String says in words what a condition asks.
func (c *Condition) String() string {
	words := c.name() + " " + string(c.Op)
	switch c.Op {
	case Between:
		words += " " + c.Values[0] + " and " + c.Values[1]
	case In, NotIn:
		words += " " + listText(c.Values)
	case Blank, NotBlank:
	default:
		words += " " + c.Values[0]
	}
	if c.IgnoringCase {
		words += ignoringCase
	}
	return words
}

// MarshalJSON writes filters as a list of texts.
func (list Filters) MarshalJSON() ([]byte, error) { return json.Marshal(list.Texts()) }

// UnmarshalJSON reads a list of texts.
func (list *Filters) UnmarshalJSON(data []byte) error {
	var texts []string
	if err := json.Unmarshal(data, &texts); err != nil {
		return err
	}
	return list.parse(texts)
}

// MarshalYAML writes filters as a list of texts.
func (list Filters) MarshalYAML() (any, error) { return list.Texts(), nil }

// UnmarshalYAML reads a list of texts.
func (list *Filters) UnmarshalYAML(decode func(any) error) error {
	var texts []string
	if err := decode(&texts); err != nil {
		return err
	}
	return list.parse(texts)
}

func (list *Filters) parse(texts []string) (err error) {
	*list, err = ParseFilters(texts)
	return err
}
