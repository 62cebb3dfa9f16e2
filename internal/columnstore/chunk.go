package columnstore

import (
	"encoding/json"
	"errors"
	"fmt"
	"hash/crc32"
	"os"
	"runtime"
	"sort"
	"time"

	"golang.org/x/sys/unix"

	"vastspan/core/civil"
	"vastspan/core/tally"
)

// A chunk is a file with some records of a dataset, or with sums of them, column by column, sorted by day and, where the dataset
// is kept by times, by moment; those without a day come last. It ends with a footer in JSON, the footer's length, its checksum and
// a mark.
type chunk struct {
	chunkMeta
	data      []byte
	file      *os.File
	footer    int    // its length
	footerSum uint32 // of the footer and the tail
	checks    checks
	columns   []column // those at recordAt and sinceAt, then those of the schema
	days      []int32  // of each run of rows on one day
	starts    []uint32 // where each run begins
}

type chunkMeta struct {
	Rows, Undated int
	Columns       []columnMeta
	Days, Starts  extent
	// Ordered says that the moments by which the records are kept are in order as well; they are not where a clock's days
	// are within one another.
	Ordered bool
}

// Columns of every chunk that are not of the schema, by their positions.
const (
	recordAt = iota // the number of the record
	sinceAt         // the change that brought it
	ownColumns
)

const (
	mark       = 0x76730002 // the version of the format; read back otherwise by a machine of the other byte order
	tailLength = 12
)

var errBroken = errors.New("a file of columns is not as it was written")

// openChunk maps a file.
func openChunk(path string) (*chunk, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	info, err := f.Stat()
	if err == nil && info.Size() < tailLength {
		err = errBroken
	}
	if err != nil {
		return nil, errors.Join(fmt.Errorf("%s: %w", path, err), f.Close())
	}
	data, err := unix.Mmap(int(f.Fd()), 0, int(info.Size()), unix.PROT_READ, unix.MAP_SHARED)
	if err != nil {
		return nil, errors.Join(err, f.Close())
	}
	p := &chunk{data: data, file: f}
	runtime.AddCleanup(p, func(data []byte) { _ = unix.Munmap(data) }, data) // the file is closed by a cleanup of its own
	if err := guarded(p.readFooter); err != nil {
		return nil, fmt.Errorf("%s: %w", path, broken(err))
	}
	return p, nil
}

func unmarshal(footer []byte, meta any) error {
	if err := json.Unmarshal(footer, meta); err != nil {
		return errors.Join(errBroken, err)
	}
	return nil
}

func (p *chunk) readFooter() error {
	length, err := readFooter(p.data, &p.chunkMeta)
	if err != nil {
		return err
	}
	p.footer, p.footerSum = length, crc32.Checksum(p.data[len(p.data)-tailLength-length:], castagnoli)
	if len(p.Columns) < ownColumns || p.Rows < 0 || p.Undated < 0 || p.Undated > p.Rows {
		return errBroken
	}
	p.columns = make([]column, len(p.Columns))
	for i := range p.Columns {
		if err := p.Columns[i].check(p.Rows); err != nil {
			return errors.Join(errBroken, err)
		}
		p.columns[i].columnMeta, p.columns[i].chunk = p.Columns[i], p
	}
	days, err := p.extent(p.Days)
	if err != nil {
		return err
	}
	starts, err := p.extent(p.Starts)
	p.days, p.starts = as[int32](days), as[uint32](starts)
	if err != nil {
		return err
	}
	// Columns are checked when they are first used, and again where the file was changed after this.
	p.checks.checked, err = stampOf(p.file)
	p.checks.at = time.Now()
	return err
}

// extent returns what is somewhere in the file, and checks it.
func (p *chunk) extent(e extent) ([]byte, error) { return extentOf(p.data, e) }

func extentOf(data []byte, e extent) ([]byte, error) {
	if e.Length == 0 {
		return nil, nil
	}
	if e.Offset < 0 || e.Length < 0 || e.Offset+e.Length > int64(len(data)) {
		return nil, errBroken
	}
	b := data[e.Offset : e.Offset+e.Length]
	if crc32.Checksum(b, castagnoli) != e.Digest {
		return nil, errBroken
	}
	return b, nil
}

