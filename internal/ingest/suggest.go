package ingest

import (
	"cmp"
	"slices"
	"strings"
	"unicode/utf8"

	"vastspan/core/calendar"
	"vastspan/core/dataset"
)

// suggest adds to each fault what would let the file be read, where its sample shows that: nothing is guessed, as all of
// the sample has to go with it, and nothing else may.
func (f *Faults) suggest(p *parser, sample []Row) {
	for i := range f.Kinds {
		k := &f.Kinds[i]
		at := p.schema.Index(k.Column)
		if at < 0 || k.Suggestion != nil {
			continue
		}
		k.Suggestion = p.suggestion(at, k.Value, sample)
	}
}

func (p *parser) suggestion(column int, value string, sample []Row) *Suggestion {
	c := &p.schema.Columns[column]
	switch {
	case value == "":
		return &Suggestion{"allow_undated", "true"}
	case !utf8.ValidString(value) || strings.ContainsRune(value, utf8.RuneError):
		return &Suggestion{"encoding", "windows-1252"}
	case c.Type == dataset.Number:
		if s := styleOf(sample, p.at[column], value, p.numbers); s != nil {
			return s
		}
		for _, r := range nearlyNumbers(c, p.at[column], withoutBlankWords(sample, p.schema.Blanks), p.numbers) {
			return r.Suggestion
		}
		return nil
	case !c.Type.IsTime():
		return nil
	}
	if form := formOf(value); column == p.day && p.grain == calendar.Day && form.unit() > calendar.Day {
		grain := calendarKind{form: form}
		return &Suggestion{"grain", grain.grain()}
	}
	orders := []string{string(dataset.DayMonthYear), string(dataset.MonthDayYear)}
	return only("date_order", orders, func(order string) bool {
		return every(sample, p.at[column], value, func(v string) bool {
			if date, _, ok := splitTime(v); ok {
				v = date
			}
			reader := p.dates
			reader.order = dataset.DateOrder(order)
			_, err := reader.read(v)
			return err == nil
		})
	})
}

// styleOf returns how a value and all of a column of the sample that are not blank are written as numbers; nil where they are
// none, or where two ways of writing read them as different ones. The way that did not do is left out.
func styleOf(sample []Row, column int, value string, but NumberStyle) *Suggestion {
	found, read := "", []string(nil)
	for _, s := range stylesLike(sample, column) {
		if s.style == but {
			continue
		}
		var numbers []string
		fits := every(sample, column, value, func(v string) bool {
			n, ok := s.style.reads(v, v != "")
			numbers = append(numbers, n)
			return ok || v == ""
		})
		switch {
		case !fits || !slices.ContainsFunc(numbers, func(n string) bool { return n != "" }):
		case found == "":
			found, read = s.example, numbers
		case !slices.Equal(read, numbers):
			return nil
		}
	}
	if found == "" {
		return nil
	}
	return &Suggestion{"numbers", found}
}

// A styleExample is a style with the example that names it.
type styleExample struct {
	example string
	style   NumberStyle
}

// stylesLike lists the styles, with the signs next to the digits that the values of a column have.
func stylesLike(sample []Row, column int) []styleExample {
	var currency string
	var written negative
	for v := range valuesOf(sample, column) {
		_, c, n := undecorated(blanks.Replace(v))
		currency = cmp.Or(currency, c)
		written = cmp.Or(written, n)
	}
	var list []styleExample
	for _, s := range numberStyles {
		style := s.style
		style.currency, style.negative = currency, written
		list = append(list, styleExample{style.example(), style})
	}
	return list
}

// SuggestNumbers returns how the values of a column of text are written, where they could be read as numbers.
func SuggestNumbers(c *dataset.Column, column int, sample []Row) *Suggestion {
	if c.Type != dataset.Text || anyValue(sample, column, leadingZero) {
		return nil
	}
	return styleOf(sample, column, "", NumberStyle{})
}

// only returns the one value of an option that fits; nil where none does, or several.
func only(option string, values []string, fits func(string) bool) *Suggestion {
	values = slices.DeleteFunc(slices.Clone(values), func(v string) bool { return !fits(v) })
	if len(values) != 1 {
		return nil
	}
	return &Suggestion{option, values[0]}
}

// every reports whether a value, and all of a column of the sample that are not blank, are of some kind.
func every(sample []Row, column int, value string, is func(string) bool) bool {
	if !is(value) {
		return false
	}
	for v := range valuesOf(sample, column) {
		if !is(v) {
			return false
		}
	}
	return true
}
