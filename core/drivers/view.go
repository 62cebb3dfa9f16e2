package drivers

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/measure"
	"vastspan/core/table"
	"vastspan/core/tally"
)

// A View is an answer as programs and people read it.
type View struct {
	Dataset string    `json:"dataset"`
	Date    string    `json:"date"`
	AsOf    civil.Day `json:"as_of"`
	AtClose bool      `json:"at_close"`
	// Calendar is the one that the spans are read in.
	Calendar string `json:"calendar"`
	Over     string `json:"over"`
	Against  string `json:"against"`
	Figure   string `json:"figure"`
	// Span is the span with its days, and those of its counterpart.
	Span table.Span `json:"span"`
	// Sentence says the change and its largest drivers in words.
	Sentence string `json:"sentence"`
	// Columns are the categories that were tried, the one over whose values the change is spread most unevenly first.
	Columns []ColumnView `json:"columns"`
	Effects []EffectView `json:"effects"`
	// Categories are the columns of the values that records show.
	Categories []string     `json:"categories"`
	Notes      []table.Note `json:"notes"`
	// Known says by which state of the records the answer was made, where it is not the newest.
	Known []table.Known `json:"known,omitempty"`
}

// A ColumnView is a category with how unevenly the change is spread over its values.
type ColumnView struct {
	Name       string `json:"name"`
	Unevenness string `json:"unevenness"`
	// Others are how many values are put together, 0 for none; Hidden that these are of few records, and how many is not said.
	Others int  `json:"others,omitempty"`
	Hidden bool `json:"hidden,omitempty"`
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
	// About says in words what an effect is of: which kinds of days are more or fewer, which days an event has.
	About string `json:"about,omitempty"`
	// Record is the record that the effect is of.
	Record *RecordView `json:"record,omitempty"`
}

// A RecordView is a record with its day and its values of the categories.
type RecordView struct {
	Day         civil.Day       `json:"day"`
	Counterpart bool            `json:"counterpart"` // it is on the counterpart's side
	Values      []dataset.Label `json:"values"`
}

// contributionDecimals are those of a contribution.
const contributionDecimals = 6

// mostValues is how many values of a category are listed; where there are more, the largest tally.MaxTop are.
const mostValues = 100_000

// View lays an answer out; top values of each column are kept apart, and the others put together; 0 keeps all.
func (a *Answer) View(top int) (*View, error) {
	v := &View{
		Dataset: a.Compared.Dataset, Date: a.Compared.Date, AsOf: a.Compared.AsOf, AtClose: a.Compared.AtClose, Calendar: a.Compared.Calendar,
		Over: a.Compared.Spans[0].Expression, Span: a.Compared.Spans[0],
		Against: a.Compared.Spans[0].Comparisons[0].Name, Figure: a.Compared.Query.Figures[0].Words(),
		Columns: []ColumnView{}, Notes: a.Compared.Notes, Known: a.Compared.Known, Categories: a.Categories,
	}
	if v.Categories == nil {
		v.Categories = []string{}
	}
	list := []Effect{a.Total}
	for i := range a.Columns {
		c := &a.Columns[i]
		uneven, err := c.Unevenness.Value()
		if err != nil {
			return nil, err
		}
		shown, put, err := c.largest(top)
		if err != nil {
			return nil, err
		}
		v.Columns = append(v.Columns, ColumnView{c.Name, uneven.String(), c.Others + put, c.Hidden})
		list = append(list, shown...)
	}
	for _, e := range append(list, a.Others...) {
		one, err := e.view()
		if err != nil {
			return nil, err
		}
		if one.Part == KindsOfDays {
			one.About = a.kindsInWords()
		}
		v.Effects = append(v.Effects, one)
	}
	var err error
	v.Sentence, err = a.sentence()
	return v, err
}

// kindsInWords says of which kinds of days there are more or fewer than in the counterpart.
func (a *Answer) kindsInWords() string {
	var parts []string
	for _, k := range a.Kinds {
		n, name := k.Own-k.Other, k.Name
		if n == 0 {
			continue
		}
		if n > 1 || n < -1 {
			name += "s"
		}
		parts = append(parts, fmt.Sprintf("%d %s %s", max(n, -n), name, pick(n, "more", "fewer")))
	}
	if len(parts) == 0 {
		return "as many of each"
	}
	return strings.Join(parts, ", ")
}

