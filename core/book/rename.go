package book

import (
	"encoding/json"

	"vastspan/core/query"
)

// EachExpression shows everything of a brief that may be an expression, prompts among them, so that it can be changed.
func (b *Brief) EachExpression(show func(text *string)) {
	for i := range b.Prompts {
		show(&b.Prompts[i].Default)
	}
	for i := range b.Items {
		it := &b.Items[i]
		it.EachExpression(show)
		for j := range it.Lines {
			it.Lines[j].EachExpression(show)
		}
		if it.Ageing != nil {
			show(&it.Ageing.Over)
			query.EachFilterSpan(it.Ageing.Where, show)
		}
	}
}

// EachDataset shows the names of the datasets that a brief is about, so that they can be changed.
func (b *Brief) EachDataset(show func(name *string)) {
	for i := range b.Items {
		it := &b.Items[i]
		it.EachDataset(show)
		for j := range it.Lines {
			it.Lines[j].EachDataset(show)
		}
	}
}

// own returns a brief that shares nothing with another.
func (b *Brief) own() (*Brief, error) {
	body, err := json.Marshal(b)
	if err != nil {
		return nil, err
	}
	var copied Brief
	return &copied, json.Unmarshal(body, &copied)
}

// Reworded returns a brief with its expressions put in other words; changed says whether any of them is.
func (b *Brief) Reworded(words func(text string) string) (reworded *Brief, changed bool, err error) {
	if reworded, err = b.own(); err != nil {
		return nil, false, err
	}
	reworded.EachExpression(func(text *string) {
		if other := words(*text); other != *text {
			*text, changed = other, true
		}
	})
	return reworded, changed, nil
}

// DatasetRenamed returns a brief in which a dataset has another name; changed says whether it is about it.
func (b *Brief) DatasetRenamed(from, to string) (renamed *Brief, changed bool, err error) {
	if renamed, err = b.own(); err != nil {
		return nil, false, err
	}
	renamed.EachDataset(func(name *string) {
		if *name == from {
			*name, changed = to, true
		}
	})
	return renamed, changed, nil
}

// BriefsOn lists the briefs that are about a dataset.
func (l *Library) BriefsOn(dataset string) []string {
	var names []string
	for i := range l.book.Briefs {
		found := false
		l.book.Briefs[i].EachDataset(func(name *string) { found = found || *name == dataset })
		if found {
			names = append(names, l.book.Briefs[i].Name)
		}
	}
	return names
}
