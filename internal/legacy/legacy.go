// Package legacy brings what earlier versions wrote into the form of today: schemas of datasets, briefs,
// and the questions that receipts hold. It changes words and shapes, never what is meant.
package legacy

import (
	"encoding/json"
	"maps"
	"regexp"
	"slices"
	"strings"

	"vastspan/core/dataset"
)

// object is a JSON object.
type object = map[string]any

// rename moves the value of a key.
func rename(o object, from, to string) {
	if v, ok := o[from]; ok {
		o[to] = v
		delete(o, from)
	}
}

// objects returns the objects of a list.
func objects(v any) []object {
	var list []object
	items, _ := v.([]any)
	for _, item := range items {
		if o, ok := item.(object); ok {
			list = append(list, o)
		}
	}
	return list
}

// Schema brings the schema of a dataset into the form of today.
func Schema(data []byte) ([]byte, error) {
	return change(data, func(o object) {
		rename(o, "covers", "grain")
		for _, c := range objects(o["columns"]) {
			switch c["better"] {
			case "up":
				c["better"] = "higher"
			case "down":
				c["better"] = "lower"
			}
		}
	})
}

// Brief brings a brief into the form of today.
func Brief(data []byte) ([]byte, error) { return change(data, brief) }

func brief(o object) {
	rename(o, "asks", "prompts")
	for _, it := range objects(o["items"]) {
		renameQuery(it)
		for _, l := range objects(it["lines"]) {
			if over, ok := l["over"].(string); ok {
				l["over"] = []any{over}
			}
			if figure, ok := l["figure"].(string); ok {
				l["figures"] = []any{figure}
				delete(l, "figure")
			}
			renameQuery(l)
		}
	}
}

func renameQuery(o object) {
	rename(o, "beside", "against_dataset")
	rename(o, "even", "like_for_like")
	rename(o, "edges", "subtotals")
}

// Question brings the question of a receipt into the form of a query.
func Question(data []byte, dataset string) ([]byte, error) {
	return change(data, func(o object) {
		o["dataset"] = dataset
		var figures []any
		for _, f := range objects(o["figures"]) {
			figures = append(figures, strings.TrimSpace(text(f["kind"])+" "+text(f["column"])))
		}
		o["figures"] = figures
		if where := filters(o["where"]); where != nil {
			o["where"] = where
		} else {
			delete(o, "where")
		}
		var others []any
		for _, b := range objects(o["beside"]) {
			words := []string{text(b["dataset"])}
			columns, _ := b["columns"].(object)
			for _, own := range slices.Sorted(maps.Keys(columns)) {
				words = append(words, quote(own)+"="+quote(text(columns[own])))
			}
			if date := text(b["date"]); date != "" {
				words = append(words, "by", quote(date))
			}
			for _, f := range filters(b["where"]) {
				words = append(words, "where", quote(text(f)))
			}
			others = append(others, strings.Join(words, " "))
		}
		if delete(o, "beside"); others != nil {
			o["against_dataset"] = others
		}
		renameQuery(o)
		if reading, ok := o["reading"].(object); ok {
			for _, key := range []string{"as_of", "at_close", "calendar"} {
				if v, ok := reading[key]; ok {
					o[key] = v
				}
			}
		}
		delete(o, "reading")
		delete(o, "known")
	})
}

// ops are the tests of the first filters.
var ops = map[string]dataset.Op{
	"is": dataset.Is, "is-not": dataset.IsNot, "contains": dataset.Contains, "at-least": dataset.AtLeast, "at-most": dataset.AtMost,
}

// blanks are the operations that stand for others without a value.
var blanks = map[dataset.Op]dataset.Op{dataset.Is: dataset.Blank, dataset.IsNot: dataset.NotBlank}