// largest returns the effects of a column by their size, the largest first, those beyond the top ones put together, and how many these
// are. What has been put together before comes last.
func (c *Column) largest(top int) (list []Effect, put int, err error) {
	list = slices.SortedStableFunc(slices.Values(c.Effects), func(x, y Effect) int {
		if x.Value.IsOther() != y.Value.IsOther() {
			return pickSign(x.Value.IsOther())
		}
		return y.Difference.Abs().Cmp(x.Difference.Abs())
	})
	if top == 0 && len(list) > mostValues {
		top = tally.MaxTop
	}
	if top == 0 || len(list) <= top+1 {
		return list, 0, nil
	}
	rest := Effect{Part: Category, Column: c.Name, Value: dataset.Other, Difference: zero}
	for _, e := range list[top:] {
		adds := []struct{ to, from *decimal.Fraction }{
			{&rest.Difference, &e.Difference}, {&rest.Contribution, &e.Contribution}, {&rest.Mix, &e.Mix}, {&rest.Rate, &e.Rate},
			{&rest.Figure, &e.Figure}, {&rest.Counterpart, &e.Counterpart},
		}
		if e.Mix.Set() { // means do not add up
			adds = adds[:4]
		}
		for _, add := range adds {
			if !add.from.Set() {
				continue
			}
			if !add.to.Set() {
				*add.to = zero
			}
			if *add.to, err = add.to.Plus(*add.from); err != nil {
				return nil, 0, err
			}
		}
		if !e.Value.IsOther() {
			put++
		}
	}
	return append(slices.Clip(list[:top]), rest), put, nil
}

func pickSign(last bool) int {
	if last {
		return 1
	}
	return -1
}

