package ingest

import (
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"math/big"
	"slices"
	"strconv"
	"strings"
	"time"
	"unsafe"

	"github.com/google/uuid"
	"github.com/parquet-go/parquet-go"
	"github.com/parquet-go/parquet-go/format"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
)

// parquetReader reads the flat columns of a Parquet file, a group of rows at a time, and of those only what is wanted.
type parquetReader struct {
	file    *parquet.File
	closer  io.Closer
	header  []string
	texts   []toText // of each column
	wanted  []bool
	sample  []Row
	written Written
	group   int // the next one
	from    int // the row of it that comes next
	before  int // rows of the groups before
	pages   *pageCheck
	width   int // the bytes of text of a row of the sample, on average
}

// toText writes a value after a text; nil is for values that are texts themselves.
type toText func(b []byte, v *parquet.Value) []byte

// openParquet reads the columns and the sample of a file.
func openParquet(o Options, w Written, file randomFile, size int64) (reader Reader, err error) {
	defer func() { // the library panics on some files that are damaged
		if broken := recover(); broken != nil {
			reader, err = nil, damaged("Parquet", fmt.Errorf("%v", broken))
		}
	}()
	f, err := parquet.OpenFile(file, size, parquet.SkipBloomFilters(true), parquet.ReadBufferSize(1<<20))
	if err != nil {
		return nil, damaged("Parquet", err)
	}
	t := &parquetReader{file: f, closer: file, written: w, pages: &pageCheck{file: f, in: file, room: o.Room}}
	defer func() {
		if err != nil {
			t.pages.release()
		}
	}()
	var nested []string
	for _, c := range f.Root().Columns() {
		if !c.Leaf() || c.Repeated() {
			nested = append(nested, c.Name())
			continue
		}
		text, err := textOf(c)
		if err != nil {
			return nil, fmt.Errorf("column %s: %w", c.Name(), err)
		}
		t.header, t.texts, t.wanted = append(t.header, strings.TrimSpace(c.Name())), append(t.texts, text), append(t.wanted, true)
	}
	if len(nested) > 0 {
		return nil, fmt.Errorf("the columns %s are nested or repeated: records have one value a column; write the file without them",
			strings.Join(nested, ", "))
	}
	if len(t.header) == 0 {
		return nil, errors.New("the file has no columns")
	}
	size = 0
	for group := range f.RowGroups() {
		part, err := t.part(group, len(t.sample))
		if err != nil {
			return nil, err
		}
		err = part.Rows(func(line int, row []string) error {
			if len(t.sample) == SampleRows || size > sampleSize {
				return errEnough
			}
			size += int64(sizeOf(row))
			cells := make([]string, len(row))
			for i := range row {
				cells[i] = strings.Clone(row[i])
			}
			t.sample = append(t.sample, Row{line, cells})
			return nil
		})
		if errors.Is(err, errEnough) {
			break
		}
		if err != nil {
			return nil, err
		}
	}
	if len(t.sample) > 0 {
		t.width = int(size) / len(t.sample)
	}
	return t, nil
}

// Header returns the names of the columns.
func (t *parquetReader) Header() []string { return t.header }

// Sample returns the first rows.
func (t *parquetReader) Sample() []Row { return t.sample }

// Written says how the file is written.
func (t *parquetReader) Written() Written { return t.written }

// Close closes the file.
func (t *parquetReader) Close() error {
	t.pages.release()
	return t.closer.Close()
}

// Select keeps some columns.
func (t *parquetReader) Select(columns []int) {
	t.wanted = make([]bool, len(t.header))
	for _, at := range columns {
		t.wanted[at] = true
	}
}

// groupPart is how many rows a part has at most, and partSize how many bytes of text they should have, and partMost may have:
// groups may be of any size, and what is made of a part is held as a whole.
const (
	groupPart = 1 << 16
	partSize  = 16 << 20
	partMost  = 64 << 20
)

// Next returns the next rows: a group of them, or a part of a large one.
func (t *parquetReader) Next() (Part, error) {
	groups := t.file.RowGroups()
	if t.group == len(groups) {
		return nil, io.EOF
	}
	part, err := t.part(t.group, t.before)
	if err != nil {
		return nil, err
	}
	rows := int(groups[t.group].NumRows())
	part.from, part.count = t.from, min(groupPart, max(1, partSize/max(1, t.width)), rows-t.from)
	if t.from += part.count; t.from >= rows {
		t.before += rows
		t.group, t.from = t.group+1, 0
	}
	return part, nil
}

