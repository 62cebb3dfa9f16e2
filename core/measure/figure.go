package measure

import (
	"fmt"
	"strings"
)

// A Kind names a way to put the values of many records into one figure.
type Kind string

// A Figure is a kind and, for all but Count, the column that it is taken of. Its one notation is the
// kind and the column with a blank between them: sum fare, count.
type Figure struct {
	Kind   Kind
	Column string
}

// ParseFigure reads a figure such as sum fare, or count.
func ParseFigure(text string) (Figure, error) {
	kind, column, _ := strings.Cut(strings.TrimSpace(text), " ")
	f := Figure{Kind: Kind(kind), Column: strings.TrimSpace(column)}
	e, known := Lookup(f.Kind)
	if !known || e.OfColumn() != (f.Column != "") {
		return Figure{}, fmt.Errorf("%q is not a figure: expected count, or one of %s and a column, such as sum fare", text, columnKinds())
	}
	return f, nil
}

// columnKinds lists the kinds that are taken of a column.
func columnKinds() string {
	var names []string
	for _, e := range registry {
		if e.OfColumn() {
			names = append(names, string(e.Kind))
		}
	}
	return strings.Join(names, ", ")
}

// String returns the figure as ParseFigure reads it.
func (f Figure) String() string {
	if f.Column == "" {
		return string(f.Kind)
	}
	return string(f.Kind) + " " + f.Column
}

// Name returns the figure's name in output: count, sum_fare.
func (f Figure) Name() string {
	if f.Column == "" {
		return string(f.Kind)
	}
	return string(f.Kind) + "_" + f.Column
}

// Words returns the figure as people read it: sum of fare.
func (f Figure) Words() string {
	e, _ := Lookup(f.Kind)
	if f.Column == "" {
		return e.Words
	}
	return e.Words + " of " + strings.ReplaceAll(f.Column, "_", " ")
}

// MarshalText writes the figure's notation.
func (f Figure) MarshalText() ([]byte, error) { return []byte(f.String()), nil }

// UnmarshalText reads the figure's notation.
func (f *Figure) UnmarshalText(text []byte) (err error) {
	*f, err = ParseFigure(string(text))
	return err
}
