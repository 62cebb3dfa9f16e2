package dataset

import (
	"encoding/json"
	"fmt"
	"regexp"
	"slices"
	"strings"
)

// An Op is what a filter asks of a column.
type Op string

// The operations. Is and IsNot take one or several values, blank among them; Between takes two, both
// inside; the others take one. A blank passes none of them but Is and IsNot.
const (
	Is       Op = "is"
	IsNot    Op = "is not"
	Contains Op = "contains" // of text
	AtLeast  Op = "at least" // of numbers and days
	AtMost   Op = "at most"
	Between  Op = "between"
)

// several reports whether an operation takes several values as alternatives.
func (o Op) several() bool { return o == Is || o == IsNot }

// A Filter keeps the records whose column passes an operation.
type Filter struct {
	Column string
	Op     Op
	Values []Label
}

// Filters are kept records' conditions: a record has to pass all of them. As text each is COL=VALUE or
// one of its like; in JSON and YAML they are a list of such texts.
type Filters []Filter

// FilterForms says how filters are written.
const FilterForms = "COL=VALUE, COL!=VALUE, COL>=VALUE, COL<=VALUE, COL between LOW and HIGH or COL~TEXT"

// signs are the operations as they are written, the longer ones first.
var signs = []struct {
	sign string
	op   Op
}{{"!=", IsNot}, {">=", AtLeast}, {"<=", AtMost}, {"~", Contains}, {"=", Is}}

// betweenForm is what follows the column in COL between LOW and HIGH.
var betweenForm = regexp.MustCompile(`^ between (.+) and (.+)$`)

// ParseFilters reads filters. Values of one column and operation are alternatives; no value is blank.
// A column whose name has a sign in it stands in double quotes.
func ParseFilters(texts []string) (Filters, error) {
	var filters Filters
	for _, text := range texts {
		f, err := parseFilter(text)
		if err != nil {
			return nil, err
		}
		same := func(g Filter) bool { return f.Op.several() && g.Column == f.Column && g.Op == f.Op }
		if i := slices.IndexFunc(filters, same); i >= 0 {
			filters[i].Values = append(filters[i].Values, f.Values...)
			continue
		}
		filters = append(filters, f)
	}
	return filters, nil
}

func parseFilter(text string) (Filter, error) {
	refused := fmt.Errorf("%q: expected %s", text, FilterForms)
	column, rest, err := cutColumn(text)
	if err != nil || column == "" {
		return Filter{}, refused
	}
	if m := betweenForm.FindStringSubmatch(rest); m != nil {
		return Filter{column, Between, []Label{LabelOf(m[1]), LabelOf(m[2])}}, nil
	}
	for _, s := range signs {
		if value, ok := strings.CutPrefix(rest, s.sign); ok {
			var l Label
			if value != "" {
				l = LabelOf(value)
			}
			return Filter{column, s.op, []Label{l}}, nil
		}
	}
	return Filter{}, refused
}

// cutColumn takes the column off the start of a filter: up to the first sign or the word between, or
// what stands in double quotes.
func cutColumn(text string) (column, rest string, err error) {
	if strings.HasPrefix(text, `"`) {
		return CutQuoted(text)
	}
	end := len(text)
	for _, s := range signs {
		if i := strings.Index(text, s.sign); i >= 0 {
			end = min(end, i)
		}
	}
	if i := strings.Index(text, " between "); i >= 0 {
		end = min(end, i)
	}
	return text[:end], text[end:], nil
}

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

// Quote writes a text in double quotes.
func Quote(text string) string { return `"` + strings.ReplaceAll(text, `"`, `""`) + `"` }

// quotedColumn writes a column, in double quotes where it would be misread without.
func quotedColumn(name string) string {
	if strings.ContainsAny(name, `=<>~!"`) || strings.Contains(name+" ", " between ") {
		return Quote(name)
	}
	return name
}

// Texts writes filters as ParseFilters reads them.
func (list Filters) Texts() []string {
	texts := []string{}
	for _, f := range list {
		column := quotedColumn(f.Column)
		if f.Op == Between {
			texts = append(texts, fmt.Sprintf("%s between %s and %s", column, f.Values[0].Text, f.Values[1].Text))
			continue
		}
		i := slices.IndexFunc(signs, func(s struct {
			sign string
			op   Op
		}) bool {
			return s.op == f.Op
		})
		for _, v := range f.Values {
			texts = append(texts, column+signs[i].sign+v.Text)
		}
	}
	return texts
}

// String says in words what a filter keeps: route is Gull Rock or North.
func (f Filter) String() string {
	values := make([]string, len(f.Values))
	for i, v := range f.Values {
		values[i] = v.Text
		if !v.Set {
			values[i] = "(blank)"
		}
	}
	join := " or "
	if f.Op == Between {
		join = " and "
	}
	return f.Column + " " + string(f.Op) + " " + strings.Join(values, join)
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
