package columnstore

import (
	"cmp"
	"encoding/binary"
	"errors"
	"fmt"
	"hash/crc32"
	"math/bits"
	"os"
	"path/filepath"
	"slices"

	"github.com/google/uuid"
)

// A file of ended rows says which rows of earlier chunks a change took away, as pairs of numbers: from a row up to another. It
// is read whole when a state is opened.

// A RecordKey identifies a record: its number, and the change that brought it.
type RecordKey struct{ Record, Since int64 }

// An endedEntry is the rows of one chunk that one change took away.
type endedEntry struct {
	Chunk  string
	Change int64
	At     extent
	rows   rowSet
}

type endedMeta struct{ Entries []endedEntry }

const endedSuffix = ".ended"

// writeEnded writes entries to a file of the folder, and returns its name.
func writeEnded(folder string, entries []endedEntry) (string, error) {
	name := uuid.NewString() + endedSuffix
	err := writeTo(filepath.Join(folder, name), func(w *fileWriter) error {
		for i := range entries {
			pairs := make([]uint32, 0, 2*len(entries[i].rows))
			for _, r := range entries[i].rows {
				pairs = append(pairs, uint32(r.start), uint32(r.end))
			}
			var err error
			if entries[i].At, err = w.write(bytesOf(pairs)); err != nil {
				return err
			}
		}
		return w.finish(endedMeta{entries})
	})
	return name, err
}

// readEnded reads a file of ended rows.
func readEnded(path string) ([]endedEntry, error) {
	data, err := os.ReadFile(path)
	if err != nil {
		return nil, err
	}
	var meta endedMeta
	if _, err := readFooter(data, &meta); err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	for i := range meta.Entries {
		e := &meta.Entries[i]
		pairs, err := extentOf(data, e.At)
		if err != nil || len(pairs)%8 != 0 {
			return nil, errors.Join(errBroken, err)
		}
		for from := range slices.Chunk(pairs, 8) {
			e.rows = e.rows.addRange(rowRange{int(binary.NativeEndian.Uint32(from)), int(binary.NativeEndian.Uint32(from[4:]))})
		}
	}
	return meta.Entries, nil
}

// A recordSet holds record numbers: as bits where they are close together.
type recordSet struct {
	first int64
	words []uint64
	list  []int64 // sorted, where they do not
	n     int
}

func newRecordSet(numbers []int64) *recordSet {
	slices.Sort(numbers)
	numbers = slices.Compact(numbers)
	s := &recordSet{n: len(numbers)}
	if s.n == 0 {
		return s
	}
	s.first = numbers[0]
	if reach := numbers[s.n-1] - s.first; reach/256 < int64(s.n) {
		s.words = make([]uint64, reach/64+1)
		for _, number := range numbers {
			s.words[(number-s.first)/64] |= 1 << ((number - s.first) % 64)
		}
		return s
	}
	s.list = numbers
	return s
}

func (s *recordSet) contains(number int64) bool {
	if s.words == nil {
		_, found := slices.BinarySearch(s.list, number)
		return found
	}
	at := number - s.first
	return at >= 0 && at/64 < int64(len(s.words)) && bits.OnesCount64(s.words[at/64]&(1<<(at%64))) > 0
}

// find returns which rows of the parts of a state hold some records, which are all there.
func (s *State) find(keys []RecordKey, change int64) ([]endedEntry, error) {
	if len(keys) == 0 {
		return nil, nil
	}
	bySince := map[int64][]int64{}
	for _, k := range keys {
		bySince[k.Since] = append(bySince[k.Since], k.Record)
	}
	sets := map[int64]*recordSet{}
	for since, numbers := range bySince {
		sets[since] = newRecordSet(numbers)
	}
	var entries []endedEntry
	found := 0
	for _, p := range s.parts {
		if !slices.ContainsFunc(p.Changes, func(since int64) bool { return sets[since] != nil }) {
			continue
		}
		for _, h := range p.chunks {
			if h.live != nil && len(h.live) == 0 {
				continue
			}
			rows, err := h.find(sets)
			if err != nil {
				return nil, err
			}
			if n := rows.count(); n > 0 {
				found += n
				entries = append(entries, endedEntry{Chunk: h.name, Change: change, rows: rows})
			}
		}
	}
	if found != len(keys) {
		return nil, fmt.Errorf("%w: %d of %d records that have ended are in them", errBroken, found, len(keys))
	}
	return entries, nil
}

// find returns the rows of a chunk, of those that are live, that hold some records, by the change that brought them.
func (h *held) find(sets map[int64]*recordSet) (rows rowSet, err error) {
	numbers, sinces := &h.columns[recordAt], &h.columns[sinceAt]
	if err := cmp.Or(numbers.use(), sinces.use()); err != nil {
		return nil, err
	}
	err = guarded(func() error {
		a, b, selected := make([]int64, blockRows), make([]int64, blockRows), make([]int32, 0, blockRows)
		for row := 0; row < h.Rows; row += blockRows {
			n := min(blockRows, h.Rows-row)
			if selected = h.selected(row, n, selected); len(selected) == 0 {
				continue
			}
			numbers.read(row, a[:n])
			sinces.read(row, b[:n])
			for _, at := range selected {
				if of := sets[sinces.value(b[at])]; of != nil && of.contains(numbers.value(a[at])) {
					rows = rows.add(row + int(at))
				}
			}
		}
		return nil
	})
	return rows, broken(err)
}

// readFooter reads the footer of a file, and returns how long it is.
func readFooter(data []byte, meta any) (length int, err error) {
	if len(data) < tailLength {
		return 0, errBroken
	}
	tail := data[len(data)-tailLength:]
	length = int(binary.NativeEndian.Uint32(tail))
	if binary.NativeEndian.Uint32(tail[8:]) != mark || length > len(data)-tailLength {
		return 0, errBroken
	}
	footer := data[len(data)-tailLength-length : len(data)-tailLength]
	if crc32.Checksum(footer, castagnoli) != binary.NativeEndian.Uint32(tail[4:]) {
		return 0, errBroken
	}
	return length, unmarshal(footer, meta)
}
