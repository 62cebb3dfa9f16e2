package dataset

import (
	"cmp"
	"encoding/json"
	"fmt"
	"strings"

	"vastspan/core/decimal"
)

// A Label is the value of a category; the zero value is blank, which is not the empty text. A label
// of many values is known by its kind, never by a text.
type Label struct {
	Text  string
	Set   bool
	many  many
	place int // among values that have an order of their own; 0 for those that go by their text
	// number says that the text is a number in plain digits, by which the label goes.
	number bool
}

// many says which values a label stands for.
type many uint8

const (
	one many = iota
	other
	all
)

var (
	// Other stands for the values of a category that are not among the top ones.
	Other = Label{many: other}
	// All stands for all values of a category.
	All = Label{many: all}
)

// LabelOf returns the label of a text.
func LabelOf(text string) Label { return Label{Text: text, Set: true} }

// NumberLabel returns the label of a number in plain digits, in the form that equal numbers share (decimal.Key).
func NumberLabel(text string) Label { return Label{Text: text, Set: true, number: true} }

// PlacedLabel returns the label of a text at a place from 1 on: weekdays and months go by their place.
func PlacedLabel(text string, place int) Label { return Label{Text: text, Set: true, place: place} }

// IsOther reports whether a label stands for the values that are not among the top ones.
func (l Label) IsOther() bool { return l.many == other }

// IsAll reports whether a label stands for all values of a category.
func (l Label) IsAll() bool { return l.many == all }

// Compare orders labels: numbers, texts, by their place where they have one, blank, the others, all.
func (l Label) Compare(m Label) int {
	if l.number && m.number {
		a, errA := decimal.Parse(l.Text)
		b, errB := decimal.Parse(m.Text)
		if errA == nil && errB == nil {
			return a.Decimal.Cmp(&b.Decimal)
		}
	}
	return cmp.Or(l.rank()-m.rank(), l.place-m.place, strings.Compare(l.Text, m.Text))
}

func (l Label) rank() int {
	switch {
	case l.many != one:
		return 1 + int(l.many)
	case !l.Set:
		return 1
	}
	return 0
}

// GroupKey returns a text that is the same for the same labels only.
func GroupKey(labels []Label) string {
	var b strings.Builder
	for _, l := range labels {
		switch {
		case l.many == other:
			b.WriteByte('+')
		case l.many == all:
			b.WriteByte('*')
		case !l.Set:
			b.WriteByte('-')
		default:
			fmt.Fprintf(&b, "%d:", len(l.Text))
			b.WriteString(l.Text)
		}
	}
	return b.String()
}

// manyJSON is a label that stands for many values.
type manyJSON struct {
	All   bool `json:"all,omitempty"`
	Other bool `json:"other,omitempty"`
}

// MarshalJSON writes a text as such, blank as null, and what stands for many values as an object.
func (l Label) MarshalJSON() ([]byte, error) {
	switch {
	case l.many != one:
		return json.Marshal(manyJSON{l.many == all, l.many == other})
	case !l.Set:
		return []byte("null"), nil
	}
	return json.Marshal(l.Text)
}

// UnmarshalJSON reads what MarshalJSON writes.
func (l *Label) UnmarshalJSON(data []byte) error {
	*l = Label{}
	switch {
	case string(data) == "null":
		return nil
	case len(data) > 0 && data[0] == '{':
		var m manyJSON
		err := json.Unmarshal(data, &m)
		if *l = All; m.Other {
			*l = Other
		}
		return err
	}
	l.Set = true
	return json.Unmarshal(data, &l.Text)
}
