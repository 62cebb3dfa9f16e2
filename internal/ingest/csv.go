package ingest

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"unicode/utf8"
	"unsafe"
)

// csvReader reads CSV: comma-separated, in UTF-8 or UTF-16, with or without a byte order mark.
type csvReader struct {
	header []string
	sample []Row

	in     io.Reader
	blocks []block // read already, for the sample
	rest   []byte  // read already, the start of a block
	line   int     // of the next block
	ended  bool
}

func (t *csvReader) Header() []string { return t.header }
func (t *csvReader) Sample() []Row    { return t.sample }

// A block is a part of a file that holds whole rows.
type block struct {
	text string
	line int // its first one
}

const (
	blockSize = 1 << 20
	// maxRow is how long a row may be, in bytes.
	maxRow = 64 << 20
)

// openCSV reads the header and the sample of a CSV file.
func openCSV(r io.Reader) (Reader, error) {
	r, err := plainText(r)
	if err != nil {
		return nil, err
	}
	t := &csvReader{in: r, line: 1}
	first, err := t.read()
	if errors.Is(err, io.EOF) {
		return nil, errors.New("the file is empty: expected a header line with the names of the columns")
	}
	if err != nil {
		return nil, err
	}
	first.text = strings.TrimPrefix(first.text, "\ufeff")
	if err := t.readHeader(&first); err != nil {
		return nil, err
	}
	for b := first; ; {
		t.blocks = append(t.blocks, b)
		err := b.Rows(func(line int, row []string) error {
			if len(t.sample) == SampleRows {
				return errEnough
			}
			t.sample = append(t.sample, Row{line, slices.Clone(row)})
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

// Headless reads CSV that has no header line and whose columns are known; it has no sample.
func Headless(r io.Reader, header []string) Reader {
	return &csvReader{header: header, in: r, line: 1}
}

// readHeader takes the header off the first block.
func (t *csvReader) readHeader(b *block) error {
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
	for i, name := range header {
		header[i] = strings.TrimSpace(name)
	}
	t.header = header
	end := rows.InputOffset()
	b.line += strings.Count(b.text[:end], "\n")
	b.text = b.text[end:]
	return nil
}

// Next returns the next block; io.EOF at the end.
func (t *csvReader) Next() (Part, error) {
	if len(t.blocks) > 0 {
		b := t.blocks[0]
		t.blocks = t.blocks[1:]
		return &b, nil
	}
	b, err := t.read()
	return &b, err
}

// read reads one more block of the file: as much as ends with a line break outside quotes. A quote
// that stands where none may stand is found when the rows are taken apart.
func (t *csvReader) read() (block, error) {
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
				return block{}, &ReadError{err}
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
			return block{}, &Faults{
				Rows: []Fault{{Line: t.line, Expected: fmt.Sprintf("a row that ends within %d MB; a quote may be left open", maxRow>>20)}},
			}
		}
		buffer = append(buffer, make([]byte, len(buffer))...)
	}
}

var quote = []byte{'"'}

func (t *csvReader) cut(text []byte) block {
	// The buffer belongs to this block alone and is never written to again.
	b := block{text: unsafe.String(unsafe.SliceData(text), len(text)), line: t.line}
	t.line += bytes.Count(text, []byte{'\n'})
	return b
}

// Rows yields the rows of a block with their lines. A row is valid until the next one.
func (b *block) Rows(take func(line int, row []string) error) error {
	if strings.IndexByte(b.text, '"') < 0 {
		return b.plain(take)
	}
	return b.quoted(take)
}

// Valid reports whether the block is UTF-8 throughout: all at once is quicker than value by value.
func (b *block) Valid() bool { return utf8.ValidString(b.text) }

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