func (t *parquetReader) part(group, before int) (*parquetPart, error) {
	if err := t.pages.group(group); err != nil {
		return nil, err
	}
	rows := t.file.RowGroups()[group]
	return &parquetPart{rows: rows, texts: t.texts, wanted: t.wanted, before: before, count: int(rows.NumRows())}, nil
}

// A parquetPart is rows of a group. The line of a row is its number and 1, as though a header stood before it.
type parquetPart struct {
	rows   parquet.RowGroup
	texts  []toText
	wanted []bool
	before int
	from   int // the first row of the group
	count  int
	direct map[int]dataset.Type // what is asked for as it is
	read   []*columnOfValues    // by the column of the header; nil for those that are not wanted
}

// Direct says whether the values of a column are given as they are: days as days, whole numbers and decimals of 64 bits as
// numbers.
func (p *parquetPart) Direct(column int, kind dataset.Type) bool {
	chunk := p.rows.ColumnChunks()[column]
	switch {
	case kind == dataset.Date && isDate(chunk.Type()), kind == dataset.Number && scaleOf(chunk.Type()) >= 0:
		if p.direct == nil {
			p.direct = map[int]dataset.Type{}
		}
		p.direct[column] = kind
		return true
	}
	return false
}

// Cell fills a cell of the row at hand.
func (p *parquetPart) Cell(column int, into *dataset.Cell) bool {
	c := p.read[column]
	if into.Set = !c.value.IsNull(); !into.Set {
		return true
	}
	if c.kind == dataset.Date {
		into.Day = c.day()
		return into.Day.Valid()
	}
	n := c.whole()
	into.Number, into.Fixed, into.Text = decimal.Fixed{Digits: n, Decimals: uint8(c.scale)}, true, ""
	return n < maxWhole && n > -maxWhole
}

// maxWhole is what a number that is kept in a machine word is smaller than, without its point.
const maxWhole = 1_000_000_000_000_000_000

func isDate(t parquet.Type) bool {
	l := t.LogicalType()
	if l == nil {
		return false
	}
	_, is := l.Value.(*format.DateType)
	return is
}

// scaleOf returns how many digits after the point whole numbers of a type have; -1 where it holds others.
func scaleOf(t parquet.Type) int {
	if t.Kind() != parquet.Int32 && t.Kind() != parquet.Int64 {
		return -1
	}
	l := t.LogicalType()
	if l == nil {
		return 0
	}
	switch kind := l.Value.(type) {
	case *format.DecimalType:
		if kind.Scale >= 0 && kind.Scale <= decimal.MaxDecimals {
			return int(kind.Scale)
		}
	case *format.IntType:
		if kind.IsSigned {
			return 0
		}
	}
	return -1
}

// Valid reports whether the texts are UTF-8: that is not known.
func (p *parquetPart) Valid() bool { return false }

// readAhead is how many values of a column are read at a time.
const readAhead = 512

// A columnOfValues reads the values of one column of a group.
type columnOfValues struct {
	at     int
	text   toText
	pages  parquet.Pages
	page   parquet.Page
	values parquet.ValueReader
	buffer []parquet.Value
	n, i   int
	made   []byte // the text of the value at hand
	days   []dayText
	value  *parquet.Value // the one at hand
	kind   dataset.Type   // of a value that is given as it is; empty for text
	scale  int            // of a number that is
}

// day returns the day at hand.
func (c *columnOfValues) day() civil.Day { return epoch + civil.Day(c.value.Int32()) }

var epoch = civil.Of(1970, 1, 1)

// whole returns the number at hand without its point.
func (c *columnOfValues) whole() int64 {
	if c.value.Kind() == parquet.Int32 {
		return int64(c.value.Int32())
	}
	return c.value.Int64()
}

// A dayText is a day with its text: a column has the same ones again and again.
type dayText struct {
	day  int32
	text string
}

// heldDays is how many days of a column are held with their texts.
const heldDays = 2048

// dayText returns the text of a day.
func (c *columnOfValues) dayText(v *parquet.Value) string {
	day := v.Int32()
	held := &c.days[uint32(day)%heldDays]
	if held.day != day || held.text == "" {
		*held = dayText{day, string(c.text(nil, v))}
	}
	return held.text
}

