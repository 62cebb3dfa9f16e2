package tabular

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"strings"
	"unicode/utf8"
	"unsafe"
)

// SampleRows is how many rows a table is described from.
const SampleRows = 5000

// MaxFaults is how many faults of a file are gathered before reading stops.
const MaxFaults = 20

// A Fault is one wrong value of a file. Line 1 is the header.
type Fault struct {
	Line     int    `json:"line"`
	Column   string `json:"column,omitempty"`
	Value    string `json:"value,omitempty"`
	Expected string `json:"expected"`
}

func (f Fault) String() string {
	if f.Column == "" {
		return fmt.Sprintf("line %d: %s", f.Line, f.Expected)
	}
	return fmt.Sprintf("line %d, column %s: %q: %s", f.Line, f.Column, f.Value, f.Expected)
}

// Faults is the error of a file that was refused: up to MaxFaults wrong values.
type Faults struct {
	Rows []Fault
	More bool // reading stopped early: there may be others
}

func (f *Faults) Error() string {
	lines := make([]string, len(f.Rows))
	for i, row := range f.Rows {
		lines[i] = row.String()
	}
	if f.More {
		lines = append(lines, fmt.Sprintf("and there may be more: reading stopped at %d", len(f.Rows)))
	}
	return strings.Join(lines, "\n")
}

// A Reader reads a CSV file: comma-separated, UTF-8, with or without a byte order mark. Its sample is
// read at once, so that the table can be described before its rows are taken by Scan or Records.
type Reader struct {
	Header []string
	Sample [][]string

	in     io.Reader
	blocks []block // read already, for the sample
	rest   []byte  // read already, the start of a block
	line   int     // of the next block
	ended  bool
	known  bool // the columns are the schema's, in its order
}

// A block is a part of a file that holds whole rows.
type block struct {
	text string
	line int // its first one
	rows int // at most as many are given; 0 is no limit
}

const (
	blockSize = 1 << 20
	// maxRow is how long a row may be, in bytes.
	maxRow = 64 << 20
)

// NewReader reads the header and the sample of a CSV file.
func NewReader(r io.Reader) (*Reader, error) {
	t := &Reader{in: r, line: 1}
	first, err := t.read()
	if errors.Is(err, io.EOF) {
		return nil, errors.New("the file is empty: expected a header line with the names of the columns")
	}
	if err != nil {
		return nil, err
	}
	first.text = strings.TrimPrefix(first.text, "\ufeff")
	if err := t.header(&first); err != nil {
		return nil, err
	}
	for b := first; ; {
		t.blocks = append(t.blocks, b)
		err := b.each(func(line int, row []string) error {
			if len(t.Sample) == SampleRows {
				return errEnough
			}
			t.Sample = append(t.Sample, append([]string(nil), row...))
			return nil
		})
		if errors.Is(err, errEnough) {
			return t, nil
		}
		if err != nil {
			return nil, err
		}
		if b, err = t.read(); errors.Is(err, io.EOF) {
			return t, nil
		}
		if err != nil {
			return nil, err
		}
	}
}

var errEnough = errors.New("enough")

// NewHeadless reads a CSV file that has no header line and whose columns are known.
func NewHeadless(r io.Reader, header []string) *Reader {
	return &Reader{Header: header, in: r, line: 1, known: true}
}

// header takes the header off the first block.
func (t *Reader) header(b *block) error {
	rows := csv.NewReader(strings.NewReader(b.text))
	header, err := rows.Read()
	if errors.Is(err, io.EOF) {
		return errors.New("the file is empty: expected a header line with the names of the columns")
	}
	if err != nil {
		return csvError(err, 0)
	}
	for _, name := range header {
		if !utf8.ValidString(name) {
			return errors.New("the header is not UTF-8")
		}
	}
	t.Header = header
	end := rows.InputOffset()
	b.line += strings.Count(b.text[:end], "\n")
	b.text = b.text[end:]
	return nil
}

// SampleOnly gives a reader of the sample rows alone.
func (t *Reader) SampleOnly() *Reader {
	s := &Reader{Header: t.Header, Sample: t.Sample, ended: true}
	left := len(t.Sample)
	for _, b := range t.blocks {
		if left == 0 {
			break
		}
		b.rows = left
		_ = b.each(func(int, []string) error { left--; return nil }) // it was read well before
		s.blocks = append(s.blocks, b)
	}
	return s
}