func (e *Effect) view() (EffectView, error) {
	v := EffectView{Part: e.Part, Column: e.Column}
	switch e.Part {
	case Category:
		v.Value = &e.Value
	case Event:
		v.Value = &e.Value
		v.About = eventDays(e.Own, e.Other)
	case Record:
		v.Record = &RecordView{Day: e.Record.Day, Counterpart: e.Record.Second, Values: e.Record.Labels}
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

// eventDays says on which days an event is, on either side.
func eventDays(own, other civil.Set) string {
	var parts []string
	if !own.Empty() {
		parts = append(parts, table.ShortDays(own)+" in the span")
	}
	if !other.Empty() {
		parts = append(parts, table.ShortDays(other)+" in the counterpart")
	}
	return strings.Join(parts, ", ")
}

// Words are the day and the values of a record.
func (r *RecordView) Words() string {
	parts := []string{r.Day.String()}
	for _, l := range r.Values {
		parts = append(parts, labelWords(l))
	}
	return strings.Join(parts, ", ")
}

// labelWords is a value as people read it.
func labelWords(l dataset.Label) string {
	switch {
	case l.IsOther():
		return "(others)"
	case !l.Set:
		return "(blank)"
	}
	return l.Text
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
		switch {
		case e.Record != nil:
			value = e.Record.Words()
		case e.Value != nil:
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
// and what the other values did, then how many records there were and how large, or of a quotient what mix and rate did.
func (a *Answer) sentence() (string, error) {
	figure := a.Compared.Query.Figures[0]
	subject := figure.Words()
	switch figure.Kind {
	case measure.Count:
		subject = "the number of records"
	case measure.Sum:
		subject = strings.ReplaceAll(figure.Column, "_", " ")
	}
	subject = strings.ToUpper(subject[:1]) + subject[1:]
	if a.Total.Difference.Sign() == 0 {
		return subject + " did not change.", nil
	}
	var w words
	text := fmt.Sprintf("%s %s %s", subject, pick(a.Total.Difference.Sign(), "rose", "fell"), w.size(a.Total.Difference))
	if a.Total.Contribution.Set() {
		text += fmt.Sprintf(" (%s %%)", w.percent(a.Total.Contribution))
	}
	text += "." + a.columnSentence(&w)
	if figure.Kind == measure.Sum {
		text += a.countSentence(&w)
	}
	return text, w.err
}

// words writes numbers, and keeps the first error.
type words struct{ err error }

// size is the size of a number with its thousands apart.
func (w *words) size(f decimal.Fraction) string {
	text, err := plain(f.Abs())
	w.err = errors.Join(w.err, err)
	return text
}

// percent is the size of a share as a percentage with one decimal.
func (w *words) percent(f decimal.Fraction) string {
	share, err := f.Abs().Times(decimal.FractionOf(decimal.Int(100)))
	if err == nil {
		var v decimal.Value
		if v, err = share.Decimals(1); err == nil {
			return table.Thousands(v.String())
		}
	}
	w.err = errors.Join(w.err, err)
	return ""
}

// plus adds two numbers.
func (w *words) plus(f, g decimal.Fraction) decimal.Fraction {
	sum, err := f.Plus(g)
	w.err = errors.Join(w.err, err)
	return sum
}

// columnSentence is about the most uneven column.
func (a *Answer) columnSentence(w *words) string {
	if len(a.Columns) == 0 || a.Columns[0].Unevenness.Sign() == 0 {
		return ""
	}
	c := &a.Columns[0]
	list, _, err := c.largest(0)
	w.err = errors.Join(w.err, err)
	if err != nil || len(list) < 2 || list[0].Value.IsOther() || list[0].Difference.Sign() == 0 {
		return ""
	}
	first, rest, mix, rate, same := list[0], zero, list[0].Mix, list[0].Rate, true
	for _, e := range list[1:] {
		rest, mix, rate = w.plus(rest, e.Difference), w.plus(mix, e.Mix), w.plus(rate, e.Rate)
		same = same && e.Difference.Sign() == -first.Difference.Sign() && !e.Value.IsOther()
	}
	column := strings.ReplaceAll(c.Name, "_", " ")
	if first.Mix.Set() {
		by := func(f decimal.Fraction) string { return pick(f.Sign(), "up", "down") + " by " + w.size(f) }
		return fmt.Sprintf(" By %s, %s moved it %s, all others %s. Other shares of the whole (mix) moved it %s, "+
			"other figures within the values (rate) %s.", column, labelWords(first.Value), by(first.Difference), by(rest), by(mix), by(rate))
	}
	less := func(f decimal.Fraction) string { return pick(f.Sign(), "more", "less") }
	text := fmt.Sprintf(" By %s, %s brought %s %s; ", column, labelWords(first.Value), w.size(first.Difference), less(first.Difference))
	if same {
		return text + fmt.Sprintf("every other %s brought %s, %s together.", column, less(rest), w.size(rest))
	}
	return text + fmt.Sprintf("the others brought %s %s together.", w.size(rest), less(rest))
}

// countSentence is about how many records there were, and how large.
func (a *Answer) countSentence(w *words) string {
	at := func(p Part) *Effect {
		i := slices.IndexFunc(a.Others, func(e Effect) bool { return e.Part == p })
		if i < 0 {
			return &Effect{}
		}
		return &a.Others[i]
	}
	count, size := at(Count), at(Size)
	more, err := count.Figure.Minus(count.Counterpart)
	w.err = errors.Join(w.err, err)
	if !more.Set() || err != nil {
		return ""
	}
	mean := map[int]string{-1: "at a lower mean ", 0: "at the same mean ", 1: "at a higher mean "}[size.Difference.Sign()] +
		strings.ReplaceAll(a.Compared.Query.Figures[0].Column, "_", " ")
	switch n := w.size(more); {
	case more.Sign() == 0:
		return fmt.Sprintf(" There were as many records, %s.", mean)
	case n == "1":
		return fmt.Sprintf(" There was 1 %s record, %s.", pick(more.Sign(), "more", "fewer"), mean)
	default:
		return fmt.Sprintf(" There were %s %s records, %s.", n, pick(more.Sign(), "more", "fewer"), mean)
	}
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