// next returns the next value as text.
func (c *columnOfValues) next() (string, error) {
	for c.i == c.n {
		if c.values == nil {
			page, err := c.pages.ReadPage()
			if err != nil {
				return "", err
			}
			c.page, c.values = page, page.Values()
		}
		n, err := c.values.ReadValues(c.buffer)
		if c.n, c.i = n, 0; errors.Is(err, io.EOF) {
			c.values = nil
		} else if err != nil {
			return "", err
		}
	}
	v := &c.buffer[c.i]
	c.value = v
	c.i++
	switch {
	case v.IsNull(), c.kind == dataset.Date && c.day().Valid():
		return "", nil
	case c.kind == dataset.Number:
		if n := c.whole(); n < maxWhole && n > -maxWhole {
			return "", nil
		}
	}
	if c.days != nil {
		return c.dayText(v), nil
	}
	if c.text == nil { // the memory of the value stays as it is
		return textOver(v.ByteArray()), nil
	}
	c.made = c.text(c.made[:0], v)
	return textOver(c.made), nil
}

// textOver is a text over the memory of some bytes.
func textOver(b []byte) string { return unsafe.String(unsafe.SliceData(b), len(b)) }

// Rows yields the rows of a group.
func (p *parquetPart) Rows(take func(line int, row []string) error) (err error) {
	defer func() { // the library panics on some files that are damaged
		if broken := recover(); broken != nil {
			err = damaged("Parquet", fmt.Errorf("%v", broken))
		}
	}()
	row := make([]string, len(p.texts))
	p.read = make([]*columnOfValues, len(p.texts))
	var columns []*columnOfValues
	for i, chunk := range p.rows.ColumnChunks() {
		if !p.wanted[i] {
			continue
		}
		c := &columnOfValues{at: i, text: p.texts[i], pages: chunk.Pages(), buffer: make([]parquet.Value, readAhead)}
		defer c.pages.Close()
		if p.from > 0 {
			if err := c.pages.SeekToRow(int64(p.from)); err != nil {
				return damaged("Parquet", err)
			}
		}
		if c.kind = p.direct[i]; c.kind == dataset.Number {
			c.scale = scaleOf(chunk.Type())
		}
		if isDate(chunk.Type()) {
			c.days = make([]dayText, heldDays)
		}
		columns = append(columns, c)
		p.read[i] = c
	}
	size := 0
	for n := range p.count {
		for _, c := range columns {
			if row[c.at], err = c.next(); err != nil {
				if errors.Is(err, io.EOF) {
					err = io.ErrUnexpectedEOF
				}
				return damaged("Parquet", err)
			}
			size += len(row[c.at])
		}
		if size > partMost {
			return faulty(Fault{Line: p.before + p.from + n + 2, Expected: fmt.Sprintf(
				"at most %d MB of text in %d rows", partMost>>20, p.count)})
		}
		if err := take(p.before+p.from+n+2, row); err != nil {
			return err
		}
	}
	return nil
}

// textOf returns how values of a column are written: days and times in ISO 8601, numbers in plain digits.
func textOf(c *parquet.Column) (toText, error) {
	if l := c.Type().LogicalType(); l != nil {
		switch kind := l.Value.(type) {
		case *format.DateType:
			return func(b []byte, v *parquet.Value) []byte {
				return (epoch + civil.Day(v.Int32())).AppendText(b)
			}, nil
		case *format.TimestampType:
			return timestampText(kind), nil
		case *format.DecimalType:
			return decimalText(c, int(kind.Scale)), nil
		case *format.TimeType:
			return nil, errors.New("a time of day without a date is not read: write the file without it, or leave it out (omit)")
		case *format.UUIDType:
			return func(b []byte, v *parquet.Value) []byte {
				id, _ := uuid.FromBytes(v.ByteArray())
				return append(b, id.String()...)
			}, nil
		case *format.Float16Type:
			return nil, errors.New("numbers of 16 bits are not read: write them as 32 or 64")
		case *format.IntType:
			if !kind.IsSigned {
				return func(b []byte, v *parquet.Value) []byte {
					if v.Kind() == parquet.Int32 {
						return strconv.AppendUint(b, uint64(v.Uint32()), 10)
					}
					return strconv.AppendUint(b, v.Uint64(), 10)
				}, nil
			}
		}
	}
	switch c.Type().Kind() {
	case parquet.Boolean:
		return func(b []byte, v *parquet.Value) []byte { return strconv.AppendBool(b, v.Boolean()) }, nil
	case parquet.Int32:
		return func(b []byte, v *parquet.Value) []byte { return strconv.AppendInt(b, int64(v.Int32()), 10) }, nil
	case parquet.Int64:
		return func(b []byte, v *parquet.Value) []byte { return strconv.AppendInt(b, v.Int64(), 10) }, nil
	case parquet.Int96:
		return func(b []byte, v *parquet.Value) []byte { // nanoseconds of a day, and its Julian number
			i := v.Int96()
			day := int64(i[2]) - 2_440_588
			return time.Unix(day*86_400, int64(i[0])|int64(i[1])<<32).UTC().AppendFormat(b, wallLayout)
		}, nil
	case parquet.Float:
		return func(b []byte, v *parquet.Value) []byte {
			return strconv.AppendFloat(b, float64(v.Float()), 'f', -1, 32)
		}, nil
	case parquet.Double:
		return func(b []byte, v *parquet.Value) []byte { return strconv.AppendFloat(b, v.Double(), 'f', -1, 64) }, nil
	case parquet.ByteArray:
		return nil, nil
	}
	return func(b []byte, v *parquet.Value) []byte { return hex.AppendEncode(b, v.ByteArray()) }, nil
}

