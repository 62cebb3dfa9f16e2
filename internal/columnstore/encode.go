package columnstore

import (
	"math"
	"strings"

	"vastspan/core/dataset"
	"vastspan/core/decimal"
)

// none stands for a blank among values.
const none = math.MinInt64

// undated stands for no day.
const undated = math.MinInt32

// A Block holds some records, column by column, on their way into a chunk.
type Block struct {
	records []int64
	since   []int64 // the change that brought each
	days    []int32
	columns []run
}

// A run is what a block holds of one column.
type run struct {
	values   []int64 // days, microseconds, digits of numbers; of texts their codes, 0 for blank
	decimals []uint8 // of numbers
	list     []string
	wide     map[int]string // numbers that do not fit, by their place; their values are none
}

// An encoder makes blocks of records, one after the other.
type encoder struct {
	schema *dataset.Schema
	day    int
	block  *Block
	index  []map[string]int64 // of the texts of the block, by column
}

// newEncoder returns an encoder of records whose cells are in the order of a schema. It is for one goroutine.
func newEncoder(s *dataset.Schema) *encoder {
	e := &encoder{schema: s, day: s.Day(), index: make([]map[string]int64, len(s.Columns))}
	for i := range e.index {
		e.index[i] = map[string]int64{}
	}
	e.begin(0)
	return e
}

func (e *encoder) begin(capacity int) {
	e.block = &Block{
		make([]int64, 0, capacity), make([]int64, 0, capacity), make([]int32, 0, capacity), make([]run, len(e.schema.Columns)),
	}
	for i := range e.block.columns {
		e.block.columns[i].values = make([]int64, 0, capacity)
		clear(e.index[i])
	}
}

// add adds a record; its cells are not kept.
func (e *encoder) add(key RecordKey, cells []dataset.Cell) {
	b := e.block
	b.records, b.since = append(b.records, key.Record), append(b.since, key.Since)
	day := int32(undated)
	if cells[e.day].Set {
		day = int32(cells[e.day].Day)
	}
	b.days = append(b.days, day)
	for i := range e.schema.Columns {
		b.columns[i].add(e.schema.Columns[i].Type, &cells[i], e.index[i])
	}
}

// take returns the block of the records that were added since the last one.
func (e *encoder) take() *Block {
	b := e.block
	e.begin(len(b.records))
	return b
}

func (r *run) add(t dataset.Type, c *dataset.Cell, index map[string]int64) {
	value := int64(none)
	switch {
	case t == dataset.Number:
		r.addNumber(c)
		return
	case t == dataset.Text:
		value = 0
		if c.Set {
			value = r.code(c.Text, index)
		}
	case !c.Set:
	case t == dataset.Date:
		value = int64(c.Day)
	default:
		value = c.Micros()
	}
	r.values = append(r.values, value)
}

func (r *run) code(text string, index map[string]int64) int64 {
	code, ok := index[text]
	if !ok {
		text = strings.Clone(text)
		r.list = append(r.list, text)
		code = int64(len(r.list))
		index[text] = code
	}
	return code
}

func (r *run) addNumber(c *dataset.Cell) {
	number, ok := c.Number, c.Fixed
	if c.Set && !ok {
		number, ok = decimal.ParseFixed(c.Text)
	}
	if c.Set && !ok {
		if r.wide == nil {
			r.wide = map[int]string{}
		}
		r.wide[len(r.values)] = strings.Clone(c.Text)
	}
	if !c.Set || !ok {
		number = decimal.Fixed{Digits: none}
	}
	r.values, r.decimals = append(r.values, number.Digits), append(r.decimals, number.Decimals)
}
