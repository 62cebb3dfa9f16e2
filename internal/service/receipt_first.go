package service

import (
	"encoding/json"

	"vastspan/core/book"
	"vastspan/core/decimal"
	"vastspan/core/query"
	"vastspan/internal/legacy"
)

// Receipts that were created before bodies had a version have no ids: their figures are known by what
// people see of them. They stay readable, and are compared by that.

// firstBody is the form of those bodies.
type firstBody struct {
	Subject     string             `json:"subject"`
	Brief       json.RawMessage    `json:"brief"`
	Dataset     string             `json:"dataset"`
	Question    json.RawMessage    `json:"question"`
	AsOf        string             `json:"as_of"`
	AtClose     bool               `json:"at_close"`
	Calendar    string             `json:"calendar"`
	Asks        map[string]string  `json:"asks"`
	Cells       []firstCell        `json:"cells"`
	Definitions []query.Definition `json:"definitions"`
	Loads       []ReceiptLoad      `json:"loads"`
	Missing     []string           `json:"missing"`
}

type firstCell struct {
	Item       string        `json:"item"`
	Dataset    string        `json:"dataset"`
	Date       string        `json:"date"`
	Expression string        `json:"expression"`
	Days       string        `json:"days"`
	Unit       string        `json:"unit"`
	Group      []string      `json:"group"`
	Figure     string        `json:"figure"`
	Value      decimal.Value `json:"value"`
}

// readFirstBody brings such a body into the form of today, without ids. Of what its figures depend on it
// is only known that it is among what the receipt names.
func readFirstBody(data []byte) (ReceiptBody, error) {
	var old firstBody
	if err := json.Unmarshal(data, &old); err != nil {
		return ReceiptBody{}, err
	}
	b := ReceiptBody{
		Subject:     old.Subject,
		AsOf:        old.AsOf,
		AtClose:     old.AtClose,
		Calendar:    old.Calendar,
		Prompts:     old.Asks,
		Cells:       []ReceiptCell{},
		Definitions: old.Definitions,
		Loads:       old.Loads,
		Missing:     old.Missing,
	}
	if old.Brief != nil {
		text, err := legacy.Brief(old.Brief)
		if err == nil {
			text, err = legacy.Notation(text)
		}
		if err != nil {
			return b, err
		}
		b.Brief = &book.Brief{}
		if err := json.Unmarshal(text, b.Brief); err != nil {
			return b, err
		}
	}
	if old.Question != nil {
		text, err := legacy.Question(old.Question, old.Dataset)
		if err != nil {
			return b, err
		}
		b.Query = &query.Query{}
		if err := json.Unmarshal(text, b.Query); err != nil {
			return b, err
		}
		b.Query.AsOf = old.AsOf
	}
	f := snapshotter{body: &b}
	for _, c := range old.Cells {
		source := f.source(ReceiptSource{Dataset: c.Dataset, Date: c.Date, Definitions: old.Definitions, Since: true})
		b.Cells = append(
			b.Cells,
			ReceiptCell{
				Source:     source,
				Item:       c.Item,
				Expression: c.Expression,
				Days:       c.Days,
				Unit:       c.Unit,
				Group:      c.Group,
				Figure:     c.Figure,
				Value:      c.Value,
			},
		)
	}
	return b, nil
}
