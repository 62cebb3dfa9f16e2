package columnstore

import (
	"errors"
	"maps"
	"os"
	"path/filepath"
	"slices"

	"vastspan/core/dataset"
)

// An Edit makes the files of a change of a dataset: of the rows that come, with their sums, and of those that end. They are on the
// disk before the change is committed, under the name of the content that it makes: where it is not, nobody asks for that name.
type Edit struct {
	folder  string
	schema  *dataset.Schema
	change  int64
	part    *partBuilder
	ended   []RecordKey
	all     bool
	made    []string // files
	content string
}

// Begin begins a change in a folder, which is made. Records are added by some workers at the same time.
func Begin(folder string, s *dataset.Schema, change int64, workers int) (*Edit, error) {
	part, err := newPartBuilder(folder, s, workers)
	return &Edit{folder: folder, schema: s, change: change, part: part}, err
}

// Worker returns one of the workers.
func (e *Edit) Worker(at int) *Worker { return e.part.workers[at] }

// Append adds a block of records that a worker has taken.
func (e *Edit) Append(b *Block) error { return e.part.append(b) }

// Change is the change that brings the records which are added.
func (e *Edit) Change() int64 { return e.change }

// End says which records end; EndAll, that all do which the state before holds.
func (e *Edit) End(keys ...RecordKey) { e.ended = append(e.ended, keys...) }

// EndAll says that all records end that the state before holds.
func (e *Edit) EndAll() { e.all = true }

// Publish writes the state after the change, under the name of a content; before is the state that it changes, nil of a dataset
// without records.
func (e *Edit) Publish(before *State, content string) error {
	e.content = content
	m := manifest{Columns: len(e.schema.Columns)}
	if before != nil {
		m = before.manifest
		m.History = append(slices.Clone(m.History), past{m.Change, m.Content})
	}
	m.Content, m.Change = content, e.change
	own, err := e.part.finish(e.change)
	if err != nil {
		return err
	}
	if len(own.Chunks) > 0 {
		m.Parts = append(slices.Clone(m.Parts), own)
	}
	entries, err := e.endedIn(before)
	if err != nil {
		return err
	}
	if len(entries) > 0 {
		name, err := writeEnded(e.folder, entries)
		e.made = append(e.made, name)
		if err != nil {
			return err
		}
		m.Ended = append(slices.Clone(m.Ended), name)
	}
	return publish(e.folder, m)
}

func (e *Edit) endedIn(before *State) (entries []endedEntry, err error) {
	switch {
	case before == nil && (e.all || len(e.ended) > 0):
		return nil, errors.Join(errBroken, errors.New("records end of which there is no file"))
	case before == nil:
		return nil, nil
	case !e.all:
		err = before.Read(func() error {
			entries, err = before.find(e.ended, e.change)
			return err
		})
		return entries, err
	}
	for _, h := range before.chunks {
		rows := h.live
		if rows == nil {
			rows = rowSet{{0, h.Rows}}
		}
		entries = append(entries, endedEntry{Chunk: h.name, Change: e.change, rows: rows})
	}
	return entries, nil
}

// Abandon removes what was made.
func (e *Edit) Abandon() error {
	e.part.abandon()
	for _, name := range e.made {
		_ = os.Remove(filepath.Join(e.folder, name)) // whatever became of it
	}
	if e.content == "" {
		return nil
	}
	return Withdraw(e.folder, e.content)
}

// A partBuilder makes the files of a part.
type partBuilder struct {
	folder  string
	schema  *dataset.Schema
	rows    *builder
	workers []*Worker
	changes map[int64]bool
	made    partMeta
}

// A Worker encodes records, for one goroutine.
type Worker struct {
	encoder *encoder
	sums    []*summarizer
}

func newPartBuilder(folder string, s *dataset.Schema, workers int) (*partBuilder, error) {
	b, err := newBuilder(folder, s)
	if err != nil {
		return nil, err
	}
	p := &partBuilder{folder: folder, schema: s, rows: b, changes: map[int64]bool{}}
	for range workers {
		sums, err := summarizers(s)
		if err != nil {
			return nil, err
		}
		p.workers = append(p.workers, &Worker{newEncoder(s), sums})
	}
	return p, nil
}

// Add adds a record; its cells are not kept.
func (w *Worker) Add(key RecordKey, cells []dataset.Cell) error {
	w.encoder.add(key, cells)
	for _, t := range w.sums {
		if err := t.add(cells); err != nil {
			return err
		}
	}
	return nil
}

// Take returns the block of the records that were added since the last one.
func (w *Worker) Take() *Block { return w.encoder.take() }

func (p *partBuilder) append(b *Block) error {
	for i, since := range b.since {
		if i == 0 || since != b.since[i-1] {
			p.changes[since] = true
		}
	}
	return p.rows.append(b)
}

// finish writes what is left, and the sums, in which rows are not that ended by a change.
func (p *partBuilder) finish(through int64) (partMeta, error) {
	var err error
	if p.made.Chunks, err = p.rows.finish(); err != nil {
		return p.made, err
	}
	rows := 0
	for _, c := range p.made.Chunks {
		rows += c.Rows
	}
	p.made.Changes = slices.Sorted(maps.Keys(p.changes))
	var sums [][]*summarizer
	for _, w := range p.workers {
		sums = append(sums, w.sums)
	}
	p.made.Sums, err = summarize(p.folder, p.schema, sums, through, rows)
	return p.made, err
}

// abandon removes the files.
func (p *partBuilder) abandon() {
	p.rows.abandon()
	for _, sums := range p.made.Sums {
		for _, c := range sums.Chunks {
			_ = os.Remove(filepath.Join(p.folder, c.Name)) // whatever became of it
		}
	}
}
