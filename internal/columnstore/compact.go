package columnstore

import (
	"context"
	"slices"

	"vastspan/core/civil"
	"vastspan/core/dataset"
)

// Each change adds a part. Small parts are merged into one now and then, so that a question does not have to open hundreds of files,
// and sums are made again on whose days rows have ended since. Neither changes an answer.

const (
	// smallRows is how many rows a part has at most that is merged with others.
	smallRows = 250_000
	// fewParts is how many small parts are left alone.
	fewParts = 16
)

func (p *part) rows() int {
	n := 0
	for _, c := range p.Chunks {
		n += c.Rows
	}
	return n
}

// small lists the parts that are to be merged; none where they are few.
func (s *State) small() (list []*part) {
	for _, p := range s.parts {
		if p.rows() < smallRows {
			list = append(list, p)
		}
	}
	if len(list) <= fewParts {
		return nil
	}
	return list
}

func (s *State) stalePart() *part {
	at := slices.IndexFunc(s.parts, func(p *part) bool { return p.stale(s.schema, s.Change) })
	if at < 0 {
		return nil
	}
	return s.parts[at]
}

// Fragmented reports whether Compact would make the state faster. A state with damaged parts is to be repaired first.
func (s *State) Fragmented() bool {
	return len(s.Damaged()) == 0 && (len(s.small()) > 0 || s.stalePart() != nil)
}

// Compact merges small parts and makes sums again that are out of date, and returns the state with them; the files of this one that
// the other does not have are still there.
func (s *State) Compact(ctx context.Context) (*State, error) {
	if len(s.Damaged()) > 0 {
		return nil, errBroken
	}
	var m manifest
	var made []*partBuilder
	err := s.Read(func() (err error) { // so that nothing is made of what is not as it was written
		m, made, err = s.compacted(ctx)
		return err
	})
	if err == nil {
		err = publish(s.folder, m)
	}
	if err != nil {
		for _, b := range made {
			if b != nil {
				b.abandon()
			}
		}
		return nil, err
	}
	return s.OpenAfter(m.Content, s.schema)
}

// compacted makes the files of a state that is faster, and its manifest.
func (s *State) compacted(ctx context.Context) (m manifest, made []*partBuilder, err error) {
	m = s.manifest
	if small := s.small(); len(small) > 0 {
		current, past, ended, err := s.merge(ctx, small)
		made = append(made, current, past)
		if err != nil {
			return m, made, err
		}
		m, err = s.merging(small, current.made, past.made, ended)
		return m, made, err
	}
	if p := s.stalePart(); p != nil {
		sums, err := s.resummarize(ctx, p)
		made = append(made, &partBuilder{folder: s.folder, rows: &builder{}, made: partMeta{Sums: sums}})
		m.Parts = slices.Clone(m.Parts)
		m.Parts[slices.Index(s.parts, p)].Sums = sums
		return m, made, err
	}
	return m, nil, nil
}

// merge makes one part of the current rows of some parts, and one of those that have ended, with the changes that ended them.
func (s *State) merge(ctx context.Context, parts []*part) (current, past *partBuilder, ended map[int64][]RecordKey, err error) {
	current, err = newPartBuilder(s.folder, s.schema, 1)
	if err != nil {
		return current, past, nil, err
	}
	if past, err = newPartBuilder(s.folder, s.schema, 0); err != nil {
		return current, past, nil, err
	}
	past.workers = []*Worker{{encoder: newEncoder(s.schema)}}
	ended = map[int64][]RecordKey{}
	for _, p := range parts {
		for _, h := range p.chunks {
			if err := s.copyRows(ctx, h, h.live, current, nil); err != nil {
				return current, past, ended, err
			}
			for i := range h.ended {
				e := &h.ended[i]
				note := func(key RecordKey) { ended[e.Change] = append(ended[e.Change], key) }
				if err := s.copyRows(ctx, h, e.rows, past, note); err != nil {
					return current, past, ended, err
				}
			}
		}
	}
	if _, err = current.finish(s.Change); err == nil {
		_, err = past.finish(s.Change)
		past.made.Sums = nil
	}
	return current, past, ended, err
}