// wallLayout is how a time is written as a clock shows it.
const wallLayout = "2006-01-02T15:04:05.999999999"

// timestampText writes a time: with Z where it is one of Universal Time, else as a clock shows it.
func timestampText(kind *format.TimestampType) toText {
	layout := wallLayout
	if kind.IsAdjustedToUTC {
		layout += "Z"
	}
	var at func(int64) time.Time
	switch kind.Unit.Value.(type) {
	case *format.MilliSeconds:
		at = time.UnixMilli
	case *format.NanoSeconds:
		at = func(n int64) time.Time { return time.Unix(0, n) }
	default:
		at = time.UnixMicro
	}
	return func(b []byte, v *parquet.Value) []byte { return at(v.Int64()).UTC().AppendFormat(b, layout) }
}

// decimalText writes a decimal of so many digits after the point.
func decimalText(c *parquet.Column, scale int) toText {
	switch kind := c.Type().Kind(); {
	case kind == parquet.Int32 && scale >= 0:
		return func(b []byte, v *parquet.Value) []byte { return appendFixed(b, int64(v.Int32()), scale) }
	case kind == parquet.Int64 && scale >= 0:
		return func(b []byte, v *parquet.Value) []byte { return appendFixed(b, v.Int64(), scale) }
	case kind == parquet.Int32:
		return func(b []byte, v *parquet.Value) []byte {
			return pointed(strconv.AppendInt(b, int64(v.Int32()), 10), scale)
		}
	case kind == parquet.Int64:
		return func(b []byte, v *parquet.Value) []byte { return pointed(strconv.AppendInt(b, v.Int64(), 10), scale) }
	}
	return func(b []byte, v *parquet.Value) []byte { // two's complement, the highest byte first
		bytes := v.ByteArray()
		n := new(big.Int).SetBytes(bytes)
		if len(bytes) > 0 && bytes[0]&0x80 != 0 {
			n.Sub(n, new(big.Int).Lsh(big.NewInt(1), uint(len(bytes))*8))
		}
		return pointed(n.Append(b, 10), scale)
	}
}

// maxFixed is how many bytes a number of 64 bits takes with a point and up to 18 digits after it.
const maxFixed = 40

// appendFixed writes a number of so many digits after the point, 0 or more, that is given without it.
func appendFixed(b []byte, n int64, scale int) []byte {
	var text [maxFixed]byte
	at := len(text)
	rest := uint64(n)
	if n < 0 {
		rest = -rest
	}
	for digits := 0; rest > 0 || digits <= scale; digits++ {
		if digits == scale && scale > 0 {
			at--
			text[at] = '.'
		}
		at--
		text[at] = byte('0' + rest%10)
		rest /= 10
	}
	if n < 0 {
		at--
		text[at] = '-'
	}
	return append(b, text[at:]...)
}

// pointed puts the point into a number that is written without, so many digits from its end.
func pointed(digits []byte, scale int) []byte {
	for ; scale < 0; scale++ {
		digits = append(digits, '0')
	}
	if scale == 0 {
		return digits
	}
	first := 0 // behind the sign
	if digits[0] == '-' {
		first = 1
	}
	for len(digits)-first <= scale {
		digits = slices.Insert(digits, first, '0')
	}
	digits = append(digits, 0)
	point := len(digits) - 1 - scale
	copy(digits[point+1:], digits[point:])
	digits[point] = '.'
	return digits
}
