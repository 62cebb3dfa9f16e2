package measure

import (
	"fmt"
	"slices"
	"strings"

	"vastspan/core/dataset"
)

// A Kind names a way to put the values of many records into one figure.
type Kind string

// A Figure is a kind and, for all but Count, the column that it is taken of; a ratio has two. Its one notation is the
// kind and the column with a blank between them, and after them what is derived of it: sum fare, count, ratio
// fare/passengers, sum fare per day. A column that would be misread is in double quotes.
type Figure struct {
	Kind   Kind
	Column string
	// Over is the column that a ratio divides by.
	Over string
	// Derived is what is made of the figure; empty for the figure itself.
	Derived Derivation
}

// ParseFigure reads a figure such as sum fare, or count.
func ParseFigure(text string) (Figure, error) {
	kind, rest, _ := strings.Cut(strings.TrimSpace(text), " ")
	f := Figure{Kind: Kind(kind)}
	rest = strings.TrimSpace(rest)
	for i := range derivations {
		d := derivations[i].Derivation
		if before, found := strings.CutSuffix(" "+rest, " "+string(d)); found {
			f.Derived, rest = d, strings.TrimSpace(before)
		}
	}
	e, known := Lookup(f.Kind)
	refused := fmt.Errorf("%q is not a figure: expected count, or one of %s and a column, such as sum fare", text, columnKinds())
	if !known || e.Inner || e.OfColumn() != (rest != "") {
		return Figure{}, refused
	}
	if e.Pair {
		refused = fmt.Errorf("%q: expected two columns with a slash between them, such as %s fare/passengers", text, kind)
	}
	var ok bool
	if f.Column, rest, ok = cutColumn(rest, e.Pair); !ok {
		return Figure{}, refused
	}
	if e.Pair {
		over, found := strings.CutPrefix(rest, "/")
		if f.Over, rest, ok = cutColumn(strings.TrimSpace(over), false); !ok || !found || f.Column == "" || f.Over == "" {
			return Figure{}, refused
		}
	}
	if strings.TrimSpace(rest) != "" {
		return Figure{}, refused
	}
	return f, nil
}

// cutColumn takes a column off the start of a text: what is in double quotes, or all, up to a slash where another
// follows.
func cutColumn(text string, pair bool) (column, rest string, ok bool) {
	if strings.HasPrefix(text, `"`) {
		column, rest, err := dataset.CutQuoted(text)
		return column, strings.TrimSpace(rest), err == nil
	}
	if at := strings.IndexByte(text, '/'); pair && at >= 0 {
		return strings.TrimSpace(text[:at]), text[at:], true
	}
	return text, "", true
}

// columnText writes a column as ParseFigure reads it.
func columnText(name string, pair bool) string {
	derived := slices.ContainsFunc(derivations, func(d Derived) bool { return strings.HasSuffix(" "+name, " "+string(d.Derivation)) })
	if derived || strings.HasPrefix(name, `"`) || strings.TrimSpace(name) != name || pair && strings.Contains(name, "/") {
		return dataset.Quote(name)
	}
	return name
}

// columnKinds lists the kinds that are taken of a column.
func columnKinds() string {
	var names []string
	for _, e := range All() {
		if e.OfColumn() {
			names = append(names, string(e.Kind))
		}
	}
	return strings.Join(names, ", ")
}

// Columns lists the columns that the figure is taken of.
func (f Figure) Columns() []string {
	var names []string
	for _, name := range []string{f.Column, f.Over} {
		if name != "" {
			names = append(names, name)
		}
	}
	return names
}

// Base returns the figure that another is derived of: itself where it is not.
func (f Figure) Base() Figure {
	f.Derived = ""
	return f
}

// String returns the figure as ParseFigure reads it.
func (f Figure) String() string {
	text := string(f.Kind)
	if f.Column != "" {
		text += " " + columnText(f.Column, f.Over != "")
	}
	if f.Over != "" {
		text += "/" + columnText(f.Over, true)
	}
	if f.Derived != "" {
		text += " " + string(f.Derived)
	}
	return text
}

// Name returns the figure's name in output: count, sum_fare, ratio_fare_passengers, sum_fare_per_day.
func (f Figure) Name() string {
	parts := append([]string{string(f.Kind)}, f.Columns()...)
	if f.Derived != "" {
		parts = append(parts, strings.ReplaceAll(string(f.Derived), " ", "_"))
	}
	return strings.Join(parts, "_")
}

// Words returns the figure as people read it: sum of fare, ratio of fare to passengers, sum of fare per day.
func (f Figure) Words() string {
	e, _ := Lookup(f.Kind)
	words := e.Words
	if names := f.Columns(); len(names) > 0 {
		words += " of " + strings.ReplaceAll(strings.Join(names, " to "), "_", " ")
	}
	if f.Derived != "" {
		words += " " + string(f.Derived)
	}
	return words
}

// MarshalText writes the figure's notation.
func (f Figure) MarshalText() ([]byte, error) { return []byte(f.String()), nil }

// UnmarshalText reads the figure's notation.
func (f *Figure) UnmarshalText(text []byte) (err error) {
	*f, err = ParseFigure(string(text))
	return err
}
