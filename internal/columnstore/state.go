// Package columnstore holds the log of a dataset's records a second time, as columns in files: every question about a stored
// dataset is answered by it. Files are mapped into memory, typed, with texts as codes of a list, sorted by day. A file is never
// changed. Each change of the dataset adds a part with the rows that came, their sums by day and hour, and a file of the rows that
// ended; the state after an earlier change is read by leaving the later ones out. Everything is derived: checked by checksums, and
// made again from the database where it is missing or damaged.
package columnstore

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"hash/crc32"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"sync"

	"vastspan/core/dataset"
	"vastspan/core/tally"
)

const (
	chunkSuffix    = ".rows"
	manifestSuffix = ".state"
)

// A State is the records of a dataset as they were after a change. It may be read by many at once.
type State struct {
	Content string // names what the dataset holds; empty of a state before the newest one
	Change  int64
	folder  string
	schema  *dataset.Schema
	parts   []*part
	chunks  []*held // of all parts, those in which any row counts
	merged  merged
	ended   [][]endedEntry // of each file of ended rows

	damagedMu sync.Mutex
	damaged   map[*part]bool

	manifest manifest
}

// A manifest says which files a state is made of. It is named after the content of the dataset.
type manifest struct {
	Content string
	Change  int64
	Columns int
	Parts   []partMeta
	Ended   []string // files of ended rows
	History []past   // the contents after earlier changes that can be read, the oldest first
}

// A past content is what a dataset held after an earlier change.
type past struct {
	Change  int64
	Content string
}

// A partMeta describes the rows that one change or several brought.
type partMeta struct {
	Changes []int64 // in order
	Chunks  []chunkRef
	Sums    []sumsMeta
}

// A part is the rows that one change or several brought, with their sums.
type part struct {
	partMeta
	chunks []*held
	sums   []*summary
}

// Open opens the state of a content in a folder; where files of it are missing or damaged, Damaged says which. Errors: fs.ErrNotExist
// where there is none, and others where all of it has to be made again.
func Open(folder, content string, s *dataset.Schema) (*State, error) {
	return open(folder, content, s, nil)
}

// OpenAfter is Open of the state after a change of another, whose files are open: those that both have are not opened again.
func (s *State) OpenAfter(content string, schema *dataset.Schema) (*State, error) {
	return open(s.folder, content, schema, s)
}

func open(folder, content string, s *dataset.Schema, before *State) (*State, error) {
	text, err := os.ReadFile(filepath.Join(folder, content+manifestSuffix))
	if err != nil {
		return nil, err
	}
	m, err := parseManifest(text)
	if err != nil {
		return nil, err
	}
	if m.Content != content || m.Columns != len(s.Columns) {
		return nil, errBroken
	}
	return assemble(folder, m, s, before)
}

// assemble opens the files of a manifest, but for those that another state has open.
func assemble(folder string, m manifest, s *dataset.Schema, before *State) (*State, error) {
	have := before.opened()
	state := &State{Content: m.Content, Change: m.Change, folder: folder, schema: s, manifest: m}
	ended := map[string][]endedEntry{}
	for _, name := range m.Ended {
		entries := have.ended[name]
		if entries == nil {
			var err error
			if entries, err = readEnded(filepath.Join(folder, filepath.Base(name))); err != nil {
				return nil, err
			}
		}
		state.ended = append(state.ended, entries)
		for _, e := range entries {
			ended[e.Chunk] = append(ended[e.Chunk], e)
		}
	}
	for i := range m.Parts {
		p := &part{partMeta: m.Parts[i]}
		for _, ref := range p.Chunks {
			h, err := have.open(folder, ref, len(s.Columns))
			if err != nil {
				state.damage(p)
				break
			}
			for _, e := range ended[ref.Name] {
				if n := len(e.rows); n > 0 && e.rows[n-1].end > h.Rows {
					return nil, errBroken
				}
				h.ended = append(h.ended, e)
			}
			p.chunks = append(p.chunks, h)
		}
		for j := range p.Sums {
			sums, err := have.openSummary(folder, &p.Sums[j], s)
			if err != nil {
				state.damage(p)
				break
			}
			p.sums = append(p.sums, sums)
		}
		state.parts = append(state.parts, p)
	}
	return state, state.setLive(m.Change)
}

// openFiles are the files of a state by their names.
type openFiles struct {
	chunks map[string]*chunk
	ended  map[string][]endedEntry
}

// opened lists the files of a state, none of nil; those of parts that are damaged are to be opened again.
func (s *State) opened() openFiles {
	have := openFiles{map[string]*chunk{}, map[string][]endedEntry{}}
	if s == nil {
		return have
	}
	for i, name := range s.manifest.Ended {
		have.ended[name] = s.ended[i]
	}
	s.damagedMu.Lock()
	defer s.damagedMu.Unlock()
	for _, p := range s.parts {
		if s.damaged[p] {
			continue
		}
		for _, h := range p.chunks {
			have.chunks[h.name] = h.chunk
		}
		for _, m := range p.sums {
			for _, h := range m.chunks {
				have.chunks[h.name] = h.chunk
			}
		}
	}
	return have
}

