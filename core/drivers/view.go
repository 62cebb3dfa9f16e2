package drivers

import (
	"fmt"
	"slices"
	"strings"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/measure"
	"vastspan/core/table"
)

// A View is an answer as programs and people read it.
type View struct {
	Dataset string    `json:"dataset"`
	AsOf    civil.Day `json:"as_of"`
	AtClose bool      `json:"at_close"`
	// Calendar is the one that the spans are read in.
	Calendar string `json:"calendar"`
	Over     string `json:"over"`
	Against  string `json:"against"`
	Figure   string `json:"figure"`
	// Sentence says the change and its largest drivers in words.
	Sentence string `json:"sentence"`
	// Columns are the categories that were tried, the one over whose values the change is spread most unevenly first.
	Columns []ColumnView `json:"columns"`
	Effects []EffectView `json:"effects"`
	Notes   []table.Note `json:"notes"`
}

// A ColumnView is a category with how unevenly the change is spread over its values.
type ColumnView struct {
	Name       string `json:"name"`
	Unevenness string `json:"unevenness"`
}

// An EffectView is one effect; numbers are plain digits, blank where a part has none.
type EffectView struct {
	Part         Part           `json:"part"`
	Column       string         `json:"column,omitempty"`
	Value        *dataset.Label `json:"value,omitempty"`
	Figure       string         `json:"figure,omitempty"`
	Counterpart  string         `json:"counterpart,omitempty"`
	Difference   string         `json:"difference"`
	Contribution string         `json:"contribution,omitempty"`
	Mix          string         `json:"mix_effect,omitempty"`
	Rate         string         `json:"rate_effect,omitempty"`
	Flags        []string       `json:"flags,omitempty"`
}

// contributionDecimals are those of a contribution.
const contributionDecimals = 6

// View lays an answer out; top values of each column are kept apart, and the others put together; 0 keeps all.
func (a *Answer) View(top int) (*View, error) {
	v := &View{
		Dataset: a.Compared.Dataset, AsOf: a.Compared.AsOf, AtClose: a.Compared.AtClose, Calendar: a.Compared.Calendar,
		Over:    a.Compared.Spans[0].Expression,
		Against: a.Compared.Spans[0].Comparisons[0].Name, Figure: a.Compared.Query.Figures[0].Words(),
		Columns: []ColumnView{}, Notes: a.Compared.Notes,
	}
	list := []Effect{a.Total}
	for i := range a.Columns {
		c := &a.Columns[i]
		uneven, err := c.Unevenness.Value()
		if err != nil {
			return nil, err
		}
		v.Columns = append(v.Columns, ColumnView{c.Name, uneven.String()})
		shown, err := c.largest(top)
		if err != nil {
			return nil, err
		}
		list = append(list, shown...)
	}
	for _, e := range append(list, a.Others...) {
		one, err := e.view()
		if err != nil {
			return nil, err
		}
		v.Effects = append(v.Effects, one)
	}
	var err error
	v.Sentence, err = a.sentence()
	return v, err
}

// largest returns the effects of a column by their size, the largest first, those beyond the top ones put together.
func (c *Column) largest(top int) ([]Effect, error) {
	list := slices.SortedStableFunc(slices.Values(c.Effects), func(x, y Effect) int { return y.Difference.Abs().Cmp(x.Difference.Abs()) })
	if top == 0 || len(list) <= top+1 {
		return list, nil
	}
	rest := Effect{Part: Category, Column: c.Name, Value: dataset.Other, Difference: zero}
	for _, e := range list[top:] {
		for _, add := range []struct{ to, from *decimal.Fraction }{
			{&rest.Difference, &e.Difference}, {&rest.Contribution, &e.Contribution}, {&rest.Mix, &e.Mix}, {&rest.Rate, &e.Rate},
		} {
			if !add.from.Set() {
				continue
			}
			if !add.to.Set() {
				*add.to = zero
			}
			var err error
			if *add.to, err = add.to.Plus(*add.from); err != nil {
				return nil, err
			}
		}
	}
	return append(slices.Clip(list[:top]), rest), nil
}

func (e *Effect) view() (EffectView, error) {
	v := EffectView{Part: e.Part, Column: e.Column}
	if e.Part == Category {
		v.Value = &e.Value
	}
	for _, one := range []struct {
		to *string
		f  decimal.Fraction
	}{
		{&v.Figure, e.Figure}, {&v.Counterpart, e.Counterpart}, {&v.Difference, e.Difference}, {&v.Mix, e.Mix}, {&v.Rate, e.Rate},
	} {
		value, err := one.f.Value()
		if err != nil {
			return v, err
		}
		*one.to = value.String()
	}
	if e.Contribution.Set() {
		share, err := e.Contribution.Decimals(contributionDecimals)
		if err != nil {
			return v, err
		}
		v.Contribution = share.String()
	}
	if e.New {
		v.Flags = append(v.Flags, "new")
	}
	if e.Gone {
		v.Flags = append(v.Flags, "gone")
	}
	return v, nil
}

