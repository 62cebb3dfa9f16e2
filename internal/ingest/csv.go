package ingest

import (
	"encoding/csv"
	"errors"
	"io"
	"slices"
	"strings"
	"unicode/utf8"
)

// csvReader reads CSV in UTF-8, UTF-16 or Windows-1252, with or without a byte order mark.
type csvReader struct {
	header  []string
	sample  []Row
	written Written

	blocks
	comma byte
	ready []block // read already, for the sample
}

// Written says how the file is written.
func (t *csvReader) Written() Written { return t.written }

// Close does nothing: the file belongs to the caller.
func (t *csvReader) Close() error { return nil }

func (t *csvReader) Header() []string { return t.header }
func (t *csvReader) Sample() []Row    { return t.sample }

// A block is a part of a file that holds whole rows.
type block struct {
	text  string
	line  int // its first one
	comma byte
}

const (
	blockSize = 1 << 20
	// maxRow is how long a row may be, in bytes.
	maxRow = 16 << 20
)

// openCSV reads the header and the sample of a CSV file.
func openCSV(o Options, w Written, r io.Reader) (Reader, error) {
	r, err := plainText(r, o.Encoding, &w)
	if err != nil {
		return nil, err
	}
	t := &csvReader{blocks: blocks{in: r, quotes: true, line: 1}, written: w}
	first, err := t.read()
	if errors.Is(err, io.EOF) {
		return nil, errEmpty
	}
	if err != nil {
		return nil, err
	}
	first.text = strings.TrimLeft(first.text, "\ufeff") // some programs write it twice
	if t.comma, err = delimiterOf(o.Delimiter, first.text); err != nil {
		return nil, err
	}
	t.written.Delimiter = delimiterNames[t.comma]
	first.comma = t.comma
	if err := t.readHeader(&first); err != nil {
		return nil, err
	}
	size := 0
	for b := first; ; {
		t.ready = append(t.ready, b)
		err := b.Rows(func(line int, row []string) error {
			if len(t.sample) == SampleRows || size > sampleSize {
				return errEnough
			}
			size += sizeOf(row)
			t.sample = append(t.sample, Row{line, slices.Clone(row)})
			return nil
		})
		if errors.Is(err, errEnough) {
			return t, nil
		}
		if err != nil {
			return nil, err
		}
		if b, err = t.next(); errors.Is(err, io.EOF) {
			return t, nil
		}
		if err != nil {
			return nil, err
		}
	}
}

// next reads one more block.
func (t *csvReader) next() (block, error) {
	b, err := t.read()
	b.comma = t.comma
	return b, err
}

var errEmpty = errors.New("the file is empty: expected a header line with the names of the columns")

var errEnough = errors.New("enough")

// Headless reads CSV that has no header line and whose columns are known; it has no sample.
func Headless(r io.Reader, header []string) Reader {
	return &csvReader{header: header, blocks: blocks{in: r, quotes: true, line: 1}, comma: ','}
}

// readHeader takes the header off the first block.
func (t *csvReader) readHeader(b *block) error {
	rows := b.reader()
	header, err := rows.Read()
	if errors.Is(err, io.EOF) {
		return errEmpty
	}
	if err != nil {
		return csvError(err, 0)
	}
	if err := checkWidth(len(header)); err != nil {
		return err
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
	if len(t.ready) > 0 {
		b := t.ready[0]
		t.ready = t.ready[1:]
		return &b, nil
	}
	b, err := t.next()
	return &b, err
}

// reader takes a block apart by the rules of quotes.
func (b *block) reader() *csv.Reader {
	rows := csv.NewReader(strings.NewReader(b.text))
	rows.Comma = rune(b.comma)
	return rows
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
			comma := strings.IndexByte(one, b.comma)
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
	rows := b.reader()
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
		return faulty(Fault{Line: before + p.Line, Expected: p.Err.Error()})
	}
	return err
}