// of is a column of the schema, by its position there.
func (p *chunk) of(at int) *column { return &p.columns[ownColumns+at] }

// dated is how many rows have a day.
func (p *chunk) dated() int { return p.Rows - p.Undated }

// from is the first row on a day or a later one.
func (p *chunk) from(day int64) int {
	i := sort.Search(len(p.days), func(i int) bool { return int64(p.days[i]) >= day })
	if i == len(p.days) {
		return p.dated()
	}
	return int(p.starts[i])
}

// run is the position of the run of days that holds a row with a day.
func (p *chunk) run(row int) int {
	return sort.Search(len(p.starts), func(i int) bool { return int(p.starts[i]) > row }) - 1
}

// dayOf is the day of a row that has one.
func (p *chunk) dayOf(row int) civil.Day { return civil.Day(p.days[p.run(row)]) }

// on returns the rows on some days, and those without a day where undated is set.
func (p *chunk) on(days map[int32]bool, undated bool) rowSet {
	rows := rowSet{}
	for i, day := range p.days {
		if days[day] {
			rows = rows.addRange(rowRange{int(p.starts[i]), p.from(int64(day) + 1)})
		}
	}
	if undated {
		rows = rows.addRange(rowRange{p.dated(), p.Rows})
	}
	return rows
}

// A held chunk is one of a state, with the rows of it that count there.
type held struct {
	*chunk
	name  string
	ended []endedEntry // whenever they ended
	live  rowSet       // nil for all
}

// selected appends the rows of a block that count, from its start on.
func (h *held) selected(row, rows int, into []int32) []int32 {
	if h.live != nil {
		return h.live.within(row, row+rows, into[:0])
	}
	return append(into[:0], allRows[:rows]...)
}

// count is how many rows count.
func (h *held) count() int {
	if h.live == nil {
		return h.Rows
	}
	return h.live.count()
}

// only is the chunk with those rows that count which are also in a set.
func (h *held) only(rows rowSet) *held {
	if h.live != nil {
		rows = rows.both(h.live)
	}
	return &held{chunk: h.chunk, name: h.name, live: rows}
}

// coverage covers the records that count.
func (h *held) coverage() tally.Coverage {
	var c tally.Coverage
	if h.live == nil {
		c.Undated = int64(h.Undated)
		if n := len(h.days); n > 0 {
			c.AddMany(int64(h.dated()), civil.Day(h.days[0]), civil.Day(h.days[n-1]))
		}
		return c
	}
	dated := h.live.both(rowSet{{0, h.dated()}})
	if n := len(dated); n > 0 {
		c.AddMany(int64(dated.count()), h.dayOf(dated[0].start), h.dayOf(dated[n-1].end-1))
	}
	c.Undated = int64(h.live.count()) - c.Records
	return c
}

// at is the chunk as it was after a change: rows of later changes are left out, and those that ended later are back.
func (h *held) at(change int64, changes []int64) (*held, error) {
	var sets []rowSet
	for i := range h.ended {
		if h.ended[i].Change <= change {
			sets = append(sets, h.ended[i].rows)
		}
	}
	ended := union(sets)
	one := &held{chunk: h.chunk, name: h.name, ended: h.ended}
	if len(ended) > 0 {
		one.live = ended.without(h.Rows)
	}
	later := 0
	for _, since := range changes {
		if since > change {
			later++
		}
	}
	switch {
	case later == 0:
		return one, nil
	case later == len(changes):
		one.live = rowSet{}
		return one, nil
	}
	begun, err := h.begun(change)
	if err != nil {
		return nil, err
	}
	if one.live == nil {
		one.live = begun
	} else {
		one.live = one.live.both(begun)
	}
	return one, nil
}

// begun returns the rows that a change or an earlier one brought.
func (h *held) begun(change int64) (rows rowSet, err error) {
	since := &h.columns[sinceAt]
	if err := since.use(); err != nil {
		return nil, err
	}
	rows = rowSet{}
	err = guarded(func() error {
		codes := make([]int64, blockRows)
		for row := 0; row < h.Rows; row += blockRows {
			block := codes[:min(blockRows, h.Rows-row)]
			since.read(row, block)
			for i, code := range block {
				if since.value(code) <= change {
					rows = rows.add(row + i)
				}
			}
		}
		return nil
	})
	return rows, broken(err)
}
