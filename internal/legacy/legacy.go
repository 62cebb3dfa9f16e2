// Package legacy brings what earlier versions wrote into the form of today: schemas of datasets, briefs,
// and the questions that receipts hold. It changes words and shapes, never what is meant.
package legacy

import (
	"encoding/json"
	"maps"
	"slices"
	"strings"
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

// signs are the tests of filters as they are written.
var signs = map[string]string{"is": "=", "is-not": "!=", "contains": "~", "at-least": ">=", "at-most": "<="}

func filters(v any) []any {
	var list []any
	for _, f := range objects(v) {
		column, values := text(f["column"]), objects(f["values"])
		if strings.ContainsAny(column, `=<>~!"`) || strings.Contains(column+" ", " between ") {
			column = quote(column)
		}
		if f["test"] == "between" && len(values) == 2 {
			list = append(list, column+" between "+text(values[0]["text"])+" and "+text(values[1]["text"]))
			continue
		}
		for _, v := range values {
			list = append(list, column+signs[text(f["test"])]+text(v["text"]))
		}
	}
	return list
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
