package columnstore

import (
	"fmt"
	"hash/crc32"
	"sync"
	"time"
	"unsafe"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
)

// A kind says what the codes of a column stand for.
type kind uint8

const (
	// whole is for days, moments and numbers: code c is base + step × (c-1).
	whole kind = iota
	// texts is for texts: code c is text c-1 of a sorted list.
	texts
	// wide is for numbers that do not fit into a machine word: code c is number c-1 of a list of texts, sorted by number.
	wide
)

// A columnMeta says how a column of a chunk is written. Code 0 is blank everywhere; codes go in the order of the values.
type columnMeta struct {
	Kind       kind
	Base, Step int64
	Top        int64 // the highest code
	Blanks     int64 // rows with code 0
	Width      uint8 // bytes of a code; 0 where all of them are Top
	Decimals   uint8 // of numbers: those of Base and Step
	Codes      extent
	Each       extent // of numbers that differ in decimals: those of each, a byte a row
	Ends       extent // of a list of texts: where each ends, four bytes
	Bytes      extent // of a list of texts: the texts
}

// An extent is where something is in a file, and its checksum.
type extent struct {
	Offset, Length int64
	Digest         uint32
}

var castagnoli = crc32.MakeTable(crc32.Castagnoli)

// A column is one of a chunk, mapped. It is checked when it is first used.
type column struct {
	columnMeta
	chunk       *chunk
	checked     sync.Once
	wrong       error
	codes, each []byte
	ends        []uint32
	bytes       []byte
}

// use maps the column in, and checks it once.
func (c *column) use() error {
	c.checked.Do(func() {
		for _, part := range []struct {
			at   extent
			into *[]byte
		}{{c.Codes, &c.codes}, {c.Each, &c.each}, {c.Bytes, &c.bytes}} {
			if *part.into, c.wrong = c.chunk.extent(part.at); c.wrong != nil {
				return
			}
		}
		var ends []byte
		if ends, c.wrong = c.chunk.extent(c.Ends); c.wrong == nil {
			c.ends = as[uint32](ends)
		}
	})
	return c.wrong
}

// as reads bytes as numbers of the machine.
func as[T any](b []byte) []T {
	if len(b) == 0 {
		return nil
	}
	var one T
	return unsafe.Slice((*T)(unsafe.Pointer(unsafe.SliceData(b))), len(b)/int(unsafe.Sizeof(one)))
}

// bytesOf is the opposite of as.
func bytesOf[T any](list []T) []byte {
	if len(list) == 0 {
		return nil
	}
	return unsafe.Slice((*byte)(unsafe.Pointer(unsafe.SliceData(list))), len(list)*int(unsafe.Sizeof(list[0])))
}

// read returns the codes of rows from one on.
func (c *column) read(row int, into []int64) {
	n := len(into)
	switch c.Width {
	case 0:
		for i := range into {
			into[i] = c.Top
		}
	case 1:
		widen(c.codes[row:row+n], into)
	case 2:
		widen(as[uint16](c.codes)[row:row+n], into)
	case 4:
		widen(as[uint32](c.codes)[row:row+n], into)
	default:
		copy(into, as[int64](c.codes)[row:row+n])
	}
}

func widen[T uint8 | uint16 | uint32](from []T, into []int64) {
	into = into[:len(from)]
	for i, code := range from {
		into[i] = int64(code)
	}
}

// code returns the code of one row.
func (c *column) code(row int) int64 {
	var one [1]int64
	c.read(row, one[:])
	return one[0]
}

// value is what a code of a whole column stands for.
func (c *column) value(code int64) int64 { return c.Base + c.Step*(code-1) }

// text is what a code of a list stands for.
func (c *column) text(code int64) string {
	b := c.bytes[c.start(code):c.ends[code-1]]
	return unsafe.String(unsafe.SliceData(b), len(b))
}

// start is where the text of a code begins.
func (c *column) start(code int64) uint32 {
	if code == 1 {
		return 0
	}
	return c.ends[code-2]
}

// cell makes the cell of a code of a column; the decimals of a number are those of the column. The text of a cell lives as
// long as the chunk does.
func (c *column) cell(code int64, t dataset.Type, clock *civil.WallReader) dataset.Cell {
	if code == 0 {
		return dataset.Cell{}
	}
	cell := dataset.Cell{Set: true}
	switch {
	case c.Kind != whole:
		cell.Text = c.text(code)
	case t == dataset.Number:
		cell.Fixed, cell.Number = true, decimal.Fixed{Digits: c.value(code), Decimals: c.Decimals}
	case t == dataset.Date:
		cell.Day = civil.Day(c.value(code))
	default:
		m := civil.Moment(c.value(code))
		cell.Moment, cell.Day = time.UnixMicro(int64(m)).UTC(), clock.DayOf(m)
	}
	return cell
}

// label is the value of a code as a label, to be kept.
func (c *column) label(code int64, of *dataset.Column) (dataset.Label, error) {
	cell := c.cell(code, of.Type, nil)
	return of.Label(&cell)
}

// fits reports whether sums of so many values of the column lifetime within a machine word, whichever they are.
func (c *column) fits(rows int) bool {
	most := max(magnitude(c.value(1)), magnitude(c.value(max(c.Top, 1))))
	return most < 1<<62/float64(max(rows, 1))
}

func magnitude(n int64) float64 { return max(float64(n), -float64(n)) }

// check refuses a column that is not what its chunk says.
func (c *columnMeta) check(rows int) error {
	if c.Codes.Length != int64(rows)*int64(c.Width) || c.Each.Length != 0 && c.Each.Length != int64(rows) ||
		c.Kind != whole && c.Ends.Length != 4*c.Top || c.Top < 0 {
		return fmt.Errorf("a column of %d rows is written of other lengths", rows)
	}
	return nil
}