// next gives the next block; io.EOF at the end.
func (t *Reader) next() (block, error) {
	if len(t.blocks) > 0 {
		b := t.blocks[0]
		t.blocks = t.blocks[1:]
		return b, nil
	}
	return t.read()
}

// read reads one more block of the file: as much as ends with a line break outside quotes. A quote
// that stands where none may stand is found when the rows are taken apart.
func (t *Reader) read() (block, error) {
	if t.ended {
		return block{}, io.EOF
	}
	buffer := make([]byte, max(blockSize, 2*len(t.rest)))
	n := copy(buffer, t.rest)
	quotes := bytes.Count(buffer[:n], quote)
	for {
		for n < len(buffer) {
			m, err := t.in.Read(buffer[n:])
			quotes += bytes.Count(buffer[n:n+m], quote)
			n += m
			if errors.Is(err, io.EOF) {
				t.ended, t.rest = true, nil
				if n == 0 {
					return block{}, io.EOF
				}
				return t.cut(buffer[:n]), nil
			}
			if err != nil {
				return block{}, err
			}
		}
		// Seen from the end, a line break lies outside quotes where as many quotes as there are
		// after it leave an even number before it.
		for end, before := n, quotes; end > 0; {
			at := bytes.LastIndexByte(buffer[:end], '\n')
			if at < 0 {
				break
			}
			before -= bytes.Count(buffer[at:end], quote)
			if before%2 == 0 {
				t.rest = append([]byte(nil), buffer[at+1:n]...)
				return t.cut(buffer[:at+1]), nil
			}
			end = at
		}
		if len(buffer) >= maxRow {
			return block{}, &Faults{Rows: []Fault{{Line: t.line, Expected: fmt.Sprintf("a row that ends within %d MB; a quote may be left open", maxRow>>20)}}}
		}
		buffer = append(buffer, make([]byte, len(buffer))...)
	}
}

var quote = []byte{'"'}

func (t *Reader) cut(text []byte) block {
	// The buffer belongs to this block alone and is never written to again.
	b := block{text: unsafe.String(unsafe.SliceData(text), len(text)), line: t.line}
	t.line += bytes.Count(text, []byte{'\n'})
	return b
}

// each gives the rows of a block with their lines. A row is valid until the next one.
func (b *block) each(take func(line int, row []string) error) error {
	given := 0
	counted := func(line int, row []string) error {
		if given++; b.rows > 0 && given > b.rows {
			return errEnough
		}
		return take(line, row)
	}
	var err error
	if strings.IndexByte(b.text, '"') < 0 {
		err = b.plain(counted)
	} else {
		err = b.quoted(counted)
	}
	if b.rows > 0 && errors.Is(err, errEnough) {
		return nil
	}
	return err
}

// plain takes a block without quotes apart: every comma and line break separates.
func (b *block) plain(take func(line int, row []string) error) error {
	var row []string
	line := b.line - 1
	for text := b.text; text != ""; {
		line++
		one := text
		if end := strings.IndexByte(text, '\n'); end >= 0 {
			one, text = text[:end], text[end+1:]
		} else {
			text = ""
		}
		if n := len(one); n > 0 && one[n-1] == '\r' {
			one = one[:n-1]
		}
		if one == "" {
			continue
		}
		row = row[:0]
		for {
			comma := strings.IndexByte(one, ',')
			if comma < 0 {
				break
			}
			row = append(row, one[:comma])
			one = one[comma+1:]
		}
		row = append(row, one)
		if err := take(line, row); err != nil {
			return err
		}
	}
	return nil
}

func (b *block) quoted(take func(line int, row []string) error) error {
	rows := csv.NewReader(strings.NewReader(b.text))
	rows.FieldsPerRecord = -1 // rows of another length are faults like any other, gathered by Scan
	rows.ReuseRecord = true
	for {
		row, err := rows.Read()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return csvError(err, b.line-1)
		}
		line, _ := rows.FieldPos(0)
		if err := take(b.line-1+line, row); err != nil {
			return err
		}
	}
}

// csvError words the errors of encoding/csv; before is the number of lines before its block.
func csvError(err error, before int) error {
	var p *csv.ParseError
	if errors.As(err, &p) {
		return &Faults{Rows: []Fault{{Line: before + p.Line, Expected: p.Err.Error()}}}
	}
	return err
}