func (f openFiles) open(folder string, ref chunkRef, columns int) (*held, error) {
	p := f.chunks[ref.Name]
	if p == nil {
		var err error
		if p, err = openChunk(filepath.Join(folder, filepath.Base(ref.Name))); err != nil {
			return nil, err
		}
	}
	if p.Rows != ref.Rows || len(p.columns) != ownColumns+columns {
		return nil, errBroken
	}
	return &held{chunk: p, name: ref.Name}, nil
}

// setLive finds the rows that count after a change.
func (s *State) setLive(change int64) error {
	s.Change = change
	for _, p := range s.parts {
		if s.damaged[p] {
			continue
		}
		for i, h := range p.chunks {
			at, err := h.at(change, p.Changes)
			if err != nil {
				return err
			}
			p.chunks[i] = at
			if at.count() > 0 {
				s.chunks = append(s.chunks, at)
			}
		}
	}
	return nil
}

// At returns the state after an earlier change, whose content is to be given; false where it is not kept.
func (s *State) At(change int64, content string) (*State, bool, error) {
	if change == s.Change && content == s.Content {
		return s, true, nil
	}
	if !slices.Contains(s.manifest.History, past{change, content}) {
		return nil, false, nil
	}
	earlier := &State{folder: s.folder, schema: s.schema, manifest: s.manifest, ended: s.ended}
	for _, p := range s.parts {
		earlier.parts = append(earlier.parts, &part{p.partMeta, slices.Clone(p.chunks), p.sums})
	}
	return earlier, true, earlier.setLive(change)
}

// publish writes the manifest of a state: a line of JSON, and one with its checksum.
func publish(folder string, m manifest) error {
	text, err := json.Marshal(m)
	if err != nil {
		return err
	}
	return writeFile(folder, m.Content+manifestSuffix, fmt.Appendf(text, "\n%08x\n", crc32.Checksum(text, castagnoli)))
}

func parseManifest(text []byte) (m manifest, err error) {
	line, sum, _ := bytes.Cut(text, []byte("\n"))
	if string(sum) != fmt.Sprintf("%08x\n", crc32.Checksum(line, castagnoli)) {
		return m, errBroken
	}
	return m, unmarshal(line, &m)
}

// writeFile writes a file whole or not at all.
func writeFile(folder, name string, text []byte) error {
	f, err := os.CreateTemp(folder, "new-*")
	if err != nil {
		return err
	}
	_, err = f.Write(text)
	if err = errors.Join(err, f.Sync(), f.Close()); err == nil {
		err = os.Rename(f.Name(), filepath.Join(folder, name))
	}
	if err != nil {
		return errors.Join(err, os.Remove(f.Name()))
	}
	d, err := os.Open(folder)
	if err != nil {
		return err
	}
	return errors.Join(d.Sync(), d.Close())
}

// files lists the names of the files of a manifest, but for its own.
func (m *manifest) files() (names []string) {
	for _, p := range m.Parts {
		for _, c := range p.Chunks {
			names = append(names, c.Name)
		}
		for _, sums := range p.Sums {
			for _, c := range sums.Chunks {
				names = append(names, c.Name)
			}
		}
	}
	return append(names, m.Ended...)
}

// Files lists the names of the files that the state is made of.
func (s *State) Files() []string { return append(s.manifest.files(), s.Content+manifestSuffix) }

// Sweep removes the files of a folder that do not belong to a state; nil is none.
func Sweep(folder string, keep *State) error {
	entries, err := os.ReadDir(folder)
	if err != nil {
		return err
	}
	var kept []string
	if keep != nil {
		kept = keep.Files()
	}
	for _, e := range entries {
		if !slices.Contains(kept, e.Name()) {
			err = errors.Join(err, os.Remove(filepath.Join(folder, e.Name())))
		}
	}
	return err
}

// Remove removes the files of a state that are not another's; nil is none. Those who still read them have them mapped.
func Remove(folder string, s, keep *State) error {
	var kept []string
	if keep != nil {
		kept = keep.Files()
	}
	var err error
	for _, name := range s.Files() {
		if slices.Contains(kept, name) {
			continue
		}
		if gone := os.Remove(filepath.Join(folder, name)); !errors.Is(gone, fs.ErrNotExist) {
			err = errors.Join(err, gone)
		}
	}
	return err
}

// Bytes is how long the state's files are together, but for those of ended rows.
func (s *State) Bytes() (rows, sums int64) {
	for _, p := range s.parts {
		for _, h := range p.chunks {
			rows += int64(len(h.data))
		}
		for _, of := range p.sums {
			for _, h := range of.chunks {
				sums += int64(len(h.data))
			}
		}
	}
	return rows, sums
}

// Rows is how many records count.
func (s *State) Rows() int64 {
	n := int64(0)
	for _, h := range s.chunks {
		n += int64(h.count())
	}
	return n
}

// Coverage covers all records, by the date that they are kept by.
func (s *State) Coverage() tally.Coverage {
	var c tally.Coverage
	for _, h := range s.chunks {
		c.Merge(h.coverage())
	}
	return c
}

// Broken reports whether an error is that of files that are not as they were written: they have to be made again.
func Broken(err error) bool { return errors.Is(err, errBroken) }

// Withdraw removes what says that there is a state of a content.
func Withdraw(folder, content string) error {
	err := os.Remove(filepath.Join(folder, content+manifestSuffix))
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	return err
}
