package columnstore

import (
	"context"
	"encoding/binary"
	"hash/maphash"

	"vastspan/core/dataset"
	"vastspan/core/decimal"
)

// A Digest identifies records in any order. It is comparable, within one process.
type Digest struct {
	Records int64
	sum     uint64
}

var digestSeed = maphash.MakeSeed()

// Add adds a record of a schema.
func (d *Digest) Add(s *dataset.Schema, key RecordKey, cells []dataset.Cell) {
	var h maphash.Hash
	h.SetSeed(digestSeed)
	var text []byte
	text = binary.NativeEndian.AppendUint64(text, uint64(key.Record))
	text = binary.NativeEndian.AppendUint64(text, uint64(key.Since))
	for i := range cells {
		text = appendCell(text, s.Columns[i].Type, &cells[i])
	}
	h.Write(text)
	d.Records++
	d.sum += h.Sum64()
}

// Merge adds the records of another digest.
func (d *Digest) Merge(other Digest) { d.Records, d.sum = d.Records+other.Records, d.sum+other.sum }

// appendCell appends a cell so that only equal ones are equal.
func appendCell(text []byte, t dataset.Type, c *dataset.Cell) []byte {
	var value []byte
	switch {
	case !c.Set:
		return append(text, 0)
	case t == dataset.Number:
		number, ok := c.Number, c.Fixed
		if !ok {
			number, ok = decimal.ParseFixed(c.Text)
		}
		if value = []byte(c.Text); ok {
			value = number.AppendText(nil)
		}
	case t == dataset.Text:
		value = []byte(c.Text)
	case t == dataset.Date:
		value = binary.NativeEndian.AppendUint64(nil, uint64(c.Day))
	default:
		value = binary.NativeEndian.AppendUint64(nil, uint64(c.Micros()))
	}
	text = binary.NativeEndian.AppendUint32(append(text, 1), uint32(len(value)))
	return append(text, value...)
}

// Digest identifies the records that count.
func (s *State) Digest(ctx context.Context) (d Digest, err error) {
	for _, h := range s.chunks {
		err := h.eachRow(ctx, s.schema, h.live, func(key RecordKey, cells []dataset.Cell) error {
			d.Add(s.schema, key, cells)
			return nil
		})
		if err != nil {
			return d, err
		}
	}
	return d, nil
}

// CheckSums makes the sums of all parts again, and compares them with those that are kept.
func (s *State) CheckSums(ctx context.Context) (sums, wrong int64, err error) {
	for _, p := range s.parts {
		for _, m := range p.sums {
			if m.Worthless {
				continue
			}
			kept, made, err := s.checkSums(ctx, p, m)
			if err != nil {
				return sums, wrong, err
			}
			if sums += kept.Records; kept != made {
				wrong++
			}
		}
	}
	return sums, wrong, nil
}

// checkSums identifies the sums of a part that are kept, and those that its rows make, but for days on which rows have ended since.
func (s *State) checkSums(ctx context.Context, p *part, m *summary) (kept, made Digest, err error) {
	clock, err := s.schema.Clock()
	if err != nil {
		return kept, made, err
	}
	days, undated := p.disturbed(m, s.Change)
	t := newSummarizer(m.sumsMeta, s.schema, clock)
	for _, h := range p.chunks {
		rows := h.only(h.on(days, undated).without(h.Rows))
		err := h.eachRow(ctx, s.schema, rows.live, func(_ RecordKey, cells []dataset.Cell) error { return t.add(cells) })
		if err != nil {
			return kept, made, err
		}
	}
	for _, h := range m.chunks {
		rows := h.on(days, undated).without(h.Rows)
		err := h.eachRow(ctx, m.rows, rows, func(_ RecordKey, cells []dataset.Cell) error {
			kept.Add(m.rows, RecordKey{}, cells)
			return nil
		})
		if err != nil {
			return kept, made, err
		}
	}
	cells := make([]dataset.Cell, len(m.rows.Columns))
	for _, c := range t.order {
		err := c.each(func(slot int, dated bool, place int) error {
			if err := t.row(cells, c, slot, dated, place); err != nil {
				return err
			}
			made.Add(m.rows, RecordKey{}, cells)
			return nil
		})
		if err != nil {
			return kept, made, err
		}
	}
	return kept, made, nil
}
