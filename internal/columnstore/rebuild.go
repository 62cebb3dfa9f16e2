package columnstore

import (
	"os"
	"path/filepath"
	"slices"

	"vastspan/core/dataset"
)

// A Rebuild makes parts of a state again: those of some changes, or all; or it adds what changes have brought since a state. Current
// records and past ones become a part each, as sums are of current records.
type Rebuild struct {
	folder  string
	schema  *dataset.Schema
	kept    *State // nil for none
	without []int64
	change  int64
	current *partBuilder
	past    *partBuilder
	ended   map[int64][]RecordKey // by the change that ended them
	later   map[int64][]RecordKey // the same of records of the parts that are kept
	names   []string              // of files of ended rows
}

// BeginRebuild begins to make the parts again that hold records of some changes; without a state to be kept, all. Where no changes are
// left out, the parts of the state are kept, and only later changes are added. change is the newest change.
func BeginRebuild(folder string, s *dataset.Schema, kept *State, without []int64, change int64, workers int) (*Rebuild, error) {
	r := &Rebuild{folder: folder, schema: s, kept: kept, without: without, change: change,
		ended: map[int64][]RecordKey{}, later: map[int64][]RecordKey{}}
	var err error
	if r.current, err = newPartBuilder(folder, s, workers); err != nil {
		return nil, err
	}
	r.past, err = newPartBuilder(folder, s, 0)
	if err != nil {
		return nil, err
	}
	for range workers {
		r.past.workers = append(r.past.workers, &Worker{encoder: newEncoder(s)})
	}
	return r, nil
}

// Worker returns one of the workers of current records, or of past ones, which have no sums.
func (r *Rebuild) Worker(at int, past bool) *Worker {
	if past {
		return r.past.workers[at]
	}
	return r.current.workers[at]
}

// Append adds a block of records that a worker has taken.
func (r *Rebuild) Append(b *Block, past bool) error {
	if past {
		return r.past.append(b)
	}
	return r.current.append(b)
}

// End says which change ended a past record that is added.
func (r *Rebuild) End(key RecordKey, change int64) { r.ended[change] = append(r.ended[change], key) }

// EndKept says which change ended a record that is in the parts that are kept.
func (r *Rebuild) EndKept(key RecordKey, change int64) {
	r.later[change] = append(r.later[change], key)
}

// Publish writes the state under the name of a content; history lists the contents before it, the oldest first.
func (r *Rebuild) Publish(content string, history []RecordedContent) error {
	m := manifest{Content: content, Change: r.change, Columns: len(r.schema.Columns)}
	for _, h := range history {
		m.History = append(m.History, past(h))
	}
	var kept []endedEntry
	if r.kept != nil {
		for _, p := range r.kept.parts {
			if slices.ContainsFunc(p.Changes, func(c int64) bool { return slices.Contains(r.without, c) }) {
				continue
			}
			m.Parts = append(m.Parts, p.partMeta)
			for _, h := range p.chunks {
				kept = append(kept, h.ended...)
			}
		}
	}
	current, err := r.current.finish(r.change)
	if err != nil {
		return err
	}
	past, err := r.past.finish(r.change)
	if err != nil {
		return err
	}
	if len(current.Chunks) > 0 {
		m.Parts = append(m.Parts, current)
	}
	if len(past.Chunks) > 0 {
		past.Sums = nil
		m.Parts = append(m.Parts, past)
	}
	entries, err := endedOf(r.folder, r.schema, past, r.ended)
	if err != nil {
		return err
	}
	later, err := r.endedLater()
	if err != nil {
		return err
	}
	if m.Ended, err = rewriteEnded(r.folder, slices.Concat(kept, entries, later)); err != nil {
		return err
	}
	r.names = m.Ended
	return publish(r.folder, m)
}

// endedLater returns which rows of the parts that are kept have ended since, by the changes that ended them.
func (r *Rebuild) endedLater() (entries []endedEntry, err error) {
	if len(r.later) == 0 {
		return nil, nil
	}
	err = r.kept.Read(func() error {
		for change, keys := range r.later {
			found, err := r.kept.find(keys, change)
			if err != nil {
				return err
			}
			entries = append(entries, found...)
		}
		return nil
	})
	return entries, err
}

// A RecordedContent is what a dataset held after a change.
type RecordedContent struct {
	Change  int64
	Content string
}

// endedOf returns which rows of a part hold past records, by the changes that ended them.
func endedOf(folder string, s *dataset.Schema, p partMeta, ended map[int64][]RecordKey) (entries []endedEntry, err error) {
	if len(ended) == 0 {
		return nil, nil
	}
	alone, err := assemble(folder, manifest{Parts: []partMeta{p}, Change: p.Changes[len(p.Changes)-1]}, s, nil)
	if err != nil {
		return nil, err
	}
	for change, keys := range ended {
		found, err := alone.find(keys, change)
		if err != nil {
			return nil, err
		}
		entries = append(entries, found...)
	}
	return entries, nil
}

// rewriteEnded writes entries to a file of their own, where there are any.
func rewriteEnded(folder string, entries []endedEntry) ([]string, error) {
	if len(entries) == 0 {
		return nil, nil
	}
	name, err := writeEnded(folder, entries)
	return []string{name}, err
}

// Abandon removes what was made.
func (r *Rebuild) Abandon() {
	r.current.abandon()
	r.past.abandon()
	for _, name := range r.names {
		_ = os.Remove(filepath.Join(r.folder, name)) // whatever became of it
	}
}