// filters brings the first form of filters, objects, into their notation.
func filters(v any) []any {
	var list []any
	add := func(c dataset.Condition) {
		for _, t := range (dataset.Filters{{c}}).Texts() {
			list = append(list, t)
		}
	}
	for _, f := range objects(v) {
		column, values := text(f["column"]), objects(f["values"])
		if f["test"] == "between" && len(values) == 2 {
			add(dataset.Condition{Column: column, Op: dataset.Between, Values: []string{text(values[0]["text"]), text(values[1]["text"])}})
			continue
		}
		for _, v := range values {
			add(valueCondition(column, ops[text(f["test"])], text(v["text"])))
		}
	}
	return list
}

// valueCondition is a condition of one value; no value is blank.
func valueCondition(column string, op dataset.Op, value string) dataset.Condition {
	if blank, ok := blanks[op]; ok && value == "" {
		return dataset.Condition{Column: column, Op: blank}
	}
	return dataset.Condition{Column: column, Op: op, Values: []string{value}}
}

// Notation brings filters as they were written before they had or, spans and quotes for values into the notation of
// today: those of a brief, of a query, or of a part of either.
func Notation(data []byte) ([]byte, error) {
	return change(data, func(o object) { notation(o) })
}

// notation looks for filters at any depth.
func notation(v any) {
	switch v := v.(type) {
	case []any:
		for _, item := range v {
			notation(item)
		}
	case object:
		for key, inner := range v {
			texts, _ := inner.([]any)
			for i := range texts {
				one, ok := texts[i].(string)
				switch {
				case !ok:
				case key == "where":
					texts[i] = plainFilter(one)
				case key == "against_dataset":
					texts[i] = ownFilter.ReplaceAllStringFunc(one, func(found string) string {
						quoted := strings.TrimPrefix(found, " where ")
						return " where " + dataset.Quote(plainFilter(strings.ReplaceAll(quoted[1:len(quoted)-1], `""`, `"`)))
					})
				}
			}
			notation(inner)
		}
	}
}

// ownFilter is a filter of other records that a query is compared with.
var ownFilter = regexp.MustCompile(` where "(?:[^"]|"")*"`)

// plainSigns are the signs of filters as they were.
var plainSigns = []struct {
	sign string
	op   dataset.Op
}{{"!=", dataset.IsNot}, {">=", dataset.AtLeast}, {"<=", dataset.AtMost}, {"~", dataset.Contains}, {"=", dataset.Is}}

// plainFilter rewrites a filter that has one condition and no quotes but around its column. What is none stays.
func plainFilter(text string) string {
	column, rest := "", text
	if strings.HasPrefix(text, `"`) {
		var err error
		if column, rest, err = dataset.CutQuoted(text); err != nil {
			return text
		}
	}
	at, sign, op := len(rest), "", dataset.Between
	for _, s := range plainSigns {
		if i := strings.Index(rest, s.sign); i >= 0 && (i < at || i == at && len(s.sign) > len(sign)) {
			at, sign, op = i, s.sign, s.op
		}
	}
	c := dataset.Condition{}
	if i := strings.Index(rest, " between "); i >= 0 && i < at {
		low, high, found := strings.Cut(rest[i+len(" between "):], " and ")
		if !found {
			return text
		}
		at, c = i, dataset.Condition{Op: dataset.Between, Values: []string{low, high}}
	} else if sign == "" {
		return text
	} else {
		c = valueCondition("", op, rest[at+len(sign):])
	}
	if c.Column = column; column == "" {
		c.Column = rest[:at]
	}
	return dataset.Filters{{c}}.Texts()[0]
}

func text(v any) string {
	s, _ := v.(string)
	return s
}

// quote writes a word in double quotes where it would be misread without.
func quote(s string) string {
	if s != "" && !strings.ContainsAny(s, " \t=\"") {
		return s
	}
	return `"` + strings.ReplaceAll(s, `"`, `""`) + `"`
}

func change(data []byte, work func(object)) ([]byte, error) {
	var o object
	d := json.NewDecoder(strings.NewReader(string(data)))
	d.UseNumber()
	if err := d.Decode(&o); err != nil {
		return nil, err
	}
	work(o)
	return json.Marshal(o)
}