// copyRows adds rows of a chunk to a part; nil are all rows. note, where it is given, is called with each.
func (s *State) copyRows(ctx context.Context, h *held, rows rowSet, into *partBuilder, note func(RecordKey)) error {
	w := into.workers[0]
	if err := h.eachRow(ctx, s.schema, rows, func(key RecordKey, cells []dataset.Cell) error {
		if note != nil {
			note(key)
		}
		return w.Add(key, cells)
	}); err != nil {
		return err
	}
	return into.append(w.Take())
}

// merging is the manifest of the state in which some parts are merged.
func (s *State) merging(small []*part, current, past partMeta, ended map[int64][]RecordKey) (manifest, error) {
	m := s.manifest
	m.Parts = nil
	var entries []endedEntry
	for _, p := range s.parts {
		if slices.Contains(small, p) {
			continue
		}
		m.Parts = append(m.Parts, p.partMeta)
		for _, h := range p.chunks {
			entries = append(entries, h.ended...)
		}
	}
	for _, made := range []partMeta{current, past} {
		if len(made.Chunks) > 0 {
			m.Parts = append(m.Parts, made)
		}
	}
	more, err := endedOf(s.folder, s.schema, past, ended)
	if err != nil {
		return m, err
	}
	m.Ended, err = rewriteEnded(s.folder, append(entries, more...))
	return m, err
}

// resummarize makes the sums of a part again.
func (s *State) resummarize(ctx context.Context, p *part) (sums []sumsMeta, err error) {
	list, err := summarizers(s.schema)
	if err != nil {
		return nil, err
	}
	rows := 0
	for _, h := range p.chunks {
		rows += h.count()
		err := h.eachRow(ctx, s.schema, h.live, func(_ RecordKey, cells []dataset.Cell) error {
			for _, t := range list {
				if err := t.add(cells); err != nil {
					return err
				}
			}
			return nil
		})
		if err != nil {
			return nil, err
		}
	}
	return summarize(s.folder, s.schema, [][]*summarizer{list}, s.Change, rows)
}

// eachRow passes rows on as they came; nil are all rows. The cells are those of the next row afterwards.
func (h *held) eachRow(ctx context.Context, s *dataset.Schema, rows rowSet, take func(RecordKey, []dataset.Cell) error) error {
	clock, err := s.Clock()
	if err != nil {
		return err
	}
	for i := range h.columns {
		if err := h.columns[i].use(); err != nil {
			return err
		}
	}
	one := &held{chunk: h.chunk, live: rows}
	return broken(guarded(func() error { return one.decode(ctx, s, clock.Reader(), take) }))
}

func (h *held) decode(ctx context.Context, s *dataset.Schema, clock *civil.WallReader, take func(RecordKey, []dataset.Cell) error) error {
	codes := make([][]int64, len(h.columns))
	for i := range codes {
		codes[i] = make([]int64, blockRows)
	}
	selected, cells := make([]int32, 0, blockRows), make([]dataset.Cell, len(s.Columns))
	for row := 0; row < h.Rows; row += blockRows {
		n := min(blockRows, h.Rows-row)
		if selected = h.selected(row, n, selected); len(selected) == 0 {
			continue
		}
		if err := ctx.Err(); err != nil {
			return err
		}
		for i := range codes {
			h.columns[i].read(row, codes[i][:n])
		}
		for _, at := range selected {
			key := RecordKey{h.columns[recordAt].value(codes[recordAt][at]), h.columns[sinceAt].value(codes[sinceAt][at])}
			for i := range cells {
				c := h.of(i)
				cells[i] = c.cell(codes[ownColumns+i][at], s.Columns[i].Type, clock)
				if c.each != nil && cells[i].Fixed {
					cells[i].Number = fewer(cells[i].Number.Digits, cells[i].Number.Decimals, c.each[row+int(at)])
				}
			}
			if err := take(key, cells); err != nil {
				return err
			}
		}
	}
	return nil
}