// Grid is the view as a table, one row an effect.
func (v *View) Grid() *table.Grid {
	g := &table.Grid{
		Header: []string{
			"part", "column", "value", "figure", "counterpart", "difference", "contribution", "mix_effect", "rate_effect", "flags",
		},
		Labels: []string{"column", "value"},
	}
	for _, e := range v.Effects {
		value := ""
		if e.Value != nil {
			if value = e.Value.Text; e.Value.IsOther() {
				value = "(others)"
			}
		}
		g.Rows = append(g.Rows, []string{
			string(e.Part), e.Column, value, e.Figure, e.Counterpart, e.Difference, e.Contribution, e.Mix, e.Rate, strings.Join(e.Flags, ";"),
		})
	}
	return g
}

// Document returns the view as it is downloaded.
func (v *View) Document() *table.Document {
	return &table.Document{
		Name: "drivers", Title: "drivers of " + v.Figure, All: v.Grid(),
		About: append(table.AsOfFacts(v.AsOf, v.AtClose, v.Calendar), table.Fact{Name: "change", Text: v.Sentence}),
	}
}

// sentence says the change, then the value with the largest effect in the column over whose values the change is spread most unevenly
// and what the other values did, then how many records there were and how large.
func (a *Answer) sentence() (string, error) {
	words := a.Compared.Query.Figures[0].Words()
	subject := strings.ToUpper(words[:1]) + words[1:]
	size, err := plain(a.Total.Difference.Abs())
	if err != nil {
		return "", err
	}
	if a.Total.Difference.Sign() == 0 {
		return subject + " did not change.", nil
	}
	text := fmt.Sprintf("%s %s by %s", subject, pick(a.Total.Difference.Sign(), "rose", "fell"), size)
	if a.Total.Contribution.Set() {
		share, err := a.Total.Contribution.Abs().Times(decimal.FractionOf(decimal.Int(100)))
		if err != nil {
			return "", err
		}
		percent, err := share.Decimals(1)
		if err != nil {
			return "", err
		}
		text += fmt.Sprintf(" (%s %%)", table.Thousands(percent.String()))
	}
	text += "."
	more, err := a.columnSentence()
	if err != nil {
		return "", err
	}
	return text + more + a.countSentence(), nil
}

// columnSentence is about the most uneven column.
func (a *Answer) columnSentence() (string, error) {
	if len(a.Columns) == 0 || a.Columns[0].Unevenness.Sign() == 0 {
		return "", nil
	}
	c := &a.Columns[0]
	list, err := c.largest(0)
	if err != nil || len(list) < 2 {
		return "", err
	}
	first, rest := list[0], zero
	same := true
	for _, e := range list[1:] {
		if rest, err = rest.Plus(e.Difference); err != nil {
			return "", err
		}
		same = same && e.Difference.Sign() == -first.Difference.Sign()
	}
	value := first.Value.Text
	if !first.Value.Set {
		value = "(blank)"
	}
	size, err := plain(first.Difference.Abs())
	if err != nil {
		return "", err
	}
	others, err := plain(rest.Abs())
	if err != nil {
		return "", err
	}
	less := func(sign int) string { return pick(sign, "more", "less") }
	text := fmt.Sprintf(" By %s, %s brought %s %s; ", strings.ReplaceAll(c.Name, "_", " "), value, size, less(first.Difference.Sign()))
	if same {
		return text + fmt.Sprintf("every other value brought %s, %s together.", less(rest.Sign()), others), nil
	}
	return text + fmt.Sprintf("the other %d brought %s %s together.", len(list)-1, others, less(rest.Sign())), nil
}

// countSentence is about how many records there were, and how large.
func (a *Answer) countSentence() string {
	at := func(p Part) *Effect {
		i := slices.IndexFunc(a.Others, func(e Effect) bool { return e.Part == p })
		if i < 0 {
			return &Effect{}
		}
		return &a.Others[i]
	}
	count, size := at(Count), at(Size)
	if !count.Figure.Set() || a.Compared.Query.Figures[0].Kind != measure.Sum {
		return ""
	}
	more, err := count.Figure.Minus(count.Counterpart)
	if err != nil {
		return ""
	}
	n, err := plain(more.Abs())
	if err != nil {
		return ""
	}
	mean := map[int]string{-1: "a lower mean", 0: "the same mean", 1: "a higher mean"}[size.Difference.Sign()]
	if more.Sign() == 0 {
		return fmt.Sprintf(" There were as many records, at %s.", mean)
	}
	if n == "1" {
		return fmt.Sprintf(" There was 1 %s record, at %s.", pick(more.Sign(), "more", "fewer"), mean)
	}
	return fmt.Sprintf(" There were %s %s records, at %s.", n, pick(more.Sign(), "more", "fewer"), mean)
}

func pick(sign int, above, below string) string {
	if sign < 0 {
		return below
	}
	return above
}

// shownDecimals are those of a quotient as people read it.
const shownDecimals = 4

// plain writes a number with its thousands apart.
func plain(f decimal.Fraction) (string, error) {
	v, err := f.Value()
	if _, fraction, _ := strings.Cut(v.String(), "."); err == nil && len(fraction) > shownDecimals {
		v, err = f.Decimals(shownDecimals)
	}
	return table.Thousands(v.String()), err
}
