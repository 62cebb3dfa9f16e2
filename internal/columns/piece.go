package columns

import (
	"encoding/binary"
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

// A piece is a file with some of a form's records, column by column, sorted by day and, where the dataset is kept by times, by
// moment; those without a day come last. It ends with a footer in JSON, the footer's length, its checksum and a mark.
type piece struct {
	pieceMeta
	data      []byte
	file      *os.File
	footer    int    // its length
	footerSum uint32 // of the footer and the tail
	checks    checks
	columns   []column // the record numbers, then those of the schema
	days      []int32  // of each run of rows on one day
	starts    []uint32 // where each run begins
}

type pieceMeta struct {
	Rows, Undated int
	Columns       []columnMeta
	Days, Starts  extent
	// Ordered says that the moments by which the records are kept are in order as well; they are not where a clock's days
	// lie within one another.
	Ordered bool
}

const (
	mark       = 0x76730001 // the version of the format; read back otherwise by a machine of the other byte order
	tailLength = 12
)

var errBroken = errors.New("a file of columns is not as it was written")

// openPiece maps a file.
func openPiece(path string) (*piece, error) {
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
	p := &piece{data: data, file: f}
	runtime.AddCleanup(p, func(data []byte) { _ = unix.Munmap(data) }, data) // the file is closed by a cleanup of its own
	if err := guarded(p.readFooter); err != nil {
		return nil, fmt.Errorf("%s: %w", path, broken(err))
	}
	return p, nil
}

func (p *piece) readFooter() error {
	tail := p.data[len(p.data)-tailLength:]
	length := int(binary.NativeEndian.Uint32(tail))
	if binary.NativeEndian.Uint32(tail[8:]) != mark || length > len(p.data)-tailLength {
		return errBroken
	}
	footer := p.data[len(p.data)-tailLength-length : len(p.data)-tailLength]
	if crc32.Checksum(footer, castagnoli) != binary.NativeEndian.Uint32(tail[4:]) {
		return errBroken
	}
	p.footer, p.footerSum = length, crc32.Checksum(p.data[len(p.data)-tailLength-length:], castagnoli)
	if err := json.Unmarshal(footer, &p.pieceMeta); err != nil {
		return errors.Join(errBroken, err)
	}
	p.columns = make([]column, len(p.Columns))
	for i := range p.Columns {
		if err := p.Columns[i].check(p.Rows); err != nil {
			return errors.Join(errBroken, err)
		}
		p.columns[i].columnMeta, p.columns[i].piece = p.Columns[i], p
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

// extent returns what lies somewhere in the file, and checks it.
func (p *piece) extent(e extent) ([]byte, error) {
	if e.Length == 0 {
		return nil, nil
	}
	if e.Offset < 0 || e.Length < 0 || e.Offset+e.Length > int64(len(p.data)) {
		return nil, errBroken
	}
	b := p.data[e.Offset : e.Offset+e.Length]
	if crc32.Checksum(b, castagnoli) != e.Digest {
		return nil, errBroken
	}
	return b, nil
}

// dated is how many rows have a day.
func (p *piece) dated() int { return p.Rows - p.Undated }

// from is the first row on a day or a later one.
func (p *piece) from(day int64) int {
	i := sort.Search(len(p.days), func(i int) bool { return int64(p.days[i]) >= day })
	if i == len(p.days) {
		return p.dated()
	}
	return int(p.starts[i])
}

// run is the position of the run of days that holds a row with a day.
func (p *piece) run(row int) int {
	return sort.Search(len(p.starts), func(i int) bool { return int(p.starts[i]) > row }) - 1
}

// dayOf is the day of a row that has one.
func (p *piece) dayOf(row int) civil.Day { return civil.Day(p.days[p.run(row)]) }

// coverage covers all records of the piece.
func (p *piece) coverage() tally.Coverage {
	c := tally.Coverage{Undated: int64(p.Undated)}
	if n := len(p.days); n > 0 {
		c.AddMany(int64(p.dated()), civil.Day(p.days[0]), civil.Day(p.days[n-1]))
	}
	return c
}
