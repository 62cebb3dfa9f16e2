package query

import (
	"encoding"
	"fmt"
	"reflect"
	"slices"
	"strconv"
	"strings"

	"vastspan/core/dataset"
	"vastspan/core/measure"
)

// A Pair is one key of a query with one of its values, as an address or a text has them.
type Pair struct{ Key, Value string }

// Keys lists the keys of a query in their order.
func Keys() []string {
	var keys []string
	for key := range fields(reflect.ValueOf(&Query{}).Elem()) {
		keys = append(keys, key)
	}
	return keys
}

// fields yields the fields of a query under their keys.
func fields(v reflect.Value) func(yield func(string, reflect.Value) bool) {
	return func(yield func(string, reflect.Value) bool) {
		for i := range v.NumField() {
			f := v.Type().Field(i)
			if f.Anonymous {
				for key, inner := range fields(v.Field(i)) {
					if !yield(key, inner) {
						return
					}
				}
				continue
			}
			key, _, _ := strings.Cut(f.Tag.Get("json"), ",")
			if !yield(key, v.Field(i)) {
				return
			}
		}
	}
}

// Pairs writes a query as keys and values: a list as its key once for each value, a truth value as yes.
// What is not said is left out.
func (q Query) Pairs() []Pair {
	var pairs []Pair
	for key, v := range fields(reflect.ValueOf(q)) {
		for _, text := range texts(v) {
			pairs = append(pairs, Pair{key, text})
		}
	}
	return pairs
}

// texts writes the values of a field.
func texts(v reflect.Value) []string {
	if v.IsZero() {
		return nil
	}
	switch x := v.Interface().(type) {
	case dataset.Filters:
		return x.Texts()
	case []string:
		return x
	case string:
		return []string{x}
	case int:
		return []string{strconv.Itoa(x)}
	case bool:
		return []string{"yes"}
	case fmt.Stringer:
		return []string{x.String()}
	}
	list := make([]string, v.Len())
	for i := range list {
		list[i] = v.Index(i).Interface().(fmt.Stringer).String()
	}
	return list
}

// FromPairs reads a query; keys may be written with hyphens for their underscores.
func FromPairs(pairs []Pair) (Query, error) {
	var q Query
	values := map[string][]string{}
	for _, p := range pairs {
		key := strings.ReplaceAll(p.Key, "-", "_")
		values[key] = append(values[key], p.Value)
	}
	for key, v := range fields(reflect.ValueOf(&q).Elem()) {
		if list := values[key]; list != nil {
			if err := set(v, list); err != nil {
				return q, errorAt(fmt.Errorf("%s: %w", key, err), "/%s", key)
			}
		}
		delete(values, key)
	}
	for key := range values {
		return q, errorAt(fmt.Errorf("%q is not a part of a query: expected one of %s", key, strings.Join(Keys(), ", ")), "/%s", key)
	}
	return q, nil
}

// set reads the values of a field.
func set(v reflect.Value, list []string) error {
	switch v.Interface().(type) {
	case dataset.Filters:
		filters, err := dataset.ParseFilters(list)
		v.Set(reflect.ValueOf(filters))
		return err
	case []string:
		v.Set(reflect.ValueOf(slices.Clone(list)))
		return nil
	}
	if v.Kind() == reflect.Slice {
		list = apart(v, list)
		v.Set(reflect.MakeSlice(v.Type(), len(list), len(list)))
		for i, text := range list {
			if err := v.Index(i).Addr().Interface().(encoding.TextUnmarshaler).UnmarshalText([]byte(text)); err != nil {
				return err
			}
		}
		return nil
	}
	if len(list) > 1 {
		return fmt.Errorf("given %d times; expected once", len(list))
	}
	if one, ok := v.Addr().Interface().(encoding.TextUnmarshaler); ok {
		return one.UnmarshalText([]byte(list[0]))
	}
	return setOne(v, list[0])
}

// apart takes figures apart that were written with commas between them: count, sum amount.
func apart(v reflect.Value, list []string) []string {
	if _, ok := v.Interface().([]measure.Figure); !ok {
		return list
	}
	var figures []string
	for _, text := range list {
		parts := strings.Split(text, ",")
		if _, err := measure.ParseFigure(text); err == nil || slices.ContainsFunc(parts, func(part string) bool {
			_, err := measure.ParseFigure(part)
			return err != nil
		}) {
			parts = []string{text}
		}
		figures = append(figures, parts...)
	}
	return figures
}

func setOne(v reflect.Value, text string) error {
	switch v.Kind() {
	case reflect.Bool:
		if text != "yes" && text != "no" && text != "" {
			return fmt.Errorf("%q: expected yes or no", text)
		}
		v.SetBool(text != "no")
	case reflect.Int:
		n, err := strconv.Atoi(text)
		if err != nil {
			return fmt.Errorf("%q: expected a number", text)
		}
		v.SetInt(int64(n))
	default:
		v.SetString(text)
	}
	return nil
}

// Parse reads a query as text: KEY=VALUE; KEY=VALUE. A value with a semicolon in it is in double
// quotes.
func Parse(text string) (Query, error) {
	var pairs []Pair
	for text = strings.TrimSpace(text); text != ""; text = strings.TrimSpace(text) {
		key, value, given := strings.Cut(text, "=")
		if end := strings.IndexByte(key, ';'); end >= 0 || !given { // a key alone: planned, or one more value of the key before
			if end < 0 {
				end = len(key)
			}
			word, n := strings.TrimSpace(key[:end]), len(pairs)
			if n > 0 && word != "" && !slices.Contains(Keys(), strings.ReplaceAll(word, "-", "_")) {
				pairs = append(pairs, Pair{pairs[n-1].Key, word})
			} else {
				pairs = append(pairs, Pair{word, ""})
			}
			text = strings.TrimPrefix(text[end:], ";")
			continue
		}
		value, text = cutValue(strings.TrimLeft(value, " "))
		pairs = append(pairs, Pair{strings.TrimSpace(key), value})
	}
	pairs = slices.DeleteFunc(pairs, func(p Pair) bool { return p == Pair{} })
	return FromPairs(pairs)
}

// cutValue takes a value off a text, up to a semicolon or, in double quotes, all of them.
func cutValue(text string) (value, rest string) {
	if strings.HasPrefix(text, `"`) {
		if quoted, after, err := dataset.CutQuoted(text); err == nil {
			if after = strings.TrimLeft(after, " "); after == "" || after[0] == ';' {
				return quoted, strings.TrimPrefix(after, ";")
			}
		}
	}
	value, rest, _ = strings.Cut(text, ";")
	return strings.TrimSpace(value), rest
}

// String writes a query as Parse reads it.
func (q Query) String() string {
	var parts []string
	for _, p := range q.Pairs() {
		if strings.ContainsAny(p.Value, `;"`) || strings.TrimSpace(p.Value) != p.Value || p.Value == "" {
			p.Value = dataset.Quote(p.Value)
		}
		parts = append(parts, p.Key+"="+p.Value)
	}
	return strings.Join(parts, "; ")
}
